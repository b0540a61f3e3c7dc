"""The practice world: every server of the scenario on a loopback port, one clock for all of it, and the settings to use
it with.

``async with World(folder)`` starts every server; :func:`legatum.practice.steering.opening.open_world` makes it one that
can be used and steered.
"""

import asyncio
import random
import secrets
import ssl
import time
from collections.abc import Iterable
from ipaddress import ip_address
from pathlib import Path
from types import TracebackType

from legatum.core.dnssec.request import signal_name
from legatum.core.dnssec.serving import ds_of_key
from legatum.core.records.name import ROOT, Name, below, is_under, name_text, parse_name
from legatum.core.records.presentation import parse_rdata
from legatum.core.records.rrset import RRset, rrset
from legatum.core.records.rrtype import AAAA, DS, NS, PTR, SOA, A
from legatum.core.records.soa import SoaFields
from legatum.core.running.fault import BadInput
from legatum.core.zones.masterfile import parse_master
from legatum.core.zones.zone import Zone
from legatum.net.asking.asker import Asker, Patience
from legatum.net.asking.route import Endpoint, Route
from legatum.practice import scenario
from legatum.practice.authority import Authority
from legatum.practice.certificate import Authority as CertificateAuthority
from legatum.practice.clock import WorldClock
from legatum.practice.epp_server import EppServer
from legatum.practice.listener import Handler, Listener
from legatum.practice.log import Errand, Errands, VisitLog
from legatum.practice.registry import Registry, Tld
from legatum.practice.resolver import Resolver
from legatum.practice.signing.keyring import key_data
from legatum.practice.sites import Sites
from legatum.practice.visitors import Visitors
from legatum.practice.web_server import DnsService, RdapService, WebServer
from legatum.practice.web_server import Handler as WebHandler
from legatum.wire.tsig import TsigKey


