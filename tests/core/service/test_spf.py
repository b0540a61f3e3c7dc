"""SPF worked out from a table instead of the network: the order of look-ups, their limits, and who may send (RFC
7208)."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from legatum.core.records.name import Name, parse_name
from legatum.core.records.presentation import parse_rdata
from legatum.core.records.rrset import RRset, rrset
from legatum.core.records.rrtype import AAAA, MX, TXT, A, parse_type
from legatum.core.service.spf import Checked, Result, check_host

DOMAIN = parse_name("kilnandclay.example.")


def table(*lines: str) -> dict[tuple[Name, int], RRset]:
    """``NAME TYPE DATA`` each."""
    made: dict[tuple[Name, int], list[bytes]] = {}
    for line in lines:
        name, rtype, data = line.split(" ", 2)
        kind = parse_type(rtype)
        made.setdefault((parse_name(name, DOMAIN) if name != "@" else DOMAIN, kind), []).append(
            parse_rdata(kind, data, DOMAIN)
        )
    return {key: rrset(*key, 60, data) for key, data in made.items()}


def checked(address: str, *lines: str) -> Checked:
    """As somebody with a network would: what is missing is looked up, and nothing else."""
    there, known = table(*lines), dict[tuple[Name, int], RRset | None]()
    while (found := check_host(address, DOMAIN, known)).missing:
        assert not found.missing & set(known)
        known |= {key: there.get(key) for key in found.missing}
    return found


FARM = ("@ MX 10 mail", "mail A 203.0.113.25", "mail AAAA 2001:db8:25::25", "@ A 198.51.100.80")


@pytest.mark.parametrize(
    ("address", "record", "result"),
    [
        ("203.0.113.25", "v=spf1 mx -all", Result.PASS),
        ("2001:db8:25::25", "v=spf1 mx -all", Result.PASS),
        ("203.0.113.26", "v=spf1 mx -all", Result.FAIL),
        ("203.0.113.26", "v=spf1 mx/24 -all", Result.PASS),
        ("2001:db8:25::99", "v=spf1 mx//64 -all", Result.PASS),
        ("198.51.100.80", "v=spf1 a ~all", Result.PASS),
        ("198.51.100.81", "v=spf1 a ~all", Result.SOFTFAIL),
        ("203.0.113.25", "v=spf1 a:mail.kilnandclay.example/32 -all", Result.PASS),
        ("203.0.113.77", "v=spf1 ip4:203.0.113.0/24 -all", Result.PASS),
        ("2001:db8::7", "v=spf1 ip6:2001:db8::/32 -all", Result.PASS),
        ("203.0.113.77", "v=spf1 ?ip4:203.0.113.77 -all", Result.NEUTRAL),
        ("203.0.113.77", "v=spf1", Result.NEUTRAL),
        ("203.0.113.77", "v=spf1 redirect=_spf.kilnandclay.example", Result.PASS),
        ("203.0.113.77", "v=spf1 include:_spf.kilnandclay.example -all", Result.PASS),
        ("203.0.113.78", "v=spf1 include:_spf.kilnandclay.example ~all", Result.SOFTFAIL),
        ("203.0.113.77", "v=spf1 include:nothing.kilnandclay.example -all", Result.BROKEN),
        ("203.0.113.77", "v=spf1 include:kilnandclay.example -all", Result.BROKEN),
        ("203.0.113.77", "v=spf1 mxx -all", Result.BROKEN),
        ("203.0.113.77", "v=spf1 ip4:nonsense -all", Result.BROKEN),
        ("203.0.113.77", "v=spf1 exists:%{i}.list.test -all", Result.FAIL),
        ("203.0.113.77", "v=spf10 -all", Result.NONE),
    ],
)
def test_who_may_send(address: str, record: str, result: Result) -> None:
    found = checked(address, *FARM, f'@ TXT "{record}"', '@ TXT "verify=7"', '_spf TXT "v=spf1 ip4:203.0.113.77 -all"')
    assert found.result == result, found.why


def test_several_records_and_strings() -> None:
    assert checked("203.0.113.1", '@ TXT "v=spf1 mx -all"', '@ TXT "v=spf1 -all"').result == Result.BROKEN
    assert checked("203.0.113.1", '@ TXT "v=spf1 ip4:203.0" ".113.1 -all"').result == Result.PASS


@given(st.integers(1, 15))
def test_ten_look_ups_and_no_more(count: int) -> None:
    """RFC 7208 s4.6.4, those of what is included counted."""
    lines = [f's{number} TXT "v=spf1 include:s{number + 1}.kilnandclay.example -all"' for number in range(1, count)]
    found = checked(
        "203.0.113.9",
        '@ TXT "v=spf1 include:s1.kilnandclay.example -all"',
        *lines,
        f's{count} TXT "v=spf1 ip4:203.0.113.9 -all"',
    )
    assert found.lookups == count or count > 12
    assert found.result == (Result.PASS if count <= 10 else Result.BROKEN)


def test_void_look_ups_are_counted() -> None:
    found = checked("203.0.113.9", '@ TXT "v=spf1 a:gone1.test a:gone2.test a:gone3.test -all"')
    assert (found.result, found.void, found.lookups) == (Result.FAIL, 3, 3)
    macro = checked("203.0.113.9", '@ TXT "v=spf1 exists:%{i}.list.test -all"')
    assert macro.unread == ["exists:%{i}.list.test"] and macro.lookups == 1


def test_types_are_those_of_the_address() -> None:
    assert {key[1] for key in check_host("2001:db8::1", DOMAIN, table('@ TXT "v=spf1 a -all"')).missing} == {AAAA}
    assert {key[1] for key in check_host("203.0.113.1", DOMAIN, table('@ TXT "v=spf1 a mx -all"')).missing} == {A, MX}
    assert check_host("203.0.113.1", DOMAIN, {}).missing == {(DOMAIN, TXT)}
