"""Every finding: a picture that shows it, and a near miss - as like it as can be - that does not."""

from dataclasses import replace
from typing import Any

import pytest
from tests.core.findings.observations import (
    CONTENTS,
    DAY,
    DENIAL,
    DOMAIN,
    GLUE,
    HEALTHY,
    HOSTS,
    INSIDE,
    MAIL,
    NOW,
    NS1,
    NS2,
    OTHER,
    SIGNER,
    WWW,
    Signer,
    address,
    ds_set,
    every,
    first,
    former,
    having,
    host,
    inside,
    mx,
    ns,
    parent,
    parents,
    registered,
    resolver,
    signed,
    soa,
)

from legatum.core.dnssec.key import key_tag
from legatum.core.findings import KINDS, Severity, judge
from legatum.core.findings.finding import judge_with
from legatum.core.memory.copies import KeptSet
from legatum.core.observation.observation import DenialView, Edns, Observation, Plan, RegistrationView, Tracked
from legatum.core.records.name import ROOT, below, from_labels, parse_name
from legatum.core.records.rrset import RRset, rrset
from legatum.core.records.rrtype import AAAA, CDS, CNAME, DNSKEY, MX, NS, SOA, TXT, A

SILENT: dict[str, Any] = {
    "rcode": None,
    "outcome": "no answer in time",
    "authoritative": False,
    "soa": None,
    "ns": None,
    "edns": None,
}
REFUSED = {**SILENT, "rcode": 5, "outcome": "refused"}
NO_TCP = {"tcp_answered": False, "tcp_outcome": "connection refused", "tcp_rcode": None, "tcp_authoritative": None}
STRANGER = Signer(1147)
TAG = key_tag(SIGNER.rdata).to_bytes(2)
SHORT_KEY = b"\x01\x01\x03\x08\x03\x01\x00\x01" + b"\xc5" * 128  # RSA, exponent 65537, 1024 bits
LONG_KEY = b"\x01\x01\x03\x08\x03\x01\x00\x01" + b"\xc5" * 256
OLD_KEY = b"\x01\x01\x03\x07\x03\x01\x00\x01" + b"\xc5" * 256
WILD = DenialView(below("nobody", DOMAIN), 0, False, True, None)


def hosts(**changes: Any) -> Observation:
    return replace(
        HEALTHY, hosts={**HOSTS, **{parse_name(key.replace("_", ".") + "."): each for key, each in changes.items()}}
    )


def nameds(*names: Any, known: bool = True) -> Observation:
    """The NS set is this one, at the parent and in the zone."""
    observation = every(ns=ns(*names))
    found = {name: HOSTS.get(name) or host(name, *(["198.51.100.77"] if known else [])) for name in names}
    return replace(observation, parents=tuple(parent(number, ns(*names)) for number in (1, 2)), hosts=found)


def alias(name: Any, target: Any) -> RRset:
    return rrset(name, CNAME, 60, [target])


def keyed(*keys: bytes) -> Observation:
    return every(keys=RRset(DOMAIN, DNSKEY, 60, tuple(sorted(keys))))


def spoilt(**changes: Any) -> Observation:
    """Signed, the first server changed."""
    return first(signed(), **changes)


def cds(rdata: bytes) -> Observation:
    return signed(spoil=lambda view: replace(view, cds=rrset(DOMAIN, CDS, 60, [rdata])))


def one_signature_gone(observation: Observation, rtype: int = SOA) -> Observation:
    view = observation.servers[0]
    return first(observation, signatures={key: each for key, each in view.signatures.items() if key != rtype})


def believed(authenticated: bool, **dates: float) -> Observation:
    """By a resolver that checks signatures, or by one that does not."""
    (view,) = resolver().resolvers
    return replace(signed(**dates), resolvers=(replace(view, authenticated=authenticated),))


