"""The moves of a fleet move: what is wished for each domain, by whom it is served, and its move, drafted before or
now."""

import argparse
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from legatum.cli.fleet.table import ADDRESS, with_wish
from legatum.cli.moves.moving import drafted
from legatum.cli.moves.wishes import canonical_address, wished

if TYPE_CHECKING:
    from legatum.core.house.waves import Member
    from legatum.core.moves.runbook import Runbook
    from legatum.core.moves.wishes import Wishes
    from legatum.core.records.name import Name
    from legatum.work.fleet.campaign import Campaign
    from legatum.work.run_context import RunContext


def refuse_nothing(args: argparse.Namespace, context: "RunContext", domain: "Name") -> None:
    """Raises :class:`BadInput` where it is not said what shall be different, or by a value that is none."""
    from legatum.core.records.name import name_text
    from legatum.core.running.fault import BadInput

    wish = wished(args, context, domain)
    for name in filter(None, (wish.to, wish.old)):
        context.provider(name)
    if wish.registrar:
        context.registrar(wish.registrar)
    if not wish.said and not getattr(args, ADDRESS, ""):
        raise BadInput(
            f"{name_text(domain)}: what shall be different?",
            "say it for all of them, such as --to PROVIDER, or in a column",
        )
    if getattr(args, ADDRESS, ""):
        canonical_address(args.address)


async def members_of(context: "RunContext", domains: "tuple[Name, ...]") -> "list[Member]":
    """Who leads to each domain; of one that cannot be looked at that is not known."""
    from collections.abc import AsyncIterator

    from legatum.core.house.waves import Member
    from legatum.core.records.name import Name
    from legatum.work.fleet.looks import Fleet

    async def listed() -> AsyncIterator[Name]:
        for domain in domains:
            yield domain

    found: dict[Name, Member] = {domain: Member(domain) for domain in domains}
    async for result in Fleet(context, judging=False).results(listed()):
        if result.observation is not None:
            found[result.domain] = Member(result.domain, frozenset(result.observation.delegation))
    return list(found.values())


def own_line(args: argparse.Namespace, campaign: "Campaign", domain: "Name") -> argparse.Namespace:
    own = with_wish(args, dict(campaign.wish), dict(campaign.rows.get(domain, {})))
    own.quiet = not args.verbose
    return own


async def _wish(own: argparse.Namespace, context: "RunContext", domain: "Name") -> "Wishes":
    """Raises :class:`BadInput`."""
    from legatum.core.moves.kinds.address import NewAddress
    from legatum.core.records.name import name_text
    from legatum.core.running.fault import AlreadySo, BadInput

    wish = wished(own, context, domain)
    if not getattr(own, ADDRESS, ""):
        return wish
    new = canonical_address(own.address)
    old = [each for each in await context.walker().addresses(domain) if (":" in each) == (":" in new)]
    if len(old) != 1:
        raise BadInput(
            f"{name_text(domain)} has {len(old)} addresses of this family: which one does {new} replace?",
            "say it in a column `replace`: OLD=NEW",
        )
    if old == [new]:
        if not wish.said:
            raise AlreadySo(f"{name_text(domain)} has the address {new} already", "leave it out")
        return wish
    return replace(wish, replace=(*wish.replace, NewAddress(old[0], new)))


def is_own(args: argparse.Namespace, campaign: "Campaign", context: "RunContext", domain: "Name", words: str) -> bool:
    """Whether a move with this wish, in words, is what this fleet move wishes for the domain, drawn for it or before
    it. Which address was replaced by a new one is not known any more once it was."""
    own = own_line(args, campaign, domain)
    address = getattr(own, ADDRESS, "")
    said = [
        each
        for each in words.split(", ")
        if not (address and each.endswith(f"replaced by {canonical_address(address)}"))
    ]
    return wished(own, context, domain).is_said_by(", ".join(said))


async def draft(
    args: argparse.Namespace, campaign: "Campaign", context: "RunContext", domain: "Name", keep: bool = True
) -> "tuple[Runbook, Path]":
    """The move of this fleet move that is under way, or one that is drafted now. Raises as drafting does, and
    :class:`GateShut` for another one that is under way."""
    from legatum.core.records.name import name_text
    from legatum.core.running.fault import AlreadySo, BadInput, GateShut
    from legatum.work.movefile import is_over, is_untouched, move_path, read_move

    path = move_path(context, domain)
    own = own_line(args, campaign, domain)
    if (
        path.exists()
        and not is_over(path, context.journal)
        and not is_untouched(there := read_move(path), context.journal)
    ):
        if not is_own(args, campaign, context, domain, there.wish):
            raise GateShut(
                f"another move is under way: {there.wish}",
                f"let it come to its end (`legatum move status {name_text(domain)}`), or take it back; then --resume",
            )
        return there, path
    wish = await _wish(own, context, domain)
    try:
        return await drafted(own, context, wish, keep=keep, over_drafts=True)
    except AlreadySo as fault:
        if len(wish.said) == 1:
            raise
        raise BadInput(fault.message, fault.remedy) from None  # the rest of the wish is not so yet
