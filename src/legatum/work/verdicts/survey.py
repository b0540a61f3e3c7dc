"""Looking at a domain: every server of the parent zone, every address of every name server, resolvers, registration data.

What makes the picture and judges it is loaded while the first answers are on their way: the first question waits for nothing.
"""

from contextlib import suppress
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from legatum.core.fault import Fault, OutsideFault
from legatum.core.records.name import Name, labels_of, name_text
from legatum.core.records.rrset import targets
from legatum.core.records.rrtype import NS
from legatum.net.keeping.evidence import Evidence
from legatum.work.look.wanted import Wanted
from legatum.work.run_context import RunContext

if TYPE_CHECKING:
    from collections.abc import Sequence

    from legatum.core.dnssec.chain import Chain
    from legatum.core.everywhere import Everywhere
    from legatum.core.findings import Finding
    from legatum.core.memory.copies import KeptSet
    from legatum.core.observation.leftovers import Leftover
    from legatum.core.observation.observation import Observation, RegistrationView, Tracked
    from legatum.core.service.seen import Visit
    from legatum.net.asking.reply import Reply
    from legatum.net.asking.walk import Cut
    from legatum.work.look.depth import Depth
    from legatum.work.services.views import Compared
    from legatum.work.services.visit import NewPlaces

_NXDOMAIN = 3


@dataclass(frozen=True)
class Survey:
    """What was seen, what to think of it, and the replies that show it. ``asked_for``: the name given, where that lies in the domain;
    ``chain``: of trust, from the root down, and ``service``: what stands behind the names, ``views``: the names
    as they are seen from elsewhere, ``leftovers``: what nothing uses any more, where that was looked at; ``not_looked_at``: of these, in
    words; ``viewpoint``: from where it was made, if not from here, with ``doubts`` about that; ``everywhere``: who sees what from
    where."""

    picture: "Observation"
    findings: "tuple[Finding, ...]"
    evidence: Evidence
    asked_for: Name | None = None
    chain: "Chain | None" = None
    service: "Visit | None" = None
    views: "tuple[Compared, ...]" = ()
    leftovers: "tuple[Leftover, ...]" = ()
    not_looked_at: tuple[str, ...] = ()
    viewpoint: str = ""
    doubts: str = ""
    everywhere: "Everywhere | None" = None


async def survey(outside: RunContext, domain: Name, registrar: str | None = None, wanted: Wanted | None = None) -> Survey:
    """The whole truth about one domain; of a name in a domain's zone, about that domain. ``registrar``: also ask that account's registry.
    Raises :class:`OutsideFault` only where no server of the parent zone answers, so that nothing at all can be said, and where the
    account's password is wrong; what an account does not tell otherwise is said to be not looked at.
    """
    with outside.collecting() as evidence:
        picture = await _look(outside, domain, evidence, wanted or Wanted())
        lacking = await _lacks_reach(outside, picture)
    if lacking:
        with outside.collecting() as evidence:
            picture = await _look(outside, domain, evidence, wanted or Wanted())
    untold = ""
    if registrar:
        from legatum.net.registry.epp import Refused
        from legatum.wire.epp import AUTHENTICATION, ENDING_AUTHENTICATION
        from legatum.work.look.registration import registration_view

        try:
            picture = replace(picture, registration=await registration_view(outside, registrar, picture.domain))
            untold = "a form, which shows it to people only" if picture.registration is None else ""
        except OutsideFault as fault:
            if isinstance(fault, Refused) and fault.code in (AUTHENTICATION, ENDING_AUTHENTICATION):
                raise
            untold = fault.message
    if any(view.rcode or view.busy or (view.ns and targets(view.ns) not in picture.ns_sets) for view in picture.resolvers):
        picture = replace(picture, kept=_kept(outside, picture))
    if picture.ds and any(view.keys_asked and view.keys is None for view in picture.serving):
        picture = replace(picture, still_signed=await _still_signed(outside, picture))
    if tracked := await _tracked(outside, picture):
        picture = replace(picture, tracked=tracked)
    found = _judged(picture, evidence)
    if untold:
        found = replace(found, not_looked_at=(f"what {registrar} has of it ({untold})",))
    return found if picture.domain == domain else replace(found, asked_for=domain)


async def _lacks_reach(outside: RunContext, picture: "Observation") -> bool:
    from legatum.work.look.reach import lacks_reach

    return await lacks_reach(outside, picture)


async def _still_signed(outside: RunContext, picture: "Observation") -> tuple[str, ...]:
    from legatum.work.look.signing import still_signed

    with suppress(Fault):
        return await still_signed(outside, picture)
    return ()


def _kept(outside: RunContext, picture: "Observation") -> "tuple[KeptSet, ...]":
    """NS sets of before by which resolvers may go: a journal that cannot be read takes nothing from the looking."""
    from legatum.core.memory.copies import kept_sets
    from legatum.work.memory import held_copies

    with suppress(Fault):
        return tuple(kept_sets(held_copies(outside, picture.domain), picture.domain, picture.ns_sets, picture.at, outside.caution))
    return ()


