"""What the octets say at their edges: options, flags, codes of refusal, conditions of an update, XML that is none."""

import dns.edns
import dns.flags
import dns.message
import pytest

from legatum.core.records.name import parse_name
from legatum.core.records.rrset import RRset, rrset
from legatum.core.records.rrtype import DNSKEY, NS, SOA, TXT, A
from legatum.core.records.soa import SoaFields
from legatum.core.zones.zone import Zone
from legatum.wire import epp
from legatum.wire.codes import BADKEY, BADSIG, BADTIME
from legatum.wire.epp.document import body, name_at, number
from legatum.wire.malformed import Malformed
from legatum.wire.message import (
    IN,
    NONE,
    QR,
    Edns,
    Message,
    Question,
    Record,
    client_subnet,
    decode,
    encode,
    encode_question,
)
from legatum.wire.tsig import BadSignature, Exchange, TsigKey, refuse_signature, tsig_data
from legatum.wire.update import Part, key_changes, on_sets, on_soa, replace_changes, without_effect

NAME = parse_name("kilnandclay.example.")
WWW = parse_name("www.kilnandclay.example.")
NOW = 1_930_000_000.0
KEY = TsigKey(parse_name("quillmoor.key.test."), "hmac-sha256", b"s" * 32)


# Messages


@pytest.mark.parametrize(
    ("network", "wire"),
    [
        ("192.0.2.0/24", b"\0\1\x18\0\xc0\0\2"),
        ("192.0.2.128/25", b"\0\1\x19\0\xc0\0\2\x80"),
        ("0.0.0.0/0", b"\0\1\0\0"),
        ("2001:db8::/56", b"\0\2\x38\0\x20\x01\x0d\xb8\0\0\0"),
    ],
)
def test_a_network_as_rfc_7871_has_it(network: str, wire: bytes) -> None:
    assert client_subnet(network) == wire
    option = dns.edns.ECSOption.from_text(network)
    assert option.to_wire() == wire
    asked = dns.message.from_wire(encode_question(1, WWW, A, network=network))
    assert [each.to_wire() for each in asked.options] == [wire] and asked.ednsflags == 0
    with pytest.raises(ValueError, match="host bits set"):
        client_subnet("192.0.2.1/24")


def test_what_a_question_says_where_nothing_is_said() -> None:
    plain = dns.message.from_wire(encode_question(7, WWW, A))
    assert (plain.id, int(plain.flags), plain.payload, plain.ednsflags, plain.options) == (7, 0, 1232, 0, ())
    bare = dns.message.from_wire(encode_question(7, WWW, A, size=0))
    assert bare.edns == -1


def test_every_part_of_edns_comes_over() -> None:
    edns = Edns(4096, 3, 0x8001, ((10, b"12345678"), (15, b"\0\x12gone"), (12, b"")))
    message = Message(9, QR, 0x123, (Question(WWW, A),), edns=edns)
    assert decode(encode(message)) == message
    library = dns.message.from_wire(encode(message._replace(edns=edns._replace(version=0))))
    assert library.rcode() == 0x123 and library.payload == 4096 and int(library.ednsflags) & 0xFFFF == 0x8001
    assert [int(each.otype) for each in library.options] == [10, 15, 12]
    cut = encode(message)
    with pytest.raises(Malformed):
        decode(cut[:-1])
    short = encode(Message(9, QR, 0, (), edns=Edns(512, 0, 0, ((10, b"1234"),))))
    broken = short[:-6] + b"\0\5" + short[-4:]  # the option says five octets, four are left
    with pytest.raises(Malformed, match="an EDNS option that is cut off"):
        decode(broken)


# Signatures


def refused(key: TsigKey, late: float = 0.0) -> BadSignature:
    request = Exchange(key).sign_request(encode_question(3, NAME, SOA), NOW)
    with pytest.raises(BadSignature) as found:
        Exchange(KEY).check_request(request, decode(request), NOW + late)
    return found.value


