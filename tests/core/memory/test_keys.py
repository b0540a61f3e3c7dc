"""With which keys a place signed, out of what a journal has of it."""

from legatum.core.dnssec.trust import Keys
from legatum.core.memory.given import Given, Look
from legatum.core.memory.keys import KeyState, key_states, seen_keys, signing_at
from legatum.core.records.name import parse_name
from legatum.core.records.rrtype import DNSKEY

ZONE = parse_name("kilnandclay.example.")
ONE = Keys(("1/13",), ("1/13",), ("1/13",), 3600)
BOTH = Keys(("1/13", "2/13"), ("1/13", "2/13"), ("1/13",), 3600)


def row(number: int, keys: Keys | None, first: float, gone: float | None, place: str = "rowan") -> Given:
    return Given(number, *seen_keys(place, ZONE, keys), first, first, gone)


def test_states_follow_each_other_and_end_when_no_server_gives_them() -> None:
    rows = [row(1, ONE, 100, 260), row(2, BOTH, 200, None), row(3, None, 50, 100), row(4, None, 10, None, "sorrel")]
    assert key_states(rows, "rowan", ZONE) == [
        KeyState(None, 50, 50),
        KeyState(ONE, 100, 100),
        KeyState(BOTH, 200, 260),
    ]
    assert key_states(rows, "sorrel", ZONE) == [KeyState(None, 10, 10)]


def test_keys_that_come_back_are_two_states() -> None:
    rows = [row(1, ONE, 100, 200), row(2, BOTH, 200, 300), row(3, ONE, 300, None)]
    assert [each.keys for each in key_states(rows, "rowan", ZONE)] == [ONE, BOTH, ONE]


def test_a_look_at_the_zone_ends_no_state_but_one_at_its_keys_does() -> None:
    rows = [row(1, ONE, 100, None)]
    assert Look(ZONE, 200, whole=frozenset(["rowan"])).ended(rows) == []
    assert (
        Look(ZONE, 200, (seen_keys("rowan", ZONE, BOTH),), frozenset([(signing_at("rowan"), ZONE, DNSKEY)])).ended(rows)
        == rows
    )
