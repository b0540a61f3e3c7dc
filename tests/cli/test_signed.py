"""Signed domains in the practice world: led by way of unsigned and back, retired, and stopped where keys or DS are not
what they were."""

from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import pytest

from legatum.core.records.name import Name, parse_domain
from legatum.core.records.rrtype import A
from legatum.core.zones.signer import without_signing
from legatum.demo.world_thread import WorldThread
from legatum.practice.registry.domains import DomainDesk
from legatum.wire.epp.objects import DomainChange, Response
from tests.cli.desk import Desk

SIGNED = "coppergate.example"
THERE = ("--registrar", "flint", "--publishing", "4m")


@pytest.fixture
def desk(tmp_path: Path) -> Iterator[Desk]:
    """With the domain connected."""
    with WorldThread(tmp_path / "world") as practice:
        started = Desk(practice)
        started.done("ds", "submit", SIGNED, "--registrar", "flint", "--yes", "--wait")
        yield started


def state(desk: Desk) -> str:
    desk.run("ds", "show", SIGNED)
    return desk.said.splitlines()[0].split(": ")[1]


def test_a_signed_domain_is_led_by_way_of_unsigned_and_back(desk: Desk) -> None:
    desk.done("move", "draft", SIGNED, "--to", "birch", "--unsign", "--speed", "at-once", *THERE)
    assert "Take the DS set away at the registrar flint" in desk.said and "(rule 7" in desk.said
    desk.done("move", "rehearse", SIGNED)
    desk.done("move", "advance", SIGNED, "--yes", "--wait", "--until", "switch")
    desk.done("move", "advance", SIGNED, "--yes", "--wait")
    assert state(desk) == "unsigned"
    desk.done("move", "retreat", SIGNED, "--yes", "--wait")  # rowan makes new keys with the zone
    assert state(desk) == "connected and valid"
    desk.done("move", "draft", SIGNED, "--retire", "--from", "rowan", *THERE)
    desk.done("move", "rehearse", SIGNED)
    desk.done("move", "advance", SIGNED, "--yes", "--wait")
    held = desk.world.registry.known(parse_domain(SIGNED))
    assert held is not None and not held.ds and not held.nameservers


def test_visitors_behind_a_resolver_that_validates_see_what_is_bogus_and_nothing_else(desk: Desk) -> None:
    seen, asked = desk.world.visitors.seen, [(parse_domain(each), A) for each in (SIGNED, f"www.{SIGNED}")]
    desk.practice.visit([*asked, (parse_domain("kilnandclay.example"), A)], 120)
    desk.done("move", "draft", SIGNED, "--to", "birch", "--unsign", "--speed", "at-once", *THERE)
    desk.done("move", "advance", SIGNED, "--yes", "--wait")
    desk.done("move", "retreat", SIGNED, "--yes", "--wait")
    assert len(seen) > 1000 and all(each.good for each in seen)
    desk.done("practice", "clock", "--on", "2h")  # harbour has forgotten that there was no DS
    desk.run("survey", SIGNED)
    assert "seen to validate" not in desk.said  # harbour validated it
    before = len(seen)
    desk.done("publish", SIGNED, "--from", "rowan", "--to", "alder", "--yes")
    assert (
        desk.run("registration", "nameservers", SIGNED, "--registrar", "flint", "--to", "alder", "--yes", "--wait") == 4
    )
    assert "does not prove that" in desk.said, desk.said
    desk.done(
        "registration", "nameservers", SIGNED, "--registrar", "flint", "--to", "alder", "--yes", "--wait", "--anyway"
    )
    desk.done("practice", "clock", "--on", "3h")
    assert {(each.resolver, each.name) for each in seen[before:] if not each.good} == {
        ("harbour", SIGNED), ("harbour", f"www.{SIGNED}")
    }  # fmt: skip
    assert desk.run("survey", SIGNED) == 1 and "resolver-finds-bogus" in desk.said
    assert state(desk) == "connected and broken" and "legatum ds withdraw" in desk.said
    desk.done("ds", "withdraw", SIGNED, "--registrar", "flint", "--yes", "--until", "ds-out")
    assert desk.run("move", "rehearse", SIGNED) == 1 and "it is so already" in desk.said
    desk.done("move", "advance", SIGNED, "--yes", "--wait")
    before = len(seen)
    desk.done("practice", "clock", "--on", "1h")
    assert state(desk) == "unsigned" and len(seen) > before and all(each.good for each in seen[before:])
    assert desk.run("move", "retreat", SIGNED, "--yes", "--wait") == 4 and "bogus" in desk.said


