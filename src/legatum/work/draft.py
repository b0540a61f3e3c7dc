"""Drafting a move: what is observed, and what is wished for, becomes a runbook."""

import asyncio
import secrets
from collections.abc import AsyncIterator, Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace

from legatum.core.duration import parse_duration
from legatum.core.fault import BadInput, GateShut, OutsideFault
from legatum.core.moves.drawing import Drawing, Remembered
from legatum.core.moves.effects import Records
from legatum.core.moves.kinds.address import NewAddress
from legatum.core.moves.kinds.hosts import Hosts
from legatum.core.moves.kinds.part import Part
from legatum.core.moves.kinds.presence import First, Retirement
from legatum.core.moves.kinds.provider import NewProvider
from legatum.core.moves.kinds.second import Second
from legatum.core.moves.kinds.signing import obstacles
from legatum.core.moves.kinds.transfer import registered_of
from legatum.core.moves.kinds.zone_data import Soa, Ttls
from legatum.core.moves.place import PARENT, Key, KnownHost, Place, Vanishing
from legatum.core.moves.plan import AT_ONCE, NewRegistrar, Wish, draw, shorter_pace
from legatum.core.name import Name, is_under, name_text, parent_of
from legatum.core.picture import Picture
from legatum.core.registration import forbids_updates
from legatum.core.rrset import RRset, rrset, targets
from legatum.core.rrtype import AAAA, NS, SOA, A
from legatum.core.runbook import Runbook
from legatum.core.soa import negative_ttl
from legatum.core.verdict import names_said
from legatum.core.zone import Zone
from legatum.services.registrar import Registrar
from legatum.work.harm import refuse_new_errors
from legatum.work.held import is_own, look_at_held
from legatum.work.host_changes import refuse_unfit, refuse_unready_host
from legatum.work.hosts import held_addresses, look_at_hosts
from legatum.work.look.wanted import Wanted
from legatum.work.memory import known_since, note_hosts, note_served, remembered
from legatum.work.outside import Outside
from legatum.work.second import open_seconding, servers_at, standings
from legatum.work.signing import look_at_signing
from legatum.work.survey import survey
from legatum.work.transfer import TransferWish, transfer_wish


@dataclass(frozen=True)
class Wished:
    """What the user asks for. ``old``: who serves it now, where it is not to be found out; ``part``: name and provider; ``hosts``: host →
    addresses; ``named``: hosts to stand in the NS sets, ``alone`` with nobody else; ``publishing``: seconds that the registry is
    expected to
    take, for the forecast only; ``pace``: empty for the one that is over sooner; ``old_ends``: when the old side vanishes by itself;
    ``at_registrar``: a second provider is named there too."""

    domain: Name
    to: str = ""
    old: str = ""
    registrar: str = ""
    replace: tuple[NewAddress, ...] = ()
    hosts: Mapping[Name, tuple[str, ...]] = field(default_factory=dict)
    named: tuple[Name, ...] = ()
    alone: bool = False
    part: tuple[Name, str] | None = None
    part_ttl: int = 3600
    part_back: bool = False
    second: str = ""
    without: str = ""
    dead: bool = False
    at_registrar: bool = True
    leaning: tuple[Name, ...] = ()
    ttls: Mapping[Key, int] = field(default_factory=dict)
    soa: Soa | None = None
    transfer: TransferWish | None = None
    first: bool = False
    retire: bool = False
    low_ttl: int = 300
    publishing: int = 3600
    pace: str = ""
    old_ends: float | None = None
    anyway: bool = False

    @property
    def delegates(self) -> bool:
        """The registrar is needed: an NS set, or a host, is changed there."""
        second = bool(self.second or self.without) and self.at_registrar
        return bool(self.to or self.hosts or self.named or second or self.first or self.retire)

    @property
    def leads(self) -> bool:
        """Visitors are led to other servers by it: all that they are led by counts, and whether the domain is signed."""
        going = any(not each for each in self.hosts.values())
        return bool(self.to or self.named or going or self.second or self.without or self.part or self.first or self.retire)

    @property
    def words(self) -> str:
        """What shall be different, in a few words."""
        said = [f"{f'from {self.old} ' if self.old else ''}to {self.to}"] if self.to else []
        said += [f"{each.old} replaced by {each.new}" for each in self.replace]
        said += [f"{name_text(host)} {'at ' + ', '.join(each) if each else 'given up'}" for host, each in self.hosts.items()]
        said += [f"{', '.join(map(name_text, self.named))} named"] if self.named else []
        said += [self._part_words] if self.part else []
        said += [f"{self.second} beside"] if self.second else []
        said += [f"without {self.without}"] if self.without else []
        said += ["other TTLs"] if self.ttls else []
        said += ["another SOA record"] if self.soa else []
        said += [f"from {self.transfer.losing} to {self.transfer.gaining} (registrars)"] if self.transfer else []
        said += ["first delegated"] if self.first else []
        said += ["retired"] if self.retire else []
        return ", ".join(said)

    @property
    def _part_words(self) -> str:
        assert self.part is not None
        return f"{name_text(self.part[0])} {'back from' if self.part_back else 'at'} {self.part[1]}"


