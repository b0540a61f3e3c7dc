"""Simulated visitors: at regular instants of the world's clock every resolver is asked for a customer's names.

What they see is the measure of a move: a failure or a wrong answer here is a customer's shop that was down.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from legatum.core.records.name import Name, name_text
from legatum.core.records.presentation import rdata_texts
from legatum.core.records.rrtype import type_text
from legatum.net.asking.asker import Asker
from legatum.practice.clock import WorldClock


@dataclass(frozen=True, slots=True)
class Visited:
    """What one visitor saw: ``text`` is the answer's data, or why there was none."""

    at: float
    resolver: str
    name: str
    type: str
    good: bool
    text: str


class Visitors:
    """``resolvers``: name → address."""

    def __init__(self, clock: WorldClock, asker: Asker, resolvers: Mapping[str, str]) -> None:
        self._clock = clock
        self._asker = asker
        self._resolvers = resolvers
        self._questions: tuple[tuple[Name, int], ...] = ()
        self._every = 0.0
        self.seen: list[Visited] = []

    def begin(self, questions: Iterable[tuple[Name, int]], every: float) -> None:
        """Visits start now and come back ``every`` so many seconds until :meth:`end`."""
        self._questions, self._every = tuple(questions), every
        self._clock.at(self._clock.now(), self._visit)

    def end(self) -> None:
        self._questions = ()

    async def _visit(self) -> None:
        if not self._questions:
            return
        for resolver, address in self._resolvers.items():
            for name, rtype in self._questions:
                reply = await self._asker.ask(address, name, rtype, recursion=True)
                found = next((each for each in reply.answer if each.rtype == rtype), None)
                text = ", ".join(rdata_texts(found)) if found else reply.outcome
                self.seen.append(
                    Visited(reply.at, resolver, name_text(name), type_text(rtype), found is not None, text)
                )
        self._clock.at(self._clock.now() + self._every, self._visit)
