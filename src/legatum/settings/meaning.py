"""What a settings file may say and cannot mean: durations, addresses, names and numbers, and how they go together."""

from collections.abc import Callable, Iterator
from ipaddress import ip_address, ip_network
from typing import NamedTuple

from legatum.core.agreement.expected import parse_ds_text
from legatum.core.calendar.duration import parse_duration
from legatum.core.calendar.window import parse_quiet, parse_window
from legatum.core.calendar.zone import parse_zone
from legatum.core.records.name import parse_domain, parse_name
from legatum.core.records.rrset import LARGEST_TTL
from legatum.core.records.rrtype import parse_type
from legatum.core.running.fault import BadInput
from legatum.settings.document import EppRegistrar, FilesProvider, House, KeyReference, Network, Resolver, Settings
from legatum.settings.secret import check_reference
from legatum.wire.tsig import ALGORITHMS

_TIMERS = ("refresh", "retry", "expire", "minimum")


class Objection(NamedTuple):
    """``where``: the table, ``key``: the line in it."""

    where: str
    key: str
    words: str
    remedy: str


def objections(settings: Settings) -> Iterator[Objection]:
    """In the order of docs/settings.md."""
    yield from _network(settings.network)
    if settings.clock and settings.clock.control:
        yield from _each("clock", "control", [settings.clock.control], _place)
        yield from _each("clock", "token", [settings.clock.token], check_reference)
    for name, provider in settings.providers.items():
        where = f"providers.{name}"
        yield from _servers(where, provider.servers)
        if not isinstance(provider, FilesProvider):
            yield from _each(where, "primary", [provider.primary] if provider.primary else [], ip_address)
            yield from _key(where, provider.key)
    for name, secondary in settings.secondaries.items():
        yield from _servers(f"secondaries.{name}", secondary.servers)
        yield from _each(f"secondaries.{name}", "notify", secondary.notify, ip_address)
        yield from _each(
            f"secondaries.{name}", "catalog", [secondary.catalog] if secondary.catalog else [], parse_domain
        )
    for name, registrar in settings.registrars.items():
        where = f"registrars.{name}"
        if isinstance(registrar, EppRegistrar):
            yield from _each(where, "address", [registrar.address] if registrar.address else [], ip_address)
            yield from _between(where, "port", registrar.port, 1, 65535)
            yield from _between(where, "at_once", registrar.at_once, 1, 100)
            yield from _each(where, "password", [registrar.password], check_reference)
        for each in registrar.dns:
            if each not in settings.providers:
                yield Objection(
                    where, "dns", f"no provider '{each}'", f"providers: {', '.join(settings.providers) or 'none'}"
                )
    for name, given in settings.resolvers.items():
        table = isinstance(given, Resolver)
        address = given.address if isinstance(given, Resolver) else given
        yield from _each(
            f"resolvers.{name}" if table else "resolvers", "address" if table else name, [address], ip_address
        )
    for name, view in settings.views.items():
        for key in ("resolvers", "servers"):
            yield from _each(f"views.{name}", key, getattr(view, key), ip_address)
        yield from _each(f"views.{name}", "source", [view.source] if view.source else [], ip_address)
    yield from _lasting("visit", "timeout", settings.visit.timeout, 1, 300)
    yield from _house(settings.house)


def _network(network: Network) -> Iterator[Objection]:
    yield from _lasting("network", "timeout", network.timeout, 1, 60)
    yield from _between("network", "tries", network.tries, 1, 10)
    yield from _between("network", "rate", network.rate, 0, 1_000_000)
    yield from _each("network", "home", network.home, ip_network)
    yield from _each("network", "behalf", network.behalf, ip_network)
    if isinstance(network.roots, dict):
        for name, addresses in network.roots.items():
            yield from _each("network", "roots", [name], _host)
            yield from _each("network", "roots", addresses, ip_address)
    for texts in network.anchors.values():
        yield from _each("network", "anchors", texts, parse_ds_text)
    yield from _each("network", "map", list((network.map or {}).values()), _place)


