"""Drafting a move: what is observed, and what is wished for, becomes a runbook."""

import secrets
from collections.abc import AsyncIterator, Callable, Sequence
from dataclasses import replace

from legatum.core.moves.kinds.first_and_last import First, Retirement
from legatum.core.moves.kinds.hosts import Hosts
from legatum.core.moves.kinds.leftovers import Leftovers
from legatum.core.moves.kinds.part import Part
from legatum.core.moves.kinds.provider import NewProvider
from legatum.core.moves.kinds.registrar_transfer import registered_of
from legatum.core.moves.kinds.second import Second
from legatum.core.moves.kinds.second_signer import SecondSigner
from legatum.core.moves.kinds.trust.exchange import Exchange
from legatum.core.moves.kinds.trust.sign_unsign import Sign, Unsign
from legatum.core.moves.kinds.verification import Verification
from legatum.core.moves.kinds.zone_data import Ttls
from legatum.core.moves.plan import AT_ONCE, NewRegistrar, Wish, draw, sooner_plan
from legatum.core.moves.plan_input import PlanInput
from legatum.core.moves.runbook import Runbook
from legatum.core.moves.wishes import TransferWish, Wishes, refuse_silence, refuse_strange_names
from legatum.core.observation.hosts import refuse_used
from legatum.core.observation.leftovers import Leftover, LeftoverKind, cleared
from legatum.core.observation.observation import Observation
from legatum.core.records.name import Name, is_under, name_text, parent_of
from legatum.core.records.rrtype import AAAA, A
from legatum.core.running.fault import AlreadySo, BadInput, GateShut
from legatum.core.zones.zone import Zone
from legatum.services.registrar import Registrar
from legatum.work.drafting.addresses import mail_at, of_template, refuse_nowhere
from legatum.work.drafting.holders import main_provider
from legatum.work.drafting.left_out import with_known_names
from legatum.work.drafting.observed import look_for_drawing
from legatum.work.drafting.refusals import refuse_errors, refuse_other_registrar, refuse_unmovable
from legatum.work.drafting.registrar_transfer import transfer_wish
from legatum.work.drafting.second import has_own_zone, open_seconding, serials_of, servers_at
from legatum.work.drafting.site import aliases
from legatum.work.drafting.unusual import unusual
from legatum.work.drafting.users import look_for_users
from legatum.work.leftovers import look_for_leftovers, tenancy
from legatum.work.look.asking.wanted import Wanted
from legatum.work.registry.host_changes import refuse_unfit, refuse_unready_host
from legatum.work.registry.hosts import held_addresses, look_at_hosts, look_for_host_users
from legatum.work.run_context import RunContext
from legatum.work.verdicts.survey import survey


async def draft_move(
    context: RunContext, wish: Wishes, told: Callable[[str], None]
) -> tuple[Runbook, dict[str, float]]:
    """Looks at everything that the move rests on. ``told`` is told what must be done before it can end. Also, where the
    two speeds differ, when each would be over.

    Raises :class:`GateShut` for a domain that cannot be moved like this, :class:`BadInput` for wishes that contradict
    each other.
    """
    wish = with_known_names(context, wish)
    if wish.transfer and not wish.leads and not wish.of_contents:
        return await _draft_transfer(context, wish, wish.transfer), {}
    observation = (await survey(context, wish.domain, wanted=Wanted(resolvers=False, rdap=False))).observation
    if observation.domain != wish.domain:
        raise BadInput(
            f"{name_text(wish.domain)} lies in the zone {name_text(observation.domain)}",
            "name that domain; --part hands a part of it on",
        )
    refuse_silence(wish, observation, servers_at(context, wish.without) if wish.dead else ())
    refuse_strange_names(wish)
    wish = replace(wish, old=main_provider(context, wish, observation))
    await refuse_unmovable(context, wish, observation)
    inputs = await look_for_drawing(context, wish, observation)
    account = context.registrar(inputs.registrar) if inputs.registrar else None
    inputs = replace(inputs, users=await look_for_users(context, wish, inputs, account))
    for text in unusual(context, wish, inputs):
        told(text)
    if account is not None:
        await refuse_other_registrar(context, wish, account, told)
    wishes = [each async for each in _wishes(context, wish, inputs, account, observation)]
    ident = _ident(wish.domain)
    if wish.speed:
        drawn = draw(replace(inputs, at_once=wish.speed == AT_ONCE), ident, wish.words, wishes), dict[str, float]()
    else:
        drawn = sooner_plan(inputs, ident, wish.words, wishes)
    if not wish.anyway:
        refuse_errors(context, inputs, drawn[0])
    return drawn


async def _draft_transfer(context: RunContext, wish: Wishes, transfer: TransferWish) -> Runbook:
    """To another registrar and nothing else: neither zones nor those who serve them are looked at."""
    held, one = await transfer_wish(context, transfer)
    inputs = PlanInput(
        domain=wish.domain,
        at=context.clock.now(),
        parent_zone=parent_of(wish.domain),
        parent_ttl=0,
        zones={},
        places=(),
        delegation=(),
        glue=(),
        glue_ttl=0,
        main="",
        follows=(),
        registrar="",
        caution=context.caution,
        registered=registered_of(held),
    )
    return draw(inputs, _ident(wish.domain), wish.words, [NewRegistrar(held, one)])


