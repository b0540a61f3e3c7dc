"""A survey's picture of a domain: what each side said, kept apart, with the numbers of the replies that show it.

Observations only; what to think of them is for :mod:`legatum.core.findings`.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field

from legatum.core.name import Name
from legatum.core.rrset import RRset, targets


@dataclass(frozen=True, slots=True)
class ParentView:
    """One address of a server of the parent zone. ``ns``: the delegation it hands out; ``denied``: it says there is no such name."""

    server: Name
    address: str
    outcome: str
    answered: bool
    ns: RRset | None
    glue: tuple[RRset, ...]
    denied: bool
    reply: int


@dataclass(frozen=True, slots=True)
class ServerView:
    """One address of one of the domain's own name servers. ``rcode``: of the SOA question, None for no answer."""

    server: Name
    address: str
    outcome: str
    rcode: int | None
    authoritative: bool
    soa: RRset | None
    ns: RRset | None
    tcp_outcome: str
    tcp_answered: bool
    took: float
    replies: tuple[int, ...]

    @property
    def serves(self) -> bool:
        """It answers for the domain with authority."""
        return self.rcode == 0 and self.authoritative and self.soa is not None


@dataclass(frozen=True, slots=True)
class HostView:
    """A name server's name: its addresses as the zone that holds them says; ``why`` there are none; an alias it is instead."""

    name: Name
    addresses: tuple[RRset, ...]
    why: str
    alias: Name | None = None
    negative_ttl: int | None = None


@dataclass(frozen=True, slots=True)
class ResolverView:
    """What a resolver says: ``ns`` and ``soa`` with the TTL that is left."""

    name: str
    address: str
    outcome: str
    ns: RRset | None
    soa: RRset | None
    reply: int


@dataclass(frozen=True, slots=True)
class RegistrationView:
    """What the registry holds, as a registrar's account sees it."""

    registrar: str
    nameservers: tuple[Name, ...]
    statuses: tuple[str, ...]
    expires: str


@dataclass(frozen=True, slots=True)
class Picture:
    """Everything observed about a domain at one time (``at``, seconds since 1970). ``contents``: apex and www RRsets seen."""

    domain: Name
    at: float
    parent_zone: Name
    parents: tuple[ParentView, ...]
    servers: tuple[ServerView, ...]
    hosts: Mapping[Name, HostView]
    contents: Mapping[tuple[Name, int], RRset | None] = field(default_factory=dict)
    resolvers: tuple[ResolverView, ...] = ()
    registration: RegistrationView | None = None
    questions: int = 0

    @property
    def delegation(self) -> tuple[Name, ...]:
        """All NS names that any parent server hands out."""
        return tuple(sorted({name for view in self.parents for name in targets(view.ns)}))

    @property
    def own_ns(self) -> tuple[Name, ...]:
        """All NS names that any of the domain's own servers hands out with authority."""
        return tuple(sorted({name for view in self.servers if view.serves for name in targets(view.ns)}))

    @property
    def parent_ttl(self) -> int | None:
        """The largest TTL with which a parent server hands out the delegation, in seconds."""
        return max((view.ns.ttl for view in self.parents if view.ns), default=None)

    @property
    def apex_ttl(self) -> int | None:
        """The largest TTL with which a server of the domain hands out its NS set, in seconds."""
        return max((view.ns.ttl for view in self.servers if view.ns), default=None)

    @property
    def serving(self) -> tuple[ServerView, ...]:
        return tuple(view for view in self.servers if view.serves)
