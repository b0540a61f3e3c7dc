"""Which addresses everybody can reach: the registries' ranges and what is reachable inside of them, against the library
where both know."""

from ipaddress import ip_address, ip_network

import pytest
from hypothesis import given
from hypothesis import strategies as st

from legatum.core.records.address import address_rdata, address_text
from legatum.core.records.space import is_public, is_public_data

NEWER = [
    ip_network(each) for each in ("3fff::/20", "5f00::/16", "2001::/23", "192.0.0.0/24", "64:ff9b:1::/48", "fec0::/10")
]


@pytest.mark.parametrize(
    ("address", "public"),
    [
        ("8.8.8.8", True),
        ("10.1.2.3", False),
        ("100.127.0.1", False),
        ("100.128.0.1", True),
        ("127.0.0.1", False),
        ("172.32.0.1", True),
        ("192.0.0.8", False),
        ("192.0.0.9", True),
        ("198.19.255.255", False),
        ("198.20.0.0", True),
        ("224.0.0.1", False),
        ("255.255.255.255", False),
        ("::", False),
        ("::1", False),
        ("::ffff:8.8.8.8", False),
        ("2000::1", True),
        ("2001::1", False),
        ("2001:20::1", True),
        ("2001:db8:ffff::1", False),
        ("2001:db9::1", True),
        ("2001:200::1", True),
        ("3fff:fff::1", False),
        ("3fff:1000::1", True),
        ("fd00::1", False),
        ("fe80::1", False),
        ("ff02::1", False),
    ],
)
def test_ranges(address: str, public: bool) -> None:
    assert is_public(address) == public


def test_home_counts_as_public() -> None:
    home = ("10.0.0.0/9", "2001:db8::/33")
    assert [
        is_public(each, home)
        for each in ("10.127.0.1", "10.128.0.1", "2001:db8:1::1", "2001:db8:8000::1", "192.168.0.1")
    ] == [
        True,
        False,
        True,
        False,
        False,
    ]


@given(st.one_of(st.binary(min_size=4, max_size=4), st.binary(min_size=16, max_size=16)))
def test_as_the_library_has_it(data: bytes) -> None:
    place = ip_address(data)
    if not any(place.version == each.version and place in each for each in NEWER):
        assert is_public_data(data) == (place.is_global and not place.is_multicast)


@given(
    st.one_of(
        st.binary(min_size=4, max_size=4),
        st.lists(st.sampled_from([0, 0, 0, 1, 255]), min_size=16, max_size=16).map(bytes),
    )
)
def test_an_address_is_written_as_the_library_writes_it(rdata: bytes) -> None:
    assert address_text(rdata) == str(ip_address(rdata))
    assert address_rdata(address_text(rdata)) == rdata