async def draft_move(outside: Outside, wish: Wished, told: Callable[[str], None]) -> tuple[Runbook, dict[str, float]]:
    """Looks at everything that the move rests on. ``told`` is told what must be done before it can end. Also, where the two paces differ,
    when each would be over.

    Raises :class:`GateShut` for a domain that cannot be moved like this, :class:`BadInput` for wishes that contradict each other.
    """
    if wish.transfer and not wish.leads and not (wish.replace or wish.hosts or wish.ttls or wish.soa):
        return await _draft_transfer(outside, wish, wish.transfer), {}
    picture = (await survey(outside, wish.domain, wanted=Wanted(resolvers=False, rdap=False))).picture
    if picture.domain != wish.domain:
        raise BadInput(
            f"{name_text(wish.domain)} lies in the zone {name_text(picture.domain)}", "name that domain; --part hands a part of it on"
        )
    _refuse_silence(outside, wish, picture)
    _refuse_strange_names(wish)
    wish = replace(wish, old=_main(outside, wish, picture))
    _refuse_unmovable(outside, wish, picture)
    drawing = await _drawing(outside, wish, picture)
    account = outside.registrar(drawing.registrar) if drawing.registrar else None
    if account is not None:
        await _refuse_other_registrar(outside, wish, account, told)
    wishes = [each async for each in _wishes(outside, wish, drawing, account)]
    ident = _ident(wish.domain)
    try:
        if wish.pace:
            drawn = draw(replace(drawing, at_once=wish.pace == AT_ONCE), ident, wish.words, wishes), dict[str, float]()
        else:
            drawn = shorter_pace(drawing, ident, wish.words, wishes)
        if not wish.anyway:
            _refuse_errors(outside, drawing, drawn[0])
        return drawn
    finally:
        _note(outside, drawing)


def _refuse_errors(outside: Outside, drawing: Drawing, runbook: Runbook) -> None:
    """Raises :class:`GateShut` where a zone would have an error at the end that it has not now."""
    records = [each for step in runbook.steps for each in step.effects if isinstance(each, Records)]
    for (place, origin), zone in drawing.zones.items():
        wanted = zone
        for change in (one for each in records if (each.place, each.zone) == (place, origin) for one in each.changed):
            wanted = wanted.without([change.key]) if change.after is None else wanted.with_rrsets([change.after])
        if wanted != zone:
            refuse_new_errors(outside, [zone], wanted)


async def _draft_transfer(outside: Outside, wish: Wished, transfer: TransferWish) -> Runbook:
    """To another registrar and nothing else: neither zones nor those who serve them are looked at."""
    held, one = await transfer_wish(outside, transfer)
    drawing = Drawing(
        domain=wish.domain, at=outside.clock.now(), parent_zone=parent_of(wish.domain), parent_ttl=0, zones={}, places=(), delegation=(),
        glue=(),
        glue_ttl=0, main="", follows=(), registrar="", caution=outside.caution, registered=registered_of(held),
    )  # fmt: skip
    return draw(drawing, _ident(wish.domain), wish.words, [NewRegistrar(held, one)])


def _ident(domain: Name) -> str:
    return f"{name_text(domain)}-{secrets.token_hex(4)}"


