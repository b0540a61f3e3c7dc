"""Transaction signatures, TSIG (RFC 8945): signing and checking whole messages with a shared key.

The arithmetic is the general library's, on our bytes and with our clock. One :class:`Exchange` follows one request and
its answers, which are chained: each signature covers the one before (s5.3.1).
"""

import struct
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

from legatum.core.records.name import Name, absolute_text
from legatum.core.records.rrtype import TSIG
from legatum.wire.codes import BADKEY, BADSIG, BADTIME
from legatum.wire.message import ANY_CLASS, Message, Record

if TYPE_CHECKING:
    import dns.tsig
    from dns.rdtypes.ANY.TSIG import TSIG as LibraryTsig

ALGORITHMS = ("hmac-sha256", "hmac-sha512", "hmac-sha384", "hmac-sha224", "hmac-sha1")
_FUDGE = 300
_MOST_UNSIGNED = 99  # messages of a transfer between two signatures (RFC 8945 s5.3.1)


@dataclass(frozen=True, slots=True)
class TsigKey:
    """A shared key: its name, algorithm and secret. The secret never shows in a ``repr``."""

    name: Name
    algorithm: str
    secret: bytes = field(repr=False)

    def library_key(self) -> "dns.tsig.Key":
        import dns.name
        import dns.tsig

        return dns.tsig.Key(dns.name.from_text(absolute_text(self.name)), self.secret, self.algorithm + ".")


class BadSignature(Exception):
    """The signature does not hold. ``code`` is the TSIG error; ``by_peer``: the other side said so, of ours."""

    def __init__(self, code: int, why: str, by_peer: bool) -> None:
        super().__init__(why)
        self.code = code
        self.why = why
        self.by_peer = by_peer


class Exchange:
    """One request and its answers under one key, as seen by either side."""

    def __init__(self, key: TsigKey) -> None:
        self.key = key
        self._mac = b""
        self._running: Any = None
        self.unsigned = 0
        """Messages of a transfer since the last signature: they are not authenticated until the next one is
        (RFC 8945 s5.3.1)."""

    def sign_request(self, wire: bytes, now: float) -> bytes:
        signed, data, _ = self._sign(wire, now, b"", None, False)
        self._mac = data.mac
        return signed

    def check_request(self, wire: bytes, message: Message, now: float) -> None:
        """Raises :class:`BadSignature` with the code to answer with."""
        data = self._validate(wire, message, now, b"", None, False)[0]
        self._mac = data.mac

    def sign_answer(self, wire: bytes, now: float, multi: bool = False) -> bytes:
        """Signs an answer; for the messages of a transfer with ``multi``."""
        signed, _, running = self._sign(wire, now, self._mac, self._running, multi)
        self._running = running
        return signed

    def check_answer(self, wire: bytes, message: Message, now: float, multi: bool = False) -> None:
        """Raises :class:`BadSignature`: wrong, refused by the peer, or missing. In a transfer the first message must be
        signed."""
        if message.tsig_at is None:
            if not multi or self._running is None:
                raise BadSignature(BADSIG, "the answer is not signed", False)
            self.unsigned += 1
            if self.unsigned > _MOST_UNSIGNED:
                raise BadSignature(BADSIG, f"more than {_MOST_UNSIGNED} messages in a row are not signed", False)
            self._running.update(wire)
            return
        self.unsigned = 0
        _, self._running = self._validate(wire, message, now, self._mac, self._running, multi)

    def _sign(self, wire: bytes, now: float, mac: bytes, running: Any, multi: bool) -> tuple[bytes, "LibraryTsig", Any]:
        import dns.rdataclass
        import dns.rdatatype
        import dns.tsig
        from dns.rdtypes.ANY.TSIG import TSIG as LibraryTsig

        key = self.key.library_key()
        ident = int.from_bytes(wire[:2])
        blank = LibraryTsig(dns.rdataclass.ANY, dns.rdatatype.TSIG, key.algorithm, 0, _FUDGE, b"", ident, 0, b"")
        data, running = dns.tsig.sign(wire, key, blank, int(now), mac, running, multi)
        return _append(wire, self.key.name, data.to_wire() or b""), data, running

    def _validate(
        self, wire: bytes, message: Message, now: float, mac: bytes, running: Any, multi: bool
    ) -> tuple["LibraryTsig", Any]:
        import dns.exception
        import dns.name
        import dns.tsig

        if message.tsig_at is None:
            raise BadSignature(BADKEY, "the message is not signed", False)
        record = message.additional[-1]
        data = tsig_data(record)
        owner = dns.name.from_text(absolute_text(record.name))
        try:
            running = dns.tsig.validate(
                wire, self.key.library_key(), owner, data, int(now), mac, message.tsig_at, running, multi
            )
        except (dns.tsig.PeerBadKey, dns.tsig.PeerBadSignature, dns.tsig.PeerBadTime, dns.tsig.PeerError) as error:
            raise BadSignature(int(data.error), str(error), True) from error
        except (dns.tsig.BadKey, dns.tsig.BadAlgorithm) as error:
            raise BadSignature(BADKEY, str(error), False) from error
        except dns.tsig.BadTime as error:
            raise BadSignature(
                BADTIME, f"signed {abs(int(now) - data.time_signed)} s away from this clock", False
            ) from error
        except dns.exception.DNSException as error:
            raise BadSignature(BADSIG, str(error), False) from error
        return data, running


def tsig_data(record: Record) -> "LibraryTsig":
    """The fields of a TSIG record. Raises :class:`BadSignature` when they cannot be read."""
    import dns.exception
    import dns.rdata
    import dns.rdataclass
    import dns.rdatatype

    try:
        data: Any = dns.rdata.from_wire(dns.rdataclass.ANY, dns.rdatatype.TSIG, record.rdata, 0, len(record.rdata))
    except (dns.exception.DNSException, ValueError) as error:
        raise BadSignature(BADSIG, "a TSIG record that cannot be read", False) from error
    found: LibraryTsig = data
    return found


def refuse_signature(wire: bytes, request: Message, code: int, now: float) -> bytes:
    """An answer carrying an unsigned TSIG record that says why the request's signature was refused (RFC 8945 s5.2)."""
    record = request.additional[-1]
    data = tsig_data(record)
    other = int(now).to_bytes(6) if code == BADTIME else b""
    refused = data.replace(mac=b"", error=code, other=other)
    return _append(wire, record.name, refused.to_wire() or b"")


def _append(wire: bytes, owner: Name, rdata: bytes) -> bytes:
    (count,) = struct.unpack_from("!H", wire, 10)
    record = owner + struct.pack("!HHIH", TSIG, ANY_CLASS, 0, len(rdata)) + rdata
    return wire[:10] + struct.pack("!H", count + 1) + wire[12:] + record
