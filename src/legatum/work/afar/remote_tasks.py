"""What a worker does at a viewpoint, on behalf of somebody else: one look, with the settings that come with it.

These run in the worker; nothing else can be asked of it by this program. What they give back are plain values.
"""

import asyncio
from collections.abc import Awaitable, Callable, Mapping
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import TypeVar

import msgspec

from legatum.core.agreement.expected import Expected
from legatum.core.agreement.progress import ChangeProgress, Told, WatchedChange
from legatum.core.agreement.verdict import Verdict
from legatum.core.observation.answers import AnswersComparison
from legatum.core.records.name import Name
from legatum.core.service.seen import Visit
from legatum.core.zones.zone import Zone
from legatum.net.clock import ShiftedClock
from legatum.net.keeping.recording import recording_text
from legatum.settings.document import Settings
from legatum.work.look.asking.wanted import Wanted
from legatum.work.run_context import RunContext, outside_of
from legatum.work.services.visit import NewPlaces, visit
from legatum.work.verdicts.confirm import confirm
from legatum.work.verdicts.recorded import recording_of
from legatum.work.verdicts.survey import survey
from legatum.work.verdicts.watch import Watch
from legatum.work.zones.compare import compare_answers

T = TypeVar("T")


def survey_there(settings: bytes, domain: Name, wanted: Wanted) -> str:
    """What a survey of the domain rests on, as it stands in a file of evidence, to be judged by whoever sent for it."""

    async def work(context: RunContext) -> str:
        return recording_text(recording_of(context, wanted, await survey(context, domain, wanted=wanted)))

    return _with(settings, work)


def confirm_there(settings: bytes, domain: Name, expected: Expected, wanted: Wanted) -> Verdict:
    async def work(context: RunContext) -> Verdict:
        return (await confirm(context, domain, expected, wanted=wanted))[0]

    return _with(settings, work)


def visit_there(settings: bytes, domain: Name, places: NewPlaces, authority: str) -> Visit:
    """``authority``: certificates to trust (PEM), empty for those of the machine's system."""
    with TemporaryDirectory() as folder:
        trusted = Path(folder) / "authority.pem"
        trusted.write_text(authority, encoding="utf-8")

        async def work(context: RunContext) -> Visit:
            return await visit(context, domain, places, str(trusted) if authority else None)

        return _with(settings, work)


def watch_there(settings: bytes, domain: Name, change: WatchedChange, servers: tuple[Name, ...]) -> tuple[Told, ...]:
    """One look at who has a change."""

    async def work(context: RunContext) -> tuple[Told, ...]:
        return await Watch(context, domain, ChangeProgress(change, 1.0), servers).once()

    return _with(settings, work)


def answers_there(settings: bytes, zone: Zone, sides: Mapping[str, str], right: str) -> AnswersComparison:
    async def work(context: RunContext) -> AnswersComparison:
        return await compare_answers(context, zone, dict(sides), right)

    return _with(settings, work)


def _with(order: bytes, work: Callable[[RunContext], Awaitable[T]]) -> T:
    async def opened() -> T:
        settings = msgspec.json.decode(order, type=Settings)
        context = outside_of(
            settings, Path(), ShiftedClock(settings.clock.ahead if settings.clock is not None else 0.0)
        )
        try:
            return await work(context)
        finally:
            context.asker.close()

    return asyncio.run(opened())
