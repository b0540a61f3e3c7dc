"""``legatum registration show / nameservers / lock / unlock DOMAIN``"""

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from legatum.cli.common import FOUND, OK, SHUT, add_changing, add_common, agreed, note, show, with_outside

if TYPE_CHECKING:
    from legatum.core.name import Name
    from legatum.services.registrar import Registrar
    from legatum.views.registration import RegistrationChangeDocument
    from legatum.work.outside import Outside


def configure(parser: argparse.ArgumentParser) -> None:
    actions = parser.add_subparsers(dest="action", required=True, metavar="ACTION")
    shown = actions.add_parser("show", help="what account and RDAP say, beside what is published")
    servers = actions.add_parser("nameservers", help="change the NS set, once every new server answers for the zone")
    lock = actions.add_parser("lock", help="forbid transfer, update and deletion")
    unlock = actions.add_parser("unlock", help="lift these locks")
    renewal = actions.add_parser("renew", help="renew the registration")
    renewal.add_argument("--years", type=int, default=1, metavar="N", help="for how long (default: 1)")
    for action in (shown, servers, lock, unlock, renewal):
        action.add_argument("domain", metavar="DOMAIN")
        action.add_argument("--registrar", metavar="NAME", required=action is not shown, help="a registrar of the settings")
    what = servers.add_mutually_exclusive_group(required=True)
    what.add_argument("--ns", metavar="NAME,NAME,…", help="the whole set")
    what.add_argument("--to", metavar="PROVIDER", help="the servers of this provider")
    servers.add_argument("--anyway", action="store_true", help="even if a new server does not answer as the present ones do")
    servers.add_argument("--wait", action="store_true", help="watch until every server of the parent zone hands it out")
    servers.add_argument("--sheet", metavar="FILE", help="by hand: the worksheet, .md or .html (default DOMAIN.nameservers.md)")
    for action in (servers, lock, unlock, renewal):
        add_changing(action)
    for action in (shown, servers, lock, unlock, renewal):
        add_common(action)


def run(args: argparse.Namespace) -> int:
    from legatum.core.name import parse_domain

    domain = parse_domain(args.domain)

    async def work(outside: "Outside") -> int:
        registrar = outside.registrar(args.registrar) if args.registrar else None
        if args.action == "show":
            return await _show(args, outside, domain, registrar)
        assert registrar is not None
        if args.action == "nameservers":
            return await _nameservers(args, outside, domain, registrar)
        if args.action == "renew":
            return await _renew(args, outside, domain, registrar)
        return await _lock(args, outside, domain, registrar)

    return with_outside(args, work)


async def _show(args: argparse.Namespace, outside: "Outside", domain: "Name", registrar: "Registrar | None") -> int:
    from legatum.views.registration import registration_document, show_registration
    from legatum.work.registration import look_at_sides

    document = registration_document(await look_at_sides(outside, domain, registrar))
    show(args, document, lambda screen: show_registration(document, screen))
    return OK if document.agreed else FOUND


async def _nameservers(args: argparse.Namespace, outside: "Outside", domain: "Name", registrar: "Registrar") -> int:
    from legatum.core.instant import instant_text
    from legatum.core.name import name_text, parse_domain
    from legatum.views.registration import RegistrationChangeDocument, nameserver_sheet, write_sheet
    from legatum.work.registration import change_nameservers, refuse_unready, wait_until_published

    wanted = sorted(outside.provider(args.to).servers if args.to else {parse_domain(text.strip()) for text in args.ns.split(",")})
    before = (await registrar.registration(domain)).nameservers
    document = RegistrationChangeDocument(
        domain=name_text(domain), registrar=registrar.name, action="nameservers", state="unchanged",
        old=[name_text(name) for name in sorted(before)], new=[name_text(name) for name in wanted],
    )  # fmt: skip
    if set(before) != set(wanted):
        if not args.anyway:
            count = await refuse_unready(outside, domain, before, wanted)
            note(args, f"{count} addresses of the new servers answer for {name_text(domain)} as the present ones do")
        lines = [f"{', '.join(document.old)} → {', '.join(document.new)}"]
        if registrar.by_hand and not args.dry_run:
            path = Path(args.sheet or f"{name_text(domain)}.nameservers.md")
            write_sheet(path, nameserver_sheet(domain, registrar.name, getattr(registrar, "page", ""), sorted(before), wanted))
            document.state, document.file = "worksheet", str(path)
        elif agreed(args, f"NS set of {name_text(domain)} at {registrar.name}, old → new:", lines):
            document.state, document.said = "changed", (await change_nameservers(outside, registrar, domain, wanted)).summary
        else:
            document.state = "shown" if args.dry_run else "declined"
    if args.wait and document.state in ("changed", "worksheet", "unchanged"):
        note(args, "watching the parent's servers …")
        document.since = instant_text(await wait_until_published(outside, domain, before, wanted))
        document.state = "published"
    return _end(args, document)


async def _lock(args: argparse.Namespace, outside: "Outside", domain: "Name", registrar: "Registrar") -> int:
    from legatum.core.name import name_text
    from legatum.views.registration import RegistrationChangeDocument
    from legatum.work.registration import LOCKS, change_locks

    lock = args.action == "lock"
    held = (await registrar.registration(domain)).statuses
    rest = [each for each in held if each not in LOCKS and each != "ok"]
    new = sorted([*rest, *LOCKS] if lock else rest) or ["ok"]
    document = RegistrationChangeDocument(
        domain=name_text(domain), registrar=registrar.name, action=args.action, state="unchanged", old=sorted(held), new=new
    )
    if any((each in held) != lock for each in LOCKS):
        if agreed(args, f"statuses of {args.domain} at {registrar.name}, old → new:", [f"{', '.join(held)} → {', '.join(new)}"]):
            outcome, statuses = await change_locks(outside, registrar, domain, lock)
            document.state, document.said, document.new = "changed", outcome.summary, sorted(statuses)
        else:
            document.state = "shown" if args.dry_run else "declined"
    return _end(args, document)


async def _renew(args: argparse.Namespace, outside: "Outside", domain: "Name", registrar: "Registrar") -> int:
    from legatum.core.fault import BadInput
    from legatum.core.name import name_text
    from legatum.views.registration import RegistrationChangeDocument
    from legatum.work.registration import renew

    if not 1 <= args.years <= 10:
        raise BadInput(f"{args.years} years", "a registration is renewed for 1 to 10 years")
    expires = (await registrar.registration(domain)).expires
    document = RegistrationChangeDocument(
        domain=name_text(domain), registrar=registrar.name, action="renew", state="shown" if args.dry_run else "declined",
        old=[expires], new=[f"{args.years} more"],
    )  # fmt: skip
    if agreed(args, f"{args.domain} at {registrar.name} expires:", [f"{expires} → {args.years} year{'s' if args.years > 1 else ''} later"]):
        outcome, until = await renew(outside, registrar, domain, args.years)
        document.state, document.said, document.new = "changed", outcome.summary, [until]
    return _end(args, document)


def _end(args: argparse.Namespace, document: "RegistrationChangeDocument") -> int:
    from legatum.views.registration import show_change

    show(args, document, lambda screen: show_change(document, screen))
    return SHUT if document.state == "declined" else OK
