"""What is behind the names, who sees what, and the story afterwards: the installed program in the practice world, whose
sites answer at every address as they should, but for a machine that nobody has set up and one that is switched off."""

import csv
import io
import json
import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from legatum.demo.world_thread import WorldThread
from legatum.practice.scenario import DEAD_MACHINE, FRESH_MACHINE
from tests.cli.desk import Desk

DOMAIN, OLD, NEW = "kilnandclay.example", "198.51.100.80", "203.0.113.99"
HIDDEN = (
    '\n[views.inside]\nservers = ["198.51.100.31"]\nresolvers = ["192.0.2.101"]\nsource = "127.0.0.1"\n'
    "[views.outside]\n"
)


@pytest.fixture
def desk(tmp_path: Path) -> Iterator[Desk]:
    with WorldThread(tmp_path / "world") as practice:
        yield Desk(practice)


def told(desk: Desk, *words: str, status: int = 0) -> Any:
    assert desk.run(*words, "--json", "-q") == status, desk.said
    return json.loads(desk.said)


def settings(desk: Desk, more: str) -> None:
    path = desk.world.settings_file
    path.write_text(path.read_text() + more)


def test_the_service_at_its_new_address(desk: Desk, tmp_path: Path) -> None:
    desk.done("visit", DOMAIN)
    first = next(line for line in desk.said.splitlines() if line)
    assert (
        first.startswith(f"{DOMAIN}: all services answer as they should (15 looked at)")
        and "Not looked at:" in desk.said
    )
    good = told(desk, "visit", DOMAIN, "--web-at", NEW, "--mail-at", "203.0.113.98", "--name", "shop")
    assert good["good"] and not good["worse"] and not good["findings"]
    web = [each for each in good["services"] if each["new"] and each["protocol"] == "https"]
    assert {each["name"] for each in web} == {DOMAIN, f"www.{DOMAIN}", f"shop.{DOMAIN}"} and {
        each["alike"] for each in web
    } == {1.0}
    assert all(each["certificate"]["trust"].startswith("leads to") and each["hsts"] for each in web)
    mail = next(
        each
        for each in good["services"]
        if each["new"] and each["protocol"] == "smtp" and each["name"].startswith("mail")
    )
    assert (mail["takes"], mail["tls"], mail["address"]) == (True, True, "203.0.113.98")
    assert ("mx2.ferrytimes.example", "203.0.113.98") not in {
        (each["name"], each["address"]) for each in good["services"]
    }
    assert any("mx2.ferrytimes.example at the new mail server" in each for each in good["not_looked_at"])
    plain = next(each for each in good["services"] if each["protocol"] == "http")
    assert [hop["status"] for hop in plain["hops"]] == [301, 200] and plain["title"] == "Kiln & Clay – pottery by hand"

    page = tmp_path / "visit.html"
    fresh = told(desk, "visit", DOMAIN, "--replace", f"{OLD}={FRESH_MACHINE}", "--html", str(page), status=1)
    assert {each["slug"] for each in fresh["findings"]} == {
        "certificate-other-name", "certificate-not-trusted", "another-site", "redirect-differs", "hsts-lost",
    }  # fmt: skip
    assert (
        fresh["worse"]
        and all(FRESH_MACHINE in each for each in fresh["worse"])
        and "This machine works" in page.read_text()
    )
    assert (
        desk.run("visit", DOMAIN, "--web-at", DEAD_MACHINE) == 1
        and "[web-silent]" in desk.said
        and "connection refused" in desk.said
    )
    assert desk.run("visit", DOMAIN, "--web-at", "nowhere") == 2 and "no address" in desk.said
    assert desk.run("visit", DOMAIN, "--authority", str(page)) == 2 and "no certificates in it" in desk.said