async def _tracked(outside: RunContext, picture: "Observation") -> "tuple[Tracked, ...]":
    """Names that are to have another one's addresses: what both have now. Of a target that nobody tells of nothing is known."""
    from legatum.core.observation.observation import Tracked
    from legatum.core.records.address import address_text
    from legatum.work.gathering.flatten import addresses_of_target, looks_at_target
    from legatum.work.memory import tracked_in

    found = []
    with suppress(Fault):
        for each in tracked_in(outside, picture.domain):
            with suppress(Fault):
                looks = await looks_at_target(outside, each.target)
                theirs = frozenset[str]().union(*looks)
                own = [address_text(data) for some in await addresses_of_target(outside, each.name) for data in some.rdatas]
                found.append(Tracked(each.name, each.target, tuple(sorted(own)), tuple(sorted(theirs)), len(set(looks)) > 1))
    return tuple(found)


async def whole_chain(outside: RunContext, found: Survey) -> "Chain":
    """The zones above are looked at too, as the domain's own servers were. Raises :class:`OutsideFault`."""
    from legatum.core.dnssec.chain import Chain
    from legatum.core.observation.own_link import own_link
    from legatum.work.look.chain import chain_of

    above = await chain_of(outside, found.picture.parent_zone)
    return Chain([*above.links, own_link(found.picture)], above.left_out)


async def with_service(outside: RunContext, found: Survey, before: str = "", places: "NewPlaces | None" = None) -> Survey:
    """What stands behind the names beside, judged together with the rest. ``before``: a place with the zone as it was before a move;
    ``places``: new addresses to look at too.
    Raises :class:`BadInput`, and :class:`OutsideFault` where that place does not give it."""
    from legatum.core.findings.finding import by_severity
    from legatum.core.service import judge_visit
    from legatum.work.gathering.contents import contents_of
    from legatum.work.services.service import Before, look_at_service

    zone = (await contents_of(outside, before, found.picture.domain)).zone if before else None
    service = await look_at_service(outside, found.picture, places, Before(zone))
    return replace(found, service=service, findings=by_severity((*found.findings, *judge_visit(service))))


async def look_again(
    outside: RunContext, domain: Name, evidence: Evidence, wanted: Wanted, account: "RegistrationView | None", dropped: int,
    depth: "Depth | None" = None, kept: "Sequence[KeptSet]" = (), tracked: "Sequence[Tracked]" = (),
) -> Survey:  # fmt: skip
    """A survey whose ``evidence`` is there already. ``account``: what the registrar's account showed; ``dropped``: left out then;
    ``depth``: how much was asked, all without one; ``kept`` and ``tracked``: what was remembered then."""
    looked = await _look(outside, domain, evidence, wanted, depth)
    picture = replace(looked, registration=account, questions=len(evidence), dropped=dropped, kept=tuple(kept), tracked=tuple(tracked))
    return _judged(picture, evidence)


async def _look(outside: RunContext, domain: Name, evidence: Evidence, wanted: Wanted, depth: "Depth | None" = None) -> "Observation":
    walker = outside.walker()
    cut, known = await walker.delegation_of(domain)
    if known is not None and _lies_in(domain, cut.zone, known):
        domain = cut.zone
        cut, known = await walker.delegation_of(domain)
    elif known is not None and known.rcode == _NXDOMAIN and (above := await _referred_to(outside, domain, cut)) is not None:
        domain = above
        cut, known = await walker.delegation_of(domain)

    from legatum.work.look.depth import FULL
    from legatum.work.look.look import Look

    return await Look(outside, domain, evidence, walker, cut, known, depth or FULL).picture(wanted)


async def _referred_to(outside: RunContext, name: Name, cut: "Cut") -> Name | None:
    """The zone above the name to which some server of ``cut`` refers, where another one says that there is nothing: its delegation is not
    everywhere yet, or no longer."""
    if len(labels_of(name)) < len(labels_of(cut.zone)) + 2:
        return None
    from legatum.net.asking.walk import referral

    replies = await outside.asker.ask_all(outside.asker.askable(cut.addresses), name, NS)
    found = (referral(cut.zone, reply) for reply in replies if reply.answered)
    return next((each.name for each in found if each is not None and each.name != name), None)


def _lies_in(name: Name, zone: Name, reply: "Reply") -> bool:
    """The name is there, and no delegation: it is one of the zone's own. In a top-level domain it is not anybody's domain."""
    delegated = any(each.rtype == NS and each.name == name for each in (*reply.answer, *reply.authority))
    return len(labels_of(zone)) > 1 and name != zone and reply.rcode == 0 and reply.authoritative and not delegated


def _judged(picture: "Observation", evidence: Evidence) -> Survey:
    from legatum.core.findings import judge

    if not any(view.answered for view in picture.parents):
        raise unheard(picture)
    return Survey(picture, judge(picture), evidence)


def unheard(picture: "Observation") -> OutsideFault:
    """Nobody of the parent zone answers: nothing can be said."""
    asked = ", ".join(view.address for view in picture.parents) or "no address"
    return OutsideFault(
        f"{name_text(picture.domain)}: no server of {name_text(picture.parent_zone)} answers ({asked})",
        "is the network up, and are the roots in the settings right?",
    )
