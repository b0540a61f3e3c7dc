"""What the commands share: options, progress on standard error, asking before a change, and running with the outside
open."""

import argparse
import asyncio
import sys
from collections.abc import Awaitable, Callable, Collection, Iterable, Mapping
from pathlib import Path
from typing import TYPE_CHECKING

from legatum.cli.program.interruption import ending
from legatum.core.calendar.instant import for_people, show_local
from legatum.core.text.printable import clean

if TYPE_CHECKING:
    from legatum.core.dnssec.chain import Chain
    from legatum.core.findings.finding import Finding
    from legatum.core.observation.observation import Observation
    from legatum.core.records.name import Name
    from legatum.views.document import Document
    from legatum.views.screen import Screen
    from legatum.work.memory import Note
    from legatum.work.run_context import RunContext
    from legatum.work.zones.publish import Published

OK, FOUND, BAD_INPUT, OUTSIDE, SHUT = 0, 1, 2, 3, 4


def add_common(parser: argparse.ArgumentParser, settings: bool = True) -> None:
    if settings:
        parser.add_argument("--settings", metavar="FILE", help="settings file, or a folder with a legatum.toml")
        parser.add_argument(
            "--time-zone",
            metavar="NAME",
            help="show times in this zone too, such as Europe/Berlin (default: the house's)",
        )
    parser.add_argument("--json", action="store_true", help="one JSON document on standard output")
    parser.add_argument(
        "-v",
        "--verbose",
        action="count",
        default=0,
        help="more on standard error: every reply, the number of questions",
    )
    parser.add_argument("-q", "--quiet", action="store_true", help="no progress on standard error")


def add_form(parser: argparse.ArgumentParser) -> None:
    """For what writes a letter to a customer (``--note``)."""
    parser.add_argument(
        "--form",
        choices=("html", "markdown", "text"),
        default="",
        help="of --note (default: by the file's ending; - is plain text)",
    )


