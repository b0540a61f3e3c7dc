"""A web page reduced to what stays the same from one visit to the next: its title, its words, and how alike two of them are."""

import hashlib
import re
from dataclasses import dataclass, field
from html.parser import HTMLParser

_UNSEEN = ("script", "style", "template", "noscript", "svg", "head")
_ONE_OFF = re.compile(r"(?=\w*\d)[\w+/=-]{12,}|\b[0-9a-f]{8,}\b|\d+")  # tokens, digests, times, counters
_WORD = re.compile(r"\w+")
_LONGEST_TITLE, _SHINGLE, _KEPT = 200, 3, 256


@dataclass(frozen=True, slots=True)
class Page:
    """``fingerprint``: equal where the words are, numbers and tokens aside, 16 hexadecimal digits; ``octets``: as far as it was read, and
    ``cut`` where that was not all of it. ``sketch``: the least hashes of its runs of three words, by which two pages are held against
    each other."""

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
    reader = _Reader()
    reader.feed(text)
    words = _WORD.findall(_ONE_OFF.sub(" ", " ".join(reader.words)).lower())
    runs = {" ".join(words[at : at + _SHINGLE]) for at in range(max(1, len(words) - _SHINGLE + 1))} if words else set()
    sketch = frozenset(sorted(int.from_bytes(hashlib.blake2b(run.encode(), digest_size=8).digest(), "big") for run in runs)[:_KEPT])
    fingerprint = hashlib.sha256(" ".join([reader.title, *words]).encode()).hexdigest()[:16]
    return Page(" ".join(reader.title.split())[:_LONGEST_TITLE], fingerprint, len(body), cut, sketch)


def likeness(one: Page, other: Page) -> float:
    """From 0, nothing in common, to 1, the same words: the share of the least hashes of both together that both have."""
    if one.fingerprint == other.fingerprint:
        return 1.0
    least = sorted(one.sketch | other.sketch)[:_KEPT]
    return sum(each in one.sketch and each in other.sketch for each in least) / len(least) if least else 1.0


class _Reader(HTMLParser):
    """Title and visible words."""

    def __init__(self) -> None:
        super().__init__(convert_charrefs=True)
        self.title = ""
        self.words: list[str] = []
        self._inside: list[str] = []
        self._titled = False

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        if tag == "title" and not self.title:
            self._titled = True
        elif tag in _UNSEEN:
            self._inside.append(tag)
        elif tag == "body":
            self._inside.clear()

    def handle_endtag(self, tag: str) -> None:
        if tag == "title":
            self._titled = False
        elif tag in self._inside:
            del self._inside[self._inside.index(tag) :]

    def handle_data(self, data: str) -> None:
        if self._titled:
            self.title += data[: 4 * _LONGEST_TITLE]
        elif not self._inside:
            self.words.append(data)
