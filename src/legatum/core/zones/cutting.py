"""Handing a part of a zone on, and taking it back: what the child zone gets, and what the parent zone keeps."""

from dataclasses import dataclass

from legatum.core.records.name import Name, is_under, name_text
from legatum.core.records.rrset import RRset, rrset
from legatum.core.records.rrtype import AAAA, DS, NS, SOA, A
from legatum.core.running.fault import BadInput, GateShut
from legatum.core.zones.signer import OWN, signers_own
from legatum.core.zones.zone import Zone


@dataclass(frozen=True)
class Parts:
    """``below``: RRsets at and below the cut that the child zone must answer for from now on; ``signed``: what a signer
    made there, which does not go along; ``rest``: all others."""

    cut: Name
    below: tuple[RRset, ...]
    signed: tuple[RRset, ...]
    rest: tuple[RRset, ...]


def parts_of(zone: Zone, cut: Name) -> Parts:
    """Raises :class:`BadInput` for a name that cannot be cut off."""
    if cut == zone.origin or not is_under(cut, zone.origin):
        raise BadInput(f"{name_text(cut)} is not below {name_text(zone.origin)}", "give a name such as app, or whole")
    above = next(
        (
            each.name
            for each in zone.unsorted
            if each.rtype == NS and each.name != zone.origin and is_under(cut, each.name)
        ),
        None,
    )
    if above == cut:
        raise BadInput(
            f"{name_text(cut)} is handed on already",
            f"`legatum amend {name_text(zone.origin)} NAME NS SERVER SERVER` changes its NS set",
        )
    if above is not None:
        raise BadInput(f"{name_text(cut)} lies below {name_text(above)}, which is handed on", "hand it on in that zone")
    there = tuple(each for each in zone if is_under(each.name, cut))  # what is handed on further below goes along
    below = tuple(each for each in there if each.rtype not in OWN)
    return Parts(cut, below, signers_own(there), tuple(each for each in zone if not is_under(each.name, cut)))


def child_zone(parts: Parts, present: Zone) -> Zone:
    """The child's zone as its provider should serve it: what it has by itself, and everything that the parent zone
    had."""
    return present.with_rrsets(parts.below)


def parent_zone(
    zone: Zone, parts: Parts, servers: tuple[Name, ...], ttl: int, glue: dict[Name, tuple[tuple[int, bytes], ...]]
) -> Zone:
    """The parent's zone after it: the NS set at the cut, glue for servers below it, and none of what went.

    ``glue``: server → (type, data) of its addresses.
    """
    inner = [name for name in servers if is_under(name, parts.cut)]
    if bare := next((name for name in inner if not glue.get(name)), None):
        raise BadInput(
            f"{name_text(bare)} lies in what is handed on, and has no address", "its addresses are needed as glue"
        )
    added = [rrset(parts.cut, NS, ttl, servers)]
    for name in inner:
        for rtype in (A, AAAA):
            if data := [rdata for kind, rdata in glue[name] if kind == rtype]:
                added.append(rrset(name, rtype, ttl, data))
    return Zone(zone.origin, [*parts.rest, *added])


def cut_set(zone: Zone, cut: Name) -> RRset:
    """The NS set of a name that is handed on. Raises :class:`BadInput` for one that is not."""
    named = zone.get(cut, NS)
    if cut == zone.origin or named is None:
        raise BadInput(
            f"{name_text(cut)} is not handed on in {name_text(zone.origin)}",
            f"`legatum gather {name_text(zone.origin)} --from PROVIDER` shows what is in the zone",
        )
    return named


def taken_back(zone: Zone, child: Zone) -> Zone:
    """The parent's zone with a part taken back: all that the child zone answers for, and no NS set or glue at the cut.

    Raises :class:`GateShut` for a child zone with a DS.
    """
    cut = child.origin
    if zone.get(cut, DS) is not None:
        raise GateShut(
            f"{name_text(cut)} has a DS: caches that hold it would believe no answer without the child's signatures",
            "take the DS out and let its TTL pass (rule 7), then come back",
        )
    own = (
        each
        for each in child.unsorted
        if each.rtype not in OWN and (each.name, each.rtype) not in ((cut, SOA), (cut, NS))
    )
    return Zone(zone.origin, [*(each for each in zone.unsorted if not is_under(each.name, cut)), *own])
