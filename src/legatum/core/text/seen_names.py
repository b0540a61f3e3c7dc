"""Which of very many names came before, at some twenty octets each instead of the name itself and its place in a
set."""

from array import array
from hashlib import blake2b
from struct import Struct

_FEWEST = 1024  # places in the table
_digest = Struct("=QQ").unpack


class SeenNames:
    """Knows names again by their digests, of 128 bits: that two of a billion are alike by chance happens in one of
    10^20 lists."""

    def __init__(self) -> None:
        self._count = 0
        self._places = _FEWEST
        self._table = array("Q", [0]) * (2 * _FEWEST)

    def first(self, name: bytes) -> bool:
        """Whether it comes for the first time."""
        left, right = _digest(blake2b(name, digest_size=16).digest())
        at = self._place(left, right := right or 1)
        if self._table[at + 1]:
            return False
        self._table[at], self._table[at + 1] = left, right
        self._count += 1
        if self._count * 4 > self._places * 3:
            self._grow()
        return True

    def _place(self, left: int, right: int) -> int:
        """Where the digest stands, or the free place where it is to stand: it has nothing in its second half."""
        table, at = self._table, left % self._places * 2
        while (there := table[at + 1]) and (there != right or table[at] != left):
            at = (at + 2) % len(table)
        return at

    def _grow(self) -> None:
        before, self._places = self._table, self._places * 3 // 2
        self._table = array("Q", [0]) * (2 * self._places)
        for old in range(0, len(before), 2):
            if before[old + 1]:
                at = self._place(before[old], before[old + 1])
                self._table[at], self._table[at + 1] = before[old], before[old + 1]
