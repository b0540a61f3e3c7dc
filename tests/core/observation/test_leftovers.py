"""What was left behind: each kind with a near miss, and what becomes of the zone when all of it goes."""

from dataclasses import replace

from legatum.core.memory.history import Act, Became
from legatum.core.observation.leftovers import KnownToHouse, Leftover, LeftoverKind, cleared, hosts_in, leftovers
from legatum.core.records.name import below, parse_name
from legatum.core.records.rrset import RRset, rrset
from legatum.core.records.rrtype import DS, TXT, A
from legatum.core.zones.masterfile import parse_master
from tests.core.findings.observations import DOMAIN, HEALTHY

TEXT = """
@ 3600 SOA ns1.alder.test. hostmaster 7 14400 3600 1209600 60
@ NS ns1.alder.test.
@ A 198.51.100.80
ns9 A 198.51.100.53
ns8 A 198.51.100.52
@ MX 10 ns8
old A 198.51.100.70
@ TXT "site-verification=77" "v=x"
@ TXT "v=spf1 mx -all"
_acme-challenge TXT "token"
login A 198.51.100.96
"""
ZONE = parse_master(f"$TTL 3600{TEXT}", DOMAIN)
HOST = below("ns9", DOMAIN)
KNOWN = KnownToHouse(ZONE, {})


def found(known: KnownToHouse = KNOWN, observation: object = HEALTHY, registrar: str = "flint") -> list[Leftover]:
    return leftovers(observation, known, registrar)  # type: ignore[arg-type]


def kinds(listed: list[Leftover]) -> dict[LeftoverKind, list[bool]]:
    return {
        kind: [each.sure for each in listed if each.kind == kind]
        for kind in dict.fromkeys(each.kind for each in listed)
    }


def test_texts_that_somebody_looked_at_once() -> None:
    assert kinds(found()) == {LeftoverKind.TEXT: [False, False]}
    since = {(below("_acme-challenge", DOMAIN), TXT): HEALTHY.at - 90_000}
    assert kinds(found(replace(KNOWN, first_seen=since))) == {LeftoverKind.TEXT: [False, True]}
    plain = ZONE.without([(DOMAIN, TXT), (below("_acme-challenge", DOMAIN), TXT)])
    assert found(replace(KNOWN, zone=plain)) == []


def test_zones_hosts_and_templates() -> None:
    known = replace(
        KNOWN, former={"birch": None}, hosts={HOST: ("198.51.100.53",), HEALTHY.delegation[0]: ("198.51.100.31",)}
    )
    assert [(each.kind, each.what, each.where) for each in found(known) if each.sure] == [
        (LeftoverKind.HOST, "ns9.kilnandclay.example", "flint"), (LeftoverKind.ZONE, "kilnandclay.example", "birch"),
    ]  # fmt: skip
    login = ZONE.get(below("login", DOMAIN), A)
    assert login is not None
    other = rrset(login.name, A, 60, [b"\1\1\1\1"])
    assert kinds(found(replace(KNOWN, of_templates={"old": [login]})))[LeftoverKind.TEMPLATE] == [True]
    assert LeftoverKind.TEMPLATE not in kinds(found(replace(KNOWN, of_templates={"old": [other]})))


def test_addresses_of_name_servers_that_were_and_of_what_has_moved() -> None:
    once = hosts_in(["ns9.kilnandclay.example. ns8.kilnandclay.example.", "ns1.alder.test."])
    assert [
        (each.what, each.sure) for each in found(replace(KNOWN, once_named=once)) if each.kind == LeftoverKind.ADDRESS
    ] == [
        ("ns8.kilnandclay.example A", False),
        ("ns9.kilnandclay.example A", True),  # mail leads to the first
    ]
    moved = Act("x", "", Became.DONE, "", "", ("shop A: 60 198.51.100.70 → 60 198.51.100.71",), 1.0, 2.0)
    (left,) = [each for each in found(replace(KNOWN, acts=[moved])) if each.kind == LeftoverKind.ADDRESS]
    assert left.what == "old.kilnandclay.example A 198.51.100.70" and not left.sure and "shop has left" in left.why
    back = Act("x", "", Became.DONE, "", "", ("shop A: 60 198.51.100.71 → 60 198.51.100.70",), 3.0, 4.0)
    assert LeftoverKind.ADDRESS not in kinds(found(replace(KNOWN, acts=[moved, back])))


def test_names_and_ds_at_one_side_only() -> None:
    stray = RRset(DOMAIN, DS, 3600, (b"\x12\x67\x0d\x02" + b"\xab" * 32,))
    parents = tuple(replace(each, ds=stray) for each in HEALTHY.parents)
    (ds,) = [each for each in found(observation=replace(HEALTHY, parents=parents)) if each.kind == LeftoverKind.DS]
    assert ds.sure and "ds withdraw" in ds.remedy
    other = (replace(HEALTHY.servers[0], ns=rrset(DOMAIN, 2, 60, [parse_name("ns7.gone.test.")])), *HEALTHY.servers[1:])
    names = [each for each in found(observation=replace(HEALTHY, servers=other)) if each.kind == LeftoverKind.NS_NAME]
    assert [(each.what, each.where, each.sure) for each in names] == [("ns7.gone.test", "the zone", False)]


def test_what_becomes_of_the_zone() -> None:
    """Two texts of one set go together; what is beside them stays."""
    texts = ZONE.get(DOMAIN, TXT)
    assert texts is not None
    ((before, after),) = cleared([each for each in found() if each.before == texts])
    assert before == texts and after is not None and [rdata[1:7] for rdata in after.rdatas] == [b"v=spf1"]
    token = next(each for each in found() if each.what.startswith("_acme"))
    assert cleared([token]) == [(token.before, None)]
