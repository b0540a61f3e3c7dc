"""Unguessable numbers, drawn from the system in bulk: one at a time costs a system call each."""

import os
import random

_WELL = 4096


class Chance(random.SystemRandom):
    """As :class:`random.SystemRandom`, with the 16-bit numbers that questions need taken from a well."""

    def __init__(self) -> None:
        super().__init__()
        self._well = b""
        self._at = _WELL

    def getrandbits(self, k: int) -> int:
        if k > 16:
            return super().getrandbits(k)
        if self._at + 2 > len(self._well):
            self._well, self._at = os.urandom(_WELL), 0
        number = self._well[self._at] << 8 | self._well[self._at + 1]
        self._at += 2
        return number >> (16 - k)
