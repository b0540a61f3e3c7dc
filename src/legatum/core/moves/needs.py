"""What must be true of caches before a step, and how long to wait for it (docs/timing.md).

A need says what; the *history* of the plan - everything that every place gave, until which step, with which TTL - says after which steps,
and for how long. So a kind of move, and every way back, states its needs and works out no hold of its own.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import get_args

from legatum.core.moves.place import ADDRESSES, PARENT, Key, Premises
from legatum.core.moves.scene import Content, Scene
from legatum.core.records.address import address_text
from legatum.core.records.name import ROOT, Name, is_under, name_text
from legatum.core.records.rrset import RRset, targets
from legatum.core.records.rrtype import NS, type_text
from legatum.core.timing import Caution, Wait


@dataclass(frozen=True, slots=True)
class Unasked:
    """Nobody asks the place for the zone any more (rules 4, 10 and 16)."""

    place: str
    zone: Name


@dataclass(frozen=True, slots=True)
class Unnamed:
    """Nobody holds an NS set of the zone that names these servers any more (rules 4 and 16)."""

    zone: Name
    hosts: tuple[Name, ...]


@dataclass(frozen=True, slots=True)
class Lowered:
    """Whoever holds the RRset holds it with the TTL that it is given with now (rule 1)."""

    zone: Name
    key: Key


@dataclass(frozen=True, slots=True)
class Known:
    """Nobody remembers that the name was not there (rule 3)."""

    host: Name


@dataclass(frozen=True, slots=True)
class Forgotten:
    """Nobody holds an earlier form of the RRset any more (rule 2); ``negative``: nor that there was none (rule 3)."""

    zone: Name
    key: Key
    negative: bool = False


@dataclass(frozen=True, slots=True)
class Unused:
    """Nobody is sent to the address any more, by any RRset or glue (rules 2 and 10)."""

    address: str


@dataclass(frozen=True, slots=True)
class Uncut:
    """Whoever asks for names below the cut comes to whom the zone hands them on to (rule 15): nobody holds what the zone itself said."""

    zone: Name
    cut: Name
    longest_ttl: int


@dataclass(frozen=True, slots=True)
class Unvouched:
    """Nobody holds a DS set of the domain any more (rule 7)."""

    domain: Name


@dataclass(frozen=True, slots=True)
class Provable:
    """Whatever anybody holds of the zone is signed with the keys that the place has (rules 6 and 8)."""

    place: str
    zone: Name


Need = Unasked | Unnamed | Lowered | Known | Forgotten | Unused | Uncut | Unvouched | Provable
NEEDS: dict[str, type] = {each.__name__.lower(): each for each in get_args(Need)}
"""How each is called in move files."""


def waits_for(need: Need, scene: Scene, premises: Premises, caution: Caution) -> tuple[Wait, ...]:
    """``scene``: everything that was played until then. Waits for which nothing has to be waited are left out."""
    match need:
        case Unasked():
            found = _unasked(need, scene, premises, caution)
        case Unnamed():
            found = _unnamed(need, scene, caution)
        case Lowered():
            found = _lowered(need, scene, caution)
        case Known():
            found = _known(need.host, scene, premises, caution)
        case Forgotten():
            found = _forgotten(need, scene, premises, caution)
        case Unused():
            found = _unused(need.address, scene, caution)
        case Uncut():
            found = _uncut(need, scene, premises, caution)
        case Unvouched():
            found = _unvouched(need, scene, caution)
        case Provable():
            found = _provable(need, scene, premises, caution)
    return tuple(found)


def _wait(after: str, copies: Sequence[int], rule: int, because: str, caution: Caution) -> Wait:
    """``copies``: the TTLs of copies that are fetched one through the other."""
    return Wait(after, sum(caution.lasts(ttl) for ttl in copies), caution.slack(len(copies)), rule, because)


def servers_of(zone: Name) -> str:
    return "the root servers" if zone == ROOT else f"the .{name_text(zone)} servers"


def _unasked(need: Unasked, scene: Scene, premises: Premises, caution: Caution) -> Iterator[Wait]:
    hosts = hosts_at(need.place, scene, premises)
    for (place, zone, name, rtype), track in scene.said.items():
        if rtype != NS or name != need.zone or not (zone == need.zone or is_under(name, zone)):
            continue
        at_parent = zone != need.zone
        for ns, ended in track.versions:
            if ns is None or not (leading := hosts & set(targets(ns))):
                continue
            if ended is not None:
                yield _wait(ended, [ns.ttl], 4, _handed_out(place, zone, need.zone, ns, scene, need.place), caution)
            elif place == need.place and not at_parent:
                yield from _kept(need, ns, scene, caution)
            else:
                yield from _moved_away(leading, zone, scene, premises, need.place, caution)


def _unnamed(need: Unnamed, scene: Scene, caution: Caution) -> Iterator[Wait]:
    hosts = set(need.hosts)
    for (place, zone, name, rtype), track in scene.said.items():
        if rtype == NS and name == need.zone:
            for ns, ended in track.versions:
                if ns is not None and ended is not None and hosts & set(targets(ns)):
                    yield _wait(ended, [ns.ttl], 4, _handed_out(place, zone, need.zone, ns, scene, place), caution)


def _handed_out(place: str, zone: Name, child: Name, ns: RRset, scene: Scene, leaving: str) -> str:
    whose = "the old" if leaving == place or place == PARENT or zone != child else "the"
    if place == PARENT:
        return f"{servers_of(zone)} handed out the old NS set until {{at}} with a TTL of {ns.ttl}"
    if zone != child:
        return f"the servers of {name_text(zone)} handed out the old NS set until {{at}} with a TTL of {ns.ttl}"
    return f"the domain's own servers ({place}) handed out {whose} NS set until {{at}} with a TTL of {ns.ttl}"


def _kept(need: Unasked, ns: RRset, scene: Scene, caution: Caution) -> Iterator[Wait]:
    """Its own servers go on handing out the old NS set: a copy of theirs can be fetched through the parent's last one (rule 4)."""
    for (place, zone, name, rtype), track in scene.said.items():
        if rtype == NS and name == need.zone and (place, zone) != (need.place, need.zone):
            for earlier, ended in track.versions:
                if earlier is not None and ended is not None:
                    because = (
                        f"{_handed_out(place, zone, need.zone, earlier, scene, need.place)}, and the old servers go on handing it out "
                        f"with a TTL of {ns.ttl}"
                    )
                    yield _wait(ended, [earlier.ttl, ns.ttl], 4, because, caution)


