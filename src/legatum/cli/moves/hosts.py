"""``legatum hosts show / users / set / enlist / renumber / withdraw``: own name servers, and the short ways to moves of
them"""

import argparse
from typing import TYPE_CHECKING

from legatum.cli.moves.moving import add_going, draft_and_go
from legatum.cli.moves.wishes import canonical_address, halves
from legatum.cli.program.common import FOUND, OK, add_common, add_provider, add_registrar, show, with_outside

if TYPE_CHECKING:
    from legatum.core.records.name import Name
    from legatum.work.run_context import RunContext


def configure(parser: argparse.ArgumentParser) -> None:
    actions = parser.add_subparsers(dest="action", required=True, metavar="ACTION")
    shown = actions.add_parser("show", help="which name servers need glue, and where their addresses stand")
    users = actions.add_parser(
        "users", help="which domains use a host: of the settings' list, the journal and the registry"
    )
    setting = actions.add_parser("set", help="a host with these addresses: in the zone, at the registry, as glue")
    enlist = actions.add_parser(
        "enlist", help="hosts into the NS sets of their domain: the zone's, then the registry's"
    )
    renumber = actions.add_parser(
        "renumber", help="another address, both alive until nobody can hold the old one alone"
    )
    withdraw = actions.add_parser("withdraw", help="take a host away that nobody uses")
    shown.add_argument("domain", metavar="DOMAIN")
    shown.add_argument("--registrar", metavar="NAME", help="also what the registry holds")
    users.add_argument("host", metavar="HOST", help="whole, such as ns1.kilnandclay.example")
    users.add_argument("--registrar", metavar="NAME", help="also what the registry knows")
    enlist.add_argument("hosts", metavar="HOST", nargs="+", help="whole, such as ns1.kilnandclay.example")
    enlist.add_argument("--alone", action="store_true", help="as the whole set: the present name servers leave it")
    for action in (setting, renumber, withdraw):
        action.add_argument("host", metavar="HOST", help="whole, such as ns1.kilnandclay.example")
    for action in (setting, enlist, renumber, withdraw):
        action.add_argument("--of", metavar="DOMAIN", help="the registered domain (default: the name above the host)")
        add_provider(action)
        add_registrar(action)
    setting.add_argument("--address", required=True, metavar="ADDRESS,…", help="all its addresses, IPv4 and IPv6")
    renumber.add_argument(
        "--replace", required=True, metavar="OLD=NEW", help="an address of the host, and the one in its place"
    )
    for action in (users, setting, renumber, withdraw):
        action.add_argument(
            "--users", metavar="FILE", help="a list of domains that may use it, beside those of settings and journal"
        )
    for action in (setting, enlist, renumber, withdraw):
        add_going(action)
    for action in (shown, users, setting, enlist, renumber, withdraw):
        add_common(action)


def run(args: argparse.Namespace) -> int:
    looks = {"show": _show, "users": _users_of}
    return with_outside(args, lambda context: looks.get(args.action, _change)(args, context))


async def _change(args: argparse.Namespace, context: "RunContext") -> int:
    """As a move."""
    from legatum.core.calendar.duration import parse_duration
    from legatum.core.moves.wishes import Wishes

    domain, hosts = _hosts(args.of, args.hosts if args.action == "enlist" else [args.host])
    addresses = {} if args.action == "enlist" else {hosts[0]: await _addresses(args, context, domain, hosts[0])}
    wish = Wishes(
        domain=domain,
        old=args.at,
        registrar=args.registrar,
        hosts=addresses,
        named=tuple(hosts) if args.action == "enlist" else (),
        alone=getattr(args, "alone", False),
        users=tuple(_listed(args)),
        low_ttl=parse_duration(context.settings.house.low_ttl),
        anyway=args.anyway,
    )
    return await draft_and_go(args, context, wish)


async def _addresses(args: argparse.Namespace, context: "RunContext", domain: "Name", host: "Name") -> tuple[str, ...]:
    """What the host shall have. Raises :class:`BadInput`."""
    from legatum.core.records.name import name_text
    from legatum.core.running.fault import BadInput
    from legatum.work.registry.hosts import look_at_hosts

    if args.action == "withdraw":
        return ()
    if args.action == "set":
        given = tuple(canonical_address(text.strip()) for text in args.address.split(",") if text.strip())
        if len(set(given)) != len(given):
            raise BadInput("the same address twice", "give each once")
        return given
    old, new = map(canonical_address, halves(args.replace, "--replace OLD-ADDRESS=NEW-ADDRESS"))
    present = next(each for each in await look_at_hosts(context, domain, None, [host]) if each.name == host).zone
    if old not in present and new not in present:
        raise BadInput(f"{name_text(host)} does not have {old}", f"it has {', '.join(present) or 'no address'}")
    return tuple(dict.fromkeys(new if each == old else each for each in present))


async def _show(args: argparse.Namespace, context: "RunContext") -> int:
    from legatum.core.records.name import parse_domain
    from legatum.core.running.fault import OutsideFault
    from legatum.views.registry.hosts import hosts_document, show_hosts
    from legatum.work.registry.hosts import look_at_hosts

    domain = parse_domain(args.domain)
    registrar = context.registrar(args.registrar) if args.registrar else None
    views = await look_at_hosts(context, domain, registrar)
    if not views:
        raise OutsideFault(
            f"{args.domain} is not delegated: nobody hands out name servers for it", "is it spelt right?"
        )
    document = hosts_document(domain, views)
    show(args, document, lambda screen: show_hosts(document, screen))
    return OK if document.agreed else FOUND


def _hosts(of: str | None, texts: "list[str]") -> "tuple[Name, list[Name]]":
    """The registered domain, and the hosts. Raises :class:`BadInput` for a host that is not whole where no domain is
    given."""
    from legatum.core.records.name import parent_of, parse_domain, typed_host
    from legatum.core.running.fault import BadInput

    if of is not None:
        domain = parse_domain(of)
        return domain, sorted({typed_host(text, domain) for text in texts})
    bare = next((text for text in texts if "." not in text.rstrip(".")), None)
    if bare is not None:
        raise BadInput(f"'{bare}': a host of which domain?", f"write the whole name, or --of DOMAIN beside {bare}")
    hosts = sorted({parse_domain(text) for text in texts})
    return parent_of(hosts[0]), hosts


async def _users_of(args: argparse.Namespace, context: "RunContext") -> int:
    from legatum.core.records.name import parent_of
    from legatum.views.registry.hosts import host_users_document, show_host_users
    from legatum.work.registry.hosts import look_for_host_users

    _, (host,) = _hosts(None, [args.host])
    registrar = context.registrar(args.registrar) if args.registrar else None
    found = await look_for_host_users(context, host, [parent_of(host), *_listed(args)], registrar)
    document = host_users_document(host, found)
    show(args, document, lambda screen: show_host_users(document, screen))
    return FOUND if found.unknown else OK


def _listed(args: argparse.Namespace) -> "list[Name]":
    from legatum.work.listing import read_domains

    return read_domains(args.users) if getattr(args, "users", None) else []
