"""Master files written (RFC 1035 s5): absolute names, one record a line."""

from collections.abc import Iterable, Iterator

from legatum.core.records.name import absolute_text, name_text
from legatum.core.records.presentation import rdata_text
from legatum.core.records.rrtype import RRSIG
from legatum.core.running.progress import tally
from legatum.core.zones.zone import Zone

_WIDEST = 60  # columns for names: a single long one does not push all data to the right


def master_text(zone: Zone, comments: Iterable[str] = ()) -> str:
    """The zone as a master file: absolute names, one record a line, canonical order, SOA first."""
    return "\n".join(master_lines(zone, comments)) + "\n"


def master_lines(zone: Zone, comments: Iterable[str] = ()) -> Iterator[str]:
    """The lines of :func:`master_text`, without line ends."""
    yield from (f"; {each}" for each in comments)
    yield f"$ORIGIN {absolute_text(zone.origin)}"
    sets = list(zone)
    # One octet of a name is one character of text, but for the rare ones that are escaped.
    counted = tally()
    counted.begin(f"writing {name_text(zone.origin)}", zone.record_count, "records")
    width = min(max((len(each.name) for each in sets), default=0), _WIDEST)
    for each in sets:
        counted.done += len(each.rdatas)
        head = f"{absolute_text(each.name).ljust(width)} {each.ttl:>7} IN {each.type_text:<6} "
        for rdata in each.rdatas:
            if each.rtype == RRSIG:  # each has the TTL of what it is over, and says it (RFC 4034 s3.1.4)
                head = (
                    f"{absolute_text(each.name).ljust(width)} {int.from_bytes(rdata[4:8], 'big'):>7} IN "
                    f"{each.type_text:<6} "
                )
            yield head + rdata_text(each.rtype, rdata)
