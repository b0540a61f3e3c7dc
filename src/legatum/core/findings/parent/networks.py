"""Where the name servers stand: addresses, networks, what they have in common."""

from collections.abc import Iterator

from legatum.core.findings.finding import Occurrence, Severity, finding
from legatum.core.observation.observation import Observation
from legatum.core.records.address import address_text
from legatum.core.records.name import labels_of, name_text
from legatum.core.records.space import is_public, network_of


@finding(
    "same-address", Severity.WARNING, "All name servers are one machine",
    why="Two names on one address are one server: when it is down, the whole domain is gone.",
    remedy="Give the second name server an address of its own, on another network.",
    standard="RFC 2182 s3.1",
    after=("single-name-server",),
)  # fmt: skip
def same_address(observation: Observation) -> Iterator[Occurrence]:
    for six in (False, True):
        sets = [{each for each in addresses if (":" in each) == six} for addresses in observation.addresses.values()]
        sets = [found for found in sets if found]
        if len(sets) > 1 and len(set.union(*sets)) == 1:
            yield Occurrence(f"all {len(sets)} name servers stand on {next(iter(sets[0]))}")


@finding(
    "same-network", Severity.NOTICE, "All name servers stand in one network",
    why="One cut cable or one routing fault takes all of them away at once.",
    remedy="Have at least one name server elsewhere.",
    standard="RFC 2182 s3.1",
    after=("single-name-server", "same-address"),
)  # fmt: skip
def same_network(observation: Observation) -> Iterator[Occurrence]:
    ipv4 = {each for each in observation.all_addresses if ":" not in each}
    networks = {network_of(each) for each in ipv4}
    if len(ipv4) > 1 and len(networks) == 1:
        yield Occurrence(f"all {len(ipv4)} IPv4 addresses are in {networks.pop()}")


@finding(
    "all-under-one-suffix", Severity.NOTICE, "All name servers' names are under one top-level domain",
    why="A fault in that one registry takes all of them away at once, whatever the domain's own.",
    remedy="For domains that must not fail, have one name server under another top-level domain.",
    standard="RFC 2182 s3.1",
    after=("single-name-server",),
)  # fmt: skip
def all_under_one_suffix(observation: Observation) -> Iterator[Occurrence]:
    suffixes = {labels_of(name)[-1] for name in observation.delegation if labels_of(name)}
    own = labels_of(observation.domain)[-1]
    if len(observation.delegation) > 1 and len(suffixes) == 1 and suffixes != {own}:
        yield Occurrence(
            f"all {len(observation.delegation)} are under .{suffixes.pop().decode('ascii', 'replace')}, the "
            "domain is not"
        )


@finding(
    "address-not-public",
    Severity.ERROR,
    "A name server has an address that the world cannot reach",
    why="Private, loopback and documentation addresses lead nowhere from outside: visitors sent there wait and fail.",
    remedy=(
        "Give the host its public address, at the registrar and in its zone. If that range is in use at "
        "your site, set `home`."
    ),
    standard="RFC 6890 s2",
)
def address_not_public(observation: Observation) -> Iterator[Occurrence]:
    for name, addresses in observation.addresses.items():
        for address in sorted(addresses):
            if not is_public(address, observation.home):
                yield Occurrence(f"{name_text(name)}: {address}", (), address)


@finding(
    "glue-not-public", Severity.ERROR, "Glue leads to an address that the world cannot reach",
    why="The parent sends visitors to a private, loopback or documentation address, from where no answer comes.",
    remedy="Change the host's address at the registrar to its public one.",
    standard="RFC 6890 s2",
    after=("address-not-public",),
)  # fmt: skip
def glue_not_public(observation: Observation) -> Iterator[Occurrence]:
    found = {
        (each.name, address_text(rdata)): view.reply
        for view in observation.parents
        for each in view.glue
        for rdata in each.rdatas
    }
    for (name, address), reply in found.items():
        if not is_public(address, observation.home):
            yield Occurrence(f"{name_text(name)}: {address}", (reply,), address)


@finding(
    "no-ipv6", Severity.NOTICE, "No name server has an IPv6 address",
    why="Resolvers in networks with IPv6 alone reach the domain only through somebody's translation.",
    remedy="Add AAAA records for the name servers, and glue where they are inside the domain.",
    standard="RFC 3901 s3",
)  # fmt: skip
def no_ipv6(observation: Observation) -> Iterator[Occurrence]:
    addresses = observation.all_addresses
    if addresses and not any(":" in each for each in addresses):
        yield Occurrence("only IPv4 addresses")


@finding(
    "no-ipv4", Severity.ERROR, "No name server has an IPv4 address",
    why="Most resolvers still ask over IPv4 alone; to them the domain does not exist.",
    remedy="Give at least one, better two name servers an IPv4 address.",
    standard="RFC 3901 s3",
)  # fmt: skip
def no_ipv4(observation: Observation) -> Iterator[Occurrence]:
    addresses = observation.all_addresses
    if addresses and all(":" in each for each in addresses):
        yield Occurrence("only IPv6 addresses")
