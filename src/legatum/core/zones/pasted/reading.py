"""Pasted rows as records of a zone: each as it was understood, with every doubt, and nothing guessed silently."""

import re
from collections.abc import Sequence
from dataclasses import dataclass, field

from legatum.core.records.name import Name, absolute_text, is_under, name_text, parse_name, typed_name
from legatum.core.records.presentation import parse_rdata, rdata_text, txt_rdata
from legatum.core.records.rrset import RRset, rrset
from legatum.core.records.rrtype import AAAA, ALIAS, CAA, CNAME, DNAME, MX, NS, PTR, SOA, SRV, TXT, A, type_text
from legatum.core.running.fault import BadInput
from legatum.core.zones.pasted.columns import roles_of
from legatum.core.zones.pasted.fields import Fields, by_columns, by_words
from legatum.core.zones.pasted.layout import Row, layout_of
from legatum.core.zones.pasted.words import is_ip, own_kind, parse_ttl, type_number

_HOSTS = (CNAME, NS, PTR, DNAME)
_APEX = ("", "@", "(root)", "(none)", "<root>", "apex")
_PIECE = re.compile(r'"((?:[^"\\]|\\.)*)"')
_CUT = ("…", "...")
_USUAL_TTL = 3600


@dataclass
class Understood:
    """One row. ``record``: name, type, TTL and data of what it is, None where it is left out; ``doubts``: what was
    taken as something that it does not plainly say; ``fault``: why nothing could be made of it; ``left_to_them``: the
    word that leaves the TTL to the provider."""

    row: Row
    record: tuple[Name, int, int, bytes] | None = None
    doubts: list[str] = field(default_factory=list)
    fault: str = ""
    left_to_them: str = ""

    def text(self, domain: Name) -> str:
        """As a master file has it; empty where it is left out."""
        if self.record is None:
            return ""
        name, rtype, ttl, rdata = self.record
        owner = "@" if name == domain else absolute_text(name).removesuffix(f".{absolute_text(domain)}")
        return f"{owner} {ttl} {type_text(rtype)} {rdata_text(rtype, rdata)}"


@dataclass(frozen=True)
class Pasted:
    """``layout``: how the table was read, in words. ``rrsets``: what it has of the zone; of records whose TTLs differ
    the least counts."""

    domain: Name
    layout: str
    rows: tuple[Understood, ...]

    @property
    def rrsets(self) -> list[RRset]:
        sets: dict[tuple[Name, int], tuple[int, list[bytes]]] = {}
        for name, rtype, ttl, rdata in (each.record for each in self.rows if each.record is not None):
            least, rdatas = sets.get((name, rtype), (ttl, []))
            sets[name, rtype] = (min(least, ttl), [*rdatas, rdata])
        return [rrset(*key, ttl, rdatas) for key, (ttl, rdatas) in sets.items()]

    @property
    def faults(self) -> list[Understood]:
        return [each for each in self.rows if each.fault]

    @property
    def doubtful(self) -> list[Understood]:
        return [each for each in self.rows if each.doubts]


def read_pasted(text: str, domain: Name, usual_ttl: int = _USUAL_TTL) -> Pasted:
    """``usual_ttl``: where the table leaves it to the provider. Raises :class:`BadInput` for what is no table of
    records."""
    layout = layout_of(text)
    if not layout.rows:
        raise BadInput(
            "no table of records: no line has a record type among other words",
            "paste the rows with their types: A, MX, TXT …",
        )
    roles, rows, headed = ({}, layout.rows, False) if layout.loose else roles_of(layout, domain)
    found = list[Understood]()
    for row in rows:
        fields = by_words(row.cells) if layout.loose else by_columns(row.cells, roles)
        if fields is None or not any(row.cells):
            if layout.loose and found:
                found.append(Understood(row, fault="no record type in it"))
            continue
        found.append(_understood(row, fields, domain, usual_ttl))
    if not any(each.record for each in found):
        raise BadInput(
            "no table of records: nothing in it could be read as one", "paste the rows with their types: A, MX, TXT …"
        )
    _contradictions(found)
    _doubt_ttls(found, usual_ttl)
    named = ", ".join(role or "(not of a record)" for _, role in sorted(roles.items()))
    words = layout.words + (f"; {'by its headings' if headed else 'without headings'}: {named}" if roles else "")
    return Pasted(domain, words, tuple(found))


