"""What drawing came to for domains of a fleet move that have no move: as wished already, or why none could be drawn.

It is kept in the journal, so that whoever looks next, from wherever, knows of it too.
"""

from collections.abc import Mapping
from dataclasses import dataclass

from legatum.core.memory.history import OUTCOME, Entry
from legatum.core.moves.standing import Standing, State
from legatum.core.records.name import Name, parse_domain
from legatum.core.running.fault import Fault
from legatum.journal.journal import Journal
from legatum.work.fleet.campaign import Campaign, campaigns
from legatum.work.run_context import RunContext

STEP = "draft"


@dataclass(frozen=True, slots=True)
class Undrawn:
    """``so``: it was as wished already; else ``why`` no move could be drawn, with a ``remedy``; ``at`` in seconds since
    1970."""

    so: bool
    why: str
    remedy: str
    at: float


def note_undrawn(journal: Journal, campaign: Campaign, domain: Name, fault: Fault, so: bool, at: float) -> None:
    """Said again it is one entry."""
    if so:
        journal.found_so(campaign.ident, domain, STEP, at, fault.message)
    else:
        journal.refuse(campaign.ident, domain, STEP, at, fault.message, fault.remedy)


def undrawn_of(journal: Journal, campaign: Campaign) -> dict[Name, Undrawn]:
    """The last that was found of each domain of which something was."""
    return {parse_domain(each.domain): _undrawn(each) for each in journal.of_move(campaign.ident)}


def _undrawn(entry: Entry) -> Undrawn:
    return Undrawn(entry.kind == OUTCOME, entry.text, str(entry.facts.get("remedy", "")), entry.at)


def look_at_campaigns(context: RunContext, standings: Mapping[Name, Standing]) -> tuple[dict[Name, Undrawn], list[str]]:
    """Of all fleet moves of the house: domains for which no move could be drawn, and that have had none since; and
    which are paused before their end, by the names of their lists."""
    undrawn, paused = dict[Name, Undrawn](), list[str]()
    for campaign in campaigns(context):
        found = undrawn_of(context.journal, campaign)
        for domain, each in found.items():
            standing = standings.get(domain)
            if not each.so and domain not in campaign.left_out and (standing is None or standing.at < each.at):
                undrawn[domain] = each
        over = {domain for domain, each in found.items() if each.so} | campaign.left_out
        over |= {domain for domain, standing in standings.items() if standing.state == State.OVER and not standing.back}
        if campaign.paused and not over.issuperset(campaign.domains):
            paused.append(campaign.stem)
    return undrawn, paused