def test_why_a_signature_is_refused_and_by_whom() -> None:
    assert not refused(TsigKey(KEY.name, KEY.algorithm, b"t" * 32)).by_peer
    late = refused(KEY, 1000.0)
    assert (late.code, late.why, str(late), late.by_peer) == (
        BADTIME,
        "signed 1000 s away from this clock",
        late.why,
        False,
    )
    other = refused(TsigKey(parse_name("other.key.test."), KEY.algorithm, KEY.secret))
    assert other.code == BADKEY and other.why and other.why != "None"
    with pytest.raises(BadSignature, match="the message is not signed") as unsigned:
        Exchange(KEY).check_request(wire := encode_question(3, NAME, SOA), decode(wire), NOW)
    assert (unsigned.value.code, unsigned.value.by_peer) == (BADKEY, False)
    with pytest.raises(BadSignature, match="cannot be read") as junk:
        tsig_data(Record(KEY.name, 250, 255, 0, b"junk"))
    assert (junk.value.code, junk.value.by_peer) == (BADSIG, False)


@pytest.mark.parametrize(("code", "other"), [(BADTIME, int(NOW).to_bytes(6)), (BADSIG, b""), (BADKEY, b"")])
def test_a_refusal_says_why_and_what_time_it_is_where_that_is_why(code: int, other: bytes) -> None:
    """RFC 8945 s5.2: unsigned, with the error; with BADTIME the server's clock."""
    client = Exchange(KEY)
    request = client.sign_request(encode_question(3, NAME, SOA), NOW)
    answer = refuse_signature(encode(Message(3, QR, 9, (Question(NAME, SOA),))), decode(request), code, NOW + 0.9)
    told = decode(answer)
    data = tsig_data(told.additional[-1])
    assert (int(data.error), data.other, data.mac, data.original_id) == (code, other, b"", 3)
    assert told.additional[-1].name == KEY.name and told.additional[-1].ttl == 0
    with pytest.raises(BadSignature) as found:
        client.check_answer(answer, told, NOW)
    assert found.value.by_peer and found.value.code == code and found.value.why not in ("", "None")


def test_unsigned_messages_of_a_transfer_are_bounded() -> None:
    """RFC 8945 s5.3.1: 99 between two signatures, and none before the first."""
    client, server = Exchange(KEY), Exchange(KEY)
    request = client.sign_request(encode_question(3, NAME, 252), NOW)
    server.check_request(request, decode(request), NOW)
    plain = encode(Message(3, QR, 0))
    with pytest.raises(BadSignature, match="not signed"):
        client.check_answer(plain, decode(plain), NOW, multi=True)
    first = server.sign_answer(encode(Message(3, QR, 0, (Question(NAME, 252),))), NOW, multi=True)
    client.check_answer(first, decode(first), NOW, multi=True)
    assert client.unsigned == 0
    for expected in range(1, 100):
        client.check_answer(plain, decode(plain), NOW, multi=True)
        assert client.unsigned == expected
    with pytest.raises(BadSignature, match="more than 99"):
        client.check_answer(plain, decode(plain), NOW, multi=True)
    alone = Exchange(KEY)
    alone.sign_request(encode_question(3, NAME, SOA), NOW)
    with pytest.raises(BadSignature, match="the answer is not signed"):
        alone.check_answer(plain, decode(plain), NOW)


# Updates


SOA_DATA = SoaFields(
    parse_name("ns1.alder.test."), parse_name("hostmaster.alder.test."), 7, 3600, 600, 86400, 60
).rdata()
ZONE = Zone(NAME, [
    RRset(NAME, SOA, 3600, (SOA_DATA,)), rrset(NAME, NS, 3600, [parse_name("ns1.alder.test.")]),
    rrset(WWW, A, 300, [bytes((192, 0, 2, 1)), bytes((192, 0, 2, 2))]),
])  # fmt: skip


