"""The inventory in the practice world, with contradictions planted between registry, servers and lists."""

import json
import tomllib
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
import tomli_w

from legatum.core.records.name import parse_domain
from legatum.demo.world_thread import WorldThread
from tests.cli.desk import Desk


@pytest.fixture
def desk(tmp_path: Path) -> Iterator[Desk]:
    with WorldThread(tmp_path / "world") as practice:
        yield Desk(practice)


def taken(desk: Desk, *words: str) -> dict[str, Any]:
    desk.run("inventory", "--json", "-q", *words)
    found: dict[str, Any] = json.loads(desk.said)
    return found


def groups(document: dict[str, Any]) -> dict[str, set[str]]:
    return {each["group"]: {member["domain"] for member in each["members"]} for each in document["groups"]}


def at_the_registry(desk: Desk, domain: str, **change: Any) -> None:
    """As if somebody had done it there long ago."""

    async def changed() -> None:
        data = desk.world.registrations[parse_domain(domain)]
        for key, value in change.items():
            object.__setattr__(data, key, value)

    desk.practice.run(changed())


def test_a_house_in_order(desk: Desk) -> None:
    desk.done("inventory")
    assert "11 domains: 11 served here and delegated to us" in desk.said and "Next: nothing to do" in desk.said
    again = taken(desk)
    assert (
        again["before"] and not again["changes"] and not again["came"] and not again["gone"] and not again["left_out"]
    )


def test_every_contradiction_is_found_and_told_when_it_came(desk: Desk) -> None:
    before = taken(desk)
    assert groups(before) == {"served-here": {each["domain"] for each in before["groups"][0]["members"]}}

    async def planted() -> None:
        world = desk.world
        world.end_zone("alder", parse_domain("tidemill.example"))  # lame
        world.create_zone("sorrel", parse_domain("kilnandclay.example"))  # a second copy, with nothing in it

    desk.practice.run(planted())
    desk.done(
        "registration", "nameservers", "evensong.test", "--to", "alder", "--registrar", "slate", "--yes", "--anyway"
    )
    desk.done("amend", "lanternlane.example", "www", "A", "198.51.100.98", "--at", "birch", "--yes")
    desk.done(
        "amend", "lanternlane.example", "lamp", "A", "198.51.100.99", "--at", "alder", "--yes"
    )  # under the same serial
    desk.done("practice", "clock", "--on", "3h")
    (desk.world.folder / "more").write_text("ferrytimes.example\nunheard-of.example\n")
    document = taken(desk, "--list", str(desk.world.folder / "more"))
    found = groups(document)
    assert found["lame"] == {
        "tidemill.example",
        "evensong.test",
    }  # the one was ended, the other led to who does not have it
    assert found["two-copies"] == {"kilnandclay.example", "lanternlane.example"} and found["delegated-elsewhere"] == {
        "evensong.test"
    }
    told = {each["domain"]: each["told"] for each in document["changes"]}
    assert told["tidemill.example"] == ["no longer served by alder"]
    assert told["evensong.test"][0].startswith("delegation ns1.birch.example, ns2.birch.example → ns1.alder.test")
    assert told["lanternlane.example"] == ["copies differ"]
    assert told["kilnandclay.example"] == ["served by sorrel", "copies differ"]
    assert document["came"] == ["unheard-of.example"] and document["gone"] == []
    assert (
        desk.run("inventory", "--group", "lame") == 0 and desk.said.split() == ["evensong.test", "tidemill.example"]
    ) or set(desk.said.split()) == {"evensong.test", "tidemill.example"}


def test_registrations_that_run_out_and_those_of_nobody(desk: Desk) -> None:
    desk.done("practice", "clock", "--on", "340d")
    found = groups(taken(desk))
    assert "kilnandclay.example" in found["running-out"] and len(found["running-out"]) == 11
    settings = tomllib.loads(desk.settings.read_text())
    del settings["registrars"]["slate"], settings["registrars"]["granite"]
    desk.settings.write_text(tomli_w.dumps(settings))
    document = taken(desk)
    members = {
        each["domain"]: each["why"]
        for group in document["groups"]
        if group["group"] == "not-registered-here"
        for each in group["members"]
    }
    assert members["rowan.test"] == "not at flint; with slate, as registration data say"


def test_what_did_not_answer_is_not_known(desk: Desk) -> None:
    text = desk.settings.read_text()
    for address in ("198.51.100.41", "203.0.113.42", "2001:db8:b1::53", "2001:db8:b2::53"):
        text = "\n".join(line for line in text.splitlines() if not line.startswith(f'"{address}" ='))
    settings = text.replace("file:flint.password", "file:slate.password")
    desk.settings.write_text(settings)
    document = taken(desk)
    found = groups(document)
    assert "evensong.test" in found["not-known"] and "lame" not in found and "not-registered-here" not in found
    reasons = {
        each["domain"]: each["why"]
        for group in document["groups"]
        if group["group"] == "not-known"
        for each in group["members"]
    }
    assert (
        "whether birch serves it: no answer" in reasons["evensong.test"]
        and "whether flint has it" in reasons["tidemill.example"]
    )


def test_folders_and_catalogs_name_domains_that_no_list_has(desk: Desk) -> None:
    folder = desk.world.folder / "zones"
    folder.mkdir()
    (folder / "harbourlight.example.zone").write_text("")
    settings = tomllib.loads(desk.settings.read_text())
    settings["providers"]["hazel"] = {
        "kind": "files",
        "folder": "zones",
        "servers": ["ns1.rowan.test", "ns2.rowan.test"],
    }
    settings["secondaries"]["birch"]["catalog"] = "catalog.quillmoor.test"
    del settings["domains"]
    desk.settings.write_text(tomli_w.dumps(settings))
    document = taken(desk)
    assert document["domains"] == 1 and document["left_out"][0].startswith(
        "the catalog catalog.quillmoor.test of birch: "
    )


def test_broken_off_and_gone_on_with(desk: Desk) -> None:
    taken(desk)
    part, whole = desk.world.folder / "inventory.part.jsonl", desk.world.folder / "inventory.jsonl"
    lines = whole.read_bytes().splitlines(keepends=True)
    part.write_bytes(b"".join(lines[:5]) + lines[5][:20])  # killed while it wrote
    document = taken(desk, "--resume")
    assert document["domains"] == 11 and not part.exists() and not document["changes"]


def test_as_a_table_and_as_a_page(desk: Desk) -> None:
    page = desk.world.folder / "page.html"
    assert desk.run("inventory", "--csv", "-q", "--html", str(page)) == 0
    heading, *rows = desk.said.splitlines()
    assert heading.startswith("domain,delegation,served by,") and len(rows) == 11
    assert "kilnandclay.example,ns1.alder.test ns2.alder.test,alder,2031030402,flint," in desk.said
    assert "kilnandclay.example" in page.read_text() and "http" not in page.read_text().replace("http-equiv", "")


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (("--group", "lame"), "no inventory was taken yet"),
        (("--group", "lam"), "no group 'lam'"),
        (("--list", "none"), "No such file"),
        (("--json", "--csv"), "choose one of them"),
    ],
)
def test_what_it_cannot_do_is_a_line(desk: Desk, words: tuple[str, ...], says: str) -> None:
    assert desk.run("inventory", *words) == 2 and says in desk.said, desk.said
