"""What an authoritative server must answer: the examples of RFC 4592 s2.2.1, referrals, aliases, denials."""

import pytest
from hypothesis import given, settings

from legatum.core.records.name import parse_name
from legatum.core.records.presentation import rdata_texts
from legatum.core.records.rrtype import AAAA, ANY, CNAME, DS, MX, NS, SOA, TXT, A
from legatum.core.zones.answering import NOERROR, NXDOMAIN, REFUSED, YXDOMAIN, Answer, ServedZone, answer_from
from legatum.core.zones.masterfile import parse_master
from legatum.core.zones.zone import Zone
from tests.strategies import zones

# RFC 4592 s2.2.1, with addresses for its hosts.
WILDCARDS = """
@ 3600 IN SOA ns.example.com. hostmaster.example.com. 1 3600 900 604800 60
@ 3600 IN NS ns.example.com.
@ 3600 IN NS ns.example.net.
* 3600 IN TXT "this is a wildcard"
* 3600 IN MX 10 host1.example.
sub.* 3600 IN TXT "this is not a wildcard"
host1 3600 IN A 192.0.2.1
_ssh._tcp.host1 3600 IN SRV 0 0 22 host1
_ssh._tcp.host2 3600 IN SRV 0 0 22 host1
subdel 3600 IN NS ns.example.com.
subdel 3600 IN NS ns.example.net.
glued 3600 IN NS ns.glued
ns.glued 3600 IN A 192.0.2.9
www 3600 IN CNAME host1
out 3600 IN CNAME elsewhere.test.
loop 3600 IN CNAME loop
moved 900 IN DNAME example.
longer 900 IN DNAME xxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxx.xxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxx.test.
"""
ZONES = {parse_name("example."): ServedZone(parse_master(WILDCARDS, parse_name("example.")))}


def ask(name: str, rtype: int) -> tuple[int, bool, list[str]]:
    found = answer_from(ZONES, parse_name(name), rtype)
    return (
        found.rcode,
        found.authoritative,
        [f"{each.type_text} {text}" for each in found.answer for text in rdata_texts(each)],
    )


@pytest.mark.parametrize(
    ("name", "rtype", "texts"),
    [
        ("host3.example.", MX, ["MX 10 host1.example."]),
        ("host3.example.", A, []),
        ("foo.bar.example.", TXT, ['TXT "this is a wildcard"']),
        ("host1.example.", MX, []),
        ("sub.*.example.", MX, []),
        ("*.example.", MX, ["MX 10 host1.example."]),
        ("host2.example.", TXT, []),
        ("www.example.", A, ["CNAME host1.example.", "A 192.0.2.1"]),
        ("www.example.", CNAME, ["CNAME host1.example."]),
        ("out.example.", A, ["CNAME elsewhere.test."]),
        # RFC 6672 s3.1: the names below move with the alias made for each, the owner itself does not.
        ("host1.moved.example.", A, ["DNAME example.", "CNAME host1.example.", "A 192.0.2.1"]),
        ("host1.moved.example.", CNAME, ["DNAME example.", "CNAME host1.example."]),
        ("moved.example.", A, []),
    ],
)
def test_answers(name: str, rtype: int, texts: list[str]) -> None:
    assert ask(name, rtype) == (NOERROR, True, texts)


@pytest.mark.parametrize("name", ["_telnet._tcp.host1.example.", "x.host2.example.", "ghost.*.example."])
def test_a_wildcard_does_not_reach_below_names_that_exist(name: str) -> None:
    found = answer_from(ZONES, parse_name(name), MX)
    assert (found.rcode, found.answer) == (NXDOMAIN, ())
    assert found.authority[0].rtype == SOA and found.authority[0].ttl == 60


def test_referrals_carry_glue_and_no_authority() -> None:
    found = answer_from(ZONES, parse_name("deep.glued.example."), A)
    assert (found.rcode, found.authoritative, found.answer) == (NOERROR, False, ())
    assert [each.name for each in found.authority] == [parse_name("glued.example.")]
    assert [each.name for each in found.additional] == [parse_name("ns.glued.example.")]
    assert answer_from(ZONES, parse_name("subdel.example."), NS).authoritative is False
    assert answer_from(ZONES, parse_name("subdel.example."), DS).authority[0].rtype == SOA


def test_a_name_that_a_redirection_makes_too_long_does_not_exist() -> None:
    """RFC 6672 s2.4."""
    found = answer_from(ZONES, parse_name(f"{'.'.join(['y' * 63] * 3)}.longer.example."), A)
    assert (found.rcode, [each.type_text for each in found.answer]) == (YXDOMAIN, ["DNAME"])


def test_beside_the_point() -> None:
    assert ask("example.test.", A)[0] == REFUSED
    assert ask("loop.example.", A)[2][:1] == ["CNAME loop.example."]
    assert {each.rtype for each in answer_from(ZONES, parse_name("example."), ANY).answer} == {SOA, NS}
    assert answer_from(ZONES, parse_name("example."), NS).authority == ()
    assert answer_from(ZONES, parse_name("host1.example."), AAAA).authority[0].rtype == SOA


