"""What a zone asks its parent for, and whether a parent should act on it (RFC 7344, RFC 8078, RFC 9615)."""

from dataclasses import replace

import pytest

from legatum.core.dnssec.request import Request, asked_at, refuse_first, request_of, signal_name
from legatum.core.dnssec.serving import Asked, ServerKeys, anchors_of, server_keys
from legatum.core.dnssec.trust import DsSet
from legatum.core.records.name import below, name_text, parse_name
from legatum.core.records.rrset import RRset
from legatum.core.records.rrtype import CDNSKEY, CDS
from legatum.core.running.fault import GateShut
from tests.core.findings.observations import DAY, DOMAIN, NOW, Signer, soa

ONE, OTHER = Signer(4711), Signer(1147)
OWN = f"{int.from_bytes(ONE.ds()[:2])}/13"
NO_DS, NO_KEY = b"\0\0\0\0\0", b"\0\0\3\0\0"


def cds(*rdatas: bytes) -> RRset:
    return RRset(DOMAIN, CDS, 60, rdatas)


def cdnskey(*rdatas: bytes) -> RRset:
    return RRset(DOMAIN, CDNSKEY, 60, rdatas)


def asked(*sets: RRset, signer: Signer = ONE, now: float = NOW) -> Asked | None:
    return asked_at(DOMAIN, sets, [signer.sign(each) for each in sets], ONE.keys, now)


def given(told: Asked | None, signer: Signer = ONE, now: float = NOW) -> ServerKeys:
    signatures = [signer.sign(each) for each in (signer.keys, soa())]
    return replace(server_keys(DOMAIN, signer.keys, soa(), signatures, (), now), asked=told)


@pytest.mark.parametrize(
    ("sets", "ds"),
    [
        ((cds(ONE.ds()),), (ONE.ds(),)),
        ((cdnskey(ONE.rdata),), (ONE.ds(),)),
        ((cds(ONE.ds()), cdnskey(ONE.rdata)), (ONE.ds(),)),
        ((cds(NO_DS),), ()),
        ((cdnskey(NO_KEY),), ()),
        ((cds(NO_DS), cdnskey(NO_KEY)), ()),
    ],
)
def test_what_is_asked_for(sets: tuple[RRset, ...], ds: tuple[bytes, ...]) -> None:
    assert asked(*sets) == Asked(ds, frozenset((OWN,)))


def test_nothing_two_things_and_what_nobody_signed() -> None:
    assert asked() is None
    before_the_erratum = asked_at(DOMAIN, [cds(NO_DS[:4])], [], ONE.keys, NOW)  # RFC 8078 s4, erratum 5049
    assert before_the_erratum is not None and before_the_erratum.ds == ()
    twice = asked(cds(OTHER.ds()), cdnskey(ONE.rdata))
    assert twice is not None and "do not name the same keys" in twice.wrong and twice.ds == (OTHER.ds(),)
    removal = asked(cds(NO_DS), cdnskey(ONE.rdata))
    assert removal is not None and removal.wrong
    by_digests = asked(cds(ONE.ds(2), ONE.ds(4)), cdnskey(ONE.rdata))  # the same key with two digests
    assert by_digests is not None and not by_digests.wrong
    unsigned = asked_at(DOMAIN, [cds(ONE.ds())], [], ONE.keys, NOW)
    assert unsigned is not None and unsigned.by == frozenset()
    assert asked(cds(ONE.ds()), now=NOW + 30 * DAY) == Asked((ONE.ds(),))  # the signature has run out
    assert asked(cds(ONE.ds()), signer=OTHER) == Asked((ONE.ds(),))  # of a key that is not the zone's
    assert asked_at(DOMAIN, [cds(ONE.ds())], [ONE.sign(cds(ONE.ds()))], None, NOW) == Asked((ONE.ds(),))
    half = asked_at(DOMAIN, [cds(ONE.ds()), cdnskey(ONE.rdata)], [ONE.sign(cds(ONE.ds()))], ONE.keys, NOW)
    assert half is not None and half.by == frozenset()  # each of both has to be signed
    elsewhere = below("signal", DOMAIN)
    there = RRset(elsewhere, CDS, 60, (ONE.ds(),))
    assert asked_at(DOMAIN, [there], [ONE.sign(there)], ONE.keys, NOW) == Asked((ONE.ds(),))
    found = asked_at(DOMAIN, [there], [ONE.sign(there)], ONE.keys, NOW, elsewhere)
    assert found is not None and found.by == {OWN}


