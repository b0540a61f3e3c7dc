"""The work in its order, typed by hand against a practice world in another process."""

import tomllib
from collections.abc import Iterator
from pathlib import Path

import pytest
import tomli_w

from tests.cli.program import Ended, PracticeWorld, Shell

DOMAIN = "kilnandclay.example"
DRAFT = (
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
)


@pytest.fixture
def shell(tmp_path: Path) -> Iterator[Shell]:
    (tmp_path / "here").mkdir()
    with PracticeWorld(tmp_path / "world") as world:
        yield world.shell(tmp_path / "here")


def alter(shell: Shell, provider: str, text: str) -> Ended:
    """Edits the zone at a provider behind the move's back."""
    file = shell.folder / f"{DOMAIN}.zone"
    assert shell.run("gather", DOMAIN, "--from", provider, "--force").status == 0
    file.write_text(file.read_text() + text)
    return shell.run("publish", DOMAIN, "--to", provider, "--from", str(file), "--yes", "--anyway", "--json")


def test_a_domain_is_looked_at_gathered_published_moved_and_confirmed(shell: Shell) -> None:
    looked = shell.run("survey", DOMAIN.upper(), "--registrar", "flint", "--json")
    assert looked.status == 0
    observation = looked.document
    assert (
        observation["schema"] == "legatum.survey/1"
        and observation["delegation_ttl"] == 3600
        and observation["own_ns_ttl"] == 86400
    )
    assert {part["address"] for part in observation["servers"]} == {
        "198.51.100.31",
        "2001:db8:a1::53",
        "203.0.113.32",
        "2001:db8:a2::53",
    }
    assert {each["registrar"] for each in observation["registrations"]} == {"flint"}
    assert {each["slug"] for each in observation["findings"]} == {"all-under-one-suffix"}
    text = shell.run("survey", DOMAIN)
    assert (
        text.out.splitlines()[0].startswith(f"{DOMAIN}: healthy") and text.out.splitlines()[1] == "Next: nothing to do"
    )

    gathered = shell.run("gather", DOMAIN, "--from", "alder", "--json")
    assert gathered.document["completeness"] == "complete" and gathered.document["records"] == 23
    assert shell.run("gather", DOMAIN, "--from", "alder").status == 2  # never over a file that is there
    compared = shell.run("compare", f"{DOMAIN}.zone", "alder", "--json")
    assert compared.status == 0 and compared.document["differences"] == []

    drafted = shell.run(*DRAFT, "--json")
    assert drafted.status == 0
    holds = {step["id"]: step["hold"] for step in drafted.document["steps"]}
    assert holds["ready"]["rule"] == 1 and holds["confirm"]["rule"] == 4 and "3600" in holds["confirm"]["reason"]
    assert "hold until" in shell.run("move", "show", DOMAIN).out

    shown = shell.run("move", "advance", DOMAIN, "--dry-run", "--json")
    assert shown.status == 0 and shown.document["done"] == [] and shown.document["halt"] == "shown"
    declined = shell.run("move", "advance", DOMAIN, "--json")
    assert declined.status == 4 and declined.document["done"] == ["gather"] and "say --yes" in declined.err

    first = shell.run("move", "advance", DOMAIN, "--yes", "--json").document
    assert first["halt"] == "holding" and first["done"] == ["publish", "compare", "lower"]
    again = shell.run("move", "advance", DOMAIN, "--yes", "--json").document
    assert again["done"] == [] and again["until"] == first["until"]
    answers = shell.run("compare", "alder", "birch", "--domain", DOMAIN, "--answers", "--json").document
    assert answers["equal"] and answers["questions"] > 40 and len(answers["addresses"]) == 8
    assert shell.run("confirm", DOMAIN, "--to", "birch").status == 1

    assert (
        shell.run("practice", "clock", "--on", "1d").status == 0
    )  # one command moves the clock, the next one reads it
    second = shell.run("move", "advance", DOMAIN, "--yes", "--json").document
    assert (
        second["halt"] == "holding"
        and second["done"] == ["ready", "apex", "switch", "parents"]
        and second["step"] == "confirm"
    )
    late = shell.run("confirm", DOMAIN, "--to", "birch", "--registrar", "flint", "--json")
    assert {check["party"] for check in late.document["checks"] if not check["agrees"]} <= {"resolver"}
    third = shell.run("move", "advance", DOMAIN, "--yes", "--wait", "--json").document
    assert third["halt"] == "complete" and third["done"] == ["confirm", "raise", "end"]
    confirmed = shell.run("confirm", DOMAIN, "--to", "birch", "--registrar", "flint", "--json")
    checks = confirmed.document["checks"]
    assert (
        confirmed.status == 0
        and sum(each["about"] == "NS set" for each in checks) == 13
        and all(each["agrees"] for each in checks)
    )
    status = shell.run("move", "status", DOMAIN, "--json").document
    assert status["state"] == "complete" and all(step["all"] for step in status["steps"])
    rows = shell.run("practice", "log", "--json").document["questions"]
    assert {row["outcome"] for row in rows if row["server"] == "ns1.alder.test"} >= {
        "answered",
        "refused",
        "update: answered",
    }


