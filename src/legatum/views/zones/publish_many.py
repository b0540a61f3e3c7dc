"""Many zones put at one provider: what changes in each, and what became of it."""

from collections import Counter
from collections.abc import Mapping, Sequence

from legatum.core.records.name import Name, name_text
from legatum.views.document import Document, Part
from legatum.views.screen import BAD, Screen
from legatum.views.zones.compare import DifferencePart, difference_part
from legatum.views.zones.publish import change_lines
from legatum.work.fleet.zones import Put

_MOST_LINES, _MOST_SHOWN = 40, 12
_MADE_FIRST = ", the zone is made first"


class PutPart(Part):
    """``state``: ``ready``, ``by hand``, ``unchanged``, ``refused``, ``failed`` or ``published``; ``is_new``: the zone
    was not there yet; ``file``: the worksheet; ``why`` and ``remedy``: of what went wrong."""

    domain: str
    state: str
    is_new: bool
    changes: list[DifferencePart]
    serial: int | None
    file: str | None
    notes: list[str]
    why: str
    remedy: str


class PublishManyDocument(Document, tag="legatum.publish-of-many/1"):
    """Many zones put at one provider. ``state``: ``shown``, ``declined`` or ``done``."""

    state: str
    provider: str
    source: str
    zones: list[PutPart]


def many_document(
    state: str, provider: str, source: str, puts: Sequence[Put], files: Mapping[Name, str]
) -> PublishManyDocument:
    """``files``: the worksheets that were written, by domain."""
    return PublishManyDocument(
        state=state, provider=provider, source=source, zones=[_put(each, files.get(each.domain)) for each in puts]
    )


def _put(put: Put, file: str | None) -> PutPart:
    changes = put.publication.differences if put.publication else put.sheet.to_do if put.sheet else ()
    return PutPart(
        domain=name_text(put.domain),
        state=put.state,
        is_new=put.publication is not None and put.publication.is_new,
        changes=[difference_part(each) for each in changes] if put.state != "unchanged" else [],
        serial=put.done.serial if put.done else None,
        file=file,
        notes=list(put.notes),
        why=put.why,
        remedy=put.remedy,
    )


def many_lines(puts: Sequence[Put], all_of_them: bool) -> list[str]:
    """Old → new of all that are ready, where that is not too much to read, or wanted; else a line for each zone, of the
    first ones."""
    ready = [
        (name_text(each.domain), each.publication)
        for each in puts
        if each.state == "ready" and each.publication is not None
    ]
    whole = [f"{domain}: {line}" for domain, publication in ready for line in change_lines(publication)]
    if all_of_them or len(whole) <= _MOST_LINES:
        return whole
    counted = [
        f"{domain}: {_count(len(publication.differences))}{_MADE_FIRST if publication.is_new else ''}"
        for domain, publication in ready[:_MOST_LINES]
    ]
    return counted + ([f"and {len(ready) - _MOST_LINES} more"] if len(ready) > _MOST_LINES else [])


def _count(changes: int) -> str:
    return f"{changes} RRset{'' if changes == 1 else 's'}"


def show_many(document: PublishManyDocument, screen: Screen) -> None:
    """Counts first, then what did not go well; all of them only where there are few."""
    counts = Counter(each.state for each in document.zones)
    bad = [each for each in document.zones if each.state in ("refused", "failed")]
    following = {
        "by hand": "work through the worksheets; `legatum confirm DOMAIN` says when it is done",
        "published": (
            "before delegations point there, compare the answers of both sides: "
            "`legatum compare PROVIDER PROVIDER --domain DOMAIN --answers`"
        ),
    }
    usual = next((text for state, text in following.items() if counts[state]), "")
    others = f" and {len(bad) - 1} more" if len(bad) > 1 else ""
    text = f"{len(document.zones)} zones from {document.source} at {document.provider}: "
    text += ", ".join(f"{count} {state}" for state, count in sorted(counts.items()))
    if counts["by hand"] and not any(each.file for each in document.zones):
        usual = "without --dry-run the worksheets are written"
    remedy = (
        f"mend {bad[0].domain}{others} ({bad[0].remedy or bad[0].why}), then the same command again" if bad else usual
    )
    screen.ended(document.state if counts["ready"] or bad else "done", not bad, text, remedy)
    shown = document.zones if len(document.zones) <= _MOST_SHOWN else bad
    rows = [(each.domain, each.state, each.why or each.file or _said(each)) for each in shown]
    if rows:
        screen.line()
        screen.table(("zone", "", "what"), rows, [BAD if each in bad else "" for each in shown])


def _said(part: PutPart) -> str:
    making = "" if not part.is_new else ", the zone was made" if part.serial is not None else _MADE_FIRST
    said = [_count(len(part.changes)) + making] if part.changes else []
    return (
        "; ".join([*said, *([f"serial {part.serial} on every server"] if part.serial is not None else []), *part.notes])
        or "-"
    )
