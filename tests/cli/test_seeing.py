"""The installed program sees: survey with evidence, judged again, reports, captures; confirm with expectations; watch;
fleets."""

import csv
import io
import json
import os
import signal
import subprocess
from collections import Counter
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.cli.program import PROGRAM, PracticeWorld, Shell, heeds_ctrl_c

DOMAIN = "kilnandclay.example"


@pytest.fixture(scope="module")
def world(tmp_path_factory: pytest.TempPathFactory) -> Iterator[PracticeWorld]:
    with PracticeWorld(tmp_path_factory.mktemp("world")) as running:
        yield running


@pytest.fixture
def shell(world: PracticeWorld, tmp_path: Path) -> Shell:
    return world.shell(tmp_path)


def test_a_survey_asks_no_more_than_it_may(shell: Shell) -> None:
    ended = shell.run("survey", DOMAIN, "-vv")
    assert ended.status == 0, ended.err
    asked = Counter(line.split()[0] for line in ended.err.splitlines() if " UDP " in line or " TCP " in line)
    own = ("198.51.100.31", "2001:db8:a1::53", "203.0.113.32", "2001:db8:a2::53")
    parents = ("192.0.2.11", "2001:db8:e:1::53", "198.51.100.12", "2001:db8:e:2::53")
    assert all(1 <= asked[address] <= 8 for address in own), asked
    assert sorted(asked[address] for address in parents) == [1, 1, 1, 2], (
        asked
    )  # one of them for the parent zone's own NS set
    assert f"{DOMAIN}: " in ended.err and "questions" in ended.err


def test_a_survey_tells_of_every_side(shell: Shell) -> None:
    document = shell.run("survey", DOMAIN, "--registrar", "flint", "--json").document
    assert {each["over"] for each in document["resolvers"]} == {"UDP", "TLS", "HTTPS"}
    assert all(each["ns"] == ["ns1.alder.test", "ns2.alder.test"] for each in document["resolvers"])
    assert [each["source"] for each in document["registrations"]] == ["the registrar's account", "RDAP"]
    assert all(each["registrar"] == "flint" and each["statuses"] == ["ok"] for each in document["registrations"])
    assert all(each["created"] for each in document["registrations"] if each["source"] == "RDAP")
    assert all(each["edns"] == "answered with EDNS" and each["transfer_open"] is False for each in document["servers"])
    assert {(each["name"], each["type"]) for each in document["contents"]} >= {
        (DOMAIN, "A"),
        (DOMAIN, "MX"),
        (f"www.{DOMAIN}", "CNAME"),
    }
    assert document["not_looked_at"] == [
        "names other than those shown", "how it looks from other networks", "the services behind the names (--service)",
    ]  # fmt: skip
    less = shell.run("survey", DOMAIN, "--no-resolvers", "--no-rdap")
    assert (
        "healthy" in less.out
        and "what resolvers say (none was asked); the registration (" in less.out.split("Not looked at:")[1]
    )


def test_evidence_is_judged_again_with_the_same_outcome(shell: Shell, world: PracticeWorld) -> None:
    live = shell.run(
        "survey", DOMAIN, "evensong.test", "--registrar", "flint", "--evidence", "kept", "--json", "--no-resolvers"
    )
    (_, untold) = live.document["surveys"]  # evensong.test is with another registrar
    assert live.status == 0 and any(
        "flint has of it (" in each and "not allowed" in each for each in untold["not_looked_at"]
    )
    live = shell.run(
        "survey",
        DOMAIN,
        "ferrytimes.example",
        "--registrar",
        "flint",
        "--former",
        "birch",
        "--evidence",
        "kept",
        "--json",
    )
    assert live.status == 0, live.err
    alone = Shell(shell.folder, {"LEGATUM_SETTINGS": "/nowhere"})
    again = alone.run("survey", "--from", "kept", "--json")
    assert (again.status, again.document) == (0, live.document)
    # Not a question is asked: the same with no world at all, and as text.
    assert f"{DOMAIN}: healthy" in alone.run("survey", "--from", "kept").out
    (shell.folder / "kept").write_text("no evidence")
    broken = alone.run("survey", "--from", "kept")
    assert broken.status == 2 and "kept:1" in broken.err


