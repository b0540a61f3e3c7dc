"""In which group a domain is, and what changed between two inventories."""

from dataclasses import replace

import pytest

from legatum.core.house.inventory import Group, Item, Side, changes_between, groups_of

NOW = 1_930_000_000.0  # 2031-02-27
ALDER = Side("alder", {"ns1.alder.test": ("198.51.100.31",), "ns2.alder.test": ("203.0.113.32",)})
BIRCH = Side("birch", {"ns1.birch.example": ("198.51.100.41",), "ns2.birch.example": ("203.0.113.42",)})
SIDES = (ALDER, BIRCH)
A, B = tuple(ALDER.servers), tuple(BIRCH.servers)
WELL = Item(
    "kilnandclay.example",
    A,
    {"alder": 7},
    ("birch",),
    accounts=("flint",),
    asked=("flint",),
    expires="2032-01-01T00:00:00Z",
)


@pytest.mark.parametrize(
    ("item", "groups", "why"),
    [
        (WELL, [Group.WELL], "by alder"),
        (replace(WELL, served={}, refused=("alder", "birch")), [Group.LAME], "alder does not serve it"),
        (replace(WELL, delegation=(*A, *B)), [Group.LAME, Group.WELL], "birch does not serve it"),
        (
            replace(WELL, expires="2031-03-20T00:00:00Z"),
            [Group.RUNNING_OUT, Group.WELL],
            "runs out on 2031-03-20, at flint",
        ),
        (replace(WELL, expires="2031-02-20T00:00:00Z"), [Group.RUNNING_OUT, Group.WELL], "ran out on 2031-02-20"),
        (replace(WELL, expires="2031-03-30T00:00:00Z"), [Group.WELL], ""),
        (replace(WELL, expires="soon"), [Group.WELL], ""),
        (
            replace(WELL, served={"alder": 7, "birch": 6}, refused=(), differ=("www A",)),
            [Group.TWO_COPIES, Group.WELL],
            "www A",
        ),
        (
            replace(WELL, delegation=("ns1.other.test", "ns2.other.test")),
            [Group.ELSEWHERE],
            "delegated to ns1.other.test",
        ),
        (replace(WELL, delegation=B, refused=(), served={"alder": 7, "birch": 7}), [Group.WELL], "by birch"),
        (replace(WELL, delegation=()), [Group.ELSEWHERE, Group.UNDELEGATED], "delegated to nobody"),
        (replace(WELL, delegation=(), served={}, refused=("alder",)), [Group.UNDELEGATED], "registered at flint"),
        (replace(WELL, accounts=()), [Group.UNREGISTERED, Group.WELL], "not at flint"),
        (
            replace(WELL, accounts=(), by_data="slate"),
            [Group.UNREGISTERED, Group.WELL],
            "with slate, as registration data say",
        ),
        (replace(WELL, accounts=(), asked=()), [Group.WELL], ""),  # nobody was asked
        (replace(WELL, delegation=A[:1]), [Group.ODD_NAMES, Group.WELL], "without ns2.alder.test of alder"),
        (
            replace(WELL, delegation=(*A, "ns9.other.test")),
            [Group.ODD_NAMES, Group.WELL],
            "ns9.other.test beside alder",
        ),
        (
            replace(
                WELL, delegation=("ns1.kilnandclay.example",), addresses={"ns1.kilnandclay.example": ("198.51.100.31",)}
            ),
            [Group.ELSEWHERE, Group.ODD_NAMES],
            "is ns1.alder.test of alder by another name",
        ),
        (replace(WELL, delegation=None, unknown=("who is led to",)), [Group.UNKNOWN], "who is led to"),
        (
            replace(WELL, accounts=(), unknown=("whether flint has it",)),
            [Group.UNKNOWN, Group.WELL],
            "whether flint has it",
        ),
        (
            Item("gone.example", (), refused=("alder", "birch"), asked=("flint",)),
            [Group.NOT_SERVED],
            "delegated to nobody; not at flint",
        ),
        (
            replace(WELL, delegation=("ns1.other.test",), served={}),
            [Group.NOT_SERVED],
            "delegated to ns1.other.test; registered at flint",
        ),
    ],
)
def test_groups(item: Item, groups: list[Group], why: str) -> None:
    found = groups_of(item, SIDES, NOW)
    assert [group for group, _ in found] == groups, found
    assert any(why in said for _, said in found) or not why, found


@pytest.mark.parametrize(
    ("new", "told"),
    [
        (WELL, []),
        (replace(WELL, served={"alder": 8}), []),  # a serial that grows is no news
        (replace(WELL, delegation=B), [f"delegation {', '.join(A)} → {', '.join(B)}"]),
        (replace(WELL, delegation=None), []),  # not known
        (replace(WELL, served={}, refused=("alder",)), ["no longer served by alder"]),
        (replace(WELL, served={}, silent=("alder",)), []),
        (replace(WELL, served={"alder": 7, "birch": 7}), ["served by birch"]),
        (replace(WELL, accounts=("slate",)), ["registered at flint → slate"]),
        (replace(WELL, accounts=(), asked=()), []),
        (replace(WELL, expires="2033-01-01T00:00:00Z"), ["runs out 2032-01-01 → 2033-01-01"]),
        (replace(WELL, differ=("www A",)), ["copies differ"]),
    ],
)
def test_changes(new: Item, told: list[str]) -> None:
    assert changes_between(WELL, new) == told
