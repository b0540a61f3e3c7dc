"""The name servers' names: their addresses, from the servers that have authority over them."""

from collections.abc import Iterable
from dataclasses import dataclass

from legatum.core.observation.observation import HostView, ParentView
from legatum.core.records.address import address_text
from legatum.core.records.name import Name, is_under
from legatum.core.records.rrset import targets
from legatum.core.records.rrtype import AAAA, CNAME, A
from legatum.core.records.soa import negative_ttl
from legatum.net.asking.reply import Reply
from legatum.net.asking.walk import Walker
from legatum.net.side_by_side import together
from legatum.work.look.asking.questions import Questions

_NXDOMAIN = 3
_MOST_MET = 5000


@dataclass
class HostLook:
    """``parents`` and their glue; ``servers``: addresses of servers that answer for the domain, for the names inside
    it; ``met``: name servers of other domains that were looked at before."""

    questions: Questions
    walker: Walker
    domain: Name
    parents: tuple[ParentView, ...]
    everywhere: bool
    met: dict[Name, HostView]

    def known(self, names: Iterable[Name]) -> dict[Name, HostView]:
        """Of names that other zones hold, those met before; none where every domain's own glue is looked at first."""
        if self.everywhere:
            return {}
        return {name: self.met[name] for name in names if name in self.met and not is_under(name, self.domain)}

    async def outside(self, names: Iterable[Name]) -> dict[Name, HostView]:
        """Names that other zones hold."""
        found = self.known(names)
        wanted = [name for name in names if name not in found and not is_under(name, self.domain)]
        if len(wanted) < 2:
            return found | {name: await self._context(name) for name in wanted}
        return found | dict(zip(wanted, await together(self._context(name) for name in wanted), strict=True))

    async def inside(self, names: Iterable[Name], servers: Iterable[str]) -> dict[Name, HostView]:
        """Names that the domain itself holds, asked of its own servers."""
        addresses = list(servers)
        wanted = [name for name in names if is_under(name, self.domain)]
        found: dict[Name, HostView] = {}
        for name in wanted:
            replies = (
                {rtype: await self.questions.ask_one_of(addresses, name, rtype) for rtype in (A, AAAA)}
                if addresses
                else {}
            )
            why = "" if addresses else "no server that could tell it answers"
            left_out = frozenset(rtype for rtype, reply in replies.items() if reply is None)
            found[name] = _view(name, [reply for reply in replies.values() if reply], why, left_out)
        return found

    async def _context(self, name: Name) -> HostView:
        if self.everywhere and (near := await self._beside(name)) is not None:
            return near
        lookups = [await self.walker.lookup(name, rtype) for rtype in (A, AAAA)]
        alias = next((each.alias for each in lookups if each.alias), None)
        found = tuple(each.rrset for each in lookups if each.rrset)
        denial = next((each.reply.denial for each in lookups if each.reply and each.reply.denial), None)
        why = "" if found else lookups[0].why
        ttl = negative_ttl(denial) if denial else None
        unanswered = frozenset(each.rtype for each in lookups if each.reply is None and not each.circle)
        view = HostView(name, found, why, alias, ttl, any(each.circle for each in lookups), unanswered=unanswered)
        if not unanswered:  # silence is nothing to remember
            if len(self.met) >= _MOST_MET:
                self.met.clear()
            self.met[name] = view
        return view

    async def _beside(self, name: Name) -> HostView | None:
        """A name for which all parent servers give the same glue, when the server at that address says the same with
        authority.

        It spares asking the parent's servers about a second domain. Where anything differs, the way from the root
        decides.
        """
        given = [
            {(each.rtype, each.rdatas) for each in view.glue if each.name == name} for view in self.parents if view.ns
        ]
        if not given or not given[0] or any(each != given[0] for each in given):
            return None
        addresses = [address_text(rdata) for _, rdatas in given[0] for rdata in rdatas]
        replies = [await self.questions.ask_one_of(addresses, name, rtype) for rtype in (A, AAAA)]
        answered = [reply for reply in replies if reply and reply.authoritative and reply.rcode == 0]
        own = {(each.rtype, each.rdatas) for reply in answered if (each := reply.find(reply.rtype))}
        return _view(name, answered, "") if len(answered) == 2 and own == given[0] else None


def _view(name: Name, replies: list[Reply], why: str, left_out: frozenset[int] = frozenset()) -> HostView:
    """``left_out``: types for which there was no question left: what the zone has of them is not known."""
    found = tuple(each for reply in replies if (each := reply.find(reply.rtype)) and reply.authoritative)
    alias = next((targets(each)[0] for reply in replies if (each := reply.find(CNAME))), None)
    denial = next((reply.denial for reply in replies if reply.denial), None)
    asked = bool(replies or why)  # there may have been no question left for it
    if not found and not why:
        why = (
            "is an alias"
            if alias
            else "no such name"
            if any(reply.rcode == _NXDOMAIN for reply in replies)
            else _reason(replies)
        )
    return HostView(
        name,
        found,
        "" if found else why,
        alias,
        negative_ttl(denial) if denial else None,
        asked=asked,
        unanswered=left_out | {reply.rtype for reply in replies if not reply.answered},
    )


def _reason(replies: list[Reply]) -> str:
    return next((reply.outcome for reply in replies if not reply.authoritative), "no data") if replies else "not asked"
