"""Where each domain of a fleet move stands: as files and journal say, and as it is led on."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from enum import StrEnum

from legatum.core.moves.retreat.draft import BACK
from legatum.core.moves.standing import Standing, State
from legatum.core.records.name import Name, file_name, name_text
from legatum.core.running.fault import GateShut
from legatum.journal.occupation import Occupied
from legatum.work.fleet.campaign import Campaign
from legatum.work.fleet.undrawn import Undrawn, undrawn_of
from legatum.work.house import look_at_house
from legatum.work.run_context import RunContext


class Stage(StrEnum):
    """What the matter is with a domain of a fleet move."""

    WAITING = "not begun"
    UNDER_WAY = "under way"
    HOLDING = "holds"
    PERSON = "waits for a person"
    ELSEWHERE = "somebody else is at it"
    TROUBLE = "in trouble"
    BACKING = "being taken back"
    BACK = "taken back"
    DONE = "complete"
    LEFT_OUT = "left out"


ENDED = (Stage.DONE, Stage.LEFT_OUT)


@dataclass(frozen=True, slots=True)
class Course:
    """``step`` of ``steps``, with its ``title``; ``until`` when it holds, and ``because``, or why it is in trouble,
    with a ``remedy``; ``ends``: when its move is over if every step is done when it is due, None where that is not
    known; ``status``: of trouble, as the program's."""

    domain: Name
    stage: Stage = Stage.WAITING
    step: str = ""
    title: str = ""
    done: int = 0
    steps: int = 0
    until: float | None = None
    because: str = ""
    remedy: str = ""
    ends: float | None = None
    status: int = 0


_STAGES = {
    State.TROUBLE: Stage.TROUBLE,
    State.PERSON: Stage.PERSON,
    State.READY: Stage.UNDER_WAY,
    State.HOLDING: Stage.HOLDING,
    State.DRAFTED: Stage.WAITING,
    State.OVER: Stage.DONE,
}


def courses_of(context: RunContext, campaign: Campaign, owns: Callable[[Name, str], bool]) -> dict[Name, Course]:
    """By files and journal alone. A move that was over before the fleet move began is none of it, nor is one of another
    wish: ``owns`` says of a domain and a move's wish in words whether that is this fleet move's."""
    house = look_at_house(context)
    found = {each.domain: each for each in house.standings}
    broken, undrawn = dict(house.broken), undrawn_of(context.journal, campaign)
    courses = {}
    for domain in campaign.domains:
        if domain in campaign.left_out:
            courses[domain] = Course(domain, Stage.LEFT_OUT)
        elif (why := broken.get(f"{file_name(domain)}.move.toml")) is not None:
            courses[domain] = Course(domain, Stage.TROUBLE, because=why, remedy="mend or delete the file", status=2)
        else:
            courses[domain] = _course(domain, found.get(domain), undrawn.get(domain), campaign.began, owns)
    for domain, course in courses.items():
        if course.stage == Stage.TROUBLE and _is_worked_on(context, domain):
            courses[domain] = replace(
                course, stage=Stage.ELSEWHERE, because="a step is being done just now", remedy="", status=0
            )
    return courses


def to_look_at_again(courses: Mapping[Name, Course]) -> dict[Name, Course]:
    """For whoever goes on: what was as wished without a move of this fleet move's may be otherwise by now."""
    return {
        domain: Course(domain) if course.stage == Stage.DONE and not course.steps else course
        for domain, course in courses.items()
    }


def _is_worked_on(context: RunContext, domain: Name) -> bool:
    try:
        with context.journal.occupied([domain], context.clock.now()):
            return False
    except Occupied:
        return True


def _course(
    domain: Name, standing: Standing | None, undrawn: Undrawn | None, began: float, owns: Callable[[Name, str], bool]
) -> Course:  # fmt: skip
    own = standing is not None and owns(domain, standing.wish.removeprefix(BACK))
    if standing is None or (standing.state == State.OVER and (standing.at < began or not own)):
        return _without(domain, undrawn)
    if not own:
        if not standing.begun:
            return _without(domain, undrawn)
        way = f"`legatum move status {name_text(domain)}` says how far it is; let it come to its end, or take it back"
        return Course(
            domain,
            Stage.TROUBLE,
            because=f"another move is under way: {standing.wish}",
            remedy=way,
            status=GateShut.status,
        )
    stage = _STAGES[standing.state]
    if standing.back:
        stage = Stage.BACK if stage == Stage.DONE else Stage.BACKING
    trouble = standing.trouble
    remedy = "`legatum move status DOMAIN` says where it stands" if trouble or stage == Stage.PERSON else ""
    return Course(
        domain,
        stage,
        standing.step,
        standing.title,
        standing.done,
        standing.steps,
        standing.not_before,
        standing.because or trouble,
        remedy,
        standing.ends,
        3 if trouble else 0,
    )


def _without(domain: Name, undrawn: Undrawn | None) -> Course:
    """There is no move of the fleet move's own for it."""
    if undrawn is None:
        return Course(domain)
    if undrawn.so:
        return Course(domain, Stage.DONE, because=undrawn.why)
    return Course(domain, Stage.TROUBLE, because=undrawn.why, remedy=undrawn.remedy, status=GateShut.status)
