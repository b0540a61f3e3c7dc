"""How changes of one registration end: the document shown, and the exit status."""

import argparse
from collections.abc import Awaitable, Callable
from pathlib import Path
from typing import TYPE_CHECKING

from legatum.cli.program.common import OK, SHUT, agreed, note, show

if TYPE_CHECKING:
    from legatum.core.moves.outcome import Outcome
    from legatum.core.records.name import Name
    from legatum.services.registrar import Registrar
    from legatum.views.registry.registration import RegistrationChangeDocument

Telling = Callable[[str], None]


def document_of(
    args: argparse.Namespace, domain: "Name", registrar: "Registrar", old: list[str], new: list[str]
) -> "RegistrationChangeDocument":
    """As it stands before anything is done."""
    from legatum.core.records.name import name_text
    from legatum.views.registry.registration import RegistrationChangeDocument

    return RegistrationChangeDocument(
        domain=name_text(domain), registrar=registrar.name, action=args.action, state="unchanged", old=old, new=new
    )


def put_down(args: argparse.Namespace, document: "RegistrationChangeDocument", text: str) -> None:
    """The worksheet for a registrar that has only a form."""
    from legatum.views.registry.sheet import write_sheet

    path = Path(args.sheet or f"{document.domain}.{args.action}.md")
    write_sheet(path, text)
    document.state, document.file, document.sheet = "worksheet", str(path), text


async def change_or_put_down(
    args: argparse.Namespace,
    document: "RegistrationChangeDocument",
    registrar: "Registrar",
    title: str,
    lines: list[str],
    sheet: "Callable[[], Awaitable[str]]",
    change: "Callable[[], Awaitable[Outcome]]",
) -> None:
    """Asked for, then changed; or the worksheet written, where only a person can."""
    if registrar.by_hand and not args.dry_run:
        put_down(args, document, await sheet())
    elif agreed(args, f"{title}, old → new:", lines):
        document.state, document.said = "changed", (await change()).summary
    else:
        document.state = "shown" if args.dry_run else "declined"


async def watch(
    args: argparse.Namespace, document: "RegistrationChangeDocument", wait: "Callable[[Telling], Awaitable[float]]"
) -> None:
    """Where it is wanted, until every server of the parent zone has it."""
    from legatum.core.calendar.instant import instant_text

    if args.wait and document.state in ("changed", "worksheet", "unchanged"):
        note(args, "watching the parent's servers …")
        document.since = instant_text(await wait(lambda text: note(args, text)))
        document.state = "published"


def end(args: argparse.Namespace, document: "RegistrationChangeDocument") -> int:
    from legatum.views.registry.registration import show_change

    show(args, document, lambda screen: show_change(document, screen))
    return SHUT if document.state == "declined" else OK
