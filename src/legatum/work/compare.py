"""The same zone in two places: contents RRset by RRset, and answers server by server."""

import asyncio
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from legatum.core.answers import AnswerDifference, Said, answer_differences, questions_about
from legatum.core.difference import Difference, zone_differences
from legatum.core.name import Name
from legatum.core.zone import Zone
from legatum.net.reply import Reply
from legatum.work.contents import Contents, contents_of
from legatum.work.outside import Outside


@dataclass(frozen=True)
class ContentsComparison:
    """Two copies and what differs."""

    left: Contents
    right: Contents
    differences: tuple[Difference, ...]

    @property
    def unexpected(self) -> tuple[Difference, ...]:
        return tuple(each for each in self.differences if not each.expected)


@dataclass(frozen=True)
class AnswersComparison:
    """Servers of both sides, by address → side, how many questions each was asked, and what they answered differently."""

    domain: Name
    sides: Mapping[str, str]
    questions: int
    differences: tuple[AnswerDifference, ...]

    @property
    def unexpected(self) -> tuple[AnswerDifference, ...]:
        return tuple(each for each in self.differences if not each.expected)


async def compare_contents(outside: Outside, left: str, right: str, domain: Name | None) -> ContentsComparison:
    """Raises :class:`BadInput` or :class:`OutsideFault` when a side cannot be had."""
    if domain is None:
        # A file says itself which zone it is; let it go first so that the other side can be asked for the same.
        first, second = (right, left) if left in outside.settings.providers or left.startswith("server:") else (left, right)
        found = await contents_of(outside, first, None)
        other = await contents_of(outside, second, found.zone.origin)
        one, two = (found, other) if first == left else (other, found)
    else:
        one, two = await asyncio.gather(contents_of(outside, left, domain), contents_of(outside, right, domain))
    return ContentsComparison(one, two, zone_differences(one.zone, two.zone))


async def compare_answers(outside: Outside, zone: Zone, sides: Mapping[str, str]) -> AnswersComparison:
    """Every question that ``zone`` gives rise to, to every address of ``sides`` (address → side)."""
    questions = questions_about(zone)
    asked = [(address, name, rtype) for name, rtype in questions for address in sides]
    replies = await asyncio.gather(*(outside.asker.ask(*each) for each in asked))
    heard = ((reply.name, reply.rtype, reply.server, _said(reply)) for reply in replies)
    return AnswersComparison(zone.origin, dict(sides), len(questions), answer_differences(zone.origin, heard))


async def addresses_by_side(outside: Outside, sides: Mapping[str, Iterable[Name]]) -> dict[str, str]:
    """Address → side, for the servers of each side. Raises :class:`OutsideFault` for a server without an address."""
    found = {}
    for side, servers in sides.items():
        for addresses in (await outside.addresses(servers)).values():
            found.update(dict.fromkeys(addresses, side))
    return found


def _said(reply: Reply) -> Said:
    if not reply.answered or reply.rcode:
        return Said(reply.outcome)
    section = reply.answer or tuple(each for each in reply.authority if not reply.authoritative)
    return Said("answer" if reply.answer else reply.outcome, tuple(sorted(section)))
