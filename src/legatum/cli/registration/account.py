"""``legatum registration code``, ``queue``, ``contact`` and ``password``: the account itself, and what is secret in
it"""

import argparse
import os
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any

from legatum.cli.program.common import FOUND, OK, SHUT, add_registrar, agreed, show, with_outside
from legatum.cli.registration.ending import document_of, end

if TYPE_CHECKING:
    from legatum.core.records.name import Name
    from legatum.services.registrar import Registrar
    from legatum.work.run_context import RunContext


def configure(actions: Any) -> Iterator[tuple[argparse.ArgumentParser, bool]]:
    code = actions.add_parser("code", help="the authorisation code: into a file, or set anew")
    code.add_argument("domain", metavar="DOMAIN")
    code.add_argument("--into", required=True, metavar="FILE", help="a new file that only you can read")
    code.add_argument("--new", action="store_true", help="set another one first")
    queue = actions.add_parser("queue", help="messages of the registry that wait to be read")
    queue.add_argument("--take", action="store_true", help="read them all, and take them off the queue")
    password = actions.add_parser("password", help="another password for the account at the registry")
    password.add_argument(
        "--new", required=True, metavar="REFERENCE", help="where it is: env:NAME, file:PATH, keyring:NAME or prompt"
    )
    contact = actions.add_parser(
        "contact", help="a contact at the registry: whether it is there; made where --name and the rest are given"
    )
    contact.add_argument("ident", metavar="IDENTIFIER")
    contact.add_argument("--name", metavar="TEXT")
    contact.add_argument("--city", metavar="TEXT")
    contact.add_argument("--country", metavar="XX", help="two letters")
    contact.add_argument("--email", metavar="ADDRESS")
    add_registrar(code)
    for parser in (queue, contact, password):
        parser.add_argument("--registrar", metavar="NAME", required=True, help="a registrar of the settings")
    for parser in (code, queue, contact, password):
        yield parser, parser is not queue


def run(args: argparse.Namespace) -> int:
    return with_outside(args, lambda context: _ACTIONS[args.action](args, context))


async def _code(args: argparse.Namespace, context: "RunContext") -> int:
    from legatum.core.records.name import parse_domain
    from legatum.net.file import write_private
    from legatum.work.drafting.left_out import registrar_for
    from legatum.work.moves.effects.transfer.request import new_code

    domain, path = parse_domain(args.domain), Path(args.into)
    _refuse_place(path)
    registrar = await registrar_for(context, domain, args.registrar)
    document = document_of(args, domain, registrar, ["the code that the registry has"], [f"the same, in {path}"])
    code = await registrar.code(domain)
    if args.new or not code:
        document.new = [f"another one, in {path}"]
        if not agreed(
            args, f"authorisation code of {args.domain} at {registrar.name}:", ["the present one → another one"]
        ):
            document.state = "shown" if args.dry_run else "declined"
            return end(args, document)
        document.said = await _set_code(context, domain, registrar, new_code(), path)
    elif not args.dry_run:
        write_private(path, code + "\n")
    document.state, document.said = "shown" if args.dry_run else "changed", document.said or "fetched"
    return end(args, document)


def _refuse_place(path: Path) -> None:
    """Before the registry is asked for anything. Raises :class:`BadInput`."""
    from legatum.core.running.fault import BadInput

    if path.exists():
        raise BadInput(f"{path} is there already", "name a new file")
    if not path.absolute().parent.is_dir() or not os.access(path.absolute().parent, os.W_OK):
        raise BadInput(f"{path}: no file can be made there", "name one in a folder that is there and can be written")


async def _set_code(context: "RunContext", domain: "Name", registrar: "Registrar", code: str, path: Path) -> str:
    """Written down first: whatever happens then, it is not lost. What was said."""
    from legatum.core.running.fault import OutsideFault
    from legatum.net.file import write_private
    from legatum.net.registry.epp import Refused
    from legatum.work.effect import carried_out

    write_private(path, code + "\n")
    words = f"another authorisation code at {registrar.name}"
    try:
        return (await carried_out(context, domain, "code", words, lambda: registrar.change_code(domain, code))).summary
    except Refused:
        path.unlink()
        raise
    except OutsideFault as fault:
        raise OutsideFault(
            f"{fault.message}; the code that was to be set is in {path}", f"it may hold or not: {fault.remedy}"
        ) from None


async def _queue(args: argparse.Namespace, context: "RunContext") -> int:
    from legatum.views.registry.registration import queue_document, show_queue

    messages = await context.registrar(args.registrar).messages(lambda _: args.take)
    document = queue_document(args.registrar, messages)
    show(args, document, lambda screen: show_queue(document, screen))
    return OK


async def _password(args: argparse.Namespace, context: "RunContext") -> int:
    from legatum.core.records.name import ROOT
    from legatum.views.registry.registration import PasswordDocument, show_password
    from legatum.work.effect import carried_out

    registrar = context.registrar(args.registrar)
    new = context.secret(args.new)
    document = PasswordDocument(registrar=registrar.name, state="shown" if args.dry_run else "declined")
    if agreed(args, f"password of {registrar.name} at the registry:", ["the present one → the new one"]):
        await carried_out(
            context, ROOT, "password", f"another password at {registrar.name}", lambda: _password_set(registrar, new)
        )
        document.state = "changed"
    show(args, document, lambda screen: show_password(document, screen))
    return SHUT if document.state == "declined" else OK


async def _password_set(registrar: "Registrar", new: str) -> str:
    await registrar.change_password(new)
    return "set"


async def _contact(args: argparse.Namespace, context: "RunContext") -> int:
    from legatum.core.records.name import ROOT
    from legatum.core.running.fault import BadInput
    from legatum.services.registrar import Contact
    from legatum.views.registry.registration import ContactDocument, show_contact
    from legatum.work.effect import carried_out
    from legatum.work.moves.effects.transfer.request import new_code

    registrar = context.registrar(args.registrar)
    found = await registrar.contact(args.ident)
    fields = (args.name, args.city, args.country, args.email)
    document = ContactDocument(registrar=registrar.name, ident=args.ident, state="there" if found else "missing")
    if found is not None:
        document.name, document.city, document.country, document.email = (
            found.name,
            found.city,
            found.country,
            found.email,
        )
    elif any(fields):
        if not all(fields) or len(args.country) != 2:
            raise BadInput("a contact needs --name, --city, --country in two letters and --email", "give all of them")
        wanted = Contact(args.ident, args.name, args.city, args.country.upper(), args.email)
        document.state = "shown" if args.dry_run else "declined"
        if agreed(
            args,
            f"contact {args.ident} at {registrar.name}:",
            [f"nothing → {args.name}, {args.city} {wanted.country}, {args.email}"],
        ):
            words = f"the contact {args.ident} at {registrar.name}"
            done = await carried_out(
                context, ROOT, "contact", words, lambda: registrar.make_contact(wanted, new_code())
            )
            document.said = done.summary
            document.state, document.name, document.city = "made", wanted.name, wanted.city
            document.country, document.email = wanted.country, wanted.email
    show(args, document, lambda screen: show_contact(document, screen))
    return SHUT if document.state == "declined" else FOUND if document.state == "missing" else OK


_ACTIONS = {"code": _code, "queue": _queue, "contact": _contact, "password": _password}