def _understood(row: Row, fields: Fields, domain: Name, usual_ttl: int) -> Understood:
    found = Understood(row)
    if kind := own_kind(fields.kind):
        found.doubts.append(f"left out: {kind} is a service of the provider's, not a record; what does it instead?")
        return found
    try:
        rtype = type_number(fields.kind)
        name = _name(fields, domain)
        if not is_under(name, domain):
            raise BadInput(f"{name_text(name)} is not in the zone {name_text(domain)}")
        ttl = _ttl(fields, found, usual_ttl)
        found.record = (name, rtype, ttl, _data(rtype, fields, domain, found))
    except (BadInput, ValueError) as error:
        found.fault = error.message if isinstance(error, BadInput) else str(error)
    if fields.kind.strip().upper() == "SPF":
        found.doubts.append("taken as TXT: the type SPF was given up (RFC 7208 s3.1)")
    if fields.kind.strip().upper() in ("ALIAS", "ANAME"):
        found.doubts.append(
            "an alias that the provider follows: another one may not have it; publishing elsewhere takes its addresses"
        )
    return found


def _name(fields: Fields, domain: Name) -> Name:
    said = fields.name.strip().strip('"')
    if fields.service or fields.protocol:
        front = ".".join(
            each if each.startswith("_") else f"_{each}"
            for each in (fields.service.strip(), fields.protocol.strip())
            if each
        )
        said = front if said.lower() in _APEX else f"{front}.{said}"
    if len(said.split()) > 1:
        raise BadInput(f"'{said}' is no name: a space cannot stand in it")
    return domain if said.lower() in _APEX else typed_name(said, domain)


def _ttl(fields: Fields, found: Understood, usual_ttl: int) -> int:
    ttl = parse_ttl(fields.ttl) if fields.ttl is not None else None
    if ttl is None and fields.ttl:
        found.left_to_them = fields.ttl
    return usual_ttl if ttl is None else ttl


def _data(rtype: int, fields: Fields, domain: Name, found: Understood) -> bytes:
    value = fields.value.strip()
    if value.rstrip('"').endswith(_CUT):
        raise BadInput("its value was cut short where it was shown: open the record there and copy all of it")
    if not value:
        raise BadInput("it has no value")
    match rtype:
        case _ if rtype in (A, AAAA):
            if not is_ip(value):
                raise BadInput(f"'{value}' is no address")
            return parse_rdata(rtype, value, domain)
        case _ if rtype == TXT:
            return txt_rdata(_text(value))
        case _ if rtype in _HOSTS:
            return parse_rdata(rtype, _host(_unmarked(value), domain, found), domain)
        case _ if rtype == ALIAS:
            return bytes(parse_name(_host(_unmarked(value), domain, found)))
        case _ if rtype == MX:
            preference, host = _numbered(_unmarked(value), (fields.priority,))
            return parse_rdata(MX, f"{preference[0]} {_host(host, domain, found)}", domain)
        case _ if rtype == SRV:
            numbers, host = _numbered(_unmarked(value), (fields.priority, fields.weight, fields.port))
            return parse_rdata(SRV, f"{' '.join(numbers)} {_host(host, domain, found)}", domain)
        case _ if rtype == CAA:
            return parse_rdata(CAA, _issuer(value, fields), domain)
        case _ if rtype == SOA:
            return parse_rdata(SOA, value, domain)
    return parse_rdata(rtype, value, domain)


def _unmarked(value: str) -> str:
    return value[1:-1].strip() if len(value) > 1 and value[0] == value[-1] == '"' else value