def two_signers(shared: bool) -> Observation:
    """The servers of one name give a zone of their own, signed with keys of their own; each publishes the other's keys,
    or does not."""
    both = RRset(DOMAIN, DNSKEY, 3600, tuple(sorted((SIGNER.rdata, STRANGER.rdata))))

    def given(view: Any) -> Any:
        own = SIGNER if view.server == NS1 else STRANGER
        view = replace(view, soa=soa(7 if own is SIGNER else 2), keys=both if shared else own.keys, denial=DENIAL)
        return replace(
            view,
            signatures={rtype: own.sign(each) for rtype, each in ((SOA, view.soa), (NS, view.ns), (DNSKEY, view.keys))},
        )

    ds = ds_set(SIGNER.ds(), STRANGER.ds())
    parents = tuple(replace(view, ds=ds) for view in HEALTHY.parents)
    return replace(HEALTHY, servers=tuple(map(given, HEALTHY.servers)), parents=parents)


FLIPPED = SIGNER.ds()[:-1] + bytes((SIGNER.ds()[-1] ^ 1,))
UNSIGNED = {"keys": None, "signatures": {}, "denial": None}
MANY = [parse_name(f"ns{number}.alder.test.") for number in range(14)]
DOUBLED = from_labels([b"ns1", b"alder", b"test", b"kilnandclay", b"example"])
BROKEN_SOA = SIGNER.sign(soa(8))


def _dead(name: Any, **changes: Any) -> tuple[Any, ...]:
    """Every address of one server changed."""
    return tuple(replace(view, **changes) if view.server == name else view for view in HEALTHY.servers)


def _resolvers(*rcodes: int | None) -> Observation:
    (view,) = resolver().resolvers
    return replace(
        HEALTHY, resolvers=tuple(replace(view, name=f"r{number}", rcode=each) for number, each in enumerate(rcodes))
    )


def _astray(**changes: Any) -> Observation:
    """The parent gives an address more than the zone has, and who stands there is this."""
    observation = inside(*GLUE, address(INSIDE, "192.0.2.66"))
    glue = (rrset(INSIDE, A, 3600, [*GLUE[0].rdatas, *address(INSIDE, "192.0.2.66").rdatas]), GLUE[1])
    views = tuple(replace(view, glue=glue) for view in observation.parents)
    stranger = replace(observation.servers[0], address="192.0.2.66", **changes)
    return replace(observation, parents=views, servers=(*observation.servers, stranger))


KEPT = KeptSet((OTHER,), NOW + 900, "the parent gave it until lately")

