"""Two curves for each RRset (rule 14): questions a second over the TTL, and the share of resolvers still on the old
answer over time."""

from collections.abc import Mapping
from pathlib import Path
from typing import Any

import matplotlib as mpl
import numpy as np
from matplotlib.figure import Figure

from legatum.core.calendar.duration import rough_text
from legatum.core.timetable.cost import Demand
from legatum.views.look.timetable import CostPart, TimetableDocument

_INK, _FAINT, _PAPER = "#1b2430", "#8a94a3", "#ffffff"
_COLOURS = ("#0072B2", "#D55E00", "#009E73", "#CC79A7", "#E69F00", "#56B4E9")
_MOST = len(_COLOURS)
_TICKS = (60, 300, 900, 3600, 14400, 86400)


def draw_costs(document: TimetableDocument, path: Path, demands: Mapping[str, Demand]) -> None:
    """Writes the picture; the format follows the file's ending."""
    groups = _groups(document)
    with mpl.rc_context({"font.family": "DejaVu Sans", "font.size": 9, "text.color": _INK, "axes.edgecolor": _FAINT}):
        figure = Figure(figsize=(12.8, 8.0), dpi=100, facecolor=_PAPER)
        left, right = figure.subplots(1, 2)
        figure.subplots_adjust(left=0.07, right=0.975, top=0.84, bottom=0.2, wspace=0.2)
        figure.text(0.02, 0.95, f"{document.domain}: what TTLs cost, and gain", fontsize=15, weight="bold")
        if not groups:
            words = "none of its names was asked for: there is nothing to draw"
        else:
            words = f"asked by {document.costs[0].demand}" + (
                " and others" if len({each.demand for each in document.costs}) > 1 else ""
            )
        figure.text(0.02, 0.915, words, fontsize=10, color=_FAINT)
        for number, (costs, sets) in enumerate(
            groups
        ):  # curves that fall together lie on each other, the first one broadest
            style = {
                "color": _COLOURS[number],
                "linewidth": 1.6 + 1.5 * (len(groups) - 1 - number),
                "label": _named(sets),
            }
            _load(left, demands[sets[0]], costs, style)
            _old(right, demands[sets[0]], costs, style)
        _finish(left, "TTL", "questions a second to the domain's servers")
        left.set_yscale("log")
        left.yaxis.set_major_formatter("{x:g}")
        _finish(right, "time after a change", "share of resolvers still on the old answer, %")
        right.set_ylim(-3, 103)
        handles, labels = left.get_legend_handles_labels()
        figure.legend(
            handles, labels, loc="lower left", bbox_to_anchor=(0.06, 0.02), ncols=3, frameon=False, fontsize=9
        )
        figure.text(0.97, 0.03, "filled: the TTL now; open, dashed: the house's", ha="right", fontsize=9, color=_FAINT)
        figure.savefig(path, facecolor=_PAPER)


def _groups(document: TimetableDocument) -> list[tuple[list[CostPart], list[str]]]:
    """RRsets of which everything is the same, in one."""
    found: dict[tuple[object, ...], tuple[list[CostPart], list[str]]] = {}
    for what in dict.fromkeys(each.what for each in document.costs):
        costs = [each for each in document.costs if each.what == what]
        key = tuple((each.ttl, each.proposed, each.load, each.demand) for each in costs)
        found.setdefault(key, (costs, []))[1].append(what)
    return list(found.values())[:_MOST]


def _named(sets: list[str]) -> str:
    return ", ".join(sets[:2]) + (f" and {len(sets) - 2} more" if sets[2:] else "")


def _load(axes: "mpl.axes.Axes", demand: Demand, costs: list[CostPart], style: dict[str, Any]) -> None:
    ttls = np.geomspace(30, 172800, 120)
    axes.plot(ttls, [demand.load(int(ttl)) for ttl in ttls], **style)
    for each in costs:
        axes.plot(
            each.ttl,
            each.load,
            marker="o",
            markersize=8,
            color=style["color"],
            mfc=_PAPER if each.proposed else style["color"],
            zorder=4,
        )


def _old(axes: "mpl.axes.Axes", demand: Demand, costs: list[CostPart], style: dict[str, Any]) -> None:
    for each in costs:
        ages = np.concatenate((np.geomspace(30, max(each.ttl, 31), 120), [each.ttl, max(each.ttl * 1.5, 172800)]))
        shares = [100 * demand.share_old(each.ttl, float(age)) for age in ages]
        axes.plot(ages, shares, linestyle="--" if each.proposed else "-", **style)


def _finish(axes: "mpl.axes.Axes", across: str, up: str) -> None:
    axes.set_xscale("log")
    axes.set_xlim(30, 172800)
    axes.set_xticks(_TICKS, [rough_text(each) for each in _TICKS])
    axes.minorticks_off()
    axes.set_xlabel(across)
    axes.set_ylabel(up)
    axes.grid(color="#e6e9ee")
    for side in ("top", "right"):
        axes.spines[side].set_visible(False)
