"""Which domains of the house carry an address: those of the settings' list and of the journal, looked at in their
zones."""

from dataclasses import dataclass

from legatum.core.moves.kinds.address import NewAddress, changes_in, senders_in
from legatum.core.records.name import ROOT, Name, name_text
from legatum.core.running.fault import BadInput, Fault
from legatum.net.side_by_side import side_by_side
from legatum.work.drafting.second import servers_at
from legatum.work.registry.hosts import known_domains, look_at_hosts
from legatum.work.run_context import RunContext


@dataclass(frozen=True)
class Carriers:
    """``unseen``: domains of which it is not known, with what stood in the way; ``looked``: how many were looked at."""

    carrying: tuple[Name, ...]
    unseen: tuple[tuple[Name, Fault], ...]
    looked: int


async def carriers_of(context: RunContext, wish: NewAddress) -> Carriers:
    """Raises :class:`BadInput` where the house knows no domains."""
    known = [each for each in known_domains(context) if each != ROOT]
    if not known:
        raise BadInput(
            "which domains?", "name some, give a --list, or let `domains` in the settings name the house's list of them"
        )

    async def one(domain: Name) -> bool | Fault:
        try:
            return await _carries(context, domain, wish)
        except Fault as fault:
            return fault

    found = dict(zip(known, await side_by_side(one, known), strict=True))
    unseen = tuple((domain, each) for domain, each in found.items() if isinstance(each, Fault))
    return Carriers(tuple(domain for domain, each in found.items() if each is True), unseen, len(known) - len(unseen))


async def _carries(context: RunContext, domain: Name, wish: NewAddress) -> bool:
    """Raises :class:`BadInput` where no provider of the settings has its zone."""
    led = {view.name for view in await look_at_hosts(context, domain, None) if view.named_by}
    if not led:
        return False  # nobody is led anywhere by it
    home = next((name for name in context.providers if set(servers_at(context, name)) & led), None)
    if home is None:
        raise BadInput(
            f"{name_text(domain)} is served by {', '.join(sorted(map(name_text, led)))}: no provider of the settings",
            "look there by hand",
        )
    zone = await context.provider(home).fetch(domain)
    return bool(changes_in(zone, wish) or senders_in(zone, wish))