def _text(value: str) -> str:
    """A text in one or several pieces, with or without quotation marks."""
    pieces = value.strip("()").strip() if value.startswith("(") else value
    if _PIECE.match(pieces) and not _PIECE.sub("", pieces).strip():
        return "".join(re.sub(r"\\(.)", r"\1", piece) for piece in _PIECE.findall(pieces))
    return value.replace("\\;", ";")


def _numbered(value: str, columns: Sequence[str]) -> tuple[list[str], str]:
    """The numbers before a host, from columns or from the value; and the host. Raises :class:`BadInput`."""
    words = value.replace("(", " ").replace(")", " ").split()
    given = [word for word in words if word.isdecimal()]
    hosts = [word for word in words if not word.isdecimal()]
    beside = [each.strip() for each in columns if each.strip().isdecimal()]
    numbers = beside if len(beside) == len(columns) and not given else [*beside[: len(columns) - len(given)], *given]
    if len(numbers) != len(columns) or len(hosts) != 1:
        raise BadInput(f"'{value}': {len(columns)} number{'s' if len(columns) > 1 else ''} and a host expected")
    return numbers, hosts[0]


def _host(said: str, domain: Name, found: Understood) -> str:
    """A host in record data, whole. One with dots in it and none at its end is whole, which is told: relative to the
    zone it would be another."""
    if said in ("@", "."):
        return absolute_text(domain) if said == "@" else "."
    if said.endswith(".") or "." not in said:
        return absolute_text(typed_name(said, domain))
    name = typed_name(f"{said}.", domain)
    if not is_under(name, domain):
        found.doubts.append(f"{said} has no final dot: taken as the whole name, not as {said}.{name_text(domain)}")
    return absolute_text(name)


def _issuer(value: str, fields: Fields) -> str:
    """RFC 8659 s4.1.1, the value in quotation marks."""
    if fields.tag:
        return f'{fields.flags.strip() or "0"} {fields.tag.strip()} "{_unmarked(value)}"'
    words = value.split(None, 2)
    if len(words) != 3:
        raise BadInput(f"'{value}': flags, tag and value expected")
    return f'{words[0]} {words[1]} "{_unmarked(words[2])}"'


def _doubt_ttls(rows: Sequence[Understood], usual_ttl: int) -> None:
    """Told once, with all lines."""
    some = [each for each in rows if each.left_to_them and each.record is not None]
    if some:
        others = f", as in {len(some) - 1} more rows" if len(some) > 1 else ""
        some[0].doubts.append(f"TTL {some[0].left_to_them}{others}: {usual_ttl} taken")


def _contradictions(rows: Sequence[Understood]) -> None:
    """Rows that cannot all be so: aliases beside other data, TTLs that differ in one set, the same twice."""
    by_name: dict[Name, list[Understood]] = {}
    for each in rows:
        if each.record is not None:
            by_name.setdefault(each.record[0], []).append(each)
    for name, some in by_name.items():
        if not _alias_alone(some):
            lines = ", ".join(str(each.row.line) for each in some)
            for each in some:
                each.record = None
                each.fault = (
                    f"{name_text(name)} has an alias and something else, which cannot be (RFC 1034 s3.6.2): "
                    f"lines {lines}"
                )
        else:
            _doubt_repeated(some)


def _alias_alone(some: Sequence[Understood]) -> bool:
    records = {each.record for each in some if each.record is not None}
    data = {(rtype, rdata) for _, rtype, _, rdata in records}
    return len(data) == 1 or not any(rtype == CNAME for rtype, _ in data)


def _doubt_repeated(some: Sequence[Understood]) -> None:
    """Of one name."""
    same: dict[tuple[int, bytes], int] = {}
    ttls: dict[int, tuple[int, int]] = {}
    for each in some:
        assert each.record is not None
        _, rtype, ttl, rdata = each.record
        line = each.row.line
        if (first := same.setdefault((rtype, rdata), line)) != line:
            each.doubts.append(f"the same record as in line {first}")
        before, where = ttls.setdefault(rtype, (ttl, line))
        if before != ttl:
            each.doubts.append(f"TTL {ttl} here and {before} in line {where}, of one set: the least counts")
