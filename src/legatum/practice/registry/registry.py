"""A registry: which domain is registered with whom, on which name servers - and its publishing into the TLD's zone.

Rules only, a desk for each kind of object; the talking is in :mod:`legatum.practice.epp_server`. Its clock is the
world's, so that sixty days, a transfer's five and the periods after expiry pass with it.
"""

from collections.abc import Iterable, Mapping

from legatum.core.records.name import Name
from legatum.net.asking.asker import Asker
from legatum.practice.clock import WorldClock
from legatum.practice.registry.book import YEAR, Book
from legatum.practice.registry.domains import DomainDesk
from legatum.practice.registry.hosts import HostDesk
from legatum.practice.registry.polling import Poller
from legatum.practice.registry.publishing import Publisher, Tld
from legatum.practice.registry.transfers import TransferDesk
from legatum.practice.registry.trouble import Trouble
from legatum.wire import epp


class Registry:
    """``passwords``: registrar → password. ``delay``: seconds from a change to its publication. ``hosts``: known host
    objects; ``by_attribute``: name servers are attributes of domains, there are no host objects; ``roots``: from where
    it looks for CDS records."""

    def __init__(
        self,
        passwords: dict[str, str],
        tlds: Iterable[Tld],
        hosts: Iterable[Name],
        delay: float,
        asker: Asker,
        clock: WorldClock,
        by_attribute: bool = False,
        roots: Mapping[Name, tuple[str, ...]] | None = None,
    ) -> None:
        tlds = tuple(tlds)
        self.book = Book(
            clock, tuple(tld.zone for tld in tlds), passwords, hosts={host: epp.HostData(host) for host in hosts}
        )
        self.hosts = HostDesk(self.book, self._changed, by_attribute)
        self.domains = DomainDesk(self.book, self.hosts, self._changed)
        self.transfers = TransferDesk(self.book, self.domains)
        self.publisher = Publisher(self.book, tlds, self.domains.served, delay, asker)
        self.poller = Poller(self.book, self.domains, asker, roots or {})
        self.trouble = Trouble()

    def register(
        self, domain: Name, registrar: str, nameservers: Iterable[Name], age: float = 2 * YEAR, ds: Iterable[bytes] = ()
    ) -> None:
        """A domain that is registered, and published, when the world begins; ``age`` in seconds."""
        self.domains.register(domain, registrar, nameservers, age, ds)
        self.publisher.is_out(domain)

    def known(self, domain: Name) -> epp.DomainData | None:
        """What everybody may see."""
        return self.book.domains.get(domain)

    def _changed(self, domain: Name) -> None:
        self.publisher.soon(domain)
