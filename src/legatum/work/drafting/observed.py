"""What a plan rests on, looked at: places and zones, the delegation, the names that lead there, what the house
remembers."""

import asyncio
from collections.abc import Collection, Mapping, Sequence
from dataclasses import replace

from legatum.core.calendar.duration import parse_duration
from legatum.core.dnssec.serving import anchors_of
from legatum.core.dnssec.trust import DsSet
from legatum.core.memory.copies import HeldCopy
from legatum.core.memory.keys import KeyState
from legatum.core.moves.kinds.registrar_transfer import registered_of
from legatum.core.moves.kinds.trust.signature_expiry import Signing, first_to_run_out, obstacles
from legatum.core.moves.place import PARENT, KnownHost, Place, Vanishing
from legatum.core.moves.plan_input import PlanInput, glue_of, grouped
from legatum.core.moves.timeline import FOREVER
from legatum.core.moves.wishes import Wishes
from legatum.core.observation.observation import Observation
from legatum.core.records.name import Name, is_under, name_text
from legatum.core.records.rrset import rrset, targets
from legatum.core.records.rrtype import NS, SOA
from legatum.core.records.soa import negative_ttl
from legatum.core.running.fault import GateShut, OutsideFault
from legatum.core.zones.zone import Zone
from legatum.work.drafting.holders import part_holder, registrar_account
from legatum.work.drafting.second import has_own_zone, servers_at
from legatum.work.leftovers import look_for_former
from legatum.work.look.signing import look_at_signing
from legatum.work.memory import (
    held_copies,
    known_since,
    note_handed_out,
    note_hosts,
    note_keys,
    note_zone,
    remembered_keys,
)
from legatum.work.registry.held import look_at_held
from legatum.work.run_context import RunContext


async def look_for_drawing(context: RunContext, wish: Wishes, observation: Observation) -> PlanInput:
    main = wish.old
    provider = context.provider(main)
    zone = await provider.fetch(wish.domain)
    zones = {(main, wish.domain): zone}
    dead = {wish.without} if wish.dead else set[str]()
    led = {*observation.delegation, *targets(zone.apex_ns)}
    beside = (
        wish.without
        if has_own_zone(context, wish.without) and not dead and led & set(servers_at(context, wish.without))
        else ""
    )
    if beside:
        zones[beside, wish.domain] = await context.provider(beside).fetch(wish.domain)
    follows = tuple(each for each in _follows(context, observation, zone) if each not in dead)
    names = dict.fromkeys([main, *([wish.to] if wish.to else []), *follows, *filter(None, (wish.second, wish.without))])
    names = {each: None for each in names if each not in dead}
    if wish.part:
        names |= dict.fromkeys([wish.part[1]])
        held_by = part_holder(context, zone, wish.part[0])
        if held_by:
            names |= dict.fromkeys([held_by])
            zones[held_by, wish.part[0]] = await context.provider(held_by).fetch(wish.part[0])
    former = (
        tuple(each for each in await look_for_former(context, observation) if each != main) if wish.leftovers else ()
    )
    places = [await _place(context, name) for name in (*names, *(each for each in former if each not in names))]
    places[0] = _with_others(wish, observation, places, led - set(servers_at(context, wish.without) if dead else ()))
    above = Place(PARENT, grouped((view.server, view.address) for view in observation.parents))
    glue, glue_ttl = glue_of(observation)
    parent_ttl = observation.parent_ttl if observation.parent_ttl is not None else 86400
    house = context.settings.house
    new = [
        host
        for place in places
        for host in place.servers
        if host not in (*observation.delegation, *observation.own_ns) and not is_under(host, wish.domain)
    ]
    registrar = await registrar_account(context, wish, observation) if wish.delegates or wish.transfer else ""
    reads_cds = not registrar or (registrar in context.registrars and context.registrars[registrar].reads_cds)
    others = [host for host in new if host not in provider.servers]
    signing = await _signing(context, wish, observation, provider.servers, others, reads_cds)
    return PlanInput(
        domain=wish.domain,
        at=context.clock.now(),
        parent_zone=observation.parent_zone,
        parent_ttl=parent_ttl,
        zones=zones,
        places=(above, *places),
        delegation=observation.delegation,
        glue=glue,
        glue_ttl=glue_ttl or parent_ttl,
        main=main,
        follows=follows,
        registrar=registrar if wish.delegates else "",
        registrar_by_hand=bool(registrar) and context.registrar(registrar).by_hand,
        hosts=(*await _known_hosts(context, new), *_own_hosts(context, wish, observation, zone)),
        registered=registered_of((await look_at_held(context, wish.domain, context.registrar(wish.transfer.losing)))[0])
        if wish.transfer
        else None,
        remembered=_remembered(context, observation, zones, main, former),
        vanishing=() if wish.old_ends is None else (Vanishing(main, wish.old_ends),),
        unsigned=signing.unsigned_text,
        signing=signing.text if signing.is_signed else "",
        keys={
            (place, wish.domain): keys
            for place, keys in ((main, signing.keys), (beside, signing.keys_beside))
            if keys is not None
        },
        anchors=signing.anchors
        or (await _registered_ds(context, wish, registrar, parent_ttl) if wish.unsign else DsSet()),
        offers={main: found} if (found := signing.offers(wish.domain)) else {},
        signed_until=first_to_run_out((*signing.old.values(), *signing.beside.values())),
        earlier_keys={
            (place, wish.domain): _earlier_keys(context, wish.domain, place, side)
            for place, side in _sides(signing, main, beside).items()
        },
        caution=context.caution,
        low_ttl=wish.low_ttl,
        final_ttl=parse_duration(house.ns_ttl),
        publishing=wish.publishing,
        serial_rule=house.serial,
        reads_cds=reads_cds,
        windows=wish.windows or tuple(house.windows),
        quiet=wish.quiet or tuple(house.quiet),
        time_zone=house.time_zone,
        former=former,
    )


