"""A change of one registration, or the same for many: looked at, shown, agreed to once, carried out or written down for
a form."""

import argparse
from collections.abc import Awaitable, Callable
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from legatum.cli.program.common import FOUND, OK, SHUT, add_registrar, agreed, domains_of, ending_of, first_of, show
from legatum.cli.registration.ending import document_of, end, put_down

if TYPE_CHECKING:
    from legatum.core.records.name import Name
    from legatum.services.registrar import Registrar
    from legatum.views.registry.registration import ChangePart
    from legatum.work.run_context import RunContext

    Look = Callable[[Registrar, Name], Awaitable["RegistrationChange"]]

_SIDE_BY_SIDE = 8


@dataclass(frozen=True)
class RegistrationChange:
    """What one domain has, and is to have. ``do``: makes it so, and gives what was said and what is then; None where
    nothing is to be done. ``to_do``: for a form; ``put_down``: takes note that a person was asked; ``said``: why
    nothing is to be done."""

    domain: "Name"
    old: list[str]
    new: list[str]
    do: Callable[[], Awaitable[tuple[str, list[str]]]] | None
    to_do: list[str] = field(default_factory=list)
    put_down: Callable[[], None] = lambda: None
    said: str = ""

    @property
    def line(self) -> str:
        return f"{', '.join(self.old) or 'nothing'} → {', '.join(self.new) or 'nothing'}"


def add_domains(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("domains", metavar="DOMAIN", nargs="*")
    parser.add_argument("--list", metavar="FILE", help="many: domains, one a line")
    add_registrar(parser)
    parser.add_argument(
        "--sheet", metavar="FILE", help="by hand: the worksheet, .md or .html (default DOMAIN.ACTION.md)"
    )


async def carry_out(args: argparse.Namespace, context: "RunContext", what: str, look: "Look") -> int:
    """``what`` is changed, in words."""
    from legatum.core.running.fault import BadInput
    from legatum.work.drafting.left_out import registrar_for

    domains = domains_of(args)
    registrar = await registrar_for(context, domains[0], args.registrar)
    if len(domains) == 1 and not args.list:
        return await _one(args, context, registrar, what, await look(registrar, domains[0]))
    if args.sheet or registrar.by_hand:
        raise BadInput("--sheet and registrars by hand are for one domain at a time", "name one domain")
    return await _many(args, context, registrar, what, domains, look)


async def _one(
    args: argparse.Namespace, context: "RunContext", registrar: "Registrar", what: str, change: RegistrationChange
) -> int:
    from legatum.core.records.name import name_text
    from legatum.views.registry.sheet import form_sheet
    from legatum.work.effect import found_done

    document = document_of(args, change.domain, registrar, change.old, change.new)
    document.said = change.said
    if change.do is None:
        if not args.dry_run:
            found_done(context, change.domain, args.action)
        return end(args, document)
    if registrar.by_hand and not args.dry_run:
        put_down(args, document, form_sheet(change.domain, registrar.name, registrar.page, what, change.to_do))
        change.put_down()
    elif agreed(args, f"{what} of {name_text(change.domain)} at {registrar.name}, old → new:", [change.line]):
        document.said, document.new = await change.do()
        document.state = "changed"
    else:
        document.state = "shown" if args.dry_run else "declined"
    return end(args, document)


async def _many(
    args: argparse.Namespace,
    context: "RunContext",
    registrar: "Registrar",
    what: str,
    domains: "list[Name]",
    look: "Look",
) -> int:
    from legatum.core.records.name import name_text
    from legatum.core.running.fault import Fault
    from legatum.net.side_by_side import side_by_side
    from legatum.views.registry.registration import ChangePart, ChangesDocument, show_changes
    from legatum.work.effect import found_done

    changes: dict[Name, RegistrationChange] = {}
    parts = {domain: ChangePart(domain=name_text(domain), state="unchanged", old=[], new=[]) for domain in domains}

    async def safely(work: "Callable[[Name, ChangePart], Awaitable[None]]", domain: "Name", part: "ChangePart") -> None:
        try:
            await work(domain, part)
        except Fault as fault:
            part.state, part.why, part.remedy = "failed", fault.message, fault.remedy

    async def looked_at(domain: "Name", part: "ChangePart") -> None:
        change = changes[domain] = await look(registrar, domain)
        part.old, part.new, part.why = change.old, change.new, change.said
        part.state = "ready" if change.do else "unchanged"
        if change.do is None and not args.dry_run:
            found_done(context, domain, args.action)

    async def made(domain: "Name", part: "ChangePart") -> None:
        do = changes[domain].do
        assert do is not None
        part.why, part.new = await do()
        part.state = "changed"

    await side_by_side(lambda each: safely(looked_at, *each), parts.items(), _SIDE_BY_SIDE)
    ready = {domain: part for domain, part in parts.items() if part.state == "ready"}
    lines = first_of(args, [f"{part.domain}: {changes[domain].line}" for domain, part in ready.items()])
    go = bool(ready) and agreed(args, f"{what} of {len(ready)} domains at {registrar.name}, old → new:", lines)
    if go:
        await side_by_side(lambda each: safely(made, *each), ready.items(), _SIDE_BY_SIDE)
    state = ending_of(args, ready, go)
    document = ChangesDocument(state=state, registrar=registrar.name, action=args.action, domains=list(parts.values()))
    show(args, document, lambda screen: show_changes(document, screen))
    if state == "declined":
        return SHUT
    return FOUND if any(each.state == "failed" for each in parts.values()) else OK
