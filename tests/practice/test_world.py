"""The practice world is a real partner: its caches keep what their kind keeps, its servers refuse what servers
refuse."""

import asyncio
import random
from collections.abc import AsyncIterator, Awaitable, Callable
from contextlib import asynccontextmanager
from dataclasses import replace
from pathlib import Path

import pytest

from legatum.core.records.name import parse_name
from legatum.core.records.rrset import rrset, targets
from legatum.core.records.rrtype import MX, NS, SOA, A
from legatum.core.records.soa import next_serial
from legatum.core.rehearsal.caches import CacheKind
from legatum.core.running.fault import BadInput, OutsideFault
from legatum.net.asking.asker import Asker, Patience
from legatum.net.asking.route import Route
from legatum.net.asking.walk import Walker
from legatum.net.registry.epp import EppAccount, EppSession
from legatum.net.zones.update import send_update
from legatum.net.zones.zone_transfer import transfer
from legatum.practice import scenario
from legatum.practice.clock import WorldClock
from legatum.practice.steering.opening import open_world
from legatum.practice.world import World
from legatum.wire.epp import DomainChange
from legatum.wire.tsig import TsigKey
from legatum.work.run_context import open_outside

DOMAIN = parse_name("kilnandclay.example.")
ALDER, ALDER_2, BIRCH = "198.51.100.31", "203.0.113.32", "198.51.100.41"
NEW_NS = [parse_name("ns1.birch.example."), parse_name("ns2.birch.example.")]


@asynccontextmanager
async def world_and_asker(folder: Path) -> AsyncIterator[tuple[World, Asker]]:
    async with open_world(folder) as world:
        asker = Asker(Route(world.endpoints), world.clock, Patience(0.5, 2))
        try:
            yield world, asker
        finally:
            asker.close()


def in_world(folder: Path, work: Callable[[World, Asker], Awaitable[None]]) -> None:
    async def run() -> None:
        async with world_and_asker(folder) as (world, asker):
            await work(world, asker)

    asyncio.run(run())


def test_the_parents_word_and_the_childs_are_found_by_walking(tmp_path: Path) -> None:
    async def work(world: World, asker: Asker) -> None:
        walker = Walker(asker, {parse_name(name + "."): each for name, each in scenario.ROOT_SERVERS.items()})
        cut = await walker.parent_of(DOMAIN)
        assert cut.zone == parse_name("example.") and len(cut.addresses) == 4
        asked = asker.asked
        assert await walker.addresses(NEW_NS[0]) == (BIRCH, "2001:db8:b1::53")
        assert await walker.addresses(parse_name("ns9.birch.example.")) == ()
        again = asker.asked
        await walker.addresses(NEW_NS[0])
        assert asker.asked == again > asked  # what is known is not asked again
        assert (await walker.lookup(parse_name("www.kilnandclay.example."), A)).alias == DOMAIN
        assert (await walker.lookup(parse_name("nobody.example."), A)).why == "no such name"

    in_world(tmp_path, work)


def test_a_parent_that_shares_servers_with_its_own_parent_is_still_found(tmp_path: Path) -> None:
    """The servers of ``example.`` also serve ``deep.example.``, which delegates on: a referral then leaps over it."""

    async def work(world: World, asker: Asker) -> None:
        deep, domain = parse_name("deep.example."), parse_name("shop.deep.example.")
        for authority in world.hostings["example"]:
            zone = world._blank(deep, scenario.TLDS["example"].servers, 1)
            authority.serve(zone.with_rrsets([rrset(domain, NS, 60, [parse_name("ns1.alder.test.")])]))
        walker = Walker(asker, {parse_name(name + "."): each for name, each in scenario.ROOT_SERVERS.items()})
        assert (await walker.parent_of(domain)).zone == deep

    in_world(tmp_path, work)


async def move_delegation(world: World, asker: Asker) -> None:
    """Both sides at one moment, everything else as it was: alder's NS set and the registry's delegation become
    birch's."""
    world.create_zone("birch", DOMAIN)
    await world.clock.until(world.clock.now())
    key = world.keys["alder"]
    zone = await transfer(asker, ALDER, DOMAIN, key)
    wanted = zone.with_rrsets([rrset(DOMAIN, NS, 86400, NEW_NS)]).with_serial(next_serial(zone.soa.serial))
    blank = await transfer(asker, BIRCH, DOMAIN, world.keys["birch"])
    await send_update(asker, BIRCH, blank, wanted, world.keys["birch"])
    world.registry.publisher.delay = 0
    old = world.registry.known(DOMAIN)
    assert old is not None
    assert world.registry.domains.update("flint", DOMAIN, DomainChange(tuple(NEW_NS), old.nameservers)).ok
    await world.clock.until(world.clock.now())


