"""Which algorithms and digests a zone may be signed with, are checked by resolvers everywhere, and should be left: one
table of each.

By IANA's registries of DNSSEC algorithm numbers and of DS digest types, and the advice of RFC 8624, which they have
carried themselves since RFC 9904; SHA-1 by RFC 9905, GOST by RFC 9906."""

import hashlib
from collections.abc import Callable
from typing import Any, NamedTuple


class Algorithm(NamedTuple):
    """``checked``: resolvers everywhere check its signatures; ``weak``: no zone should be signed with it any more;
    ``rsa``: its keys differ in length."""

    name: str
    checked: bool = True
    weak: bool = False
    rsa: bool = False


class Digest(NamedTuple):
    """``octets``: its length, 0 for not known; ``made``: of a DS that is put in; others are read only. ``checked``: by
    resolvers everywhere; ``weak``: it should be replaced."""

    name: str
    octets: int = 0
    made: bool = False
    checked: bool = True
    weak: bool = False
    hashed: Callable[[bytes], Any] | None = None


ALGORITHMS = {
    1: Algorithm("RSAMD5", checked=False, weak=True),
    3: Algorithm("DSA", checked=False, weak=True),
    5: Algorithm("RSASHA1", weak=True, rsa=True),
    6: Algorithm("DSA-NSEC3-SHA1", checked=False, weak=True),
    7: Algorithm("RSASHA1-NSEC3-SHA1", weak=True, rsa=True),
    8: Algorithm("RSASHA256", rsa=True),
    10: Algorithm("RSASHA512", rsa=True),
    12: Algorithm("ECC-GOST", checked=False, weak=True),
    13: Algorithm("ECDSAP256SHA256"),
    14: Algorithm("ECDSAP384SHA384"),
    15: Algorithm("ED25519"),
    16: Algorithm("ED448"),
}
DIGESTS = {
    1: Digest("SHA-1", 20, weak=True, hashed=hashlib.sha1),
    2: Digest("SHA-256", 32, made=True, hashed=hashlib.sha256),
    3: Digest("GOST R 34.11-94", 32, checked=False, weak=True),
    4: Digest("SHA-384", 48, made=True, hashed=hashlib.sha384),
}
_STRANGE_ALGORITHM, _STRANGE_DIGEST = Algorithm("unknown", checked=False), Digest("unknown", checked=False)


def algorithm(number: int) -> Algorithm:
    return ALGORITHMS.get(number, _STRANGE_ALGORITHM)


def digest_type(number: int) -> Digest:
    return DIGESTS.get(number, _STRANGE_DIGEST)
