"""Carrying out a move, step by step: hold, look, premises, gate, intent, effect, proof, outcome.

A step whose effect is already there is recorded, not done again; that is also how an intent is settled of which nothing
more is known. Everything stops at the first hold that has not passed and at the first gate that does not hold, with the
reason.
"""

from collections.abc import Awaitable, Callable, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from enum import StrEnum
from pathlib import Path

from legatum.core.calendar.instant import instant_text
from legatum.core.calendar.timing import Bound
from legatum.core.moves.drift.position import Refusal
from legatum.core.moves.effects import Records
from legatum.core.moves.outcome import Outcome
from legatum.core.moves.runbook import Runbook, Step, hold_of, leads_elsewhere, next_step
from legatum.core.records.name import name_text
from legatum.core.rehearsal import rehearse, require_safe
from legatum.core.running.fault import BadInput, Fault, GateShut
from legatum.journal.journal import Journal
from legatum.net.keeping.evidence import Evidence
from legatum.services.registrar import ByHand
from legatum.work.moves.changed import note_begun, note_done
from legatum.work.moves.effects.whole import WholeStep
from legatum.work.moves.mail_servers import mail_not_taken
from legatum.work.moves.premises import keep_as_it_is, moved_on
from legatum.work.moves.services import worse_services
from legatum.work.moves.step_context import StepContext
from legatum.work.recall import with_memory
from legatum.work.run_context import RunContext

_MOST_KEPT = 200  # lines of old → new in the journal
_HOLD_AGAIN = 6 * 3600  # seconds between looks at what a hold rests on, at least
_LOOK_AGAIN = 3600  # seconds between looks at what others do, at least


class Halt(StrEnum):
    """Why an advance came to its end."""

    COMPLETE = "complete"
    HOLDING = "holding"
    REFUSED = "refused"
    DECLINED = "declined"
    SHOWN = "shown"
    STOPPED = "stopped"


@dataclass(frozen=True)
class AdvanceResult:
    """``bound``: the hold it stopped at; ``reasons``: what does not hold, with remedies."""

    halt: Halt
    step: Step | None = None
    bound: Bound | None = None
    reasons: tuple[tuple[str, str], ...] = ()


@dataclass(frozen=True)
class AdvanceOptions:
    """How to advance. ``wait``: stay through holds; ``ask``: shows old → new and says whether to go ahead; ``until``: a
    step to stop after; ``unproven``: although the rehearsal found a way in which visitors fail; ``any_time``: outside
    the house's windows too; ``anyway``: although the services are worse where visitors are led to; ``admit``: asked
    before each step, and waited for, whether it may be begun; ``typed``: a step that somebody has typed into a form,
    where nothing shows it from here; the rest are told: ``by_hand`` what only a person can do, ``missing`` what is not
    as it was meant meanwhile."""

    wait: bool
    ask: Callable[[Step, list[str]], bool]
    begin: Callable[[Step], None]
    hold: Callable[[Step, Bound], None]
    done: Callable[[Step, Outcome], None]
    by_hand: Callable[[Step, ByHand], None]
    missing: Callable[[str], None]
    only_show: bool = False
    until: str | None = None
    unproven: bool = False
    any_time: bool = False
    anyway: bool = False
    admit: Callable[[Step], Awaitable[bool]] | None = None
    typed: str = ""


