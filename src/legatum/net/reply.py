"""One answer of one server: with when, from where and how long. The unit of evidence."""

from dataclasses import dataclass, field
from enum import StrEnum
from functools import cached_property

from legatum.core.name import Name
from legatum.core.rrset import RRset
from legatum.core.rrtype import SOA
from legatum.wire.codes import rcode_text
from legatum.wire.message import Message, decode, rrsets


class Transport(StrEnum):
    UDP = "UDP"
    TCP = "TCP"


class Trouble(StrEnum):
    """Why there is no message."""

    SILENT = "no answer in time"
    CLOSED = "connection refused"
    UNREACHABLE = "unreachable"
    MALFORMED = "not a DNS message"
    CUT_OFF = "connection closed before the answer was complete"


@dataclass(eq=False)
class Reply:
    """``at``: when it was received, in seconds since 1970; ``took``: seconds since the first packet; ``wire``: the bytes received.

    Exactly one of ``wire`` and ``trouble`` says something. Sections are decoded when first looked at.
    """

    server: str
    name: Name
    rtype: int
    at: float
    took: float
    transport: Transport
    tries: int = 1
    wire: bytes = b""
    trouble: Trouble | None = None
    decoded: Message | None = field(default=None, repr=False, compare=False)

    @cached_property
    def message(self) -> Message:
        """Decoded from ``wire`` where that has not been done yet."""
        return self.decoded or decode(self.wire)

    @property
    def answered(self) -> bool:
        return self.trouble is None

    @cached_property
    def answer(self) -> tuple[RRset, ...]:
        return rrsets(self.message.answer) if self.answered else ()

    @cached_property
    def authority(self) -> tuple[RRset, ...]:
        return rrsets(self.message.authority) if self.answered else ()

    @cached_property
    def additional(self) -> tuple[RRset, ...]:
        return rrsets(self.message.additional) if self.answered else ()

    @property
    def rcode(self) -> int | None:
        return self.message.rcode if self.answered else None

    @property
    def authoritative(self) -> bool:
        return self.answered and self.message.authoritative

    def find(self, rtype: int, name: Name | None = None) -> RRset | None:
        """The RRset of that type in the answer section, at the name asked for unless another is given."""
        wanted = self.name if name is None else name
        return next((each for each in self.answer if each.rtype == rtype and each.name == wanted), None)

    @property
    def denial(self) -> RRset | None:
        """The SOA of a negative answer."""
        return next((each for each in self.authority if each.rtype == SOA), None)

    @property
    def outcome(self) -> str:
        """In plain words what came back: a trouble, a response code, or what sort of answer."""
        if self.trouble is not None:
            return str(self.trouble)
        if self.rcode:
            return rcode_text(self.rcode)
        if self.answer:
            return "answer" if self.authoritative else "answer, not authoritative"
        return "no data" if self.authoritative or self.denial else "referral"