@pytest.mark.parametrize(
    ("kind", "after_parent_ttl", "after_child_ttl"),
    [
        (CacheKind.PARENT_TRUSTING, "birch", "birch"),
        (CacheKind.CHILD_TRUSTING, "alder", "birch"),
        (CacheKind.STICKY, "alder", "alder"),
    ],
)
def test_each_kind_of_cache_leaves_when_its_kind_leaves(
    tmp_path: Path, kind: CacheKind, after_parent_ttl: str, after_child_ttl: str
) -> None:
    """The delegation changes, the old servers go on with the old NS set: who is asked after T_par, and after T_ns?"""

    async def work(world: World, asker: Asker) -> None:
        resolver = next(name for name, (each, _) in scenario.RESOLVERS.items() if each == kind)
        address = scenario.RESOLVERS[resolver][1]

        async def asked_now() -> set[str]:
            before = len(world.errands)
            name = parse_name(f"n{random.getrandbits(60)}.preview.kilnandclay.example.")
            reply = await asker.ask(address, name, A, recursion=True)
            assert reply.find(A), reply.outcome
            owners = {
                a: p for p, hosting in scenario.PROVIDERS.items() for pair in hosting.servers.values() for a in pair
            }
            asked = (each.address for each in world.errands[before:] if each.resolver == resolver and each.name == name)
            return {owners[each] for each in asked if each in owners}

        assert await asked_now() == {"alder"}
        await move_delegation(world, asker)
        start = world.clock.now()
        assert await asked_now() == {"alder"}
        await world.clock.until(start + scenario.DELEGATION_TTL + 5)
        assert await asked_now() == {after_parent_ttl}
        await world.clock.until(start + 86400 + 5)
        assert await asked_now() == {after_child_ttl}

    in_world(tmp_path, work)


def test_answers_age_in_the_cache_and_denials_too(tmp_path: Path) -> None:
    async def work(world: World, asker: Asker) -> None:
        address = scenario.RESOLVERS["harbour"][1]
        shop, none = parse_name("shop.kilnandclay.example."), parse_name("none.kilnandclay.example.")
        first = await asker.ask(address, shop, A, recursion=True)
        missing = await asker.ask(address, none, A, recursion=True)
        assert first.find(A).ttl in (599, 600) and missing.rcode == 3  # type: ignore[union-attr]
        await world.clock.until(world.clock.now() + 400)
        assert 198 <= (await asker.ask(address, shop, A, recursion=True)).find(A).ttl <= 200  # type: ignore[union-attr]
        denial = (await asker.ask(address, none, A, recursion=True)).denial
        assert denial is not None and 1398 <= denial.ttl <= 1400
        world.end_zone("alder", DOMAIN)
        assert (await asker.ask(address, shop, A, recursion=True)).find(A)
        await world.clock.until(world.clock.now() + 300)
        assert (await asker.ask(address, shop, A, recursion=True)).outcome == "server failure"

    in_world(tmp_path, work)


def test_transfers_and_updates_want_the_right_key(tmp_path: Path) -> None:
    async def work(world: World, asker: Asker) -> None:
        right = world.keys["alder"]
        zone = await transfer(asker, ALDER, DOMAIN, right)
        assert zone == await transfer(asker, ALDER_2, DOMAIN, right) and zone.record_count == 23
        wrong: list[tuple[TsigKey | None, str]] = [
            (None, "refused"),
            (replace(right, name=parse_name("other.")), "BADKEY"),
            (replace(right, secret=b"x" * 32), "BADSIG"),
        ]
        for key, words in wrong:
            for attempt in (
                transfer(asker, ALDER, DOMAIN, key),
                send_update(asker, ALDER, zone, zone.with_serial(9), key),
            ):
                with pytest.raises(OutsideFault, match=words):
                    await attempt
        asker.clock = WorldClock(world.clock.now() + 10_000)
        with pytest.raises(OutsideFault, match="BADTIME"):
            await transfer(asker, ALDER, DOMAIN, right)
        asker.clock = world.clock
        with pytest.raises(OutsideFault, match="somebody changed the zone"):
            await send_with_remedy(asker, zone.without([(DOMAIN, MX)]).with_serial(9), right)
        with pytest.raises(OutsideFault, match="not authoritative"):
            await transfer(asker, ALDER, parse_name("evensong.test."), right)

    async def send_with_remedy(asker: Asker, zone: object, key: TsigKey) -> None:
        try:
            await send_update(asker, ALDER, zone, zone, key)  # type: ignore[arg-type]
        except OutsideFault as fault:
            raise OutsideFault(fault.remedy) from fault

    in_world(tmp_path, work)


def test_secondaries_follow_by_notify_and_by_their_refresh_timer(tmp_path: Path) -> None:
    async def work(world: World, asker: Asker) -> None:
        primary, secondary = world.hostings["alder"]
        zone = primary.zone(DOMAIN)
        assert zone is not None
        primary.serve(zone.with_serial(zone.soa.serial + 1))
        await world.clock.until(world.clock.now())
        # type: ignore[union-attr]
        assert (await asker.ask(ALDER_2, DOMAIN, SOA)).find(SOA) == primary.zone(DOMAIN).soa_rrset
        primary.notify = []
        primary.serve(zone.with_serial(zone.soa.serial + 2))
        await world.clock.until(world.clock.now() + zone.soa.refresh - 100)
        assert secondary.zone(DOMAIN) != primary.zone(DOMAIN)
        await world.clock.until(world.clock.now() + 200)
        assert secondary.zone(DOMAIN) == primary.zone(DOMAIN)
        primary.drop(DOMAIN)
        await world.clock.until(world.clock.now() + zone.soa.expire + 20_000)
        assert (await asker.ask(ALDER_2, DOMAIN, SOA)).outcome == "refused"

    in_world(tmp_path, work)


