"""A change being followed: live on a terminal, a line for each change when piped, JSON lines, and the curve as picture
and table."""

import csv
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec

from legatum.core.agreement.progress import ChangeProgress, Look, State, Told
from legatum.core.calendar.duration import rough_text
from legatum.core.calendar.instant import for_people, instant_text, people_text
from legatum.core.records.name import name_text
from legatum.core.records.rrtype import type_text
from legatum.core.running.fault import BadInput
from legatum.core.text.printable import clean
from legatum.views.document import Document, Part
from legatum.views.screen import console

if TYPE_CHECKING:
    from rich.text import Text

_PARTIES = {"parent": "parent", "child": "own server", "resolver": "resolver", "viewpoint": "viewpoint"}
_STYLES = {State.NEW: "green", State.OLD: "yellow", State.NOTHING: "bold red"}
_BAR = 40


class ToldPart(Part):
    party: str
    who: str
    state: str
    said: str
    ttl: int | None


class WatchDocument(Document, tag="legatum.watch/1"):
    """One look: who has the change; ``changed``: who says something else than the time before. Shares are 0…1."""

    domain: str
    type: str
    at: str
    complete: bool
    servers: float | None
    resolvers: float | None
    forecast: float | None
    told: list[ToldPart]
    changed: list[str]


def watch_document(progress: ChangeProgress, look: Look, changed: tuple[Told, ...]) -> WatchDocument:
    return WatchDocument(
        domain=name_text(progress.change.name),
        type=type_text(progress.change.rtype),
        at=instant_text(look.at),
        complete=look.complete,
        servers=look.servers,
        resolvers=look.resolvers,
        forecast=progress.forecast(look.at),
        told=[
            ToldPart(party=each.party, who=each.who, state=str(each.state), said=each.said, ttl=each.ttl)
            for each in look.told
        ],
        changed=[f"{each.party} {each.who}" for each in changed],
    )


def line_text(document: WatchDocument) -> str:
    """One JSON line."""
    return msgspec.json.encode(document).decode()


def verdict_lines(progress: ChangeProgress) -> tuple[bool, str, str]:
    """Whether all is well, the verdict, and what to do next."""
    what = f"{name_text(progress.change.name)} {type_text(progress.change.rtype)}"
    last = progress.looks[-1]
    count = len(last.told)
    if last.complete:
        agreed = next(
            each.at
            for number, each in enumerate(progress.looks)
            if all(later.complete for later in progress.looks[number:])
        )
        took = rough_text(agreed - progress.looks[0].at)
        text = f"{what}: everybody asked has it. All {count} servers and resolvers agree after {took}"
        over = progress.over_at
        if over is not None and over > last.at:
            return (
                True,
                text,
                "that is not over yet: resolvers that were not asked may keep a copy until "
                f"{people_text(over, last.at)}",
            )
        if progress.remembers:
            return True, f"{text}, and every copy anywhere has run out", ""
        return (
            True,
            f"{text}, and what was given with a TTL of {progress.old_ttl} has run out; the TTL of before is not known",
            "",
        )
    waiting = last.waiting
    first = waiting[0]
    text = (
        f"{what}: {count - len(waiting)} of {count} have it; not yet: {first.party} {first.who}, which says "
        f"{first.said}"
    )
    if progress.begins is None:
        return (
            False,
            text,
            f"the change must reach every server first; {_PARTIES[first.party]} {first.who} does not have it",
        )
    over = progress.over_at or last.at
    if last.at > over:
        return False, text, f"that is a fault: every copy should have run out by {people_text(over, last.at)}"
    return False, text, f"by {people_text(over, last.at)} the last copy has run out"


class LiveView:
    """A table that changes in place on a terminal. Use as context manager; ``show`` after each look."""

    def __init__(self) -> None:
        from rich.live import Live

        self._live = Live(console=console(), auto_refresh=False, transient=False)

    def __enter__(self) -> "LiveView":
        self._live.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._live.stop()

    def show(self, progress: ChangeProgress) -> None:
        from rich import box
        from rich.console import Group
        from rich.table import Table
        from rich.text import Text

        last = progress.looks[-1]
        good, verdict, following = verdict_lines(progress)
        table = Table(box=box.SIMPLE_HEAD, pad_edge=False, show_edge=False, header_style="dim")
        for column in ("who", "", "has", "says", "TTL"):
            table.add_column(Text(column), overflow="fold")
        for each in last.told:
            left = "-" if each.ttl is None else f"{each.ttl}{' left' if each.party == 'resolver' else ''}"
            cells = (_PARTIES[each.party], each.who, str(each.state), each.said, left)
            table.add_row(*(Text(clean(cell)) for cell in cells), style=_STYLES[each.state])
        bars = [
            _bar("servers", last.servers, "green"),
            _bar("resolvers", last.resolvers, "green"),
            _bar("forecast for the world", progress.forecast(last.at), "cyan"),
        ]
        head = Text(for_people(clean(verdict)), style="bold green" if good else "bold")
        now = Text(f"{for_people(instant_text(last.at))}, look {progress.count}", style="dim")
        self._live.update(
            Group(
                head,
                Text(for_people(clean(f"Next: {following or 'nothing to do'}"))),
                now,
                Text(),
                table,
                Text(),
                *bars,
            ),
            refresh=True,
        )


