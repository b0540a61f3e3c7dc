"""The chain of trust: its states, what breaks it and since when, and that checking it is bounded work."""

from dataclasses import replace

import pytest

from legatum.core.calendar.instant import instant_text
from legatum.core.dnssec.chain import Chain, Link, Served, State, broken_since
from legatum.core.dnssec.serving import ServerKeys, anchors_of, ds_of_key, ds_proves, server_keys
from legatum.core.dnssec.trust import DsSet
from legatum.core.records.name import ROOT, parse_name
from legatum.core.records.rrset import RRset
from legatum.core.records.rrtype import CDS
from tests.core.findings.observations import DAY, DOMAIN, NOW, Signer, soa

ONE, OTHER = Signer(4711), Signer(1147)


def given(
    signer: Signer = ONE, begins: float = NOW - DAY, ends: float = NOW + 14 * DAY, now: float = NOW
) -> ServerKeys:
    signatures = [signer.sign(each, begins, ends) for each in (signer.keys, soa())]
    return server_keys(DOMAIN, signer.keys, soa(), signatures, (), now)


def beside(signer: Signer, shared: bool) -> ServerKeys:
    """Of two that sign, with the keys of the other in its key set, or without."""
    keys = ONE.keys._replace(rdatas=tuple(sorted((ONE.rdata, OTHER.rdata)))) if shared else signer.keys
    return server_keys(DOMAIN, keys, soa(), [signer.sign(each) for each in (keys, soa())], (), NOW)


def link(*servers: ServerKeys, ds: tuple[bytes, ...] = (ONE.ds(),), silent: int = 0, **more: object) -> Link:
    found = [
        Served(parse_name(f"ns{number}.alder.test."), f"192.0.2.{number}", each, True)
        for number, each in enumerate(servers, 1)
    ]
    found += [
        Served(parse_name("ns9.alder.test."), f"198.51.100.{number}", ServerKeys(None), False)
        for number in range(silent)
    ]
    parent = {"203.0.113.1": anchors_of(ds, 3600), "203.0.113.2": anchors_of(ds, 3600)}
    return replace(Link(DOMAIN, parse_name("example."), parent, found), **more)  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("made", "state", "said"),
    [
        (link(given(), given()), State.VALID, "holds at every server; no anchor"),
        (link(ServerKeys(None), ds=()), State.UNSIGNED, "neither keys nor a DS"),
        (link(given(), ds=()), State.UNCONNECTED, "the parent has no DS"),
        (
            link(given(), ServerKeys(None)),
            State.BROKEN,
            "ns2.alder.test (192.0.2.2) serves kilnandclay.example unsigned",
        ),
        (link(given(OTHER)), State.BROKEN, f"signed so from {instant_text(NOW - DAY)} on, and none of them matches"),
        (link(given(ends=NOW - 60)), State.BROKEN, "the signatures over the keys ran out at"),
        (link(given(begins=NOW + DAY, ends=NOW + 9 * DAY)), State.BROKEN, "is the clock here right?"),
        (link(silent=2), State.UNKNOWN, "own link is not known; no answer from ns9.alder.test"),
        (
            link(given(), silent=4),
            State.UNKNOWN,
            "own link is connected and valid; no answer from ns9.alder.test (198.51.100.0)",
        ),
        (link(given(OTHER), silent=1), State.BROKEN, "none of them matches"),
        (link(beside(ONE, True), beside(OTHER, True), ds=(ONE.ds(), OTHER.ds())), State.VALID, "holds at every server"),
        (
            link(beside(ONE, True), beside(OTHER, False), ds=(ONE.ds(), OTHER.ds())),
            State.BROKEN,
            "ns2.alder.test (192.0.2.2) has no key with which ns1.alder.test (192.0.2.1) signs",
        ),
    ],
)
def test_a_link_is_what_every_server_of_it_shows(made: Link, state: State, said: str) -> None:
    chain = Chain([made])
    assert made.state == chain.state == state and said in chain.why, chain.why
    assert bool(list(made.broken())) == (state == State.BROKEN)


def test_since_when_it_is_broken_is_as_far_as_was_seen() -> None:
    valid, unsigned, broken = (str(each) for each in (State.VALID, State.UNSIGNED, State.BROKEN))
    assert broken_since([]) == broken_since([(broken, 1.0, 2.0), (valid, 3.0, 3.0)]) == ""
    assert (
        broken_since([(broken, 86400.0, 90000.0)])
        == "never seen whole from here, seen broken first at 1970-01-02T00:00:00Z"
    )
    since = broken_since([(valid, 0.0, 0.0), (unsigned, 60.0, 60.0), (valid, 120.0, 3600.0), (broken, 7200.0, 7200.0)])
    assert since == "seen whole last at 1970-01-01T01:00:00Z, seen broken first at 1970-01-01T02:00:00Z"
    chain = Chain([link(given(OTHER))], since=since)
    assert chain.why.endswith(since)


def test_a_chain_holds_from_the_anchor_down_or_says_where_it_does_not() -> None:
    root = replace(
        link(given(), ds=()), zone=ROOT, parent=None, ds={}, anchor=anchors_of((ds_of_key(ROOT, ONE.rdata),), 0)
    )
    whole = Chain([root, link(given())])
    assert whole.state == State.VALID and "from the anchor of the root down" in whole.why
    gap = Chain([root, replace(link(given(), ds=()), zone=parse_name("example.")), link(given())])
    assert gap.state == State.UNCONNECTED and "nothing connects example above it" in gap.why
    differing = link(given(), ds={})  # type: ignore[arg-type]
    differing = replace(
        differing, ds={"203.0.113.1": anchors_of((ONE.ds(),), 60), "203.0.113.2": DsSet(), "203.0.113.3": None}
    )
    assert "different DS sets" in next(differing.disagreeing()) and any(
        "203.0.113.3" in each for each in differing.unseen()
    )
    assert differing.seen == State.VALID and differing.state == State.UNKNOWN
    assert differing.running_out(NOW, 30 * DAY).startswith("the signatures of kilnandclay.example run out")


def test_a_digest_with_a_turned_digit_proves_nothing() -> None:
    good = ds_of_key(DOMAIN, ONE.rdata)
    assert ds_proves(DOMAIN, good, given()) and not ds_proves(DOMAIN, good[:-1] + bytes((good[-1] ^ 1,)), given())
    assert server_keys(DOMAIN, ONE.keys, soa(), [], (CDS,), NOW).asking == ("CDS",)


def test_signatures_made_to_be_dear_cost_a_bounded_time(monkeypatch: pytest.MonkeyPatch) -> None:
    checked = []
    monkeypatch.setattr("legatum.core.dnssec.signature._holds", lambda *words: bool(checked.append(len(words[2]))))
    signature = ONE.sign(ONE.keys)
    many = RRset(
        DOMAIN, signature.rtype, 60, tuple(signature.rdatas[0][:-2] + number.to_bytes(2) for number in range(5000))
    )
    namesakes = ONE.keys._replace(rdatas=ONE.keys.rdatas * 3000)
    found = server_keys(DOMAIN, namesakes, soa(), [many], (), NOW)
    assert found.broken and len(checked) <= 2 * 16 and max(checked) <= 4
