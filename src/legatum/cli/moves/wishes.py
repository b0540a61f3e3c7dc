"""The options that say what shall be different, and what they come to."""

import argparse
from typing import TYPE_CHECKING, Any

from legatum.cli.program.common import add_registrar
from legatum.cli.program.parser import number

if TYPE_CHECKING:
    from legatum.core.moves.kinds.address import NewAddress
    from legatum.core.moves.kinds.zone_data import Soa
    from legatum.core.moves.place import RRsetKey
    from legatum.core.moves.wishes import TransferWish, Wishes
    from legatum.core.records.name import Name
    from legatum.work.run_context import RunContext

PASSAGES = ("shared-keys", "same-keys", "unsigned")
EXCHANGES = ("double-ksk", "double-signature", "double-ds", "one-key", "combined", "algorithm")
_SOA_FIELDS = ("refresh", "retry", "expire", "minimum", "mailbox", "primary", "serial")


def add_wishes(parser: argparse.ArgumentParser) -> None:
    """For ``move draft``."""
    wished = parser.add_argument_group("what shall be different (several at once make one plan)")
    wished.add_argument("--to", dest="new", metavar="PROVIDER", default="", help="another provider serves it")
    wished.add_argument(
        "--replace",
        metavar="OLD=NEW",
        action="append",
        default=[],
        help="an address of a web or mail server, wherever it stands",
    )
    wished.add_argument(
        "--template",
        metavar="NAME",
        default="",
        help="its addresses as this template of the house has them, old ones replaced by new ones",
    )
    wished.add_argument(
        "--mail",
        metavar="SERVICE",
        default="",
        help="mail by this service, as the template of that name has it: MX, SPF, DKIM and the like",
    )
    wished.add_argument(
        "--set",
        metavar="NAME=VALUE",
        action="append",
        default=[],
        help="with --template and --mail: a variable's value",
    )
    wished.add_argument(
        "--hosts", metavar="NS=ADDRESS,…", action="append", default=[],
        help="an own name server with these addresses, named in both NS sets; with none (NS=) it is given up",
    )  # fmt: skip
    wished.add_argument("--unnamed", action="store_true", help="with --hosts: not in the NS sets, only there")
    wished.add_argument(
        "--part",
        metavar="NAME=PROVIDER",
        default="",
        help="this part at that provider; at the domain's own: taken back",
    )
    wished.add_argument(
        "--second",
        metavar="NAME",
        default="",
        help="this secondary serves it too, or this provider, with a zone that it signs by itself",
    )
    wished.add_argument("--without", metavar="NAME", default="", help="this secondary or provider no longer serves it")
    wished.add_argument(
        "--alias", metavar="NAME=TARGET", action="append", default=[],
        help="this name leads to a site elsewhere; @ gets the addresses of the target, and surveys look after them",
    )  # fmt: skip
    wished.add_argument(
        "--verify",
        metavar="'NAME TXT TEXT'",
        action="append",
        default=[],
        help="a verification record beside what is there, for a while",
    )
    wished.add_argument(
        "--verify-for", metavar="DURATION", default="30d", help="with --verify: for how long (default 30d)"
    )
    wished.add_argument(
        "--ttl", metavar="'NAME TYPE=DURATION'", action="append", default=[], help="another TTL of one RRset"
    )
    wished.add_argument(
        "--soa", metavar="FIELD=VALUE", action="append", default=[],
        help=f"another value in the SOA record: {', '.join(_SOA_FIELDS)}; a serial may be lower",
    )  # fmt: skip
    wished.add_argument("--registrar-to", metavar="NAME", default="", help="registered through this account")
    wished.add_argument("--first", action="store_true", help="its first delegation, to who serves it already (--from)")
    wished.add_argument(
        "--retire", nargs="?", const="domain", choices=("domain", "leftovers"), default="",
        help="out of service: delegation, hosts and zone cleaned up; `leftovers`: only what nothing uses any more",
    )  # fmt: skip
    wished.add_argument(
        "--also",
        metavar="'NAME TYPE'",
        action="append",
        default=[],
        help="with --retire leftovers: this too, although it is doubtful",
    )
    wished.add_argument(
        "--tenants",
        metavar="FILE",
        default="",
        help="with --retire leftovers: a table of domains and templates; records of other ones go too",
    )
    wished.add_argument("--sign", action="store_true", help="signed by who serves it now, with a DS at the registrar")
    wished.add_argument(
        "--exchange", action="store_true", help="another key, and a DS for it in the place of the old one"
    )
    wished.add_argument(
        "--ds", metavar="DATA", action="append", default=[], help="with --sign or --exchange: just this DS record"
    )
    wished.add_argument(
        "--unsign", action="store_true", help="no DS any more; with --to: a signed domain may stay unsigned there"
    )
    ways = parser.add_argument_group("how")
    ways.add_argument(
        "--from",
        dest="old",
        metavar="PROVIDER",
        default="",
        help="who serves it now (default: as the delegation shows)",
    )
    add_registrar(ways)
    add_exchange_ways(ways)
    ways.add_argument(
        "--passage",
        choices=PASSAGES,
        default="",
        help="with --to, of a signed domain: both sides' zone keys in both key sets, the same keys, or "
        "unsigned in between (default: the "
        "first of these that both sides can do)",
    )
    ways.add_argument(
        "--speed",
        choices=("lowered", "at-once"),
        default="",
        help="TTLs lowered first, or the change at once (default: over sooner)",
    )
    add_windows(ways)
    ways.add_argument("--old-ends", metavar="INSTANT", help="when the old side vanishes by itself")
    ways.add_argument("--low-ttl", metavar="DURATION", help="TTLs during the move (default: the house's)")
    ways.add_argument(
        "--publishing",
        default="1h",
        metavar="DURATION",
        help="how long the registry may take, for the forecast (default 1h)",
    )
    ways.add_argument("--anyway", action="store_true", help="even if the plan adds an error to a zone")
    ways.add_argument(
        "--code", default="", metavar="REFERENCE", help="with --registrar-to: where the authorisation code is"
    )
    ways.add_argument("--approve", action="store_true", help="with --registrar-to: approve it at the losing account")
    ways.add_argument(
        "--years", type=int, choices=(0, 1), default=1, help="with --registrar-to: years that it adds (default: 1)"
    )
    ways.add_argument(
        "--registrant", default="", metavar="CONTACT", help="with --registrar-to: the contact to put in afterwards"
    )


