"""Child name servers with the installed program: made, named, shown, renumbered with both addresses alive,
withdrawn."""

from collections.abc import Iterator
from pathlib import Path

import pytest

from legatum.demo.world_thread import WorldThread
from tests.cli.program import PracticeWorld, Shell

DOMAIN = "kilnandclay.example"
NS1, NS2 = f"ns1.{DOMAIN}", f"ns2.{DOMAIN}"
WHERE = ("--at", "alder", "--registrar", "flint", "--yes", "--json")


@pytest.fixture(scope="module")
def shell(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Shell]:
    with PracticeWorld(tmp_path_factory.mktemp("world")) as running:
        yield running.shell(tmp_path_factory.mktemp("here"))


def test_own_name_servers_from_nothing_to_the_parents_glue_and_away_again(shell: Shell) -> None:
    made = shell.run("hosts", "set", NS1, "--address", "198.51.100.31,2001:db8:a1::53", *WHERE).document
    assert made["halt"] == "complete" and made["done"] == ["address-ns1", "host-ns1"]
    shell.run("hosts", "set", NS2, "--address", "203.0.113.32", *WHERE)
    shell.run("registration", "nameservers", DOMAIN, "--registrar", "flint", "--ns", f"{NS1},{NS2}", "--yes", "--wait")
    half = shell.run("hosts", "show", DOMAIN)  # the zone still names the others: that is not in order
    assert half.status == 1 and half.out.startswith(
        f"{DOMAIN}: the parent and the zone do not name the same servers\nNext: "
    )
    enlisted = shell.run("hosts", "enlist", NS1, NS2, "--alone", "--wait", *WHERE)
    assert enlisted.document["halt"] == "complete" and "apex" in enlisted.document["done"], enlisted.err
    shown = shell.run("hosts", "show", DOMAIN, "--registrar", "flint", "--json").document
    inside = {each["name"]: each for each in shown["hosts"] if each["glue_needed"]}
    assert (
        shown["agreed"]
        and set(inside) == {NS1, NS2}
        and set(map(tuple, inside[NS2]["glue"].values())) == {("203.0.113.32",)}
    )

    taken = shell.run("hosts", "set", NS2, "--address", "198.51.100.31", *WHERE)
    assert taken.status == 4 and "already" in taken.err
    words = ("hosts", "renumber", NS2, "--replace", "203.0.113.32=2001:db8:a2::53", *WHERE)
    both = shell.run(*words)
    assert both.document["halt"] == "holding" and both.document["step"] == "confirm-ns2", both.err
    assert "TTL of 3600" in both.document["reasons"][0] and "rule 10" in both.document["reasons"][0]
    again = shell.run(*words).document
    assert again["until"] == both.document["until"] and again["done"] == []  # from when it was seen, not from now
    glue = {each["name"]: each["glue"] for each in shell.run("hosts", "show", DOMAIN, "--json").document["hosts"]}
    assert set(map(tuple, glue[NS2].values())) == {("2001:db8:a2::53",)}
    assert shell.run(*words, "--wait").document["halt"] == "complete"
    last = {
        each["name"]: each
        for each in shell.run("hosts", "show", DOMAIN, "--registrar", "flint", "--json").document["hosts"]
    }
    assert last[NS2]["zone"] == last[NS2]["registry"] == ["2001:db8:a2::53"]

    alone = shell.run("hosts", "withdraw", NS1, *WHERE)
    assert alone.status == 4 and "the only one left of 2 name servers" in alone.err  # and nothing was changed
    assert shell.run("hosts", "show", DOMAIN, "--json").document["agreed"]
    shell.run("registration", "nameservers", DOMAIN, "--registrar", "flint", "--to", "alder", "--yes", "--wait")
    shell.run("amend", DOMAIN, "@", "NS", "ns1.alder.test.", "ns2.alder.test.", "--at", "alder", "--yes")
    gone = shell.run("hosts", "withdraw", NS1, *WHERE)
    assert gone.document["halt"] == "holding" and gone.document["step"] == "host-ns1", (
        gone.err
    )  # somebody may hold the set with it
    ended = shell.run("hosts", "withdraw", NS1, *WHERE, "--wait").document
    assert ended["halt"] == "complete" and ended["done"] == ["host-ns1", "address-ns1"]
    assert "ns1.kilnandclay.example." not in shell.run("gather", DOMAIN, "--from", "alder", "--out", "-").out


def test_where_a_registry_has_no_host_objects_addresses_go_with_the_ns_set(tmp_path: Path) -> None:
    with WorldThread(tmp_path / "world") as practice:
        practice.world.registry.hosts.by_attribute = True
        settings = practice.world.folder / "legatum.toml"
        settings.write_text(settings.read_text().replace('kind = "epp"', 'kind = "epp"\nnameservers = "attributes"'))
        shell = Shell(tmp_path, {"LEGATUM_SETTINGS": str(practice.world.folder)})
        for host, address in ((NS1, "198.51.100.31"), (NS2, "203.0.113.32")):
            made = shell.run("hosts", "set", host, "--address", address, *WHERE)
            assert made.document["halt"] == "complete" and len(made.document["done"]) == 1, made.err
        enlisted = shell.run("hosts", "enlist", NS1, NS2, "--alone", "--wait", *WHERE)
        assert enlisted.document["halt"] == "complete", enlisted.err
        shown = shell.run("hosts", "show", DOMAIN, "--registrar", "flint", "--json").document
        last = next(each for each in shown["hosts"] if each["name"] == NS2)
        assert shown["agreed"] and last["zone"] == last["registry"] == ["203.0.113.32"]
        assert set(map(tuple, last["glue"].values())) == {("203.0.113.32",)}


