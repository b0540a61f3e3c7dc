"""A certificate authority of the world's own, made anew for each world, and server certificates under it."""

import datetime
import ssl
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID


class Authority:
    """``file``: its certificate, written into ``folder``."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._key = ec.generate_private_key(ec.SECP256R1())
        self._name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "Quillmoor practice authority")])
        certificate = (
            _builder(self._name, self._name, self._key.public_key())
            .add_extension(x509.BasicConstraints(ca=True, path_length=0), critical=True)
            .add_extension(x509.SubjectKeyIdentifier.from_public_key(self._key.public_key()), critical=False)
            .add_extension(_usage(sign=True), critical=True)
            .sign(self._key, hashes.SHA256())
        )
        self.file = folder / "authority.pem"
        self.file.write_bytes(certificate.public_bytes(serialization.Encoding.PEM))

    def serve(
        self, *servers: str, days: int = 365, file: str = "registry.pem", by_itself: bool = False
    ) -> ssl.SSLContext:
        """The TLS context of a server with :meth:`issue`."""
        context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
        context.load_cert_chain(self.issue(*servers, days=days, file=file, by_itself=by_itself))
        return context

    def issue(self, *servers: str, days: int = 365, file: str = "registry.pem", by_itself: bool = False) -> Path:
        """A key and a certificate for these names, in ``file``. ``days``: from now until it expires; below 0 it has;
        ``by_itself``: signed with its own key."""
        key = ec.generate_private_key(ec.SECP256R1())
        subject = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, servers[0])])
        signer = key if by_itself else self._key
        certificate = (
            _builder(subject, subject if by_itself else self._name, key.public_key(), days)
            .add_extension(x509.SubjectAlternativeName([x509.DNSName(server) for server in servers]), critical=False)
            .add_extension(x509.AuthorityKeyIdentifier.from_issuer_public_key(signer.public_key()), critical=False)
            .sign(signer, hashes.SHA256())
        )
        chain = self._folder / file
        private = key.private_bytes(
            serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()
        )
        chain.touch(0o600)
        chain.write_bytes(private + certificate.public_bytes(serialization.Encoding.PEM))
        return chain


def make_certificates(folder: Path, *servers: str, days: int = 365) -> tuple[Path, ssl.SSLContext]:
    """An authority's file and the TLS context of servers with these names under it."""
    authority = Authority(folder)
    return authority.file, authority.serve(*servers, days=days)


def _builder(
    subject: x509.Name, issuer: x509.Name, public: ec.EllipticCurvePublicKey, days: int = 365
) -> x509.CertificateBuilder:
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
        digital_signature=False,
        content_commitment=False,
        key_encipherment=False,
        data_encipherment=False,
        key_agreement=False,
        key_cert_sign=sign,
        crl_sign=sign,
        encipher_only=False,
        decipher_only=False,
    )
