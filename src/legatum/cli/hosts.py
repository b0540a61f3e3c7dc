"""``legatum hosts show / leaning / set / enlist / renumber / withdraw``"""

import argparse
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from legatum.cli.common import FOUND, OK, SHUT, add_anyway, add_changing, add_common, agreed, note, show, with_outside

if TYPE_CHECKING:
    from collections.abc import Awaitable, Callable, Sequence

    from legatum.core.name import Name
    from legatum.views.hosts import HostChangeDocument
    from legatum.work.host_changes import Wish
    from legatum.work.outside import Outside


def configure(parser: argparse.ArgumentParser) -> None:
    actions = parser.add_subparsers(dest="action", required=True, metavar="ACTION")
    shown = actions.add_parser("show", help="which name servers need glue, and where their addresses stand")
    leaning = actions.add_parser("leaning", help="which domains lean on a host: of the settings' list, the journal and the registry")
    setting = actions.add_parser("set", help="a host with these addresses: in the zone, at the registry, as glue")
    enlist = actions.add_parser("enlist", help="hosts into the NS sets of their domain: the zone's, then the registry's")
    renumber = actions.add_parser("renumber", help="another address, both alive until nobody can hold the old one alone")
    withdraw = actions.add_parser("withdraw", help="take a host away that nobody leans on")
    shown.add_argument("domain", metavar="DOMAIN")
    shown.add_argument("--registrar", metavar="NAME", help="also what the registry holds")
    leaning.add_argument("host", metavar="HOST", help="whole, such as ns1.kilnandclay.example")
    leaning.add_argument("--registrar", metavar="NAME", help="also what the registry knows")
    enlist.add_argument("hosts", metavar="HOST", nargs="+", help="whole, such as ns1.kilnandclay.example")
    enlist.add_argument("--alone", action="store_true", help="as the whole set: the present name servers leave it")
    enlist.add_argument("--wait", action="store_true", help="stay until nobody can hold any more that one of them does not exist")
    for action in (setting, renumber, withdraw):
        action.add_argument("host", metavar="HOST", help="whole, such as ns1.kilnandclay.example")
    for action in (setting, enlist, renumber, withdraw):
        action.add_argument("--of", metavar="DOMAIN", help="the registered domain (default: the name above the host)")
        action.add_argument("--at", required=True, metavar="PROVIDER", help="who the domain's zone is changed at")
        action.add_argument("--registrar", required=True, metavar="NAME", help="a registrar of the settings")
    setting.add_argument("--address", required=True, metavar="ADDRESS,…", help="all its addresses, IPv4 and IPv6")
    renumber.add_argument("--from", dest="old", required=True, metavar="ADDRESS")
    renumber.add_argument("--to", dest="new", required=True, metavar="ADDRESS")
    renumber.add_argument("--wait", action="store_true", help="stay until the old address may go, and take it away")
    for action in (leaning, setting, renumber, withdraw):
        action.add_argument("--leaning", metavar="FILE", help="a list of domains that may lean on it, beside those of settings and journal")
    for action in (setting, withdraw):
        action.add_argument("--wait", action="store_true", help="by hand: watch until it is seen; slips are named")
    for action in (setting, renumber, withdraw):
        action.add_argument("--sheet", metavar="FILE", help="by hand: the worksheet, .md or .html (default HOST.host.md)")
    for action in (setting, renumber, withdraw):
        add_anyway(action)
    for action in (setting, enlist, renumber, withdraw):
        add_changing(action)
    for action in (shown, leaning, setting, enlist, renumber, withdraw):
        add_common(action)


def run(args: argparse.Namespace) -> int:
    async def work(outside: "Outside") -> int:
        if args.action in ("show", "leaning"):
            return await (_show if args.action == "show" else _leaning_on)(args, outside)
        if args.action == "enlist":
            return await _enlist(args, outside)
        wish = _wish(args, outside)
        steps = {"set": _set, "renumber": _renumber, "withdraw": _withdraw}
        document = await steps[args.action](args, outside, wish)
        from legatum.views.hosts import show_host_change

        show(args, document, lambda screen: show_host_change(document, screen))
        return SHUT if document.state == "declined" else OK

    return with_outside(args, work)


