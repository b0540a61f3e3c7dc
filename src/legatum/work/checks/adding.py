"""A new table for the settings file: from what somebody says, and from what a domain there shows."""

import asyncio
import tomllib
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from legatum.core.records.name import Name, name_text
from legatum.core.records.rrset import targets
from legatum.core.records.rrtype import NS
from legatum.core.running.fault import BadInput, Fault, OutsideFault
from legatum.net.asking.walk import referral
from legatum.net.zones.update import probe_update
from legatum.net.zones.zone_transfer import transfer
from legatum.services.update_provider import open_key
from legatum.settings.document import KeyReference
from legatum.settings.reading import parse_settings
from legatum.wire.tsig import TsigKey
from legatum.work.run_context import RunContext

_TABLES = {"provider": "providers", "secondary": "secondaries", "registrar": "registrars", "resolver": "resolvers"}
_YXDOMAIN = 6


@dataclass
class Drawn:
    """``table``: such as ``providers``; ``found``: what was seen, in words."""

    table: str
    name: str
    values: dict[str, Any]
    found: list[str] = field(default_factory=list)

    @property
    def text(self) -> str:
        """As it will stand in the file."""
        import tomlkit

        return tomlkit.dumps({self.table: {self.name: self.values}}).replace(f"[{self.table}]\n", "", 1).strip()


async def draw_section(context: RunContext, kind: str, name: str, serves: Name | None, lines: Sequence[str]) -> Drawn:
    """``serves``: a domain that is there; ``lines``: ``KEY=VALUE``, which count before what is found. Raises
    :class:`BadInput`, and :class:`OutsideFault` where the domain shows nothing."""
    drawn = Drawn(_TABLES[kind], name, {})
    given = dict(map(_line, lines))
    known = getattr(context.settings, drawn.table)
    if name in known:
        raise BadInput(f"[{drawn.table}.{name}] is in the settings already", "change it there, or take another name")
    if serves is not None and kind in ("provider", "secondary"):
        await _of_servers(context, drawn, kind, serves, given)
    elif serves is not None:
        raise BadInput(f"--serves shows nothing of a {kind}", "leave it out, and say what there is: --set KEY=VALUE")
    drawn.values |= given
    if kind == "registrar":
        drawn.values.setdefault("kind", "epp" if "server" in given else "manual")
    if kind == "provider":
        drawn.values.setdefault("kind", "files" if "folder" in given else "update" if "primary" in given else "manual")
    drawn.values = {key: drawn.values[key] for key in sorted(drawn.values, key=lambda key: key != "kind")}
    return drawn


async def _of_servers(context: RunContext, drawn: Drawn, kind: str, domain: Name, given: dict[str, Any]) -> None:
    """Who serves it, under which names; who of them lets us transfer, and takes updates."""
    cut, reply = await context.walker().delegation_of(domain)
    ns = (referral(cut.zone, reply) or reply.find(NS)) if reply is not None else None
    if ns is None:
        raise OutsideFault(f"{name_text(domain)}: it is not known who serves it", "name a domain that is served there")
    names = sorted(targets(ns))
    addresses = await context.addresses(names)
    drawn.values["servers"] = [name_text(each) for each in names]
    told = [f"{name_text(each)} ({', '.join(addresses[each])})" for each in names]
    drawn.found.append(f"{name_text(domain)} is served by {', '.join(told)}")
    if kind == "secondary":
        return
    key = _key(context, given)
    places = (
        [str(given["primary"])]
        if "primary" in given
        else list(dict.fromkeys(each for some in addresses.values() for each in some))
    )
    opened = await asyncio.gather(*(_hands_out(context, address, domain, key) for address in places))
    for address, why in zip(places, opened, strict=True):
        drawn.found.append(f"{address}: {why or 'lets us transfer the zone'}")
    primary = next((address for address, why in zip(places, opened, strict=True) if not why), None)
    if primary is None:
        drawn.values |= {"kind": "manual"}
        return
    takes = await _takes_updates(context, primary, domain, key)
    drawn.found.append(f"{primary}: {'looks at updates' if takes else 'takes no updates from us'}")
    drawn.values |= {"kind": "update" if takes else "manual", "primary": primary}


def _key(context: RunContext, given: dict[str, Any]) -> TsigKey | None:
    section = given.get("key")
    if section is None:
        return None
    if not isinstance(section, dict) or not {"name", "secret"} <= set(section):
        raise BadInput("key: no key", 'write --set \'key={ name = "NAME", secret = "file:PATH" }\'')
    return open_key(KeyReference(**section), context.folder)


async def _hands_out(context: RunContext, address: str, domain: Name, key: TsigKey | None) -> str:
    """Why not; empty where it does."""
    try:
        await transfer(context.asker, address, domain, key)
    except OutsideFault as fault:
        return fault.message
    return ""


async def _takes_updates(context: RunContext, address: str, domain: Name, key: TsigKey | None) -> bool:
    try:
        probed = await probe_update(context.asker, address, domain, key)
    except Fault:
        return False
    return probed.rcode == _YXDOMAIN and (probed.signed or key is None)


def _line(text: str) -> tuple[str, Any]:
    """A value as TOML has it; anything else is text."""
    key, mark, value = text.partition("=")
    if not mark or not key.strip().replace("_", "").isalnum():
        raise BadInput(f"--set {text}: no line of settings", "write KEY=VALUE, as in docs/settings.md")
    try:
        return key.strip(), tomllib.loads(f"value = {value}")["value"]
    except tomllib.TOMLDecodeError:
        return key.strip(), value.strip()


def written(path: Path, folder: Path, drawn: Drawn) -> str:
    """The file with the new table in it, and everything else as it was. A file that is made anew names the folders
    where the journal and the moves are already. Raises :class:`BadInput` where the table says what cannot be."""
    import tomlkit

    if path.exists():
        document = tomlkit.parse(path.read_text(encoding="utf-8"))
    else:
        document = tomlkit.document()
        if any((folder / each).exists() for each in ("journal.sqlite", "moves")):
            for key, name in (("journal", "journal.sqlite"), ("moves", "moves"), ("templates", "templates")):
                document[key] = str(folder / name)
    if drawn.table not in document:
        document[drawn.table] = tomlkit.table(is_super_table=True)
    section = document[drawn.table]
    section[drawn.name] = _table(drawn.values)
    text = tomlkit.dumps(document)
    parse_settings(path, text)
    return text


def _table(values: dict[str, Any]) -> Any:
    import tomlkit

    table = tomlkit.table()
    for key, value in values.items():
        if isinstance(value, dict):
            inline = tomlkit.inline_table()
            inline.update(value)
            table[key] = inline
        else:
            table[key] = value
    table.add(tomlkit.nl())
    return table
