"""Lists as people keep them, and tables as programs write them: what was meant comes out, with the line on which it
stands."""

import csv
import io

import pytest
from hypothesis import given
from hypothesis import strategies as st

from legatum.core.running.fault import BadInput
from legatum.core.text.table import Column, Row, RowReader


def rows(text: str) -> list[Row]:
    reader = RowReader()
    found = [row for line in io.StringIO(text) if (row := reader.take(line)) is not None]
    return [*found, *filter(None, [reader.end()])]


def chosen(text: str, wanted: str | None = None) -> list[tuple[int, str]]:
    column = Column(wanted, "list")
    return [(row.number, cell) for row in rows(text) if (cell := column.of(row))]


PLAIN = st.characters(codec="utf-8", exclude_characters="#", exclude_categories=["Cc", "Zs", "Zl", "Zp"])
CELLS = st.text(PLAIN | st.sampled_from(' \n",;'))


@given(st.lists(st.lists(CELLS.map(str.strip), min_size=2, max_size=4), min_size=1), st.sampled_from(",;\t"))
def test_what_a_program_wrote_is_read(table: list[list[str]], separator: str) -> None:
    heading = ["a", "b", "c"]
    written = io.StringIO()
    csv.writer(written, delimiter=separator, quoting=csv.QUOTE_ALL, lineterminator="\n").writerows([heading, *table])
    assert [list(row.cells) for row in rows(written.getvalue())] == [heading, *table]


@given(
    st.text(PLAIN | st.sampled_from(' \t,;"#\ufeff')).filter(str.strip), st.sampled_from(["", "kiln.example,Kiln\n"])
)
def test_a_line_is_read_the_same_whichever_way_it_ends(line: str, before: str) -> None:
    assert rows(f"{before}{line}\n") == rows(f"{before}{line} \n")


def test_what_people_write_is_read() -> None:
    text = (
        '\ufeff# customers, sorted; by hand\n\nkiln.example   # don\'t "touch", Friday\n   # more\n'
        "ferry.example\n\n\tlantern.example\n"
    )
    assert chosen(text) == [(3, "kiln.example"), (5, "ferry.example"), (7, "lantern.example")]
    table = (
        'customer;"Domain";note\n"Kiln; Clay";kiln.example;"two\nlines"\nFerry;ferry.example;#4\n\n'
        'Last;"lantern.example"\n'
    )
    for wanted in (None, "domain", "DOMAIN", "2"):
        assert chosen(table, wanted) == [(2, "kiln.example"), (4, "ferry.example"), (6, "lantern.example")]
    assert chosen("kiln.example\tKiln\nferry.example\tFerry, Ltd; and more\n") == [
        (1, "kiln.example"),
        (2, "ferry.example"),
    ]
    assert chosen('kiln.example\n"ferry.example\n') == [
        (1, "kiln.example"),
        (2, "ferry.example"),
    ]  # a mark that nobody closed
    with pytest.raises(BadInput, match="list:1: no column 'owner'"):
        chosen(table, "owner")
