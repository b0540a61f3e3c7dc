"""The same zone in two places: contents RRset by RRset, and answers server by server."""

import asyncio
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

from legatum.core.agreement.variety import Sort, Variety
from legatum.core.observation.answers import (
    AnswerDifference,
    AnswersComparison,
    Form,
    Heard,
    OfZone,
    Said,
    answer_differences,
    questions_about,
    without_flattened,
)
from legatum.core.records.name import Name, is_under
from legatum.core.records.rrset import targets
from legatum.core.records.rrtype import AAAA, ALIAS, CNAME, NS, A
from legatum.core.running.fault import OutsideFault
from legatum.core.running.progress import tally
from legatum.core.zones.contents import Contents
from legatum.core.zones.difference import Difference, ForVisitors, flattened_aliases, with_flattened, zone_differences
from legatum.core.zones.zone import Zone
from legatum.net.asking.reply import Reply
from legatum.wire.codes import rcode_text
from legatum.work.gathering.contents import contents_of
from legatum.work.gathering.flatten import addresses_behind
from legatum.work.look.variety import look_at_variety
from legatum.work.run_context import RunContext

_NO_SUCH_NAME = 3


@dataclass(frozen=True)
class ContentsComparison:
    """Two copies and what differs."""

    left: Contents
    right: Contents
    differences: tuple[Difference, ...]

    @property
    def worse(self) -> tuple[Difference, ...]:
        """Those that visitors would suffer."""
        return tuple(each for each in self.differences if each.weight.refuses)


async def compare_contents(context: RunContext, left: str, right: str, domain: Name | None) -> ContentsComparison:
    """Raises :class:`BadInput` or :class:`OutsideFault` when a side cannot be had."""
    if domain is None:
        # A file says itself which zone it is; let it go first so that the other side can be asked for the same.
        first, second = (right, left) if left in context.providers or left.startswith("server:") else (left, right)
        found = await contents_of(context, first, None)
        context.ask_for(found.zone)
        other = await contents_of(context, second, found.zone.origin)
        one, two = (found, other) if first == left else (other, found)
    else:
        by_asking = [
            each for each in (left, right) if each in context.providers and not context.provider(each).hands_out
        ]
        for each in (left, right):
            if by_asking and each not in by_asking:  # what one side has the other is asked for
                context.ask_for((await contents_of(context, each, domain)).zone)
        one, two = await asyncio.gather(contents_of(context, left, domain), contents_of(context, right, domain))
    one, two = one.completed(two.zone), two.completed(one.zone)
    return ContentsComparison(one, two, await _with_aliases(context, one.zone, two.zone))


async def _with_aliases(context: RunContext, left: Zone, right: Zone) -> tuple[Difference, ...]:
    """Where one side has an alias and the other just the addresses that it leads to now, visitors come to the same."""
    found = zone_differences(left, right)
    walker, same = context.walker(), set[Name]()
    for name, (target, addresses) in flattened_aliases(found).items():
        zone = left if any(left.get(name, rtype) is not None for rtype in (CNAME, ALIAS)) else right
        behind = await addresses_behind(walker, zone, target)
        if addresses == {data for each in behind for data in each.rdatas}:
            same.add(name)
    return with_flattened(found, same)


async def compare_answers(context: RunContext, zone: Zone, sides: Mapping[str, str], new: str) -> AnswersComparison:
    """Every question that ``zone`` gives rise to, to every address of ``sides`` (address → side). ``new``: the side
    that visitors are to be led to. Where one side answers for a sub-zone to which the other refers, those are asked
    whom the referral names."""
    sides = {address: sides[address] for address in context.asker.askable(sides)}
    questions = questions_about(zone)
    asked = [(address, name, rtype) for name, rtype in questions for address in sides]
    counted = tally()
    counted.begin(f"asking {len(sides)} addresses", len(asked), "questions")

    async def ask(address: str, name: Name, rtype: int) -> Reply:
        counted.done += 1
        return await context.asker.ask(address, name, rtype)

    replies = await asyncio.gather(*(ask(*each) for each in asked))
    answers: dict[tuple[Name, int], dict[str, Said]] = {}
    own = OfZone(zone)
    for reply in replies:
        answers.setdefault((reply.name, reply.rtype), {})[reply.server] = said_by(zone.origin, own, reply)
    old, fresh = (
        tuple(address for address, side in sides.items() if (side == new) == is_new) for is_new in (False, True)
    )
    heard = Heard(zone, old, fresh, answers)
    followed = await asyncio.gather(
        *(_followed(context, zone.origin, own, question, names) for question, names in heard.at_cuts())
    )
    heard = replace(heard, followed=dict(followed))
    aliased = [await _aliased(context, zone.origin, each) for each in answer_differences(heard)]
    differences = [await _varied(context, each, old, fresh) for each in without_flattened(aliased)]
    return AnswersComparison(zone.origin, dict(sides), len(questions), tuple(differences))


