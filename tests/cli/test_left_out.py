"""What was not asked is not known: a survey from which any question is left out finds nothing that the whole one does
not."""

import json
from collections.abc import Iterator

import pytest

from legatum.demo.world_thread import WorldThread
from legatum.work.look.asking.questions import Questions
from tests.cli.desk import Desk

HEALTHY = ("rowan.test", "kilnandclay.example", "birch.example", "sorrel.example")


@pytest.fixture(scope="module")
def desk(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Desk]:
    with WorldThread(tmp_path_factory.mktemp("left-out") / "world") as practice:
        yield Desk(practice)


def found(desk: Desk, domain: str, brief: bool) -> set[str]:
    if brief:
        (desk.world.folder / "list").write_text(f"{domain}\n")
        desk.run("fleet", "survey", str(desk.world.folder / "list"), "--json", "-q")
        return {each["slug"] for each in json.loads(desk.said.splitlines()[0])["findings"]}
    desk.run("survey", domain, "--json", "-q", "--no-rdap", "--no-resolvers")
    found = json.loads(desk.said)["findings"]
    return {each["slug"] for each in found} | {slug for each in found for slug in each["explains"]}


@pytest.mark.parametrize("brief", [True, False])
@pytest.mark.parametrize("domain", HEALTHY)
def test_no_question_left_out_makes_a_finding(
    desk: Desk, domain: str, brief: bool, monkeypatch: pytest.MonkeyPatch
) -> None:
    pick, room, count, left_out = Questions.pick, Questions.room, 0, -1

    def counted() -> bool:
        nonlocal count
        count += 1
        return count == left_out

    def picked(self: Questions, addresses: tuple[str, ...]) -> str | None:
        return None if counted() else pick(self, addresses)

    def roomy(self: Questions, address: str) -> int:
        return 0 if counted() else room(self, address)

    with monkeypatch.context() as patched:
        patched.setattr(Questions, "room", lambda *_: 99)  # nothing is left out
        whole = found(desk, domain, brief)
    monkeypatch.setattr(Questions, "pick", picked)
    assert found(desk, domain, brief) <= whole
    assert not {each for each in whole if each.startswith("glue")}
    picks = count
    for left_out in range(1, picks + 1):
        count = 0
        assert found(desk, domain, brief) <= whole, (left_out, found(desk, domain, brief) - whole)
    monkeypatch.setattr(Questions, "pick", pick)
    monkeypatch.setattr(Questions, "room", roomy)
    count, left_out = 0, -1
    found(desk, domain, brief)
    for left_out in range(1, count + 1, max(1, count // 25)):
        count = 0
        assert found(desk, domain, brief) <= whole, (left_out, whole)
