"""Which of very many names came before, at some thirty octets each instead of the name itself and its place in a set."""

from array import array
from hashlib import blake2b
from struct import Struct

_SMALLEST = 1 << 10  # places in the table; always a power of two
_digest = Struct("=QQ").unpack


class Once:
    """Knows names again by their digests, of 128 bits: that two of a billion are alike by chance happens in one of 10^20 lists."""

    def __init__(self) -> None:
        self._count = 0
        self._table = array("Q", [0]) * (2 * _SMALLEST)

    def first(self, name: bytes) -> bool:
        """Whether it comes for the first time."""
        left, right = _digest(blake2b(name, digest_size=16).digest())
        at = self._place(left, right := right or 1)
        if self._table[at + 1]:
            return False
        self._table[at], self._table[at + 1] = left, right
        self._count += 1
        if self._count * 8 > len(self._table) * 3:  # three quarters of the places are taken
            self._grow()
        return True

    def _place(self, left: int, right: int) -> int:
        """Where the digest stands, or the free place where it is to stand: it has nothing in its second half."""
        table, last = self._table, len(self._table) - 1
        at = left * 2 & last
        while (there := table[at + 1]) and (there != right or table[at] != left):
            at = at + 2 & last
        return at

    def _grow(self) -> None:
        before = self._table
        self._table = array("Q", [0]) * (2 * len(before))
        for old in range(0, len(before), 2):
            if before[old + 1]:
                at = self._place(before[old], before[old + 1])
                self._table[at], self._table[at + 1] = before[old], before[old + 1]
