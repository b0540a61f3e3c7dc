"""Counterexamples are true: what a rehearsal says goes wrong does go wrong, with real packets, in the practice world.

The contents over time that the rehearsal assumed are played to the world's servers as they stand, gates and all left out, and
visitors ask often. A safe runbook played the same way hurts nobody.
"""

import asyncio
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest

from legatum.core.moves.provider import Observed, draft
from legatum.core.name import parse_name
from legatum.core.rehearsal import Stage, Which, rehearse
from legatum.core.rehearsal.stage import FOREVER, Content, NsSet
from legatum.core.rrset import rrset
from legatum.core.rrtype import NS, A
from legatum.core.runbook import Runbook
from legatum.practice import scenario
from legatum.practice.world import World
from tests.core.test_provider_move import WISH
from tests.core.test_rehearsal import reordered, shortened

DOMAIN = parse_name("kilnandclay.example.")
SERVERS = {Which.OLD: "alder", Which.NEW: "birch"}


def observed(now: float) -> Observed:
    old = tuple(parse_name(host + ".") for host in scenario.PROVIDERS["alder"].servers)
    return Observed(DOMAIN, now, parse_name("example."), scenario.DELEGATION_TTL, 86400, 86400, 1800, 1, 14400, old, (), unsigned="no DS")


async def play(world: World, stage: Stage, until: float) -> None:
    """Makes every server say what the stage has, change after change; a change reaches all servers at its last moment."""
    moments: dict[float, list[Callable[[], None]]] = {}

    def at(instant: float, change: Callable[[], None]) -> None:
        if -FOREVER < instant < until:
            moments.setdefault(instant, []).append(change)

    whole = world.hostings["alder"][0].zone(DOMAIN)
    assert whole is not None
    state: dict[Which, tuple[Content, NsSet]] = {}

    def serve(which: Which) -> None:
        content, ns = state[which]
        names = [parse_name(host + ".") for host in scenario.PROVIDERS[SERVERS[ns.which]].servers]
        for authority in world.hostings[SERVERS[which]]:
            authority._secondary.pop(DOMAIN, None)
            if content == Content.NOTHING:
                authority.drop(DOMAIN)
            else:
                base = whole if content == Content.WHOLE else world._blank(DOMAIN, scenario.PROVIDERS[SERVERS[which]].servers, 1)
                authority.notify = []
                authority.serve(base.with_rrsets([rrset(DOMAIN, NS, ns.ttl, names)]))

    def set_content(which: Which, content: Content) -> None:
        state[which] = (content, state[which][1])
        serve(which)

    def set_apex(which: Which, ns: NsSet) -> None:
        state[which] = (state[which][0], ns)
        serve(which)

    def delegate(ns: NsSet) -> None:
        names = [parse_name(host + ".") for host in scenario.PROVIDERS[SERVERS[ns.which]].servers]
        for authority in world.hostings["example"]:
            zone = authority.zone(parse_name("example."))
            assert zone is not None
            authority._secondary.pop(zone.origin, None)
            authority.notify = []
            authority.serve(zone.with_rrsets([rrset(DOMAIN, NS, ns.ttl, names)]))

    for which in Which:
        state[which] = (stage.content[which][0].value, stage.apex[which][0].value)
        serve(which)
        for before, period in zip(stage.content[which], stage.content[which][1:], strict=False):
            at(before.ends, lambda which=which, value=period.value: set_content(which, value))
        for before, apex in zip(stage.apex[which], stage.apex[which][1:], strict=False):
            at(before.ends, lambda which=which, value=apex.value: set_apex(which, value))
    for before, delegation in zip(stage.delegation, stage.delegation[1:], strict=False):
        at(before.ends, lambda value=delegation.value: delegate(value))
    for moment in sorted(moments):
        await world.clock.until(moment)
        for change in moments[moment]:
            change()
    await world.clock.until(until)


def failures(folder: Path, change: Callable[[Runbook], Runbook]) -> tuple[bool, int, int]:
    """Whether the rehearsal calls it safe, how many questions visitors asked, how many failed."""

    async def run() -> tuple[bool, int, int]:
        async with World(folder) as world:
            now = world.clock.now() + 90_000  # caches have had a day to fill
            runbook = change(draft(observed(now), WISH))
            found = rehearse(runbook, {}, now)
            world.visitors.begin([(parse_name("w.preview.kilnandclay.example."), A)], 210.0)
            stage = found.stages["as estimated"]
            await play(world, stage, now + 2 * 86400)
            bad = [each for each in world.visitors.seen if not each.good]
            if not found.safe:
                assert bad[0].at >= found.counterexamples[0].at - 1  # never earlier than the earliest moment it tells
            return found.safe, len(world.visitors.seen), len(bad)

    return asyncio.run(run())


@pytest.mark.parametrize(
    ("what", "change"),
    [
        ("a hold shortened by hand", lambda book: shortened(book, "confirm", 4, 3600)),
        ("the NS switched first", lambda book: reordered(book, "switch", "parents")),
        ("the old service ended early", lambda book: reordered(book, "publish", "apex", "switch", "end")),
    ],
)
def test_what_a_rehearsal_says_goes_wrong_does(tmp_path: Path, what: str, change: Callable[[Runbook], Runbook]) -> None:
    safe, asked, failed = failures(tmp_path, change)
    assert not safe and asked > 500 and failed > 0, what


def test_what_it_calls_safe_hurts_nobody(tmp_path: Path) -> None:
    safe, asked, failed = failures(tmp_path, lambda book: book)
    assert safe and asked > 500 and failed == 0
    assert failures(tmp_path / "quick", lambda book: replace(book, margin=0))[::2] == (True, 0)
