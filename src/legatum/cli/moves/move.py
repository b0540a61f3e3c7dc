"""``legatum move draft / show / rehearse / advance / status / redraw / retreat``"""

import argparse
import asyncio
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from legatum.cli.moves.moving import add_against_advice, add_typed, carried_out, carry_out, drafted, present
from legatum.cli.moves.wishes import add_wishes, wished
from legatum.cli.program.common import (
    FOUND,
    OK,
    OUTSIDE,
    SHUT,
    add_changing,
    add_common,
    add_form,
    domains_of,
    note,
    picture_file,
    show,
    with_outside,
)
from legatum.cli.program.parser import number

if TYPE_CHECKING:
    from collections.abc import Sequence

    from legatum.core.moves.outcome import Outcome
    from legatum.core.moves.runbook import Runbook
    from legatum.core.records.name import Name
    from legatum.core.running.fault import Fault
    from legatum.journal.journal import Journal
    from legatum.views.moves.move import AdvanceDocument
    from legatum.work.run_context import RunContext

_STATUS = {"failed": OUTSIDE, "refused": SHUT, "declined": SHUT}
_SIDE_BY_SIDE = 8  # domains looked at together when many are drafted


def configure(parser: argparse.ArgumentParser) -> None:
    actions = parser.add_subparsers(dest="action", required=True, metavar="ACTION")
    draft = actions.add_parser("draft", help="look at everything a move rests on, and write its runbook")
    draft.add_argument(
        "domains",
        metavar="DOMAIN",
        nargs="*",
        help=(
            "none with --replace: every domain of the house that carries the address; none with --hosts: "
            "whose host it is"
        ),
    )
    draft.add_argument("--list", metavar="FILE", help="many moves: domains, one a line")
    add_wishes(draft)
    draft.add_argument(
        "--out",
        metavar="FILE",
        help="where to write the move file of one domain (default: the settings' folder of moves)",
    )
    draft.add_argument("--force", action="store_true", help="write over a move that is there already")
    add_common(draft)
    shown = actions.add_parser("show", help="the whole runbook, with instants and reasons")
    _add_move(shown)
    shown.add_argument("--markdown", action="store_true", help="as Markdown on standard output")
    shown.add_argument(
        "--calendar",
        metavar="FILE",
        help="each hold's end and each step to begin as events, iCalendar (- for standard output)",
    )
    shown.add_argument("--picture", metavar="FILE", help="the timeline as a picture (png, svg or pdf)")
    shown.add_argument(
        "--note", metavar="FILE", help="a letter to the customer: what changes, what there is to do, when it is over"
    )
    add_form(shown)
    _add_move(actions.add_parser("status", help="how far it has come, a line a step"))
    rehearsed = actions.add_parser(
        "rehearse", help="prove that no cache would give a wrong answer, or tell how one would"
    )
    _add_move(rehearsed)
    rehearsed.add_argument(
        "--population",
        type=number(1, 100_000_000),
        metavar="N",
        help="also what so many caches with random timing would fare like",
    )
    _add_move(actions.add_parser("redraw", help="draw the plan anew from what is so now; what was done stays done"))
    retreat = actions.add_parser("retreat", help="take back what was done, in order, with gates and holds of its own")
    _add_move(retreat)
    retreat.add_argument("--wait", action="store_true", help="stay through holds until everything is taken back")
    retreat.add_argument("--until", metavar="STEP", help="stop after this step")
    retreat.add_argument(
        "--give-up", action="store_true", help="take nothing more back: the move goes on, from what is so now"
    )
    add_changing(retreat)
    add_typed(retreat)
    retreat.add_argument(
        "--unproven", action="store_true", help="go on although a rehearsal finds a way in which visitors fail"
    )
    advance = actions.add_parser(
        "advance", help="carry it out as far as it may go; say why it stops and when to come back"
    )
    advance.add_argument("move", metavar="DOMAIN", nargs="?", help="the domain, or the move's file")
    advance.add_argument("--all", action="store_true", help="every move of the house that is under way")
    add_common(advance)
    advance.add_argument("--wait", action="store_true", help="stay through holds until the move is complete")
    advance.add_argument("--until", metavar="STEP", help="stop after this step")
    advance.add_argument(
        "--again", metavar="STEP", help="do this step and all after it again (while no NS set has been changed)"
    )
    add_changing(advance)
    add_typed(advance)
    advance.add_argument(
        "--code",
        metavar="REFERENCE",
        help="where a transfer's authorisation code is: env:NAME, file:PATH, keyring:NAME or prompt",
    )
    advance.add_argument(
        "--anyway",
        action="store_true",
        help="although the services are worse at the addresses that visitors are led to",
    )
    add_against_advice(advance)


