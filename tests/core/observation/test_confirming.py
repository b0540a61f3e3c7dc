"""Expectations as they are typed, verdicts with their bounds, the progress of a change beside its forecast,
registration data."""

import ipaddress
from dataclasses import replace
from itertools import pairwise
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from legatum.core.agreement.expected import Expected, parse_ds_text, parse_records
from legatum.core.agreement.progress import ChangeProgress, Look, State, Told, WatchedChange, share_on_new, told
from legatum.core.agreement.soundness import Given, questions
from legatum.core.agreement.verdict import RecordView, agreement
from legatum.core.memory.copies import HeldCopy
from legatum.core.observation.observation import Observation, RegistrationView, ResolverView
from legatum.core.observation.registration import host_addresses_from_rdap, registration_from_rdap
from legatum.core.observation.unseen import unseen
from legatum.core.records.name import below, name_text
from legatum.core.records.rrset import rrset
from legatum.core.records.rrtype import AAAA, CNAME, MX, NS, A
from legatum.core.running.fault import BadInput
from tests.core.findings.observations import (
    DOMAIN,
    GLUE,
    HEALTHY,
    INSIDE,
    MAIL,
    NOW,
    NS1,
    NS2,
    OTHER,
    SIGNER,
    WWW,
    Signer,
    address,
    ds_set,
    every,
    first,
    inside,
    mx,
    ns,
    parents,
    registered,
    resolver,
    signed,
    soa,
)

HEX = SIGNER.ds()[4:].hex()
TAG = int.from_bytes(SIGNER.ds()[:2])


# What is typed


@pytest.mark.parametrize(
    "text", [f"{TAG} 13 2 {HEX}", f"DS {TAG} 13 2 {HEX.upper()}", f" {TAG}  13 2 {HEX[:30]} {HEX[30:]} "]
)
def test_a_ds_in_the_forms_in_which_it_is_shown(text: str) -> None:
    assert parse_ds_text(text) == SIGNER.ds()


@pytest.mark.parametrize(
    "text", ["", "1 2", f"70000 13 2 {HEX}", f"{TAG} 13 2 {HEX[:-2]}", f"{TAG} 13 2 {HEX[:-1]}", f"{TAG} 13 2 {HEX}xx"]
)
def test_a_ds_that_is_none_is_refused_with_a_reason(text: str) -> None:
    with pytest.raises(BadInput):
        parse_ds_text(text)


def test_records_are_below_the_domain_unless_they_are_in_it() -> None:
    texts = ["www CNAME @", "@ A 198.51.100.80", "mail.kilnandclay.example MX 10 mx", "@ A 198.51.100.81"]
    found = {(each.name, each.rtype): each for each in parse_records(texts, DOMAIN)}
    assert set(found) == {(WWW, CNAME), (DOMAIN, A), (below("mail", DOMAIN), MX)}
    assert len(found[DOMAIN, A].rdatas) == 2 and found[WWW, CNAME].rdatas == (DOMAIN,)
    with pytest.raises(BadInput):
        parse_records(["www"], DOMAIN)


# Verdicts


def test_the_verdict_names_who_disagrees_and_until_when() -> None:
    late = ResolverView("harbour", "192.0.2.101", "answer", ns(NS1, ttl=700), None, 9)
    good = ResolverView("mill", "192.0.2.102", "answer", ns(NS1, NS2, ttl=700), None, 9)
    observation = replace(
        HEALTHY, resolvers=(late, good), registration=RegistrationView("flint", (NS2, NS1), ("ok",), "")
    )
    verdict = agreement(observation, (NS2, NS1))
    assert [(each.party, each.until) for each in verdict.disagreeing] == [("resolver", NOW + 700)]
    assert not verdict.confirmed and not verdict.faults and agreement(HEALTHY).confirmed
    assert not agreement(HEALTHY, (NS1,)).confirmed and not agreement(parents(None, None)).confirmed
    left_over = replace(
        observation, registration=RegistrationView("flint", (NS1, NS2, INSIDE), ("ok",), ""), resolvers=()
    )
    assert [each.party for each in agreement(left_over, (NS1, NS2)).disagreeing] == ["registrar"]


