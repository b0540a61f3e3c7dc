"""A publication: what changes, and the proof."""

from legatum.core.calendar.instant import instant_text
from legatum.core.records.name import Name, name_text
from legatum.core.records.rrtype import SOA
from legatum.core.records.soa import parse_soa
from legatum.core.zones.changing.publication import Publication, kept_of_source
from legatum.core.zones.difference import Difference, difference_text
from legatum.views.document import Document
from legatum.views.screen import Screen
from legatum.views.zones.compare import DifferencePart, difference_part
from legatum.work.zones.publish import Published

NOT_THERE = "the zone is not there yet: it is made first"
_FOLLOWING = (
    "before a delegation points there, compare the answers of both sides: `legatum compare PROVIDER PROVIDER "
    "--domain DOMAIN --answers`"
)


class PublishDocument(Document, tag="legatum.publish/1"):
    """``state``: ``unchanged``, ``shown``, ``declined`` or ``published``; ``serial``, ``first``, ``all`` and
    ``addresses``: what every server was seen to answer; ``how``: in which way nobody else's change could be
    overwritten; ``moved_on``: what somebody else has changed meanwhile, wanted on the right; ``left_out``: what was not
    sent, and why; ``kept``: what the SOA record goes on naming of somebody else's."""

    domain: str
    provider: str
    state: str
    changes: list[DifferencePart]
    serial: int | None = None
    first: str | None = None
    all: str | None = None
    addresses: list[str] = []
    how: str = ""
    moved_on: list[DifferencePart] = []
    left_out: list[str] = []
    kept: list[str] = []


def publish_document(publication: Publication, state: str, done: Published | None) -> PublishDocument:
    return PublishDocument(
        domain=name_text(publication.wanted.origin),
        provider=publication.place,
        state=state,
        changes=[difference_part(each) for each in publication.differences] if publication.is_needed else [],
        serial=done.serial if done else None,
        first=instant_text(done.first) if done else None,
        all=instant_text(done.all) if done else None,
        addresses=list(done.addresses) if done else [],
        how=done.how if done else "",
        moved_on=[difference_part(each) for each in done.moved_on] if done else [],
        left_out=list(publication.notes),
        kept=list(kept_of_source(publication)),
    )


def serial_document(domain: Name, provider: str, state: str, done: list[Published]) -> PublishDocument:
    """A change of nothing but the serial, in one step or several."""
    document = PublishDocument(domain=name_text(domain), provider=provider, state=state, changes=[])
    if done:
        document.serial, document.addresses = done[-1].serial, list(done[-1].addresses)
        document.first, document.all = instant_text(done[0].first), instant_text(done[-1].all)
    return document


def change_lines(publication: Publication) -> list[str]:
    """Old → new, a line for each RRset."""
    making = [NOT_THERE] if publication.is_new else []
    return [*making, *(_serial_line(each) or difference_text(each) for each in publication.differences)]


def _serial_line(each: Difference) -> str:
    """An SOA of which nothing but the serial changes."""
    if each.rtype != SOA or each.left is None or each.right is None or each.left.ttl != each.right.ttl:
        return ""
    old, new = parse_soa(each.left.rdatas[0]), parse_soa(each.right.rdatas[0])
    return f"serial {old.serial} → {new.serial}" if old._replace(serial=new.serial) == new else ""


def show_publish(document: PublishDocument, screen: Screen, following: str = _FOLLOWING) -> None:
    """``following``: what to do after it is done."""
    where = f"{document.domain} at {document.provider}"
    match document.state:
        case "published":
            text = (
                f"{where}: published, serial {document.serial}; all {len(document.addresses)} addresses answer with it"
            )
            screen.verdict(True, f"{text}, {_elsewhere(document)}", following)
        case "unchanged":
            text = (
                f"{where}: nothing to change; all {len(document.addresses)} addresses answer like this, "
                f"serial {document.serial}"
            )
            screen.verdict(True, text + (f"; {_elsewhere(document)}" if document.moved_on else ""), "")
        case "shown":
            screen.untouched(f"{where}: {len(document.changes)} RRsets would change")
        case _:
            screen.declined(where)


def _elsewhere(document: PublishDocument) -> str:
    """What became of the rest of the zone."""
    if not document.moved_on:
        return "contents equal"
    named = ", ".join(f"{each.name} {each.type}" for each in document.moved_on[:4])
    return f"what was sent is there; the zone has moved on meanwhile: {named}{' …' if document.moved_on[4:] else ''}"
