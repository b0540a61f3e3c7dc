"""A wave carried out: many moves side by side, each as far as it may go, taken up again when its hold is over.

Nobody waits for a hold: a domain that holds gives its place to another one. When trouble stops the wave, or somebody
pauses it, no step is begun any more; between two steps every move is safe for as long as it may take.
"""

import asyncio
import heapq
import time
from collections.abc import Awaitable, Callable, Iterable, Mapping
from contextlib import suppress
from dataclasses import dataclass, field, replace
from pathlib import Path

from legatum.core.house.waves import Tolerance
from legatum.core.moves.runbook import Runbook, Step, forecast, next_step
from legatum.core.moves.standing import changed_at
from legatum.core.records.name import Name
from legatum.core.running.fault import AlreadySo, Fault, GateShut
from legatum.journal.occupation import Occupied
from legatum.services.registrar import ByHand
from legatum.work.fleet.campaign import Campaign, is_paused
from legatum.work.fleet.courses import ENDED, Course, Stage
from legatum.work.fleet.undrawn import note_undrawn
from legatum.work.movefile import move_path, retreat_path
from legatum.work.moves.advance import AdvanceOptions, AdvanceResult, Halt, advance
from legatum.work.moves.retreat import open_retreat, refuse_while_retreating
from legatum.work.recall import open_move
from legatum.work.run_context import RunContext

_LOOK = 0.5  # seconds between two looks at whether a hold is over, while others are worked on
_SHARED = 3.0  # seconds between two looks at what is shared with other machines
_ELSEWHERE = 60.0  # seconds until it is tried again to work on what somebody else worked on


class Turns:
    """So many changes a minute at each provider and registrar; whoever wants to make one waits for his turn."""

    def __init__(self, a_minute: Mapping[str, int]) -> None:
        self._every = {name: 60 / count for name, count in a_minute.items() if count > 0}
        self._free: dict[str, float] = {}

    async def take(self, places: Iterable[str]) -> None:
        now = asyncio.get_running_loop().time()
        begins = now
        limited = [each for each in places if each in self._every]
        for each in limited:
            begins = max(begins, self._free.get(each, now))
        for each in limited:
            self._free[each] = begins + self._every[each]
        if begins > now:
            await asyncio.sleep(begins - now)


