"""The name servers' names: addresses, aliases, and the glue that the parent gives along."""

from collections.abc import Iterator

from legatum.core.address import address_text
from legatum.core.findings.finding import Severity, Sighting, finding
from legatum.core.name import is_under, name_text
from legatum.core.picture import Picture


@finding(
    "ns-without-address", Severity.ERROR, "A name server's name has no address",
    why="Nobody can ask that server; a mistyped name or a missing final dot looks just like this.",
    remedy="Compare the name letter by letter with what the provider gave you; mend it in the zone and at the registrar.",
    standard="RFC 1912 s2.8",
)  # fmt: skip
def ns_without_address(picture: Picture) -> Iterator[Sighting]:
    for host in picture.hosts.values():
        if not host.addresses and host.alias is None:
            yield Sighting(f"{name_text(host.name)}: {host.why}")


@finding(
    "ns-is-alias", Severity.ERROR, "A name server's name is an alias",
    why="An NS record must name a host with addresses of its own; many resolvers do not follow an alias here.",
    remedy="Use the name that the alias leads to in the NS set, or give this name A and AAAA records.",
    standard="RFC 2181 s10.3",
)  # fmt: skip
def ns_is_alias(picture: Picture) -> Iterator[Sighting]:
    for host in picture.hosts.values():
        if host.alias is not None:
            yield Sighting(f"{name_text(host.name)} leads to {name_text(host.alias)}")


@finding(
    "glue-missing", Severity.ERROR, "A name server inside the domain has no glue",
    why="To find the server one would have to ask the server: without its address at the parent nobody gets there.",
    remedy="Register the host with its addresses at the registrar (child name server).",
    standard="RFC 1034 s4.2.1",
)  # fmt: skip
def glue_missing(picture: Picture) -> Iterator[Sighting]:
    for view in picture.parents:
        given = {each.name for each in view.glue}
        for name in picture.delegation if view.ns else ():
            if is_under(name, picture.domain) and name not in given:
                yield Sighting(f"{name_text(view.server)} ({view.address}) gives no address for {name_text(name)}", (view.reply,))


@finding(
    "glue-differs", Severity.WARNING, "Glue and the zone give different addresses",
    why="Visitors are sent to the address at the parent first; if that server is gone or old, they wait or get old answers.",
    remedy="Change the host's addresses at the registrar and the zone's A and AAAA records to the same values.",
    standard="RFC 1034 s4.2.2",
)  # fmt: skip
def glue_differs(picture: Picture) -> Iterator[Sighting]:
    for view in picture.parents:
        for glue in view.glue:
            host = picture.hosts.get(glue.name)
            own = next((each for each in host.addresses if each.rtype == glue.rtype), None) if host else None
            if host and host.addresses and not glue.says_the_same(own):
                given = ", ".join(address_text(rdata) for rdata in glue.rdatas)
                real = ", ".join(address_text(rdata) for rdata in own.rdatas) if own else "none"
                yield Sighting(f"{name_text(glue.name)}: {given} at {view.address}, {real} in its zone", (view.reply,))
