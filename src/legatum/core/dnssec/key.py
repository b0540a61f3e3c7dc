"""DNSKEY data (RFC 4034 s2) and the DS that points to a key (s5)."""

import hashlib
from collections.abc import Iterable
from typing import NamedTuple

from legatum.core.records.name import Name

ZONE_KEY, REVOKED, ENTRY_POINT = 0x0100, 0x0080, 0x0001
RSA_ALGORITHMS = frozenset((5, 7, 8, 10))

# IANA's registry of algorithm numbers: those a zone may be signed with, and those it no longer should (RFC 8624 s3.1).
ALGORITHMS = {
    1: "RSAMD5", 3: "DSA", 5: "RSASHA1", 6: "DSA-NSEC3-SHA1", 7: "RSASHA1-NSEC3-SHA1", 8: "RSASHA256", 10: "RSASHA512",
    12: "ECC-GOST", 13: "ECDSAP256SHA256", 14: "ECDSAP384SHA384", 15: "ED25519", 16: "ED448",
}  # fmt: skip
CHECKED_EVERYWHERE = frozenset((5, 7, 8, 10, 13, 14, 15, 16))
WEAK_ALGORITHMS = frozenset((1, 3, 5, 6, 7, 12))
DIGESTS = {1: "SHA-1", 2: "SHA-256", 3: "GOST R 34.11-94", 4: "SHA-384"}
_HASHES = {1: hashlib.sha1, 2: hashlib.sha256, 4: hashlib.sha384}


class DnsKey(NamedTuple):
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
        if self.algorithm not in RSA_ALGORITHMS or not self.public:
            return None
        short = self.public[0] != 0
        exponent = self.public[0] if short else int.from_bytes(self.public[1:3], "big")
        modulus = self.public[(1 if short else 3) + exponent :]
        return int.from_bytes(modulus, "big").bit_length()

    @property
    def text(self) -> str:
        return f"key {self.tag} ({ALGORITHMS.get(self.algorithm, f'algorithm {self.algorithm}')})"


class Ds(NamedTuple):
    """One delegation signer record."""

    tag: int
    algorithm: int
    digest_type: int
    digest: bytes

    @property
    def text(self) -> str:
        return f"DS {self.tag} {self.algorithm} {self.digest_type} {self.digest.hex()}"


def parse_key(rdata: bytes) -> DnsKey | None:
    """None for data too short to be a key."""
    if len(rdata) < 5:
        return None
    return DnsKey(int.from_bytes(rdata[:2], "big"), rdata[2], rdata[3], rdata[4:], key_tag(rdata))


def parse_ds(rdata: bytes) -> Ds | None:
    """None for data too short to be a DS."""
    if len(rdata) < 5:
        return None
    return Ds(int.from_bytes(rdata[:2], "big"), rdata[2], rdata[3], rdata[4:])


def ds_texts(rdatas: Iterable[bytes]) -> list[str]:
    """Each record as text; ``DS`` alone for data that is none."""
    return [parsed.text if (parsed := parse_ds(rdata)) else "DS" for rdata in rdatas]


def ds_set_text(rdatas: Iterable[bytes]) -> str:
    """The whole set in one line, or that there is none."""
    return "; ".join(ds_texts(rdatas)) or "no DS"


def key_tag(rdata: bytes) -> int:
    """The 16-bit sum that a DS and a signature name a key by (RFC 4034 appendix B; B.1 for algorithm 1)."""
    if len(rdata) > 6 and rdata[3] == 1:
        return int.from_bytes(rdata[-3:-1], "big")
    padded = rdata + b"\0" * (len(rdata) & 1)
    total = sum(int.from_bytes(padded[at : at + 2], "big") for at in range(0, len(padded), 2))
    return (total + (total >> 16)) & 0xFFFF


def digest_of(owner: Name, key: bytes, digest_type: int) -> bytes | None:
    """The digest that a DS of ``digest_type`` for the key data ``key`` at ``owner`` carries; None for a type not known."""
    made = _HASHES.get(digest_type)
    return made(owner + key).digest() if made else None


def fits(owner: Name, ds: Ds, key: bytes) -> bool:
    """The DS names this key and its digest is right."""
    parsed = parse_key(key)
    named = parsed is not None and (parsed.tag, parsed.algorithm) == (ds.tag, ds.algorithm)
    return named and digest_of(owner, key, ds.digest_type) == ds.digest
