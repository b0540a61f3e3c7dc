"""Every finding: a picture that shows it, and the near-miss - the same healthy domain - that does not."""

from dataclasses import replace

import pytest

from legatum.core.findings import KINDS, Severity, judge
from legatum.core.name import Name, below, parse_name
from legatum.core.picture import HostView, ParentView, Picture, RegistrationView, ResolverView, ServerView
from legatum.core.presentation import parse_rdata
from legatum.core.rrset import RRset, rrset
from legatum.core.rrtype import AAAA, CNAME, MX, NS, SOA, A
from legatum.core.soa import SoaFields
from legatum.core.verdict import agreement

DOMAIN, PARENT = parse_name("kilnandclay.example."), parse_name("example.")
NS1, NS2, INSIDE = parse_name("ns1.alder.test."), parse_name("ns2.alder.test."), parse_name("ns1.kilnandclay.example.")


def address(name: Name, text: str) -> RRset:
    rtype = AAAA if ":" in text else A
    return rrset(name, rtype, 3600, [parse_rdata(rtype, text, name)])


def soa(serial: int = 1, **fields: int) -> RRset:
    base = SoaFields(NS1, below("hostmaster", NS1), serial, 14400, 3600, 1209600, 1800)
    return RRset(DOMAIN, SOA, 3600, (base._replace(**fields).rdata(),))


def ns(*names: Name, ttl: int = 3600) -> RRset:
    return rrset(DOMAIN, NS, ttl, names)


def parent(number: int, ns_set: RRset | None, **changes: object) -> ParentView:
    view = ParentView(parse_name("a.nic.example."), f"192.0.2.{number}", "delegates", True, ns_set, (), False, number)
    return replace(view, **changes)  # type: ignore[arg-type]


def server(name: Name, where: str, **changes: object) -> ServerView:
    view = ServerView(name, where, "answer", 0, True, soa(), ns(NS1, NS2), "answer", True, 0.01, (5,))
    return replace(view, **changes)  # type: ignore[arg-type]


HOSTS = {
    NS1: HostView(NS1, (address(NS1, "198.51.100.31"), address(NS1, "2001:db8::1")), ""),
    NS2: HostView(NS2, (address(NS2, "203.0.113.32"), address(NS2, "2001:db8::2")), ""),
}
CONTENTS = {(DOMAIN, A): address(DOMAIN, "198.51.100.80"), (below("www", DOMAIN), A): address(below("www", DOMAIN), "198.51.100.80")}
HEALTHY = Picture(
    DOMAIN, 0.0, PARENT, (parent(1, ns(NS1, NS2)), parent(2, ns(NS1, NS2))), (server(NS1, "198.51.100.31"), server(NS2, "203.0.113.32")),
    HOSTS, CONTENTS,
)  # fmt: skip


def servers(**changes: object) -> Picture:
    return replace(HEALTHY, servers=(server(NS1, "198.51.100.31", **changes), HEALTHY.servers[1]))


def parents(*sets: RRset | None) -> Picture:
    return replace(HEALTHY, parents=tuple(parent(number, each) for number, each in enumerate(sets, 1)))


def own(ns_set: RRset) -> Picture:
    return replace(HEALTHY, servers=tuple(replace(view, ns=ns_set) for view in HEALTHY.servers))