def test_gates_refuse_with_the_reason(shell: Shell) -> None:
    """Zone missing at the new side, answers differ, an edit on one side, the NS set changed behind the move's back."""
    assert shell.run(*DRAFT).status == 0
    first = shell.run("move", "advance", DOMAIN, "--yes", "--json")
    assert first.document["step"] == "ready"
    assert alter(shell, "alder", f"late.{DOMAIN}. 300 IN A 198.51.100.99\n").document["state"] == "published"
    assert shell.run("practice", "clock", "--on", "1d").status == 0
    edited = shell.run("move", "advance", DOMAIN, "--json")  # with --yes it would be made at birch too
    assert edited.status == 4 and f"edited at alder only: late.{DOMAIN} A" in edited.document["reasons"][0]
    assert "--again gather" in edited.document["remedies"][0]

    again = shell.run("move", "advance", DOMAIN, "--yes", "--again", "gather", "--until", "compare", "--json")
    assert again.document["halt"] == "stopped" and again.document["done"] == [
        "gather",
        "publish",
        "compare",
    ]  # the TTL stays lowered
    assert shell.run("practice", "zone", "end", DOMAIN, "--at", "birch").status == 0
    gone = shell.run("move", "advance", DOMAIN, "--yes", "--json")
    assert gone.status == 4 and "birch no longer lets the zone be read" in gone.document["reasons"][0], gone.out
    once_more = shell.run("move", "advance", DOMAIN, "--yes", "--again", "publish", "--until", "compare", "--json")
    assert once_more.document["done"] == ["publish", "compare"], once_more.err
    assert shell.run("move", "advance", DOMAIN, "--yes", "--json").document["step"] == "confirm"
    late = shell.run("move", "advance", DOMAIN, "--yes", "--again", "gather")
    assert late.status == 2 and "both sides are in use" in late.err


