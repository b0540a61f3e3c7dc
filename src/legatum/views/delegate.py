"""A part of a zone handed on."""

from legatum.core.instant import instant_text
from legatum.core.name import name_text
from legatum.core.timing import Caution
from legatum.views.compare import DifferencePart, difference_part
from legatum.views.document import Document
from legatum.views.screen import Screen
from legatum.work.delegate import Handing
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
        screen.verdict(True, text, f"legatum survey {document.name} looks at it from outside")
        screen.line(
            f"Caches may hold the zone's own answers below {document.name} until {document.caches_until}: keep both sides equal until then."
        )
    elif document.state == "shown":
        screen.verdict(
            True, f"{what}: {len(document.parent)} RRsets would change in {document.of}; nothing was touched", "leave out --dry-run"
        )
    else:
        screen.verdict(False, f"{what}: declined, nothing was changed", "")
