"""A part of a zone handed on, or taken back."""

from legatum.core.instant import instant_text
from legatum.core.name import Name, name_text
from legatum.core.timing import Caution
from legatum.views.compare import DifferencePart, difference_part
from legatum.views.document import Document
from legatum.views.screen import Screen
from legatum.work.delegate import Handing, TakingBack
from legatum.work.parting import Parting
from legatum.work.publish import Published


class DelegateDocument(Document, tag="legatum.delegate/1"):
    """``state``: ``shown``, ``declined`` or ``handed on``; ``child`` and ``parent``: what changes in the two zones; ``since``: when every
    server of the parent zone handed out the new NS set; ``caches_until``: how long caches may hold what the zone said there before."""

    name: str
    of: str
    at: str
    to: str
    state: str
    child: list[DifferencePart]
    parent: list[DifferencePart]
    since: str | None
    caches_until: str | None


def delegate_document(handing: Handing, state: str, done: tuple[Published | None, Published] | None, caution: Caution) -> DelegateDocument:
    return DelegateDocument(
        name=name_text(handing.parts.cut),
        of=name_text(handing.parent.wanted.origin),
        at=handing.parent.provider.name,
        to=handing.child.provider.name,
        state=state,
        child=[difference_part(each) for each in handing.child.differences] if handing.child.is_needed else [],
        parent=[difference_part(each) for each in handing.parent.differences],
        since=instant_text(done[1].all) if done else None,
        caches_until=instant_text(handing.over(done[1].all, caution)) if done else None,
    )


def show_delegate(document: DelegateDocument, screen: Screen) -> None:
    what = f"{document.name}: {document.at} → {document.to}"
    if document.state == "handed on":
        text = (
            f"{what}: handed on since {document.since}; every server of both answers as it should, and the rest of {document.of} as before"
        )
        screen.verdict(True, text, f"`legatum survey {document.name}` looks at it from outside")
        screen.line(
            f"Caches may hold the zone's own answers below {document.name} until {document.caches_until}: keep both sides equal until then."
        )
    elif document.state == "shown":
        screen.untouched(f"{what}: {len(document.parent)} RRsets would change in {document.of}")
    else:
        screen.declined(what)


class TakenBackDocument(Document, tag="legatum.taken-back/1"):
    """``state``: ``shown``, ``declined``, ``taken back`` or ``over``; ``parent`` and ``child``: what changes in the two zones, in this
    order; ``not_before``: when nobody asks the child zone any more, so that it may end, and ``reason``."""

    name: str
    of: str
    at: str
    held_by: str
    state: str
    parent: list[DifferencePart]
    child: list[DifferencePart]
    done: list[str]
    not_before: str | None
    reason: str | None


def taken_back_document(
    cut: Name, origin: Name, at: str, held_by: str, state: str, taking: TakingBack | None, done: list[str], standing: Parting | None
) -> TakenBackDocument:
    return TakenBackDocument(
        name=name_text(cut),
        of=name_text(origin),
        at=at,
        held_by=held_by,
        state=state,
        parent=[difference_part(each) for each in taking.parent.differences] if taking and taking.parent.is_needed else [],
        child=[difference_part(each) for each in taking.child.differences] if taking and taking.child.is_needed else [],
        done=done,
        not_before=instant_text(standing.bound) if standing else None,
        reason=standing.reason if standing else None,
    )


def show_taken_back(document: TakenBackDocument, screen: Screen) -> None:
    what = f"{document.name}: {document.held_by} → back to {document.at}"
    if document.state == "over":
        screen.verdict(True, f"{what}: over; {document.at} alone answers for it", "")
    elif document.state == "taken back":
        text = f"{what}: {document.at} answers for it; the child zone at {document.held_by} must be served until {document.not_before}"
        screen.verdict(True, text, "the same command after that ends it, or stay with --wait")
    elif document.state == "shown":
        screen.untouched(f"{what}: {len(document.parent)} RRsets would change in {document.of}")
    else:
        screen.declined(what)
    for each in document.done:
        screen.line(f"- {each}")
    if document.state == "taken back":
        screen.line(f"Why: {document.reason}. Until then make every edit below {document.name} in both zones.")
