"""What a certificate says, and whether it is for a name (RFC 5280, RFC 9525). What reads it is loaded when there is
one."""

import hashlib
from typing import TYPE_CHECKING

from legatum.core.records.name import Name, name_text
from legatum.core.service.seen import Certificate, Trust

if TYPE_CHECKING:
    from cryptography import x509

_DAY = 86400
_SOON = 14 * _DAY


def certificate_of(der: bytes, trust: Trust, said: str = "") -> Certificate:
    """What is in it. Raises ``ValueError`` for what is no certificate."""
    found = _read(der)
    return Certificate(
        _names(found),
        _issuer(found),
        found.not_valid_before_utc.timestamp(),
        found.not_valid_after_utc.timestamp(),
        trust,
        said,
        der,
    )


def is_for(certificate: Certificate, name: Name) -> bool:
    """A wildcard stands for one whole label, the leftmost (RFC 9525 s6.3)."""
    wanted = name_text(name).lower()
    above = wanted.partition(".")[2]
    return any(each in (wanted, f"*.{above}" if above else "") for each in map(_plain, certificate.names))


def runs_out(certificate: Certificate, now: float) -> bool:
    """Within two weeks, or the last third of a short life."""
    return 0 <= certificate.until - now < min(_SOON, (certificate.until - certificate.since) / 3)


def tlsa_fits(rdata: bytes, der: bytes) -> bool | None:
    """Whether a TLSA record (RFC 6698 s2) of the server's own certificate or key fits; None for one of an authority, or
    of a kind that is not known."""
    if len(rdata) < 4:
        return None
    usage, selector, matching, data = rdata[0], rdata[1], rdata[2], rdata[3:]
    if usage not in (1, 3) or selector not in (0, 1) or matching not in (0, 1, 2):
        return None
    chosen = der if selector == 0 else _key_of(der)
    if matching == 0:
        return chosen == data
    return (hashlib.sha256 if matching == 1 else hashlib.sha512)(chosen).digest() == data


def _read(der: bytes) -> "x509.Certificate":
    from cryptography.x509 import load_der_x509_certificate

    return load_der_x509_certificate(der)


def _key_of(der: bytes) -> bytes:
    from cryptography.hazmat.primitives.serialization import Encoding, PublicFormat

    return _read(der).public_key().public_bytes(Encoding.DER, PublicFormat.SubjectPublicKeyInfo)


def _names(found: "x509.Certificate") -> tuple[str, ...]:
    from cryptography import x509
    from cryptography.x509.oid import ExtensionOID

    try:
        value = found.extensions.get_extension_for_oid(ExtensionOID.SUBJECT_ALTERNATIVE_NAME).value
        assert isinstance(value, x509.SubjectAlternativeName)
        return tuple(value.get_values_for_type(x509.DNSName))
    except (x509.ExtensionNotFound, ValueError):
        return ()


def _issuer(found: "x509.Certificate") -> str:
    from cryptography.x509.oid import NameOID

    for oid in (NameOID.ORGANIZATION_NAME, NameOID.COMMON_NAME):
        values = found.issuer.get_attributes_for_oid(oid)
        if values:
            return str(values[0].value)
    return found.issuer.rfc4514_string()


def _plain(name: str) -> str:
    return name.lower().rstrip(".")
