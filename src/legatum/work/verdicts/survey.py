"""Looking at a domain: every server of the parent zone, every address of every name server, resolvers, registration
data.

What makes the observation and judges it is loaded while the first answers are on their way: the first question waits
for nothing.
"""

from contextlib import suppress
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from legatum.core.records.name import Name, labels_of, name_text
from legatum.core.records.rrset import targets
from legatum.core.records.rrtype import NS
from legatum.core.running.fault import Fault, OutsideFault
from legatum.net.keeping.evidence import Evidence
from legatum.work.look.asking.wanted import Wanted
from legatum.work.run_context import RunContext

if TYPE_CHECKING:
    from collections.abc import Sequence

    from legatum.core.dnssec.chain import Chain
    from legatum.core.findings import Finding
    from legatum.core.house.everywhere import Everywhere
    from legatum.core.memory.copies import KeptSet
    from legatum.core.observation.leftovers import Leftover
    from legatum.core.observation.observation import Observation, RegistrationView, Tracked
    from legatum.core.service.seen import Visit
    from legatum.net.asking.reply import Reply
    from legatum.net.asking.walk import Cut
    from legatum.work.look.asking.depth import Depth
    from legatum.work.services.views import Compared
    from legatum.work.services.visit import NewPlaces

_NXDOMAIN = 3


@dataclass(frozen=True)
class Survey:
    """What was seen, what to think of it, and the replies that show it. ``asked_for``: the name given, where that lies
    in the domain; ``chain``: of trust, from the root down, and ``service``: what stands behind the names, ``views``:
    the names as they are seen from elsewhere, ``leftovers``: what nothing uses any more, where that was looked at;
    ``not_looked_at``: of these, in words; ``viewpoint``: from where it was made, if not from here, with ``doubts``
    about that; ``everywhere``: who sees what from where."""

    observation: "Observation"
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


async def survey(
    context: RunContext, domain: Name, registrar: str | None = None, wanted: Wanted | None = None
) -> Survey:
    """The whole truth about one domain; of a name in a domain's zone, about that domain. ``registrar``: also ask that
    account's registry. Raises :class:`OutsideFault` only where no server of the parent zone answers, so that nothing at
    all can be said, and where the account's password is wrong; what an account does not tell otherwise is said to be
    not looked at.
    """
    with context.collecting() as evidence:
        observation = await _look(context, domain, evidence, wanted or Wanted())
        lacking = await _lacks_reach(context, observation)
    if lacking:
        with context.collecting() as evidence:
            observation = await _look(context, domain, evidence, wanted or Wanted())
    untold = ""
    if registrar:
        from legatum.net.registry.epp import Refused
        from legatum.wire.epp import AUTHENTICATION, ENDING_AUTHENTICATION
        from legatum.work.look.registration import registration_view

        try:
            observation = replace(
                observation, registration=await registration_view(context, registrar, observation.domain)
            )
            untold = "a form, which shows it to people only" if observation.registration is None else ""
        except OutsideFault as fault:
            if isinstance(fault, Refused) and fault.code in (AUTHENTICATION, ENDING_AUTHENTICATION):
                raise
            untold = fault.message
    if any(
        view.rcode or view.busy or (view.ns and targets(view.ns) not in observation.ns_sets)
        for view in observation.resolvers
    ):
        observation = replace(observation, kept=_kept(context, observation))
    if observation.ds and any(view.keys_asked and view.keys is None for view in observation.serving):
        observation = replace(observation, still_signed=await _still_signed(context, observation))
    if tracked := await _tracked(context, observation):
        observation = replace(observation, tracked=tracked)
    found = _judged(observation, evidence)
    if untold:
        found = replace(found, not_looked_at=(f"what {registrar} has of it ({untold})",))
    return found if observation.domain == domain else replace(found, asked_for=domain)


async def _lacks_reach(context: RunContext, observation: "Observation") -> bool:
    from legatum.work.look.reach import lacks_reach

    return await lacks_reach(context, observation)


async def _still_signed(context: RunContext, observation: "Observation") -> tuple[str, ...]:
    from legatum.work.look.signing import still_signed

    with suppress(Fault):
        return await still_signed(context, observation)
    return ()


def _kept(context: RunContext, observation: "Observation") -> "tuple[KeptSet, ...]":
    """NS sets of before by which resolvers may go: a journal that cannot be read takes nothing from the looking."""
    from legatum.core.memory.copies import kept_sets
    from legatum.work.memory import held_copies

    with suppress(Fault):
        return tuple(
            kept_sets(
                held_copies(context, observation.domain),
                observation.domain,
                observation.ns_sets,
                observation.at,
                context.caution,
            )
        )
    return ()


