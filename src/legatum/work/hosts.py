"""Child name servers: hosts below a domain, whose addresses stand in the zone, at the registry and as glue at the parent's servers."""

import asyncio
from collections.abc import Sequence
from dataclasses import dataclass

from legatum.core.address import address_rdata, address_text
from legatum.core.difference import zone_differences
from legatum.core.fault import BadInput, GateShut, OutsideFault
from legatum.core.instant import instant_text
from legatum.core.name import Name, is_under, name_text
from legatum.core.rrset import rrset, targets
from legatum.core.rrtype import AAAA, NS, SOA, A
from legatum.core.runbook import Outcome
from legatum.core.soa import negative_ttl
from legatum.core.space import is_public
from legatum.core.zone import Zone
from legatum.journal.occupation import occupied
from legatum.services.provider import Provider
from legatum.services.registrar import Registrar
from legatum.work.outside import Outside
from legatum.work.publish import Publication, next_by_rule, publish

_USUAL_TTL = 86400


@dataclass(frozen=True)
class HostView:
    """One name server. ``inside``: it lies below the domain, so that its glue is needed; ``zone``: its addresses in its own zone;
    ``registry``: those of the host object, None without one or where nobody was asked; ``glue``: what each server of the parent zone
    hands out; ``named_by``: in whose NS set it stands."""

    name: Name
    inside: bool
    zone: tuple[str, ...]
    registry: tuple[str, ...] | None
    glue: dict[str, tuple[str, ...]]
    glue_ttl: int | None
    named_by: tuple[str, ...]

    @property
    def agrees(self) -> bool:
        """All places that speak of it say the same."""
        said = [set(self.zone), *(set(each) for each in self.glue.values() if self.inside)]
        said += [set(self.registry)] if self.registry is not None and self.inside else []
        return all(each == said[0] for each in said)


@dataclass(frozen=True)
class Wish:
    """A host that is to have these addresses: in the zone at ``provider``, and at the registry."""

    domain: Name
    host: Name
    addresses: tuple[str, ...]
    provider: Provider
    registrar: Registrar


async def look_at_hosts(outside: Outside, domain: Name, registrar: Registrar | None, extra: Sequence[Name] = ()) -> list[HostView]:
    """Every name in the domain's NS set, at the parent or in the zone, and ``extra`` ones."""
    walker = outside.walker()
    cut, _ = await walker.delegation_of(domain)
    replies = await outside.asker.ask_all(outside.asker.askable(cut.addresses), domain, NS)
    named: dict[Name, list[str]] = {}
    glue: dict[Name, dict[str, tuple[str, ...]]] = {}
    ttls: dict[Name, int] = {}
    for reply in replies:
        for name in {
            name for each in (*reply.authority, *reply.answer) if each.name == domain and each.rtype == NS for name in targets(each)
        }:
            if "the parent" not in named.setdefault(name, []):
                named[name].append("the parent")
            found = [each for each in reply.additional if each.name == name and each.rtype in (A, AAAA)]
            glue.setdefault(name, {})[reply.server] = tuple(sorted(address_text(rdata) for each in found for rdata in each.rdatas))
            if found:
                ttls[name] = max(ttls.get(name, 0), *(each.ttl for each in found))
    own = await walker.lookup(domain, NS)
    for name in targets(own.rrset):
        named.setdefault(name, []).append("the zone")
    for name in extra:
        named.setdefault(name, [])
    views = []
    for name in sorted(named):
        inside = is_under(name, domain)
        held = await registrar.host(name) if registrar is not None and inside else None
        registry = held.addresses if held is not None else None
        zone = tuple(sorted(await walker.addresses(name)))
        views.append(HostView(name, inside, zone, registry, glue.get(name, {}), ttls.get(name), tuple(named[name])))
    return views


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
    return Publication(wish.provider, current, wanted, zone_differences(current, wanted))


def _usual_ttl(zone: Zone) -> int:
    """As the NS set beside it, so that name and address are forgotten together."""
    return zone.apex_ns.ttl if zone.apex_ns else _USUAL_TTL


async def put(outside: Outside, wish: Wish, addresses: Sequence[str]) -> list[str]:
    """The addresses in the zone, on every server; then at the registry; then as glue, where the parent names the host. What was done."""
    done = []
    publication = await draw_zone(outside, wish, addresses)
    if publication.is_needed:
        published = await publish(outside, publication)
        done.append(f"the zone: {', '.join(addresses) or 'no address'}, serial {published.serial} on every server")
    held = await wish.registrar.host(wish.host)
    before = set(held.addresses) if held else set()
    if before != set(addresses):
        done.append(await _at_registry(outside, wish, addresses, before, held is None))
    await until_glue(outside, wish.domain, wish.host, addresses)
    return done


async def _at_registry(outside: Outside, wish: Wish, addresses: Sequence[str], before: set[str], create: bool) -> str:
    add, remove = [each for each in addresses if each not in before], sorted(before - set(addresses))
    words = f"host {name_text(wish.host)} at {wish.registrar.name}: {', '.join(sorted(before)) or 'nothing'} → {', '.join(addresses)}"
    journal, first = outside.journal, outside.clock.now()
    with occupied(outside.folder / outside.settings.moves, wish.domain, first):
        evidence = outside.evidence()
        journal.intend("", wish.domain, "host", first, words)
        try:
            said = await wish.registrar.change_host(wish.host, add, remove, create)
            held = await wish.registrar.host(wish.host)
            if held is None or set(held.addresses) != set(addresses):
                raise OutsideFault(
                    f"{wish.registrar.name} said {said}, but does not hold these addresses", "look at the registrar's own pages"
                )
        except OutsideFault as fault:
            journal.fail("", wish.domain, "host", outside.clock.now(), fault.message, evidence)
            raise
        finally:
            outside.asker.heard.remove(evidence)
        journal.settle("", wish.domain, Outcome("host", first, outside.clock.now(), words), outside.clock.now(), evidence)
    return f"{words}: {said}"


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


async def refuse_leaned_on(outside: Outside, host: Name, domains: Sequence[Name]) -> None:
    """Raises :class:`GateShut` while the NS set of one of these domains, at its parent or in its zone, names the host."""
    views = await asyncio.gather(*(look_at_hosts(outside, domain, None) for domain in domains))
    for domain, found in zip(domains, views, strict=True):
        if view := next((each for each in found if each.name == host and each.named_by), None):
            by = " and ".join(view.named_by)
            raise GateShut(
                f"{name_text(domain)} leans on {name_text(host)}, which is named by {by}",
                "take it out of the NS sets first: legatum registration nameservers, legatum amend",
            )


async def withdraw(outside: Outside, domain: Name, host: Name, provider: Provider, registrar: Registrar) -> list[str]:
    """The host taken away at the registry, then its addresses in the zone. What was done."""
    done = []
    if await registrar.host(host) is not None:
        done.append(f"{registrar.name}: {await registrar.delete_host(host)}")
        if await registrar.host(host) is not None:
            raise OutsideFault(f"{registrar.name} still holds {name_text(host)}", "look at the registrar's own pages")
    publication = await draw_zone(outside, Wish(domain, host, (), provider, registrar), ())
    if publication.is_needed:
        published = await publish(outside, publication)
        done.append(f"the zone: no addresses any more, serial {published.serial} on every server")
    return done


async def absence_ttl(wish: Wish) -> int:
    """How long caches may keep that the host does not exist, in seconds."""
    return negative_ttl((await wish.provider.fetch(wish.domain)).soa_rrset)
