"""Transfers between registrars with the installed program: by EPP on both sides, from a form, to a form, and back while
it is pending."""

import sqlite3
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.cli.program import Ended, PracticeWorld, Shell

DOMAIN, BY_HAND, OWN = "ferrytimes.example", "lanternlane.example", "evensong.test"


@pytest.fixture
def world(tmp_path_factory: pytest.TempPathFactory) -> Iterator[PracticeWorld]:
    with PracticeWorld(tmp_path_factory.mktemp("world")) as running:
        yield running


@pytest.fixture
def shell(world: PracticeWorld, tmp_path: Path) -> Shell:
    return world.shell(tmp_path)


def drafted(shell: Shell, domain: str, losing: str, gaining: str, *more: str) -> Ended:
    ended = shell.run(
        "registration", "transfer", domain, "--registrar", losing, "--registrar-to", gaining, "--json", *more
    )
    assert ended.status == 0, ended.err
    return ended


def held(shell: Shell, domain: str, registrar: str) -> dict[str, object]:
    found: dict[str, object] = shell.run("registration", "show", domain, "--registrar", registrar, "--json").document[
        "held"
    ][0]
    return found


def nothing_secret_is_kept(world: PracticeWorld, *secrets: str) -> None:
    assert all(secrets)
    for path in [*world.folder.glob("journal.sqlite*"), *world.folder.glob("moves/*"), *world.folder.glob("*.toml")]:
        assert not any(secret.encode() in path.read_bytes() for secret in secrets), path


@pytest.mark.parametrize("policy", ["strict", "lenient"])
def test_by_epp_on_both_sides_followed_for_five_days(shell: Shell, world: PracticeWorld, policy: str) -> None:
    """A lenient registry tells the gaining account of the domain from the beginning: that is no transfer."""
    if policy == "lenient":
        assert shell.run("practice", "registry", "--tells-others").status == 0
    servers = {f"ns1.{OWN}": "198.51.100.41", f"ns2.{OWN}": "203.0.113.42"}
    where = ("--at", "birch", "--registrar", "slate", "--yes")
    for host, address in servers.items():
        assert shell.run("hosts", "set", host, "--address", address, *where).status == 0
    assert shell.run("hosts", "enlist", *servers, "--alone", "--wait", *where).status == 0
    shell.run("registration", "code", OWN, "--registrar", "slate", "--into", "code")
    code = (shell.folder / "code").read_text().strip()
    assert shell.run("registration", "lock", OWN, "--registrar", "slate", "--yes").status == 0
    runbook = drafted(shell, OWN, "slate", "flint").document
    assert [each["id"] for each in runbook["steps"]] == [
        "fit",
        "unlock",
        "request",
        "follow",
        "kept",
        "code",
        "lock",
        "settled",
    ]
    for words in (("move", "rehearse"), ("move", "redraw")):
        assert shell.run(*words, OWN).status == 2
    shown = shell.run("move", "show", OWN, "--markdown")
    assert shown.status == 0 and "from slate to flint" in shown.out

    halted = shell.run("move", "advance", OWN, "--yes", "--json")
    assert (
        halted.document["halt"] == "holding"
        and halted.document["step"] == "follow"
        and "rule 13" in halted.document["reasons"][0]
    )
    edit = shell.run("registration", "nameservers", OWN, "--registrar", "slate", "--to", "birch", "--anyway", "--yes")
    assert edit.status == 3 and "pendingTransfer" in edit.err
    assert drafted_again(shell).status == 4
    ended = shell.run("move", "advance", OWN, "--yes", "--wait", "--json")
    assert ended.status == 0 and ended.document["halt"] == "complete", ended.err
    now = held(shell, OWN, "flint")
    assert now["registrar"] == "flint" and now["nameservers"] == list(servers) == now["hosts"]
    assert now["statuses"] == ["clientDeleteProhibited", "clientTransferProhibited", "clientUpdateProhibited"]
    hosts = shell.run("hosts", "show", OWN, "--registrar", "flint", "--json").document
    assert hosts["agreed"] and {each["name"]: each["registry"] for each in hosts["hosts"]} == {
        host: [a] for host, a in servers.items()
    }
    shell.run("registration", "code", OWN, "--registrar", "flint", "--into", "later")
    later = (shell.folder / "later").read_text().strip()
    assert later != code
    nothing_secret_is_kept(world, code, later)
    back = shell.run("move", "retreat", OWN, "--yes")
    assert back.status == 4 and "the transfer has happened" in back.err
    assert shell.run("registration", "queue", "--registrar", "flint", "--json").document["messages"] == []


