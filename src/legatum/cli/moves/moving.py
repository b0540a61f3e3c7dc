"""What every command that draws a move shares: drafting it, carrying it out, saying where it stands."""

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from legatum.cli.program.common import OK, SHUT, add_anyway, add_changing, agreed, note, show

if TYPE_CHECKING:
    from legatum.core.moves.outcome import Outcome
    from legatum.core.moves.runbook import Runbook, Step
    from legatum.core.moves.wishes import Wishes
    from legatum.journal.journal import Journal
    from legatum.services.registrar import ByHand
    from legatum.views.moves.move import AdvanceDocument
    from legatum.work.moves.advance import AdvanceOptions, AdvanceResult
    from legatum.work.run_context import RunContext


def add_going(parser: argparse.ArgumentParser) -> None:
    """For short ways: how far the move is carried out."""
    parser.add_argument("--wait", action="store_true", help="stay through holds until it is complete")
    parser.add_argument("--until", metavar="STEP", help="stop after this step")
    parser.add_argument("--force", action="store_true", help="in the place of a move that is under way")
    add_changing(parser)
    add_typed(parser)
    add_anyway(parser)
    add_against_advice(parser)


def add_typed(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "--typed", metavar="STEP", help="this step was typed into the form, and saved; where nothing shows it from here"
    )


def add_against_advice(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "--unproven", action="store_true", help="go on although a rehearsal finds a way in which visitors fail"
    )
    parser.add_argument(
        "--any-time", action="store_true", help="outside the house's windows, and in its quiet times, too"
    )


async def drafted(
    args: argparse.Namespace,
    context: "RunContext",
    wish: "Wishes",
    out: Path | None = None,
    keep: bool = True,
    over_drafts: bool = False,
) -> "tuple[Runbook, Path]":
    """One move, drafted and, if ``keep``, written; ``over_drafts``: over one of which nothing was begun. Raises as
    drafting does, and :class:`BadInput` where there is one already."""
    from legatum.core.calendar.instant import instant_text, people_text
    from legatum.core.records.name import name_text
    from legatum.core.running.fault import BadInput
    from legatum.work.drafting.draft import draft_move
    from legatum.work.drafting.registrar_transfer import make_room
    from legatum.work.movefile import is_over, is_untouched, move_path, read_move, retreat_path, write_move

    path = out or move_path(context, wish.domain)
    if wish.transfer and keep:
        make_room(path, context.journal)
    forced = getattr(args, "force", False) or not keep
    forced = forced or (over_drafts and path.exists() and is_untouched(read_move(path), context.journal))
    if path.exists() and not forced and not is_over(path, context.journal):
        there = read_move(path)
        raise BadInput(
            f"{path}: there is a move of this domain already: {there.wish}, drafted {instant_text(there.drafted)}",
            f"go on with it (`legatum move status {name_text(wish.domain)}`), take it back, or draw another "
            "one in its place with --force",
        )
    runbook, speeds = await draft_move(context, wish, lambda text: note(args, text))
    for speed, ends in speeds.items():
        note(
            args,
            f"{'TTLs lowered first' if speed == 'lowered' else 'the change at once'} (--speed {speed}): over on "
            f"{people_text(ends, context.clock.now())}",
        )
    if keep:
        write_move(path, runbook)
        retreat_path(path).unlink(missing_ok=True)
        context.journal.bring([wish.domain], ours=True)
    return runbook, path


async def draft_and_go(args: argparse.Namespace, context: "RunContext", wish: "Wishes") -> int:
    """A short way: the move of this kind that is under way goes on; else one is drafted, and carried out as far as it
    may go."""
    from legatum.core.records.name import name_text
    from legatum.core.running.fault import AlreadySo
    from legatum.net.file import write_whole
    from legatum.views.moves.move import already_so
    from legatum.work.movefile import is_over, is_untouched, move_path, read_move

    path = move_path(context, wish.domain)
    before = path.read_bytes() if path.exists() else None
    under_way = path.exists() and not is_over(path, context.journal) and not getattr(args, "force", False)
    if under_way and (there := read_move(path)).wish == wish.words:
        runbook = there
    else:
        note(args, "looking at the domain, its providers and the registry …")
        try:
            runbook, path = await drafted(args, context, wish, keep=not args.dry_run, over_drafts=True)
        except AlreadySo as fault:
            told = already_so(name_text(wish.domain), fault)
            show(args, told, lambda screen: screen.verdict(True, told.reasons[0], "there is nothing to do"))
            return OK
    journal = context.journal
    with journal.occupied([runbook.domain], context.clock.now()):
        status = SHUT
        try:
            status = await carry_out(args, context, runbook, path, journal)
        finally:
            if (
                status != OK and not args.dry_run and is_untouched(runbook, journal)
            ):  # refused, or declined: all is as it was before
                path.unlink(missing_ok=True) if before is None else write_whole(path, before)
        return status


