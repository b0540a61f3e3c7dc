"""A part of a zone handed on to another provider, moved on, or taken back (docs/timing.md, rules 4 and 15).

Handed on: the child zone first, with all that the zone above has there, then the NS set in the zone above. Taken back:
all that the child zone has into the zone above, in the change that takes the NS set out; then the child's servers name
the ones above, so that caches that trust them come too; its service ends when nobody asks it.
"""

from collections.abc import Iterator
from dataclasses import dataclass

from legatum.core.moves.assembly import Phase, PlannedStep
from legatum.core.moves.effects import Agreed, Ready, Records, RRsetChange, ZoneEnded, ZoneMade
from legatum.core.moves.effects.hosts import address_sets
from legatum.core.moves.kinds.provider import NewProvider, provider_pieces
from legatum.core.moves.needs import DelegationInForce, NameKnown, NoLongerQueried
from legatum.core.moves.place import ADDRESSES
from legatum.core.moves.plan_input import PlanInput, some_of
from legatum.core.moves.runbook import Step
from legatum.core.records.name import Name, is_under, name_text
from legatum.core.records.rrset import rrset, targets
from legatum.core.records.rrtype import DS, NS, SOA
from legatum.core.running.fault import AlreadySo, BadInput, GateShut
from legatum.core.zones.cutting import child_zone, cut_set, parent_zone, parts_of, taken_back
from legatum.core.zones.signer import OWN, counted_text
from legatum.core.zones.zone import Zone, fresh_zone


@dataclass(frozen=True, slots=True)
class Part:
    """``name``: what is handed on; ``to``: who shall serve it, the place of the zone above to take it back; ``ttl``: of
    the NS set and the addresses in the zone above; ``held_by``: who serves it now, empty for the zone above."""

    name: Name
    to: str
    ttl: int = 3600
    held_by: str = ""


def part_pieces(inputs: PlanInput, wish: Part) -> Iterator[PlannedStep]:
    """Raises :class:`BadInput` and :class:`GateShut` as cutting does."""
    if wish.name == inputs.domain or not is_under(wish.name, inputs.domain):
        raise BadInput(
            f"{name_text(wish.name)} is not below {name_text(inputs.domain)}", "give a name such as app, or whole"
        )
    if inputs.contents.get(wish.name, DS) is not None:
        text = name_text(wish.name)
        raise GateShut(
            f"{text} has a DS in the zone above: its servers cannot change under it",
            f"`legatum ds withdraw {text}` first",
        )
    if not wish.held_by:
        if wish.to == inputs.main:
            raise AlreadySo(
                f"{name_text(wish.name)} is served by {wish.to}, in the zone above", "name another provider"
            )
        return _handed_on(inputs, wish)
    if wish.to == inputs.main:
        return _taken_back(inputs, wish)
    if wish.to == wish.held_by:
        raise AlreadySo(
            f"{wish.to} serves {name_text(wish.name)} already",
            "name another provider, or the zone's own to take it back",
        )
    return provider_pieces(inputs, NewProvider(wish.name, wish.held_by, wish.to))


def _changes(before: Zone, after: Zone) -> list[RRsetChange]:
    keys = sorted(before.keys | after.keys)
    return [
        RRsetChange(before.get(*key), after.get(*key))
        for key in keys
        if key[1] != SOA and key[1] not in OWN and before.get(*key) != after.get(*key)
    ]


