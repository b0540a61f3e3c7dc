"""A second provider that signs the zone by itself, beside the first, and without it again (docs/timing.md, rules 4 and
8).

Each has a zone of its own, with the other's zone keys in its key set, and the parent has DS records for the keys of
both (RFC 8901 s2.1.2): so whatever a cache has of the one fits what it has of the other, for as long as both are named.
"""

from collections.abc import Iterator
from dataclasses import dataclass

from legatum.core.dnssec.trust import DsSet, Keys
from legatum.core.moves.assembly import Phase, PlannedStep
from legatum.core.moves.effects import RRsetChange
from legatum.core.moves.kinds.delegation_change import confirmed, leading
from legatum.core.moves.kinds.provider import copied, ended, ready
from legatum.core.moves.kinds.trust.sign_unsign import keys_to_come, whole
from legatum.core.moves.kinds.trust.signed_move import SHARED_KEYS, apart, before_leading, both_ds_sets, signing_of
from legatum.core.moves.needs import Need, NoLongerQueried, OldDataExpired
from legatum.core.moves.place import Place
from legatum.core.moves.plan_input import PlanInput
from legatum.core.moves.runbook import Step
from legatum.core.records.name import Name, name_text
from legatum.core.records.rrset import RRset, rrset, targets
from legatum.core.records.rrtype import NS
from legatum.core.running.fault import AlreadySo, GateShut


@dataclass(frozen=True, slots=True)
class SecondSigner:
    """``name``: a provider of the settings with a zone of its own; ``leaves``: it shall have none any longer; ``dead``:
    its servers, where they answer no more."""

    name: str
    leaves: bool = False
    dead: tuple[Name, ...] = ()


def second_signer_steps(inputs: PlanInput, wish: SecondSigner) -> Iterator[PlannedStep]:
    """Raises :class:`GateShut` for providers that cannot serve a zone together, or without which nobody would be
    left."""
    return _left(inputs, wish) if wish.leaves else _joined(inputs, wish)


def _joined(inputs: PlanInput, wish: SecondSigner) -> Iterator[PlannedStep]:
    main, other, zone, present = inputs.place(inputs.main), inputs.place(wish.name), inputs.domain, inputs.apex_ns
    _refuse_unfit(inputs, main, other)
    wanted = tuple(sorted({*targets(present), *other.servers}))
    together = rrset(zone, NS, present.ttl, wanted)
    keys, places = keys_to_come(inputs, other.name), (main.name, *inputs.followers(main.name), other.name)
    back = (
        f"set it back to {', '.join(map(name_text, targets(present)))}; {other.name} stays up until the hold "
        "has passed the other way"
    )
    yield from before_leading(inputs, SHARED_KEYS, main, other, keys)
    yield from copied(zone, main, other, together, "the NS set of both", keys)
    yield ready(zone, main, other, wanted)
    yield _named(inputs, main, present, together, f"that of {main.name} and {other.name}")
    yield from leading(inputs, zone, inputs.delegation, wanted, f"that of {main.name} and {other.name}", back)
    yield confirmed(inputs, zone, wanted, back, (), resolvers=False)  # nobody is worse off with an earlier set
    yield whole(inputs, places, both_ds_sets(inputs, other), back)


def _refuse_unfit(inputs: PlanInput, main: Place, other: Place) -> None:
    text = name_text(inputs.domain)
    if not inputs.anchors:
        raise GateShut(
            f"{text} is not signed and connected, and {other.name} is no secondary of the settings",
            "a second provider takes a copy: make it one under [secondaries]; or connect the domain first: "
            "then each signs a zone",
        )
    lacking = [f"{each.name} takes no zone keys of others" for each in (main, other) if not each.takes_foreign]
    if lacking or not other.signs:
        raise GateShut(
            "; ".join([*lacking, *([] if other.signs else [f"{other.name} does not sign by itself"])]),
            "the settings say what a provider can: `takes_keys`, `signs`; or make it a secondary of the "
            "signed data, under [secondaries]",
        )
    for each in (main, other):
        if each.own_ns:
            raise GateShut(
                f"the NS set at {each.name} cannot be changed", "both have to name the servers of both: RFC 1034 s4.2.2"
            )
    if set(other.servers) & {*targets(inputs.apex_ns), *inputs.delegation}:
        raise GateShut(
            f"servers of {other.name} are named for {text} already", f"`legatum survey {text}` says what they answer"
        )


def _named(inputs: PlanInput, place: Place, before: RRset, after: RRset, whose: str) -> PlannedStep:
    return PlannedStep(
        Phase.CHANGE,
        Step(
            f"apex-{place.name}",
            f"Set the NS set at {place.name} to {whose}",
            (inputs.records(place.name, inputs.domain, [RRsetChange(before, after)]),),
            (),
            f"every server of {place.name} hands it out",
            f"set it back to {', '.join(map(name_text, targets(before)))}",
            estimate=10,
        ),
    )


def _left(inputs: PlanInput, wish: SecondSigner) -> Iterator[PlannedStep]:
    main, zone, named = inputs.place(inputs.main), inputs.domain, targets(inputs.apex_ns)
    servers = set(wish.dead or inputs.place(wish.name).servers)
    if not servers & {*named, *inputs.delegation}:
        words = f"{wish.name} is no second provider of {name_text(zone)}: nobody names it"
        raise AlreadySo(words, "is it the right provider, and the right domain?")
    wanted = tuple(sorted(set(named) - servers))
    if not wanted or not set(inputs.delegation) - servers:
        raise GateShut(f"without {wish.name} nobody would serve {name_text(zone)}", "name other servers first")
    back = f"name {wish.name} again, as long as it has the zone"
    for place in (main,) if wish.dead else (main, inputs.place(wish.name)):
        ns = inputs.zone(place.name, zone).apex_ns
        if ns is not None and targets(ns) != wanted and not place.own_ns:
            yield _named(inputs, place, ns, rrset(zone, NS, ns.ttl, wanted), f"that of {main.name} alone")
    if set(inputs.delegation) != set(wanted):
        yield from leading(inputs, zone, inputs.delegation, wanted, f"that of {main.name} alone", back, ready=False)
    needs: tuple[Need, ...] = (OldDataExpired(zone, (zone, NS)),) if wish.dead else (NoLongerQueried(wish.name, zone),)
    yield confirmed(inputs, zone, wanted, back, needs)
    if not wish.dead:
        yield ended(inputs, zone, inputs.place(wish.name), rrset(zone, NS, inputs.ns_ttl(zone), wanted))
    if inputs.anchors:
        shared = signing_of(inputs, main)
        theirs = inputs.keys.get((wish.name, zone))
        own = shared.without(theirs.zone if theirs is not None else ())
        yield from apart(inputs, main.name, wish.name, (inputs.anchors, _alone(inputs, wish, own)), (shared, own), back)


def _alone(inputs: PlanInput, wish: SecondSigner, own: Keys) -> DsSet:
    """Of the DS set what is of the keys that stay."""
    alone = inputs.anchors.only(own.entry)
    if not alone:
        raise GateShut(
            f"the parent has no DS for a key with which {inputs.main} signs {name_text(inputs.domain)}: "
            f"without {wish.name} it is bogus",
            f"`legatum ds show {name_text(inputs.domain)}` says how it is",
        )
    return alone