LED = [
    ("--exchange",),
    ("--exchange", "--way", "combined"),
    ("--exchange", "--algorithm", "15"),
    ("--to", "sorrel"),
    ("--to", "sorrel", "--passage", "same-keys"),
]


def visited(desk: Desk) -> bool:
    """Often, and no visitor failed; the parent has one DS."""
    seen = [each for each in desk.world.visitors.seen if not each.name.startswith("nothing")]
    held = desk.world.registry.known(parse_domain(SIGNED))
    return len(seen) > 100 and all(each.good for each in seen) and held is not None and len(held.ds) == 1


@pytest.mark.parametrize("wishes", LED, ids=" ".join)
def test_what_stays_signed_all_the_way_is_never_bogus_there_and_back_and_there(
    desk: Desk, wishes: tuple[str, ...]
) -> None:
    desk.practice.visit([(parse_domain(each), A) for each in (SIGNED, f"www.{SIGNED}", f"nothing.{SIGNED}")], 700)
    for way in ("there", "back", "there"):
        if way == "there":
            desk.done("move", "draft", SIGNED, *wishes, *THERE, "--force")
            desk.done("move", "rehearse", SIGNED)
        desk.done("move", "advance" if way == "there" else "retreat", SIGNED, "--yes", "--wait")
        assert state(desk) == "connected and valid"
    assert visited(desk)


@pytest.mark.timeout(400)
def test_two_that_sign_serve_it_together_and_either_may_leave(desk: Desk) -> None:
    """Joined and taken back, joined; the one that it was at first leaves, comes back, and the other one leaves."""
    desk.practice.visit([(parse_domain(each), A) for each in (SIGNED, f"www.{SIGNED}", f"nothing.{SIGNED}")], 700)
    desk.done("move", "draft", SIGNED, "--second", "sorrel", *THERE)
    desk.done("move", "advance", SIGNED, "--yes", "--wait")
    desk.done("move", "retreat", SIGNED, "--yes", "--wait")
    assert state(desk) == "connected and valid" and visited(desk)
    for wish, name, told in (
        ("--second", "sorrel", 8),
        ("--without", "rowan", 4),
        ("--second", "rowan", 8),
        ("--without", "sorrel", 4),
    ):
        desk.done("move", "draft", SIGNED, wish, name, *THERE, "--force")
        desk.done("move", "rehearse", SIGNED)
        desk.done("move", "advance", SIGNED, "--yes", "--wait")
        assert state(desk) == "connected and valid"
        desk.done("practice", "clock", "--on", "25h")  # every resolver has let go of the NS set before
        desk.done("confirm", SIGNED)
        desk.done("survey", SIGNED)
        assert f"all {told} server addresses agree" in desk.said and "serials-differ" not in desk.said
    assert visited(desk)


def test_what_two_signers_have_to_do_both_is_not_planned_for_one(desk: Desk) -> None:
    assert (
        desk.run("move", "draft", SIGNED, "--second", "alder", *THERE) == 4
        and "alder takes no zone keys of others" in desk.said
    )
    for _ in range(2):
        desk.done(
            "second", "add", SIGNED, "--at", "rowan", "--second", "sorrel", "--registrar", "flint", "--yes", "--wait"
        )
    assert "sorrel serves coppergate.example beside rowan already" in desk.said and "nothing to do" in desk.said
    for wishes in (("--to", "birch"), ("--ttl", "www A=5m", "--from", "rowan"), ("--exchange",)):
        assert desk.run("move", "draft", SIGNED, *wishes, *THERE, "--force") == 4, desk.said
        assert "sorrel" in desk.said and ("at both" in desk.said or "named" in desk.said), desk.said
    desk.done("amend", SIGNED, "www", "A", "192.0.2.99", "--at", "rowan", "--yes")
    assert f"legatum compare rowan sorrel --domain {SIGNED}" in desk.said
    assert desk.run("compare", "rowan", "sorrel", "--domain", SIGNED) == 1
    assert desk.run("confirm", SIGNED) == 1 and "www.coppergate.example A" in desk.said
    desk.done("ds", "withdraw", SIGNED, "--registrar", "flint", "--yes", "--wait")
    assert state(desk) == "signed, not connected"