def _moved_away(leading: set[Name], zone: Name, scene: Scene, premises: Premises, place: str, caution: Caution) -> Iterator[Wait]:
    """The NS names stay, and their addresses are another place's now (rule 10)."""
    theirs = set(premises.place(place).addresses)
    for (_, _, name, rtype), track in scene.said.items():
        if name in leading and rtype in ADDRESSES:
            for rrset, ended in track.versions:
                if rrset is not None and ended is not None and theirs & set(map(address_text, rrset.rdatas)):
                    because = f"{name_text(name)} was given with the old address until {{at}} with a TTL of {rrset.ttl}"
                    yield _wait(ended, [rrset.ttl], 10, because, caution)


def hosts_at(place: str, scene: Scene, premises: Premises) -> set[Name]:
    """Name servers that lead, or led, to the place."""
    theirs = premises.place(place)
    found = set(theirs.servers)
    for (_, _, name, rtype), track in scene.said.items():
        if rtype in ADDRESSES:
            for rrset, _ in track.versions:
                if rrset is not None and set(map(address_text, rrset.rdatas)) & set(theirs.addresses):
                    found.add(name)
    return found


def _lowered(need: Lowered, scene: Scene, caution: Caution) -> Iterator[Wait]:
    for _, track in scene.tracks(need.zone, need.key):
        present = track.value
        if present is None:
            continue
        for earlier, ended in track.versions:
            if earlier is None or ended is None or earlier.rdatas != present.rdatas:
                continue
            ahead = caution.lasts(earlier.ttl) - caution.lasts(present.ttl)
            if ahead > 0:
                because = (
                    f"{_named(need.key, need.zone)} was handed out with a TTL of {earlier.ttl} until {{at}}, and may be kept that "
                    f"long; now with {present.ttl}"
                )
                yield Wait(ended, ahead, caution.slack(1), 1, because)


def _named(key: Key, zone: Name) -> str:
    if key == (zone, NS):
        return "the old NS set"
    return f"{name_text(key[0])} {type_text(key[1])}"


def _known(host: Name, scene: Scene, premises: Premises, caution: Caution) -> Iterator[Wait]:
    outside = next((each for each in premises.hosts if each.host == host), None)
    if outside is not None:
        because = (
            f"the address of {name_text(host)}: seen everywhere at {{at}}, and caches may keep “no such name” for {outside.negative_ttl} s"
        )
        yield _wait(SEEN + name_text(host), [outside.negative_ttl], 3, because, caution)
    for (place, zone, name, rtype), track in scene.said.items():
        if place != PARENT and name == host and rtype in ADDRESSES and track.versions[0][0] is None and track.value is not None:
            born = track.versions[0][1]
            assert born is not None
            negative = premises.negative_ttl(zone)
            if not _had_address_before(host, zone, scene):
                because = (
                    f"the address of {name_text(host)}: there everywhere since {{at}}, and caches may keep “no such name” for {negative} s"
                )
                yield _wait(born, [negative], 3, because, caution)


SEEN = "seen "
"""Before the name of a name server: the label of its having been seen with its address."""


def _had_address_before(host: Name, zone: Name, scene: Scene) -> bool:
    """Another address of it was there all the time: caches knew the name."""
    return any(
        track.versions[0][0] is not None
        for (_, each, name, rtype), track in scene.said.items()
        if (each, name) == (zone, host) and rtype in ADDRESSES
    )