def test_conditions_are_the_data_without_a_ttl() -> None:
    """RFC 2136 s2.4: class IN and TTL 0 for *just so*, class NONE for *not there*."""
    change = Record(WWW, A, NONE, 0, bytes((192, 0, 2, 1)))
    new = Record(WWW, TXT, IN, 60, b"\1x")
    whole = on_soa(ZONE, Part(SOA_DATA, (change, new)), 5)
    assert whole.answer == (Record(NAME, SOA, IN, 0, SOA_DATA),) and whole.authority == (change, new) and whole.id == 5
    sets = on_sets(ZONE, Part(SOA_DATA, (change, new)), 6)
    assert sets.answer == (
        Record(WWW, A, IN, 0, bytes((192, 0, 2, 1))),
        Record(WWW, A, IN, 0, bytes((192, 0, 2, 2))),
        Record(WWW, TXT, NONE, 0, b""),
    )
    alone = on_sets(ZONE, Part(SOA_DATA, (Record(NAME, SOA, IN, 3600, SOA_DATA),)), 7)
    assert alone.answer == (Record(NAME, NS, IN, 0, parse_name("ns1.alder.test.")),)
    again = replace_changes(sets, 8, (change,))
    assert (again.id, again.answer, again.authority, again.questions, again.flags) == (
        8,
        sets.answer,
        (change,),
        sets.questions,
        sets.flags,
    )


def test_changes_that_leave_everything_as_it_is() -> None:
    assert without_effect(ZONE, Record(WWW, A, NONE, 0, bytes(4))) == Record(WWW, A, IN, 300, bytes((192, 0, 2, 1)))
    assert without_effect(ZONE, Record(WWW, TXT, IN, 60, b"\1x")) == Record(WWW, TXT, NONE, 0, b"\1x")


def test_single_keys_come_and_go() -> None:
    assert key_changes(NAME, 3600, [b"new"], [b"old", b"older"]) == (
        Record(NAME, DNSKEY, IN, 3600, b"new"),
        Record(NAME, DNSKEY, NONE, 0, b"old"),
        Record(NAME, DNSKEY, NONE, 0, b"older"),
    )


# EPP


@pytest.mark.parametrize(
    ("text", "says"),
    [
        (b"<epp", "no well-formed XML: "),
        (b'<epp xmlns="urn:ietf:params:xml:ns:epp-1.0"/>', "no EPP document"),
        (b'<other xmlns="urn:ietf:params:xml:ns:epp-1.0"><hello/></other>', "no EPP document"),
        (b'<epp xmlns="urn:other"><hello/></epp>', "no EPP document"),
        (b'<!DOCTYPE epp><epp xmlns="urn:ietf:params:xml:ns:epp-1.0"><hello/></epp>', "no EPP document"),
    ],
)
def test_what_is_no_epp(text: bytes, says: str) -> None:
    with pytest.raises(Malformed, match=says):
        body(text)


def test_comments_are_passed_over_and_names_may_end_in_a_dot() -> None:
    found = body(b'<epp xmlns="urn:ietf:params:xml:ns:epp-1.0"><!-- first --><hello/></epp>')
    assert found.tag == "{urn:ietf:params:xml:ns:epp-1.0}hello"
    inside = '<x xmlns="urn:ietf:params:xml:ns:domain-1.0"><name>{}</name></x>'
    frame = f'<epp xmlns="urn:ietf:params:xml:ns:epp-1.0">{inside}</epp>'
    target = body(frame.format("a.example.").encode())
    assert name_at(target, "d:name") == parse_name("a.example.") and name_at(target, "d:other") is None
    bad = body(frame.format("a..b").encode())
    with pytest.raises(Malformed, match=r"a name that is none: .+"):
        name_at(bad, "d:name")
    assert [number(each) for each in ("12", "999999999", "1000000000", "-1", "x", "")] == [12, 999999999, 0, 0, 0, 0]


def test_lengths_and_codes_at_their_bounds() -> None:
    assert epp.frame_length((5).to_bytes(4)) == 1 and epp.frame_length((1 << 20).to_bytes(4)) == (1 << 20) - 4
    for length in (4, (1 << 20) + 1):
        with pytest.raises(Malformed, match=f"a frame of {length} octets"):
            epp.frame_length(length.to_bytes(4))
    assert (
        "done" in epp.meaning(1999)
        and "refused" in epp.meaning(2099)
        and epp.meaning(2000) == epp.MEANINGS.get(2000, epp.meaning(2099))
    )
