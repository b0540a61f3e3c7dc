"""What the house has seen of a domain earlier, as a plan counts it: caches may hold it still."""

from legatum.core.moves.drawing import Remembered
from legatum.core.moves.place import PARENT
from legatum.core.records.name import Name, parse_name
from legatum.core.records.rrset import RRset, rrset
from legatum.core.records.rrtype import NS
from legatum.journal.journal import Memory
from legatum.work.memory import SIGNING
from legatum.work.outside import Outside


def remembered(outside: Outside, domain: Name, parent_zone: Name) -> tuple[Remembered, ...]:
    """Everything that was given otherwise than later, and until when it may have been: until something else was first seen."""
    rows, now = [each for each in outside.journal.memory(domain) if each.place != SIGNING], outside.clock.now()
    found = []
    for number, each in enumerate(rows):
        later = [
            other.first for other in rows[number + 1 :] if (other.place, other.name, other.rtype) == (each.place, each.name, each.rtype)
        ]
        zone = parent_zone if each.place == PARENT else domain
        found.append(Remembered(zone, (each.name, each.rtype), each.ttl, later[0] if later else now, _set(each)))
    return tuple(found)


def _set(each: Memory) -> RRset | None:
    return rrset(each.name, NS, each.ttl, [parse_name(name) for name in each.data.split()]) if each.data and each.rtype == NS else None
