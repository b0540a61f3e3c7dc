"""The exact waits of every kind of plan: after which step, how many seconds, with how much slack, by which rule of
docs/timing.md.

Worked out by hand from what the plans are drawn from (``drawn.py``, ``test_trust.py``): NS sets with 3600 s at the
parent and 86400 s in the zone, lowered to 300; “no such name” 1800 s, in the zones of other name servers 600; the
longest TTL 86400; DS 3600 (86400 where an algorithm changes), keys 7200; a question under way 4 s and one for each
copy.
"""

import pytest

from legatum.core.calendar.timing import Wait
from legatum.core.moves.runbook import forecast, hold_of
from tests.core.moves.drawn import AT, KINDS, MARGIN, plan
from tests.core.moves.test_trust import plan as signed

WAITS = """
provider | ready | lower | 86100 | 5 | 1
provider | ready | seen ns1.birch.test | 600 | 5 | 3
provider | ready | seen ns2.birch.test | 600 | 5 | 3
provider | confirm | parents | 3600 | 5 | 4
provider | confirm | lower | 86400 | 5 | 4
provider | confirm | apex | 300 | 5 | 4
provider | end | parents | 3600 | 5 | 4
provider | end | lower | 86400 | 5 | 4
provider | end | apex | 300 | 5 | 4
address | address | lower-addresses | 3300 | 5 | 1
address | address | senders | 3600 | 5 | 2
address | confirm-address | lower-addresses | 3600 | 5 | 2
address | confirm-address | address | 300 | 5 | 2
address | old-address | lower-addresses | 3600 | 5 | 2
address | old-address | address | 300 | 5 | 2
alias | alias | lower-alias | 300 | 5 | 1
alias | confirm-alias | lower-alias | 600 | 5 | 2
alias | confirm-alias | alias | 1800 | 5 | 3
alias | old-address | lower-alias | 600 | 5 | 2
alias | old-address | alias | 300 | 5 | 2
addresses | alias | lower-alias | 300 | 5 | 1
addresses | confirm-alias | lower-alias | 600 | 5 | 2
addresses | confirm-alias | alias | 300 | 5 | 2
addresses | old-address | lower-alias | 600 | 5 | 2
addresses | old-address | alias | 300 | 5 | 2
mail | mail | lower-mail | 3300 | 5 | 1
mail | mail | mail-records | 3600 | 5 | 2
mail | confirm-mail | mail-records | 3600 | 5 | 2
mail | confirm-mail | lower-mail | 3600 | 5 | 2
mail | confirm-mail | mail | 300 | 5 | 2
mail | old-mail | lower-mail | 3600 | 5 | 2
mail | old-mail | mail | 300 | 5 | 2
mail | old-mail | raise-mail | 300 | 5 | 2
verify | confirm-verify | verify | 3600 | 5 | 2
verify | verified | verify | 7200 | 0 | 0
part | ready | seen ns1.birch.test | 600 | 5 | 3
part | ready | seen ns2.birch.test | 600 | 5 | 3
part | confirm | cut | 1800 | 5 | 15
second | ready | seen ns1.cedar.test | 600 | 5 | 3
second | ready | seen ns2.cedar.test | 600 | 5 | 3
hosts | ready | address-ns1 | 1800 | 5 | 3
hosts | apex | address-ns1 | 1800 | 5 | 3
ttl | confirm-ttl | ttl | 3600 | 5 | 2
soa | confirm-soa | soa | 3600 | 5 | 2
soa | confirm-soa | serial | 3600 | 5 | 2
soa | confirm-soa | serial-2 | 3600 | 5 | 2
retirement | confirm | parents | 90000 | 10 | 4
retirement | end | parents | 90000 | 10 | 4
passage | ready | lower | 86100 | 5 | 1
passage | ready | ds-gone | 3600 | 5 | 7
passage | ready | seen ns1.birch.test | 600 | 5 | 3
passage | ready | seen ns2.birch.test | 600 | 5 | 3
passage | confirm | parents | 3600 | 5 | 4
passage | confirm | lower | 86400 | 5 | 4
passage | confirm | apex | 300 | 5 | 4
passage | end | parents | 3600 | 5 | 4
passage | end | lower | 86400 | 5 | 4
passage | end | apex | 300 | 5 | 4
passage | ds-in | parents | 90000 | 10 | 8
passage | ds-in | lower | 172800 | 10 | 8
passage | ds-in | apex | 86700 | 10 | 8
passage | ds-in | ds-gone | 3600 | 5 | 7
unsigned | unsigned | ds-gone | 3600 | 5 | 7
unsigned | unsign | ds-gone | 3600 | 5 | 7
signed | ds-in | sign | 86400 | 5 | 6
shared | ready | lower | 86100 | 5 | 1
shared | ready | ds-both-seen | 3600 | 5 | 7
shared | ready | keys-at-alder | 7200 | 5 | 9
shared | ready | seen ns1.birch.test | 600 | 5 | 3
shared | ready | seen ns2.birch.test | 600 | 5 | 3
shared | confirm | parents | 3600 | 5 | 4
shared | confirm | lower | 86400 | 5 | 4
shared | confirm | apex | 300 | 5 | 4
shared | end | parents | 3600 | 5 | 4
shared | end | lower | 86400 | 5 | 4
shared | end | apex | 300 | 5 | 4
shared | ds-in | keys-at-alder | 86400 | 5 | 6
shared | ds-in | ds-both-seen | 3600 | 5 | 7
shared | ds-in | parents | 90000 | 10 | 8
shared | ds-in | lower | 172800 | 10 | 8
shared | ds-in | apex | 86700 | 10 | 8
shared | keys-own | keys-at-alder | 86400 | 5 | 6
shared | keys-own | ds-both-seen | 3600 | 5 | 7
shared | keys-own | parents | 90000 | 10 | 8
shared | keys-own | lower | 172800 | 10 | 8
shared | keys-own | apex | 86700 | 10 | 8
double-ksk | ds-in | new-key | 7200 | 5 | 9
double-ksk | old-key | ds-seen | 3600 | 5 | 7
double-ksk | old-key | new-key | 7200 | 5 | 9
double-ds | new-key | ds-both-seen | 3600 | 5 | 7
double-ds | ds-in | ds-both-seen | 3600 | 5 | 7
double-ds | ds-in | new-key | 7200 | 5 | 9
double-signature | ds-in | new-key | 7200 | 5 | 9
double-signature | old-key | new-key | 86400 | 5 | 6
double-signature | old-key | ds-seen | 3600 | 5 | 7
one-key | re-sign | new-key | 7200 | 5 | 9
one-key | ds-in | new-key | 7200 | 5 | 9
one-key | old-key | new-key | 86400 | 5 | 6
one-key | old-key | ds-seen | 3600 | 5 | 7
one-key | old-key | re-sign | 86400 | 5 | 6
combined | ds-in | new-key | 7200 | 5 | 9
combined | alone | new-key | 7200 | 5 | 9
combined | alone | ds-seen | 3600 | 5 | 7
combined | old-key | new-key | 86400 | 5 | 6
combined | old-key | ds-seen | 3600 | 5 | 7
combined | old-key | alone | 86400 | 5 | 6
algorithm | new-key | new-signatures | 86400 | 5 | 6
algorithm | ds-in | new-signatures | 86400 | 5 | 6
algorithm | ds-in | new-key | 7200 | 5 | 9
algorithm | old-key | ds-seen | 86400 | 5 | 7
algorithm | old-key | new-signatures | 86400 | 5 | 6
algorithm | old-key | new-key | 7200 | 5 | 9
algorithm | old-signatures | new-signatures | 86400 | 5 | 6
algorithm | old-signatures | new-key | 7200 | 5 | 9
algorithm | old-signatures | old-key | 7200 | 5 | 9
algorithm | old-signatures | ds-seen | 86400 | 5 | 7
"""  # kind | step | after | seconds | slack | rule

