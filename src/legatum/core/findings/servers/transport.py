"""How answers travel: TCP, truncation, EDNS."""

from collections.abc import Iterator

from legatum.core.findings.finding import Occurrence, Severity, finding
from legatum.core.findings.servers.answering import where
from legatum.core.observation.observation import Edns, Observation, ServerView

_DEAD = (
    "no-server-serves", "server-address-dead", "glue-leads-astray",
    "server-silent", "server-refuses", "server-fails", "server-denies", "server-without-authority", "server-malformed",
)  # fmt: skip


@finding(
    "tcp-fails", Severity.WARNING, "A name server does not answer over TCP",
    why="Large answers - long TXT, many records, signatures - are fetched over TCP; they fail here.",
    remedy="Open TCP port 53 to the server.",
    standard="RFC 7766 s5",
    after=(*_DEAD, "truncated-without-tcp", "edns-dropped", "edns-refused"),
)  # fmt: skip
def tcp_fails(observation: Observation) -> Iterator[Occurrence]:
    for view in observation.servers:
        if view.tcp_answered is False:
            yield Occurrence(f"{where(view)}: over TCP {view.tcp_outcome}", view.replies, view.address)


@finding(
    "truncated-without-tcp", Severity.ERROR, "A name server cuts its answers short and does not answer over TCP",
    why="The answer does not fit into a UDP packet and cannot be fetched in any other way: visitors get nothing.",
    remedy="Open TCP port 53 to the server at once; then see why the answers are so long.",
    standard="RFC 7766 s5",
    after=("glue-leads-astray", "edns-dropped"),
)  # fmt: skip
def truncated_without_tcp(observation: Observation) -> Iterator[Occurrence]:
    for view in observation.servers:
        if observation.over_tcp and view.cut and (view.tcp_answered is False or view.silent):
            yield Occurrence(
                f"{where(view)}: truncated over UDP, over TCP {_over_tcp(view)}", view.replies, view.address
            )


@finding(
    "tcp-differs", Severity.WARNING, "A name server answers differently over TCP",
    why="Resolvers that come back over TCP for a long answer are refused or told something else.",
    remedy="Look for another server, or a device in between, behind TCP port 53 of that address.",
    standard="RFC 7766 s5",
    after=(*_DEAD, "edns-dropped", "edns-refused"),
)  # fmt: skip
def tcp_differs(observation: Observation) -> Iterator[Occurrence]:
    for view in observation.servers:
        if view.serves and view.tcp_answered and (view.tcp_rcode != 0 or view.tcp_authoritative is False):
            yield Occurrence(
                f"{where(view)}: over UDP {view.outcome}, over TCP {view.tcp_outcome}", view.replies, view.address
            )


@finding(
    "edns-ignored", Severity.NOTICE, "A name server does not know EDNS",
    why="Answers over 512 octets need a second question over TCP, and a signed zone cannot be served.",
    remedy="Update the server's software, or the device in front of it.",
    standard="RFC 6891 s7",
    after=_DEAD,
)  # fmt: skip
def edns_ignored(observation: Observation) -> Iterator[Occurrence]:
    for view in observation.servers:
        if view.serves and view.edns == Edns.IGNORED:
            yield Occurrence(f"{where(view)}: {view.edns}", view.replies, view.address)


@finding(
    "edns-refused", Severity.WARNING, "A name server refuses questions with EDNS",
    why="Resolvers ask with EDNS first: each has to notice and ask again, and some no longer do.",
    remedy="Update the server's software, or the device in front of it.",
    standard="RFC 6891 s7",
    after=_DEAD,
)  # fmt: skip
def edns_refused(observation: Observation) -> Iterator[Occurrence]:
    for view in observation.servers:
        if view.edns == Edns.REFUSED:
            yield Occurrence(f"{where(view)}: {view.edns}", view.replies, view.address)


@finding(
    "edns-dropped", Severity.ERROR, "A name server is silent to questions with EDNS",
    why="Today's resolvers ask with EDNS and take silence for a dead server: visitors wait or fail.",
    remedy="Look for a firewall that drops DNS packets with EDNS; update the server's software.",
    standard="RFC 6891 s7",
    after=("glue-leads-astray",),
)  # fmt: skip
def edns_dropped(observation: Observation) -> Iterator[Occurrence]:
    for view in observation.servers:
        if view.edns == Edns.DROPPED:
            yield Occurrence(f"{where(view)}: {view.edns}", view.replies, view.address)


def _over_tcp(view: ServerView) -> str:
    """What came over TCP: of the question asked that way, else of the one that was truncated."""
    return view.tcp_outcome if view.tcp_answered is False else view.outcome.rpartition("over TCP: ")[2]
