"""Many domains: looked at side by side, each in few questions, results as they come; what they share is asked once."""

import asyncio
import time
from collections.abc import AsyncGenerator, AsyncIterator, Callable, Iterable, Iterator
from contextlib import aclosing, contextmanager
from dataclasses import dataclass, replace
from functools import cached_property

from legatum.core.agreement.expected import Expected
from legatum.core.agreement.verdict import Verdict, agreement
from legatum.core.findings import Finding, judge
from legatum.core.observation.observation import HostView, Observation
from legatum.core.records.name import Name
from legatum.core.running.fault import Fault
from legatum.net.asking.pace import Pace
from legatum.net.asking.walk import Walker
from legatum.net.keeping.evidence import Evidence
from legatum.work.look.asking.depth import BRIEF, Depth
from legatum.work.look.asking.wanted import Wanted
from legatum.work.look.look import Look
from legatum.work.look.reach import lacks_reach
from legatum.work.run_context import RunContext
from legatum.work.verdicts.confirm import ask_records
from legatum.work.verdicts.survey import unheard

WANTED = Wanted(resolvers=False, rdap=False)


@dataclass(frozen=True, slots=True)
class Result:
    """One domain of the list. ``failed``: why nothing can be said; else the observation and what to think of it.
    ``took`` in seconds."""

    domain: Name
    observation: Observation | None = None
    findings: tuple[Finding, ...] = ()
    verdict: Verdict | None = None
    failed: str = ""
    took: float = 0.0


@dataclass
class Fleet:
    """``at_once``: domains looked at side by side. ``expected``: confirm that, instead of surveying. ``depth``: how
    much is asked; ``judging``: whether it is judged."""

    context: RunContext
    at_once: int = 64
    expected: Callable[[Name], Expected] | None = None
    depth: Depth = BRIEF
    judging: bool = True

    @cached_property
    def walker(self) -> Walker:
        """What domains share is asked once."""
        return self.context.walker()

    @cached_property
    def met(self) -> dict[Name, HostView]:
        """Name servers that many of them have."""
        return {}

    @cached_property
    def pace(self) -> Pace:
        return Pace(self.context.settings.network.rate)

    def afresh(self) -> "Fleet":
        """One that has learned nothing yet, at the same pace."""
        found = replace(self)
        found.pace = self.pace
        return found

    async def results(self, domains: AsyncIterator[Name]) -> AsyncGenerator[Result, None]:
        """A result for each entry of the list, in the order in which they come. The list is read as it is worked
        off."""
        later: list[Name] = []
        with self.paced():
            async with aclosing(self._pass(self.walker, domains)) as first:
                async for result in first:
                    if self._doubtful(result):
                        later.append(result.domain)
                    else:
                        yield result
            # From some servers of these no answer came at all: before that is called an error they are asked once more,
            # at the end.
            async with aclosing(self._pass(self.walker, each_of(later))) as second:
                async for result in second:
                    yield result

    @contextmanager
    def paced(self) -> Iterator[None]:
        """Within it no server is asked faster than it is set. It may be entered again, inside."""
        asker = self.context.asker
        before, asker.pace = asker.pace, self.pace  # whoever is inside already goes on so
        try:
            yield
        finally:
            asker.pace = before

    def _doubtful(self, result: Result) -> bool:
        """Some server was silent of which it is not known from others that it is dead."""
        observation = result.observation
        if observation is None:
            return True
        return any(not self.pace.is_given_up(unheard) for unheard in observation.unheard)

    async def _pass(self, walker: Walker, domains: AsyncIterator[Name]) -> AsyncGenerator[Result, None]:
        """Once through a list."""
        done: asyncio.Queue[Result | None] = asyncio.Queue(maxsize=self.at_once)
        turn = asyncio.Lock()
        workers = [asyncio.create_task(self._work(walker, domains, turn, done)) for _ in range(self.at_once)]
        try:
            left = len(workers)
            while left:
                result = await done.get()
                if result is None:
                    left -= 1
                else:
                    yield result
            await asyncio.gather(*workers)  # whatever went wrong in one of them comes out here
        finally:
            for worker in workers:
                worker.cancel()
            await asyncio.gather(*workers, return_exceptions=True)

    async def _work(
        self, walker: Walker, domains: AsyncIterator[Name], turn: asyncio.Lock, done: "asyncio.Queue[Result | None]"
    ) -> None:
        try:
            while True:
                async with turn:
                    domain = await anext(domains, None)
                if domain is None:
                    break
                await done.put(await self._one(walker, domain))
        finally:
            await done.put(None)

    async def _one(self, walker: Walker, domain: Name) -> Result:
        began = time.monotonic()
        try:
            observation = await self._look(walker, domain)
            if self.expected is None:
                return Result(
                    domain, observation, judge(observation) if self.judging else (), took=time.monotonic() - began
                )
            expected = self.expected(domain)
            records = await ask_records(self.context, observation, expected.records, resolvers=False)
            return Result(
                domain, observation, (), agreement(observation, expected, records), took=time.monotonic() - began
            )
        except Fault as fault:
            return Result(domain, failed=fault.message, took=time.monotonic() - began)

    async def _look(self, walker: Walker, domain: Name) -> Observation:
        cut, known = await walker.delegation_of(domain)
        observation = await Look(
            self.context, domain, Evidence(), walker, cut, known, self.depth, self.met
        ).observation(WANTED)
        if await lacks_reach(self.context, observation):
            return await self._look(self.context.walker(), domain)
        if not any(view.answered for view in observation.parents):
            raise unheard(observation)
        return observation


async def each_of(domains: Iterable[Name]) -> AsyncIterator[Name]:
    for domain in domains:
        yield domain
