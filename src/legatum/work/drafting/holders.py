"""Who holds what a plan changes: the provider at which the zone is changed, who serves a part of it, the registrar's
account."""

from collections.abc import Sequence

from legatum.core.agreement.verdict import names_said
from legatum.core.moves.place import keeper_name
from legatum.core.moves.wishes import Wishes
from legatum.core.observation.observation import Observation
from legatum.core.observation.signers import by_signer
from legatum.core.records.name import Name, name_text
from legatum.core.records.rrset import targets
from legatum.core.records.rrtype import NS
from legatum.core.running.fault import BadInput, GateShut, OutsideFault
from legatum.core.zones.zone import Zone
from legatum.settings.named import FORM, named_by
from legatum.work.drafting.second import servers_at
from legatum.work.registry.held import is_own
from legatum.work.run_context import RunContext


def main_provider(context: RunContext, wish: Wishes, observation: Observation) -> str:
    """The provider at which the zone is changed; whoever serves it now, by his servers' names, where it is to leave
    him. Raises :class:`BadInput` where that is not known."""
    if wish.old:
        return context.provider(wish.old).name
    led = {*observation.delegation, *observation.own_ns}
    if wish.first and wish.to:
        return wish.to
    found = [name for name in context.providers if set(servers_at(context, name)) & led]
    if len(found) == 2 and wish.without in found:
        found.remove(wish.without)
    if len(found) == 1 or (found and wish.disconnects):
        return found[0]
    domain = name_text(wish.domain)
    if len(by_signer(observation)) > 1 and found:
        raise two_signers(domain, found)
    if not found and observation.delegation and (wish.to or not context.providers):
        return named_by(map(name_text, observation.delegation))
    if not found:
        said = f"is delegated to {names_said(observation.delegation)}" if observation.delegation else "is not delegated"
        raise GateShut(
            f"{domain} {said}: no provider of the settings",
            "say at which provider its zone is changed: --from PROVIDER, or --from ns1.NAME,ns2.NAME",
        )
    raise GateShut(
        f"{domain} may be changed at {' or '.join(sorted(found))}: both have servers in its NS sets",
        "say which with --from PROVIDER",
    )


def provider_of(context: RunContext, observation: Observation) -> str:
    """The only provider of the settings that is led to; empty where there is none, or several."""
    led = {*observation.delegation, *observation.own_ns}
    found = [name for name in context.providers if set(servers_at(context, name)) & led]
    return found[0] if len(found) == 1 else ""


def two_signers(domain: str, providers: Sequence[str]) -> GateShut:
    return GateShut(
        f"{' and '.join(providers)} each serve and sign a zone of their own of {domain}: a change has to be "
        "made at both",
        f"one leaves first: `legatum move draft {domain} --without {providers[-1]}`; single records can be "
        "amended at each of them",
    )


def signer_beside(context: RunContext, observation: Observation, main: str) -> str:
    """A provider that is led to with a zone of its own beside the main one's, signed with keys of its own; empty for
    none."""

    own, groups = servers_at(context, main), by_signer(observation)
    others = (
        {view.server for group in groups for view in group if not any(each.server in own for each in group)}
        if groups[1:]
        else set()
    )
    return next((name for name in context.providers if name != main and others & set(servers_at(context, name))), "")


def part_holder(context: RunContext, zone: Zone, cut: Name) -> str:
    named = set(targets(zone.get(cut, NS)))
    if not named:
        return ""
    found = next((name for name in context.providers if set(servers_at(context, name)) & named), None)
    if found is None:
        raise GateShut(
            f"{name_text(cut)} is handed on to {names_said(tuple(sorted(named)))}: no provider of the settings",
            "add who serves it to the settings",
        )
    return found


async def registrar_account(context: RunContext, wish: Wishes, observation: Observation) -> str:
    """The account that has the domain; of a part whose DS set stands in a zone of ours, that. Raises :class:`BadInput`
    where it is not to be seen."""
    above = {view.server for view in observation.parents}
    keeper = next((name for name in context.providers if set(servers_at(context, name)) & above), "")
    if keeper and not wish.registrar:
        return keeper_name(observation.parent_zone, keeper)
    if wish.registrar or (wish.transfer and not wish.delegates):
        return wish.registrar or (wish.transfer.losing if wish.transfer else "")
    if wish.transfer:
        return wish.transfer.losing
    return await account_with(context, wish.domain)


async def account_with(context: RunContext, domain: Name) -> str:
    """The registrar's account that has the domain; :data:`FORM` without any account. Raises :class:`BadInput` where
    that is not known."""
    names = list(context.registrars)
    if not names:
        return FORM
    if len(names) == 1:
        return names[0]
    for name in names:
        account = context.registrar(name)
        if account.by_hand:
            continue
        try:
            if is_own(account, await account.registration(domain)):
                return name
        except OutsideFault:
            continue
    raise BadInput(
        f"which account has {name_text(domain)} is not known",
        f"say it: --registrar NAME; one that the settings do not have is --registrar {FORM}",
    )