def add_changing(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--yes", action="store_true", help="go ahead without asking")
    parser.add_argument("--dry-run", action="store_true", help="show old → new and change nothing")


def add_provider(parser: argparse.ArgumentParser | argparse._ArgumentGroup) -> None:
    """Empty where it is to be found out (:mod:`legatum.work.drafting.left_out`)."""
    parser.add_argument(
        "--at", default="", metavar="PROVIDER", help="where its zone is changed (default: as the delegation shows)"
    )


def add_registrar(parser: argparse.ArgumentParser | argparse._ArgumentGroup) -> None:
    """As :func:`add_provider`."""
    parser.add_argument(
        "--registrar", default="", metavar="NAME", help="where it is registered (default: the account that has it)"
    )


def add_anyway(parser: argparse.ArgumentParser) -> None:
    """For what changes a zone."""
    parser.add_argument(
        "--anyway",
        action="store_true",
        help="even if the zone has an error, or visitors a worse service, that they did not have",
    )


def with_outside(args: argparse.Namespace, work: "Callable[[RunContext], Awaitable[int]]") -> int:
    """Runs ``work`` with everything opened that the settings describe."""
    from legatum.settings.reading import find_settings
    from legatum.work.run_context import open_outside

    async def opened() -> int:
        async with open_outside(find_settings(args.settings)) as context:
            _show_zone(args, context)
            context.told = lambda text: note(args, text)
            if context.assumed:
                note(args, context.assumed)
            for path in context.exposed_secrets():
                note(
                    args,
                    f"{path}: a secret that everybody on this machine may read: chmod o-r it, and think of it as known",
                )
            if args.verbose > 1:
                context.asker.heard.append(
                    lambda reply: note(
                        args, f"{reply.server} {reply.transport} {reply.outcome}, {reply.took * 1000:.1f} ms"
                    )
                )
            try:
                return await work(context)
            finally:
                if args.verbose:
                    asker = context.asker
                    note(args, f"{asker.asked} questions asked, {asker.dropped} stray datagrams dropped")

    return run_interruptibly(opened())


def _show_zone(args: argparse.Namespace, context: "RunContext") -> None:
    """Times in the house's zone beside UTC, where it is another one."""
    named = args.time_zone or context.settings.house.time_zone
    if named != "UTC":
        from legatum.core.calendar.zone import parse_zone

        show_local(parse_zone(named))


def run_interruptibly(work: Awaitable[int]) -> int:
    """``asyncio.run``; an interruption cancels the work, so that nothing is left half open."""

    async def guarded() -> int:
        task, loop = asyncio.current_task(), asyncio.get_running_loop()
        assert task is not None

        def end() -> None:
            loop.set_exception_handler(lambda *_: None)  # what the end of one part does to another is no news
            loop.call_soon_threadsafe(task.cancel)

        with ending(end):
            return await work

    try:
        return asyncio.run(guarded())
    except asyncio.CancelledError:
        raise KeyboardInterrupt from None


def domains_of(args: argparse.Namespace) -> "list[Name]":
    """Those named (``domains``) and those of the list (``list``), each once. Raises :class:`BadInput`."""
    from legatum.core.records.name import parse_domain
    from legatum.core.running.fault import BadInput
    from legatum.work.listing import read_domains

    listed = read_domains(args.list) if args.list else []
    domains = list(dict.fromkeys([*map(parse_domain, args.domains), *listed]))
    if not domains:
        raise BadInput("no domain", "name one, or several, or a list: --list FILE")
    return domains


def note(args: argparse.Namespace, text: str) -> None:
    """Progress, on standard error; long lines are folded to a terminal's width."""
    if args.quiet:
        return
    shown = for_people(clean(text))
    on_terminal = sys.stderr.isatty()
    print(f"\r\x1b[K{_folded(shown)}" if on_terminal else shown, file=sys.stderr, flush=True)  # a bar may stand there


def picture_file(text: str) -> Path:
    """Where a picture is to be written; its ending says as what. Raises :class:`BadInput`."""
    from legatum.core.running.fault import BadInput

    if Path(text).suffix not in (".png", ".svg", ".pdf"):
        raise BadInput(f"{text}: no picture of that kind", "name a file that ends in .png, .svg or .pdf")
    return Path(text)


def remember(
    args: argparse.Namespace, context: "RunContext", pictures: "Iterable[tuple[Observation, Iterable[Finding] | None]]"
) -> bool:
    """For later plans, with what surveys came to where it was judged; whether it was kept."""
    from legatum.work.memory import note_of, our_servers

    ours = our_servers(context)
    return keep(args, context, [note for each in pictures if (note := note_of(*each, ours)) is not None])


def tell_under_way(args: argparse.Namespace, context: "RunContext", domain: "Name") -> None:
    """Whoever looks at a domain is told of the move that is leading it somewhere else."""
    from contextlib import suppress

    from legatum.core.records.name import name_text
    from legatum.core.running.fault import Fault
    from legatum.work.under_way import pending_text

    with suppress(Fault):
        if text := pending_text(context, domain):
            note(
                args,
                f"{name_text(domain)}: a move is under way, and part of what differs may be meant; next in it: {text}",
            )


def keep(args: argparse.Namespace, context: "RunContext", notes: "Collection[Note]") -> bool:
    """Where nothing can be kept the looking is none the worse; whether it was."""
    from legatum.core.running.fault import Fault
    from legatum.work.memory import keep_notes

    try:
        keep_notes(context, notes)
        return True
    except Fault as fault:
        note(args, f"what was seen is not kept for later plans: {fault.message}")
        return False


def remember_chain(args: argparse.Namespace, context: "RunContext", chain: "Chain") -> "Chain":
    """As :func:`remember`; with the chain, since when it is broken as far as was seen."""
    from legatum.core.running.fault import Fault
    from legatum.work.memory import note_chain

    try:
        return note_chain(context, chain)
    except Fault as fault:
        note(args, f"what was seen is not kept, and since when it is so is not known: {fault.message}")
        return chain


def tell_how(args: argparse.Namespace, done: "Published | None") -> None:
    """With ``-v``: in which way nobody else's change could be overwritten."""
    if args.verbose and done is not None and done.how:
        note(args, f"sent {done.how}")


def _folded(text: str) -> str:
    import shutil
    import textwrap

    width = shutil.get_terminal_size().columns
    return (
        text
        if len(text) <= width
        else "\n".join(textwrap.wrap(text, width, subsequent_indent=" " * 8, break_on_hyphens=False))
    )


def agreed(args: argparse.Namespace, title: str, lines: list[str]) -> bool:
    """Shows old → new and asks. Without a terminal to ask on, only ``--yes`` is a yes."""
    print(clean(title), file=sys.stderr)
    for line in lines:
        print(f"  {for_people(clean(line))}", file=sys.stderr)
    if args.dry_run:
        return False
    if args.yes:
        return True
    if not sys.stdin.isatty():
        print("legatum: nobody to ask here; say --yes to go ahead", file=sys.stderr)
        return False
    print("Go ahead? Type yes: ", end="", file=sys.stderr, flush=True)
    with ending(None):
        return sys.stdin.readline().strip().lower() in ("y", "yes")


def keep_apart(read: Mapping[str, str | None], written: Mapping[str, str | None]) -> None:
    """Raises :class:`BadInput` where something would be written over a file that is read, or that something else is
    written to. ``read``: what it is → file; ``written``: option → file."""
    from legatum.core.running.fault import BadInput

    taken = {Path(file).resolve(): what for what, file in read.items() if file and file != "-"}
    for option, file in written.items():
        if not file or file == "-":
            continue
        path = Path(file).resolve()
        if path in taken and (path.is_file() or not path.exists()):
            raise BadInput(f"{option} {file}: that is {taken[path]}", "name another file; nothing was written")
        taken[path] = f"the file of {option}"


def first_of(args: argparse.Namespace, lines: list[str], most: int = 10) -> list[str]:
    """So many as somebody reads before saying yes; all of them where only that is asked for."""
    return lines if args.dry_run or len(lines) <= most else [*lines[:most], f"and {len(lines) - most} more"]


def ending_of(args: argparse.Namespace, ready: object, go: bool) -> str:
    """How one yes for several things ended: ``shown``, ``declined`` or ``done``. ``ready``: what there was to do."""
    return "done" if go or not (ready or args.dry_run) else "shown" if args.dry_run else "declined"


def show(args: argparse.Namespace, document: "Document", text: "Callable[[Screen], None]") -> None:
    """The result, as JSON or for people."""
    if args.json:
        from legatum.views.document import json_text

        sys.stdout.write(json_text(document))
    else:
        from legatum.views.screen import Screen

        text(Screen())
    sys.stdout.flush()