async def _show(args: argparse.Namespace, outside: "Outside") -> int:
    from legatum.core.fault import OutsideFault
    from legatum.core.name import parse_domain
    from legatum.views.hosts import hosts_document, show_hosts
    from legatum.work.hosts import look_at_hosts

    domain = parse_domain(args.domain)
    registrar = outside.registrar(args.registrar) if args.registrar else None
    views = await look_at_hosts(outside, domain, registrar)
    if not views:
        raise OutsideFault(f"{args.domain} is not delegated: nobody hands out name servers for it", "is it spelt right?")
    document = hosts_document(domain, views)
    show(args, document, lambda screen: show_hosts(document, screen))
    return OK if document.agreed else FOUND


def _wish(args: argparse.Namespace, outside: "Outside") -> "Wish":
    from legatum.work.host_changes import Wish

    domain, (host,) = _hosts(args.of, [args.host])
    addresses = tuple(_address(text.strip()) for text in getattr(args, "address", "").split(",") if text.strip())
    return Wish(domain, host, addresses, outside.provider(args.at), outside.registrar(args.registrar))


async def _refuse_harm(args: argparse.Namespace, outside: "Outside", wish: "Wish", addresses: "Sequence[str]") -> None:
    from legatum.work.harm import refuse_harm
    from legatum.work.host_changes import draw_zone

    if not args.anyway:
        await refuse_harm(outside, await draw_zone(outside, wish, addresses))


def _hosts(of: str | None, texts: "list[str]") -> "tuple[Name, list[Name]]":
    """The registered domain, and the hosts. Raises :class:`BadInput` for a host that is not whole where no domain is given."""
    from legatum.core.fault import BadInput
    from legatum.core.name import parent_of, parse_domain, typed_host

    if of is not None:
        domain = parse_domain(of)
        return domain, sorted({typed_host(text, domain) for text in texts})
    bare = next((text for text in texts if "." not in text.rstrip(".")), None)
    if bare is not None:
        raise BadInput(f"'{bare}': a host of which domain?", f"write the whole name, or --of DOMAIN beside {bare}")
    hosts = sorted({parse_domain(text) for text in texts})
    return parent_of(hosts[0]), hosts


def _address(text: str) -> str:
    """In the form in which addresses are compared. Raises :class:`BadInput`."""
    import ipaddress

    from legatum.core.fault import BadInput

    try:
        return str(ipaddress.ip_address(text))
    except ValueError:
        raise BadInput(f"'{text}' is no address", "give an IPv4 or IPv6 address") from None


def _document(args: argparse.Namespace, wish: "Wish") -> "HostChangeDocument":
    from legatum.core.name import name_text
    from legatum.views.hosts import HostChangeDocument

    return HostChangeDocument(host=name_text(wish.host), action=args.action, state="shown" if args.dry_run else "declined", done=[])


async def _set(args: argparse.Namespace, outside: "Outside", wish: "Wish") -> "HostChangeDocument":
    from legatum.core.instant import instant_text
    from legatum.work.host_changes import absence_ttl, put, refuse_unfit
    from legatum.work.hosts import look_at_hosts

    document = _document(args, wish)
    views = await look_at_hosts(outside, wish.domain, wish.registrar, [wish.host])
    present = next(each for each in views if each.name == wish.host)
    await refuse_unfit(outside, wish, views)
    lines = [f"in the zone at {wish.provider.name}: {', '.join(present.zone) or 'nothing'} → {', '.join(wish.addresses)}"]
    if present.registry or not wish.registrar.with_addresses:
        lines.append(f"at {wish.registrar.name}: {', '.join(present.registry or ()) or 'no host'} → {', '.join(wish.addresses)}")
    else:
        lines.append(f"at {wish.registrar.name}: addresses go with the NS set, when it is enlisted")
    if present.zone and set(present.zone) != set(wish.addresses):
        lines += await _leaning_lines(args, outside, wish)
    await _refuse_harm(args, outside, wish, wish.addresses)
    if agreed(args, f"{document.host}, old → new:", lines):
        if await _carried_out(args, outside, wish, document, lambda: put(outside, wish, wish.addresses)):
            document.state = "done" if document.done else "unchanged"
        if not present.zone:
            ttl = await absence_ttl(wish)
            caution = outside.caution
            document.not_before = instant_text(outside.clock.now() + caution.lasts(ttl) + caution.slack(1) + caution.margin)
            document.reason = f"name it in an NS set; caches may keep for {ttl} s that it does not exist"
        if not present.named_by:
            document.following = (
                f"then into the NS sets: "
                f"`legatum hosts enlist {document.host} --at {args.at} --registrar {args.registrar}`, with the others beside it"
            )
    return document


