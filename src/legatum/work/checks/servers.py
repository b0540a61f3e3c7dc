"""Name servers and the accounts behind them: providers and secondaries."""

import asyncio
import os
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field

from legatum.core.records.name import ROOT, Name, name_text, parent_of, parse_name
from legatum.core.records.rrtype import SOA
from legatum.core.running.fault import Fault, OutsideFault
from legatum.net.zones.update import probe_update
from legatum.net.zones.zone_transfer import transfer
from legatum.services.provider import server_names
from legatum.services.update_provider import open_key
from legatum.settings.document import FilesProvider, ManualProvider, SecondaryProvider, UpdateProvider
from legatum.wire.codes import rcode_text
from legatum.wire.tsig import TsigKey
from legatum.work.checks.checked import Checked, commands, fails, tried, unknown, works
from legatum.work.run_context import RunContext

_COMMANDS = ("reload", "create", "end", "sign", "unsign", "rekey", "share")
_MOST_TRIED = 30  # domains of the house that a provider is asked for until it has one
_NOERROR, _YXDOMAIN, _NOTIMP, _REFUSED, _NOTAUTH = 0, 6, 4, 5, 9
_NO_ZONE = "name a domain that it serves: --domain DOMAIN"


@dataclass
class _Account:
    """One provider or secondary under trial. ``domains``: of the house, to find a zone that it has."""

    context: RunContext
    table: str
    servers: tuple[Name, ...]
    domains: Sequence[Name]
    addresses: dict[Name, tuple[str, ...]] = field(default_factory=dict)

    async def answering(self) -> list[Checked]:
        """Each name server at each of its addresses, over UDP and TCP."""
        walker = self.context.walker()
        found, left = [], []
        for name, each in zip(self.servers, await asyncio.gather(*map(walker.addresses, self.servers)), strict=True):
            self.addresses[name] = each
            if not each:
                why = next((why for (host, _), why in walker.unanswered.items() if host == name), "")
                said = f"its address is not known: {why}" if why else "it has no address"
                left.append(
                    fails(self.table, "servers", f"name server {name_text(name)}", said, "is the name spelt right?")
                )
        places = [(name, address) for name, some in self.addresses.items() for address in some]
        for way, tcp in (("UDP", False), ("TCP", True)):
            if tcp and not self.context.asker.patience.reach.tcp:
                continue
            replies = await asyncio.gather(
                *(self.context.asker.ask(address, ROOT, SOA, tcp=tcp) for _, address in places)
            )
            silent = [each.server for each in replies if not each.answered]
            what = f"name servers over {way}"
            if silent:
                remedy = "is the server up, and port 53 open to this machine?"
                found.append(
                    fails(
                        self.table,
                        "servers",
                        what,
                        f"no answer from {', '.join(silent)}, of {len(places)} addresses",
                        remedy,
                    )
                )
            elif places:
                found.append(works(self.table, "servers", what, f"{len(places)} addresses answer"))
        return [*left, *found]

    async def zone(self, primary: str = "") -> Name | None:
        """One that it serves, by what its servers say: of the domains of the house, else the one that its own names are
        in."""
        at = [primary] if primary else [each[0] for each in self.addresses.values() if each]
        candidates = list(dict.fromkeys([*self.domains[:_MOST_TRIED], *map(parent_of, self.servers)]))
        if not at:
            return None
        replies = await asyncio.gather(*(self.context.asker.ask(at[0], each, SOA) for each in candidates))
        return next((each.name for each in replies if each.authoritative and each.find(SOA)), None)


async def check_provider(
    context: RunContext, name: str, section: UpdateProvider | FilesProvider | ManualProvider, domains: Sequence[Name]
) -> list[Checked]:
    table = f"providers.{name}"
    account = _Account(context, table, server_names(section.servers), domains)
    found = await account.answering()
    if isinstance(section, FilesProvider):
        found += _folder(context, table, section)
    elif isinstance(section, UpdateProvider) or section.primary:
        found += await _keyed(context, table, section, account)
    else:
        found.append(unknown(table, "primary", "the zone whole", "it hands none out: zones are gathered by asking"))
    return found + commands(table, {each: getattr(section, each, []) for each in _COMMANDS})


