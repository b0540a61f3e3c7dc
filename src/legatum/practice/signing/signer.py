"""Signing zones as a provider that does so by itself: NSEC proofs (RFC 4034), signatures for a year.

Signatures are kept for the process: no RRset is signed twice with the same key.
"""

from collections.abc import Iterator, Mapping
from functools import lru_cache

from legatum.core.records.name import Name, canonical_key, is_under
from legatum.core.records.rrset import RRset, rrset
from legatum.core.records.rrtype import CDS, DNSKEY, DS, NS, NSEC, RRSIG
from legatum.core.records.soa import negative_ttl
from legatum.core.zones.signer import without_signing
from legatum.core.zones.zone import Zone
from legatum.practice.signing.keyring import KeyRing, ZoneKey

_DAY, _VALID = 86400, 400 * 86400
_KEY_TTL = 3600
NO_DS = (b"\0\0\0\0\0",)
"""That the DS set is to be removed (RFC 8078 s4)."""


def signed(zone: Zone, ring: KeyRing, now: float, cds: Mapping[Name, tuple[bytes, ...]]) -> Zone:
    """The zone with its keys, proofs and signatures; what another signer had made is left out. ``cds``: owner → what is
    asked for there (RFC 7344, RFC 9615)."""
    plain = without_signing(zone)
    keyed = plain.with_rrsets([rrset(zone.origin, DNSKEY, _KEY_TTL, ring.published)])
    keyed = keyed.with_rrsets([rrset(name, CDS, _KEY_TTL, data) for name, data in cds.items()])
    cuts = {each.name for each in keyed.unsorted if each.rtype == NS and each.name != zone.origin}
    owned = [each for each in keyed if not any(is_under(each.name, cut) and each.name != cut for cut in cuts)]
    ours = [each for each in owned if each.name not in cuts or each.rtype in (DS, NS)]
    chained = list(_proofs(keyed, ours))
    begins = int(now) // _DAY * _DAY - _DAY
    found: dict[Name, list[RRset]] = {}
    for each in (*ours, *chained):
        if not (each.rtype == NS and each.name in cuts):  # what is handed on is the child's (RFC 4035 s2.2)
            found.setdefault(each.name, []).append(each)
    signatures = [
        RRset(name, RRSIG, min(each.ttl for each in sets), tuple(sorted(_signatures(zone.origin, ring, sets, begins))))
        for name, sets in found.items()
    ]
    return keyed.with_rrsets([*chained, *signatures])


def _proofs(zone: Zone, sets: list[RRset]) -> Iterator[RRset]:
    """The NSEC chain through all names that the zone has authority over, cuts among them."""
    types: dict[Name, set[int]] = {}
    for each in sets:
        types.setdefault(each.name, set()).add(each.rtype)
    names = sorted(types, key=canonical_key)
    ttl = negative_ttl(zone.soa_rrset)
    for name, following in zip(names, [*names[1:], names[0]], strict=True):
        yield RRset(name, NSEC, ttl, (following + _bitmap(types[name] | {RRSIG, NSEC}),))


def _bitmap(types: set[int]) -> bytes:
    """RFC 4034 s4.1.2."""
    made = b""
    for window in sorted({each >> 8 for each in types}):
        octets = bytearray(32)
        for each in (each & 255 for each in types if each >> 8 == window):
            octets[each >> 3] |= 128 >> (each & 7)
        whole = bytes(octets).rstrip(b"\0")
        made += bytes((window, len(whole))) + whole
    return made


def _signatures(origin: Name, ring: KeyRing, sets: list[RRset], begins: int) -> Iterator[bytes]:
    for each in sets:
        for key in ring.keys:
            if key.entry if each.rtype == DNSKEY else key.zone:
                yield _signature(origin, each, key, begins)


@lru_cache(maxsize=65536)
def _signature(origin: Name, each: RRset, key: ZoneKey, begins: int) -> bytes:
    """The data of one RRSIG record (RFC 4034 s3.1)."""
    from dns.dnssec import sign
    from dns.name import from_wire
    from dns.rdata import Rdata
    from dns.rdata import from_wire as data_from_wire
    from dns.rdataclass import IN
    from dns.rdataset import from_rdata_list
    from dns.rdatatype import RdataType
    from dns.rdtypes.ANY.DNSKEY import DNSKEY as KeyData

    def told(rtype: int, rdata: bytes) -> Rdata:
        return data_from_wire(IN, RdataType.make(rtype), rdata, 0, len(rdata))

    owner, signer = from_wire(each.name, 0)[0], from_wire(origin, 0)[0]
    data = from_rdata_list(each.ttl, [told(each.rtype, rdata) for rdata in each.rdatas])
    public = told(DNSKEY, key.data)
    assert isinstance(public, KeyData)
    made = sign((owner, data), key.private, signer, public, inception=begins, expiration=begins + _VALID)
    wire = made.to_wire()
    assert wire is not None
    return wire
