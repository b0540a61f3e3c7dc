"""What was seen of a service at one address, asked by name and not by way of the DNS.

Everything here is text and numbers that were received: titles, banners and names are shown escaped, whoever shows them.
"""

from dataclasses import dataclass, field
from enum import StrEnum

from legatum.core.records.name import Name, name_text
from legatum.core.service.page import Page
from legatum.core.service.records import NameRecords
from legatum.core.service.spot import Spot


class Trust(StrEnum):
    """Whether the certificates that were sent lead to an authority that is trusted here."""

    WHOLE = "leads to a trusted authority"
    ALONE = "sent without those that signed it"
    UNKNOWN = "leads to an authority that is not trusted here"
    SELF_SIGNED = "signed by itself"
    EXPIRED = "out of date"
    EARLY = "not valid yet"
    OTHER = "does not hold"


@dataclass(frozen=True, slots=True)
class Certificate:
    """``names``: for which it is; ``since``, ``until``: in seconds since 1970; ``der``: the certificate itself;
    ``said``: why it is not trusted, in the words of the library."""

    names: tuple[str, ...]
    issuer: str
    since: float
    until: float
    trust: Trust
    said: str = ""
    der: bytes = field(default=b"", repr=False)


@dataclass(frozen=True, slots=True)
class WebSeen:
    """``trouble``: why nothing came, in words. ``hops``: the addresses (URLs) that were fetched one after another, with
    their statuses; the last one gave ``page``. ``leads``: where it leads that was not followed, as it is outside the
    domain; ``endless``: it redirects for ever. ``hsts``: the header that has browsers come by https alone (RFC 6797);
    ``steady``: how alike the page was to itself a moment later."""

    trouble: str = ""
    version: str = ""
    hops: tuple[tuple[str, int], ...] = ()
    leads: str = ""
    endless: bool = False
    page: Page | None = None
    hsts: str = ""
    steady: float = 1.0
    certificate: Certificate | None = None

    @property
    def status(self) -> int:
        return self.hops[-1][1] if self.hops else 0


@dataclass(frozen=True, slots=True)
class MailSeen:
    """``tls``: it offers STARTTLS, or spoke TLS from the beginning; ``takes``: whether it takes mail for the domain,
    None where that was not asked; ``said``: how it answered that."""

    trouble: str = ""
    banner: str = ""
    tls: bool | None = None
    certificate: Certificate | None = None
    takes: bool | None = None
    said: str = ""


@dataclass(frozen=True, slots=True)
class ServiceSeen:
    """``new``: the address is one that the DNS does not name yet."""

    spot: Spot
    address: str
    new: bool
    what: WebSeen | MailSeen

    @property
    def where(self) -> str:
        return f"{self.spot.protocol} {name_text(self.spot.name)} at {self.address}"


@dataclass(frozen=True)
class Visit:
    """``at``: seconds since 1970. ``seen``: every service at every address; those of the new ones only where one was
    named. ``not_looked_at``: in words; ``records``: what the names say, where that was looked at."""

    domain: Name
    at: float
    seen: tuple[ServiceSeen, ...]
    not_looked_at: tuple[str, ...] = ()
    records: NameRecords | None = None

    def of(self, spot: Spot, new: bool) -> tuple[ServiceSeen, ...]:
        return tuple(each for each in self.seen if each.spot == spot and each.new is new)

    @property
    def spots(self) -> tuple[Spot, ...]:
        return tuple(dict.fromkeys(each.spot for each in self.seen))

    @property
    def compares(self) -> bool:
        """There is a new side."""
        return any(each.new for each in self.seen)
