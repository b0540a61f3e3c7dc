"""Nobody is led to a place, or knows of a name server, any more (rules 4, 10 and 16)."""

from collections.abc import Iterator, Sequence

from legatum.core.calendar.timing import Caution, Wait
from legatum.core.moves.needs import NoLongerQueried, NsSetExpired
from legatum.core.moves.place import ADDRESSES, PARENT, Premises
from legatum.core.moves.timeline import Content, Timeline
from legatum.core.records.address import address_text
from legatum.core.records.name import ROOT, Name, is_under, name_text
from legatum.core.records.rrset import RRset, targets
from legatum.core.records.rrtype import NS


def wait_for(after: str, copies: Sequence[int], rule: int, because: str, caution: Caution) -> Wait:
    """``copies``: the TTLs of copies that are fetched one through the other."""
    return Wait(after, sum(caution.lasts(ttl) for ttl in copies), caution.slack(len(copies)), rule, because)


def servers_of(zone: Name) -> str:
    return "the root servers" if zone == ROOT else f"the .{name_text(zone)} servers"


def unasked(need: NoLongerQueried, timeline: Timeline, premises: Premises, caution: Caution) -> Iterator[Wait]:
    hosts = hosts_at(need.place, timeline, premises)
    for (place, zone, name, rtype), track in timeline.rrsets.items():
        if rtype != NS or name != need.zone or not (zone == need.zone or is_under(name, zone)):
            continue
        at_parent = zone != need.zone
        for ns, ended in track.versions:
            if ns is None or not (leading := hosts & set(targets(ns))):
                continue
            if ended is not None:
                yield wait_for(
                    ended, [ns.ttl], 4, _handed_out(place, zone, need.zone, ns, timeline, need.place), caution
                )
            elif place == need.place and not at_parent:
                yield from _kept(need, ns, timeline, caution)
            else:
                yield from _moved_away(leading, zone, timeline, premises, need.place, caution)


def unnamed(need: NsSetExpired, timeline: Timeline, caution: Caution) -> Iterator[Wait]:
    hosts = set(need.hosts)
    for (place, zone, name, rtype), track in timeline.rrsets.items():
        if rtype == NS and name == need.zone:
            for ns, ended in track.versions:
                if ns is not None and ended is not None and hosts & set(targets(ns)):
                    yield wait_for(
                        ended, [ns.ttl], 4, _handed_out(place, zone, need.zone, ns, timeline, place), caution
                    )


def _handed_out(place: str, zone: Name, child: Name, ns: RRset, timeline: Timeline, leaving: str) -> str:
    whose = "the old" if leaving == place or place == PARENT or zone != child else "the"
    if place == PARENT:
        return f"{servers_of(zone)} handed out the old NS set until {{at}} with a TTL of {ns.ttl}"
    if zone != child:
        return f"the servers of {name_text(zone)} handed out the old NS set until {{at}} with a TTL of {ns.ttl}"
    return f"the domain's own servers ({place}) handed out {whose} NS set until {{at}} with a TTL of {ns.ttl}"


def _kept(need: NoLongerQueried, ns: RRset, timeline: Timeline, caution: Caution) -> Iterator[Wait]:
    """Its own servers go on handing out the old NS set: a copy of theirs can be fetched through the parent's last one
    (rule 4)."""
    for (place, zone, name, rtype), track in timeline.rrsets.items():
        if rtype == NS and name == need.zone and (place, zone) != (need.place, need.zone):
            for earlier, ended in track.versions:
                if earlier is not None and ended is not None:
                    because = (
                        f"{_handed_out(place, zone, need.zone, earlier, timeline, need.place)}, and the old "
                        "servers go on handing it out "
                        f"with a TTL of {ns.ttl}"
                    )
                    yield wait_for(ended, [earlier.ttl, ns.ttl], 4, because, caution)


def _moved_away(
    leading: set[Name], zone: Name, timeline: Timeline, premises: Premises, place: str, caution: Caution
) -> Iterator[Wait]:
    """The NS names stay, and their addresses are another place's now (rule 10)."""
    theirs = set(premises.place(place).addresses)
    for (_, _, name, rtype), track in timeline.rrsets.items():
        if name in leading and rtype in ADDRESSES:
            for rrset, ended in track.versions:
                if rrset is not None and ended is not None and theirs & set(map(address_text, rrset.rdatas)):
                    because = f"{name_text(name)} was given with the old address until {{at}} with a TTL of {rrset.ttl}"
                    yield wait_for(ended, [rrset.ttl], 10, because, caution)


def hosts_at(place: str, timeline: Timeline, premises: Premises) -> set[Name]:
    """Name servers that lead, or led, to the place."""
    theirs = premises.place(place)
    found = set(theirs.servers)
    for (_, _, name, rtype), track in timeline.rrsets.items():
        if rtype in ADDRESSES:
            for rrset, _ in track.versions:
                if rrset is not None and set(map(address_text, rrset.rdatas)) & set(theirs.addresses):
                    found.add(name)
    return found


def still_led(need: NoLongerQueried, timeline: Timeline, premises: Premises) -> list[str]:
    """Who still leads caches to a place that is to be left, in words: then no wait is long enough. Its own NS set,
    which cannot be changed, is not counted."""
    found, hosts = [], set(premises.place(need.place).servers)
    for (place, zone, name, rtype), track in timeline.rrsets.items():
        if rtype != NS or name != need.zone or track.value is None or (place, zone) == (need.place, need.zone):
            continue
        if zone == need.zone and timeline.content(place, zone) == Content.NOTHING:
            continue
        if hosts & set(targets(track.value)) and not _all_moved(
            hosts & set(targets(track.value)), need.place, timeline, premises
        ):
            found.append(
                f"{place} names {', '.join(name_text(each) for each in sorted(hosts & set(targets(track.value))))}"
            )
    return found


def _all_moved(hosts: set[Name], place: str, timeline: Timeline, premises: Premises) -> bool:
    theirs = set(premises.place(place).addresses)
    for host in hosts:
        sets = [
            track.value
            for (_, _, name, rtype), track in timeline.rrsets.items()
            if name == host and rtype in ADDRESSES and track.value
        ]
        if not sets or any(theirs & set(map(address_text, each.rdatas)) for each in sets):
            return False
    return True