def _bar(label: str, share: float | None, style: str) -> "Text":
    from rich.text import Text

    if share is None:
        return Text(f"{label:<24}-", style="dim")
    full = round(share * _BAR)
    bar = Text(f"{label:<24}")
    bar.append("█" * full, style=style)
    bar.append("░" * (_BAR - full), style="dim")
    bar.append(f" {share:.0%}")
    return bar


def show_lines(progress: ChangeProgress, changed: tuple[Told, ...], write: Callable[[str], object]) -> None:
    """A line for everybody who says something else than the time before."""
    last = progress.looks[-1]
    for each in changed:
        left = (
            f", {each.ttl} s left"
            if each.party == "resolver" and each.ttl is not None and each.state == State.OLD
            else ""
        )
        write(clean(f"{instant_text(last.at)} {each.state:<7} {each.party} {each.who}: {each.said}{left}") + "\n")


# The curve


def write_curve(path: Path, progress: ChangeProgress) -> None:
    """A picture (png, svg, pdf) or a table (csv), by the file's ending. Raises :class:`BadInput`."""
    try:
        if path.suffix.lower() == ".csv":
            _write_table(path, progress)
        elif path.suffix.lower() in (".png", ".svg", ".pdf"):
            _write_picture(path, progress)
        else:
            raise BadInput(f"{path}: a curve is written as .png, .svg, .pdf or .csv", "give the file such an ending")
    except OSError as error:
        raise BadInput(f"{path}: {error.strerror}", "give a file that can be written") from None


def _write_table(path: Path, progress: ChangeProgress) -> None:
    with path.open("w", newline="", encoding="utf-8") as file:
        rows = csv.writer(file)
        rows.writerow(("at", "servers", "resolvers", "forecast"))
        for look in progress.looks:
            shares = (look.servers, look.resolvers, progress.forecast(look.at))
            rows.writerow((instant_text(look.at), *("" if each is None else f"{each:.4f}" for each in shares)))


def _write_picture(path: Path, progress: ChangeProgress) -> None:
    import matplotlib

    matplotlib.use("Agg")
    import numpy as np
    from matplotlib import pyplot as plt

    plt.rcParams["svg.hashsalt"] = "legatum"
    first = progress.looks[0].at
    times = [look.at for look in progress.looks]
    ends = max(times[-1], progress.over_at or 0)
    span = max(ends - first, 1.0)
    unit, word = (3600.0, "hours") if span > 3 * 3600 else (60.0, "minutes") if span > 300 else (1.0, "seconds")
    figure, axes = plt.subplots(figsize=(10, 5.2), dpi=120)
    for label, color, shares in (
        ("servers of parent and domain", "#2f6db3", [look.servers for look in progress.looks]),
        ("resolvers asked", "#2c7a4b", [look.resolvers for look in progress.looks]),
    ):
        points = [((at - first) / unit, share) for at, share in zip(times, shares, strict=True) if share is not None]
        if points:
            axes.step(*zip(*points, strict=True), where="post", label=label, color=color, linewidth=2.2)
    grid = np.linspace(first, ends, 400)
    forecast = [(float(at - first) / unit, share) for at in grid if (share := progress.forecast(float(at))) is not None]
    if forecast:
        axes.plot(
            *zip(*forecast, strict=True),
            "--",
            color="#8a5a00",
            label=f"forecast for all caches, TTL {progress.old_ttl} s",
        )
    axes.set(
        xlabel=f"{word} since {instant_text(first).replace('T', ' ').replace('Z', ' UTC')}",
        ylabel="share with the new data",
    )
    axes.set_ylim(-0.03, 1.05)
    axes.set_xlim(-0.02 * span / unit, span / unit * 1.02)
    axes.set_title(
        f"{name_text(progress.change.name)} {type_text(progress.change.rtype)}: who has the change",
        loc="left",
        fontsize=12,
    )
    axes.yaxis.set_major_formatter(lambda value, _: f"{value:.0%}")
    axes.grid(alpha=0.25)
    axes.spines[["top", "right"]].set_visible(False)
    axes.legend(loc="lower right", frameon=False)
    figure.tight_layout()
    figure.savefig(path, metadata={"Date": None} if path.suffix == ".svg" else None)
    plt.close(figure)