def test_a_request_that_a_parent_may_act_on() -> None:
    wanted = asked(cds(ONE.ds()))
    at_two = {"192.0.2.1": given(wanted), "192.0.2.2": given(wanted)}
    for anchors in (DsSet(), anchors_of([ONE.ds()], 3600)):
        found = request_of(DOMAIN, at_two, anchors)
        assert found == Request((ONE.ds(),), f"asked for at all 2 addresses, signed by {OWN}")
        assert not found.removes and found.records == anchors_of([ONE.ds()], 0).records
    removal = request_of(DOMAIN, {"192.0.2.1": given(asked(cds(NO_DS)))}, anchors_of([ONE.ds()], 3600))
    assert removal.removes and removal.ds == ()


@pytest.mark.parametrize(
    ("servers", "anchored", "says"),
    [
        ([None, None], ONE, "no server of kilnandclay.example asks for anything"),
        ([asked(cds(ONE.ds())), None], ONE, "192.0.2.2 hands out neither CDS nor CDNSKEY"),
        ([asked(cds(OTHER.ds()), cdnskey(ONE.rdata))], ONE, "do not name the same keys"),
        ([asked(cds(ONE.ds())), asked(cds(NO_DS))], ONE, "do not ask for the same"),
        (
            [asked_at(DOMAIN, [cds(ONE.ds())], [], ONE.keys, NOW)],
            ONE,
            "is not signed by a key that the parent has a DS for",
        ),
        ([asked_at(DOMAIN, [cds(ONE.ds())], [], ONE.keys, NOW)], None, "is not signed by a key of the zone"),
        ([asked(cds(ONE.ds()))], OTHER, "is not signed by a key that the parent has a DS for"),
        ([asked(cds(OTHER.ds()))], ONE, "fits no key there that signs the key set"),
    ],
)
def test_what_a_parent_should_not_act_on(servers: list[Asked | None], anchored: Signer | None, says: str) -> None:
    anchors = anchors_of([anchored.ds()], 3600) if anchored else DsSet()
    with pytest.raises(GateShut, match=says) as refused:
        request_of(DOMAIN, {f"192.0.2.{number}": given(each) for number, each in enumerate(servers, 1)}, anchors)
    assert refused.value.remedy


def test_servers_that_are_not_whole_ask_for_nothing() -> None:
    wanted = asked(cds(ONE.ds()))
    late = given(wanted, now=NOW + 30 * DAY)
    with pytest.raises(GateShut, match=r"192\.0\.2\.2: the signatures over the keys ran out"):
        request_of(DOMAIN, {"192.0.2.1": given(wanted), "192.0.2.2": late}, DsSet())
    with pytest.raises(GateShut, match=r"192\.0\.2\.1: it serves the zone unsigned"):
        request_of(DOMAIN, {"192.0.2.1": ServerKeys(None, asked=wanted)}, DsSet())


def test_signalling_names_of_rfc_9615() -> None:
    host = parse_name("ns1.alder.test.")
    assert signal_name(DOMAIN, host) == parse_name("_dsboot.kilnandclay.example._signal.ns1.alder.test.")
    assert signal_name(DOMAIN, below("ns1", DOMAIN)) is None  # it lies in the zone itself
    label = 255 - len(signal_name(DOMAIN, host) or b"")  # as long as the name may be with it, its length included
    longest = below("y" * (label - 64 - 1), below("x" * 63, host))
    found = signal_name(DOMAIN, longest)
    assert found is not None and len(found) == 255
    assert signal_name(DOMAIN, below("y" * (label - 64), below("x" * 63, host))) is None


@pytest.mark.parametrize(
    ("state", "ds", "says"),
    [
        ("connected and valid", (ONE.ds(),), ""),
        ("unsigned", (ONE.ds(),), "lies in a zone that is unsigned"),
        ("connected and valid", None, "says nothing of the zone"),
        ("connected and valid", (OTHER.ds(),), "says something else"),
        ("connected and valid", (ONE.ds(), OTHER.ds()), "says something else"),
        ("connected and valid", (), "says something else"),
    ],
)
def test_a_first_ds_wants_the_word_of_every_operator(state: str, ds: tuple[bytes, ...] | None, says: str) -> None:
    request, good = Request((ONE.ds(),), "asked for"), ("connected and valid", (ONE.ds(),))
    hosts = [parse_name(f"ns{number}.alder.test.") for number in (1, 2)]
    found = refuse_first(request, {hosts[0]: good, hosts[1]: (state, ds)})
    assert (says in found and name_text(hosts[1]) in found) if says else found == ""
    assert "no name server lies outside the zone" in refuse_first(request, {})
