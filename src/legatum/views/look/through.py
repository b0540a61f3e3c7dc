"""A domain as a resolver has it, where no server can be asked."""

from collections.abc import Iterable

from legatum.core.calendar.duration import duration_text
from legatum.core.calendar.instant import instant_text
from legatum.core.observation.through import SeenThrough
from legatum.core.records.name import name_text
from legatum.core.records.presentation import rdata_texts
from legatum.core.records.rrtype import type_text
from legatum.views.document import Document, Part
from legatum.views.screen import QUIET, Screen


class CopyPart(Part):
    """``left``: seconds for which the resolver keeps it."""

    name: str
    type: str
    left: int
    data: list[str]


class QuestionPart(Part):
    name: str
    type: str
    outcome: str
    errors: list[str]


class DomainPart(Part):
    """What one resolver has of a domain. ``absent``, ``no_such``: names and types, and names, of which it says that
    there are none; ``unheard``: what it did not answer; ``authenticated``: it says that it checked all signatures."""

    domain: str
    at: str
    resolver: str
    address: str
    authenticated: bool
    copies: list[CopyPart]
    absent: list[str]
    no_such: list[str]
    unheard: list[QuestionPart]


class ThroughDocument(Document, tag="legatum.through/1"):
    """Domains as a resolver has them, in the order asked for. No server was asked, and nothing is judged."""

    domains: list[DomainPart]


def through_document(seen: Iterable[SeenThrough]) -> ThroughDocument:
    return ThroughDocument(domains=list(map(_part, seen)))


def _part(seen: SeenThrough) -> DomainPart:
    return DomainPart(
        domain=name_text(seen.domain),
        at=instant_text(seen.at),
        resolver=seen.resolver,
        address=seen.address,
        authenticated=seen.authenticated,
        copies=[
            CopyPart(name=name_text(each.name), type=each.type_text, left=each.ttl, data=rdata_texts(each))
            for each in seen.sets
        ],
        absent=[f"{name_text(name)} {type_text(rtype)}" for name, rtype in seen.absent],
        no_such=list(map(name_text, seen.no_such)),
        unheard=[
            QuestionPart(
                name=name_text(each.name), type=type_text(each.rtype), outcome=each.outcome, errors=list(each.errors)
            )
            for each in seen.unheard
        ],
    )


def show_through(document: ThroughDocument, screen: Screen) -> None:
    for each in document.domains:
        _show(each, screen)


def _show(document: DomainPart, screen: Screen) -> None:
    screen.heading(f"{document.domain} as the resolver {document.resolver} ({document.address}) has it, {document.at}")
    rows = [(each.name, each.type, duration_text(each.left), "\n".join(each.data)) for each in document.copies]
    if rows:
        screen.table(("name", "type", "kept for", "data"), rows)
    for label, names in (("it has none of", document.absent), ("no such name", document.no_such)):
        if names:
            screen.line(f"{label}: {', '.join(names)}")
    for each in document.unheard:
        screen.line(f"{each.name} {each.type}: {'; '.join((each.outcome, *each.errors))}")
    checked = (
        "it says that it checked the signatures of all of it"
        if document.authenticated
        else "it does not say that it checked signatures"
    )
    screen.line(f"{checked}; no server was asked, and nothing is judged", QUIET)
