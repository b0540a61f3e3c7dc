"""A second provider for a zone, and without it again (docs/timing.md, rules 4 and 16).

It is told of the zone and has it before anybody names it; it leaves both NS sets first, and its service ends when
nobody asks it.
"""

from collections.abc import Iterator
from dataclasses import dataclass

from legatum.core.moves.assembly import Phase, PlannedStep
from legatum.core.moves.effects import Joined, Ready, Released, RRsetChange
from legatum.core.moves.kinds.delegation_change import confirmed, leading
from legatum.core.moves.needs import NameKnown, Need, NoLongerQueried, OldDataExpired
from legatum.core.moves.plan_input import PlanInput
from legatum.core.moves.runbook import Step
from legatum.core.records.name import Name, name_text
from legatum.core.records.rrset import rrset, targets
from legatum.core.records.rrtype import NS
from legatum.core.running.fault import AlreadySo, GateShut


@dataclass(frozen=True, slots=True)
class Second:
    """``name``: a secondary of the settings; ``leaves``: it shall be one no longer; ``at_registrar``: its servers are
    named there too; ``serves``: it has the zone already; ``dead``: its servers, where they answer no more, so that
    nobody can depend on them."""

    name: str
    leaves: bool = False
    at_registrar: bool = True
    serves: bool = False
    dead: tuple[Name, ...] = ()


def second_pieces(inputs: PlanInput, wish: Second) -> Iterator[PlannedStep]:
    """Raises :class:`GateShut` for a second provider that is none, or without which nobody would be left."""
    return _left(inputs, wish) if wish.leaves else _joined(inputs, wish)


def _joined(inputs: PlanInput, wish: Second) -> Iterator[PlannedStep]:
    place, zone, present = inputs.place(wish.name), inputs.domain, inputs.apex_ns
    servers = tuple(sorted(place.servers))
    wanted = tuple(sorted({*targets(present), *servers}))
    named = set(targets(present)) == set(wanted) and (not wish.at_registrar or set(inputs.delegation) == set(wanted))
    if not (wish.serves and named):
        yield _told(inputs, wish)
    yield PlannedStep(
        Phase.READY,
        Step(
            "ready",
            f"Check that {wish.name} is ready for everybody",
            (Ready(zone, (wish.name,), ()),),
            ("every server of it answers for the zone", "every NS name has its address"),
            "every server, every address, the same contents",
            "nothing to take back",
        ),
        tuple(NameKnown(host) for host in servers),
    )
    yield from _named(inputs, wish, wanted, f"{wish.name} beside {inputs.main}", (*inputs.follows, wish.name))
    yield _everybody_has_it(inputs, wish, (inputs.main, wish.name), wanted, "take it out again", (), resolvers=False)


def _told(inputs: PlanInput, wish: Second) -> PlannedStep:
    return PlannedStep(
        Phase.MAKE,
        Step(
            "join",
            f"Have {wish.name} serve the zone too",
            (Joined(wish.name, inputs.domain, inputs.main),),
            (f"{wish.name} can be told of it",),
            f"every server of {wish.name} has the serial of {inputs.main}",
            "nobody asks it yet: leave it or have it ended",
            estimate=30,
        ),
    )


def _named(
    inputs: PlanInput, wish: Second, wanted: tuple[Name, ...], whose: str, follows: tuple[str, ...]
) -> Iterator[PlannedStep]:
    zone, present = inputs.domain, inputs.apex_ns
    back = f"set it back to {', '.join(map(name_text, targets(present)))}"
    if set(targets(present)) != set(wanted):
        if inputs.place(inputs.main).own_ns:
            raise GateShut(
                f"the NS set at {inputs.main} cannot be changed",
                "a second provider must be named in the zone: RFC 1034 s4.2.2",
            )
        effect = inputs.records(inputs.main, zone, [RRsetChange(present, rrset(zone, NS, present.ttl, wanted))])
        yield PlannedStep(
            Phase.CHANGE,
            Step(
                "apex",
                f"Set the NS set of the zone at {inputs.main} to {whose}",
                (type(effect)(effect.place, zone, effect.changed, follows),),
                (),
                "every server of both hands it out",
                back,
                estimate=20,
            ),
        )
    if wish.at_registrar and set(inputs.delegation) != set(wanted):
        yield from leading(inputs, zone, inputs.delegation, wanted, whose, back, ready=False)


def _everybody_has_it(
    inputs: PlanInput,
    wish: Second,
    places: tuple[str, ...],
    wanted: tuple[Name, ...],
    back: str,
    needs: tuple[Need, ...],
    resolvers: bool = True,
) -> PlannedStep:
    """Parent and child the same set; where the registrar is not asked to change it, the places alone."""
    if wish.at_registrar or set(inputs.delegation) == set(wanted):
        return confirmed(inputs, inputs.domain, wanted, back, needs, resolvers=resolvers)
    return PlannedStep(Phase.CONFIRM, Step(
        "confirm", f"Confirm every server of {' and '.join(places)}", (Ready(inputs.domain, places, wanted),),
        ("the NS set at the parent stays as it is",), "every server hands out the new NS set", back,
    ), needs)  # fmt: skip


def _needs(wish: Second, zone: Name) -> tuple[Need, ...]:
    return (OldDataExpired(zone, (zone, NS)),) if wish.dead else (NoLongerQueried(wish.name, zone),)


def _left(inputs: PlanInput, wish: Second) -> Iterator[PlannedStep]:
    zone, present = inputs.domain, inputs.apex_ns
    servers = set(wish.dead or inputs.place(wish.name).servers)
    if not servers & {*targets(present), *inputs.delegation} and not wish.serves:
        words = (
            f"{wish.name} is no second provider of {name_text(zone)}: nobody names it, and it does not serve the zone"
        )
        raise AlreadySo(words, "is it the right provider, and the right domain?")
    wanted = tuple(sorted(set(targets(present)) - servers))
    if not wanted or (inputs.delegation and not set(inputs.delegation) - servers):
        raise GateShut(f"without {wish.name} nobody would serve {name_text(zone)}", "name other servers first")
    follows = tuple(dict.fromkeys((*inputs.follows, *((wish.name,) if wish.serves else ()))))
    yield from _named(inputs, wish, wanted, f"{inputs.main} without {wish.name}", follows)
    yield _everybody_has_it(inputs, wish, (inputs.main,), wanted, f"name {wish.name} again", _needs(wish, zone))
    if wish.serves:
        yield PlannedStep(
            Phase.END,
            Step(
                "release",
                f"End the service at {wish.name}",
                (Released(wish.name, zone, inputs.main),),
                ("the hold has passed and everything is confirmed",),
                f"no server of {wish.name} answers for the domain any more",
                "from here on it begins with telling it of the zone anew",
                estimate=10,
            ),
            (NoLongerQueried(wish.name, zone),),
        )
