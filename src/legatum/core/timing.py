"""How long to wait, and why (docs/timing.md). Each rule of the model is one function here.

A rule does not give an instant but *waits*: so many seconds after something has happened everywhere. What happened when is put
in later by :func:`not_before` - measured instants while a move is carried out, estimates in a forecast - so that the same
rules serve both. Every wait knows its reason; every bound shows all its parts.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from legatum.core.instant import clock_text


@dataclass(frozen=True, slots=True)
class Caution:
    """How careful the house is, in seconds.

    ``floor``: resolvers may keep an answer at least this long, so it replaces each shorter TTL. ``time_out``: a question under
    way may bring an old answer this late. ``margin``: added to every bound.
    """

    floor: int = 300
    time_out: int = 6
    margin: int = 30

    def lasts(self, ttl: int) -> int:
        """How long a copy with this TTL may live."""
        return max(ttl, self.floor)

    def slack(self, copies: int) -> int:
        """One query time-out, and a second for each copy in a chain: TTLs run from receipt, and are cut to whole seconds."""
        return self.time_out + copies


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
    """A computed instant, the wait that decides it, and everything that was considered (latest first)."""

    instant: float
    reason: str
    rule: int
    parts: tuple[tuple[float, str], ...]


def lowering(lowered: str, old_ttl: int, low_ttl: int, what: str, caution: Caution) -> tuple[Wait, ...]:
    """Rule 1: after a TTL is lowered, from when on a change of the data is short.

    From t_all(lower) + T_old − T_low on, nobody keeps the old data longer than T_low after the change; changing earlier ends
    the old data no sooner.
    """
    ahead = caution.lasts(old_ttl) - caution.lasts(low_ttl)
    if ahead <= 0:
        return ()
    because = f"{what} was handed out with a TTL of {old_ttl} until {{at}}, and may be kept that long; now with {low_ttl}"
    return (Wait(lowered, ahead, caution.slack(1), 1, because),)


def changed_rrset(what: str, served: Iterable[tuple[str, int]], caution: Caution) -> tuple[Wait, ...]:
    """Rule 2: the last old answer. ``served``: (step after which it is no longer served with that TTL, TTL) for every TTL it had."""
    return tuple(
        Wait(step, caution.lasts(ttl), caution.slack(1), 2, f"{what} was handed out until {{at}} with a TTL of {ttl}")
        for step, ttl in served
    )


def new_name(added: str, negative_ttl: int, what: str, caution: Caution) -> tuple[Wait, ...]:
    """Rule 3: when a new name is visible to all: caches keep “no such name” for the zone's negative TTL."""
    because = f"{what}: seen everywhere at {{at}}, and caches may keep “no such name” for {negative_ttl} s"
    return (Wait(added, caution.lasts(negative_ttl), caution.slack(1), 3, because),)


@dataclass(frozen=True, slots=True)
class Delegation:
    """What rule 4 needs. Steps by name: ``parents``, every parent server hands out the new NS set; ``children``, every old and
    new server has the new apex NS set, or None where the old provider keeps its own; ``lowered``, its TTL was lowered from
    ``old_apex_ttl``, or None. TTLs in seconds."""

    parent_zone: str
    parents: str
    children: str | None
    lowered: str | None
    parent_ttl: int
    apex_ttl: int
    old_apex_ttl: int


def delegation_change(facts: Delegation, caution: Caution) -> tuple[Wait, ...]:
    """Rule 4: when no cache asks the old servers any more.

    max(t_p + T_par, t_c + T_ns); and t_p + T_par + T_ns where the old servers go on handing out the old NS set.
    """
    servers = "the root servers" if facts.parent_zone == "." else f"the .{facts.parent_zone} servers"
    parent = f"{servers} handed out the old NS set until {{at}} with a TTL of {facts.parent_ttl}"
    if facts.children is None:
        total = caution.lasts(facts.parent_ttl) + caution.lasts(facts.old_apex_ttl)
        because = f"{parent}, and the old servers go on handing it out with a TTL of {facts.old_apex_ttl}"
        return (Wait(facts.parents, total, caution.slack(2), 4, because),)
    child = f"the domain's own servers handed out the old NS set until {{at}} with a TTL of {facts.apex_ttl}"
    waits = (
        Wait(facts.parents, caution.lasts(facts.parent_ttl), caution.slack(1), 4, parent),
        Wait(facts.children, caution.lasts(facts.apex_ttl), caution.slack(1), 4, child),
    )
    if facts.lowered is None:
        return waits
    return waits + changed_rrset("the domain's own NS set", [(facts.lowered, facts.old_apex_ttl)], caution)


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
        parts.append((at + wait.seconds + wait.slack + margin, f"{reason} (rule {wait.rule}{allowance}{extra})", wait.rule))
    if not parts:
        return None
    parts.sort(reverse=True)
    instant, reason, rule = parts[0]
    return Bound(instant, reason, rule, tuple((when, why) for when, why, _ in parts))


def load_of_ttl(rate: float, ttl: float, caches: int = 1) -> float:
    """Rule 14: questions a second that ``caches`` caches, each asked ``rate`` times a second, send on: n·λ/(1+λT)."""
    return caches * rate / (1 + rate * ttl)
