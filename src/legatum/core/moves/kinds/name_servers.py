"""Both NS sets of a domain made another one, whose servers serve it already: the zone's own, then the registrar's (rule
4)."""

from collections.abc import Iterator, Sequence

from legatum.core.moves.assembly import Phase, PlannedStep
from legatum.core.moves.effects import Ready, RRsetChange
from legatum.core.moves.kinds.delegation_change import confirmed, leading
from legatum.core.moves.needs import NameKnown, OldDataExpired
from legatum.core.moves.plan_input import PlanInput
from legatum.core.moves.runbook import Step
from legatum.core.records.name import Name, name_text
from legatum.core.records.rrset import rrset, targets
from legatum.core.records.rrtype import NS


def ns_pieces(inputs: PlanInput, wanted: Sequence[Name], new_hosts: Sequence[Name] = ()) -> Iterator[PlannedStep]:
    """``new_hosts``: that get their address by the same plan."""
    present, zone = inputs.apex_ns, inputs.domain
    after = rrset(zone, NS, present.ttl, wanted)
    added = sorted({*wanted} - {*targets(present)})
    said = ", ".join(map(name_text, wanted))
    back = f"set it back to {', '.join(map(name_text, targets(present)))}"
    if added:
        yield PlannedStep(
            Phase.READY,
            Step(
                "ready",
                f"Check that {', '.join(map(name_text, added))} {'are' if added[1:] else 'is'} ready for everybody",
                (Ready(zone, tuple(inputs.sides), ()),),
                ("every server answers for the zone", "every new NS name has its address"),
                "every server, every address, the same contents",
                "nothing to take back",
            ),
            tuple(NameKnown(host) for host in added),
        )
    if after.rdatas != present.rdatas:
        for place in inputs.sides:
            yield PlannedStep(
                Phase.CHANGE,
                Step(
                    "apex",
                    f"Set the NS set of the zone at {place} to {said}",
                    (inputs.records(place, zone, [RRsetChange(present, after)]),),
                    ("every server in it answers for the zone",),
                    f"every server of {place} hands it out",
                    back,
                    estimate=10,
                ),
                tuple(NameKnown(host) for host in added),
            )
    if set(inputs.delegation) != set(wanted):
        yield from leading(inputs, zone, inputs.delegation, tuple(wanted), said, back, ready=False)
    longer = {*targets(present), *inputs.delegation} <= {*wanted}
    yield confirmed(
        inputs, zone, tuple(wanted), back, () if longer else (OldDataExpired(zone, (zone, NS)),), resolvers=not longer
    )
