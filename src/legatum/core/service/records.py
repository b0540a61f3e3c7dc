"""What the names of a service say that clients, certificate authorities and other mail servers go by."""

from collections.abc import Mapping
from dataclasses import dataclass, field

from legatum.core.records.name import Name
from legatum.core.records.rrset import RRset
from legatum.core.service.spf import Checked
from legatum.core.service.spot import Spot


@dataclass(frozen=True, slots=True)
class Answered:
    """One name and type asked of every server of the domain. ``said``: address of a server → its answer in words;
    ``denied``: servers that say there is no such name; ``failed``: those that fail or refuse, which is worse for an
    authority than silence."""

    name: Name
    rtype: int
    said: Mapping[str, str]
    denied: tuple[str, ...] = ()
    failed: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Issuance:
    """Which authorities may issue for a site's name (RFC 8659 s3): ``caa``: flags, tag and value of the records found,
    at ``owner``; None for both where none is found on the way up. ``broken``: names on that way that nobody answers
    for."""

    name: Name
    owner: Name | None = None
    caa: tuple[tuple[int, str, str], ...] = ()
    broken: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Challenge:
    """``_acme-challenge`` of a site's name (RFC 8555 s8.4): ``leads``: where it is an alias to, or handed on to;
    ``why``: nobody answers there, in words."""

    name: Name
    leads: tuple[Name, ...] = ()
    why: str = ""


@dataclass(frozen=True, slots=True)
class Reverse:
    """The names of an address (PTR), each with the addresses that it leads back to. ``role``: of the host at the
    address; ``why``: nothing is known, in words."""

    address: str
    host: Name
    role: str
    names: Mapping[Name, tuple[str, ...]] = field(default_factory=dict)
    why: str = ""


@dataclass(frozen=True, slots=True)
class Policy:
    """MTA-STS (RFC 8461): ``record``: the TXT; ``text``: the policy as it was fetched, ``trouble``: why not."""

    record: str
    text: str = ""
    trouble: str = ""


@dataclass(frozen=True)
class NameRecords:
    """``issuers``: what the settings say of authorities, name in a certificate → name in CAA. ``senders``: address →
    what SPF says of it, of the domain's own mail servers and of new addresses. ``dmarc``: the records at ``_dmarc``,
    None where nobody answers; ``before``: what was there before the move, ``now``: what is at those names now, both by
    name and type."""

    answers: tuple[Answered, ...] = ()
    issuance: tuple[Issuance, ...] = ()
    challenges: tuple[Challenge, ...] = ()
    tlsa: Mapping[Spot, RRset] = field(default_factory=dict)
    issuers: Mapping[str, str] = field(default_factory=dict)
    mail: bool = False
    spf: tuple[str, ...] = ()
    senders: Mapping[str, Checked] = field(default_factory=dict)
    dmarc: tuple[str, ...] | None = None
    policy: Policy | None = None
    reverse: tuple[Reverse, ...] = ()
    before: Mapping[tuple[Name, int], RRset] = field(default_factory=dict)
    now: Mapping[tuple[Name, int], RRset | None] = field(default_factory=dict)
    addresses: Mapping[Name, tuple[str, ...]] = field(default_factory=dict)
