"""What every registrar can do, whatever its kind."""

from collections.abc import AsyncIterator, Callable, Iterable, Sequence
from dataclasses import dataclass
from typing import Protocol

from legatum.core.records.name import Name
from legatum.core.running.fault import Fault, OutsideFault

Glue = tuple[tuple[Name, tuple[str, ...]], ...]
"""Name servers' addresses, for registries that take them with the NS set."""


_MOST_SAID = 4  # things to do that are told in one line; the worksheet has all


class ByHand(OutsideFault):
    """Only a person can do this. ``to_do``: what, a line each; ``page``: where the form is; ``ds``: the DS set before
    and after, where that is what changes."""

    def __init__(
        self, registrar: str, page: str, to_do: Sequence[str], ds: tuple[Sequence[bytes], Sequence[bytes]] = ((), ())
    ) -> None:
        place = f" at {page}" if page else ""
        remedy = f"type it into the form{place}, then go on with the same command"
        more = f" and {len(to_do) - _MOST_SAID} more" if len(to_do) > _MOST_SAID else ""
        super().__init__(f"{registrar} is changed by hand only: {', '.join(to_do[:_MOST_SAID])}{more}", remedy)
        self.registrar = registrar
        self.page = page
        self.to_do = tuple(to_do)
        self.ds = ds


@dataclass(frozen=True)
class Registration:
    """What the registry holds about a domain. Dates in RFC 3339; ``ds``: rdata, None where it is not known; ``hosts``:
    below the domain; ``grace``: periods that run (RFC 3915 s3.1)."""

    domain: Name
    registrar: str
    nameservers: tuple[Name, ...]
    statuses: tuple[str, ...]
    expires: str
    created: str = ""
    transferred: str = ""
    ds: tuple[bytes, ...] | None = None
    hosts: tuple[Name, ...] = ()
    grace: tuple[str, ...] = ()
    registrant: str = ""
    updated: str = ""


@dataclass(frozen=True)
class HostObject:
    """A name server as the registry knows it. ``linked``: a domain uses it, None where that is not known."""

    name: Name
    addresses: tuple[str, ...]
    linked: bool | None
    registrar: str = ""


@dataclass(frozen=True)
class Transfer:
    """Where a registrar transfer stands. ``status`` as in RFC 5731 s3.1.3; ``acts_by``: when it happens by itself, or
    when it did."""

    status: str
    asking: str
    asked: str
    acting: str
    acts_by: str

    @property
    def pending(self) -> bool:
        return self.status == "pending"

    @property
    def approved(self) -> bool:
        return self.status.endswith("Approved")


@dataclass(frozen=True)
class QueuedMessage:
    """A message of the registry. ``about``: the domain, where it is one about a transfer; ``taken``: it is off the
    queue now; ``left``: how many wait behind it."""

    ident: str
    date: str
    text: str
    left: int
    about: Name | None = None
    taken: bool = False


@dataclass(frozen=True)
class Availability:
    """``free``: the domain could be registered; ``reason``: why not, in the registry's words."""

    domain: str
    free: bool
    reason: str


@dataclass(frozen=True)
class Contact:
    """A person or body at the registry. ``country``: two letters."""

    ident: str
    name: str
    city: str
    country: str
    email: str


@dataclass(frozen=True)
class NsChange:
    """An NS set to be changed. ``glue``: addresses of new servers below the domain, for registries that take them with
    the set."""

    domain: Name
    add: tuple[Name, ...]
    remove: tuple[Name, ...]
    glue: Glue = ()


class Registrar(Protocol):
    """An account through which registrations are seen and changed.

    ``by_hand``: only a person can change anything, in a form, which is at ``page``. ``with_addresses``: name servers
    are given with their addresses, there are no host objects. ``client``: the identifier by which the registry knows
    the account (RFC 5730 s2.3), empty by hand. Methods raise :class:`OutsideFault` where the outside fails or refuses;
    those that change something give what the registry said.
    """

    name: str
    by_hand: bool
    with_addresses: bool
    page: str

    async def close(self) -> None:
        """Takes its leave, where a session was kept."""

    client: str

    async def registration(self, domain: Name, code: str = "") -> Registration:
        """What is held of one of the account's domains, or of another's whose authorisation code is given."""

    def registrations(self, domains: Sequence[Name]) -> AsyncIterator[tuple[Name, Registration | Fault]]:
        """What is held of many domains, in order, over one session where there are sessions."""

    async def availability(self, domains: Sequence[Name]) -> list[Availability]:
        """Which of the domains could be registered."""

    async def change_nameservers(
        self, domain: Name, add: Iterable[Name], remove: Iterable[Name], glue: Glue = ()
    ) -> str:
        """Changes the NS set."""

    def change_many(self, changes: Sequence[NsChange]) -> AsyncIterator[tuple[Name, str | Fault]]:
        """Changes many NS sets, in order, over one session where there are sessions; of each what was said, or the
        fault."""

    async def change_ds(
        self, domain: Name, add: Iterable[bytes], remove: Iterable[bytes], keys: Iterable[bytes] = ()
    ) -> str:
        """Changes the DS set, given as rdata (RFC 4034 s5.1). ``keys``: DNSKEY data that are there, for registries that
        want those."""

    async def change_statuses(self, domain: Name, add: Iterable[str], remove: Iterable[str]) -> str:
        """Sets and takes away statuses (RFC 5731 s2.3)."""

    async def contact(self, ident: str) -> Contact | None:
        """A contact; None where there is none."""

    async def make_contact(self, contact: Contact, code: str) -> str:
        """Makes a contact, with an authorisation code of its own."""

    async def change_registrant(self, domain: Name, contact: str) -> str:
        """Puts another contact in the registrant's place, which must exist."""

    async def renew(self, domain: Name, expires: str, years: int) -> str:
        """Renews a registration that expires on that date."""

    async def restore(self, domain: Name, report: Sequence[tuple[str, str]] = ()) -> str:
        """Has a deleted domain back within its redemption period, and reports on that (RFC 3915 s4.2.5)."""

    async def code(self, domain: Name) -> str:
        """The authorisation code; nothing where the registry does not tell it."""

    async def change_code(self, domain: Name, code: str) -> str:
        """Sets another authorisation code."""

    async def transfer(self, domain: Name, op: str, code: str = "", years: int = 0) -> str:
        """``op``: ``request`` with the code, by the gaining registrar; ``approve`` or ``reject`` by the losing one;
        ``cancel``."""

    async def transfer_state(self, domain: Name) -> Transfer | None:
        """Where the latest transfer stands; None where there was none, or it is not known."""

    async def messages(self, take: Callable[[QueuedMessage], bool]) -> list[QueuedMessage]:
        """The queue from its head: each message that ``take`` wants is acknowledged, up to the first one that it does
        not."""

    async def change_password(self, new: str) -> None:
        """Has the registry take another password from now on (RFC 5730 s2.9.1.1)."""

    async def host(self, name: Name) -> HostObject | None:
        """The host object; None where there is none."""

    async def change_host(self, name: Name, add: Iterable[str], remove: Iterable[str], create: bool) -> str:
        """Makes a host with addresses, or changes them."""

    async def delete_host(self, name: Name) -> str:
        """Takes the host away."""