CASES: dict[str, tuple[Observation, Observation]] = {
    "no-such-domain": (
        replace(parents(None, None, denied=True, outcome="no such name"), servers=(), hosts={}, contents={}),
        parents(ns(NS1, NS2), None, denied=False),
    ),
    "not-delegated": (
        replace(parents(None, None, outcome="answer"), servers=(), hosts={}, contents={}),
        parents(ns(NS1, NS2), None, answered=True),
    ),
    "parent-silent": (
        replace(HEALTHY, parents=(HEALTHY.parents[0], parent(2, None, answered=False, outcome="no answer in time"))),
        replace(HEALTHY, parents=(HEALTHY.parents[0], parent(2, ns(NS1, NS2, ttl=60)))),
    ),
    "parents-disagree": (parents(ns(NS1, NS2), ns(NS1)), parents(ns(NS1, NS2), ns(NS2, NS1, ttl=60))),
    "ns-sets-disjoint": (every(ns=ns(OTHER)), every(ns=ns(OTHER, NS1))),
    "ns-only-at-parent": (every(ns=ns(NS1)), every(ns=ns(NS1, NS2, ttl=60))),
    "ns-only-at-child": (every(ns=ns(NS1, NS2, OTHER)), every(ns=ns(NS2, NS1))),
    "single-name-server": (nameds(NS1), nameds(NS1, NS2)),
    "delegation-crowded": (nameds(*MANY), nameds(*MANY[:13])),
    "same-address": (
        hosts(ns2_birch_example=host(NS2, "198.51.100.31")),
        hosts(ns2_birch_example=host(NS2, "198.51.100.32")),
    ),
    "same-network": (
        hosts(ns2_birch_example=host(NS2, "198.51.100.99")),
        hosts(ns2_birch_example=host(NS2, "203.0.113.31")),
    ),
    "all-under-one-suffix": (nameds(NS1, OTHER), nameds(NS1, NS2)),
    "address-not-public": (
        hosts(ns2_birch_example=host(NS2, "10.0.0.53", "2001:db8:b2::53")),
        hosts(ns2_birch_example=host(NS2, "9.9.9.9", "2001:db8:b2::53")),
    ),
    "glue-not-public": (inside(address(INSIDE, "192.168.7.1"), GLUE[1]), inside(*GLUE)),
    "no-ipv6": (
        replace(HEALTHY, hosts={NS1: host(NS1, "198.51.100.31"), NS2: host(NS2, "203.0.113.32")}),
        replace(HEALTHY, hosts={NS1: host(NS1, "198.51.100.31"), NS2: HOSTS[NS2]}),
    ),
    "no-ipv4": (
        replace(HEALTHY, hosts={NS1: host(NS1, "2001:db8:a1::53"), NS2: host(NS2, "2001:db8:b2::53")}),
        replace(HEALTHY, hosts={NS1: host(NS1, "2001:db8:a1::53"), NS2: HOSTS[NS2]}),
    ),
    "ns-without-address": (hosts(ns2_birch_example=host(NS2)), hosts(ns2_birch_example=host(NS2, why="", asked=False))),
    "ns-is-alias": (
        hosts(ns2_birch_example=host(NS2, why="is an alias", alias=NS1)),
        hosts(ns2_birch_example=host(NS2, "203.0.113.32")),
    ),
    "ns-circle": (
        hosts(ns2_birch_example=host(NS2, why="a circle", circle=True)),
        hosts(ns2_birch_example=host(NS2, why="no server answers")),
    ),
    "ns-doubled-suffix": (nameds(NS1, DOUBLED, known=False), nameds(NS1, below("alder", DOMAIN), known=False)),
    "ns-not-a-host-name": (nameds(NS1, parse_name("ns_2.alder.test.")), nameds(NS1, parse_name("ns-2.alder.test."))),
    "glue-missing": (inside(), inside(*GLUE)),
    "glue-differs": (inside(address(INSIDE, "192.0.2.66"), GLUE[1]), inside(*GLUE)),
    "glue-leads-astray": (_astray(**REFUSED), _astray()),
    "glue-servers-differ": (
        replace(
            inside(*GLUE),
            parents=(
                parent(1, ns(INSIDE, NS2), glue=GLUE),
                parent(2, ns(INSIDE, NS2), glue=(address(INSIDE, "192.0.2.66"), GLUE[1])),
            ),
        ),
        replace(
            inside(*GLUE), parents=(parent(1, ns(INSIDE, NS2), glue=GLUE), parent(2, ns(INSIDE, NS2), glue=GLUE[::-1]))
        ),
    ),
    "glue-lacks-family": (inside(GLUE[0]), inside(*GLUE)),
    "glue-unneeded": (
        parents(ns(NS1, NS2), glue=(address(NS1, "198.51.100.31"),)),
        parents(ns(NS1, NS2), glue=(address(NS2, "203.0.113.32"),)),
    ),
    "no-server-serves": (
        every(**REFUSED),
        replace(every(**REFUSED), servers=(*every(**REFUSED).servers[:3], HEALTHY.servers[3])),
    ),
    "server-silent": (replace(HEALTHY, servers=_dead(NS1, **SILENT)), first(**SILENT)),
    "server-address-dead": (first(**SILENT), replace(HEALTHY, servers=_dead(NS1, **SILENT))),
    "server-refuses": (first(**REFUSED), first(rcode=0)),
    "server-fails": (first(**{**REFUSED, "rcode": 2, "outcome": "server failure"}), first(tcp_outcome="answer")),
    "server-denies": (first(**{**REFUSED, "rcode": 3, "outcome": "no such name"}), first(rcode=0)),
    "server-without-authority": (
        first(authoritative=False, outcome="answer, not authoritative", ns=None),
        first(authoritative=True, outcome="answer"),
    ),
    "server-refers-upwards": (
        first(authoritative=False, outcome="referral", soa=None, ns=None, upwards=True),
        first(upwards=False),
    ),
    "server-without-soa": (first(soa=None, outcome="no data", ns=None), first(soa=soa())),
    "server-malformed": (
        first(**{**SILENT, "malformed": True, "outcome": "not a DNS message"}),
        first(malformed=False),
    ),
    "server-slow": (first(took=1.1), first(took=0.99)),
    "servers-disagree-on-ns": (first(ns=ns(NS1)), first(ns=ns(NS2, NS1))),
    "families-differ": (
        first(soa=soa(7, refresh=7200), ns=ns(NS1, NS2)),
        replace(HEALTHY, servers=tuple(replace(each, soa=soa(9)) for each in HEALTHY.servers)),
    ),
    "contents-differ": (
        first(apex_address=address(DOMAIN, "198.51.100.81")),
        first(apex_address=address(DOMAIN, "198.51.100.80", 60)),
    ),
    "tcp-fails": (first(**NO_TCP), first(**{**NO_TCP, "tcp_answered": None, "tcp_outcome": "not asked"})),
    "truncated-without-tcp": (first(**{**SILENT, **NO_TCP}, cut=True), first(cut=True)),
    "tcp-differs": (first(tcp_rcode=5, tcp_outcome="refused"), first(tcp_rcode=0)),
    "edns-ignored": (first(edns=Edns.IGNORED), first(edns=Edns.ANSWERED)),
    "edns-refused": (first(edns=Edns.REFUSED), first(edns=Edns.ANSWERED)),
    "edns-dropped": (first(edns=Edns.DROPPED), first(edns=None)),
    "serials-differ": (first(soa=soa(8)), every(soa=soa(8))),
    "soa-differs": (first(soa=soa(refresh=7200)), every(soa=soa(refresh=7200))),
    "expire-short": (every(soa=soa(expire=6 * DAY)), every(soa=soa(expire=7 * DAY))),
    "expire-not-above-refresh": (every(soa=soa(expire=18000)), every(soa=soa(expire=18001))),
    "retry-not-below-refresh": (every(soa=soa(retry=14400)), every(soa=soa(retry=7200))),
    "retry-out-of-range": (every(soa=soa(retry=119)), every(soa=soa(retry=120))),
    "refresh-out-of-range": (every(soa=soa(refresh=DAY + 1)), every(soa=soa(refresh=DAY))),
    "mailbox-malformed": (
        every(soa=soa(mailbox=from_labels([b"me", b"test"]))),
        every(soa=soa(mailbox=below("me", NS1))),
    ),
    "mailbox-with-at": (
        every(soa=soa(mailbox=from_labels([b"me@alder", b"example", b"test"]))),
        every(soa=soa(mailbox=below("me", NS1))),
    ),
    "primary-unlisted": (every(soa=soa(primary=OTHER)), every(soa=soa(primary=NS2))),
    "primary-malformed": (every(soa=soa(primary=ROOT)), every(soa=soa(primary=NS1))),
    "negative-ttl-long": (every(soa=soa(minimum=DAY, ttl=DAY)), every(soa=soa(minimum=DAY, ttl=10800))),
    "negative-ttl-short": (every(soa=soa(minimum=59)), every(soa=soa(minimum=60))),
    "ns-ttls-far-apart": (every(ns=ns(NS1, NS2, ttl=86401)), every(ns=ns(NS1, NS2, ttl=86400))),
    "ns-ttl-short": (every(ns=ns(NS1, NS2, ttl=899)), every(ns=ns(NS1, NS2, ttl=900))),
    "ttl-zero": (having(address(DOMAIN, "198.51.100.80", 0)), having(address(DOMAIN, "198.51.100.80", 1))),
    "ttls-differ-between-servers": (first(ns=ns(NS1, NS2, ttl=3599)), every(ns=ns(NS1, NS2, ttl=3599))),
    "ttl-outlasts-change": (replace(HEALTHY, plan=Plan(NOW + 3599)), replace(HEALTHY, plan=Plan(NOW + 3600))),
    "apex-without-address": (
        having(without=((DOMAIN, A), (DOMAIN, AAAA))),
        replace(HEALTHY, contents={(WWW, A): CONTENTS[WWW, A]}),
    ),
    "apex-is-alias": (having(alias(DOMAIN, WWW)), having(alias(below("shop", DOMAIN), WWW))),
    "www-missing": (
        having(without=((WWW, A), (WWW, AAAA))),
        having(alias(WWW, DOMAIN), without=((WWW, A), (WWW, AAAA))),
    ),
    "www-leads-nowhere": (
        having(
            alias(WWW, below("gone", DOMAIN)),
            without=((WWW, A), (below("gone", DOMAIN), A), (below("gone", DOMAIN), AAAA)),
        ),
        having(alias(WWW, below("far", DOMAIN)), without=((WWW, A),)),
    ),
    "mail-missing": (having(without=((DOMAIN, MX),)), having(mx(ROOT))),
    "mail-lost": (
        having(without=((MAIL, A), (MAIL, AAAA))),
        having(mx(MAIL, below("mx2", DOMAIN)), without=((MAIL, A), (MAIL, AAAA))),
    ),
    "mail-host-without-address": (
        having(mx(MAIL, NS1), address(NS1, "198.51.100.31"), without=((MAIL, A), (MAIL, AAAA))),
        having(mx(MAIL, NS1), without=((NS1, A),)),
    ),
    "mail-to-alias": (having(alias(MAIL, WWW), without=((MAIL, A),)), having(alias(WWW, MAIL), without=((WWW, A),))),
    "visitors-sent-to-special-address": (having(address(WWW, "192.168.1.1")), having(address(WWW, "203.0.113.1"))),
    "wildcard-answers": (replace(HEALTHY, denial=WILD), replace(HEALTHY, denial=DENIAL)),
    "two-spf-records": (
        having(rrset(DOMAIN, TXT, 60, [b"\x0bv=spf1 -all", b"\x0bv=spf1 ~all"])),
        having(rrset(DOMAIN, TXT, 60, [b"\x0bv=spf1 -all", b"\x05other"])),
    ),
    "former-still-answers": (former(), former(**REFUSED)),
    "moved-too-early": (
        replace(every(**REFUSED), former=former().former),
        replace(every(**REFUSED), former=former(**REFUSED).former),
    ),
    "former-keeps-old-ns": (former(ns=ns(OTHER)), former()),
    "former-disagrees": (
        former(apex_address=address(DOMAIN, "198.51.100.99")),
        former(apex_address=address(DOMAIN, "198.51.100.80")),
    ),
    "ds-but-unsigned": (every(signed(), **UNSIGNED), every(signed(with_ds=False), **UNSIGNED)),
    "ds-without-key": (signed(ds_set(STRANGER.ds())), signed()),
    "ds-digest-wrong": (signed(ds_set(FLIPPED)), signed(ds_set(SIGNER.ds(4)))),
    "ds-left-over": (signed(ds_set(SIGNER.ds(), STRANGER.ds())), signed(ds_set(SIGNER.ds(), SIGNER.ds(4)))),
    "ds-unknown": (
        signed(ds_set(SIGNER.ds(), TAG + b"\x0d\x63" + b"x" * 32)),
        signed(ds_set(SIGNER.ds(), SIGNER.ds(4))),
    ),
    "ds-digest-weak": (signed(ds_set(SIGNER.ds(1))), signed(ds_set(SIGNER.ds(1), SIGNER.ds(2)))),
    "key-algorithm-weak": (keyed(OLD_KEY), keyed(LONG_KEY)),
    "key-short": (keyed(SHORT_KEY), keyed(LONG_KEY)),
    "ds-parents-differ": (
        replace(signed(), parents=(signed().parents[0], replace(signed().parents[1], ds=None))),
        replace(
            signed(), parents=(signed().parents[0], replace(signed().parents[1], ds=ds_set(SIGNER.ds()).with_ttl(60)))
        ),
    ),
    "ds-absence-unproven": (parents(ns(NS1, NS2), ds_absent=False), parents(ns(NS1, NS2), ds_absent=True)),
    "signed-without-ds": (signed(with_ds=False), signed()),
    "ds-change-announced": (cds(STRANGER.ds()), cds(SIGNER.ds())),
    "signature-expired": (
        signed(begins=NOW - 9 * DAY, ends=NOW - 60),
        signed(begins=NOW - 9 * DAY, ends=NOW + 4 * DAY),
    ),
    "clock-doubtful": (believed(True, ends=NOW - 60), believed(False, ends=NOW - 60)),
    "signature-early": (signed(begins=NOW + 60, ends=NOW + 9 * DAY), signed(begins=NOW - 60, ends=NOW + 9 * DAY)),
    "signature-wrong": (
        spoilt(signatures={**signed().servers[0].signatures, SOA: BROKEN_SOA}),
        spoilt(soa=soa(ttl=60)),
    ),
    "signature-missing": (one_signature_gone(signed()), one_signature_gone(signed(with_ds=False))),
    "signature-ends-soon": (signed(ends=NOW + 3 * DAY - 60), signed(ends=NOW + 3 * DAY + 60)),
    "chain-broken": (
        signed(
            ds_set(STRANGER.ds()),
            spoil=lambda view: replace(
                view,
                keys=RRset(DOMAIN, DNSKEY, 3600, tuple(sorted((SIGNER.rdata, STRANGER.rdata)))),
                signatures={
                    **view.signatures,
                    DNSKEY: SIGNER.sign(RRset(DOMAIN, DNSKEY, 3600, tuple(sorted((SIGNER.rdata, STRANGER.rdata))))),
                },
            ),
        ),
        signed(),
    ),
    "keys-differ": (
        spoilt(keys=STRANGER.keys),
        replace(
            signed(),
            servers=(
                *signed().servers[:1],
                replace(signed().servers[1], keys=None, ns_asked=False, keys_asked=False, ns=None),
                *signed().servers[2:],
            ),
        ),
    ),
    "keys-not-shared": (two_signers(False), two_signers(True)),
    "island-broken": (signed(with_ds=False, begins=NOW - 9 * DAY, ends=NOW - 60), signed(with_ds=False)),
    "denial-broken": (spoilt(denial=replace(DENIAL, proven=False)), spoilt(denial=WILD)),
    "nsec3-iterations": (spoilt(denial=replace(DENIAL, iterations=10)), spoilt(denial=replace(DENIAL, iterations=0))),
    "registration-ns-differs": (registered(nameservers=(NS1, OTHER)), registered(nameservers=(NS2, NS1))),
    "registration-ds-differs": (registered(ds=(SIGNER.ds(),)), registered(ds=None)),
    "registration-on-hold": (registered(statuses=("clientHold",)), registered(statuses=("clientTransferProhibited",))),
    "registration-expired": (registered(expires="2033-05-18T03:33:19Z"), registered(expires="not told")),
    "registration-ends-soon": (registered(expires="2033-06-17T00:00:00Z"), registered(expires="2033-06-18T00:00:00Z")),
    "registration-pending": (registered(statuses=("pendingTransfer",)), registered(statuses=("autoRenewPeriod",))),
    "status-forbids-change": (
        replace(registered(statuses=("serverUpdateProhibited",)), plan=Plan(NOW + DAY)),
        registered(statuses=("serverUpdateProhibited",)),
    ),
    "status-forbids-transfer": (
        replace(registered(statuses=("clientTransferProhibited",)), plan=Plan(transfer=True)),
        registered(statuses=("clientTransferProhibited",)),
    ),
    "registration-sources-differ": (
        replace(
            registered(),
            registration=RegistrationView("flint", (NS1, OTHER), ("ok",), ""),
            parents=parents(ns(NS1, NS2), ns(NS1)).parents,
        ),
        replace(registered(), registration=RegistrationView("flint", (NS2, NS1), ("ok",), "")),
    ),
    "registration-not-found": (
        replace(HEALTHY, rdap_why="not registered"),
        replace(parents(None), rdap_why="not registered"),
    ),
    "registration-unanswered": (replace(HEALTHY, rdap_why="not JSON"), replace(HEALTHY, rdap_why="")),
    "transfer-open": (first(transfer_open=True), first(transfer_open=None)),
    "recursion-open": (first(recursion=True), first(recursion=None)),
    "resolver-silent": (resolver(rcode=None, ns=None, outcome="no answer in time"), resolver(ns=None)),
    "resolver-gives-up": (resolver(rcode=None, ns=None, busy=True), resolver(rcode=None, ns=None, busy=False)),
    "resolver-fails": (
        resolver(rcode=2, ns=None, outcome="server failure"),
        resolver(rcode=3, ns=None, outcome="no such name"),
    ),
    "most-resolvers-fail": (_resolvers(2, 2, 0), _resolvers(2, 0, 0)),
    "resolver-finds-bogus": (
        resolver(rcode=2, ns=None, errors=((6, "bogus"),)),
        resolver(rcode=2, ns=None, errors=((22, ""),)),
    ),
    "resolver-holds-other-ns": (resolver(ns=ns(OTHER, ttl=700)), resolver(ns=ns(NS2, NS1, ttl=700))),
    "old-delegation-kept": (
        replace(resolver(ns=ns(OTHER, ttl=700)), kept=(KEPT,)),
        replace(resolver(ns=ns(NS2, NS1, ttl=700)), kept=(KEPT,)),
    ),
    "followed-addresses-moved": (
        replace(HEALTHY, tracked=(Tracked(DOMAIN, OTHER, ("198.51.100.80",), ("203.0.113.80",)),)),
        replace(
            HEALTHY,
            tracked=(
                Tracked(DOMAIN, OTHER, ("198.51.100.80",), ("198.51.100.80",)),
                Tracked(DOMAIN, OTHER, (), ("x",)),
            ),
        ),
    ),
    "resolver-serves-stale": (resolver(errors=((3, ""),)), resolver(errors=((0, "other"),))),
}


