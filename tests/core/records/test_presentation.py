"""Text and back, byte for byte; and master files with faults in them."""

import pytest
from hypothesis import given, settings

from legatum.core.records.name import parse_name
from legatum.core.records.presentation import parse_rdata, rdata_text, txt_rdata, typed_rdata
from legatum.core.records.rrset import rrset, targets
from legatum.core.records.rrtype import MX, SRV, TXT, A, parse_type, type_text
from legatum.core.running.fault import BadInput
from legatum.core.zones.difference import Difference, DifferenceKind, difference_text, zone_differences
from legatum.core.zones.masterfile import parse_master
from legatum.core.zones.masterlines import master_text
from legatum.core.zones.zone import Zone
from tests.strategies import ORIGIN, zones


@given(zones())
@settings(max_examples=100, deadline=None)
def test_a_zone_survives_being_a_master_file(zone: Zone) -> None:
    assert parse_master(master_text(zone, ["a comment"]), zone.origin) == zone


@pytest.mark.parametrize(
    "line",
    [
        f'txt 60 IN TXT "{"k" * 250}" "{"m" * 200}"',
        "_443._tcp 60 IN TLSA 3 1 1 " + "ab" * 32,
        'n 60 IN NAPTR 100 50 "s" "SIP+D2U" "" _sip._udp.kilnandclay.example.',
        'svc 60 IN HTTPS 1 . alpn="h2,h3" ipv4hint=192.0.2.1',
        'caa 60 IN CAA 0 issue "authority.test"',
        "*.wild 60 IN A 192.0.2.7",
        "xn--tpferei-90a 60 IN A 192.0.2.7",
        r'odd 60 IN TXT "quote \" backslash \\ octet \007 \255"',
        r"unknown 60 IN TYPE731 \# 6 abcdef012345",
        "sub 60 IN NS ns.sub",
        "sshfp 60 IN SSHFP 4 2 " + "12" * 32,
    ],
)
def test_every_kind_of_record_survives(line: str) -> None:
    soa = "@ 60 IN SOA ns1.alder.test. hostmaster.alder.test. 1 2 3 4 5\n@ 60 IN NS ns1.alder.test.\n"
    zone = parse_master(soa + line + "\n", ORIGIN)
    assert len(zone) == 3 and parse_master(master_text(zone), ORIGIN) == zone
    assert all(character.isprintable() or character == "\n" for character in master_text(zone))


@pytest.mark.parametrize(
    ("text", "where"),
    [
        (
            "@ 60 IN SOA a. b. 1 2 3 4 5\nwww 60 IN A 300.1.1.1\n",
            "z:2:13: '300.1.1.1' is no data of type A; expected one IPv4",
        ),
        (
            "@ 60 IN SOA a. b. 1 2 3 4 5\nwww 60 IN CNAME a\nwww 60 IN A 192.0.2.1\n",
            "z:2:1: an alias beside other data",
        ),
        ("@ 60 IN SOA a. b. 1 2 3 4 5\n\n\nwww 60 IN NONSENSE x\n", "z:4:11: 'NONSENSE'"),
        ("@ 60 IN SOA a. b. 1 2 3 4 5\n$INCLUDE /etc/passwd\n", "z:2:1: $INCLUDE"),
        ("@ 60 IN A 192.0.2.1\n", "no SOA record at kilnandclay.example"),
        ("", "no SOA"),
        ("@ 60 IN SOA ( a. b. 1 2 3 4 5\n", "z:1:13: a parenthesis that is never closed"),
        ('@ 60 IN SOA a. b. 1 2 3 4 5\nt 60 IN TXT "open\n', "z:2:13: a quotation mark"),
        ("@ IN SOA a. b. 1 2 3 4 5\nwww.other.test. 60 IN A 192.0.2.1\n", "z:2:1: www.other.test is not in the zone"),
        (" 60 IN A 192.0.2.1\n", "z:1:1: a record without a name"),
        ("@ 60 CH SOA a. b. 1 2 3 4 5\n", "z:1:6: class CH"),
        ("@ 60 IN SOA a. b. 1 2 3 4 5\n$GENERATE 1-9 a A 192.0.2.$\n", "z:2:1: $GENERATE"),
        ("@ 60 IN SOA a. b. 1 2 3 4 5\nc 60 CNAME a\nc 60 CNAME b\n", "z:3:1: a second alias"),
    ],
)
def test_a_fault_is_told_with_file_and_line(text: str, where: str) -> None:
    with pytest.raises(BadInput) as seen:
        parse_master(text, ORIGIN, "z")
    assert where in seen.value.message


