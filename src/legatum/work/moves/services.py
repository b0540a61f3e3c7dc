"""The gate of every step that leads visitors to other addresses: the services there must not be worse than those that
they have now."""

from contextlib import suppress

from legatum.core.findings.finding import Severity
from legatum.core.moves.drift.position import Refusal
from legatum.core.moves.effects import Delegated, Records, RRsetChange
from legatum.core.records.address import address_text
from legatum.core.records.name import Name, below, is_under, name_text
from legatum.core.records.rrset import RRset, targets
from legatum.core.records.rrtype import AAAA, CNAME, MX, NS, A
from legatum.core.running.fault import Fault, OutsideFault
from legatum.core.service import judge_visit, worse
from legatum.core.service.address_lookup import led_to
from legatum.core.zones.zone import Zone
from legatum.work.gathering.flatten import addresses_behind
from legatum.work.moves.step_context import StepContext
from legatum.work.services.visit import NewPlaces, visit

_MOST_NAMES = 12


async def worse_services(job: StepContext) -> list[Refusal]:
    """What visitors would suffer at addresses that the step leads them to. A way back leads to where they were."""
    led = {} if job.runbook.retreating else await _led_elsewhere(job)
    if not led:
        return []
    found = worse(await visit(job.context, job.domain, NewPlaces(by_name=led, names=tuple(led))))
    if not found:
        return []
    more = f"; and {len(found) - 1} more" if len(found) > 1 else ""
    address = next(iter(led.values()))[0]
    remedy = (
        f"all of it: `legatum visit {name_text(job.domain)} --web-at {address}`; mend it there, or go on all the "
        "same: --anyway"
    )
    return [Refusal(f"visitors would be worse off: {found[0]}{more}", remedy)]


async def services_now(job: StepContext) -> str:
    """What is behind the names by way of the DNS, in a few words for an outcome."""
    try:
        found = await visit(job.context, job.domain)
    except Fault as fault:
        return f"the services could not be looked at: {fault.message}"
    if not found.seen:
        return "no services to look at"
    errors = [each for each in judge_visit(found) if each.kind.severity == Severity.ERROR]
    if not errors:
        return f"all {len(found.seen)} services behind the names answer as they should"
    more = f", and {len(errors) - 1} more" if len(errors) > 1 else ""
    return f"behind the names: error: {errors[0].kind.title.lower()}: {errors[0].sightings[0].seen}{more}"


async def _led_elsewhere(job: StepContext) -> dict[Name, tuple[str, ...]]:
    """Name → addresses that visitors are led to by the step, and are not now."""
    led: dict[Name, tuple[str, ...]] = {}
    for effect in job.step.effects:
        if isinstance(effect, Records):
            for change in effect.changed:
                if job.runbook.premises.place_of(change.key[0]) is not None:
                    continue  # a name server's: nobody visits that
                if change.key[1] == CNAME and change.after is not None:
                    if added := await _by_alias(job, effect.zone, change):
                        led[change.key[0]] = added
                elif change.key[1] in (A, AAAA) and change.before is not None and (added := _added(change)):
                    led[change.key[0]] = (*led.get(change.key[0], ()), *added)
                elif change.key[1] == NS and change.after is not None:
                    hosts = set(targets(change.after)) - set(targets(change.before))
                    led |= await _by_another_side(job, effect.zone, effect.place, change.key[0], hosts)
        elif isinstance(effect, Delegated) and effect.before and effect.after:
            left = next((place for host in effect.before if (place := job.runbook.premises.place_of(host))), "")
            led |= await _by_another_side(
                job, effect.domain, left, effect.domain, set(effect.after) - set(effect.before)
            )
    return dict(list(led.items())[:_MOST_NAMES])


async def _by_alias(job: StepContext, zone: Name, change: RRsetChange) -> tuple[str, ...]:
    """Where a name is led to by an alias, and not now; nothing where it leads nowhere now, as then nothing can become
    worse."""
    assert change.after is not None
    walker, now = job.context.walker(), set[str]()
    there = [
        address_text(data)
        for each in await addresses_behind(walker, Zone(zone, ()), targets(change.after)[0])
        for data in each.rdatas
    ]
    with suppress(OutsideFault):  # nowhere now: it is led there from nothing
        now = {
            address_text(data)
            for each in await addresses_behind(walker, Zone(zone, ()), change.key[0])
            for data in each.rdatas
        }
    return tuple(sorted(set(there) - now)) if now else ()


def _added(change: RRsetChange) -> tuple[str, ...]:
    return tuple(sorted(_addresses(change.after) - _addresses(change.before)))


def _addresses(rrset: RRset | None) -> set[str]:
    return {address_text(rdata) for rdata in rrset.rdatas} if rrset is not None else set()


async def _by_another_side(
    job: StepContext, zone: Name, left: str, cut: Name, hosts: set[Name]
) -> dict[Name, tuple[str, ...]]:
    """Where names at and below a cut lead to by the zone of those newly named, and not by that of who is left."""
    right = next((place for host in sorted(hosts) if (place := job.runbook.premises.place_of(host))), "")
    providers = job.context.providers
    if left == right or left not in providers or right not in providers:
        return {}  # a copy leads where the zone does that it is one of
    try:
        one, other = await job.zone(left, zone), await job.zone(right, cut)
    except OutsideFault:
        return {}  # the step's own gates say so
    found = {}
    for name in _names(one, cut):
        old, new = led_to(one, name), led_to(other, name)
        if new and old is not None and (added := tuple(each for each in new if each not in old)):
            found[name] = added
    return found


def _names(zone: Zone, cut: Name) -> list[Name]:
    hosts = [host for host in targets(zone.get(cut, MX)) if is_under(host, cut)]
    return [cut, below("www", cut), *hosts]
