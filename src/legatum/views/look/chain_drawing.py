"""The chain of trust as a picture: zone below zone, and between them the DS set that connects them.

SVG, drawn here so that it stands in the page itself and prints well. Line: green where the DS set holds below it, red
where it does not, dashed where there is none.
"""

from collections import Counter
from html import escape

from legatum.core.dnssec.chain import State
from legatum.core.text.printable import clean, clipped
from legatum.views.look.chain import ChainDocument, LinkPart

_WIDTH, _LEFT, _BOX, _LINE, _PAD, _GAP = 760, 16, 728, 17, 10, 62
_MOST, _LONGEST = 6, 104
_CLASSES = {State.VALID: "good", State.BROKEN: "bad"}


def draw_chain(document: ChainDocument | None) -> str:
    """SVG text, safe to stand in a page; none where the chain was not looked at."""
    if document is None:
        return ""
    y, parts = 26, list[str]()
    for number, link in enumerate(document.links):
        lines = [f"{'the root' if link.zone == '.' else link.zone}: {link.state}", *_told(link)]
        height = 2 * _PAD + _LINE * len(lines)
        if number:
            parts += _connection(link, y)
            y += _GAP
        kind = _CLASSES.get(State(link.state), "doubt")
        parts.append(f'<rect class="{kind}" x="{_LEFT}" y="{y}" width="{_BOX}" height="{height}" rx="6"/>')
        for at, text in enumerate(lines):
            parts.append(_text("small" if at else "name", _LEFT + 12, y + _PAD + 13 + at * _LINE, text))
        y += height
    label = escape(clean(f"{document.domain}: {document.state}"), quote=True)
    head = f'<svg viewBox="0 0 {_WIDTH} {y + 16}" role="img" aria-label="{label}" xmlns="http://www.w3.org/2000/svg">'
    return "\n".join([head, *parts, "</svg>"])


def _told(link: LinkPart) -> list[str]:
    """What is wrong first; keys, by how many addresses give them alike."""
    sets = Counter((tuple(each.keys), tuple(each.sign_keys)) for each in link.servers if each.answered)
    told = [f"the settings trust DS {_short(each)}" for each in link.anchor]
    told += [*link.problems, *link.disagreeing]
    for (keys, entry), count in sets.most_common():
        said = (
            f"keys {', '.join(keys)}; the key set signed with {', '.join(entry) or 'none that holds'}"
            if keys
            else "no keys"
        )
        told.append(f"{count} {'address' if count == 1 else 'addresses'}: {said}")
    ends = [each.until for each in link.servers if each.until]
    told += [f"signatures until {min(ends).replace('T', ' ').replace('Z', ' UTC')}"] if ends else []
    told += [f"no answer: {each}" for each in link.not_seen]
    return told[:_MOST]


def _connection(link: LinkPart, y: int) -> list[str]:
    """The DS set between a zone and the one above it."""
    sets = Counter(tuple(each) for each in link.ds.values() if each is not None)
    said = {records: "; ".join(f"DS {_short(one)}" for one in records) or "no DS" for records in sets}
    lines = [f"{count} of the parent's addresses: {said[records]}" for records, count in sets.items()]
    if silent := sum(each is None for each in link.ds.values()):
        lines.append(f"{silent} of the parent's addresses did not answer")
    kind = {State.VALID: "both", State.BROKEN: "broken"}.get(State(link.state), "child")
    x = _LEFT + 40
    line = f'<path class="{kind}" d="M{x},{y} L{x},{y + _GAP}"/>'
    return [line, *(_text("small", x + 14, y + 22 + at * _LINE, each) for at, each in enumerate(lines[:2]))]


def _short(record: str) -> str:
    """Tag, algorithm, digest type, and as much of the digest as tells one from another."""
    *head, digest = record.split()
    return f"{' '.join(head)} {digest[:16]}…"


def _text(kind: str, x: int, y: int, text: str) -> str:
    return f'<text class="{kind}" x="{x}" y="{y}">{escape(clipped(text, _LONGEST))}</text>'
