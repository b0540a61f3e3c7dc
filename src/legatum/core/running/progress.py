"""How far a long piece of work is, for whoever shows that: counts, and no more. Where nobody looks they cost next to
nothing."""

from contextvars import ContextVar


class Progress:
    """``stage``: what is being done, in words; ``done`` of ``total``, 0 for a total that is not known; ``unit``: of
    what."""

    __slots__ = ("done", "stage", "total", "unit")

    def __init__(self) -> None:
        self.stage, self.unit, self.done, self.total = "", "", 0, 0

    def begin(self, stage: str, total: int = 0, unit: str = "") -> None:
        """What was counted before belongs to the stage before."""
        self.stage, self.unit, self.done, self.total = stage, unit, 0, total


_current: ContextVar[Progress] = ContextVar("tally")
_nobodys = Progress()


def tally() -> Progress:
    """That of the work that this is part of."""
    return _current.get(_nobodys)


def looked_at(found: Progress) -> None:
    """From now on this work is counted there."""
    _current.set(found)
