"""Answers that change by chance or by place, from a model of servers: the sort is found, how sure it is holds, and old
data stand out."""

import random
from collections import Counter

from hypothesis import given, settings
from hypothesis import strategies as st

from legatum.core.agreement.variety import MOST, SURE, Answer, Sample, Sort, Variety, members, more_needed
from legatum.core.records.name import parse_name
from legatum.core.records.rrset import RRset
from legatum.core.records.rrtype import RRSIG, A

NAME = parse_name("kilnandclay.example.")
NETWORKS = ("", "24.0.0.0/24", "80.0.0.0/24")
SERVERS = ("198.51.100.31", "203.0.113.32", "198.51.100.33")


def some(*last: int) -> Answer:
    return members([RRset(NAME, A, 60, tuple(bytes((203, 0, 113, each)) for each in last))])


def asked(answer: "object", servers: tuple[str, ...] = SERVERS, networks: tuple[str, ...] = NETWORKS) -> Variety:
    """As often as is needed. ``answer(server, network)``: what is given."""
    samples: list[Sample] = []
    while more_needed(samples):
        # type: ignore[operator]
        samples += [Sample(server, network, answer(server, network)) for server in servers for network in networks]
    return Variety(tuple(samples))


def test_order_times_and_signatures_do_not_count() -> None:
    one = RRset(NAME, A, 60, (b"\1\1\1\1", b"\2\2\2\2"))
    assert members([one]) == members([one.with_ttl(9), RRset(NAME, RRSIG, 60, (b"x" * 30,))])


@settings(max_examples=60, deadline=None)
@given(st.integers(2, 8), st.integers(1, 4), st.integers(0, 10_000))
def test_a_changing_part_is_known_and_seen_whole(size: int, shown: int, seed: int) -> None:
    chance, pool = random.Random(seed), range(size)
    shown = min(shown, size - 1)
    found = asked(lambda *_: some(*chance.sample(pool, shown)))
    assert found.sort == Sort.BY_CHANCE and not found.behind
    assert found.sure >= SURE or len(found.samples) >= MOST * 9
    assert all(found.agrees(server, some(*chance.sample(pool, shown))) for server in SERVERS)
    assert not found.agrees(SERVERS[0], some(99)) and not found.agrees(SERVERS[0], frozenset())


@settings(max_examples=60, deadline=None)
@given(st.integers(3, 6), st.booleans(), st.integers(0, 10_000))
def test_the_one_with_old_data_is_found_among_them(size: int, also_changing: bool, seed: int) -> None:
    chance, pool, old = random.Random(seed), range(size), [*range(1, size), 77]

    def answer(server: str, _: str) -> Answer:
        own = old if server == SERVERS[2] else pool
        return some(*own) if server == SERVERS[2] and not also_changing else some(*chance.sample(list(own), 2))

    found = asked(answer)
    assert set(found.behind) == {SERVERS[2]} and found.behind[SERVERS[2]] == some(77)
    assert not found.agrees(SERVERS[2], some(77)) and not found.agrees("resolver", some(77))


def test_another_answer_for_each_place() -> None:
    by_place = {"": some(1), "24.0.0.0/24": some(1), "80.0.0.0/24": some(2)}
    found = asked(lambda _, network: by_place[network])
    assert found.sort == Sort.BY_PLACE and not found.behind and found.sure == 1
    assert found.agrees("resolver", some(2)) and not found.agrees("resolver", some(3))
    old = asked(lambda server, network: some(9) if server == SERVERS[1] else by_place[network])
    assert set(old.behind) == {SERVERS[1]}
    both = asked(lambda _, network: some(random.Random().choice((10, 11) if network else (1, 2))))
    assert both.sort == Sort.BOTH


def test_a_plain_difference_is_none_of_these() -> None:
    found = asked(lambda server, _: some(1) if server == SERVERS[0] else some(2))
    assert found.sort == Sort.STEADY and not found.behind and "the same each time" in found.text


def test_two_sides_are_equal_where_they_vary_alike() -> None:
    chance = random.Random(7)
    one, same, other = (
        asked(lambda *_, pool=pool: some(*chance.sample(pool, 2)), servers=(SERVERS[0],))
        for pool in (range(4), range(4), range(1, 5))
    )
    assert one.equals(same) and not one.equals(other)
    steady = asked(lambda *_: some(0, 1), servers=(SERVERS[1],))
    assert not one.equals(steady) and not steady.equals(steady)
    assert Counter(one.of(SERVERS[0])) == Counter(some(0, 1, 2, 3))
