"""A registry: which domain is registered with whom, on which name servers - and its publishing into the TLD's zone.

Rules only; the talking is in :mod:`legatum.practice.epp_server`. Publishing is a signed dynamic update to the primary server
of the TLD, so that the same registry can stand before a real server.
"""

import secrets
from collections.abc import Iterable
from dataclasses import dataclass, replace

from legatum.core.fault import Fault
from legatum.core.instant import instant_text
from legatum.core.name import Name, is_under
from legatum.core.rrtype import NS
from legatum.net.asker import Asker
from legatum.net.update import send_records
from legatum.practice.clock import WorldClock
from legatum.wire import epp
from legatum.wire.message import IN, NONE, Record
from legatum.wire.signing import Key

_YEAR = 365 * 86400
_CLIENT_STATUSES = {f"client{what}Prohibited" for what in ("Update", "Transfer", "Delete", "Renew")} | {"clientHold"}


@dataclass(frozen=True)
class Tld:
    """A TLD that the registry publishes into: the primary's address, its key, and the TTL of what is published, in seconds."""

    zone: Name
    primary: str
    key: Key
    ttl: int


class Registry:
    """``passwords``: registrar → password. ``delay``: seconds from a change to its publication. ``hosts``: known host objects."""

    def __init__(
        self,
        passwords: dict[str, str],
        tlds: Iterable[Tld],
        hosts: Iterable[Name],
        delay: float,
        asker: Asker,
        clock: WorldClock,
    ) -> None:
        self._passwords = passwords
        self._tlds = tuple(tlds)
        self._hosts = set(hosts)
        self._asker = asker
        self._clock = clock
        self._domains: dict[Name, epp.DomainData] = {}
        self._published: dict[Name, tuple[Name, ...]] = {}
        self.delay = delay

    def register(self, domain: Name, registrar: str, nameservers: Iterable[Name]) -> None:
        """A domain that is registered, and published, when the world begins."""
        hosts = tuple(sorted(nameservers))
        self._hosts.update(hosts)
        now = self._clock.now()
        self._domains[domain] = epp.DomainData(
            domain, f"D{len(self._domains) + 1:06d}-QM", ("ok",), hosts, (), registrar,
            instant_text(now - 2 * _YEAR), "", instant_text(now + _YEAR),
        )  # fmt: skip
        self._published[domain] = hosts

    def knows(self, registrar: str, password: str) -> bool:
        return secrets.compare_digest(self._passwords.get(registrar, "\0"), password)

    def known(self, domain: Name) -> epp.DomainData | None:
        """What everybody may see."""
        return self._domains.get(domain)

    def info(self, registrar: str, domain: Name) -> tuple[int, epp.DomainData | None]:
        found = self._domains.get(domain)
        if found is None:
            return epp.NOT_THERE, None
        return (epp.OK, found) if found.registrar == registrar else (epp.AUTHORISATION, None)

    def update(
        self, registrar: str, domain: Name, add: Iterable[Name], remove: Iterable[Name],
        add_statuses: Iterable[str] = (), remove_statuses: Iterable[str] = (),
    ) -> int:  # fmt: skip
        """Changes statuses and the NS set, and has the latter published after the delay; the EPP result code."""
        code, found = self.info(registrar, domain)
        added, removed = set(add), set(remove)
        if found is None:
            return code
        come, go = set(add_statuses), set(remove_statuses)
        if (come | go) - _CLIENT_STATUSES:
            return epp.PARAMETER_POLICY  # the registry's own statuses are the registry's (RFC 5731 s2.3)
        if not go <= set(found.statuses) or come & set(found.statuses):
            return epp.NOT_THERE if go - set(found.statuses) else epp.PARAMETER_POLICY
        # Where updates are prohibited only that prohibition itself can be taken away.
        stops = {status for status in found.statuses if "UpdateProhibited" in status or status == "pendingTransfer"}
        if stops - {"clientUpdateProhibited"} or ("clientUpdateProhibited" in stops - go):
            return epp.STATUS_PROHIBITS
        if not added <= self._hosts or not removed <= set(found.nameservers):
            return epp.NOT_THERE
        if added & (set(found.nameservers) - removed):
            return epp.PARAMETER_POLICY
        hosts = tuple(sorted((set(found.nameservers) - removed) | added))
        statuses = tuple(sorted((set(found.statuses) - go - {"ok"}) | come)) or ("ok",)
        self._domains[domain] = replace(found, nameservers=hosts, statuses=statuses, updated=instant_text(self._clock.now()))
        self._clock.at(self._clock.now() + self.delay, lambda: self.publish(domain))
        return epp.OK

    async def publish(self, domain: Name) -> None:
        """Brings the TLD's zone to what the registry holds."""
        wanted, published = self._domains[domain].nameservers, self._published[domain]
        tld = next(each for each in self._tlds if is_under(domain, each.zone))
        changes = [Record(domain, NS, IN, tld.ttl, host) for host in wanted if host not in published]
        changes += [Record(domain, NS, NONE, 0, host) for host in published if host not in wanted]
        if not changes:
            return
        try:
            await send_records(self._asker, tld.primary, tld.zone, tuple(changes), tld.key)
        except Fault as fault:
            raise OSError(fault.message) from fault
        self._published[domain] = wanted