async def _tracked(context: RunContext, observation: "Observation") -> "tuple[Tracked, ...]":
    """Names that are to have another one's addresses: what both have now. Of a target whose addresses are not known
    nothing is said."""
    from legatum.core.observation.observation import Tracked
    from legatum.core.records.address import address_text
    from legatum.work.gathering.flatten import addresses_of_target, looks_at_target
    from legatum.work.memory import tracked_in

    found = []
    with suppress(Fault):
        for each in tracked_in(context, observation.domain):
            with suppress(Fault):
                looks = await looks_at_target(context, each.target)
                theirs = frozenset[str]().union(*looks)
                own = [
                    address_text(data) for some in await addresses_of_target(context, each.name) for data in some.rdatas
                ]
                found.append(
                    Tracked(each.name, each.target, tuple(sorted(own)), tuple(sorted(theirs)), len(set(looks)) > 1)
                )
    return tuple(found)


async def whole_chain(context: RunContext, found: Survey) -> "Chain":
    """The zones above are looked at too, as the domain's own servers were. Raises :class:`OutsideFault`."""
    from legatum.core.dnssec.chain import Chain
    from legatum.core.observation.own_link import own_link
    from legatum.work.look.chain import chain_of

    above = await chain_of(context, found.observation.parent_zone)
    return Chain([*above.links, own_link(found.observation)], above.left_out)


async def with_service(
    context: RunContext, found: Survey, before: str = "", places: "NewPlaces | None" = None
) -> Survey:
    """What stands behind the names beside, judged together with the rest. ``before``: a place with the zone as it was
    before a move; ``places``: new addresses to look at too. Raises :class:`BadInput`, and :class:`OutsideFault` where
    that place does not give it."""
    from legatum.core.findings.finding import by_severity
    from legatum.core.service import judge_visit
    from legatum.work.gathering.contents import contents_of
    from legatum.work.services.service import Before, look_at_service

    zone = (await contents_of(context, before, found.observation.domain)).zone if before else None
    service = await look_at_service(context, found.observation, places, Before(zone))
    return replace(found, service=service, findings=by_severity((*found.findings, *judge_visit(service))))


async def look_again(
    context: RunContext,
    domain: Name,
    evidence: Evidence,
    wanted: Wanted,
    account: "RegistrationView | None",
    dropped: int,
    depth: "Depth | None" = None,
    kept: "Sequence[KeptSet]" = (),
    tracked: "Sequence[Tracked]" = (),
) -> Survey:
    """A survey whose ``evidence`` is there already. ``account``: what the registrar's account showed; ``dropped``: left
    out then; ``depth``: how much was asked, all without one; ``kept`` and ``tracked``: what was remembered then."""
    looked = await _look(context, domain, evidence, wanted, depth)
    observation = replace(
        looked, registration=account, questions=len(evidence), dropped=dropped, kept=tuple(kept), tracked=tuple(tracked)
    )
    return _judged(observation, evidence)


async def _look(
    context: RunContext, domain: Name, evidence: Evidence, wanted: Wanted, depth: "Depth | None" = None
) -> "Observation":
    walker = context.walker()
    cut, known = await walker.delegation_of(domain)
    if known is not None and _lies_in(domain, cut.zone, known):
        domain = cut.zone
        cut, known = await walker.delegation_of(domain)
    elif (
        known is not None
        and known.rcode == _NXDOMAIN
        and (above := await _referred_to(context, domain, cut)) is not None
    ):
        domain = above
        cut, known = await walker.delegation_of(domain)

    from legatum.work.look.asking.depth import FULL
    from legatum.work.look.look import Look

    return await Look(context, domain, evidence, walker, cut, known, depth or FULL).observation(wanted)


async def _referred_to(context: RunContext, name: Name, cut: "Cut") -> Name | None:
    """The zone above the name to which some server of ``cut`` refers, where another one says that there is nothing: its
    delegation is not everywhere yet, or no longer."""
    if len(labels_of(name)) < len(labels_of(cut.zone)) + 2:
        return None
    from legatum.net.asking.walk import referral

    replies = await context.asker.ask_all(context.asker.askable(cut.addresses), name, NS)
    found = (referral(cut.zone, reply) for reply in replies if reply.answered)
    return next((each.name for each in found if each is not None and each.name != name), None)


def _lies_in(name: Name, zone: Name, reply: "Reply") -> bool:
    """The name is there, and no delegation: it is one of the zone's own. In a top-level domain it is not anybody's
    domain."""
    delegated = any(each.rtype == NS and each.name == name for each in (*reply.answer, *reply.authority))
    return len(labels_of(zone)) > 1 and name != zone and reply.rcode == 0 and reply.authoritative and not delegated


def _judged(observation: "Observation", evidence: Evidence) -> Survey:
    from legatum.core.findings import judge

    if not any(view.answered for view in observation.parents):
        raise unheard(observation)
    return Survey(observation, judge(observation), evidence)


def unheard(observation: "Observation") -> OutsideFault:
    """Nobody of the parent zone answers: nothing can be said."""
    asked = ", ".join(view.address for view in observation.parents) or "no address"
    return OutsideFault(
        f"{name_text(observation.domain)}: no server of {name_text(observation.parent_zone)} answers ({asked})",
        "is the network up, and are the roots in the settings right?",
    )
