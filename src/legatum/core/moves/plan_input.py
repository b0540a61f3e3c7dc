"""What a plan is drawn from: everything that was observed, and how the house wants it done."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from itertools import pairwise

from legatum.core.calendar.instant import instant_text
from legatum.core.calendar.timing import Caution
from legatum.core.dnssec.serving import ds_rdatas
from legatum.core.dnssec.trust import DsSet, Keys
from legatum.core.memory.keys import KeyState
from legatum.core.moves.assembly import PlannedStep
from legatum.core.moves.effects import Delegated, DsChanged, HostSet, Records, RRsetChange, Signed, ZoneEnded, ZoneMade
from legatum.core.moves.place import (
    ADDRESSES,
    PARENT,
    KnownHost,
    Place,
    Premises,
    Registered,
    RRsetKey,
    Served,
    Vanishing,
)
from legatum.core.moves.recall import Remembered, remembered_past
from legatum.core.moves.runbook import Past
from legatum.core.moves.timeline import timeline_at_the_beginning
from legatum.core.observation.observation import Observation
from legatum.core.records.name import Name, is_under, name_text
from legatum.core.records.rrset import RRset, rrset, targets
from legatum.core.records.rrtype import CNAME, NAME_FIELDS, NS
from legatum.core.records.soa import negative_ttl
from legatum.core.zones.zone import Zone

_MOST_FOLLOWED = 60  # RRsets of a part that a rehearsal asks for one by one


@dataclass(frozen=True)
class PlanInput:
    """``zones``: (place, zone) → its whole contents; ``delegation``: the NS set that the parent hands out for the
    domain, and ``glue`` beside it; ``main``: the place where the domain's zone is changed; ``follows``: places that
    take a copy from it; ``registrar``: the account, empty where it has none, and ``registrar_by_hand``; ``low_ttl``,
    ``final_ttl``: of the NS set during a move and after it; ``publishing``: seconds that the registry is expected to
    take; ``keys``: (place, zone) → with which it is signed there, ``anchors``: the domain's DS set at its parent,
    ``signing``: what shows that, in words, and ``offers``: place → the DS records of the keys that it signs with,
    ``earlier_keys``: (place, zone) → how it was signed before that, and since when, as far as caches may have it,
    oldest first, ``signed_until``: when the first of its signatures runs out; ``serial_rule``, ``reads_cds``: as in
    :class:`Premises`, as are ``windows``, ``quiet`` and ``time_zone``; ``at_once``: TTLs are not lowered first;
    ``former``: places that served it once, and are to end; ``users`` as in :class:`Premises`."""

    domain: Name
    at: float
    parent_zone: Name
    parent_ttl: int
    zones: Mapping[tuple[str, Name], Zone]
    places: tuple[Place, ...]
    delegation: tuple[Name, ...]
    glue: tuple[RRset, ...]
    glue_ttl: int
    main: str
    follows: tuple[str, ...]
    registrar: str
    caution: Caution
    registrar_by_hand: bool = False
    hosts: tuple[KnownHost, ...] = ()
    registered: Registered | None = None
    remembered: Remembered = field(default_factory=dict)
    vanishing: tuple[Vanishing, ...] = ()
    unsigned: str = ""
    signing: str = ""
    keys: Mapping[tuple[str, Name], Keys] = field(default_factory=dict)
    anchors: DsSet = field(default=DsSet())
    offers: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    signed_until: float | None = None
    earlier_keys: Mapping[tuple[str, Name], Sequence[KeyState]] = field(default_factory=dict)
    low_ttl: int = 300
    final_ttl: int = 86400
    publishing: int = 3600
    serial_rule: str = "counter"
    reads_cds: bool = True
    at_once: bool = False
    windows: tuple[str, ...] = ()
    quiet: tuple[str, ...] = ()
    time_zone: str = "UTC"
    made: tuple[tuple[str, Name], ...] = field(default=())
    former: tuple[str, ...] = ()
    users: Mapping[Name, tuple[Name, ...]] = field(default_factory=dict)

    def place(self, name: str) -> Place:
        return next(each for each in self.places if each.name == name)

    def zone(self, place: str, zone: Name) -> Zone:
        return self.zones[place, zone]

    @property
    def contents(self) -> Zone:
        """The domain's zone as it is now."""
        return self.zones[self.main, self.domain]

    @property
    def apex_ns(self) -> RRset:
        found = self.contents.apex_ns
        assert found is not None
        return found

    def ns_ttl(self, zone: Name) -> int:
        """The largest TTL with which a server of the zone hands its NS set out."""
        return max(
            each.apex_ns.ttl for (_, origin), each in self.zones.items() if origin == zone and each.apex_ns is not None
        )

    def negative_ttl(self, zone: Name) -> int:
        return max(
            (negative_ttl(each.soa_rrset) for (_, origin), each in self.zones.items() if origin == zone), default=0
        )

    @property
    def sides(self) -> list[str]:
        """Places at which an edit of the domain's zone has to be made while both serve it: the present one, and one
        that it moves to."""
        return [self.main, *(place for place, zone in self.made if zone == self.domain)]

    @property
    def serving_at_the_end(self) -> list[str]:
        """Of those, the ones that the plan does not end."""
        moved = [place for place, zone in self.made if zone == self.domain]
        return moved or [self.main]

    def followers(self, place: str) -> tuple[str, ...]:
        """Who takes a copy from there."""
        return self.follows if place == self.main else ()

    def records(self, place: str, zone: Name, changes: Iterable[RRsetChange]) -> Records:
        """A change, with those that follow it."""
        return Records(place, zone, tuple(changes), self.followers(place) if zone == self.domain else ())

    def delegated(self, before: Sequence[Name], after: Sequence[Name], glue: Iterable[RRset] = ()) -> Delegated:
        return Delegated(
            self.registrar,
            self.domain,
            self.parent_zone,
            tuple(sorted(before)),
            tuple(sorted(after)),
            self.parent_ttl,
            tuple(glue),
        )


