"""Child name servers: hosts below a domain, whose addresses stand in the zone, at the registry and as glue at the
parent's servers."""

from collections.abc import Iterable, Sequence

from legatum.core.observation.hosts import HostUsers, NamedHost
from legatum.core.records.address import address_text
from legatum.core.records.name import Name, is_under, name_text
from legatum.core.records.rrset import targets
from legatum.core.records.rrtype import AAAA, NS, SOA, A
from legatum.core.running.fault import OutsideFault
from legatum.net.side_by_side import side_by_side
from legatum.services.registrar import Registrar
from legatum.work.listing import read_domains
from legatum.work.look.registration import look_at_rdap_host, tells_hosts
from legatum.work.run_context import RunContext


async def look_at_hosts(
    context: RunContext, domain: Name, registrar: Registrar | None, extra: Sequence[Name] = ()
) -> list[NamedHost]:
    """Every name in the domain's NS set, at the parent or in the zone, and ``extra`` ones."""
    walker = context.walker()
    cut, _ = await walker.delegation_of(domain)
    replies = await context.asker.ask_all(context.asker.askable(cut.addresses), domain, NS)
    named: dict[Name, list[str]] = {}
    glue: dict[Name, dict[str, tuple[str, ...]]] = {}
    ttls: dict[Name, int] = {}
    for reply in replies:
        for name in {
            name
            for each in (*reply.authority, *reply.answer)
            if each.name == domain and each.rtype == NS
            for name in targets(each)
        }:
            if "the parent" not in named.setdefault(name, []):
                named[name].append("the parent")
            found = [each for each in reply.additional if each.name == name and each.rtype in (A, AAAA)]
            glue.setdefault(name, {})[reply.server] = tuple(
                sorted(address_text(rdata) for each in found for rdata in each.rdatas)
            )
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
        registry = await held_addresses(context, registrar, name) if registrar is not None and inside else None
        zone = tuple(sorted(await walker.addresses(name)))
        views.append(NamedHost(name, inside, zone, registry, glue.get(name, {}), ttls.get(name), tuple(named[name])))
    return views


async def held_addresses(context: RunContext, registrar: Registrar, host: Name) -> tuple[str, ...] | None:
    """What the registry has for a host, None without one: by the account; where there is only a form by RDAP, else by
    the parent's glue."""
    if registrar.by_hand:
        with context.collecting() as evidence:
            seen = await look_at_rdap_host(context, evidence, host)
        if seen is not None:
            return seen
    held = await registrar.host(host)
    return held.addresses if held is not None else None


async def shows_host(context: RunContext, registrar: Registrar, domain: Name, host: Name) -> bool:
    """Whether looking can show what the registry has for a host: by the account; where there is only a form by RDAP, or
    by the parent's glue while its NS set names the host."""
    if not registrar.by_hand:
        return True
    with context.collecting() as evidence:
        if await tells_hosts(context, evidence, host):
            return True
    return any(
        each.name == host and "the parent" in each.named_by for each in await look_at_hosts(context, domain, None)
    )


async def look_for_host_users(
    context: RunContext, host: Name, domains: Iterable[Name], registrar: Registrar | None
) -> HostUsers:
    """Among these domains, those that the settings list, those of the journal; and what the registry knows of it."""
    known = dict.fromkeys([*domains, *known_domains(context)])
    candidates = [domain for domain in known if domain != host and not is_under(domain, host)]

    async def named_by(domain: Name) -> tuple[str, ...]:
        try:
            views = await look_at_hosts(context, domain, None)
        except OutsideFault:
            return ()  # no longer delegated, or nobody answers for it: then nobody is led to the host by it
        return next((each.named_by for each in views if each.name == host), ())

    found = dict(zip(candidates, await side_by_side(named_by, candidates), strict=True))
    held = await registrar.host(host) if registrar is not None and not registrar.by_hand else None
    return HostUsers(
        {domain: by for domain, by in found.items() if by}, len(candidates), held.linked if held is not None else None
    )


async def not_served(context: RunContext, users: Iterable[Name], addresses: Iterable[str]) -> list[str]:
    """What each of these addresses lacks of the domains that use a name server there, in words."""
    asked = [(address, domain) for domain in users for address in context.asker.askable(list(addresses))]
    replies = await side_by_side(lambda each: context.asker.ask(*each, SOA), asked)
    return [
        f"{address} does not answer for {name_text(domain)}, whose NS set names it: {reply.outcome}"
        for (address, domain), reply in zip(asked, replies, strict=True)
        if not reply.authoritative or reply.find(SOA) is None
    ]


def known_domains(context: RunContext) -> list[Name]:
    """Those of the house's list and of its journal, each once. Raises :class:`BadInput`."""
    return list(dict.fromkeys([*listed_domains(context), *context.journal.domains()]))


def listed_domains(context: RunContext) -> list[Name]:
    """The house's domains, where the settings name a list of them. Raises :class:`BadInput`."""
    if not context.settings.domains:
        return []
    context.journal.bring()
    return read_domains(str(context.folder / context.settings.domains))
