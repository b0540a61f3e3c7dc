"""Keys as people paste them: lines of a key file, or the data of one DNSKEY record."""

from legatum.core.dnssec.key import parse_key
from legatum.core.records.name import ROOT
from legatum.core.records.presentation import parse_rdata
from legatum.core.records.rrtype import DNSKEY
from legatum.core.running.fault import BadInput


def keys_of_lines(text: str, given: str) -> tuple[bytes, ...]:
    """``given``: where it comes from, for complaints. Raises :class:`BadInput`."""
    found = []
    for line in text.splitlines():
        words = line.partition(";")[0].split()
        if "DNSKEY" in words:
            words = words[words.index("DNSKEY") + 1 :]
        if words:
            found.append(_key(" ".join(words), given))
    if not found:
        raise BadInput(f"{given}: no key", "give a file with a DNSKEY record, or its data: 257 3 13 …")
    return tuple(found)


def _key(text: str, given: str) -> bytes:
    try:
        data = parse_rdata(DNSKEY, text, ROOT)
    except BadInput as fault:
        raise BadInput(
            f"{given}: {fault.message}", "a DNSKEY is flags, protocol, algorithm and the key in base64: 257 3 13 …"
        ) from None
    key = parse_key(data)
    if key is None or not key.signs_zone:
        raise BadInput(
            f"{text[:40]}: no key that signs a zone", "its flags are 256 or 257, its protocol is 3 (RFC 4034 s2.1)"
        )
    return data
