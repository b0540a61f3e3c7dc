"""How the domain's own name servers answer."""

from collections.abc import Callable, Iterator

from legatum.core.findings.finding import Severity, Sighting, finding
from legatum.core.name import name_text
from legatum.core.picture import Picture, ServerView
from legatum.core.rrset import targets

_SERVFAIL, _NXDOMAIN, _REFUSED = 2, 3, 5


def _where(view: ServerView) -> str:
    return f"{name_text(view.server)} ({view.address})"


def _each(picture: Picture, holds: Callable[[ServerView], bool]) -> Iterator[Sighting]:
    for view in picture.servers:
        if holds(view):
            yield Sighting(f"{_where(view)}: {view.outcome}", view.replies)


@finding(
    "server-silent", Severity.ERROR, "A name server does not answer",
    why="Visitors whose resolver picks this server wait for seconds or fail.",
    remedy="Check that the server is up and that UDP port 53 is open to it. If it is gone for good, take it out of the NS set.",
    standard="RFC 2182 s3",
)  # fmt: skip
def server_silent(picture: Picture) -> Iterator[Sighting]:
    yield from _each(picture, lambda view: view.rcode is None)


@finding(
    "server-refuses", Severity.ERROR, "A name server does not serve the domain",
    why="The delegation leads to a server that refuses to answer: the zone was never created there, or was taken away.",
    remedy="Create the zone at that provider with its full contents, or take the server out of the NS set.",
    standard="RFC 1912 s2.8",
)  # fmt: skip
def server_refuses(picture: Picture) -> Iterator[Sighting]:
    yield from _each(picture, lambda view: view.rcode == _REFUSED)


@finding(
    "server-fails", Severity.ERROR, "A name server fails on the domain",
    why="The server knows the zone but cannot serve it: an error in the zone file, or a secondary whose copy has expired.",
    remedy="Look into that server's log; check that a secondary may transfer from its primary.",
    standard="RFC 1035 s4.1.1",
)  # fmt: skip
def server_fails(picture: Picture) -> Iterator[Sighting]:
    yield from _each(picture, lambda view: view.rcode not in (None, 0, _NXDOMAIN, _REFUSED))


@finding(
    "server-denies", Severity.ERROR, "A name server says that there is no such domain",
    why="The server answers for a zone above and denies that the domain exists: the world caches “no such name”.",
    remedy="Create the zone there at once, or take the server out of the NS set.",
    standard="RFC 2308 s2.1",
)  # fmt: skip
def server_denies(picture: Picture) -> Iterator[Sighting]:
    yield from _each(picture, lambda view: view.rcode == _NXDOMAIN)


@finding(
    "server-without-authority", Severity.ERROR, "A name server answers without authority",
    why="It is a resolver, or hands the question on: what it says is second-hand or nothing, and resolvers pass it over.",
    remedy="Create the zone on that server, or take the server out of the NS set.",
    standard="RFC 1912 s2.8",
)  # fmt: skip
def server_without_authority(picture: Picture) -> Iterator[Sighting]:
    yield from _each(picture, lambda view: view.rcode == 0 and not view.serves)


@finding(
    "tcp-fails", Severity.WARNING, "A name server does not answer over TCP",
    why="Large answers - long TXT, many records, signatures - are fetched over TCP; they fail here.",
    remedy="Open TCP port 53 to the server.",
    standard="RFC 7766 s5",
)  # fmt: skip
def tcp_fails(picture: Picture) -> Iterator[Sighting]:
    for view in picture.servers:
        if view.serves and not view.tcp_answered:
            yield Sighting(f"{_where(view)}: over TCP {view.tcp_outcome}", view.replies)


@finding(
    "servers-disagree-on-ns", Severity.WARNING, "The domain's servers hand out different NS sets",
    why="Which servers a resolver keeps depends on which one it happened to ask.",
    remedy="Bring the zone to the same contents on all servers; look at serials and transfers.",
    standard="RFC 1034 s4.3.5",
)  # fmt: skip
def servers_disagree_on_ns(picture: Picture) -> Iterator[Sighting]:
    sets = {targets(view.ns) for view in picture.serving}
    if len(sets) > 1:
        for view in picture.serving:
            names = ", ".join(name_text(name) for name in targets(view.ns)) or "none"
            yield Sighting(f"{_where(view)}: {names}", view.replies)