def test_a_report_stands_by_itself_and_shows_nothing_raw(shell: Shell) -> None:
    ended = shell.run("survey", DOMAIN, "--html", "report.html", "--pcap", "replies.pcap")
    assert ended.status == 0 and "report: report.html" in ended.err
    page = (shell.folder / "report.html").read_text()
    assert page.startswith("<!doctype html>") and "<svg" in page and "healthy" in page
    assert not any(outside in page for outside in ("<script", "src=", "href=", "url(", "@import"))
    assert (shell.folder / "replies.pcap").read_bytes()[:4] == bytes.fromhex("a1b2c3d4")
    no_place = shell.run("survey", DOMAIN, "--html", "none/report.html", "--no-resolvers", "--no-rdap")
    assert no_place.status == 2 and "none/report.html" in no_place.err


def test_what_is_planned_is_held_against_what_is(shell: Shell) -> None:
    soon = shell.run("survey", DOMAIN, "--change-at", "2h", "--json", "--no-resolvers", "--no-rdap").document
    (finding,) = [each for each in soon["findings"] if each["slug"] == "ttl-outlasts-change"]
    assert "86400" in finding["seen"][0] and len(finding["seen"]) == 1
    late = shell.run("survey", DOMAIN, "--change-at", "25h", "--json", "--no-resolvers", "--no-rdap").document
    assert not [each for each in late["findings"] if each["slug"] == "ttl-outlasts-change"]


@pytest.mark.parametrize(
    ("words", "status", "said"),
    [
        (("survey",), 2, "survey wants domains"),
        (("survey", DOMAIN, "--from", "x"), 2, "survey wants domains"),
        (("survey", DOMAIN, "--change-at", "soon"), 2, "is no instant"),
        (("survey", DOMAIN, "--former", "oak"), 2, "oak"),
        (("confirm", DOMAIN, "--ds", "1 2 3"), 2, "is no DS"),
        (("confirm", DOMAIN, "--ds", "none", "--ds", "1 13 2 " + "ab" * 32), 2, "either"),
        (("confirm", DOMAIN, "--serial", "-1"), 2, "no number from 0 to"),
        (("confirm", DOMAIN, "--record", "www"), 2, "is no record"),
        (("confirm", "evensong.test", "--move"), 2, "no move"),
        (("watch", DOMAIN), 2, "watch for what"),
        (("watch", DOMAIN, "--to", "birch", "--curve", "x.gif"), 2, "x.gif"),
        (("watch", DOMAIN, "--record", "a A 192.0.2.1", "--record", "b A 192.0.2.1"), 2, "one RRset"),
        (("fleet", "survey", "nowhere"), 2, "nowhere"),
        (("fleet", "survey", "nowhere", "--resume"), 2, "--out"),
    ],
)
def test_bad_input_is_one_clear_line(shell: Shell, words: tuple[str, ...], status: int, said: str) -> None:
    ended = shell.run(*words)
    assert ended.status == status and said in ended.err and len(ended.err.splitlines()) <= 4, ended.err


# Confirm


def test_confirm_takes_ds_serial_and_records(shell: Shell) -> None:
    good = shell.run(
        "confirm", DOMAIN, "--ds", "none", "--serial", "2031030402", "--record", f"www CNAME {DOMAIN}.", "--json"
    )
    assert good.status == 0 and good.document["confirmed"]
    assert {each["about"] for each in good.document["checks"]} == {"DS", "serial", f"www.{DOMAIN} CNAME"}
    newer = shell.run("confirm", DOMAIN, "--serial", "2031030403")
    assert newer.status == 1 and "not confirmed" in newer.out and "a fault" in newer.out
    other = shell.run(
        "confirm", DOMAIN, "--record", "shop A 198.51.100.99", "--since", "2099-01-01T00:00:00Z", "--json"
    )
    assert other.status == 1 and other.document["pending"] and all(each["until"] for each in other.document["checks"])
    text = shell.run("confirm", DOMAIN, "--record", "shop A 198.51.100.99", "--since", "2099-01-01T00:00:00Z").out
    assert "not yet" in text and "expected until" in text and "then it is a fault" in text


# Fleet


def listed(shell: Shell, *lines: str) -> str:
    (shell.folder / "list").write_text("\n".join(lines) + "\n")
    return "list"


ALL = ("kilnandclay.example", "ferrytimes.example", "evensong.test", "# a remark", "", "alder.test", "birch.example")


