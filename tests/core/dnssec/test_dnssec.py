"""DNSSEC arithmetic against the examples of RFC 4034, 4035, 4509 and 5155, and signatures against those the general
library makes."""

import base64

import pytest
from hypothesis import given
from hypothesis import strategies as st

from legatum.core.dnssec.denial import denies, nsec3_hash, parse_nsec3, parse_types
from legatum.core.dnssec.key import Ds, digest_of, fits, key_tag, parse_ds, parse_key
from legatum.core.dnssec.signature import Validity, best_validity, check_signature, parse_signature
from legatum.core.dnssec.verifying import verified
from legatum.core.records.name import ROOT, Name, parse_name
from legatum.core.records.presentation import parse_rdata
from legatum.core.records.rrset import RRset, rrset
from legatum.core.records.rrtype import DNSKEY, DS, MX, NSEC, NSEC3, RRSIG, A, parse_type
from tests.core.findings.observations import DAY, DOMAIN, NOW, SIGNER, Signer, soa

OWNER = parse_name("dskey.example.com.")
KEY = (256).to_bytes(2) + b"\x03\x05" + base64.b64decode(
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


SIGNED = [  # RFC 6605 s6.1 and s6.2, RFC 8080 s6.1 and s6.2, RFC 5702 s6.1: key, owner, record, signature
    (
        "example.net. 257 3 13 "
        "GojIhhXUN/u4v54ZQqGSnyhWJwaubCvTmeexv7bR6edbkrSqQpF64cYbcB7wNcP+e+MAnLr+Wi9xMWyQLc8NAA==",
        "www.example.net. A 192.0.2.1",
        "A 13 3 3600 20100909100439 20100812100439 55648 example.net. "
        "qx6wLYqmh+l9oCKTN6qIc+bw6ya+KJ8oMz0YP107epXAyGmt+3SNruPFKG7tZoLBLlUz"
        "GGus7ZwmwWep666VCw==",
    ),
    (
        "example.net. 257 3 14 "
        "xKYaNhWdGOfJ+nPrL8/arkwf2EY3MDJ+SErKivBVSum1w/egsXvSADtNJhyem5RCOpgQ6K8X1DRSEkrbYQ+OB+v8/uX45NBwY8rp65F6Glur"
        "8I/mlVNgF6W/qTI37m40",
        "www.example.net. A 192.0.2.1",
        "A 14 3 3600 20100909102025 20100812102025 10771 example.net. "
        "/L5hDKIvGDyI1fcARX3z65qrmPsVz73QD1Mr5CEqOiLP95hxQouuroGCeZOvzFaxsT8G"
        "lr74hbavRKayJNuydCuzWTSSPdz7wnqXL5bdcJzusdnI0RSMROxxwGipWcJm",
    ),
    (
        "example.com. 257 3 15 l02Woi0iS8Aa25FQkUd9RMzZHJpBoRQwAQEX1SxZJA4=",
        "example.com. MX 10 mail.example.com.",
        "MX 15 2 3600 20150819220000 20150729220000 3613 example.com. "
        "oL9krJun7xfBOIWcGHi7mag5/hdZrKWw15jPGrHpjQeRAvTdszaPD+QLs3fx8A4M3e23"
        "mRZ9VrbpMngwcrqNAg==",
    ),
    (
        "example.com. 257 3 16 3kgROaDjrh0H2iuixWBrc8g2EpBBLCdGzHmn+G2MpTPhpj/OiBVHHSfPodx1FYYUcJKm1MDpJtIA",
        "example.com. MX 10 mail.example.com.",
        "MX 16 2 3600 20150819220000 20150729220000 9713 example.com. "
        "3cPAHkmlnxcDHMyg7vFC34l0blBhuG1qpwLmjInI8w1CMB29FkEAIJUA0amxWndkmnBZ"
        "6SKiwZSAxGILn/NBtOXft0+Gj7FSvOKxE/07+4RQvE581N3Aj/JtIyaiYVdnYtyMWbSNyGEY2213WKsJlwEA",
    ),
    (
        "example.net. 256 3 8 "
        "AwEAAcFcGsaxxdgiuuGmCkVImy4h99CqT7jwY3pexPGcnUFtR2Fh36BponcwtkZ4cAgtvd4Qs8PkxUdp6p/DlUmObdk=",
        "www.example.net. A 192.0.2.91",
        "A 8 3 3600 20300101000000 20000101000000 9033 example.net. "
        "kRCOH6u7l0QGy9qpC9l1sLncJcOKFLJ7GhiUOibu4teYp5VE9RncriShZNz85mwlMgNEacF"
        "YK/lPtPiVYP4bwg==",
    ),
]


@pytest.mark.parametrize(("key_text", "record_text", "signature_text"), SIGNED)
def test_the_signatures_of_the_rfcs_hold_and_nothing_else_does(
    key_text: str, record_text: str, signature_text: str
) -> None:
    zone, _, key = key_text.partition(" ")
    owner, rtype, data = record_text.split(" ", 2)
    keys = rrset(parse_name(zone), DNSKEY, 60, [parse_rdata(DNSKEY, key, ROOT)])
    signature = parse_signature(parse_rdata(RRSIG, signature_text, ROOT))
    assert signature is not None
    told = rrset(parse_name(owner), parse_type(rtype), 3600, [parse_rdata(parse_type(rtype), data, ROOT)])
    during = signature.begins + 1.0
    assert check_signature(told, signature, keys, during) == Validity.GOOD
    assert (
        check_signature(told.with_ttl(7), signature, keys, during) == Validity.GOOD
    )  # the TTL that it was signed with counts
    assert check_signature(told, signature, keys, signature.begins - 1.0) == Validity.EARLY
    assert check_signature(told, signature, keys, signature.expires + 1.0) == Validity.EXPIRED
    for other in (told._replace(name=parse_name("x." + owner)), told._replace(rdatas=(told.rdatas[0][:-1] + b"\7",))):
        assert check_signature(other, signature, keys, during) == Validity.WRONG
    turned = signature._replace(rdata=signature.rdata[:-1] + bytes((signature.rdata[-1] ^ 1,)))
    assert check_signature(told, turned, keys, during) == Validity.WRONG


@pytest.mark.parametrize(
    "public",
    [b"", b"\1", b"\0\xff\xff" + b"\1" * 9000, b"\5\1\1\1\1\1" + b"\xff" * 64, b"\3\1\0\1" + b"\xff" * 1024, b"\7"],
)
@pytest.mark.parametrize("algorithm", [5, 7, 8, 10, 13, 14, 15, 16, 99])
def test_keys_that_are_none_or_dear_prove_nothing(algorithm: int, public: bytes) -> None:
    assert not verified(b"\1\1\3" + bytes((algorithm,)) + public, b"data", b"signature")


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
    assert (
        check_signature(zone_soa.with_ttl(1), one, SIGNER.keys, NOW) == Validity.GOOD
    )  # the signature carries the TTL
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


APEX = nsec3(
    "0p9mhaveqvm6t7vbl5lop2u3t2rp3tom",
    "1 1 12 aabbccdd 2t7b4g4vsa5smi47k61mv5bv1a22bojr MX DNSKEY NS SOA NSEC3PARAM RRSIG",
)
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
        each._replace(rdatas=(each.rdatas[0][:2] + (65535).to_bytes(2) + each.rdatas[0][4:],))
        for each in (APEX, ENCLOSER, COVER)
    ]
    assert not denies(parse_name("a.c.x.w.example."), A, slow)


