"""The same thing seen from several places: what differs, and whether that is a fault."""

from hypothesis import given
from hypothesis import strategies as st

from legatum.core.house.everywhere import Everywhere, PlaceDifference, Told, differences

PLACES = st.sampled_from(["here", "harbour", "hill"])
TOLD = st.builds(Told, st.sampled_from(["a", "b"]), st.booleans(), st.none() | st.integers(1, 3), st.booleans())


@given(st.dictionaries(PLACES, st.dictionaries(st.sampled_from(["one", "two", "three"]), TOLD), max_size=3))
def test_each_thing_that_is_not_told_alike_once_with_everybody_who_saw_it(told: dict[str, dict[str, Told]]) -> None:
    found = differences(told)
    assert len({each.subject for each in found}) == len(found)
    for subject in ("one", "two", "three"):
        said = {place: each[subject].said for place, each in told.items() if subject in each}
        mine = [each for each in found if each.subject == subject]
        assert bool(mine) == (len(set(said.values())) > 1)
        for each in mine:
            assert {place: text for text, places in each.said.items() for place in places} == said
    order = [list(PlaceDifference).index(each.kind) for each in found]
    assert order == sorted(order)


def kind(*told: Told) -> PlaceDifference:
    (found,) = differences({str(number): {"it": each} for number, each in enumerate(told)})
    return found.kind


def test_what_is_a_fault_and_what_may_be_meant() -> None:
    assert (
        kind(Told("serial 3", serial=3), Told("no answer in time", answered=False, bad=True)) == PlaceDifference.SILENT
    )
    assert kind(Told("serial 3", serial=3), Told("serial 2", serial=2)) == PlaceDifference.LAGGING
    assert (
        kind(Told("serial 1", serial=1), Told("serial 4294967290", serial=4294967290)) == PlaceDifference.LAGGING
    )  # serials go round (RFC 1982)
    assert kind(Told("fine"), Told("refused", bad=True)) == PlaceDifference.WRONG
    assert kind(Told("198.51.100.1"), Told("203.0.113.1")) == PlaceDifference.PLACE
    assert differences({"here": {"it": Told("a")}, "hill": {"other": Told("b")}}) == []  # what one alone could look at


def test_what_it_comes_to() -> None:
    good = {"here": (True, "fine"), "hill": (True, "fine")}
    assert Everywhere(good).good and Everywhere(good).text == ""
    by_place = differences({"here": {"it": Told("198.51.100.1")}, "hill": {"it": Told("203.0.113.1")}})
    assert Everywhere(good, differences=by_place).good
    silent = differences({"here": {"ns1": Told("serial 3", serial=3)}, "hill": {"ns1": Told("silent", answered=False)}})
    assert (
        Everywhere(good, differences=silent).text
        == "ns1: silent from some places only: serial 3 from here; silent from hill"
    )
    assert not Everywhere(good, differences=silent).good
    assert (
        Everywhere(good, {"moon": "no worker"}).text == "not known from moon"
        and not Everywhere(good, {"moon": "no worker"}).good
    )
    assert Everywhere({**good, "hill": (False, "bad")}).text == "not as it should be from hill"