def _house(house: House) -> Iterator[Objection]:
    before = True
    for key in ("low_ttl", "ns_ttl"):
        found = list(_lasting("house", key, getattr(house, key), 1, LARGEST_TTL))
        before = before and not found
        yield from found
    if before and parse_duration(house.low_ttl) > parse_duration(house.ns_ttl):
        yield Objection(
            "house",
            "low_ttl",
            f"low_ttl {house.low_ttl} is above ns_ttl, {house.ns_ttl}",
            "the low TTL is the one during a move",
        )
    yield from _lasting("house", "floor", house.floor, 0, LARGEST_TTL)
    yield from _lasting("house", "margin", house.margin, 0, LARGEST_TTL)
    yield from _between("house", "most_removed", house.most_removed, 0, 100)
    yield from _lasting("house", "poll", house.poll, 1, 86400)
    yield from _lasting("house", "patience", house.patience, 1, LARGEST_TTL)
    yield from _lasting("house", "command_limit", house.command_limit, 1, 86400)
    yield from _each("house", "time_zone", [house.time_zone], parse_zone)
    yield from _each("house", "windows", house.windows, parse_window)
    yield from _each("house", "quiet", house.quiet, parse_quiet)
    yield from _each("house", "ttls", list(house.ttls), parse_type)
    for timer, text in house.soa.items():
        if timer not in _TIMERS:
            yield Objection(
                "house.soa", timer, f"the SOA record has no timer '{timer}'", f"it has: {', '.join(_TIMERS)}"
            )
        yield from _lasting("house.soa", timer, text, 1, LARGEST_TTL)
    for rtype, text in house.ttls.items():
        yield from _lasting("house.ttls", rtype, text, 1, LARGEST_TTL)


def _servers(where: str, servers: list[str]) -> Iterator[Objection]:
    if not servers:
        yield Objection(where, "servers", "no name servers", "name all NS names that it answers under")
    yield from _each(where, "servers", servers, _host)


def _key(where: str, key: KeyReference | None) -> Iterator[Objection]:
    if key is None:
        return
    yield from _each(where, "key", [key.name], _host)
    yield from _each(where, "key", [key.secret], check_reference)
    if key.algorithm not in ALGORITHMS:
        yield Objection(where, "key", f"unknown algorithm '{key.algorithm}'", f"one of {', '.join(ALGORITHMS)}")


def _host(text: str) -> object:
    return parse_name(text if text.endswith(".") else f"{text}.")


def _place(text: str) -> object:
    host, _, port = text.rpartition(":")
    if not host or not port.isdecimal() or not 0 < int(port) < 65536:
        raise BadInput(f"'{text}' is no host and port", "write HOST:PORT")
    return host


def _each(where: str, key: str, texts: list[str], read: Callable[[str], object]) -> Iterator[Objection]:
    for text in texts:
        try:
            read(text)
        except BadInput as fault:
            yield Objection(where, key, f"{key}: {fault.message}", fault.remedy or "see docs/settings.md")
        except ValueError:
            kind, example = (
                ("range", "10.0.0.0/8") if read is ip_network else ("address", "198.51.100.31 or 2001:db8::53")
            )
            yield Objection(where, key, f"{key}: '{text}' is no {kind}", f"give one such as {example}")


def _between(where: str, key: str, number: int, least: int, most: int) -> Iterator[Objection]:
    if not least <= number <= most:
        yield Objection(where, key, f"{key} = {number}", f"give a number from {least} to {most}")


def _lasting(where: str, key: str, text: str, least: int, most: int) -> Iterator[Objection]:
    try:
        seconds = parse_duration(text)
    except BadInput as fault:
        yield Objection(where, key, f"{key}: {fault.message}", fault.remedy)
        return
    if not least <= seconds <= most:
        yield Objection(where, key, f'{key} = "{text}"', f"give a duration from {least} to {most} seconds")
