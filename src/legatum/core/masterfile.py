"""Reading master files (RFC 1035 s5, RFC 2308 s4 for ``$TTL``): entries here, the data of each record by the general library.

Every fault is found with the line its entry begins on and what was wrong; reading goes on after it, so that all are told at
once.
"""

from collections.abc import Iterator
from dataclasses import dataclass

from legatum.core.duration import parse_duration
from legatum.core.fault import BadInput
from legatum.core.name import Name, is_under, name_text, parse_name
from legatum.core.presentation import parse_rdata
from legatum.core.rrset import rrset
from legatum.core.rrtype import CNAME, NSEC, RRSIG, SOA, parse_type, type_text
from legatum.core.soa import parse_soa
from legatum.core.zone import Zone

_CLASSES = {"IN", "CH", "HS", "ANY"}
_MOST_TOLD = 8


@dataclass(frozen=True, slots=True)
class _Entry:
    """What stands between two line ends that count: words with their quotes. ``indented``: it begins with a blank."""

    line: int
    indented: bool
    words: list[str]


@dataclass(slots=True)
class _Record:
    line: int
    name: Name
    rtype: int
    ttl: int
    rdata: bytes


def parse_master(text: str, origin: Name, file: str = "<text>") -> Zone:
    """The zone that a master file holds. ``$INCLUDE`` and ``$GENERATE`` are refused.

    Raises :class:`BadInput` that names file, line and fault for each entry that cannot be read, for aliases beside other data,
    records outside the zone, and a zone without its one SOA.
    """
    reader = _Reader(origin)
    faults: list[tuple[int, str]] = []
    for entry in _entries(text, faults):
        if faults and faults[-1][0] >= entry.line:
            continue
        try:
            reader.take(entry)
        except BadInput as fault:
            faults.append((entry.line, fault.message))
    faults += _conflicts(reader.records, origin)
    if faults:
        told = [f"{file}:{line}: {what}" for line, what in sorted(faults)]
        more = f"\n         and {len(told) - _MOST_TOLD} more" if len(told) > _MOST_TOLD else ""
        others = "also " + "\n         also ".join(told[1:_MOST_TOLD]) + more if told[1:] else "mend that line and try again"
        raise BadInput(told[0], others)
    return _zone(reader.records, origin, file)


def _entries(text: str, faults: list[tuple[int, str]]) -> Iterator[_Entry]:
    """Splits into entries: parentheses join lines, ``;`` begins a comment, quotes keep blanks and may not cross lines."""
    words: list[str] = []
    depth, begin, indented = 0, 0, False
    for number, line in enumerate(text.splitlines(), 1):
        if not words and not depth:
            begin, indented = number, line[:1] in (" ", "\t")
        for word in _words(line, number, faults):
            if word == "(":
                depth += 1
            elif word == ")":
                depth -= 1
            else:
                words.append(word)
            if depth < 0:
                faults.append((number, "a closing parenthesis without an opening one"))
                depth = 0
        if not depth and words:
            yield _Entry(begin, indented, words)
            words = []
    if depth:
        faults.append((begin, "a parenthesis that is never closed"))


def _words(line: str, number: int, faults: list[tuple[int, str]]) -> Iterator[str]:
    word, quoted, escaped = "", False, False
    for character in line:
        if escaped or character == "\\":
            word += character
            escaped = not escaped
        elif character == '"':
            word += character
            quoted = not quoted
        elif quoted:
            word += character
        elif character == ";":
            break
        elif character in " \t\r()":
            if word:
                yield word
                word = ""
            if character in "()":
                yield character
        else:
            word += character
    if quoted:
        faults.append((number, "a quotation mark that is never closed"))
        return
    if word:
        yield word


