"""The name servers' names: addresses, aliases, and the ways in which they are mistyped."""

from collections.abc import Iterator
from functools import lru_cache

from legatum.core.findings.finding import Occurrence, Severity, finding
from legatum.core.observation.observation import Observation
from legatum.core.records.name import Name, from_labels, is_under, labels_of, name_text


@finding(
    "ns-without-address",
    Severity.ERROR,
    "A name server's name has no address",
    why="Nobody can ask that server; a mistyped name or a missing final dot looks just like this.",
    remedy=(
        "Compare the name letter by letter with what the provider gave you; mend it in the zone and at the registrar."
    ),
    standard="RFC 1912 s2.8",
    after=("ns-circle", "ns-doubled-suffix", "ns-not-a-host-name", "glue-missing", "no-server-serves"),
)
def ns_without_address(observation: Observation) -> Iterator[Occurrence]:
    for host in observation.hosts.values():
        if not host.addresses and host.alias is None and host.asked:
            yield Occurrence(f"{name_text(host.name)}: {host.why}", (), name_text(host.name))


@finding(
    "ns-is-alias", Severity.ERROR, "A name server's name is an alias",
    why="An NS record must name a host with addresses of its own; many resolvers do not follow an alias here.",
    remedy="Use the name that the alias leads to in the NS set, or give this name A and AAAA records.",
    standard="RFC 2181 s10.3",
)  # fmt: skip
def ns_is_alias(observation: Observation) -> Iterator[Occurrence]:
    for host in observation.hosts.values():
        if host.alias is not None:
            yield Occurrence(f"{name_text(host.name)} leads to {name_text(host.alias)}", (), name_text(host.name))


@finding(
    "ns-circle",
    Severity.ERROR,
    "Name servers depend on each other in a circle",
    why=(
        "To find this server one must first ask a server whose address only this one can tell: nobody gets "
        "there without glue."
    ),
    remedy=(
        "Put one of the name servers under a zone that does not depend on this domain, or add glue at the registrar."
    ),
    standard="RFC 1912 s2.3",
)
def ns_circle(observation: Observation) -> Iterator[Occurrence]:
    for host in observation.hosts.values():
        if host.circle:
            yield Occurrence(f"{name_text(host.name)}: {host.why}", (), name_text(host.name))


@finding(
    "ns-doubled-suffix",
    Severity.ERROR,
    "A name server's name has the domain's name appended: a final dot is missing",
    why=(
        "In zone files and many forms a name without its final dot is taken as relative: the server named "
        "does not exist."
    ),
    remedy=(
        "Write the name server's name with a final dot in the zone, and without the domain's name behind "
        "it at the registrar."
    ),
    standard="RFC 1035 s5.1",
)
def ns_doubled_suffix(observation: Observation) -> Iterator[Occurrence]:
    nowhere = [host for host in observation.hosts.values() if not host.addresses]
    others = {*observation.delegation, *observation.own_ns} if nowhere else set()
    suffixes = {labels_of(name)[-1] for name in others | {observation.domain} if labels_of(name)}
    for host in nowhere:
        front = _in_front(host.name, observation.domain)
        if len(front) < 2:
            continue
        meant = from_labels(front)
        if meant in others or is_under(meant, observation.domain) or front[-1] in suffixes:
            yield Occurrence(f"{name_text(host.name)}: surely {name_text(meant)} was meant", (), name_text(host.name))


@finding(
    "ns-not-a-host-name", Severity.ERROR, "A name server's name is no name that a host may have",
    why="Letters, digits and hyphens only: software that checks host names passes such a server over.",
    remedy="Correct the name in the zone and at the registrar.",
    standard="RFC 1123 s2.1",
)  # fmt: skip
def ns_not_a_host_name(observation: Observation) -> Iterator[Occurrence]:
    for name in sorted({*observation.delegation, *observation.own_ns}):
        if not _may_be_host(name):
            yield Occurrence(name_text(name), (), name_text(name))


@lru_cache(maxsize=4096)
def _may_be_host(name: Name) -> bool:
    """Many domains have the same few name servers."""
    return all(map(_host_label, labels_of(name)))


def _host_label(label: bytes) -> bool:
    return label.replace(b"-", b"a").isalnum() and not label.startswith(b"-") and not label.endswith(b"-")


def _in_front(name: Name, domain: Name) -> list[bytes]:
    """The labels in front of the domain's; none for a name that is not under it."""
    return labels_of(name)[: -len(labels_of(domain))] if is_under(name, domain) else []