def _remembered(
    context: RunContext,
    observation: Observation,
    zones: Mapping[tuple[str, Name], Zone],
    main: str,
    former: Sequence[str],
) -> dict[Name, list[HeldCopy]]:
    """What was given of each zone, once what is seen now is noted too."""
    note_handed_out(context, observation.domain, (view.ns for view in observation.parents))
    for (place, _), zone in zones.items():
        note_zone(context, place, zone)
    found = {
        origin: held_copies(context, origin)
        for origin in dict.fromkeys((observation.domain, *(origin for _, origin in zones)))
    }
    found[observation.domain] += [
        *_shown(observation, zones[main, observation.domain], main),
        *_left(observation, found[observation.domain], former, context),
    ]
    return found


def _left(
    observation: Observation, known: Sequence[HeldCopy], former: Sequence[str], context: RunContext
) -> list[HeldCopy]:
    """A provider of which nobody remembers when it was left: as if the parent had led there until now."""
    led = {host for each in known if each.place == PARENT and each.rtype == NS for host in targets(each.rrset)}
    now, found = context.clock.now(), list[HeldCopy]()
    for place in former:
        servers = tuple(sorted(servers_at(context, place)))
        if not led & set(servers) and observation.parent_ttl is not None:
            ns = rrset(observation.domain, NS, observation.parent_ttl, servers)
            found.append(HeldCopy(PARENT, observation.domain, NS, observation.parent_ttl, ns, now, now, False))
    return found


def _shown(observation: Observation, zone: Zone, main: str) -> list[HeldCopy]:
    """A TTL that some server still hands out, and its primary no longer."""
    own = zone.apex_ns.ttl if zone.apex_ns else 0
    if observation.apex_ttl is None or observation.apex_ttl <= own:
        return []
    return [HeldCopy(main, observation.domain, NS, observation.apex_ttl, None, observation.at, observation.at, False)]


async def _signing(
    context: RunContext,
    wish: Wishes,
    observation: Observation,
    servers: Sequence[Name],
    new: Sequence[Name],
    reads_cds: bool,
) -> Signing:
    """How the domain is signed; not looked at where nobody is led to other servers. Raises :class:`GateShut` where that
    stands in the way."""
    if not (wish.leads or wish.of_keys):
        return Signing()
    leading = _leading(context, wish, observation, servers)
    beside = [
        host for host in leading if has_own_zone(context, wish.without) and host in servers_at(context, wish.without)
    ]
    sides = await asyncio.gather(
        *map(context.addresses_of, ([host for host in leading if host not in beside], new, beside))
    )
    heeded = reads_cds and (wish.leads or wish.unsign)
    signing = replace(await look_at_signing(context, wish.domain, *sides), heeded=heeded)
    for place, side in _sides(signing, wish.old, wish.without if beside else "").items():
        note_keys(
            context,
            place,
            wish.domain,
            (each for address, each in side.old.items() if address not in side.silent),
            not side.silent,
        )
    for obstacle in obstacles(
        wish.domain, signing, wish.old, wish.to or wish.without or "the new side", wish.disconnects
    ):
        raise GateShut(obstacle.reason, obstacle.remedy)
    return signing


