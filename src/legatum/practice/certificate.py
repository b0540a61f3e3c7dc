"""A certificate authority of the world's own, made anew for each world, and one server certificate under it."""

import datetime
import ssl
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID


def make_certificates(folder: Path, *servers: str, days: int = 365) -> tuple[Path, ssl.SSLContext]:
    """Writes the authority's certificate and one for ``servers`` into ``folder``; the authority's path and the servers' TLS context.

    ``days``: from now until the servers' certificate expires; below 0 it has.
    """
    authority_key, server_key = ec.generate_private_key(ec.SECP256R1()), ec.generate_private_key(ec.SECP256R1())
    issuer = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "Quillmoor practice authority")])
    authority = (
        _builder(issuer, issuer, authority_key.public_key())
        .add_extension(x509.BasicConstraints(ca=True, path_length=0), critical=True)
        .add_extension(x509.SubjectKeyIdentifier.from_public_key(authority_key.public_key()), critical=False)
        .add_extension(_usage(sign=True), critical=True)
        .sign(authority_key, hashes.SHA256())
    )
    subject = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, servers[0])])
    certificate = (
        _builder(subject, issuer, server_key.public_key(), days)
        .add_extension(x509.SubjectAlternativeName([x509.DNSName(server) for server in servers]), critical=False)
        .add_extension(x509.AuthorityKeyIdentifier.from_issuer_public_key(authority_key.public_key()), critical=False)
        .sign(authority_key, hashes.SHA256())
    )
    authority_file, chain_file = folder / "authority.pem", folder / "registry.pem"
    authority_file.write_bytes(authority.public_bytes(serialization.Encoding.PEM))
    private = server_key.private_bytes(serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption())
    chain_file.touch(0o600)
    chain_file.write_bytes(private + certificate.public_bytes(serialization.Encoding.PEM))
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    context.load_cert_chain(chain_file)
    return authority_file, context


def _builder(subject: x509.Name, issuer: x509.Name, public: ec.EllipticCurvePublicKey, days: int = 365) -> x509.CertificateBuilder:
    today = datetime.datetime.now(datetime.UTC)
    return (
        x509.CertificateBuilder()
        .subject_name(subject)
        .issuer_name(issuer)
        .public_key(public)
        .serial_number(x509.random_serial_number())
        .not_valid_before(today - datetime.timedelta(days=30))
        .not_valid_after(today + datetime.timedelta(days=days))
    )


def _usage(sign: bool) -> x509.KeyUsage:
    return x509.KeyUsage(
        digital_signature=False, content_commitment=False, key_encipherment=False, data_encipherment=False, key_agreement=False,
        key_cert_sign=sign, crl_sign=sign, encipher_only=False, decipher_only=False,
    )  # fmt: skip