async def _carried_out(
    args: argparse.Namespace, outside: "Outside", wish: "Wish", document: "HostChangeDocument", work: "Callable[[], Awaitable[list[str]]]"
) -> bool:
    """Whether it is done to the end. Where only a person can go on the worksheet is written, and with ``--wait`` it is watched for; then
    the same work goes on."""
    from legatum.core.instant import instant_text
    from legatum.views.sheet import host_sheet, write_sheet
    from legatum.work.host_changes import HostByHand, until_typed

    try:
        document.done += await work()
        return True
    except HostByHand as by_hand:
        typed = by_hand
    document.done += typed.done
    path = Path(args.sheet or f"{document.host}.host.md")
    text = host_sheet(wish.domain, wish.host, typed.registrar, wish.registrar.page, typed.before, typed.after)
    write_sheet(path, text)
    document.state, document.file, document.sheet = "worksheet", str(path), text
    if not args.wait:
        return False
    note(args, f"worksheet: {path}; watching until it is seen …")
    since = await until_typed(outside, wish.registrar, typed, lambda said: note(args, said))
    addresses = ", ".join(typed.after) or "taken away"
    document.done += [f"host {document.host} at {typed.registrar}: {addresses}, seen at {instant_text(since)}", *await work()]
    document.file, document.sheet = None, ""
    return True


async def _enlist(args: argparse.Namespace, outside: "Outside") -> int:
    from legatum.core.instant import instant_text
    from legatum.core.name import name_text
    from legatum.core.verdict import names_said
    from legatum.views.hosts import HostChangeDocument, show_host_change
    from legatum.work.host_changes import draw_enlistment, enlist

    domain, hosts = _hosts(args.of, args.hosts)
    plan = await draw_enlistment(outside, domain, hosts, args.alone, outside.provider(args.at), outside.registrar(args.registrar))
    state = "shown" if args.dry_run else "declined"
    document = HostChangeDocument(host=", ".join(map(name_text, hosts)), action="enlist", state=state, done=[])
    if set(plan.before) == set(plan.zone_ns) == set(plan.wanted):
        document.state = "unchanged"
    elif outside.clock.now() < plan.bound and not (args.wait and not args.dry_run):
        document.state, document.not_before, document.reason = "holding", instant_text(plan.bound), plan.reason
        document.following = "come back then with the same command, or stay with --wait"
    else:
        if outside.clock.now() < plan.bound:
            note(args, f"hold until {instant_text(plan.bound)}: {plan.reason}")
            await outside.clock.until(plan.bound)
        lines = [
            f"in the zone at {plan.provider.name}: {names_said(plan.zone_ns)} → {names_said(plan.wanted)}",
            f"at {plan.registrar.name}: {names_said(plan.before)} → {names_said(plan.wanted)}",
        ]
        if agreed(args, f"NS sets of {name_text(domain)}, old → new:", lines):
            document.done, document.state = await enlist(outside, plan), "done"
    show(args, document, lambda screen: show_host_change(document, screen))
    return SHUT if document.state == "declined" else OK


