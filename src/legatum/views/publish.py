"""A publication: what changes, and the proof."""

from legatum.core.instant import instant_text
from legatum.core.name import name_text
from legatum.core.presentation import difference_text
from legatum.views.compare import DifferencePart, difference_part
from legatum.views.document import Document
from legatum.views.screen import Screen
from legatum.work.publish import Publication, Published


class PublishDocument(Document, tag="legatum.publish/1"):
    """``state``: ``unchanged``, ``shown``, ``declined`` or ``published``; the rest of the last four only when published."""

    domain: str
    provider: str
    state: str
    changes: list[DifferencePart]
    serial: int | None = None
    first: str | None = None
    all: str | None = None
    addresses: list[str] = []


def publish_document(publication: Publication, state: str, done: Published | None) -> PublishDocument:
    return PublishDocument(
        domain=name_text(publication.wanted.origin),
        provider=publication.provider.name,
        state=state,
        changes=[difference_part(each) for each in publication.differences] if publication.is_needed else [],
        serial=done.serial if done else None,
        first=instant_text(done.first) if done else None,
        all=instant_text(done.all) if done else None,
        addresses=list(done.addresses) if done else [],
    )


def change_lines(publication: Publication) -> list[str]:
    """Old → new, a line for each RRset."""
    return [difference_text(each) for each in publication.differences]


def show_publish(document: PublishDocument, screen: Screen) -> None:
    where = f"{document.domain} at {document.provider}"
    match document.state:
        case "published":
            text = f"{where}: published, serial {document.serial}; all {len(document.addresses)} addresses answer with it, contents equal"
            screen.verdict(True, text, f"legatum compare the answers of both sides before anything points at {document.provider}")
        case "unchanged":
            screen.verdict(True, f"{where}: nothing to change, it is served like this already", "")
        case "shown":
            screen.verdict(
                True, f"{where}: {len(document.changes)} RRsets would change; nothing was touched", "without --dry-run it is done"
            )
        case _:
            screen.verdict(False, f"{where}: declined, nothing was changed", "")
