"""Who serves a domain and who has its registration, where a command leaves that out."""

from dataclasses import replace

from legatum.core.moves.wishes import Wishes
from legatum.core.records.name import Name, name_text
from legatum.core.running.fault import BadInput, GateShut
from legatum.core.text.nearest import as_written
from legatum.services.provider import Provider
from legatum.services.registrar import Registrar
from legatum.work.drafting.holders import account_with, main_provider
from legatum.work.look.asking.wanted import Wanted
from legatum.work.run_context import RunContext
from legatum.work.verdicts.survey import survey


def with_known_names(context: RunContext, wish: Wishes) -> Wishes:
    """With providers and accounts as the settings write them."""
    places = [*context.providers, *context.settings.secondaries]
    return replace(
        wish,
        old=as_written(wish.old, places), to=as_written(wish.to, places), second=as_written(wish.second, places),
        without=as_written(wish.without, places), registrar=as_written(wish.registrar, context.registrars),
        part=(wish.part[0], as_written(wish.part[1], places)) if wish.part else None,
    )  # fmt: skip


async def provider_for(context: RunContext, domain: Name, said: str) -> Provider:
    """The one that was ``said``, else the one of the settings to which the domain is delegated. Raises
    :class:`GateShut` for none of them, or several, :class:`BadInput` for a name within a domain."""
    if said:
        return context.provider(said)
    observation = (await survey(context, domain, wanted=Wanted(resolvers=False, rdap=False))).observation
    if observation.domain != domain:
        raise BadInput(
            f"{name_text(domain)} lies in the zone {name_text(observation.domain)}",
            "name that domain, and the name in it",
        )
    try:
        return context.provider(main_provider(context, Wishes(domain=domain), observation))
    except GateShut as fault:
        raise GateShut(fault.message, "say at which provider: --at PROVIDER") from None


async def registrar_for(context: RunContext, domain: Name, said: str) -> Registrar:
    """The account that was ``said``, else the one that has the domain. Raises :class:`BadInput`."""
    return context.registrar(said or await account_with(context, domain))