class _Reader:
    """Keeps what an entry may leave to the one before: origin, owner, TTL."""

    def __init__(self, origin: Name) -> None:
        self.records: list[_Record] = []
        self._origin = origin
        self._owner: Name | None = None
        self._default_ttl: int | None = None
        self._last_ttl: int | None = None

    def take(self, entry: _Entry) -> None:
        """Raises :class:`BadInput`."""
        words = list(entry.words)
        if words[0].startswith("$"):
            self._directive(words)
            return
        if not entry.indented:
            self._owner = parse_name(words.pop(0), self._origin)
        if self._owner is None:
            raise BadInput("a record without a name, and none before it")
        ttl, rtype, data = self._fields(words)
        rdata = parse_rdata(rtype, " ".join(data), self._origin)
        if ttl is None:
            ttl = self._default_ttl if self._default_ttl is not None else self._last_ttl
        if ttl is None and rtype == SOA:
            ttl = parse_soa(rdata).minimum
        if ttl is None:
            raise BadInput("a record without a TTL, and neither $TTL nor a TTL before it")
        self._last_ttl = ttl
        self.records.append(_Record(entry.line, self._owner, rtype, ttl, rdata))

    def _directive(self, words: list[str]) -> None:
        match words[0].upper(), words[1:]:
            case "$ORIGIN", [name]:
                self._origin = parse_name(name, self._origin)
            case "$TTL", [ttl]:
                self._default_ttl = _ttl(ttl)
            case ("$ORIGIN" | "$TTL") as word, _:
                raise BadInput(f"{word} takes one value")
            case word, _:
                raise BadInput(f"{word} is not read here: write the records out")

    @staticmethod
    def _fields(words: list[str]) -> tuple[int | None, int, list[str]]:
        """TTL if given, type, and the words of the data; TTL and class may stand in either order (RFC 1035 s5.1)."""
        ttl: int | None = None
        for at, word in enumerate(words[:3]):
            if word[0].isdigit() and ttl is None:
                ttl = _ttl(word)
            elif word.upper() in _CLASSES:
                if word.upper() != "IN":
                    raise BadInput(f"class {word} is not read here, only IN")
            else:
                return ttl, parse_type(word), words[at + 1 :]
        raise BadInput("a record without a type")


def _ttl(word: str) -> int:
    ttl = parse_duration(word)
    if ttl >= 2**31:
        raise BadInput(f"a TTL of {ttl} is over the limit of 2147483647 (RFC 2181 s8)")
    return ttl


def _conflicts(records: list[_Record], origin: Name) -> list[tuple[int, str]]:
    faults = []
    types: dict[Name, set[int]] = {}
    aliases: dict[Name, bytes] = {}
    for each in records:
        if not is_under(each.name, origin):
            faults.append((each.line, f"{name_text(each.name)} is not in the zone {name_text(origin)}"))
        if each.rtype == SOA and each.name != origin:
            faults.append((each.line, f"an SOA record at {name_text(each.name)}, which is not the apex"))
        others = types.setdefault(each.name, set())
        beside = {rtype for rtype in others | {each.rtype} if rtype not in (RRSIG, NSEC)}
        if CNAME in beside and len(beside) > 1:
            other = type_text(next(iter(beside - {CNAME})))
            faults.append((each.line, f"an alias beside other data ({other}) at {name_text(each.name)} (RFC 1034 s3.6.2)"))
        elif each.rtype == CNAME and aliases.setdefault(each.name, each.rdata) != each.rdata:
            faults.append((each.line, f"a second alias at {name_text(each.name)}"))
        others.add(each.rtype)
    return faults


def _zone(records: list[_Record], origin: Name, file: str) -> Zone:
    grouped: dict[tuple[Name, int], list[_Record]] = {}
    for each in records:
        grouped.setdefault((each.name, each.rtype), []).append(each)
    soas = {each.rdata for each in grouped.get((origin, SOA), ())}
    if len(soas) != 1:
        what = "no SOA record" if not soas else f"{len(soas)} SOA records"
        raise BadInput(f"{file}: {what} at {name_text(origin)}", "is the origin right? a zone has one SOA at its apex")
    # Where TTLs differ inside a set the least counts (RFC 2181 s5.2).
    sets = (rrset(*key, min(each.ttl for each in found), (each.rdata for each in found)) for key, found in grouped.items())
    return Zone(origin, sets)