def _note(outside: Outside, drawing: Drawing) -> None:
    if drawing.delegation:
        note_served(outside, drawing.domain, [rrset(drawing.domain, NS, drawing.parent_ttl, drawing.delegation)], PARENT, drawing.at)
    sets = [each for (_, origin), zone in drawing.zones.items() if origin == drawing.domain for each in zone.unsorted if each.rtype != SOA]
    note_served(outside, drawing.domain, sets, at=drawing.at)


async def _wishes(outside: Outside, wish: Wished, drawing: Drawing, account: Registrar | None) -> AsyncIterator[Wish]:
    if wish.to:
        yield NewProvider(wish.domain, drawing.main, wish.to)
    for each in wish.replace:
        yield each
    if wish.hosts or wish.named:
        assert account is not None
        await _refuse_unfit(outside, wish, drawing.contents, account)
        held = {host: await held_addresses(outside, account, host) for host in {*wish.hosts, *wish.named}}
        yield Hosts(wish.hosts, held, wish.named, wish.alone, account.with_addresses)
    if wish.part:
        holder = _holder(drawing, wish.part[0])
        if wish.part_back and holder != wish.part[1]:
            words = f"is handed on to {holder}" if holder else f"is served by {drawing.main}, in the zone above"
            raise GateShut(f"{name_text(wish.part[0])} {words}, not to {wish.part[1]}", "there is nothing to take back from there")
        yield Part(wish.part[0], drawing.main if wish.part_back else wish.part[1], wish.part_ttl, holder)
    if wish.second or wish.without:
        name = wish.second or wish.without
        if wish.dead:
            yield Second(name, True, wish.at_registrar, dead=servers_at(outside, name))
            return
        seconding = open_seconding(outside, wish.domain, drawing.main, name)
        found = [each for each in await standings(outside, seconding) if each.party == name]
        yield Second(name, bool(wish.without), wish.at_registrar, any(each.serial is not None for each in found))
    if wish.ttls:
        yield Ttls(wish.ttls)
    if wish.soa:
        yield wish.soa
    if wish.transfer:
        held_now, one = await transfer_wish(outside, wish.transfer)
        yield NewRegistrar(held_now, one)
    if wish.first:
        yield First(drawing.main)
    if wish.retire:
        own = [each for each in drawing.contents.names if is_under(each, wish.domain) and each != wish.domain]
        hosts = [(host, addresses) for host in own if account is not None and _has_address(drawing.contents, host)
                 and (addresses := await held_addresses(outside, account, host))]  # fmt: skip
        yield Retirement(tuple(hosts))


async def _refuse_unfit(outside: Outside, wish: Wished, zone: Zone, account: Registrar) -> None:
    views = await look_at_hosts(outside, wish.domain, account, list(wish.hosts))
    for host, addresses in wish.hosts.items():
        if addresses:
            await refuse_unfit(outside, wish.domain, host, addresses, views)
    for host in wish.named:
        if host not in wish.hosts:
            await refuse_unready_host(outside, zone, host, account)


def _has_address(zone: Zone, host: Name) -> bool:
    return zone.get(host, A) is not None or zone.get(host, AAAA) is not None


def _holder(drawing: Drawing, cut: Name) -> str:
    """Who serves a part that is handed on, empty for one that is not."""
    return next((place for place, origin in drawing.zones if origin == cut), "")