def test_a_fleet_is_surveyed_in_few_questions(shell: Shell) -> None:
    ended = shell.run("fleet", "survey", listed(shell, *ALL), "--json")
    lines = [json.loads(line) for line in ended.out.splitlines()]
    *domains, summary = lines
    assert ended.status == 0 and summary["schema"] == "legatum.fleet/1" and summary["domains"] == 5
    assert {each["domain"] for each in domains} == {each for each in ALL if each and "#" not in each}
    assert {each["standing"] for each in domains} == {"notice", "healthy"}
    assert all(0 < each["questions"] <= 12 for each in domains)
    shared = {each["slug"]: set(each["domains"]) for each in summary["findings"]}
    assert shared["mail-missing"] == {"evensong.test"} and DOMAIN in shared["all-under-one-suffix"]
    assert "one address of the parent zone" in summary["not_looked_at"] and "resolvers" in summary["not_looked_at"]


def test_a_fleet_shows_how_its_domains_are_signed(shell: Shell) -> None:
    ended = shell.run(
        "fleet", "survey", listed(shell, "coppergate.example", "glassfield.example", DOMAIN), "--signed", "--json"
    )
    *lines, summary = map(json.loads, ended.out.splitlines())
    assert {each["domain"]: (each["signing"], bool(each["keys"]), bool(each["signed_until"])) for each in lines} == {
        "coppergate.example": ("signed, not connected", True, True),
        "glassfield.example": ("signed, not connected", True, True),
        DOMAIN: ("unsigned", False, False),
    }
    assert summary["signing"] == {"signed, not connected": 2, "unsigned": 1} and "ds show" in summary["not_looked_at"]


