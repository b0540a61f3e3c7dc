"""The registrar's side with the installed program: seen, locked, changed with a gate, by hand with a worksheet; a whole move by hand."""

from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.cli.program import PracticeWorld, Shell

DOMAIN = "kilnandclay.example"


@pytest.fixture(scope="module")
def world(tmp_path_factory: pytest.TempPathFactory) -> Iterator[PracticeWorld]:
    with PracticeWorld(tmp_path_factory.mktemp("world")) as running:
        with (running.folder / "legatum.toml").open("a") as settings:
            settings.write('\n[registrars.granite]\nkind = "manual"\npage = "https://members.granite.test/domains"\n')
        yield running


@pytest.fixture
def shell(world: PracticeWorld, tmp_path: Path) -> Shell:
    return world.shell(tmp_path)


def test_all_sources_stand_side_by_side(shell: Shell) -> None:
    document = shell.run("registration", "show", DOMAIN, "--registrar", "flint", "--json").document
    assert document["agreed"] and [each["source"] for each in document["held"]][:2] == ["the registrar's account", "RDAP"]
    assert {tuple(each["nameservers"]) for each in document["held"]} == {("ns1.alder.test", "ns2.alder.test")} and len(
        document["held"]
    ) == 6


def test_a_name_that_nobody_knows(shell: Shell) -> None:
    for words in (("registration", "show"), ("hosts", "show"), ("gather",)):
        ended = shell.run(*words, "nosuch.example")
        assert ended.status == 3 and "nosuch.example is not " in ended.err, ended


def test_a_lock_forbids_and_is_lifted_in_the_right_order(shell: Shell) -> None:
    locked = shell.run("registration", "lock", DOMAIN, "--registrar", "flint", "--yes", "--json").document
    assert locked["new"] == ["clientDeleteProhibited", "clientTransferProhibited", "clientUpdateProhibited"]
    assert shell.run("registration", "lock", DOMAIN, "--registrar", "flint", "--yes", "--json").document["state"] == "unchanged"
    refused = shell.run("registration", "nameservers", DOMAIN, "--registrar", "flint", "--ns", "ns1.alder.test", "--yes", "--anyway")
    assert refused.status == 3 and "status forbids it (2304)" in refused.err
    assert shell.run("registration", "show", DOMAIN, "--registrar", "flint", "--json").document["held"][0]["statuses"] == locked["new"]
    assert shell.run("registration", "unlock", DOMAIN, "--registrar", "flint", "--yes", "--json").document["new"] == ["ok"]
    assert shell.run("registration", "lock", DOMAIN, "--registrar", "flint").status == 4  # nobody to ask


def test_a_renewal_is_for_the_date_that_was_seen(shell: Shell) -> None:
    words = ("registration", "renew", DOMAIN, "--registrar", "flint", "--yes", "--json")
    first = shell.run(*words, "--years", "2").document
    assert int(first["new"][0][:4]) == int(first["old"][0][:4]) + 2 and first["state"] == "changed"
    refused = shell.run(*words, "--years", "9")
    assert refused.status == 3 and "(2306)" in refused.err  # more than ten years ahead
    assert shell.run(*words, "--years", "11").status == 2
    assert shell.run("registration", "renew", DOMAIN, "--registrar", "granite", "--yes").status == 3


def test_name_servers_change_only_to_servers_that_answer_alike(shell: Shell) -> None:
    refused = shell.run("registration", "nameservers", DOMAIN, "--registrar", "flint", "--to", "birch", "--yes")
    assert refused.status == 4 and "does not answer for kilnandclay.example" in refused.err
    document = shell.run(
        "registration", "nameservers", DOMAIN, "--registrar", "flint", "--ns", "ns1.alder.test", "--yes", "--wait", "--json"
    ).document
    assert document["state"] == "published" and document["new"] == ["ns1.alder.test"] and document["since"]
    back = shell.run("registration", "nameservers", DOMAIN, "--registrar", "flint", "--to", "alder", "--yes", "--wait", "--json").document
    assert back["old"] == ["ns1.alder.test"] and back["state"] == "published"


def test_by_hand_the_slip_is_named(shell: Shell) -> None:
    words = ("registration", "nameservers", DOMAIN, "--registrar", "granite", "--ns", "ns1.alder.test,ns1.birch.example", "--anyway")
    assert shell.run(*words, "--json").document["state"] == "worksheet"
    sheet = (shell.folder / f"{DOMAIN}.nameservers.md").read_text()
    assert "- [ ] `ns1.birch.example` or `ns1.birch.example.`" in sheet and "members.granite.test" in sheet
    typed = ("registration", "nameservers", DOMAIN, "--registrar", "flint", "--anyway", "--yes", "--wait", "--ns")
    shell.run(*typed, "ns1.alder.test,ns2.birch.example")
    waited = shell.run(*words, "--wait")
    assert waited.status == 3 and "ns2.birch.example stands there: an old name, or a slip for ns1.birch.example" in waited.err
    shell.run(*typed, "ns1.alder.test,ns1.birch.example")
    assert shell.run(*words, "--wait", "--json").document["state"] == "published"
    shell.run(*typed, "ns1.alder.test,ns2.alder.test")


def test_a_whole_move_with_a_registrar_that_has_only_a_form(shell: Shell) -> None:
    assert (
        shell.run("move", "draft", DOMAIN, "--from", "alder", "--to", "birch", "--registrar", "granite", "--publishing", "4m").status == 0
    )
    stopped = shell.run("move", "advance", DOMAIN, "--yes", "--wait")
    assert (
        stopped.status == 3 and "granite is changed by hand only: + ns1.birch.example, + ns2.birch.example, - ns1.alder.test" in stopped.err
    )
    shell.run("registration", "nameservers", DOMAIN, "--registrar", "flint", "--to", "birch", "--yes", "--wait")  # somebody types it in
    ended = shell.run("move", "advance", DOMAIN, "--yes", "--wait")
    assert ended.status == 0, ended.err
    assert shell.run("confirm", DOMAIN, "--to", "birch", "--registrar", "flint").status == 0