async def _aliased(context: RunContext, origin: Name, found: AnswerDifference) -> AnswerDifference:
    """An alias to a name elsewhere, of which only who serves that knows the addresses, beside the addresses
    themselves."""
    if not found.weight.refuses or found.rtype not in (A, AAAA) or {said.form for said in found.said} != {Form.ANSWER}:
        return found
    walker, sets = context.walker(), set[frozenset[bytes]]()
    for said in found.said:
        own = [each for each in said.rrsets if each.rtype == found.rtype]
        aliases = {each.name: targets(each)[0] for each in said.rrsets if each.rtype == CNAME}
        ends = [target for target in aliases.values() if target not in aliases and not is_under(target, origin)]
        behind = [each for target in ends if (each := (await walker.lookup(target, found.rtype)).rrset) is not None]
        sets.add(frozenset(data for each in (*own, *behind) for data in each.rdatas))
    return replace(found, weight=ForVisitors.EQUAL) if len(sets) == 1 and any(sets) else found


async def _varied(
    context: RunContext, found: AnswerDifference, old: Sequence[str], new: Sequence[str]
) -> AnswerDifference:
    """Both sides asked again and again, on behalf of several networks: sets that change by chance or place are equal
    where they are so in the same way on both."""
    if not found.weight.refuses or {said.form for said in found.said} != {Form.ANSWER}:
        return found
    one, other = await asyncio.gather(*(look_at_variety(context, side, found.name, found.rtype) for side in (old, new)))
    if Sort.STEADY in (one.sort, other.sort) and one.sort == other.sort:
        return found
    behind = Variety((*one.samples, *other.samples)).behind
    words = str(one.text) if one.sort == other.sort else f"{one.text}; at the new side {other.text}"
    if behind:
        return replace(found, varied=f"{words}; with data that nobody else gives: {', '.join(behind)}")
    return replace(found, weight=ForVisitors.EQUAL if one.equals(other) else found.weight, varied=words)


async def _followed(
    context: RunContext, origin: Name, own: OfZone, question: tuple[Name, int], names: tuple[Name, ...]
) -> tuple[tuple[Name, int], tuple[Said, ...]]:
    """What those say whom a referral names; nothing where they have no address."""
    try:
        addresses = await context.addresses_of(names)
    except OutsideFault:
        return question, ()
    replies = await context.asker.ask_all(context.asker.askable(addresses), *question)
    return question, tuple(said_by(origin, own, reply) for reply in replies)


async def addresses_by_side(context: RunContext, sides: Mapping[str, Iterable[Name]]) -> dict[str, str]:
    """Address → side, for the servers of each side. Raises :class:`OutsideFault` for a server without an address."""
    found = {}
    for side, servers in sides.items():
        for addresses in (await context.addresses(servers)).values():
            found.update(dict.fromkeys(addresses, side))
    return found


def said_by(origin: Name, own: OfZone, reply: Reply, resolver: bool = False) -> Said:
    """What of a reply counts. ``resolver``: it speaks for others, and needs no authority."""
    if not reply.answered:
        return Said(Form.SILENT, reply.outcome)
    rcode = reply.rcode or 0
    if reply.answer:
        form = Form.ANSWER if reply.authoritative or resolver else Form.UNAUTHORITATIVE
        kept = own(reply.answer)
        # The code is about the last name of a chain of aliases (RFC 6604 s3): beyond the zone that is nobody's business
        # here.
        ends = [name for each in kept if each.rtype == CNAME for name in targets(each)]
        inside = all(is_under(name, origin) for name in ends)
        return Said(form, f"{form}, then {rcode_text(rcode)}" if rcode and inside else str(form), kept)
    if rcode == _NO_SUCH_NAME:
        return Said(Form.NO_NAME, str(Form.NO_NAME))
    if rcode:
        return Said(Form.ERROR, reply.outcome)
    if reply.outcome == Form.REFERRAL:
        return Said(
            Form.REFERRAL, str(Form.REFERRAL), tuple(sorted(each for each in reply.authority if each.rtype == NS))
        )
    return Said(Form.NO_DATA, str(Form.NO_DATA))
