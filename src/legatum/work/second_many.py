"""A second provider for many zones: told of all of them together, then each brought into step and named by itself."""

import asyncio
from collections.abc import Sequence
from dataclasses import dataclass

from legatum.core.fault import Fault
from legatum.core.name import Name
from legatum.work.harm import refuse_harm
from legatum.work.outside import Outside
from legatum.work.publish import Publication
from legatum.work.second import Seconding, join, name_in_zone, serves, tell

_SIDE_BY_SIDE = 24


@dataclass(frozen=True)
class Joined:
    """One domain of many. ``state``: ``ready``, ``unchanged``, ``joined`` or ``failed``; ``done``: what was done, or why it could not."""

    domain: Name
    state: str
    done: tuple[str, ...] = ()
    remedy: str = ""


async def draw_many(outside: Outside, secondings: Sequence[Seconding], anyway: bool) -> dict[Name, Publication | Joined]:
    """What naming it means for each zone; where nothing is left to do, or the zone cannot be read, how that is. ``anyway``: even with new
    errors in the zone."""
    room = asyncio.Semaphore(_SIDE_BY_SIDE)

    async def one(seconding: Seconding) -> Publication | Joined:
        async with room:
            try:
                publication = await name_in_zone(outside, seconding)
                if not anyway:
                    await refuse_harm(outside, publication, coming=seconding.servers)
                if publication.is_needed or not await serves(outside, seconding) or await _registrar_lacks(seconding):
                    return publication
                return Joined(seconding.domain, "unchanged")
            except Fault as fault:
                return Joined(seconding.domain, "failed", (fault.message,), fault.remedy)

    return dict(zip((each.domain for each in secondings), await asyncio.gather(*map(one, secondings)), strict=True))


async def _registrar_lacks(seconding: Seconding) -> bool:
    if seconding.registrar is None:
        return False
    return not set(seconding.servers) <= set((await seconding.registrar.registration(seconding.domain)).nameservers)


async def join_many(outside: Outside, drawn: Sequence[tuple[Seconding, Publication]]) -> list[Joined]:
    """All told together, then each brought into step and named; one that fails holds up none of the others."""
    by_catalog = [seconding for seconding, _ in drawn if seconding.section.catalog]
    said = await tell(outside, by_catalog) if by_catalog else {}
    room = asyncio.Semaphore(_SIDE_BY_SIDE)

    async def one(seconding: Seconding, publication: Publication) -> Joined:
        async with room:
            try:
                told = said or await tell(outside, [seconding])
                return Joined(seconding.domain, "joined", (told[seconding.domain], *await join(outside, seconding, publication)))
            except Fault as fault:
                return Joined(seconding.domain, "failed", (fault.message,), fault.remedy)

    return list(await asyncio.gather(*(one(*each) for each in drawn)))
