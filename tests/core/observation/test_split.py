"""Inside and outside held against each other: what views are for, and what is wrong."""

import pytest

from legatum.core.agreement.split import Split, split_of
from legatum.core.observation.answers import Form, Said
from legatum.core.records.name import parse_name
from legatum.core.records.rrset import RRset
from legatum.core.records.rrtype import A

NAME = parse_name("www.kilnandclay.example.")
HOME = ("203.0.113.0/24",)


def gives(*addresses: str) -> Said:
    if not addresses:
        return Said(Form.NO_NAME, str(Form.NO_NAME))
    return Said(
        Form.ANSWER, "answer", (RRset(NAME, A, 60, tuple(bytes(map(int, each.split("."))) for each in addresses)),)
    )


NOTHING, SILENT, FAILS = gives(), Said(Form.SILENT, "no answer in time"), Said(Form.ERROR, "refused")
OLD = RRset(NAME, A, 3600, (bytes((203, 0, 113, 7)),))


@pytest.mark.parametrize(
    ("inside", "outside", "split"),
    [
        (gives("203.0.113.80"), gives("203.0.113.80"), Split.SAME),
        (NOTHING, NOTHING, Split.SAME),
        (gives("10.0.0.80"), NOTHING, Split.ONLY_INSIDE),
        (gives("10.0.0.80"), gives("203.0.113.80"), Split.INNER),
        (gives("203.0.113.81"), gives("203.0.113.80"), Split.ANOTHER),
        (NOTHING, gives("203.0.113.80"), Split.ONLY_OUTSIDE),
        (gives("203.0.113.80"), gives("10.0.0.80"), Split.LEAK),
        (gives("10.0.0.80"), gives("10.0.0.80"), Split.LEAK),
        (gives("203.0.113.7"), gives("203.0.113.80"), Split.OLD),
        (gives("203.0.113.80"), gives("203.0.113.7"), Split.OLD_OUTSIDE),
        (SILENT, gives("203.0.113.80"), Split.UNKNOWN),
        (gives("203.0.113.80"), FAILS, Split.UNKNOWN),
    ],
)
def test_what_two_views_give(inside: Said, outside: Said, split: Split) -> None:
    row = split_of((NAME, A), {"server": inside}, {"server": outside}, OLD, HOME)
    assert row.split == split and not row.apart
    assert row.split.is_fault == (split not in (Split.SAME, Split.ONLY_INSIDE, Split.INNER, Split.ANOTHER))


def test_one_of_a_view_that_is_behind_is_named() -> None:
    views = {"one": gives("10.0.0.80"), "two": gives("10.0.0.80"), "three": gives("10.0.0.79")}
    row = split_of((NAME, A), views, {"server": NOTHING}, None, HOME)
    assert row.split == Split.APART and row.inside == views["one"] and [who for who, _ in row.apart] == ["three"]
    silent = split_of((NAME, A), {"one": gives("10.0.0.80"), "two": SILENT}, {"server": NOTHING}, None, HOME)
    assert silent.inside == gives("10.0.0.80") and silent.apart == (("two", SILENT),)
