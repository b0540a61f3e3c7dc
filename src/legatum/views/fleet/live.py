"""A fleet move on a terminal, drawn anew as it goes: a bar for each wave, what was done lately, how fast, how long
yet."""

import time
from collections import deque
from collections.abc import Callable
from types import TracebackType

from rich.console import Group, RenderableType
from rich.live import Live
from rich.progress_bar import ProgressBar
from rich.table import Table
from rich.text import Text

from legatum.core.calendar.duration import rough_text
from legatum.core.calendar.instant import for_people
from legatum.core.records.name import Name
from legatum.core.text.printable import clean
from legatum.views.fleet.waves import STYLES, CoursePart, course_part, states_of
from legatum.views.screen import BAD, QUIET, STRONG
from legatum.work.fleet.campaign import Campaign
from legatum.work.fleet.courses import ENDED, Course, Stage

_LATEST, _TROUBLED, _WAVES = 8, 5, 12
_AGAIN = 4  # times a second


class LiveWaves:
    """As a context: on the terminal until it is left. ``now``: the clock of the moves."""

    def __init__(self, campaign: Campaign, courses: dict[Name, Course], now: Callable[[], float]) -> None:
        self._campaign, self._courses, self._now = campaign, courses, now
        self._latest: deque[CoursePart] = deque(maxlen=_LATEST)
        self._began, self._before = time.monotonic(), self._steps()
        self._live = Live(get_renderable=self._drawn, refresh_per_second=_AGAIN, transient=True)

    def __enter__(self) -> "LiveWaves":
        self._live.__enter__()
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._live.__exit__(kind, error, trace)

    def tell(self, course: Course) -> None:
        self._latest.append(course_part(course, self._campaign))

    def _steps(self) -> int:
        return sum(each.done for each in self._courses.values())

    def _drawn(self) -> RenderableType:
        trouble = [each for each in self._courses.values() if each.stage == Stage.TROUBLE]
        parts: list[RenderableType] = [self._head(), self._waves(), Text(""), *(_line(each) for each in self._latest)]
        for each in trouble[-_TROUBLED:]:
            parts.append(_text(f"in trouble: {course_part(each, self._campaign).domain}: {each.because}", BAD))
        return Group(*parts)

    def _head(self) -> Text:
        now, steps = self._now(), self._steps() - self._before
        rate = steps / max(time.monotonic() - self._began, 1.0) * 60
        ends = [each.ends for each in self._courses.values() if each.ends is not None and each.stage not in ENDED]
        done = sum(each.stage in ENDED for each in self._courses.values())
        left = (
            f"; those that are begun are over in {rough_text(max(0.0, max(ends) - now))} if every step is "
            "done when it is due"
            if ends
            else ""
        )
        return _text(f"{done} of {len(self._courses)} domains complete; {rate:,.0f} steps a minute{left}", STRONG)

    def _waves(self) -> Table:
        table = Table(box=None, pad_edge=False, header_style=QUIET)
        for heading in ("wave", "domains", "", "state"):
            table.add_column(heading)
        for number, wave in enumerate(self._campaign.waves[:_WAVES], 1):
            courses = [self._courses[each] for each in wave]
            whole = sum(each.steps or 1 for each in courses)
            behind = sum((each.steps or 1) if each.stage in ENDED else each.done for each in courses)
            said = ", ".join(f"{count} {state}" for state, count in states_of(courses).items())
            bar = ProgressBar(whole, behind, width=28, complete_style="cyan", finished_style="green")
            table.add_row(str(number), str(len(wave)), bar, _text(said))
        if more := self._campaign.waves[_WAVES:]:
            table.add_row("…", str(sum(map(len, more))), "", f"in {len(more)} more waves")
        return table


def _line(part: CoursePart) -> Text:
    text = f"{part.domain}: {part.state}"
    if part.until:
        text += f" until {part.until}: {part.because}"
    elif part.because:
        text += f": {part.because}"
    elif part.title:
        text += f": {part.done + 1} of {part.steps}, {part.title}"
    return _text(text, STYLES.get(Stage(part.state), ""))


def _text(text: str, style: str = "") -> Text:
    return Text(for_people(clean(text)), style=style, no_wrap=True, overflow="ellipsis")