def drafted_again(shell: Shell) -> Ended:
    """While one is under way there is no other."""
    return shell.run("registration", "transfer", OWN, "--registrar", "slate", "--registrar-to", "flint")


def test_taken_back_while_it_is_pending(shell: Shell) -> None:
    before = held(shell, DOMAIN, "flint")
    shell.run("registration", "lock", DOMAIN, "--registrar", "flint", "--yes")
    drafted(shell, DOMAIN, "flint", "slate")
    shell.run("practice", "registry", "--drop", "transfer request")  # the request is carried out, its answer lost
    assert shell.run("move", "advance", DOMAIN, "--yes", "--json").document["halt"] == "holding"
    assert shell.run("move", "retreat", DOMAIN, "--yes", "--json").document["halt"] == "complete"
    now = held(shell, DOMAIN, "flint")
    assert "clientCancelled" in str(now["transfer"]) and set(now["statuses"]) == {  # type: ignore[call-overload]
        "clientDeleteProhibited", "clientTransferProhibited", "clientUpdateProhibited",
    }  # fmt: skip
    assert now["nameservers"] == before["nameservers"]
    status = shell.run("move", "status", DOMAIN, "--json").document
    assert status["state"] == "complete" and [each["id"] for each in status["steps"]] == ["request-back", "unlock-back"]
    drafted(shell, DOMAIN, "flint", "slate", "--approve")  # what was taken back stands in nobody's way
    assert shell.run("move", "advance", DOMAIN, "--yes", "--wait", "--json").document["halt"] == "complete"


def test_rejected_by_the_losing_registrar(shell: Shell, world: PracticeWorld) -> None:
    drafted(shell, DOMAIN, "flint", "slate")
    shell.run("move", "advance", DOMAIN, "--yes")
    assert shell.run("practice", "form", DOMAIN, "--at", "flint", "--transfer", "reject").status == 0
    refused = shell.run("move", "advance", DOMAIN, "--yes", "--wait", "--json")
    assert (
        refused.status == 4
        and "clientRejected" in refused.document["reasons"][0]
        and "--again request" in refused.document["remedies"][0]
    )
    again = shell.run("move", "advance", DOMAIN, "--yes", "--wait", "--again", "request", "--json")
    assert again.document["halt"] == "complete"
    with sqlite3.connect(world.folder / "journal.sqlite") as journal:
        sent = [
            text
            for (text,) in journal.execute(
                "select text from entries where kind = 'sent' and text like 'transfer request%'"
            )
        ]
    assert len(sent) == 2


def test_a_request_of_somebody_else_is_answered_and_a_contact_put_in(shell: Shell) -> None:
    """Two accounts that know nothing of each other: one asks, the other sees it in its queue and lets the domain go."""
    answer = ("registration", "answer", DOMAIN, "--registrar", "flint", "--yes")
    assert shell.run(*answer[:3], "approve", *answer[3:]).status == 4  # nothing is pending
    unknown = shell.run(
        "registration", "transfer", DOMAIN, "--registrar", "flint", "--registrar-to", "slate", "--registrant", "QM-9"
    )
    assert unknown.status == 2 and "has no contact QM-9" in unknown.err
    contact = ("registration", "contact", "QM-9", "--registrar", "slate", "--json")
    assert shell.run(*contact).status == 1
    assert shell.run(*contact, "--name", "Ferry Times Ltd", "--city", "Quillmoor", "--yes").status == 2  # half of it
    whole = (
        "--name",
        "Ferry Times Ltd",
        "--city",
        "Quillmoor",
        "--country",
        "ie",
        "--email",
        "post@ferrytimes.example",
        "--yes",
    )
    assert shell.run(*contact, *whole).document["state"] == "made" and shell.run(*contact).document["country"] == "IE"
    literal = shell.run(
        "registration",
        "transfer",
        DOMAIN,
        "--registrar",
        "flint",
        "--registrar-to",
        "slate",
        "--code",
        "the-code-itself",
    )
    assert literal.status == 2 and "the-code-itself" not in literal.err
    drafted(shell, DOMAIN, "flint", "slate", "--registrant", "QM-9")
    assert shell.run("move", "advance", DOMAIN, "--yes", "--json").document["halt"] == "holding"
    queue = shell.run("registration", "queue", "--registrar", "flint", "--json").document
    assert "slate asks for the transfer of ferrytimes.example" in queue["messages"][0]["text"]
    assert shell.run(*answer[:3], "approve", *answer[3:], "--json").document["state"] == "changed"
    assert shell.run("move", "advance", DOMAIN, "--yes", "--wait", "--json").document["halt"] == "complete"
    assert shell.run("registration", "contact", "QM-9", "--registrar", "slate").status == 0


