"""Changes at servers that have ways of their own: conditions that are refused, serials of their own, secondaries that
are behind."""

import asyncio
from collections.abc import Awaitable, Callable
from pathlib import Path
from typing import Any

import pytest

from legatum.core.records.name import Name, parse_name, typed_name
from legatum.core.records.presentation import rdata_texts, typed_rdata
from legatum.core.records.rrset import rrset
from legatum.core.records.rrtype import TXT, A
from legatum.core.running.fault import OutsideFault
from legatum.core.zones.changing.amendment import Amendment
from legatum.practice.steering.opening import open_world
from legatum.practice.world import World
from legatum.work.run_context import RunContext, open_outside
from legatum.work.zones.amend import draw_amendment
from legatum.work.zones.publish import Published, prove, publish

DOMAIN = parse_name("kilnandclay.example.")


def in_world(folder: Path, work: Callable[[World, RunContext], Awaitable[None]]) -> None:
    async def run() -> None:
        async with open_world(folder) as world, open_outside(world.settings_file) as context:
            await work(world, context)

    asyncio.run(run())


async def amend(context: RunContext, name: str, data: str, rtype: int = A) -> Published:
    """As the command does it: changed where it has to be, and proven in any case."""
    key: tuple[Name, int] = (typed_name(name, DOMAIN), rtype)
    drawn = await draw_amendment(context, context.provider("alder"), DOMAIN, Amendment(*key, "set", (data,)))
    return await publish(context, drawn) if drawn.is_needed else await prove(context, drawn, [key])


def test_where_the_soa_is_refused_as_a_condition_the_sets_that_change_are_it(tmp_path: Path) -> None:
    async def work(world: World, context: RunContext) -> None:
        for authority in world.hostings["alder"]:
            authority.distrusts = "the SOA"
        for number in range(5):
            done = await amend(context, "press", f"198.51.100.{number + 1}")
            assert "every RRset it changes was still as read" in done.how and len(done.addresses) == 4

    in_world(tmp_path, work)


def test_a_set_that_somebody_changes_at_the_last_moment_is_not_overwritten(tmp_path: Path) -> None:
    async def work(world: World, context: RunContext) -> None:
        primary = world.hostings["alder"][0]
        primary.distrusts = "the SOA"
        drawn = await draw_amendment(
            context,
            context.provider("alder"),
            DOMAIN,
            Amendment(typed_name("shop", DOMAIN), A, "set", ("198.51.100.1",)),
        )
        held = primary.zone(DOMAIN)
        assert held is not None
        primary.serve(
            held.with_rrsets([rrset(typed_name("shop", DOMAIN), A, 60, [typed_rdata(A, "198.51.100.2", DOMAIN)])])
        )
        with pytest.raises(OutsideFault, match="nothing of this change was made") as seen:
            await publish(context, drawn)
        assert "somebody changed the zone" in seen.value.remedy
        kept = await context.provider("alder").fetch(DOMAIN)
        assert rdata_texts(kept.get(typed_name("shop", DOMAIN), A)) == ["198.51.100.2"]

    in_world(tmp_path, work)


def test_a_server_that_refuses_every_condition_is_left_as_it_is(tmp_path: Path) -> None:
    async def work(world: World, context: RunContext) -> None:
        primary = world.hostings["alder"][0]
        primary.distrusts, before = "everything", primary.zone(DOMAIN)
        with pytest.raises(
            OutsideFault, match="refuses every condition, although it serves just what was read; nothing of this change"
        ):
            await amend(context, "press", "198.51.100.1")
        assert primary.zone(DOMAIN) == before

    in_world(tmp_path, work)


def test_a_server_that_writes_its_own_serials_is_read_back_and_followed(tmp_path: Path) -> None:
    async def work(world: World, context: RunContext) -> None:
        primary = world.hostings["alder"][0]
        primary.own_serials = True
        context.settings.house.serial = "seconds"  # far ahead of what the server writes
        held = primary.zone(DOMAIN)
        assert held is not None
        done = await amend(context, "press", "198.51.100.1")
        assert done.serial == held.soa.serial + 1 and len(done.addresses) == 4

    in_world(tmp_path, work)


def test_what_failed_is_not_called_done_by_asking_again(tmp_path: Path) -> None:
    async def work(world: World, context: RunContext) -> None:
        other = world.hostings["alder"][1]
        follows, other._secondary = other._secondary, {}  # hears of nothing any more
        for _ in range(2):
            with pytest.raises(OutsideFault, match=r"203\.0\.113\.32: still serial"):
                await amend(context, "press", "198.51.100.1")
        other._secondary = follows
        await other._refresh(DOMAIN)
        assert (await amend(context, "press", "198.51.100.1")).how == ""  # nothing is sent again

    in_world(tmp_path, work)


def test_an_amendment_is_judged_by_its_own_set(tmp_path: Path) -> None:
    """Somebody changes another name in the very moment: it was done, and the zone has moved on."""

    async def work(world: World, context: RunContext) -> None:
        primary: Any = world.hostings["alder"][0]
        update = primary._update

        def followed_by_another(*words: Any) -> Any:
            answered = update(*words)
            note = rrset(typed_name("notes", DOMAIN), TXT, 60, [typed_rdata(TXT, "meanwhile", DOMAIN)])
            held = primary.zone(DOMAIN)
            primary.serve(held.with_rrsets([note]).with_serial(held.soa.serial + 1))
            return answered

        primary._update = followed_by_another
        done = await amend(context, "press", "198.51.100.1")
        assert [each.name for each in done.moved_on] == [typed_name("notes", DOMAIN)]

    in_world(tmp_path, work)
