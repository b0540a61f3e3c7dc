"""How the domain's own name servers answer."""

from collections.abc import Callable, Iterator

from legatum.core.findings.finding import Occurrence, Severity, finding
from legatum.core.observation.observation import Observation, ServerView
from legatum.core.records.address import address_text
from legatum.core.records.name import name_text
from legatum.core.records.rrset import RRset, targets
from legatum.core.records.rrtype import NS

_SERVFAIL, _NXDOMAIN, _REFUSED = 2, 3, 5


def where(view: ServerView) -> str:
    return f"{name_text(view.server)} ({view.address})"


def _each(observation: Observation, holds: Callable[[ServerView], bool]) -> Iterator[Occurrence]:
    for view in observation.servers:
        if holds(view):
            yield Occurrence(f"{where(view)}: {view.outcome}", view.replies, view.address)


@finding(
    "server-silent",
    Severity.ERROR,
    "A name server does not answer",
    why="Visitors whose resolver picks this server wait for seconds or fail.",
    remedy=(
        "Check that the server is up and that UDP port 53 is open to it. If it is gone for good, take it "
        "out of the NS set."
    ),
    standard="RFC 2182 s3",
    after=("address-not-public", "glue-not-public", "glue-leads-astray", "no-server-serves"),
)
def server_silent(observation: Observation) -> Iterator[Occurrence]:
    yield from _each(observation, lambda view: view.silent and not view.cut and not _lives(observation, view))


def _lives(observation: Observation, view: ServerView) -> bool:
    """The same server answers at another of its addresses."""
    return any(each.server == view.server and each.serves for each in observation.servers)


@finding(
    "server-address-dead",
    Severity.ERROR,
    "A name server does not answer at one of its addresses",
    why=(
        "The server is up, but not there: visitors whose resolver picks this address, or whose network has "
        "this family only, wait or fail."
    ),
    remedy="Mend the way to this address - firewall, routing, what the server listens on - or take the "
    "address out of the host's records "
    "and glue. The server itself stays in the NS set.",
    standard="RFC 4472 s1.3",
    after=("address-not-public", "glue-not-public", "glue-leads-astray"),
)
def server_address_dead(observation: Observation) -> Iterator[Occurrence]:
    yield from _each(observation, lambda view: view.silent and not view.cut and _lives(observation, view))


@finding(
    "server-refuses", Severity.ERROR, "A name server does not serve the domain",
    why="The delegation leads to a server that refuses to answer: the zone was never created there, or was taken away.",
    remedy="Create the zone at that provider with its full contents, or take the server out of the NS set.",
    standard="RFC 1912 s2.8",
    after=("address-not-public", "glue-not-public", "glue-leads-astray", "no-server-serves"),
)  # fmt: skip
def server_refuses(observation: Observation) -> Iterator[Occurrence]:
    yield from _each(observation, lambda view: view.rcode == _REFUSED)


@finding(
    "server-fails",
    Severity.ERROR,
    "A name server fails on the domain",
    why=(
        "The server knows the zone but cannot serve it: an error in the zone file, or a secondary whose copy "
        "has expired."
    ),
    remedy="Look into that server's log; check that a secondary may transfer from its primary.",
    standard="RFC 1035 s4.1.1",
    after=("address-not-public", "glue-not-public", "glue-leads-astray", "no-server-serves"),
)
def server_fails(observation: Observation) -> Iterator[Occurrence]:
    yield from _each(observation, lambda view: view.rcode not in (None, 0, _NXDOMAIN, _REFUSED))


@finding(
    "server-denies", Severity.ERROR, "A name server says that there is no such domain",
    why="The server answers for a zone above and denies that the domain exists: the world caches “no such name”.",
    remedy="Create the zone there at once, or take the server out of the NS set.",
    standard="RFC 2308 s2.1",
    after=("address-not-public", "glue-not-public", "glue-leads-astray", "no-server-serves"),
)  # fmt: skip
def server_denies(observation: Observation) -> Iterator[Occurrence]:
    yield from _each(observation, lambda view: view.rcode == _NXDOMAIN)


@finding(
    "server-without-authority",
    Severity.ERROR,
    "A name server answers without authority",
    why=(
        "It is a resolver, or hands the question on: what it says is second-hand or nothing, and resolvers "
        "pass it over."
    ),
    remedy="Create the zone on that server, or take the server out of the NS set.",
    standard="RFC 1912 s2.8",
    after=("address-not-public", "glue-not-public", "glue-leads-astray", "no-server-serves"),
)
def server_without_authority(observation: Observation) -> Iterator[Occurrence]:
    yield from _each(
        observation, lambda view: view.rcode == 0 and not view.serves and not view.upwards and not view.authoritative
    )


@finding(
    "servers-disagree-on-ns", Severity.WARNING, "The domain's servers hand out different NS sets",
    why="Which servers a resolver keeps depends on which one it happened to ask.",
    remedy="Bring the zone to the same contents on all servers; look at serials and transfers.",
    standard="RFC 1034 s4.3.5",
    after=("serials-differ",),
)  # fmt: skip
def servers_disagree_on_ns(observation: Observation) -> Iterator[Occurrence]:
    asked = [view for view in observation.serving if view.ns_asked and NS not in view.unanswered]
    sets = {targets(view.ns) for view in asked}
    if len(sets) > 1:
        for view in asked:
            names = ", ".join(name_text(name) for name in targets(view.ns)) or "none"
            yield Occurrence(f"{where(view)}: {names}", view.replies)


