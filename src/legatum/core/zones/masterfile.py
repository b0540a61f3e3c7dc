"""Reading master files (RFC 1035 s5, RFC 2308 s4 for ``$TTL``).

Two readers share one state. The quick one takes a record that stands plainly on one line, by one pattern, and a common
type; it never complains, it gives up. The careful one takes an entry word by word - parentheses, quotes, escapes,
directives, rare types, mistakes - and tells each mistake with file, line, column and what was expected; reading goes on
after it, so that all are told.
"""

import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from typing import NamedTuple, TypeVar

from legatum.core.calendar.duration import parse_duration
from legatum.core.records.commondata import EXPECTED, READERS, Names
from legatum.core.records.name import Name, is_under, name_text, parse_name
from legatum.core.records.presentation import parse_rdata
from legatum.core.records.rrset import LARGEST_TTL, RRset, rrset
from legatum.core.records.rrtype import CNAME, NSEC, RRSIG, SOA, parse_type, type_text
from legatum.core.records.soa import parse_soa
from legatum.core.running.collecting import no_collecting
from legatum.core.running.fault import BadInput
from legatum.core.running.progress import tally
from legatum.core.zones.zone import Zone

_CLASSES = {"IN", "CH", "HS", "ANY"}
_MOST_TOLD = 8
_DEEPEST = 8
_MOST_FILES = 1000  # that are included, one through the other or side by side
_MOST_TYPES = 500  # at one name
_QUICK = {type_text(rtype): (rtype, reader) for rtype, reader in READERS.items() if rtype != SOA}
_QUICK |= {text.lower(): both for text, both in _QUICK.items()}
_LINE = re.compile(  # owner, TTL, type, data; possessive, so that no text makes it go back and forth
    r"([^ \t\r\n;()\"\\$]*+)[ \t]++(?:([0-9]++)[ \t]++)?(?:[Ii][Nn][ \t]++)?([A-Za-z]++)[ \t]++"
    r"([^;()\"\\\r\n]*+(?:\"[^\"\\\r\n]*+\"[^;()\"\\\r\n]*+)*+)(?:;[^\n]*+)?\r?(?:\n|\Z)"
)

_T = TypeVar("_T")
_new = tuple.__new__  # what a named tuple's own constructor does, without the call in between

Include = Callable[[str, str], tuple[str, str]]
"""The file that includes and the name it gives → what to call the included file, and its text.

Raises :class:`BadInput`."""


class Slip(NamedTuple):
    """One mistake in a master file. ``line`` and ``column`` count from 1."""

    file: str
    line: int
    column: int
    what: str
    expected: str = ""

    @property
    def text(self) -> str:
        expected = f"; expected {self.expected}" if self.expected else ""
        return f"{self.file}:{self.line}:{self.column}: {self.what}{expected}"


@dataclass(frozen=True, slots=True)
class Reading:
    """What a master file says. ``zone`` is None without an SOA; what has a slip is not in it.

    ``uneven``: RRsets whose records have different TTLs, with all of these; the least counts (RFC 2181 s5.2).
    ``repeated``: records that stand there more than once.
    """

    zone: Zone | None
    slips: tuple[Slip, ...] = ()
    uneven: dict[tuple[Name, int], tuple[int, ...]] = field(default_factory=dict)
    repeated: tuple[tuple[Name, int], ...] = ()


def read_master(text: str, origin: Name, file: str = "<text>", include: Include | None = None) -> Reading:
    """Everything that a master file says, and every slip in it. ``include``: how ``$INCLUDE`` is done, None for not at
    all."""
    reader = _Reader(origin, include)
    with no_collecting():
        reader.read(text, file, origin)
    clashes = _clashes(reader.sets)
    if clashes:
        finder = _Reader(origin, include, set(clashes))
        finder.read(text, file, origin)
        reader.slips += [Slip(*finder.found[key], what) for key, what in clashes.items()]
    unserved = not any(each.rtype == SOA for each in reader.sets.get(origin, ()))
    if unserved or (origin, SOA) in reader.more:
        what = "no SOA record" if unserved else "several SOA records"
        expected = "one SOA record at the zone's apex: is the origin right?"
        reader.slips.append(Slip(file, 1, 1, f"{what} at {name_text(origin)}", expected))
    # A missing SOA may be one that could not be read: told last.
    slips = tuple(
        sorted(
            set(reader.slips),
            key=lambda each: (each.file != file, "SOA records" in each.what, "no SOA" in each.what, each),
        )
    )
    zone = None if unserved else Zone.of(origin, _grouped(reader))
    return Reading(
        zone, slips, {key: tuple(sorted(ttls)) for key, ttls in reader.uneven.items()}, tuple(sorted(reader.repeated))
    )


