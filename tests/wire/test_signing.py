"""Transaction signatures: our two sides against each other, and each against the general library."""

import dns.message
import dns.tsig
import dns.tsigkeyring
import pytest

from legatum.core.records.name import parse_name
from legatum.wire.codes import BADKEY, BADSIG, BADTIME
from legatum.wire.message import QR, Message, Question, decode, encode, encode_question
from legatum.wire.tsig import BadSignature, Exchange, TsigKey, refuse_signature, tsig_data

NAME, NOW = parse_name("kilnandclay.example."), 1_930_000_000.0
KEY = TsigKey(parse_name("quillmoor.key.test."), "hmac-sha256", b"s" * 32)


def answer(number: int = 1) -> bytes:
    return encode(Message(3, QR, 0, (Question(NAME, 6),), (), (), ()) if number else Message(3, QR, 0))


def test_a_request_and_a_chain_of_answers_hold() -> None:
    client, server = Exchange(KEY), Exchange(KEY)
    request = client.sign_request(encode_question(3, NAME, 252), NOW)
    server.check_request(request, decode(request), NOW + 200)
    for number in range(3):
        signed = server.sign_answer(answer(number), NOW, multi=True)
        client.check_answer(signed, decode(signed), NOW, multi=True)
    tampered = bytearray(server.sign_answer(answer(), NOW, multi=True))
    tampered[3] ^= 1
    with pytest.raises(BadSignature):
        client.check_answer(bytes(tampered), decode(bytes(tampered)), NOW, multi=True)


@pytest.mark.parametrize("algorithm", ["hmac-sha256", "hmac-sha512"])
def test_the_library_takes_our_signature_and_we_take_its(algorithm: str) -> None:
    import time

    key = TsigKey(KEY.name, algorithm, KEY.secret)
    ring = {dns.name.from_text("quillmoor.key.test."): key.library_key()}
    exchange = Exchange(key)
    signed = exchange.sign_request(encode_question(9, NAME, 6, size=0), time.time())
    read = dns.message.from_wire(signed, keyring=ring)
    assert read.had_tsig
    reply = dns.message.make_response(read)
    wire = reply.to_wire()
    exchange.check_answer(wire, decode(wire), time.time())


@pytest.mark.parametrize(
    ("key", "late", "code"),
    [
        (TsigKey(parse_name("other.key.test."), "hmac-sha256", b"s" * 32), 0, BADKEY),
        (TsigKey(KEY.name, "hmac-sha512", b"s" * 32), 0, BADKEY),
        (TsigKey(KEY.name, "hmac-sha256", b"t" * 32), 0, BADSIG),
        (KEY, 1000, BADTIME),
    ],
)
def test_unknown_key_wrong_secret_and_wrong_time_are_told_apart(key: TsigKey, late: float, code: int) -> None:
    client = Exchange(key)
    request = client.sign_request(encode_question(3, NAME, 6), NOW)
    with pytest.raises(BadSignature) as seen:
        Exchange(KEY).check_request(request, decode(request), NOW + late)
    assert seen.value.code == code and not seen.value.by_peer
    refusal = refuse_signature(answer(), decode(request), code, NOW)
    assert tsig_data(decode(refusal).additional[-1]).error == code


def test_an_answer_without_signature_is_no_answer() -> None:
    client = Exchange(KEY)
    client.sign_request(encode_question(3, NAME, 6), NOW)
    with pytest.raises(BadSignature):
        client.check_answer(answer(), decode(answer()), NOW)


def test_the_secret_does_not_show() -> None:
    assert "sss" not in repr(KEY)
