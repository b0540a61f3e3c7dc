"""A domain's first delegation, and its last: into the service of a provider, and out of everything (docs/timing.md,
rules 3 and 4)."""

from collections.abc import Iterator
from dataclasses import dataclass

from legatum.core.moves.assembly import Phase, PlannedStep
from legatum.core.moves.effects import Gathered, HostSet, Ready, Released, ZoneEnded
from legatum.core.moves.kinds.delegation_change import confirmed, leading
from legatum.core.moves.kinds.trust.sign_unsign import disconnected, keys_to_come
from legatum.core.moves.needs import DsExpired, NameKnown, NoLongerQueried, NsSetExpired
from legatum.core.moves.plan_input import PlanInput
from legatum.core.moves.runbook import Step
from legatum.core.records.name import Name, name_text


@dataclass(frozen=True, slots=True)
class First:
    """``provider``: who serves the zone already; nobody delegates it yet."""

    provider: str


@dataclass(frozen=True, slots=True)
class Retirement:
    """Everything that was set up for the domain goes. ``held``: hosts at the registry below it, with addresses."""

    held: tuple[tuple[Name, tuple[str, ...]], ...] = ()


def first_pieces(inputs: PlanInput, wish: First) -> Iterator[PlannedStep]:
    place, zone = inputs.place(wish.provider), inputs.domain
    servers = tuple(sorted(place.servers))
    yield PlannedStep(
        Phase.READY,
        Step(
            "ready",
            f"Check that {wish.provider} is ready for everybody",
            (Ready(zone, (wish.provider,), servers),),
            ("every server answers for the zone with its own NS set", "every NS name has its address"),
            "every server, every address",
            "nothing to take back",
        ),
        tuple(NameKnown(host) for host in servers),
    )
    back = "take the NS set away at the registrar again"
    yield from leading(inputs, zone, (), servers, f"{wish.provider}'s", back)
    yield confirmed(inputs, zone, servers, back, (), "Confirm that everybody can come to it")


def retirement_pieces(inputs: PlanInput, wish: Retirement) -> Iterator[PlannedStep]:
    zone, places = inputs.domain, [inputs.main, *inputs.follows]
    anew = keys_to_come(inputs, inputs.main) if inputs.place(inputs.main).signs else None
    back = "delegate it again"
    yield PlannedStep(Phase.GATHER, Step(
        "gather", f"Keep the zone as it is at {inputs.main}", (Gathered(inputs.main, zone),),
        (f"{inputs.main} hands it out, or answers for its names",),
        "the whole zone, the same serial on every server", "nothing to take back",
    ))  # fmt: skip
    if inputs.anchors:
        yield from disconnected(inputs)
    yield from leading(inputs, zone, inputs.delegation, (), "nobody", back)
    yield confirmed(
        inputs,
        zone,
        (),
        back,
        tuple(NoLongerQueried(place, zone) for place in places),
        "Confirm that nobody is led there any more",
    )
    for host, addresses in wish.held:
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
    for place in inputs.follows:
        yield PlannedStep(Phase.END, Step(
            "release", f"End the service at {place}", (Released(place, zone, inputs.main),), (),
            f"no server of {place} answers for it any more",
            "from here on it begins with telling it of the zone anew", estimate=10,
        ), (NoLongerQueried(place, zone),))  # fmt: skip
    yield PlannedStep(
        Phase.END,
        Step(
            "end",
            f"End the service at {inputs.main}",
            (ZoneEnded(inputs.main, zone, (inputs.apex_ns,), keys=anew),),
            ("nobody asks there any more",),
            f"no server of {inputs.main} answers for it any more",
            f"from here on it begins with creating the zone at {inputs.main} anew",
            estimate=5,
        ),
        (NoLongerQueried(inputs.main, zone), DsExpired(zone)),
    )
