"""Changing child name servers: zone, registry and glue in step, in an order that never leaves a lame moment."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from legatum.core.address import address_rdata, address_text
from legatum.core.fault import BadInput, GateShut, OutsideFault
from legatum.core.instant import instant_text
from legatum.core.meant import address_slips
from legatum.core.name import Name, is_under, name_text
from legatum.core.rrset import rrset, targets
from legatum.core.rrtype import AAAA, NS, SOA, A
from legatum.core.runbook import Outcome
from legatum.core.soa import negative_ttl
from legatum.core.space import is_public
from legatum.core.verdict import names_said
from legatum.core.zone import Zone
from legatum.services.provider import Provider
from legatum.services.registrar import ByHand, Registrar
from legatum.work.effect import carried_out
from legatum.work.hosts import HostView, held_addresses, look_at_hosts
from legatum.work.outside import Outside
from legatum.work.publish import Publication, next_by_rule, publish
from legatum.work.registration import change_nameservers, wait_until_published

_USUAL_TTL = 86400


@dataclass(frozen=True)
class Wish:
    """A host that is to have these addresses: in the zone at ``provider``, and at the registry."""

    domain: Name
    host: Name
    addresses: tuple[str, ...]
    provider: Provider
    registrar: Registrar


class HostByHand(ByHand):
    """Only a person can change the host. ``before`` and ``after``: its addresses, none for one that goes; ``done``: what was done."""

    def __init__(self, registrar: Registrar, host: Name, before: Sequence[str], after: Sequence[str], done: Sequence[str]) -> None:
        goes = [] if after else [f"take the host {name_text(host)} away"]
        told = [f"+ {each}" for each in after if each not in before] + [f"- {each}" for each in before if each not in after]
        super().__init__(registrar.name, registrar.page, goes or [f"host {name_text(host)} {', '.join(told)}"])
        self.host, self.before, self.after, self.done = host, tuple(before), tuple(after), list(done)


async def refuse_unfit(outside: Outside, wish: Wish, others: Sequence[HostView]) -> None:
    """Raises :class:`GateShut` for addresses that do not do, :class:`BadInput` for a host that is not below the domain."""
    if not is_under(wish.host, wish.domain) or wish.host == wish.domain:
        raise BadInput(
            f"{name_text(wish.host)} is not below {name_text(wish.domain)}", "only hosts below a domain have addresses at its registry"
        )
    if not wish.addresses:
        raise BadInput("no address", "give one at least, IPv4 or IPv6")
    if len(set(wish.addresses)) != len(wish.addresses):
        raise BadInput("the same address twice", "give each once")
    home = tuple(outside.settings.network.home)
    for address in wish.addresses:
        if not is_public(address, home):
            raise GateShut(f"{address} is not in public address space", "give an address that the world can reach, or set `home`")
        if other := next((each for each in others if each.inside and each.name != wish.host and address in each.zone), None):
            raise GateShut(f"{address} is {name_text(other.name)}'s already", "two names for one machine are one server to everybody")
    for reply in await outside.asker.ask_all(outside.asker.askable(wish.addresses), wish.domain, SOA):
        if not reply.authoritative or reply.find(SOA) is None:
            raise GateShut(f"{reply.server} does not answer for {name_text(wish.domain)}: {reply.outcome}", "set the server up first")


async def draw_zone(outside: Outside, wish: Wish, addresses: Sequence[str]) -> Publication:
    """The zone with these addresses for the host. Not carried out."""
    current = await wish.provider.fetch(wish.domain)
    ttl = next((each.ttl for each in current.at(wish.host) if each.rtype in (A, AAAA)), None)
    wanted = current.without([(wish.host, A), (wish.host, AAAA)])
    for rtype in (A, AAAA):
        data = [address_rdata(each) for each in addresses if (":" in each) == (rtype == AAAA)]
        if data:
            wanted = wanted.with_rrsets([rrset(wish.host, rtype, ttl or _usual_ttl(current), data)])
    if wanted != current:
        wanted = wanted.with_serial(next_by_rule(outside, current))
    return Publication.between(wish.provider, current, wanted)


def _usual_ttl(zone: Zone) -> int:
    """As the NS set beside it, so that name and address are forgotten together."""
    return zone.apex_ns.ttl if zone.apex_ns else _USUAL_TTL


async def put(outside: Outside, wish: Wish, addresses: Sequence[str]) -> list[str]:
    """The addresses in the zone, on every server; then at the registry; then as glue, where the parent names the host. What was done.

    Raises :class:`HostByHand` where only a person can do the second.
    """
    done = await put_in_zone(outside, wish, addresses)
    held = await held_addresses(outside, wish.registrar, wish.host)
    before = set(held or ())
    if before != set(addresses) and wish.registrar.by_hand:
        raise HostByHand(wish.registrar, wish.host, sorted(before), addresses, done)
    if before != set(addresses) and (held is not None or not wish.registrar.with_addresses):  # else they go along when it is enlisted
        done.append(await _at_registry(outside, wish, addresses, before, held is None))
    await until_glue(outside, wish.domain, wish.host, addresses)
    return done


async def put_in_zone(outside: Outside, wish: Wish, addresses: Sequence[str]) -> list[str]:
    """The addresses in the zone, on every server. Since when a new host has one is kept in the journal."""
    publication = await draw_zone(outside, wish, addresses)
    if not publication.is_needed:
        return []
    is_new = not any(each.rtype in (A, AAAA) for each in publication.current.at(wish.host))
    published = await publish(outside, publication)
    words = f"the zone: {', '.join(addresses) or 'no address'}, serial {published.serial} on every server"
    if is_new:
        now = outside.clock.now()
        outside.journal.settle(_birth(wish.host), wish.domain, Outcome("address", now, now, words), now, ())
    return [words]


def _birth(host: Name) -> str:
    return f"host {name_text(host)}"


async def _at_registry(outside: Outside, wish: Wish, addresses: Sequence[str], before: set[str], create: bool) -> str:
    add, remove = [each for each in addresses if each not in before], sorted(before - set(addresses))
    words = f"host {name_text(wish.host)} at {wish.registrar.name}: {', '.join(sorted(before)) or 'nothing'} → {', '.join(addresses)}"

    async def change() -> str:
        said = await wish.registrar.change_host(wish.host, add, remove, create)
        held = await wish.registrar.host(wish.host)
        if held is None or set(held.addresses) != set(addresses):
            raise OutsideFault(f"{wish.registrar.name} said {said}, but does not hold these addresses", "look at the registrar's own pages")
        return said

    return f"{words}: {(await carried_out(outside, wish.domain, 'host', words, change)).summary}"


async def until_glue(outside: Outside, domain: Name, host: Name, addresses: Sequence[str]) -> float:
    """Until every server of the parent zone that names the host hands out these addresses; the instant."""

    async def missing() -> str:
        views = await look_at_hosts(outside, domain, None)
        view = next((each for each in views if each.name == host), None)
        if view is None or "the parent" not in view.named_by:
            return ""
        wrong = [
            f"{server} hands out {', '.join(found) or 'no glue'}" for server, found in view.glue.items() if set(found) != set(addresses)
        ]
        return "; ".join(wrong[:3])

    return await outside.until_seen(missing, f"the glue of {name_text(host)}")


async def until_typed(outside: Outside, registrar: Registrar, typed: HostByHand, told: Callable[[str], None]) -> float:
    """Until what was typed into a form is seen; ``told`` is told of slips meanwhile. The instant."""

    async def missing() -> str:
        seen = await held_addresses(outside, registrar, typed.host) or ()
        if set(seen) == set(typed.after):
            return ""
        unseen = "" if outside.settings.rdap else ", or not shown: before it is named only RDAP shows a host, give [rdap] in the settings"
        return "; ".join(address_slips(typed.after, typed.before, seen)) or f"not typed yet{unseen}"

    return await outside.until_seen(missing, f"host {name_text(typed.host)}", told)


@dataclass(frozen=True)
class Renumbering:
    """``both``: since when zone, registry and every server of the parent zone have both addresses, None before; ``bound``: when the old
    one may go, and ``reason`` why."""

    both: float | None
    bound: float
    reason: str


async def renumbering(outside: Outside, wish: Wish, old: str, new: str) -> Renumbering:
    """How far a renumbering is: rule 10, both addresses alive until nobody can hold the old one alone."""
    journal = outside.journal
    done = journal.outcomes(_work_id(wish, old, new)).get("both")
    views = await look_at_hosts(outside, wish.domain, None, [wish.host])
    glue_ttl = next((each.glue_ttl for each in views if each.name == wish.host), None) or 0
    zone = await wish.provider.fetch(wish.domain)
    zone_ttl = max((each.ttl for each in zone.at(wish.host) if each.rtype in (A, AAAA)), default=0)
    caution = outside.caution
    longest = caution.lasts(max(glue_ttl, zone_ttl))
    since = done.all if done else outside.clock.now()
    source = "as glue" if glue_ttl > zone_ttl else "in the zone"
    reason = (
        f"{name_text(wish.host)} had the old address alone until {instant_text(since)}, {source} with a TTL of {max(glue_ttl, zone_ttl)}"
    )
    return Renumbering(done.all if done else None, since + longest + caution.slack(1) + caution.margin, reason)


async def keep_both(outside: Outside, wish: Wish, old: str, new: str) -> list[str]:
    """The new address beside the old one everywhere, and since when, in the journal."""
    view = next(each for each in await look_at_hosts(outside, wish.domain, None, [wish.host]) if each.name == wish.host)
    done = await put(outside, wish, [*view.zone, *([new] if new not in view.zone else [])])
    now = outside.clock.now()
    journal = outside.journal
    journal.settle(_work_id(wish, old, new), wish.domain, Outcome("both", now, now, f"{old} and {new} everywhere"), now, ())
    return done


async def drop_old(outside: Outside, wish: Wish, old: str) -> list[str]:
    """The old address taken away everywhere."""
    view = next(each for each in await look_at_hosts(outside, wish.domain, None, [wish.host]) if each.name == wish.host)
    return await put(outside, wish, [each for each in view.zone if each != old])


def _work_id(wish: Wish, old: str, new: str) -> str:
    return f"renumber {name_text(wish.host)} {old} {new}"


async def withdraw(outside: Outside, domain: Name, host: Name, provider: Provider, registrar: Registrar) -> list[str]:
    """The host taken away at the registry, then its addresses in the zone. What was done.

    Raises :class:`HostByHand` where only a person can do the first.
    """
    done: list[str] = []
    held = await held_addresses(outside, registrar, host)
    if held is not None and registrar.by_hand:
        raise HostByHand(registrar, host, held, (), done)
    if held is not None:

        async def change() -> str:
            said = await registrar.delete_host(host)
            if await registrar.host(host) is not None:
                raise OutsideFault(f"{registrar.name} still holds {name_text(host)}", "look at the registrar's own pages")
            return said

        words = f"the host {name_text(host)} taken away at {registrar.name}"
        done.append(f"{registrar.name}: {(await carried_out(outside, domain, 'host', words, change)).summary}")
    publication = await draw_zone(outside, Wish(domain, host, (), provider, registrar), ())
    if publication.is_needed:
        published = await publish(outside, publication)
        done.append(f"the zone: no addresses any more, serial {published.serial} on every server")
    return done


async def absence_ttl(wish: Wish) -> int:
    """How long caches may keep that the host does not exist, in seconds."""
    return negative_ttl((await wish.provider.fetch(wish.domain)).soa_rrset)


@dataclass(frozen=True)
class Enlistment:
    """Hosts that are to stand in the NS sets of their domain. ``wanted``: the whole set then; ``before``: at the registry, and ``zone_ns``
    in the zone, now; ``bound``: when nobody can hold any more that one of the hosts does not exist, and ``reason``."""

    domain: Name
    provider: Provider
    registrar: Registrar
    wanted: tuple[Name, ...]
    before: tuple[Name, ...]
    zone_ns: tuple[Name, ...]
    bound: float
    reason: str


async def draw_enlistment(
    outside: Outside, domain: Name, hosts: Sequence[Name], alone: bool, provider: Provider, registrar: Registrar
) -> Enlistment:
    """What putting these hosts into the NS sets means. ``alone``: they are the whole set.

    Raises :class:`GateShut` for a host that is not there, has other addresses at the registry than in the zone, or does not answer.
    """
    current = await provider.fetch(domain)
    before, zone_ns = (await registrar.registration(domain)).nameservers, targets(current.apex_ns)
    for host in hosts:
        await _refuse_unready(outside, current, host, registrar)
    bound, reason = 0.0, "every host has had its address for long enough"
    caution, ttl = outside.caution, negative_ttl(current.soa_rrset)
    for host in hosts:
        born = outside.journal.outcomes(_birth(host)).get("address")
        known_to_all = born.all + caution.lasts(ttl) + caution.slack(1) + caution.margin if born else 0.0
        if born and host not in zone_ns and known_to_all > bound:
            bound = known_to_all
            since = instant_text(born.all)
            reason = f"{name_text(host)} has had its address since {since}; caches may keep for {ttl} s that it does not exist (rule 16)"
    wanted = tuple(sorted(set(hosts) if alone else {*hosts, *before}))
    return Enlistment(domain, provider, registrar, wanted, tuple(sorted(before)), zone_ns, bound, reason)


async def _refuse_unready(outside: Outside, current: Zone, host: Name, registrar: Registrar) -> None:
    found = {text for each in current.at(host) if each.rtype in (A, AAAA) for text in map(address_text, each.rdatas)}
    if not found:
        raise GateShut(
            f"{name_text(host)} has no address in the zone",
            "`legatum hosts set HOST --address ADDRESS --at PROVIDER --registrar NAME` gives it one, there and at the registry",
        )
    held = await held_addresses(outside, registrar, host)
    if set(held) != found if held is not None else not (registrar.by_hand or registrar.with_addresses):
        said = ", ".join(held) if held is not None else "no host"
        raise GateShut(
            f"{registrar.name} has {said} for {name_text(host)}, the zone {', '.join(sorted(found))}",
            "`legatum hosts set HOST --address ADDRESS --at PROVIDER --registrar NAME` brings both into step",
        )
    for reply in await outside.asker.ask_all(outside.asker.askable(sorted(found)), current.origin, SOA):
        if not reply.authoritative or reply.find(SOA) is None:
            raise GateShut(f"{reply.server} does not answer for {name_text(current.origin)}: {reply.outcome}", "set the server up first")


async def enlist(outside: Outside, enlistment: Enlistment) -> list[str]:
    """The zone's own NS set first, on every server; then the registry's; then seen at every server of the parent zone. What was done."""
    done = []
    current = await enlistment.provider.fetch(enlistment.domain)
    if set(targets(current.apex_ns)) != set(enlistment.wanted):
        ttl = current.apex_ns.ttl if current.apex_ns else _USUAL_TTL
        wanted = current.with_rrsets([rrset(enlistment.domain, NS, ttl, enlistment.wanted)]).with_serial(next_by_rule(outside, current))
        published = await publish(outside, Publication.between(enlistment.provider, current, wanted))
        done.append(f"the zone's NS set: {names_said(enlistment.wanted)}, serial {published.serial} on every server")
    if set(enlistment.before) != set(enlistment.wanted):
        outcome = await change_nameservers(outside, enlistment.registrar, enlistment.domain, enlistment.wanted)
        done.append(f"{enlistment.registrar.name}: {outcome.summary}")
    since = await wait_until_published(outside, enlistment.domain, enlistment.before, enlistment.wanted)
    done.append(f"every server of the parent zone hands out {names_said(enlistment.wanted)} since {instant_text(since)}")
    return done
