"""Made-up pictures of a healthy domain, unsigned and signed, and ways to spoil them."""

from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any

import dns.dnssec
import dns.name
import dns.rdataclass
import dns.rdataset
import dns.rdatatype
from cryptography.hazmat.primitives.asymmetric import ec

from legatum.core.dnssec.key import digest_of, key_tag
from legatum.core.observation.observation import (
    DenialView,
    Edns,
    HostView,
    Observation,
    ParentView,
    RegistrationView,
    ResolverView,
    ServerView,
)
from legatum.core.records.name import Name, below, name_text, parse_name
from legatum.core.records.presentation import parse_rdata
from legatum.core.records.rrset import RRset, rrset
from legatum.core.records.rrtype import AAAA, DNSKEY, DS, MX, NS, RRSIG, SOA, A, type_text
from legatum.core.records.soa import SoaFields

DOMAIN, PARENT = parse_name("kilnandclay.example."), parse_name("example.")
NS1, NS2, OTHER = parse_name("ns1.alder.test."), parse_name("ns2.birch.example."), parse_name("ns3.alder.test.")
INSIDE, INSIDE2 = below("ns1", DOMAIN), below("ns2", DOMAIN)
WWW, MAIL = below("www", DOMAIN), below("mail", DOMAIN)
NOW, DAY = 2_000_000_000.0, 86400
HOME = ("192.0.2.0/24", "198.51.100.0/24", "203.0.113.0/24", "2001:db8::/32")


def address(name: Name, text: str, ttl: int = 3600) -> RRset:
    rtype = AAAA if ":" in text else A
    return rrset(name, rtype, ttl, [parse_rdata(rtype, text, name)])


def soa(serial: int = 7, ttl: int = 3600, **fields: Any) -> RRset:
    base = SoaFields(NS1, below("hostmaster", NS1), serial, 14400, 3600, 14 * DAY, 1800)
    return RRset(DOMAIN, SOA, ttl, (base._replace(**fields).rdata(),))


def ns(*names: Name, ttl: int = 3600) -> RRset:
    return rrset(DOMAIN, NS, ttl, names)


def mx(*hosts: Name) -> RRset:
    return rrset(DOMAIN, MX, 3600, [b"\0\x0a" + host for host in hosts])


def parent(number: int, ns_set: RRset | None, **changes: Any) -> ParentView:
    view = ParentView(parse_name("a.nic.example."), f"192.0.2.{number}", "delegates", True, ns_set, (), False, number)
    return replace(view, **changes)


def server(name: Name, where: str, **changes: Any) -> ServerView:
    view = ServerView(
        name,
        where,
        "answer",
        0,
        True,
        soa(),
        ns(NS1, NS2),
        "answer",
        True,
        0.01,
        (5,),
        tcp_rcode=0,
        tcp_authoritative=True,
        edns=Edns.ANSWERED,
        recursion=False,
        transfer_open=False,
        apex_address=address(DOMAIN, "198.51.100.80"),
    )
    return replace(view, **changes)


def host(name: Name, *texts: str, **changes: Any) -> HostView:
    return replace(
        HostView(name, tuple(address(name, text) for text in texts), "" if texts else "no such name"), **changes
    )


HOSTS = {NS1: host(NS1, "198.51.100.31", "2001:db8:a1::53"), NS2: host(NS2, "203.0.113.32", "2001:db8:b2::53")}
CONTENTS: Mapping[tuple[Name, int], RRset | None] = {
    (DOMAIN, A): address(DOMAIN, "198.51.100.80"),
    (WWW, A): address(WWW, "198.51.100.80"),
    (DOMAIN, MX): mx(MAIL),
    (MAIL, A): address(MAIL, "203.0.113.25"),
    (MAIL, AAAA): None,
}
HEALTHY = Observation(
    DOMAIN, NOW, PARENT, (parent(1, ns(NS1, NS2)), parent(2, ns(NS1, NS2))),
    (
        server(NS1, "198.51.100.31"), server(NS1, "2001:db8:a1::53"),
        server(NS2, "203.0.113.32"), server(NS2, "2001:db8:b2::53"),
    ),
    HOSTS, CONTENTS, home=HOME,
)  # fmt: skip


def first(observation: Observation = HEALTHY, **changes: Any) -> Observation:
    """The first server address changed, the others as they are."""
    return replace(observation, servers=(replace(observation.servers[0], **changes), *observation.servers[1:]))


def every(observation: Observation = HEALTHY, **changes: Any) -> Observation:
    return replace(observation, servers=tuple(replace(view, **changes) for view in observation.servers))


def parents(*sets: RRset | None, **changes: Any) -> Observation:
    return replace(HEALTHY, parents=tuple(parent(number, each, **changes) for number, each in enumerate(sets, 1)))


