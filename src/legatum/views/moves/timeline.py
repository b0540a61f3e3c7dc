"""One picture of a move: its steps and holds with their reasons, the share of caches on the new side, the careless way
beside it.

Colours are told apart by everybody (and on grey paper by their line styles).
"""

import textwrap
from collections.abc import Sequence
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import matplotlib as mpl
import numpy as np
from matplotlib.figure import Figure

from legatum.core.calendar.duration import rough_text
from legatum.core.calendar.timing import Bound
from legatum.core.moves.runbook import Runbook, Slot, forecast
from legatum.core.rehearsal import Playback, build_stage, rehearse
from legatum.core.rehearsal.caches import CacheKind
from legatum.core.rehearsal.careless import careless, leads
from legatum.core.rehearsal.population import Followed, Shares, follow, followed
from legatum.views.moves.move import wish_text

_INK, _FAINT, _PAPER = "#1b2430", "#8a94a3", "#ffffff"
_BLUE, _ORANGE, _GREEN, _RED = "#0072B2", "#E69F00", "#009E73", "#D55E00"
_STYLES: dict[CacheKind, dict[str, Any]] = {
    CacheKind.PARENT_TRUSTING: {"color": _BLUE, "linestyle": "-"},
    CacheKind.CHILD_TRUSTING: {"color": _ORANGE, "linestyle": "--"},
    CacheKind.STICKY: {"color": _GREEN, "linestyle": "-."},
}
_HOUR = 3600.0
_LEAST, _MOST = 40, 140  # characters of a reason in a line; what the whole width holds


def draw_timeline(runbook: Runbook, slots: Sequence[Slot], now: float, path: Path) -> None:
    """Writes the picture; the format follows the file's ending (png, svg, pdf)."""
    with mpl.rc_context(
        {
            "font.family": "DejaVu Sans",
            "font.size": 9,
            "text.color": _INK,
            "axes.labelcolor": _INK,
            "axes.edgecolor": _FAINT,
        }
    ):
        figure = Figure(figsize=(12.8, 8.0), dpi=100, facecolor=_PAPER)
        grid = figure.add_gridspec(
            2, 2, height_ratios=[1.55, 1], left=0.305, right=0.975, top=0.9, bottom=0.075, hspace=0.33, wspace=0.12
        )
        _title(figure, runbook, slots)
        _steps(figure.add_subplot(grid[0, :]), slots, now)
        what = followed(runbook)
        good = figure.add_subplot(grid[1, 0])
        bad = figure.add_subplot(grid[1, 1], sharey=good)
        if what is None:
            for axes in (good, bad):
                axes.set_axis_off()
            good.text(
                0,
                0.9,
                "Nothing of it can be seen by a visitor in another place: there are no curves to draw.",
                fontsize=10,
                va="top",
            )
        else:
            _both(good, bad, runbook, slots, what)
        figure.text(0.02, 0.30, _legend_text() if what else "", fontsize=8.5, color=_INK, va="top", linespacing=1.5)
        figure.savefig(path, facecolor=_PAPER)


def _both(good: Any, bad: Any, runbook: Runbook, slots: Sequence[Slot], what: Followed) -> None:
    """This move, and the careless one, for the same caches."""
    generator = np.random.default_rng(1)
    _shares(
        good, build_stage(runbook, slots), what, _switched(slots), slots[-1].ends + 0.4 * _HOUR, generator, "This move"
    )
    hasty = careless(runbook)
    quick = list(forecast(hasty, {}, _switched(slots)))
    _shares(
        bad,
        build_stage(hasty, quick),
        what,
        _switched(quick),
        _switched(quick) + _longest(runbook) + 2 * _HOUR,
        generator,
        "The careless way",
    )
    bad.tick_params(labelleft=False)


def _longest(runbook: Runbook) -> float:
    """The longest TTL of what is followed."""
    return float(max((each.ttl for served in runbook.premises.served for each in served.rrsets), default=3600))


def _title(figure: Figure, runbook: Runbook, slots: Sequence[Slot]) -> None:
    figure.text(0.02, 0.955, textwrap.shorten(wish_text(runbook), 90, placeholder=" …"), fontsize=15, weight="bold")
    begin, end = slots[0].first, slots[-1].ends
    is_safe = rehearse(runbook, {}, begin).safe
    safe = "no cache can be led astray under this model" if is_safe else "NOT SAFE: see `legatum move rehearse DOMAIN`"
    words = f"{_stamp(begin)} to {_stamp(end)} UTC, {rough_text(end - begin)} in all; {safe}"
    figure.text(0.02, 0.925, words, fontsize=10, color=_FAINT)


def _stamp(instant: float) -> str:
    return datetime.fromtimestamp(instant, UTC).strftime("%Y-%m-%d %H:%M")