def _add_move(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("move", metavar="DOMAIN", help="the domain, or the move's file")
    add_common(parser)


def run(args: argparse.Namespace) -> int:
    if args.action == "draft":
        return _draft(args)
    return {"advance": _advance, "rehearse": _rehearse, "retreat": _retreat, "redraw": _redraw}.get(args.action, _show)(
        args
    )


def _draft(args: argparse.Namespace) -> int:
    from legatum.core.running.fault import BadInput

    async def work(context: "RunContext") -> int:
        named = args.domains or args.list
        domains, unseen = (domains_of(args), []) if named else await _concerned(args, context)
        if len(domains) > 1 and args.out:
            raise BadInput("--out is of one move", "leave it out: each goes into the moves folder of the settings")
        if len(domains) == 1 and not args.list and not unseen:
            note(args, "looking at the domain, its providers and the registry …")
            wish = wished(args, context, domains[0])
            runbook, path = await drafted(args, context, wish, Path(args.out) if args.out else None)
            return present(args, context, runbook, path, {})
        return await _draft_many(args, context, domains, unseen)

    return with_outside(args, work)


async def _concerned(args: argparse.Namespace, context: "RunContext") -> "tuple[list[Name], list[tuple[Name, Fault]]]":
    """The domains that a wish is about which names an address or hosts and no domain; and those of which that could not
    be seen."""
    from legatum.cli.moves.wishes import host_domains, replaced
    from legatum.core.running.fault import BadInput
    from legatum.work.drafting.carriers import carriers_of

    if args.hosts:
        return host_domains(args), []
    if not args.replace:
        raise BadInput("no domain", "name one, or several, or a list: --list FILE")
    found: dict[Name, None] = {}
    unseen: dict[Name, Fault] = {}
    for each in map(replaced, args.replace):
        carriers = await carriers_of(context, each)
        note(
            args,
            f"{each.old} stands in {len(carriers.carrying)} of the {carriers.looked} domains of the house "
            "that could be looked at",
        )
        found |= dict.fromkeys(carriers.carrying)
        unseen |= dict(carriers.unseen)
    if not found and not unseen:
        raise BadInput(
            "none of the house's domains carries it",
            "is it the right address? Of one that the house does not list: name it",
        )
    return list(found), list(unseen.items())


async def _draft_many(
    args: argparse.Namespace, context: "RunContext", domains: "list[Name]", unseen: "Sequence[tuple[Name, Fault]]" = ()
) -> int:
    """Side by side; one that cannot be drafted holds up none of the others. The status is that of the first one that
    failed, ``unseen`` the ones that could not be looked at before."""
    from legatum.core.running.fault import Fault
    from legatum.net.side_by_side import side_by_side
    from legatum.views.moves.move import drafts_document, show_drafts

    note(args, f"looking at {len(domains)} domains, their providers and the registry …")

    async def one(domain: "Name") -> "tuple[Name, Runbook | None, Path | None, Fault | None]":
        try:
            return domain, *await drafted(args, context, wished(args, context, domain)), None
        except Fault as fault:
            return domain, None, None, fault

    drawn = await side_by_side(one, domains, _SIDE_BY_SIDE)
    drawn += [(domain, None, None, fault) for domain, fault in unseen]
    document = drafts_document(drawn, context.clock.now())
    show(args, document, lambda screen: show_drafts(document, screen))
    return next((fault.status for *_, fault in drawn if fault is not None), OK)


def _show(args: argparse.Namespace) -> int:
    async def work(context: "RunContext") -> int:
        from legatum.work.movefile import retreat_path
        from legatum.work.recall import open_move

        path, runbook, journal = _opened(args, context)
        if retreat_path(path).exists():
            path = retreat_path(path)
            runbook = open_move(context, path)
        outcomes = journal.outcomes(runbook.id)
        if getattr(args, "note", None):
            _write_letter(args, context, runbook, outcomes)
            return OK
        if not _schedule(args, context, runbook, outcomes):
            present(args, context, runbook, path, outcomes, brief=args.action == "status")
        return OK

    return with_outside(args, work)


def _write_letter(
    args: argparse.Namespace, context: "RunContext", runbook: "Runbook", outcomes: "dict[str, Outcome]"
) -> None:
    """For the customer, in her words."""
    from legatum.core.calendar.instant import instant_text
    from legatum.core.house.letter import of_move
    from legatum.core.moves.runbook import forecast, next_step
    from legatum.core.moves.standing import by_hand_of
    from legatum.views.letters.letter import form_of, letter_text, write_letter

    now = context.clock.now()
    slots = list(forecast(runbook, outcomes, now))
    waits = bool(by_hand_of(next_step(runbook, outcomes), context.journal.of_move(runbook.id)))
    letter = of_move(runbook, len(outcomes), instant_text(slots[-1].ends), waits)
    house = context.settings.house.operator
    write_letter(
        args.note, letter_text(letter, form_of(args.note, args.form), now, context.letters, house, of_changes=True)
    )
    if args.note != "-":
        note(args, f"letter to the customer: {args.note}")


def _rehearse(args: argparse.Namespace) -> int:
    async def work(context: "RunContext") -> int:
        from legatum.core.rehearsal import rehearse
        from legatum.core.rehearsal.crowd import follow_all
        from legatum.views.moves.rehearse import rehearsal_document, show_rehearsal
        from legatum.work.drafting.signing import signed_meanwhile
        from legatum.work.gathering.contents import read_master_file
        from legatum.work.movefile import zone_path

        path, runbook, journal = _opened(args, context)
        _refuse_without_answers(runbook, "there is nothing to rehearse")
        outcomes = journal.outcomes(runbook.id)
        meanwhile = await signed_meanwhile(context, runbook, outcomes)
        rehearsal = rehearse(runbook, outcomes, context.clock.now(), meanwhile.reasons, meanwhile.ends)
        gathered = zone_path(path)
        if gathered.exists():
            zone = read_master_file(gathered, runbook.domain).zone
        else:
            place = next((each.place for each in runbook.premises.served if each.zone == runbook.domain), "")
            zone = await context.provider(place).fetch(runbook.domain)
        crowd = [follow_all(rehearsal, args.population)] if args.population else []
        document = rehearsal_document(rehearsal, zone, *crowd)
        show(args, document, lambda screen: show_rehearsal(document, screen, bool(args.verbose)))
        return OK if rehearsal.safe else FOUND

    return with_outside(args, work)


def _opened(args: argparse.Namespace, context: "RunContext") -> "tuple[Path, Runbook, Journal]":
    from legatum.core.records.name import parse_domain
    from legatum.work.movefile import move_path
    from legatum.work.recall import open_move

    given = Path(args.move)
    path = given if given.suffix == ".toml" else move_path(context, parse_domain(args.move))
    return path, open_move(context, path), context.journal


def _refuse_without_answers(runbook: "Runbook", words: str) -> None:
    """Raises :class:`BadInput` for a transfer between registrars."""
    from legatum.core.running.fault import BadInput

    if not runbook.changes_answers:
        raise BadInput(
            f"a transfer changes nothing that caches hold: {words}", "`legatum move show DOMAIN` has the whole runbook"
        )


def _schedule(
    args: argparse.Namespace, context: "RunContext", runbook: "Runbook", outcomes: "dict[str, Outcome]"
) -> bool:
    """Writes what was asked for in another form than text; whether anything was."""
    from legatum.core.moves.runbook import forecast
    from legatum.net.file import unwritable, write_whole
    from legatum.views.look.schedule import calendar, markdown

    now = context.clock.now()
    slots = list(forecast(runbook, outcomes, now))
    wanted = [getattr(args, form, None) for form in ("markdown", "calendar", "picture")]
    if wanted[0]:
        sys.stdout.write(markdown(runbook, slots))
    try:
        if wanted[1] == "-":
            sys.stdout.write(calendar(runbook, slots, now))
        elif wanted[1]:
            write_whole(Path(wanted[1]), calendar(runbook, slots, now))
            note(args, f"written: {wanted[1]}")
        if wanted[2]:
            from legatum.views.moves.timeline import draw_timeline

            _refuse_without_answers(runbook, "there are no curves to draw")
            draw_timeline(runbook, slots, now, picture_file(wanted[2]))
            note(args, f"written: {wanted[2]}")
    except OSError as error:
        raise unwritable(Path(error.filename or "picture"), error) from None
    return any(wanted)


def _advance(args: argparse.Namespace) -> int:
    from legatum.core.running.fault import BadInput

    if bool(args.move) == args.all:
        raise BadInput("one domain, or --all", "name the domain whose move shall go on")
    if args.all:
        if args.until or args.again or args.code:
            raise BadInput("--until, --again and --code are of one move", "name its domain instead of --all")
        return with_outside(args, lambda context: _advance_all(args, context))

    async def work(context: "RunContext") -> int:
        from legatum.settings.secret import check_reference
        from legatum.work.moves.advance import do_again
        from legatum.work.moves.retreat import refuse_while_retreating
        from legatum.work.recall import open_move

        path, runbook, journal = _opened(args, context)
        context.code_reference = check_reference(args.code) if args.code else ""
        if not runbook.retreating:
            refuse_while_retreating(runbook, path)
        with journal.occupied([runbook.domain], context.clock.now()):
            runbook = open_move(context, path)  # as it is now that nobody else works on it
            if args.again:
                do_again(runbook, journal, args.again, context.clock.now())
            return await carry_out(args, context, runbook, path, journal)

    return with_outside(args, work)


async def _advance_all(args: argparse.Namespace, context: "RunContext") -> int:
    """One after the other, or with --wait and --yes side by side; one that fails holds up none of the others."""
    from legatum.core.records.name import name_text
    from legatum.core.running.fault import Fault
    from legatum.views.moves.move import AdvancesDocument, failed_advance, show_advances
    from legatum.work.movefile import moves_under_way, read_move
    from legatum.work.moves.retreat import refuse_while_retreating

    async def one(path: Path) -> "AdvanceDocument":
        runbook = read_move(path)
        try:
            refuse_while_retreating(runbook, path)
            with context.journal.occupied([runbook.domain], context.clock.now()):
                runbook = read_move(path)
                return await carried_out(args, context, runbook, path, context.journal)
        except Fault as fault:
            return failed_advance(name_text(runbook.domain), fault)

    paths = moves_under_way(context)
    parts = (
        list(await asyncio.gather(*map(one, paths))) if args.wait and args.yes else [await one(path) for path in paths]
    )
    document = AdvancesDocument(moves=parts)
    show(args, document, lambda screen: show_advances(document, screen))
    return next((status for halt, status in _STATUS.items() if any(each.halt == halt for each in parts)), OK)


def _redraw(args: argparse.Namespace) -> int:
    async def work(context: "RunContext") -> int:
        from legatum.core.moves.runbook import next_step
        from legatum.work.movefile import write_move
        from legatum.work.moves.premises import redraw
        from legatum.work.moves.retreat import refuse_while_retreating
        from legatum.work.moves.step_context import StepContext
        from legatum.work.recall import open_move

        path, runbook, journal = _opened(args, context)
        refuse_while_retreating(runbook, path)
        with journal.occupied([runbook.domain], context.clock.now()):
            runbook = open_move(context, path)
            _refuse_without_answers(runbook, "there is nothing to draw anew")
            outcomes = journal.outcomes(runbook.id)
            step = next_step(runbook, outcomes) or runbook.steps[-1]
            drawn = await redraw(StepContext(runbook, step, outcomes, context, path))
            write_move(path, drawn)
        return present(args, context, drawn, path, outcomes)

    return with_outside(args, work)


def _give_up(args: argparse.Namespace, context: "RunContext", move: "Runbook", path: Path) -> int:
    from legatum.core.records.name import name_text
    from legatum.work.moves.retreat import give_up

    if not args.dry_run:
        move = give_up(move, path, context.journal, context.clock.now())
        note(args, f"the way back is given up; go on: `legatum move advance {name_text(move.domain)}`")
    return present(args, context, move, path, context.journal.outcomes(move.id), brief=True)


def _retreat(args: argparse.Namespace) -> int:
    async def work(context: "RunContext") -> int:
        from legatum.work.moves.retreat import open_retreat
        from legatum.work.recall import open_move

        path, move, journal = _opened(args, context)
        with journal.occupied([move.domain], context.clock.now()):
            move = open_move(context, path)
            if args.give_up:
                return _give_up(args, context, move, path)
            retreat, there = open_retreat(move, path, journal, context.clock.now(), keep=not args.dry_run)
            status = await carry_out(args, context, retreat, there, journal)
            if args.dry_run and not args.json:
                sys.stdout.write("\nThe whole way back:\n")
                present(args, context, retreat, there, journal.outcomes(retreat.id))
            if status == SHUT and not journal.begun(
                retreat.id
            ):  # declined, or refused at its first step: the move can still go on
                there.unlink(missing_ok=True)
            return status

    return with_outside(args, work)
