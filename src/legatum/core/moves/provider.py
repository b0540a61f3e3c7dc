"""Moving an unsigned domain from one authoritative provider to another, the registration untouched (docs/timing.md, rules 1-5).

Records first, delegation second, and nothing is switched off while a cache may still ask for it: the zone goes to the new
side with the new NS set in it; the old side's NS TTL is lowered and the old copies are waited out; both sides are made to say
the same; the old side's NS set, then the registry's, become the new one; every parent server is watched; the last cache is
waited out; only then are TTLs raised and the old service ended.
"""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field

from legatum.core.duration import rough_text
from legatum.core.name import Name, name_text
from legatum.core.runbook import PROVIDER, Runbook, Step
from legatum.core.timing import Caution, Delegation, Wait, delegation_change, lowering, new_name

GATHER, PUBLISH, COMPARE, LOWER, READY = "gather", "publish", "compare", "lower", "ready"
APEX, SWITCH, PARENTS, CONFIRM, RAISE, END = "apex", "switch", "parents", "confirm", "raise", "end"


@dataclass(frozen=True, slots=True)
class Side:
    """A provider's side of the move. ``changes_apex_ns``: whether its NS set at the apex can be changed there."""

    provider: str
    servers: tuple[Name, ...]
    changes_apex_ns: bool = True


@dataclass(frozen=True, slots=True)
class Observed:
    """What the runbook rests on. TTLs in seconds.

    ``host_negative_ttls``: new NS name → negative TTL of the zone that holds it. ``addresses``: ``parent``, ``old``, ``new`` →
    server name → addresses. ``glue_ttl``: the largest of the addresses that the parent gives along.
    ``unsigned``: what shows that the domain is not signed, empty where that was not looked at.
    """

    domain: Name
    at: float
    parent_zone: Name
    parent_ttl: int
    apex_ttl: int
    longest_ttl: int
    negative_ttl: int
    serial: int
    refresh: int
    old_ns: tuple[Name, ...]
    host_negative_ttls: tuple[tuple[Name, int], ...]
    addresses: Mapping[str, Mapping[str, tuple[str, ...]]] = field(default_factory=dict)
    glue_ttl: int | None = None
    unsigned: str = ""


@dataclass(frozen=True, slots=True)
class Wish:
    """What the house wants: who and whereto, the apex NS TTL during the move and after it, seconds for a registry to publish."""

    ident: str
    old: Side
    new: Side
    registrar: str
    low_ttl: int
    final_ttl: int
    publishing: int
    caution: Caution


def draft(seen: Observed, wish: Wish) -> Runbook:
    """The runbook of the move."""
    return Runbook(
        id=wish.ident,
        kind=PROVIDER,
        domain=seen.domain,
        drafted=seen.at,
        margin=wish.caution.margin,
        premises=_premises(seen, wish),
        steps=tuple(_steps(seen, wish)),
    )


def _premises(seen: Observed, wish: Wish) -> dict[str, object]:
    return {
        "from": wish.old.provider,
        "to": wish.new.provider,
        "registrar": wish.registrar,
        "old_ns": [name_text(name) for name in seen.old_ns],
        "new_ns": [name_text(name) for name in wish.new.servers],
        "parent_zone": name_text(seen.parent_zone),
        "parent_ttl": seen.parent_ttl,
        "apex_ns_ttl": seen.apex_ttl,
        "longest_ttl": seen.longest_ttl,
        "negative_ttl": seen.negative_ttl,
        "serial": seen.serial,
        "host_negative_ttl": max((ttl for _, ttl in seen.host_negative_ttls), default=0),
        "glue_ttl": seen.parent_ttl if seen.glue_ttl is None else seen.glue_ttl,
        "unsigned": seen.unsigned,
        "floor": wish.caution.floor,
        "time_out": wish.caution.time_out,
        "addresses": {group: {name: list(each) for name, each in servers.items()} for group, servers in seen.addresses.items()},
    }


