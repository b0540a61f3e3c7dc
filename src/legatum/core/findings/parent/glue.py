"""The glue that the parent gives along."""

from collections.abc import Iterator

from legatum.core.findings.finding import Occurrence, Severity, finding
from legatum.core.observation.observation import Observation
from legatum.core.records.address import address_text
from legatum.core.records.name import Name, is_under, name_text
from legatum.core.records.rrset import targets


@finding(
    "glue-missing", Severity.ERROR, "A name server inside the domain has no glue",
    why="To find the server one would have to ask the server: without its address at the parent nobody gets there.",
    remedy="Register the host with its addresses at the registrar (child name server).",
    standard="RFC 1034 s4.2.1",
    after=("ns-doubled-suffix",),
)  # fmt: skip
def glue_missing(observation: Observation) -> Iterator[Occurrence]:
    for view in observation.parents:
        given = {each.name for each in view.glue}
        for name in observation.delegation if view.ns else ():
            if is_under(name, observation.domain) and name not in given:
                yield Occurrence(
                    f"{name_text(view.server)} ({view.address}) gives no address for {name_text(name)}",
                    (view.reply,),
                    name_text(name),
                )


def _extra(observation: Observation) -> dict[str, tuple[Name, int]]:
    """Addresses that a parent server gives for a host whose own zone does not have them: with the host, and the
    reply."""
    found: dict[str, tuple[Name, int]] = {}
    for view in observation.parents:
        for glue in view.glue:
            host = observation.hosts.get(glue.name)
            if host is None or not host.addresses or glue.rtype in host.unanswered:
                continue
            own = {rdata for each in host.addresses if each.rtype == glue.rtype for rdata in each.rdatas}
            found.update({address_text(rdata): (glue.name, view.reply) for rdata in glue.rdatas if rdata not in own})
    return found


@finding(
    "glue-leads-astray",
    Severity.ERROR,
    "The parent gives an address at which the name server does not stand",
    why=(
        "Its zone does not have this address, and nobody answers for the domain there: visitors sent there "
        "wait or are refused."
    ),
    remedy=(
        "Take this address out of the host at the registrar (child name server); the addresses that its "
        "zone has are the right ones."
    ),
    standard="RFC 1034 s4.2.2",
    after=("no-server-serves",),
)
def glue_leads_astray(observation: Observation) -> Iterator[Occurrence]:
    serving = {view.address for view in observation.serving}
    asked = {view.address for view in observation.servers}
    for where, (name, reply) in _extra(observation).items():
        if where in asked and where not in serving:
            yield Occurrence(f"{where} for {name_text(name)}, which its zone does not have", (reply,), where)


@finding(
    "glue-differs",
    Severity.WARNING,
    "Glue and the zone give different addresses",
    why=(
        "Visitors are sent to the address at the parent first; if that server is gone or old, they wait or "
        "get old answers."
    ),
    remedy="Change the host's addresses at the registrar and the zone's A and AAAA records to the same values.",
    standard="RFC 1034 s4.2.2",
    after=("glue-leads-astray",),
)
def glue_differs(observation: Observation) -> Iterator[Occurrence]:
    extra, serving = _extra(observation), {view.address for view in observation.serving}
    for view in observation.parents:
        for glue in view.glue:
            host = observation.hosts.get(glue.name)
            own = next((each for each in host.addresses if each.rtype == glue.rtype), None) if host else None
            if host and host.addresses and glue.rtype not in host.unanswered and not glue.says_the_same(own):
                given = ", ".join(address_text(rdata) for rdata in glue.rdatas)
                real = ", ".join(address_text(rdata) for rdata in own.rdatas) if own else "none"
                astray = next(
                    (where for where in map(address_text, glue.rdatas) if where in extra and where not in serving), ""
                )
                about = astray or name_text(glue.name)
                yield Occurrence(
                    f"{name_text(glue.name)}: {given} at {view.address}, {real} in its zone", (view.reply,), about
                )


@finding(
    "glue-servers-differ", Severity.WARNING, "The servers of the parent zone give different glue",
    why="A change of a host's address is on its way, or got stuck: visitors are sent to either address.",
    remedy="Wait for the parent's servers to agree; if they do not within the hour, ask the registrar.",
    standard="RFC 1034 s4.3.5",
)  # fmt: skip
def glue_servers_differ(observation: Observation) -> Iterator[Occurrence]:
    for name in observation.delegation:
        if not is_under(name, observation.domain):
            continue  # glue for others' names may be given or not
        given: dict[tuple[str, ...], list[int]] = {}
        for view in observation.parents:
            if view.ns and name in targets(view.ns):
                addresses = tuple(
                    sorted(address_text(rdata) for each in view.glue if each.name == name for rdata in each.rdatas)
                )
                given.setdefault(addresses, []).append(view.reply)
        if len(given) > 1 and () not in given:
            for addresses, replies in given.items():
                yield Occurrence(
                    f"{name_text(name)}: {', '.join(addresses)} at {len(replies)} addresses",
                    tuple(replies),
                    name_text(name),
                )


@finding(
    "glue-lacks-family", Severity.NOTICE, "A name server's glue has addresses of one family only",
    why="The host has IPv4 and IPv6 in the zone, but the parent tells visitors of one only.",
    remedy="Add the missing address to the host at the registrar.",
    standard="RFC 3901 s3",
    after=("glue-missing",),
)  # fmt: skip
def glue_lacks_family(observation: Observation) -> Iterator[Occurrence]:
    for host in observation.hosts.values():
        if not is_under(host.name, observation.domain) or host.name not in observation.delegation:
            continue
        given = {each.rtype for view in observation.parents for each in view.glue if each.name == host.name}
        for each in host.addresses:
            if given and each.rtype not in given:
                yield Occurrence(
                    f"{name_text(host.name)}: the {each.type_text} of its zone is not at the parent",
                    (),
                    name_text(host.name),
                )


@finding(
    "glue-unneeded", Severity.NOTICE, "The parent gives addresses of names that are none of its business",
    why="Addresses of hosts outside the parent's zone are ignored by careful resolvers and go stale unnoticed.",
    remedy="Have the host object of that name at the registrar taken away.",
    standard="RFC 2181 s5.4.1",
)  # fmt: skip
def glue_unneeded(observation: Observation) -> Iterator[Occurrence]:
    for view in observation.parents:
        for each in view.glue:
            if not is_under(each.name, observation.parent_zone):
                yield Occurrence(f"{name_text(each.name)} at {view.address}", (view.reply,), name_text(each.name))
