"""What a move leads to, as an expectation to confirm or to watch."""

from pathlib import Path

from legatum.core.expected import Expected
from legatum.core.fault import BadInput
from legatum.core.masterfile import parse_master
from legatum.core.name import Name, below, parse_domain
from legatum.core.rrset import RRset
from legatum.core.rrtype import AAAA, CNAME, MX, A
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
    key = "old_ns" if back.exists() else "new_ns"
    names = runbook.premises.get(key)
    if not isinstance(names, list):
        raise BadInput(f"{path}: no {key} among the premises", "draft the move again")
    switch = next((step for step in runbook.steps if step.id == "switch"), None)
    since = outcomes["switch"].first if "switch" in outcomes else None
    publishing = next((step.estimate for step in runbook.steps if step.id == "parents"), switch.estimate if switch else 0)
    ns = tuple(sorted(parse_domain(str(each)) for each in names))
    return Expected(ns=ns, ds=(), records=_gathered(zone_path(path), domain), since=since, publishing=publishing)


def _gathered(path: Path, domain: Name) -> tuple[RRset, ...]:
    """Addresses and mail of the domain and its www, from the zone that the move gathered; nothing before it has."""
    if not path.exists():
        return ()
    zone = parse_master(path.read_text(encoding="utf-8"), domain, str(path))
    keys = [(domain, A), (domain, AAAA), (domain, MX), *((below("www", domain), rtype) for rtype in (CNAME, A, AAAA))]
    return tuple(found for key in keys if (found := zone.get(*key)))
