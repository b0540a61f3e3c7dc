"""What a signer makes stays with it: it is never sent elsewhere, and never taken for a difference."""

import re
from dataclasses import replace

from hypothesis import given
from hypothesis import strategies as st

from legatum.core.dnssec.serving import ServerKeys, anchors_of, key_label
from legatum.core.dnssec.trust import DsSet, Keys
from legatum.core.lint import ZoneContents, lint
from legatum.core.moves.kinds.trust.signature_expiry import Signing, obstacles
from legatum.core.records.name import below, parse_name
from legatum.core.records.rrset import RRset, rrset
from legatum.core.records.rrtype import CDS, CNAME, DNSKEY, MX, NSEC, NSEC3PARAM, RRSIG, TXT
from legatum.core.zones.difference import zone_differences
from legatum.core.zones.masterfile import parse_master, read_master
from legatum.core.zones.masterlines import master_text
from legatum.core.zones.particular import particulars
from legatum.core.zones.signer import OWN, beside_signer, counted_text, signers_own, without_signing
from legatum.core.zones.zone import Zone
from tests.core.findings.observations import Signer
from tests.strategies import ORIGIN, zones


def made(letter: bytes) -> list[RRset]:
    """What a signer puts into a zone, each with data of its own."""
    types = (RRSIG, NSEC, NSEC3PARAM, DNSKEY, CDS)
    return [rrset(ORIGIN, rtype, 60, [letter * 20]) for rtype in types] + [
        rrset(below("hash", ORIGIN), 50, 60, [letter * 24])
    ]


@given(zones(), zones(), st.booleans(), st.booleans())
def test_the_providers_signatures_stay_and_the_sources_stay_away(
    zone: Zone, source: Zone, signs: bool, signed: bool
) -> None:
    current = zone.with_rrsets(made(b"p") if signs else [])
    wanted = beside_signer(source.with_rrsets(made(b"s") if signed else []), current)
    assert without_signing(wanted) == source
    assert set(signers_own(wanted.unsorted)) == set(signers_own(current.unsorted))
    assert not any(each.rtype in OWN for each in zone_differences(current, wanted))
    assert all(each.expected for each in zone_differences(current, wanted) if each.rtype in OWN)


def test_a_key_that_is_meant_is_changed_all_the_same() -> None:
    zone = Zone(ORIGIN, made(b"p"))
    other = zone.with_rrsets([rrset(ORIGIN, DNSKEY, 60, [b"q" * 20])])
    assert beside_signer(other, zone, [(ORIGIN, DNSKEY)]).get(ORIGIN, DNSKEY) == other.get(ORIGIN, DNSKEY)
    assert counted_text(signers_own(zone.unsorted)) == "1 RRSIG, 1 NSEC, 1 DNSKEY, 1 NSEC3, 1 NSEC3PARAM, 1 CDS"


def test_what_stands_in_the_way_of_leading_a_domain_elsewhere() -> None:
    domain, origin = parse_name("kilnandclay.example."), Signer(1147)
    key, ds = origin.rdata, anchors_of([origin.ds()], 3600)
    label = key_label(key)
    keys = Keys((label,), (label,), (label,), 3600)
    good, plain = ServerKeys(keys, "", (), (key,)), ServerKeys(None)
    old, parent = "192.0.2.1", "192.0.2.9"
    unsigned = Signing({parent: DsSet()}, {old: plain}, {"192.0.2.2": good})
    assert not list(obstacles(domain, unsigned, "alder", "rowan")) and "signs by itself" in unsigned.text
    connected = Signing({parent: ds}, {old: good})
    assert connected.is_signed and not list(obstacles(domain, connected, "alder", "rowan"))
    for seen, word in (
        (Signing({parent: ds}, {old: plain}), "it serves the zone unsigned"),
        (Signing({parent: anchors_of([Signer(9).ds()], 60)}, {old: good}), "fits no key there"),
        (
            Signing({parent: ds}, {old: good, "192.0.2.3": replace(good, keys=replace(keys, ttl=60))}),
            "with the same keys",
        ),
        (Signing({parent: ds, "192.0.2.8": DsSet()}, {old: good}), "hand out different DS sets"),
        (
            Signing({parent: DsSet()}, {old: plain}, {"192.0.2.2": replace(good, asking=("CDS",))}),
            "asks the registry for a DS",
        ),
        (Signing(silent=(parent,)), "is not known"),
    ):
        (found, *_) = obstacles(domain, seen, "alder", "rowan")
        assert word in found.reason and found.remedy, found


def test_what_servers_are_known_to_refuse_is_named() -> None:
    texts = [bytes((len(each),)) + each for each in (str(number).encode() for number in range(120))]
    www, mail = below("www", ORIGIN), below("mail", ORIGIN)
    zone = Zone(
        ORIGIN,
        [
            rrset(ORIGIN, TXT, 60, texts),
            rrset(ORIGIN, MX, 60, [b"\0\x0a" + mail]),
            rrset(mail, CNAME, 60, [www]),
            rrset(www, CNAME, 60, [ORIGIN]),
            rrset(www, TXT, 60, [b"\1x"]),
            rrset(ORIGIN, DNSKEY, 60, [b"k" * 20]),
        ],
    )
    (large,) = particulars(zone, [(ORIGIN, TXT)])
    assert "120 records" in large and "100 in one set" in large
    assert (
        "an alias" in particulars(zone, [(ORIGIN, MX)])[0] and "beside other data" in particulars(zone, [(www, TXT)])[0]
    )
    assert (
        "no keys by update" in particulars(zone, [(ORIGIN, DNSKEY)])[0]
        and "signer" in particulars(zone, [(ORIGIN, RRSIG)])[0]
    )
    assert particulars(zone, [(mail, CNAME)]) == []


def test_each_signature_is_written_with_the_ttl_of_what_it_is_over() -> None:
    """RFC 4034 s3: they are no set, though they share a name and type; and lint does not take them for one."""
    over = [
        rtype.to_bytes(2) + b"\x0d\2" + ttl.to_bytes(4) + bytes(10) + ORIGIN + b"s" * 64
        for rtype, ttl in ((1, 60), (16, 300))
    ]
    head = parse_master("@ 60 SOA a. b. 1 2 3 4 5\n@ 60 NS ns1.alder.test.\n", ORIGIN)
    text = master_text(head.with_rrsets([rrset(ORIGIN, RRSIG, 60, over)]))
    assert re.findall(r"(\d+) IN RRSIG +(\w+)", text) == [("60", "A"), ("300", "TXT")]
    reading = read_master(text, ORIGIN, "z")
    assert reading.zone is not None and reading.zone.get(ORIGIN, RRSIG) == rrset(ORIGIN, RRSIG, 60, over)
    found = lint(ZoneContents(reading.zone, (), uneven=reading.uneven))
    assert "set-ttls-differ" not in {each.kind.slug for each in found}
