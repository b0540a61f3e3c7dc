"""Counterexamples are true: what a rehearsal says goes wrong does go wrong, with real packets, in the practice world.

The contents over time that the rehearsal assumed are played to the world's servers as they stand, gates and all left
out, and visitors ask often. A safe runbook played the same way hurts nobody.
"""

import asyncio
from collections.abc import Callable
from pathlib import Path

import pytest

from legatum.core.calendar.timing import Caution
from legatum.core.moves.kinds.first_and_last import Retirement
from legatum.core.moves.kinds.part import Part
from legatum.core.moves.kinds.provider import NewProvider
from legatum.core.moves.place import PARENT, Place
from legatum.core.moves.plan import Wish, draw
from legatum.core.moves.plan_input import PlanInput
from legatum.core.moves.runbook import Runbook
from legatum.core.moves.timeline import FOREVER, Content
from legatum.core.records.name import Name, parse_name
from legatum.core.records.rrset import RRset
from legatum.core.records.rrtype import A
from legatum.core.rehearsal import Playback, rehearse
from legatum.core.rehearsal.careless import careless
from legatum.core.zones.zone import Zone
from legatum.practice import scenario
from legatum.practice.steering.opening import open_world
from legatum.practice.world import World
from tests.core.rehearsal.test_rehearsal import reordered, shortened

DOMAIN, PART = parse_name("kilnandclay.example."), parse_name("preview.kilnandclay.example.")


def place(name: str) -> Place:
    servers = {parse_name(host + "."): tuple(addresses) for host, addresses in scenario.PROVIDERS[name].servers.items()}
    return Place(name, servers)


def inputs(world: World, now: float) -> PlanInput:
    zone = world.hostings["alder"][0].zone(DOMAIN)
    assert zone is not None and zone.apex_ns is not None
    return PlanInput(
        domain=DOMAIN,
        at=now,
        parent_zone=parse_name("example."),
        parent_ttl=scenario.DELEGATION_TTL,
        zones={("alder", DOMAIN): zone},
        places=(Place(PARENT, {}), place("alder"), place("birch")),
        delegation=tuple(map(Name, zone.apex_ns.rdatas)),
        glue=(),
        glue_ttl=3600,
        main="alder",
        follows=(),
        registrar="flint",
        caution=Caution(300, 4, 30),
        unsigned="no DS",
        publishing=240,
    )


async def play(world: World, playback: Playback, until: float) -> None:
    """Makes every server say what the stage has, change after change; a change reaches all servers at its last
    moment."""
    whole = world.hostings["alder"][0].zone(DOMAIN)
    assert whole is not None
    tracks = [*playback.timeline.served.values(), *playback.timeline.rrsets.values()]
    moments = sorted(
        {before.ends for track in tracks for before in track.periods[:-1] if -FOREVER < before.ends < until}
    )

    def value(periods: tuple, now: float) -> object:  # type: ignore[type-arg]
        """The newest that every server has."""
        return next(
            each.value
            for each, before in zip(periods[::-1], (*periods[-2::-1], None), strict=True)
            if before is None or before.ends <= now
        )

    def show(now: float) -> None:
        for (where, zone), track in playback.timeline.served.items():
            authorities = world.hostings["example" if where == PARENT else where]
            for authority in authorities:
                authority._secondary.pop(zone, None)
                authority.notify = []
                content = value(track.periods, now)
                if content == Content.NOTHING:
                    authority.drop(zone)
                    continue
                base = authority.zone(zone) if where == PARENT else _base(zone, content, where)
                assert base is not None
                authority.serve(_as_said(base, where, zone, now))

    def _base(zone: Name, content: object, where: str) -> Zone:
        if zone == DOMAIN and content == Content.WHOLE:
            assert whole is not None
            return whole
        return world._blank(zone, scenario.PROVIDERS[where].servers, 1)

    def _as_said(base: Zone, where: str, zone: Name, now: float) -> Zone:
        for (at, origin, name, rtype), track in playback.timeline.rrsets.items():
            if (at, origin) == (where, zone):
                rrset = value(track.periods, now)
                base = base.with_rrsets([rrset]) if isinstance(rrset, RRset) else base.without([(name, rtype)])
        return base

    show(world.clock.now())
    for moment in moments:
        await world.clock.until(moment)
        show(moment)
    await world.clock.until(until)


def failures(folder: Path, wish: Wish, change: Callable[[Runbook], Runbook], name: str) -> tuple[bool, int, int]:
    """Whether the rehearsal calls it safe, how many questions visitors asked, how many failed."""

    async def run() -> tuple[bool, int, int]:
        async with open_world(folder) as world:
            now = world.clock.now() + 90_000  # caches have had a day to fill
            runbook = change(draw(inputs(world, now), "m1", "tried", [wish]))
            found = rehearse(runbook, {}, now)
            world.visitors.begin([(parse_name(name), A)], 210.0)
            await play(world, found.stages["as estimated"], now + 2 * 86400)
            bad = [each for each in world.visitors.seen if not each.good]
            if not found.safe:
                assert bad[0].at >= found.counterexamples[0].at - 1  # never earlier than the earliest moment it tells
            return found.safe, len(world.visitors.seen), len(bad)

    return asyncio.run(run())


PROVIDER = NewProvider(DOMAIN, "alder", "birch")


@pytest.mark.parametrize(
    ("what", "wish", "change", "name"),
    [
        (
            "a hold shortened by hand",
            PROVIDER,
            lambda book: shortened(book, "confirm", 4, 3600),
            "w.preview.kilnandclay.example.",
        ),
        (
            "the NS switched first",
            PROVIDER,
            lambda book: reordered(book, "switch", "parents"),
            "w.preview.kilnandclay.example.",
        ),
        ("a part handed on before it is there", Part(PART, "birch"), careless, "w.preview.kilnandclay.example."),
        ("a domain given up at once", Retirement(), careless, "w.preview.kilnandclay.example."),
    ],
)
def test_what_a_rehearsal_says_goes_wrong_does(
    tmp_path: Path, what: str, wish: Wish, change: Callable[[Runbook], Runbook], name: str
) -> None:
    safe, asked, failed = failures(tmp_path, wish, change, name)
    assert not safe and asked > 500 and failed > 0, what


def test_what_it_calls_safe_hurts_nobody(tmp_path: Path) -> None:
    name = "w.preview.kilnandclay.example."
    safe, asked, failed = failures(tmp_path, PROVIDER, lambda book: book, name)
    assert safe and asked > 500 and failed == 0
    assert failures(tmp_path / "part", Part(PART, "birch"), lambda book: book, name)[::2] == (True, 0)
