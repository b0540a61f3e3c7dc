"""Transfers between registrars: what stands in the way, the runbook, the way back, and what came out otherwise (rule
13)."""

from dataclasses import replace

import pytest

from legatum.core.calendar.instant import instant_text
from legatum.core.moves.kinds.registrar_transfer import (
    APPROVE,
    CODE,
    DAY,
    FIT,
    FOLLOW,
    KEPT,
    LOCK,
    REGISTRANT,
    REQUEST,
    SETTLED,
    UNLOCK,
    Account,
    RegisteredDomain,
    Terms,
    differences,
    obstacles,
    registered_of,
)  # fmt: skip
from legatum.core.moves.plan import NewRegistrar, draw
from legatum.core.moves.retreat import Begun, draft_retreat
from legatum.core.moves.runbook import Runbook, forecast
from legatum.core.records.name import parse_name
from tests.core.moves.drawn import plan_input

NOW = 2_000_000_000.0
DOMAIN, OWN = parse_name("kilnandclay.example."), parse_name("ns1.kilnandclay.example.")
ALDER = tuple(parse_name(f"ns{number}.alder.test.") for number in (1, 2))
FLINT, SLATE = Account("flint", False), Account("slate", False)


def day(days: float) -> str:
    return instant_text(NOW + days * DAY)


HELD = RegisteredDomain(
    DOMAIN,
    NOW,
    "flint",
    ALDER,
    (b"\x10\x20\x0d\x02" + bytes(32),),
    {OWN: ("198.51.100.31",)},
    ("ok",),
    day(300),
    day(-700),
    day(-61),
)
WISH = Terms(FLINT, SLATE, "", False, 1, "")


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"statuses": ("clientTransferProhibited",)}, ""),  # that lock is lifted by the runbook itself
        ({"statuses": ("serverTransferProhibited",)}, "the registry itself forbids"),
        ({"statuses": ("pendingDelete",)}, "pendingDelete"),
        ({"statuses": ("pendingTransfer",)}, "pendingTransfer"),
        ({"grace": ("redemptionPeriod",)}, "redemption"),
        ({"grace": ("autoRenewPeriod",)}, ""),
        ({"created": day(-59.9)}, "registered"),
        ({"created": day(-60.1)}, ""),
        ({"transferred": day(-59.9)}, "transferred"),
        ({"transferred": ""}, ""),
        ({"expires": day(14.9)}, "expires"),
        ({"expires": day(15.1)}, ""),
        ({"expires": day(-1)}, "expires"),
    ],
)
def test_what_stands_in_the_way_and_what_does_not(change: dict[str, object], says: str) -> None:
    found = obstacles(replace(HELD, **change), FLINT, NOW)  # type: ignore[arg-type]
    assert [says in each.reason for each in found] == [True] * (says != ""), found
    assert all(each.remedy for each in found)


def test_the_instant_from_which_it_may_be_asked_for_is_told() -> None:
    found = obstacles(replace(HELD, created=day(-20)), FLINT, NOW)
    assert found[0].remedy == f"not before {day(40)}"


def test_a_pending_transfer_is_no_obstacle_to_itself() -> None:
    assert not obstacles(replace(HELD, statuses=("pendingTransfer",)), FLINT, NOW, pending=True)
    assert obstacles(replace(HELD, statuses=("pendingTransfer", "pendingDelete")), FLINT, NOW, pending=True)


def test_dns_and_hosts_that_the_losing_registrar_runs_go_first() -> None:
    assert [each.remedy.split(":")[-1] for each in obstacles(HELD, replace(FLINT, servers=(ALDER[1],)), NOW)] == [
        " `legatum move draft DOMAIN --to PROVIDER`"
    ]
    hosts = obstacles(HELD, replace(FLINT, addresses=("198.51.100.31",)), NOW)
    assert len(hosts) == 1 and "hosts renumber" in hosts[0].remedy
    assert not obstacles(
        HELD, replace(FLINT, servers=(parse_name("ns9.alder.test."),), addresses=("198.51.100.99",)), NOW
    )


