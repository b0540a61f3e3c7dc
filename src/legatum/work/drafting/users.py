"""Who else uses a name server that is to stand at another address: every domain whose NS set names it must be served
there too."""

from legatum.core.moves.kinds.address import changes_in
from legatum.core.moves.place import ADDRESSES
from legatum.core.moves.plan_input import PlanInput
from legatum.core.moves.wishes import Wishes
from legatum.core.records.address import address_text
from legatum.core.records.name import Name, name_text
from legatum.core.running.fault import GateShut
from legatum.services.registrar import Registrar
from legatum.work.registry.hosts import look_for_host_users, not_served
from legatum.work.run_context import RunContext


async def look_for_users(
    context: RunContext, wish: Wishes, inputs: PlanInput, account: Registrar | None
) -> dict[Name, tuple[Name, ...]]:
    """Name server → other domains that use it. Raises :class:`GateShut` where one of them is not served at a new
    address."""
    found = dict[Name, tuple[Name, ...]]()
    for host, addresses in _moved(wish, inputs).items():
        if host in wish.hosts:
            known = await look_for_host_users(context, host, wish.users, account)
            users, unknown = tuple(each for each in known.domains if each != inputs.domain), known.unknown
        else:
            users, unknown = (
                tuple(each for each in context.journal.domains_led_to(host) if each != inputs.domain),
                False,
            )
        present = {
            address_text(data)
            for rtype in ADDRESSES
            if (each := inputs.contents.get(host, rtype))
            for data in each.rdatas
        }
        if unknown and present and not wish.anyway:
            raise GateShut(
                f"the registry says that some domain uses {name_text(host)}, and none that is known here does",
                "find out which, and name it: --users FILE; or --anyway, if the new address serves whatever "
                "the old one does",
            )
        lacking = await not_served(context, users, [each for each in addresses if each not in present])
        if lacking and not wish.anyway:
            more = f" (and {len(lacking) - 1} more)" if lacking[1:] else ""
            raise GateShut(
                f"{lacking[0]}{more}", "have these served at the new address too, then draft again; or --anyway"
            )
        if users:
            found[host] = users
    return found


def _moved(wish: Wishes, inputs: PlanInput) -> dict[Name, tuple[str, ...]]:
    """Names that get another address, and which."""
    found = {host: addresses for host, addresses in wish.hosts.items() if addresses}
    for each in wish.replace:
        found |= {change.key[0]: (each.new,) for change in changes_in(inputs.contents, each)}
    return found
