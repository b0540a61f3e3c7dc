"""Many zones put at a provider: each looked at, shown together, then published side by side; one that fails holds up
none of the others."""

from collections.abc import Awaitable, Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from functools import partial

from legatum.core.records.name import Name
from legatum.core.running.fault import Fault, GateShut
from legatum.core.zones.changing.publication import Publication, refuse_removal
from legatum.core.zones.changing.worksheet import Worksheet
from legatum.net.side_by_side import side_by_side
from legatum.services.provider import Provider
from legatum.work.gathering.contents import contents_of, is_served
from legatum.work.gathering.flatten import flatten
from legatum.work.run_context import RunContext
from legatum.work.zones.harm import refuse_harm
from legatum.work.zones.publish import Published, plan, prove, publish
from legatum.work.zones.worksheet import draw_worksheet

_AT_ONCE = 24


@dataclass(frozen=True)
class Put:
    """One zone of many. ``state``: ``ready``, ``by hand``, ``unchanged``, ``refused`` by a gate, ``failed``, or
    ``published``.

    ``publication`` or ``sheet``: what changes, where that is known; ``notes``: what was made of the source on the way;
    ``why`` and ``remedy``: of what went wrong.
    """

    domain: Name
    state: str
    publication: Publication | None = None
    sheet: Worksheet | None = None
    notes: tuple[str, ...] = ()
    done: Published | None = None
    why: str = ""
    remedy: str = ""


async def draw_many(
    context: RunContext,
    provider: Provider,
    domains: Iterable[Name],
    source: str,
    ns_ttl: int | None,
    remove: bool,
    anyway: bool,
) -> list[Put]:
    """What publishing each zone from ``source`` would change. ``remove``: even if much of it goes; ``anyway``: even
    with new errors."""

    async def one(domain: Name) -> Put:
        flattened = await flatten(context, (await contents_of(context, source, domain)).zone)
        publication = await plan(context, provider, flattened.zone, ns_ttl)
        if not remove:
            refuse_removal(publication, context.settings.house.most_removed)
        if publication.is_needed and not anyway:
            await refuse_harm(context, publication, flattened.zone if is_served(context, source) else None)
        done = None if publication.is_needed else await prove(context, publication, publication.wanted.keys, patience=0)
        notes = (*flattened.notes, *publication.notes)
        return Put(domain, "ready" if publication.is_needed else "unchanged", publication, notes=notes, done=done)

    return await _side_by_side([(domain, partial(one, domain)) for domain in domains])


async def draw_sheets(context: RunContext, provider: Provider, domains: Iterable[Name], source: str) -> list[Put]:
    """A worksheet for each zone, where only a person can put it there."""

    async def one(domain: Name) -> Put:
        flattened = await flatten(context, (await contents_of(context, source, domain)).zone)
        sheet = await draw_worksheet(context, provider, flattened.zone)
        return Put(domain, "by hand" if sheet.to_do else "unchanged", notes=tuple(flattened.notes), sheet=sheet)

    return await _side_by_side([(domain, partial(one, domain)) for domain in domains])


async def publish_many(context: RunContext, drawn: Sequence[Put]) -> list[Put]:
    """Publishes those that are ready; all of them as they then are, in order."""

    async def one(put: Put) -> Put:
        if put.state != "ready" or put.publication is None:
            return put
        return replace(put, state="published", done=await publish(context, put.publication))

    return await _side_by_side([(put.domain, partial(one, put)) for put in drawn])


async def _side_by_side(works: Sequence[tuple[Name, Callable[[], Awaitable[Put]]]]) -> list[Put]:
    async def kept(work: tuple[Name, Callable[[], Awaitable[Put]]]) -> Put:
        domain, do = work
        try:
            return await do()
        except Fault as fault:
            return Put(
                domain, "refused" if isinstance(fault, GateShut) else "failed", why=fault.message, remedy=fault.remedy
            )

    return await side_by_side(kept, works, _AT_ONCE)