class World:
    """``endpoints``: the closed address map, address → loopback port. ``start``: the instant it begins at, now if not
    given; ``further``: so many small customers more. ``stopped`` is set when somebody asks it to stop."""

    def __init__(self, folder: Path, start: float | None = None, further: int = 0) -> None:
        self.folder = folder
        self._further = scenario.further_domains(further)
        self.registrations = {**scenario.REGISTRATIONS, **dict.fromkeys(self._further, ("flint", "alder"))}
        self.clock = WorldClock(time.time() if start is None else start)
        self.log = VisitLog()
        self.endpoints: dict[str, Endpoint] = {}
        self.keys = {name: _new_key() for name in (*scenario.TLDS, *scenario.PROVIDERS)}
        self.passwords = {name: secrets.token_urlsafe(12) for name in (*scenario.REGISTRARS, scenario.FORM_REGISTRAR)}
        self.hostings: dict[str, list[Authority]] = {}
        self.errands: list[Errand] = []
        self.stopped = asyncio.Event()
        self._listeners: list[Listener] = []
        self._web: list[WebServer] = []
        self._askers: list[Asker] = []

    @property
    def settings_file(self) -> Path:
        return self.folder / "legatum.toml"

    async def __aenter__(self) -> "World":
        self.folder.mkdir(parents=True, exist_ok=True)
        self._asker = Asker(Route({}), self.clock, Patience(0.5, 2), random.Random())
        self._askers.append(self._asker)
        names = (scenario.REGISTRY[0], scenario.RDAP_SERVER, scenario.RESOLVER_HOST)
        authority = CertificateAuthority(self.folder)
        self.authority_file, self._tls = authority.file, authority.serve(*names)
        await self._open_authorities()
        await self._open_resolvers()
        await self._open_registry()
        self._sites = Sites(authority)
        await self._sites.open()
        self.endpoints |= self._sites.endpoints
        for asker in self._askers:
            asker.route = Route(self.endpoints)
        self._serve_everything()
        self.visitors = Visitors(
            self.clock, self._asker, {name: address for name, (_, address) in scenario.RESOLVERS.items()}
        )
        return self

    async def __aexit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.clock.close()
        self.epp.close()
        self._sites.close()
        for listener in self._listeners:
            listener.close()
        for server in self._web:
            server.close()
        for asker in self._askers:
            asker.close()
        await asyncio.sleep(0)

    # A provider's own panel: zones are created and ended there, not over DNS

    def create_zone(self, provider: str, domain: Name) -> None:
        """An empty zone - SOA and the provider's NS set - on all servers of a provider."""
        primary, *others = self.hostings[provider]
        if primary.zone(domain) is None:
            primary.serve(self._blank(domain, scenario.PROVIDERS[provider].servers, 1))
            for other in others:
                other.follow(domain, primary.address)

    def follow_zone(self, provider: str, domain: Name, of: str) -> None:
        """A copy of another provider's zone on all servers of this one; the other hands it to them and tells them of
        changes."""
        primary, servers = self.hostings[of][0], self.hostings[provider]
        if any(each.zone(domain) is not None and not each.follows(domain) for each in servers):
            raise BadInput(f"{provider} has a zone {name_text(domain)} of its own")
        for each in servers:
            each.follow(domain, primary.address, primary.key)
            primary.tell(domain, each.address)

    def rekey_zone(self, provider: str, domain: Name, stage: str) -> None:
        """Brings the keys of a zone to a stage; ``keys-brought``: those of whoever else signs it now."""
        primary, ring = self.hostings[provider][0], self.hostings[provider][0].ring(domain)
        others = [
            each[0]
            for name, each in self.hostings.items()
            if name != provider and each and each[0].signs and each[0].zone(domain)
        ]
        if stage == "keys-brought" and not others:
            raise BadInput(f"nobody else signs {name_text(domain)}: whose keys?")
        if stage == "keys-brought":
            ring.bring(others[0].ring(domain))
        else:
            ring.go(stage)
        primary.sign_anew(domain)

    def ask_for_ds(self, provider: str, domain: Name, wanted: bool | None) -> None:
        """Has the zone ask its parent for a DS, or for its removal, by CDS records, there and under the signalling
        names of the provider's servers (RFC 9615); None: no more."""
        primary = self.hostings[provider][0]
        primary.asks.pop(domain, None) if wanted is None else primary.asks.__setitem__(domain, wanted)
        primary.sign_anew(domain)
        for zone in {parse_name(each + ".") for each in scenario.PROVIDERS[provider].zones}:
            hosts = [
                host for each in scenario.PROVIDERS[provider].servers if is_under(host := parse_name(each + "."), zone)
            ]
            for host in hosts:
                primary.signal(zone, signal_name(domain, host), domain if wanted else None)

    def end_zone(self, provider: str, domain: Name) -> None:
        for authority in self.hostings[provider]:
            authority.drop(domain)

    # Opening

    async def _listen(self, address: str, handler: Handler, tls: ssl.SSLContext | None = None) -> Listener:
        listener = Listener(handler, tls)
        await listener.open()
        self._listeners.append(listener)
        self.endpoints[address] = listener.endpoint
        return listener

    async def _open_authorities(self) -> None:
        groups = {"root": scenario.Hosting(scenario.ROOT_SERVERS), **scenario.TLDS, **scenario.PROVIDERS}
        for group, hosting in groups.items():
            self.hostings[group] = []
            for name, addresses in hosting.servers.items():
                key = self.keys.get(group) or _new_key()
                authority = Authority(name, addresses[0], self._asker, self.clock, self.log, key, group)
                authority.signs = group in ("root", *scenario.TLDS, *scenario.SIGNERS)
                authority.takes_foreign = group in scenario.SIGNERS
                self.hostings[group].append(authority)
                for address in addresses:
                    await self._listen(address, authority.handle)

    async def _open_resolvers(self) -> None:
        roots = {parse_name(name + "."): addresses for name, addresses in scenario.ROOT_SERVERS.items()}
        for name, (kind, address) in scenario.RESOLVERS.items():
            asker = Asker(self._asker.route, self.clock, Patience(0.5, 2), random.Random())
            asker.heard.append(Errands(name, self.errands))
            self._askers.append(asker)
            anchors = {ROOT: ds_of_key(ROOT, key_data("root", ROOT))} if name in scenario.VALIDATING else {}
            resolver = Resolver(name, kind, roots, asker, self.clock, self.log, random.Random(), anchors)
            listener = await self._listen(
                address, resolver.handle, self._tls if name == scenario.TLS_RESOLVER else None
            )
            if name == scenario.TLS_RESOLVER:
                self.endpoints[f"{address}#853"] = listener.over_tls
            if name == scenario.HTTPS_RESOLVER:
                await self._serve_web(DnsService(resolver.handle).handle, f"{address}#443")

    async def _open_registry(self) -> None:
        tlds = [
            Tld(
                parse_name(zone + "."),
                next(iter(hosting.servers.values()))[0],
                self.keys[zone],
                scenario.DELEGATION_TTL,
            )
            for zone, hosting in scenario.TLDS.items()
        ]
        hosts = [parse_name(host + ".") for hosting in scenario.PROVIDERS.values() for host in hosting.servers]
        roots = {parse_name(name + "."): addresses for name, addresses in scenario.ROOT_SERVERS.items()}
        self.registry = Registry(
            self.passwords, tlds, hosts, scenario.PUBLISHING_DELAY, self._asker, self.clock, roots=roots
        )
        for domain, (registrar, provider) in self.registrations.items():
            servers = (parse_name(host + ".") for host in scenario.PROVIDERS[provider].servers)
            days = scenario.REGISTERED_LATELY.get(domain, 730)
            self.registry.register(parse_name(domain + "."), registrar, servers, days * 86400.0, _ds(domain, provider))
        name, address = scenario.REGISTRY
        self.epp = EppServer(name, self.registry, self.clock, self._tls)
        await self.epp.open()
        self.endpoints[address] = self.epp.endpoint
        await self._serve_web(RdapService(self.registry).handle, scenario.RDAP_SERVER)

    async def _serve_web(self, handler: WebHandler, place: str) -> None:
        server = WebServer(handler, self._tls, self.clock)
        await server.open()
        self._web.append(server)
        self.endpoints[place] = server.endpoint

    # What is served

    def _serve_everything(self) -> None:
        for authority in self.hostings["root"]:
            authority.serve(self._root_zone())
            for zone in self._reverse_zones():
                authority.serve(zone)
        for tld, hosting in scenario.TLDS.items():
            self._serve_group(tld, [self._tld_zone(tld, hosting)])
        for provider, hosting in scenario.PROVIDERS.items():
            self._serve_group(provider, [self._customer_zone(domain, hosting) for domain in hosting.zones])
        primary, *others = self.hostings["alder"]
        for domain, text in self._further.items():
            zone = parse_master(text, parse_name(domain + "."), domain)
            primary.serve(zone)
            for each in others:
                each.follow(zone.origin, primary.address)

    def _serve_group(self, group: str, zones: Iterable[Zone]) -> None:
        primary, *others = self.hostings[group]
        primary.notify = [other.address for other in others]
        for zone in zones:
            primary.serve(zone)
            for other in others:
                other.follow(zone.origin, primary.address)

    def _customer_zone(self, domain: str, hosting: scenario.Hosting) -> Zone:
        origin = parse_name(domain + ".")
        zone = parse_master(scenario.ZONES[domain], origin, domain)
        return zone.with_rrsets(each for each in _address_rrsets(hosting.servers, 86400) if each.name.endswith(origin))

    def _tld_zone(self, tld: str, hosting: scenario.Hosting) -> Zone:
        origin = parse_name(tld + ".")
        zone = self._blank(origin, hosting.servers, 1, ttl=86400)
        rrsets = list(_address_rrsets(hosting.servers, 86400))
        if tld == "test":
            rrsets += _address_rrsets(scenario.ROOT_SERVERS, 86400)
        for domain, (_, provider) in self.registrations.items():
            if not domain.endswith("." + tld):
                continue
            servers = scenario.PROVIDERS[provider].servers
            rrsets.append(_ns(parse_name(domain + "."), servers, scenario.DELEGATION_TTL))
            rrsets += [each for each in _address_rrsets(servers, scenario.DELEGATION_TTL) if each.name.endswith(origin)]
            rrsets += [
                rrset(parse_name(domain + "."), DS, scenario.DELEGATION_TTL, ds) for ds in [_ds(domain, provider)] if ds
            ]
        return zone.with_rrsets(rrsets)

    def _root_zone(self) -> Zone:
        rrsets = [*_address_rrsets(scenario.ROOT_SERVERS, 86400)]
        for tld, hosting in scenario.TLDS.items():
            name = parse_name(tld + ".")
            rrsets += [_ns(name, hosting.servers, 86400), *_address_rrsets(hosting.servers, 86400)]
            rrsets.append(rrset(name, DS, 86400, [ds_of_key(name, key_data(tld, name))]))
        return self._blank(ROOT, scenario.ROOT_SERVERS, 1, ttl=86400).with_rrsets(rrsets)

    def _reverse_zones(self) -> Iterable[Zone]:
        """The names of addresses, where a name of a customer's zone has one to itself."""
        named: dict[str, dict[Name, Name]] = {}
        for hosting in scenario.PROVIDERS.values():
            for each in (one for domain in hosting.zones for one in self._customer_zone(domain, hosting)):
                for rdata in each.rdatas if each.rtype in (A, AAAA) else ():
                    pointer = ip_address(rdata).reverse_pointer
                    named.setdefault(pointer.split(".", 32 if each.rtype == AAAA else 4)[-1], {}).setdefault(
                        parse_name(pointer + "."), each.name
                    )
        for origin, names in named.items():
            pointers = (rrset(name, PTR, 86400, [target]) for name, target in names.items())
            yield self._blank(parse_name(origin + "."), scenario.ROOT_SERVERS, 1, ttl=86400).with_rrsets(pointers)

    def _blank(self, origin: Name, servers: Iterable[str], serial: int, ttl: int = 3600) -> Zone:
        first = parse_name(next(iter(servers)) + ".")
        soa = SoaFields(first, below("hostmaster", first), serial, 14400, 3600, 1209600, 600)
        return Zone(origin, [RRset(origin, SOA, ttl, (soa.rdata(),)), _ns(origin, servers, 86400)])


def _ds(domain: str, provider: str) -> list[bytes]:
    """What the registry holds of a domain at the beginning."""
    name = parse_name(domain + ".")
    return [ds_of_key(name, key_data(provider, name))] if domain in scenario.VOUCHED_FOR else []


def _ns(owner: Name, servers: Iterable[str], ttl: int) -> RRset:
    return rrset(owner, NS, ttl, (parse_name(server + ".") for server in servers))


def _address_rrsets(servers: dict[str, tuple[str, str]], ttl: int) -> Iterable[RRset]:
    for server, (ipv4, ipv6) in servers.items():
        name = parse_name(server + ".")
        yield rrset(name, A, ttl, [parse_rdata(A, ipv4, ROOT)])
        yield rrset(name, AAAA, ttl, [parse_rdata(AAAA, ipv6, ROOT)])


def _new_key() -> TsigKey:
    return TsigKey(parse_name(scenario.KEY_NAME + "."), "hmac-sha256", secrets.token_bytes(32))
