"""How complete a zone is that was found name by name, and what may be missing."""

from legatum.core.dnssec.counting import Count, with_empty_names
from legatum.core.dnssec.denial import nsec3_hash
from legatum.core.records.name import name_text
from legatum.core.records.rrtype import RRSIG, type_text
from legatum.core.zones.completeness import Completeness, Degree, sampled
from legatum.core.zones.sample import Sample
from legatum.core.zones.zone import Zone

_MOST_TOLD = 8


def found_by_asking(zone: Zone, asked: Sample) -> Completeness:
    empty = sorted(asked.empty)
    doubts = [
        f"{name_text(name)} exists, what it holds or what lies below it is not known" for name in empty[:_MOST_TOLD]
    ]
    doubts += [f"and {len(empty) - _MOST_TOLD} more names like these"] if len(empty) > _MOST_TOLD else []
    doubts += [
        f"every name under {name_text(name)} exists (a wildcard): others may hide below it"
        for name in sorted(asked.wildcards)
    ]
    held = {name for name, _ in zone.keys}
    return sampled(asked.by_records & held, asked.by_list & held, len(asked.names) + 1, asked.unanswered, tuple(doubts))


def counted_by_proofs(zone: Zone, asked: Sample, counted: Count) -> Completeness:
    """The hashes of the names that are known, against those that exist."""
    known = with_empty_names(zone.names, zone.origin)
    proven = sum(counted.knows(name) for name in known)
    exist = len(counted.hashes)
    doubts = ["sub-delegations without DS may be missing in the count (opt-out)"] if counted.opt_out else []
    unknown = counted.hashes.keys() - {nsec3_hash(name, counted.salt, counted.iterations) for name in known}
    for digest in sorted(unknown)[:_MOST_TOLD]:
        held = ", ".join(type_text(rtype) for rtype in sorted(counted.hashes[digest] - {RRSIG}))
        doubts.append(f"a name that is not known holds {held or 'nothing itself, but names below it'}")
    if len(unknown) > _MOST_TOLD:
        doubts.append(f"and {len(unknown) - _MOST_TOLD} more names that are not known")
    if not counted.closed:
        doubts.append("the chain of hashes was not seen whole: there are more names than counted")
    if asked.unanswered:
        doubts.append(f"{asked.unanswered} questions were not answered: gather again")
    because = f"{exist} names exist by the NSEC3 chain, {proven} of them are known, {exist - proven} are not"
    degree = Degree.COMPLETE if counted.closed and proven == exist and not doubts else Degree.COUNTED
    return Completeness(degree, because, exist, proven, len(asked.names) + 1, asked.unanswered, tuple(doubts))