async def _drawing(outside: Outside, wish: Wished, picture: Picture) -> Drawing:
    main = wish.old
    provider = outside.provider(main)
    zone = await provider.fetch(wish.domain)
    zones = {(main, wish.domain): zone}
    dead = {wish.without} if wish.dead else set[str]()
    follows = tuple(each for each in _follows(outside, picture, zone) if each not in dead)
    names = dict.fromkeys([main, *([wish.to] if wish.to else []), *follows, *filter(None, (wish.second, wish.without))])
    names = {each: None for each in names if each not in dead}
    if wish.part:
        names |= dict.fromkeys([wish.part[1]])
        held_by = _part_holder(outside, zone, wish.part[0])
        if held_by:
            names |= dict.fromkeys([held_by])
            zones[held_by, wish.part[0]] = await outside.provider(held_by).fetch(wish.part[0])
    places = [await _place(outside, name) for name in names]
    places[0] = _with_others(wish, picture, places, zone)
    above = Place(PARENT, _grouped((view.server, view.address) for view in picture.parents))
    glue, glue_ttl = _glue(picture)
    parent_ttl = picture.parent_ttl if picture.parent_ttl is not None else 86400
    house = outside.settings.house
    new = [
        host
        for place in places
        for host in place.servers
        if host not in (*picture.delegation, *picture.own_ns) and not is_under(host, wish.domain)
    ]
    registrar = await _registrar(outside, wish) if wish.delegates or wish.transfer else ""
    unsigned = await _unsigned(outside, wish, picture, provider.servers, [host for host in new if host not in provider.servers])
    return Drawing(
        domain=wish.domain,
        at=outside.clock.now(),
        parent_zone=picture.parent_zone,
        parent_ttl=parent_ttl,
        zones=zones,
        places=(above, *places),
        delegation=picture.delegation,
        glue=glue,
        glue_ttl=glue_ttl or parent_ttl,
        main=main,
        follows=follows,
        registrar=registrar if wish.delegates else "",
        registrar_by_hand=bool(registrar) and outside.registrar(registrar).by_hand,
        hosts=(*await _known_hosts(outside, new), *_own_hosts(outside, wish, picture, zone)),
        registered=registered_of((await look_at_held(outside, wish.domain, outside.registrar(wish.transfer.losing)))[0])
        if wish.transfer
        else None,
        remembered=(*remembered(outside, wish.domain, picture.parent_zone), *_shown(picture, zone)),
        vanishing=() if wish.old_ends is None else (Vanishing(main, wish.old_ends),),
        unsigned=unsigned,
        caution=outside.caution,
        low_ttl=wish.low_ttl,
        final_ttl=parse_duration(house.ns_ttl),
        publishing=wish.publishing,
    )


def _shown(picture: Picture, zone: Zone) -> tuple[Remembered, ...]:
    """A TTL that some server still hands out, and its primary no longer."""
    own = zone.apex_ns.ttl if zone.apex_ns else 0
    if picture.apex_ttl is None or picture.apex_ttl <= own:
        return ()
    return (Remembered(picture.domain, (picture.domain, NS), picture.apex_ttl, picture.at),)


async def _unsigned(outside: Outside, wish: Wished, picture: Picture, servers: Sequence[Name], new: Sequence[Name]) -> str:
    """What shows that signatures do not stand in the way. Raises :class:`GateShut` where they do."""
    if not wish.leads:
        return "nobody is led to other servers: whoever signs the zone goes on doing so"
    signing = await look_at_signing(outside, wish.domain, _leading(outside, wish, picture, servers), new)
    for obstacle in obstacles(wish.domain, signing, wish.old, wish.to or "the new side"):
        raise GateShut(obstacle.reason, obstacle.remedy)
    return signing.unsigned_text


def _leading(outside: Outside, wish: Wished, picture: Picture, servers: Sequence[Name]) -> list[Name]:
    """Who is asked whether the domain is signed: whom everybody is led to, or, where nobody is led anywhere, who is to serve it."""
    dead = servers_at(outside, wish.without) if wish.dead else ()
    return [host for host in picture.delegation if host not in dead] or list(servers)


def _main(outside: Outside, wish: Wished, picture: Picture) -> str:
    """The provider at which the zone is changed. Raises :class:`BadInput` where that is not to be seen."""
    if wish.old:
        return outside.provider(wish.old).name
    led = {*picture.delegation, *picture.own_ns}
    if wish.first and wish.to:
        return wish.to
    found = [name for name in outside.settings.providers if set(servers_at(outside, name)) & led]
    if len(found) == 1:
        return found[0]
    domain = name_text(wish.domain)
    if not found:
        said = f"is delegated to {names_said(picture.delegation)}" if picture.delegation else "is not delegated"
        raise GateShut(f"{domain} {said}: no provider of the settings", "say at which provider its zone is changed: --from PROVIDER")
    raise GateShut(
        f"{domain} may be changed at {' or '.join(sorted(found))}: both have servers in its NS sets", "say which with --from PROVIDER"
    )


