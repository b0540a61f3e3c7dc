"""Registrars' accounts, and registration data."""

from collections.abc import Sequence

from legatum.core.calendar.instant import parse_instant
from legatum.core.records.name import Name, name_text
from legatum.core.running.fault import BadInput, Fault
from legatum.net.keeping.evidence import Evidence
from legatum.services.epp_registrar import RegistryAccount
from legatum.settings.document import EppRegistrar, ManualRegistrar
from legatum.work.checks.checked import Checked, fails, unknown, works
from legatum.work.look.registration import look_at_rdap
from legatum.work.run_context import RunContext


async def check_registrar(
    context: RunContext, name: str, section: EppRegistrar | ManualRegistrar, domains: Sequence[Name]
) -> list[Checked]:
    table = f"registrars.{name}"
    if isinstance(section, ManualRegistrar):
        page = f"its form: {section.page}" if section.page else "a form, and no page is named"
        return [unknown(table, "page", "account", f"{page}; only a person can log in there")]
    try:
        account = context.registrar(name)
    except Fault as fault:
        return [fails(table, "password", "password", fault.message, fault.remedy)]
    assert isinstance(account, RegistryAccount)
    try:
        greeting = await account.greeted()
    except Fault as fault:
        key = "password" if "password" in fault.remedy else "authority" if "authority" in fault.remedy else "server"
        return [fails(table, key, "login", fault.message, fault.remedy)]
    said = f"{greeting.server} greets, and lets {section.user} in"
    found = [works(table, "server", "login", said, _ahead(context, greeting.date))]
    if not domains:
        return [
            *found,
            unknown(table, "server", "check of a domain", "no domain to check", "name one: --domain DOMAIN"),
        ]
    try:
        (checked, *_) = await account.availability(domains[:1])
        said = (
            f"{name_text(domains[0])} can{'' if checked.free else 'not'} be "
            f"registered{f': {checked.reason}' if checked.reason else ''}"
        )
        return [*found, works(table, "server", "check of a domain", said)]
    except Fault as fault:
        return [*found, fails(table, "user", "check of a domain", fault.message, fault.remedy)]


def _ahead(context: RunContext, date: str) -> float | None:
    try:
        return parse_instant(date) - context.clock.now()
    except BadInput:
        return None


async def check_rdap(context: RunContext, domains: Sequence[Name]) -> list[Checked]:
    try:
        bootstrap = await context.bootstrap()
    except ValueError as error:
        return [fails("rdap", "bootstrap", "list of servers", str(error), "is HTTPS open from here?")]
    except BadInput as fault:
        return [fails("rdap", "bootstrap", "list of servers", fault.message, fault.remedy)]
    if bootstrap is None:
        return [unknown("rdap", "", "registration data", "not in the settings: they are not asked for")]
    found = [works("rdap", "bootstrap", "list of servers", f"{len(bootstrap.services)} suffixes")]
    domain = next((each for each in domains if bootstrap.url_for(each)), None)
    if domain is None:
        return [
            *found,
            unknown("rdap", "bootstrap", "registration data", "no domain to ask for", "name one: --domain DOMAIN"),
        ]
    evidence = Evidence()
    view, why = await look_at_rdap(context, evidence, domain)
    if view is None:
        return [
            *found,
            fails("rdap", "authority", "registration data", f"{name_text(domain)}: {why}", "is HTTPS open from here?"),
        ]
    dates = [each.date - context.clock.now() for each in evidence.web.values() if each.date is not None]
    said = f"{name_text(domain)}: with {view.registrar or 'a registrar'}"
    return [*found, works("rdap", "bootstrap", "registration data", said, dates[0] if dates else None)]
