"""Whether it is one's own network that stands in the way: found out before a server is blamed for it."""

from legatum.core.observation.observation import Edns, Observation
from legatum.core.records.name import ROOT, name_text
from legatum.core.records.rrtype import NS
from legatum.core.running.fault import OutsideFault
from legatum.net.asking.around import ask_around
from legatum.net.asking.resolver import ask_resolver
from legatum.work.look.through import OnlyResolver
from legatum.work.run_context import RunContext


def is_doubtful(observation: Observation) -> bool:
    """What is wrong with it could be wrong with the way there: nobody answers over one family, or over TCP, or nobody
    does as he should."""
    asked = [(view.address, view.answered) for view in observation.parents] + [
        (view.address, not view.silent) for view in observation.servers
    ]
    for is_ipv6 in (False, True):
        family = [answered for address, answered in asked if (":" in address) == is_ipv6]
        if family and not any(family):
            return True
    tcp = [view.tcp_answered for view in observation.servers if view.serves and view.tcp_answered is not None]
    lost = [view for view in observation.servers if view.edns == Edns.DROPPED or view.cut]
    return bool(tcp and not any(tcp)) or bool(
        observation.servers and (not observation.serving or len(lost) == len(observation.servers))
    )


async def lacks_reach(context: RunContext, observation: Observation) -> bool:
    """Whether it turned out by this look that less can be asked from here than was thought, so that it has to be looked
    at again. Raises :class:`OutsideFault` as :func:`learn_reach`, and where none of the domain's servers can be asked
    from here."""
    changed = False
    if not context.looked_around and is_doubtful(observation):
        context.looked_around = True
        changed = await learn_reach(context)
        context.looked_around = any(
            view.answered for view in observation.parents
        )  # where everything fails it is found out each time
    if not changed:
        require_askable(context, observation)
    return changed


async def learn_reach(context: RunContext) -> bool:
    """Asks around, once in a run where all is well; whether it is now known that less can be asked from here than was
    thought. Raises :class:`OutsideFault` where nothing that can be asked from here is what it seems."""
    present = context.asker.patience.reach
    heard = await ask_around(context.asker, context.roots, present)
    if heard.boxed:
        raise OutsideFault(
            f"something on the way answers in the servers' place: {heard.boxed}, a root server, offered to "
            "look names up",
            "what servers say cannot be seen from this network: look from another one, or have port 53 let through",
        )
    if heard.reach is None:
        await _refuse_only_resolvers(context)
        return False
    context.asker.patience = context.asker.patience._replace(reach=heard.reach)
    return heard.reach != present


async def _refuse_only_resolvers(context: RunContext) -> None:
    """Raises :class:`OnlyResolver` where the root servers are silent, and a resolver is not."""
    for name, place in context.resolvers().items():
        if (await ask_resolver(context.asker, place, ROOT, NS)).answered:
            raise OnlyResolver(name, place)


def require_askable(context: RunContext, observation: Observation) -> None:
    """Raises :class:`OutsideFault` where none of the domain's servers can be asked from here, so that nothing is known
    of it."""
    if (
        observation.servers
        or not observation.all_addresses
        or any(map(context.asker.patience.reach.has, observation.all_addresses))
    ):
        return
    unknown = ", ".join(context.asker.patience.reach.left_out)
    raise OutsideFault(
        f"no server of {name_text(observation.domain)} can be asked from here: not known is {unknown}",
        "look from a network that has it: [viewpoints] in the settings",
    )
