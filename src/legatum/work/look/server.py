"""One address of one of the domain's own name servers: how it answers, in few questions that each tell several things.

SOA over UDP with EDNS shows authority, serial, signatures and what becomes of EDNS; NS over TCP, recursion desired,
shows the NS set, whether TCP works and whether recursion is offered; a transfer asked for shows whether strangers get
the zone.
"""

from collections.abc import Container, Mapping
from dataclasses import dataclass

from legatum.core.dnssec.denial import denies, parse_nsec3
from legatum.core.dnssec.signature import signatures_over
from legatum.core.observation.observation import DenialView, Edns, ServerView
from legatum.core.records.name import Name, below, is_under
from legatum.core.records.rrset import RRset
from legatum.core.records.rrtype import AXFR, CDNSKEY, CDS, CNAME, DNSKEY, NS, NSEC3, RRSIG, SOA, A
from legatum.net.asking.reply import Reply, Trouble
from legatum.net.keeping.evidence import Evidence
from legatum.net.side_by_side import together
from legatum.wire.message import RA
from legatum.work.look.asking.questions import Questions

_BEFORE_BLAMED = 8  # packets with EDNS that are lost before the server is said to drop them
_FORMERR, _NOTIMP, _BADVERS = 1, 4, 16
_NOBODY = "nobody-made-this-name"


def unmade_name(domain: Name) -> Name:
    """A name that no zone holds, to see how its absence is told."""
    return below(_NOBODY, domain)


