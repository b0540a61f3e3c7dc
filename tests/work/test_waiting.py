"""Waiting for long: what was heard is not kept for ever, and what is seen at last stands with its replies."""

import asyncio
import gc
from pathlib import Path

from legatum.core.records.name import parse_name
from legatum.net.asking.asker import Asker
from legatum.net.asking.reply import Reply, Transport
from legatum.net.asking.route import Route
from legatum.net.clock import Clock
from legatum.settings.document import Network, Settings
from legatum.work.effect import carried_out
from legatum.work.run_context import RunContext

DOMAIN, WIRE = parse_name("kilnandclay.example."), b"\0\1\x84\0" + b"\0" * 8


class Ahead(Clock):
    """A clock that is where one waits for."""

    def __init__(self) -> None:
        self.instant = 0.0

    def now(self) -> float:
        return self.instant

    async def until(self, instant: float) -> None:
        self.instant = max(self.instant, instant)


def test_a_week_of_looks_takes_no_more_room_than_an_hour(tmp_path: Path) -> None:
    """Three servers are asked every ten seconds for an hour, and then for a week, until they answer as was waited
    for."""

    async def wait(context: RunContext, looks: int) -> None:
        left = looks

        async def missing() -> str:
            nonlocal left
            left -= 1
            for server in range(3):
                reply = Reply(f"192.0.2.{server}", DOMAIN, 6, context.clock.now(), 0.01, Transport.UDP, 1, WIRE)
                for hear in context.asker.heard:
                    hear(reply)
            return "" if left == 0 else "not yet"

        async def change() -> str:
            await context.until_seen(missing, "the change", patience=1e9)
            return "seen"

        await carried_out(context, DOMAIN, f"after {looks}", "waiting", change)

    async def work() -> None:
        clock = Ahead()
        context = RunContext(Settings(network=Network(roots={})), tmp_path, clock, Asker(Route({}), clock), {})
        for looks in (360, 60_480):
            await wait(context, looks)
            gc.collect()
            assert sum(isinstance(each, Reply) for each in gc.get_objects()) < 50 and context.asker.heard == []
            (entry,) = [each for each in context.journal.entries(DOMAIN) if each.step == f"after {looks}"][-1:]
            assert entry.kind == "outcome" and 500 <= entry.replies <= 1003
        context.asker.close()

    asyncio.run(work())
