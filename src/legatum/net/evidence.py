"""All replies of one piece of work, numbered: what findings and outcomes point to."""

from collections.abc import Iterator

from legatum.net.reply import Reply


class Evidence:
    """Hang it on an asker's ``heard``. Numbers begin at 1, in the order of arrival."""

    def __init__(self) -> None:
        self._replies: list[Reply] = []
        self._numbers: dict[int, int] = {}

    def __call__(self, reply: Reply) -> None:
        self._replies.append(reply)
        self._numbers[id(reply)] = len(self._replies)

    def __iter__(self) -> Iterator[Reply]:
        return iter(self._replies)

    def __len__(self) -> int:
        return len(self._replies)

    def number(self, reply: Reply) -> int:
        return self._numbers[id(reply)]
