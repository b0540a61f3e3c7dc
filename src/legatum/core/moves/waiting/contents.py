"""Nobody holds an earlier form of what a zone says, or that it was not there (rules 1 to 3, 10 and 15)."""

from collections.abc import Iterator

from legatum.core.calendar.timing import Caution, Wait
from legatum.core.moves.needs import DelegationInForce, Lowered, OldDataExpired
from legatum.core.moves.place import ADDRESSES, PARENT, Premises, RRsetKey
from legatum.core.moves.timeline import Timeline
from legatum.core.moves.waiting.ns_waits import wait_for
from legatum.core.records.address import address_text
from legatum.core.records.name import Name, name_text
from legatum.core.records.rrtype import NS, type_text


def lowered(need: Lowered, timeline: Timeline, caution: Caution) -> Iterator[Wait]:
    for _, track in timeline.histories(need.zone, need.key):
        present = track.value
        if present is None:
            continue
        for earlier, ended in track.versions:
            if earlier is None or ended is None or earlier.rdatas != present.rdatas:
                continue
            ahead = caution.lasts(earlier.ttl) - caution.lasts(present.ttl)
            if ahead > 0:
                because = (
                    f"{_named(need.key, need.zone)} was handed out with a TTL of {earlier.ttl} until {{at}}, "
                    "and may be kept that "
                    f"long; now with {present.ttl}"
                )
                yield Wait(ended, ahead, caution.slack(1), 1, because)


def _named(key: RRsetKey, zone: Name) -> str:
    if key == (zone, NS):
        return "the old NS set"
    return f"{name_text(key[0])} {type_text(key[1])}"


def known(host: Name, timeline: Timeline, premises: Premises, caution: Caution) -> Iterator[Wait]:
    outside = next((each for each in premises.hosts if each.host == host), None)
    if outside is not None:
        because = (
            f"the address of {name_text(host)}: seen everywhere at {{at}}, and caches may keep “no such "
            f"name” for {outside.negative_ttl} s"
        )
        yield wait_for(SEEN + name_text(host), [outside.negative_ttl], 3, because, caution)
    for (place, zone, name, rtype), track in timeline.rrsets.items():
        if (
            place != PARENT
            and name == host
            and rtype in ADDRESSES
            and track.versions[0][0] is None
            and track.value is not None
        ):
            born = track.versions[0][1]
            assert born is not None
            negative = premises.negative_ttl(zone)
            if not _had_address_before(host, zone, timeline):
                because = (
                    f"the address of {name_text(host)}: there everywhere since {{at}}, and caches may keep "
                    f"“no such name” for {negative} s"
                )
                yield wait_for(born, [negative], 3, because, caution)


SEEN = "seen "
"""Before the name of a name server: the label of its having been seen with its address."""


def _had_address_before(host: Name, zone: Name, timeline: Timeline) -> bool:
    """Another address of it was there all the time: caches knew the name."""
    return any(
        track.versions[0][0] is not None
        for (_, each, name, rtype), track in timeline.rrsets.items()
        if (each, name) == (zone, host) and rtype in ADDRESSES
    )


def forgotten(need: OldDataExpired, timeline: Timeline, premises: Premises, caution: Caution) -> Iterator[Wait]:
    for _, track in timeline.histories(need.zone, need.key):
        present = track.value
        for earlier, ended in track.versions:
            if ended is None:
                continue
            what = _named(need.key, need.zone)
            if earlier is not None and earlier != present:
                because = f"{what} was handed out until {{at}} with a TTL of {earlier.ttl}"
                yield wait_for(ended, [earlier.ttl], 2, because, caution)
            elif earlier is None and present is not None and need.negative:
                negative = premises.negative_ttl(need.zone)
                yield wait_for(
                    ended,
                    [negative],
                    3,
                    f"{what} was not there until {{at}}, and caches may keep that for {negative} s",
                    caution,
                )


def unused(address: str, timeline: Timeline, caution: Caution) -> Iterator[Wait]:
    for (place, _, name, rtype), track in timeline.rrsets.items():
        if rtype not in ADDRESSES:
            continue
        for rrset, ended in track.versions:
            if rrset is not None and ended is not None and address in map(address_text, rrset.rdatas):
                where = "the parent, as glue," if place == PARENT else place
                because = f"{where} gave {name_text(name)} with {address} until {{at}} with a TTL of {rrset.ttl}"
                yield wait_for(ended, [rrset.ttl], 10 if address in timeline.answering else 2, because, caution)


def uncut(need: DelegationInForce, timeline: Timeline, premises: Premises, caution: Caution) -> Iterator[Wait]:
    longest = max(need.longest_ttl, premises.negative_ttl(need.zone))
    for _, track in timeline.histories(need.zone, (need.cut, NS)):
        for earlier, ended in track.versions:
            if earlier is None and ended is not None:
                because = (
                    f"the servers of {name_text(need.zone)} answered for names below {name_text(need.cut)} "
                    f"themselves until {{at}}, "
                    f"and that may be kept for {longest} s"
                )
                yield wait_for(ended, [longest], 15, because, caution)
