"""A site and mail by somebody else, and a text by which one sees whose domain it is: there and back, in the practice
world."""

import json
import re
import socket
from collections.abc import Iterator
from itertools import count
from pathlib import Path
from typing import Any

import pytest

from legatum.core.records.address import address_rdata
from legatum.core.records.name import parse_domain
from legatum.core.records.rrset import RRset, rrset
from legatum.core.records.rrtype import A
from legatum.demo.world_thread import WorldThread
from legatum.practice.scenario import DEAD_MACHINE, FRESH_MACHINE, PROVIDERS
from legatum.work.gathering.flatten import addresses_of_target
from tests.cli.desk import Desk

DOMAIN, SITE = "kilnandclay.example", "www.tidemill.example"
MOVED = "followed-addresses-moved"


@pytest.fixture
def desk(tmp_path: Path) -> Iterator[Desk]:
    with WorldThread(tmp_path / "world") as practice:
        yield Desk(practice)


def carried_out(desk: Desk, *wish: str) -> None:
    desk.done("move", "draft", DOMAIN, *wish, "--force")
    desk.done("move", "advance", DOMAIN, "--yes", "--wait")


def findings(desk: Desk) -> set[str]:
    desk.run("survey", DOMAIN, "--json", "-q")
    return {each["slug"] for each in json.loads(desk.said)["findings"]}


def test_surveys_look_after_addresses_that_are_somebody_elses(desk: Desk) -> None:
    carried_out(desk, "--alias", f"@={SITE}")
    assert MOVED not in findings(desk)
    desk.done("amend", "tidemill.example", "www", "A", "198.51.100.50", "--yes", "--at", "alder")
    assert MOVED in findings(desk)
    carried_out(desk, "--alias", f"{DOMAIN}={SITE}.")
    assert MOVED not in findings(desk)
    assert desk.run("move", "draft", DOMAIN, "--alias", f"@={SITE}") == 2 and "already" in desk.said
    desk.done("amend", "tidemill.example", "www", "A", "198.51.100.98", "--yes", "--at", "alder")
    assert MOVED in findings(desk)
    desk.done("move", "retreat", DOMAIN, "--yes", "--wait")  # to the addresses of the time before, which nobody follows
    assert MOVED not in findings(desk)


def test_addresses_that_were_typed_are_looked_after_from_then_on(desk: Desk) -> None:
    desk.done("amend", DOMAIN, "@", "A", "198.51.100.98", "--yes", "--at", "alder", "--anyway")
    desk.done("amend", DOMAIN, "@", "AAAA", "--clear", "--yes", "--at", "alder", "--anyway")
    desk.done("move", "draft", DOMAIN, "--alias", f"@={SITE}", "--json", "-q")
    assert [each["id"] for each in json.loads(desk.said)["steps"]] == ["confirm-alias"]
    desk.done("move", "advance", DOMAIN, "--yes", "--wait")
    desk.done("amend", "tidemill.example", "www", "A", "198.51.100.50", "--yes", "--at", "alder")
    assert MOVED in findings(desk)


def test_a_site_that_is_not_set_up_is_seen_before_anybody_is_led_there(desk: Desk) -> None:
    desk.done("amend", "tidemill.example", "www", "A", FRESH_MACHINE, "--yes", "--at", "alder", "--anyway")
    for name in ("www", "@"):  # by an alias, and by addresses
        desk.done("move", "draft", DOMAIN, "--alias", f"{name}={SITE}", "--force")
        assert (
            desk.run("move", "advance", DOMAIN, "--yes", "--wait") == 4 and "visitors would be worse off" in desk.said
        ), desk.said


def test_of_a_target_that_nobody_tells_of_nothing_is_said(desk: Desk) -> None:
    elsewhere = "evensong.test"
    carried_out(desk, "--alias", f"@={elsewhere}")
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as quiet:
        quiet.bind(("127.0.0.1", 0))
        text = desk.settings.read_text()
        for address in (each for some in PROVIDERS["birch"].servers.values() for each in some):
            text = re.sub(rf'(?m)^"{address}" = .*$', f'"{address}" = "127.0.0.1:{quiet.getsockname()[1]}"', text)
        desk.settings.write_text(text)
        assert MOVED not in findings(desk)
        assert desk.run("move", "draft", DOMAIN, "--alias", f"workshop={elsewhere}", "--force") == 3
        assert "evensong.test A is not known: no server of evensong.test answers" in desk.said


