"""A gathered zone, and how complete it is."""

from legatum.core.name import name_text
from legatum.core.zone import Zone
from legatum.views.document import Document
from legatum.views.screen import Screen


class GatherDocument(Document, tag="legatum.gather/1"):
    """``completeness``: ``complete`` or ``as the file has it``; ``known_because`` says how that is known."""

    domain: str
    source: str
    way: str
    serial: int
    rrsets: int
    records: int
    names: int
    types: dict[str, int]
    completeness: str
    known_because: str
    file: str | None


def gather_document(zone: Zone, source: str, way: str, file: str | None) -> GatherDocument:
    types: dict[str, int] = {}
    for each in zone:
        types[each.type_text] = types.get(each.type_text, 0) + len(each.rdatas)
    transferred = way == "zone transfer"
    return GatherDocument(
        domain=name_text(zone.origin),
        source=source,
        way=way,
        serial=zone.soa.serial,
        rrsets=len(zone),
        records=zone.record_count,
        names=len(zone.names),
        types=types,
        completeness="complete" if transferred else "as the file has it",
        known_because="the server sent the zone whole, from its SOA to its SOA" if transferred else "nobody was asked what is served",
        file=file,
    )


def show_gather(document: GatherDocument, screen: Screen) -> None:
    place = f", written to {document.file}" if document.file else ""
    screen.verdict(
        True,
        f"{document.domain}: {document.records} records at {document.names} names from {document.source}, serial {document.serial}{place}",
        f"check what is served against it: legatum compare {document.file} {document.source}" if document.file else "",
    )
    screen.line()
    screen.pairs(
        [
            ("got by", document.way),
            ("completeness", f"{document.completeness}: {document.known_because}"),
            ("records", ", ".join(f"{count} {kind}" for kind, count in sorted(document.types.items()))),
        ]
    )
