"""Record data as text and from text (RFC 1035 s5.1): the only place where one becomes the other.

The general library does the work; it is imported when first needed, because most commands ask before they show.
"""

import re
from collections.abc import Callable
from typing import TYPE_CHECKING

from legatum.core.records.commondata import WRITERS
from legatum.core.records.name import Name, absolute_text
from legatum.core.records.rrset import RRset
from legatum.core.records.rrtype import DS, NS, RARE, TXT, type_text
from legatum.core.running.fault import BadInput

if TYPE_CHECKING:
    import dns.name
    import dns.rdata

# Types that the general library does not know, and one that is written like each: MD, MF, MB, MG, MR and MINFO (RFC
# 1035 s3.3), TALINK, TA.
_WRITTEN_LIKE = {3: NS, 4: NS, 7: NS, 8: NS, 9: NS, 14: 17, 58: 17, 32768: DS}
_QUOTED = r'"(?:[^"\\]|\\.)*"'
_ALL_QUOTED = re.compile(rf"\s*{_QUOTED}(?:\s+{_QUOTED})*\s*", re.DOTALL)


def rdata_text(rtype: int, rdata: bytes) -> str:
    """The data of one record as a master file has it; what the library cannot read as ``\\# length hex`` (RFC 3597
    s5)."""
    writer = WRITERS.get(rtype)
    if writer is not None:
        try:
            return writer(rdata)
        except (ValueError, LookupError):
            pass
    import dns.exception
    import dns.rdata
    import dns.rdataclass
    import dns.rdatatype

    try:
        kind = dns.rdatatype.RdataType.make(_WRITTEN_LIKE.get(rtype, rtype))
        if rtype not in RARE:
            return _printable(dns.rdata.from_wire(dns.rdataclass.IN, kind, rdata, 0, len(rdata)).to_text())
    except (dns.exception.DNSException, ValueError):
        pass
    return f"\\# {len(rdata)} {rdata.hex()}".rstrip()


def _printable(text: str) -> str:
    """No control character of any kind gets through to a terminal."""
    return "".join(
        each if each.isprintable() else "".join(f"\\{octet:03d}" for octet in each.encode()) for each in text
    )


def rdata_texts(rrset_: RRset | None) -> list[str]:
    """The data of each record of the set, in canonical order. Empty for no set."""
    return [rdata_text(rrset_.rtype, rdata) for rdata in rrset_.rdatas] if rrset_ else []


def parse_rdata(rtype: int, text: str, origin: Name) -> bytes:
    """Canonical wire bytes of one record's data written as in a master file (RFC 1035 s5.1). Raises
    :class:`BadInput`."""
    import dns.name

    relative_to = dns.name.from_text(absolute_text(origin))
    return _parsed(rtype, text, origin, lambda data: _with_names(data, lambda name: name.derelativize(relative_to)))


def _parsed(rtype: int, text: str, origin: Name, complete: "Callable[[dns.rdata.Rdata], dns.rdata.Rdata]") -> bytes:
    """``complete``: makes the data's names whole."""
    import dns.exception
    import dns.name
    import dns.rdata
    import dns.rdataclass
    import dns.rdatatype

    try:
        kind = dns.rdatatype.RdataType.make(_WRITTEN_LIKE.get(rtype, rtype))
        parsed = dns.rdata.from_text(
            dns.rdataclass.IN, kind, text, relativize=False, idna_codec=dns.name.IDNA_2008_UTS_46
        )
        return complete(parsed).to_digestable(dns.name.from_text(absolute_text(origin)))
    except (dns.exception.DNSException, ValueError) as error:
        why = "" if str(error).endswith("is malformed.") else f": {error}"
        raise BadInput(f"'{text}' is no data of type {type_text(rtype)}{why}") from error


def typed_rdata(rtype: int, text: str, domain: Name) -> bytes:
    """Data that a person types: names in them by the rule of :func:`~legatum.core.records.name.typed_name`; a text that
    does not stand in quotation marks is one text, every character of it, because shells take the marks away. Nothing
    typed is lost: a semicolon is a semicolon. Raises :class:`BadInput`."""
    if rtype == TXT and not _ALL_QUOTED.fullmatch(text):
        if text.lstrip().startswith('"'):
            raise BadInput(
                f"'{text}' begins with a quotation mark and does not end with one: put all of it between "
                "them, or none of it"
            )
        return txt_rdata(text)
    if ";" in re.sub(_QUOTED, "", text):
        raise BadInput(
            f"'{text}': what stands after the semicolon would be lost. Put the value that it belongs to in "
            "quotation marks"
        )
    import dns.name

    own = dns.name.from_text(absolute_text(domain))
    above = dns.name.Name(own.labels[:-1])

    def whole(name: dns.name.Name) -> dns.name.Name:
        if name.is_absolute():
            return name
        return name.concatenate(dns.name.root if name.is_subdomain(above) else own)

    return _parsed(rtype, text, domain, lambda data: _with_names(data, whole))


def _with_names(data: "dns.rdata.Rdata", change: "Callable[[dns.name.Name], dns.name.Name]") -> "dns.rdata.Rdata":
    """The data with every name in them changed, whatever their type calls its fields."""
    import dns.name

    changed: dict[str, object] = {}
    for field in {slot for kind in type(data).__mro__ for slot in getattr(kind, "__slots__", ())}:
        value = getattr(data, field, None)
        if isinstance(value, dns.name.Name):
            changed[field] = change(value)
        elif isinstance(value, tuple) and any(isinstance(each, dns.name.Name) for each in value):
            changed[field] = tuple(change(each) if isinstance(each, dns.name.Name) else each for each in value)
    return data.replace(**changed) if changed else data


def txt_rdata(text: str) -> bytes:
    """TXT data for text of any length: character-strings of 255 octets."""
    raw = text.encode()
    chunks = [raw[at : at + 255] for at in range(0, len(raw), 255)] or [b""]
    return b"".join(bytes((len(chunk),)) + chunk for chunk in chunks)
