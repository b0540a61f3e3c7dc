"""How long to wait, and why (docs/timing.md). The rules themselves are in :mod:`legatum.core.moves.needs`.

A rule does not give an instant but *waits*: so many seconds after something has happened everywhere. What happened when
is put in later by :func:`not_before` - measured instants while a move is carried out, estimates in a forecast - so that
the same rules serve both. Every wait knows its reason; every bound shows all its parts.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from legatum.core.calendar.instant import clock_text


@dataclass(frozen=True, slots=True)
class Caution:
    """How careful the house is, in seconds.

    ``floor``: resolvers may keep an answer at least this long, so it replaces each shorter TTL. ``time_out``: a
    question under way may bring an old answer this late. ``margin``: added to every bound.
    """

    floor: int = 300
    time_out: int = 6
    margin: int = 30

    def lasts(self, ttl: int) -> int:
        """How long a copy with this TTL may live."""
        return max(ttl, self.floor)

    def slack(self, copies: int) -> int:
        """One query time-out and a second for each copy in a chain: a question may be under way when the copy that it
        was asked by ends, TTLs run from receipt, and they are cut to whole seconds."""
        return copies * (self.time_out + 1)


AS_WISHED = 0
"""In the place of a rule: somebody wants it so, and nothing is computed."""


@dataclass(frozen=True, slots=True)
class Wait:
    """Not before ``seconds`` + ``slack`` after ``after`` - a step of the runbook - is true of every server concerned.

    ``because`` has ``{at}`` where the instant of ``after`` is shown.
    """

    after: str
    seconds: int
    slack: int
    rule: int
    because: str


@dataclass(frozen=True, slots=True)
class Bound:
    """A computed instant, the wait that decides it, and everything that was considered (latest first). ``rule``: 0
    where none of the rules decides, but the house."""

    instant: float
    reason: str
    rule: int
    parts: tuple[tuple[float, str], ...]


def not_before(waits: Iterable[Wait], happened: Mapping[str, float], now: float, margin: int) -> Bound | None:
    """The latest of the waits as an instant with its reason; None when there is nothing to wait for.

    ``happened``: step → the instant from which it was true of every server. Raises ``KeyError`` for a step that has not
    happened.
    """
    parts = []
    for wait in waits:
        at = happened[wait.after]
        reason = wait.because.replace("{at}", clock_text(at, now))
        allowance = f"; {wait.slack} s for a question under way" if wait.slack else ""
        extra = f"; {margin} s margin" if margin else ""
        known_by = f"rule {wait.rule}" if wait.rule != AS_WISHED else "as wished"
        parts.append((at + wait.seconds + wait.slack + margin, f"{reason} ({known_by}{allowance}{extra})", wait.rule))
    if not parts:
        return None
    parts.sort(reverse=True)
    instant, reason, rule = parts[0]
    return Bound(instant, reason, rule, tuple((when, why) for when, why, _ in parts))


def load_of_ttl(rate: float, ttl: float, caches: int = 1) -> float:
    """Rule 14: questions a second that ``caches`` caches, each asked ``rate`` times a second, send on: n·λ/(1+λT)."""
    return caches * rate / (1 + rate * ttl)
