"""Workers on other machines: how they are reached, which of them can be relied on, and what of the settings they are
given."""

import time
from collections.abc import Callable

import msgspec

from legatum.core.running.fault import BadInput, OutsideFault
from legatum.net.engine import Engine, Hub, WorkerState
from legatum.settings.document import Clock, Resolver, Settings, Viewpoint
from legatum.work.run_context import RunContext


def engine_hub(context: RunContext, named: str = "") -> Hub:
    """``named``: on the line, instead of the settings'. Raises :class:`BadInput`."""
    given = context.settings.engine
    place = named or given.scheduler
    if not place:
        raise BadInput(
            "which scheduler?", "name it: --engine tls://HOST:PORT, or `scheduler` in [engine] of the settings"
        )
    files = [str(context.folder / each) if each else "" for each in (given.authority, given.certificate, given.key)]
    return Hub(place, *files)


async def fit_workers(engine: Engine, told: Callable[[str], None]) -> list[WorkerState]:
    """Those that run this program and know the time; ``told`` of the others. Raises :class:`OutsideFault` where there
    is none."""
    found = await engine.workers()
    for each in found:
        if each.doubts:
            told(f"the worker {each.name} is left out: {each.doubts}")
    fit = [each for each in found if not each.doubts]
    if not fit:
        raise OutsideFault(
            f"no worker to share the list with, of {len(found)} that are registered",
            "start some: `legatum worker --scheduler PLACE`",
        )
    return fit


def looking_settings(context: RunContext, rate: int | None = None, viewpoint: Viewpoint | None = None) -> Settings:
    """What somebody else needs to look: how to ask, and the house's rules. No provider, registrar, key or file is in
    it."""
    given = context.settings
    network = msgspec.structs.replace(given.network, rate=given.network.rate if rate is None else rate)
    resolvers: dict[str, str | Resolver] = dict(given.resolvers)
    if viewpoint is not None:
        network = msgspec.structs.replace(network, ipv6=network.ipv6 and viewpoint.ipv6)
        resolvers = dict(viewpoint.resolvers) or resolvers
    plain = {name: each for name, each in resolvers.items() if isinstance(each, str) or not each.authority}
    ahead = context.clock.now() - time.time()
    clock = Clock(ahead=ahead) if given.clock is not None else None
    visiting = msgspec.structs.replace(given.visit, authority=None)
    return Settings(network=network, clock=clock, resolvers=plain, house=given.house, visit=visiting)