def test_a_signer_that_is_dead_leaves_without_being_asked(desk: Desk) -> None:
    leave = (
        "second",
        "leave",
        SIGNED,
        "--at",
        "rowan",
        "--second",
        "sorrel",
        "--registrar",
        "flint",
        "--yes",
        "--wait",
    )
    desk.done(*leave)
    assert (
        "sorrel is no second provider of coppergate.example: nobody names it" in desk.said
        and "nothing to do" in desk.said
    )
    assert (
        desk.run("second", "show", SIGNED, "--at", "rowan", "--second", "sorrel") == 2
        and "takes no copies" in desk.said
    )
    desk.done("second", "add", SIGNED, "--at", "rowan", "--second", "sorrel", "--registrar", "flint", "--yes", "--wait")

    async def gone() -> None:
        for each in desk.world.hostings["sorrel"]:
            each.drop(parse_domain(SIGNED))

    desk.practice.run(gone())
    assert desk.run(*leave) == 4 and "--dead" in desk.said
    desk.done(*leave, "--dead")
    held = desk.world.registry.known(parse_domain(SIGNED))
    assert (
        state(desk) == "connected and valid" and held is not None and len(held.ds) == 1 and len(held.nameservers) == 2
    )


def test_keys_of_one_signer_that_the_other_lacks_are_told_and_mended(desk: Desk) -> None:
    """It loses them while both are named: bogus to who has the keys of the one and an answer of the other."""
    desk.done("move", "draft", SIGNED, "--second", "sorrel", *THERE)
    desk.done("move", "advance", SIGNED, "--yes", "--wait")
    primary = desk.world.hostings["sorrel"][0]

    async def lost() -> None:
        primary.ring(parse_domain(SIGNED)).foreign = ()
        primary.sign_anew(parse_domain(SIGNED))

    desk.practice.run(lost())
    desk.done("practice", "clock", "--on", "1m")
    assert state(desk) == "connected and broken" and "put the zone keys of the other into its key set" in desk.said
    assert desk.run("survey", SIGNED) == 1 and "keys-not-shared" in desk.said
    assert desk.run("confirm", SIGNED) == 1 and "no key here proves the answers of" in desk.said


def test_the_ds_set_comes_out_of_a_transfer_as_it_went_in(desk: Desk) -> None:
    desk.practice.visit([(parse_domain(SIGNED), A)], 200)
    desk.done("move", "draft", SIGNED, "--registrar", "flint", "--registrar-to", "slate", "--approve")
    desk.done("move", "advance", SIGNED, "--yes", "--wait")
    desk.done("practice", "clock", "--on", "4h")
    held = desk.world.registry.known(parse_domain(SIGNED))
    assert state(desk) == "connected and valid" and visited(desk) and held is not None and held.registrar == "slate"


def test_a_registrar_that_takes_no_ds_gets_the_domain_when_it_has_no_ds_any_more(desk: Desk) -> None:
    settings = desk.world.settings_file
    settings.write_text(settings.read_text().replace("[registrars.slate]\n", "[registrars.slate]\ntakes_ds = false\n"))
    wishes = ("--registrar", "flint", "--registrar-to", "slate", "--approve", "--publishing", "4m")
    assert desk.run("move", "draft", SIGNED, *wishes) == 4 and "slate takes no DS" in desk.said
    desk.practice.visit([(parse_domain(SIGNED), A)], 200)
    desk.done("move", "draft", SIGNED, *wishes, "--unsign")
    desk.done("move", "rehearse", SIGNED)
    desk.done("move", "advance", SIGNED, "--yes", "--wait")
    held = desk.world.registry.known(parse_domain(SIGNED))
    assert state(desk) == "signed, not connected" and held is not None and (held.registrar, held.ds) == ("slate", ())
    seen = desk.world.visitors.seen
    assert len(seen) > 30 and all(each.good for each in seen)


