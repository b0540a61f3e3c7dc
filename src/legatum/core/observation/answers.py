"""Comparing what servers answer: which questions to put to both sides, and what a difference means for visitors.

A move changes who answers. Only what visitors would suffer stands in its way: an answer that is worse at the new side
than the best that the old side gives. What is equal to them, what is better, and what the old side's servers do not
agree on themselves, is told.
"""

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum

from legatum.core.records.name import Name, ancestors, below, is_under
from legatum.core.records.rrset import RRset, targets
from legatum.core.records.rrtype import AAAA, CNAME, DNAME, MX, NS, TXT, A
from legatum.core.zones.difference import ForVisitors, belongs_to_provider
from legatum.core.zones.signer import OWN
from legatum.core.zones.zone import Zone

_NONSENSE = "legatum-no-such-name"
Question = tuple[Name, int]


class Form(StrEnum):
    """What sort of answer it is."""

    ANSWER = "answer"
    UNAUTHORITATIVE = "answer, not authoritative"
    NO_DATA = "no data"
    NO_NAME = "no such name"
    REFERRAL = "referral"
    ERROR = "error"
    SILENT = "no answer"


@dataclass(frozen=True, slots=True)
class Said:
    """What of an answer must be the same on every server: its form, in words (``outcome``), and the RRsets of the zone
    with their TTLs."""

    form: Form
    outcome: str
    rrsets: tuple[RRset, ...] = ()

    @property
    def records(self) -> frozenset[tuple[Name, int, tuple[bytes, ...]]]:
        """Without TTLs."""
        return frozenset((each.name, each.rtype, each.rdatas) for each in self.rrsets)

    @property
    def is_authoritative(self) -> bool:
        return self.form in (Form.ANSWER, Form.NO_DATA, Form.NO_NAME)


@dataclass(frozen=True, slots=True)
class AnswerDifference:
    """One question to which not all servers say the same. ``said``: what → the addresses that say it; ``varied``: how
    it differs from one time, or place, to the next, where it does."""

    name: Name
    rtype: int
    said: Mapping[Said, tuple[str, ...]]
    weight: ForVisitors
    varied: str = ""


@dataclass(frozen=True)
class Heard:
    """``answers``: question → address → what it said; ``old``, ``new``: the addresses of the two sides; ``followed``:
    what those say whom a referral leads to, for questions that one side answers and the other refers."""

    zone: Zone
    old: tuple[str, ...]
    new: tuple[str, ...]
    answers: Mapping[Question, Mapping[str, Said]]
    followed: Mapping[Question, tuple[Said, ...]] = field(default_factory=dict)

    def at_cuts(self) -> list[tuple[Question, tuple[Name, ...]]]:
        """Questions that are referred by some and answered by others, with the servers that the referrals name."""
        found = []
        for question, said in self.answers.items():
            referrals = [each for each in said.values() if each.form == Form.REFERRAL]
            if referrals and any(each.is_authoritative for each in said.values()):
                names = {
                    name for each in referrals for rrset in each.rrsets if rrset.rtype == NS for name in targets(rrset)
                }
                found.append((question, tuple(sorted(names))))
        return found


def questions_about(zone: Zone) -> list[Question]:
    """Every name and type of the zone; each name's common types that it lacks; names that must not exist; wildcards;
    empty names.

    What a signer makes is not asked for.
    """
    keys = sorted(key for key in zone.keys if key[1] not in OWN)
    asked = dict.fromkeys(keys)
    cuts = {name for name, rtype in keys if rtype == NS and name != zone.origin}
    for name in dict.fromkeys(name for name, _ in keys):
        asked.update(dict.fromkeys((name, rtype) for rtype in (A, AAAA, TXT, MX)))
        asked.update(dict.fromkeys((each, A) for each in ancestors(name) if is_under(each, zone.origin)))
        if name.startswith(b"\1*"):
            asked[below(_NONSENSE, Name(name[2:])), A] = None
    asked[below(_NONSENSE, zone.origin), A] = None
    asked[below("www", zone.origin), A] = None
    return [key for key in asked if not any(key[0] != cut and is_under(key[0], cut) for cut in cuts)]