def premises_of(inputs: PlanInput, pieces: Sequence[PlannedStep]) -> tuple[Premises, tuple[Past, ...]]:
    """The premises of a plan that is made of these pieces, and what is remembered beside them."""
    followed = _followed(inputs, pieces)
    past = list[Past]()
    served = [_parent(inputs)]
    for (place, origin), zone in inputs.zones.items():
        sets = [each for key in followed.get(origin, ()) if (each := zone.get(*key)) is not None]
        keys = inputs.keys.get((place, origin))
        states = [*inputs.earlier_keys.get((place, origin), ()), KeyState(keys, inputs.at, inputs.at)]
        states = states[_first_kept(states, inputs, max(_longest(inputs, origin, zone))) :]
        negative, longest = _longest(inputs, origin, zone)
        served.append(Served(place, origin, tuple(sets), negative, longest, states[0].keys))
        follows = inputs.follows if place == inputs.main else ()
        for before, state in pairwise(states):
            if state.keys != before.keys:
                signs = f"signs with {state.keys.roles_text}" if state.keys is not None else "does not sign"
                label = f"{place} {signs} since {instant_text(state.since)}"
                past.append(
                    Past(
                        label, (Signed(place, origin, before.keys, state.keys, follows),), state.since, state.everywhere
                    )
                )
        if place == inputs.main and origin == inputs.domain:
            served += [replace(served[-1], place=each) for each in inputs.follows]
    seen = [
        Past("seen " + name_text(each.host), (), each.since, each.since)
        for each in inputs.hosts
        if each.since is not None
    ]
    anchors = {inputs.domain: inputs.anchors} if inputs.anchors else {}
    premises = Premises(
        inputs.parent_zone,
        inputs.registrar,
        inputs.places,
        tuple(served),
        inputs.hosts,
        _registered(inputs, pieces),
        inputs.vanishing,
        inputs.unsigned,
        inputs.signing,
        anchors,
        inputs.caution.floor,
        inputs.caution.time_out,
        inputs.serial_rule,
        inputs.reads_cds,
        inputs.windows,
        inputs.quiet,
        inputs.time_zone,
        inputs.users,
    )
    timeline = timeline_at_the_beginning(premises)
    past += remembered_past(premises, timeline, {}, inputs.remembered, inputs.caution, inputs.at)
    return premises, (*past, *seen)


def _first_kept(states: Sequence[KeyState], inputs: PlanInput, longest: int) -> int:
    """Of states one after the other, the number of the first that anybody may hold anything of."""
    lasts = max([longest, *(each.keys.ttl for each in states if each.keys is not None)])
    caution = inputs.caution
    cut = inputs.at - caution.lasts(lasts) - caution.slack(2) - caution.margin
    return max(number for number, each in enumerate(states) if number == 0 or each.everywhere < cut)


def _longest(inputs: PlanInput, origin: Name, zone: Zone) -> tuple[int, int]:
    """How long *no such name* may be kept, and anything at all, by what was given lately too."""
    held = [
        each
        for each in inputs.remembered.get(origin, ())
        if each.place != PARENT and each.until(inputs.caution) > inputs.at
    ]
    absence = [each.ttl for each in held if each.absent]
    return max(negative_ttl(zone.soa_rrset), *absence, 0), max(
        *(each.ttl for each in zone.unsorted), *(each.ttl for each in held)
    )


