"""A fleet move: how far each wave and each customer's domains have come, what stands in the way, and what is next."""

from collections import Counter
from collections.abc import Mapping, Sequence

from legatum.core.calendar.instant import instant_text
from legatum.core.records.name import Name, name_text
from legatum.views.document import Document, Part
from legatum.views.screen import BAD, DOUBT, GOOD, QUIET, Screen
from legatum.work.fleet.campaign import Campaign
from legatum.work.fleet.courses import ENDED, Course, Stage

STYLES = {
    Stage.DONE: GOOD,
    Stage.BACK: DOUBT,
    Stage.BACKING: DOUBT,
    Stage.TROUBLE: BAD,
    Stage.PERSON: DOUBT,
    Stage.ELSEWHERE: DOUBT,
    Stage.WAITING: QUIET,
    Stage.LEFT_OUT: QUIET,
}
_SHOWN = 20


class CoursePart(Document, tag="legatum.fleet-move-line/1"):
    """A domain: its ``state``, the next step (``done`` of ``steps`` are behind it), ``until`` when it holds,
    ``because`` of what, or what the trouble is, and a remedy; ``ends``: when its move is over if every step is done
    when it is due."""

    domain: str
    wave: int
    customer: str
    state: str
    step: str
    title: str
    done: int
    steps: int
    until: str | None
    because: str
    remedy: str
    ends: str | None


class WavePart(Part):
    """``states``: domains by state; ``ends``: when the last of its moves is over if every step is done when it is due,
    of those that are known."""

    number: int
    domains: int
    states: dict[str, int]
    ends: str | None


class CustomerPart(Part):
    customer: str
    domains: int
    states: dict[str, int]


class FleetMoveDocument(Document, tag="legatum.fleet-move/1"):
    """``stopped``: why no step is begun any more, empty where none has to be; ``next_at``: when the first hold is over;
    ``attention``: domains that need somebody; ``shown``: nothing was begun, it was only looked at; ``unused``: columns
    of the list that say nothing of a move; ``unmoved``: domains that are left out, or were as wished without a move."""

    listing: str
    wish: str
    at: str
    waves: list[WavePart]
    customers: list[CustomerPart]
    attention: list[CoursePart]
    stopped: str
    next_at: str | None
    shown: bool = False
    unused: list[str] = []
    unmoved: int = 0


def course_part(course: Course, campaign: Campaign) -> CoursePart:
    number = next(number for number, wave in enumerate(campaign.waves, 1) if course.domain in wave)
    return CoursePart(
        domain=name_text(course.domain),
        wave=number,
        customer=campaign.customers.get(course.domain, ""),
        state=str(course.stage),
        step=course.step,
        title=course.title,
        done=course.done,
        steps=course.steps,
        until=None if course.until is None else instant_text(course.until),
        because=course.because,
        remedy=course.remedy.replace("DOMAIN", name_text(course.domain)),
        ends=None if course.ends is None else instant_text(course.ends),
    )


def fleet_move_document(
    campaign: Campaign, courses: Mapping[Name, Course], listing: str, now: float, stopped: str, shown: bool = False,
    unused: Sequence[str] = (),
) -> FleetMoveDocument:  # fmt: skip
    holds = [
        each.until
        for each in courses.values()
        if each.until is not None and each.stage in (Stage.HOLDING, Stage.BACKING)
    ]
    attention = [each for each in courses.values() if each.stage in (Stage.TROUBLE, Stage.PERSON, Stage.ELSEWHERE)]
    return FleetMoveDocument(
        listing=listing,
        wish=", ".join(f"--{name} {_value(value)}".strip() for name, value in campaign.wish.items()),
        at=instant_text(now),
        waves=[_wave(number, [courses[each] for each in wave]) for number, wave in enumerate(campaign.waves, 1)],
        customers=_customers(campaign, courses),
        attention=[
            course_part(each, campaign) for each in sorted(attention, key=lambda each: each.stage != Stage.TROUBLE)
        ],
        stopped=stopped,
        next_at=instant_text(min(holds)) if holds else None,
        shown=shown,
        unused=list(unused),
        unmoved=sum(each.stage in ENDED and not each.steps for each in courses.values()),
    )


def _wave(number: int, courses: Sequence[Course]) -> WavePart:
    ends = [each.ends for each in courses if each.ends is not None and each.stage != Stage.LEFT_OUT]
    return WavePart(
        number=number, domains=len(courses), states=states_of(courses), ends=instant_text(max(ends)) if ends else None
    )


