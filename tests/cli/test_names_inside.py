"""A domain served under names of its own moves to another provider: the names stay and get other addresses, or they
go."""

from collections.abc import Iterator
from pathlib import Path

import pytest

from legatum.core.records.name import parse_domain
from legatum.core.records.rrtype import A
from legatum.demo.world_thread import WorldThread
from tests.cli.desk import DOMAIN, Desk

HOSTS = [f"ns1.{DOMAIN}", f"ns2.{DOMAIN}"]
ALDER, BIRCH = ("198.51.100.31", "203.0.113.32"), ("198.51.100.41", "203.0.113.42")
LEADING = ("--registrar", "flint", "--publishing", "4m")


def at(addresses: tuple[str, str]) -> list[str]:
    return [word for host, address in zip(HOSTS, addresses, strict=True) for word in ("--hosts", f"{host}={address}")]


def serving(desk: Desk) -> set[str]:
    return {name for name in ("alder", "birch") if desk.world.hostings[name][0].zone(parse_domain(DOMAIN)) is not None}


@pytest.fixture
def desk(tmp_path: Path) -> Iterator[Desk]:
    with WorldThread(tmp_path / "world") as practice:
        started = Desk(practice)
        started.receive()
        for host, address in zip(HOSTS, ALDER, strict=True):
            started.done("hosts", "set", host, "--address", address, "--at", "alder", "--registrar", "flint", "--yes")
        started.done("hosts", "enlist", *HOSTS, "--alone", "--at", "alder", "--registrar", "flint", "--yes", "--wait")
        yield started


def move(desk: Desk, old: str, new: str, *wishes: str) -> None:
    desk.done("move", "draft", DOMAIN, "--from", old, "--to", new, *wishes, *LEADING)
    desk.done("move", "rehearse", DOMAIN)
    desk.done("move", "advance", DOMAIN, "--yes", "--wait")
    assert serving(desk) == {new}


def test_the_names_stay_and_their_addresses_become_the_new_sides(desk: Desk) -> None:
    draft = ("move", "draft", DOMAIN, "--from", "alder", "--to", "birch", *LEADING)
    assert (
        desk.run(*draft, *at(("198.51.100.41", "203.0.113.77"))) == 2
        and "203.0.113.77 is no address of birch's servers" in desk.said
    )
    assert desk.run(*draft, "--hosts", f"{HOSTS[0]}={BIRCH[0]}") == 2 and "or not to all" in desk.said
    move(desk, "alder", "birch", *at(BIRCH))
    move(desk, "birch", "alder", *at(ALDER))
    desk.done(*draft, *at(BIRCH))
    desk.done("move", "advance", DOMAIN, "--yes", "--wait", "--until", "host-ns2")
    desk.done("move", "retreat", DOMAIN, "--yes", "--wait")
    assert serving(desk) == {"alder"} and desk.failures == []
    desk.done("hosts", "show", DOMAIN, "--registrar", "flint")


def test_the_names_go_with_the_old_side_and_come_back_by_a_retreat(desk: Desk) -> None:
    given_up = [word for host in HOSTS for word in ("--hosts", f"{host}=")]
    move(desk, "alder", "birch", *given_up)
    zone = desk.world.hostings["birch"][0].zone(parse_domain(DOMAIN))
    assert zone is not None and all(zone.get(parse_domain(host), A) is None for host in HOSTS)
    assert parse_domain(HOSTS[0]) not in desk.world.registry.book.hosts
    desk.done("move", "retreat", DOMAIN, "--yes", "--wait")
    assert serving(desk) == {"alder"} and desk.failures == []
    desk.done("hosts", "show", DOMAIN, "--registrar", "flint")