def _steps(seen: Observed, wish: Wish) -> Iterator[Step]:
    old, new = wish.old.provider, wish.new.provider
    low = min(wish.low_ttl, seen.apex_ttl)
    yield Step(
        GATHER, f"Gather the zone from {old}", "gather", (f"{old} allows a transfer",),
        "the whole zone, the same serial on every server", "nothing to take back",
    )  # fmt: skip
    yield Step(
        PUBLISH, f"Publish the zone at {new}, with the new NS set in it", "publish",
        (f"the zone exists at {new}, or can be created there",),
        f"every server of {new} answers with the new serial, and the contents are equal",
        f"nobody asks {new} yet: leave it or remove it", changes=True, estimate=10, details={"apex_ttl": low},
    )  # fmt: skip
    yield Step(
        COMPARE, f"Compare every answer, {old} against {new}", "compare", (),
        "every server of both sides gives the same answers; only SOA and NS at the apex differ", "nothing to take back",
    )  # fmt: skip
    if wish.old.changes_apex_ns:
        yield from _lower(seen, wish, low)
    yield from _ready(seen, wish, low)
    if wish.old.changes_apex_ns:
        yield Step(
            APEX, f"Set the NS set at {old} to the new one", "apex",
            ("every new server answers for the whole zone with the new NS set",),
            f"every server of {old} hands out the new NS set", f"set it back to {_list(seen.old_ns)}",
            changes=True, estimate=10, details={"side": "old", "ns": "new", "ttl": low},
        )  # fmt: skip
    yield from _switch(seen, wish, low)


def _lower(seen: Observed, wish: Wish, low: int) -> Iterator[Step]:
    yield Step(
        LOWER, f"Lower the TTL of the NS set at {wish.old.provider} from {seen.apex_ttl} to {low}", "apex",
        ("the NS set is still the one seen when drafting",), f"every server of {wish.old.provider} hands it out with {low}",
        f"raise it to {seen.apex_ttl} again", changes=True, estimate=10, details={"side": "old", "ns": "old", "ttl": low},
    )  # fmt: skip


def _ready(seen: Observed, wish: Wish, low: int) -> Iterator[Step]:
    waits: tuple[Wait, ...] = ()
    if wish.old.changes_apex_ns:
        waits += lowering(LOWER, seen.apex_ttl, low, "the old NS set", wish.caution)
    for host, negative_ttl in seen.host_negative_ttls:
        waits += new_name(COMPARE, negative_ttl, f"the address of {name_text(host)}", wish.caution)
    yield Step(
        READY, "Check that the new side is ready for everybody", "ready",
        ("every new server answers for the whole zone", "nothing was edited on one side only", "every new NS name has its address"),
        "every new server, every address, the same contents as the old side", "nothing to take back", waits,
    )  # fmt: skip


def _switch(seen: Observed, wish: Wish, low: int) -> Iterator[Step]:
    old, new = wish.old.provider, wish.new.provider
    back = f"set it back to {_list(seen.old_ns)}; {new} stays up until the hold has passed the other way"
    yield Step(
        SWITCH, f"Set the NS set at the registrar {wish.registrar} to {new}'s", "switch",
        ("every new server answers for the zone with the new NS set", "the registrar holds this domain"),
        "the registry holds exactly the new set, none of the old ones left", back, changes=True, estimate=2,
    )  # fmt: skip
    yield Step(
        PARENTS, f"See the new NS set on every server of {_zone(seen.parent_zone)}", "parents", (),
        "every address of every parent server hands out exactly the new set", back, estimate=wish.publishing,
    )  # fmt: skip
    facts = Delegation(
        name_text(seen.parent_zone), PARENTS, APEX if wish.old.changes_apex_ns else None,
        LOWER if wish.old.changes_apex_ns and low < seen.apex_ttl else None, seen.parent_ttl, low, seen.apex_ttl,
    )  # fmt: skip
    yield Step(
        CONFIRM, "Confirm parent, child, registrar and all resolvers", "confirm",
        ("no old NS left over anywhere",), "all agree on the new NS set", back, delegation_change(facts, wish.caution),
    )  # fmt: skip
    yield Step(
        RAISE, f"Raise the TTL of the NS set at {new} to {wish.final_ttl} ({rough_text(wish.final_ttl)})", "apex",
        (), f"every server of {new} hands it out with {wish.final_ttl}", f"lower it to {low} again",
        changes=True, estimate=10, details={"side": "new", "ns": "new", "ttl": wish.final_ttl},
    )  # fmt: skip
    yield Step(
        END, f"End the service at {old}", "end", ("the hold has passed and everything is confirmed",),
        f"no server of {old} answers for the domain any more", f"from here on it begins with creating the zone at {old} anew",
        changes=True, estimate=5,
    )  # fmt: skip


def _zone(zone: Name) -> str:
    return "the root" if zone == b"\0" else f".{name_text(zone)}"


def _list(names: tuple[Name, ...]) -> str:
    return ", ".join(name_text(name) for name in names)
