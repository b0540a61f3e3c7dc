"""Keys, signatures and proofs read and judged as the general library, and another reckoning, read and judge them."""

import base64
from math import gcd

import dns.dnssec
import dns.rdata
import dns.rdataclass
import dns.rdatatype
import pytest
from cryptography.hazmat.primitives import hashes
from cryptography.hazmat.primitives.asymmetric import padding, rsa
from dns.rdtypes.util import Bitmap
from hypothesis import assume, given
from hypothesis import strategies as st

from legatum.core.calendar.instant import instant_text
from legatum.core.dnssec.denial import absence, denies, nsec3_hash, parse_nsec, parse_nsec3, parse_types
from legatum.core.dnssec.key import Ds, ds_set_text, ds_texts, key_tag, parse_ds, parse_key
from legatum.core.dnssec.serving import ServerKeys, anchors_of, entry_points, holds, keys_of_ds, server_keys
from legatum.core.dnssec.signature import (
    Validity,
    best_validity,
    check_signature,
    parse_signature,
    signatures_over,
    signed_by,
)
from legatum.core.dnssec.slip import ds_slip
from legatum.core.dnssec.trust import DsSet, Keys, ds_brief, keys_to_come
from legatum.core.dnssec.verifying import verified
from legatum.core.records.name import Name, ancestors, below, canonical_key, from_labels, is_under, parse_name
from legatum.core.records.rrset import RRset, rrset
from legatum.core.records.rrtype import CDNSKEY, CDS, DNSKEY, NSEC, NSEC3, RRSIG, SOA, TXT, A
from legatum.core.running.fault import OutsideFault
from tests.core.findings.observations import DAY, DOMAIN, NOW, Signer, soa

ONE, OTHER = Signer(4711), Signer(1147)
TAG, OTHER_TAG = key_tag(ONE.rdata), key_tag(OTHER.rdata)


# Data as octets


def bitmap_of(types: frozenset[int]) -> bytes:
    """As the library writes it."""
    windows = Bitmap.from_rdtypes(list(map(dns.rdatatype.RdataType, types))).windows
    return b"".join(bytes((number, len(bits))) + bits for number, bits in windows)


def test_the_type_bitmap_of_rfc_4034() -> None:
    """s4.3: host.example.com. NSEC, next a.example.com., A MX RRSIG NSEC TYPE1234."""
    following = parse_name("a.example.com.")
    bitmap = bytes.fromhex("0006400100000003041b" + "00" * 26 + "20")
    assert parse_nsec(following + bitmap) == (following, frozenset((1, 15, 46, 47, 1234)))
    assert parse_nsec(following.upper() + bitmap) == (following, frozenset((1, 15, 46, 47, 1234)))
    assert parse_nsec(following[:-1]) is None and parse_nsec(b"") is None and parse_nsec(b"\0") == (b"\0", frozenset())


@given(st.frozensets(st.one_of(st.integers(1, 300), st.integers(1, 65535)), max_size=12))
def test_bitmaps_are_read_as_the_library_writes_them(types: frozenset[int]) -> None:
    wire = bitmap_of(types)
    assert parse_types(wire) == types
    assert parse_types(wire + b"\7") == types  # an octet too many says nothing


@given(
    st.booleans(),
    st.integers(0, 65535),
    st.binary(max_size=12),
    st.binary(min_size=20, max_size=20),
    st.binary(min_size=20, max_size=20),
    st.frozensets(st.integers(1, 300), max_size=5),
)
def test_nsec3_data(
    opt_out: bool, iterations: int, salt: bytes, owner: bytes, following: bytes, types: frozenset[int]
) -> None:
    bitmap = bitmap_of(types)
    rdata = bytes((1, opt_out)) + iterations.to_bytes(2) + bytes((len(salt),)) + salt + b"\x14" + following + bitmap
    name = below(base64.b32hexencode(owner).decode(), DOMAIN)
    found = parse_nsec3(RRset(name, NSEC3, 60, (rdata,)))
    assert found == (opt_out, iterations, salt, owner, following, types)
    assert parse_nsec3(RRset(name, NSEC3, 60, (b"\2" + rdata[1:],))) is None  # another hash
    assert parse_nsec3(RRset(below("x!", DOMAIN), NSEC3, 60, (rdata,))) is None
    for short in (rdata[:5], rdata[: 5 + len(salt)], b"\1"):
        assert parse_nsec3(RRset(name, NSEC3, 60, (short,))) is None
    empty = RRset(name, NSEC3, 60, (bytes((1, 0, 0, 0, 0, 0)),))
    assert parse_nsec3(empty) == (False, 0, b"", owner, b"", frozenset())
    assert parse_nsec3(RRset(name, NSEC3, 60, (bytes((1, 254)) + rdata[2:],))) == (
        False,
        iterations,
        salt,
        owner,
        following,
        types,
    )