@pytest.mark.parametrize("depth", [(), ("--full",), ("--signed",)])
def test_what_a_fleet_saw_is_whole_for_each_domain_and_judged_again(shell: Shell, depth: tuple[str, ...]) -> None:
    names = ("coppergate.example", "evensong.test", "gone.example", DOMAIN, "ferrytimes.example", "birch.example")
    words = ("fleet", "survey", listed(shell, *names), *depth, "--evidence", "kept", "--json", "--out", "out.jsonl")
    assert shell.run(*words).status == 1
    lines = {each["domain"]: each for each in map(json.loads, (shell.folder / "out.jsonl").read_text().splitlines())}

    def again(file: str) -> dict[str, dict[str, str]]:
        document = json.loads(shell.run("survey", "--from", file, "--json").out)
        for each in document["surveys"]:  # of a look that leaves much out
            assert any(
                left.startswith(("all but one address", "resolvers and", "the chain above"))
                for left in each["not_looked_at"]
            )
        return {
            each["domain"]: {one["slug"]: one["severity"] for one in each["findings"]} for each in document["surveys"]
        }

    seen = {domain: {one["slug"]: one["severity"] for one in each["findings"]} for domain, each in lines.items()}
    assert again("kept") == seen and seen.keys() == set(names)
    # Interrupted in the middle of writing one down, and gone on with: the whole ones stay, the others are asked again.
    kept = (shell.folder / "kept").read_text()
    (shell.folder / "kept").write_text(kept[: len(kept) // 2])
    whole = kept[: len(kept) // 2].rpartition('{"schema"')[0].count('"schema"')
    left = (shell.folder / "out.jsonl").read_text().splitlines(keepends=True)[:whole]
    (shell.folder / "out.jsonl").write_text("".join(left))
    assert shell.run(*words, "--resume").status == 1
    assert again("kept") == seen
    (shell.folder / "strange").write_text("no evidence\n")
    refused = shell.run("fleet", "survey", "list", "--evidence", "strange", "--out", "out.jsonl", "--resume")
    assert (
        refused.status == 2
        and "not evidence of this program" in refused.err
        and (shell.folder / "strange").read_text() == "no evidence\n"
    )
    full = shell.run("fleet", "survey", "list", "--evidence", "/dev/full")
    assert full.status == 3 and "/dev/full" in full.err and "Traceback" not in full.err, full.err
    refused = shell.run("fleet", "survey", "list", "--evidence", "nowhere/kept", "--jobs", "2")
    assert refused.status == 2 and "--jobs" in refused.err


def test_a_fleet_names_what_failed_and_goes_on(shell: Shell) -> None:
    ended = shell.run(
        "fleet",
        "survey",
        listed(shell, "evensong.test", "no such.name..", "gone.example", DOMAIN),
        "--csv",
        "--out",
        "kept.csv",
    )
    rows = {row["domain"]: row for row in csv.DictReader(io.StringIO(ended.out))}
    assert ended.status == 1 and len(rows) == 4
    assert rows["gone.example"]["standing"] == "error" and "no-such-domain" in rows["gone.example"]["findings"]
    assert [row["standing"] for name, row in rows.items() if " " in name] == ["failed"]
    assert (shell.folder / "kept.csv").read_text() == ended.out
    assert "1 failed" in ended.err


def test_a_domain_is_asked_once_in_whatever_spelling_and_a_wrong_line_is_named(shell: Shell) -> None:
    spelled = (
        "Kiln;KILNANDCLAY.example.",
        'Again;"kilnandclay.example"',
        "",
        "Töpfer;töpfer.example",
        "T;xn--tpfer-jua.example",
    )
    names = listed(shell, "# ours", "customer;domain", *spelled, "Bad;a..b")
    ended = shell.run("fleet", "survey", names, "--out", "kept.ndjson", "--json")
    *domains, summary = [json.loads(line) for line in ended.out.splitlines()]
    assert len(domains) == summary["domains"] == 3 and {each["domain"] for each in domains} == {
        DOMAIN,
        "xn--tpfer-jua.example",
        "a..b",
    }
    assert [each["verdict"] for each in domains if each["domain"] == "a..b"] == [
        "list:8, column domain: 'a..b.' is no domain name: it has an empty label"
    ]
    names = listed(shell, "kilnAndClay.example", "töpfer.example", "a..b")
    again = shell.run("fleet", "survey", names, "--out", "kept.ndjson", "--resume", "--json")
    assert len(again.out.splitlines()) == 1 and json.loads(again.out)["domains"] == 3
    for words in (("registration", "nameservers"), ("move", "draft", "--from", "alder")):
        refused = shell.run(
            *words, "--registrar", "flint", "--to", "birch", "--list", listed(shell, DOMAIN, "", "# x", "a..b")
        )
        assert refused.status == 2 and "list:4: 'a..b.' is no domain name" in refused.err


def test_a_column_and_standard_input(shell: Shell) -> None:
    (shell.folder / "table.csv").write_text(
        'customer,"name"\n"Kiln, Clay",kilnandclay.example\nFerry,ferrytimes.example\n'
    )
    for words, typed in (
        (("table.csv", "--column", "name"), None),
        (("-",), "kilnandclay.example\nferrytimes.example\n"),
        (("-", "--column", "2"), "x,kilnandclay.example\ny,ferrytimes.example\n"),
    ):
        ended = shell.run("fleet", "confirm", *words, "--to", "alder", "--json", typed=typed)
        *domains, summary = [json.loads(line) for line in ended.out.splitlines()]
        assert ended.status == 0 and summary["standings"] == {"confirmed": 2}, (words, ended.err)
        assert {each["domain"] for each in domains} == {"kilnandclay.example", "ferrytimes.example"}
    assert shell.run("fleet", "survey", "table.csv", "--column", "domain").status == 2
    # A file, and nothing at all, where a pipe is usual.
    for name, status in (("names", 0), ("/dev/null", 2)):
        (shell.folder / "names").write_text("evensong.test\n")
        environment = {**os.environ, **shell.variables, "NO_COLOR": "1"}
        with (shell.folder / name).open() as given:
            words = [PROGRAM, "fleet", "survey", "-", "--json"]
            done = subprocess.run(
                words, stdin=given, capture_output=True, text=True, env=environment, timeout=60, check=False
            )
        assert done.returncode == status and (status or json.loads(done.stdout.splitlines()[-1])["domains"] == 1), (
            done.stderr
        )


def test_an_interrupted_fleet_goes_on_where_it_was(shell: Shell) -> None:
    names = listed(shell, *(f"d{number}.example" for number in range(40)), DOMAIN)
    first = shell.run("fleet", "survey", names, "--out", "kept.ndjson", "-q", "--rate", "0")
    assert first.status == 1
    kept = (shell.folder / "kept.ndjson").read_text().splitlines(keepends=True)
    assert len(kept) == 41
    (shell.folder / "kept.ndjson").write_text("".join(kept[:30]) + kept[30][:25])  # cut off in the middle of a line
    again = shell.run("fleet", "survey", names, "--out", "kept.ndjson", "--resume", "--json")
    lines = [json.loads(line) for line in again.out.splitlines()]
    assert len(lines) == 12 and lines[-1]["domains"] == 41
    assert len({json.loads(line)["domain"] for line in (shell.folder / "kept.ndjson").read_text().splitlines()}) == 41


def test_several_processes_give_the_same(shell: Shell) -> None:
    names = listed(
        shell, *(f"d{number}.example" for number in range(15)), *(each for each in ALL if each and "#" not in each)
    )
    ended = shell.run("fleet", "survey", names, "--json", "--jobs", "2", "--side-by-side", "4")
    *domains, summary = [json.loads(line) for line in ended.out.splitlines()]
    standings = {"error": 15, "notice": 3, "healthy": 2}
    assert ended.status == 1 and len(domains) == 20 and summary["standings"] == standings, ended.err
    confirmed = shell.run("fleet", "confirm", names, "--jobs", "2", "--ns", "ns1.alder.test,ns2.alder.test", "--json")
    planned = shell.run("fleet", "timetable", names, "--jobs", "2", "--switch", "in 10d", "--json")
    assert (
        planned.status == 1
        and json.loads(planned.out.splitlines()[-1])["domains"] == json.loads(confirmed.out.splitlines()[-1])["domains"]
    )
    assert json.loads(confirmed.out.splitlines()[-1])["standings"] == {"differs": 17, "confirmed": 3}


def test_ctrl_c_leaves_what_is_done(shell: Shell) -> None:
    listed(shell, *(f"d{number}.example" for number in range(5000)))
    environment = {**os.environ, **shell.variables, "NO_COLOR": "1"}
    words = [PROGRAM, "fleet", "survey", "list", "--out", "kept.ndjson", "--rate", "20", "--jobs", "2"]
    process = subprocess.Popen(
        words,
        cwd=shell.folder,
        env=environment,
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
        start_new_session=True,
        preexec_fn=heeds_ctrl_c,
    )
    assert process.stdout is not None
    for _ in range(3):
        assert "error" in process.stdout.readline()
    os.killpg(process.pid, signal.SIGINT)
    _, err = process.communicate(timeout=30)
    assert process.returncode == 130 and "--resume goes on" in err and "Traceback" not in err, err
    assert len((shell.folder / "kept.ndjson").read_text().splitlines()) >= 3


# Watch: last, as it moves the world's clock and changes a zone


def test_watch_follows_a_change_to_its_end(shell: Shell) -> None:
    assert (
        shell.run(
            "move",
            "draft",
            DOMAIN,
            "--from",
            "alder",
            "--to",
            "birch",
            "--registrar",
            "flint",
            "--publishing",
            "4m",
            "--speed",
            "lowered",
        ).status
        == 0
    )
    assert shell.run("move", "advance", DOMAIN, "--yes", "--wait", "--until", "switch").status == 0
    lines = shell.run(
        "watch", DOMAIN, "--move", "--json", "--curve", "c.csv", "--curve", "c.png", "--asked-every", "10m"
    )
    looks = [json.loads(line) for line in lines.out.splitlines()]
    assert lines.status == 0, lines.err
    assert looks[0]["complete"] is False and looks[-1]["complete"] is True and looks[-1]["servers"] == 1.0
    assert {each["party"] for each in looks[-1]["told"]} == {"parent", "child", "resolver"}
    assert any("parent" in who for each in looks[1:] for who in each["changed"])
    agreed = next(each for each in looks if each["complete"])
    assert (
        0 < agreed["forecast"] < 0.3
    )  # caches elsewhere may hold the parent's NS set for an hour yet: that is not over
    assert looks[-1]["forecast"] == 1.0
    rows = list(csv.DictReader((shell.folder / "c.csv").open()))
    assert len(rows) == len(looks) and rows[-1]["servers"] == "1.0000"
    assert (shell.folder / "c.png").read_bytes()[:8] == b"\x89PNG\r\n\x1a\n"
    confirmed = shell.run("confirm", DOMAIN, "--move", "--json")
    assert confirmed.status == 0 and confirmed.document["expected"] == ["ns1.birch.example", "ns2.birch.example"]
    about = {each["about"] for each in confirmed.document["checks"]}
    assert {"NS set", "DS", f"{DOMAIN} A", f"{DOMAIN} MX", f"www.{DOMAIN} CNAME"} <= about
    after = shell.run("survey", DOMAIN, "--former", "alder", "--json", "--no-resolvers").document
    assert "former-still-answers" in {each["slug"] for each in after["findings"]}


def test_watch_that_never_ends_gives_up_by_itself(shell: Shell) -> None:
    ended = shell.run("watch", "evensong.test", "--record", "@ A 198.51.100.11", "--patience", "1m", "--every", "30m")
    assert ended.status == 1 and "not yet" in ended.out and "198.51.100.95" in ended.out


def test_a_list_in_which_something_is_to_be_seen_to_says_where_to_begin(shell: Shell) -> None:
    (shell.folder / "list").write_text("kilnandclay.example\nnobody.example\n")
    ended = shell.run("fleet", "survey", "list")
    assert ended.status == 1 and "2 domains: 1 error, 1 notice" in ended.out
    assert "Next: begin with nobody.example: `legatum survey nobody.example` says what to do" in ended.out