def test_a_target_with_other_addresses_in_every_answer_is_not_followed(
    desk: Desk, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Nobody could keep up with it at the apex; an alias can. Where it began to do so later, that alone is no fault."""
    carried_out(desk, "--alias", f"@={SITE}")
    given = addresses_of_target
    turn = count()

    async def turning(*words: Any) -> list[RRset]:
        sets = await given(*words)
        more = [address_rdata(f"203.0.113.{100 + next(turn)}")] if words[1] == parse_domain(SITE) else []
        return [
            rrset(each.name, each.rtype, each.ttl, [*each.rdatas, *more]) if each.rtype == A else each for each in sets
        ]

    monkeypatch.setattr("legatum.work.gathering.flatten.addresses_of_target", turning)
    assert MOVED not in findings(desk)
    assert desk.run("move", "draft", DOMAIN, "--alias", f"@={SITE}", "--force") == 4
    assert "gives other addresses from one question to the next" in desk.said and "203.0.113.10" in desk.said
    desk.done("move", "draft", DOMAIN, "--alias", f"workshop={SITE}", "--force")


@pytest.mark.parametrize(
    ("wish", "says"),
    [
        ("www=nowhere.tidemill.example", "it has no address"),
        ("www=www", "cannot lead to itself"),
        (f"www.tidemill.example.={SITE}", f"is not in {DOMAIN}"),
        (f"mail={SITE}", "A mail server's name is an alias in this zone"),
        (
            f"a.deep.preview={SITE}",
            "deep.preview.kilnandclay.example loses A, which *.preview.kilnandclay.example gives it now",
        ),
        ("www", "--alias NAME=TARGET"),
    ],
)
def test_what_leads_nowhere_is_refused(desk: Desk, wish: str, says: str) -> None:
    assert (
        desk.run("move", "draft", DOMAIN, "--alias", wish) in (2, 3, 4)
        and says in desk.said
        and "Traceback" not in desk.said
    )


POST = """[records]
"@" = { MX = ["10 mx2.ferrytimes.example."], "TXT+" = "v=spf1 include:ferrytimes.example -all" }
"autumn._domainkey" = { TXT = "v=DKIM1; p={key}" }
autoconfig = { CNAME = "mx2.ferrytimes.example." }
"""


def mail_of(zone: str) -> set[str]:
    return {
        line.split("IN", 1)[1].strip()
        for line in zone.splitlines()
        if " MX " in line or "v=spf1" in line or "CNAME" in line
    }


def test_mail_goes_to_another_service_and_back(desk: Desk, tmp_path: Path) -> None:
    def gathered() -> str:
        path = tmp_path / "now.zone"
        desk.done("gather", DOMAIN, "--from", "alder", "--out", str(path), "--force")
        return "\n".join(
            line for line in path.read_text().splitlines() if " SOA " not in line and not line.startswith(";")
        )

    (desk.world.folder / "templates").mkdir()
    (desk.world.folder / "templates" / "post.toml").write_text(POST)
    before, wish = gathered(), ("--mail", "post", "--set", "key=abcd")
    assert desk.run("move", "draft", DOMAIN, "--mail", "post") == 2 and "no value for 'key'" in desk.said
    assert desk.run("move", "draft", DOMAIN, "--mail", "pots") == 2 and "there are: post" in desk.said
    path = desk.world.folder / "templates" / "lost.toml"
    path.write_text(POST.replace("10 mx2.ferrytimes", "10 mx9.ferrytimes"))
    assert (
        desk.run("move", "draft", DOMAIN, "--mail", "lost", "--set", "key=abcd") == 3
        and "it has no address" in desk.said
    )
    desk.receive()
    desk.done("move", "draft", DOMAIN, *wish, "-v")
    assert (
        "_imaps._tcp.kilnandclay.example SRV" in desk.said
        and "_submission._tcp" in desk.said
        and "ip4:203.0.113.25 any more" in desk.said
    )
    desk.done("move", "advance", DOMAIN, "--yes")
    both = gathered()
    assert "include:ferrytimes.example mx a:" in both and "ip4:203.0.113.25 -all" in both and "p=abcd" in both
    assert "MX     10 mail" in both  # nobody is led there before everybody knows who may send
    desk.done("move", "advance", DOMAIN, "--yes", "--wait")
    assert mail_of(gathered()) == {
        "MX     10 mx2.ferrytimes.example.", 'TXT    "v=spf1 include:ferrytimes.example -all"',
        "CNAME  mx2.ferrytimes.example.", "CNAME  kilnandclay.example.",
    }  # fmt: skip
    assert desk.run("move", "draft", DOMAIN, *wish) == 2 and "already" in desk.said
    desk.done("move", "retreat", DOMAIN, "--yes", "--wait")
    assert gathered() == before and not desk.failures
    desk.done(
        "move", "draft", DOMAIN, *wish, "--verify", "TXT site-check=4f1c", "--verify-for", "2h"
    )  # at the same name as the senders
    desk.done("move", "advance", DOMAIN, "--yes", "--wait")
    assert (
        'TXT    "v=spf1 include:ferrytimes.example -all"' in mail_of(gathered())
        and 'site-check=4f1c"' not in gathered()
    )
    desk.done("move", "retreat", DOMAIN, "--yes", "--wait")
    assert gathered() == before and not desk.failures


@pytest.mark.parametrize(
    ("records", "says"),
    [
        ('MX = "0 ."', "no mail is taken"),
        ('MX = "x mail.tidemill.example."', "template 'post', @ MX: 'x mail.tidemill.example.' is no data of type MX"),
        ('MX = "10 mx2.ferrytimes.example.", NS = "ns1.birch.example."', "no matter of its mail"),
        ('MX = "10 mx2.ferrytimes.example.", TXT = ["v=spf1 mx -all", "v=spf1 -all"]', "2 SPF records"),
        ('MX = "10 www"', "A mail server's name is an alias in this zone"),
    ],
)
def test_a_template_that_is_none_of_a_mail_service_is_refused(desk: Desk, records: str, says: str) -> None:
    (desk.world.folder / "templates").mkdir()
    (desk.world.folder / "templates" / "post.toml").write_text(f'[records]\n"@" = {{ {records} }}\n')
    assert desk.run("move", "draft", DOMAIN, "--mail", "post") in (2, 4) and says in desk.said, desk.said


@pytest.mark.parametrize(
    ("machine", "says"), [(FRESH_MACHINE, "550 5.7.1 no such domain here"), (DEAD_MACHINE, "connection refused")]
)
def test_nobody_is_sent_with_mail_to_who_does_not_take_it(desk: Desk, machine: str, says: str) -> None:
    (desk.world.folder / "templates").mkdir()
    template = f'[records]\n"@" = {{ MX = ["10 post.{DOMAIN}."] }}\npost = {{ A = "{machine}" }}\n'
    (desk.world.folder / "templates" / "post.toml").write_text(template)
    desk.done("move", "draft", DOMAIN, "--mail", "post", "--speed", "at-once")
    assert desk.run("move", "advance", DOMAIN, "--yes", "--wait") == 4, desk.said
    assert f"post.{DOMAIN} would not take mail for {DOMAIN}: {machine}: {says}" in desk.said
    desk.done("move", "advance", DOMAIN, "--yes", "--wait", "--anyway")
    desk.done("move", "retreat", DOMAIN, "--yes", "--wait")  # to where mail is taken


def test_where_no_mail_server_can_be_reached_that_is_said(desk: Desk) -> None:
    """As from most offices: it says nothing against the new servers, and nothing for them."""
    (desk.world.folder / "templates").mkdir()
    template = f'[records]\n"@" = {{ MX = ["10 post.{DOMAIN}."] }}\npost = {{ A = "{DEAD_MACHINE}" }}\n'
    (desk.world.folder / "templates" / "post.toml").write_text(template)
    desk.settings.write_text(re.sub(r'(?m)^"\*#25" = .*$', '"*#25" = "127.0.0.1:1"', desk.settings.read_text()))
    desk.done("move", "draft", DOMAIN, "--mail", "post", "--speed", "at-once")
    desk.done("move", "advance", DOMAIN, "--yes", "--wait")
    assert f"not known from here: whether post.{DOMAIN} takes mail" in desk.said


def test_a_verification_record_stands_beside_what_is_there_for_its_time(desk: Desk, tmp_path: Path) -> None:
    for name, says in (
        (f"www.{SITE}.", f"is not in {DOMAIN}"),
        ("spring.preview", "spring.preview.kilnandclay.example loses A"),
    ):
        assert desk.run("move", "draft", DOMAIN, "--verify", f"{name} TXT seen") in (2, 4) and says in desk.said
    wish = ("--verify", "TXT site-check=4f1c", "--verify", '_check TXT "two words"', "--verify-for", "2h")
    desk.done("move", "draft", DOMAIN, *wish)
    assert 'the verification records "site-check=4f1c", "two words"' in desk.said
    desk.done("move", "advance", DOMAIN, "--yes")
    desk.done("gather", DOMAIN, "--from", "alder", "--out", str(tmp_path / "now.zone"))
    texts = (tmp_path / "now.zone").read_text()
    assert '"site-check=4f1c"' in texts and "v=spf1" in texts and "two words" in texts
    assert desk.run("move", "draft", DOMAIN, *wish, "--force") == 2 and "there already" in desk.said
    desk.done("move", "advance", DOMAIN, "--yes", "--wait")
    desk.done("gather", DOMAIN, "--from", "alder", "--out", str(tmp_path / "after.zone"))
    after = (tmp_path / "after.zone").read_text()
    assert 'site-check=4f1c"' not in after and "two words" not in after and "v=spf1" in after
    assert desk.run("move", "draft", DOMAIN, "--verify", "site-check") == 2 and "--verify 'TXT text'" in desk.said