def test_a_second_provider_copies_anothers_zone_and_nobody_elses(tmp_path: Path) -> None:
    async def work() -> None:
        async with world_and_asker(tmp_path) as (world, asker):
            world.follow_zone("birch", DOMAIN, "alder")
            await world.clock.until(world.clock.now())
            served = (await asker.ask(BIRCH, DOMAIN, SOA)).find(SOA)
            primary = world.hostings["alder"][0]
            zone = primary.zone(DOMAIN)
            assert zone is not None and served == zone.soa_rrset
            primary.serve(zone.with_serial(zone.soa.serial + 1))
            await world.clock.until(world.clock.now())
            assert [each.zone(DOMAIN) for each in world.hostings["birch"]] == [
                primary.zone(DOMAIN)
            ] * 2  # told by NOTIFY
            with pytest.raises(BadInput, match="of its own"):
                world.follow_zone("birch", parse_name("lanternlane.example."), "alder")

    asyncio.run(work())


def test_the_registry_publishes_after_its_delay_and_keeps_its_rules(tmp_path: Path) -> None:
    async def work(world: World, asker: Asker) -> None:
        account = EppAccount(
            scenario.REGISTRY[0], world.epp.endpoint, "flint", world.passwords["flint"], str(world.authority_file)
        )
        async with EppSession(account) as session:
            held = await session.domain_info(DOMAIN)
            assert held.registrar == "flint" and held.nameservers == (
                parse_name("ns1.alder.test."),
                parse_name("ns2.alder.test."),
            )
            with pytest.raises(OutsideFault, match="2303"):
                await session.update(DOMAIN, DomainChange((parse_name("ns1.brich.example."),)), "name servers")
            with pytest.raises(OutsideFault, match="2306"):
                await session.update(DOMAIN, DomainChange((held.nameservers[0],)), "name servers")
            with pytest.raises(OutsideFault, match="2201"):
                await session.domain_info(parse_name("evensong.test."))
            with pytest.raises(OutsideFault, match="2303"):
                await session.domain_info(parse_name("nobody.example."))
            await session.update(DOMAIN, DomainChange(tuple(NEW_NS), held.nameservers), "name servers")
            assert (await session.domain_info(DOMAIN)).nameservers == tuple(NEW_NS)

        async def published() -> list[tuple[bytes, ...]]:
            replies = await asker.ask_all(["192.0.2.11", "198.51.100.12"], DOMAIN, NS)
            return [targets(reply.authority[0]) for reply in replies]

        await world.clock.until(world.clock.now() + scenario.PUBLISHING_DELAY - 10)
        assert await published() == [held.nameservers] * 2
        await world.clock.until(world.clock.now() + 20)
        assert await published() == [tuple(NEW_NS)] * 2
        for bad, words in (
            (replace(account, password="wrong"), "2200"),
            (replace(account, authority=None), "certificate is not trusted"),
        ):
            with pytest.raises(OutsideFault, match=words):
                async with EppSession(bad):
                    pass
        with pytest.raises(OutsideFault, match="certificate is not trusted"):
            async with EppSession(replace(account, server="epp.other.example")):
                pass

    in_world(tmp_path, work)


def test_moving_the_clock_skips_nothing() -> None:
    async def work() -> None:
        clock, happened = WorldClock(1000.0), []

        def note(what: str) -> Callable[[], Awaitable[None]]:
            async def happening() -> None:
                await asyncio.sleep(0)
                happened.append((what, round(clock.now())))
                if what == "first":
                    clock.at(1500, note("made on the way"))

            return happening

        clock.at(2000, note("second"))
        clock.at(1100, note("first"))
        clock.at(9000, note("later"))
        await clock.until(3000)
        clock.close()
        assert happened == [("first", 1100), ("made on the way", 1500), ("second", 2000)] and 3000 <= clock.now() < 3005

    asyncio.run(work())


def test_no_hold_is_passed_while_a_signed_message_is_under_way(tmp_path: Path) -> None:
    """Two moves by one clock: what one has signed is not made old by the other's hold of a day."""

    async def work(world: World, _asker: Asker) -> None:
        async with open_outside(world.settings_file) as context:
            begun = context.clock.now()
            for day in range(1, 4):
                hold = context.clock.until(context.clock.now() + 86400)
                copies = [transfer(context.asker, ALDER, DOMAIN, world.keys["alder"]) for _ in range(4)]
                await asyncio.gather(*copies[:2], hold, *copies[2:])  # BADTIME, were one overtaken
                assert context.clock.now() >= begun + day * 86400

    in_world(tmp_path, work)
