"""What a change of a zone would break is told before it is made: errors that the zone did not have, and name servers
that do not answer."""

import asyncio
from collections.abc import Iterable, Sequence

from legatum.core.lint import ZoneContents, lint
from legatum.core.records.address import address_text
from legatum.core.records.name import Name, is_under, name_text
from legatum.core.records.rrset import targets
from legatum.core.records.rrtype import AAAA, SOA, A
from legatum.core.running.fault import GateShut, OutsideFault
from legatum.core.zones.changing.hidden import hidden_from_wildcards
from legatum.core.zones.changing.publication import Publication
from legatum.core.zones.zone import Zone
from legatum.work.run_context import RunContext
from legatum.work.under_way import refuse_under_way

# No errors of a zone that stands: the first says that the change would do nothing, the second that some do without this
# mail server.
_ASKED = {"data-under-cut", "mail-leads-to-alias"}


async def refuse_harm(
    context: RunContext, publication: Publication, served: Zone | None = None, coming: Iterable[Name] = ()
) -> None:
    """Raises :class:`GateShut` for a change that adds an error to the zone, or names a server that does not
    answer for it; and while a move leads the domain elsewhere.

    ``served``: the same zone as it is served elsewhere: what visitors have already is no harm; ``coming``: servers that
    will answer when the change is made.
    """
    refuse_under_way(context, publication.wanted.origin, publication.keys)
    refuse_new_errors(
        context,
        [zone for zone in (None if publication.is_new else publication.current, served) if zone],
        [publication.wanted],
    )
    await _refuse_unanswering(context, publication, {*coming, *context.provider(publication.place).servers})


def refuse_new_errors(context: RunContext, before: Sequence[Zone], wanted: Iterable[Zone]) -> None:
    """``wanted``: the zone as it shall be, one state after the other. Raises :class:`GateShut` for an error that none
    of those before has, and for a name that takes itself out of a wildcard that answers for it in each of them."""
    home = tuple(context.settings.network.home)
    known = {each for zone in before for each in _errors(zone, home)}
    for state in wanted:
        for (slug, about), (title, seen) in _errors(state, home).items():
            if (slug, about) not in known:
                remedy = f"`legatum explain {slug}` says why; --anyway if it is meant all the same"
                raise GateShut(f"{title}: {seen}", remedy)
        hidden = [hidden_from_wildcards(zone, state) for zone in before]
        for name in sorted(set.intersection(*map(set, hidden)) if hidden else ()):
            remedy = "give it those too (RFC 4592 s3.3.1: a wildcard answers for no name that exists)"
            raise GateShut(hidden[0][name], f"{remedy}; --anyway if it is meant")


def _errors(zone: Zone, home: tuple[str, ...]) -> dict[tuple[str, str], tuple[str, str]]:
    """Finding and what it is about → its title and what is seen."""
    return {
        (each.kind.slug, one.about): (each.kind.title, one.seen)
        for each in lint(ZoneContents(zone, home))
        for one in each.sightings
        if each.kind.severity == "error" or each.kind.slug in _ASKED
    }


async def _refuse_unanswering(context: RunContext, publication: Publication, trusted: set[Name]) -> None:
    wanted = publication.wanted
    added = set(targets(wanted.apex_ns)) - set(targets(publication.current.apex_ns)) - trusted
    for name in sorted(added):
        addresses = [
            address_text(each) for rtype in (A, AAAA) if (found := wanted.get(name, rtype)) for each in found.rdatas
        ]
        if not addresses and not is_under(name, wanted.origin):
            try:
                addresses = list(await context.addresses_of([name]))
            except OutsideFault as fault:
                raise GateShut(
                    fault.message, "`legatum explain ns-without-address` says why; --anyway if it is meant all the same"
                ) from None
        replies = await asyncio.gather(*(context.asker.ask(address, wanted.origin, SOA) for address in addresses))
        for reply in replies:
            if not reply.authoritative or reply.find(SOA) is None:
                said = "does not answer for the zone" if reply.answered else f"does not answer: {reply.outcome}"
                raise GateShut(
                    f"the NS set would name {name_text(name)}, which {said} at {reply.server}",
                    "`legatum explain server-without-authority` says why; --anyway if it is meant all the same",
                )
