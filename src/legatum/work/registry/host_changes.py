"""Own name servers: which addresses do, whether a host is ready to be named, and its glue watched."""

from collections.abc import Sequence

from legatum.core.observation.hosts import NamedHost
from legatum.core.records.address import address_text
from legatum.core.records.name import Name, is_under, name_text
from legatum.core.records.rrtype import AAAA, SOA, A
from legatum.core.records.space import is_public
from legatum.core.running.fault import BadInput, GateShut
from legatum.core.zones.zone import Zone
from legatum.services.registrar import ByHand, Registrar
from legatum.work.registry.hosts import held_addresses, look_at_hosts
from legatum.work.run_context import RunContext


class HostByHand(ByHand):
    """Only a person can change the host. ``before`` and ``after``: its addresses, none for one that goes; ``done``:
    what was done."""

    def __init__(
        self, registrar: Registrar, host: Name, before: Sequence[str], after: Sequence[str], done: Sequence[str]
    ) -> None:
        goes = [] if after else [f"take the host {name_text(host)} away"]
        told = [f"+ {each}" for each in after if each not in before] + [
            f"- {each}" for each in before if each not in after
        ]
        super().__init__(registrar.name, registrar.page, goes or [f"host {name_text(host)} {', '.join(told)}"])
        self.host, self.before, self.after, self.done = host, tuple(before), tuple(after), list(done)


async def refuse_unfit(
    context: RunContext,
    domain: Name,
    host: Name,
    addresses: Sequence[str],
    others: Sequence[NamedHost],
    made_later: bool = False,
) -> None:
    """Raises :class:`GateShut` for addresses that do not do, :class:`BadInput` for a host that is not below the domain.
    ``made_later``: the zone is not there yet, and nobody is led there before it is."""
    if not is_under(host, domain) or host == domain:
        raise BadInput(
            f"{name_text(host)} is not below {name_text(domain)}",
            "only hosts below a domain have addresses at its registry",
        )
    if not addresses:
        raise BadInput("no address", "give one at least, IPv4 or IPv6")
    if len(set(addresses)) != len(addresses):
        raise BadInput("the same address twice", "give each once")
    home = tuple(context.settings.network.home)
    for address in addresses:
        if not is_public(address, home):
            raise GateShut(
                f"{address} is not in public address space", "give an address that the world can reach, or set `home`"
            )
        if other := next((each for each in others if each.inside and each.name != host and address in each.zone), None):
            raise GateShut(
                f"{address} is {name_text(other.name)}'s already",
                "two names for one machine are one server to everybody",
            )
    for reply in () if made_later else await context.asker.ask_all(context.asker.askable(addresses), domain, SOA):
        if not reply.authoritative or reply.find(SOA) is None:
            raise GateShut(
                f"{reply.server} does not answer for {name_text(domain)}: {reply.outcome}", "set the server up first"
            )


async def refuse_unready_host(context: RunContext, current: Zone, host: Name, registrar: Registrar) -> None:
    """Raises :class:`GateShut` for a host that is not there, has other addresses at the registry than in the zone, or
    does not answer."""
    found = {text for each in current.at(host) if each.rtype in (A, AAAA) for text in map(address_text, each.rdatas)}
    if not found:
        raise GateShut(
            f"{name_text(host)} has no address in the zone",
            "`legatum hosts set HOST --address ADDRESS` gives it one, there and at the registry",
        )
    held = await held_addresses(context, registrar, host)
    if set(held) != found if held is not None else not (registrar.by_hand or registrar.with_addresses):
        said = ", ".join(held) if held is not None else "no host"
        raise GateShut(
            f"{registrar.name} has {said} for {name_text(host)}, the zone {', '.join(sorted(found))}",
            "`legatum hosts set HOST --address ADDRESS` brings both into step",
        )
    for reply in await context.asker.ask_all(context.asker.askable(sorted(found)), current.origin, SOA):
        if not reply.authoritative or reply.find(SOA) is None:
            raise GateShut(
                f"{reply.server} does not answer for {name_text(current.origin)}: {reply.outcome}",
                "set the server up first",
            )


async def until_glue(context: RunContext, domain: Name, host: Name, addresses: Sequence[str]) -> float:
    """Until every server of the parent zone that names the host hands out these addresses; the instant."""

    async def missing() -> str:
        views = await look_at_hosts(context, domain, None)
        view = next((each for each in views if each.name == host), None)
        if view is None or "the parent" not in view.named_by:
            return ""
        wrong = [
            f"{server} hands out {', '.join(found) or 'no glue'}"
            for server, found in view.glue.items()
            if set(found) != set(addresses)
        ]
        return "; ".join(wrong[:3])

    return await context.until_seen(missing, f"the glue of {name_text(host)}")
