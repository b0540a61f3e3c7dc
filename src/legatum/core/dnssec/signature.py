"""RRSIG data (RFC 4034 s3), and whether a signature holds (RFC 4035 s5.3)."""

from collections.abc import Iterable, Sequence
from enum import StrEnum
from functools import lru_cache
from typing import NamedTuple

from legatum.core.dnssec.key import parse_key
from legatum.core.dnssec.policy import algorithm
from legatum.core.dnssec.verifying import verified
from legatum.core.records.name import Name, is_under, labels_of
from legatum.core.records.rrset import RRset
from legatum.core.records.rrtype import RRSIG

_MOST_NAMESAKES = 4  # keys with one tag: more are made to make checking dear


class Validity(StrEnum):
    """What a check of one signature came to."""

    GOOD = "good"
    EXPIRED = "expired"
    EARLY = "not yet valid"
    NO_KEY = "made by a key that the zone does not publish"
    WRONG = "does not fit the data"
    UNKNOWN = "of an algorithm that cannot be checked here"


class Signature(NamedTuple):
    """``expires`` and ``begins`` in seconds since 1970; ``rdata``: the whole record's data."""

    covered: int
    algorithm: int
    labels: int
    ttl: int
    expires: int
    begins: int
    tag: int
    signer: Name
    rdata: bytes


@lru_cache(maxsize=8192)
def parse_signature(rdata: bytes) -> Signature | None:
    """None for data too short to be a signature."""
    if len(rdata) < 20:
        return None
    number = int.from_bytes
    end = 18
    while end < len(rdata) and rdata[end]:
        end += rdata[end] + 1
    return Signature(
        number(rdata[:2]), rdata[2], rdata[3], number(rdata[4:8]), number(rdata[8:12]),
        number(rdata[12:16]), number(rdata[16:18]), Name(rdata[18 : end + 1]), rdata,
    )  # fmt: skip


def signatures_over(rtype: int, section: Iterable[RRset], owner: Name) -> RRset | None:
    """The RRSIG records in a section that cover ``rtype`` at ``owner``."""
    for each in section:
        if each.rtype == RRSIG and each.name == owner:
            covering = tuple(rdata for rdata in each.rdatas if rdata[:2] == rtype.to_bytes(2))
            if covering:
                return each._replace(rdatas=covering)
    return None


@lru_cache(maxsize=8192)
def check_signature(rrset: RRset, signature: Signature, keys: RRset, now: float) -> Validity:
    """Whether one signature over ``rrset`` holds at ``now``, by the keys of the zone that signed: it signs in its own
    name, for what is in it (RFC 4035 s5.3.1)."""
    if signature.expires < now:
        return Validity.EXPIRED
    if signature.begins > now:
        return Validity.EARLY
    if not algorithm(signature.algorithm).checked:
        return Validity.UNKNOWN
    made_by = (signature.tag, signature.algorithm)
    named = [rdata for rdata in keys.rdatas if (key := parse_key(rdata)) and (key.tag, key.algorithm) == made_by][
        :_MOST_NAMESAKES
    ]
    if not named:
        return Validity.NO_KEY
    return Validity.GOOD if signature.signer == keys.name and _holds(rrset, signature, named) else Validity.WRONG


def _holds(rrset: RRset, signature: Signature, keys: Sequence[bytes]) -> bool:
    if signature.labels > len(labels_of(rrset.name)) or not is_under(rrset.name, signature.signer):
        return False
    return any(
        verified(each, signed_data(rrset, signature), signature.rdata[18 + len(signature.signer) :]) for each in keys
    )


def signed_data(rrset: RRset, signature: Signature) -> bytes:
    """What a signature is over (RFC 4034 s3.1.8.1): its own data without the signature, and every record in canonical
    form. An answer that a wildcard gave is signed as the wildcard's."""
    owner = _signed_owner(rrset.name, signature.labels)
    head = owner + rrset.rtype.to_bytes(2) + b"\0\1" + signature.ttl.to_bytes(4)
    records = (head + len(each).to_bytes(2) + each for each in rrset.rdatas)
    return b"".join((signature.rdata[:18], signature.signer, *records))


def _signed_owner(name: Name, labels: int) -> bytes:
    own = labels_of(name)
    if labels >= len(own) or own[:1] == [b"*"]:
        return name
    return b"\1*" + b"".join(bytes((len(each),)) + each for each in own[len(own) - labels :]) + b"\0"


def best_validity(
    rrset: RRset, signatures: RRset | None, keys: RRset, now: float
) -> tuple[Validity | None, Signature | None]:
    """The best of the signatures over an RRset, as a resolver takes the best; (None, None) for no signature at all."""
    best: tuple[Validity | None, Signature | None] = (None, None)
    order = list(Validity)
    for rdata in signatures.rdatas if signatures else ():
        signature = parse_signature(rdata)
        if signature is None:
            continue
        standing = check_signature(rrset, signature, keys, now)
        if best[0] is None or order.index(standing) < order.index(best[0]):
            best = (standing, signature)
    return best


def signed_by(keys: RRset, signatures: RRset | None, trusted: list[bytes], now: float) -> bool:
    """Whether the key set carries a good signature by one of the ``trusted`` keys (RFC 4035 s5.2)."""
    made_by = {(key.tag, key.algorithm) for rdata in trusted if (key := parse_key(rdata))}
    own = [
        rdata
        for rdata in (signatures.rdatas if signatures else ())
        if (one := parse_signature(rdata)) and (one.tag, one.algorithm) in made_by
    ]
    if signatures is None or not own:
        return False
    standing, _ = best_validity(keys, signatures._replace(rdatas=tuple(own)), keys._replace(rdatas=tuple(trusted)), now)
    return standing == Validity.GOOD
