"""What visitors come for, asked of the domain's own servers in turn so that none is asked much."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field

from legatum.core.observation.observation import DenialView
from legatum.core.records.name import Name, below, is_under
from legatum.core.records.rrset import RRset, targets
from legatum.core.records.rrtype import AAAA, CAA, CNAME, MX, TXT, A
from legatum.net.asking.asker import Asker
from legatum.net.asking.reply import Reply
from legatum.net.asking.resolver import ResolverPlace, ask_resolver
from legatum.net.asking.walk import Walker
from legatum.net.side_by_side import together
from legatum.work.look.asking.questions import Questions
from legatum.work.look.server import denial_view, unmade_name

_MOST_HOSTS = 4
_NXDOMAIN = 3


@dataclass
class Contents:
    """``found``: name and type → the RRset, None for no such data; ``apex``: who gave which A RRset for the apex."""

    domain: Name
    found: dict[tuple[Name, int], RRset | None] = field(default_factory=dict)
    apex: dict[str, RRset | None] = field(default_factory=dict)
    denial: DenialView | None = None

    def take(self, reply: Reply | None) -> None:
        """Keeps what an authoritative answer says of the name asked for, and of names its aliases lead to."""
        if reply is None or not reply.answered or reply.rcode not in (0, _NXDOMAIN):
            return
        if reply.name == unmade_name(self.domain):
            self.denial = denial_view(reply)
            return
        if (reply.name, reply.rtype) == (self.domain, A):
            self.apex[reply.server] = reply.find(A)
        if (reply.name, reply.rtype) not in self.found or reply.find(reply.rtype):
            self.found[reply.name, reply.rtype] = reply.find(reply.rtype)
        self.found.setdefault((reply.name, CNAME), reply.find(CNAME))
        if reply.rcode == _NXDOMAIN:
            self.found.setdefault((reply.name, AAAA), None)
        for each in reply.answer:
            self.found.setdefault((each.name, each.rtype), each)

    @property
    def of_hosts(self) -> list[Name]:
        """Where mail and www lead to."""
        mail = [
            host
            for (_, rtype), rrset in list(self.found.items())
            if rtype == MX
            for host in targets(rrset)
            if host != b"\0"
        ]
        aliases = [targets(rrset)[0] for (name, rtype), rrset in list(self.found.items()) if rtype == CNAME and rrset]
        return list(dict.fromkeys(mail[:_MOST_HOSTS] + aliases[:_MOST_HOSTS]))


async def look_at_contents(
    questions: Questions,
    asker: Asker,
    walker: Walker,
    resolver: ResolverPlace | None,
    domain: Name,
    addresses: Sequence[str],
    everywhere: bool,
) -> Contents:
    """``addresses``: servers that answer for the domain. ``resolver``: asked about names elsewhere, the walker without
    one."""
    contents = Contents(domain)
    if not addresses:
        return contents
    www = below("www", domain)
    wanted = [(domain, A), (domain, MX), (www, A)]
    if everywhere:
        wanted += [(domain, AAAA), (unmade_name(domain), A)]
    await _ask(contents, questions, addresses, wanted)
    bare = [
        name
        for name in (domain, www)
        if contents.found.get((name, A), True) is None and not contents.found.get((name, CNAME))
    ]
    await _ask(contents, questions, addresses, [(name, AAAA) for name in bare if (name, AAAA) not in contents.found])
    if not everywhere:
        return contents
    inside = [host for host in contents.of_hosts if is_under(host, domain) and host != domain]
    more = [(host, rtype) for host in inside for rtype in (A, AAAA) if (host, rtype) not in contents.found]
    await _ask(contents, questions, addresses, [*more, (www, AAAA)])
    await _others(contents, questions, addresses)
    outside = [host for host in contents.of_hosts if not is_under(host, domain)]
    for host, found in zip(
        outside, await together(_elsewhere(asker, walker, resolver, host) for host in outside), strict=True
    ):
        contents.found.update({(host, rtype): rrset for rtype, rrset in found.items()})
    return contents


async def _ask(
    contents: Contents, questions: Questions, addresses: Sequence[str], wanted: Iterable[tuple[Name, int]]
) -> None:
    for reply in await together(questions.ask_one_of(addresses, name, rtype) for name, rtype in wanted):
        contents.take(reply)


async def _others(contents: Contents, questions: Questions, addresses: Sequence[str]) -> None:
    """The apex address as every server gives it, then the rest of the apex, as far as there is room."""
    left = [address for address in addresses if address not in contents.apex and questions.room(address) > 0]
    for reply in await together(questions.ask(address, contents.domain, A) for address in left):
        contents.take(reply)
    for rtype in (TXT, CAA):
        if any(questions.room(address) > 0 for address in addresses):
            contents.take(await questions.ask_one_of(addresses, contents.domain, rtype))


async def _elsewhere(
    asker: Asker, walker: Walker, resolver: ResolverPlace | None, host: Name
) -> dict[int, RRset | None]:
    """A name in somebody else's zone, as visitors see it: its addresses, or the alias that it is. Empty where that is
    not known."""
    found: dict[int, RRset | None] = {}
    for rtype in (A, AAAA):
        reply = (
            await ask_resolver(asker, resolver, host, rtype) if resolver else (await walker.lookup(host, rtype)).reply
        )
        if reply is not None and reply.rcode in (0, _NXDOMAIN):
            found[rtype] = reply.find(rtype)
            found.setdefault(CNAME, reply.find(CNAME))
    return found
