"""What nothing uses any more, taken away: records in the zone, hosts at the registry, zones at providers that nobody is
led to."""

from collections.abc import Iterator
from dataclasses import dataclass

from legatum.core.moves.assembly import Phase, PlannedStep
from legatum.core.moves.effects import HostSet, RRsetChange, ZoneEnded
from legatum.core.moves.needs import NoLongerQueried, NsSetExpired, OldDataExpired
from legatum.core.moves.place import ADDRESSES
from legatum.core.moves.plan_input import PlanInput
from legatum.core.moves.runbook import Step
from legatum.core.records.name import Name, name_text
from legatum.core.records.rrset import RRset, targets
from legatum.core.records.rrtype import CNAME, NAME_FIELDS, type_text
from legatum.core.running.fault import BadInput


@dataclass(frozen=True, slots=True)
class Leftovers:
    """``records``: before and after, None for all of it; ``hosts`` with addresses; ``zones``: provider → its NS set
    there."""

    records: tuple[tuple[RRset, RRset | None], ...] = ()
    hosts: tuple[tuple[Name, tuple[str, ...]], ...] = ()
    zones: tuple[tuple[str, RRset], ...] = ()


def leftover_pieces(inputs: PlanInput, wish: Leftovers) -> Iterator[PlannedStep]:
    """Raises :class:`BadInput` where there is nothing."""
    if not (wish.records or wish.hosts or wish.zones):
        raise BadInput(
            f"{name_text(inputs.domain)}: nothing was left behind that is surely of no use",
            f"`legatum survey {name_text(inputs.domain)} --leftovers` lists what is doubtful; --also 'NAME "
            "TYPE' takes that too",
        )
    zone = inputs.domain
    led = {
        host
        for before, after in wish.records
        if before.rtype in NAME_FIELDS
        for host in {*targets(before)} - {*targets(after)}
    }
    hosts = [each for each in wish.records if each[0].name in led and each[0].rtype in (*ADDRESSES, CNAME)]
    others = [each for each in wish.records if each not in hosts]
    leading = [
        (before.name, before.rtype) for before, _ in others if before.rtype in NAME_FIELDS and led & {*targets(before)}
    ]
    for ident, records, needs in (
        ("records", others, ()),
        ("records-led-to", hosts, tuple(OldDataExpired(zone, key) for key in leading)),
    ):
        if records:
            words = ", ".join(f"{name_text(before.name)} {type_text(before.rtype)}" for before, _ in records[:4])
            more = f" and {len(records) - 4} more" if len(records) > 4 else ""
            yield PlannedStep(
                Phase.LEAVE,
                Step(
                    ident,
                    f"Take {words}{more} out of the zone at {inputs.main}",
                    (inputs.records(inputs.main, zone, [RRsetChange(before, after) for before, after in records]),),
                    ("they are what was seen when drafting",),
                    f"no server of {inputs.main} gives them any more",
                    "put them in again",
                    estimate=10,
                ),
                needs,
            )
    for host, addresses in wish.hosts:
        yield PlannedStep(
            Phase.LEAVE,
            Step(
                f"host-{name_text(host).split('.')[0]}",
                f"Take the host {name_text(host)} away at the registrar {inputs.registrar}",
                (HostSet(inputs.registrar, host, inputs.parent_zone, addresses, (), inputs.glue_ttl),),
                ("no domain uses it",),
                "the registry has no such host any more",
                "make it again",
                estimate=2,
            ),
            (NsSetExpired(zone, (host,)),),
        )
    for place, ns in wish.zones:
        yield PlannedStep(
            Phase.END,
            Step(
                "end",
                f"End the old zone at {place}",
                (ZoneEnded(place, zone, (ns,), inputs.main),),
                ("nobody asks there any more",),
                f"no server of {place} answers for it any more",
                f"from here on it begins with creating the zone at {place} anew",
                estimate=5,
            ),
            (NoLongerQueried(place, zone),),
        )