class OfZone:
    """What of an answer a zone itself gives: an alias may lead anywhere, and one server knows more of that than
    another."""

    def __init__(self, zone: Zone) -> None:
        self.origin = zone.origin
        self._cuts = {each.name for each in zone.unsorted if each.rtype == NS and each.name != zone.origin}

    def __call__(self, rrsets: Iterable[RRset]) -> tuple[RRset, ...]:
        """Sorted. Aliases that a DNAME gives rise to (RFC 6672 s3.1) have whatever TTL the server likes: the DNAME says
        all."""
        found = tuple(rrsets)
        made = [each.name for each in found if each.rtype == DNAME]
        return tuple(
            sorted(
                each
                for each in found
                if self._owns(each.name) and not (each.rtype == CNAME and _lies_below(each.name, made))
            )
        )

    def _owns(self, name: Name) -> bool:
        return is_under(name, self.origin) and self._cuts.isdisjoint(ancestors(name)[1:])


def _lies_below(name: Name, owners: Iterable[Name]) -> bool:
    return any(name != owner and is_under(name, owner) for owner in owners)


def answer_differences(heard: Heard) -> tuple[AnswerDifference, ...]:
    """The questions to which not all say the same, and what that means for visitors."""
    found = []
    for (name, rtype), said in heard.answers.items():
        grouped: dict[Said, list[str]] = {}
        for address, each in said.items():
            grouped.setdefault(each, []).append(address)
        untold = any(each.form in (Form.SILENT, Form.ERROR) for each in grouped)
        if len(grouped) > 1 or untold:
            listed = {each: tuple(where) for each, where in grouped.items()}
            found.append(AnswerDifference(name, rtype, listed, _weight(heard, (name, rtype), said)))
    return tuple(found)


def _weight(heard: Heard, question: Question, said: Mapping[str, Said]) -> ForVisitors:
    old = [said[address] for address in heard.old if address in said]
    new = [said[address] for address in heard.new if address in said]
    judged = [
        min((_beside(heard, question, one, other) for one in old), key=_RANK.index, default=ForVisitors.UNKNOWN)
        for other in new
    ]
    worst = max(judged, key=_RANK.index, default=ForVisitors.UNKNOWN)
    if worst in (ForVisitors.WORSE, ForVisitors.UNKNOWN):
        return worst
    if belongs_to_provider(heard.zone.origin, *question):
        return ForVisitors.OWN
    return ForVisitors.DISAGREES if len({each for each in old if each.form != Form.SILENT}) > 1 else worst


_RANK = [
    ForVisitors.OWN,
    ForVisitors.EQUAL,
    ForVisitors.BETTER,
    ForVisitors.DISAGREES,
    ForVisitors.UNKNOWN,
    ForVisitors.WORSE,
]
"""From best to worst; OWN stands for *the same* here."""


def _beside(heard: Heard, question: Question, old: Said, new: Said) -> ForVisitors:
    """What somebody gets from a new server who would have got ``old`` from an old one."""
    own = belongs_to_provider(heard.zone.origin, *question)
    if new.form == Form.SILENT or old.form == Form.SILENT or (new.form == Form.ERROR and old.form == Form.ERROR):
        return ForVisitors.UNKNOWN  # that both fail says nothing of what either will say
    if old == new or (own and new.is_authoritative):
        return ForVisitors.OWN
    if new.form == Form.ERROR:
        return ForVisitors.WORSE
    if old.form == Form.ERROR:
        return ForVisitors.BETTER
    if Form.REFERRAL in (old.form, new.form):
        return _at_cut(heard, question, old, new)
    if new.form == Form.UNAUTHORITATIVE:
        return ForVisitors.EQUAL if old.form == new.form and old.records == new.records else ForVisitors.WORSE
    if old.form == Form.UNAUTHORITATIVE:
        return ForVisitors.BETTER if old.records <= new.records else ForVisitors.WORSE
    return _authoritative(heard.zone, question, old, new)


