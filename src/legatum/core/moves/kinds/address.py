"""An address of a web or mail server replaced by another, wherever it stands in the zone (docs/timing.md, rules 1 and
2).

Both addresses work from before the first change until nobody can be sent to the old one. Where senders are listed (SPF,
RFC 7208) the new one stands beside the old one as long as either sends.
"""

import re
from collections.abc import Iterator
from dataclasses import dataclass

from legatum.core.moves.assembly import Phase, PlannedStep
from legatum.core.moves.effects import Answered, RRsetChange, ServiceEnded
from legatum.core.moves.needs import Lowered, Need, OldDataExpired, Unused
from legatum.core.moves.place import ADDRESSES, RRsetKey
from legatum.core.moves.plan_input import PlanInput
from legatum.core.moves.runbook import Step
from legatum.core.records.address import address_rdata, address_text
from legatum.core.records.name import name_text
from legatum.core.records.presentation import parse_rdata, rdata_text
from legatum.core.records.rrset import RRset, rrset, targets
from legatum.core.records.rrtype import TXT
from legatum.core.running.fault import BadInput, GateShut
from legatum.core.zones.zone import Zone


@dataclass(frozen=True, slots=True)
class NewAddress:
    """Addresses as text in their canonical form."""

    old: str
    new: str


def changes_in(zone: Zone, wish: NewAddress) -> list[RRsetChange]:
    """What holds the old address, with the new one in its place."""
    found = []
    for each in zone:
        if each.rtype in ADDRESSES and wish.old in map(address_text, each.rdatas):
            if (":" in wish.old) != (":" in wish.new):
                raise BadInput(
                    f"{wish.old} and {wish.new} are of two families", "replace an address by one of the same family"
                )
            data = [
                address_rdata(wish.new if address_text(one) == wish.old else address_text(one)) for one in each.rdatas
            ]
            found.append(RRsetChange(each, rrset(each.name, each.rtype, each.ttl, data)))
    return found


def senders_in(zone: Zone, wish: NewAddress) -> list[tuple[RRset, RRset, RRset]]:
    """SPF records that name the old address: as they are, with both, and with the new one alone."""
    found = []
    mechanism = re.compile(rf"(?<![\w:])([+~?-]?)ip([46]):{re.escape(wish.old)}(/\d+)?(?=[\s\"]|$)", re.IGNORECASE)
    for each in zone:
        if each.rtype != TXT:
            continue
        texts = [rdata_text(TXT, data) for data in each.rdatas]
        if not any("v=spf1" in text.lower() and mechanism.search(text) for text in texts):
            continue

        def rewritten(form: str, texts: list[str] = texts, each: RRset = each) -> RRset:
            data = [
                parse_rdata(TXT, mechanism.sub(form, text) if "v=spf1" in text.lower() else text, zone.origin)
                for text in texts
            ]
            return rrset(each.name, TXT, each.ttl, data)

        alone = rf"\1ip\2:{wish.new}\3"
        found.append((each, rewritten(rf"\g<0> {alone}"), rewritten(alone)))
    return found


def address_pieces(inputs: PlanInput, wish: NewAddress) -> Iterator[PlannedStep]:
    """Raises :class:`GateShut` for an address that is nowhere in the zone."""
    zone = inputs.contents
    changes, senders = changes_in(zone, wish), senders_in(zone, wish)
    servers = set(targets(zone.apex_ns))
    if inside := [each.key[0] for each in changes if each.key[0] in servers]:
        host = name_text(inside[0])
        raise GateShut(
            f"{wish.old} is the address of the name server {host}",
            f"say so: `--hosts {host}={wish.new}` moves its glue with it",
        )
    if not changes and not senders:
        raise BadInput(
            f"{wish.old} is nowhere in {name_text(inputs.domain)}", "is it the right address, and the right domain?"
        )
    keys = [each.key for each in changes]
    low = {
        each.key: each.before.with_ttl(min(inputs.low_ttl, each.before.ttl))
        for each in changes
        if each.before is not None
    }
    if inputs.at_once:
        low = {each.key: each.before for each in changes if each.before is not None}
    elif any(low[each.key] != each.before for each in changes):
        for place in inputs.sides:
            lowered = [RRsetChange(each.before, low[each.key]) for each in changes if low[each.key] != each.before]
            yield PlannedStep(
                Phase.LOWER,
                Step(
                    "lower-addresses",
                    f"Lower the TTL of {_list(keys)} at {place} to {inputs.low_ttl}",
                    (inputs.records(place, inputs.domain, lowered),),
                    ("they are what was seen when drafting",),
                    f"every server of {place} hands them out so",
                    "raise it again",
                    estimate=10,
                ),
            )
    for place in inputs.sides if senders else ():
        yield PlannedStep(Phase.MAKE, Step(
            "senders", f"Let {wish.new} send mail beside {wish.old}, at {place}",
            (inputs.records(place, inputs.domain, [RRsetChange(before, both) for before, both, _ in senders]),), (),
            f"every server of {place} names both", "take the new one out again", estimate=10,
        ))  # fmt: skip
    yield from _exchanged(
        inputs, wish, changes, low, [OldDataExpired(inputs.domain, (each.name, each.rtype)) for each, _, _ in senders]
    )
    yield from _afterwards(inputs, wish, changes, senders, low)


