"""Sets of records, addresses, and the zone beside another copy of it."""

from collections.abc import Iterator

from legatum.core.findings.finding import Occurrence, Severity, finding
from legatum.core.lint.contents import ZoneContents
from legatum.core.records.address import address_text
from legatum.core.records.name import canonical_key, name_text
from legatum.core.records.rrset import LARGEST_TTL
from legatum.core.records.rrtype import AAAA, MX, NS, RRSIG, SOA, A, type_text
from legatum.core.records.space import is_public_data


@finding(
    "set-ttls-differ", Severity.WARNING, "Records of one set have different TTLs",
    why="A set has one TTL; servers and caches each choose one of them, so how long it is kept is left to chance.",
    remedy="Give all records of the set the same TTL.",
    standard="RFC 2181 s5.2",
)  # fmt: skip
def set_ttls_differ(contents: ZoneContents) -> Iterator[Occurrence]:
    for (name, rtype), ttls in contents.uneven.items():
        if rtype == RRSIG:  # they are no set: each has the TTL of what it is over (RFC 4034 s3)
            continue
        yield Occurrence(
            f"{name_text(name)} {type_text(rtype)}: {', '.join(map(str, ttls))} s; {min(ttls)} counts",
            (),
            name_text(name),
        )


@finding(
    "record-repeated", Severity.NOTICE, "A record stands there twice",
    why="It counts once. Who changes one of them later wonders why the other is still served.",
    remedy="Take one of them out.",
    standard="RFC 2181 s5",
)  # fmt: skip
def record_repeated(contents: ZoneContents) -> Iterator[Occurrence]:
    for name, rtype in contents.repeated:
        yield Occurrence(f"{name_text(name)} {type_text(rtype)}", (), name_text(name))


@finding(
    "address-not-public",
    Severity.WARNING,
    "An address that the world cannot reach",
    why=(
        "Private, loopback and documentation addresses lead nowhere from outside; internal records in a "
        "public zone tell strangers too."
    ),
    remedy=(
        "Put the public address there; keep internal addresses in an internal zone. If the range is in "
        "use at your site, set `home`."
    ),
    standard="RFC 6890 s2",
)
def address_not_public(contents: ZoneContents) -> Iterator[Occurrence]:
    home = contents.home
    for rtype in (A, AAAA):
        kind = type_text(rtype)
        for rrset in contents.of(rtype):
            for rdata in rrset.rdatas:
                if not is_public_data(rdata, home):
                    name = name_text(rrset.name)
                    yield Occurrence(f"{name} {kind} {address_text(rdata)}", (), name)


@finding(
    "apex-without-ns", Severity.ERROR, "The zone names no name servers for itself",
    why="Servers refuse to load it, and resolvers that trust the zone more than its parent find nobody to ask.",
    remedy="Add the NS set at the apex.",
    standard="RFC 1034 s4.2.1",
)  # fmt: skip
def apex_without_ns(contents: ZoneContents) -> Iterator[Occurrence]:
    if contents.zone.apex_ns is None:
        yield Occurrence(name_text(contents.origin))


@finding(
    "name-only-here", Severity.NOTICE, "A name that the other copy lacks",
    why="It is new here, or was forgotten there.",
    remedy="See which of the two is right: `legatum compare PROVIDER FILE` shows both.",
    standard="RFC 1034 s4.3.5",
)  # fmt: skip
def name_only_here(contents: ZoneContents) -> Iterator[Occurrence]:
    if contents.other is not None:
        for name in sorted(contents.zone.names - contents.other.names, key=canonical_key):
            yield Occurrence(name_text(name), (), name_text(name))


@finding(
    "name-only-there", Severity.WARNING, "A name that only the other copy has",
    why="Whoever uses that name loses it when this zone takes over: mail, a shop, a door opener that nobody remembers.",
    remedy="Bring it along, or make sure that it is no longer in use.",
    standard="RFC 1034 s4.3.5",
)  # fmt: skip
def name_only_there(contents: ZoneContents) -> Iterator[Occurrence]:
    if contents.other is not None:
        for name in sorted(contents.other.names - contents.zone.names, key=canonical_key):
            kinds = ", ".join(each.type_text for each in contents.other.at(name))
            yield Occurrence(f"{name_text(name)} ({kinds})", (), name_text(name))


@finding(
    "ttl-of-nothing", Severity.NOTICE, "A record is never kept by caches",
    why="With a TTL of 0 every visit asks the name servers again; some resolvers treat it badly.",
    remedy="Give it a TTL of some minutes at least.",
    standard="RFC 1035 s3.2.1",
)  # fmt: skip
def ttl_of_nothing(contents: ZoneContents) -> Iterator[Occurrence]:
    for rrset in contents.of(A, AAAA, MX, NS, SOA):
        if rrset.ttl == 0:
            yield Occurrence(f"{name_text(rrset.name)} {rrset.type_text}", (), name_text(rrset.name))


@finding(
    "ttl-too-large", Severity.ERROR, "A TTL is larger than a TTL can be",
    why="Resolvers take it for nothing and ask at every visit, and servers refuse to load the zone.",
    remedy=f"Give it {LARGEST_TTL} at most; a day is usual.",
    standard="RFC 2181 s8",
)  # fmt: skip
def ttl_too_large(contents: ZoneContents) -> Iterator[Occurrence]:
    for rrset in contents.zone.unsorted:
        if rrset.ttl > LARGEST_TTL:
            yield Occurrence(f"{name_text(rrset.name)} {rrset.type_text}: {rrset.ttl}", (), name_text(rrset.name))
