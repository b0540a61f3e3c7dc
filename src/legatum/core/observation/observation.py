"""A survey's observation of a domain: what each side said, kept apart, with the numbers of the replies that show it.

Observations only; what to think of them is for :mod:`legatum.core.findings`.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from functools import cached_property
from typing import NamedTuple

from legatum.core.memory.copies import KeptSet
from legatum.core.records.address import address_text
from legatum.core.records.name import Name, name_text
from legatum.core.records.rrset import RRset, targets
from legatum.core.records.rrtype import type_text
from legatum.core.records.soa import SoaFields, parse_soa


class Edns(StrEnum):
    """What a server makes of a question with EDNS (RFC 6891)."""

    ANSWERED = "answered with EDNS"
    IGNORED = "answered without EDNS"
    REFUSED = "answered only without EDNS, refusing it"
    DROPPED = "answered only without EDNS, silent to it"


@dataclass(frozen=True, slots=True)
class ParentView:
    """One address of a server of the parent zone. ``ns``: the delegation it hands out; ``denied``: it says there is no
    such name.

    ``ds``: the DS RRset it hands out; ``ds_absent``: without one, whether it proved that there is none (RFC 4035
    s3.1.4.1), None where the parent zone shows no sign of being signed.
    """

    server: Name
    address: str
    outcome: str
    answered: bool
    ns: RRset | None
    glue: tuple[RRset, ...]
    denied: bool
    reply: int
    ds: RRset | None = None
    ds_absent: bool | None = None


@dataclass(frozen=True, slots=True)
class DenialView:
    """The answer about a name that nobody made. ``rcode``; ``proven``: with NSEC or NSEC3 that prove it; ``wildcard``:
    it was answered."""

    name: Name
    rcode: int
    proven: bool
    wildcard: bool
    soa: RRset | None
    iterations: int | None = None


@dataclass(frozen=True, slots=True)
class ServerView:
    """One address of one of the domain's own name servers. ``rcode``: of the SOA question, None for no answer.

    ``tcp_rcode``, ``tcp_authoritative``: of the NS question over TCP; ``cut``: an answer came truncated over UDP;
    ``edns``: None where nothing is known; ``recursion``: it offers recursion to whoever asks; ``transfer_open``: it
    began to hand out the zone; ``upwards``: it referred to the root or to a zone above; ``ns_asked``, ``keys_asked``:
    it was asked for the NS set, and for the keys. ``signatures``: RRSIG RRsets by the type they cover. None where a
    question was not asked or not answered; ``unanswered``: the types that were asked for in vain of a server that
    answers otherwise: what it has of them is not known."""

    server: Name
    address: str
    outcome: str
    rcode: int | None
    authoritative: bool
    soa: RRset | None
    ns: RRset | None
    tcp_outcome: str
    tcp_answered: bool | None
    took: float
    replies: tuple[int, ...]
    tcp_rcode: int | None = None
    tcp_authoritative: bool | None = None
    cut: bool = False
    malformed: bool = False
    edns: Edns | None = None
    recursion: bool | None = None
    transfer_open: bool | None = None
    upwards: bool = False
    keys: RRset | None = None
    cds: RRset | None = None
    cdnskey: RRset | None = None
    signatures: Mapping[int, RRset] = field(default_factory=dict)
    denial: DenialView | None = None
    apex_address: RRset | None = None
    ns_asked: bool = True
    keys_asked: bool = True
    unanswered: frozenset[int] = frozenset()

    @property
    def silent(self) -> bool:
        """No answer came to the first question, in no way."""
        return self.rcode is None and not self.malformed

    @property
    def serves(self) -> bool:
        """It answers for the domain with authority."""
        return self.rcode == 0 and self.authoritative and self.soa is not None


@dataclass(frozen=True, slots=True)
class HostView:
    """A name server's name: its addresses as the zone that holds them says; ``why`` there are none; an alias it is
    instead.

    ``circle``: its name servers depend on each other, so that nobody can find it; ``asked``: somebody could be asked;
    ``unanswered``: types asked for in vain, of which nothing is known.
    """

    name: Name
    addresses: tuple[RRset, ...]
    why: str
    alias: Name | None = None
    negative_ttl: int | None = None
    circle: bool = False
    asked: bool = True
    unanswered: frozenset[int] = frozenset()


@dataclass(frozen=True, slots=True)
class ResolverView:
    """What a resolver says: ``ns`` and ``soa`` with the TTL that is left. ``over``: UDP, TLS or HTTPS.

    ``rcode``: of the SOA question, None for no answer; ``authenticated``: it validated the answer (AD); ``errors``:
    extended errors (RFC 8914), number and text; ``busy``: it did not answer for the domain, but did for the zone above.
    """

    name: str
    address: str
    outcome: str
    ns: RRset | None
    soa: RRset | None
    reply: int
    over: str = "UDP"
    rcode: int | None = 0
    authenticated: bool = False
    errors: tuple[tuple[int, str], ...] = ()
    busy: bool = False


@dataclass(frozen=True, slots=True)
class RegistrationView:
    """What the registry holds, as a registrar's account or RDAP shows it. ``ds``: data of DS records, None where it is
    not told.

    Dates in RFC 3339, empty where they are not told.
    """

    registrar: str
    nameservers: tuple[Name, ...]
    statuses: tuple[str, ...]
    expires: str
    ds: tuple[bytes, ...] | None = None
    created: str = ""
    changed: str = ""
    transferred: str = ""


class Tracked(NamedTuple):
    """A name that is to have the target's addresses: its ``own`` now, and ``theirs``, as text, sorted. ``turns``: the
    target gives others from one question to the next; ``theirs`` are all that were seen."""

    name: Name
    target: Name
    own: tuple[str, ...]
    theirs: tuple[str, ...]
    turns: bool = False

    @property
    def moved(self) -> bool:
        """The name has what the target no longer has, or lacks what it has; where that turns, the first alone."""
        if not self.own or not self.theirs:
            return False
        return not set(self.own) <= set(self.theirs) if self.turns else self.own != self.theirs


@dataclass(frozen=True, slots=True)
class Plan:
    """What is planned with the domain: ``change_at`` in seconds since 1970, and ``transfer`` to another registrar."""

    change_at: float | None = None
    transfer: bool = False


@dataclass(frozen=True)
class Observation:
    """Everything observed about a domain at one time (``at``, seconds since 1970). ``contents``: apex and www RRsets
    seen.

    ``former``: servers that answered for the domain before a switch, where they were named; ``rdap``: what RDAP says,
    else ``rdap_why`` not; ``home``: special address ranges that count as public here; ``dropped``: questions left out
    to spare the servers; ``denial``: what became of the question for a name that nobody made; ``kept``: NS sets of
    before that somebody may go by still, where that was asked of memory; ``still_signed``: providers that nobody is led
    to any more, and that serve it as the DS set wants it, where its own servers do not; ``left_out``: what cannot be
    asked from here, in words; ``over_tcp``, ``families``: over what servers can be asked.
    """

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
    rdap: RegistrationView | None = None
    rdap_why: str = ""
    former: tuple[ServerView, ...] = ()
    home: tuple[str, ...] = ()
    plan: Plan = field(default_factory=Plan)
    dropped: int = 0
    denial: DenialView | None = None
    kept: tuple[KeptSet, ...] = ()
    tracked: tuple[Tracked, ...] = ()
    still_signed: tuple[str, ...] = ()
    left_out: tuple[str, ...] = ()
    over_tcp: bool = True
    families: tuple[str, ...] = ("IPv4", "IPv6")

    @cached_property
    def delegation(self) -> tuple[Name, ...]:
        """All NS names that any parent server hands out."""
        return tuple(sorted({name for view in self.parents for name in targets(view.ns)}))

    @cached_property
    def ns_sets(self) -> frozenset[tuple[Name, ...]]:
        """Every NS set that a server of the parent zone, or of the domain, hands out."""
        return frozenset(
            targets(ns) for ns in (*(view.ns for view in self.parents), *(view.ns for view in self.serving)) if ns
        )

    @cached_property
    def own_ns(self) -> tuple[Name, ...]:
        """All NS names that any of the domain's own servers hands out with authority."""
        return tuple(sorted({name for view in self.servers if view.serves for name in targets(view.ns)}))

    @cached_property
    def parent_ttl(self) -> int | None:
        """The largest TTL with which a parent server hands out the delegation, in seconds."""
        return max((view.ns.ttl for view in self.parents if view.ns), default=None)

    @cached_property
    def apex_ttl(self) -> int | None:
        """The largest TTL with which a server of the domain hands out its NS set, in seconds."""
        return max((view.ns.ttl for view in self.servers if view.ns), default=None)

    @cached_property
    def unheard(self) -> tuple[str, ...]:
        """Addresses of servers from which no answer came, and name servers' names about which nobody answered."""
        silent = [view.address for view in self.parents if not view.answered] + [
            view.address for view in self.servers if view.silent
        ]
        return (
            *silent,
            *(name_text(host.name) for host in self.hosts.values() if not host.addresses and host.unanswered),
        )

    @cached_property
    def not_known(self) -> tuple[str, ...]:
        """What was asked in vain of servers that answer otherwise, in words: it is left out of every comparison."""
        found = [
            f"{name_text(view.server)} ({view.address}) did not answer for {_types(view.unanswered)}"
            for view in self.servers
            if view.unanswered and not view.silent
        ]
        hosts = [host for host in self.hosts.values() if host.unanswered and host.addresses]
        return (*found, *(f"nobody answered for {name_text(host.name)} {_types(host.unanswered)}" for host in hosts))

    @cached_property
    def serving(self) -> tuple[ServerView, ...]:
        return tuple(view for view in self.servers if view.serves)

    @cached_property
    def soa(self) -> SoaFields | None:
        """As the first of the domain's servers gives it."""
        return next((parse_soa(view.soa.rdatas[0]) for view in self.serving if view.soa), None)

    @cached_property
    def addresses(self) -> Mapping[Name, frozenset[str]]:
        """Of each name server, as its own zone gives them."""
        return {
            name: frozenset(address_text(rdata) for each in host.addresses for rdata in each.rdatas)
            for name, host in self.hosts.items()
        }

    @cached_property
    def all_addresses(self) -> frozenset[str]:
        """Of all of them together."""
        return frozenset().union(*self.addresses.values())

    @cached_property
    def ds(self) -> tuple[bytes, ...]:
        """All DS data that any parent server hands out."""
        return tuple(sorted({rdata for view in self.parents if view.ds for rdata in view.ds.rdatas}))

    @cached_property
    def signed(self) -> bool:
        """Some server of the domain publishes keys."""
        return any(view.keys for view in self.serving)

    @cached_property
    def shows_dnssec(self) -> bool:
        """Something of it was seen on either side of the cut, or a proof was missing that the parent owes."""
        above = any(view.ds is not None or view.ds_absent is False for view in self.parents)
        return above or any(view.keys or view.signatures or view.cds or view.denial for view in self.servers)

    @cached_property
    def registrations(self) -> tuple[tuple[str, RegistrationView], ...]:
        """What is known of the registration, each with the source's name."""
        found = [("the registrar's account", self.registration), ("RDAP", self.rdap)]
        return tuple((source, held) for source, held in found if held is not None)


def _types(rtypes: frozenset[int]) -> str:
    return ", ".join(type_text(rtype) for rtype in sorted(rtypes))
