"""TLS with a server whose certificate is to be seen, whether or not it holds.

The first handshake wants the chain to lead to a trusted authority; where it does not, the second takes anything, so
that the certificate can be looked at. For which name it is, and until when, is for
:mod:`legatum.core.service.kinds.certificates`.
"""

import errno
import ssl
from functools import lru_cache

from legatum.core.service.certificate import certificate_of
from legatum.core.service.seen import Certificate, Trust
from legatum.net.asking.reply import Trouble

NO_WAY = "no way there from this machine"
_NONE = (errno.ENETUNREACH, errno.EAFNOSUPPORT, errno.EADDRNOTAVAIL)
_SAID = {
    9: Trust.EARLY,
    10: Trust.EXPIRED,
    18: Trust.SELF_SIGNED,
    19: Trust.UNKNOWN,
    2: Trust.UNKNOWN,
    20: Trust.UNKNOWN,
    21: Trust.UNKNOWN,
}
"""OpenSSL's verdicts (X509_V_ERR_…). 20 and 21 are said of a certificate sent alone, and of a chain
whose last one nobody here knows."""


@lru_cache(maxsize=8)
def strict(authority: str | None, protocols: tuple[str, ...] = ()) -> ssl.SSLContext:
    """``authority``: a file of certificates to trust instead of the system's; ``protocols``: to offer (ALPN). Raises
    ``OSError``."""
    context = ssl.create_default_context(cafile=authority)
    context.check_hostname = False
    if protocols:
        context.set_alpn_protocols(list(protocols))
    return context


@lru_cache(maxsize=8)
def lenient(protocols: tuple[str, ...] = ()) -> ssl.SSLContext:
    context = ssl.create_default_context()
    context.check_hostname, context.verify_mode = False, ssl.CERT_NONE
    context.minimum_version = ssl.TLSVersion.TLSv1_2
    if protocols:
        context.set_alpn_protocols(list(protocols))
    return context


def trust_of(error: ssl.SSLCertVerificationError) -> tuple[Trust, str]:
    return _SAID.get(error.verify_code, Trust.OTHER), error.verify_message


def trouble_of(error: OSError) -> str:
    """Why there was no connection, or no more of one, in words."""
    if isinstance(error, ConnectionRefusedError):
        return str(Trouble.CLOSED)
    if isinstance(error, ConnectionError):
        return str(Trouble.CUT_OFF)
    if error.errno in _NONE:
        return NO_WAY
    return error.strerror or str(error)


def seen_certificate(connection: ssl.SSLObject | None, trust: Trust, said: str) -> Certificate | None:
    """None where there was none, or what came is none."""
    der = connection.getpeercert(binary_form=True) if connection is not None else None
    if trust == Trust.UNKNOWN and connection is not None and _sent(connection) == 1:
        trust = Trust.ALONE
    try:
        return certificate_of(der, trust, said) if der else None
    except ValueError:
        return None


def _sent(connection: ssl.SSLObject) -> int:
    """How many certificates the server sent; 0 where that is not to be had: Python shows it from 3.13 on, and inside
    from 3.10 on."""
    inner = connection if hasattr(connection, "get_unverified_chain") else getattr(connection, "_sslobj", None)
    chain = getattr(inner, "get_unverified_chain", lambda: ())()
    return len(chain or ())
