"""A copy of a zone under another name: for a second domain that is to have the same."""

from legatum.core.records.name import MAX_NAME, Name, is_under, labels_of
from legatum.core.records.rrset import RRset, names_in, rrset
from legatum.core.records.rrtype import NAME_FIELDS, TXT
from legatum.core.zones.zone import Zone


def renamed(zone: Zone, origin: Name) -> tuple[Zone, tuple[RRset, ...]]:
    """The zone with its name changed to ``origin``, in owners and in the names that records hold; and the RRsets whose
    *text* still holds the old name, which is left to people. Raises ``ValueError`` where a name would become too
    long."""
    old = zone.origin

    def moved(name: Name) -> Name:
        if not is_under(name, old):
            return name
        changed = Name(name[: len(name) - len(old)] + origin)
        if len(changed) > MAX_NAME:
            raise ValueError(f"a name longer than {MAX_NAME} octets")
        return changed

    def changed(each: RRset, rdata: bytes) -> bytes:
        if each.rtype not in NAME_FIELDS:
            return rdata
        for name in names_in(each.rtype, rdata):
            rdata = rdata.replace(name, moved(name), 1) if is_under(name, old) else rdata
        return rdata

    found = [
        rrset(moved(each.name), each.rtype, each.ttl, (changed(each, rdata) for rdata in each.rdatas))
        for each in zone.unsorted
    ]
    dotted = b".".join(labels_of(old))
    left = tuple(each for each in found if each.rtype == TXT and any(dotted in rdata.lower() for rdata in each.rdatas))
    return Zone(origin, found), left
