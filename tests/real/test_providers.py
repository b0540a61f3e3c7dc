"""Changes in a row, signers and sub-zones on each of BIND, Knot, NSD and PowerDNS, with the installed program."""

import os
import sqlite3
import threading
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import closing
from typing import Any

import pytest

from legatum.core.agreement.expected import parse_ds_text
from legatum.core.records.name import parse_name
from legatum.wire.epp import DomainChange
from tests.real.lab import NAMES, Lab, blank
from tests.real.processes import NEEDS_SERVERS, outcome

pytestmark = NEEDS_SERVERS
SIGNERS = ("bind", "knot", "pdns")
PLAIN = {f"plain-{name}.example": name for name in NAMES}
SIGNED = {f"signed-{name}.example": name for name in SIGNERS}
SECURE = {f"secure-{name}.example": name for name in SIGNERS}
HELD = 3.5  # seconds that another change holds a database
DS = "4711 13 2 " + "ab" * 32
TOWARDS = {f"towards-{name}.example": "nsd" for name in SIGNERS}  # moves to a provider that signs what it serves
CUT = {f"cut-{name}.example": "bind" if name != "bind" else "knot" for name in NAMES}  # `app` is served by this one
WRONG_CUT, DISTURBED, ASKING = "wrong-cut.example", "disturbed.example", "asking.example"


def made(provider: str, zone: str, ns: str = "") -> str:
    return blank(ns or provider, zone) + "@ A 198.51.100.99\n"


@pytest.fixture(scope="module")
def lab(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Lab]:
    worker = int(os.environ.get("PYTEST_XDIST_WORKER", "gw9").removeprefix("gw"))
    extra = {domain: "".join(f"app 3 NS ns{each}.{domain[4:-8]}.example.\n" for each in (1, 2)) for domain in CUT}
    extra[WRONG_CUT] = "app 3 NS ns1.nsd.example.\napp 3 NS ns2.nsd.example.\n"
    beside = {(domain[4:-8], f"app.{domain}"): made(domain[4:-8], f"app.{domain}") for domain in CUT}
    beside |= {
        ("nsd", f"app.{WRONG_CUT}"): made("nsd", f"app.{WRONG_CUT}"),
        ("knot", f"app.{WRONG_CUT}"): made("knot", f"app.{WRONG_CUT}"),
    }
    beside |= {(domain[8:-8], domain): blank(domain[8:-8], domain) for domain in TOWARDS} | {
        ("knot", ASKING): blank("knot", ASKING)
    }
    domains = {**PLAIN, **SIGNED, **SECURE, **TOWARDS, **CUT, WRONG_CUT: "bind", DISTURBED: "bind", ASKING: "nsd"}
    signed = [(name, domain) for domain, name in {**SIGNED, **SECURE}.items()] + [
        (domain[8:-8], domain) for domain in TOWARDS
    ]
    signed.append(("knot", ASKING))
    cuts = "".join(f"{domain.removesuffix('.example')} 2 DS {DS}\n" for domain in SECURE)
    made_lab = Lab(tmp_path_factory.mktemp("lab"), 220 + worker, domains, signed, extra, beside, cuts)
    try:
        made_lab.start()
        yield made_lab
    finally:
        made_lab.stop()


def many_changes(lab: Lab, name: str) -> None:
    """Amended five times, published twice, a part handed on and taken back, amended again: each is proven on every
    server."""
    domain, other = f"plain-{name}.example", "nsd" if name != "nsd" else "knot"
    at = ("--at", name, "--yes")
    changes = [
        ("press", "A", "198.51.100.1"), ("@", "MX", "10 mail", f"20 {domain}"), ("notes", "TXT", "v=one; rest=1"),
        ("_sip._tcp", "SRV", "0 1 5060 mail"), ("store", "CNAME", f"www.{domain}"),
    ]  # fmt: skip
    for change in changes:
        done = lab.legatum("amend", domain, *change, *at, "--anyway")
        assert done["state"] == "published" and len(done["addresses"]) == 2 and done["how"], done
    assert lab.legatum("amend", domain, "press", "A", "198.51.100.1", *at)["state"] == "unchanged"
    file = lab.folder / f"{domain}.zone"
    for address in ("198.51.100.7", "198.51.100.8"):
        lab.legatum("gather", domain, "--from", name, "--force")
        file.write_text(file.read_text().replace("203.0.113.25", address).replace("198.51.100.7", address))
        assert lab.legatum("publish", domain, "--from", file.name, "--to", name, "--yes")["state"] == "published"
    part = (
        "delegate",
        f"shop.preview.{domain}" if name == "pdns" else "a",
        "--of",
        domain,
        "--at",
        name,
        "--to",
        other,
        "--yes",
        "--ttl",
        "2s",
    )
    for _ in range(2):
        assert lab.legatum(*part, "--wait")["halt"] == "complete"
        assert lab.legatum(*part, "--back", "--wait")["halt"] == "complete"
    assert lab.legatum("amend", domain, "press", "A", "--clear", *at)["state"] == "published"
    served = lab.legatum("gather", domain, "--from", name, "--force")
    assert served["types"]["AAAA"] == 1 and served["types"]["CNAME"] == 2


