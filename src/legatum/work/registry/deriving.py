"""From a key to the DS records that vouch for it: keys on the wire, where every server must have the same, in a file, or pasted."""

from pathlib import Path

from legatum.core.dnssec.key import parse_key
from legatum.core.dnssec.serving import entry_points
from legatum.core.fault import BadInput, GateShut
from legatum.core.records.name import ROOT, Name, name_text
from legatum.core.records.presentation import parse_rdata
from legatum.core.records.rrtype import DNSKEY
from legatum.work.look.chain import chain_of
from legatum.work.outside import Outside


async def keys_on_the_wire(outside: Outside, domain: Name) -> tuple[bytes, ...]:
    """Those that sign the key set. Raises :class:`GateShut` where servers do not have the same, or signatures do not hold."""
    own = (await chain_of(outside, domain)).links[-1]
    text = name_text(domain)
    for each in own.servers:
        if not each.answered:
            raise GateShut(
                f"{name_text(each.server)} ({each.address}) does not answer: whether it has the same keys is not known", "look again"
            )
        if each.given.keys is None or each.given.broken:
            why = each.given.broken or "it serves the zone unsigned"
            raise GateShut(f"{name_text(each.server)} ({each.address}): {why}", f"the chain whole: `legatum ds show {text}`")
    entries = {each.given.entries for each in own.servers}
    if len(entries) != 1:
        raise GateShut(f"the servers of {text} do not give the same keys", f"wait until they do: `legatum ds show {text}`")
    return entry_points(next(iter(entries)))


def keys_of_text(given: str, domain: Name) -> tuple[bytes, ...]:
    """A file with DNSKEY records, or one record's data: flags, protocol, algorithm, key. Raises :class:`BadInput`."""
    path = Path(given)
    text = path.read_text(encoding="utf-8") if path.is_file() else given
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
        raise BadInput(f"{given}: {fault.message}", "a DNSKEY is flags, protocol, algorithm and the key in base64: 257 3 13 …") from None
    key = parse_key(data)
    if key is None or not key.signs_zone:
        raise BadInput(f"{text[:40]}: no key that signs a zone", "its flags are 256 or 257, its protocol is 3 (RFC 4034 s2.1)")
    return data
