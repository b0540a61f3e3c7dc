"""One measured figure beside what it is measured against."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Figure:
    """``ratio``: how many times better, or for costs how many times more, as ``wanted`` says."""

    what: str
    ours: str
    against: str
    ratio: float
    wanted: str