@given(st.integers(0, 65535), st.sampled_from([1, 5, 8, 13, 15]), st.binary(min_size=4, max_size=70))
def test_tags_are_those_of_the_library(flags: int, algorithm: int, public: bytes) -> None:
    rdata = flags.to_bytes(2) + bytes((3, algorithm)) + public
    assert key_tag(rdata) == dns.dnssec.key_id(
        dns.rdata.from_wire(dns.rdataclass.IN, dns.rdatatype.DNSKEY, rdata, 0, len(rdata))
    )


def test_what_is_too_short_is_no_record() -> None:
    assert parse_ds(b"\0\1\2\3") is None and parse_ds(b"\1\2\3\4\5") == Ds(258, 3, 4, b"\5")
    assert parse_key(b"\1\1\3\15") is None and parse_key(b"\1\1\3\15\7") is not None
    assert parse_signature(bytes(19)) is None and parse_signature(bytes(20)) is not None
    assert key_tag(b"\1\1\3\1\2\3") == (0x0101 + 0x0301 + 0x0203) & 0xFFFF  # too short for appendix B.1
    assert key_tag(b"\1\1\3\1\2\3\4") == 0x0203  # of the last three octets the first two
    assert ds_texts([b"\1\2\3\4\5", b""]) == ["DS 258 3 4 05", "DS"]
    assert ds_set_text([b"\1\2\3\4\5"] * 2) == "DS 258 3 4 05; DS 258 3 4 05" and ds_set_text([]) == "no DS"


# Signatures