def test_publishing_shows_asks_and_proves(shell: Shell) -> None:
    file = shell.folder / "new.zone"
    assert shell.run("gather", DOMAIN, "--from", "alder", "--out", str(file)).status == 0
    shown = shell.run("publish", DOMAIN, "--to", "birch", "--from", str(file), "--dry-run")
    assert (
        shown.status == 0 and "the zone is not there yet: it is made first" in shown.err and "would change" in shown.out
    )
    declined = shell.run("publish", DOMAIN, "--to", "birch", "--from", str(file), typed="no\n")
    assert declined.status == 4 and "declined" in declined.out
    assert (
        shell.run("gather", DOMAIN, "--from", "birch", "--out", "-").status == 3
    )  # nothing was made by looking and by declining
    published = shell.run("publish", DOMAIN, "--to", "birch", "--from", str(file), "--yes", "--json")
    assert (
        published.status == 0
        and published.document["state"] == "published"
        and len(published.document["addresses"]) == 4
    )
    assert (
        shell.run("publish", DOMAIN, "--to", "birch", "--from", str(file), "--yes", "--json").document["state"]
        == "unchanged"
    )
    file.write_text(file.read_text().replace("198.51.100.80", "198.51.100.180"))
    shown = shell.run("publish", DOMAIN, "--to", "birch", "--from", str(file), "--dry-run")
    assert shown.status == 0 and "A: 3600 198.51.100.80 → 3600 198.51.100.180" in shown.err
    differing = shell.run("compare", "alder", "birch", "--domain", DOMAIN, "--answers", "--json")
    assert differing.status == 0
    assert shell.run("publish", DOMAIN, "--to", "birch", "--from", str(file), "--yes").status == 0
    differing = shell.run("compare", "alder", "birch", "--domain", DOMAIN, "--answers", "--json")
    assert differing.status == 1 and not differing.document["equal"]
    assert {(each["name"], each["type"]) for each in differing.document["answers"] if not each["expected"]} >= {
        (DOMAIN, "A"),
        (f"www.{DOMAIN}", "A"),
    }
    table = shell.run("compare", "alder", "birch", "--domain", DOMAIN, "--answers", "--csv").out
    assert (
        f"{DOMAIN},A,answers differ,worse at the new side,,3600 A 198.51.100.80,,3600 A 198.51.100.180\r\n".replace(
            "\r", ""
        )
        in table
    )


def test_a_sick_domain_is_told_in_the_first_line(shell: Shell) -> None:
    assert shell.run("practice", "zone", "end", "ferrytimes.example", "--at", "alder").status == 0
    sick = shell.run("survey", "ferrytimes.example")
    lines = sick.out.splitlines()
    assert (
        sick.status == 1
        and "error: none of the domain's name servers answers for it" in lines[0]
        and lines[1].startswith("Next: Create the zone")
    )
    assert "[no-server-serves]" in sick.out and "explains: " in sick.out and "healthy" not in sick.out
    both = shell.run("survey", "ferrytimes.example", DOMAIN, "--json")
    assert both.status == 1 and [each["domain"] for each in both.document["surveys"]] == ["ferrytimes.example", DOMAIN]
    two = shell.run("confirm", "ferrytimes.example", DOMAIN, "--json")
    assert two.status == 1 and [each["confirmed"] for each in two.document["verdicts"]] == [False, True]
    nobody = shell.run("survey", "nobody.example", "--json")
    assert nobody.status == 1 and nobody.document["findings"][0]["slug"] == "no-such-domain"
    assert (
        shell.run(
            "move", "draft", "ferrytimes.example", "--from", "alder", "--to", "birch", "--registrar", "flint"
        ).status
        == 4
    )


def moved_to_the_front(text: str, *order: str) -> str:
    """A move file with these steps first, the others after them without their holds."""
    move = tomllib.loads(text)
    steps = {step["id"]: {**step, "waits": []} for step in move["steps"]}
    move["steps"] = [steps.pop(ident) for ident in order] + list(steps.values())
    return tomli_w.dumps(move)


