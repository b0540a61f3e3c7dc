"""A registry: which domain is registered with whom, on which name servers - and its publishing into the TLD's zone.

Rules only; the talking is in :mod:`legatum.practice.epp_server`. Publishing is a signed dynamic update to the primary server
of the TLD, so that the same registry can stand before a real server.
"""

import secrets
from collections.abc import Iterable
from dataclasses import dataclass, replace

from legatum.core.address import address_rdata
from legatum.core.fault import Fault
from legatum.core.instant import instant_text, parse_instant
from legatum.core.name import Name, is_under
from legatum.core.rrtype import AAAA, NS, A
from legatum.net.asker import Asker
from legatum.net.update import send_records
from legatum.practice.clock import WorldClock
from legatum.wire import epp
from legatum.wire.message import IN, NONE, Record
from legatum.wire.signing import Key

_YEAR = 365 * 86400
_LONGEST = 10  # years that a registration may reach ahead
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
        self._hosts = {host: epp.HostData(host) for host in hosts}
        self._glue: dict[Name, tuple[str, ...]] = {}
        self._asker = asker
        self._clock = clock
        self._domains: dict[Name, epp.DomainData] = {}
        self._published: dict[Name, tuple[Name, ...]] = {}
        self.delay = delay

    def register(self, domain: Name, registrar: str, nameservers: Iterable[Name]) -> None:
        """A domain that is registered, and published, when the world begins."""
        hosts = tuple(sorted(nameservers))
        for host in hosts:
            self._hosts.setdefault(host, epp.HostData(host, registrar=registrar))
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
        if not added <= self._hosts.keys() or not removed <= set(found.nameservers):
            return epp.NOT_THERE
        if added & (set(found.nameservers) - removed):
            return epp.PARAMETER_POLICY
        hosts = tuple(sorted((set(found.nameservers) - removed) | added))
        statuses = tuple(sorted((set(found.statuses) - go - {"ok"}) | come)) or ("ok",)
        self._domains[domain] = replace(found, nameservers=hosts, statuses=statuses, updated=instant_text(self._clock.now()))
        self._soon(domain)
        return epp.OK

    def renew(self, registrar: str, domain: Name, expires: str, years: int) -> int:
        """``expires``: the date that the client believes it expires on; not more than ten years ahead (RFC 5731 s3.2.3)."""
        code, found = self.info(registrar, domain)
        if found is None:
            return code
        if any("RenewProhibited" in status for status in found.statuses):
            return epp.STATUS_PROHIBITS
        if expires != found.expires[:10] or not 1 <= years <= 10:
            return epp.PARAMETER_POLICY
        until = parse_instant(found.expires) + years * _YEAR
        if until > self._clock.now() + _LONGEST * _YEAR:
            return epp.PARAMETER_POLICY
        self._domains[domain] = replace(found, expires=instant_text(until), updated=instant_text(self._clock.now()))
        return epp.OK

    # Host objects (RFC 5732)

    def host_info(self, host: Name) -> tuple[int, epp.HostData | None]:
        found = self._hosts.get(host)
        if found is None:
            return epp.NOT_THERE, None
        return epp.OK, replace(found, statuses=("linked",) if self._leaning_on(host) else ("ok",))

    def create_host(self, registrar: str, host: Name, addresses: Iterable[str]) -> int:
        """A host below a domain needs addresses and that domain's registrar; one elsewhere has none here."""
        given = tuple(addresses)
        above = self._domain_above(host)
        if host in self._hosts:
            return epp.EXISTS
        if any(is_under(host, tld.zone) for tld in self._tlds):
            if above is None:
                return epp.NOT_THERE
            if self._domains[above].registrar != registrar:
                return epp.AUTHORISATION
            if not given or len(set(given)) != len(given):
                return epp.PARAMETER_POLICY
        elif given:
            return epp.PARAMETER_POLICY
        self._hosts[host] = epp.HostData(host, f"H{len(self._hosts) + 1:06d}-QM", (), given, registrar, instant_text(self._clock.now()))
        return epp.OK

    def update_host(self, registrar: str, host: Name, add: Iterable[str], remove: Iterable[str]) -> int:
        found, come, go = self._hosts.get(host), tuple(add), set(remove)
        if found is None or not go <= set(found.addresses):
            return epp.NOT_THERE
        if found.registrar != registrar:
            return epp.AUTHORISATION
        addresses = tuple(each for each in found.addresses if each not in go) + come
        if len(set(addresses)) != len(addresses) or (not addresses and self._leaning_on(host)):
            return epp.PARAMETER_POLICY
        self._hosts[host] = replace(found, addresses=addresses)
        for domain in self._leaning_on(host):
            self._soon(domain)
        return epp.OK

    def delete_host(self, registrar: str, host: Name) -> int:
        found = self._hosts.get(host)
        if found is None:
            return epp.NOT_THERE
        if found.registrar != registrar:
            return epp.AUTHORISATION
        if self._leaning_on(host):
            return epp.LEANED_ON
        del self._hosts[host]
        return epp.OK

    def _leaning_on(self, host: Name) -> list[Name]:
        return [domain for domain, data in self._domains.items() if host in data.nameservers]

    def _domain_above(self, host: Name) -> Name | None:
        return next((domain for domain in self._domains if is_under(host, domain)), None)

    def _soon(self, domain: Name) -> None:
        self._clock.at(self._clock.now() + self.delay, lambda: self.publish(domain))

    async def publish(self, domain: Name) -> None:
        """Brings the TLD's zone to what the registry holds."""
        wanted, published = self._domains[domain].nameservers, self._published[domain]
        tld = next(each for each in self._tlds if is_under(domain, each.zone))
        changes = [Record(domain, NS, IN, tld.ttl, host) for host in wanted if host not in published]
        changes += [Record(domain, NS, NONE, 0, host) for host in published if host not in wanted]
        changes += self._glue_changes(domain, wanted, published, tld)
        if not changes:
            return
        try:
            await send_records(self._asker, tld.primary, tld.zone, tuple(changes), tld.key)
        except Fault as fault:
            raise OSError(fault.message) from fault
        self._published[domain] = wanted

    def _glue_changes(self, domain: Name, wanted: tuple[Name, ...], published: tuple[Name, ...], tld: Tld) -> list[Record]:
        """Addresses of hosts below the domain itself, as they stand now."""
        changes = []
        for host in {*wanted, *published}:
            if is_under(host, domain):
                held = self._hosts[host].addresses if host in wanted and host in self._hosts else ()
                before = self._glue.get(host, ())
                changes += [_glue_record(host, text, IN, tld.ttl) for text in held if text not in before]
                changes += [_glue_record(host, text, NONE, 0) for text in before if text not in held]
                self._glue[host] = held
        return changes


def _glue_record(host: Name, address: str, rclass: int, ttl: int) -> Record:
    return Record(host, AAAA if ":" in address else A, rclass, ttl, address_rdata(address))
