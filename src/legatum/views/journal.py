"""The journal itself: where it is, how much it holds, what became of a copy."""

from legatum.journal.journal import Journal
from legatum.views.document import Document
from legatum.views.screen import Screen


class JournalDocument(Document, tag="legatum.journal/1"):
    """``form``: of its tables; ``copied``: rows that were copied, and ``to`` where, both empty where nothing was."""

    place: str
    form: int
    entries: int
    domains: int
    replies: int
    copied: int | None = None
    to: str | None = None


def journal_document(journal: Journal, form: int, copied: int | None = None, to: str | None = None) -> JournalDocument:
    held = journal.held()
    return JournalDocument(
        place=journal.place,
        form=form,
        entries=held.entries,
        domains=held.domains,
        replies=held.replies,
        copied=copied,
        to=to,
    )


def show_journal(document: JournalDocument, screen: Screen) -> None:
    if document.to is not None:
        text = f"copied to {document.to}: {document.copied} rows, as they were at one moment"
        screen.verdict(True, text, "to go on with it there, name it as `journal` in the settings")
    screen.line(f"journal {document.place}, form {document.form}")
    screen.line(f"{document.entries} entries on {document.domains} domains, {document.replies} replies kept to them")
