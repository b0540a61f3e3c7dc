"""Hosts: name servers as objects of their own, with addresses where they lie below a domain of this registry (RFC
5732)."""

from collections.abc import Callable, Iterable
from dataclasses import replace

from legatum.core.records.name import Name, is_under, name_text
from legatum.practice.registry.book import Book, ruling
from legatum.wire import epp


class HostDesk:
    """``by_attribute``: this registry has no host objects; name servers are attributes of their domains."""

    def __init__(self, book: Book, changed: Callable[[Name], None], by_attribute: bool = False) -> None:
        self._book = book
        self._changed = changed
        self.by_attribute = by_attribute

    def check(self, host: Name) -> epp.Availability:
        taken = host in self._book.hosts
        return epp.Availability(name_text(host), not taken, "exists" if taken else "", "host")

    def info(self, host: Name) -> epp.Response:
        found = self._book.hosts.get(host)
        if found is None:
            return ruling(epp.NOT_THERE)
        return ruling(epp.OK, host=replace(found, statuses=("ok", "linked") if self._book.users_of(host) else ("ok",)))

    def create(self, registrar: str, host: Name, addresses: Iterable[str]) -> epp.Response:
        """A host below a domain needs addresses and that domain's registrar; one elsewhere has none here."""
        given = tuple(addresses)
        above = self._book.above(host)
        if host in self._book.hosts:
            return ruling(epp.EXISTS)
        if any(is_under(host, suffix) for suffix in self._book.suffixes):
            if above is None:
                return ruling(epp.NOT_THERE, "no such domain above it")
            if self._book.domains[above].registrar != registrar:
                return ruling(epp.AUTHORISATION)
            if "pendingTransfer" in self._book.domains[above].statuses:
                return ruling(epp.STATUS_PROHIBITS)
            if not given or len(set(given)) != len(given):
                return ruling(epp.PARAMETER_POLICY)
        elif given:
            return ruling(epp.PARAMETER_POLICY)
        roid, date = f"H{self._book.number():06d}-QM", self._book.now_text()
        self._book.hosts[host] = epp.HostData(host, roid, (), given, registrar, date)
        for domain in self._book.users_of(
            host
        ):  # named before there was such a host, by a registry that lets that happen
            self._changed(domain)
        return ruling(epp.OK)

    def update(self, registrar: str, host: Name, add: Iterable[str], remove: Iterable[str]) -> epp.Response:
        found, come, go = self._book.hosts.get(host), tuple(add), set(remove)
        if found is None or not go <= set(found.addresses):
            return ruling(epp.NOT_THERE)
        if found.registrar != registrar:
            return ruling(epp.AUTHORISATION)
        above = self._book.above(host)
        if above is not None and "pendingTransfer" in self._book.domains[above].statuses:
            return ruling(epp.STATUS_PROHIBITS)
        addresses = tuple(each for each in found.addresses if each not in go) + come
        if len(set(addresses)) != len(addresses) or (not addresses and self._book.users_of(host)):
            return ruling(epp.PARAMETER_POLICY)
        self._book.hosts[host] = replace(found, addresses=addresses)
        for domain in self._book.users_of(host):
            self._changed(domain)
        return ruling(epp.OK)

    def delete(self, registrar: str, host: Name) -> epp.Response:
        found = self._book.hosts.get(host)
        if found is None:
            return ruling(epp.NOT_THERE)
        if found.registrar != registrar:
            return ruling(epp.AUTHORISATION)
        if self._book.users_of(host):
            return ruling(epp.IN_USE)
        del self._book.hosts[host]
        return ruling(epp.OK)

    # Where name servers are attributes

    def refuse_attributes(self, registrar: str, domain: Name, glue: epp.Glue) -> epp.Response | None:
        """Those below the domain itself need addresses, others must have none."""
        for host, addresses in glue:
            if is_under(host, domain) != bool(addresses) or len(set(addresses)) != len(addresses):
                return ruling(
                    epp.PARAMETER_POLICY,
                    f"{name_text(host)}: addresses for name servers below the domain, and for no others",
                )
        return None

    def attributes(self, found: epp.DomainData) -> epp.Glue:
        """Its name servers, those below it with their addresses."""
        inside = {host: self._book.hosts[host].addresses for host in found.nameservers if is_under(host, found.name)}
        return tuple((host, inside.get(host, ())) for host in found.nameservers)

    def take_attributes(self, registrar: str, domain: Name, glue: epp.Glue) -> None:
        for host, addresses in glue:
            self._book.hosts[host] = epp.HostData(host, "", (), addresses, registrar, self._book.now_text())
