"""Looking at a registration through whichever account has it, else through what everybody may see."""

from legatum.core.moves.kinds.registrar_transfer import Account, RegisteredDomain, below
from legatum.core.records.address import address_text
from legatum.core.records.name import Name, name_text
from legatum.core.records.rrtype import AAAA, A
from legatum.core.running.fault import OutsideFault
from legatum.net.registry.epp import Refused
from legatum.services.registrar import Registrar, Registration
from legatum.wire.epp import AUTHORISATION
from legatum.work.look.registration import look_at_rdap
from legatum.work.run_context import RunContext


async def look_at_held(
    context: RunContext, domain: Name, *accounts: Registrar
) -> tuple[RegisteredDomain, Registrar | None]:
    """What is registered, and the account that has it; None where it was seen from outside only.

    Raises :class:`OutsideFault` where neither an account nor RDAP tells.
    """
    for account in accounts:
        found = await _own(account, domain)
        if found is not None:
            hosts = {host: await _addresses(account, host) for host in found.hosts}
            return RegisteredDomain(
                domain,
                context.clock.now(),
                found.registrar,
                found.nameservers,
                found.ds or (),
                hosts,
                found.statuses,
                found.expires,
                found.created,
                found.transferred,
                found.grace,
            ), account
    return await _from_outside(context, domain), None


def is_own(account: Registrar, held: Registration) -> bool:
    """The account sponsors the domain. Registries may tell others of it too (RFC 5731 s3.1.2), so that being told says
    nothing."""
    return account.by_hand or held.registrar.lower() == account.client.lower()


async def _own(account: Registrar, domain: Name) -> Registration | None:
    if account.by_hand:
        return None
    try:
        found = await account.registration(domain)
        return found if is_own(account, found) else None
    except Refused as refused:
        if refused.code == AUTHORISATION:
            return None
        raise


async def _addresses(account: Registrar, host: Name) -> tuple[str, ...]:
    held = await account.host(host)
    return held.addresses if held is not None else ()


async def _from_outside(context: RunContext, domain: Name) -> RegisteredDomain:
    with context.collecting() as evidence:
        view, why = await look_at_rdap(context, evidence, domain)
    if view is None:
        raise OutsideFault(
            f"{name_text(domain)}: no account has it, and RDAP says nothing{f': {why}' if why else ''}",
            "give [rdap] in the settings, or the account that has it",
        )
    glue = await _glue(context, domain, below(domain, view.nameservers))
    return RegisteredDomain(
        domain,
        context.clock.now(),
        view.registrar,
        view.nameservers,
        view.ds or (),
        glue,
        view.statuses,
        view.expires,
        view.created,
        view.transferred,
    )


async def _glue(context: RunContext, domain: Name, hosts: list[Name]) -> dict[Name, tuple[str, ...]]:
    if not hosts:
        return {}
    _, reply = await context.walker().delegation_of(domain)
    found: dict[Name, tuple[str, ...]] = {}
    for host in hosts:
        sets = (
            [each for each in reply.additional if each.name == host and each.rtype in (A, AAAA)]
            if reply is not None
            else []
        )
        found[host] = tuple(sorted(address_text(rdata) for each in sets for rdata in each.rdatas))
    return found


async def losing_account(context: RunContext, registrar: Registrar) -> Account:
    """With the servers of the DNS services that stop when a domain leaves it, and their addresses."""
    names = context.registrars[registrar.name].dns
    servers = tuple(server for name in names for server in context.provider(name).servers)
    addresses = tuple(address for each in (await context.addresses(servers)).values() for address in each)
    return Account(registrar.name, registrar.by_hand, servers, addresses)
