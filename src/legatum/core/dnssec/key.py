"""DNSKEY data (RFC 4034 s2) and the DS that points to a key (s5)."""

from collections.abc import Iterable
from functools import lru_cache
from typing import NamedTuple

from legatum.core.dnssec.policy import ALGORITHMS, algorithm
from legatum.core.dnssec.policy import digest_type as digest_kind
from legatum.core.records.name import Name

ZONE_KEY, REVOKED, ENTRY_POINT = 0x0100, 0x0080, 0x0001


class Dnskey(NamedTuple):
    """One key. ``public``: the key in its algorithm's form."""

    flags: int
    protocol: int
    algorithm: int
    public: bytes
    tag: int

    @property
    def signs_zone(self) -> bool:
        """It may make signatures of this zone, and has not been revoked (RFC 5011 s2.1)."""
        return bool(self.flags & ZONE_KEY) and not self.flags & REVOKED and self.protocol == 3

    @property
    def bits(self) -> int | None:
        """The length of an RSA key's modulus (RFC 3110 s2); None for other algorithms."""
        if not algorithm(self.algorithm).rsa or not self.public:
            return None
        short = self.public[0] != 0
        exponent = self.public[0] if short else int.from_bytes(self.public[1:3])
        modulus = self.public[(1 if short else 3) + exponent :]
        return int.from_bytes(modulus).bit_length()

    @property
    def text(self) -> str:
        return (
            f"key {self.tag} "
            f"({algorithm(self.algorithm).name if self.algorithm in ALGORITHMS else f'algorithm {self.algorithm}'})"
        )


class Ds(NamedTuple):
    """One delegation signer record."""

    tag: int
    algorithm: int
    digest_type: int
    digest: bytes

    @property
    def text(self) -> str:
        return f"DS {self.tag} {self.algorithm} {self.digest_type} {self.digest.hex()}"


@lru_cache(maxsize=8192)
def parse_key(rdata: bytes) -> Dnskey | None:
    """None for data too short to be a key."""
    if len(rdata) < 5:
        return None
    return Dnskey(int.from_bytes(rdata[:2]), rdata[2], rdata[3], rdata[4:], key_tag(rdata))


def parse_ds(rdata: bytes) -> Ds | None:
    """None for data too short to be a DS."""
    if len(rdata) < 5:
        return None
    return Ds(int.from_bytes(rdata[:2]), rdata[2], rdata[3], rdata[4:])


def ds_texts(rdatas: Iterable[bytes]) -> list[str]:
    """Each record as text; ``DS`` alone for data that is none."""
    return [parsed.text if (parsed := parse_ds(rdata)) else "DS" for rdata in rdatas]


def ds_set_text(rdatas: Iterable[bytes]) -> str:
    """The whole set in one line, or that there is none."""
    return "; ".join(ds_texts(rdatas)) or "no DS"


def key_tag(rdata: bytes) -> int:
    """The 16-bit sum that a DS and a signature name a key by (RFC 4034 appendix B; B.1 for algorithm 1)."""
    if len(rdata) > 6 and rdata[3] == 1:
        return int.from_bytes(rdata[-3:-1])
    total = (sum(rdata[::2]) << 8) + sum(rdata[1::2])
    return (total + (total >> 16)) & 0xFFFF


def digest_of(owner: Name, key: bytes, digest_type: int) -> bytes | None:
    """The digest that a DS of ``digest_type`` for the key data ``key`` at ``owner`` carries; None for a type not
    known."""
    hashed = digest_kind(digest_type).hashed
    return bytes(hashed(owner + key).digest()) if hashed is not None else None


def fits(owner: Name, ds: Ds, key: bytes) -> bool:
    """The DS names this key and its digest is right."""
    parsed = parse_key(key)
    named = parsed is not None and (parsed.tag, parsed.algorithm) == (ds.tag, ds.algorithm)
    return named and digest_of(owner, key, ds.digest_type) == ds.digest