async def _registered_ds(context: RunContext, wish: Wishes, registrar: str, ttl: int) -> DsSet:
    """A DS set that the registry holds, where no server of the parent hands one out: it will be published."""
    if not registrar or context.registrar(registrar).by_hand:
        return DsSet()
    held = (await context.registrar(registrar).registration(wish.domain)).ds
    return anchors_of(held, ttl) if held else DsSet()


def _sides(signing: Signing, main: str, beside: str) -> dict[str, Signing]:
    """Each side that was looked at, by its place, as the old one."""
    found = {main: signing, beside: replace(signing, old=signing.beside)}
    return {place: side for place, side in found.items() if place and side.old}


def _earlier_keys(context: RunContext, domain: Name, place: str, side: Signing) -> list[KeyState]:
    """How it was signed as far as that is remembered, and before that, as far as it can be told, oldest first."""
    states = remembered_keys(context, place, domain) or [KeyState(side.keys, now := context.clock.now(), now)]
    if any(each.made_with == states[-1].keys for each in side.old.values()):
        states[-1] = states[-1]._replace(keys=side.keys)
    return [KeyState(side.before(states[0].keys), -FOREVER, -FOREVER), *states]


def _leading(context: RunContext, wish: Wishes, observation: Observation, servers: Sequence[Name]) -> list[Name]:
    """Who is asked whether the domain is signed: whom everybody is led to, or, where nobody is led anywhere, who is to
    serve it."""
    dead = servers_at(context, wish.without) if wish.dead else ()
    return [host for host in observation.delegation if host not in dead] or list(servers)


def _follows(context: RunContext, observation: Observation, zone: Zone) -> tuple[str, ...]:
    """Second providers that somebody is led to."""
    led = {*observation.delegation, *targets(zone.apex_ns)}
    return tuple(name for name in context.settings.secondaries if set(servers_at(context, name)) & led)


async def _place(context: RunContext, name: str) -> Place:
    addresses = await context.addresses(servers_at(context, name))
    if name not in context.providers:
        return Place(name, addresses)
    provider = context.provider(name)
    can = provider.signing
    return Place(name, addresses, not provider.changes_apex_ns, provider.by_hand, *can.abilities)


def _with_others(wish: Wishes, observation: Observation, places: Sequence[Place], led: Collection[Name]) -> Place:
    """The main place, with name servers that the settings name nowhere: whatever they are, they are led to for the same
    zone; and with the addresses that its hosts shall have, at which it answers."""
    known = {host for place in places for host in place.servers}
    others = grouped((view.server, view.address) for view in observation.servers if view.server in led)
    seen = {host: addresses for host, addresses in others.items() if host not in known}
    wanted = {} if wish.to else wish.hosts  # with another provider, it is the other one that answers there
    wished = {host: tuple(dict.fromkeys((*seen.get(host, ()), *addresses))) for host, addresses in wanted.items()}
    return replace(
        places[0], servers={**places[0].servers, **seen, **{host: each for host, each in wished.items() if each}}
    )


async def _known_hosts(context: RunContext, hosts: Sequence[Name]) -> tuple[KnownHost, ...]:
    """For each new NS name how long caches may keep “no such name” in the zone that holds it, and since when it was
    seen."""
    ttls = await asyncio.gather(*(_host_negative_ttl(context, host) for host in hosts))
    since = note_hosts(context, hosts, context.clock.now())
    return tuple(KnownHost(host, since[host], ttl) for host, ttl in zip(hosts, ttls, strict=True))


def _own_hosts(context: RunContext, wish: Wishes, observation: Observation, zone: Zone) -> list[KnownHost]:
    """Hosts of the domain that are to be named, and have their address already: since when that is known."""
    named = [host for host in wish.named if host not in wish.hosts and host not in observation.delegation]
    ttl, now = negative_ttl(zone.soa_rrset), context.clock.now()
    return [
        KnownHost(host, since if (since := known_since(context, wish.domain, host)) is not None else now, ttl)
        for host in named
    ]


async def _host_negative_ttl(context: RunContext, host: Name) -> int:
    """Asked of every server of that zone: all of them must give the address. Raises :class:`OutsideFault`."""
    cut = await context.walker().parent_of(host)
    asker = context.asker
    replies = await asker.ask_all(asker.askable(cut.addresses), cut.zone, SOA)
    found = [soa for reply in replies if (soa := reply.find(SOA)) is not None]
    if not found:
        raise OutsideFault(
            f"{name_text(cut.zone)}, which holds {name_text(host)}, shows no SOA", "does that zone answer?"
        )
    return max(map(negative_ttl, found))
