"""Hints where one stands: what can be done here, what may have been meant, and all that is in the way at once."""

import subprocess
from collections.abc import Iterator
from pathlib import Path

import pytest

from legatum.core.records.name import parse_domain
from legatum.demo.world_thread import WorldThread
from tests.cli.desk import DOMAIN, Desk
from tests.cli.program import PROGRAM, Shell


@pytest.fixture
def desk(tmp_path: Path) -> Iterator[Desk]:
    with WorldThread(tmp_path / "world") as practice:
        yield Desk(practice)


def test_the_program_alone_says_what_can_be_done_here(desk: Desk, tmp_path: Path) -> None:
    shell = Shell(tmp_path, {"LEGATUM_SETTINGS": str(desk.settings)})
    first = shell.run()
    assert first.status == 0 and f"settings {desk.settings}: 4 providers, 3 registrars, 3 resolvers" in first.out
    assert "no move waits for anybody" in first.out and "usage: legatum" in first.out
    desk.done("move", "draft", DOMAIN, "--to", "birch", "--speed", "lowered")
    desk.done("move", "advance", DOMAIN, "--yes")
    assert "1 move holds, the first until " in shell.run().out
    desk.done("practice", "clock", "--on", "25h")
    assert f"{DOMAIN}: may go on: Check that the new side is ready" in shell.run().out
    bare = Shell(tmp_path, {"LEGATUM_SETTINGS": "", "XDG_CONFIG_HOME": str(tmp_path)}).run()  # nothing is asked outside
    assert (
        "no settings file yet, and none is needed to look: `legatum survey DOMAIN`" in bare.out
        and "practice start" in bare.out
    )


@pytest.mark.parametrize(
    ("words", "status", "says"),
    [
        (("survy", DOMAIN), 2, "did you mean survey?"),
        (("survey", DOMAIN, "--registar", "flint"), 2, "did you mean --registrar?"),
        (("move", "draft", DOMAIN, "--to", "Brich"), 2, "did you mean birch?"),
        (("move", "draft", DOMAIN, "--to", "birch", "--registrar", "flnt"), 2, "did you mean flint?"),
        (("move", "draft", DOMAIN, "--to", "birch", "--speed", "lowerd"), 2, "did you mean lowered?"),
        (("gather", DOMAIN, "--from", "adler"), 2, "did you mean alder?"),
        (("survey", "kilnandclay.exmaple"), 1, f"did you mean {DOMAIN}?"),
        (("settings", "check", "providers.adler"), 2, "did you mean providers.alder"),
    ],
)
def test_what_is_mistyped_gets_the_nearest(desk: Desk, words: tuple[str, ...], status: int, says: str) -> None:
    assert desk.run(*words) == status and says in desk.said, desk.said


def test_a_list_tells_line_column_and_value(desk: Desk) -> None:
    file = desk.world.folder / "list.csv"
    file.write_text(f"owner,domain\nHale,{DOMAIN}\nOrr,kiln and clay\nOrr,kiln!clay.example\n")
    desk.run("fleet", "survey", str(file), "-q")
    assert f"{file}:3, column domain: 'kiln and clay' is no domain: a space cannot stand in it" in desk.said
    assert f"{file}:4, column domain: 'kiln!clay.example' is no domain: '!' cannot stand in it" in desk.said


def test_a_way_back_is_shown_whole_before_anything_is_done(desk: Desk) -> None:
    desk.done("move", "draft", DOMAIN, "--to", "birch", "--speed", "lowered")
    desk.done("move", "advance", DOMAIN, "--yes")
    desk.done("move", "retreat", DOMAIN, "--dry-run")
    assert "The whole way back:" in desk.said and "over on " in desk.said and "End the service at birch" in desk.said
    assert not (desk.world.folder / "moves" / f"{DOMAIN}.retreat.toml").exists()
    desk.done("move", "advance", DOMAIN, "--dry-run")  # the move is as it was


def test_a_publication_is_shown_though_it_would_be_refused(desk: Desk) -> None:
    file = desk.world.folder / "little.zone"
    soa = "@ SOA ns1.alder.test. h.alder.test. 9 14400 3600 1209600 600"
    file.write_text(f"$ORIGIN {DOMAIN}.\n$TTL 300\n{soa}\n@ NS ns1.alder.test.\n@ A 198.51.100.81\n")
    assert desk.run("publish", DOMAIN, "--from", str(file), "--to", "alder", "--dry-run") == 4
    assert (
        f"{DOMAIN} A: 3600 198.51.100.80 → 300 198.51.100.81" in desk.said
        and "would be taken away, more than 25 %" in desk.said
    )
    assert desk.run("publish", DOMAIN, "--from", str(file), "--to", "alder", "--yes") == 4
    assert "→" not in desk.said


