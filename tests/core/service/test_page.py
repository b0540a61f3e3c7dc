"""Pages as servers send them: what they say, and that nothing that is sent ends or delays the reading."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from legatum.core.service.page import likeness, page_of

SHOP = (
    b"<html><head><title>Kiln &amp; Clay</title><style>p {}</style></head><body><p>Hand thrown <b>cups</b> "
    b"and bowls</p>"
    b"<script>var a</script> open on Saturdays <!-- not seen --> order 4711</body></html>"
)


def test_a_page_is_its_title_and_its_visible_words() -> None:
    page = page_of(SHOP)
    assert page.title == "Kiln & Clay" and page.fingerprint == page_of(SHOP.replace(b"4711", b"4712")).fingerprint
    assert page.fingerprint == page_of(SHOP.replace(b"var a", b"var b").replace(b"not seen", b"other")).fingerprint
    other = page_of(SHOP.replace(b"open on Saturdays", b"closed"))
    assert other.fingerprint != page.fingerprint and 0 < likeness(page, other) < 1


@pytest.mark.parametrize(
    "body",
    [
        b"<![ x ]>",
        b"<![CDATA[",
        b"",
        b"\0\1\2",
        b"<" * 200_000,
        b"<a" * 100_000,
        b"<div>" * 50_000,
        b"&#" * 50_000,
        b"<!" * 50_000,
    ],
)
def test_what_is_no_page_is_read_all_the_same(body: bytes) -> None:
    assert page_of(body).octets == len(body) and page_of(body).title == ""


@given(st.binary(max_size=300) | st.text(alphabet="<>![]-&#;/abc =\"'\0\n", max_size=300).map(str.encode))
def test_no_octets_end_the_reading(body: bytes) -> None:
    assert page_of(body).octets == len(body)