def test_differences() -> None:
    left = parse_master(
        "@ 60 IN SOA a. b. 1 2 3 4 5\n@ 60 NS a.\nwww 60 A 192.0.2.1\nold 60 A 192.0.2.1\nttl 60 A 192.0.2.1\n", ORIGIN
    )
    right = parse_master(
        "@ 60 IN SOA a. b. 2 2 3 4 5\n@ 60 NS c.\nwww 60 A 192.0.2.2\nnew 60 A 192.0.2.1\nttl 90 A 192.0.2.1\n", ORIGIN
    )
    found = {each.name: each for each in zone_differences(left, right) if not each.expected}
    kinds = {name[1 : 1 + name[0]].decode(): each.kind for name, each in found.items()}
    assert kinds == {
        "www": DifferenceKind.DATA,
        "old": DifferenceKind.ONLY_LEFT,
        "new": DifferenceKind.ONLY_RIGHT,
        "ttl": DifferenceKind.TTL,
    }
    assert sum(each.expected for each in zone_differences(left, right)) == 2
    assert difference_text(found[parse_name("old", ORIGIN)]) == "old.kilnandclay.example A: 60 192.0.2.1 → nothing"
    assert zone_differences(left, left) == () and isinstance(found[parse_name("www", ORIGIN)], Difference)


def test_pieces() -> None:
    assert parse_rdata(SRV, "0 1 993 Mail", ORIGIN) == b"\0\0\0\1\x03\xe1\4mail" + ORIGIN
    with pytest.raises(BadInput):
        parse_rdata(A, "not an address", ORIGIN)
    assert rdata_text(A, b"\1\2") == "\\# 2 0102"  # not readable as what it should be: shown as bytes
    assert rdata_text(TXT, txt_rdata("x" * 300)).count('"') == 4
    assert targets(rrset(ORIGIN, MX, 1, [b"\0\x05\1b\0", b"\0\x09\1a\0"])) == (b"\1a\0", b"\1b\0")
    assert (parse_type("type731"), type_text(731), type_text(65), parse_type("mx")) == (731, "TYPE731", "HTTPS", 15)
    with pytest.raises(BadInput):
        parse_type("TYPE70000")


def test_all_faults_are_told_at_once() -> None:
    with pytest.raises(BadInput) as seen:
        parse_master("@ 60 IN SOA a. b. 1 2 3 4 5\na 60 A x\nb 60 A y\nc 60 A 192.0.2.1\nd A\n", ORIGIN, "z")
    assert "z:2:" in seen.value.message and "z:3:" in seen.value.remedy and "z:5:" in seen.value.remedy


def test_what_an_entry_may_leave_out() -> None:
    text = """
$TTL 1h ; the default
@ IN SOA ns1 hostmaster ( 1 ; serial
  2 3 4 5 )
  NS ns1
$ORIGIN sub.kilnandclay.example.
www IN 5m A 192.0.2.1
    5m IN AAAA 2001:db8::1
@ TXT "a ; b" ( "c"
  "d" )
"""
    zone = parse_master(text, ORIGIN)
    found = {(each.name, each.rtype): each.ttl for each in zone}
    www, sub = parse_name("www.sub", ORIGIN), parse_name("sub", ORIGIN)
    assert found == {(ORIGIN, 6): 3600, (ORIGIN, 2): 3600, (www, A): 300, (www, 28): 300, (sub, TXT): 3600}
    assert zone.get(sub, TXT).rdatas == (b"\x05a ; b\1c\1d",)  # type: ignore[union-attr]