def add_windows(parser: "argparse._ArgumentGroup | argparse.ArgumentParser") -> None:
    parser.add_argument(
        "--window", metavar="TIMES", action="append", default=[],
        help="when changes may be felt, such as 'Sat 22:00-04:00' (default: the house's windows)",
    )  # fmt: skip
    parser.add_argument(
        "--quiet-time", metavar="TIMES", action="append", default=[],
        help="when none may, window or not, such as '2031-12-20..2032-01-06' (default: the house's quiet times)",
    )  # fmt: skip


def add_exchange_ways(parser: "argparse._ArgumentGroup | argparse.ArgumentParser") -> None:
    parser.add_argument(
        "--way",
        choices=EXCHANGES,
        default="",
        help="of --exchange, by RFC 6781 s4.1 (default: what suits the keys that are there)",
    )
    parser.add_argument(
        "--algorithm",
        type=number(0, 255),
        default=0,
        metavar="NUMBER",
        help="with --exchange: the new key is of this algorithm",
    )


def wished(args: argparse.Namespace, context: "RunContext", domain: "Name") -> "Wishes":
    """Raises :class:`BadInput` for what is no wish."""
    from legatum.core.calendar.duration import parse_duration
    from legatum.core.calendar.instant import parse_instant_or_wait
    from legatum.core.moves.wishes import Wishes
    from legatum.core.records.rrtype import NS
    from legatum.settings.named import provider_name

    house = context.settings.house
    hosts, part = _hosts(args, domain), _part(args.part, domain)
    ttls = dict(_ttl(each, domain) for each in args.ttl)
    cut_ttl = ttls.pop((part[0], NS), None) if part else None
    return Wishes(
        domain=domain,
        to=provider_name(args.new),
        old=provider_name(args.old),
        registrar=args.registrar,
        replace=tuple(replaced(each) for each in args.replace),
        template=args.template,
        mail=args.mail,
        values=dict(halves(each, "--set NAME=VALUE") for each in args.set),
        hosts=hosts,
        named=() if args.unnamed else tuple(host for host, addresses in hosts.items() if addresses),
        part=part,
        part_ttl=3600 if cut_ttl is None else cut_ttl,
        second=args.second,
        without=args.without,
        aliases=_aliases(args.alias, domain),
        verify=tuple(_verification(each, domain) for each in args.verify),
        verify_for=parse_duration(args.verify_for),
        ttls=ttls,
        soa=_soa(args.soa, domain),
        transfer=_transfer(args, domain),
        first=args.first,
        retire=args.retire == "domain",
        leftovers=args.retire == "leftovers",
        also=_also(args, domain),
        tenants=args.tenants,
        sign=args.sign,
        exchange=args.exchange,
        way=args.way,
        algorithm=args.algorithm,
        passage=args.passage,
        ds=ds_records(args.ds),
        unsign=args.unsign,
        low_ttl=parse_duration(args.low_ttl or house.low_ttl),
        publishing=parse_duration(args.publishing),
        speed=args.speed,
        anyway=args.anyway,
        windows=tuple(args.window),
        quiet=tuple(args.quiet_time),
        old_ends=parse_instant_or_wait(args.old_ends, context.clock.now()) if args.old_ends else None,
    )


