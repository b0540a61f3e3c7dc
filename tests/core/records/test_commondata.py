"""Quick readers and writers of record data agree with the general library; every slip in a master file is told where it
is."""

import dns.name
import dns.rdata
import dns.zone
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from legatum.core.records.commondata import READERS, WRITERS, Names
from legatum.core.records.name import parse_name
from legatum.core.records.rrtype import AAAA, ALIAS, NS, TXT, type_text
from legatum.core.running.fault import BadInput
from legatum.core.zones.masterfile import parse_master, read_master
from tests.strategies import ORIGIN

octets = st.integers(0, 255)
texts = st.text(st.sampled_from('abcXYZ019 .:;_-=()\\"'), max_size=20)
fields = st.one_of(
    st.tuples(octets, octets, octets, octets).map(lambda each: ".".join(map(str, each))),
    st.ip_addresses(v=6).map(str),
    st.ip_addresses(v=6).map(lambda each: each.exploded.upper()),
    st.builds(
        "{} {}".format, st.integers(-1, 70000), st.sampled_from(["mail", "Mail.Other.test.", "@", "a..b", "*.x", "a/b"])
    ),
    st.sampled_from(
        [
            "www",
            "WWW.kilnandclay.example.",
            ".",
            "x" * 64,
            "-",
            "a_b.c",
            "::1",
            "1::2::3",
            "1.2.3",
            "01.2.3.4",
            ":::",
            "::ffff:1.2.3.4",
        ]
    ),
    st.builds("{} {} {} {}".format, octets, octets, octets, st.sampled_from(["host", "0A0b", "abc", "00 11"])),
    st.builds('{} {} "{}"'.format, octets, st.sampled_from(["issue", "iodef", "a-b"]), texts),
    st.builds('"{}" "{}"'.format, texts, texts),
    texts,
)


@given(st.sampled_from(sorted(READERS.keys() - {ALIAS})), fields)
@example(AAAA, ":::")
@example(AAAA, "1::2::3")
@example(AAAA, "12345::")
@example(AAAA, "::+1")
@example(TXT, "(")
@example(NS, "0 mail")
@settings(max_examples=500, deadline=None)
def test_what_is_read_quickly_is_what_the_library_reads(rtype: int, text: str) -> None:
    try:
        ours = READERS[rtype](text, Names(ORIGIN))
    except (BadInput, ValueError, LookupError):
        return
    origin = dns.name.from_wire(ORIGIN, 0)[0]
    theirs = dns.rdata.from_text("IN", type_text(rtype), text, origin=origin, relativize=False)
    assert ours == theirs.to_digestable(origin)


_pieces = st.sampled_from(
    ["a", "www", "_tcp", "A-b", "*", "@", "", "x" * 63, "x" * 64, "\\046", "\\.", "é", "a\u3002b", "٣", "0/25"]
)


@given(st.lists(st.lists(_pieces, max_size=5).map(".".join), min_size=1, max_size=6))
@example(["@", "a.@"])
@example([".", "a.."])
@example(["x" * 63 + ("." + "x" * 63) * 2, "a." + "x" * 63 + ("." + "x" * 63) * 2])
@settings(max_examples=300, deadline=None)
def test_names_are_the_same_whatever_was_read_before_them(spellings: list[str]) -> None:
    names = Names(ORIGIN)
    for text in spellings:
        try:
            expected = parse_name(text, ORIGIN)
        except BadInput:
            with pytest.raises(BadInput):
                names[text]
        else:
            assert names[text] == names[text] == expected


@given(st.sampled_from(sorted(WRITERS.keys() - {ALIAS})), st.binary(max_size=40))
def test_what_is_written_quickly_is_read_back_by_the_library(rtype: int, rdata: bytes) -> None:
    try:
        theirs = dns.rdata.from_wire("IN", type_text(rtype), rdata, 0, len(rdata))
    except Exception:
        return
    try:
        text = WRITERS[rtype](rdata)
    except (ValueError, LookupError):
        return
    assert text.isprintable() and dns.rdata.from_text("IN", type_text(rtype), text) == theirs


