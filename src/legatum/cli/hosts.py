"""``legatum hosts show / set / renumber / withdraw``"""

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from legatum.cli.common import FOUND, OK, SHUT, add_changing, add_common, agreed, note, show, with_outside

if TYPE_CHECKING:
    from legatum.core.name import Name
    from legatum.views.hosts import HostChangeDocument
    from legatum.work.hosts import Wish
    from legatum.work.outside import Outside


def configure(parser: argparse.ArgumentParser) -> None:
    actions = parser.add_subparsers(dest="action", required=True, metavar="ACTION")
    shown = actions.add_parser("show", help="which name servers need glue, and where their addresses stand")
    setting = actions.add_parser("set", help="a host with these addresses: in the zone, at the registry, as glue")
    renumber = actions.add_parser("renumber", help="another address, both alive until nobody can hold the old one alone")
    withdraw = actions.add_parser("withdraw", help="take a host away that nobody leans on")
    shown.add_argument("domain", metavar="DOMAIN")
    shown.add_argument("--registrar", metavar="NAME", help="also what the registry holds")
    for action in (setting, renumber, withdraw):
        action.add_argument("host", metavar="HOST", help="whole, such as ns1.kilnandclay.example")
        action.add_argument("--of", metavar="DOMAIN", help="the registered domain (default: the name above the host)")
        action.add_argument("--at", required=True, metavar="PROVIDER", help="who the domain's zone is changed at")
        action.add_argument("--registrar", required=True, metavar="NAME", help="a registrar of the settings")
    setting.add_argument("--address", required=True, metavar="ADDRESS,…", help="all its addresses, IPv4 and IPv6")
    renumber.add_argument("--from", dest="old", required=True, metavar="ADDRESS")
    renumber.add_argument("--to", dest="new", required=True, metavar="ADDRESS")
    renumber.add_argument("--wait", action="store_true", help="stay until the old address may go, and take it away")
    withdraw.add_argument("--leaning", metavar="FILE", help="a list of domains that must not lean on it either")
    for action in (setting, renumber, withdraw):
        add_changing(action)
    for action in (shown, setting, renumber, withdraw):
        add_common(action)


def run(args: argparse.Namespace) -> int:
    async def work(outside: "Outside") -> int:
        if args.action == "show":
            return await _show(args, outside)
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
    from legatum.core.name import parent_of, parse_domain
    from legatum.work.hosts import Wish

    host = parse_domain(args.host)
    domain = parse_domain(args.of) if args.of else parent_of(host)
    addresses = tuple(_address(text.strip()) for text in getattr(args, "address", "").split(",") if text.strip())
    return Wish(domain, host, addresses, outside.provider(args.at), outside.registrar(args.registrar))


def _address(text: str) -> str:
    """In the form in which addresses are compared. Raises :class:`BadInput`."""
    import ipaddress

    from legatum.core.fault import BadInput

    try:
        return str(ipaddress.ip_address(text))
    except ValueError:
        raise BadInput(f"{text!r} is no address", "give an IPv4 or IPv6 address") from None


def _document(args: argparse.Namespace, wish: "Wish") -> "HostChangeDocument":
    from legatum.core.name import name_text
    from legatum.views.hosts import HostChangeDocument

    return HostChangeDocument(host=name_text(wish.host), action=args.action, state="shown" if args.dry_run else "declined", done=[])


async def _set(args: argparse.Namespace, outside: "Outside", wish: "Wish") -> "HostChangeDocument":
    from legatum.core.instant import instant_text
    from legatum.work.hosts import absence_ttl, look_at_hosts, put, refuse_unfit

    document = _document(args, wish)
    views = await look_at_hosts(outside, wish.domain, wish.registrar, [wish.host])
    present = next(each for each in views if each.name == wish.host)
    await refuse_unfit(outside, wish, views)
    lines = [f"in the zone at {wish.provider.name}: {', '.join(present.zone) or 'nothing'} → {', '.join(wish.addresses)}"]
    lines.append(f"at {wish.registrar.name}: {', '.join(present.registry or ()) or 'no host'} → {', '.join(wish.addresses)}")
    if agreed(args, f"{document.host}, old → new:", lines):
        document.done = await put(outside, wish, wish.addresses)
        document.state = "done" if document.done else "unchanged"
        if not present.zone:
            ttl = await absence_ttl(wish)
            caution = outside.caution
            document.not_before = instant_text(outside.clock.now() + caution.lasts(ttl) + caution.slack(1) + caution.margin)
            document.reason = f"name it in an NS set; caches may keep for {ttl} s that it does not exist"
        if not present.named_by:
            document.following = "then name it in the zone (legatum amend) and at the registrar (legatum registration nameservers)"
    return document


async def _renumber(args: argparse.Namespace, outside: "Outside", wish: "Wish") -> "HostChangeDocument":
    from dataclasses import replace

    from legatum.core.fault import BadInput
    from legatum.core.instant import instant_text
    from legatum.work.hosts import drop_old, keep_both, look_at_hosts, refuse_unfit, renumbering

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
            f"{old} → {old}, {new} in the zone at {wish.provider.name}, at {wish.registrar.name} and as glue; {old} is taken away later"
        ]
        if not agreed(args, f"{document.host}, old → new:", lines):
            return document
        document.done = await keep_both(outside, wish, old, new)
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
        document.done += await drop_old(outside, wish, old)
        document.state, document.not_before, document.reason, document.following = "done", None, "", ""
    return document


async def _withdraw(args: argparse.Namespace, outside: "Outside", wish: "Wish") -> "HostChangeDocument":
    from legatum.work.hosts import refuse_leaned_on, withdraw

    document = _document(args, wish)
    await refuse_leaned_on(outside, wish.host, [wish.domain, *_leaning(args)])
    if agreed(args, f"{document.host}:", [f"taken away at {wish.registrar.name}, then its addresses in the zone at {wish.provider.name}"]):
        document.done = await withdraw(outside, wish.domain, wish.host, wish.provider, wish.registrar)
        document.state = "done" if document.done else "unchanged"
    return document


def _leaning(args: argparse.Namespace) -> "list[Name]":
    from legatum.core.fault import BadInput
    from legatum.core.name import parse_domain

    if not args.leaning:
        return []
    try:
        lines = Path(args.leaning).read_text(encoding="utf-8").splitlines()
    except (OSError, UnicodeDecodeError) as error:
        raise BadInput(f"{args.leaning}: {error}", "give a text file with one domain a line") from None
    return [parse_domain(text) for line in lines if (text := line.partition("#")[0].strip())]