def parse_master(text: str, origin: Name, file: str = "<text>", include: Include | None = None) -> Zone:
    """The zone that a master file holds. Raises :class:`BadInput` that tells the slips."""
    reading = read_master(text, origin, file, include)
    if reading.slips:
        first, *others = (slip.text for slip in reading.slips)
        more = f"\n         and {len(others) + 1 - _MOST_TOLD} more" if len(others) >= _MOST_TOLD else ""
        raise BadInput(
            first,
            "also " + "\n         also ".join(others[: _MOST_TOLD - 1]) + more
            if others
            else "mend that line and try again",
        )
    assert reading.zone is not None
    return reading.zone


def _grouped(reader: "_Reader") -> dict[Name, tuple[RRset, ...]]:
    """The sets with all their records, and the least of their TTLs."""
    for name, rtype in {**reader.more, **reader.uneven}:
        key, sets = (name, rtype), reader.sets[name]
        first = next(each for each in sets if each.rtype == rtype)
        whole = rrset(name, rtype, min(reader.uneven.get(key, {first.ttl})), reader.more.get(key, first.rdatas))
        reader.sets[name] = tuple(whole if each is first else each for each in sets)
    return reader.sets


def _clashes(all_sets: dict[Name, tuple[RRset, ...]]) -> dict[tuple[Name, int], str]:
    """Aliases beside other data: the alias → what is wrong (RFC 1034 s3.6.2)."""
    found = {}
    for name, sets in all_sets.items():
        if len(sets) > 1 and any(each.rtype == CNAME for each in sets):
            others = [each.type_text for each in sets if each.rtype not in (CNAME, RRSIG, NSEC)]
            if others:
                found[name, CNAME] = (
                    f"an alias beside other data ({', '.join(others)}) at {name_text(name)} (RFC 1034 s3.6.2)"
                )
    return found


class _Word(NamedTuple):
    text: str
    line: int
    column: int


class _SlipFound(Exception):
    """A mistake in an entry, at a word of it."""

    def __init__(self, word: _Word, what: str, expected: str = "") -> None:
        super().__init__(what)
        self.word, self.what, self.expected = word, what, expected