@given(zones())
@settings(max_examples=40, deadline=None)
def test_the_library_reads_what_we_write(zone: Zone) -> None:
    import dns.zone

    theirs = dns.zone.from_text(master_text(zone), origin="kilnandclay.example.", relativize=False, check_origin=False)
    assert sum(len(each) for _, each in theirs.iterate_rdatasets()) == zone.record_count


@pytest.mark.parametrize(
    ("rtype", "typed", "meant"),
    [
        ("MX", "10 mail", "10 mail.kilnandclay.example."),
        ("MX", "10 mail.kilnandclay.example", "10 mail.kilnandclay.example."),
        ("MX", "10 mail.kilnandclay.example.", "10 mail.kilnandclay.example."),
        ("MX", "10 mx.rowan.test.", "10 mx.rowan.test."),
        ("CNAME", "@", "kilnandclay.example."),
        ("CNAME", "kilnandclay.example", "kilnandclay.example."),
        ("SRV", "0 1 993 mail.kilnandclay.example", "0 1 993 mail.kilnandclay.example."),
        ("HTTPS", "1 www.kilnandclay.example alpn=h2", '1 www.kilnandclay.example. alpn="h2"'),
        ("NAPTR", '100 50 "s" "SIP+D2U" "" _sip._udp', '100 50 "s" "SIP+D2U" "" _sip._udp.kilnandclay.example.'),
        ("TXT", "v=spf1 mx -all", '"v=spf1 mx -all"'),
        ("TXT", 'k="v"; rest=1', r'"k=\"v\"; rest=1"'),
        ("TXT", '"one; two" "three"', r'"one; two" "three"'),
        ("CAA", '0 issue "ca.test; policy=ev"', r'0 issue "ca.test; policy=ev"'),
    ],
)
def test_names_in_data_that_are_typed_are_never_doubled(rtype: str, typed: str, meant: str) -> None:
    kind = parse_type(rtype)
    assert rdata_text(kind, typed_rdata(kind, typed, ORIGIN)) == meant
    assert (
        parse_rdata(parse_type("MX"), "10 mail.kilnandclay.example", ORIGIN).count(b"kilnandclay") == 2
    )  # a master file's own rule


@pytest.mark.parametrize(
    ("rtype", "typed"), [("TXT", '"k=v"; rest=1'), ("TXT", '"open'), ("CAA", "0 issue ca.test; policy=ev")]
)
def test_nothing_that_is_typed_is_lost_in_silence(rtype: str, typed: str) -> None:
    with pytest.raises(BadInput, match="quotation mark"):
        typed_rdata(parse_type(rtype), typed, ORIGIN)


@pytest.mark.parametrize(
    ("kind", "typed", "written"),
    [
        ("MB", "mail", "mail.kilnandclay.example."),
        ("MINFO", "post bounces.ferrytimes.example.", "post.kilnandclay.example. bounces.ferrytimes.example."),
        ("MG", "@", "kilnandclay.example."),
        ("AMTRELAY", "10 0 1 203.0.113.15", "\\# 6 0a01cb00710f"),
        ("AVC", '"app-name:shop"', "\\# 14 0d6170702d6e616d653a73686f70"),
        ("TA", "4711 13 2 " + "ab" * 32, "\\# 36 12670d02" + "ab" * 32),
        ("SINK", "\\# 3 010203", "\\# 3 010203"),
        ("TYPE65300", "\\# 3 010203", "\\# 3 010203"),
    ],
)
def test_types_that_hardly_anybody_has_are_read_and_written_as_every_server_knows_them(
    kind: str, typed: str, written: str
) -> None:
    """RFC 1035 s3.3 for those of names alone, RFC 3597 s5 for the rest."""
    rtype = parse_type(kind)
    rdata = typed_rdata(rtype, typed, ORIGIN)
    assert rdata_text(rtype, rdata) == written and parse_rdata(rtype, written, ORIGIN) == rdata
    assert kind == type_text(rtype) or type_text(rtype) == f"TYPE{rtype}"