def _registered(inputs: PlanInput, pieces: Sequence[PlannedStep]) -> Registered | None:
    """As it should come out of a transfer: with what the plan has changed by then."""
    if inputs.registered is None:
        return None
    held: Registered = inputs.registered
    for piece in sorted(pieces, key=lambda each: each.phase):
        for effect in piece.step.effects:
            if isinstance(effect, Delegated):
                held = replace(held, nameservers=effect.after)
            elif isinstance(effect, DsChanged):
                held = replace(held, ds=tuple(each.hex() for each in ds_rdatas(effect.after)))
            elif isinstance(effect, HostSet):
                hosts = {host: each for host, each in held.hosts.items() if host != effect.host}
                held = replace(held, hosts={**hosts, effect.host: effect.after} if effect.after else hosts)
    return held


def _parent(inputs: PlanInput) -> Served:
    ns = [rrset(inputs.domain, NS, inputs.parent_ttl, inputs.delegation)] if inputs.delegation else []
    return Served(PARENT, inputs.parent_zone, (*ns, *inputs.glue), 0)


def _followed(inputs: PlanInput, pieces: Sequence[PlannedStep]) -> dict[Name, list[RRsetKey]]:
    """Zone → names and types that the plan rests on: NS sets, addresses of name servers in it, and what changes."""
    found: dict[Name, dict[RRsetKey, None]] = {origin: {(origin, NS): None} for _, origin in inputs.zones}
    named = {host for zone in inputs.zones.values() for host in targets(zone.apex_ns)} | set(inputs.delegation)
    for origin, keys in found.items():
        keys |= {(host, rtype): None for host in sorted(named) if is_under(host, origin) for rtype in ADDRESSES}
    for piece in pieces:
        for effect in piece.step.effects:
            if isinstance(effect, Records):
                found.setdefault(effect.zone, {}).update(dict.fromkeys(each.key for each in effect.changed))
                sets = [
                    one
                    for each in effect.changed
                    for one in (each.before, each.after)
                    if one is not None and one.rtype in NAME_FIELDS
                ]
                led = {host for each in sets for host in targets(each) if is_under(host, effect.zone)}
                found[effect.zone].update(
                    dict.fromkeys((host, rtype) for host in sorted(led) for rtype in (*ADDRESSES, CNAME))
                )
            elif isinstance(effect, ZoneMade | ZoneEnded):
                found.setdefault(effect.zone, {}).update(
                    dict.fromkeys((each.name, each.rtype) for each in effect.rrsets)
                )
    return {origin: list(keys) for origin, keys in found.items()}


def completed(inputs: PlanInput, pieces: Sequence[PlannedStep]) -> list[PlannedStep]:
    """Pieces whose making of a zone says of every RRset that the plan follows what it will be there."""
    followed = _followed(inputs, pieces)

    def whole(effect: ZoneMade) -> ZoneMade:
        source = inputs.zones.get((effect.source or inputs.main, effect.zone))
        if source is None:
            return effect
        there = {(each.name, each.rtype) for each in effect.rrsets}
        more = [
            each for key in followed.get(effect.zone, ()) if key not in there and (each := source.get(*key)) is not None
        ]
        return replace(effect, rrsets=(*effect.rrsets, *more))

    return [
        replace(
            piece,
            step=replace(
                piece.step,
                effects=tuple(whole(each) if isinstance(each, ZoneMade) else each for each in piece.step.effects),
            ),
        )
        for piece in pieces
    ]


def some_of(sets: Sequence[RRset]) -> tuple[RRset, ...]:
    """As many as a rehearsal follows one by one; what goes together fares alike."""
    return tuple(sets[:_MOST_FOLLOWED])


def grouped(servers: Iterable[tuple[Name, str]]) -> dict[Name, tuple[str, ...]]:
    """Server → its addresses, each once."""
    found: dict[Name, tuple[str, ...]] = {}
    for name, address in servers:
        if address not in found.get(name, ()):
            found[name] = (*found.get(name, ()), address)
    return found


def glue_of(observation: Observation) -> tuple[tuple[RRset, ...], int]:
    """Addresses that the parent gives along, and the largest TTL of them."""
    found: dict[RRsetKey, RRset] = {}
    for view in observation.parents:
        for each in view.glue:
            there = found.get((each.name, each.rtype))
            if there is None or each.ttl > there.ttl:
                found[each.name, each.rtype] = each
    return tuple(found.values()), max((each.ttl for each in found.values()), default=0)
