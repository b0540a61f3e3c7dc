"""One answer of one server: with when, from where and how long. The unit of evidence."""

from dataclasses import dataclass, field
from enum import StrEnum
from functools import lru_cache

from legatum.core.records.name import Name
from legatum.core.records.rrset import RRset
from legatum.core.records.rrtype import SOA
from legatum.wire.codes import rcode_text
from legatum.wire.message import Message, decode, rrsets


class Transport(StrEnum):
    UDP = "UDP"
    TCP = "TCP"
    TLS = "TLS"
    HTTPS = "HTTPS"


class Trouble(StrEnum):
    """Why there is no message."""

    SILENT = "no answer in time"
    CLOSED = "connection refused"
    UNREACHABLE = "unreachable"
    MALFORMED = "not a DNS message"
    CUT_OFF = "connection closed before the answer was complete"
    UNTRUSTED = "its certificate is not trusted"
    HTTP = "an HTTP answer without a DNS message"
    GIVEN_UP = "silent before, not asked again"


_SHORT = 4096  # octets of an answer that is worth keeping for whoever says the same


class Content:
    """What the octets of an answer say: the message, its id zero, and its sections as RRsets, grouped when first looked
    at."""

    __slots__ = ("_sections", "message")

    def __init__(self, message: Message) -> None:
        self.message = message
        self._sections: dict[str, tuple[RRset, ...]] = {}

    def section(self, which: str) -> tuple[RRset, ...]:
        found = self._sections.get(which)
        if found is None:
            found = self._sections[which] = rrsets(getattr(self.message, which))
        return found


def content_of(wire: bytes, asked: Name | None = None) -> Content:
    """Raises :class:`Malformed`. ``asked``: as in :func:`decode`. Servers of one domain say the same in the same
    octets: these are read once."""
    return _content(wire[2:], asked) if len(wire) <= _SHORT else Content(decode(b"\0\0" + wire[2:], asked))


@lru_cache(maxsize=256)
def _content(beyond_id: bytes, asked: Name | None) -> Content:
    return Content(decode(b"\0\0" + beyond_id, asked))


@dataclass(eq=False)
class Reply:
    """``at``: when it was received, in seconds since 1970; ``took``: seconds since the packet that was answered;
    ``wire``: the octets.

    Exactly one of ``wire`` and ``trouble`` says something. ``query``: the question as it was sent, its id zero where no
    answer came. ``cut``: over UDP it had come truncated. Sections are decoded when first looked at.
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
    query: bytes = b""
    cut: bool = False
    content: Content | None = field(default=None, repr=False, compare=False)

    @property
    def message(self) -> Message:
        """Read from ``wire`` where that has not been done yet. Its id is in ``wire`` alone."""
        if self.content is None:
            self.content = content_of(self.wire)
        return self.content.message

    @property
    def answered(self) -> bool:
        return self.trouble is None

    @property
    def answer(self) -> tuple[RRset, ...]:
        return self._section("answer")

    @property
    def authority(self) -> tuple[RRset, ...]:
        return self._section("authority")

    @property
    def additional(self) -> tuple[RRset, ...]:
        return self._section("additional")

    def _section(self, which: str) -> tuple[RRset, ...]:
        if self.trouble is not None:
            return ()
        if self.content is None:
            self.content = content_of(self.wire)
        return self.content.section(which)

    @property
    def rcode(self) -> int | None:
        return self.message.rcode if self.trouble is None else None

    @property
    def authoritative(self) -> bool:
        return self.trouble is None and self.message.authoritative

    def find(self, rtype: int, name: Name | None = None) -> RRset | None:
        """The RRset of that type in the answer section, at the name asked for unless another is given."""
        wanted = self.name if name is None else name
        for each in self.answer:
            if each[1] == rtype and each[0] == wanted:
                return each
        return None

    @property
    def denial(self) -> RRset | None:
        """The SOA of a negative answer."""
        return next((each for each in self.authority if each.rtype == SOA), None)

    @property
    def outcome(self) -> str:
        """In plain words what came back: a trouble, a response code, or what sort of answer."""
        if self.trouble is not None:
            return f"truncated over UDP, then over TCP: {self.trouble}" if self.cut else str(self.trouble)
        if self.rcode:
            return rcode_text(self.rcode)
        if self.answer:
            return "answer" if self.authoritative else "answer, not authoritative"
        return "no data" if self.authoritative or self.denial else "referral"