def _follows(outside: Outside, picture: Picture, zone: Zone) -> tuple[str, ...]:
    """Second providers that somebody is led to."""
    led = {*picture.delegation, *targets(zone.apex_ns)}
    return tuple(name for name in outside.settings.secondaries if set(servers_at(outside, name)) & led)


async def _place(outside: Outside, name: str) -> Place:
    addresses = await outside.addresses(servers_at(outside, name))
    if name in outside.settings.secondaries:
        return Place(name, addresses)
    provider = outside.provider(name)
    return Place(name, addresses, own_ns=not provider.changes_apex_ns, by_hand=provider.by_hand)


def _with_others(wish: Wished, picture: Picture, places: Sequence[Place], zone: Zone) -> Place:
    """The main place, with name servers that the settings name nowhere: whatever they are, they are led to for the same zone; and with the
    addresses that its hosts shall have, at which it answers."""
    known = {host for place in places for host in place.servers}
    led = {*picture.delegation, *targets(zone.apex_ns)} - known
    seen = {host: addresses for host, addresses in _grouped((view.server, view.address) for view in picture.servers).items() if host in led}
    wished = {host: tuple(dict.fromkeys((*seen.get(host, ()), *addresses))) for host, addresses in wish.hosts.items()}
    return replace(places[0], servers={**places[0].servers, **seen, **{host: each for host, each in wished.items() if each}})


def _part_holder(outside: Outside, zone: Zone, cut: Name) -> str:
    named = set(targets(zone.get(cut, NS)))
    if not named:
        return ""
    found = next((name for name in outside.settings.providers if set(servers_at(outside, name)) & named), None)
    if found is None:
        raise GateShut(
            f"{name_text(cut)} is handed on to {names_said(tuple(sorted(named)))}: no provider of the settings",
            "add who serves it to the settings",
        )
    return found


def _grouped(servers: Iterable[tuple[Name, str]]) -> dict[Name, tuple[str, ...]]:
    found: dict[Name, tuple[str, ...]] = {}
    for name, address in servers:
        if address not in found.get(name, ()):
            found[name] = (*found.get(name, ()), address)
    return found


def _glue(picture: Picture) -> tuple[tuple[RRset, ...], int]:
    """Addresses that the parent gives along, and the largest TTL of them."""
    found: dict[Key, RRset] = {}
    for view in picture.parents:
        for each in view.glue:
            there = found.get((each.name, each.rtype))
            if there is None or each.ttl > there.ttl:
                found[each.name, each.rtype] = each
    return tuple(found.values()), max((each.ttl for each in found.values()), default=0)


async def _known_hosts(outside: Outside, hosts: Sequence[Name]) -> tuple[KnownHost, ...]:
    """For each new NS name how long caches may keep “no such name” in the zone that holds it, and since when it was seen."""
    ttls = await asyncio.gather(*(_host_negative_ttl(outside, host) for host in hosts))
    since = note_hosts(outside, hosts, outside.clock.now())
    return tuple(KnownHost(host, since[host], ttl) for host, ttl in zip(hosts, ttls, strict=True))


def _own_hosts(outside: Outside, wish: Wished, picture: Picture, zone: Zone) -> list[KnownHost]:
    """Hosts of the domain that are to be named, and have their address already: since when that is known."""
    named = [host for host in wish.named if host not in wish.hosts and host not in picture.delegation]
    ttl, now = negative_ttl(zone.soa_rrset), outside.clock.now()
    return [KnownHost(host, since if (since := known_since(outside, wish.domain, host)) is not None else now, ttl) for host in named]


async def _host_negative_ttl(outside: Outside, host: Name) -> int:
    """Asked of every server of that zone: all of them must give the address. Raises :class:`OutsideFault`."""
    cut = await outside.walker().parent_of(host)
    asker = outside.asker
    replies = await asker.ask_all(asker.askable(cut.addresses), cut.zone, SOA)
    found = [soa for reply in replies if (soa := reply.find(SOA)) is not None]
    if not found:
        raise OutsideFault(f"{name_text(cut.zone)}, which holds {name_text(host)}, shows no SOA", "does that zone answer?")
    return max(map(negative_ttl, found))


