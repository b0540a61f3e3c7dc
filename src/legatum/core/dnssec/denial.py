"""Proofs that a name or type does not exist: NSEC (RFC 4035 s5.4) and NSEC3 (RFC 5155 s8)."""

import base64
import hashlib
import itertools
from collections.abc import Iterable, Sequence
from typing import NamedTuple, TypeVar

from legatum.core.records.name import Name, ancestors, below, canonical_key, is_under, labels_of
from legatum.core.records.rrset import RRset
from legatum.core.records.rrtype import DS, NS, NSEC, NSEC3, RRSIG, SOA

_OPT_OUT = 1
MOST_ITERATIONS = 2500  # RFC 5155 s10.3; a proof that asks for more work is taken as none


class Nsec3(NamedTuple):
    """``owner_hash`` and ``following``: hashes of 20 octets."""

    opt_out: bool
    iterations: int
    salt: bytes
    owner_hash: bytes
    following: bytes
    types: frozenset[int]


def absence(name: Name, rtype: int, authority: Sequence[RRset]) -> bool | None:
    """Whether an answer proves that there is no such record; None where nothing in it is signed."""
    if not any(each.rtype in (NSEC, NSEC3, RRSIG) for each in authority):
        return None
    return denies(name, rtype, authority)


def parse_types(bitmap: bytes) -> frozenset[int]:
    """The types that a bitmap names (RFC 4034 s4.1.2)."""
    found, at = [], 0
    while at + 2 <= len(bitmap):
        window, length = bitmap[at], bitmap[at + 1]
        for number, octet in enumerate(bitmap[at + 2 : at + 2 + length]):
            found += [window * 256 + number * 8 + bit for bit in range(8) if octet & 0x80 >> bit]
        at += 2 + length
    return frozenset(found)


def parse_nsec(rdata: bytes) -> tuple[Name, frozenset[int]] | None:
    """The next name and the types at this one; None for broken data."""
    at = 0
    while at < len(rdata) and rdata[at]:
        at += rdata[at] + 1
    return (Name(rdata[: at + 1].lower()), parse_types(rdata[at + 1 :])) if at < len(rdata) else None


def parse_nsec3(rrset: RRset) -> Nsec3 | None:
    """None for broken data and for hash algorithms other than SHA-1, the only one there is."""
    rdata = rrset.rdatas[0]
    if len(rdata) < 6 or rdata[0] != 1:
        return None
    salt_end = 5 + rdata[4]
    if salt_end >= len(rdata):
        return None
    hash_end = salt_end + 1 + rdata[salt_end]
    owner = _unhash(labels_of(rrset.name)[0])
    if owner is None:
        return None
    return Nsec3(
        bool(rdata[1] & _OPT_OUT), int.from_bytes(rdata[2:4]), rdata[5:salt_end], owner, rdata[salt_end + 1 : hash_end],
        parse_types(rdata[hash_end:]),
    )  # fmt: skip


def nsec3_hash(name: Name, salt: bytes, iterations: int) -> bytes:
    """RFC 5155 s5."""
    digest = hashlib.sha1(name + salt).digest()
    for _ in range(iterations):
        digest = hashlib.sha1(digest + salt).digest()
    return digest


def denies(name: Name, rtype: int, authority: Iterable[RRset]) -> bool:
    """The NSEC or NSEC3 records of a negative answer prove that ``name`` has no ``rtype``, or does not exist at all.

    Signatures are not looked at here. An NSEC3 with opt-out proves an unsigned delegation (RFC 5155 s8.6).
    """
    records = list(authority)
    plain = [(each.name, *found) for each in records if each.rtype == NSEC and (found := parse_nsec(each.rdatas[0]))]
    if plain:
        return _denied_plainly(name, rtype, plain)
    hashed = [parsed for each in records if each.rtype == NSEC3 and (parsed := parse_nsec3(each))]
    return bool(hashed) and _denied_by_hash(name, rtype, hashed)


def _lacks(types: frozenset[int], rtype: int) -> bool:
    """The types at a name show that it has no ``rtype``; a DS is denied by the parent's side of the cut only."""
    if rtype in types or 5 in types:
        return False
    return not (rtype == DS and SOA in types) and not (rtype != DS and NS in types and SOA not in types)


def _denied_plainly(name: Name, rtype: int, records: list[tuple[Name, Name, frozenset[int]]]) -> bool:
    for owner, _, types in records:
        if owner == name:
            return _lacks(types, rtype)
    covering = next(
        (each for each in records if _between(canonical_key(each[0]), canonical_key(name), canonical_key(each[1]))),
        None,
    )
    if covering is None:
        return False
    owner, following, _ = covering
    if is_under(following, name):
        return True  # an empty non-terminal: the name exists and has no data
    encloser = next(each for each in ancestors(name) if is_under(owner, each) or is_under(following, each))
    wildcard = below("*", encloser)
    return any(
        (owner == wildcard and _lacks(types, rtype))
        or (owner != wildcard and _between(canonical_key(owner), canonical_key(wildcard), canonical_key(following)))
        for owner, following, types in records
    )


_Place = TypeVar("_Place", bytes, tuple[bytes, ...])


def _between(low: _Place, middle: _Place, high: _Place) -> bool:
    """In the ring of names: the last one leads back to the first."""
    return low < middle < high if low < high else middle > low or middle < high


def _denied_by_hash(name: Name, rtype: int, records: list[Nsec3]) -> bool:
    salt, iterations = records[0].salt, records[0].iterations
    if iterations > MOST_ITERATIONS:
        return False

    def matching(wanted: Name) -> Nsec3 | None:
        digest = nsec3_hash(wanted, salt, iterations)
        return next((each for each in records if each.owner_hash == digest), None)

    def covering(wanted: Name) -> Nsec3 | None:
        digest = nsec3_hash(wanted, salt, iterations)
        return next((each for each in records if _between(each.owner_hash, digest, each.following)), None)

    exact = matching(name)
    if exact is not None:
        return _lacks(exact.types, rtype)
    chain = ancestors(name)
    for closer, encloser in itertools.pairwise(chain):
        if matching(encloser) is not None:
            cover = covering(closer)
            if cover is None:
                return False
            if rtype == DS and cover.opt_out:
                return True
            star = matching(below("*", encloser))
            return covering(below("*", encloser)) is not None or (star is not None and _lacks(star.types, rtype))
    return False


def _unhash(label: bytes) -> bytes | None:
    try:
        return base64.b32hexdecode(label.upper())
    except ValueError:
        return None