def _authoritative(zone: Zone, question: Question, old: Said, new: Said) -> ForVisitors:
    if Form.ANSWER in (old.form, new.form):
        if old.form == new.form:
            same = old.records == new.records or _same_addresses(question, old, new)
            return ForVisitors.EQUAL if same and old.outcome == new.outcome else ForVisitors.WORSE
        nobody_made_it = question[0].startswith(bytes((len(_NONSENSE),)) + _NONSENSE.encode())
        return ForVisitors.BETTER if new.form == Form.ANSWER and not nobody_made_it else ForVisitors.WORSE
    below_it = any(each != question[0] and is_under(each, question[0]) for each in zone.names)
    if new.form == Form.NO_DATA:  # where the old side denies the name itself
        return ForVisitors.BETTER if below_it else ForVisitors.EQUAL
    # Some servers deny a name that only has names below it. Those are asked for by themselves, and nothing is lost with
    # an empty one; who denies a name that holds data may be believed for all of them.
    return ForVisitors.WORSE if zone.at(question[0]) else ForVisitors.EQUAL


def _same_addresses(question: Question, old: Said, new: Said) -> bool:
    """One follows an alias, and the other has the addresses that it leads to in its place."""
    if question[1] not in (A, AAAA):
        return False
    one, other = (
        {data for each in said.rrsets if each.rtype == question[1] for data in each.rdatas} for said in (old, new)
    )
    return one == other and bool(one)


def without_flattened(found: Sequence[AnswerDifference]) -> tuple[AnswerDifference, ...]:
    """An alias that is no longer there is no loss where its addresses are: nobody comes for the alias itself."""
    by_question = {(each.name, each.rtype): each for each in found}

    def instead(each: AnswerDifference) -> bool:
        beside = [by_question.get((each.name, rtype)) for rtype in (A, AAAA)]
        answered = [one for one in beside if one is not None]
        forms = {said.form for said in each.said}
        return each.rtype == CNAME and forms == {Form.ANSWER, Form.NO_DATA} and bool(answered) and not any(
            one.weight.refuses for one in answered
        )  # fmt: skip

    return tuple(replace(each, weight=ForVisitors.EQUAL) if instead(each) else each for each in found)


def _at_cut(heard: Heard, question: Question, old: Said, new: Said) -> ForVisitors:
    """One side has the zone below a cut too, and answers for it; or both refer."""
    if old.form == new.form:
        return ForVisitors.EQUAL if old.records == new.records else ForVisitors.WORSE
    referral, answer = (old, new) if old.form == Form.REFERRAL else (new, old)
    if question[1] == NS:
        return ForVisitors.EQUAL if _servers(referral.rrsets) == _servers(answer.rrsets) else ForVisitors.WORSE
    followed = [each for each in heard.followed.get(question, ()) if each.form != Form.SILENT]
    if not followed:
        return ForVisitors.UNKNOWN
    same = [each for each in followed if (each.form, each.records) == (answer.form, answer.records)]
    return ForVisitors.EQUAL if len(same) == len(followed) else ForVisitors.WORSE


def _servers(rrsets: Sequence[RRset]) -> set[bytes]:
    return {rdata for each in rrsets if each.rtype == NS for rdata in each.rdatas}


@dataclass(frozen=True)
class AnswersComparison:
    """Servers of both sides, by address → side, how many questions each was asked, and what they answered
    differently."""

    domain: Name
    sides: Mapping[str, str]
    questions: int
    differences: tuple[AnswerDifference, ...]

    @property
    def worse(self) -> tuple[AnswerDifference, ...]:
        """Those that visitors would suffer, and those of which it is not known."""
        return tuple(each for each in self.differences if each.weight.refuses)

    @property
    def told(self) -> str:
        """The others, counted, in words; empty where there are none."""
        counts = Counter(
            str(each.weight) for each in self.differences if not each.weight.refuses and each.weight != ForVisitors.OWN
        )
        return ", ".join(f"{count} {weight}" for weight, count in counts.items())