def test_the_way_taken_is_told_with_its_reason(desk: Desk) -> None:
    desk.done("move", "draft", SIGNED, "--to", "sorrel", *THERE)
    assert "both sides' zone keys in both key sets (rowan and sorrel take them)" in " ".join(desk.said.split())
    desk.done("move", "draft", SIGNED, "--to", "birch", "--unsign", "--force", *THERE)
    assert "led unsigned" in desk.said
    assert desk.run("move", "draft", SIGNED, "--to", "birch", "--passage", "shared-keys", "--force", *THERE) == 4
    assert "birch takes no zone keys of others" in desk.said
    assert (
        desk.run("move", "draft", SIGNED, "--exchange", "--way", "double-ds", "--force", *THERE) == 4
        and "--way one-key" in desk.said
    )
    assert desk.run("move", "draft", SIGNED, "--exchange", "--algorithm", "13", "--force", *THERE) == 2


def test_keys_that_go_in_the_middle_stop_a_move(desk: Desk) -> None:
    desk.done("move", "draft", SIGNED, "--to", "birch", "--unsign", *THERE)
    desk.done("move", "advance", SIGNED, "--yes", "--until", "publish")
    primary = desk.world.hostings["rowan"][0]
    zone = primary.zone(parse_domain(SIGNED))
    assert zone is not None

    async def lost() -> None:
        primary.signs = False
        primary.serve(without_signing(zone).with_serial(zone.soa.serial + 1))

    desk.practice.run(lost())
    assert desk.run("move", "advance", SIGNED, "--yes", "--wait") == 4
    assert "is no longer signed as it was at rowan" in desk.said and "take the DS set out first" in desk.said, desk.said
    assert state(desk) == "connected and broken"
    assert "; seen whole last at 2026-" in desk.said and ", seen broken first at 2026-" in desk.said, desk.said
    assert desk.run("move", "rehearse", SIGNED) == 1 and "is no longer signed as it was" in desk.said


@pytest.mark.parametrize("back", [False, True])
def test_a_registrar_that_says_yes_and_publishes_another_ds_is_found_out(
    desk: Desk, monkeypatch: pytest.MonkeyPatch, back: bool
) -> None:
    """And what it published is put right, or taken out, as soon as it takes what it is told."""
    desk.done("ds", "withdraw", SIGNED, "--registrar", "flint", "--yes", "--wait")
    as_told = DomainDesk.update

    def one_digit_wrong(domains: DomainDesk, registrar: str, domain: Name, change: DomainChange) -> Response:
        wrong = tuple(each[:-1] + bytes((each[-1] ^ 1,)) for each in change.add_ds)
        return as_told(domains, registrar, domain, replace(change, add_ds=wrong))

    monkeypatch.setattr(DomainDesk, "update", one_digit_wrong)
    assert desk.run("ds", "submit", SIGNED, "--registrar", "flint", "--yes", "--wait") == 3
    assert "said done (1000)" in desk.said and "but holds DS" in desk.said and "take it out" in desk.said
    desk.done("practice", "clock", "--on", "10m")
    assert state(desk) == "connected and broken"
    monkeypatch.undo()
    desk.done("move", "retreat" if back else "advance", SIGNED, "--yes", "--wait")
    assert state(desk) == ("signed, not connected" if back else "connected and valid")


def test_a_ds_that_somebody_takes_out_before_its_turn_is_found_gone(desk: Desk) -> None:
    desk.done("move", "draft", SIGNED, "--to", "birch", "--unsign", *THERE)
    desk.done("move", "advance", SIGNED, "--yes", "--until", "lower")
    desk.done("practice", "form", SIGNED, "--at", "flint", "--ds", "none")
    desk.done("practice", "clock", "--on", "10m")
    assert desk.run("move", "advance", SIGNED, "--yes", "--wait") == 0, desk.said  # it was to go anyway
    assert state(desk) == "unsigned"