def _customers(campaign: Campaign, courses: Mapping[Name, Course]) -> list[CustomerPart]:
    """Where the list says whose domains they are."""
    found: dict[str, list[Course]] = {}
    for domain in campaign.domains:
        found.setdefault(campaign.customers.get(domain, ""), []).append(courses[domain])
    named = any(found.keys() - {""})
    return (
        [CustomerPart(customer=name, domains=len(its), states=states_of(its)) for name, its in found.items()]
        if named
        else []
    )


def _value(value: object) -> str:
    return "" if value is True else " ".join(map(str, value)) if isinstance(value, list) else str(value)


def counted(domains: int) -> str:
    return f"{domains:,} domain{'' if domains == 1 else 's'}"


def states_of(courses: Sequence[Course]) -> dict[str, int]:
    """How many are in which state, in the order of the states."""
    found = Counter(each.stage for each in courses)
    return {str(stage): found[stage] for stage in Stage if found[stage]}


def show_course(part: CoursePart, screen: Screen) -> None:
    """A line, where there is no terminal to draw on."""
    text = f"wave {part.wave}: {part.domain}: {part.state}"
    if part.state in (Stage.HOLDING, Stage.BACKING) and part.until:
        text += f" until {part.until}, before step {part.done + 1} of {part.steps} ({part.title}): {part.because}"
    elif part.because:
        text += f": {part.because}"
    elif part.title:
        text += f": {part.done + 1} of {part.steps}, {part.title}"
    screen.line(text, STYLES.get(Stage(part.state), ""), indent=4)


def show_fleet_move(document: FleetMoveDocument, screen: Screen) -> None:
    states = Counter[str]()
    for each in document.waves:
        states.update(each.states)
    count = len(document.waves)
    whole = (
        f"{document.listing}: {counted(sum(states.values()))} in {count} "
        f"{'wave' if count == 1 else 'waves'}: {_said(states)}"
    )
    text = f"stopped: {document.stopped}; {whole}" if document.stopped else whole
    screen.verdict(not (states[Stage.TROUBLE] or document.stopped), text, _next(document, states))
    screen.line()
    rows = [(each.number, each.domains, _said(each.states), each.ends or "-") for each in document.waves]
    screen.table(("wave", "domains", "state", "over by, if every step is done when it is due"), rows)
    if document.attention:
        screen.heading("Needs somebody")
    for part in document.attention[:_SHOWN]:
        screen.line(f"{part.domain}: {part.state}: {part.because}", STYLES.get(Stage(part.state), ""), indent=4)
        if part.remedy:
            screen.line(f"    {part.remedy}", indent=4)
    if document.attention[_SHOWN:]:
        screen.line(f"and {len(document.attention) - _SHOWN} more, all of them with --json", QUIET)
    if document.customers:
        screen.heading("Customers")
        of = [(each.customer or "(none)", each.domains, _said(each.states)) for each in document.customers]
        screen.table(("customer", "domains", "state"), of)
    if document.unused:
        screen.line(f"Columns that say nothing of a move: {', '.join(document.unused)}", QUIET)


def _said(states: Mapping[str, int]) -> str:
    return ", ".join(f"{states[stage]} {stage}" for stage in Stage if states.get(stage))


def _next(document: FleetMoveDocument, states: Mapping[str, int]) -> str:
    troubled = states.get(Stage.TROUBLE, 0)
    if document.shown:
        before = "mend what is wrong, or pass it over with --leave-out DOMAIN; " if troubled else ""
        return f"{before}without --dry-run it is done"
    if troubled and (document.stopped or document.next_at is None):
        ways = "--leave-out DOMAIN passes one over, --take-back WAVE takes a wave back"
        return f"mend what is wrong, then the same command with --resume; {ways}"
    if states.get(Stage.PERSON, 0):
        return "do what waits for a person, then the same command with --resume"
    if document.stopped:
        return "the same command with --resume goes on"
    if document.next_at is not None:
        return f"the same command with --resume from {document.next_at} on (--wait stays)"
    ended = states.get(Stage.DONE, 0) + states.get(Stage.LEFT_OUT, 0)
    if ended == sum(states.values()):
        if document.unmoved:
            return f"a last look at all of them: `legatum fleet confirm {document.listing}`"
        return f"a last look at all of them: `legatum fleet confirm {document.listing} --move`"
    if states.get(Stage.BACK, 0):
        return "mend what was wrong; the same command with --resume draws what was taken back anew"
    return "the same command with --resume goes on"
