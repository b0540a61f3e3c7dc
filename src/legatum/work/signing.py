"""Looking whether a domain is signed: DS at every parent server, keys at every server of both sides, asked for one by one."""

import asyncio
from collections.abc import Sequence

from legatum.core.dnssec.key import parse_ds
from legatum.core.fault import OutsideFault
from legatum.core.moves.signing import Signing, obstacles
from legatum.core.name import Name
from legatum.core.rrset import RRset
from legatum.core.rrtype import CDNSKEY, CDS, DNSKEY, DS
from legatum.core.runbook import Runbook
from legatum.net.reply import Reply
from legatum.work.outside import Outside

_KEYS = (DNSKEY, CDS, CDNSKEY)


async def look_at_signing(outside: Outside, domain: Name, old: Sequence[Name], new: Sequence[Name]) -> Signing:
    """``old``, ``new``: name servers of the two sides. Raises :class:`OutsideFault` for one without an address."""
    asker = outside.asker
    cut, left, right = await asyncio.gather(
        outside.walker().parent_of(domain), outside.addresses_of(old), outside.addresses_of(new)
    )  # fmt: skip
    parents = asker.askable(cut.addresses)
    sides = [asker.askable(each) for each in (left, right)]
    questions = [(address, DS) for address in parents] + [(address, rtype) for side in sides for address in side for rtype in _KEYS]
    replies = dict(zip(questions, await asyncio.gather(*(asker.ask(address, domain, rtype) for address, rtype in questions)), strict=True))
    ds = {address: texts for address in parents if (texts := _ds_texts(replies[address, DS].find(DS)))}
    found = []
    for side in sides:
        held = {address: tuple(_kind(rtype) for rtype in _KEYS if _holds(replies[address, rtype])) for address in side}
        found.append({address: kinds for address, kinds in held.items() if kinds})
    silent = tuple(dict.fromkeys(address for (address, _), reply in replies.items() if not reply.answered))
    return Signing(ds, found[0], found[1], silent, len(parents), len(sides[0]) + len(sides[1]))


async def signed_meanwhile(outside: Outside, runbook: Runbook) -> tuple[str, ...]:
    """What a rehearsal of the runbook knows nothing of, as things are now; empty for a domain that is still unsigned."""
    old, new = (outside.provider(str(runbook.premises[key])) for key in ("from", "to"))
    try:
        seen = await look_at_signing(outside, runbook.domain, old.servers, new.servers)
    except OutsideFault as fault:
        return (f"whether the domain is signed now could not be looked at: {fault.message}",)
    return tuple(each.reason for each in obstacles(runbook.domain, seen, old.name, new.name))


def _holds(reply: Reply) -> bool:
    return reply.authoritative and reply.find(reply.rtype) is not None


def _kind(rtype: int) -> str:
    return {DNSKEY: "DNSKEY", CDS: "CDS", CDNSKEY: "CDNSKEY"}[rtype]


def _ds_texts(rrset: RRset | None) -> tuple[str, ...]:
    return tuple(parsed.text if (parsed := parse_ds(rdata)) else "DS" for rdata in rrset.rdatas) if rrset else ()
