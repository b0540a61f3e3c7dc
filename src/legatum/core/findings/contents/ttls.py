"""TTLs: beside each other, and beside what is planned."""

from collections.abc import Iterator

from legatum.core.calendar.instant import people_text
from legatum.core.findings.finding import Occurrence, Severity, finding
from legatum.core.observation.observation import Observation
from legatum.core.records.name import is_under, name_text
from legatum.core.records.soa import negative_ttl

_USUAL = 86400  # seconds: with which most zones, those of the house too, give their NS set


@finding(
    "negative-ttl-long", Severity.NOTICE, "*No such name* is kept for long",
    why="A name added later stays invisible this long to everybody who asked for it before.",
    remedy="Lower MINIMUM and the SOA's own TTL before you add names; an hour is usual.",
    standard="RFC 2308 s5",
)  # fmt: skip
def negative_ttl_long(observation: Observation) -> Iterator[Occurrence]:
    longest = max((negative_ttl(view.soa) for view in observation.serving if view.soa), default=0)
    if longest > 3 * 3600:
        yield Occurrence(f"caches keep it for {longest} s")


@finding(
    "ns-ttls-far-apart", Severity.NOTICE, "Parent and child give the NS set very different TTLs",
    why="A change of name servers takes as long as the longer of the two, whichever the resolver trusts.",
    remedy=(
        "Before a move, lower the zone's own NS TTL towards the parent's: "
        "`legatum move draft DOMAIN --to PROVIDER` plans it."
    ),
    standard="RFC 2181 s5.2",
)  # fmt: skip
def ns_ttls_far_apart(observation: Observation) -> Iterator[Occurrence]:
    parent, child = observation.parent_ttl, observation.apex_ttl
    if parent and child and max(parent, child) >= max(10 * min(parent, child), _USUAL + 1):
        yield Occurrence(f"{parent} s at the parent, {child} s in the zone")


@finding(
    "negative-ttl-short",
    Severity.NOTICE,
    "*No such name* is hardly kept at all",
    why=(
        "Every question for a name that does not exist goes to the servers again: mail checks and typos alone are many."
    ),
    remedy="Set MINIMUM, and the SOA's own TTL, to 5 minutes or more.",
    standard="RFC 2308 s5",
)
def negative_ttl_short(observation: Observation) -> Iterator[Occurrence]:
    shortest = min((negative_ttl(view.soa) for view in observation.serving if view.soa), default=300)
    if shortest < 60:
        yield Occurrence(f"caches keep it for {shortest} s")


@finding(
    "ns-ttl-short",
    Severity.NOTICE,
    "The NS set's TTL is short",
    why=(
        "That is right during a move. For good it only makes visitors wait, and a short failure of the "
        "servers is felt at once."
    ),
    remedy="Raise the NS set's TTL to a day when no change is ahead.",
    standard="RFC 1912 s2.2",
)
def ns_ttl_short(observation: Observation) -> Iterator[Occurrence]:
    if observation.apex_ttl is not None and observation.apex_ttl < 900:
        yield Occurrence(f"{observation.apex_ttl} s in the zone")


@finding(
    "ttl-zero", Severity.NOTICE, "A record is never kept",
    why="With a TTL of 0 every visit asks the name servers again; some resolvers treat it badly.",
    remedy="Give it a TTL of some minutes at least.",
    standard="RFC 1035 s3.2.1",
)  # fmt: skip
def ttl_zero(observation: Observation) -> Iterator[Occurrence]:
    for rrset in observation.contents.values():
        # Of names elsewhere a resolver tells what is left of the TTL, which says nothing of the record.
        if rrset is not None and rrset.ttl == 0 and is_under(rrset.name, observation.domain):
            yield Occurrence(f"{name_text(rrset.name)} {rrset.type_text}")


@finding(
    "ttls-differ-between-servers",
    Severity.NOTICE,
    "The servers give one NS set different TTLs",
    why=(
        "One of the servers is not authoritative in earnest, or has an older version: how long a change "
        "takes cannot be told."
    ),
    remedy="Bring the zone to the same contents on all servers.",
    standard="RFC 2181 s5.2",
    after=("serials-differ", "servers-disagree-on-ns"),
)
def ttls_differ_between_servers(observation: Observation) -> Iterator[Occurrence]:
    ttls = {view.address: view.ns.ttl for view in observation.serving if view.ns}
    if len(set(ttls.values())) > 1:
        for address, ttl in ttls.items():
            yield Occurrence(f"{address}: {ttl} s")


@finding(
    "ttl-outlasts-change",
    Severity.WARNING,
    "Copies kept now will outlast the planned change",
    why=(
        "A copy taken just before the change is used for its whole TTL after it; lowering the TTL works only "
        "once the old one has passed."
    ),
    remedy="Lower the TTL now and put the change off to the time given, or accept that old copies live that long.",
    standard="RFC 1035 s3.2.1",
)
def ttl_outlasts_change(observation: Observation) -> Iterator[Occurrence]:
    change = observation.plan.change_at
    for what, ttl in (("the zone's own NS set", observation.apex_ttl), ("the parent's NS set", observation.parent_ttl)):
        if change is not None and ttl is not None and observation.at + ttl > change:
            free = people_text(observation.at + ttl, observation.at)
            yield Occurrence(
                f"{what} has a TTL of {ttl} s: copies taken now live until {free}, the change is planned for "
                f"{people_text(change, observation.at)}"
            )