def _handed_on(inputs: PlanInput, wish: Part) -> Iterator[PlannedStep]:
    zone, place, cut = inputs.contents, inputs.place(wish.to), wish.name
    parts = parts_of(zone, cut)
    servers = tuple(sorted(place.servers))
    glue = {
        host: tuple((rtype, data) for rtype in ADDRESSES for data in _data(place.servers[host], rtype))
        for host in servers
    }
    child = child_zone(parts, fresh_zone(cut, servers))
    ns = rrset(cut, NS, inputs.final_ttl, servers)
    text, back = name_text(cut), f"take it back into the zone at {inputs.main}"
    if parts.signed:
        text += f" (left out, because a signer made it: {counted_text(parts.signed)})"
    yield PlannedStep(
        Phase.MAKE,
        Step(
            "child",
            f"Publish {text} at {wish.to}, with all that the zone above has there",
            (
                ZoneMade(
                    wish.to,
                    cut,
                    (ns, *some_of([each for each in child.with_rrsets(parts.below) if each.rtype not in (SOA, NS)])),
                    inputs.main,
                ),
            ),
            (f"the zone exists at {wish.to}, or can be created there",),
            f"every server of {wish.to} answers as the zone above did",
            f"nobody asks {wish.to} yet: leave it or remove it",
            estimate=10,
        ),
    )
    yield PlannedStep(
        Phase.READY,
        Step(
            "ready",
            f"Check that {wish.to} is ready for everybody",
            (Ready(cut, (wish.to,), servers),),
            ("every server answers for it", "every NS name has its address"),
            "every server, every address",
            "nothing to take back",
        ),
        tuple(NameKnown(host) for host in servers),
    )
    after = parent_zone(zone, parts, servers, wish.ttl, glue)
    for at in inputs.sides:
        yield PlannedStep(
            Phase.CHANGE,
            Step(
                "cut",
                f"Hand {name_text(cut)} on to {wish.to} in the zone at {at}",
                (inputs.records(at, inputs.domain, _changes(zone, after)),),
                (f"{wish.to} answers for all of it",),
                f"every server of {at} hands it on, and answers for the rest as before",
                back,
                estimate=10,
            ),
        )
    longest = max((each.ttl for each in parts.below), default=0)
    yield PlannedStep(
        Phase.CONFIRM,
        Step(
            "confirm",
            f"Confirm that everybody comes to {wish.to} for it",
            (Agreed(cut, servers),),
            ("no old answer left over anywhere",),
            "parent, child and all resolvers agree",
            back,
        ),
        (DelegationInForce(inputs.domain, cut, longest),),
    )


def _data(addresses: tuple[str, ...], rtype: int) -> list[bytes]:
    return [data for each in address_sets(Name(b"\0"), addresses, 0) if each.rtype == rtype for data in each.rdatas]


def _taken_back(inputs: PlanInput, wish: Part) -> Iterator[PlannedStep]:
    zone, cut, place = inputs.contents, wish.name, inputs.place(wish.held_by)
    cut_set(zone, cut)
    child = inputs.zone(wish.held_by, cut)
    after = taken_back(zone, child)
    text, back = name_text(cut), f"hand it on to {wish.held_by} again"
    for at in inputs.sides:
        yield PlannedStep(
            Phase.CHANGE,
            Step(
                "cut",
                f"Take {text} back into the zone at {at}",
                (inputs.records(at, inputs.domain, _changes(zone, after)),),
                (),
                f"every server of {at} answers for it itself",
                back,
                estimate=10,
            ),
        )
    own, above = child.apex_ns, zone.apex_ns
    if own is not None and above is not None and own.rdatas != above.rdatas and not place.own_ns:
        lead = Records(wish.held_by, cut, (RRsetChange(own, rrset(cut, NS, own.ttl, above.rdatas)),))
        yield PlannedStep(
            Phase.SWITCH,
            Step(
                "apex",
                f"Have the servers of {wish.held_by} name those of {inputs.main}",
                (lead,),
                (),
                f"every server of {wish.held_by} does",
                f"have them name {', '.join(map(name_text, targets(own)))} again",
                estimate=10,
            ),
        )
    yield PlannedStep(
        Phase.END,
        Step(
            "end",
            f"End {text} at {wish.held_by}",
            (ZoneEnded(wish.held_by, cut, (own,) if own is not None else (), inputs.main),),
            ("the hold has passed",),
            f"no server of {wish.held_by} answers for it any more",
            f"from here on it begins with creating the zone at {wish.held_by} anew",
            estimate=5,
        ),
        (NoLongerQueried(wish.held_by, cut),),
    )
