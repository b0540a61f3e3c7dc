"""Steps that many kinds share: the delegation changed where it stands - at the registrar, or in the
zone above - and everybody confirmed."""

from collections.abc import Iterator, Sequence

from legatum.core.moves.assembly import Phase, PlannedStep
from legatum.core.moves.effects import Agreed, Published, RRsetChange
from legatum.core.moves.effects.hosts import address_sets
from legatum.core.moves.needs import Need
from legatum.core.moves.place import ADDRESSES
from legatum.core.moves.plan_input import PlanInput
from legatum.core.moves.runbook import Step
from legatum.core.records.address import address_rdata
from legatum.core.records.name import ROOT, Name, is_under, name_text
from legatum.core.records.rrset import RRset, rrset
from legatum.core.records.rrtype import AAAA, NS
from legatum.core.running.fault import BadInput, GateShut


def leading(
    inputs: PlanInput,
    zone: Name,
    before: Sequence[Name],
    after: Sequence[Name],
    whose: str,
    back: str,
    ready: bool = True,
) -> Iterator[PlannedStep]:
    """Steps ``switch`` and ``parents`` for the domain, ``switch`` alone for a part of it. ``whose``: the new set, in
    words."""
    if zone != inputs.domain:
        yield _in_the_zone_above(inputs, zone, before, after, whose, back)
        return
    if not inputs.registrar:
        raise BadInput(
            f"the NS set of {name_text(zone)} is kept by a registrar, and none is named", "say which: --registrar NAME"
        )
    if len(after) == 1 and len(held_before := set(inputs.delegation)) > 1:
        raise GateShut(
            f"{name_text(after[0])} would be the only one left of {len(held_before)} name servers",
            "registries ask for two at least, on networks of their own (RFC 2182 s5): name another one first",
        )
    gates = [f"every new server answers for {'the zone with the new NS set' if ready else 'the zone'}"] if after else []
    glue = [each for host in after if is_under(host, inputs.parent_zone) for each in _glue(inputs, host)]
    held = sorted(before or inputs.delegation)
    yield PlannedStep(
        Phase.SWITCH,
        Step(
            "switch",
            f"Set the NS set at the registrar {inputs.registrar} to {whose}"
            if after
            else f"Take the NS set away at {inputs.registrar}",
            (inputs.delegated(held, after, glue),),
            (*gates, "the registrar holds this domain"),
            "the registry holds exactly the new set, none of the old ones left",
            back,
            estimate=3600 if inputs.registrar_by_hand else 2,
        ),
    )
    parent = "the root" if inputs.parent_zone == ROOT else f".{name_text(inputs.parent_zone)}"
    yield PlannedStep(
        Phase.SEEN,
        Step(
            "parents",
            f"See {'the new NS set' if after else 'no delegation any more'} on every server of {parent}",
            (Published(zone, tuple(sorted(after))),),
            (),
            "every address of every parent server hands out exactly the new set",
            back,
            estimate=inputs.publishing,
        ),
    )


def _glue(inputs: PlanInput, host: Name) -> list[RRset]:
    """As the parent will give it along: what the places have."""
    addresses = tuple(address for place in inputs.places for address in place.servers.get(host, ()))
    return list(address_sets(host, addresses, inputs.glue_ttl))


def _in_the_zone_above(
    inputs: PlanInput, cut: Name, before: Sequence[Name], after: Sequence[Name], whose: str, back: str
) -> PlannedStep:
    zone = inputs.contents
    present = zone.get(cut, NS)
    ttl = present.ttl if present is not None else inputs.low_ttl
    changes = [RRsetChange(present, rrset(cut, NS, ttl, after))]
    for host in sorted({*before, *after}):
        if not is_under(host, cut):
            continue
        held = (
            tuple(address for place in inputs.places for address in place.servers.get(host, ()))
            if host in after
            else ()
        )
        for rtype in ADDRESSES:
            data = [address_rdata(each) for each in held if (":" in each) == (rtype == AAAA)]
            old, new = zone.get(host, rtype), rrset(host, rtype, ttl, data) if data else None
            changes += [RRsetChange(old, new)] if old != new else []
    return PlannedStep(
        Phase.SWITCH,
        Step(
            "switch",
            f"Hand {name_text(cut)} on to {whose} in the zone at {inputs.main}",
            (inputs.records(inputs.main, inputs.domain, changes),),
            ("every new server answers for it with the new NS set",),
            f"every server of {inputs.main} hands it on to exactly these",
            back,
            estimate=10,
        ),
    )


def confirmed(
    inputs: PlanInput,
    zone: Name,
    ns: Sequence[Name],
    back: str,
    needs: tuple[Need, ...],
    about: str = "",
    resolvers: bool = True,
) -> PlannedStep:
    """Step ``confirm``. Without ``resolvers``: nobody is worse off with an earlier set."""
    at_registrar = inputs.registrar if zone == inputs.domain else ""
    parties = ("parent, child, registrar" if at_registrar else "parent, child") + (
        " and all resolvers" if resolvers else ""
    )
    return PlannedStep(Phase.CONFIRM, Step(
        "confirm", about or f"Confirm {parties}", (Agreed(zone, tuple(sorted(ns)), at_registrar, resolvers),),
        ("no old NS left over anywhere",),
        "all agree on the new NS set" if ns else "nobody hands out an NS set", back,
    ), needs)  # fmt: skip