BIG = """$TTL 1h
@ IN SOA ns1 hostmaster 1 14400 3600 1209600 600
@ NS ns1.alder.test.
www 300 IN A 198.51.100.80 ; the shop
www 300 IN A 198.51.100.81
www AAAA 2001:DB8::80
\tMX 10 Mail
mail 5m IN A 203.0.113.25\r
ftp IN 60 CNAME www
$ORIGIN sub
a.b TXT "one; two" three "fo\\"ur"
@ ( 60
  A 198.51.100.82 )
* SRV 0 5 5060 www.kilnandclay.example.
caa CAA 0 issue "authority.test"
svc HTTPS 1 . alpn=h2
odd TYPE731 \\# 2 abcd"""


def test_a_master_file_says_what_the_library_reads() -> None:
    zone = parse_master(BIG, ORIGIN)
    theirs = dns.zone.from_text(BIG, origin="kilnandclay.example.", relativize=False)
    origin = dns.name.from_wire(ORIGIN, 0)[0]
    wanted = {
        (name.to_digestable(), ttl, rdata.rdtype, rdata.to_digestable(origin))
        for name, ttl, rdata in theirs.iterate_rdatas()
    }
    assert {(each.name, each.ttl, each.rtype, rdata) for each in zone for rdata in each.rdatas} == wanted


def test_every_slip_is_told_with_its_place() -> None:
    text = """$TTL 3600
@ SOA ns1 hostmaster 1 2 3 4 5
a A 192.0.2.256
b AAAA 2001:db8::g
c MX mail
d SRV 0 5 5060
e TXT "open
f HTTPS none
  g A ( 192.0.2.1
h.other.test. A 192.0.2.1
i CNAME a
i TXT "beside"
j IN
k A 192.0.2.1
k 60 A 192.0.2.2
k 60 A 192.0.2.2
"""
    reading = read_master(text.replace("  g A (", "g A"), ORIGIN, "z")
    places = [slip.text.split(": ")[0] for slip in reading.slips]
    assert places == ["z:3:5", "z:4:8", "z:5:6", "z:6:7", "z:7:7", "z:8:9", "z:10:1", "z:11:1", "z:13:3"]
    assert (
        "expected one IPv4 address" in reading.slips[0].text
        and "expected a preference and a host" in reading.slips[2].text
    )
    k = (parse_name("k", ORIGIN), 1)
    assert reading.uneven == {k: (60, 3600)} and reading.repeated == (k,)
    assert reading.zone is not None and reading.zone.get(*k).ttl == 60  # type: ignore[union-attr]
    unclosed = read_master(text, ORIGIN, "z")
    assert any(slip.line == 9 and "never closed" in slip.what for slip in unclosed.slips) and unclosed.zone.get(*k)  # type: ignore[union-attr]


def test_included_files_are_read_and_blamed() -> None:
    files = {"hosts": "a A 192.0.2.1\nb A wrong\n$ORIGIN deeper\n", "round": "$INCLUDE round\n"}

    def include(file: str, name: str) -> tuple[str, str]:
        if name not in files:
            raise BadInput(f"{name}: no such file")
        return name, files[name]

    text = "$TTL 60\n@ SOA a. b. 1 2 3 4 5\nx A 192.0.2.9\n$INCLUDE hosts sub\n  MX 1 x\ny A 192.0.2.8\n$INCLUDE gone\n"
    reading = read_master(text, ORIGIN, "main", include)
    assert [slip.text.split(": ")[0] for slip in reading.slips] == ["main:7:10", "hosts:2:5"]
    names = {each.name for each in reading.zone or ()}
    assert names == {ORIGIN, *(parse_name(each, ORIGIN) for each in ("x", "y", "a.sub"))}
    assert {each.rtype for each in reading.zone or () if each.name == parse_name("x", ORIGIN)} == {1, 15}
    with pytest.raises(BadInput, match="more than 8 deep"):
        parse_master("@ 60 SOA a. b. 1 2 3 4 5\n$INCLUDE round\n", ORIGIN, "main", include)
