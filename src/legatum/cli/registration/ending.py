"""How changes of one registration end: the document shown, and the exit status."""

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from legatum.cli.common import OK, SHUT, show

if TYPE_CHECKING:
    from legatum.core.name import Name
    from legatum.services.registrar import Registrar
    from legatum.views.registration import RegistrationChangeDocument


def document_of(
    args: argparse.Namespace, domain: "Name", registrar: "Registrar", old: list[str], new: list[str]
) -> "RegistrationChangeDocument":
    """As it stands before anything is done."""
    from legatum.core.name import name_text
    from legatum.views.registration import RegistrationChangeDocument

    return RegistrationChangeDocument(
        domain=name_text(domain), registrar=registrar.name, action=args.action, state="unchanged", old=old, new=new
    )


def put_down(args: argparse.Namespace, document: "RegistrationChangeDocument", text: str) -> None:
    """The worksheet for a registrar that has only a form."""
    from legatum.views.sheet import write_sheet

    path = Path(args.sheet or f"{document.domain}.{args.action}.md")
    write_sheet(path, text)
    document.state, document.file, document.sheet = "worksheet", str(path), text


def page_of(registrar: "Registrar") -> str:
    return str(getattr(registrar, "page", ""))


def end(args: argparse.Namespace, document: "RegistrationChangeDocument") -> int:
    from legatum.views.registration import show_change

    show(args, document, lambda screen: show_change(document, screen))
    return SHUT if document.state == "declined" else OK