def draft(held: RegisteredDomain, wish: Terms) -> Runbook:
    of = plan_input(at=NOW, registrar="", registered=registered_of(held), hosts=(), unsigned="")
    return draw(of, "k-1", "registered through slate", [NewRegistrar(held, wish)])


def ids(held: RegisteredDomain, wish: Terms) -> list[str]:
    return [step.id for step in draft(held, wish).steps]


def locks(move: Runbook, step: str) -> tuple[str, ...]:
    effect = move.step(step).effects[0]
    return effect.to_set or effect.to_lift  # type: ignore[attr-defined,no-any-return]


def test_the_steps_are_those_that_are_needed() -> None:
    assert ids(HELD, WISH) == [FIT, REQUEST, FOLLOW, KEPT, CODE, LOCK, SETTLED]
    locked = replace(HELD, statuses=("clientDeleteProhibited", "clientTransferProhibited", "clientUpdateProhibited"))
    whole = replace(WISH, approve=True, registrant="QM-2")
    assert ids(locked, whole) == [FIT, UNLOCK, REQUEST, APPROVE, FOLLOW, KEPT, REGISTRANT, CODE, LOCK, SETTLED]
    move = draft(locked, whole)
    assert locks(move, UNLOCK) == ("clientTransferProhibited", "clientUpdateProhibited")
    assert locks(move, LOCK) == locked.statuses  # as it was before
    assert locks(draft(HELD, WISH), LOCK) == ("clientTransferProhibited",)  # in any case
    on_hold = draft(replace(HELD, statuses=("clientHold", "serverHold")), WISH)
    assert locks(on_hold, LOCK) == (
        "clientHold",
        "clientTransferProhibited",
    )  # the registry's own statuses are not ours to set
    by_hand = replace(WISH, losing=Account("granite", True), gaining=Account("flint", True))
    assert UNLOCK in ids(HELD, by_hand) and CODE not in ids(
        HELD, by_hand
    )  # nobody sees a form's lock before; nobody sees its code


def test_how_long_it_takes_when_nobody_acts() -> None:
    move = draft(HELD, WISH)
    assert 5 * DAY < list(forecast(move, {}, NOW))[-1].ends - NOW < 5.1 * DAY
    assert list(forecast(draft(HELD, replace(WISH, approve=True)), {}, NOW))[-1].ends - NOW < 600
    assert not move.changes_answers and not move.retreating


def test_the_way_back_cancels_and_locks_again() -> None:
    move = draft(replace(HELD, statuses=("clientTransferProhibited",)), WISH)
    done = {step: Begun(NOW, NOW) for step in (FIT, UNLOCK)}
    asked = draft_retreat(move, {**done, REQUEST: Begun(NOW, None)}, NOW)  # not known how the request ended
    assert [step.id for step in asked.steps] == ["request-back", "unlock-back"] and asked.retreating
    assert [step.id for step in draft_retreat(move, done, NOW).steps] == ["unlock-back"]
    assert not draft_retreat(move, {FIT: Begun(NOW, NOW)}, NOW).steps


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({}, []),
        ({"registrar": "slate", "expires": day(665), "statuses": ("pendingUpdate",)}, []),
        ({"nameservers": ALDER[::-1]}, []),
        ({"nameservers": ALDER[:1]}, ["NS set"]),
        ({"ds": ()}, ["DS records"]),
        ({"hosts": {}}, ["the host ns1.kilnandclay.example had 198.51.100.31 and has nothing"]),
        ({"hosts": {OWN: ("198.51.100.32",)}}, ["198.51.100.32"]),
    ],
)
def test_what_came_out_otherwise_is_told(change: dict[str, object], says: list[str]) -> None:
    found = differences(registered_of(HELD), replace(HELD, **change))  # type: ignore[arg-type]
    assert len(found) == len(says) and all(word in text for word, text in zip(says, found, strict=True)), found
