"""What the commands are about, as both sides see it. Dates in RFC 3339 as the registry wrote them; DS as rdata (RFC
4034 s5.1)."""

from dataclasses import dataclass, field

from legatum.core.records.name import Name

Glue = tuple[tuple[Name, tuple[str, ...]], ...]
"""Name servers' addresses, where a registry takes name servers as attributes of the domain."""


@dataclass(frozen=True)
class Greeting:
    """``date``: the server's clock, as RFC 3339 writes it; empty where it does not tell."""

    server: str
    objects: tuple[str, ...]
    extensions: tuple[str, ...]
    date: str = ""


@dataclass(frozen=True)
class DomainData:
    """What ``domain:info`` tells (RFC 5731 s3.1.2), with DS (RFC 5910) and grace periods (RFC 3915) where they are
    served.

    ``contacts``: kind and identifier of each. ``code``: the authorisation code, for the sponsoring registrar only.
    """

    name: Name
    roid: str = ""
    statuses: tuple[str, ...] = ()
    nameservers: tuple[Name, ...] = ()
    hosts: tuple[Name, ...] = ()
    registrar: str = ""
    created: str = ""
    updated: str = ""
    expires: str = ""
    transferred: str = ""
    registrant: str = ""
    contacts: tuple[tuple[str, str], ...] = ()
    code: str = field(default="", repr=False)
    glue: Glue = ()
    ds: tuple[bytes, ...] = ()
    grace: tuple[str, ...] = ()
    keys: tuple[bytes, ...] = ()


@dataclass(frozen=True)
class DomainChange:
    """What ``domain:update`` changes (RFC 5731 s3.2.5; RFC 5910 s5.2.5). ``add_keys``, ``remove_keys``: DNSKEY data,
    for registries that make the DS records themselves (RFC 5910 s4.2); ``code``, ``registrant``: the new ones, None to
    leave them; ``by_attribute``: name servers are written as attributes, with the addresses in ``glue`` for those that
    need them."""

    add: tuple[Name, ...] = ()
    remove: tuple[Name, ...] = ()
    add_statuses: tuple[str, ...] = ()
    remove_statuses: tuple[str, ...] = ()
    add_ds: tuple[bytes, ...] = ()
    remove_ds: tuple[bytes, ...] = ()
    registrant: str | None = None
    code: str | None = field(default=None, repr=False)
    by_attribute: bool = False
    glue: Glue = ()
    add_keys: tuple[bytes, ...] = ()
    remove_keys: tuple[bytes, ...] = ()


@dataclass(frozen=True)
class HostData:
    """What ``host:info`` tells (RFC 5732 s3.1.2). ``addresses``: of a host below a domain of this registry; others have
    none."""

    name: Name
    roid: str = ""
    statuses: tuple[str, ...] = ()
    addresses: tuple[str, ...] = ()
    registrar: str = ""
    created: str = ""


@dataclass(frozen=True)
class ContactData:
    """A person or body as far as a transfer needs one (RFC 5733 s3.1.2, s3.2.1). ``country``: two letters."""

    ident: str
    name: str = ""
    city: str = ""
    country: str = ""
    email: str = ""
    registrar: str = ""
    organisation: str = ""
    code: str = field(default="", repr=False)


@dataclass(frozen=True)
class TransferData:
    """Where a transfer stands (RFC 5731 s3.1.3): ``status`` is ``pending``, ``clientApproved``, ``clientCancelled``,
    ``clientRejected``, ``serverApproved`` or ``serverCancelled``; ``acts_by``: until when ``acting`` has to act, or
    when it did."""

    name: Name
    status: str
    asking: str
    asked: str
    acting: str
    acts_by: str
    expires: str = ""


@dataclass(frozen=True)
class Availability:
    """``free``: it could be registered, or made; ``reason``: why not, in the registry's words; ``kind``: ``domain`` or
    ``host`` or ``contact``."""

    what: str
    free: bool
    reason: str = ""
    kind: str = "domain"


@dataclass(frozen=True)
class Message:
    """The first of ``count`` messages in a registrar's queue (RFC 5730 s2.9.2.3); ``ident`` acknowledges it."""

    ident: str
    count: int
    date: str = ""
    text: str = ""


@dataclass(frozen=True)
class Response:
    """``code`` as in RFC 5730 s3; ``reason`` is the server's own text; of the others whatever the answer brought."""

    code: int
    reason: str
    client_id: str
    server_id: str
    domain: DomainData | None = None
    host: HostData | None = None
    contact: ContactData | None = None
    transfer: TransferData | None = None
    checked: tuple[Availability, ...] = ()
    message: Message | None = None
    expires: str = ""

    @property
    def ok(self) -> bool:
        return self.code < 2000


@dataclass(frozen=True)
class Command:
    """A client's command as the server reads it.

    ``verb``: ``hello``, ``login``, ``check``, ``info``, ``create``, ``update``, ``delete``, ``renew``, ``transfer``,
    ``restore``, ``poll``, ``logout``, or the word found. ``object``: ``domain``, ``host``, ``contact`` or ``other``.
    ``op``: of a transfer ``request``, ``query``, ``approve``, ``reject``, ``cancel``; of a poll ``req``, ``ack``; of a
    restoration ``request``, ``report``.
    """

    verb: str
    client_id: str = ""
    object: str = ""
    op: str = ""
    user: str = ""
    password: str = field(default="", repr=False)
    new_password: str = field(default="", repr=False)
    extensions: tuple[str, ...] = ()
    name: Name | None = None
    names: tuple[Name, ...] = ()
    idents: tuple[str, ...] = ()
    change: DomainChange = DomainChange()
    expires: str = ""
    years: int = 0
    code: str = field(default="", repr=False)
    contact: ContactData | None = None
    add_addresses: tuple[str, ...] = ()
    remove_addresses: tuple[str, ...] = ()