def _aliases(texts: "list[str]", domain: "Name") -> "dict[Name, Name]":
    """``www=site.shops.example``: a target with dots in it is whole, as most sites stand elsewhere."""
    from legatum.core.records.name import name_text, typed_host, typed_name
    from legatum.core.running.fault import BadInput

    found = dict["Name", "Name"]()
    for text in texts:
        typed, target = halves(text, "--alias NAME=TARGET")
        name = typed_name(typed, domain)
        if name in found:
            raise BadInput(f"{name_text(name)} is to lead to two places", "name one")
        found[name] = typed_host(target, domain)
    return found


def _verification(text: str, domain: "Name") -> "tuple[Name, str]":
    """``TXT site-check=4f1c``, or with the name before it."""
    from legatum.core.records.name import typed_name
    from legatum.core.running.fault import BadInput

    words = text.split(None, 2)
    at = next((at for at, word in enumerate(words[:2]) if word.upper() == "TXT"), None)
    if at is None or len(words) < at + 2:
        raise BadInput(
            f"--verify '{text}': no verification record", "write --verify 'TXT text', or --verify 'NAME TXT text'"
        )
    said = text.split(None, at + 1)[at + 1]
    return typed_name(words[0], domain) if at else domain, said.strip('"') if said.startswith('"') and said.endswith(
        '"'
    ) else said


def ds_records(texts: "list[str]") -> "tuple[str, ...]":
    """As presentation has them. Raises :class:`BadInput`."""
    from legatum.core.agreement.expected import parse_ds_text
    from legatum.core.records.presentation import rdata_text
    from legatum.core.records.rrtype import DS

    return tuple(rdata_text(DS, each) for each in sorted({parse_ds_text(text) for text in texts}))


def halves(text: str, form: str) -> tuple[str, str]:
    """What stands on both sides of ``=``. Raises :class:`BadInput` with the ``form``."""
    from legatum.core.running.fault import BadInput

    left, mark, right = text.partition("=")
    if not mark or not left.strip():
        raise BadInput(f"'{text}' is no wish of this kind", f"write {form}")
    return left.strip(), right.strip()


def _also(args: argparse.Namespace, domain: "Name") -> "tuple[RRsetKey, ...]":
    from legatum.core.records.name import typed_name
    from legatum.core.records.rrtype import parse_type
    from legatum.core.running.fault import BadInput

    if args.also and args.retire != "leftovers":
        raise BadInput("--also goes with --retire leftovers", "leave it out, or say what shall go")
    found = []
    for text in args.also:
        words = text.split()
        if len(words) != 2:
            raise BadInput(f"'{text}' is no name and type", "write --also 'NAME TYPE'")
        found.append((typed_name(words[0], domain), parse_type(words[1])))
    return tuple(found)


def replaced(text: str) -> "NewAddress":
    """``OLD=NEW``. Raises :class:`BadInput`."""
    from legatum.core.moves.kinds.address import NewAddress
    from legatum.core.running.fault import BadInput

    old, new = map(canonical_address, halves(text, "--replace OLD-ADDRESS=NEW-ADDRESS"))
    if (":" in old) != (":" in new):
        raise BadInput(f"{old} and {new} are of two families", "replace an address by one of the same family")
    return NewAddress(old, new)