def test_a_move_leads_nobody_to_a_worse_service(desk: Desk) -> None:
    desk.done("move", "draft", DOMAIN, "--replace", f"{OLD}={FRESH_MACHINE}", "--speed", "at-once")
    assert desk.run("move", "advance", DOMAIN, "--yes", "--wait") == 4
    assert "visitors would be worse off: https" in desk.said and "--anyway" in desk.said
    assert OLD in json.dumps(told(desk, "survey", DOMAIN)["contents"])  # nothing was changed
    desk.done("move", "advance", DOMAIN, "--yes", "--wait", "--anyway")
    assert (
        "behind the names: error: the certificate is for another name" in desk.said
    )  # looked at once more, by way of the DNS
    desk.done("move", "retreat", DOMAIN, "--yes", "--wait")  # to where they were: nobody is held up on the way back
    desk.done("move", "draft", DOMAIN, "--replace", f"{OLD}={NEW}", "--speed", "at-once", "--force")
    desk.done("move", "advance", DOMAIN, "--yes", "--wait")
    assert "services behind the names answer as they should" in desk.said


def test_a_provider_whose_zone_leads_elsewhere(desk: Desk, tmp_path: Path) -> None:
    """Another provider, and by its zone another address: that is what visitors get."""
    desk.done(
        "move",
        "draft",
        DOMAIN,
        "--to",
        "birch",
        "--replace",
        f"{OLD}={FRESH_MACHINE}",
        "--registrar",
        "flint",
        "--publishing",
        "4m",
    )
    assert desk.run("move", "advance", DOMAIN, "--yes", "--wait") == 4 and "visitors would be worse off" in desk.said
    assert told(desk, "survey", DOMAIN, "--no-rdap")["delegation"] == ["ns1.alder.test", "ns2.alder.test"]


def test_ready_for_a_certificate_and_mail_whole(desk: Desk, tmp_path: Path) -> None:
    desk.done("gather", DOMAIN, "--from", "alder", "--out", str(tmp_path / "before.zone"))
    healthy = told(desk, "survey", DOMAIN, "--service", "--before", str(tmp_path / "before.zone"))
    assert (
        healthy["service"]["good"]
        and not healthy["service"]["findings"]
        and "--service" not in " ".join(healthy["not_looked_at"])
    )
    assert told(desk, "confirm", DOMAIN, "--service", "--before", "alder")["confirmed"]
    for words in (
        ("@", "CAA", "0 issue seals.test", "--instead"),
        ("winter._domainkey", "TXT", "--clear"),
        ("@", "TXT", "v=spf1 ip4:203.0.113.99 -all", "--instead"),
        ("_acme-challenge", "CNAME", "here.gone.example."),
        ("_443._tcp", "TLSA", f"3 1 1 {'ab' * 32}"),
        ("_mta-sts", "TXT", "v=STSv1; id=7"),
        ("mta-sts", "A", OLD),
    ):
        desk.done("amend", DOMAIN, *words, "--at", "alder", "--yes", "--anyway")
    sick = told(desk, "survey", DOMAIN, "--service", "--before", str(tmp_path / "before.zone"), status=1)
    slugs = {each["slug"] for each in sick["findings"]}
    assert {
        "caa-names-another",
        "challenge-leads-nowhere",
        "mail-record-left-behind",
        "spf-forgets-server",
        "mail-record-changed",
        "tlsa-does-not-fit",
        "mail-policy-broken",
    } <= slugs, slugs
    verdict = told(desk, "confirm", DOMAIN, "--service", "--before", str(tmp_path / "before.zone"), status=1)
    assert {each["about"] for each in verdict["checks"] if each["party"] == "service"} == {
        "challenge-leads-nowhere", "tlsa-does-not-fit", "mail-policy-broken", "mail-record-left-behind",
    }  # fmt: skip
    assert desk.run("survey", DOMAIN, "--before", "alder") == 2 and "--before without --service" in desk.said
    report = tmp_path / "report.html"
    desk.run("survey", DOMAIN, "--service", "--html", str(report))
    assert "The services behind the names" in report.read_text() and "pottery by hand" in report.read_text()


def test_inside_and_outside(desk: Desk) -> None:
    settings(desk, HIDDEN)
    assert told(desk, "compare", DOMAIN, "--views", "inside", "outside", "--zone", "alder")["good"]
    desk.done("survey", DOMAIN, "--view", "inside")
    assert "inside and the world, side by side" in desk.said
    for words in (
        ("compare", DOMAIN, "--views", "inside", "nowhere"),
        ("compare", DOMAIN),
        ("compare", "alder", "birch", "--views", "a", "b"),
    ):
        assert desk.run(*words) == 2, words
    assert desk.run("survey", DOMAIN, "--view", "nowhere") == 2 and "views: inside, outside" in desk.said


