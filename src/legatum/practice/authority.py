"""An authoritative server: answers, referrals, transfers, dynamic updates, NOTIFY - as a primary or a secondary.

What it answers with is the pure core's business (:mod:`legatum.core.zones.answering`); this file is the talking.
"""

from dataclasses import dataclass
from typing import Literal

from legatum.core.records.name import Name
from legatum.core.records.rrtype import AXFR, DNSKEY, IXFR, SOA
from legatum.core.records.soa import next_serial, serial_is_newer
from legatum.core.zones.answering import FORMERR, NOERROR, NOTIMP, REFUSED, ServedZone, answer_from
from legatum.core.zones.zone import Zone
from legatum.net.asking.asker import Asker
from legatum.net.zones.notify import send_notify
from legatum.net.zones.zone_transfer import transfer
from legatum.practice.clock import WorldClock
from legatum.practice.listener import payload_limit
from legatum.practice.log import Visit, VisitLog
from legatum.practice.signing.keyring import KeyRing
from legatum.practice.signing.proving import proven
from legatum.practice.signing.signer import NO_DS, signed
from legatum.wire.codes import rcode_text
from legatum.wire.malformed import Malformed
from legatum.wire.message import (
    AA,
    NOTIFY,
    QR,
    QUERY,
    RD,
    UPDATE,
    Edns,
    Message,
    Question,
    Record,
    decode,
    encode,
    records,
)
from legatum.wire.tsig import BadSignature, Exchange, TsigKey, refuse_signature
from legatum.wire.update import apply_update, unmet

_NOTAUTH, _NXRRSET = 9, 8
_DO = 0x8000
_RECORDS_IN_A_MESSAGE = 200


@dataclass
class _Secondary:
    """Where a zone is copied from, with which key, and when its primary was last heard."""

    primary: str
    key: TsigKey
    heard: float