@dataclass
class Carrier:
    """``draft``: a move of a domain, as it was drafted before or is drafted now; ``owns``: whether a wish in words is
    this fleet move's; ``ways``: how to carry one out; ``told``: of every change of a domain's course; ``wait``: until
    everything is over. ``stopped``: why no step is begun any more, empty while all is well."""

    context: RunContext
    campaign: Campaign
    courses: dict[Name, Course]
    draft: Callable[[Name], Awaitable[tuple[Runbook, Path]]]
    owns: Callable[[Name, str], bool]
    ways: Callable[[Runbook, Path], AdvanceOptions]
    told: Callable[[Course], None]
    turns: Turns
    tolerance: Tolerance
    at_once: int
    wait: bool
    stopped: str = ""
    _mark: int = field(default=0)
    _looked: float = field(default=0.0)
    _wave: tuple[Name, ...] = field(default=())

    async def carry_out(self, wave: tuple[Name, ...]) -> None:
        """Every domain of a wave that has not ended, as far as it may."""
        await self._go(wave, [each for each in wave if self.courses[each].stage not in ENDED], self._forward)

    async def take_back(self, wave: tuple[Name, ...]) -> None:
        """Everything that moves of a wave have done. Trouble with one holds up none of the others."""
        self.tolerance = Tolerance(len(wave) + 1)
        begun = [each for each in wave if self.courses[each].stage not in (Stage.WAITING, Stage.LEFT_OUT, Stage.BACK)]
        begun = [
            each for each in begun if move_path(self.context, each).exists()
        ]  # not what was as wished, or could not be drawn
        await self._go(wave, begun, self._back)

    async def _go(self, wave: tuple[Name, ...], domains: list[Name], work: Callable[[Name], Awaitable[Course]]) -> None:
        self._mark, self._wave = self._written(), wave
        for domain in domains:
            if self.courses[domain].stage == Stage.TROUBLE:  # of an earlier run: it is tried again
                self.courses[domain] = replace(
                    self.courses[domain], stage=Stage.UNDER_WAY, because="", remedy="", status=0
                )
        due = [(0.0, number, domain) for number, domain in enumerate(domains)]
        heapq.heapify(due)
        active: dict[asyncio.Task[Course], int] = {}
        try:
            while due or active:
                self._check()
                now = self.context.clock.now()
                while due and not self.stopped and len(active) < self.at_once and due[0][0] <= now:
                    _, number, domain = heapq.heappop(due)
                    active[asyncio.create_task(self._one(domain, work))] = number
                if active:
                    done, _ = await asyncio.wait(active, timeout=_LOOK, return_when=asyncio.FIRST_COMPLETED)
                    for each in done:
                        number = active.pop(each)
                        again = self._again(each.result())
                        if again is not None:
                            heapq.heappush(due, (again, number, each.result().domain))
                elif self.stopped or not self.wait:
                    break
                else:
                    await self._until(due[0][0])
        finally:
            for each in active:
                each.cancel()
            await asyncio.gather(*active, return_exceptions=True)

    async def _until(self, instant: float) -> None:
        """A pause is noticed on the way."""
        clock = self.context.clock
        passing = asyncio.create_task(clock.until(instant))
        try:
            while not passing.done() and not self._check():
                await asyncio.wait([passing], timeout=_LOOK)
        finally:
            passing.cancel()
            with suppress(asyncio.CancelledError):
                await passing

    def _again(self, course: Course) -> float | None:
        """When to go on with it; None for not in this run."""
        if not self.wait:
            return None
        if course.stage == Stage.HOLDING or (course.stage == Stage.BACKING and course.until is not None):
            return course.until
        return self.context.clock.now() + _ELSEWHERE if course.stage == Stage.ELSEWHERE else None

    def _check(self) -> str:
        """Why no step may be begun any more, if that is so."""
        if time.monotonic() - self._looked > _SHARED:  # somebody on another machine may have paused it
            self._looked = time.monotonic()
            self.context.journal.bring(stem=self.campaign.stem)
        if not self.stopped and self._mark != (written := self._written()):
            self._mark = written
            if is_paused(self.campaign):
                self.stopped = "it was paused"
        troubled = [each for each in self._wave if self.courses[each].stage == Stage.TROUBLE]
        if not self.stopped and self.tolerance.is_used_up(len(troubled), len(self._wave)):
            self.stopped = f"{len(troubled)} of {len(self._wave)} in trouble"
        return self.stopped

    def _written(self) -> int:
        try:
            return self.campaign.path.stat().st_mtime_ns
        except OSError:
            return 0

    async def _one(self, domain: Name, work: Callable[[Name], Awaitable[Course]]) -> Course:
        before = self.courses[domain]
        try:
            with self.context.journal.occupied([domain], self.context.clock.now()):
                return self._is(await work(domain))
        except Occupied as fault:
            return self._is(replace(before, stage=Stage.ELSEWHERE, because=fault.message, remedy=fault.remedy))
        except AlreadySo as fault:
            return self._is(replace(before, stage=Stage.DONE, because=fault.message))
        except ByHand as fault:
            return self._is(
                replace(self.courses[domain], stage=Stage.PERSON, because=fault.message, remedy=fault.remedy)
            )
        except Fault as fault:
            course = replace(
                self.courses[domain],
                stage=Stage.TROUBLE,
                because=fault.message,
                remedy=fault.remedy,
                status=fault.status,
            )
            return self._is(course)

    async def _forward(self, domain: Name) -> Course:
        self._is(replace(self.courses[domain], stage=Stage.UNDER_WAY, because="", remedy="", until=None))
        runbook, path = await self._drawn(domain)
        refuse_while_retreating(runbook, path)
        return await self._led(runbook, path)

    async def _drawn(self, domain: Name) -> tuple[Runbook, Path]:
        try:
            return await self.draft(domain)
        except Fault as fault:
            note_undrawn(
                self.context.journal,
                self.campaign,
                domain,
                fault,
                isinstance(fault, AlreadySo),
                self.context.clock.now(),
            )
            raise

    async def _back(self, domain: Name) -> Course:
        self._is(replace(self.courses[domain], stage=Stage.BACKING, because="", remedy="", until=None))
        path = move_path(self.context, domain)
        move = open_move(self.context, path)
        if not self.owns(domain, move.wish):
            raise GateShut(
                f"{path}: another move than this one's: {move.wish}",
                "it is left as it is; take it back by itself, if that is meant",
            )
        if not retreat_path(path).exists() and not any(
            step.id in self.context.journal.begun(move.id) for step in move.steps if step.changes
        ):
            path.unlink()
            return Course(domain)
        retreat, there = open_retreat(move, path, self.context.journal, self.context.clock.now())
        return await self._led(retreat, there)

    async def _led(self, runbook: Runbook, path: Path) -> Course:
        journal, now = self.context.journal, self.context.clock.now

        async def admit(step: Step) -> bool:
            if step.changes:
                await self.turns.take(changed_at(step))
            self._is(replace(self._at(runbook, step), stage=Stage.BACKING if runbook.retreating else Stage.UNDER_WAY))
            return not self._check()

        slots = list(forecast(runbook, journal.outcomes(runbook.id), now()))
        self._is(
            replace(
                self._at(runbook, next_step(runbook, journal.outcomes(runbook.id))),
                ends=slots[-1].ends if slots else now(),
            )
        )
        halted = await advance(self.context, runbook, path, journal, replace(self.ways(runbook, path), admit=admit))
        step = next_step(runbook, journal.outcomes(runbook.id))
        slots = list(forecast(runbook, journal.outcomes(runbook.id), now()))
        return replace(
            _stood(self._at(runbook, step), halted, runbook.retreating), ends=slots[-1].ends if slots else now()
        )

    def _at(self, runbook: Runbook, step: Step | None) -> Course:
        number = [each.id for each in runbook.steps].index(step.id) if step is not None else len(runbook.steps)
        ident, title = (step.id, step.title) if step is not None else ("", "")
        return replace(
            self.courses[runbook.domain], step=ident, title=title, done=number, steps=len(runbook.steps), until=None
        )

    def _is(self, course: Course) -> Course:
        if course != self.courses[course.domain]:
            self.courses[course.domain] = course
            self.told(course)
            self._check()
        return course


def _stood(course: Course, halted: AdvanceResult, back: bool) -> Course:
    """Where a move halted."""
    if halted.halt == Halt.COMPLETE:
        return replace(course, stage=Stage.BACK if back else Stage.DONE, because="", remedy="")
    if halted.halt == Halt.HOLDING and halted.bound is not None:
        stage = Stage.BACKING if back else Stage.HOLDING
        return replace(course, stage=stage, until=halted.bound.instant, because=halted.bound.reason)
    if halted.halt == Halt.REFUSED:
        reason, remedy = halted.reasons[0]
        more = f", and {len(halted.reasons) - 1} more" if halted.reasons[1:] else ""
        return replace(
            course,
            stage=Stage.TROUBLE,
            because=f"{course.title}: {reason}{more}",
            remedy=remedy,
            status=GateShut.status,
        )
    forward = Stage.UNDER_WAY if course.done else Stage.WAITING  # no step was begun after all
    return replace(course, stage=Stage.BACKING if back else forward)
