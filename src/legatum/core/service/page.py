"""A web page reduced to what stays the same from one visit to the next: its title, its words, and how alike two of them
are."""

import hashlib
import re
from dataclasses import dataclass, field

_UNSEEN = ("script", "style", "template", "noscript", "svg", "head")
_ONE_OFF = re.compile(r"(?=\w*\d)[\w+/=-]{12,}|\b[0-9a-f]{8,}\b|\d+")  # tokens, digests, times, counters
_CONTROLS = dict.fromkeys([*range(9), 11, 12, *range(14, 32)], " ")
_WORD = re.compile(r"\w+")
_LONGEST_TITLE, _SHINGLE, _KEPT = 200, 3, 256
_MOST_READ = 1 << 17  # characters of words: enough to tell one page from another


@dataclass(frozen=True, slots=True)
class Page:
    """``fingerprint``: equal where the words are, numbers and tokens aside, 16 hexadecimal digits; ``octets``: as far
    as it was read, and ``cut`` where that was not all of it. ``sketch``: the least hashes of its runs of three words,
    by which two pages are held against each other."""

    title: str
    fingerprint: str
    octets: int
    cut: bool = False
    sketch: frozenset[int] = field(default=frozenset(), repr=False)


def page_of(body: bytes, charset: str = "", cut: bool = False) -> Page:
    """``charset``: as the server says; what is not so is shown with replacement characters."""
    try:
        text = body.decode(charset or "utf-8", "replace")
    except LookupError:
        text = body.decode("utf-8", "replace")
    title, seen = _read(text)
    words = _WORD.findall(_ONE_OFF.sub(" ", " ".join(seen)[:_MOST_READ]).lower())
    runs = {" ".join(words[at : at + _SHINGLE]) for at in range(max(1, len(words) - _SHINGLE + 1))} if words else set()
    sketch = frozenset(
        sorted(int.from_bytes(hashlib.blake2b(run.encode(), digest_size=8).digest()) for run in runs)[:_KEPT]
    )
    fingerprint = hashlib.sha256(" ".join([title, *words]).encode()).hexdigest()[:16]
    return Page(" ".join(title.split())[:_LONGEST_TITLE], fingerprint, len(body), cut, sketch)


def likeness(one: Page, other: Page) -> float:
    """From 0, nothing in common, to 1, the same words: the share of the least hashes of both together that both
    have."""
    if one.fingerprint == other.fingerprint:
        return 1.0
    least = sorted(one.sketch | other.sketch)[:_KEPT]
    return sum(each in one.sketch and each in other.sketch for each in least) / len(least) if least else 1.0


def _read(text: str) -> tuple[str, list[str]]:
    """Title and visible texts of whatever a server sends: what is no page has none of either, in bounded time."""
    from lxml import etree

    parser = etree.HTMLParser(encoding="utf-8", remove_comments=True, remove_pis=True, no_network=True)
    try:
        parser.feed(text.translate(_CONTROLS).encode("utf-8", "replace"))
        root = parser.close()
    except (etree.LxmlError, ValueError):
        return "", []
    if root is None:
        return "", []
    titles = [each.text or "" for each in root.iter("title")]
    seen = list[str]()
    unseen = 0
    for event, element in etree.iterwalk(root, events=("start", "end")):
        hidden = element.tag in _UNSEEN or element.tag == "title"
        if event == "start":
            unseen += hidden
            seen += [element.text] if element.text and not unseen else []
        else:
            unseen -= hidden
            seen += [element.tail] if element.tail and not unseen else []
    return next(filter(None, titles), "")[: 4 * _LONGEST_TITLE], seen