def test_a_difference_is_expected_for_so_long_and_then_a_fault() -> None:
    wanted = Expected(ns=(OTHER,), since=NOW - 100, publishing=240)
    verdict = agreement(HEALTHY, wanted)
    bounds = {each.party: each.until for each in verdict.disagreeing}
    assert bounds == {"parent": NOW + 140, "child": NOW - 100 + 14400 + 3600}
    assert not verdict.faults
    assert {each.party for each in agreement(replace(HEALTHY, at=NOW + 141), wanted).faults} == {"parent"}
    assert {each.party for each in agreement(HEALTHY, replace(wanted, since=None)).faults} == {"parent", "child"}


def test_a_parent_that_is_behind_is_not_the_registrations_fault() -> None:
    """Registration data and the zone agree on the new set, and the parent goes on with the old one: it is the parent
    that differs."""
    held = RegistrationView("flint", (NS1, NS2), ("ok",), "")
    stuck = replace(parents(ns(OTHER), ns(OTHER)), rdap=held)
    assert {each.party for each in agreement(stuck).disagreeing} == {"parent"}
    account = replace(parents(ns(OTHER), ns(OTHER)), registration=held)
    assert {each.party for each in agreement(account).disagreeing} == {"parent"}
    late = replace(HEALTHY, rdap=RegistrationView("flint", (OTHER,), ("ok",), ""))
    assert {each.party for each in agreement(late).disagreeing} == {"RDAP"}


def test_serials_count_from_the_one_given_on() -> None:
    mixed = first(soa=soa(6))
    assert [each.who for each in agreement(mixed, Expected(serial=7)).disagreeing] == ["ns1.alder.test (198.51.100.31)"]
    assert agreement(every(soa=soa(3)), Expected(serial=4294967290)).confirmed  # newer across zero (RFC 1982)


def test_ds_none_and_ds_given() -> None:
    assert agreement(HEALTHY, Expected(ds=())).confirmed
    assert not agreement(signed(), Expected(ds=())).confirmed
    assert agreement(signed(), Expected(ds=(SIGNER.ds(),))).confirmed
    silent = replace(HEALTHY, parents=(replace(HEALTHY.parents[0], answered=False, ns=None), HEALTHY.parents[1]))
    assert not agreement(silent, Expected(ds=())).confirmed  # silence is no proof of absence


def test_records_are_compared_without_their_ttl() -> None:
    wanted = Expected(records=(address(WWW, "198.51.100.80"),))
    good = RecordView("child", "x", WWW, A, address(WWW, "198.51.100.80", 5), "answer")
    old = RecordView("resolver", "y", WWW, A, address(WWW, "198.51.100.99", 50), "answer")
    assert agreement(HEALTHY, wanted, [good]).confirmed
    (check,) = agreement(HEALTHY, wanted, [good, old]).disagreeing
    assert (check.until, check.about) == (NOW + 50, "www.kilnandclay.example A")


# The progress of a change

CHANGE = WatchedChange(DOMAIN, NS, (NS1,), delegation=True)


def look(at: float, **states: tuple[str, int]) -> Look:
    return Look(
        at, tuple(Told(who.split("_")[0], who, State(state), state, ttl) for who, (state, ttl) in states.items())
    )


def test_a_course_from_the_first_server_to_the_last_cache() -> None:
    progress = ChangeProgress(CHANGE, 1 / 300)
    progress.add(look(0, parent_a=("old", 3600), child_a=("new", 300), resolver_a=("old", 900)))
    assert progress.begins is None and progress.forecast(0) is None and progress.next_look(10) == 10
    changed = progress.add(look(60, parent_a=("new", 3600), child_a=("new", 300), resolver_a=("old", 840)))
    assert [each.who for each in changed] == ["parent_a"]
    assert progress.begins == 60 and progress.old_ttl == 3600 and progress.over_at == 3660
    assert progress.next_look(10) == 84
    progress.add(look(900, parent_a=("new", 3600), child_a=("new", 300), resolver_a=("new", 300)))
    assert progress.looks[-1].complete and progress.looks[-1].servers == progress.looks[-1].resolvers == 1.0
    early, late = progress.forecast(70), progress.forecast(3600)
    assert early is not None and late is not None and early < 0.1 < 0.95 < late < 1.0 == progress.forecast(3660)


