"""A zone to another authoritative provider, the registration untouched (docs/timing.md, rules 1-5).

Records first, delegation second, and nothing is switched off while a cache may still ask for it: the zone goes to the
new side with the new NS set in it; the old side's NS TTL is lowered and the old copies are waited out; both sides are
made to say the same; the old side's NS set, then the parent's, become the new one; every parent server is watched; the
last cache is waited out; only then are TTLs raised and the old service ended.
"""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from legatum.core.calendar.duration import rough_text
from legatum.core.dnssec.trust import Keys
from legatum.core.moves.assembly import Phase, PlannedStep
from legatum.core.moves.effects import Gathered, Ready, Records, RRsetChange, Same, ZoneEnded, ZoneMade
from legatum.core.moves.kinds.delegation_change import confirmed, leading
from legatum.core.moves.kinds.trust.sign_unsign import keys_to_come
from legatum.core.moves.kinds.trust.signed_move import SAME_KEYS, UNSIGNED, after_leading, before_leading, passage_of
from legatum.core.moves.needs import ChainConsistent, Lowered, NameKnown, Need, NoLongerQueried
from legatum.core.moves.place import Place
from legatum.core.moves.plan_input import PlanInput
from legatum.core.moves.runbook import Step
from legatum.core.records.name import Name, is_under, name_text
from legatum.core.records.rrset import RRset, rrset, targets
from legatum.core.records.rrtype import NS
from legatum.core.running.fault import GateShut


@dataclass(frozen=True, slots=True)
class NewProvider:
    """``zone``: the domain's, or a part that is handed on; ``unsigned``: a signed domain may stay unsigned;
    ``staying``: own name servers that stay in the NS set, and get addresses of the new side by another wish;
    ``passage``: how a signed domain is led, empty for the safest way that both sides can go."""

    zone: Name
    old: str
    new: str
    staying: tuple[Name, ...] = ()
    unsigned: bool = False
    passage: str = ""


def provider_pieces(inputs: PlanInput, wish: NewProvider) -> Iterator[PlannedStep]:
    """Steps ``gather`` to ``end``."""
    old, new, zone = inputs.place(wish.old), inputs.place(wish.new), wish.zone
    present = inputs.zone(old.name, zone).apex_ns
    assert present is not None
    signed = zone == inputs.domain and bool(inputs.anchors)
    keys = keys_to_come(inputs, new.name) if new.signs and zone == inputs.domain else None
    passage = _passage(inputs, wish)[0] if signed else UNSIGNED
    if signed:
        if passage == UNSIGNED:
            _refuse_unsigned_end(wish, new)
        yield from before_leading(inputs, passage, old, new, keys)
    kept = inputs.keys.get((old.name, zone)) if passage == SAME_KEYS else None
    if wish.staying:
        yield from _behind_the_same_names(inputs, wish, present, keys, kept)
    else:
        yield from _behind_other_names(inputs, wish, present, keys, kept)
    if signed:
        yield from after_leading(inputs, passage, new, old, keys, wish.unsigned)


def _passage(inputs: PlanInput, wish: NewProvider) -> tuple[str, str]:
    return passage_of(
        inputs.place(wish.old), inputs.place(wish.new), wish.passage or (UNSIGNED if wish.unsigned else "")
    )


def passage_words(inputs: PlanInput, wish: NewProvider) -> str:
    """How a signed domain is led, and why so; empty for an unsigned one."""
    return _passage(inputs, wish)[1] if wish.zone == inputs.domain and inputs.anchors else ""


def _refuse_unsigned_end(wish: NewProvider, new: Place) -> None:
    if not (new.signs or wish.unsigned):
        raise GateShut(
            f"{name_text(wish.zone)} is signed, and {new.name} does not sign: it would be unsigned from then on",
            f"say so, if that is meant: --unsign; or `signs = true` for {new.name} in the settings, if it does",
        )


def _behind_other_names(
    inputs: PlanInput, wish: NewProvider, present: RRset, keys: Keys | None, kept: Keys | None
) -> Iterator[PlannedStep]:
    old, new, zone = inputs.place(wish.old), inputs.place(wish.new), wish.zone
    apex_ttl = inputs.ns_ttl(zone)
    low = min(inputs.low_ttl, apex_ttl)
    before = rrset(zone, NS, apex_ttl, present.rdatas)
    lowered = before if inputs.at_once or old.own_ns else before.with_ttl(low)
    after = rrset(zone, NS, low, new.servers)
    given = (
        after.with_ttl(inputs.final_ttl) if new.own_ns else after
    )  # until it is seen, which TTL it has there is not known
    yield from copied(zone, old, new, given, "the new NS set", keys)
    if lowered != before:
        yield _lower(inputs, zone, old, before, lowered)
    yield ready(zone, old, new, new.servers)
    if not old.own_ns:
        yield _apex(inputs, zone, old, lowered, after)
    led = inputs.delegation if zone == inputs.domain else tuple(old.servers)
    back = f"set it back to {_list(led)}; {new.name} stays up until the hold has passed the other way"
    yield from leading(inputs, zone, led, tuple(new.servers), new.name, back)
    yield confirmed(
        inputs, zone, tuple(new.servers), back, (NoLongerQueried(old.name, zone),), resolvers=not old.own_ns
    )
    if inputs.final_ttl != low and not new.own_ns:
        yield _raise(inputs, zone, new, after)
    if old.own_ns:
        # it goes on naming itself: caches that renew their copies leave it only when it ends, which a plan of its own
        # may do
        return
    if not any(each.place == old.name for each in inputs.vanishing):
        yield ended(inputs, zone, old, lowered, kept)


