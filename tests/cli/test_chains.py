"""What a zone asks its parent for by CDS records; parts of a signed domain, with a DS of their own and without; signed
names of servers."""

import json
from collections.abc import Iterator
from pathlib import Path

import pytest

from legatum.core.records.name import parse_domain
from legatum.core.records.rrtype import A
from legatum.demo.world_thread import WorldThread
from tests.cli.desk import Desk

SIGNED = "coppergate.example"
PART = f"www.{SIGNED}"
VALID = "connected and valid"


@pytest.fixture
def desk(tmp_path: Path) -> Iterator[Desk]:
    with WorldThread(tmp_path / "world") as practice:
        yield Desk(practice)


def chain(desk: Desk, domain: str) -> str:
    desk.run("ds", "show", domain)
    return desk.said.splitlines()[0].split(": ")[1]


def ds_count(desk: Desk, domain: str) -> int:
    held = desk.world.registry.known(parse_domain(domain))
    assert held is not None
    return len(held.ds)


def asks(desk: Desk, what: str) -> None:
    desk.done("practice", "zone", "ask", SIGNED, "--at", "rowan", "--stage", what)


def test_what_a_zone_asks_for_is_read_checked_and_done(desk: Desk) -> None:
    assert desk.run("ds", "derive", SIGNED, "--cds") == 4 and "asks for anything" in desk.said
    asks(desk, "ds")
    desk.done("ds", "derive", SIGNED, "--cds", "--json")
    told = json.loads(desk.said)
    assert told["records"] and not told["removes"] and not told["doubt"] and "at all 4 addresses" in told["why"]
    desk.done("ds", "submit", SIGNED, "--cds", "--registrar", "flint", "--yes", "--wait")
    assert chain(desk, SIGNED) == VALID
    assert desk.run("ds", "withdraw", SIGNED, "--cds", "--registrar", "flint", "--yes") == 4 and "asks for" in desk.said
    asks(desk, "removal")
    assert (
        desk.run("ds", "submit", SIGNED, "--cds", "--registrar", "flint", "--yes") == 4 and "ds withdraw" in desk.said
    )
    desk.done("ds", "withdraw", SIGNED, "--cds", "--registrar", "flint", "--yes", "--wait")
    assert ds_count(desk, SIGNED) == 0


def test_a_first_ds_is_nobodys_word_without_the_operators(desk: Desk) -> None:
    """RFC 9615: at the names of all servers, in zones that are connected themselves."""
    asks(desk, "ds")
    desk.done("ds", "withdraw", "rowan.test", "--registrar", "slate", "--yes", "--wait")
    assert desk.run("ds", "derive", SIGNED, "--cds") == 1 and "nobody's word" in desk.said
    assert desk.run("ds", "submit", SIGNED, "--cds", "--registrar", "flint", "--yes") == 4 and "RFC 9615" in desk.said
    desk.done("practice", "registry", "--reads-cds", "12h")
    desk.done("practice", "clock", "--on", "1d")
    assert ds_count(desk, SIGNED) == 0
    desk.done("ds", "submit", "rowan.test", "--registrar", "slate", "--yes", "--wait")
    desk.done("practice", "clock", "--on", "1d")
    assert ds_count(desk, SIGNED) == 1 and chain(desk, SIGNED) == VALID


def test_a_registry_that_reads_cds_follows_the_keys_and_stands_in_the_way_of_a_move(desk: Desk) -> None:
    desk.done("ds", "submit", SIGNED, "--registrar", "flint", "--yes", "--wait")
    desk.practice.visit([(parse_domain(SIGNED), A)], 600)
    asks(desk, "ds")
    desk.done("practice", "registry", "--reads-cds", "2h")
    desk.done("ds", "exchange", SIGNED, "--registrar", "flint", "--yes", "--wait")
    desk.done("practice", "clock", "--on", "6h")
    assert chain(desk, SIGNED) == VALID and ds_count(desk, SIGNED) == 1
    assert desk.run("move", "draft", SIGNED, "--to", "sorrel", "--registrar", "flint", "--force") == 4
    assert "reads_cds = false" in desk.said and all(each.good for each in desk.world.visitors.seen)
    asks(desk, "nothing")
    desk.done("move", "draft", SIGNED, "--to", "sorrel", "--registrar", "flint", "--force")


def test_a_part_of_a_signed_domain_is_handed_on_and_has_a_ds_in_the_zone_above(desk: Desk) -> None:
    desk.done("ds", "submit", SIGNED, "--registrar", "flint", "--yes", "--wait")
    desk.practice.visit([(parse_domain(each), A) for each in (SIGNED, PART)], 600)
    for provider in ("birch", "sorrel"):
        desk.done("move", "draft", SIGNED, "--part", f"www={provider}", "--force")
        desk.done("move", "advance", SIGNED, "--yes", "--wait")
        if provider == "sorrel":
            desk.done("ds", "submit", PART, "--yes", "--wait")
            assert "in the zone coppergate.example at rowan" in desk.said and chain(desk, PART) == VALID
            assert (
                desk.run("move", "draft", SIGNED, "--part", "www=rowan", "--force") == 4
                and f"ds withdraw {PART}" in desk.said
            )
            desk.done("ds", "withdraw", PART, "--yes", "--wait")
        desk.done("move", "draft", SIGNED, "--part", "www=rowan", "--force")
        desk.done("move", "rehearse", SIGNED)
        desk.done("move", "advance", SIGNED, "--yes", "--wait")
    seen = desk.world.visitors.seen
    assert len(seen) > 500 and all(each.good for each in seen) and chain(desk, SIGNED) == VALID


