"""The codec against the general library, in both directions, and against bytes that nobody meant."""

import contextlib

import dns.exception
import dns.flags
import dns.message
import dns.name
import dns.rdata
import dns.rdataclass
import dns.rdatatype
import dns.rrset
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from legatum.core.records.name import MAX_NAME, Name, parse_name
from legatum.core.records.rrset import RRset
from legatum.core.records.rrtype import NAME_FIELDS
from legatum.wire.malformed import Malformed
from legatum.wire.message import (
    AA,
    QR,
    TC,
    Edns,
    Message,
    Question,
    decode,
    encode,
    encode_question,
    records,
    rrsets,
)
from tests.strategies import names
from tests.strategies import rrsets as any_rrset

sections = st.lists(any_rrset(), max_size=4, unique_by=lambda each: (each.name, each.rtype))
WWW = parse_name("www.kilnandclay.example.")


def in_library(each: RRset) -> dns.rrset.RRset:
    owner = dns.name.from_wire(each.name, 0)[0]
    found = dns.rrset.RRset(owner, dns.rdataclass.IN, dns.rdatatype.RdataType.make(each.rtype))
    for rdata in each.rdatas:
        found.add(dns.rdata.from_wire(dns.rdataclass.IN, found.rdtype, rdata, 0, len(rdata)), each.ttl)
    return found


def from_library(section: list[dns.rrset.RRset]) -> set[RRset]:
    return {
        RRset(
            Name(each.name.canonicalize().to_wire()),
            each.rdtype,
            each.ttl,
            tuple(sorted(rdata.to_digestable() for rdata in each)),
        )
        for each in section
    }


@given(names, sections, sections, sections, st.integers(0, 65535))
@settings(max_examples=150, deadline=None)
def test_what_the_library_writes_is_read_alike(
    name: Name, answer: list[RRset], authority: list[RRset], additional: list[RRset], ident: int
) -> None:
    message = dns.message.Message(ident)
    message.flags = dns.flags.QR | dns.flags.AA
    message.question.append(dns.rrset.RRset(dns.name.from_wire(name, 0)[0], dns.rdataclass.IN, dns.rdatatype.A))
    for section, content in zip(
        (message.answer, message.authority, message.additional), (answer, authority, additional), strict=True
    ):
        section.extend(in_library(each) for each in content)
    message.use_edns(0, dns.flags.DO, 1232)
    decoded = decode(message.to_wire(max_size=65535))
    assert (decoded.id, decoded.flags, decoded.questions) == (ident, QR | AA, (Question(name, 1),))
    assert decoded.edns == Edns(1232, 0, 0x8000)
    assert set(rrsets(decoded.answer)) == set(answer)
    assert set(rrsets(decoded.authority)) == set(authority)
    assert set(rrsets(decoded.additional)) == set(additional)


@given(names, sections, sections, st.integers(0, 4095))
@settings(max_examples=150, deadline=None)
def test_what_is_written_the_library_reads_alike(
    name: Name, answer: list[RRset], authority: list[RRset], rcode: int
) -> None:
    message = Message(
        7,
        QR,
        rcode,
        (Question(name, 15),),
        records(answer),
        records(authority),
        (),
        Edns(4096, 0, 0, ((10, b"12345678"),)),
    )
    read = dns.message.from_wire(encode(message))
    assert from_library(read.answer) == set(answer) and from_library(read.authority) == set(authority)
    assert (read.id, int(read.rcode()), read.payload, len(read.options)) == (7, rcode, 4096, 1)
    assert decode(encode(message)) == message


@given(st.sampled_from(sorted(NAME_FIELDS)), names, names, st.binary(max_size=8))
def test_names_in_data_come_out_whole_and_in_lower_case(rtype: int, owner: Name, target: Name, rest: bytes) -> None:
    """Compressed and in capitals going in, canonical coming out - for every type that carries names (RFC 3597 s4)."""
    skip, strings, count = NAME_FIELDS[rtype]
    rest = {2: b"", 5: b"", 6: bytes(20), 12: b"", 15: b"", 39: b""}.get(rtype, rest)  # these have a form of their own
    head = bytes(skip) + b"\1x" * strings
    rdata = head + b"\xc0\x0c" * count + rest
    wire = bytes.fromhex("0001 8400 0001 0001 0000 0000") + target.upper() + b"\0\1\0\1" + owner
    wire += rtype.to_bytes(2) + b"\0\1\0\0\0\5" + len(rdata).to_bytes(2) + rdata
    (record,) = decode(wire).answer
    assert record.rdata == head + target * count + rest


