"""A name that is to lead to a site elsewhere: as an alias, or, where none may stand, with the addresses that its target
has (docs/timing.md, rules 1 to 3)."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from legatum.core.moves.assembly import Phase, PlannedStep
from legatum.core.moves.effects import Answered, Effect, RRsetChange, ServiceEnded, Tracked
from legatum.core.moves.needs import Lowered, Need, OldDataExpired, Unused
from legatum.core.moves.place import ADDRESSES
from legatum.core.moves.plan_input import PlanInput
from legatum.core.moves.runbook import Step
from legatum.core.records.address import address_text
from legatum.core.records.name import Name, name_text
from legatum.core.records.rrset import RRset, rrset, targets
from legatum.core.records.rrtype import ALIAS, CNAME, NS
from legatum.core.running.fault import AlreadySo, GateShut
from legatum.core.zones.signer import PROOFS
from legatum.core.zones.zone import Zone

_LEADING = (*ADDRESSES, CNAME, ALIAS)


def beside(zone: Zone, name: Name) -> list[RRset]:
    """What stands at the name beside an alias or addresses: with it no alias may stand there (RFC 1034 s3.6.2)."""
    return [each for each in zone.at(name) if each.rtype not in (*_LEADING, *PROOFS)]


@dataclass(frozen=True, slots=True)
class Alias:
    """``addresses``: of the target, for a name at which no alias may stand: those are given there, and looked after;
    ``tracked``: they are already."""

    name: Name
    target: Name
    addresses: tuple[RRset, ...] = ()
    tracked: bool = False


def alias_pieces(inputs: PlanInput, wish: Alias) -> Iterator[PlannedStep]:
    """Raises :class:`GateShut` for a name server's name and a delegated one, :class:`AlreadySo`."""
    zone, text = inputs.contents, name_text(wish.name)
    before = [each for each in zone.at(wish.name) if each.rtype in _LEADING]
    _refuse_delegated(inputs, wish)
    ttl = min((each.ttl for each in before), default=zone.usual_ttl(wish.name))
    after = [rrset(wish.name, each.rtype, ttl, each.rdatas) for each in wish.addresses] or [
        rrset(wish.name, CNAME, ttl, [wish.target])
    ]
    changes = [RRsetChange(each, next((one for one in after if one.rtype == each.rtype), None)) for each in before]
    changes += [RRsetChange(None, each) for each in after if each.rtype not in {one.rtype for one in before}]
    changes = [each for each in changes if each.before is None or not each.before.says_the_same(each.after)]
    if not changes and (wish.tracked or not wish.addresses):
        raise AlreadySo(f"{text} leads to {name_text(wish.target)} already", "leave it out")
    low = ttl if inputs.at_once else min(inputs.low_ttl, ttl)
    lowered = [
        RRsetChange(each.before, each.before.with_ttl(low))
        for each in changes
        if each.before is not None and each.before.ttl != low
    ]
    for place in inputs.sides if lowered else ():
        yield PlannedStep(
            Phase.LOWER,
            Step(
                "lower-alias",
                f"Lower the TTL of {text} at {place} to {low}",
                (inputs.records(place, inputs.domain, lowered),),
                ("it is what was seen when drafting",),
                f"every server of {place} hands it out so",
                "raise it again",
                estimate=10,
            ),
        )
    yield from _exchanged(inputs, wish, changes, low)
    yield from _afterwards(inputs, wish, changes, low, ttl)


def _refuse_delegated(inputs: PlanInput, wish: Alias) -> None:
    zone, text = inputs.contents, name_text(wish.name)
    if wish.name in targets(zone.apex_ns):
        raise GateShut(f"{text} is a name server", "say its address: --hosts NAME=ADDRESS")
    if wish.name != zone.origin and zone.get(wish.name, NS) is not None:
        raise GateShut(f"{text} is delegated: what stands there is in a zone of its own", "draft it there")


def _low(each: RRset | None, ttl: int) -> RRset | None:
    return each.with_ttl(ttl) if each is not None else None


def _exchanged(inputs: PlanInput, wish: Alias, changes: Sequence[RRsetChange], low: int) -> Iterator[PlannedStep]:
    needs: tuple[Need, ...] = tuple(Lowered(inputs.domain, each.key) for each in changes if each.before is not None)
    how = "the addresses of " if wish.addresses else "an alias of "
    for place in inputs.sides if changes else ():
        new = [RRsetChange(_low(each.before, low), _low(each.after, low)) for each in changes]
        yield PlannedStep(
            Phase.CHANGE,
            Step(
                "alias",
                f"Give {name_text(wish.name)} {how}{name_text(wish.target)} at {place}",
                (inputs.records(place, inputs.domain, new),),
                ("the service answers there for that name: look before you say yes",),
                f"every server of {place} hands it out so",
                "set it back, to where everything stays up until the hold has passed the other way",
                estimate=10,
            ),
            needs,
        )


def _afterwards(
    inputs: PlanInput, wish: Alias, changes: Sequence[RRsetChange], low: int, ttl: int
) -> Iterator[PlannedStep]:
    zone, text = inputs.domain, name_text(wish.name)
    given = tuple(_low(each.after, low) for each in changes if each.after is not None)
    looks: list[Effect] = (
        [Answered(zone, tuple(inputs.sides), tuple(each for each in given if each is not None))] if given else []
    )
    looks += [Tracked(zone, wish.name, wish.target)] if wish.addresses else []
    yield PlannedStep(Phase.CONFIRM, Step(
        "confirm-alias", f"Confirm that everybody is led to {name_text(wish.target)} by {text}", tuple(looks), (),
        "every server and every resolver gives it", "set it back",
    ), tuple(OldDataExpired(zone, each.key, negative=each.before is None) for each in changes))  # fmt: skip
    raised = [
        RRsetChange(_low(each.after, low), each.after) for each in changes if each.after is not None and low != ttl
    ]
    for place in inputs.sides[-1:] if raised else ():
        yield PlannedStep(Phase.RAISE, Step(
            "raise-alias", f"Raise the TTL of {text} at {place} to {ttl}", (inputs.records(place, zone, raised),), (),
            f"every server of {place} hands it out so", "lower it again", estimate=10,
        ))  # fmt: skip
    for address in _left(inputs, changes):
        yield PlannedStep(
            Phase.END,
            Step(
                "old-address",
                f"Nobody is sent to {address} any more: it may be switched off",
                (ServiceEnded(address),),
                (),
                "said, not seen: the tool switches nothing off",
                f"from here on {address} has to work again first",
            ),
            (Unused(address),),
        )


def _left(inputs: PlanInput, changes: Sequence[RRsetChange]) -> list[str]:
    """Addresses to which nothing of the zone leads any more."""
    own = {each.key for each in changes}
    kept = {
        address_text(data)
        for each in inputs.contents.unsorted
        if each.rtype in ADDRESSES and (each.name, each.rtype) not in own
        for data in each.rdatas
    }
    kept |= {
        address_text(data)
        for each in changes
        if each.after is not None and each.key[1] in ADDRESSES
        for data in each.after.rdatas
    }
    gone = [
        address_text(data)
        for each in changes
        if each.before is not None and each.key[1] in ADDRESSES
        for data in each.before.rdatas
    ]
    return [each for each in dict.fromkeys(gone) if each not in kept]