def slugs(observation: Observation) -> dict[str, Any]:
    """What is told, and what counts under a cause."""
    found = judge(observation)
    explained = {slug: None for each in found for slug, _ in each.explains}
    return {**explained, **{each.kind.slug: each for each in found}}


@pytest.mark.parametrize(
    "observation",
    [HEALTHY, signed(), two_signers(True), inside(*GLUE), resolver(), registered()],
    ids=["plain", "signed", "two-signers", "inside", "asked", "registered"],
)
def test_a_healthy_domain_has_nothing_worth_a_warning(observation: Observation) -> None:
    assert [each.kind.slug for each in judge(observation) if each.kind.severity != Severity.NOTICE] == []


def test_an_unsigned_domain_in_order_has_no_finding_at_all() -> None:
    assert judge(HEALTHY) == ()


def test_every_finding_has_its_case_and_there_are_enough() -> None:
    assert set(CASES) == set(KINDS) and len(KINDS) >= 60


@pytest.mark.parametrize("slug", sorted(CASES))
def test_the_case_shows_the_finding_and_the_near_miss_does_not(slug: str) -> None:
    sick, near = CASES[slug]
    assert slug in slugs(sick)
    assert slug not in slugs(near)
    for each in judge(sick):
        assert each.sightings and all(sighting.seen.isprintable() and sighting.seen for sighting in each.sightings)


