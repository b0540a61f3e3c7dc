"""The settings: what is in force and from where, and what came of trying them out."""

from collections.abc import Sequence

import msgspec

from legatum.core.calendar.instant import instant_text
from legatum.views.document import Document, Part
from legatum.views.screen import BAD, DOUBT, Screen
from legatum.work.checks.adding import Drawn
from legatum.work.checks.checked import Checked, State
from legatum.work.checks.shown import Value


class CheckPart(Part):
    """``table`` and ``key``: of the settings, ``line`` where that stands, null without a file; ``state``: ``works``,
    ``does not work`` or ``not known``; ``said``: what was seen; ``remedy``: what to do."""

    table: str
    key: str
    line: int | None
    what: str
    state: str
    said: str
    remedy: str


class SettingsCheckDocument(Document, tag="legatum.settings-check/1"):
    """``file``: empty without one; ``good``: nothing was found that does not work."""

    file: str
    at: str
    good: bool
    checks: list[CheckPart]


class ValuePart(Part):
    """``value``: as in a settings file; ``source``: ``line N``, ``this machine`` or ``default``."""

    table: str
    key: str
    value: str
    source: str


class SettingsDocument(Document, tag="legatum.settings/1"):
    """``file``: empty without one. No secret is in it: where it is kept is what the settings have."""

    file: str
    folder: str
    values: list[ValuePart]


def check_document(
    file: str, at: float, found: Sequence[Checked], lines: Sequence[int | None]
) -> SettingsCheckDocument:
    return SettingsCheckDocument(
        file=file,
        at=instant_text(at),
        good=all(each.state != State.FAILS for each in found),
        checks=[
            CheckPart(
                table=each.table,
                key=each.key,
                line=line,
                what=each.what,
                state=each.state,
                said=each.said,
                remedy=each.remedy,
            )
            for each, line in zip(found, lines, strict=True)
        ],
    )


def show_check(document: SettingsCheckDocument, screen: Screen) -> None:
    states = [each.state for each in document.checks]
    words = {State.WORKS: ("works", "work"), State.FAILS: ("does not", "do not")}
    counted = ", ".join(
        f"{count} {words.get(state, (state, state))[count > 1]}" for state in State if (count := states.count(state))
    )
    broken = [each for each in document.checks if each.state == State.FAILS]
    place = f"settings {document.file}" if document.file else "without a settings file"
    screen.verdict(
        document.good,
        f"{place}: {counted or 'nothing to try'}",
        f"{broken[0].remedy}: {_spot(document, broken[0])}" if broken else "",
    )
    screen.line()
    styles = {State.FAILS.value: BAD, State.UNKNOWN.value: DOUBT}
    rows = [(each.table or each.key or "files", each.what, each.state, each.said) for each in document.checks]
    screen.table(("settings", "tried", "", "seen"), rows, [styles.get(each.state, "") for each in document.checks])
    for each in document.checks:
        if each.remedy:
            screen.line(f"{_spot(document, each)}: {each.what}: {each.remedy}", styles.get(each.state, ""), indent=2)


def _spot(document: SettingsCheckDocument, part: CheckPart) -> str:
    table = f"[{part.table}] {part.key}".strip() if part.table else part.key or "the files"
    return f"{document.file}:{part.line} {table}" if part.line is not None else table


class SettingsAddedDocument(Document, tag="legatum.settings-added/1"):
    """``state``: ``done``, ``shown`` or ``declined``; ``found``: what was seen on the way; ``text``: what stands in the
    file for it."""

    file: str
    table: str
    name: str
    state: str
    found: list[str]
    text: str


def added_document(file: str, drawn: Drawn, state: str) -> SettingsAddedDocument:
    return SettingsAddedDocument(
        file=file, table=drawn.table, name=drawn.name, state=state, found=drawn.found, text=drawn.text
    )


def show_added(document: SettingsAddedDocument, screen: Screen) -> None:
    following = f"`legatum settings check {document.name}`"
    screen.ended(document.state, True, f"[{document.table}.{document.name}] in {document.file}", following)
    for each in document.found:
        screen.line(each, indent=2)


def settings_document(file: str, folder: str, values: Sequence[Value]) -> SettingsDocument:
    return SettingsDocument(
        file=file, folder=folder, values=[ValuePart(**msgspec.structs.asdict(each)) for each in values]
    )


def show_settings(document: SettingsDocument, screen: Screen) -> None:
    screen.line(
        f"settings {document.file}"
        if document.file
        else f"no settings file; journal, moves and templates in {document.folder}"
    )
    for table in dict.fromkeys(each.table for each in document.values):
        screen.heading(f"[{table}]" if table else "of the file itself")
        rows = [(each.key, each.value, each.source) for each in document.values if each.table == table]
        screen.table(("", "value", "from"), rows)
