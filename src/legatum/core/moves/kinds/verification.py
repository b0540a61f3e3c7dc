"""A text by which somebody else sees whose domain it is: beside what is there, until its day."""

from collections.abc import Iterator
from dataclasses import dataclass

from legatum.core.calendar.duration import rough_text
from legatum.core.moves.assembly import Phase, PlannedStep
from legatum.core.moves.effects import Answered, RRsetChange
from legatum.core.moves.needs import Lasted, OldDataExpired
from legatum.core.moves.plan_input import PlanInput
from legatum.core.moves.runbook import Step
from legatum.core.records.name import Name, name_text
from legatum.core.records.presentation import txt_rdata
from legatum.core.records.rrset import rrset
from legatum.core.records.rrtype import TXT
from legatum.core.running.fault import AlreadySo
from legatum.core.text.printable import clipped

_STEP = "verify"
_LONGEST = 40  # letters of a text in a title


@dataclass(frozen=True, slots=True)
class Verification:
    """``texts``: name and text of each; ``seconds``: for how long they are wanted, from when everybody has them."""

    texts: tuple[tuple[Name, str], ...]
    seconds: int


def verification_pieces(inputs: PlanInput, wish: Verification) -> Iterator[PlannedStep]:
    """Raises :class:`AlreadySo` where all of them are there."""
    zone, changes = inputs.contents, list[RRsetChange]()
    for name in dict.fromkeys(name for name, _ in wish.texts):
        present = zone.get(name, TXT)
        data = [
            *(present.rdatas if present is not None else ()),
            *(txt_rdata(text) for each, text in wish.texts if each == name),
        ]
        ttl = present.ttl if present is not None else zone.usual_ttl(name)
        after = rrset(name, TXT, ttl, dict.fromkeys(data))
        if present is None or not after.says_the_same(present):
            changes.append(RRsetChange(present, after))
    if not changes:
        raise AlreadySo(
            "these verification records are there already",
            f"`legatum survey {name_text(inputs.domain)} --leftovers` says whether they still are wanted",
        )
    names = ", ".join(name_text(each.key[0]) for each in changes)
    texts = ", ".join(
        f'"{clipped(text, _LONGEST)}"' for name, text in wish.texts if name in {each.key[0] for each in changes}
    )
    what = f"the verification {'record' if len(wish.texts) == 1 else 'records'} {texts}"
    for place in inputs.sides:
        yield PlannedStep(
            Phase.CHANGE,
            Step(
                _STEP,
                f"Put {what} beside what is there, at {names} at {place}",
                (inputs.records(place, inputs.domain, changes),),
                ("it is what was seen when drafting",),
                f"every server of {place} hands it out",
                "take it out again",
                estimate=10,
            ),
        )
    given = tuple(each.after for each in changes if each.after is not None)
    yield PlannedStep(Phase.CONFIRM, Step(
        "confirm-verify", f"Everybody is given {what} at {names}",
        (Answered(inputs.domain, tuple(inputs.sides), given),), (),
        "every server and every resolver gives it: have the other side look now", "take it out again",
    ), tuple(OldDataExpired(inputs.domain, each.key, negative=each.before is None) for each in changes))  # fmt: skip
    for place in inputs.sides[-1:]:
        yield PlannedStep(Phase.CLOSE, Step(
            "verified", f"Take {what} out again, at {names} at {place}",
            (inputs.records(place, inputs.domain, [each.reverse() for each in changes]),),
            (f"whoever asked for it has looked: it was wanted for {rough_text(wish.seconds)}",),
            f"every server of {place} gives what was there before", "put it in again", estimate=10,
        ), (Lasted(_STEP, wish.seconds),))  # fmt: skip