MX_SET = rrset(DOMAIN, MX, 60, [b"\0\x0a" + below("mail", DOMAIN)])
SICK: dict[str, Picture] = {
    "not-delegated": replace(HEALTHY, parents=(parent(1, None, denied=True), parent(2, None)), servers=(), hosts={}, contents={}),
    "parent-silent": replace(HEALTHY, parents=(HEALTHY.parents[0], parent(2, None, answered=False, outcome="no answer in time"))),
    "parents-disagree": parents(ns(NS1, NS2), ns(NS1)),
    "ns-sets-disjoint": own(ns(parse_name("ns1.birch.example."))),
    "ns-only-at-parent": own(ns(NS1)),
    "ns-only-at-child": own(ns(NS1, NS2, parse_name("ns3.alder.test."))),
    "single-name-server": replace(parents(ns(NS1)), servers=(server(NS1, "198.51.100.31", ns=ns(NS1)),), hosts={NS1: HOSTS[NS1]}),
    "same-address": replace(HEALTHY, hosts={NS1: HOSTS[NS1], NS2: HostView(NS2, (address(NS2, "198.51.100.31"),), "")}),
    "same-network": replace(HEALTHY, hosts={NS1: HOSTS[NS1], NS2: HostView(NS2, (address(NS2, "198.51.100.99"),), "")}),
    "ns-without-address": replace(HEALTHY, hosts={**HOSTS, NS2: HostView(NS2, (), "no such name")}),
    "ns-is-alias": replace(HEALTHY, hosts={**HOSTS, NS2: HostView(NS2, (), "is an alias", NS1)}),
    "glue-missing": replace(
        HEALTHY, parents=(parent(1, ns(INSIDE, NS1)),), servers=tuple(replace(view, ns=ns(INSIDE, NS1)) for view in HEALTHY.servers)
    ),
    "glue-differs": replace(
        HEALTHY, parents=(parent(1, ns(NS1, NS2), glue=(address(NS1, "192.0.2.66"),)), parent(2, ns(NS1, NS2)))
    ),
    "server-silent": servers(rcode=None, outcome="no answer in time", authoritative=False, soa=None, ns=None),
    "server-refuses": servers(rcode=5, outcome="refused", authoritative=False, soa=None, ns=None),
    "server-fails": servers(rcode=2, outcome="server failure", authoritative=False, soa=None, ns=None),
    "server-denies": servers(rcode=3, outcome="no such name", soa=None, ns=None),
    "server-without-authority": servers(authoritative=False, outcome="referral", soa=None, ns=None),
    "tcp-fails": servers(tcp_answered=False, tcp_outcome="connection refused"),
    "servers-disagree-on-ns": servers(ns=ns(NS1)),
    "serials-differ": servers(soa=soa(2)),
    "expire-short": replace(HEALTHY, servers=tuple(replace(view, soa=soa(expire=3600)) for view in HEALTHY.servers)),
    "retry-not-below-refresh": replace(HEALTHY, servers=tuple(replace(view, soa=soa(retry=14400)) for view in HEALTHY.servers)),
    "negative-ttl-long": replace(
        HEALTHY, servers=tuple(replace(view, soa=soa(minimum=86400).with_ttl(86400)) for view in HEALTHY.servers)
    ),
    "ns-ttls-far-apart": own(ns(NS1, NS2, ttl=86400)),
    "apex-without-address": replace(HEALTHY, contents={**CONTENTS, (DOMAIN, A): None}),
    "www-missing": replace(HEALTHY, contents={(DOMAIN, A): CONTENTS[DOMAIN, A]}),
    "mail-to-alias": replace(
        HEALTHY,
        contents={**CONTENTS, (DOMAIN, MX): MX_SET, (below("mail", DOMAIN), CNAME): rrset(below("mail", DOMAIN), CNAME, 60, [b"\1x\0"])},
    ),
}  # fmt: skip


def test_a_healthy_domain_has_no_finding() -> None:
    assert judge(HEALTHY) == ()


def test_every_finding_has_its_case() -> None:
    assert set(SICK) == set(KINDS)


@pytest.mark.parametrize("slug", sorted(SICK))
def test_the_case_shows_the_finding(slug: str) -> None:
    found = {each.kind.slug: each for each in judge(SICK[slug])}
    assert slug in found and all(sighting.seen.isprintable() for sighting in found[slug].sightings)
    # One fault is told once, with at most what truly comes along with it.
    company = {"parents-disagree": {"ns-only-at-child"}, "glue-missing": {"parents-disagree"}, "ns-only-at-parent": set()}
    allowed = {slug} | company.get(slug, set()) | {"servers-disagree-on-ns", "ns-only-at-parent", "same-network", "ns-only-at-child"}
    assert set(found) <= allowed


def test_worst_first() -> None:
    both = replace(SICK["server-refuses"], contents=SICK["www-missing"].contents)
    assert [each.kind.severity for each in judge(both)] == [Severity.ERROR, Severity.NOTICE]


def test_explanations_are_whole() -> None:
    for kind in KINDS.values():
        assert kind.why.endswith(".") and kind.remedy.endswith(".") and kind.standard.startswith("RFC ")
        assert kind.slug == kind.slug.lower() and " " not in kind.slug


def test_the_verdict_names_who_disagrees_and_until_when() -> None:
    late = ResolverView("harbour", "192.0.2.101", "answer", ns(NS1, ttl=700), None, 9)
    good = ResolverView("mill", "192.0.2.102", "answer", ns(NS1, NS2, ttl=700), None, 9)
    picture = replace(HEALTHY, at=1000.0, resolvers=(late, good), registration=RegistrationView("flint", (NS2, NS1), ("ok",), ""))
    verdict = agreement(picture, (NS2, NS1))
    assert [(each.party, each.until) for each in verdict.disagreeing] == [("resolver", 1700.0)]
    assert not verdict.confirmed and agreement(HEALTHY).confirmed
    assert not agreement(HEALTHY, (NS1,)).confirmed and not agreement(SICK["not-delegated"]).confirmed
    left_over = replace(picture, registration=RegistrationView("flint", (NS1, NS2, INSIDE), ("ok",), ""), resolvers=())
    assert [each.party for each in agreement(left_over, (NS1, NS2)).disagreeing] == ["registrar"]
