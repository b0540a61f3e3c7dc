"""Signatures checked by the cryptography library, for each algorithm that resolvers check (RFC 3110, 5702, 6605, 8080).

What is the same is checked once: many servers give the same records. Keys that would make it dear are no keys: RFC 3110
ends at 4,096 bits.
"""

from collections.abc import Callable
from functools import lru_cache

_REMEMBERED = 8192
_LONGEST_RSA, _LONGEST_EXPONENT = 4096, 32  # bits
_RSA_SHA1, _CURVES, _EDWARDS = (5, 7), (13, 14), (15, 16)
Check = Callable[[bytes, bytes], None]


@lru_cache(maxsize=_REMEMBERED)
def verified(key: bytes, data: bytes, signature: bytes) -> bool:
    """``key``: DNSKEY data; ``signature``: as it stands in the RRSIG record."""
    from cryptography.exceptions import InvalidSignature

    check = _check_of(key)
    if check is None:
        return False
    try:
        check(signature, data)
    except (InvalidSignature, ValueError):
        return False
    return True


@lru_cache(maxsize=_REMEMBERED)
def _check_of(key: bytes) -> Check | None:
    """None for a key that is none of its algorithm, or one that is not checked here."""
    algorithm, public = key[3], key[4:]
    try:
        if algorithm in _CURVES:
            return _curve(algorithm, public)
        return _edwards(algorithm, public) if algorithm in _EDWARDS else _rsa(algorithm, public)
    except ValueError:
        return None


def _rsa(algorithm: int, public: bytes) -> Check | None:
    from cryptography.hazmat.primitives import hashes
    from cryptography.hazmat.primitives.asymmetric import padding, rsa

    hashed = hashes.SHA1() if algorithm in _RSA_SHA1 else {8: hashes.SHA256(), 10: hashes.SHA512()}.get(algorithm)
    if hashed is None or len(public) < 3:
        return None
    at, length = (1, public[0]) if public[0] else (3, int.from_bytes(public[1:3]))
    exponent, modulus = (int.from_bytes(each) for each in (public[at : at + length], public[at + length :]))
    if modulus.bit_length() > _LONGEST_RSA or exponent.bit_length() > _LONGEST_EXPONENT:
        return None
    made = rsa.RSAPublicNumbers(exponent, modulus).public_key()
    return lambda signature, data: made.verify(signature, data, padding.PKCS1v15(), hashed)


def _curve(algorithm: int, public: bytes) -> Check:
    from cryptography.hazmat.primitives import hashes
    from cryptography.hazmat.primitives.asymmetric import ec
    from cryptography.hazmat.primitives.asymmetric.utils import encode_dss_signature

    curve, hashed = (ec.SECP256R1(), hashes.SHA256()) if algorithm == 13 else (ec.SECP384R1(), hashes.SHA384())
    made = ec.EllipticCurvePublicKey.from_encoded_point(curve, b"\4" + public)
    half = (curve.key_size + 7) // 8

    def check(signature: bytes, data: bytes) -> None:
        if len(signature) != 2 * half:
            raise ValueError("a signature of another length")
        pair = int.from_bytes(signature[:half]), int.from_bytes(signature[half:])
        made.verify(encode_dss_signature(*pair), data, ec.ECDSA(hashed))

    return check


def _edwards(algorithm: int, public: bytes) -> Check:
    from cryptography.hazmat.primitives.asymmetric.ed448 import Ed448PublicKey
    from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PublicKey

    return (Ed25519PublicKey if algorithm == 15 else Ed448PublicKey).from_public_bytes(public).verify