@pytest.mark.parametrize("slug", sorted(CASES))
def test_no_family_is_passed_over_that_has_something_to_say(slug: str) -> None:
    for observation in CASES[slug]:
        assert judge(observation) == judge_with(KINDS.values(), observation)


def test_worst_first() -> None:
    both = replace(CASES["server-refuses"][0], contents=CASES["www-missing"][0].contents)
    assert [each.kind.severity for each in judge(both)] == [Severity.ERROR, Severity.NOTICE]


def test_explanations_are_whole() -> None:
    for kind in KINDS.values():
        assert kind.why.endswith((".", "?")) and kind.remedy.endswith(".") and kind.standard.startswith("RFC "), (
            kind.slug
        )
        assert kind.slug == kind.slug.lower() and " " not in kind.slug
        assert set(kind.after) <= set(KINDS), (kind.slug, set(kind.after) - set(KINDS))


def test_a_cause_is_told_once_and_its_symptoms_counted_under_it() -> None:
    dead = {**SILENT, **NO_TCP}
    found = judge(
        replace(
            every(),
            servers=_dead(NS1, **dead),
            resolvers=resolver(rcode=2, ns=None, outcome="server failure").resolvers,
        )
    )
    assert [each.kind.slug for each in found] == ["server-silent"]
    assert dict(found[0].explains) == {"tcp-fails": 2, "resolver-fails": 1}
    everything = judge(every(**{**REFUSED, **NO_TCP}))
    assert [each.kind.slug for each in everything] == ["no-server-serves"]
    assert dict(everything[0].explains) == {"server-refuses": 4, "tcp-fails": 4}