def _forgotten(need: Forgotten, scene: Scene, premises: Premises, caution: Caution) -> Iterator[Wait]:
    for _, track in scene.tracks(need.zone, need.key):
        present = track.value
        for earlier, ended in track.versions:
            if ended is None:
                continue
            what = _named(need.key, need.zone)
            if earlier is not None and earlier != present:
                because = f"{what} was handed out until {{at}} with a TTL of {earlier.ttl}"
                yield _wait(ended, [earlier.ttl], 2, because, caution)
            elif earlier is None and present is not None and need.negative:
                negative = premises.negative_ttl(need.zone)
                yield _wait(ended, [negative], 3, f"{what} was not there until {{at}}, and caches may keep that for {negative} s", caution)


def _unused(address: str, scene: Scene, caution: Caution) -> Iterator[Wait]:
    for (place, _, name, rtype), track in scene.said.items():
        if rtype not in ADDRESSES:
            continue
        for rrset, ended in track.versions:
            if rrset is not None and ended is not None and address in map(address_text, rrset.rdatas):
                where = "the parent, as glue," if place == PARENT else place
                because = f"{where} gave {name_text(name)} with {address} until {{at}} with a TTL of {rrset.ttl}"
                yield _wait(ended, [rrset.ttl], 10 if address in scene.answering else 2, because, caution)


def _uncut(need: Uncut, scene: Scene, premises: Premises, caution: Caution) -> Iterator[Wait]:
    longest = max(need.longest_ttl, premises.negative_ttl(need.zone))
    for _, track in scene.tracks(need.zone, (need.cut, NS)):
        for earlier, ended in track.versions:
            if earlier is None and ended is not None:
                because = (
                    f"the servers of {name_text(need.zone)} answered for names below {name_text(need.cut)} themselves until {{at}}, "
                    f"and that may be kept for {longest} s"
                )
                yield _wait(ended, [longest], 15, because, caution)


def _unvouched(need: Unvouched, scene: Scene, caution: Caution) -> Iterator[Wait]:
    track = scene.anchors.get(need.domain)
    for anchors, ended in track.versions if track is not None else ():
        if anchors and ended is not None:
            because = f"the parent handed out {anchors.text[:60]} until {{at}} with a TTL of {anchors.ttl}"
            yield _wait(ended, [anchors.ttl], 7, because, caution)


def _provable(need: Provable, scene: Scene, premises: Premises, caution: Caution) -> Iterator[Wait]:
    final, longest = scene.keys_at(need.place, need.zone), premises.longest_ttl(need.zone)
    for (place, zone), track in scene.signed.items():
        if zone != need.zone or place == PARENT:
            continue
        for keys, ended in track.versions:
            kept = max(longest, keys.ttl if keys is not None else 0)
            if keys is not None and final is not None and set(keys.zone) == set(final.zone):
                kept = keys.ttl  # only the key set is another one
            what = f"signed with {keys.text}" if keys is not None else "unsigned"
            if final is not None and final.are(keys):
                continue
            if ended is not None and not (keys is None and _made_by(place, zone, ended, scene)):
                because = f"{place} gave the zone {what} until {{at}}, and that may be kept for {kept} s"
                yield _wait(ended, [kept], 6, because, caution)
            elif ended is None:
                for each in _unasked(Unasked(place, zone), scene, premises, caution):
                    words = f"{each.because}; what {place} gives, {what}, may be kept for {kept} s more"
                    yield Wait(each.after, each.seconds + caution.lasts(kept), each.slack + caution.slack(1), 8, words)


def _made_by(place: str, zone: Name, step: str, scene: Scene) -> bool:
    """The zone came there with that step: what is made signed was never given unsigned."""
    track = scene.served.get((place, zone))
    return track is not None and any(value != Content.WHOLE and ended == step for value, ended in track.versions)


def still_led(need: Unasked, scene: Scene, premises: Premises) -> list[str]:
    """Who still leads caches to a place that is to be left, in words: then no wait is long enough. Its own NS set, which cannot be changed,
    is not counted."""
    found, hosts = [], set(premises.place(need.place).servers)
    for (place, zone, name, rtype), track in scene.said.items():
        if rtype != NS or name != need.zone or track.value is None or (place, zone) == (need.place, need.zone):
            continue
        if zone == need.zone and scene.content(place, zone) == Content.NOTHING:
            continue
        if hosts & set(targets(track.value)) and not _all_moved(hosts & set(targets(track.value)), need.place, scene, premises):
            found.append(f"{place} names {', '.join(name_text(each) for each in sorted(hosts & set(targets(track.value))))}")
    return found


def _all_moved(hosts: set[Name], place: str, scene: Scene, premises: Premises) -> bool:
    theirs = set(premises.place(place).addresses)
    for host in hosts:
        sets = [track.value for (_, _, name, rtype), track in scene.said.items() if name == host and rtype in ADDRESSES and track.value]
        if not sets or any(theirs & set(map(address_text, each.rdatas)) for each in sets):
            return False
    return True