def test_the_ds_can_be_taken_out_in_the_middle_of_a_key_exchange(desk: Desk) -> None:
    """The remedy for lost keys: whatever the exchange has come to, and whatever the registry holds by then."""
    for until in ("re-sign", "ds-in", "ds-seen"):
        desk.done("ds", "submit", SIGNED, "--registrar", "flint", "--yes", "--wait")
        desk.practice.visit([(parse_domain(SIGNED), A)], 600)
        desk.done("ds", "exchange", SIGNED, "--registrar", "flint", "--yes", "--wait", "--until", until)
        refused = desk.run("ds", "withdraw", SIGNED, "--registrar", "flint", "--yes", "--wait")
        assert refused == 2 and "in its place with --force" in desk.said
        desk.done("ds", "withdraw", SIGNED, "--registrar", "flint", "--yes", "--wait", "--force")
        assert ds_count(desk, SIGNED) == 0 and chain(desk, SIGNED) == "signed, not connected"
    seen = desk.world.visitors.seen
    assert len(seen) > 200 and all(each.good for each in seen)


def test_a_domain_that_was_seen_signed_is_connected_without_a_hold(desk: Desk) -> None:
    """Who signs it, and since when, is remembered: nobody holds anything unsigned any more."""
    desk.done("survey", SIGNED)
    desk.done("practice", "clock", "--on", "1d30m")
    desk.done("ds", "submit", SIGNED, "--registrar", "flint", "--yes", "--until", "ds-in")
    assert "hold until" not in desk.said and ds_count(desk, SIGNED) == 1


def test_the_chain_stands_in_the_survey_and_is_drawn_in_its_report(desk: Desk, tmp_path: Path) -> None:
    desk.done("ds", "submit", SIGNED, "--registrar", "flint", "--yes", "--wait")
    desk.done("survey", SIGNED, "--chain", "--html", str(tmp_path / "page.html"), "--json")
    told = json.loads(desk.said[desk.said.index("{") :])
    assert [each["zone"] for each in told["chain"]["links"]] == [".", "example", SIGNED] and told["chain"][
        "state"
    ] == VALID
    assert not any("chain of trust" in each for each in told["not_looked_at"])
    page = (tmp_path / "page.html").read_text()
    assert (
        page.count("<svg") == 3
        and "The chain of trust: connected and valid" in page
        and "4 of the parent&#x27;s addresses: DS" in page
    )


def test_a_registry_that_makes_ds_records_itself_gets_the_keys(desk: Desk) -> None:
    """RFC 5910 s4.2."""
    desk.done("practice", "registry", "--wants-keys")
    assert (
        desk.run("ds", "submit", SIGNED, "--registrar", "flint", "--yes", "--wait") == 3
        and "keys are taken here" in desk.said
    )
    settings = desk.world.settings_file
    settings.write_text(settings.read_text().replace("[registrars.flint]\n", '[registrars.flint]\nds_as = "keys"\n'))
    desk.done("move", "advance", SIGNED, "--yes", "--wait")
    assert chain(desk, SIGNED) == VALID
    desk.done("ds", "exchange", SIGNED, "--registrar", "flint", "--yes", "--wait")
    held = desk.world.registry.known(parse_domain(SIGNED))
    assert chain(desk, SIGNED) == VALID and held is not None and len(held.keys) == len(held.ds) == 1
    desk.done("ds", "withdraw", SIGNED, "--registrar", "flint", "--yes", "--wait")
    assert ds_count(desk, SIGNED) == 0


def test_nobody_is_led_to_servers_whose_own_names_are_bogus(desk: Desk) -> None:
    """sorrel's names lie in a zone that it signs, under a DS: without its keys nobody who validates finds them."""
    desk.done("move", "draft", "kilnandclay.example", "--to", "sorrel", "--registrar", "flint", "--speed", "at-once")
    assert "sorrel signs by itself: kilnandclay.example becomes signed there" in desk.said
    desk.done("move", "advance", "kilnandclay.example", "--yes", "--wait", "--until", "compare")
    primary, zone = desk.world.hostings["sorrel"][0], parse_domain("sorrel.example")

    async def lost() -> None:
        primary.ring(zone).go("new-key")
        primary.ring(zone).keys = primary.ring(zone).keys[1:]
        primary.sign_anew(zone)

    desk.practice.run(lost())
    assert desk.run("move", "advance", "kilnandclay.example", "--yes", "--wait") == 4
    assert "lie in sorrel.example, which is bogus" in desk.said and "ds show sorrel.example" in desk.said
