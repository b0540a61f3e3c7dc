"""What a move has led to so far, as an expectation to confirm, and what it leads to in the end, to watch."""

from pathlib import Path

from legatum.core.agreement.expected import Expected
from legatum.core.dnssec.serving import ds_rdatas
from legatum.core.moves.drift.position import Position
from legatum.core.moves.effects import Delegated, Published
from legatum.core.moves.place import PARENT
from legatum.core.moves.runbook import Runbook, next_step
from legatum.core.records.name import Name, below
from legatum.core.records.rrset import RRset, targets
from legatum.core.records.rrtype import AAAA, CNAME, MX, NS, SOA, A
from legatum.core.zones.masterfile import parse_master
from legatum.work.movefile import move_path, read_move, retreat_path, zone_path
from legatum.work.run_context import RunContext


def expected_of_move(context: RunContext, domain: Name) -> Expected:
    """By the steps that are done: the NS set and the DS set at the parent, and what visitors come for, as the effects
    have left it; where nothing of it was changed, as the zone was gathered. Raises :class:`BadInput` where there is no
    move."""
    path, runbook = _opened(context, domain)
    outcomes = context.journal.outcomes(runbook.id)
    at = Position(runbook, next_step(runbook, outcomes) or runbook.steps[-1], outcomes)
    ns = targets(at.timeline.rrset(PARENT, runbook.premises.parent_zone, domain, NS))
    led = [step for step in at.done if any(isinstance(effect, Delegated) for effect in step.effects)]
    since = outcomes[led[-1].id].first if led else None
    publishing = next(
        (step.estimate for step in runbook.steps if any(isinstance(each, Published) for each in step.effects)), 0
    )
    given = {
        targets(found) for place in _led(at) if (found := at.timeline.rrset(place, domain, domain, NS)) is not None
    }
    return Expected(
        ns=tuple(sorted(ns)),
        ds=_ds(at),
        records=_records(at, _gathered(zone_path(path), domain)),
        since=since,
        publishing=publishing,
        own_ns=next(iter(given)) if len(given) == 1 else None,
    )


def goal_of_move(context: RunContext, domain: Name) -> tuple[Name, ...]:
    """The NS set that it leads to in the end. Raises :class:`BadInput` where there is no move."""
    _, runbook = _opened(context, domain)
    led = [effect for step in runbook.steps for effect in step.effects if isinstance(effect, Delegated)]
    above = runbook.premises.of(PARENT, runbook.premises.parent_zone)
    present = (
        next((targets(each) for each in above.rrsets if (each.name, each.rtype) == (domain, NS)), ()) if above else ()
    )
    return led[-1].after if led else present


def _opened(context: RunContext, domain: Name) -> tuple[Path, Runbook]:
    path = move_path(context, domain)
    back = retreat_path(path)
    return path, read_move(back if back.exists() else path)


def _ds(at: Position) -> tuple[bytes, ...] | None:
    """None where it is of keys that nobody knows yet, or whether there is one was not looked at."""
    anchors, premises = at.timeline.ds_set(at.domain), at.runbook.premises
    if anchors.of or not (premises.unsigned or premises.signing):
        return None
    return ds_rdatas(anchors)


def _led(at: Position) -> list[str]:
    """Places that serve it and to which the parent leads."""
    serving = [each for each in at.timeline.serving(at.domain) if each != PARENT]
    led = set(targets(at.timeline.rrset(PARENT, at.runbook.premises.parent_zone, at.domain, NS)))
    return [each for each in serving if led & set(at.runbook.premises.place(each).servers)]


def _records(at: Position, gathered: dict[tuple[Name, int], RRset]) -> tuple[RRset, ...]:
    """What all places give alike to which anybody is led."""
    led, found = _led(at), dict(gathered)
    for key in at.timeline.keys(at.domain):
        if key[1] in (NS, SOA):
            continue
        given = [at.timeline.rrset(place, at.domain, *key) for place in led]
        found.pop(key, None)
        if (
            given
            and given[0] is not None
            and all(each is not None and each.rdatas == given[0].rdatas for each in given)
        ):
            found[key] = given[0]
    return tuple(found.values())


def _gathered(path: Path, domain: Name) -> dict[tuple[Name, int], RRset]:
    """Addresses and mail of the domain and its www, from the zone that the move gathered; nothing before it has."""
    if not path.exists():
        return {}
    zone = parse_master(path.read_text(encoding="utf-8"), domain, str(path))
    keys = [(domain, A), (domain, AAAA), (domain, MX), *((below("www", domain), rtype) for rtype in (CNAME, A, AAAA))]
    return {key: found for key in keys if (found := zone.get(*key))}