def test_many_changes_in_a_row_of_one_zone_on_each_of_the_four(lab: Lab) -> None:
    with ThreadPoolExecutor(len(NAMES)) as crew:
        for work in [crew.submit(many_changes, lab, name) for name in NAMES]:
            work.result()


def test_a_server_whose_database_is_held_by_another_change_is_asked_again(lab: Lab) -> None:
    """PowerDNS over SQLite answers SERVFAIL, and has then done nothing."""
    held, released = threading.Event(), threading.Event()

    def hold() -> None:
        with closing(sqlite3.connect(lab.hostings["pdns"].folder / "zones.db", isolation_level=None)) as database:
            database.execute("BEGIN IMMEDIATE")
            held.set()
            time.sleep(HELD)
            database.execute("ROLLBACK")
        released.set()

    threading.Thread(target=hold).start()
    assert held.wait(10)
    amended = lab.legatum("amend", "plain-pdns.example", "busy", "A", "198.51.100.5", "--at", "pdns", "--yes")
    assert amended["state"] == "published" and released.is_set()


@pytest.mark.parametrize("name", SIGNERS)
def test_a_signed_domain_is_not_led_into_an_unsigned_copy(lab: Lab, name: str) -> None:
    to = ("--to", "nsd", "--registrar", "flint", "--json")
    unconnected = lab.run(
        "move", "draft", f"signed-{name}.example", "--from", name, *to
    )  # nobody is asked for signatures
    assert unconnected.status == 0 or "asks the registry for a DS" in unconnected.err, unconnected.err
    assert unconnected.status == 4 or name != "knot"  # which does so from the first
    refused = lab.run("move", "draft", f"secure-{name}.example", "--from", name, *to)
    assert refused.status == 4 and "is bogus at" in refused.err and "DS 4711 13 2" in refused.err, refused.err
    assert not (lab.folder / "moves" / f"secure-{name}.example.move.toml").exists()


@pytest.mark.parametrize("name", SIGNERS)
def test_a_signers_own_records_stay_with_it(lab: Lab, name: str) -> None:
    """Out of a signed zone into a file, and changed at the signer again and again: nothing that it adds is held against
    it."""
    domain = f"signed-{name}.example"
    sent = lab.legatum("publish", domain, "--from", name, "--to", "nsd", "--yes")
    assert sent["state"] == "published" and any("RRSIG" in each for each in sent["left_out"])
    text = (lab.folder / "nsd" / f"{domain}.zone").read_text()
    assert "www" in text and not any(kind in text for kind in ("RRSIG", "NSEC", "DNSKEY"))
    for number in (1, 2, 3):
        done = lab.legatum("amend", domain, "press", "A", f"198.51.100.{number}", "--at", name, "--yes")
        assert done["state"] == "published" and not done["moved_on"], done
    assert lab.legatum("compare", "nsd", name, "--domain", domain)["worse"] is False
    copied = lab.legatum("gather", f"copy-{name}.example", "--like", domain, "--from", name)
    assert "RRSIG" in copied["left_out"] and "RRSIG" not in (lab.folder / f"copy-{name}.example.zone").read_text()


def test_moves_to_providers_that_sign_and_to_such_as_serve_a_sub_zone_already(lab: Lab) -> None:
    """From draft to complete, side by side: a new side may sign as long as it asks for no DS, and may have a zone below
    a cut."""
    moves = {domain: ("nsd", domain[8:-8]) for domain in TOWARDS} | {
        domain: (old, domain[4:-8]) for domain, old in CUT.items()
    }

    def whole(domain: str, old: str, new: str) -> None:
        drafted = lab.legatum(
            "move",
            "draft",
            domain,
            "--from",
            old,
            "--to",
            new,
            "--registrar",
            "flint",
            "--publishing",
            "5s",
            "--speed",
            "lowered",
        )
        assert "no DS, no DNSKEY" in drafted["premises"]["unsigned"] and (
            "signs by itself" in drafted["premises"]["unsigned"]
        ) == (domain in TOWARDS)
        assert lab.legatum("move", "rehearse", domain)["safe"]
        assert lab.legatum("move", "advance", domain, "--yes", "--wait")["halt"] == "complete"
        assert [outcome(each, domain, 6, False) for each in lab.hostings[old].addresses] == [5, 5]

    with ThreadPoolExecutor(len(moves)) as crew:
        for work in [crew.submit(whole, domain, *sides) for domain, sides in moves.items()]:
            work.result()