class Authority:
    """One server process. ``address`` is its first address; ``key`` must sign transfers and updates.

    ``distrusts``: conditions of updates that it takes for not met although they are; ``own_serials``: it writes its own
    serial whatever an update says. Real servers do both. ``signs``: every zone that it is the primary of, with keys of
    ``owner``; ``asks``: zones that ask by CDS for their DS;    ``takes_foreign``: DNSKEY records of others by update.
    """

    def __init__(
        self, name: str, address: str, asker: Asker, clock: WorldClock, log: VisitLog, key: TsigKey, owner: str = ""
    ) -> None:
        self.name = name
        self.owner = owner
        self.rings: dict[Name, KeyRing] = {}
        self.address = address
        self.key = key
        self.notify: list[str] = []
        self.distrusts: Literal["nothing", "the SOA", "everything"] = "nothing"
        self.own_serials = False
        self.signs = self.takes_foreign = False
        self.asks: dict[Name, bool] = {}
        self._signals: dict[Name, dict[Name, Name]] = {}
        self._asker = asker
        self._clock = clock
        self._log = log
        self._served: dict[Name, ServedZone] = {}
        self._secondary: dict[Name, _Secondary] = {}
        self._followers: dict[Name, list[str]] = {}

    # What the owner of the server does

    def zone(self, origin: Name) -> Zone | None:
        served = self._served.get(origin)
        return served.zone if served else None

    def serve(self, zone: Zone) -> None:
        """Serves a zone from now on, as its primary."""
        self._served[zone.origin] = ServedZone(self._signed(zone) if self.signs else zone)
        self._announce(zone.origin)

    def ring(self, origin: Name) -> KeyRing:
        """The keys of a zone that it signs."""
        return self.rings.setdefault(origin, KeyRing.first(self.owner, origin))

    def sign_anew(self, origin: Name) -> None:
        """With its keys as they are now."""
        zone = self.zone(origin)
        if zone is not None:
            self.serve(zone.with_serial(next_serial(zone.soa.serial)))

    def _signed(self, zone: Zone) -> Zone:
        asked = self.asks.get(zone.origin)
        cds = {zone.origin: self.ring(zone.origin).asked_for if asked else NO_DS} if asked is not None else {}
        cds |= {name: self.ring(domain).asked_for for name, domain in self._signals.get(zone.origin, {}).items()}
        return signed(zone, self.ring(zone.origin), self._clock.now(), cds)

    def signal(self, zone: Name, name: Name | None, domain: Name | None) -> None:
        """Says in a zone of the provider's own what a customer's asks for; None: no more."""
        signals = self._signals.setdefault(zone, {})
        if name is not None and domain is not None:
            signals[name] = domain
        elif name is not None:
            signals.pop(name, None)
        self.sign_anew(zone)

    def follow(self, origin: Name, primary: str, key: TsigKey | None = None) -> None:
        """Serves a copy of a zone, fetched from its primary now and whenever that changes; ``key``: which that one asks
        for, if another."""
        self._secondary[origin] = _Secondary(primary, key or self.key, self._clock.now())
        self._clock.spawn(self._refresh(origin))

    def follows(self, origin: Name) -> bool:
        return origin in self._secondary

    def tell(self, origin: Name, follower: str) -> None:
        """A server of somebody else's is told of changes of this zone from now on."""
        if follower not in self._followers.setdefault(origin, []):
            self._followers[origin].append(follower)

    def drop(self, origin: Name) -> None:
        """Serves the zone no longer."""
        self._served.pop(origin, None)
        self._secondary.pop(origin, None)
        self._followers.pop(origin, None)
        self.rings.pop(origin, None)

    # Requests

    async def handle(self, wire: bytes, tcp: bool) -> list[bytes]:
        try:
            request = decode(wire)
        except Malformed:
            return [encode(Message(int.from_bytes(wire[:2]), QR, FORMERR))] if len(wire) >= 12 else []
        if request.flags & QR or len(request.questions) != 1:
            return []
        question = request.questions[0]
        if request.opcode == UPDATE:
            answers, rcode = self._update(wire, request)
        elif request.opcode == NOTIFY:
            answers, rcode = self._notified(request)
        elif request.opcode != QUERY:
            answers, rcode = [encode(_reply(request, NOTIMP))], NOTIMP
        elif question.rtype in (AXFR, IXFR):
            answers, rcode = self._transfer(wire, request) if tcp else ([encode(_reply(request, REFUSED))], REFUSED)
        else:
            answers, rcode = self._answer(request, payload_limit(wire, tcp))
        kind = {UPDATE: "update: ", NOTIFY: "notify: "}.get(request.opcode, "")
        outcome = kind + (rcode_text(rcode) if rcode else "answered")
        self._log.add(
            Visit(self._clock.now(), self.name, "TCP" if tcp else "UDP", question.name, question.rtype, outcome)
        )
        return answers

    def _answer(self, request: Message, limit: int) -> tuple[list[bytes], int]:
        question = request.questions[0]
        found = answer_from(self._served, question.name, question.rtype)
        if request.edns is not None and request.edns.flags & _DO:
            found = proven(self._served, found, question.name, question.rtype)
        reply = _reply(
            request, found.rcode, AA if found.authoritative else 0,
            records(found.answer), records(found.authority), records(found.additional),
        )  # fmt: skip
        return [encode(reply, limit)], found.rcode

    def _transfer(self, wire: bytes, request: Message) -> tuple[list[bytes], int]:
        exchange, refusal = self._checked(wire, request)
        if exchange is None:
            return [refusal], _NOTAUTH if request.tsig_at else REFUSED
        served = self._served.get(request.questions[0].name)
        if served is None:
            return [exchange.sign_answer(encode(_reply(request, _NOTAUTH)), self._clock.now())], _NOTAUTH
        everything = records(served.zone)
        everything = (*everything, everything[0])  # it begins and ends with the SOA
        messages = []
        for at in range(0, len(everything), _RECORDS_IN_A_MESSAGE):
            reply = _reply(request, NOERROR, AA, everything[at : at + _RECORDS_IN_A_MESSAGE])
            messages.append(exchange.sign_answer(encode(reply), self._clock.now(), multi=True))
        return messages, NOERROR

    def _update(self, wire: bytes, request: Message) -> tuple[list[bytes], int]:
        exchange, refusal = self._checked(wire, request)
        if exchange is None:
            return [refusal], _NOTAUTH if request.tsig_at else REFUSED
        origin = request.questions[0].name
        rcode = NOERROR
        served = self._served.get(origin)
        if served is None or origin in self._secondary:
            rcode = _NOTAUTH
        elif not (rcode := self._unmet(served.zone, request.answer)):
            changed = apply_update(served.zone, request.authority)
            if changed != served.zone:
                if self.own_serials or not serial_is_newer(changed.soa.serial, served.zone.soa.serial):
                    changed = changed.with_serial(next_serial(served.zone.soa.serial))
                if self.takes_foreign and (keys := changed.get(origin, DNSKEY)) is not None:
                    self.ring(origin).take_in(keys.rdatas)
                self.serve(changed)
        return [exchange.sign_answer(encode(_reply(request, rcode)), self._clock.now())], rcode

    def _unmet(self, zone: Zone, conditions: tuple[Record, ...]) -> int:
        refused = {"nothing": (), "the SOA": (SOA,), "everything": tuple(record.rtype for record in conditions)}[
            self.distrusts
        ]
        return unmet(zone, conditions) or (
            _NXRRSET if any(record.rtype in refused for record in conditions) else NOERROR
        )

    def _checked(self, wire: bytes, request: Message) -> tuple[Exchange | None, bytes]:
        """The exchange to sign answers with, or the refusal to send."""
        if request.tsig_at is None:
            return None, encode(_reply(request, REFUSED))
        exchange = Exchange(self.key)
        try:
            exchange.check_request(wire, request, self._clock.now())
        except BadSignature as error:
            return None, refuse_signature(encode(_reply(request, _NOTAUTH)), request, error.code, self._clock.now())
        return exchange, b""

    # Primary and secondary

    def _announce(self, origin: Name) -> None:
        for secondary in (*self.notify, *self._followers.get(origin, ())):
            self._clock.spawn(self._send_notify(origin, secondary))

    async def _send_notify(self, origin: Name, secondary: str) -> None:
        """NOTIFY (RFC 1996), once: a secondary that misses it has its refresh timer."""
        await send_notify(self._asker, secondary, origin)

    def _notified(self, request: Message) -> tuple[list[bytes], int]:
        origin = request.questions[0].name
        if origin not in self._secondary:
            return [encode(_reply(request, _NOTAUTH))], _NOTAUTH
        self._clock.spawn(self._refresh(origin))
        return [encode(_reply(request, NOERROR, AA))], NOERROR

    async def _refresh(self, origin: Name) -> None:
        """Takes the zone from its primary where that has a newer serial, and comes back after the SOA's refresh or
        retry."""
        role = self._secondary.get(origin)
        if role is None:
            return
        reply = await self._asker.ask(role.primary, origin, SOA)
        soa = reply.find(SOA)
        present = self.zone(origin)
        if soa is not None and reply.authoritative:
            role.heard = self._clock.now()
            offered = Zone(origin, [soa]).soa.serial
            if present is None or serial_is_newer(offered, present.soa.serial):
                fetched = await transfer(self._asker, role.primary, origin, role.key)
                if origin in self._secondary:
                    self._served[origin] = ServedZone(fetched)
        self._plan_refresh(origin, role, soa is not None)

    def _plan_refresh(self, origin: Name, role: _Secondary, heard: bool) -> None:
        zone = self.zone(origin)
        if zone is None or self._secondary.get(origin) is not role:
            return
        if self._clock.now() - role.heard > zone.soa.expire:
            self._served.pop(origin, None)
            return
        serial, wait = zone.soa.serial, zone.soa.refresh if heard else zone.soa.retry

        async def again() -> None:
            now_served = self.zone(origin)
            if now_served is not None and now_served.soa.serial == serial:
                await self._refresh(origin)

        self._clock.at(self._clock.now() + max(wait, 60), again)


def _reply(
    request: Message, rcode: int, flags: int = 0,
    answer: tuple[Record, ...] = (), authority: tuple[Record, ...] = (), additional: tuple[Record, ...] = (),
) -> Message:  # fmt: skip
    questions: tuple[Question, ...] = request.questions
    edns = Edns(1232, 0, 0) if request.edns else None
    flags |= QR | request.flags & (0x7800 | RD)
    return Message(request.id, flags, rcode, questions, answer, authority, additional, edns)