async def advance(
    context: RunContext, runbook: Runbook, path: Path, journal: Journal, ways: AdvanceOptions
) -> AdvanceResult:
    """Goes as far as it may. Raises :class:`OutsideFault` when the outside fails; what is known then is in the
    journal."""
    outcomes = journal.outcomes(runbook.id)
    runbook = with_memory(context, runbook, outcomes)
    if runbook.changes_answers and not ways.unproven:
        require_safe(rehearse(runbook, outcomes, context.clock.now()))
    for named in filter(None, (ways.until, ways.typed)):
        if named not in [step.id for step in runbook.steps]:
            raise BadInput(f"no step '{named}' in this move", f"steps: {', '.join(step.id for step in runbook.steps)}")
    if ways.until in outcomes:
        return AdvanceResult(Halt.STOPPED, next(step for step in runbook.steps if step.id == ways.until))
    told: tuple[str, float] | None = None
    while step := next_step(runbook, outcomes):
        runbook, now = with_memory(context, runbook, outcomes), context.clock.now()
        step = runbook.step(step.id)
        bound = hold_of(runbook, step, outcomes, now, ways.any_time)
        job = StepContext(runbook, step, outcomes, context, path)
        halted, outcome = None, None
        if bound is not None and now < bound.instant:
            outcome = await _done_before(job, journal, now, ways)
            if outcome is None:
                if (halted := await _otherwise_meanwhile(job, journal, ways)) is not None:
                    return halted
                known = with_memory(context, runbook, outcomes)
                bound = hold_of(known, known.step(step.id), outcomes, now, ways.any_time) or bound
                if told != (step.id, bound.instant):
                    ways.hold(step, bound)
                    told = (step.id, bound.instant)
                if not ways.wait:
                    return AdvanceResult(Halt.HOLDING, step, bound)
                await context.clock.until(now + min(bound.instant - now, max(_HOLD_AGAIN, (bound.instant - now) / 2)))
                continue
        if outcome is None:
            if ways.admit is not None and not await ways.admit(step):
                return AdvanceResult(Halt.STOPPED, step)
            halted, outcome = await _carry_out(job, journal, ways)
        if halted is not None or outcome is None:
            return halted or AdvanceResult(Halt.DECLINED, step)
        outcomes[step.id] = outcome
        ways.done(step, outcome)
        if step.id == ways.until:
            return AdvanceResult(Halt.STOPPED, step)
    return AdvanceResult(Halt.COMPLETE)


async def _otherwise_meanwhile(job: StepContext, journal: Journal, ways: AdvanceOptions) -> AdvanceResult | None:
    """A hold rests on what is given now: that is looked at when it begins, and while it is waited for. Who does not
    answer is asked again when it ends."""
    gone = [each for each in await moved_on(job) if not each.silent] if job.runbook.changes_answers else []
    if gone and await _mended(job, journal, gone, ways):
        gone = [each for each in await moved_on(job) if not each.silent]
    return _refused(job, journal, gone, ways) if gone else None


def _refused(job: StepContext, journal: Journal, gone: list[Refusal], ways: AdvanceOptions) -> AdvanceResult:
    """What is no longer as the plan has it, kept with the reasons."""
    reasons = tuple((each.reason, each.remedy) for each in gone)
    if not ways.only_show:
        _unsettle(job, journal, gone)
        _note_refusal(job, journal, reasons)
    return AdvanceResult(Halt.REFUSED, job.step, None, reasons)


def _note_refusal(job: StepContext, journal: Journal, reasons: Sequence[tuple[str, str]]) -> None:
    with suppress(Fault):  # a journal that cannot be written takes nothing from the reason
        said = "; ".join(reason for reason, _ in reasons)
        remedy = next((each for _, each in reasons if each), "")
        journal.refuse(job.runbook.id, job.domain, job.step.id, job.context.clock.now(), said, remedy)


async def _done_before(job: StepContext, journal: Journal, now: float, ways: AdvanceOptions) -> Outcome | None:
    """What was begun in a window, and not recorded any more, may be there: it is looked for without waiting for the
    next one."""
    bound = hold_of(job.runbook, job.step, job.outcomes, now, any_time=True)
    if (bound is not None and now < bound.instant) or job.step.id not in journal.begun(job.runbook.id):
        return None
    with job.context.collecting() as evidence:
        outcome = await WholeStep(job).seen()
        if outcome is not None and not ways.only_show:
            journal.settle(job.runbook.id, job.domain, outcome, job.context.clock.now(), evidence)
            note_done(job.context, job.runbook, job.step, outcome)
    return outcome