async def _keyed(
    context: RunContext, table: str, section: UpdateProvider | ManualProvider, account: _Account
) -> list[Checked]:
    """What its primary does for the key."""
    key: TsigKey | None = None
    if section.key is not None:
        try:
            key = open_key(section.key, context.folder)
        except Fault as fault:
            return [fails(table, "key", "key", fault.message, fault.remedy)]
    primary = section.primary or ""
    zone = await account.zone(primary)
    if zone is None:
        said = f"{primary} has no zone that is known here"
        return [unknown(table, "primary", "transfer", said, _NO_ZONE)]

    async def transferred() -> Checked:
        got = await transfer(context.asker, primary, zone, key)
        signed = f", signed with {name_text(key.name)}" if key else ""
        return works(
            table,
            "primary",
            "transfer",
            f"{name_text(zone)} from {primary}: {got.record_count} records, serial {got.soa.serial}{signed}",
        )

    found = [await tried(table, "key" if key else "primary", "transfer", transferred)]
    if isinstance(section, UpdateProvider):
        found.append(
            await tried(
                table, "key" if key else "primary", "update", lambda: _updating(context, table, section, zone, key)
            )
        )
    return found


async def _updating(
    context: RunContext, table: str, section: UpdateProvider, zone: Name, key: TsigKey | None
) -> Checked:
    """By an update that changes nothing and is not carried out."""
    line = "key" if key else "primary"
    probed = await probe_update(context.asker, section.primary, zone, key)
    what = f"{name_text(zone)} at {section.primary}"
    if probed.rcode == _YXDOMAIN and (probed.signed or key is None):
        said = f"{what}: updates with this key are looked at; which records it may change shows with the first one"
        return works(table, line, "update", said, probed.ahead)
    if probed.rcode == _REFUSED:
        remedy = (
            "the key may not change this zone: allow it at the server"
            if key
            else "give a key (TSIG) that may change the zone"
        )
    elif probed.rcode == _NOTIMP:
        remedy = "this server takes no dynamic updates: is it the primary?"
    elif probed.rcode == _NOTAUTH:
        remedy = "is it the primary of the zone, and the key the right one?"
    else:
        remedy = "the server's log says why"
    unsigned = "" if probed.signed or key is None else ", in an answer that is not signed"
    return fails(table, line, "update", f"{what}: {rcode_text(probed.rcode)}{unsigned}", remedy)


def _folder(context: RunContext, table: str, section: FilesProvider) -> list[Checked]:
    path = (context.folder / section.folder).resolve()
    if not path.is_dir():
        return [fails(table, "folder", "folder", f"{path} is not there", "make it, or mend the path")]
    if not os.access(path, os.R_OK | os.W_OK | os.X_OK):
        return [
            fails(
                table,
                "folder",
                "folder",
                f"{path} may not be read and written by this user",
                "give this user the right to",
            )
        ]
    pattern = section.file.replace("{domain}", "*")
    return [
        works(
            table,
            "folder",
            "folder",
            f"{path}: {sum(1 for _ in path.glob(pattern))} files of zones, and it can be written to",
        )
    ]


async def check_secondary(
    context: RunContext, name: str, section: SecondaryProvider, domains: Sequence[Name]
) -> list[Checked]:
    table = f"secondaries.{name}"
    account = _Account(context, table, server_names(section.servers), domains)
    found = await account.answering()
    if section.catalog:
        found.append(await tried(table, "catalog", "catalog", lambda: _catalog(context, table, section.catalog or "")))
    if not section.catalog and not section.create:
        said = "neither a catalog nor a command tells it of zones: somebody has to"
        found.append(unknown(table, "create", "new zones", said))
    return found + commands(table, {each: getattr(section, each) for each in ("create", "end")})


async def _catalog(context: RunContext, table: str, catalog: str) -> Checked:
    """Whoever of the providers has it."""
    zone, told = parse_name(catalog.rstrip(".") + "."), []
    for name in _who_hands_out(context):
        try:
            got = await context.provider(name).fetch(zone)
            return works(
                table, "catalog", "catalog", f"{catalog} at {name}: {got.record_count} records, serial {got.soa.serial}"
            )
        except OutsideFault as fault:
            told.append(fault.message)
    return fails(
        table,
        "catalog",
        "catalog",
        told[0] if told else f"no provider has {catalog}",
        "which provider's servers have it?",
    )


def _who_hands_out(context: RunContext) -> Iterable[str]:
    return [
        name
        for name, section in context.providers.items()
        if not isinstance(section, ManualProvider) or section.primary
    ]