class _Reader:
    """``sets``: the first record of each RRset, by name; ``more``: all data of those with several. ``found``: where the
    last record of each set of ``wanted`` stands, as file, line and column."""

    def __init__(self, zone: Name, include: Include | None, wanted: set[tuple[Name, int]] | None = None) -> None:
        self.sets: dict[Name, tuple[RRset, ...]] = {}
        self.more: dict[tuple[Name, int], dict[bytes, None]] = {}
        self._included_files = 0
        self.uneven: dict[tuple[Name, int], set[int]] = {}
        self.repeated: set[tuple[Name, int]] = set()
        self.slips: list[Slip] = []
        self.found: dict[tuple[Name, int], tuple[str, int, int]] = {}
        self._wanted = wanted
        self._zone = zone
        self._include = include
        self._depth = 0
        self._owner: Name | None = None
        self._default_ttl: int | None = None
        self._last_ttl: int | None = None

    def read(self, text: str, file: str, origin: Name) -> None:
        """One file. Origin and owner of the including file come back after it (RFC 1035 s5.1)."""
        self._file, self._text, self._counted, self._line = file, text, 0, 1
        self._set_origin(origin)
        at, end = 0, len(text)
        counted = tally()
        counted.begin(f"reading {file}", end, "characters")
        quick, kinds, wanted = _LINE.match, _QUICK, self._wanted
        ttls: dict[str, int] = {}
        sets, names, last, owner = self.sets, self._names, "", self._owner
        beside = self._beside()
        while at < end:
            plain = quick(text, at)
            if plain is not None:
                owner_text, ttl_text, kind_text, data = plain.groups()
                kind = kinds.get(kind_text)
                if kind is not None:
                    try:
                        if owner_text and owner_text != last:
                            owner = self._named(owner_text)
                            beside = sets.get(owner, ())
                        if ttl_text is None:
                            ttl = self._default_ttl if self._default_ttl is not None else self._last_ttl
                        else:
                            ttl = ttls.get(ttl_text)
                            if ttl is None:
                                ttl = ttls[ttl_text] = _ttl(ttl_text)
                        if owner is not None and ttl is not None:
                            rtype, reader = kind
                            rdata = reader(data.rstrip(), names)
                            self._last_ttl = ttl
                            last = owner_text or last
                            for each in beside:
                                if each[1] == rtype:
                                    if rtype == CNAME:
                                        raise ValueError("a second alias")
                                    self._again(each, ttl, rdata)
                                    break
                            else:
                                beside = sets[owner] = (*beside, _new(RRset, (owner, rtype, ttl, (rdata,))))
                            if wanted is not None and (owner, rtype) in wanted:
                                self.found[owner, rtype] = (file, self._line_at(at), 1)
                            counted.done = at = plain.end()
                            continue
                    except (BadInput, ValueError, LookupError):
                        pass  # the careful reader says what is wrong, if anything is
            counted.done = at
            self._owner = owner
            at = self._carefully(at)
            names, last, owner = self._names, "", self._owner
            beside = self._beside()
        self._owner = owner

    def _set_origin(self, origin: Name) -> None:
        self._names, self._inside = Names(origin), is_under(origin, self._zone)

    def _named(self, text: str) -> Name:
        """The owner that a record names. Raises :class:`BadInput`."""
        name = self._names[text]
        if not (self._inside and text[-1] != ".") and not is_under(name, self._zone):
            raise BadInput(f"{name_text(name)} is not in the zone {name_text(self._zone)}")
        return name

    def _beside(self) -> tuple[RRset, ...]:
        """What came of the present owner before."""
        return self.sets.get(self._owner, ()) if self._owner is not None else ()

    def _again(self, first: RRset, ttl: int, rdata: bytes) -> None:
        key = (first.name, first.rtype)
        rdatas = self.more.get(key)
        if rdatas is None:
            rdatas = self.more[key] = {first.rdatas[0]: None}
        if rdata in rdatas:
            self.repeated.add(key)
        else:
            rdatas[rdata] = None
        if len(rdatas) == 1:
            del self.more[key]
        if ttl != first.ttl:
            self.uneven.setdefault(key, {first.ttl}).add(ttl)

    def _line_at(self, at: int) -> int:
        self._line += self._text.count("\n", self._counted, at)
        self._counted = at
        return self._line

    # The careful reader

    def _carefully(self, at: int) -> int:
        """Takes the entry that begins at ``at``; where the next one begins."""
        line = self._line_at(at)
        try:
            words, at = self._entry(at, line)
            if words:
                self._take(words)
        except _SlipFound as slip:
            self.slips.append(Slip(self._file, slip.word.line, slip.word.column, slip.what, slip.expected))
            at = max(at, self._resume) if self._resume else at
        return at

    def _entry(self, at: int, line: int) -> tuple[list[_Word], int]:
        """The words from ``at`` to the line end that counts: parentheses join lines, ``;`` begins a comment. An entry
        that begins with a blank has an empty first word."""
        text, words, depth = self._text, list[_Word](), 0
        self._resume, opened = 0, None
        if text[at : at + 1] in (" ", "\t"):
            words.append(_Word("", line, 1))
        while True:
            end = text.find("\n", at)
            end = len(text) if end < 0 else end
            following = min(end + 1, len(text))
            self._resume = self._resume or following
            for word in self._split(text[at:end], line):
                if word.text == "(":
                    opened = opened or word
                    depth += 1
                elif word.text == ")":
                    depth -= 1
                    if depth < 0:
                        raise _SlipFound(word, "a closing parenthesis without an opening one")
                else:
                    words.append(word)
            at, line = following, line + 1
            if not depth:
                self._resume = at
                return ([] if len(words) == 1 and not words[0].text else words), at
            if at >= len(text):
                # What follows the first line and is indented belongs to this entry; the rest may still be read.
                while text[self._resume : self._resume + 1] in (" ", "\t"):
                    self._resume = (text.find("\n", self._resume) + 1) or len(text)
                assert opened is not None
                raise _SlipFound(opened, "a parenthesis that is never closed", "a closing parenthesis")

    def _split(self, line: str, number: int) -> Iterator[_Word]:
        word, begin, quoted, escaped = "", 0, 0, False
        for at, character in enumerate(line, 1):
            if escaped or character == "\\":
                escaped = not escaped
            elif character == '"':
                quoted = 0 if quoted else at
            elif not quoted and character == ";":
                break
            elif not quoted and character in " \t\r()":
                if word:
                    yield _Word(word, number, begin)
                    word = ""
                if character in "()":
                    yield _Word(character, number, at)
                continue
            begin = begin if word else at
            word += character
        if quoted:
            raise _SlipFound(
                _Word("", number, quoted), "a quotation mark that is never closed", "a closing one on the same line"
            )
        if word:
            yield _Word(word, number, begin)

    def _take(self, words: list[_Word]) -> None:
        first = words.pop(0)
        if first.text.startswith("$"):
            self._directive(first, words)
            return
        if first.text:
            self._owner = self._told(first, lambda: self._named(first.text))
        if self._owner is None:
            raise _SlipFound(first, "a record without a name, and none before it", "a name at the start of the line")
        ttl, kind, data = self._fields(first, words)
        rtype = self._told(kind, lambda: parse_type(kind.text))
        if rtype == SOA and self._owner != self._zone:
            raise _SlipFound(first, f"an SOA record at {name_text(self._owner)}, which is not the apex")
        rdata = self._data(kind, rtype, data)
        if ttl is None:
            ttl = self._default_ttl if self._default_ttl is not None else self._last_ttl
        if ttl is None and rtype == SOA:
            ttl = parse_soa(rdata).minimum
        if ttl is None:
            raise _SlipFound(
                kind, "a record without a TTL, and neither $TTL nor a TTL before it", "a TTL, or $TTL at the top"
            )
        self._last_ttl = ttl
        key = (self._owner, rtype)
        same = next((each for each in self._beside() if each.rtype == rtype), None)
        if same is None:
            if len(self._beside()) >= _MOST_TYPES:
                raise _SlipFound(
                    kind, f"more than {_MOST_TYPES} types at {name_text(self._owner)}", "fewer types at a name"
                )
            self.sets[self._owner] = (*self._beside(), RRset(self._owner, rtype, ttl, (rdata,)))
        elif rtype == CNAME and rdata not in self.more.get(key, same.rdatas):
            raise _SlipFound(first, f"a second alias at {name_text(self._owner)}", "one CNAME record at a name")
        else:
            self._again(same, ttl, rdata)
        if self._wanted is not None and key in self._wanted:
            self.found[key] = (self._file, first.line, first.column)

    def _data(self, kind: _Word, rtype: int, data: list[_Word]) -> bytes:
        text = " ".join(each.text for each in data)
        try:
            if rtype in READERS:
                return READERS[rtype](text, self._names)
        except (BadInput, ValueError, LookupError):
            pass
        try:
            return parse_rdata(rtype, text, self._names.origin)
        except BadInput as fault:
            expected = EXPECTED.get(rtype, f"the data of a {kind.text.upper()} record, or \\# with length and hex")
            raise _SlipFound(data[0] if data else kind, fault.message, expected) from None

    def _directive(self, word: _Word, rest: list[_Word]) -> None:
        match word.text.upper(), [each.text for each in rest]:
            case "$ORIGIN", [name]:
                self._set_origin(self._told(rest[0], lambda: parse_name(name, self._names.origin)))
            case "$TTL", [_]:
                self._default_ttl = self._told_ttl(rest[0])
            case "$INCLUDE", [name] | [name, _]:
                self._included(word, rest)
            case ("$ORIGIN" | "$TTL" | "$INCLUDE") as directive, _:
                raise _SlipFound(word, f"{directive} with {len(rest)} values", "one value")
            case directive, _:
                raise _SlipFound(word, f"{directive} is not read here", "the records written out")

    def _included(self, word: _Word, rest: list[_Word]) -> None:
        include = self._include
        if include is None:
            raise _SlipFound(word, "$INCLUDE is not read here", "the records written out")
        if self._depth >= _DEEPEST:
            raise _SlipFound(word, f"$INCLUDE more than {_DEEPEST} deep", "files that do not include each other")
        self._included_files += 1
        if self._included_files > _MOST_FILES:
            raise _SlipFound(word, f"more than {_MOST_FILES} files included", "files that do not include each other")
        here = self._file, self._text, self._counted, self._line, self._resume, self._owner, self._names.origin
        origin = (
            self._told(rest[1], lambda: parse_name(rest[1].text, self._names.origin))
            if rest[1:]
            else self._names.origin
        )
        file, text = self._told(rest[0], lambda: include(self._file, rest[0].text.strip('"')))
        self._depth += 1
        self.read(text, file, origin)
        self._depth -= 1
        self._file, self._text, self._counted, self._line, self._resume, self._owner, origin = here
        self._set_origin(origin)

    @staticmethod
    def _told(word: _Word, make: Callable[[], _T]) -> _T:
        """What ``make`` gives; its complaint becomes a slip at ``word``."""
        try:
            return make()
        except BadInput as fault:
            raise _SlipFound(word, fault.message, fault.remedy) from None

    def _told_ttl(self, word: _Word) -> int:
        return self._told(word, lambda: _ttl(word.text))

    def _fields(self, first: _Word, words: list[_Word]) -> tuple[int | None, _Word, list[_Word]]:
        """TTL if given, type, and the words of the data; TTL and class may stand in either order (RFC 1035 s5.1)."""
        ttl: int | None = None
        for at, word in enumerate(words[:3]):
            if word.text[0].isdigit() and ttl is None:
                ttl = self._told_ttl(word)
            elif word.text.upper() in _CLASSES:
                if word.text.upper() != "IN":
                    raise _SlipFound(word, f"class {word.text} is not read here", "IN")
            else:
                return ttl, word, words[at + 1 :]
        raise _SlipFound(words[-1] if words else first, "a record without a type", "a type such as A or MX")


def _ttl(word: str) -> int:
    ttl = parse_duration(word)
    if ttl > LARGEST_TTL:
        raise BadInput(f"a TTL of {ttl} is over the limit of {LARGEST_TTL} (RFC 2181 s8)")
    return ttl