async def _registrar(outside: Outside, wish: Wished) -> str:
    """The account that has the domain. Raises :class:`BadInput` where that is not to be seen."""
    if wish.registrar or (wish.transfer and not wish.delegates):
        return wish.registrar or (wish.transfer.losing if wish.transfer else "")
    if wish.transfer:
        return wish.transfer.losing
    names = list(outside.settings.registrars)
    if len(names) == 1:
        return names[0]
    for name in names:
        account = outside.registrar(name)
        if account.by_hand:
            continue
        try:
            if is_own(account, await account.registration(wish.domain)):
                return name
        except OutsideFault:
            continue
    raise BadInput(f"which account has {name_text(wish.domain)} is not to be seen", "say it: --registrar NAME")


async def _refuse_other_registrar(outside: Outside, wish: Wished, account: Registrar, told: Callable[[str], None]) -> None:
    held = await account.registration(wish.domain)
    domain = name_text(wish.domain)
    if not is_own(account, held):
        raise GateShut(
            f"{domain} is registered with {held.registrar}, not through {account.name}", "give the account that has it with --registrar"
        )
    if locks := [status for status in held.statuses if forbids_updates(status)]:
        told(
            f"the registration of {domain} is locked ({', '.join(locks)}): unlock it before the NS sets change: "
            f"`legatum registration unlock {domain} --registrar {account.name}`"
        )


def _refuse_unmovable(outside: Outside, wish: Wished, picture: Picture) -> None:
    """Raises :class:`GateShut` where what is handed out is not what a plan could rest on."""
    domain = name_text(picture.domain)
    if wish.first:
        if picture.delegation:
            raise GateShut(f"{domain} is delegated already, to {names_said(picture.delegation)}", "say what else shall be different")
        return
    if wish.to:
        old, new = (outside.provider(name) for name in (wish.old, wish.to))
        if set(old.servers) & set(new.servers):
            raise GateShut(f"{old.name} and {new.name} share name servers", "a move between them changes nothing")
        if set(picture.delegation) != set(old.servers):
            raise GateShut(
                f"{domain} is delegated to {names_said(picture.delegation)}, not to {old.name}'s {names_said(tuple(sorted(old.servers)))}",
                "is --from the right provider, and its `servers` in the settings complete? A second provider leaves first: --without NAME",
            )
        if picture.own_ns and set(picture.own_ns) != set(picture.delegation):
            raise GateShut(
                f"the zone of {domain} names {names_said(picture.own_ns)}, its parent {names_said(picture.delegation)}",
                f"make both the same first: `legatum amend {domain} @ NS SERVER SERVER --at {old.name}`",
            )


def _refuse_strange_names(wish: Wished) -> None:
    if wish.part and (wish.part[0] == wish.domain or not is_under(wish.part[0], wish.domain)):
        raise BadInput(f"{name_text(wish.part[0])} is not below {name_text(wish.domain)}", "give a name such as app, or whole")
    for host in (*wish.hosts, *wish.named):
        if not is_under(host, wish.domain) or host == wish.domain:
            words = f"{name_text(host)} is not below {name_text(wish.domain)}"
            raise BadInput(words, "only hosts below a domain have addresses at its registry")


def _refuse_silence(outside: Outside, wish: Wished, picture: Picture) -> None:
    """Raises :class:`GateShut` where nobody delegates the domain, or somebody who is led to says nothing."""
    domain = name_text(picture.domain)
    if wish.first:
        return
    beside = bool(wish.second or wish.without) and not wish.at_registrar  # before anybody delegates it, too
    if not picture.delegation and not wish.transfer and not beside:
        raise GateShut(f"{domain} is not delegated", f"a first delegation: `legatum move draft {domain} --first --from PROVIDER`")
    if not wish.leads:
        return
    dead = servers_at(outside, wish.without) if wish.dead else ()
    silent = [view.address for view in picture.servers if not view.serves and view.server not in dead] + [
        view.address for view in picture.parents if not view.answered
    ]
    if silent:
        raise GateShut(
            f"not every server answers for {domain}: {', '.join(silent)}",
            f"what they hand out counts for every wait; `legatum survey {domain}` says more (no IPv6 here? set ipv6 = false in [network])",
        )
