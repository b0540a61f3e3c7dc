"""The world looked at from the viewpoints of the settings: the same look at each, by a worker that stands there."""

import asyncio
from collections.abc import AsyncIterator, Callable, Iterable, Mapping, Sequence
from contextlib import asynccontextmanager
from typing import Any

import msgspec

from legatum.core.house.everywhere import Everywhere, Told, differences
from legatum.core.running.fault import BadInput, Fault, OutsideFault
from legatum.net.engine import Engine, WorkerState, open_engine
from legatum.work.afar.hub import engine_hub, looking_settings
from legatum.work.run_context import RunContext

HERE = "here"
_PATIENCE = 120.0  # seconds for one look from one place


def named_viewpoints(context: RunContext, names: Sequence[str]) -> list[str]:
    """Those of the settings that are named, or all of them where none is. Raises :class:`BadInput`."""
    known = context.settings.viewpoints
    if not known:
        raise BadInput(
            "no viewpoints in the settings", "name workers in other networks: [viewpoints.NAME], see docs/settings.md"
        )
    if strange := [each for each in names if each not in known]:
        raise BadInput(f"no viewpoint '{strange[0]}' in the settings", f"there are {', '.join(known)}")
    return list(dict.fromkeys(names)) or list(known)


class Lookouts:
    """Workers at viewpoints, ready to look. ``missing``: viewpoints without one, and why; ``doubts``: what is to be
    said of the others."""

    def __init__(
        self, context: RunContext, engine: Engine, names: Iterable[str], workers: Iterable[WorkerState]
    ) -> None:
        self._context, self._engine = context, engine
        found = {each.name: each for each in workers}
        self._workers: dict[str, WorkerState] = {}
        self.missing: dict[str, str] = {}
        for name in names:
            wanted = context.settings.viewpoints[name].worker or name
            if wanted not in found:
                self.missing[name] = f"no worker called {wanted} is registered"
            elif not found[wanted].same:
                self.missing[name] = f"the worker {wanted} is not relied on: {found[wanted].doubts}"
            else:
                self._workers[name] = found[wanted]

    @property
    def doubts(self) -> dict[str, str]:
        return {name: each.doubts for name, each in self._workers.items() if each.doubts}

    async def look(self, errand: Callable[..., Any], *values: Any) -> dict[str, Any]:
        """Viewpoint → what was seen from there, or the fault for which nothing was. ``errand``: one of
        :mod:`~legatum.work.afar.remote_tasks`."""

        async def one(name: str) -> Any:
            settings = looking_settings(self._context, viewpoint=self._context.settings.viewpoints[name])
            try:
                return await self._engine.run(
                    errand, msgspec.json.encode(settings), *values, worker=self._workers[name], patience=_PATIENCE
                )
            except Fault as fault:
                return fault

        names = list(self._workers)
        seen = dict(zip(names, await asyncio.gather(*map(one, names)), strict=True))
        return seen | {
            name: OutsideFault(why, "start it there: `legatum worker --scheduler PLACE`")
            for name, why in self.missing.items()
        }


@asynccontextmanager
async def open_lookouts(context: RunContext, names: Sequence[str]) -> AsyncIterator[Lookouts]:
    """``names``: of viewpoints, as :func:`named_viewpoints` gives them. Raises :class:`OutsideFault` where no scheduler
    is there."""
    async with open_engine(engine_hub(context)) as engine:
        yield Lookouts(context, engine, names, await engine.workers())


def compared(
    seen: Mapping[str, Any],
    told: Callable[[Any], Mapping[str, Told]],
    verdict: Callable[[Any], tuple[bool, str]],
    doubts: Mapping[str, str],
) -> Everywhere:
    """``seen``: place → what was seen from there, or a fault."""
    whole = {place: each for place, each in seen.items() if not isinstance(each, Fault)}
    return Everywhere(
        {place: verdict(each) for place, each in whole.items()},
        {place: each.message for place, each in seen.items() if isinstance(each, Fault)},
        dict(doubts),
        differences({place: told(each) for place, each in whole.items()}),
    )