def _exchanged(
    inputs: PlanInput,
    wish: NewAddress,
    changes: list[RRsetChange],
    low: dict[RRsetKey, RRset],
    listed: list[OldDataExpired],
) -> Iterator[PlannedStep]:
    """``listed``: nobody holds an SPF record without the new address, from which mail comes as soon as anybody is led
    there."""
    needs: list[Need] = [*(Lowered(inputs.domain, each.key) for each in changes), *listed]
    for place in inputs.sides if changes else ():
        new = [
            RRsetChange(low[each.key], each.after.with_ttl(low[each.key].ttl))
            for each in changes
            if each.after is not None
        ]
        yield PlannedStep(
            Phase.CHANGE,
            Step(
                "address",
                f"Set {_list([each.key for each in changes])} to {wish.new} at {place}",
                (inputs.records(place, inputs.domain, new),),
                (f"the service answers at {wish.new}: look before you say yes",),
                f"every server of {place} hands out {wish.new}",
                f"set it back to {wish.old}, which stays up until the hold has passed the other way",
                estimate=10,
            ),
            tuple(needs),
        )


def _afterwards(
    inputs: PlanInput,
    wish: NewAddress,
    changes: list[RRsetChange],
    senders: list[tuple[RRset, RRset, RRset]],
    low: dict[RRsetKey, RRset],
) -> Iterator[PlannedStep]:
    new = [each.after.with_ttl(low[each.key].ttl) for each in changes if each.after is not None]
    back = f"set it back to {wish.old}"
    if changes:
        yield PlannedStep(
            Phase.CONFIRM,
            Step(
                "confirm-address",
                f"Confirm that everybody has {wish.new}",
                (Answered(inputs.domain, tuple(inputs.sides), tuple(new)),),
                (),
                "every server and every resolver gives the new address",
                back,
            ),
            tuple(OldDataExpired(inputs.domain, each.key) for each in changes),
        )
    raised = [
        RRsetChange(each, each.with_ttl(old.before.ttl))
        for each, old in zip(new, changes, strict=True)
        if old.before and old.before.ttl != each.ttl
    ]
    places = inputs.sides[-1:]  # by now the other side is out of reach
    for place in places if raised else ():
        yield PlannedStep(
            Phase.RAISE,
            Step(
                "raise-addresses",
                f"Raise the TTL of {_list([each.key for each in raised])} at {place} again",
                (inputs.records(place, inputs.domain, raised),),
                (),
                f"every server of {place} hands them out so",
                "lower it again",
                estimate=10,
            ),
        )
    yield PlannedStep(Phase.END, Step(
        "old-address", f"Nobody is sent to {wish.old} any more: it may be switched off", (ServiceEnded(wish.old),), (),
        "said, not seen: the tool switches nothing off", f"from here on {wish.old} has to work again first",
    ), (Unused(wish.old),))  # fmt: skip
    for place in places if senders else ():
        yield PlannedStep(
            Phase.CLOSE,
            Step(
                "old-sender",
                f"Let {wish.old} send mail no more, at {place}",
                (inputs.records(place, inputs.domain, [RRsetChange(both, alone) for _, both, alone in senders]),),
                (f"nothing sends from {wish.old} any more: look before you say yes",),
                f"every server of {place} names {wish.new} alone",
                "name both again",
                estimate=10,
            ),
        )


def _list(keys: list[RRsetKey]) -> str:
    names = list(dict.fromkeys(name_text(name) for name, _ in keys))
    return ", ".join(names[:4]) + (f" and {len(names) - 4} more names" if names[4:] else "")
