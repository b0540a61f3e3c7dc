"""A zone put at a provider, as data: what is served there now, what shall be, and what lies between."""

from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass
from typing import Protocol

from legatum.core.records.name import Name, is_under, name_text, parent_of
from legatum.core.records.rrset import RRset, rrset, targets
from legatum.core.records.rrtype import NS, SOA, type_text
from legatum.core.records.soa import SoaFields, serial_at_least, serial_is_newer
from legatum.core.running.fault import GateShut
from legatum.core.zones.difference import Difference, belongs_to_provider, zone_differences
from legatum.core.zones.signer import beside_signer, counted_text, signers_own
from legatum.core.zones.zone import NS_TTL, Zone

RRsetKey = tuple[Name, int]


class Site(Protocol):
    """Where a zone is put. ``changes_apex_ns``: the NS set at the apex is not the provider's own to write."""

    @property
    def name(self) -> str: ...
    @property
    def servers(self) -> Sequence[Name]: ...
    @property
    def changes_apex_ns(self) -> bool: ...


@dataclass(frozen=True)
class Publication:
    """``place``: the provider; ``current``: what it serves now; ``wanted``: what it will; ``differences``: current on
    the left.

    ``is_new``: the provider does not have the zone yet. Then ``current`` is empty, and ``wanted`` is without what the
    provider will write itself, which is known once it has it. ``left_out``: what another provider's signer made, which
    is not sent. Made by :meth:`between`.
    """

    place: str
    current: Zone
    wanted: Zone
    differences: tuple[Difference, ...]
    is_new: bool = False
    left_out: tuple[RRset, ...] = ()

    @classmethod
    def between(
        cls, place: str, current: Zone, wanted: Zone, is_new: bool = False, meant: Collection[RRsetKey] = ()
    ) -> "Publication":
        """What turns ``current`` into ``wanted``, signers' own records aside. ``meant``: of those, what is to be
        changed all the same."""
        told = beside_signer(wanted, current, meant)
        held = set(signers_own(current.unsorted))
        left_out = tuple(
            each
            for each in signers_own(wanted.unsorted)
            if each not in held and told.get(each.name, each.rtype) != each
        )
        return cls(place, current, told, zone_differences(current, told), is_new, left_out)

    @property
    def is_needed(self) -> bool:
        return any((each.name, each.rtype) != (self.wanted.origin, SOA) for each in self.differences)

    @property
    def keys(self) -> tuple[RRsetKey, ...]:
        """Names and types that change."""
        return tuple((each.name, each.rtype) for each in self.differences)

    @property
    def notes(self) -> tuple[str, ...]:
        """What is not as the source has it, in words."""
        if not self.left_out:
            return ()
        return (f"left out, because another signer made it: {counted_text(self.left_out)}",)


def kept_of_source(publication: Publication) -> tuple[str, ...]:
    """What the SOA record goes on naming of somebody else's, in words: it comes along from the source, and is seldom
    meant to."""
    wanted, before = (
        publication.wanted,
        () if publication.is_new else (publication.current.soa.mailbox, publication.current.soa.primary),
    )
    return tuple(
        f"the SOA record keeps the {field} of the source, {name_text(name)}; a move gives it another: --soa "
        f"{field}=NAME"
        for field, name in somebody_elses(wanted.origin, wanted.soa, targets(wanted.apex_ns)).items()
        if name not in before
    )


def somebody_elses(origin: Name, soa: SoaFields, servers: Collection[Name]) -> dict[str, Name]:
    """Names in an SOA record, by field, that are neither the domain's own nor of those whose ``servers`` are in its NS
    set."""
    own = {origin, *map(parent_of, servers)}
    names = {"mailbox": soa.mailbox, "primary": soa.primary}
    return {
        field: name
        for field, name in names.items()
        if name not in servers and not any(is_under(name, each) for each in own)
    }


def with_ns_set(zone: Zone, servers: Iterable[Name], ttl: int) -> Zone:
    """The zone with another NS set at the apex."""
    return zone.with_rrsets([rrset(zone.origin, NS, ttl, servers)])


def for_provider(
    zone: Zone, current: Zone, provider: Site, serial: int, ns_ttl: int | None = None, servers: Iterable[Name] = ()
) -> Zone:
    """The zone as that provider should serve it: its NS set and primary name, and a serial newer than what it and its
    source have.

    ``serial``: by the house's rule; ``ns_ttl``: TTL of the NS set in seconds, the zone's own if not given; ``servers``:
    the NS set, where it is not that of the provider's own names. Where the NS set is the provider's to write it stays
    as it is.
    """
    present_ns = zone.apex_ns
    ttl = ns_ttl if ns_ttl is not None else present_ns.ttl if present_ns else NS_TTL
    wanted = with_ns_set(zone, tuple(servers) or provider.servers, ttl)
    if not provider.changes_apex_ns and current.apex_ns:
        wanted = wanted.with_rrsets([current.apex_ns])
    soa = zone.soa._replace(primary=current.soa.primary, serial=current.soa.serial)
    renamed = RRset(zone.origin, SOA, zone.soa_rrset.ttl, (soa.rdata(),))
    wanted = wanted.with_rrsets([renamed])
    if wanted == current:
        return wanted
    least = serial_at_least(current.soa.serial, zone.soa.serial)
    return wanted.with_serial(least if serial_is_newer(least, serial) else serial)


def new_publication(place: str, wanted: Zone) -> Publication:
    """Of a zone that the provider does not have yet."""
    return Publication.between(place, Zone(wanted.origin, ()), wanted, is_new=True)


def with_difference(zone: Zone, changes: Iterable[Difference]) -> Zone:
    """The zone with these changes made. Raises :class:`GateShut` where what should be changed is not what is there."""
    for each in changes:
        present = zone.get(each.name, each.rtype)
        if present == each.right:
            continue
        if present != each.left:
            raise GateShut(
                f"{name_text(each.name)} {type_text(each.rtype)} is no longer what the difference was made from",
                "compare again, and publish the new difference",
            )
        key = (each.name, each.rtype)
        zone = zone.with_rrsets([each.right]) if each.right is not None else zone.without([key])
    return zone


def refuse_removal(publication: Publication, share: int) -> None:
    """Raises :class:`GateShut` where more than ``share`` percent of the zone would go."""
    gone = [each for each in publication.differences if each.right is None]
    held = sum(not belongs_to_provider(publication.current.origin, *key) for key in publication.current.keys)
    if len(gone) * 100 > held * share:
        first = ", ".join(f"{name_text(each.name)} {type_text(each.rtype)}" for each in gone[:4])
        raise GateShut(
            f"{len(gone)} of {held} RRsets at {publication.place} would be taken away, more than {share} %: "
            f"{first}{' …' if gone[4:] else ''}",
            "is the source whole? If this is meant, say --remove",
        )
