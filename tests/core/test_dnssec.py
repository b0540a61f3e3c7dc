"""DNSSEC arithmetic against the examples of RFC 4034, 4035, 4509 and 5155, and signatures against those the general library makes."""

import base64

import pytest
from hypothesis import given
from hypothesis import strategies as st

from legatum.core.dnssec.denial import denies, nsec3_hash, parse_nsec3, parse_types
from legatum.core.dnssec.key import Ds, digest_of, fits, key_tag, parse_ds, parse_key
from legatum.core.dnssec.signature import Validity, best_validity, check_signature, parse_signature
from legatum.core.records.name import Name, parse_name
from legatum.core.records.presentation import parse_rdata
from legatum.core.records.rrset import RRset, rrset
from legatum.core.records.rrtype import DS, MX, NSEC, NSEC3, A
from tests.core.findings.pictures import DAY, DOMAIN, NOW, SIGNER, Signer, soa

OWNER = parse_name("dskey.example.com.")
KEY = (256).to_bytes(2, "big") + b"\x03\x05" + base64.b64decode(
    "AQOeiiR0GOMYkDshWoSKz9XzfwJr1AYtsmx3TGkJaNXVbfi/2pHm822aJ5iI9BMzNXxeYCmZDRD99WYwYqUSdjMmmAphXdvxegXd/M5+X7Orz"
    "KBaMbCVdFLUUh6DhweJBjEVv5f2wwjM9XzcnOf+EPbtG9DMBmADjFDc2w/rljwvFw=="
)  # fmt: skip
SALT = bytes.fromhex("aabbccdd")


def test_the_key_and_ds_of_rfc_4034_and_4509() -> None:
    assert key_tag(KEY) == 60485
    sha1, sha256 = digest_of(OWNER, KEY, 1), digest_of(OWNER, KEY, 2)
    assert sha1 is not None and sha1.hex() == "2bb183af5f22588179a53b0a98631fad1a292118"
    assert sha256 is not None and sha256.hex() == "d4b7d520e7bb5f0f67674a0cceb1e3e0614b93c4f9e99b8383f6a1e4469da50a"
    ds = Ds(60485, 5, 2, sha256)
    assert fits(OWNER, ds, KEY) and not fits(DOMAIN, ds, KEY) and not fits(OWNER, ds._replace(tag=1), KEY)
    assert digest_of(OWNER, KEY, 99) is None
    key = parse_key(KEY)
    assert key is not None and key.signs_zone and key.bits == 1024


@given(st.binary(max_size=40))
def test_short_or_odd_data_never_raise(data: bytes) -> None:
    for parsed in (parse_key(data), parse_ds(data), parse_signature(data)):
        assert parsed is None or parsed
    parse_types(data)
    parse_nsec3(RRset(parse_name("0p9mhaveqvm6t7vbl5lop2u3t2rp3tom.example."), NSEC3, 60, (data,)))
    denies(DOMAIN, A, [RRset(DOMAIN, NSEC, 60, (data,)), RRset(DOMAIN, NSEC3, 60, (data,))])


def signature_over(rrset_: RRset, signer: Signer = SIGNER, **dates: float) -> RRset:
    return signer.sign(rrset_, **dates)


def test_signatures_hold_and_fail_as_they_should() -> None:
    zone_soa = soa()
    good = signature_over(zone_soa)
    (one,) = [parse_signature(rdata) for rdata in good.rdatas]
    assert one is not None and check_signature(zone_soa, one, SIGNER.keys, NOW) == Validity.GOOD
    assert check_signature(zone_soa.with_ttl(1), one, SIGNER.keys, NOW) == Validity.GOOD  # the signature carries the TTL
    assert check_signature(soa(8), one, SIGNER.keys, NOW) == Validity.WRONG
    assert check_signature(zone_soa, one, SIGNER.keys, NOW + 30 * DAY) == Validity.EXPIRED
    assert check_signature(zone_soa, one, SIGNER.keys, NOW - 2 * DAY) == Validity.EARLY
    assert check_signature(zone_soa, one, Signer(9).keys, NOW) == Validity.NO_KEY
    assert check_signature(zone_soa, one._replace(algorithm=99), SIGNER.keys, NOW) == Validity.UNKNOWN


def test_the_best_of_several_signatures_counts() -> None:
    zone_soa = soa()
    old, new = signature_over(zone_soa, ends=NOW - 60, begins=NOW - DAY), signature_over(zone_soa)
    both = new._replace(rdatas=tuple(sorted(old.rdatas + new.rdatas)))
    assert best_validity(zone_soa, both, SIGNER.keys, NOW)[0] == Validity.GOOD
    assert best_validity(zone_soa, old, SIGNER.keys, NOW)[0] == Validity.EXPIRED
    assert best_validity(zone_soa, None, SIGNER.keys, NOW) == (None, None)


