"""Domains: check, info, update, renewal, deletion and restoration, with the statuses and periods that rule them (RFC
5731, 5910, 3915)."""

import secrets
from collections.abc import Callable, Iterable
from dataclasses import replace

from legatum.core.calendar.instant import instant_text, parse_instant
from legatum.core.dnssec.serving import ds_of_key
from legatum.core.records.name import Name, name_text, parent_of
from legatum.practice.registry.book import DAY, YEAR, Book, ruling
from legatum.practice.registry.hosts import HostDesk
from legatum.wire import epp

CLIENT_STATUSES = {f"client{what}Prohibited" for what in ("Update", "Transfer", "Delete", "Renew")} | {"clientHold"}
_MOST_SERVERS, _MOST_DS = 13, 4
_DIGESTS = {1: 20, 2: 32, 4: 48}  # digest type → octets (RFC 4034, 4509, 6605)
_ALGORITHMS = {8, 10, 13, 14, 15, 16}
_REDEMPTION, _REPORT, _PURGE = 30, 7, 5  # days
_AUTO_RENEWED, _RENEWED = 45, 5
_SHORTEST_CODE = 6


class DomainDesk:
    """``changed`` is told of every domain that must be published anew. ``tells_others``: what is held of a domain is
    told to other registrars too, as some registries do (RFC 5731 s3.1.2); ``wants_keys``: DS records are made here, of
    keys (RFC 5910 s4.2)."""

    def __init__(self, book: Book, hosts: HostDesk, changed: Callable[[Name], None]) -> None:
        self._book = book
        self._hosts = hosts
        self._changed = changed
        self.tells_others = self.wants_keys = False

    def register(
        self, domain: Name, registrar: str, nameservers: Iterable[Name], age: float = 2 * YEAR, ds: Iterable[bytes] = ()
    ) -> None:
        """A domain that is registered when the world begins, ``age`` seconds old."""
        book, hosts = self._book, tuple(sorted(nameservers))
        for host in hosts:
            book.hosts.setdefault(host, epp.HostData(host, registrar=registrar))
        now = book.clock.now()
        book.contacts.setdefault(
            "QM-1", epp.ContactData("QM-1", "Quillmoor Hosting", "Quillmoor", "IE", "post@quillmoor.test", registrar)
        )
        book.domains[domain] = epp.DomainData(
            domain,
            f"D{book.number():06d}-QM",
            ("ok",),
            hosts,
            (),
            registrar,
            instant_text(now - age),
            "",
            instant_text(now + YEAR),
            registrant="QM-1",
            code=secrets.token_urlsafe(9),
            ds=tuple(ds),
        )
        self._expire_in_time(domain)

    def check(self, domain: Name) -> epp.Availability:
        text = name_text(domain)
        if parent_of(domain) not in self._book.suffixes:
            return epp.Availability(text, False, "not below a suffix of this registry")
        taken = domain in self._book.domains
        return epp.Availability(text, not taken, "registered" if taken else "")

    def info(self, registrar: str, domain: Name, code: str = "") -> epp.Response:
        """The code is told to the sponsoring registrar only; whoever gives it is told the rest."""
        found = self._book.domains.get(domain)
        if found is None:
            return ruling(epp.NOT_THERE)
        own = found.registrar == registrar
        if not own and code != found.code and (code or not self.tells_others):
            return ruling(epp.WRONG_CODE if code else epp.AUTHORISATION)
        told = replace(found, grace=self._book.in_grace(domain), code=found.code if own else "")
        if self._hosts.by_attribute:
            return ruling(epp.OK, domain=replace(told, glue=self._hosts.attributes(found)))
        return ruling(epp.OK, domain=replace(told, hosts=tuple(self._book.below(domain))))

    def update(self, registrar: str, domain: Name, change: epp.DomainChange) -> epp.Response:
        """All of it or nothing."""
        found = self._book.own(registrar, domain)
        if isinstance(found, epp.Response):
            return found
        refused = self._stopped(found, change) or self._statuses_amiss(found, change)
        refused = refused or self._servers_amiss(registrar, found, change) or self._rest_amiss(found, change)
        if refused:
            return refused
        if change.by_attribute:
            self._hosts.take_attributes(registrar, domain, change.glue)
        servers = tuple(sorted((set(found.nameservers) - set(change.remove)) | set(change.add)))
        ds = tuple(sorted((set(found.ds) - set(change.remove_ds)) | set(change.add_ds)))
        keys = tuple(sorted((set(found.keys) - set(change.remove_keys)) | set(change.add_keys)))
        ds = tuple(sorted(ds_of_key(domain, each) for each in keys)) if self.wants_keys else ds
        statuses = (set(found.statuses) - set(change.remove_statuses)) | set(change.add_statuses)
        registrant, code = change.registrant or found.registrant, change.code or found.code
        self._book.keep(
            replace(found, nameservers=servers, ds=ds, keys=keys, registrant=registrant, code=code), statuses
        )
        self._changed(domain)
        return ruling(epp.OK)

    def _stopped(self, found: epp.DomainData, change: epp.DomainChange) -> epp.Response | None:
        """Where updates are prohibited only that prohibition itself can be taken away."""
        stops = {
            each
            for each in found.statuses
            if "UpdateProhibited" in each or each in ("pendingTransfer", "pendingDelete")
        }
        if stops - {"clientUpdateProhibited"} or stops - set(change.remove_statuses):
            return ruling(epp.STATUS_PROHIBITS, f"{', '.join(sorted(stops))}")
        return None

    def _statuses_amiss(self, found: epp.DomainData, change: epp.DomainChange) -> epp.Response | None:
        come, go, held = set(change.add_statuses), set(change.remove_statuses), set(found.statuses)
        if (come | go) - CLIENT_STATUSES:
            return ruling(epp.PARAMETER_POLICY, "the registry's own statuses are the registry's")
        if go - held:
            return ruling(epp.NOT_THERE, "a status that is not set")
        return ruling(epp.PARAMETER_POLICY, "a status that is set already") if come & held else None

    def _servers_amiss(self, registrar: str, found: epp.DomainData, change: epp.DomainChange) -> epp.Response | None:
        come, go, held = set(change.add), set(change.remove), set(found.nameservers)
        if change.by_attribute != self._hosts.by_attribute and (come or go):
            wanted = "attributes" if self._hosts.by_attribute else "host objects"
            return ruling(epp.PARAMETER_POLICY, f"name servers are given as {wanted} here")
        if change.by_attribute and (refused := self._hosts.refuse_attributes(registrar, found.name, change.glue)):
            return refused
        if (not self._hosts.by_attribute and come - self._book.hosts.keys()) or go - held:
            return ruling(epp.NOT_THERE)
        if come & (held - go):
            return ruling(epp.PARAMETER_POLICY, "a name server that is there already")
        if (come or go) and not 2 <= len((held - go) | come) <= _MOST_SERVERS and (held - go) | come:
            return ruling(epp.PARAMETER_POLICY, f"2 to {_MOST_SERVERS} name servers, or none")
        return None

    def _rest_amiss(self, found: epp.DomainData, change: epp.DomainChange) -> epp.Response | None:
        if (change.add_ds or change.remove_ds) if self.wants_keys else (change.add_keys or change.remove_keys):
            return ruling(
                epp.PARAMETER_POLICY, f"{'keys' if self.wants_keys else 'DS records'} are taken here, and nothing else"
            )
        if set(change.remove_keys) - set(found.keys):
            return ruling(epp.NOT_THERE, "a key that is not there")
        if set(change.remove_ds) - set(found.ds):
            return ruling(epp.NOT_THERE, "a DS record that is not there")
        if len((set(found.ds) - set(change.remove_ds)) | set(change.add_ds)) > _MOST_DS:
            return ruling(epp.PARAMETER_POLICY, f"at most {_MOST_DS} DS records")
        for rdata in change.add_ds:
            if rdata[2] not in _ALGORITHMS or len(rdata) - 4 != _DIGESTS.get(rdata[3]):
                return ruling(
                    epp.PARAMETER_POLICY,
                    f"a DS record with algorithm {rdata[2]}, digest type {rdata[3]}, {len(rdata) - 4} octets",
                )
        if change.registrant and change.registrant not in self._book.contacts:
            return ruling(epp.NOT_THERE, "a contact that is not there")
        if change.code is not None and len(change.code) < _SHORTEST_CODE:
            return ruling(epp.PARAMETER_POLICY, f"an authorisation code of {_SHORTEST_CODE} characters at least")
        return None

    def renew(self, registrar: str, domain: Name, expires: str, years: int) -> epp.Response:
        """``expires``: the date that the client believes it expires on; not more than ten years ahead (RFC 5731
        s3.2.3)."""
        found = self._book.own(registrar, domain)
        if isinstance(found, epp.Response):
            return found
        if any("RenewProhibited" in each or each.startswith("pending") for each in found.statuses):
            return ruling(epp.STATUS_PROHIBITS)
        until = self._book.longer(found.expires, years)
        if expires != found.expires[:10] or not 1 <= years <= 10 or until is None:
            return ruling(epp.PARAMETER_POLICY)
        self._book.keep(replace(found, expires=until))
        self._book.give_grace(domain, "renewPeriod", _RENEWED)
        self._expire_in_time(domain)
        return ruling(epp.OK, expires=until)

    # The end of a registration

    def _expire_in_time(self, domain: Name) -> None:
        expires = self._book.domains[domain].expires
        self._book.clock.at(parse_instant(expires), lambda: self._expire(domain, expires))

    async def _expire(self, domain: Name, expires: str) -> None:
        """Renewed by itself for a year, with a grace period in which the registrar can delete it."""
        found = self._book.domains.get(domain)
        if found is None or found.expires != expires or "pendingDelete" in found.statuses:
            return
        self._book.keep(replace(found, expires=instant_text(parse_instant(expires) + YEAR)))
        self._book.give_grace(domain, "autoRenewPeriod", _AUTO_RENEWED)
        self._book.tell(found.registrar, f"{name_text(domain)} was renewed by itself")
        self._expire_in_time(domain)

    def delete(self, registrar: str, domain: Name) -> epp.Response:
        """Out of the zone at once, then held back for redemption (RFC 3915 s2)."""
        found = self._book.own(registrar, domain)
        if isinstance(found, epp.Response):
            return found
        if any("DeleteProhibited" in each or each.startswith("pending") for each in found.statuses):
            return ruling(epp.STATUS_PROHIBITS)
        if any(set(self._book.users_of(host)) - {domain} for host in self._book.below(domain)):
            return ruling(epp.IN_USE, "other domains use hosts below it")
        self._book.keep(found, {*found.statuses, "pendingDelete"})
        self._in_redemption(domain)
        self._changed(domain)
        return ruling(epp.PENDING)

    def _in_redemption(self, domain: Name) -> None:
        self._book.grace[domain] = {}
        until = self._book.give_grace(domain, "redemptionPeriod", _REDEMPTION)
        self._book.clock.at(until, lambda: self._purge(domain, until))

    async def _purge(self, domain: Name, redemption: float) -> None:
        """After the redemption period a few days in which nobody can have it back, then it is gone."""
        if self._book.grace.get(domain, {}).get("redemptionPeriod") != redemption:
            return
        gone = self._book.give_grace(domain, "pendingDelete", _PURGE)

        async def end() -> None:
            for host in self._book.below(domain):
                del self._book.hosts[host]
            del self._book.domains[domain], self._book.grace[domain]

        self._book.clock.at(gone, end)

    def restore(self, registrar: str, domain: Name, op: str) -> epp.Response:
        """Back within the redemption period: asked for, then reported on within a week (RFC 3915 s4.2.5)."""
        found = self._book.own(registrar, domain)
        if isinstance(found, epp.Response):
            return found
        grace = self._book.in_grace(domain)
        if op == "request":
            if "redemptionPeriod" not in grace:
                return ruling(epp.STATUS_PROHIBITS, "it is not in its redemption period")
            self._book.grace[domain] = {}
            until = self._book.give_grace(domain, "pendingRestore", _REPORT)
            self._book.keep(found, set(found.statuses) - {"pendingDelete"})
            self._changed(domain)
            self._book.clock.at(until, lambda: self._unreported(domain, until))
            return ruling(epp.OK)
        if "pendingRestore" not in grace:
            return ruling(epp.STATUS_PROHIBITS, "no restoration waits for a report")
        self._book.grace[domain] = {}
        return ruling(epp.OK)

    async def _unreported(self, domain: Name, until: float) -> None:
        if self._book.grace.get(domain, {}).get("pendingRestore") == until:
            found = self._book.domains[domain]
            self._book.keep(found, {*found.statuses, "pendingDelete"})
            self._in_redemption(domain)
            self._changed(domain)

    def served(self, domain: Name) -> tuple[Name, ...]:
        """The NS set to publish: none for a deleted domain, one on hold, or one that is gone."""
        found = self._book.domains.get(domain)
        off = found is None or {"pendingDelete", "clientHold", "serverHold"} & set(found.statuses)
        return () if found is None or off else found.nameservers

    def age(self, domain: Name) -> float:
        """Days since it was registered or last transferred."""
        found = self._book.domains[domain]
        return (self._book.clock.now() - parse_instant(found.transferred or found.created)) / DAY
