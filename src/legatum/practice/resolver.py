"""A caching resolver of one of the kinds that a move has to be right for (docs/timing.md).

It walks from the root with real packets and keeps what it learns for its TTL by the world's clock. The kinds differ in
one thing only: which NS set they keep for a zone, the one of the parent's referral or the one that the zone's own
servers hand out, and whether a later answer renews it.
"""

import random
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from legatum.core.dnssec.signature import signatures_over
from legatum.core.records.address import address_text
from legatum.core.records.name import ROOT, Name, ancestors, is_under, parent_of
from legatum.core.records.rrset import RRset, targets
from legatum.core.records.rrtype import AAAA, CNAME, DS, NS, SOA, A
from legatum.core.records.soa import negative_ttl
from legatum.core.rehearsal.caches import CacheKind
from legatum.core.zones.answering import FORMERR, NOERROR, NXDOMAIN, SERVFAIL
from legatum.net.asking.asker import Asker
from legatum.net.asking.reply import Reply
from legatum.net.asking.walk import referral
from legatum.practice.clock import WorldClock
from legatum.practice.listener import payload_limit
from legatum.practice.log import Visit, VisitLog
from legatum.practice.signing.validator import Bogus, Given, Validator
from legatum.wire.codes import rcode_text
from legatum.wire.malformed import Malformed
from legatum.wire.message import AD, DO, QR, RA, RD, Edns, Message, decode, encode, records

_STEPS = 24
_DEEPEST = 6
_EXTENDED_ERROR, _BOGUS = 15, 6  # RFC 8914 s2, s4.7


@dataclass(frozen=True, slots=True)
class _Kept:
    """A cached RRset, or a denial: ``rrset`` None with its ``rcode`` and SOA. ``signatures``: over one or the other;
    ``zone``: whose."""

    rrset: RRset | None
    expires: float
    rcode: int = NOERROR
    soa: RRset | None = None
    signatures: RRset | None = None
    zone: Name = ROOT


@dataclass(frozen=True, slots=True)
class _KeptCut:
    """A cached NS set. ``from_child``: it came from the zone's own servers."""

    ns: RRset
    expires: float
    from_child: bool


@dataclass(frozen=True, slots=True)
class Resolved:
    """What a visitor gets: the chain of aliases and the answer, TTLs as left. ``validated``: all of it is signed, up to
    an anchor; ``bogus``: it should be, and is not."""

    rcode: int
    rrsets: tuple[RRset, ...] = ()
    soa: RRset | None = None
    validated: bool = False
    bogus: bool = False


class _Failed(Exception):
    """No server gave a usable answer."""


