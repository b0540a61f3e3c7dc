"""Own name servers: set up, given other addresses, given up (docs/timing.md, rules 3, 4, 10 and 16).

A host has its address in the zone first, on every server, then at the registry; nobody names it before everybody can
know it. Another address answers before it is given, and the old one until nobody can hold it. A host goes when nobody
holds an NS set that names it.
"""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from legatum.core.moves.assembly import Phase, PlannedStep
from legatum.core.moves.effects import Answered, HostSet, Published, RRsetChange, ServiceEnded
from legatum.core.moves.effects.hosts import address_sets
from legatum.core.moves.kinds.name_servers import ns_pieces
from legatum.core.moves.needs import Need, NsSetExpired, Unused
from legatum.core.moves.place import ADDRESSES
from legatum.core.moves.plan_input import PlanInput
from legatum.core.moves.runbook import Step
from legatum.core.records.address import address_text
from legatum.core.records.name import Name, is_under, name_text
from legatum.core.records.rrset import RRset, targets
from legatum.core.running.fault import BadInput, GateShut

_FORMS = "give the addresses that it has, or other ones, or none for a host that goes"


@dataclass(frozen=True, slots=True)
class Hosts:
    """``addresses``: host → what it shall have, none for one that goes; ``held``: what the registry has, None for no
    host; ``named``: hosts that shall stand in both NS sets; ``alone``: and nobody else."""

    addresses: Mapping[Name, tuple[str, ...]]
    held: Mapping[Name, tuple[str, ...] | None]
    named: tuple[Name, ...] = ()
    alone: bool = False
    with_addresses: bool = False


def host_pieces(inputs: PlanInput, wish: Hosts) -> Iterator[PlannedStep]:
    """Raises :class:`BadInput` for what is not below the domain, :class:`GateShut` for what would leave nobody."""
    for host in (*wish.addresses, *wish.named):
        if not is_under(host, inputs.domain) or host == inputs.domain:
            raise BadInput(
                f"{name_text(host)} is not below {name_text(inputs.domain)}",
                "only hosts below a domain have addresses at its registry",
            )
    going = [host for host, addresses in wish.addresses.items() if not addresses]
    for host, addresses in wish.addresses.items():
        if addresses:
            yield from _placed(inputs, wish, host, addresses)
    present = targets(inputs.contents.apex_ns)
    wanted = tuple(sorted(set(wish.named) if wish.alone else {*present, *wish.named} - set(going)))
    moves = inputs.main not in inputs.serving_at_the_end
    if not wanted and not moves:
        raise GateShut(f"nobody would serve {name_text(inputs.domain)} any more", "name other servers first")
    if not moves and (wish.named or set(going) & {*present, *inputs.delegation}):
        yield from ns_pieces(inputs, wanted, _sets_up(inputs, wish))
    for host in going:
        yield from _gone(inputs, wish, host)


def _sets_up(inputs: PlanInput, wish: Hosts) -> tuple[Name, ...]:
    """Hosts that get their first address by this plan."""
    return tuple(host for host, addresses in wish.addresses.items() if addresses and not _in_zone(inputs, host))


def _in_zone(inputs: PlanInput, host: Name) -> tuple[str, ...]:
    return tuple(
        address_text(data)
        for rtype in ADDRESSES
        for each in [inputs.contents.get(host, rtype)]
        if each
        for data in each.rdatas
    )


