"""Waves: every domain once, those that others depend on after them, and how much trouble is too much."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from legatum.core.house.waves import Member, Tolerance, in_waves, parse_sizes, parse_tolerance
from legatum.core.records.name import Name, is_under, parse_name
from legatum.core.running.fault import BadInput

DOMAINS = [parse_name(f"d{number}.example.") for number in range(12)]
HOSTS = [parse_name(f"ns1.{host}") for host in ("far.test.", *(f"d{number}.example." for number in range(12)))]
MEMBERS = st.lists(st.sampled_from(DOMAINS), unique=True).flatmap(
    lambda domains: st.tuples(
        *(st.builds(Member, st.just(each), st.frozensets(st.sampled_from(HOSTS), max_size=3)) for each in domains)
    )
)
SIZES = st.sampled_from(["1,10,rest", "rest", "2", "1,3", "5,rest"])


def depends(one: Member, other: Member) -> bool:
    return one.domain != other.domain and any(is_under(host, other.domain) for host in one.hosts)


@given(MEMBERS, SIZES)
def test_every_domain_once_and_whoever_is_depended_on_last(members: tuple[Member, ...], sizes: str) -> None:
    waves = in_waves(members, parse_sizes(sizes))
    assert sorted(each for wave in waves for each in wave) == sorted(each.domain for each in members) and all(waves)
    number = {domain: at for at, wave in enumerate(waves) for domain in wave}
    for one in members:
        for other in members:
            if depends(one, other) and not reaches(other, one, members):
                assert number[one.domain] < number[other.domain]


def reaches(one: Member, other: Member, members: tuple[Member, ...]) -> bool:
    """They depend on each other, by way of others too."""
    seen, left = set[Name](), [one]
    while left:
        each = left.pop()
        new = [found for found in members if depends(each, found) and found.domain not in seen]
        seen |= {found.domain for found in new}
        left += new
    return other.domain in seen


def test_sizes_and_who_goes_together() -> None:
    far, near = frozenset({parse_name("ns1.far.test.")}), frozenset({parse_name("ns1.near.test.")})
    members = [Member(each, far if at % 2 else near) for at, each in enumerate(DOMAINS)]
    waves = in_waves(members, parse_sizes("1,3,rest"))
    assert [len(each) for each in waves] == [1, 3, 8] and waves[0] == (DOMAINS[0],)
    assert waves[1] == (DOMAINS[1], DOMAINS[3], DOMAINS[2])  # those that use the same hosts one after the other
    assert [len(each) for each in in_waves(members, parse_sizes("1,5"))] == [1, 5, 5, 1]
    for wrong in ("", "0", "rest,1", "1,,2", "one", "1,rest,rest"):
        with pytest.raises(BadInput):
            parse_sizes(wrong)


def test_how_much_trouble_is_too_much() -> None:
    assert parse_tolerance("3") == Tolerance(3) and parse_tolerance("5 %") == Tolerance(share=5.0)
    assert [Tolerance(2).is_used_up(count, 100) for count in range(4)] == [False, False, True, True]
    assert [Tolerance(share=5).is_used_up(count, 100) for count in (0, 4, 5)] == [False, False, True]
    assert not Tolerance(share=1).is_used_up(0, 10) and Tolerance(share=1).is_used_up(1, 10)
    for wrong in ("0", "0%", "101%", "-1", "some", "1.5"):
        with pytest.raises(BadInput):
            parse_tolerance(wrong)
