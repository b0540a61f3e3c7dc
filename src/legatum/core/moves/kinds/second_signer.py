"""A second provider that signs the zone by itself, beside the first, and without it again (docs/timing.md, rules 4 and 8).

Each has a zone of its own, with the other's zone keys in its key set, and the parent vouches for the keys of both (RFC 8901 s2.1.2): so
whatever a cache has of the one fits what it has of the other, for as long as both are named.
"""

from collections.abc import Iterator
from dataclasses import dataclass

from legatum.core.dnssec.trust import DsSet, Keys
from legatum.core.fault import AlreadySo, GateShut
from legatum.core.moves.assembly import Phase, PlannedStep
from legatum.core.moves.effects import RRsetChange
from legatum.core.moves.kinds.delegation_change import confirmed, leading
from legatum.core.moves.kinds.provider import copied, ended, ready
from legatum.core.moves.kinds.trust.sign_unsign import keys_to_come, whole
from legatum.core.moves.kinds.trust.signed_move import SHARED_KEYS, apart, before_leading, both_vouched, signing_of
from legatum.core.moves.needs import Need, NoLongerQueried, OldDataExpired
from legatum.core.moves.place import Place
from legatum.core.moves.plan_input import PlanInput
from legatum.core.moves.runbook import Step
from legatum.core.records.name import Name, name_text
from legatum.core.records.rrset import RRset, rrset, targets
from legatum.core.records.rrtype import NS


@dataclass(frozen=True, slots=True)
class SecondSigner:
    """``name``: a provider of the settings with a zone of its own; ``leaves``: it shall have none any longer; ``dead``: its servers, where
    they answer no more."""

    name: str
    leaves: bool = False
    dead: tuple[Name, ...] = ()


def second_signer_steps(drawing: PlanInput, wish: SecondSigner) -> Iterator[PlannedStep]:
    """Raises :class:`GateShut` for providers that cannot serve a zone together, or without which nobody would be left."""
    return _left(drawing, wish) if wish.leaves else _joined(drawing, wish)


def _joined(drawing: PlanInput, wish: SecondSigner) -> Iterator[PlannedStep]:
    main, other, zone, present = drawing.place(drawing.main), drawing.place(wish.name), drawing.domain, drawing.apex_ns
    _refuse_unfit(drawing, main, other)
    wanted = tuple(sorted({*targets(present), *other.servers}))
    together = rrset(zone, NS, present.ttl, wanted)
    keys, places = keys_to_come(drawing, other.name), (main.name, *drawing.followers(main.name), other.name)
    back = f"set it back to {', '.join(map(name_text, targets(present)))}; {other.name} stays up until the hold has passed the other way"
    yield from before_leading(drawing, SHARED_KEYS, main, other, keys)
    yield from copied(zone, main, other, together, "the NS set of both", keys)
    yield ready(zone, main, other, wanted)
    yield _named(drawing, main, present, together, f"that of {main.name} and {other.name}")
    yield from leading(drawing, zone, drawing.delegation, wanted, f"that of {main.name} and {other.name}", back)
    yield confirmed(drawing, zone, wanted, back, (), resolvers=False)  # nobody is worse off with an earlier set
    yield whole(drawing, places, both_vouched(drawing, other), back)


def _refuse_unfit(drawing: PlanInput, main: Place, other: Place) -> None:
    text = name_text(drawing.domain)
    if not drawing.anchors:
        raise GateShut(
            f"{text} is not signed and connected, and {other.name} is no secondary of the settings",
            "a second provider takes a copy: make it one under [secondaries]; or connect the domain first: then each signs a zone",
        )
    lacking = [f"{each.name} takes no zone keys of others" for each in (main, other) if not each.takes_foreign]
    if lacking or not other.signs:
        raise GateShut(
            "; ".join([*lacking, *([] if other.signs else [f"{other.name} does not sign by itself"])]),
            "the settings say what a provider can: `takes_keys`, `signs`; or make it a secondary of the signed data, under [secondaries]",
        )
    for each in (main, other):
        if each.own_ns:
            raise GateShut(f"the NS set at {each.name} cannot be changed", "both have to name the servers of both: RFC 1034 s4.2.2")
    if set(other.servers) & {*targets(drawing.apex_ns), *drawing.delegation}:
        raise GateShut(f"servers of {other.name} are named for {text} already", f"`legatum survey {text}` says what they answer")


def _named(drawing: PlanInput, place: Place, before: RRset, after: RRset, whose: str) -> PlannedStep:
    return PlannedStep(Phase.CHANGE, Step(
        f"apex-{place.name}", f"Set the NS set at {place.name} to {whose}",
        (drawing.records(place.name, drawing.domain, [RRsetChange(before, after)]),), (), f"every server of {place.name} hands it out",
        f"set it back to {', '.join(map(name_text, targets(before)))}", estimate=10,
    ))  # fmt: skip


def _left(drawing: PlanInput, wish: SecondSigner) -> Iterator[PlannedStep]:
    main, zone, named = drawing.place(drawing.main), drawing.domain, targets(drawing.apex_ns)
    servers = set(wish.dead or drawing.place(wish.name).servers)
    if not servers & {*named, *drawing.delegation}:
        words = f"{wish.name} is no second provider of {name_text(zone)}: nobody names it"
        raise AlreadySo(words, "is it the right provider, and the right domain?")
    wanted = tuple(sorted(set(named) - servers))
    if not wanted or not set(drawing.delegation) - servers:
        raise GateShut(f"without {wish.name} nobody would serve {name_text(zone)}", "name other servers first")
    back = f"name {wish.name} again, as long as it has the zone"
    for place in (main,) if wish.dead else (main, drawing.place(wish.name)):
        ns = drawing.zone(place.name, zone).apex_ns
        if ns is not None and targets(ns) != wanted and not place.own_ns:
            yield _named(drawing, place, ns, rrset(zone, NS, ns.ttl, wanted), f"that of {main.name} alone")
    if set(drawing.delegation) != set(wanted):
        yield from leading(drawing, zone, drawing.delegation, wanted, f"that of {main.name} alone", back, ready=False)
    needs: tuple[Need, ...] = (OldDataExpired(zone, (zone, NS)),) if wish.dead else (NoLongerQueried(wish.name, zone),)
    yield confirmed(drawing, zone, wanted, back, needs)
    if not wish.dead:
        yield ended(drawing, zone, drawing.place(wish.name), rrset(zone, NS, drawing.ns_ttl(zone), wanted))
    if drawing.anchors:
        shared = signing_of(drawing, main)
        theirs = drawing.keys.get((wish.name, zone))
        own = shared.without(theirs.zone if theirs is not None else ())
        yield from apart(drawing, main.name, wish.name, (drawing.anchors, _alone(drawing, wish, own)), (shared, own), back)


def _alone(drawing: PlanInput, wish: SecondSigner, own: Keys) -> DsSet:
    """Of the DS set what is of the keys that stay."""
    alone = drawing.anchors.only(own.entry)
    if not alone:
        raise GateShut(
            f"the parent vouches for no key with which {drawing.main} signs {name_text(drawing.domain)}: without {wish.name} it is bogus",
            f"`legatum ds show {name_text(drawing.domain)}` says how it is",
        )
    return alone
