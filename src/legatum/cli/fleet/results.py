"""What a look at many domains is made of, here or at a worker: how each is looked at, and how a result becomes a
line."""

import argparse
from typing import TYPE_CHECKING

from legatum.cli.looks.confirm import expected_of

if TYPE_CHECKING:
    from collections.abc import Callable

    from legatum.core.agreement.expected import Expected
    from legatum.core.memory.copies import HeldCopy
    from legatum.core.records.name import Name
    from legatum.views.fleet.lists import FleetLine
    from legatum.work.fleet.looks import Fleet, Result
    from legatum.work.run_context import RunContext


def fleet_of(
    args: argparse.Namespace, context: "RunContext", expected: "Callable[[Name], Expected] | None" = None
) -> "Fleet":
    """``expected``: what confirm is to find, where that was worked out elsewhere."""
    from legatum.work.fleet.looks import Fleet
    from legatum.work.look.asking.depth import DEPTHS

    if args.rate is not None:
        context.settings.network.rate = args.rate
    expected = (expected or (lambda domain: expected_of(args, context, domain))) if args.action == "confirm" else None
    return Fleet(context, args.side_by_side, expected, DEPTHS[depth_of(args)], judging=args.action != "timetable")


def depth_of(args: argparse.Namespace) -> str:
    """How much is asked, by name."""
    if args.action != "survey":
        return "brief"
    return "full" if args.full else "signed" if args.signed else "brief"


def telling(
    args: argparse.Namespace, context: "RunContext", held: "Callable[[Name], list[HeldCopy]] | None" = None
) -> "Callable[[Result], FleetLine]":
    """How a result becomes a line. ``held``: what is remembered of a domain; None where the journal is not at hand."""
    from legatum.views.fleet.lists import fleet_line, switch_line

    if args.action != "timetable":
        return lambda result: fleet_line(result, signing=args.action == "survey" and args.signed)

    from legatum.core.calendar.duration import parse_duration
    from legatum.core.calendar.instant import parse_instant
    from legatum.core.timetable.observed import of_brief_look, with_held
    from legatum.core.timetable.switch import Wish, wished

    at, publishing, caution = parse_instant(args.switch), parse_duration(args.publishing), context.caution
    low = parse_duration(args.low_ttl or context.settings.house.low_ttl)

    def wish(result: "Result") -> "Wish | None":
        matters = (
            list(of_brief_look(result.observation))
            if result.observation is not None and result.observation.serving
            else []
        )
        if held is not None:
            matters = with_held(matters, held(result.domain), context.clock.now(), caution)
        return wished(matters, at, low, context.clock.now(), publishing, caution) if matters else None

    return lambda result: switch_line(result, wish(result))
