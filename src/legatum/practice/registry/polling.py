"""A registry that reads CDS records by itself, and acts on them (RFC 7344, RFC 8078, RFC 9615): by the same rules as
the program."""

import asyncio
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from legatum.core.dnssec.request import Request, asked_at, refuse_first, request_of, signal_name
from legatum.core.dnssec.serving import ServerKeys, anchors_of, holds, server_keys
from legatum.core.records.name import Name, is_under
from legatum.core.records.rrtype import CDNSKEY, CDS, DNSKEY, SOA
from legatum.core.running.fault import Fault, GateShut
from legatum.net.asking.asker import Asker
from legatum.net.asking.walk import Walker
from legatum.practice.registry.book import Book
from legatum.practice.registry.domains import DomainDesk
from legatum.wire import epp

_VALID = "connected and valid"


@dataclass
class Poller:
    """``roots``: name → addresses; ``told``: what became of the latest look, domain → words."""

    book: Book
    desk: DomainDesk
    asker: Asker
    roots: Mapping[Name, tuple[str, ...]]
    interval: float = 0

    def __post_init__(self) -> None:
        self.told: dict[Name, str] = {}

    def begin(self, interval: float) -> None:
        """Looks at every domain now and from then on, each ``interval`` seconds; with 0 no more."""
        self.interval = interval
        if interval:
            self.book.clock.at(self.book.clock.now(), self._look)

    async def _look(self) -> None:
        if not self.interval:
            return
        for domain, held in list(self.book.domains.items()):
            if held.nameservers:
                try:
                    self.told[domain] = await self._act(domain, held)
                except Fault as fault:
                    self.told[domain] = fault.message
        if self.interval:
            self.book.clock.at(self.book.clock.now() + self.interval, self._look)

    async def _act(self, domain: Name, held: epp.DomainData) -> str:
        given = await self._given(domain, held.nameservers)
        request = request_of(domain, given, anchors_of(held.ds, 0))
        if not held.ds and request.ds:
            doubt = refuse_first(
                request,
                {host: await self._signal(domain, host) for host in held.nameservers if signal_name(domain, host)},
            )
            if doubt:
                raise GateShut(doubt)
        return self._kept(domain, held, request)

    def _kept(self, domain: Name, held: epp.DomainData, request: Request) -> str:
        come, go = set(request.ds) - set(held.ds), set(held.ds) - set(request.ds)
        if not come and not go:
            return "as it is"
        said = self.desk.update(
            held.registrar, domain, epp.DomainChange(add_ds=tuple(sorted(come)), remove_ds=tuple(sorted(go)))
        )
        return f"{epp.meaning(said.code)}: {request.why}"

    async def _given(self, domain: Name, hosts: Sequence[Name]) -> dict[str, ServerKeys]:
        walker = Walker(self.asker, dict(self.roots))
        found = await asyncio.gather(*(walker.addresses(host) for host in hosts))
        addresses = [address for each in found for address in each]
        return dict(
            zip(
                addresses,
                await asyncio.gather(*(self._at(address, domain, domain) for address in addresses)),
                strict=True,
            )
        )

    async def _at(self, address: str, domain: Name, owner: Name) -> ServerKeys:
        """What one server gives of the zone that ``owner`` is in, and what it asks for there on behalf of the
        domain."""
        zone = domain if owner == domain else next(each for each in self.book.domains if is_under(owner, each))
        kinds = ((zone, DNSKEY), (zone, SOA), (owner, CDS), (owner, CDNSKEY))
        keys, soa, *asking = await asyncio.gather(
            *(self.asker.ask(address, name, rtype, dnssec=True) for name, rtype in kinds)
        )
        sections = [each for reply in (keys, soa, *asking) for each in reply.answer]
        sets = [found for reply in asking if (found := reply.find(reply.rtype)) is not None]
        now, key_set = self.book.clock.now(), keys.find(DNSKEY)
        given = server_keys(zone, key_set, soa.find(SOA), sections, [each.rtype for each in sets], now)
        return replace(given, asked=asked_at(domain, sets, sections, key_set, now, owner))

    async def _signal(self, domain: Name, host: Name) -> tuple[str, tuple[bytes, ...] | None]:
        """The zone that the server's name is in is one of the registry's own: whether it is connected stands in the
        book."""
        name = signal_name(domain, host)
        zone = next((each for each in self.book.domains if is_under(host, each)), None)
        if name is None or zone is None:
            return "not known", None
        (address, *_) = await Walker(self.asker, dict(self.roots)).addresses(host)
        given, ds = await self._at(address, domain, name), anchors_of(self.book.domains[zone].ds, 0)
        state = _VALID if ds and holds(zone, ds, given) else "not connected"
        return state, given.asked.ds if given.asked is not None and given.asked.by and not given.asked.wrong else None
