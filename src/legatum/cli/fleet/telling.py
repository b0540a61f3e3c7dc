"""How a fleet move is told: as it goes, at its end, and to customers."""

import argparse
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any

from legatum.cli.program.common import OK, SHUT, note, show

if TYPE_CHECKING:
    from legatum.core.records.name import Name
    from legatum.work.fleet.campaign import Campaign
    from legatum.work.fleet.carrying import Carrier
    from legatum.work.fleet.courses import Course
    from legatum.work.run_context import RunContext


class Telling:
    """Of each change of a domain's course: drawn on a terminal, a line elsewhere, a JSON line where that is wanted."""

    def __init__(
        self, args: argparse.Namespace, context: "RunContext", campaign: "Campaign", courses: "dict[Name, Course]"
    ) -> None:
        from legatum.views.screen import Screen

        self._args, self._context, self._campaign, self._courses = args, context, campaign, courses
        self._live: Any = None
        self._screen = Screen(sys.stderr)
        self._told: dict[Name, tuple[str, str]] = {}

    def __call__(self, course: "Course") -> None:
        from legatum.views.fleet.lists import json_line
        from legatum.views.fleet.waves import course_part, show_course

        if self._live is not None:
            self._live.tell(course)
            return
        known = (str(course.stage), course.step if self._args.verbose or self._args.json else course.because)
        if self._told.get(course.domain) == known:
            return
        self._told[course.domain] = known
        if self._args.json:
            sys.stdout.write(json_line(course_part(course, self._campaign)))
            sys.stdout.flush()
        elif not self._args.quiet:
            show_course(course_part(course, self._campaign), self._screen)

    @contextmanager
    def drawn(self) -> "Iterator[None]":
        from legatum.views.fleet.live import LiveWaves

        if self._args.json or self._args.quiet or not sys.stdout.isatty():
            yield
            return
        with LiveWaves(self._campaign, self._courses, self._context.clock.now) as self._live:
            try:
                yield
            finally:
                self._live = None


def write_notes(args: argparse.Namespace, context: "RunContext", carrier: "Carrier") -> None:
    from legatum.cli.house.history import write_page
    from legatum.core.records.name import file_name
    from legatum.core.text.printable import file_word
    from legatum.work.fleet.courses import Stage
    from legatum.work.history import history_of

    if not args.notes:
        return
    complete = [each.domain for each in carrier.courses.values() if each.stage == Stage.DONE and each.steps]
    moved = [each for each in history_of(context, complete) if each.acts]
    for found in moved:
        customer = carrier.campaign.customers.get(found.domain, "")
        write_page(context, found, str(Path(args.notes) / file_word(customer) / f"{file_name(found.domain)}.html"))
    note(args, f"pages for customers: {len(moved)} in {args.notes}")


def tell_all(
    args: argparse.Namespace,
    context: "RunContext",
    campaign: "Campaign",
    courses: "dict[Name, Course]",
    stopped: str,
    shown: bool = False,
    unused: tuple[str, ...] = (),
) -> int:
    """Where everything stands; the exit status is that of the first trouble."""
    from legatum.views.fleet.lists import json_line
    from legatum.views.fleet.waves import fleet_move_document, show_fleet_move
    from legatum.work.fleet.courses import Stage

    document = fleet_move_document(campaign, courses, args.list, context.clock.now(), stopped, shown, unused)
    if args.json:
        sys.stdout.write(json_line(document))
    else:
        show(args, document, lambda screen: show_fleet_move(document, screen))
    if "declined" in stopped:
        return SHUT
    return next((each.status for each in courses.values() if each.stage == Stage.TROUBLE), OK)
