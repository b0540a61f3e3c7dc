"""What a move leads to, as an expectation to confirm or to watch."""

from pathlib import Path

from legatum.core.moves.effects import Delegated, Published
from legatum.core.moves.place import PARENT
from legatum.core.moves.runbook import Runbook
from legatum.core.observation.expected import Expected
from legatum.core.records.name import Name, below
from legatum.core.records.rrset import RRset, targets
from legatum.core.records.rrtype import AAAA, CNAME, MX, NS, A
from legatum.core.zones.masterfile import parse_master
from legatum.work.movefile import move_path, read_move, retreat_path, zone_path
from legatum.work.outside import Outside


def expected_of_move(outside: Outside, domain: Name) -> Expected:
    """What the domain's move leads to: the NS set, since the switch was seen; no DS; and of the gathered zone what visitors come for.

    Raises :class:`BadInput` where there is no move.
    """
    path = move_path(outside, domain)
    back = retreat_path(path)
    runbook = read_move(back if back.exists() else path)
    outcomes = outside.journal.outcomes(runbook.id)
    led = [(step, effect) for step in runbook.steps for effect in step.effects if isinstance(effect, Delegated)]
    ns = led[-1][1].after if led else _present(runbook)
    since = outcomes[led[-1][0].id].first if led and led[-1][0].id in outcomes else None
    publishing = next((step.estimate for step in runbook.steps if any(isinstance(each, Published) for each in step.effects)), 0)
    return Expected(ns=tuple(sorted(ns)), ds=(), records=_gathered(zone_path(path), domain), since=since, publishing=publishing)


def _present(runbook: Runbook) -> tuple[Name, ...]:
    """The NS set of a move that leaves it as it is."""
    above = runbook.premises.of(PARENT, runbook.premises.parent_zone)
    return next((targets(each) for each in above.rrsets if (each.name, each.rtype) == (runbook.domain, NS)), ()) if above else ()


def _gathered(path: Path, domain: Name) -> tuple[RRset, ...]:
    """Addresses and mail of the domain and its www, from the zone that the move gathered; nothing before it has."""
    if not path.exists():
        return ()
    zone = parse_master(path.read_text(encoding="utf-8"), domain, str(path))
    keys = [(domain, A), (domain, AAAA), (domain, MX), *((below("www", domain), rtype) for rtype in (CNAME, A, AAAA))]
    return tuple(found for key in keys if (found := zone.get(*key)))