def having(*rrsets: RRset, without: tuple[tuple[Name, int], ...] = ()) -> Observation:
    """Other contents: RRsets put in, keys shown to hold nothing."""
    found: dict[tuple[Name, int], RRset | None] = {**CONTENTS, **dict.fromkeys(without)}
    found.update({(each.name, each.rtype): each for each in rrsets})
    return replace(HEALTHY, contents=found)


def inside(*glue: RRset, own: Mapping[Name, HostView] | None = None) -> Observation:
    """A domain whose first name server is inside it, with this glue at every parent server."""
    sets = ns(INSIDE, NS2)
    hosts = {INSIDE: host(INSIDE, "198.51.100.31", "2001:db8:a1::53"), NS2: HOSTS[NS2]} if own is None else own
    servers = tuple(
        replace(view, server=INSIDE if view.server == NS1 else view.server, ns=sets) for view in HEALTHY.servers
    )
    return replace(
        HEALTHY, parents=(parent(1, sets, glue=glue), parent(2, sets, glue=glue)), servers=servers, hosts=hosts
    )


GLUE = (address(INSIDE, "198.51.100.31"), address(INSIDE, "2001:db8:a1::53"))


def resolver(**changes: Any) -> Observation:
    view = ResolverView("harbour", "192.0.2.101", "answer", ns(NS1, NS2, ttl=700), soa(), 9)
    return replace(HEALTHY, resolvers=(replace(view, **changes),))


def registered(**changes: Any) -> Observation:
    held = RegistrationView("flint", (NS1, NS2), ("ok",), "2033-12-31T00:00:00Z", ())
    return replace(HEALTHY, rdap=replace(held, **changes))


def former(**changes: Any) -> Observation:
    return replace(HEALTHY, former=(server(OTHER, "203.0.113.99", **changes),))


# Signed


class Signer:
    """One ECDSA key that signs everything, and the DS for it. ``number`` is the private key: no secret, but the same in
    every run."""

    def __init__(self, number: int = 4711) -> None:
        self._private = ec.derive_private_key(number, ec.SECP256R1())
        self.rdata = dns.dnssec.make_dnskey(self._private.public_key(), 13, flags=257).to_wire()
        assert isinstance(self.rdata, bytes)
        self.keys = RRset(DOMAIN, DNSKEY, 3600, (self.rdata,))

    def ds(self, digest_type: int = 2) -> bytes:
        digest = digest_of(DOMAIN, self.rdata, digest_type)
        assert digest is not None
        return key_tag(self.rdata).to_bytes(2) + bytes((13, digest_type)) + digest

    def sign(self, rrset_: RRset, begins: float = NOW - DAY, ends: float = NOW + 14 * DAY) -> RRset:
        """The RRSIG RRset over an RRset."""
        rtype = dns.rdatatype.from_text(type_text(rrset_.rtype))
        rdatas = [dns.rdata.from_wire(dns.rdataclass.IN, rtype, each, 0, len(each)) for each in rrset_.rdatas]
        name = dns.name.from_text(name_text(rrset_.name) + ".")
        key = dns.rdata.from_wire(dns.rdataclass.IN, dns.rdatatype.DNSKEY, self.rdata, 0, len(self.rdata))
        signed = dns.dnssec.sign(
            (name, dns.rdataset.from_rdata_list(rrset_.ttl, rdatas)),
            self._private,
            dns.name.from_text(name_text(DOMAIN) + "."),
            key,
            inception=begins,
            expiration=ends,  # type: ignore[arg-type]
        )
        wire = signed.to_wire()
        assert isinstance(wire, bytes)
        return RRset(rrset_.name, RRSIG, rrset_.ttl, (wire,))

    def signatures(self, view: ServerView, **dates: float) -> dict[int, RRset]:
        found = {SOA: view.soa, NS: view.ns, DNSKEY: self.keys}
        return {rtype: self.sign(each, **dates) for rtype, each in found.items() if each}


SIGNER = Signer()
DENIAL = DenialView(below("nobody", DOMAIN), 3, True, False, soa())


def ds_set(*rdatas: bytes) -> RRset:
    return rrset(DOMAIN, DS, 3600, rdatas)


def signed(
    ds: RRset | None = None,
    with_ds: bool = True,
    spoil: Callable[[ServerView], ServerView] = lambda view: view,
    **dates: float,
) -> Observation:
    """The healthy domain signed, its DS at both parent servers; ``spoil`` changes every server's view last."""
    servers = tuple(
        spoil(replace(view, keys=SIGNER.keys, signatures=SIGNER.signatures(view, **dates), denial=DENIAL))
        for view in HEALTHY.servers
    )
    chosen = (ds or ds_set(SIGNER.ds())) if with_ds else None
    return replace(HEALTHY, servers=servers, parents=tuple(replace(view, ds=chosen) for view in HEALTHY.parents))
