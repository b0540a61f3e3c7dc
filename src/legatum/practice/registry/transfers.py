"""Transfers between registrars (RFC 5731 s3.1.3, s3.2.4): asked for with the code, acted on, or done by themselves
after five days."""

from dataclasses import replace

from legatum.core.calendar.instant import instant_text
from legatum.core.records.name import Name, name_text
from legatum.practice.registry.book import DAY, Book, ruling
from legatum.practice.registry.domains import CLIENT_STATUSES, DomainDesk
from legatum.wire import epp

_QUIET = 60  # days after registration or a transfer in which there is no other
_BY_ITSELF = 5  # days until a transfer happens when nobody acts
_GRACE = 5  # days
_PENDING = "pending"


class TransferDesk:
    """A transferred domain takes the hosts below it along; the losing registrar's own statuses stay behind."""

    def __init__(self, book: Book, domains: DomainDesk) -> None:
        self._book = book
        self._domains = domains

    def request(self, registrar: str, domain: Name, code: str, years: int) -> epp.Response:
        found = self._book.domains.get(domain)
        if found is None:
            return ruling(epp.NOT_THERE)
        if refused := self._refuse(registrar, found, code, years):
            return refused
        now = self._book.clock.now()
        acts_by = now + _BY_ITSELF * DAY
        later = self._book.longer(found.expires, years) or found.expires
        asked = epp.TransferData(
            domain,
            _PENDING,
            registrar,
            instant_text(now),
            found.registrar,
            instant_text(acts_by),
            later if years else found.expires,
        )
        self._book.transfers[domain] = asked
        self._book.keep(found, {*found.statuses, "pendingTransfer"})
        self._book.tell(found.registrar, f"{registrar} asks for the transfer of {name_text(domain)}", asked)
        self._book.clock.at(acts_by, lambda: self._by_itself(domain, asked))
        return ruling(epp.PENDING, transfer=asked)

    def _refuse(self, registrar: str, found: epp.DomainData, code: str, years: int) -> epp.Response | None:
        standing = self._book.transfers.get(found.name)
        if found.registrar == registrar:
            return ruling(epp.NOT_TRANSFERABLE, "it is with this registrar")
        if standing is not None and standing.status == _PENDING:
            return ruling(epp.TRANSFER_PENDING)
        if stops := [each for each in found.statuses if "TransferProhibited" in each or each.startswith("pending")]:
            return ruling(epp.STATUS_PROHIBITS, ", ".join(stops))
        if self._domains.age(found.name) < _QUIET:
            return ruling(epp.NOT_TRANSFERABLE, f"not within {_QUIET} days of registration or transfer")
        if code != found.code:
            return ruling(epp.WRONG_CODE)
        return ruling(epp.PARAMETER_POLICY, "one year is added, or none") if years not in (0, 1) else None

    def query(self, registrar: str, domain: Name, code: str) -> epp.Response:
        found, standing = self._book.domains.get(domain), self._book.transfers.get(domain)
        if found is None:
            return ruling(epp.NOT_THERE)
        if standing is None:
            return ruling(epp.NO_TRANSFER)
        if registrar not in (found.registrar, standing.asking, standing.acting) and code != found.code:
            return ruling(epp.AUTHORISATION)
        return ruling(epp.OK, transfer=standing)

    def act(self, registrar: str, domain: Name, op: str) -> epp.Response:
        """The losing registrar approves or rejects, the gaining one cancels."""
        standing = self._book.transfers.get(domain)
        if domain not in self._book.domains:
            return ruling(epp.NOT_THERE)
        if standing is None or standing.status != _PENDING:
            return ruling(epp.NO_TRANSFER)
        if registrar != (standing.asking if op == "cancel" else standing.acting):
            return ruling(epp.AUTHORISATION)
        status = {"approve": "clientApproved", "reject": "clientRejected", "cancel": "clientCancelled"}[op]
        return ruling(epp.OK, transfer=self._end(standing, status))

    async def _by_itself(self, domain: Name, asked: epp.TransferData) -> None:
        if self._book.transfers.get(domain) == asked:
            self._end(asked, "serverApproved")

    def _end(self, standing: epp.TransferData, status: str) -> epp.TransferData:
        found = self._book.domains[standing.name]
        done = replace(standing, status=status, acts_by=self._book.now_text())
        self._book.transfers[standing.name] = done
        statuses = set(found.statuses) - {"pendingTransfer"}
        if status.endswith("Approved"):
            moved = replace(found, registrar=done.asking, transferred=self._book.now_text(), expires=done.expires)
            self._book.keep(moved, statuses - CLIENT_STATUSES)
            self._book.give_grace(standing.name, "transferPeriod", _GRACE)
            for host in self._book.below(standing.name):
                self._book.hosts[host] = replace(self._book.hosts[host], registrar=done.asking)
        else:
            self._book.keep(found, statuses)
        for registrar in {done.asking, done.acting}:
            self._book.tell(registrar, f"the transfer of {name_text(standing.name)} is over: {status}", done)
        return done
