"""What a worker does for a fleet command on another machine: it looks at parts of a list, by the orders that it is
given."""

import argparse
import asyncio
import threading
import uuid
from collections import OrderedDict
from collections.abc import AsyncIterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec

from legatum.cli.fleet.results import depth_of, fleet_of, telling
from legatum.core.agreement.expected import Expected
from legatum.core.records.name import Name
from legatum.net.clock import ShiftedClock
from legatum.settings.document import Settings
from legatum.views.fleet.lists import LEFT_OUT, json_line
from legatum.work.afar.hub import looking_settings
from legatum.work.fleet.looks import each_of
from legatum.work.fleet.proven import with_evidence
from legatum.work.memory import Note, note_of, our_servers
from legatum.work.run_context import RunContext, outside_of

if TYPE_CHECKING:
    from legatum.work.fleet.looks import Fleet, Result

_KEPT = 2  # runs of which a worker knows what it learned
_NOT_TOLD = ("settings", "list", "out", "calendar", "column")


@dataclass(frozen=True)
class Order:
    """What is to be done with each part of a list. ``run``: one and the same for all of them; ``line``: the command's;
    ``settings``: how to ask; ``ours``: the house's name servers and whose they are: of domains with any of these it is
    noted what was seen."""

    run: str
    line: argparse.Namespace
    settings: bytes
    ours: dict[Name, str]


@dataclass(frozen=True)
class Looked:
    """Of a part: a line for each domain, what is to be kept, how many questions were asked, which servers were slowed
    down, and what the surveys rest on, where that is wanted."""

    lines: list[bytes]
    notes: list[Note]
    asked: int
    slowed: dict[str, float]
    evidence: str = ""


def order_of(args: argparse.Namespace, context: RunContext, workers: int) -> Order:
    """For so many workers, each of which has its share of the rate."""
    rate = context.settings.network.rate if args.rate is None else args.rate
    line = argparse.Namespace(**{name: None if name in _NOT_TOLD else value for name, value in vars(args).items()})
    line.evidence = bool(getattr(args, "evidence", None))
    line.rate = max(1, rate // workers) if rate else 0
    settings = looking_settings(context, line.rate)
    return Order(uuid.uuid4().hex, line, msgspec.json.encode(settings), our_servers(context))


def look(order: Order, part: Sequence[tuple[Name, Expected | None]]) -> Looked:
    """In a worker, in one of its threads."""
    return _post(order).look(part)


class _Post:
    """Of one run in this worker: an event loop in a thread of its own, where what domains share is asked once."""

    def __init__(self, order: Order) -> None:
        self._order = order
        self._expected: dict[Name, Expected] = {}
        self._told = 0
        self._loop = asyncio.new_event_loop()
        threading.Thread(target=self._loop.run_forever, daemon=True).start()
        self._fleet = asyncio.run_coroutine_threadsafe(self._opened(), self._loop).result()

    def close(self) -> None:
        self._loop.call_soon_threadsafe(self._fleet.context.asker.close)
        self._loop.call_soon_threadsafe(self._loop.stop)

    async def _opened(self) -> "Fleet":
        settings = msgspec.json.decode(self._order.settings, type=Settings)
        context = outside_of(
            settings, Path(), ShiftedClock(settings.clock.ahead if settings.clock is not None else 0.0)
        )
        fleet = fleet_of(self._order.line, context, self._expected.__getitem__)
        context.asker.pace = fleet.pace  # for all parts, which go on side by side
        return fleet

    def look(self, part: Sequence[tuple[Name, Expected | None]]) -> Looked:
        return asyncio.run_coroutine_threadsafe(self._look(part), self._loop).result()

    async def _look(self, part: Sequence[tuple[Name, Expected | None]]) -> Looked:
        self._expected |= {domain: each for domain, each in part if each is not None}
        fleet, notes, lines = self._fleet, list[Note](), list[bytes]()
        told, names, text = telling(self._order.line, fleet.context), each_of(domain for domain, _ in part), ""
        async for results, evidence in self._results(names):
            text += evidence
            for result in results:
                lines.append(json_line(told(result)).encode())
                note = self._note(result)
                notes += [note] if note is not None else []
        for domain, _ in part:
            self._expected.pop(domain, None)
        asked, self._told = fleet.context.asker.asked - self._told, fleet.context.asker.asked
        return Looked(lines, notes, asked, fleet.pace.slowed, text)

    async def _results(self, names: AsyncIterator[Name]) -> AsyncIterator[tuple[list["Result"], str]]:
        """With the evidence for them."""
        if self._order.line.evidence:
            depth = depth_of(self._order.line)
            async for results, evidence in with_evidence(self._fleet, names, depth, LEFT_OUT[depth]):
                yield results, evidence
        else:
            async for result in self._fleet.results(names):
                yield [result], ""

    def _note(self, result: "Result") -> Note | None:
        surveyed = self._order.line.action == "survey"
        return (
            None
            if result.observation is None
            else note_of(result.observation, result.findings if surveyed else None, self._order.ours)
        )


_posts: OrderedDict[str, _Post] = OrderedDict()
_opening = threading.Lock()


def _post(order: Order) -> _Post:
    """That of the order's run; of earlier runs the last one is kept, others are closed."""
    with _opening:
        if order.run not in _posts:
            _posts[order.run] = _Post(order)
        _posts.move_to_end(order.run)
        while len(_posts) > _KEPT:
            _posts.popitem(last=False)[1].close()
        return _posts[order.run]