async def _renumber(args: argparse.Namespace, outside: "Outside", wish: "Wish") -> "HostChangeDocument":
    from dataclasses import replace

    from legatum.core.fault import BadInput
    from legatum.core.instant import instant_text
    from legatum.work.host_changes import drop_old, keep_both, refuse_unfit, renumbering
    from legatum.work.hosts import look_at_hosts

    old, new = _address(args.old), _address(args.new)
    document = _document(args, wish)
    views = await look_at_hosts(outside, wish.domain, wish.registrar, [wish.host])
    present = next(each for each in views if each.name == wish.host)
    if old not in present.zone:
        if new in present.zone:
            document.state = "unchanged"
            return document
        raise BadInput(f"{document.host} does not have {old}", f"it has {', '.join(present.zone) or 'no address'}")
    standing = await renumbering(outside, wish, old, new)
    if standing.both is None:
        await refuse_unfit(outside, replace(wish, addresses=(new,)), views)
        lines = [
            f"{old} → {old}, {new} in the zone at {wish.provider.name}, at {wish.registrar.name} and as glue; {old} is taken away later",
            *await _leaning_lines(args, outside, wish),
        ]
        if not agreed(args, f"{document.host}, old → new:", lines):
            return document
        if not await _carried_out(args, outside, wish, document, lambda: keep_both(outside, wish, old, new)):
            return document
        standing = await renumbering(outside, wish, old, new)
    document.state = "both"
    document.not_before, document.reason = instant_text(standing.bound), standing.reason
    document.following = "the same command takes the old address away then; both servers must go on answering until it has"
    if outside.clock.now() < standing.bound:
        if not args.wait or args.dry_run:
            return document
        note(args, f"not before {document.not_before}: {standing.reason}")
        await outside.clock.until(standing.bound)
    if agreed(args, f"{document.host}, old → new:", [f"{', '.join(present.zone)} → without {old}"]):
        document.not_before, document.reason, document.following = None, "", ""
        if await _carried_out(args, outside, wish, document, lambda: drop_old(outside, wish, old)):
            document.state = "done"
    return document


async def _withdraw(args: argparse.Namespace, outside: "Outside", wish: "Wish") -> "HostChangeDocument":
    from legatum.work.host_changes import withdraw
    from legatum.work.hosts import look_for_leaning, refuse_leaned_on

    document = _document(args, wish)
    refuse_leaned_on(wish.host, await look_for_leaning(outside, wish.host, [wish.domain, *_leaning(args)], wish.registrar))
    if agreed(args, f"{document.host}:", [f"taken away at {wish.registrar.name}, then its addresses in the zone at {wish.provider.name}"]):
        work = partial(withdraw, outside, wish.domain, wish.host, wish.provider, wish.registrar)
        if await _carried_out(args, outside, wish, document, work):
            document.state = "done" if document.done else "unchanged"
    return document


async def _leaning_on(args: argparse.Namespace, outside: "Outside") -> int:
    from legatum.core.name import parent_of
    from legatum.views.hosts import leaning_document, show_leaning
    from legatum.work.hosts import look_for_leaning

    _, (host,) = _hosts(None, [args.host])
    registrar = outside.registrar(args.registrar) if args.registrar else None
    leaning = await look_for_leaning(outside, host, [parent_of(host), *_leaning(args)], registrar)
    document = leaning_document(host, leaning)
    show(args, document, lambda screen: show_leaning(document, screen))
    return FOUND if leaning.unknown else OK


async def _leaning_lines(args: argparse.Namespace, outside: "Outside", wish: "Wish") -> list[str]:
    """Who is affected when the host changes, a line each."""
    from legatum.core.name import name_text
    from legatum.work.hosts import look_for_leaning

    leaning = await look_for_leaning(outside, wish.host, [wish.domain, *_leaning(args)], wish.registrar)
    lines = [f"{name_text(domain)} leans on it: named by {' and '.join(by)}" for domain, by in list(leaning.domains.items())[:12]]
    lines += [f"and {len(leaning.domains) - 12} more domains"] if len(leaning.domains) > 12 else []
    return lines + (["the registry says that somebody leans on it, who is not known here"] if leaning.unknown else [])


def _leaning(args: argparse.Namespace) -> "list[Name]":
    from legatum.work.listing import read_domains

    return read_domains(args.leaning) if args.leaning else []