async def _carry_out(
    job: StepContext, journal: Journal, ways: AdvanceOptions
) -> tuple[AdvanceResult | None, Outcome | None]:
    ways.begin(job.step)
    with job.context.collecting() as evidence:
        action = WholeStep(job)
        try:
            halted, outcome = await _done(job, action, journal, evidence, ways)
        except GateShut as shut:
            halted, outcome = AdvanceResult(Halt.REFUSED, job.step, None, ((shut.message, shut.remedy),)), None
        if halted is not None and halted.halt == Halt.REFUSED and not ways.only_show:
            _note_refusal(job, journal, halted.reasons)
        if outcome is not None and not ways.only_show:
            journal.settle(job.runbook.id, job.domain, outcome, job.context.clock.now(), evidence)
            note_done(job.context, job.runbook, job.step, outcome)
        return halted, outcome


async def _done(
    job: StepContext, action: WholeStep, journal: Journal, evidence: Evidence, ways: AdvanceOptions
) -> tuple[AdvanceResult | None, Outcome | None]:
    """One of the two."""
    halted, outcome = await _seen_or_awaited(job, action, ways)
    if outcome is not None and (earlier := journal.asked_again(job.runbook.id).get(job.step.id)) is not None:
        # Wanted again, and found as it was left: what was waited for since then counts on.
        outcome = replace(outcome, first=earlier.first, all=earlier.all)
    if halted is not None or outcome is not None:
        return halted, outcome
    gone = await moved_on(job) if job.runbook.changes_answers else []
    if gone and await _mended(job, journal, gone, ways):
        gone = await moved_on(job)
    if gone:
        return _refused(job, journal, gone, ways), None
    halted = await _gate(job, action, ways)
    return halted, await _performed(job, action, journal, evidence, ways) if halted is None else None


async def _mended(job: StepContext, journal: Journal, gone: list[Refusal], ways: AdvanceOptions) -> bool:
    """Whether everything that does not hold has been put right, where we can and it is wanted: an edit at one side is
    made at the other."""
    effects = tuple(dict.fromkeys(effect for each in gone for effect in each.mended))
    if not all(each.mended for each in gone):
        return False
    step = Step(
        "edit",
        "Make the edit at the other side too",
        effects,
        (),
        "every server there has it",
        "make the edit back on both sides",
    )
    mending = replace(job, step=step)
    with job.context.collecting() as evidence:
        action = WholeStep(mending)
        for each in gone:
            ways.missing(each.reason)
        if await action.gate() or ways.only_show or not ways.ask(step, await action.preview()):
            return False
        outcome = await _performed(mending, action, journal, evidence, ways)
        journal.settle(job.runbook.id, job.domain, outcome, job.context.clock.now(), evidence)
    job.cache.forget()
    await keep_as_it_is(job, effects)
    return True


def _unsettle(job: StepContext, journal: Journal, gone: list[Refusal]) -> None:
    """Steps that somebody has undone count no longer: what was waited for after them is waited for anew. So is what was
    waited for after steps that could not be seen now, once they are: somebody may have undone them, and done them
    again."""
    now, unseen = job.context.clock.now(), {step for each in gone for step in each.unseen}
    later = False
    for step in job.runbook.steps:
        if step.id in unseen:
            known = job.outcomes[step.id]
            again = replace(known, all=now, summary=f"{known.summary}; not known at {instant_text(now)}")
            journal.settle(job.runbook.id, job.domain, again, now, ())
        elif later and not step.changes and step.id in job.outcomes:  # a look that rested on it
            journal.forget(job.runbook.id, job.domain, step.id, now, gone[0].reason)
        later = later or step.id in unseen
    for undone in dict.fromkeys(ident for each in gone for ident in each.undone):
        if undone in job.outcomes:
            journal.forget(job.runbook.id, job.domain, undone, now, gone[0].reason)


async def _seen_or_awaited(
    job: StepContext, action: WholeStep, ways: AdvanceOptions
) -> tuple[AdvanceResult | None, Outcome | None]:
    """Whether the effect is there already; where somebody else has to act first, it is waited for if that is wanted."""
    outcome, told, clock = await action.seen(), False, job.context.clock
    while outcome is None and (bound := await action.awaited()) is not None:
        if not told:
            ways.hold(job.step, bound)
            told = True
        if not ways.wait:
            return AdvanceResult(Halt.HOLDING, job.step, bound), None
        left = bound.instant - clock.now()
        await clock.until(clock.now() + min(left, max(_LOOK_AGAIN, left / 3)))
        job.context.forget_looks()
        job.cache.forget()
        outcome = await action.seen()
    return None, outcome


