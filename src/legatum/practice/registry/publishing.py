"""What the registry holds, brought into the TLD's zone by signed dynamic update: to the world's server, or to a real
one."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field

from legatum.core.records.address import address_rdata
from legatum.core.records.name import Name, is_under
from legatum.core.records.rrtype import AAAA, DS, NS, A
from legatum.core.running.fault import Fault
from legatum.net.asking.asker import Asker
from legatum.net.zones.update import send_records
from legatum.practice.registry.book import Book
from legatum.wire.message import IN, NONE, Record
from legatum.wire.tsig import TsigKey

_Data = set[tuple[Name, int, bytes]]


@dataclass(frozen=True)
class Tld:
    """A TLD that the registry publishes into: the primary's address, its key, and the TTL of what is published, in
    seconds."""

    zone: Name
    primary: str
    key: TsigKey
    ttl: int


@dataclass
class Publisher:
    """``served``: the NS set to publish for a domain; ``delay``: seconds from a change to its publication; ``stuck``:
    domains whose changes are not published, however long one waits."""

    book: Book
    tlds: tuple[Tld, ...]
    served: Callable[[Name], tuple[Name, ...]]
    delay: float
    asker: Asker
    stuck: set[Name] = field(default_factory=set)
    _out: dict[Name, _Data] = field(default_factory=dict)

    def is_out(self, domain: Name) -> None:
        """What is held stands in the zone already."""
        self._out[domain] = self._wanted(domain)

    def soon(self, domain: Name) -> None:
        self.book.clock.at(self.book.clock.now() + self.delay, lambda: self.publish(domain))

    async def publish(self, domain: Name) -> None:
        """Brings the TLD's zone to what the registry holds."""
        if domain in self.stuck:
            return
        tld = next(each for each in self.tlds if is_under(domain, each.zone))
        wanted, out = self._wanted(domain), self._out.get(domain, set())
        changes = [*_records(wanted - out, IN, tld.ttl), *_records(out - wanted, NONE, 0)]
        if not changes:
            return
        try:
            await send_records(self.asker, tld.primary, tld.zone, tuple(changes), tld.key)
        except Fault as fault:
            raise OSError(fault.message) from fault
        self._out[domain] = wanted

    def _wanted(self, domain: Name) -> _Data:
        """NS, DS, and the addresses of name servers below the domain itself."""
        servers, held = self.served(domain), self.book.domains.get(domain)
        wanted: _Data = {(domain, NS, host) for host in servers}
        wanted |= {(domain, DS, rdata) for rdata in held.ds} if held is not None and servers else set()
        for host in servers:
            if is_under(host, domain) and host in self.book.hosts:
                addresses = self.book.hosts[host].addresses
                wanted |= {(host, AAAA if ":" in text else A, address_rdata(text)) for text in addresses}
        return wanted


def _records(data: Iterable[tuple[Name, int, bytes]], rclass: int, ttl: int) -> list[Record]:
    return [Record(name, rtype, rclass, ttl, rdata) for name, rtype, rdata in sorted(data)]