def _reason(axes: Any, row: int, bound: Bound, since: float, ends: float, whole: float) -> None:
    """Beside the hold from ``since`` to ``ends``, in seconds after the first step: to the side that has more room;
    within a long one."""
    behind = 1 - since / whole >= 0.5
    long = ends - since > 0.4 * whole
    room = (ends - since if long else whole - ends) / whole if behind else since / whole
    text = f"hold {rough_text(ends - since)}: {bound.reason.split(' (rule')[0]}" + (
        f" (rule {bound.rule})" if bound.rule else ""
    )
    place = (
        ((since if long else ends) / _HOUR + 0.009 * whole / _HOUR) if behind else since / _HOUR - 0.009 * whole / _HOUR
    )
    shown = textwrap.fill(text, max(_LEAST, int(room * _MOST)))
    axes.text(place, row, shown, fontsize=7.6, va="center", ha="left" if behind else "right", color=_INK, zorder=3)


def _steps(axes: Any, slots: Sequence[Slot], now: float) -> None:
    """A row a step; a hold is a bar that ends where the step begins."""
    start, end = slots[0].first, slots[-1].ends
    before = start
    for row, each in enumerate(slots):
        at = (each.first - start) / _HOUR
        if each.bound is not None and each.first - before > 1:
            axes.barh(
                row,
                at - (before - start) / _HOUR,
                left=(before - start) / _HOUR,
                height=0.62,
                color=_ORANGE,
                alpha=0.28,
                zorder=1,
            )
            _reason(axes, row, each.bound, before - start, each.first - start, end - start)
        done = each.outcome is not None
        axes.plot(
            at,
            row,
            marker="o",
            markersize=7,
            color=_BLUE if done else _INK,
            mfc=_BLUE if done else _PAPER,
            zorder=4,
        )
        before = each.ends
    if start < now < end:
        axes.axvline((now - start) / _HOUR, color=_RED, linewidth=1, linestyle=":")
    axes.set_yticks(
        range(len(slots)),
        [
            f"{number}. {textwrap.shorten(each.step.title, 52, placeholder=' …')}"
            for number, each in enumerate(slots, 1)
        ],
    )
    axes.invert_yaxis()
    axes.set_xlim(-0.25, (end - start) / _HOUR * 1.015 + 0.1)
    axes.set_xlabel("hours since the first step")
    axes.grid(axis="x", color="#e6e9ee", zorder=0)
    _plain(axes)


def _shares(
    axes: Any,
    playback: Playback,
    what: Followed,
    switched: float,
    ends: float,
    generator: np.random.Generator,
    title: str,
) -> None:
    begins = switched - 0.25 * _HOUR
    failed: list[Shares] = []
    for kind in CacheKind:
        shares = follow(playback, what, kind, begins, ends, generator)
        failed.append(shares)
        side = list(shares.answered)[-1]
        axes.plot(
            (shares.times - switched) / _HOUR,
            shares.answered[side] * 100,
            label=f"{side}, {kind}",
            linewidth=1.8,
            **_STYLES[kind],
        )
    worst = np.max([each.failed for each in failed], axis=0) * 100
    if worst.max() > 0:
        hours = (failed[0].times - switched) / _HOUR
        axes.fill_between(
            hours, worst, color=_RED, alpha=0.22, hatch="////", edgecolor=_RED, linewidth=0, label="fail (worst kind)"
        )
        axes.plot(hours, worst, color=_RED, linewidth=1)
    at_worst = worst.max()
    words = "no visitor fails in this sample" if at_worst == 0 else f"up to {at_worst:.0f} % of visitors fail"
    axes.set_title(f"{title}: {words}", fontsize=10.5, loc="left", color=_INK if at_worst == 0 else _RED, weight="bold")
    axes.axvline(0, color=_FAINT, linewidth=0.8, linestyle=":")
    axes.set_ylim(-3, 103)
    axes.set_xlabel("hours since the first visitor is led elsewhere")
    axes.set_ylabel("share of resolvers, %")
    axes.grid(color="#e6e9ee")
    axes.legend(loc="best", fontsize=7.8, frameon=True, framealpha=0.9, edgecolor="#e6e9ee")
    _plain(axes)


def _switched(slots: Sequence[Slot]) -> float:
    """When the first visitor can be led elsewhere."""
    return next((each.first for each in slots if leads(each.step)), slots[0].first)


def _legend_text() -> str:
    return (
        "Above: each step, and the hold before it\nwith its reason (shaded).\nOpen circles: to come; blue: done.\n\n"
        "Below: 3,000 resolvers of each kind,\neach asked every 10 minutes or so.\nLeft: this move. Right: "
        "the same changes\n"
        "without a hold, what leads elsewhere\nfirst, what is new 20 minutes late."
    )


def _plain(axes: Any) -> None:
    for side in ("top", "right"):
        axes.spines[side].set_visible(False)
