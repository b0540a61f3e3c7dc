"""What registration data say: RDAP for everybody, the registry itself where the registrar is one of the settings'."""

from contextlib import suppress

from legatum.core.observation.observation import RegistrationView
from legatum.core.observation.registration import host_addresses_from_rdap, registration_from_rdap
from legatum.core.records.name import Name, parent_of
from legatum.net.asking.web import WebAnswer
from legatum.net.keeping.evidence import Evidence
from legatum.net.registry.rdap import ask_rdap, parse_rdap
from legatum.work.run_context import RunContext

_TIMEOUT = 5.0
_UNKNOWN = 404


async def look_at_rdap(context: RunContext, evidence: Evidence, domain: Name) -> tuple[RegistrationView | None, str]:
    """What RDAP says, or why it says nothing. Raises :class:`~legatum.core.running.fault.BadInput` for a bootstrap file
    that is none."""
    try:
        bootstrap = await context.bootstrap()
    except ValueError as error:
        return None, str(error)
    if bootstrap is None:
        return None, ""
    url = bootstrap.url_for(domain)
    if url is None:
        return None, "no server is known for this suffix"
    answer = await _asked(context, evidence, url)
    try:
        return registration_from_rdap(parse_rdap(answer)), ""
    except ValueError as error:
        if answer.status == _UNKNOWN and bootstrap.url_for(parent_of(domain)) is not None:
            return None, ""  # deeper than a registration: a part of a domain that was handed on
        return None, str(error)


async def look_at_rdap_host(context: RunContext, evidence: Evidence, host: Name) -> tuple[str, ...] | None:
    """The addresses that RDAP has for a host (RFC 9082 s3.1.4); None where it says nothing of it, which not all servers
    do."""
    url = await _host_url(context, host)
    if url is None:
        return None
    try:
        return host_addresses_from_rdap(parse_rdap(await _asked(context, evidence, url), "nameserver"))
    except ValueError:
        return None


async def tells_hosts(context: RunContext, evidence: Evidence, host: Name) -> bool:
    """Whether RDAP answers for name servers of that zone at all, be it that there is no such one."""
    url = await _host_url(context, host)
    return url is not None and (await _asked(context, evidence, url)).status in (200, 404)


async def _host_url(context: RunContext, host: Name) -> str | None:
    with suppress(ValueError):  # the list is not to be had
        bootstrap = await context.bootstrap()
        return bootstrap.url_for(host, "nameserver") if bootstrap is not None else None
    return None


async def _asked(context: RunContext, evidence: Evidence, url: str) -> WebAnswer:
    """The server's answer, or the one that was kept."""
    answer = context.kept_web.get(url)
    if answer is None:
        settings = context.settings.rdap
        authority = str(context.folder / settings.authority) if settings and settings.authority else None
        answer = await ask_rdap(context.asker.route, url, _TIMEOUT, authority)
    evidence.web[url] = answer
    return answer


async def registration_view(context: RunContext, registrar: str, domain: Name) -> RegistrationView | None:
    """What a registrar's account shows; None of a form, which shows it to people only. Raises :class:`OutsideFault`
    when the registry does not tell."""
    account = context.registrar(registrar)
    if account.by_hand:
        return None
    found = await account.registration(domain)
    return RegistrationView(
        found.registrar,
        found.nameservers,
        found.statuses,
        found.expires,
        found.ds,
        found.created,
        found.updated,
        found.transferred,
    )