def rsa_key(private: rsa.RSAPrivateKey, algorithm: int, long: bool = False) -> bytes:
    numbers = private.public_key().public_numbers()
    exponent = numbers.e.to_bytes((numbers.e.bit_length() + 7) // 8)
    head = b"\0" + len(exponent).to_bytes(2) if long else bytes((len(exponent),))
    return b"\1\1\3" + bytes((algorithm,)) + head + exponent + numbers.n.to_bytes((numbers.n.bit_length() + 7) // 8)


@pytest.mark.parametrize("exponent", [3, 65537])
def test_rsa_by_every_algorithm_and_form_of_its_exponent(exponent: int) -> None:
    """RFC 3110 s2: the exponent's length in one octet, or in two after a zero; RFC 5702."""
    private = rsa.generate_private_key(exponent, 1024)
    kinds = {5: hashes.SHA1(), 7: hashes.SHA1(), 8: hashes.SHA256(), 10: hashes.SHA512()}
    for algorithm, hashed in kinds.items():
        signature = private.sign(b"data", padding.PKCS1v15(), hashed)
        for long in (False, True):
            key = rsa_key(private, algorithm, long)
            assert verified(key, b"data", signature) and not verified(key, b"other", signature)
            parsed = parse_key(key)
            assert parsed is not None and parsed.bits == 1024
        others = [each for each in (5, 8, 10, 11) if type(kinds.get(each)) is not type(hashed)]
        assert not any(verified(rsa_key(private, each), b"data", signature) for each in others)
    assert parse_key(ONE.rdata).bits is None  # type: ignore[union-attr]


def test_an_exponent_that_makes_it_dear_is_none() -> None:
    private = rsa.generate_private_key(65537, 1024).private_numbers()
    phi = (private.p - 1) * (private.q - 1)

    def signed_with(exponent: int) -> bool:
        numbers = rsa.RSAPublicNumbers(exponent, private.p * private.q)
        d = pow(exponent, -1, phi)
        made = rsa.RSAPrivateNumbers(
            private.p, private.q, d, rsa.rsa_crt_dmp1(d, private.p), rsa.rsa_crt_dmq1(d, private.q),
            rsa.rsa_crt_iqmp(private.p, private.q), numbers,
        ).private_key()  # fmt: skip
        return verified(rsa_key(made, 8), b"data", made.sign(b"data", padding.PKCS1v15(), hashes.SHA256()))

    def first(start: int) -> int:
        return next(each for each in range(start, start + 2000, 2) if gcd(each, phi) == 1)

    assert signed_with(first(2**31 + 1)) and not signed_with(first(2**32 + 1))


def test_what_a_wildcard_gave_is_signed_as_the_wildcards() -> None:
    """RFC 4035 s5.3.2: by the number of labels that were signed."""
    star = rrset(below("*", DOMAIN), A, 60, [bytes(4)])
    (signature,) = (parse_signature(each) for each in ONE.sign(star).rdatas)
    assert signature is not None and signature.labels == 2
    for name in (star.name, below("shop", DOMAIN), below("a", below("b", DOMAIN))):
        assert check_signature(star._replace(name=name), signature, ONE.keys, NOW) == Validity.GOOD
    assert (
        check_signature(star._replace(name=DOMAIN), signature, ONE.keys, NOW) == Validity.WRONG
    )  # signed as another name
    deep = rrset(below("a", below("b", DOMAIN)), A, 60, [bytes(4)])
    (signature,) = (parse_signature(each) for each in ONE.sign(deep).rdatas)
    assert signature is not None
    assert (
        check_signature(deep._replace(name=below("b", DOMAIN)), signature, ONE.keys, NOW) == Validity.WRONG
    )  # more labels than it has
    assert (
        check_signature(deep._replace(name=parse_name("a.b.ferrytimes.example.")), signature, ONE.keys, NOW)
        == Validity.WRONG
    )


def test_signatures_are_found_by_owner_and_type() -> None:
    www = rrset(below("www", DOMAIN), A, 60, [bytes(4)])
    over = [ONE.sign(soa()), soa(), ONE.sign(www), ONE.sign(ONE.keys)]
    assert signatures_over(A, over, www.name) == over[2] and signatures_over(DNSKEY, over, DOMAIN) == over[3]
    assert signatures_over(A, over, DOMAIN) is None and signatures_over(SOA, over, www.name) is None
    named = RRset(DOMAIN, TXT, 60, (SOA.to_bytes(2) + b"x",))  # data that begins like a signature over it
    assert signatures_over(SOA, [named], DOMAIN) is None


def both(*sets: RRset) -> RRset:
    return sets[0]._replace(rdatas=tuple(each for one in sets for each in one.rdatas))


def test_the_best_signature_counts_whatever_stands_beside_it() -> None:
    late, good, foreign = ONE.sign(soa(), ends=NOW - 60), ONE.sign(soa()), OTHER.sign(soa())
    junk = RRset(DOMAIN, RRSIG, 60, (b"\0\6x",))
    assert best_validity(soa(), both(junk, late, good, foreign), ONE.keys, NOW)[0] == Validity.GOOD
    assert best_validity(soa(), both(foreign, late), ONE.keys, NOW)[0] == Validity.EXPIRED
    first, second = ONE.sign(soa(), ends=NOW + DAY), ONE.sign(soa(), ends=NOW + 2 * DAY)
    found = best_validity(soa(), both(first, second), ONE.keys, NOW)[1]
    assert found is not None and found.rdata == first.rdatas[0]  # of equals the first
    assert best_validity(soa(), junk, ONE.keys, NOW) == (None, None)
    good_keys = ONE.sign(ONE.keys)
    assert signed_by(ONE.keys, good_keys, [ONE.rdata], NOW) and not signed_by(ONE.keys, good_keys, [OTHER.rdata], NOW)
    assert not signed_by(ONE.keys, None, [ONE.rdata], NOW) and not signed_by(
        ONE.keys, good_keys, [ONE.rdata], NOW + 30 * DAY
    )
    assert signed_by(ONE.keys, both(junk, OTHER.sign(ONE.keys), good_keys), [OTHER.rdata, ONE.rdata], NOW)


def test_a_signature_holds_to_the_second() -> None:
    (signature,) = (parse_signature(each) for each in ONE.sign(soa(), begins=NOW, ends=NOW + 100).rdatas)
    assert signature is not None
    ends = [check_signature(soa(), signature, ONE.keys, NOW + each) for each in (-1, 0, 100, 101)]
    assert ends == [Validity.EARLY, Validity.GOOD, Validity.GOOD, Validity.EXPIRED]


# What one server gives


def at_server(
    *signatures: RRset, keys: RRset | None = ONE.keys, of: RRset | None = None, asking: tuple[int, ...] = ()
) -> ServerKeys:
    return server_keys(DOMAIN, keys, soa() if of is None else of, signatures, asking, NOW)


def test_what_a_server_signs_with_and_until_when() -> None:
    two = ONE.keys._replace(rdatas=tuple(sorted((ONE.rdata, OTHER.rdata))))
    found = at_server(
        both(ONE.sign(two, NOW - 3 * DAY, NOW + 9 * DAY), ONE.sign(two, NOW - DAY, NOW + 12 * DAY)),
        both(ONE.sign(soa(), ends=NOW + 7 * DAY), OTHER.sign(soa(), ends=NOW + 6 * DAY)), keys=two,
    )  # fmt: skip
    labels = tuple(sorted((f"{TAG}/13", f"{OTHER_TAG}/13")))
    assert found.keys == Keys(labels, (f"{TAG}/13",), labels, 3600) and not found.broken
    assert (
        found.entries == (ONE.rdata,) and found.until == NOW + 6 * DAY and found.begun == NOW - DAY
    )  # of the one that lasts
    assert found.data == {f"{TAG}/13": ONE.rdata, f"{OTHER_TAG}/13": OTHER.rdata} and found.made_with == found.keys
    unpublished = at_server(ONE.sign(ONE.keys), both(ONE.sign(soa()), OTHER.sign(soa())))
    assert unpublished.unproven == ((), (f"{OTHER_TAG}/13",)) and unpublished.made_with is not None
    assert unpublished.made_with.zone == labels and unpublished.made_with.entry == (f"{TAG}/13",)
    twice = at_server(both(ONE.sign(ONE.keys), OTHER.sign(ONE.keys)), ONE.sign(soa()))
    assert twice.unproven == ((f"{OTHER_TAG}/13",), ())


def test_what_a_server_asks_for_is_named_in_order() -> None:
    assert at_server(ONE.sign(ONE.keys), ONE.sign(soa()), asking=(CDNSKEY, CDS)).asking == ("CDNSKEY", "CDS")
    assert server_keys(DOMAIN, None, soa(), [], (CDS,), NOW) == ServerKeys(None, "", ("CDS",))


@pytest.mark.parametrize(
    ("signatures", "says"),
    [
        ([ONE.sign(soa())], "there is no signature over the keys"),
        ([ONE.sign(ONE.keys)], "there is no signature over the SOA record"),
        (
            [ONE.sign(ONE.keys, ends=NOW - 60), ONE.sign(soa())],
            f"the signatures over the keys ran out at {instant_text(NOW - 60)}",
        ),
        (
            [ONE.sign(ONE.keys), ONE.sign(soa(), ends=NOW - 60)],
            f"the signatures over the SOA record ran out at {instant_text(NOW - 60)}",
        ),
        (
            [ONE.sign(ONE.keys), ONE.sign(soa(), NOW + 60, NOW + DAY)],
            f"the signatures over the SOA record begin at {instant_text(NOW + 60)}: is the clock here right?",
        ),
        (
            [OTHER.sign(ONE.keys), ONE.sign(soa())],
            f"the signature over the keys by key {OTHER_TAG} made by a key that the zone does not",
        ),
        (
            [ONE.sign(ONE.keys), ONE.sign(soa(8))],
            f"the signature over the SOA record by key {TAG} does not fit the data",
        ),
    ],
)
def test_why_what_a_server_gives_does_not_hold(signatures: list[RRset], says: str) -> None:
    assert at_server(*signatures).broken.startswith(says)
    assert not holds(DOMAIN, anchors_of([ONE.ds()], 60), at_server(*signatures)) and holds(
        DOMAIN, DsSet(), at_server(*signatures)
    )


def test_keys_for_who_wants_those_instead_of_ds() -> None:
    assert keys_of_ds(DOMAIN, sorted([ONE.ds(), OTHER.ds()], reverse=True), [OTHER.rdata, ONE.rdata]) == tuple(
        key for _, key in sorted([(ONE.ds(), ONE.rdata), (OTHER.ds(), OTHER.rdata)])
    )
    with pytest.raises(OutsideFault, match=f"DS {OTHER_TAG} 13 2"):
        keys_of_ds(DOMAIN, [ONE.ds(), OTHER.ds()], [ONE.rdata])
    zone_key = b"\1\0" + ONE.rdata[2:]
    assert (
        entry_points([zone_key, ONE.rdata]) == (ONE.rdata,)
        and entry_points([zone_key]) == (zone_key,)
        and entry_points([b""]) == (b"",)
    )


# Slips, and short forms


def test_a_digest_that_lost_its_end_and_one_in_brief() -> None:
    short = ONE.ds()[:-3]
    assert ds_slip(DOMAIN, short, [ONE.rdata]).endswith(f"its digest is not that of key {TAG}/13, 3 octets missing")
    assert ds_slip(DOMAIN, ONE.ds()[:-1], [ONE.rdata]).endswith(", 1 octets missing")
    turned = ONE.ds()[:-1] + bytes((ONE.ds()[-1] ^ 1,))
    assert ds_slip(DOMAIN, turned, [ONE.rdata]).endswith(f"its digest is not that of key {TAG}/13")
    assert ds_slip(DOMAIN, turned + b"\0", [ONE.rdata]).endswith(f"its digest is not that of key {TAG}/13")
    assert ds_brief("12345 13 2 0123456789abcdef0") == "12345 13 2 0123456789abcdef…" and ds_brief(
        "12345 13 2 0123456789abcdef"
    ) == ("12345 13 2 0123456789abcdef")
    assert ds_brief("12345 13 2 01 23") == "12345 13 2 01 23"


@pytest.mark.parametrize(
    ("meant", "given_by", "made_with", "known", "agrees"),
    [
        (("1/13",), ("1/13",), ("1/13",), {"1/13"}, True),
        (("1/13",), ("2/13",), ("2/13",), {"1/13"}, False),
        (
            ("1/13",),
            ("1/13", "2/13"),
            ("1/13", "2/13"),
            {"1/13", "2/13"},
            False,
        ),  # one more of those that are called by name
        (("1/13",), ("1/13", "9/13"), ("1/13", "9/13"), {"1/13"}, False),  # one more that nobody meant
        (("1/13", "2/13"), ("1/13",), ("1/13",), {"1/13", "2/13"}, False),
        (
            ("1/13", "2/13"),
            ("1/13",),
            ("1/13", "2/13"),
            {"1/13", "2/13"},
            True,
        ),  # its signature is there, and cannot be checked yet
        (("1/13", keys_to_come("rowan")), ("1/13", "9/13"), ("1/13", "9/13"), {"1/13"}, True),
        (("1/13", keys_to_come("rowan")), ("1/13",), ("1/13",), {"1/13"}, False),  # the new one is not there yet
        (("1/13", keys_to_come("rowan")), ("9/13",), ("9/13",), {"1/13"}, False),
        ((keys_to_come("rowan"),), ("9/13",), ("9/13",), set(), True),
        ((keys_to_come("rowan"),), (), (), {"1/13"}, True),  # nobody knows them: whatever is there
    ],
)
def test_keys_that_are_given_are_those_that_were_meant(
    meant: tuple[str, ...], given_by: tuple[str, ...], made_with: tuple[str, ...], known: set[str], agrees: bool
) -> None:
    wanted, found, whole = (Keys(each, each, each, 60) for each in (meant, given_by, made_with))
    assert wanted.agree(found, whole, known) is agrees
    assert (
        Keys(meant, meant, meant, 60).agree(Keys(given_by, given_by, given_by, 1), whole, known) is agrees
    )  # whatever the TTL
    if all(map("/".__contains__, meant)) and agrees:
        odd = Keys(meant, meant, ("7/13",), 60)
        assert not odd.agree(found, whole, known)  # each for its own work


# Proofs of absence: every record of a chain is one, and proves just what is not there

ORIGIN = parse_name("kilnandclay.example.")
_LABELS = st.sampled_from([b"a", b"b", b"c", b"ab", b"*", b"z", b"w"])
_NAMES = st.lists(_LABELS, max_size=3).map(lambda parts: Name(from_labels(parts)[:-1] + ORIGIN))
_ZONES = st.dictionaries(_NAMES, st.frozensets(st.sampled_from([A, TXT, 15]), min_size=1), max_size=6).map(
    lambda found: {ORIGIN: frozenset((SOA, 2, A)), **{name: types for name, types in found.items() if name != ORIGIN}}
)


def has(zone: dict[Name, frozenset[int]], name: Name, rtype: int) -> bool:
    """Whether a server of the zone answers with such a record (RFC 1034 s4.3.2, RFC 4592)."""
    there = {each for owner in zone for each in ancestors(owner) if is_under(each, ORIGIN)}
    if name in there:
        return rtype in zone.get(name, ())
    encloser = next(each for each in ancestors(name) if each in there)
    return rtype in zone.get(below("*", encloser), ())


@given(_ZONES, _NAMES, st.sampled_from([A, TXT, 15, 33]), st.data())
def test_a_plain_chain_proves_what_is_not_there_and_nothing_else(
    zone: dict[Name, frozenset[int]], name: Name, rtype: int, data: st.DataObject
) -> None:
    owners = sorted(zone, key=canonical_key)
    ring = zip(owners, [*owners[1:], owners[0]], strict=True)
    chain = [RRset(owner, NSEC, 60, (following + bitmap_of(zone[owner]),)) for owner, following in ring]
    if has(zone, name, rtype):
        assert not denies(name, rtype, data.draw(st.lists(st.sampled_from(chain), max_size=4)))
    else:
        assert denies(name, rtype, chain) and absence(name, rtype, chain) is True


@given(_ZONES, _NAMES, st.sampled_from([A, TXT, 15, 33]), st.data())
def test_a_chain_of_hashes_proves_what_is_not_there_and_nothing_else(
    zone: dict[Name, frozenset[int]], name: Name, rtype: int, data: st.DataObject
) -> None:
    there = {each for owner in zone for each in ancestors(owner) if is_under(each, ORIGIN)}
    by_hash = {nsec3_hash(each, b"\7", 2): zone.get(each, frozenset()) for each in there}
    hashed = sorted(by_hash)
    assume(len(hashed) > 1)
    chain = [
        RRset(
            below(base64.b32hexencode(owner).decode(), ORIGIN),
            NSEC3,
            60,
            (b"\1\0\0\2\1\7\x14" + following + bitmap_of(by_hash[owner]),),
        )
        for owner, following in zip(hashed, [*hashed[1:], hashed[0]], strict=True)
    ]
    if has(zone, name, rtype):
        assert not denies(name, rtype, data.draw(st.lists(st.sampled_from(chain), max_size=4)))
    else:
        assert denies(name, rtype, chain)


@pytest.mark.parametrize(
    ("rtype", "types", "denied"),
    [(A, {2}, False), (A, {5}, False), (A, {6, 2}, True), (43, {2}, True), (43, {2, 6}, False), (43, {2, 43}, False)],
)
def test_which_side_of_a_cut_may_say_so(rtype: int, types: set[int], denied: bool) -> None:
    """RFC 4035 s5.4, RFC 6840 s4.1 and s4.3: a parent of its cut only the DS; nobody of the name of an alias."""
    record = RRset(below("a", ORIGIN), NSEC, 60, (below("b", ORIGIN) + bitmap_of(frozenset(types)),))
    assert denies(below("a", ORIGIN), rtype, [record]) is denied


def test_where_nothing_is_signed_nothing_is_said() -> None:
    assert absence(DOMAIN, A, [soa()]) is None and absence(DOMAIN, A, []) is None
    assert absence(DOMAIN, A, [soa(), ONE.sign(soa())]) is False