def test_a_refused_switch_names_all_that_differs_and_says_whom_the_zone_names(desk: Desk) -> None:
    words = ("registration", "nameservers", DOMAIN, "--to", "birch", "--registrar", "flint", "--dry-run")
    desk.done("publish", DOMAIN, "--from", "alder", "--to", "birch", "--yes")
    for name, address in (("@", "198.51.100.81"), ("www", "198.51.100.82")):
        desk.run("amend", DOMAIN, name, "A", address, "--at", "birch", "--yes", "--anyway")
    assert desk.run(*words) == 4
    assert f"{DOMAIN} A (" in desk.said and "the new servers answer otherwise than " in desk.said
    desk.done("amend", DOMAIN, "@", "NS", "ns1.alder.test.", "ns2.alder.test.", "--at", "birch", "--yes", "--anyway")
    desk.done(*words, "--anyway")

    async def same() -> None:
        old, new = (desk.world.hostings[name][0] for name in ("alder", "birch"))
        zone, there = old.zone(parse_domain(DOMAIN)), new.zone(parse_domain(DOMAIN))
        assert zone is not None and there is not None
        new.serve(zone.with_serial(there.soa.serial + 1))

    desk.practice.run(same())
    desk.done(*words)
    assert "the zone at ns1.birch.example names ns1.alder.test, ns2.alder.test itself" in desk.said


def test_a_practice_world_ends_without_a_word_too_many(tmp_path: Path) -> None:
    with subprocess.Popen(
        [PROGRAM, "practice", "start", str(tmp_path / "world")],
        stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
    ) as started:  # fmt: skip
        assert started.stdout is not None and started.stdout.readline().startswith("settings ")
        shell = Shell(tmp_path, {"LEGATUM_SETTINGS": str(tmp_path / "world")})
        assert shell.run("practice", "clock", "--on", "1h").status == 0
        stopped = shell.run("practice", "stop")
        _, said = started.communicate(timeout=20)
    assert stopped.status == 0 and started.returncode == 0
    assert (
        "Traceback" not in said and "Exception" not in said and said.rstrip().endswith("The practice world has ended.")
    )


def test_what_can_be_found_out_need_not_be_said_and_names_may_be_in_any_case(desk: Desk) -> None:
    """Who serves a domain, and which account has it."""
    desk.done("amend", DOMAIN, "note", "TXT", "open", "--yes")
    assert f"{DOMAIN} at alder: published" in desk.said
    desk.done("registration", "lock", DOMAIN, "--yes")
    desk.done("registration", "unlock", DOMAIN, "--registrar", "Flint", "--yes")
    assert f"{DOMAIN} at flint" in desk.said
    desk.done("hosts", "set", f"ns1.{DOMAIN}", "--address", "198.51.100.31", "--dry-run")
    assert "in the zone at alder" in desk.said
    desk.done("move", "draft", DOMAIN, "--hosts", f"ns1.{DOMAIN}=198.51.100.31,ns2.{DOMAIN}=203.0.113.32", "--force")
    assert f"ns2.{DOMAIN} at the registrar flint: 203.0.113.32" in desk.said
    desk.done("move", "draft", DOMAIN, "--to", "BIRCH", "--from", "Alder", "--registrar", "FLINT", "--force")
    assert "from alder to birch" in desk.said and "the registrar flint" in desk.said
    assert desk.run("amend", f"www.{DOMAIN}", "note", "TXT", "open") == 2 and f"lies in the zone {DOMAIN}" in desk.said
    assert desk.run("amend", "nonsuch.example", "@", "TXT", "open") == 4 and "--at PROVIDER" in desk.said


def test_a_few_domains_need_no_list(desk: Desk, tmp_path: Path) -> None:
    desk.done("fleet", "survey", DOMAIN, "Tidemill.EXAMPLE.", "-q")
    assert "2 domains: " in desk.said and "tidemill.example" in desk.said
    assert desk.run("fleet", "survey", DOMAIN, "two..dots", "-q") == 1 and "the command line:2" in desk.said
    (tmp_path / "list").write_text(DOMAIN)
    assert desk.run("fleet", "survey", str(tmp_path / "list"), DOMAIN) == 2 and "name one list" in desk.said
