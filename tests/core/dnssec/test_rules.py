"""What makes a proof valid beside its arithmetic: whose name signs, which keys may, what a chain of hashes shows (RFC
4034, 4035, 5155)."""

import base64

import dns.dnssec
import dns.name
import dns.rdata
import dns.rdataclass
import dns.rdataset
import dns.rdatatype
import pytest

from legatum.core.dnssec.denial import MOST_ITERATIONS, denies, nsec3_hash
from legatum.core.dnssec.key import parse_key
from legatum.core.dnssec.signature import Validity, check_signature, parse_signature
from legatum.core.records.name import below, parent_of, parse_name
from legatum.core.records.presentation import parse_rdata
from legatum.core.records.rrset import RRset, rrset
from legatum.core.records.rrtype import DS, MX, NSEC3, A
from tests.core.findings.observations import DAY, DOMAIN, NOW, SIGNER, soa


def signed_as(told: RRset, signer: bytes) -> Validity:
    """By the domain's own key, in the name of ``signer``: the arithmetic holds."""
    rtype = dns.rdatatype.RdataType(told.rtype)
    data = dns.rdataset.from_rdata_list(
        told.ttl, [dns.rdata.from_wire(dns.rdataclass.IN, rtype, one, 0, len(one)) for one in told.rdatas]
    )
    name, by = (dns.name.from_wire(each, 0)[0] for each in (told.name, signer))
    key = dns.rdata.from_wire(dns.rdataclass.IN, dns.rdatatype.DNSKEY, SIGNER.rdata, 0, len(SIGNER.rdata))
    # type: ignore[arg-type]
    made = dns.dnssec.sign((name, data), SIGNER._private, by, key, inception=NOW - DAY, expiration=NOW + DAY)
    wire = made.to_wire()
    assert isinstance(wire, bytes)
    parsed = parse_signature(wire)
    assert parsed is not None
    return check_signature(told, parsed, SIGNER.keys, NOW)


def test_the_signer_is_the_zone_whose_keys_these_are() -> None:
    """RFC 4035 s5.3.1: neither a zone above nor one below, whoever's key it is."""
    assert signed_as(soa(), DOMAIN) == Validity.GOOD
    host = rrset(below("www.app", DOMAIN), A, 60, [bytes(4)])
    assert signed_as(host, DOMAIN) == Validity.GOOD
    assert signed_as(host, parent_of(DOMAIN)) == Validity.WRONG
    assert signed_as(host, below("app", DOMAIN)) == Validity.WRONG


@pytest.mark.parametrize(
    ("flags", "protocol", "may"), [(256, 3, True), (257, 3, True), (0, 3, False), (256, 2, False), (384, 3, False)]
)
def test_which_keys_may_sign_a_zone(flags: int, protocol: int, may: bool) -> None:
    """RFC 4034 s2.1.1 and s2.1.2, RFC 5011 s2.1: the zone flag, protocol 3, not revoked."""
    key = parse_key(flags.to_bytes(2) + bytes((protocol, 13)) + bytes(64))
    assert key is not None and key.signs_zone == may


def hashed(owner: str, following: str, types: str, iterations: int = 12) -> RRset:
    text = f"1 1 {iterations} aabbccdd {following} {types}".strip()
    return rrset(parse_name(f"{owner}.example."), NSEC3, 60, [parse_rdata(NSEC3, text, parse_name("example."))])


ZONE = {  # RFC 5155 appendix A
    "apex": hashed(
        "0p9mhaveqvm6t7vbl5lop2u3t2rp3tom", "2t7b4g4vsa5smi47k61mv5bv1a22bojr", "MX DNSKEY NS SOA NSEC3PARAM RRSIG"
    ),
    "ns1": hashed("2t7b4g4vsa5smi47k61mv5bv1a22bojr", "2vptu5timamqttgl4luu9kg21e0aor3s", "A RRSIG"),
    "a": hashed("35mthgpgcu1qg68fab165klnsnk3dpvl", "b4um86eghhds6nea196smvmlo4ors995", "NS DS RRSIG"),
    "y.w": hashed("ji6neoaepv8b5o6k4ev33abha8ht9fgc", "k8udemvp1j2f7eg6jebps17vp3n8i58h", ""),
    "w": hashed("k8udemvp1j2f7eg6jebps17vp3n8i58h", "kohar7mbb8dc2ce8a9qvl8hon4k53uhi", ""),
    "ns2": hashed("q04jkcevqvmu85r014c7dkba38o0ji5r", "r53bq7cc2uvmubfu5ocmm6pers9tk9en", "A RRSIG"),
    "*.w": hashed("r53bq7cc2uvmubfu5ocmm6pers9tk9en", "t644ebqk9bibcna874givr6joj62mlhv", "MX RRSIG"),
}


@pytest.mark.parametrize(
    ("name", "rtype", "proof", "proven"),
    [
        ("ns1.example.", MX, "ns1", True),  # B.2
        ("ns1.example.", A, "ns1", False),
        ("y.w.example.", A, "y.w", True),  # B.2.1, an empty non-terminal
        ("mc.c.example.", DS, "a apex", True),  # B.3, opt-out
        ("mc.c.example.", MX, "a apex", False),
        ("a.z.w.example.", 28, "w ns2 *.w", True),  # B.5, a wildcard without that type
        ("a.z.w.example.", 28, "w ns2", False),
        ("a.z.w.example.", 28, "w *.w", False),
        ("a.z.w.example.", MX, "w ns2 *.w", False),
        ("example.", DS, "apex", False),  # B.6, by the child itself
        ("a.example.", DS, "a", False),
        ("a.example.", A, "a", False),  # the parent says nothing of what is below its cut
    ],
)
def test_proofs_of_rfc_5155(name: str, rtype: int, proof: str, proven: bool) -> None:
    assert denies(parse_name(name), rtype, [ZONE[each] for each in proof.split()]) is proven


@pytest.mark.parametrize(("iterations", "proven"), [(MOST_ITERATIONS, True), (MOST_ITERATIONS + 1, False)])
def test_rounds_of_hashing_are_bounded(iterations: int, proven: bool) -> None:
    name = parse_name("ns1.example.")
    owner = base64.b32hexencode(nsec3_hash(name, bytes.fromhex("aabbccdd"), iterations)).decode().lower()
    record = hashed(owner, "2vptu5timamqttgl4luu9kg21e0aor3s", "A RRSIG", iterations)
    assert denies(name, MX, [record]) is proven