def _placed(inputs: PlanInput, wish: Hosts, host: Name, addresses: tuple[str, ...]) -> Iterator[PlannedStep]:
    before, text = _in_zone(inputs, host), name_text(host)
    zone = inputs.contents
    ttl = max(
        (each.ttl for rtype in ADDRESSES if (each := zone.get(host, rtype))), default=inputs.contents.usual_ttl(host)
    )
    after = {each.rtype: each for each in address_sets(host, addresses, ttl)}
    changes = [
        RRsetChange(old, after.get(rtype)) for rtype in ADDRESSES if (old := zone.get(host, rtype)) != after.get(rtype)
    ]
    words = f"{', '.join(before)} → {', '.join(addresses)}" if before else ", ".join(addresses)
    back = (
        f"set it back to {', '.join(before)}, which stays up until the hold has passed the other way"
        if before
        else "take it away again"
    )
    changing, telling = (Phase.CHANGE, Phase.SWITCH) if before and inputs.made else (Phase.MAKE, Phase.MAKE)
    for place in inputs.sides if changes else ():
        yield PlannedStep(changing, Step(
            f"address-{text.split('.')[0]}", f"Give {text} its address in the zone at {place}: {words}",
            (inputs.records(place, inputs.domain, changes),), ("the server answers for the domain at every address",),
            f"every server of {place} gives it", back, estimate=10,
        ))  # fmt: skip
    held = wish.held.get(host)
    if set(held or ()) != set(addresses) and (held is not None or not wish.with_addresses):
        yield PlannedStep(
            telling,
            Step(
                f"host-{text.split('.')[0]}",
                f"Set the addresses of {text} at the registrar {inputs.registrar}: {', '.join(addresses)}",
                (HostSet(inputs.registrar, host, inputs.parent_zone, held or (), addresses, inputs.glue_ttl),),
                (),
                "the registry holds just these",
                back,
                estimate=3600 if inputs.registrar_by_hand else 2,
            ),
        )
    if before and changes:
        yield PlannedStep(Phase.SEEN, Step(
            f"glue-{text.split('.')[0]}", f"See the new glue of {text} on every server of the parent zone",
            (Published(inputs.domain, tuple(sorted(inputs.delegation)), (host,)),), (),
            "every address of every parent server gives it", back,
            estimate=inputs.publishing,
        ))  # fmt: skip
        yield from _left(inputs, host, sorted(set(before) - set(addresses)), tuple(after.values()))


def _left(inputs: PlanInput, host: Name, old: list[str], new: tuple[RRset, ...]) -> Iterator[PlannedStep]:
    """Nobody asks at the old addresses any more: those that no other name server has may be switched off."""
    text = name_text(host)
    needs = tuple(Unused(address) for address in old)
    yield PlannedStep(
        Phase.CONFIRM,
        Step(
            f"confirm-{text.split('.')[0]}",
            f"Nobody asks {text} at {', '.join(old) or 'another address'} any more",
            (Answered(inputs.domain, tuple(inputs.sides), new),),
            (),
            "every server and every resolver gives the new addresses",
            "set it back",
        ),
        needs,
    )
    shared = {
        address for place in inputs.places for other, each in place.servers.items() if other != host for address in each
    }
    for address in old:
        if address not in shared:
            yield PlannedStep(Phase.END, Step(
                "old-address", f"{text} may stop answering at {address}", (ServiceEnded(address, inputs.main),), (),
                "said, not seen: the tool switches nothing off", f"from here on {address} has to answer again first",
            ), needs)  # fmt: skip


def _gone(inputs: PlanInput, wish: Hosts, host: Name) -> Iterator[PlannedStep]:
    text, before, held = name_text(host), _in_zone(inputs, host), wish.held.get(host)
    needs: tuple[Need, ...] = (NsSetExpired(inputs.domain, (host,)),)
    if held is not None:
        yield PlannedStep(Phase.LEAVE, Step(
            f"host-{text.split('.')[0]}", f"Take the host {text} away at the registrar {inputs.registrar}",
            (HostSet(inputs.registrar, host, inputs.parent_zone, held, (), inputs.glue_ttl),), ("no domain uses it",),
            "the registry has no such host any more", "make it again", estimate=2,
        ), needs)  # fmt: skip
    changes = [RRsetChange(each, None) for rtype in ADDRESSES if (each := inputs.contents.get(host, rtype)) is not None]
    for place in inputs.serving_at_the_end if changes else ():
        yield PlannedStep(
            Phase.END,
            Step(
                f"address-{text.split('.')[0]}",
                f"Take the address of {text} out of the zone at {place}",
                (inputs.records(place, inputs.domain, changes),),
                (),
                f"no server of {place} gives it any more",
                "put it back",
                estimate=10,
            ),
            needs,
        )
    if not before and held is None:
        raise BadInput(f"{text} is no host: it has no address in the zone, and the registry does not know it", _FORMS)