@finding(
    "no-server-serves",
    Severity.ERROR,
    "None of the domain's name servers answers for it",
    why=(
        "The domain is down: web, mail and everything else, for everybody whose resolver has nothing left in its cache."
    ),
    remedy=(
        "Create the zone on the servers that the delegation names, or set the NS set at the registrar to "
        "servers that have it."
    ),
    standard="RFC 1034 s4.1",
    after=("moved-too-early", "address-not-public", "glue-not-public", "truncated-without-tcp", "edns-dropped"),
)
def no_server_serves(observation: Observation) -> Iterator[Occurrence]:
    if observation.servers and not observation.serving:
        for view in observation.servers:
            yield Occurrence(f"{where(view)}: {view.outcome}", view.replies)


@finding(
    "server-refers-upwards",
    Severity.ERROR,
    "A name server refers to the zones above",
    why=(
        "Asked for the domain it sends visitors back to where they came from: the zone is not there, and no "
        "hint is given either."
    ),
    remedy="Create the zone on that server, or take the server out of the NS set.",
    standard="RFC 1912 s2.8",
    after=("no-server-serves",),
)
def server_refers_upwards(observation: Observation) -> Iterator[Occurrence]:
    yield from _each(observation, lambda view: view.upwards)


@finding(
    "server-without-soa", Severity.ERROR, "A name server claims authority without having the zone's SOA",
    why="Secondaries and resolvers cannot tell which zone this is; negative answers cannot be kept.",
    remedy="Mend the zone on that server: every zone has exactly one SOA at its apex.",
    standard="RFC 1035 s3.3.13",
    after=("no-server-serves",),
)  # fmt: skip
def server_without_soa(observation: Observation) -> Iterator[Occurrence]:
    yield from _each(observation, lambda view: view.rcode == 0 and view.authoritative and view.soa is None)


@finding(
    "server-malformed", Severity.ERROR, "A name server sends what is no DNS message",
    why="Resolvers throw such answers away and wait for another server; with bad luck visitors fail.",
    remedy="Look for a broken server or a device in between that changes DNS packets.",
    standard="RFC 1035 s4.1",
    after=("no-server-serves",),
)  # fmt: skip
def server_malformed(observation: Observation) -> Iterator[Occurrence]:
    yield from _each(observation, lambda view: view.malformed)


@finding(
    "server-slow", Severity.NOTICE, "A name server takes long to answer",
    why="Every first visit waits for it; many resolvers give up after a few seconds.",
    remedy="Look at the server's load and at the way to it; ask from another network too.",
    standard="RFC 1123 s6.1.3.3",
)  # fmt: skip
def server_slow(observation: Observation) -> Iterator[Occurrence]:
    for view in observation.servers:
        if view.rcode is not None and view.took > 1.0:
            yield Occurrence(f"{where(view)}: {view.took:.1f} s", view.replies, view.address)


@finding(
    "families-differ",
    Severity.WARNING,
    "A name server answers differently over IPv4 and IPv6",
    why=(
        "What visitors get depends on their network: two different servers, or two versions of the zone, "
        "stand behind one name."
    ),
    remedy="Check that both addresses lead to the same server and the same zone.",
    standard="RFC 4472 s1.4",
    after=(
        "server-address-dead",
        "glue-leads-astray",
        "server-silent",
        "server-refuses",
        "server-fails",
        "server-denies",
        "server-without-authority",
        "server-refers-upwards",
        "server-malformed",
        "server-without-soa",
        "serials-differ",
        "servers-disagree-on-ns",
    ),
)
def families_differ(observation: Observation) -> Iterator[Occurrence]:
    for name in {view.server: None for view in observation.servers}:
        here = [view for view in observation.servers if view.server == name and view.rcode is not None]
        four = {(view.rcode, view.serves, _data(view.soa)) for view in here if ":" not in view.address}
        six = {(view.rcode, view.serves, _data(view.soa)) for view in here if ":" in view.address}
        if four and six and four != six:
            replies = tuple(number for view in here for number in view.replies)
            outcomes = "; ".join(f"{view.address}: {view.outcome}" for view in here)
            yield Occurrence(f"{name_text(name)}: {outcomes}", replies)


@finding(
    "contents-differ",
    Severity.WARNING,
    "The servers give different addresses for the bare domain",
    why="Visitors end at one machine or another depending on which name server was asked.",
    remedy="`legatum confirm DOMAIN` asks often enough to tell old data from answers that vary on purpose. "
    "Those are well; else bring the "
    "zone to the same contents on all servers.",
    standard="RFC 1034 s4.3.5",
    after=("serials-differ",),
)
def contents_differ(observation: Observation) -> Iterator[Occurrence]:
    given: dict[tuple[bytes, ...], list[ServerView]] = {}
    for view in observation.serving:
        if view.apex_address is not None:
            given.setdefault(view.apex_address.rdatas, []).append(view)
    if len(given) > 1:
        for rdatas, views in given.items():
            addresses = ", ".join(address_text(rdata) for rdata in rdatas)
            yield Occurrence(f"{', '.join(where(view) for view in views)}: {addresses}")


def _data(rrset: RRset | None) -> tuple[bytes, ...]:
    return rrset.rdatas if rrset else ()
