"""All replies of one piece of work, numbered: what findings and outcomes point to."""

from collections import Counter
from collections.abc import Iterable, Iterator
from typing import TYPE_CHECKING

from legatum.net.asking.reply import Reply

if TYPE_CHECKING:
    from legatum.net.asking.web import WebAnswer


class Evidence:
    """Hang it on an asker's ``heard``, or give it replies one by one. Numbers begin at 1, in the order of arrival.

    ``asked``: replies by server, and ``count`` of all, forgotten ones too; ``web``: what was fetched, by address.
    """

    def __init__(self, replies: Iterable[Reply] = ()) -> None:
        self._replies: list[Reply] = []
        self._numbers: dict[int, int] = {}
        self.asked: Counter[str] = Counter()
        self.count = 0
        self.web: dict[str, WebAnswer] = {}
        for reply in replies:
            self(reply)

    def __call__(self, reply: Reply) -> None:
        self._replies.append(reply)
        self._numbers[id(reply)] = len(self._replies)
        self.asked[reply.server] += 1
        self.count += 1

    def forget(self, kept: int) -> None:
        """All but the latest ``kept`` replies, in steps: those that stay get new numbers."""
        if len(self._replies) > 2 * kept:
            self._replies = self._replies[-kept:]
            self._numbers = {id(reply): number for number, reply in enumerate(self._replies, 1)}

    def __iter__(self) -> Iterator[Reply]:
        return iter(self._replies)

    def __len__(self) -> int:
        return len(self._replies)

    def number(self, reply: Reply) -> int:
        """Of a reply; one not seen before is taken in."""
        if id(reply) not in self._numbers:
            self(reply)
        return self._numbers[id(reply)]
