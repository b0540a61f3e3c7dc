"""Who sees what from where, for people and programs."""

from collections.abc import Callable
from typing import TYPE_CHECKING, Protocol, TypeVar

from msgspec import structs

from legatum.core.observation.unseen import ELSEWHERE
from legatum.views.document import Part
from legatum.views.screen import BAD, DOUBT, GOOD, QUIET, Screen

if TYPE_CHECKING:
    from legatum.core.house.everywhere import Difference, Everywhere

_MOST = 30


class Judged(Protocol):
    """A document with a verdict, what to do next, and what that does not speak of."""

    verdict: str
    next: str
    not_looked_at: list[str]


_D = TypeVar("_D", bound=Judged)


class PlacePart(Part):
    """``good``: None where nothing is known from there; ``doubts``: about what the worker gives."""

    place: str
    good: bool | None
    verdict: str
    doubts: str = ""


class DifferentPart(Part):
    """``said``: what was seen → the places from where."""

    subject: str
    kind: str
    fault: bool
    said: dict[str, list[str]]


class EverywherePart(Part):
    """The same look from several networks. ``good``: as it should be from all of them, and nothing differs that ought
    not to."""

    good: bool
    places: list[PlacePart]
    differences: list[DifferentPart]


def everywhere_part(found: "Everywhere") -> EverywherePart:
    seen = [
        PlacePart(place=place, good=good, verdict=text, doubts=found.doubts.get(place, ""))
        for place, (good, text) in found.places.items()
    ]
    unseen = [PlacePart(place=place, good=None, verdict=why) for place, why in found.failed.items()]
    return EverywherePart(
        good=found.good, places=[*seen, *unseen], differences=list(map(_different, found.differences))
    )


def _different(each: "Difference") -> DifferentPart:
    said = {said: list(places) for said, places in each.said.items()}
    return DifferentPart(subject=each.subject, kind=str(each.kind), fault=each.is_fault, said=said)


def with_everywhere(document: _D, found: "Everywhere") -> _D:
    """A document that has a verdict and says what was not looked at, with this beside what was seen from here."""
    part, left = everywhere_part(found), [each for each in document.not_looked_at if each != ELSEWHERE]
    verdict = f"{document.verdict}. Not so from everywhere: {found.text}" if found.text else document.verdict
    following = document.next or ("see below who sees it how, and look at the way there" if found.text else "")
    replaced: Callable[..., _D] = structs.replace
    return replaced(document, everywhere=part, verdict=verdict, next=following, not_looked_at=left)


def show_everywhere(part: EverywherePart, screen: Screen) -> None:
    """After what was seen from here."""
    screen.heading(f"From {len(part.places)} places")
    styles = [DOUBT if each.good is None or each.doubts else GOOD if each.good else BAD for each in part.places]
    rows = [
        (each.place, f"not known: {each.verdict}" if each.good is None else each.verdict, each.doubts)
        for each in part.places
    ]
    doubts = any(each.doubts for each in part.places)
    screen.table(
        ("from", "verdict", "doubts") if doubts else ("from", "verdict"),
        rows if doubts else [row[:2] for row in rows],
        styles,
    )
    if not part.differences:
        unknown = any(each.good is None for each in part.places)
        screen.line("Those that could look see the same." if unknown else "All of them see the same.", QUIET)
        return
    screen.heading("Not seen alike from everywhere")
    differing, shown = [], []
    for each in part.differences[:_MOST]:
        for number, (said, places) in enumerate(each.said.items()):
            differing.append(("" if number else each.subject, "" if number else each.kind, said, ", ".join(places)))
            shown.append(BAD if each.fault else DOUBT)
    screen.table(("what", "", "says", "from"), differing, shown)
    if part.differences[_MOST:]:
        screen.line(f"and {len(part.differences) - _MOST} more, all of them with --json", QUIET)
