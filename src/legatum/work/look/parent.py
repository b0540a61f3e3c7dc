"""What the servers of the parent zone hand out: the delegation, its glue, DS or the proof that there is none."""

from legatum.core.dnssec.denial import absence
from legatum.core.observation.observation import ParentView
from legatum.core.records.name import Name
from legatum.core.records.rrset import targets
from legatum.core.records.rrtype import AAAA, DS, NS, A
from legatum.net.asking.reply import Reply
from legatum.net.asking.walk import Cut
from legatum.net.keeping.evidence import Evidence
from legatum.net.side_by_side import together
from legatum.work.look.asking.questions import Questions

_NXDOMAIN = 3


async def look_at_parents(
    questions: Questions, evidence: Evidence, cut: Cut, domain: Name, known: Reply | None, everywhere: bool
) -> tuple[ParentView, ...]:
    """One question to each address of each server of the parent zone; ``known``, asked on the way there, is not asked
    again."""
    places = {address: server for server, addresses in cut.servers.items() for address in questions.askable(addresses)}
    useful = known is not None and known.server in places and (known.name, known.rtype) == (domain, NS)
    if not everywhere and useful and known is not None:
        places = {known.server: places[known.server]}

    heard = {known.server: known} if useful and known is not None else {}
    others = [address for address in places if address not in heard]
    heard |= zip(others, await together(questions.ask(address, domain, NS) for address in others), strict=True)
    replies = [heard[address] for address in places]
    later = await questions.ask_again([reply.server for reply in replies if not reply.answered], domain, NS)
    replies = [later.get(reply.server, reply) for reply in replies]
    return tuple(_view(places[reply.server], reply, domain, evidence.number(reply)) for reply in replies)


def _view(server: Name, reply: Reply, domain: Name, number: int) -> ParentView:
    section = reply.answer if reply.authoritative else reply.authority
    ns = next((each for each in section if each.rtype == NS and each.name == domain), None)
    glue = tuple(each for each in reply.additional if each.rtype in (A, AAAA) and each.name in targets(ns))
    ds = next((each for each in reply.authority if each.rtype == DS and each.name == domain), None)
    return ParentView(
        server,
        reply.server,
        "delegates" if ns else reply.outcome,
        reply.answered,
        ns,
        glue,
        reply.rcode == _NXDOMAIN,
        number,
        ds,
        absence(domain, DS, reply.authority) if ns and ds is None else None,
    )