def test_from_a_registrar_that_has_only_a_form(shell: Shell, world: PracticeWorld) -> None:
    shell.run("practice", "form", BY_HAND, "--at", "granite", "--statuses", "clientTransferProhibited")
    drafted(shell, BY_HAND, "granite", "slate")
    locked = shell.run("move", "advance", BY_HAND, "--yes")
    assert locked.status == 3 and "granite is changed by hand only: - clientTransferProhibited" in locked.err
    shell.run("practice", "form", BY_HAND, "--at", "granite", "--statuses", "none")
    nobody = shell.run("move", "advance", BY_HAND, "--yes")
    assert nobody.status == 2 and "nobody is there to type it" in nobody.err
    (shell.folder / "wrong").write_text("not-the-code")
    wrong = shell.run("move", "advance", BY_HAND, "--yes", "--code", f"file:{shell.folder / 'wrong'}")
    assert wrong.status == 3 and "authorisation code wrong (2202)" in wrong.err
    code = shell.run("practice", "form", BY_HAND, "--at", "granite", "--code").out.strip()
    shell.variables["TRANSFER_CODE"] = code
    assert (
        shell.run("move", "advance", BY_HAND, "--yes", "--code", "env:TRANSFER_CODE", "--json").document["halt"]
        == "holding"
    )
    assert shell.run("practice", "form", BY_HAND, "--at", "granite", "--transfer", "approve").status == 0
    assert shell.run("move", "advance", BY_HAND, "--yes", "--wait", "--json").document["halt"] == "complete"
    assert held(shell, BY_HAND, "slate")["statuses"] == ["clientTransferProhibited"]
    nothing_secret_is_kept(world, code, "not-the-code")


def test_to_a_registrar_that_has_only_a_form(shell: Shell, world: PracticeWorld) -> None:
    drafted(shell, DOMAIN, "flint", "granite", "--approve")
    by_hand = shell.run("move", "advance", DOMAIN, "--yes")
    assert by_hand.status == 3 and "ask for the transfer in" in by_hand.err
    sheet = Path(by_hand.err.split("the worksheet for it: ")[1].splitlines()[0]).read_text()
    assert f"legatum registration code {DOMAIN} --registrar flint --into FILE" in sheet
    assert shell.run("registration", "code", DOMAIN, "--registrar", "flint", "--into", "code").status == 0
    code = (shell.folder / "code").read_text().strip()
    assert code not in sheet
    assert (
        shell.run("practice", "form", DOMAIN, "--at", "granite", "--transfer", "request", "--with-code", "code").status
        == 0
    )
    locking = shell.run("move", "advance", DOMAIN, "--yes", "--wait")
    assert locking.status == 3 and "+ clientTransferProhibited" in locking.err
    shell.run("practice", "form", DOMAIN, "--at", "granite", "--statuses", "clientTransferProhibited")
    ended = shell.run("move", "advance", DOMAIN, "--yes", "--wait", "--json")
    assert ended.document["halt"] == "complete", ended.err
    nothing_secret_is_kept(world, code)


def test_dns_that_the_losing_registrar_runs_goes_first(shell: Shell, world: PracticeWorld) -> None:
    settings = world.folder / "legatum.toml"
    text = settings.read_text()
    settings.write_text(text.replace("[registrars.flint]\n", '[registrars.flint]\ndns = ["alder"]\n'))
    refused = shell.run("registration", "transfer", DOMAIN, "--registrar", "flint", "--registrar-to", "slate")
    assert (
        refused.status == 4 and "ns1.alder.test is run by flint" in refused.err and "legatum move draft" in refused.err
    )


def test_after_a_move_between_providers_that_is_over(shell: Shell) -> None:
    """Rule 13: not while it is under way; afterwards its papers are put aside."""
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
    assert shell.run("move", "advance", DOMAIN, "--yes").status == 0
    refused = shell.run("registration", "transfer", DOMAIN, "--registrar", "flint", "--registrar-to", "slate")
    assert refused.status == 4 and "a move is under way" in refused.err
    assert shell.run("move", "advance", DOMAIN, "--yes", "--wait").status == 0
    drafted(shell, DOMAIN, "flint", "slate", "--approve")
    assert shell.run("move", "advance", DOMAIN, "--yes", "--wait", "--json").document["halt"] == "complete"
    assert held(shell, DOMAIN, "slate")["nameservers"] == ["ns1.birch.example", "ns2.birch.example"]