def test_a_new_side_that_asks_the_registry_for_a_ds_is_refused(lab: Lab) -> None:
    """A registry that reads CDS would have the domain signed while the old side is not."""
    to = ("--from", "nsd", "--to", "knot", "--registrar", "flint", "--json")
    refused = lab.run("move", "draft", ASKING, *to)
    assert refused.status == 4 and "asks the registry for a DS" in refused.err


def disturb(lab: Lab, **change: tuple[str, ...]) -> None:
    """Somebody at the registrar's own pages; until the parent's servers have it."""
    rdatas = {kind: tuple(parse_ds_text(each) for each in texts) for kind, texts in change.items()}
    words = ("flint", parse_name(f"{DISTURBED}."), DomainChange(**rdatas))  # type: ignore[arg-type]
    lab.registry.loop.call_soon_threadsafe(lab.registry.registry.domains.update, *words)
    time.sleep(4)


def test_a_ds_that_somebody_publishes_in_the_middle_stops_a_move(lab: Lab) -> None:
    lab.legatum(
        "move",
        "draft",
        DISTURBED,
        "--from",
        "bind",
        "--to",
        "knot",
        "--registrar",
        "flint",
        "--publishing",
        "5s",
        "--speed",
        "lowered",
    )
    assert lab.legatum("move", "advance", DISTURBED, "--yes", "--until", "publish")["halt"] == "stopped"
    disturb(lab, add_ds=(DS,))
    refused = lab.legatum("move", "advance", DISTURBED, "--yes", "--wait", status=4)
    assert refused["halt"] == "refused" and "DS 4711 13 2" in refused["reasons"][0]
    rehearsed = lab.legatum("move", "rehearse", DISTURBED, status=1)
    assert not rehearsed["safe"] and "DS 4711" in rehearsed["uncovered"][0] and rehearsed["counterexamples"] == []
    assert "DS 4711 13 2" in lab.run("move", "redraw", DISTURBED).err
    assert lab.legatum("move", "retreat", DISTURBED, "--dry-run")["step"] == "publish-back"  # leads nobody anywhere
    disturb(lab, remove_ds=(DS,))
    assert lab.legatum("move", "advance", DISTURBED, "--yes", "--wait")["halt"] == "complete"


def weights(compared: Any, name: str) -> set[str]:
    return {each["weight"] for each in compared["answers"] if each["name"] == name}


def test_a_sub_zone_with_another_ns_set_refuses(lab: Lab) -> None:
    lab.legatum(
        "move", "draft", WRONG_CUT, "--from", "bind", "--to", "knot", "--registrar", "flint", "--speed", "lowered"
    )
    refused = lab.legatum("move", "advance", WRONG_CUT, "--yes", status=4)
    assert (
        refused["step"] == "compare"
        and "worse at the new side" in refused["reasons"][0]
        and f"app.{WRONG_CUT}" in refused["reasons"][0]
    )
    compared = lab.legatum("compare", "bind", "knot", "--domain", WRONG_CUT, "--answers", status=1)
    assert "worse at the new side" in weights(compared, f"app.{WRONG_CUT}")


def test_what_a_refusal_says_is_true(lab: Lab) -> None:
    """The key is not blamed where it may change the zone; what is known of the server's limits is named."""
    many = [f"line {number}" for number in range(101)]
    for words, at, says in (
        (("@", "TXT", *many), "bind", "101 records: BIND takes 100"),
        (("@", "MX", "10 www"), "bind", "which is an alias: BIND refuses that"),
        (("www", "A", "198.51.100.1"), "pdns", ""),
    ):
        domain = f"plain-{at}.example"
        ended = lab.run("amend", domain, *words, "--at", at, "--yes", "--anyway")
        if not says:
            assert ended.status == 2 and "nothing can stand beside an alias" in ended.err
            continue
        assert ended.status == 3 and says in ended.err, ended.err
        assert "may not change" not in ended.err, ended.err
