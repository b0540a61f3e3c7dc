"""SOA values, and TTLs that stand beside each other."""

from collections.abc import Iterator

from legatum.core.findings.finding import Severity, Sighting, finding
from legatum.core.name import name_text
from legatum.core.picture import Picture
from legatum.core.soa import SoaFields, negative_ttl, parse_soa

_DAY = 86400


def _soa(picture: Picture) -> SoaFields | None:
    return next((parse_soa(view.soa.rdatas[0]) for view in picture.serving if view.soa), None)


@finding(
    "serials-differ", Severity.WARNING, "The servers have different versions of the zone",
    why="Visitors get old or new data depending on the server asked. Just after an edit this is normal for seconds.",
    remedy="Look again in a minute. If it stays, check that the secondary may transfer and that the serial was raised.",
    standard="RFC 1034 s4.3.5",
)  # fmt: skip
def serials_differ(picture: Picture) -> Iterator[Sighting]:
    serials = {view.address: parse_soa(view.soa.rdatas[0]).serial for view in picture.serving if view.soa}
    if len(set(serials.values())) > 1:
        for view in picture.serving:
            yield Sighting(f"{name_text(view.server)} ({view.address}): {serials[view.address]}", view.replies)


@finding(
    "expire-short", Severity.WARNING, "Secondaries give up the zone soon",
    why="When the primary is away for longer than this, the secondaries stop answering and the domain is gone.",
    remedy="Set EXPIRE to two to four weeks.",
    standard="RFC 1912 s2.2",
)  # fmt: skip
def expire_short(picture: Picture) -> Iterator[Sighting]:
    soa = _soa(picture)
    if soa and soa.expire < 7 * _DAY:
        yield Sighting(f"EXPIRE is {soa.expire} s")


@finding(
    "retry-not-below-refresh", Severity.NOTICE, "RETRY is not shorter than REFRESH",
    why="After a failed check a secondary should try again sooner than it would have looked anyway.",
    remedy="Set RETRY to a fraction of REFRESH.",
    standard="RFC 1912 s2.2",
)  # fmt: skip
def retry_not_below_refresh(picture: Picture) -> Iterator[Sighting]:
    soa = _soa(picture)
    if soa and soa.retry >= soa.refresh:
        yield Sighting(f"REFRESH {soa.refresh} s, RETRY {soa.retry} s")


@finding(
    "negative-ttl-long", Severity.NOTICE, "*No such name* is kept for long",
    why="A name added later stays invisible this long to everybody who asked for it before.",
    remedy="Lower MINIMUM and the SOA's own TTL before you add names; an hour is usual.",
    standard="RFC 2308 s5",
)  # fmt: skip
def negative_ttl_long(picture: Picture) -> Iterator[Sighting]:
    longest = max((negative_ttl(view.soa) for view in picture.serving if view.soa), default=0)
    if longest > 3 * 3600:
        yield Sighting(f"caches keep it for {longest} s")


@finding(
    "ns-ttls-far-apart", Severity.NOTICE, "Parent and child give the NS set very different TTLs",
    why="A change of name servers takes as long as the longer of the two, whichever the resolver trusts.",
    remedy="Before a move, lower the zone's own NS TTL towards the parent's: `legatum move draft` plans it.",
    standard="RFC 2181 s5.2",
)  # fmt: skip
def ns_ttls_far_apart(picture: Picture) -> Iterator[Sighting]:
    parent, child = picture.parent_ttl, picture.apex_ttl
    if parent and child and max(parent, child) >= 10 * max(1, min(parent, child)):
        yield Sighting(f"{parent} s at the parent, {child} s in the zone")