@pytest.mark.parametrize(
    ("words", "status", "says"),
    [
        (("set", NS1, "--address", "10.1.2.3"), 4, "not in public address space"),
        (("set", NS1, "--address", "198.51.100.41"), 4, "does not answer for kilnandclay.example"),
        (("set", NS1, "--address", "nonsense"), 2, "is no address"),
        (("set", NS1, "--address", "198.51.100.31,198.51.100.31"), 2, "twice"),
        (("set", "ns1.ferrytimes.example", "--of", DOMAIN, "--address", "198.51.100.31"), 2, "is not below"),
        (("renumber", NS1, "--replace", "192.0.2.99=198.51.100.31"), 2, "does not have 192.0.2.99"),
    ],
)
def test_what_is_refused(shell: Shell, words: tuple[str, ...], status: int, says: str) -> None:
    ended = shell.run("hosts", *words, *WHERE)
    assert ended.status == status and says in ended.err, ended.err


def test_hosts_into_both_ns_sets_once_nobody_can_hold_that_they_do_not_exist(shell: Shell) -> None:
    domain, where = "evensong.test", ("--at", "birch", "--registrar", "slate", "--yes", "--json")
    one, two = f"ns1.{domain}", f"ns2.{domain}"
    shell.run("hosts", "set", one, "--address", "198.51.100.41", *where)
    early = shell.run("hosts", "enlist", one, *where)
    assert (
        early.document["halt"] == "holding"
        and "caches may keep “no such name” for 1800 s" in early.document["reasons"][0]
    )
    unborn = shell.run("hosts", "enlist", one, two, *where)
    assert unborn.status == 4 and f"{two} has no address in the zone" in unborn.err
    shell.run("practice", "form", domain, "--at", "slate", "--host", f"{one}=198.51.100.41,203.0.113.42")
    differing = shell.run("hosts", "enlist", one, two, *where)
    assert differing.status == 4 and "slate has 198.51.100.41, 203.0.113.42" in differing.err
    shell.run("hosts", "set", one, "--address", "198.51.100.41", *where)
    joined = shell.run("hosts", "enlist", one, "--wait", *where)
    assert joined.document["halt"] == "complete" and joined.document["done"][-3:] == ["switch", "parents", "confirm"], (
        joined.err
    )
    shown = {
        each["name"]: each
        for each in shell.run("hosts", "show", domain, "--registrar", "slate", "--json").document["hosts"]
    }
    assert set(shown) == {one, "ns1.birch.example", "ns2.birch.example"}
    assert all(each["named_by"] == ["the parent", "the zone"] for each in shown.values())
    assert shell.run("hosts", "enlist", one, *where).document["done"] == ["confirm"]  # nothing to change


def test_who_uses_a_host_is_found_in_settings_journal_and_registry(shell: Shell) -> None:
    found = shell.run("hosts", "users", "ns2.alder.test", "--registrar", "slate", "--json").document
    listed = {each["domain"] for each in found["domains"]}
    assert {"alder.test", "ferrytimes.example", "tidemill.example"} <= listed and found["linked"] is True
    settings = Path(shell.variables["LEGATUM_SETTINGS"]) / "domains.txt"
    kept = settings.read_text()
    settings.write_text("birch.example\n")
    try:
        # The journal knows domains that were worked on; the registry knows that somebody uses it, not who.
        unknown = shell.run("hosts", "users", "ns2.birch.example", "--registrar", "flint", "--json")
        assert "birch.example" in {each["domain"] for each in unknown.document["domains"]}
    finally:
        settings.write_text(kept)


def test_by_hand_the_zone_is_changed_and_the_rest_is_a_worksheet(shell: Shell) -> None:
    host, where = "ns1.lanternlane.example", ("--at", "birch", "--registrar", "granite", "--yes", "--json")
    words = ("hosts", "set", host, "--address", "198.51.100.41,2001:db8:b1::53", *where)
    left = shell.run(*words)
    assert left.status == 3 and "the worksheet for it: " in left.err
    sheet = Path(left.err.split("the worksheet for it: ")[1].splitlines()[0]).read_text()
    assert (
        "`ns1` or `ns1.lanternlane.example` or `ns1.lanternlane.example.`" in sheet
        and "`2001:db8:b1::53` (IPv6)" in sheet
    )
    assert host in shell.run("gather", "lanternlane.example", "--from", "birch", "--out", "-").out
    # Nobody names it yet, but registration data show it.
    shell.run(
        "practice", "form", "lanternlane.example", "--at", "granite", "--host", f"{host}=198.51.100.14,2001:db8:b1::53"
    )
    waited = shell.run(*words, "--wait")
    assert (
        waited.status == 4 and "198.51.100.14 is mistyped: meant was 198.51.100.41" in waited.document["reasons"][0]
    ), waited.err
    shell.run(
        "practice", "form", "lanternlane.example", "--at", "granite", "--host", f"{host}=198.51.100.41,2001:db8:b1::53"
    )
    assert shell.run(*words).document["halt"] == "complete"
    views = shell.run("hosts", "show", "lanternlane.example", "--registrar", "granite", "--json").document
    assert views["agreed"]


def test_an_error_that_the_zone_did_not_have_is_refused_when_the_move_is_drafted(shell: Shell) -> None:
    part = ("delegate", "app", "--of", DOMAIN, "--at", "alder", "--to", "birch", "--yes", "--wait")
    assert shell.run(*part).status == 0
    below = ("hosts", "set", f"ns1.app.{DOMAIN}", "--of", DOMAIN, "--address", "198.51.100.31", *WHERE[:4], "--dry-run")
    refused = shell.run(*below)
    assert refused.status == 4 and "never seen" in refused.err and "data-under-cut" in refused.err
    assert shell.run(*below, "--anyway").status == 0
    assert shell.run(*part, "--back").status == 0
