"""A domain's names from two views, side by side."""

from collections import Counter

from legatum.core.agreement.split import Row
from legatum.core.observation.answers import Said
from legatum.core.records.name import name_text
from legatum.core.records.presentation import rdata_texts
from legatum.core.records.rrtype import type_text
from legatum.views.document import Document, Part
from legatum.views.screen import BAD, QUIET, Screen
from legatum.work.services.views import Compared


class ViewRowPart(Part):
    """``apart``: who within a view gives something else, and what."""

    name: str
    type: str
    kind: str
    fault: bool
    inside: list[str]
    outside: list[str]
    apart: dict[str, list[str]]


class ViewsDocument(Document, tag="legatum.views/1"):
    """The same names from two views. What differs is what views are for; ``faults`` are addresses that leak, old data,
    names that are missing and servers of a view that do not agree. ``asked``: view → who."""

    domain: str
    inside: str
    outside: str
    good: bool
    faults: int
    asked: dict[str, list[str]]
    questions: int
    rows: list[ViewRowPart]


def views_document(found: Compared) -> ViewsDocument:
    rows = [_row(each) for each in found.rows]
    faults = sum(each.fault for each in rows)
    return ViewsDocument(
        domain=name_text(found.domain),
        inside=found.inside,
        outside=found.outside,
        good=not faults,
        faults=faults,
        asked={view: list(parties) for view, parties in found.parties.items()},
        questions=found.questions,
        rows=rows,
    )


def _row(each: Row) -> ViewRowPart:
    return ViewRowPart(
        name=name_text(each.name),
        type=type_text(each.rtype),
        kind=str(each.split),
        fault=each.split.is_fault,
        inside=_texts(each.inside),
        outside=_texts(each.outside),
        apart={who: _texts(said) for who, said in each.apart},
    )


def _texts(said: Said) -> list[str]:
    return [f"{rrset.type_text} {text}" for rrset in said.rrsets for text in rdata_texts(rrset)] or [said.outcome]


def show_views(document: ViewsDocument, screen: Screen) -> None:
    screen.verdict(document.good, *_verdict(document))
    show_view_rows(document, screen)
    screen.line()
    for view, parties in document.asked.items():
        screen.line(f"{view}: {', '.join(parties)}", QUIET)


def show_view_rows(document: ViewsDocument, screen: Screen) -> None:
    """What differs, faults first; what is the same is counted."""
    told = sorted(
        (each for each in document.rows if each.kind != "the same" or each.apart), key=lambda each: not each.fault
    )
    screen.heading(f"{document.inside} and {document.outside}, side by side")
    rows = [
        (each.name, each.type, each.kind, "\n".join(each.inside), "\n".join(each.outside), _apart(each))
        for each in told
    ]
    screen.table(
        ("name", "type", "", document.inside, document.outside, "but"),
        rows,
        [BAD if each.fault else "" for each in told],
    )
    same = sum(each.kind == "the same" for each in document.rows)
    screen.line(f"{same} names and types are the same in both; {document.questions} were asked for", QUIET)


def _apart(each: ViewRowPart) -> str:
    return "\n".join(f"{who}: {', '.join(said)}" for who, said in each.apart.items())


def _verdict(document: ViewsDocument) -> tuple[str, str]:
    kinds = Counter(each.kind for each in document.rows if each.kind != "the same")
    listed = ", ".join(f"{count} {kind}" for kind, count in kinds.items())
    where = f"{document.domain}, {document.inside} and {document.outside}"
    if document.good:
        return f"{where}: as views should be: {listed or 'nothing differs'}", ""
    first = next(each for each in document.rows if each.fault)
    return f"{where}: {document.faults} not right: {first.name} {first.type}: {first.kind}", _REMEDIES[first.kind]


_REMEDIES = {
    "missing inside": (
        "people inside find nothing there: put the name into the inner zone too, or let the inner servers pass it on"
    ),
    "inside has the old data": "make the change in the inner zone as well; nothing brings it there by itself",
    "outside has the old data": "make the change in the public zone as well",
    "an inner address outside": (
        "take it out of the public zone: it leads nowhere from outside, and tells strangers about the inside"
    ),
    "not the same within the view": (
        "find who of the view is behind: `legatum compare LEFT RIGHT --domain DOMAIN --answers`"
    ),
    "no answer": "are the addresses of the view right, and may this machine ask from its source?",
}
