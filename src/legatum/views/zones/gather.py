"""A gathered zone, and how complete it is."""

from collections.abc import Sequence

from legatum.core.records.name import Name, name_text
from legatum.core.records.presentation import rdata_texts
from legatum.core.records.rrset import RRset
from legatum.core.zones.completeness import Degree
from legatum.core.zones.contents import Contents
from legatum.core.zones.signer import counted_text
from legatum.net.gathering.ways import Tried
from legatum.views.document import Document
from legatum.views.screen import Screen


class GatherDocument(Document, tag="legatum.gather/1"):
    """``completeness``: ``complete``, ``counted``, ``a sample`` or ``as the file has it``; ``known_because`` says how
    that is known.

    ``exist``, ``known``: names that there are and that were gathered, ``asked``: names asked for, where that is known;
    ``doubts``: what may be missing; ``tried``: ways that were not open; ``copied_from``: the domain whose zone it is a
    copy of, under another name, and ``left``: text that still holds the old one; ``left_out``: what a signer made,
    which is not copied.
    """

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
    exist: int | None = None
    known: int | None = None
    asked: int | None = None
    doubts: list[str] = []
    tried: list[str] = []
    left: list[str] = []
    copied_from: str | None = None
    left_out: str = ""


def gather_document(
    contents: Contents,
    file: str | None,
    tried: Sequence[Tried] = (),
    copied_from: Name | None = None,
    left: Sequence[RRset] = (),
    signed: Sequence[RRset] = (),
) -> GatherDocument:
    zone, completeness = contents.zone, contents.completeness
    types: dict[str, int] = {}
    for each in zone:
        types[each.type_text] = types.get(each.type_text, 0) + len(each.rdatas)
    return GatherDocument(
        domain=name_text(zone.origin),
        source=contents.source,
        way=contents.way,
        serial=zone.soa.serial,
        rrsets=len(zone),
        records=zone.record_count,
        names=len(zone.names),
        types=types,
        completeness=str(completeness.degree),
        known_because=completeness.because,
        file=file,
        exist=completeness.exist,
        known=completeness.known,
        asked=completeness.asked,
        doubts=list(completeness.doubts),
        tried=[f"{each.way}: {each.why}" for each in tried],
        left=[f"{name_text(each.name)} {text}" for each in left for text in rdata_texts(each)],
        copied_from=name_text(copied_from) if copied_from else None,
        left_out=counted_text(signed),
    )


def show_gather(document: GatherDocument, screen: Screen) -> None:
    place = f", written to {document.file}" if document.file else ""
    whole = document.completeness in (Degree.COMPLETE, Degree.UNCHECKED)
    following = (
        f"check what is served against it: `legatum compare {document.file} {document.source}`" if document.file else ""
    )
    if document.copied_from:
        following = (
            f"mend what still holds the old name, then `legatum publish {document.domain} --from "
            f"{document.file or 'FILE'} --to PROVIDER`"
        )
    elif not whole:
        following = (
            "add names that you know of with --names FILE, or ask the provider for an export, before you rely on this"
        )
    screen.verdict(
        whole and not document.left,
        f"{document.domain}: {document.records} records at {document.names} names from {document.source}, "
        f"serial {document.serial}{place}",
        following,
    )
    screen.line()
    screen.pairs(
        [
            ("got by", document.way),
            ("completeness", f"{document.completeness}: {document.known_because}"),
            ("records", ", ".join(f"{count} {kind}" for kind, count in sorted(document.types.items()))),
            *(("in doubt", doubt) for doubt in document.doubts),
            *(("not open", tried) for tried in document.tried),
            *(("old name in", text) for text in document.left),
            *(
                [("left out", f"{document.left_out}: a signer made it, the copy's own signer makes it anew")]
                if document.left_out
                else []
            ),
        ]
    )