def _behind_the_same_names(
    inputs: PlanInput, wish: NewProvider, ns: RRset, keys: Keys | None, kept: Keys | None
) -> Iterator[PlannedStep]:
    """Who is led to the names comes to the new side once their addresses are its (rule 10): the hosts' steps change
    them in between."""
    old, new, zone = inputs.place(wish.old), inputs.place(wish.new), wish.zone
    yield from copied(zone, old, new, ns, "the same NS set", keys)
    yield ready(zone, old, new, wish.staying, known=True)
    yield ended(inputs, zone, old, ns, kept, (NoLongerQueried(old.name, zone),))


def copied(zone: Name, old: Place, new: Place, after: RRset, words: str, keys: Keys | None) -> Iterator[PlannedStep]:
    """Steps ``gather`` to ``compare``. ``after``: the NS set at the new side, ``words``: what it is."""
    yield PlannedStep(
        Phase.GATHER,
        Step(
            "gather",
            f"Gather the zone from {old.name}",
            (Gathered(old.name, zone),),
            (f"{old.name} hands it out, or answers for its names",),
            "the whole zone, the same serial on every server",
            "nothing to take back",
        ),
    )
    yield PlannedStep(
        Phase.MAKE,
        Step(
            "publish",
            f"Publish the zone at {new.name}, with {words} in it",
            (ZoneMade(new.name, zone, (after,), keys=keys),),
            (f"the zone exists at {new.name}, or can be created there",),
            f"every server of {new.name} answers with the new serial, and the contents are equal",
            f"nobody asks {new.name} yet: leave it or remove it",
            estimate=10,
        ),
    )
    yield PlannedStep(Phase.COMPARE, Step(
        "compare", f"Compare every answer, {old.name} against {new.name}", (Same(zone, (old.name, new.name)),), (),
        "every server of both sides gives the same answers; only SOA and NS at the apex differ", "nothing to take back",
    ))  # fmt: skip


def _lower(inputs: PlanInput, zone: Name, old: Place, before: RRset, lowered: RRset) -> PlannedStep:
    return PlannedStep(
        Phase.LOWER,
        Step(
            "lower",
            f"Lower the TTL of the NS set at {old.name} from {before.ttl} to {lowered.ttl}",
            (inputs.records(old.name, zone, [RRsetChange(before, lowered)]),),
            ("the NS set is still the one seen when drafting",),
            f"every server of {old.name} hands it out with {lowered.ttl}",
            f"raise it to {before.ttl} again",
            estimate=10,
        ),
    )


def ready(zone: Name, old: Place, new: Place, named: Iterable[Name], known: bool = False) -> PlannedStep:
    """Step ``ready``. ``named``: the NS set that the new side hands out; ``known``: everybody has their addresses."""
    needs: list[Need] = [Lowered(zone, (zone, NS)), ChainConsistent(zone, (new.name,))]
    needs += [NameKnown(host) for host in sorted(new.servers) if host not in old.servers and not known]
    return PlannedStep(
        Phase.READY,
        Step(
            "ready",
            "Check that the new side is ready for everybody",
            (Ready(zone, (new.name,), tuple(sorted(named)), (old.name,)),),
            (
                "every new server answers for the whole zone",
                "nothing was edited on one side only",
                "every new NS name has its address",
            ),
            "every new server, every address, the same contents as the old side",
            "nothing to take back",
        ),
        tuple(needs),
    )


def _apex(inputs: PlanInput, zone: Name, old: Place, before: RRset, after: RRset) -> PlannedStep:
    inside = [host for host in after.rdatas if is_under(Name(host), zone)]
    assert not inside, "hosts inside the zone are moved by their addresses"
    return PlannedStep(
        Phase.CHANGE,
        Step(
            "apex",
            f"Set the NS set at {old.name} to the new one",
            (inputs.records(old.name, zone, [RRsetChange(before, after)]),),
            ("every new server answers for the whole zone with the new NS set",),
            f"every server of {old.name} hands out the new NS set",
            f"set it back to {_list(targets(before))}",
            estimate=10,
        ),
    )


def _raise(inputs: PlanInput, zone: Name, new: Place, after: RRset) -> PlannedStep:
    final = inputs.final_ttl
    words = "Raise" if final > after.ttl else "Set"
    return PlannedStep(Phase.RAISE, Step(
        "raise", f"{words} the TTL of the NS set at {new.name} to {final} ({rough_text(final)})",
        (Records(new.name, zone, (RRsetChange(after, after.with_ttl(final)),)),), (),
        f"every server of {new.name} hands it out with {final}",
        f"lower it to {after.ttl} again", estimate=10,
    ))  # fmt: skip


def ended(
    inputs: PlanInput, zone: Name, old: Place, ns: RRset, kept: Keys | None = None, needs: tuple[Need, ...] = ()
) -> PlannedStep:
    """Step ``end``. ``kept``: keys that are still in use elsewhere, and come back with the zone."""
    anew = kept or (keys_to_come(inputs, old.name) if old.signs and zone == inputs.domain else None)
    return PlannedStep(
        Phase.END,
        Step(
            "end",
            f"End the service at {old.name}",
            (ZoneEnded(old.name, zone, (ns,), keys=anew),),
            ("the hold has passed and everything is confirmed",),
            f"no server of {old.name} answers for the domain any more",
            f"from here on it begins with creating the zone at {old.name} anew",
            estimate=5,
        ),
        needs,
    )


def _list(names: tuple[Name, ...]) -> str:
    return ", ".join(name_text(name) for name in sorted(names))