def _ident(domain: Name) -> str:
    return f"{name_text(domain)}-{secrets.token_hex(4)}"


async def _wishes(
    context: RunContext, wish: Wishes, inputs: PlanInput, account: Registrar | None, observation: Observation
) -> AsyncIterator[Wish]:
    if wish.to:
        yield NewProvider(
            wish.domain,
            inputs.main,
            wish.to,
            inputs.delegation if wish.stays_named(inputs.delegation) else (),
            wish.unsign,
            wish.passage,
        )
    for each in (*wish.replace, *of_template(context, wish, inputs.contents)):
        yield each
    if wish.hosts or wish.named:
        assert account is not None
        await _refuse_unfit(context, wish, inputs, account)
        held = {host: await held_addresses(context, account, host) for host in {*wish.hosts, *wish.named}}
        named = () if wish.stays_named(inputs.delegation) else wish.named
        yield Hosts(wish.hosts, held, named, wish.alone, account.with_addresses)
    if wish.part:
        holder = _holder(inputs, wish.part[0])
        if wish.part_back and holder != wish.part[1]:
            words = f"is handed on to {holder}" if holder else f"is served by {inputs.main}, in the zone above"
            fault = GateShut if holder else AlreadySo
            raise fault(
                f"{name_text(wish.part[0])} {words}, not to {wish.part[1]}", "there is nothing to take back from there"
            )
        yield Part(wish.part[0], inputs.main if wish.part_back else wish.part[1], wish.part_ttl, holder)
    if wish.second or wish.without:
        name = wish.second or wish.without
        dead = servers_at(context, name) if wish.dead else ()
        if has_own_zone(context, name):
            yield SecondSigner(name, bool(wish.without), dead)
        elif wish.dead:
            yield Second(name, True, wish.at_registrar, dead=dead)
        else:
            seconding = open_seconding(context, wish.domain, inputs.main, name)
            found = [each for each in await serials_of(context, seconding) if each.party == name]
            yield Second(name, bool(wish.without), wish.at_registrar, any(each.serial is not None for each in found))
    if wish.mail:
        mail = mail_at(context, wish)
        await refuse_nowhere(context, mail, inputs.contents)
        yield mail
    for alias in await aliases(context, wish, inputs.contents):
        yield alias
    if wish.verify:
        yield Verification(wish.verify, wish.verify_for)
    if wish.ttls:
        yield Ttls(wish.ttls)
    if wish.soa:
        yield wish.soa
    if wish.transfer:
        held_now, one = await transfer_wish(context, wish.transfer)
        yield NewRegistrar(held_now, one)
    if wish.first:
        yield First(inputs.main)
    if wish.sign:
        yield Sign(wish.ds)
    if wish.exchange:
        yield Exchange(wish.way, wish.ds, wish.algorithm)
    if wish.unsign and not wish.to:
        yield Unsign(context.provider(inputs.main).signing.ends)
    if wish.leftovers:
        of_templates = tenancy(context, wish.domain, wish.tenants)
        behind, _ = await look_for_leftovers(context, observation, inputs.contents, inputs.registrar, *of_templates)
        yield leftover_wish([each for each in behind if each.sure or _is_named(each, wish)], inputs)
    if wish.retire:
        own = [each for each in inputs.contents.names if is_under(each, wish.domain) and each != wish.domain]
        hosts = [(host, addresses) for host in own if account is not None and _has_address(inputs.contents, host)
                 and (addresses := await held_addresses(context, account, host))]  # fmt: skip
        yield Retirement(tuple(hosts))


async def _refuse_unfit(context: RunContext, wish: Wishes, inputs: PlanInput, account: Registrar) -> None:
    views = await look_at_hosts(context, wish.domain, account, list(wish.hosts))
    for host, addresses in wish.hosts.items():
        if addresses:
            await refuse_unfit(context, wish.domain, host, addresses, views, wish.stays_named(inputs.delegation))
        else:  # its own domain leaves it by this plan; who else uses it has to leave before
            found = await look_for_host_users(context, host, wish.users, account)
            others = {domain: by for domain, by in found.domains.items() if domain != wish.domain}
            refuse_used(host, replace(found, domains=others, linked=None))
    for host in wish.named:
        if host not in wish.hosts:
            await refuse_unready_host(context, inputs.contents, host, account)


def _is_named(found: Leftover, wish: Wishes) -> bool:
    return found.before is not None and (found.before.name, found.before.rtype) in wish.also


def leftover_wish(found: Sequence[Leftover], inputs: PlanInput) -> Leftovers:
    """Of these, what a move takes away."""
    hosts = tuple((each.host, each.addresses) for each in found if each.host is not None)
    zones = tuple(
        (each.where, inputs.apex_ns) for each in found if each.kind == LeftoverKind.ZONE and each.where in inputs.former
    )
    return Leftovers(tuple(cleared(found)), hosts, zones)


def _has_address(zone: Zone, host: Name) -> bool:
    return zone.get(host, A) is not None or zone.get(host, AAAA) is not None


def _holder(inputs: PlanInput, cut: Name) -> str:
    """Who serves a part that is handed on, empty for one that is not."""
    return next((place for place, origin in inputs.zones if origin == cut), "")