def test_the_story_afterwards(desk: Desk, tmp_path: Path) -> None:
    settings(desk, "")
    text = desk.world.settings_file.read_text()
    desk.world.settings_file.write_text(text + '\n[house]\noperator = "Wren of Quillmoor"\n')
    desk.done("survey", DOMAIN)
    desk.done("amend", DOMAIN, "shop", "A", "198.51.100.85", "--instead", "--at", "alder", "--yes")
    desk.done("move", "draft", DOMAIN, "--to", "birch", "--registrar", "flint", "--publishing", "4m")
    desk.done("move", "advance", DOMAIN, "--yes", "--wait", "--until", "switch")
    under_way = tmp_path / "under-way.html"
    desk.done("history", DOMAIN, "--note", str(under_way))
    assert "Still under way:" in under_way.read_text() and "See the new NS set" in under_way.read_text()
    desk.done("move", "advance", DOMAIN, "--yes", "--wait")
    found = told(desk, "history", DOMAIN)
    assert {each["who"] for each in found["acts"]} == {"Wren of Quillmoor"} and {
        each["became"] for each in found["acts"]
    } <= {
        "done",
        "sent",
    }
    changed = {each["what"]: (each["before"], each["after"]) for each in found["changed"]}
    assert changed[f"shop.{DOMAIN} A"] == ("600 198.51.100.81", "600 198.51.100.85")
    assert changed["NS set at flint"] == ("ns1.alder.test, ns2.alder.test", "ns1.birch.example, ns2.birch.example")
    shop = [each for each in found["seen"] if each["name"] == f"shop.{DOMAIN}" and each["type"] == "A"]
    assert [(each["data"], each["by"]) for each in shop] == [
        ("198.51.100.81", "alder"), ("198.51.100.85", "alder"), ("198.51.100.85", "birch")
    ]  # fmt: skip
    assert all(each["first"] <= each["last"] for each in shop)
    confirmed = next(each for each in found["acts"] if each["step"] == "confirm")
    switch = next(each for each in found["acts"] if each["step"] == "switch")
    assert (
        switch["move"]
        and switch["everywhere"]
        and switch["changes"]
        and confirmed["proof"]
        and confirmed["replies"] > 20
    )

    evidence = tmp_path / "evidence.jsonl"
    desk.done("history", "--evidence", str(confirmed["proof"]), "--out", str(evidence))
    judged = told(desk, "survey", "--from", str(evidence))
    assert judged["delegation"] == ["ns1.birch.example", "ns2.birch.example"] and judged["verdict"].startswith(
        f"{DOMAIN}: healthy"
    )
    desk.done("history", "--evidence", str(switch["proof"]), "--out", str(evidence))
    assert desk.run("history", "--evidence", "4711") == 2 and "no entry 4711" in desk.said

    page, note = tmp_path / "history.html", tmp_path / "note.html"
    desk.done("history", DOMAIN, "--html", str(page))
    desk.done("history", DOMAIN, "--note", str(note))
    assert (
        "198.51.100.81" in note.read_text()
        and "Still under way" not in note.read_text()
        and "What you have to do" in note.read_text()
    )
    assert (
        len(re.findall(r'download="evidence-\d+\.jsonl" href="data:', note.read_text())) > 5
        and "Wren of Quillmoor" in page.read_text()
    )
    assert desk.run("history", DOMAIN, "--csv", "-q") == 0
    rows = list(csv.DictReader(io.StringIO(desk.said)))
    assert len(rows) == len(found["acts"]) and "→" in next(row["changes"] for row in rows if row["step"] == "switch")
    assert told(desk, "history", DOMAIN, "--since", "2031-01-01T00:00:00Z")["acts"] == []
    assert [each["domain"] for each in told(desk, "history", "--house")["histories"]] == [DOMAIN]