@dataclass
class ServerLook:
    """``parent_zone``: asked for to see whether recursion is done; ``secure``: a parent server hands out a DS;
    ``keys``: whose keys are asked for at every address; ``tcp``: whether anything can be asked over TCP from here."""

    questions: Questions
    evidence: Evidence
    domain: Name
    parent_zone: Name
    secure: bool
    everywhere: bool
    keys: bool = False
    tcp: bool = True

    async def look(self, server: Name, address: str, with_ns: bool = True) -> ServerView:
        """A server that stays silent is asked once more without EDNS, and then no more."""
        if self.everywhere and self.tcp:
            first, tcp = await together(
                (
                    self.questions.ask(address, self.domain, SOA),
                    self.questions.ask(address, self.domain, NS, tcp=True, recursion=True),
                )
            )
        else:
            first, tcp = await self.questions.ask(address, self.domain, SOA), None
        soa, edns = await self._settled(address, first)
        replies = [first, *([soa] if soa is not first else []), *([tcp] if tcp else [])]
        serves = soa.rcode == 0 and soa.authoritative and soa.find(SOA) is not None
        ns: Reply | None = tcp if tcp and tcp.rcode == 0 and tcp.authoritative else None
        if ns is None and serves and with_ns:
            ns = await self.questions.ask(address, self.domain, NS, edns=edns not in (Edns.REFUSED, Edns.DROPPED))
            replies.append(ns)
        more = await self._more(address, soa, with_ns, replies) if serves else _More()
        recursion = await self._recurses(address, tcp, replies) if tcp else None
        signatures = {
            rtype: found
            for rtype, reply in ((SOA, soa), (NS, ns), (DNSKEY, more.keys))
            if reply and (found := signatures_over(rtype, reply.answer, self.domain))
        }
        return ServerView(
            server,
            address,
            soa.outcome,
            soa.rcode,
            soa.authoritative,
            soa.find(SOA),
            ns.find(NS) if ns and ns.authoritative else None,
            tcp.outcome if tcp else "not asked",
            tcp.answered if tcp else None,
            soa.took,
            tuple(self.evidence.number(reply) for reply in replies),
            tcp_rcode=tcp.rcode if tcp else None,
            tcp_authoritative=tcp.authoritative if tcp and tcp.answered else None,
            cut=any(reply.cut for reply in replies),
            malformed=any(reply.trouble == Trouble.MALFORMED for reply in replies),
            edns=edns,
            recursion=recursion,
            transfer_open=more.transfer_open,
            upwards=_refers_upwards(soa, self.domain),
            keys=_found(more.keys, DNSKEY),
            cds=_found(more.cds, CDS),
            cdnskey=_found(more.cdnskey, CDNSKEY),
            signatures=signatures,
            denial=more.denial,
            ns_asked=with_ns,
            keys_asked=with_ns or self.keys,
            unanswered=frozenset(
                reply.rtype for reply in (ns, more.keys, more.cds, more.cdnskey) if reply and not reply.answered
            ),
        )

    async def look_again(self, places: Mapping[str, Name], with_ns: Container[str]) -> dict[str, ServerView]:
        """At servers from which no answer came: those that answer now are looked at like any other."""
        heard = await self.questions.ask_again(places, self.domain, SOA)
        views = await together(self.look(places[address], address, address in with_ns) for address in heard)
        return {view.address: view for view in views if not view.silent}

    async def _settled(self, address: str, first: Reply) -> tuple[Reply, Edns | None]:
        """The SOA answer that counts, and what the server makes of EDNS."""
        if first.rcode in (_FORMERR, _NOTIMP, _BADVERS):
            plain = await self.questions.ask(address, self.domain, SOA, edns=False)
            return (plain, Edns.REFUSED) if plain.rcode == 0 else (first, None)
        if first.answered:
            return first, Edns.ANSWERED if first.message.edns else Edns.IGNORED
        if first.trouble == Trouble.SILENT:
            plain = await self.questions.ask(address, self.domain, SOA, edns=False, tries=1)
            if plain.answered:
                # Packets get lost, and who limits how often it is asked drops some of everything: only who is silent
                # again and again to questions with EDNS drops them.
                again = await together(
                    self.questions.ask(address, self.domain, SOA, tries=1) for _ in range(_BEFORE_BLAMED)
                )
                answered = next((reply for reply in again if reply.answered), None)
                return (answered, Edns.ANSWERED) if answered else (plain, Edns.DROPPED)
        return first, None

    async def _more(self, address: str, soa: Reply, with_ns: bool, replies: list[Reply]) -> "_More":
        """Keys and denial of a signed zone, and whether the zone is handed out."""
        signed = self.secure or signatures_over(SOA, soa.answer, self.domain) is not None
        wanted: list[tuple[str, Name, int]] = []
        if signed and (with_ns or self.keys):
            wanted.append(("keys", self.domain, DNSKEY))
        if signed and self.everywhere:
            wanted.append(("denial", unmade_name(self.domain), A))
        if self.everywhere and self.tcp:
            wanted.append(("transfer", self.domain, AXFR))
        if signed and self.everywhere:
            wanted += [("cds", self.domain, CDS), ("cdnskey", self.domain, CDNSKEY)]
        if not wanted:
            return _More()
        # What visitors come for is asked of the same servers: with little room CDS and CDNSKEY are left out.
        wanted = wanted[: max(3, self.questions.room(address) - 1)]
        told = dict(
            zip(
                (key for key, _, _ in wanted),
                await together(
                    self.questions.ask(address, name, rtype, tcp=rtype == AXFR) for _, name, rtype in wanted
                ),
                strict=True,
            )
        )
        replies += (reply for reply in told.values() if reply.tries)
        transfer, denial = told.get("transfer"), told.get("denial")
        return _More(
            keys=told.get("keys"),
            cds=told.get("cds"),
            cdnskey=told.get("cdnskey"),
            denial=denial_view(denial) if denial and denial.answered else None,
            transfer_open=transfer.rcode == 0 and transfer.find(SOA) is not None
            if transfer and transfer.answered
            else None,
        )

    async def _recurses(self, address: str, tcp: Reply, replies: list[Reply]) -> bool | None:
        """Who offers recursion is asked for something that is not its own."""
        if not tcp.answered:
            return None
        if not tcp.message.flags & RA:
            return False
        if self.questions.room(address) < 1:
            return None
        reply = await self.questions.ask(address, self.parent_zone, SOA, recursion=True)
        replies.append(reply)
        return reply.rcode == 0 and not reply.authoritative and reply.find(SOA) is not None


@dataclass(frozen=True)
class _More:
    keys: Reply | None = None
    cds: Reply | None = None
    cdnskey: Reply | None = None
    denial: DenialView | None = None
    transfer_open: bool | None = None


def denial_view(reply: Reply) -> DenialView:
    """What became of the question for a name that nobody made."""
    hashed = [parsed for each in reply.authority if each.rtype == NSEC3 and (parsed := parse_nsec3(each))]
    return DenialView(
        reply.name,
        reply.rcode or 0,
        denies(reply.name, reply.rtype, reply.authority) and any(each.rtype == RRSIG for each in reply.authority),
        bool(reply.find(reply.rtype) or reply.find(CNAME)),
        reply.denial,
        hashed[0].iterations if hashed else None,
    )


def _found(reply: Reply | None, rtype: int) -> RRset | None:
    return reply.find(rtype) if reply and reply.authoritative else None


def _refers_upwards(reply: Reply, domain: Name) -> bool:
    if reply.authoritative or reply.rcode != 0:
        return False
    referred = next((each.name for each in reply.authority if each.rtype == NS), None)
    return referred is not None and referred != domain and is_under(domain, referred)
