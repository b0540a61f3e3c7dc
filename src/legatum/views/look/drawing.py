"""A delegation as a picture: the parent's servers on the left, the domain's own on the right, who names whom between
them.

SVG, drawn here so that it stands in the page itself and prints well. Lines: the parent names the server; dashed: only
the child does.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from html import escape

from legatum.core.observation.observation import Observation, ServerView
from legatum.core.records.address import address_text
from legatum.core.records.name import Name, name_text
from legatum.core.records.rrset import targets
from legatum.core.records.soa import parse_soa
from legatum.core.text.printable import clean, clipped
from legatum.views.look.survey import SurveyDocument

_WIDTH, _LEFT, _RIGHT, _BOX = 760, 16, 424, 320
_LINE, _PAD, _GAP, _TOP = 17, 10, 14, 44
_MOST, _LONGEST = 12, 46
GOOD, BAD, DOUBT = "good", "bad", "doubt"


@dataclass(frozen=True)
class _Box:
    """A box: its lines, first one strong, and how it stands."""

    x: int
    y: int
    lines: tuple[str, ...]
    state: str

    @property
    def height(self) -> int:
        return 2 * _PAD + _LINE * len(self.lines)

    @property
    def middle(self) -> int:
        return self.y + self.height // 2


def draw_delegation(document: SurveyDocument, observation: Observation) -> str:
    """SVG text, safe to stand in a page: side by side for paper and wide screens."""
    parents = list(_stacked(_LEFT, _TOP, _parent_boxes(observation)))
    names = _names(observation)
    children = list(_stacked(_RIGHT, _TOP, [_child_box(observation, name) for name in names]))
    height = max([box.y + box.height for box in (*parents, *children)], default=_TOP) + 16
    lines = [
        _opening(document, _WIDTH, height),
        _heading(_LEFT, 26, f"the parent, {_zone(document)}"),
        _heading(_RIGHT, 26, f"the name servers of {document.unicode}"),
    ]
    lines += [
        _line(parent, child, name, observation)
        for parent in parents
        for child, name in zip(children, names, strict=True)
    ]
    lines += [part for box in (*parents, *children) for part in _drawn(box)]
    if not children:
        lines.append(f'<text class="bad" x="{_RIGHT}" y="{_TOP + 24}">nobody: the parent names no server</text>')
    return "\n".join([*(line for line in lines if line), "</svg>"])


def draw_narrow(document: SurveyDocument, observation: Observation) -> str:
    """The same one below the other, for a phone: words in place of lines."""
    parents = list(_stacked(_LEFT, _TOP, _parent_boxes(observation)))
    below = max((box.y + box.height for box in parents), default=_TOP) + 34
    told = [
        (lines, state, _named_by(observation, name))
        for name in _names(observation)
        for lines, state in [_child_box(observation, name)]
    ]
    children = list(_stacked(_LEFT, below + 18, [((*lines, words), state) for lines, state, words in told]))
    height = max([box.y + box.height for box in (*parents, *children)], default=below) + 16
    lines = [
        _opening(document, _BOX + 2 * _LEFT, height),
        _heading(_LEFT, 26, f"the parent, {_zone(document)}"),
        _heading(_LEFT, below, f"the name servers of {document.unicode}" if children else "the parent names no server"),
    ]
    return "\n".join([*lines, *(part for box in (*parents, *children) for part in _drawn(box)), "</svg>"])


def _names(observation: Observation) -> list[Name]:
    return sorted({*observation.delegation, *observation.own_ns})[:_MOST]


def _named_by(observation: Observation, name: Name) -> str:
    named, own = name in observation.delegation, name in observation.own_ns
    return (
        "named by the parent and the domain"
        if named and own
        else f"named by the {'parent' if named else 'domain'} only"
    )


def _zone(document: SurveyDocument) -> str:
    return document.parent_zone if document.parent_zone != "." else "the root"


def _opening(document: SurveyDocument, width: int, height: int) -> str:
    label = escape(clean(document.verdict), quote=True)
    return f'<svg viewBox="0 0 {width} {height}" role="img" aria-label="{label}" xmlns="http://www.w3.org/2000/svg">'


def _heading(x: int, y: int, text: str) -> str:
    return f'<text class="head" x="{x}" y="{y}">{escape(clean(text))}</text>'


def _stacked(x: int, y: int, boxes: list[tuple[tuple[str, ...], str]]) -> Iterator[_Box]:
    for lines, state in boxes:
        box = _Box(x, y, lines, state)
        yield box
        y += box.height + _GAP


def _parent_boxes(observation: Observation) -> list[tuple[tuple[str, ...], str]]:
    """One box for each server name of the parent zone."""
    boxes = []
    for server in list({view.server: None for view in observation.parents})[:_MOST]:
        views = [view for view in observation.parents if view.server == server]
        good = all(view.ns for view in views)
        ds = any(view.ds for view in views)
        told = "delegates" if good else "; ".join(sorted({view.outcome for view in views}))
        glue = sum(len(each.rdatas) for each in views[0].glue)
        extra = f"{told}{', with DS' if ds else ''}{f', {glue} glue addresses' if glue else ''}"
        boxes.append(((name_text(server), *(view.address for view in views), extra), GOOD if good else BAD))
    return boxes


def _child_box(observation: Observation, name: Name) -> tuple[tuple[str, ...], str]:
    views = [view for view in observation.servers if view.server == name]
    if not views:
        host = observation.hosts.get(name)
        known = [address_text(rdata) for each in host.addresses for rdata in each.rdatas] if host else []
        return (name_text(name), *known[:4], "not asked" if known else (host.why if host else "no address")), BAD
    serving = [view for view in views if view.serves]
    state = GOOD if len(serving) == len(views) else BAD if not serving else DOUBT
    return (name_text(name), *(f"{view.address} · {_serial(view)}" for view in views[:4])), state


def _serial(view: ServerView) -> str:
    return f"serial {parse_soa(view.soa.rdatas[0]).serial}" if view.serves and view.soa else view.outcome


def _line(parent: _Box, child: _Box, name: Name, observation: Observation) -> str:
    server = parent.lines[0]
    named = any(name in targets(view.ns) for view in observation.parents if name_text(view.server) == server)
    own = name in observation.own_ns
    if not named and not own:
        return ""
    kind = "both" if named and own else "parent" if named else "child"
    x1, x2 = parent.x + _BOX, child.x
    bend = (x1 + x2) // 2
    return (
        f'<path class="{kind}" d="M{x1},{parent.middle} C{bend},{parent.middle} {bend},{child.middle} '
        f'{x2},{child.middle}"/>'
    )


def _drawn(box: _Box) -> Iterator[str]:
    yield f'<rect class="{box.state}" x="{box.x}" y="{box.y}" width="{_BOX}" height="{box.height}" rx="6"/>'
    for number, text in enumerate(box.lines):
        kind = "name" if number == 0 else "small"
        yield (
            f'<text class="{kind}" x="{box.x + 12}" '
            f'y="{box.y + _PAD + 13 + number * _LINE}">{escape(clipped(text, _LONGEST))}</text>'
        )