def test_a_watch_that_begins_after_the_change_knows_the_ttl_from_the_set_itself() -> None:
    """What is left of copies says how long they live at the most from when they were taken, not from the change on."""
    progress = ChangeProgress(CHANGE, 1 / 300)
    progress.add(look(0, child_a=("new", 300), resolver_a=("old", 17), resolver_b=("new", 290)))
    assert progress.old_ttl == 300 and progress.over_at == 300
    progress.add(look(20, child_a=("new", 300), resolver_a=("new", 300), resolver_b=("new", 270)))
    assert progress.looks[-1].complete and progress.next_look(10) == 280  # everybody asked has it, and it is not over
    seen = ChangeProgress(CHANGE, 1 / 300)
    seen.add(look(0, child_a=("old", 60), resolver_a=("old", 17)))
    seen.add(look(10, child_a=("new", 300), resolver_a=("old", 7)))
    assert seen.old_ttl == 60  # the old TTL was seen


def test_a_relapse_counts_from_its_end() -> None:
    progress = ChangeProgress(CHANGE, 1 / 300)
    for at, state in ((0, "old"), (10, "new"), (20, "old"), (30, "new")):
        progress.add(look(at, child_a=(state, 60)))
    assert progress.begins == 30


def test_what_is_told_is_judged_by_data_alone() -> None:
    other = rrset(DOMAIN, NS, 5, [NS2])
    assert told(CHANGE, "child", "x", rrset(DOMAIN, NS, 5, [NS1]), "answer", "").state == State.NEW
    assert told(CHANGE, "child", "x", other, "answer", "").state == State.OLD
    assert told(CHANGE, "child", "x", None, "refused", "").said == "refused"


@given(st.floats(0, 1e6), st.floats(0, 1e6), st.integers(0, 10**6), st.floats(1e-6, 10))
def test_the_forecast_only_rises(first_age: float, second_age: float, ttl: int, rate: float) -> None:
    low, high = sorted((first_age, second_age))
    assert 0 <= share_on_new(low, ttl, rate) <= share_on_new(high, ttl, rate) <= 1
    assert share_on_new(ttl, ttl, rate) == 1


# Registration data

RDAP: dict[str, Any] = {
    "objectClassName": "domain",
    "status": ["client transfer prohibited", "active"],
    "events": [{"eventAction": "expiration", "eventDate": "2033-01-01T00:00:00Z"}],
    "nameservers": [{"ldhName": "NS2.birch.example."}, {"ldhName": "ns1.alder.test"}],
    "entities": [{"roles": ["registrar"], "vcardArray": ["vcard", [["fn", {}, "text", "Flint"]]]}],
    "secureDNS": {"dsData": [{"keyTag": 1, "algorithm": 13, "digestType": 2, "digest": "AB" * 32}]},
}


def test_registration_data_in_the_registrys_words() -> None:
    view = registration_from_rdap(RDAP)
    assert view.statuses == ("clientTransferProhibited", "ok") and view.registrar == "Flint"
    assert view.nameservers == tuple(sorted((NS1, NS2))) and view.expires.startswith("2033")
    assert view.ds == (b"\0\1\x0d\2" + b"\xab" * 32,)


KEYS = [
    "status",
    "events",
    "nameservers",
    "ldhName",
    "entities",
    "roles",
    "vcardArray",
    "secureDNS",
    "dsData",
    "keyTag",
    "v4",
    "v6",
]
LEAVES = st.none() | st.booleans() | st.integers() | st.text(max_size=8)
JSON = st.recursive(
    LEAVES,
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.sampled_from(KEYS), inner, max_size=4),
    max_leaves=12,
)


@given(st.dictionaries(st.sampled_from([*RDAP, "ipAddresses"]), JSON))
def test_registration_data_of_any_form_are_taken_as_far_as_they_go(document: dict[str, Any]) -> None:
    assert isinstance(registration_from_rdap(document), RegistrationView)
    assert all(ipaddress.ip_address(each) for each in host_addresses_from_rdap(document))