async def carry_out(
    args: argparse.Namespace, context: "RunContext", runbook: "Runbook", path: Path, journal: "Journal"
) -> int:
    """As far as it may go, and said."""
    from legatum.views.moves.move import advance_document, show_halt
    from legatum.work.moves.advance import Halt

    halted, done = await _gone_on(args, context, runbook, path, journal)
    document = advance_document(runbook, halted, done)
    show(args, document, lambda screen: show_halt(runbook, halted, done, context.clock.now(), screen))
    return SHUT if halted.halt in (Halt.REFUSED, Halt.DECLINED) else OK


async def carried_out(
    args: argparse.Namespace, context: "RunContext", runbook: "Runbook", path: Path, journal: "Journal"
) -> "AdvanceDocument":
    """As far as it may go, for a document of several."""
    from legatum.views.moves.move import advance_document

    return advance_document(runbook, *await _gone_on(args, context, runbook, path, journal))


async def _gone_on(
    args: argparse.Namespace, context: "RunContext", runbook: "Runbook", path: Path, journal: "Journal"
) -> "tuple[AdvanceResult, list[str]]":
    """Where it halted, and the steps that were done."""
    from legatum.work.moves.advance import advance

    done: list[str] = []
    return await advance(context, runbook, path, journal, _ways(args, context, runbook, path, done)), done


def _ways(
    args: argparse.Namespace, context: "RunContext", runbook: "Runbook", path: Path, done: list[str]
) -> "AdvanceOptions":
    from legatum.core.calendar.instant import people_text
    from legatum.core.calendar.timing import Bound
    from legatum.core.moves.outcome import Outcome
    from legatum.core.moves.runbook import Step
    from legatum.services.registrar import ByHand
    from legatum.work.moves.advance import AdvanceOptions

    order = [each.id for each in runbook.steps]

    def number(step: Step) -> str:
        return f"{order.index(step.id) + 1}/{len(order)}"

    def begin(step: Step) -> None:
        note(args, f"{number(step)} {step.title} …")

    def hold(step: Step, bound: Bound) -> None:
        note(args, f"    hold until {people_text(bound.instant, context.clock.now())}: {bound.reason}")

    def finished(step: Step, outcome: Outcome) -> None:
        done.append(step.id)
        note(args, f"    {people_text(outcome.all, context.clock.now())}: {outcome.summary}")

    def ask(step: Step, lines: list[str]) -> bool:
        return agreed(args, f"    {step.title}, old → new:", [f"    {line}" for line in lines])

    def by_hand(step: Step, what: ByHand) -> None:
        sheet = write_by_hand(runbook, path, step, what)
        note(args, f"    {what.message}\n    the worksheet for it: {sheet}")

    def missing(text: str) -> None:
        note(args, f"    {text}")

    return AdvanceOptions(
        args.wait, ask, begin, hold, finished, by_hand, missing, args.dry_run, getattr(args, "until", None),
        getattr(args, "unproven", False), getattr(args, "any_time", False), getattr(args, "anyway", False),
        typed=getattr(args, "typed", None) or "",
    )  # fmt: skip


def write_by_hand(runbook: "Runbook", path: Path, step: "Step", what: "ByHand") -> Path:
    """The worksheet of what only a person can do, beside the move's file."""
    from legatum.core.records.name import name_text
    from legatum.views.registry.sheet import step_sheet, write_sheet

    sheet = path.with_name(f"{name_text(runbook.domain)}.{step.id}.md")
    write_sheet(sheet, step_sheet(runbook, step, what))
    return sheet


def present(
    args: argparse.Namespace,
    context: "RunContext",
    runbook: "Runbook",
    path: Path,
    outcomes: "dict[str, Outcome]",
    brief: bool = False,
) -> int:
    """The whole runbook, or a line for each step."""
    from legatum.core.moves.runbook import forecast
    from legatum.core.moves.standing import by_hand_of, trouble_of
    from legatum.views.moves.move import move_document, show_move, show_status

    now = context.clock.now()
    slots = list(forecast(runbook, outcomes, now))
    following = next((each.step for each in slots if each.outcome is None), None)
    entries = context.journal.of_move(runbook.id)
    document = move_document(
        runbook, slots, str(path), now, trouble_of(following, entries), by_hand_of(following, entries)
    )
    if brief:
        show(args, document, lambda screen: show_status(document, slots, now, screen))
    else:
        show(args, document, lambda screen: show_move(runbook, slots, document, now, screen, bool(args.verbose)))
    return OK
