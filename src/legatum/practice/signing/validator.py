"""What a validating resolver does beside resolving (RFC 4035 s5): from its anchor down to the zone of an answer, DS by
DS and key by key.

It takes what the resolver has or fetches, copies of any age among them; what does not hold is bogus, and a visitor gets
SERVFAIL. It is of the strict kind: a signature must hold for every algorithm that the DS set, or the key set, names
(RFC 4035 s2.2). Of a negative answer the SOA record's signature is checked, not the proof of absence.
"""

from collections.abc import Awaitable, Callable, Mapping
from typing import NamedTuple

from legatum.core.dnssec.key import fits, parse_ds
from legatum.core.dnssec.signature import Validity, best_validity, signed_by
from legatum.core.records.name import Name, parent_of
from legatum.core.records.rrset import RRset
from legatum.core.records.rrtype import DNSKEY, DS


class Given(NamedTuple):
    """What the resolver has of a name and type: the RRset, or the SOA record of its denial; the signatures over that;
    and the zone."""

    rrset: RRset | None
    soa: RRset | None
    signatures: RRset | None
    zone: Name


class Bogus(Exception):
    """The DS set does not match."""


class Validator:
    """``anchors``: zone → DS data; ``fetch``: from the cache, or from servers."""

    def __init__(
        self, anchors: Mapping[Name, bytes], fetch: Callable[[Name, int], Awaitable[Given]], now: Callable[[], float]
    ) -> None:
        self._anchors, self._fetch, self._now = anchors, fetch, now
        self._known: dict[tuple[RRset, RRset | None, RRset], bool] = {}

    async def check(self, given: Given) -> bool:
        """Whether it is signed. Raises :class:`Bogus` where that does not hold."""
        keys = await self._keys(given.zone)
        told = given.rrset or given.soa
        if keys is not None and (told is None or not self._holds(told, given.signatures, keys)):
            raise Bogus
        return keys is not None

    async def _keys(self, zone: Name) -> RRset | None:
        """The zone's key set, where its parent has a DS for one; None where it has none."""
        ds_rdatas: tuple[bytes, ...]
        if zone in self._anchors:
            ds_rdatas = (self._anchors[zone],)
        elif len(zone) == 1:
            return None
        else:
            ds = await self._fetch(zone, DS)
            above = await self._keys(ds.zone if ds.zone != zone else parent_of(zone))
            if above is None or ds.rrset is None:
                return None
            if not self._holds(ds.rrset, ds.signatures, above):
                raise Bogus
            ds_rdatas = ds.rrset.rdatas
        given = await self._fetch(zone, DNSKEY)
        if given.rrset is None:
            raise Bogus
        trusted = [
            key
            for key in given.rrset.rdatas
            for each in ds_rdatas
            if (ds_ := parse_ds(each)) is not None and fits(zone, ds_, key)
        ]
        for algorithm in {each[2] for each in ds_rdatas}:
            keys = [each for each in trusted if each[3] == algorithm]
            if not keys or not signed_by(given.rrset, given.signatures, keys, self._now()):
                raise Bogus
        return given.rrset

    def _holds(self, told: RRset, signatures: RRset | None, keys: RRset) -> bool:
        """Checked once: the TTLs of copies count down, and are no part of it."""
        mark = (told.with_ttl(0), signatures, keys.with_ttl(0))
        if mark not in self._known:
            by_algorithm = [
                keys._replace(rdatas=tuple(each for each in keys.rdatas if each[3] == algorithm))
                for algorithm in {each[3] for each in keys.rdatas}
            ]
            self._known[mark] = all(
                best_validity(told, signatures, each, self._now())[0] == Validity.GOOD for each in by_algorithm
            )
        return self._known[mark]