def test_a_hosts_addresses_in_one_spelling() -> None:
    said = {"ipAddresses": {"v4": ["198.51.100.31"], "v6": ["2001:DB8:A1:0::53", "2001:db8:a1::53", "none"]}}
    assert host_addresses_from_rdap(said) == ("198.51.100.31", "2001:db8:a1::53") and host_addresses_from_rdap({}) == ()


# Sound in itself


def givens(observation: Observation, signer: Signer | None = None, **spoilt: Any) -> list[Given]:
    """Every server answers alike for what visitors come for, with signatures by ``signer``; ``spoilt`` changes what the
    first one gives for the domain's address."""
    found = []
    for view in observation.servers:
        for name, rtype in questions(DOMAIN):
            sets = [address(name, "198.51.100.80")] if rtype == A else [mx(MAIL)] if rtype == MX else []
            signatures = [signer.sign(each) for each in sets] if signer else []
            who = f"{name_text(view.server)} ({view.address})"
            found.append(
                Given(
                    "child",
                    who,
                    view.address,
                    name,
                    rtype,
                    "answer" if sets else "no data",
                    0,
                    True,
                    (*sets, *signatures),
                    (),
                )
            )
    return [replace(found[0], **spoilt), *found[1:]]


def test_a_verdict_speaks_of_no_more_than_was_seen() -> None:
    elsewhere = "how it looks from other networks"
    everything = replace(HEALTHY, resolvers=resolver().resolvers, rdap=registered().rdap)
    assert unseen(everything) == [elsewhere]
    assert unseen(HEALTHY) == [
        "what resolvers say (none was asked)",
        "the registration (no account and no RDAP)",
        elsewhere,
    ]
    one_less = replace(everything, servers=everything.servers[:3])
    assert unseen(one_less) == ["what 2001:db8:b2::53 says", elsewhere]
    under_ds = replace(signed(), resolvers=everything.resolvers, rdap=everything.rdap)
    above = "the chain of trust above example"
    assert unseen(under_ds) == [
        "what validating resolvers say (none of the settings' was seen to validate)",
        above,
        elsewhere,
    ]
    assert unseen(replace(under_ds, resolvers=resolver(authenticated=True).resolvers)) == [above, elsewhere]


def test_a_sound_domain_is_confirmed_and_what_was_not_looked_at_is_kept() -> None:
    verdict = agreement(HEALTHY, None, (), givens(HEALTHY), ["other names"])
    assert verdict.confirmed and verdict.not_looked_at == ("other names",)
    assert {"NS set", "version", "DS", "kilnandclay.example A", "www.kilnandclay.example A"} <= {
        each.about for each in verdict.checks
    }
    assert agreement(inside(*GLUE), None, (), givens(inside(*GLUE))).confirmed


@pytest.mark.parametrize(
    ("observation", "spoilt", "about", "says"),
    [
        (HEALTHY, {"answer": (address(DOMAIN, "198.51.100.99"),)}, "kilnandclay.example A", "198.51.100.99"),
        (HEALTHY, {"answer": (), "outcome": "no data"}, "kilnandclay.example A", "no data"),
        (HEALTHY, {"authoritative": False}, "kilnandclay.example A", "A 198.51.100.80"),
        (
            HEALTHY,
            {"rcode": None, "answer": (), "outcome": "no answer in time"},
            "kilnandclay.example A",
            "no answer in time",
        ),
        (first(soa=soa(6)), {}, "version", "serial 6, others have 7"),
        (inside(address(INSIDE, "192.0.2.66"), GLUE[1]), {}, "glue of ns1.kilnandclay.example", "its zone has"),
        (inside(), {}, "glue of ns1.kilnandclay.example", "no address"),
        (
            replace(HEALTHY, parents=(replace(HEALTHY.parents[0], ds_absent=False), HEALTHY.parents[1])),
            {},
            "DS",
            "no proof",
        ),
    ],
)
def test_what_is_not_sound_is_named(observation: Observation, spoilt: dict[str, Any], about: str, says: str) -> None:
    faults = agreement(observation, None, (), givens(observation, **spoilt)).faults
    assert faults and {each.about for each in faults} == {about} and says in faults[0].said


