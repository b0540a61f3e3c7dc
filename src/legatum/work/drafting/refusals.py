"""What is no basis for a plan: refused when it is drafted, with the reason."""

from collections.abc import Callable, Iterable, Iterator, Sequence

from legatum.core.agreement.verdict import names_said
from legatum.core.moves.effects import Records, RRsetChange
from legatum.core.moves.plan_input import PlanInput
from legatum.core.moves.runbook import Runbook
from legatum.core.moves.wishes import Wishes
from legatum.core.observation.observation import Observation
from legatum.core.observation.registration import forbids_updates
from legatum.core.records.name import is_under, name_text
from legatum.core.running.fault import AlreadySo, BadInput, GateShut
from legatum.core.zones.zone import Zone
from legatum.services.provider import Provider
from legatum.services.registrar import Registrar
from legatum.work.drafting.holders import signer_beside, two_signers
from legatum.work.registry.held import is_own
from legatum.work.run_context import RunContext
from legatum.work.zones.harm import refuse_new_errors


def refuse_errors(context: RunContext, inputs: PlanInput, runbook: Runbook) -> None:
    """Raises :class:`GateShut` where a zone would have an error after a step that it has not now, be it for a while."""
    records = [each for step in runbook.steps for each in step.effects if isinstance(each, Records)]
    for (place, origin), zone in inputs.zones.items():
        own = [each.changed for each in records if (each.place, each.zone) == (place, origin)]
        if states := list(_states(zone, own)):
            refuse_new_errors(context, [zone], states)


def _states(zone: Zone, steps: Iterable[Sequence[RRsetChange]]) -> Iterator[Zone]:
    """After each step that changes more than TTLs."""
    for changes in steps:
        zone = _changed(zone, changes)
        if any(each.before is None or not each.before.says_the_same(each.after) for each in changes):
            yield zone


def _changed(zone: Zone, changes: Iterable[RRsetChange]) -> Zone:
    for change in changes:
        zone = zone.without([change.key]) if change.after is None else zone.with_rrsets([change.after])
    return zone


async def refuse_other_registrar(
    context: RunContext, wish: Wishes, account: Registrar, told: Callable[[str], None]
) -> None:
    held = await account.registration(wish.domain)
    domain = name_text(wish.domain)
    if not is_own(account, held):
        raise GateShut(
            f"{domain} is registered with {held.registrar}, not through {account.name}",
            "give the account that has it with --registrar",
        )
    if locks := [status for status in held.statuses if forbids_updates(status)]:
        told(
            f"the registration of {domain} is locked ({', '.join(locks)}): unlock it before the NS sets change: "
            f"`legatum registration unlock {domain} --registrar {account.name}`"
        )


async def refuse_unmovable(context: RunContext, wish: Wishes, observation: Observation) -> None:
    """Raises :class:`GateShut` where what is handed out is not what a plan could rest on."""
    domain = name_text(observation.domain)
    beside = signer_beside(context, observation, wish.old)
    if beside and beside == wish.second and not (wish.to or wish.without or wish.transfer or wish.of_contents):
        left, right = wish.old, beside
        raise AlreadySo(
            f"{right} serves {domain} beside {left} already, with a zone of its own",
            f"whether both have the same: `legatum compare {left} {right} --domain {domain}`",
        )
    if beside and beside not in (wish.without, wish.to) and not wish.disconnects and not wish.first:
        raise two_signers(domain, (wish.old, beside))
    if wish.first:
        if observation.delegation:
            raise GateShut(
                f"{domain} is delegated already, to {names_said(observation.delegation)}",
                "say what else shall be different",
            )
        return
    if wish.to:
        old, new = (context.provider(name) for name in (wish.old, wish.to))
        if old.name == new.name:
            if {*observation.delegation} == {*observation.own_ns} == {*new.servers}:
                raise AlreadySo(
                    f"{domain} is served by {new.name} already", "leave --to out, or say who else shall serve it"
                )
            said = (
                f"delegated to {names_said(observation.delegation)}, and names {names_said(observation.own_ns)} itself"
            )
            raise GateShut(
                f"{domain} is at {new.name}, but not at it alone: it is {said}",
                f"`legatum survey {domain}` says what to mend",
            )
        if set(old.servers) & set(new.servers):
            raise GateShut(f"{old.name} and {new.name} share name servers", "a move between them changes nothing")
        now, before = names_said(observation.delegation), names_said(tuple(sorted(old.servers)))
        if set(observation.delegation) != set(old.servers) and not await _answers_as(context, observation, old):
            raise GateShut(
                f"{domain} is delegated to {now}, not to {old.name}'s {before}",
                "is --from the right provider, and its `servers` in the settings complete? A second provider "
                "leaves first: --without NAME",
            )
        if any(wish.hosts.values()) and not wish.stays_named(observation.delegation):
            raise BadInput(
                f"{domain} is delegated to {now}; --hosts beside --to gives addresses to others, or not to all",
                f"give every one of these an address at {new.name}, and the names stay; or draft the hosts "
                "by themselves",
            )
        if wish.stays_named(observation.delegation):
            theirs = await context.addresses_of(new.servers)
            if strange := [address for each in wish.hosts.values() for address in each if address not in theirs]:
                raise BadInput(
                    f"{', '.join(strange)} is no address of {new.name}'s servers",
                    f"they are at {', '.join(theirs)}: give the names these",
                )
            if not new.changes_apex_ns:
                raise GateShut(
                    f"{new.name} writes the NS set itself", "names of one's own cannot stay there: leave --hosts out"
                )
        if observation.own_ns and set(observation.own_ns) != set(observation.delegation):
            raise GateShut(
                f"the zone of {domain} names {names_said(observation.own_ns)}, its parent "
                f"{names_said(observation.delegation)}",
                f"make both the same first: `legatum amend {domain} @ NS SERVER SERVER --at {old.name}`",
            )


async def _answers_as(context: RunContext, observation: Observation, provider: Provider) -> bool:
    """The provider's servers, under names of the domain's own."""
    theirs = set(await context.addresses_of(provider.servers))
    found = {view.address for view in observation.servers if view.server in observation.delegation}
    return (
        bool(found) and found <= theirs and all(is_under(host, observation.domain) for host in observation.delegation)
    )