async def _gate(job: StepContext, action: WholeStep, ways: AdvanceOptions) -> AdvanceResult | None:
    refusals = await action.gate()
    if not refusals and not ways.anyway:
        refusals = await worse_services(job) + await mail_not_taken(job)
    if refusals:
        return AdvanceResult(Halt.REFUSED, job.step, None, tuple((each.reason, each.remedy) for each in refusals))
    if (job.step.changes or ways.only_show) and not ways.ask(job.step, await action.preview()):
        return AdvanceResult(Halt.SHOWN if ways.only_show else Halt.DECLINED, job.step)
    return None


async def _performed(
    job: StepContext, action: WholeStep, journal: Journal, evidence: Evidence, ways: AdvanceOptions
) -> Outcome:
    """Done by us, or by somebody with a form, which is waited for if that is wanted and looking can show it."""
    try:
        return await _perform(job, action, journal, evidence, ways.typed == job.step.id)
    except ByHand as by_hand:
        ways.by_hand(job.step, by_hand)
        if not await action.visible():
            by_hand.remedy = (
                f"nothing shows it from here: once it is typed and saved, the same command with --typed {job.step.id}"
            )
            raise
        if not ways.wait:
            raise
    return await _typed(job, action, ways)


async def _typed(job: StepContext, action: WholeStep, ways: AdvanceOptions) -> Outcome:
    """Raises :class:`OutsideFault` when the house's patience is over."""
    found: list[Outcome] = []

    async def missing() -> str:
        job.cache.forget()
        outcome = await action.seen()
        if outcome is not None:
            found.append(outcome)
            return ""
        return "; ".join(each.reason for each in await action.gate()) or "not typed yet"

    await job.context.until_seen(missing, f"{job.step.title}, by hand", ways.missing)
    return found[-1]


async def _perform(job: StepContext, action: WholeStep, journal: Journal, evidence: Evidence, as_said: bool) -> Outcome:
    clock = job.context.clock
    journal.intend(job.runbook.id, job.domain, job.step.id, clock.now(), job.step.title, action.shown[:_MOST_KEPT])
    note_begun(job.context, job.step)
    try:
        return await action.perform(as_said)
    except Fault as fault:
        journal.fail(
            job.runbook.id, job.domain, job.step.id, clock.now(), fault.message, evidence, isinstance(fault, ByHand)
        )
        raise


def do_again(runbook: Runbook, journal: Journal, step: str, now: float) -> None:
    """Has the outcomes of ``step`` and all steps after it count no longer, but for changes of single RRsets, which
    stay.

    Raises :class:`BadInput` once the first NS set has changed, or may have: from then on both sides are in use.
    """
    outcomes = journal.outcomes(runbook.id)
    order = [each.id for each in runbook.steps]
    if step not in order:
        raise BadInput(f"no step '{step}' in this move", f"steps: {', '.join(order)}")
    begun = journal.begun(runbook.id)
    if committed := [each.id for each in runbook.steps if leads_elsewhere(each) and each.id in begun]:
        raise BadInput(
            f"the step '{committed[0]}' is {'done' if committed[0] in outcomes else 'begun'}: both sides are in use",
            "make edits on both sides, or wait for the end of the move",
        )
    for each in runbook.steps[order.index(step) :]:
        if each.id in outcomes and (each.id == step or not _stays(each)):
            journal.ask_again(
                runbook.id,
                runbook.domain,
                each.id,
                now,
                f"to be done again from {step} on, for {name_text(runbook.domain)}",
            )


def _stays(step: Step) -> bool:
    """What was changed of single RRsets stays so, whatever is gathered and published anew: what is waited for after it
    runs on."""
    return all(isinstance(each, Records) for each in step.effects)