def nsec(owner: str, text: str) -> RRset:
    return rrset(parse_name(owner), NSEC, 60, [parse_rdata(NSEC, text, parse_name("example."))])


@pytest.mark.parametrize(
    ("name", "rtype", "proof", "proven"),
    [
        (
            "ml.example.",
            A,
            [nsec("b.example.", "ns1.example. NS RRSIG NSEC"), nsec("example.", "a.example. MX NS SOA RRSIG NSEC")],
            True,
        ),
        ("ml.example.", A, [nsec("b.example.", "ns1.example. NS RRSIG NSEC")], False),  # a wildcard is not ruled out
        ("ns1.example.", MX, [nsec("ns1.example.", "ns2.example. A RRSIG NSEC")], True),
        ("ns1.example.", A, [nsec("ns1.example.", "ns2.example. A RRSIG NSEC")], False),
        ("b.example.", DS, [nsec("b.example.", "ns1.example. NS RRSIG NSEC")], True),  # an unsigned delegation
        (
            "b.example.",
            A,
            [nsec("b.example.", "ns1.example. NS RRSIG NSEC")],
            False,
        ),  # the parent cannot deny what is below its cut
        ("example.", DS, [nsec("example.", "a.example. NS SOA RRSIG NSEC")], False),  # the child cannot deny its own DS
        ("w.example.", A, [nsec("ns2.example.", "x.w.example. A RRSIG NSEC")], True),  # an empty non-terminal
        (
            "zz.example.",
            A,
            [nsec("xx.example.", "example. A RRSIG NSEC"), nsec("example.", "a.example. NS SOA RRSIG NSEC")],
            True,
        ),
    ],
)
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
