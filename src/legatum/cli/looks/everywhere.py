"""The options by which a look is made from other networks too, and those looks."""

import argparse
from typing import TYPE_CHECKING, Any

from legatum.cli.program.common import note

if TYPE_CHECKING:
    from collections.abc import Awaitable, Callable, Mapping

    from legatum.core.house.everywhere import Everywhere, Told
    from legatum.work.run_context import RunContext


def add_viewpoints(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--from-everywhere", action="store_true", help="look from every viewpoint of the settings too")
    parser.add_argument("--from-viewpoint", action="append", default=[], metavar="NAME", help="from this one")


def wants_viewpoints(args: argparse.Namespace) -> bool:
    return bool(args.from_everywhere or args.from_viewpoint)


async def look_everywhere(
    args: argparse.Namespace, context: "RunContext", own: Any, errand: "Callable[..., Any]", values: tuple[Any, ...],
    told: "Callable[[Any], Mapping[str, Told]]", verdict: "Callable[[Any], tuple[bool, str]]",
    read: "Callable[[str, Any, str], Awaitable[Any]] | None" = None,
) -> "Everywhere":  # fmt: skip
    """What was seen from here (``own``) beside what is seen from the viewpoints that were asked for. ``read``: makes
    what ``told`` and ``verdict`` are of out of what a viewpoint, with doubts about it, gave back. Raises
    :class:`BadInput` for strange viewpoints, :class:`OutsideFault` where no scheduler is there."""
    from legatum.work.afar.viewpoints import HERE, compared, named_viewpoints, open_lookouts

    names = named_viewpoints(context, () if args.from_everywhere else args.from_viewpoint)
    async with open_lookouts(context, names) as lookouts:
        note(args, f"looking from {', '.join(names)} too …")
        seen = await lookouts.look(errand, *values)
        if read is not None:
            seen = {
                place: await _read(read, place, each, lookouts.doubts.get(place, "")) for place, each in seen.items()
            }
        return compared({HERE: own, **seen}, told, verdict, lookouts.doubts)


async def _read(read: "Callable[[str, Any, str], Awaitable[Any]]", place: str, seen: Any, doubts: str) -> Any:
    from legatum.core.running.fault import Fault

    if isinstance(seen, Fault):
        return seen
    try:
        return await read(place, seen, doubts)
    except Fault as fault:
        return fault