def test_a_symptom_elsewhere_keeps_its_own_finding() -> None:
    observation = replace(HEALTHY, servers=_dead(NS1, **SILENT))
    observation = replace(observation, servers=(*observation.servers[:3], replace(observation.servers[3], **NO_TCP)))
    assert {each.kind.slug for each in judge(observation)} == {"server-silent", "tcp-fails"}


@pytest.mark.parametrize(
    ("observation", "cause", "explains"),
    [
        (
            replace(every(**REFUSED), former=former(ns=ns(OTHER)).former),
            "moved-too-early",
            {"server-refuses", "former-keeps-old-ns"},
        ),
        (_astray(**REFUSED), "glue-leads-astray", {"server-refuses", "glue-differs"}),
        (_astray(**SILENT), "glue-leads-astray", {"server-address-dead", "glue-differs"}),
        (first(edns=Edns.DROPPED, **NO_TCP), "edns-dropped", {"tcp-fails"}),
        (first(edns=Edns.REFUSED, tcp_rcode=1, tcp_outcome="format error"), "edns-refused", {"tcp-differs"}),
        (first(**{**SILENT, **NO_TCP}, cut=True), "truncated-without-tcp", {"tcp-fails"}),
        (
            replace(every(**REFUSED), resolvers=resolver(rcode=None, ns=None, busy=True).resolvers),
            "no-server-serves",
            {"resolver-gives-up"},
        ),
        (
            replace(
                nameds(NS1, NS2),
                servers=tuple(replace(each, ns=ns(NS1, DOUBLED)) for each in HEALTHY.servers),
                hosts={**HOSTS, DOUBLED: host(DOUBLED)},
            ),
            "ns-doubled-suffix",
            {"ns-only-at-parent", "ns-only-at-child"},
        ),
    ],
)
def test_harmful_remedies_stay_under_the_cause(observation: Observation, cause: str, explains: set[str]) -> None:
    """What would make it worse - ending the old service, taking a live server out, making a zone at a wrong address -
    is not advised."""
    found = {each.kind.slug: each for each in judge(observation) if each.kind.severity != Severity.NOTICE}
    assert set(found) == {cause} and explains <= {slug for slug, _ in found[cause].explains}


