"""Servers that leave a delegation: since when nobody names them any more, and when nobody asks them (docs/timing.md, rule 4).

The instant is kept in the journal: the wait counts from when it was seen, not from when somebody asks again.
"""

from dataclasses import dataclass

from legatum.core.instant import instant_text
from legatum.core.name import Name
from legatum.core.runbook import Outcome
from legatum.work.outside import Outside

_NAMED, _UNNAMED = "named", "unnamed"
Ttls = tuple[int, int]


@dataclass(frozen=True)
class Parting:
    """``bound``: when nobody asks them any more, in seconds since 1970, and ``reason``."""

    bound: float
    reason: str


def parting(outside: Outside, ident: str, who: str) -> Parting | None:
    """How far a parting is that is called ``ident`` in the journal; None while ``who`` is still named."""
    outcome = outside.journal.outcomes(ident).get(_UNNAMED)
    if outcome is None:
        return None
    at_parent, in_zone, caution = int(outcome.facts["parent_ttl"]), int(outcome.facts["zone_ttl"]), outside.caution
    reason = (
        f"{who} was named until {instant_text(outcome.all)}, at the parent with a TTL of {at_parent}, in the zone of {in_zone} (rule 4)"
    )
    lasts = caution.lasts(max(at_parent, in_zone)) + caution.slack(1)
    if outcome.facts.get("keeps"):  # a cache that trusts the child takes the set from there once more
        lasts = caution.lasts(at_parent) + caution.lasts(in_zone) + caution.slack(2)
        reason += f"; {who} goes on naming itself, so some caches stay with it until its service ends"
    return Parting(outcome.all + lasts + caution.margin, reason)


def note_named(outside: Outside, domain: Name, ident: str, ttls: Ttls) -> None:
    """Before the first change: with which TTLs they were named. What comes back later may find nothing that names them."""
    now = outside.clock.now()
    facts = {"parent_ttl": ttls[0], "zone_ttl": ttls[1]}
    outside.journal.settle(ident, domain, Outcome(_NAMED, now, now, "named", facts), now, ())


def named_until_now(outside: Outside, ident: str) -> Ttls | None:
    """What :func:`note_named` noted, of a parting that is not over."""
    outcome = outside.journal.outcomes(ident).get(_NAMED)
    return (int(outcome.facts["parent_ttl"]), int(outcome.facts["zone_ttl"])) if outcome else None


def note_unnamed(outside: Outside, domain: Name, ident: str, ttls: Ttls, summary: str, keeps: bool = False) -> None:
    """Nobody names them from now on. ``keeps``: but they themselves, whose NS set cannot be changed."""
    now = outside.clock.now()
    facts = {"parent_ttl": ttls[0], "zone_ttl": ttls[1], "keeps": keeps}
    outside.journal.settle(ident, domain, Outcome(_UNNAMED, now, now, summary, facts), now, ())


def note_joined(outside: Outside, domain: Name, ident: str) -> None:
    """They are named again, or will be: what was waited for when they left counts no longer."""
    for step in outside.journal.outcomes(ident).keys() & {_NAMED, _UNNAMED}:
        outside.journal.forget(ident, domain, step, outside.clock.now(), "named again")


def note_over(outside: Outside, domain: Name, ident: str, said: str) -> None:
    """Their service has ended: the next parting begins anew."""
    now = outside.clock.now()
    outside.journal.settle(ident, domain, Outcome("released", now, now, said), now, ())
    for step in (_NAMED, _UNNAMED):
        outside.journal.forget(ident, domain, step, now, "over")