@given(zones())
@settings(max_examples=60, deadline=None)
def test_every_rrset_of_a_zone_can_be_had_or_is_behind_a_cut(zone: Zone) -> None:
    served = {zone.origin: ServedZone(zone)}
    for each in zone:
        found = answer_from(served, each.name, each.rtype)
        assert found.rcode == NOERROR
        assert each in found.answer or not found.authoritative


def test_whole_answers() -> None:
    """Every section, and whether it is with authority: positive, for no data, no name, and where a name leads on."""
    apex = ZONES[parse_name("example.")].zone
    ns, soa = apex.apex_ns, apex.soa_rrset.with_ttl(60)
    host = apex.get(parse_name("host1.example."), A)
    assert ns is not None and host is not None
    assert answer_from(ZONES, host.name, A) == Answer(NOERROR, True, (host,), (ns,), ())
    assert answer_from(ZONES, parse_name("example."), NS) == Answer(NOERROR, True, (ns,), (), ())
    assert answer_from(ZONES, host.name, AAAA) == Answer(NOERROR, True, (), (soa,))
    assert answer_from(ZONES, parse_name("x.host1.example."), A) == Answer(NXDOMAIN, True, (), (soa,))
    assert answer_from(ZONES, parse_name("elsewhere.test."), A) == Answer(REFUSED)
    out = answer_from(ZONES, parse_name("out.example."), A)
    assert (out.authoritative, out.authority) == (True, (ns,))
    too_long = answer_from(ZONES, parse_name(f"{'.'.join(['y' * 63] * 3)}.longer.example."), A)
    assert too_long.authoritative
    led = answer_from(ZONES, parse_name("glued.example."), NS)
    assert led.rcode == NOERROR and not led.authoritative and led.answer == () and len(led.additional) == 1
    below_apex = answer_from(ZONES, parse_name("subdel.example."), NS)
    assert [each.name for each in below_apex.authority] == [parse_name("subdel.example.")]


def test_name_servers_in_the_zone_come_with_their_addresses() -> None:
    text = (
        "@ 60 IN SOA ns1 h 1 2 3 4 5\n@ 60 IN NS ns1\nns1 60 IN A 192.0.2.1\nns1 60 IN AAAA 2001:db8::1\nwww "
        "60 IN A 192.0.2.7\n"
    )
    zone = parse_master(text, parse_name("example."))
    found = answer_from({zone.origin: ServedZone(zone)}, parse_name("www.example."), A)
    assert found.authority == (zone.apex_ns,) and [each.rtype for each in found.additional] == [A, AAAA]


def test_a_ds_is_the_parents_where_that_is_served_too() -> None:
    """RFC 4035 s3.1.4.1."""
    text = f"@ 60 IN SOA ns h 1 2 3 4 5\n@ 60 IN NS ns\nsub 60 IN NS ns.sub\nsub 60 IN DS 1 13 2 {'ab' * 32}\n"
    parent = parse_master(text, parse_name("example."))
    child = parse_master(
        "@ 60 IN SOA ns h 1 2 3 4 5\n@ 60 IN NS ns\nns 60 IN A 192.0.2.1\n", parse_name("sub.example.")
    )
    together = {each.origin: ServedZone(each) for each in (parent, child)}
    asked = answer_from(together, child.origin, DS)
    assert [each.rtype for each in asked.answer] == [DS] and asked.authoritative
    assert answer_from(together, child.origin, NS).answer == (child.apex_ns,)
    alone = answer_from({child.origin: ServedZone(child)}, child.origin, DS)
    assert alone.answer == () and alone.authority[0].name == child.origin  # nobody else to ask: there is none here
    assert answer_from(together, parent.origin, DS).authority[0].name == parent.origin
    grandchild = parse_name("x.sub.example.")
    assert (
        answer_from({parent.origin: ServedZone(parent)}, grandchild, DS).authority[0].name == child.origin
    )  # below the cut
    assert answer_from(together, parse_name("example.test."), DS).rcode == REFUSED


def test_a_name_may_become_as_long_as_a_name_can_be() -> None:
    """RFC 6672 s2.4, RFC 1035 s2.3.4: 255 octets."""
    zone = parse_master("@ 60 IN SOA ns h 1 2 3 4 5\n@ 60 IN NS ns\nd 60 IN DNAME test.\n", parse_name("e."))
    served = {zone.origin: ServedZone(zone)}
    labels = ".".join(["y" * 63] * 3)
    fits = f"{'z' * (255 - 3 * 64 - len('.test.') - 1)}.{labels}.d.e."
    found = answer_from(served, parse_name(fits), A)
    assert [each.type_text for each in found.answer] == ["DNAME", "CNAME"] and found.authoritative
    assert answer_from(served, parse_name("z" + fits), A).rcode == YXDOMAIN