REASONS = {  # one of each rule, as it is told
    (
        "provider",
        "ready",
        1,
    ): "the old NS set was handed out with a TTL of 86400 until {at}, and may be kept that long; now with 300",
    ("address", "confirm-address", 2): "kilnandclay.example A was handed out until {at} with a TTL of 300",
    (
        "provider",
        "ready",
        3,
    ): "the address of ns2.birch.test: seen everywhere at {at}, and caches may keep “no such name” for 600 s",
    (
        "provider",
        "confirm",
        4,
    ): "the domain's own servers (alder) handed out the old NS set until {at} with a TTL of 300",
    (
        "part",
        "confirm",
        15,
    ): "the servers of kilnandclay.example answered for names below app.kilnandclay.example themselves until {at}, and "
    "that may be kept for 1800 s",
    (
        "signed",
        "ds-in",
        6,
    ): "alder was not known to be signed before {at}: what it gave unsigned may be kept for 86400 s",
    ("unsigned", "unsigned", 7): "the parent handed out the DS of key 12/13 until {at} with a TTL of 3600",
    ("one-key", "ds-in", 9): "alder gave keys with 12/13 until {at}, and that may be kept for 7200 s",
}


def waits_of(kind: str) -> list[tuple[str, Wait]]:
    return [(step.id, wait) for step in (plan if kind in KINDS else signed)(kind).steps for wait in step.waits]


def rows() -> dict[str, list[str]]:
    found: dict[str, list[str]] = {}
    for line in WAITS.strip().splitlines():
        found.setdefault(line.partition(" |")[0], []).append(line)
    return found


@pytest.mark.parametrize("kind", rows())
def test_every_wait_is_what_the_rules_make_it(kind: str) -> None:
    found = [
        f"{kind} | {step} | {wait.after} | {wait.seconds} | {wait.slack} | {wait.rule}" for step, wait in waits_of(kind)
    ]
    assert found == rows()[kind]


@pytest.mark.parametrize(("kind", "step", "rule"), REASONS)
def test_a_wait_says_why(kind: str, step: str, rule: int) -> None:
    assert [wait.because for ident, wait in waits_of(kind) if (ident, wait.rule) == (step, rule)][-1] == REASONS[
        kind, step, rule
    ]


def test_the_instant_is_that_of_the_latest_wait_with_slack_and_margin() -> None:
    runbook = plan("provider")
    outcomes = {each.step.id: each.ends for each in forecast(runbook, {}, AT)}
    bounds = {each.step.id: each.bound for each in forecast(runbook, {}, AT)}
    end = bounds["end"]
    assert end is not None and end.rule == 4 and end.instant == outcomes["parents"] + 3600 + 5 + MARGIN
    assert end.instant > outcomes["lower"] + 86400 + 5 + MARGIN and len(end.parts) == 3
    assert end.parts[0][0] == end.instant and [each for each, _ in end.parts] == sorted(
        (each for each, _ in end.parts), reverse=True
    )
    assert hold_of(runbook, runbook.steps[0], {}, AT) is None