def test_the_hashes_of_rfc_5155() -> None:
    for name, hashed in {
        "example.": "0p9mhaveqvm6t7vbl5lop2u3t2rp3tom", "a.example.": "35mthgpgcu1qg68fab165klnsnk3dpvl",
        "*.w.example.": "r53bq7cc2uvmubfu5ocmm6pers9tk9en", "x.w.example.": "b4um86eghhds6nea196smvmlo4ors995",
    }.items():  # fmt: skip
        assert base64.b32hexencode(nsec3_hash(parse_name(name), SALT, 12)).decode().lower() == hashed


def nsec3(owner: str, text: str) -> RRset:
    return rrset(parse_name(f"{owner}.example."), NSEC3, 60, [parse_rdata(NSEC3, text, parse_name("example."))])


APEX = nsec3("0p9mhaveqvm6t7vbl5lop2u3t2rp3tom", "1 1 12 aabbccdd 2t7b4g4vsa5smi47k61mv5bv1a22bojr MX DNSKEY NS SOA NSEC3PARAM RRSIG")
ENCLOSER = nsec3("b4um86eghhds6nea196smvmlo4ors995", "1 1 12 aabbccdd gjeqe526plbf1g8mklp59enfd789njgi MX RRSIG")
COVER = nsec3("35mthgpgcu1qg68fab165klnsnk3dpvl", "1 1 12 aabbccdd b4um86eghhds6nea196smvmlo4ors995 NS DS RRSIG")


def test_the_name_error_of_rfc_5155_needs_all_three_records() -> None:
    gone = parse_name("a.c.x.w.example.")
    assert denies(gone, A, [APEX, ENCLOSER, COVER])
    assert not denies(gone, A, [APEX, COVER]) and not denies(gone, A, [APEX, ENCLOSER]) and not denies(gone, A, [])


def test_opt_out_proves_an_unsigned_delegation() -> None:
    assert denies(parse_name("c.example."), DS, [COVER, APEX])
    assert not denies(parse_name("c.example."), DS, [COVER])


def test_too_many_rounds_of_hashing_are_no_proof() -> None:
    slow = [
        each._replace(rdatas=(each.rdatas[0][:2] + (65535).to_bytes(2, "big") + each.rdatas[0][4:],)) for each in (APEX, ENCLOSER, COVER)
    ]
    assert not denies(parse_name("a.c.x.w.example."), A, slow)


def nsec(owner: str, text: str) -> RRset:
    return rrset(parse_name(owner), NSEC, 60, [parse_rdata(NSEC, text, parse_name("example."))])


@pytest.mark.parametrize(
    ("name", "rtype", "proof", "proven"),
    [
        ("ml.example.", A, [nsec("b.example.", "ns1.example. NS RRSIG NSEC"), nsec("example.", "a.example. MX NS SOA RRSIG NSEC")], True),
        ("ml.example.", A, [nsec("b.example.", "ns1.example. NS RRSIG NSEC")], False),  # a wildcard is not ruled out
        ("ns1.example.", MX, [nsec("ns1.example.", "ns2.example. A RRSIG NSEC")], True),
        ("ns1.example.", A, [nsec("ns1.example.", "ns2.example. A RRSIG NSEC")], False),
        ("b.example.", DS, [nsec("b.example.", "ns1.example. NS RRSIG NSEC")], True),  # an unsigned delegation
        ("b.example.", A, [nsec("b.example.", "ns1.example. NS RRSIG NSEC")], False),  # the parent cannot deny what is below its cut
        ("example.", DS, [nsec("example.", "a.example. NS SOA RRSIG NSEC")], False),  # the child cannot deny its own DS
        ("w.example.", A, [nsec("ns2.example.", "x.w.example. A RRSIG NSEC")], True),  # an empty non-terminal
        ("zz.example.", A, [nsec("xx.example.", "example. A RRSIG NSEC"), nsec("example.", "a.example. NS SOA RRSIG NSEC")], True)
    ],
)  # fmt: skip
def test_nsec_proofs_of_rfc_4035(name: str, rtype: int, proof: list[RRset], proven: bool) -> None:
    assert denies(parse_name(name), rtype, proof) is proven


def test_keys_of_other_owners_do_not_count() -> None:
    zone_soa = soa()
    (one,) = [parse_signature(rdata) for rdata in signature_over(zone_soa).rdatas]
    assert one is not None
    elsewhere = replace_signer(one.rdata, parse_name("ferrytimes.example."))
    parsed = parse_signature(elsewhere)
    assert parsed is not None and check_signature(zone_soa, parsed, SIGNER.keys, NOW) == Validity.WRONG


def replace_signer(rdata: bytes, signer: Name) -> bytes:
    parsed = parse_signature(rdata)
    assert parsed is not None
    return rdata[:18] + signer + rdata[18 + len(parsed.signer) :]


def test_a_revoked_key_signs_nothing() -> None:
    key = parse_key(KEY)
    assert key is not None and not key._replace(flags=key.flags | 0x80).signs_zone
