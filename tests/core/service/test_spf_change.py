"""SPF while mail goes from one service to another: either's senders pass, and nobody else."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from legatum.core.records.name import parse_name
from legatum.core.records.presentation import txt_rdata
from legatum.core.records.rrset import rrset
from legatum.core.records.rrtype import TXT
from legatum.core.running.fault import GateShut
from legatum.core.service.spf import Result, check_host
from legatum.core.service.spf_change import spf_left, spf_of_both

DOMAIN, HOST = parse_name("kilnandclay.example."), parse_name("mail.kilnandclay.example.")
ADDRESSES = [f"192.0.2.{last}" for last in range(1, 9)]
RECORDS = st.builds(
    lambda hosts, end: " ".join(["v=spf1", *(f"ip4:{each}" for each in hosts), end]),
    st.lists(st.sampled_from(ADDRESSES), max_size=4), st.sampled_from(["-all", "~all", "?all"]),
)  # fmt: skip


def passes(text: str, address: str) -> bool:
    known = {(DOMAIN, TXT): rrset(DOMAIN, TXT, 60, [txt_rdata(text)])}
    found = check_host(address, DOMAIN, known)
    assert not found.missing and found.result != Result.BROKEN
    return found.result == Result.PASS


@given(RECORDS, RECORDS)
def test_whoever_either_lets_through_and_nobody_else(old: str, new: str) -> None:
    both = spf_of_both(old, new, ())
    for address in ADDRESSES:
        assert passes(both, address) == (passes(old, address) or passes(new, address))
        assert (f"ip4:{address}" in spf_left(old, new, ())) == (passes(old, address) and not passes(new, address))
    assert spf_of_both(both, new, ()) == both and both.split()[-1] == old.split()[-1]


@pytest.mark.parametrize(
    ("old", "new", "both", "left"),
    [
        (
            "v=spf1 mx/28 -all",
            "v=spf1 mx -all",
            "v=spf1 mx mx/28 a:mail.kilnandclay.example/28 -all",
            ("mx/28", "a:mail.kilnandclay.example/28"),
        ),
        (
            "v=spf1 -ip4:192.0.2.9 a ~all",
            "v=spf1 include:post.test -all",
            "v=spf1 include:post.test -ip4:192.0.2.9 a ~all",
            ("a",),
        ),
        ("v=spf1", "v=spf1 +a exp=why.test -all", "v=spf1 +a", ()),
    ],
)
def test_terms(old: str, new: str, both: str, left: tuple[str, ...]) -> None:
    assert spf_of_both(old, new, [HOST]) == both and spf_left(old, new, [HOST]) == left


@pytest.mark.parametrize(
    ("old", "says"),
    [
        ("v=spf1 redirect=_spf.post.test", "redirect="),
        ("v=spf1 " + " ".join(f"include:{each}.test" for each in range(10)), "11 look-ups"),
    ],
)
def test_where_both_cannot_stand_in_one_record(old: str, says: str) -> None:
    with pytest.raises(GateShut, match=says):
        spf_of_both(old, "v=spf1 include:new.test -all", [])