def canonical_address(text: str) -> str:
    """Raises :class:`BadInput`."""
    from ipaddress import ip_address

    from legatum.core.running.fault import BadInput

    try:
        return str(ip_address(text))
    except ValueError:
        raise BadInput(f"'{text}' is no address", "give one such as 198.51.100.10 or 2001:db8::10") from None


def _hosts(args: argparse.Namespace, domain: "Name") -> "dict[Name, tuple[str, ...]]":
    from legatum.core.records.name import typed_host

    return {
        typed_host(name, domain): tuple(map(canonical_address, addresses))
        for name, addresses in _hosts_said(args.hosts).items()
    }


def _hosts_said(texts: list[str]) -> dict[str, list[str]]:
    """``NS=ADDRESS,ADDRESS``, or several of them in one: ``NS=ADDRESS,NS=ADDRESS``."""
    found = dict[str, list[str]]()
    for text in texts:
        name, _ = halves(text, "--hosts NS=ADDRESS,ADDRESS")
        for part in text.split(","):
            before, mark, address = part.rpartition("=")
            name = before.strip() if mark else name
            found.setdefault(name, []).extend([address.strip()] if address.strip() else [])
    return found


def host_domains(args: argparse.Namespace) -> "list[Name]":
    """The domains whose own name servers ``--hosts`` names. Raises :class:`BadInput` for one that is not whole."""
    from legatum.core.records.name import parent_of, parse_domain
    from legatum.core.running.fault import BadInput

    names = list(_hosts_said(args.hosts))
    if bare := next((each for each in names if "." not in each.rstrip(".")), None):
        raise BadInput(
            f"'{bare}': a host of which domain?",
            f"name the domain, or the host as a whole, such as {bare}.kilnandclay.example",
        )
    return list(dict.fromkeys(parent_of(parse_domain(each)) for each in names))


def _part(text: str, domain: "Name") -> "tuple[Name, str] | None":
    from legatum.core.records.name import typed_name

    if not text:
        return None
    name, provider = halves(text, "--part NAME=PROVIDER")
    return typed_name(name, domain), provider


def _ttl(text: str, domain: "Name") -> "tuple[RRsetKey, int]":
    from legatum.core.calendar.duration import parse_duration

    words, value = halves(text, "--ttl 'NAME TYPE=DURATION', such as 'www A=5m'")
    return one_set(words, domain, "write --ttl 'NAME TYPE=DURATION', such as 'www A=5m'"), parse_duration(value)


def one_set(text: str, domain: "Name", form: str) -> "RRsetKey":
    """``NAME TYPE``. ``form``: how to write it. Raises :class:`BadInput`."""
    from legatum.core.records.name import typed_name
    from legatum.core.records.rrtype import parse_type
    from legatum.core.running.fault import BadInput

    if len(text.split()) != 2:
        raise BadInput(f"'{text}' does not name one RRset", form)
    name, rtype = text.split()
    return typed_name(name, domain), parse_type(rtype)


def _soa(texts: list[str], domain: "Name") -> "Soa | None":
    from legatum.core.calendar.duration import parse_duration
    from legatum.core.moves.kinds.zone_data import Soa
    from legatum.core.records.name import parse_name, typed_host
    from legatum.core.records.soa import mailbox_text
    from legatum.core.running.fault import BadInput

    given: dict[str, Any] = {}
    for text in texts:
        field, value = halves(text, "--soa FIELD=VALUE, such as refresh=4h")
        if field not in _SOA_FIELDS:
            raise BadInput(f"the SOA record has no '{field}'", f"it has: {', '.join(_SOA_FIELDS)}")
        if field == "serial":
            if not value.isdecimal() or int(value) >= 2**32:
                raise BadInput(f"'{value}' is no serial", "give a number below 2^32")
            given[field] = int(value)
        elif field == "mailbox":
            given[field] = parse_name(mailbox_text(value) if "@" in value else value.rstrip(".") + ".")
        else:
            given[field] = typed_host(value, domain) if field == "primary" else parse_duration(value)
    return Soa(**given) if given else None


def _transfer(args: argparse.Namespace, domain: "Name") -> "TransferWish | None":
    from legatum.core.moves.wishes import TransferWish
    from legatum.core.running.fault import BadInput

    if not args.registrar_to:
        return None
    if not args.registrar:
        raise BadInput("which account has the domain now?", "say it: --registrar NAME, beside --registrar-to")
    return TransferWish(domain, args.registrar, args.registrar_to, args.code, args.approve, args.years, args.registrant)
