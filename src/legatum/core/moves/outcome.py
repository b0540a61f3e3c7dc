"""What came of a step of a move."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any


@dataclass(frozen=True, slots=True)
class Outcome:
    """What is known of a step that was carried out: from when on the first and from when on all servers showed it."""

    step: str
    first: float
    all: float
    summary: str
    facts: Mapping[str, Any] = field(default_factory=dict)