def test_what_was_not_answered_is_left_out_of_comparisons_and_said() -> None:
    lost = first(ns=None, keys=None, unanswered=frozenset((NS, DNSKEY)))
    assert judge(lost) == () and "did not answer for NS, DNSKEY" in lost.not_known[0]
    missing = replace(
        signed(),
        servers=(replace(signed().servers[0], keys=None, unanswered=frozenset((DNSKEY,))), *signed().servers[1:]),
    )
    assert [each.kind.slug for each in judge(missing) if each.kind.severity != Severity.NOTICE] == []
    half = host(INSIDE, "198.51.100.31", unanswered=frozenset((AAAA,)))
    assert "glue-differs" not in slugs(inside(*GLUE, own={INSIDE: half, NS2: HOSTS[NS2]}))
    assert "glue-differs" in slugs(inside(*GLUE, own={INSIDE: replace(half, unanswered=frozenset()), NS2: HOSTS[NS2]}))


def test_what_is_left_of_a_ttl_at_a_resolver_is_not_the_ttl() -> None:
    assert "ttl-zero" not in slugs(having(address(OTHER, "198.51.100.80", 0)))


def test_a_missing_dot_is_the_cause_of_a_missing_address() -> None:
    found = {each.kind.slug: each for each in judge(CASES["ns-doubled-suffix"][0])}
    assert "ns-without-address" not in found
    assert "ns1.alder.test was meant" in found["ns-doubled-suffix"].sightings[0].seen


def test_a_digest_cut_short_is_told() -> None:
    (found,) = [each for each in judge(signed(ds_set(SIGNER.ds()[:-2]))) if each.kind.slug == "ds-digest-wrong"]
    assert "2 octets missing" in found.sightings[0].seen


def test_names_with_control_characters_stay_printable() -> None:
    nasty = from_labels([b"\x1b[2J", b"<b>", b"test"])
    for each in judge(nameds(NS1, nasty, known=False)):
        assert all(sighting.seen.isprintable() for sighting in each.sightings)