class Resolver:
    """Answers visitors. ``roots``: name → addresses; ``anchors``: zone → DS data, for one that validates."""

    def __init__(
        self,
        name: str,
        kind: CacheKind,
        roots: Mapping[Name, tuple[str, ...]],
        asker: Asker,
        clock: WorldClock,
        log: VisitLog,
        generator: random.Random,
        anchors: Mapping[Name, bytes] | None = None,
    ) -> None:
        self.name = name
        self.kind = kind
        self._roots = roots
        self._asker = asker
        self._clock = clock
        self._log = log
        self._random = generator
        self._answers: dict[tuple[Name, int], _Kept] = {}
        self._glue: dict[tuple[Name, int], _Kept] = {}
        self._cuts: dict[Name, _KeptCut] = {}
        self._validator = Validator(anchors, self._given, clock.now) if anchors else None

    async def handle(self, wire: bytes, tcp: bool) -> list[bytes]:
        try:
            request = decode(wire)
        except Malformed:
            return [encode(Message(int.from_bytes(wire[:2]), QR, FORMERR))] if len(wire) >= 12 else []
        if request.flags & QR or len(request.questions) != 1:
            return []
        question = request.questions[0]
        resolved = await self.resolve(question.name, question.rtype)
        authority = records([resolved.soa]) if resolved.soa else ()
        options = ((_EXTENDED_ERROR, _BOGUS.to_bytes(2)),) if resolved.bogus else ()
        edns = Edns(1232, 0, 0, options=options) if request.edns else None
        wanted = request.flags & AD or (request.edns and request.edns.flags & DO)  # RFC 6840 s5.7
        flags = QR | RA | request.flags & RD | (AD if resolved.validated and wanted else 0)
        reply = Message(
            request.id, flags, resolved.rcode, request.questions, records(resolved.rrsets), authority, (), edns
        )
        outcome = rcode_text(resolved.rcode) if resolved.rcode else "answered"
        self._log.add(
            Visit(self._clock.now(), self.name, "TCP" if tcp else "UDP", question.name, question.rtype, outcome)
        )
        return [encode(reply, payload_limit(wire, tcp))]

    async def resolve(self, name: Name, rtype: int, depth: int = 0) -> Resolved:
        """The answer for a visitor, from the cache as far as it goes."""
        chain: list[RRset] = []
        validated = self._validator is not None
        try:
            for _ in range(_DEEPEST + 2):
                kept = await self._fetch(name, rtype, depth)
                if self._validator is not None and depth == 0:
                    validated &= await self._validator.check(_as_given(kept))
                left = max(0, int(kept.expires - self._clock.now()))
                if kept.rrset is None:
                    return Resolved(kept.rcode, tuple(chain), kept.soa.with_ttl(left) if kept.soa else None, validated)
                chain.append(kept.rrset.with_ttl(left))
                if kept.rrset.rtype == rtype:
                    return Resolved(NOERROR, tuple(chain), None, validated)
                name = targets(kept.rrset)[0]
        except Bogus:
            return Resolved(SERVFAIL, bogus=True)
        except _Failed:
            pass
        return Resolved(SERVFAIL)

    async def _given(self, name: Name, rtype: int) -> Given:
        return _as_given(await self._fetch(name, rtype, 0))

    async def _fetch(self, name: Name, rtype: int, depth: int) -> _Kept:
        kept = self._alive(name, rtype) or self._alive(name, CNAME)
        if kept is not None:
            return kept
        for _ in range(_STEPS):
            zone, reply = await self._ask(name, rtype, depth)
            if reply.authoritative:
                return self._learn(zone, reply)
            ns = referral(zone, reply)
            if ns is None:
                break
            self._keep_cut(ns, from_child=False)
            for each in reply.additional:
                if each.rtype in (A, AAAA) and is_under(each.name, zone):
                    self._glue[each.name, each.rtype] = _Kept(each, self._clock.now() + each.ttl)
        raise _Failed

    def _alive(self, name: Name, rtype: int) -> _Kept | None:
        kept = self._answers.get((name, rtype))
        return kept if kept is not None and kept.expires > self._clock.now() else None

    async def _ask(self, name: Name, rtype: int, depth: int) -> tuple[Name, Reply]:
        """Asks the servers of the deepest zone known; REFUSED and the like from one server means asking the next. Names
        inside the zone whose addresses are forgotten lead nowhere: the zone above is asked for them anew."""
        zone, servers = self._deepest_cut(parent_of(name) if rtype == DS and name != ROOT else name)
        hosts, asked = list(servers), False
        self._random.shuffle(hosts)
        for host in hosts:
            for address in await self._addresses(host, zone, depth):
                asked = True
                reply = await self._asker.ask(address, name, rtype, dnssec=self._validator is not None)
                if reply.answered and reply.rcode in (NOERROR, NXDOMAIN):
                    return zone, reply
        if not asked and zone in self._cuts:
            del self._cuts[zone]
            return await self._ask(name, rtype, depth)
        raise _Failed

    def _deepest_cut(self, name: Name) -> tuple[Name, Iterable[Name]]:
        now = self._clock.now()
        for zone in ancestors(name):
            kept = self._cuts.get(zone)
            if kept is not None and kept.expires > now:
                return zone, targets(kept.ns)
        return ROOT, self._roots

    async def _addresses(self, host: Name, zone: Name, depth: int) -> list[str]:
        if zone == ROOT and host in self._roots:
            return list(self._roots[host])
        now = self._clock.now()
        found: list[str] = []
        for rtype in (A, AAAA):
            kept = self._alive(host, rtype)
            glue = self._glue.get((host, rtype))
            if kept is None and glue is not None and glue.expires > now:
                kept = glue
            if kept is not None and kept.rrset is not None:
                found += [address_text(rdata) for rdata in kept.rrset.rdatas]
        if not found and depth < _DEEPEST and not is_under(host, zone):
            resolved = await self.resolve(host, A, depth + 1)
            found = [address_text(rdata) for each in resolved.rrsets if each.rtype == A for rdata in each.rdatas]
        return found

    def _learn(self, zone: Name, reply: Reply) -> _Kept:
        """Keeps an authoritative answer and, by kind, the NS set that came with it."""
        now = self._clock.now()
        for each in (*reply.answer, *reply.authority):
            if each.rtype == NS and each.name == zone and zone != ROOT:
                self._keep_cut(each, from_child=True)
        for each in reply.answer:
            if is_under(each.name, zone):
                signatures = signatures_over(each.rtype, reply.answer, each.name)
                self._answers[each.name, each.rtype] = _Kept(each, now + each.ttl, signatures=signatures, zone=zone)
        found = reply.find(reply.rtype) or reply.find(CNAME)
        if found is not None:
            return self._answers[found.name, found.rtype]
        soa = next((each for each in reply.authority if each.rtype == SOA), None)
        signatures = signatures_over(SOA, reply.authority, soa.name) if soa else None
        kept = _Kept(
            None,
            now + (negative_ttl(soa) if soa else 0),
            reply.rcode or NOERROR,
            soa,
            signatures,
            soa.name if soa else zone,
        )
        self._answers[reply.name, reply.rtype] = kept
        return kept

    def _keep_cut(self, ns: RRset, from_child: bool) -> None:
        now = self._clock.now()
        present = self._cuts.get(ns.name)
        alive = present is not None and present.expires > now
        if from_child and self.kind == CacheKind.PARENT_TRUSTING:
            return
        if alive and present is not None and present.from_child and self.kind != CacheKind.STICKY:
            return
        if alive and not from_child:
            return
        self._cuts[ns.name] = _KeptCut(ns, now + ns.ttl, from_child)


def _as_given(kept: _Kept) -> Given:
    return Given(kept.rrset, kept.soa, kept.signatures, kept.zone)
