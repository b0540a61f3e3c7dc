"""Names: every spelling of one name is one value."""

import dns.name
import pytest
from hypothesis import given
from hypothesis import strategies as st

from legatum.core.records.name import (
    ROOT,
    Name,
    absolute_text,
    ancestors,
    canonical_key,
    is_under,
    name_text,
    parent_of,
    parse_domain,
    parse_name,
    typed_host,
    typed_name,
    unicode_text,
)
from legatum.core.running.fault import BadInput
from tests.strategies import names


@given(names)
def test_text_and_back(name: Name) -> None:
    assert parse_name(absolute_text(name)) == name
    assert name_text(name).isprintable()


@given(st.from_regex(r"([A-Za-z0-9_-]{1,63}\.){1,6}", fullmatch=True).filter(lambda text: len(text) < 255))
def test_usual_names_are_read_as_the_library_does_and_as_with_escapes(text: str) -> None:
    assert parse_name(text) == dns.name.from_text(text).canonicalize().to_wire()
    assert parse_name(f"\\{ord(text[0]):03}{text[1:]}") == parse_name(text)


@given(names, names)
def test_order_and_ancestry_are_the_librarys(one: Name, other: Name) -> None:
    left, right = dns.name.from_wire(one, 0)[0], dns.name.from_wire(other, 0)[0]
    assert (canonical_key(one) < canonical_key(other)) == (left < right)
    assert is_under(one, other) == left.is_subdomain(right)


@pytest.mark.parametrize("text", ["KilnAndClay.Example", "kilnandclay.example.", "kilnandclay.EXAMPLE."])
def test_case_and_final_dot_do_not_matter(text: str) -> None:
    assert parse_domain(text) == b"\x0bkilnandclay\x07example\x00"


def test_idn_in_both_forms() -> None:
    assert (
        parse_domain("töpferei.example")
        == parse_domain("XN--TPFEREI-90A.example.")
        == parse_domain("TÖPFEREI。example")
    )
    assert unicode_text(parse_domain("xn--tpferei-90a.example")) == "töpferei.example"
    assert unicode_text(parse_domain("xn--a.example")) == "xn--a.example"


def test_relative_names_are_completed() -> None:
    origin = parse_name("example.")
    assert parse_name("@", origin) == origin and parse_name("www", origin) == parse_name("www.example.")
    assert parse_name("a\\.b.c.") == b"\3a.b\1c\0" and parse_name("\\000x.") == b"\2\0x\0"


@pytest.mark.parametrize(
    "text",
    [
        "",
        ".",
        "a..b",
        ".a",
        "a b.example",
        "x" * 64 + ".example",
        "a." * 130,
        "a\\",
        "a\\999.example",
        "kiln\x1b[31m.example",
        "-.xn--\udc80",
        "a@b.example",
    ],
)
def test_what_is_no_domain_is_refused(text: str) -> None:
    with pytest.raises(BadInput):
        parse_domain(text)


def test_the_way_up() -> None:
    assert ancestors(parse_name("a.b.")) == [parse_name("a.b."), parse_name("b."), ROOT]
    assert parent_of(ROOT) == ROOT and not is_under(parse_name("xb."), parse_name("b."))


KILN = parse_name("kilnandclay.example.")


@pytest.mark.parametrize(
    ("typed", "meant"),
    [
        ("@", "kilnandclay.example"),
        ("www", "www.kilnandclay.example"),
        ("WWW", "www.kilnandclay.example"),
        ("www.kilnandclay.example", "www.kilnandclay.example"),
        ("www.KilnAndClay.example", "www.kilnandclay.example"),
        ("kilnandclay.example", "kilnandclay.example"),
        ("kilnandclay.example.", "kilnandclay.example"),
        ("a.b", "a.b.kilnandclay.example"),
        ("ns1.alder.test", "ns1.alder.test.kilnandclay.example"),
        ("ns1.alder.test.", "ns1.alder.test"),
        ("notkilnandclay.example", "notkilnandclay.example.kilnandclay.example"),
        ("www.kilnandclay.example.kilnandclay.example.", "www.kilnandclay.example.kilnandclay.example"),
        ("*.preview", "*.preview.kilnandclay.example"),
    ],
)
def test_names_as_typed(typed: str, meant: str) -> None:
    assert name_text(typed_name(typed, KILN)) == meant


@given(names)
def test_a_name_of_the_domain_may_be_typed_whole_with_a_dot_or_without(name: Name) -> None:
    inside = Name(name[:-1] + KILN)
    if len(inside) <= 255:
        assert typed_name(name_text(inside), KILN) == typed_name(absolute_text(inside), KILN) == inside


def test_servers_stand_elsewhere_unless_a_single_label_is_given() -> None:
    assert name_text(typed_host("ns1.alder.test", KILN)) == "ns1.alder.test"
    assert name_text(typed_host("ns1", KILN)) == "ns1.kilnandclay.example"
    assert name_text(typed_host("ns1.kilnandclay.example", KILN)) == "ns1.kilnandclay.example"


@pytest.mark.parametrize(
    "text",
    [
        "http://www.kilnandclay.example",
        "https://www.kilnandclay.example/shop?x=1",
        "HTTPS://user@www.kilnandclay.example:8443/",
        "www.KilnAndClay.example",
    ],
)
def test_of_the_address_of_a_page_its_host_is_meant(text: str) -> None:
    assert parse_domain(text) == parse_name("www.kilnandclay.example.")


@pytest.mark.parametrize("text", ["http://", "http:///x", "ftp://a.example/", "http://192.0.2.1/", "a.example/x y"])
def test_what_is_the_address_of_no_domain(text: str) -> None:
    with pytest.raises(BadInput):
        parse_domain(text)