def test_a_move_is_rehearsed_and_a_hold_cut_by_hand_is_found_out(shell: Shell, tmp_path: Path) -> None:
    assert shell.run(*DRAFT).status == 0
    safe = shell.run("move", "rehearse", DOMAIN)
    assert safe.status == 0 and "safe under this model" in safe.out.splitlines()[0] and "The model" not in safe.out
    assert "The model\n- Kinds of cache" in shell.run("move", "rehearse", DOMAIN, "-v").out
    assumed = shell.run("move", "rehearse", DOMAIN, "--json").document
    addresses = {(part["place"], part["address"]) for part in assumed["addresses"]}
    assert {place for place, _ in addresses} == {"the parent", "alder", "birch"} and len(addresses) == 12
    versions = assumed["versions"]
    at_alder = [served for part in assumed["addresses"] if part["place"] == "alder" for served in part["served"]]
    assert any(not served["versions"] for served in at_alder) and any(served["versions"] for served in at_alder)
    handed_out = [
        versions[number]["rrsets"]
        for part in assumed["addresses"]
        if part["place"] == "the parent"
        for served in part["served"]
        for number in served["versions"]
    ]
    assert {tuple(each[f"{DOMAIN} NS"]["data"]) for each in handed_out} == {
        ("ns1.alder.test.", "ns2.alder.test."), ("ns1.birch.example.", "ns2.birch.example."),
    }  # fmt: skip
    assert any("ns1.birch.example A" in each for each in handed_out)
    assert f"{DOMAIN} MX" in assumed["zone"] and assumed["counterexamples"] == []
    file = tmp_path / "world" / "moves" / f"{DOMAIN}.move.toml"
    text = file.read_text()
    file.write_text(text.replace("seconds = 3600\n", "seconds = 60\n"))
    cut = shell.run("move", "rehearse", DOMAIN, "--json")
    assert cut.status == 1 and not cut.document["safe"]
    told = cut.document["counterexamples"][0]
    assert set(told["caches"]) == {"parent-trusting", "child-trusting", "sticky"} and "Just before" in told["story"][0]
    assert "which does not serve the zone" in told["story"][-1] and "later" in told["remedy"]
    assert "not safe" in shell.run("move", "rehearse", DOMAIN).out.splitlines()[0]
    refused = shell.run("move", "advance", DOMAIN, "--yes")
    assert (
        refused.status == 4
        and "the rehearsal finds that visitors would fail" in refused.err
        and "Just before" in refused.err
    )
    for order in (("switch", "parents"), ("gather", "publish", "apex", "switch", "end")):
        file.write_text(moved_to_the_front(text, *order))
        other = shell.run("move", "rehearse", DOMAIN, "--json")
        assert other.status == 1 and other.document["counterexamples"], order
    file.write_text(text.replace('after = "parents"', 'after = "nothing"'))
    wrong = shell.run("move", "rehearse", DOMAIN)
    assert wrong.status == 2 and "no earlier step" in wrong.err


def test_a_move_on_paper_in_a_calendar_and_as_a_picture(shell: Shell) -> None:
    from datetime import UTC, datetime

    import icalendar

    assert shell.run(*DRAFT).status == 0
    document = shell.run("move", "show", DOMAIN, "--json").document
    paper = shell.run("move", "show", DOMAIN, "--markdown").out
    assert paper.startswith(f"# {DOMAIN}: from alder to birch") and paper.count("\n| ") == 13
    assert shell.run("move", "show", DOMAIN, "--calendar", "move.ics", "--picture", "move.png").status == 0
    book = icalendar.Calendar.from_ical((shell.folder / "move.ics").read_bytes())
    events = {str(event["uid"]).split("-")[-1]: event for event in book.walk("VEVENT")}
    assert set(events) == {f"{step['id']}@legatum" for step in document["steps"] if step["changes"] or step["hold"]}
    ready = next(step for step in document["steps"] if step["id"] == "ready")
    begins = datetime.fromisoformat(ready["hold"]["not_before"])
    assert abs((events["ready@legatum"]["dtstart"].dt.astimezone(UTC) - begins).total_seconds()) < 60
    observation = (shell.folder / "move.png").read_bytes()
    assert (
        observation[:4] == b"\x89PNG"
        and int.from_bytes(observation[16:20]) == 1280
        and int.from_bytes(observation[20:24]) == 800
    )
    assert shell.run("move", "show", DOMAIN, "--picture", "move.gif").status == 2
