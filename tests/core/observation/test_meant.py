"""What somebody typed into a registrar's form, beside what was meant."""

import pytest

from legatum.core.observation.slips import address_slips, slips
from legatum.core.records.name import parse_name

DOMAIN = "kilnandclay.example"
OLD, NEW = ("ns1.alder.test", "ns2.alder.test"), ("ns1.birch.example", "ns2.birch.example")


@pytest.mark.parametrize(
    ("seen", "told"),
    [
        (OLD, []),  # nobody has typed yet
        (NEW, []),
        (("ns1.birch.example",), ["ns2.birch.example is missing"]),
        (("ns1.birch.example", "ns2.brich.example"), ["ns2.brich.example is mistyped: meant was ns2.birch.example"]),
        ((*NEW, "ns2.alder.test"), ["the old name ns2.alder.test is still there"]),
        (
            ("ns1.birch.example", f"ns2.birch.example.{DOMAIN}"),
            [f"ns2.birch.example.{DOMAIN} has the domain name appended"],
        ),
        ((*NEW, "dns.elsewhere.test"), ["dns.elsewhere.test was not meant at all"]),
        (
            ("ns1.birch.example", "ns1.alder.test"),
            ["the old name ns1.alder.test is still there", "ns2.birch.example is missing"],
        ),
    ],
)
def test_the_slip_is_named(seen: tuple[str, ...], told: list[str]) -> None:
    def names(texts: tuple[str, ...]) -> list[bytes]:
        return [parse_name(text + ".") for text in texts]

    found = slips(names(NEW), names(OLD), names(seen), parse_name(DOMAIN + "."))
    assert len(found) == len(told) and all(one.startswith(other) for one, other in zip(found, told, strict=True)), found


@pytest.mark.parametrize(
    ("seen", "says"),
    [
        ((), []),
        (("192.0.2.9",), []),  # the old one: nobody has typed
        (("198.51.100.31", "2001:db8::53"), []),
        (("198.51.100.31", "2001:db8::53", "192.0.2.9"), ["the old address 192.0.2.9 is still there"]),
        (("198.51.100.13", "2001:db8::53"), ["198.51.100.13 is mistyped: meant was 198.51.100.31"]),
        (("198.51.100.31", "2001:db8::35"), ["2001:db8::35 is mistyped: meant was 2001:db8::53"]),
        (("198.51.100.31", "203.0.113.7"), ["203.0.113.7 was not meant at all", "2001:db8::53 is missing"]),
        (("2001:db8::53",), ["198.51.100.31 is missing"]),
    ],
)
def test_a_slip_in_an_address_is_named(seen: tuple[str, ...], says: list[str]) -> None:
    before = ("192.0.2.9",) if seen else ()
    assert address_slips(("198.51.100.31", "2001:db8::53"), before, seen) == says


def test_an_address_typed_before_anybody_looked_is_judged_too() -> None:
    meant = ("198.51.100.31", "2001:db8::53")
    for typed, says in (
        (("198.51.100.13", "2001:db8::53"), ["198.51.100.13 is mistyped: meant was 198.51.100.31"]),
        (("2001:db8::53",), ["198.51.100.31 is missing"]),
        (("203.0.113.7",), []),
    ):
        assert address_slips(meant, typed, typed) == says