def good_reply() -> bytes:
    answer = [
        RRset(WWW, 5, 300, (parse_name("kilnandclay.example."),)),
        RRset(parse_name("kilnandclay.example."), 15, 9, (b"\0\x0a" + WWW,)),
    ]
    return encode(Message(1, QR | AA, 0, (Question(WWW, 1),), records(answer), (), records(answer), Edns(1232, 0, 0)))


@given(st.binary(max_size=600))
@settings(max_examples=400)
@example(b"\0" * 12)
def test_random_bytes_end_in_a_message_or_a_typed_error(wire: bytes) -> None:
    with contextlib.suppress(Malformed):
        decode(wire)


@given(st.lists(st.tuples(st.integers(0, 200), st.integers(0, 255)), min_size=1, max_size=6), st.integers(0, 200))
@settings(max_examples=600)
def test_mutated_messages_end_in_a_message_or_a_typed_error(changes: list[tuple[int, int]], cut: int) -> None:
    wire = bytearray(good_reply())
    for place, octet in changes:
        wire[place % len(wire)] = octet
    try:
        decoded = decode(bytes(wire[: len(wire) - cut % len(wire)] if cut % 3 == 0 else wire))
        assert all(len(record.name) <= MAX_NAME for record in decoded.answer)
    except Malformed:
        pass


@pytest.mark.parametrize(
    ("why", "name"),
    [
        ("a pointer to itself", b"\xc0\x0c"),
        ("a pointer forwards", b"\xc0\x20"),
        ("two that point at each other", b"\1a\xc0\x0c"),
        ("beyond the message", b"\xff\xff"),
        ("a label of unknown kind", b"\x80a"),
        ("a label that is cut off", b"\x3fabc"),
        ("a name without end", b"\1a" * 128),
    ],
)
def test_names_that_lead_nowhere_are_refused(why: str, name: bytes) -> None:
    with pytest.raises(Malformed):
        decode(bytes.fromhex("0001 0000 0001 0000 0000 0000") + name + b"\0\1\0\1")


def test_a_message_of_64_kib_made_to_be_slow_costs_a_bounded_time() -> None:
    """Thousands of records whose owners are pointers to a chain of pointers: the chain is refused, not followed."""
    chain = b"\1a\0" + b"".join(
        (0xC000 | (12 if number == 0 else 15 + 2 * (number - 1))).to_bytes(2) for number in range(6000)
    )
    last = (0xC000 | (15 + 2 * 5999)).to_bytes(2)
    record = last + bytes.fromhex("0001 0001 00000000 0000")
    count = (65535 - 12 - len(chain)) // len(record)
    wire = bytes.fromhex("0001 8000 0000") + count.to_bytes(2) + b"\0\0\0\0" + chain + record * count
    with pytest.raises(Malformed):
        decode(wire)


def test_trailing_bytes_and_wrong_counts_are_refused() -> None:
    whole = good_reply()
    with pytest.raises(Malformed):
        decode(whole + b"\0")
    with pytest.raises(Malformed):
        decode(whole[:5] + b"\2" + whole[6:])
    with pytest.raises(Malformed):
        decode(whole[:11])


def test_over_the_limit_whole_rrsets_go_and_truncation_is_said() -> None:
    big = [RRset(WWW, 16, 60, tuple(sorted(bytes([40]) + bytes([number]) * 40 for number in range(20))))]
    message = Message(5, QR | AA, 0, (Question(WWW, 16),), records(big), records(big), records(big), Edns(1232, 0, 0))
    assert decode(encode(message)) == message
    cut = decode(encode(message, 512))
    assert cut.flags & TC and cut.answer == () and cut.edns is not None and cut.questions == message.questions
    roomy = decode(encode(message, len(encode(message._replace(authority=(), additional=()))) + 1))
    assert rrsets(roomy.answer) == tuple(big) and not roomy.additional


def test_the_ttl_of_a_set_is_the_least_and_the_high_bit_means_zero() -> None:
    wire = bytearray(encode(Message(1, QR, 0, (), records([RRset(WWW, 1, 300, (b"\1\1\1\1", b"\2\2\2\2"))]))))
    second = wire.rindex(b"\0\0\1\x2c")
    wire[second : second + 4] = b"\0\0\0\x0a"
    assert rrsets(decode(bytes(wire)).answer)[0].ttl == 10  # RFC 2181 s5.2
    wire[second : second + 4] = b"\x80\0\0\x0a"
    assert rrsets(decode(bytes(wire)).answer)[0].ttl == 0  # RFC 2181 s8


def test_a_question_is_what_the_library_asks() -> None:
    read = dns.message.from_wire(encode_question(77, WWW, 28, flags=0x0100, dnssec=True))
    expected = dns.message.make_query("www.kilnandclay.example.", "AAAA", want_dnssec=True, payload=1232, id=77)
    assert read == expected and read.payload == 1232 and read.ednsflags == expected.ednsflags