def test_under_a_ds_keys_and_signatures_are_checked_down_to_the_answer_at_every_server() -> None:
    def judged(observation: Observation, given: list[Given]) -> list[str]:
        return [each.said for each in agreement(observation, None, (), given).faults if each.about == "signatures"]

    sound = [
        each for each in givens(signed(), SIGNER) if each.rcode == 0 and each.answer
    ]  # what is denied is another question
    assert judged(signed(), sound) == []
    bare = every(signed(), keys=None, signatures={}, denial=None)
    assert len(judged(bare, sound)) == 4 and "no DNSKEY, although the parent has a DS" in judged(bare, sound)[0]
    assert "no key fits the DS" in judged(signed(ds_set(Signer(1147).ds())), sound)[0]
    one = first(signed(), keys=None, signatures={})
    assert len(judged(one, sound)) == 1
    stale = [
        replace(each, answer=(each.answer[0], SIGNER.sign(each.answer[0], ends=NOW - 1))) for each in sound[:1]
    ] + sound[1:]
    assert judged(signed(), stale) == ["kilnandclay.example A: the signature is expired"]
    unproven = [each for each in givens(signed(), SIGNER) if each.rtype == AAAA]
    assert "no proof that there is no" in judged(signed(), unproven)[0]


def test_resolvers_that_fail_because_of_the_domain_are_not_to_be_mended() -> None:
    failing = ResolverView("harbour", "192.0.2.101", "server failure", None, None, 9, rcode=2)
    bare = replace(every(signed(), keys=None, signatures={}, denial=None), resolvers=(failing,))
    verdict = agreement(bare, None, (), [])
    assert verdict.faults[0].about == "signatures" and verdict.faults[-1].party == "resolver"
    assert "no DNSKEY" in verdict.faults[-1].because
    lonely = agreement(replace(HEALTHY, resolvers=(failing,)), None, (), givens(HEALTHY))
    assert [(each.party, each.because) for each in lonely.faults] == [("resolver", "")]


def test_on_the_way_to_other_servers_those_left_behind_are_not_judged() -> None:
    away = replace(
        HEALTHY, servers=tuple(replace(each, soa=soa(3)) if each.server == NS2 else each for each in HEALTHY.servers)
    )
    assert "version" in {each.about for each in agreement(away, Expected(ns=(NS1, NS2)), (), []).faults}
    assert "version" not in {each.about for each in agreement(away, Expected(ns=(NS1,)), (), []).faults}


def test_a_week_of_looks_is_remembered_in_little_room_and_nothing_is_forgotten_of_it() -> None:
    """A look every ten seconds; a server turns in the middle, a resolver near the end."""
    progress, bounded = ChangeProgress(CHANGE, 1 / 300), 0
    for number in range(60_480):
        server, copy = ("old", "old") if number < 30_000 else ("new", "old") if number < 59_000 else ("new", "new")
        progress.add(look(number * 10.0, child_a=(server, 3600), resolver_a=(copy, 3600 - number % 3600)))
        bounded = max(bounded, len(progress.looks))
    assert bounded <= 2001 and progress.count == 60_480
    assert progress.begins == 300_000.0 and progress.old_ttl == 3600 and progress.looks[-1].complete
    assert [after.at for before, after in pairwise(progress.looks) if before.resolvers != after.resolvers] == [
        590_000.0
    ]
    for number in range(5000):  # and where every look is another
        progress.add(look(700_000.0 + number, child_a=("new", 3600), resolver_a=("old" if number % 2 else "new", 60)))
        assert len(progress.looks) <= 2001
    assert progress.looks[0].at == 0.0 and progress.looks[-1].at == 704_999.0


def test_the_ttl_that_was_served_before_counts_where_it_is_known() -> None:
    earlier = HeldCopy("alder", CHANGE.name, CHANGE.rtype, 86_400, None, 0, -100, True)
    progress = ChangeProgress(CHANGE, 1 / 300, held=(earlier, replace(earlier, ttl=60, given_until=-10)))
    progress.add(look(0, child_a=("new", 300), resolver_a=("old", 17)))
    assert progress.remembers and progress.old_ttl == 86_400 and progress.over_at == 86_300