def test_a_history_goes_from_one_journal_to_another(desk: Desk, tmp_path: Path) -> None:
    desk.done("amend", DOMAIN, "shop", "A", "198.51.100.85", "--instead", "--at", "alder", "--yes")
    desk.done("survey", DOMAIN)  # names elsewhere, such as of its mail, are not the domain's own
    before, kept = told(desk, "history", DOMAIN), tmp_path / "kept.jsonl"
    assert {each["name"] for each in before["seen"]} >= {DOMAIN} and all(
        each["name"].endswith(DOMAIN) for each in before["seen"]
    )
    desk.done("history", DOMAIN, "--export", str(kept))
    (desk.world.folder / "journal.sqlite").unlink()
    assert told(desk, "history", DOMAIN)["acts"] == []
    assert told(desk, "history", "--import", str(kept))["acts"] == before["acts"]
    desk.done("history", "--import", str(kept))
    assert "0 entries taken in" in desk.said and told(desk, "history", DOMAIN)["seen"] == before["seen"]
    whole = kept.read_text()
    spoiled = [
        re.sub(said, instead, whole, count=1)
        for said, instead in (
            (f'"{DOMAIN}"', '"other.example"'),
            ('"kind": "outcome"', '"kind": "success"'),
            ('"first": [0-9.]+, "all"', '"all"'),
            ('"at": [0-9.]+', '"at": 1796014260782'),
            ('"last": [0-9.]+', '"last": -1'),
        )
    ]
    assert whole not in spoiled
    for content in ("", "nonsense\n", '{"schema": "legatum.evidence/1"}\n', *spoiled):
        kept.write_text(content)
        assert desk.run("history", "--import", str(kept)) == 2, content[:60]
    for words in (
        ("history",),
        ("history", DOMAIN, "--house"),
        ("history", "--house", "--note", "x"),
        ("history", DOMAIN, "--out", "x"),
    ):
        assert desk.run(*words) == 2, words


def test_what_was_left_behind_is_listed_and_goes(desk: Desk, tmp_path: Path) -> None:
    domain = "evensong.test"
    for number, address in ((1, "198.51.100.41"), (2, "203.0.113.42")):
        desk.done(
            "hosts",
            "set",
            f"ns{number}.{domain}",
            "--address",
            address,
            "--at",
            "birch",
            "--registrar",
            "slate",
            "--yes",
        )
    templates = desk.world.folder / "templates"
    templates.mkdir()
    (templates / "old.toml").write_text('[records]\nlogin = { A = "198.51.100.96" }\n')
    (templates / "new.toml").write_text('[records]\npanel = { A = "198.51.100.96" }\n')
    (tmp_path / "tenants").write_text(f"domain,template\n{domain},new\n")
    for words in (
        ("login", "A", "198.51.100.96"),
        ("_acme-challenge", "TXT", "token-7"),
        ("@", "TXT", "site-verification=77"),
    ):
        desk.done("amend", domain, *words, "--at", "birch", "--yes")
    desk.done("publish", domain, "--from", "birch", "--to", "alder", "--yes")
    listed = (
        "survey",
        domain,
        "--leftovers",
        "--registrar",
        "slate",
        "--tenants",
        str(tmp_path / "tenants"),
        "--no-resolvers",
    )
    found = told(desk, *listed)
    assert {(each["kind"], each["sure"]) for each in found["leftovers"]} == {
        ("old zone", True),
        ("host at the registry", True),
        ("verification text", False),
        ("record of another template", True),
    }
    assert sum(each["kind"] == "host at the registry" for each in found["leftovers"]) == 2
    desk.done(
        "move",
        "draft",
        domain,
        "--retire",
        "leftovers",
        "--registrar",
        "slate",
        "--also",
        "@ TXT",
        "--tenants",
        str(tmp_path / "tenants"),
    )
    desk.done("move", "rehearse", domain)
    desk.done("move", "advance", domain, "--yes", "--wait")
    left = told(desk, *listed)["leftovers"]
    assert {each["kind"] for each in left} == {"verification text"}
    assert all("site-verification" not in each["what"] for each in left)
    again = ("move", "draft", domain, "--retire", "leftovers", "--registrar", "slate", "--force")
    desk.done(*again)  # by now the challenge is older than a day: nobody will look at it any more
    assert "Take _acme-challenge.evensong.test TXT out of the zone" in desk.said
    desk.done("move", "advance", domain, "--yes", "--wait")
    assert desk.run(*again) == 2
    assert "nothing was left behind that is surely of no use" in desk.said
    assert desk.run("move", "draft", domain, "--retire", "--also", "@ TXT") == 2
