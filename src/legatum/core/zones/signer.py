"""What a signer puts into a zone by itself (RFC 4034, RFC 5155, RFC 7344): never taken along to another provider.

Whoever signs makes signatures and proofs anew, with keys of its own. Those of another signer would be refused, or
served until they run out - and then the domain fails.
"""

from collections import Counter
from collections.abc import Collection, Iterable

from legatum.core.records.name import Name
from legatum.core.records.rrset import RRset
from legatum.core.records.rrtype import CDNSKEY, CDS, DNSKEY, NSEC, NSEC3, NSEC3PARAM, RRSIG, type_text
from legatum.core.zones.zone import Zone

_PROGRESS = 65534  # of the private range: where BIND writes down how far it is with signing
PROOFS = frozenset((RRSIG, NSEC, NSEC3, NSEC3PARAM, _PROGRESS))
"""Signatures and proofs of absence: nobody but a signer makes them."""
KEYS = frozenset((DNSKEY, CDS, CDNSKEY))
"""Keys, and what the zone asks its parent for: each signer has its own."""
OWN = PROOFS | KEYS


def signers_own(rrsets: Iterable[RRset]) -> tuple[RRset, ...]:
    """Those that a signer made."""
    return tuple(each for each in rrsets if each.rtype in OWN)


def without_signing(zone: Zone) -> Zone:
    """The zone as it was before anybody signed it."""
    made = signers_own(zone.unsorted)
    return zone.without((each.name, each.rtype) for each in made) if made else zone


def beside_signer(wanted: Zone, current: Zone, meant: Collection[tuple[Name, int]] = ()) -> Zone:
    """``wanted`` as a provider that serves ``current`` is to be told: what its signer made stays, what another one made
    stays away.

    ``meant``: names and types that are to become as ``wanted`` has them all the same.
    """
    foreign = [(each.name, each.rtype) for each in signers_own(wanted.unsorted) if (each.name, each.rtype) not in meant]
    kept = [each for each in signers_own(current.unsorted) if (each.name, each.rtype) not in meant]
    if not foreign and not kept:
        return wanted
    return wanted.without(foreign).with_rrsets(kept)


def counted_text(rrsets: Iterable[RRset]) -> str:
    """``3 RRSIG, 2 NSEC, 1 DNSKEY``: records by type."""
    counts = Counter[int]()
    for each in rrsets:
        counts[each.rtype] += len(each.rdatas)
    return ", ".join(f"{count} {type_text(rtype)}" for rtype, count in sorted(counts.items()))
