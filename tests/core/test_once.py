"""What came before is known again, however many others come in between."""

from hypothesis import given
from hypothesis import strategies as st

from legatum.core.text.seen_names import SeenNames


@given(st.lists(st.binary(max_size=3), max_size=200))
def test_as_a_set_would_have_it(names: list[bytes]) -> None:
    once, seen = SeenNames(), set[bytes]()
    for name in names:
        assert once.first(name) == (name not in seen)
        seen.add(name)


def test_many() -> None:
    names, once = [b"%d.example" % number for number in range(20_000)], SeenNames()
    assert all(map(once.first, names)) and not any(map(once.first, names)) and once.first(b"one more")
