"""A move: its steps, holds with reasons, what was done, why it stopped."""

from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import Any

from legatum.core.calendar.duration import duration_text
from legatum.core.calendar.instant import instant_text, people_text
from legatum.core.calendar.timing import Bound
from legatum.core.moves.effects import Delegated, Transfer, ZoneEnded, ZoneMade
from legatum.core.moves.place import PARENT
from legatum.core.moves.plain import plain
from legatum.core.moves.runbook import Runbook, Slot, forecast
from legatum.core.records.name import Name, name_text
from legatum.core.records.rrset import targets
from legatum.core.records.rrtype import NS
from legatum.core.running.fault import AlreadySo, Fault, GateShut
from legatum.views.document import Document, Part
from legatum.views.screen import BAD, DOUBT, GOOD, QUIET, STRONG, Screen
from legatum.work.moves.advance import AdvanceResult, Halt


class HoldPartDocument(Part):
    """``not_before``: computed where the step it counts from is done, else expected."""

    not_before: str
    reason: str
    rule: int
    considered: list[str]


class StepPartDocument(Part):
    id: str
    title: str
    state: str
    gates: list[str]
    proof: str
    way_back: str
    changes: bool
    hold: HoldPartDocument | None
    first: str | None
    all: str | None
    expected: str | None
    outcome: str


class MoveDocument(Document, tag="legatum.move-status/1"):
    """One move as it stands. ``state``: ``drafted``, ``under way`` or ``complete``; ``wish``: what shall be different;
    ``premises``: as in the move file; ``trouble``: why the next step failed, or was refused, the last time, as the
    journal has it; ``by_hand``: what only a person can do of it."""

    id: str
    domain: str
    file: str
    drafted: str
    at: str
    wish: str
    state: str
    next: str
    premises: dict[str, Any]
    steps: list[StepPartDocument]
    trouble: str = ""
    by_hand: str = ""


class DraftPart(Part):
    """One of many. ``over``: when it is over if every step is done when it is due; ``why`` and ``remedy``: why it was
    not drafted."""

    domain: str
    file: str | None
    over: str | None
    why: str
    remedy: str


class DraftsDocument(Document, tag="legatum.drafts/1"):
    """Moves drafted together."""

    moves: list[DraftPart]


class AdvanceDocument(Document, tag="legatum.advance/1"):
    """How far an advance went: ``halt`` is ``complete``, ``holding``, ``refused``, ``declined``, ``shown`` or
    ``stopped``; among several also ``failed``, with the fault as its reason."""

    domain: str
    halt: str
    step: str | None
    until: str | None
    reasons: list[str]
    remedies: list[str]
    done: list[str]


class AdvancesDocument(Document, tag="legatum.advances/1"):
    """Every move of the house that is under way, gone on with as far as it may."""

    moves: list[AdvanceDocument]


def failed_advance(domain: str, fault: Fault) -> AdvanceDocument:
    halt = "refused" if isinstance(fault, GateShut) else "failed"
    return AdvanceDocument(
        domain=domain, halt=halt, step=None, until=None, reasons=[fault.message], remedies=[fault.remedy], done=[]
    )


def show_advances(document: AdvancesDocument, screen: Screen) -> None:
    """Counts first; then a line for each: where it stands, and what it waits for."""
    halts = [each.halt for each in document.moves]
    words = ", ".join(f"{halts.count(halt)} {halt}" for halt in dict.fromkeys(halts)) or "none is under way"
    bad = [each for each in document.moves if each.halt in ("failed", "refused", "declined")]
    waits = sorted(each.until for each in document.moves if each.until)
    following = f"the same command, not before {waits[0]}" if waits else "nothing to do"
    if bad:
        following = f"{bad[0].domain}: {next(iter(bad[0].remedies), 'mend that, then the same command again')}"
    screen.verdict(not bad, f"{len(document.moves)} moves: {words}", following)
    if document.moves:
        screen.line()
        rows = [_advance_row(each) for each in document.moves]
        screen.table(("domain", "", "until", "what"), rows, [BAD if each in bad else "" for each in document.moves])


def _advance_row(part: AdvanceDocument) -> tuple[str, str, str, str]:
    return part.domain, part.halt, part.until or "-", next(iter(part.reasons), ", ".join(part.done))


def move_document(
    runbook: Runbook, slots: list[Slot], file: str, now: float, trouble: str, by_hand: str = ""
) -> MoveDocument:
    done = [each for each in slots if each.outcome]
    following = next((each for each in slots if not each.outcome), None)
    state = "complete" if following is None else "under way" if done else "drafted"
    return MoveDocument(
        id=runbook.id,
        domain=name_text(runbook.domain),
        file=file,
        drafted=instant_text(runbook.drafted),
        at=instant_text(now),
        wish=runbook.wish,
        state=state,
        next=_next(runbook, following, now),
        premises=plain(runbook.premises),
        steps=[_step(each, each is following) for each in slots],
        trouble=trouble,
        by_hand=by_hand,
    )


def drafts_document(
    drawn: Iterable[tuple[Name, Runbook | None, Path | None, Fault | None]], now: float
) -> DraftsDocument:
    """Each domain with its runbook and file, or with why there is none."""
    parts = []
    for domain, runbook, path, fault in drawn:
        over = instant_text(list(forecast(runbook, {}, now))[-1].ends) if runbook else None
        why, remedy = (fault.message, fault.remedy) if fault else ("", "")
        parts.append(
            DraftPart(domain=name_text(domain), file=str(path) if path else None, over=over, why=why, remedy=remedy)
        )
    return DraftsDocument(moves=parts)


def show_drafts(document: DraftsDocument, screen: Screen) -> None:
    failed = [each for each in document.moves if each.why]
    drafted = [each for each in document.moves if not each.why]
    text = f"{len(drafted)} moves drafted" + (f", {len(failed)} not" if failed else "")
    following = (
        f"{failed[0].domain}: {failed[0].remedy or failed[0].why}"
        if failed
        else f"`legatum move rehearse {drafted[0].domain}`"
    )
    screen.verdict(not failed, text, following)
    screen.line()
    rows = [
        (each.domain, each.why or f"over on {each.over} if every step is done when it is due", each.file or "-")
        for each in document.moves
    ]
    screen.table(("domain", "", "file"), rows, [BAD if each.why else "" for each in document.moves])


def _next(runbook: Runbook, following: Slot | None, now: float) -> str:
    command = f"`legatum move {_verb(runbook)} {name_text(runbook.domain)}`"
    if following is None:
        return "nothing to do"
    if following.bound is not None and following.bound.instant > now:
        return f"{command}, not before {people_text(following.bound.instant, now)}"
    return f"{command} ({following.step.title})"


def _step(each: Slot, is_next: bool) -> StepPartDocument:
    step, outcome, bound = each.step, each.outcome, each.bound
    hold = None
    if bound is not None:
        considered = [f"{instant_text(when)}: {why}" for when, why in bound.parts]
        hold = HoldPartDocument(
            not_before=instant_text(bound.instant), reason=bound.reason, rule=bound.rule, considered=considered
        )
    return StepPartDocument(
        id=step.id,
        title=step.title,
        state="done" if outcome else "next" if is_next else "to come",
        gates=list(step.gates),
        proof=step.proof,
        way_back=step.way_back,
        changes=step.changes,
        hold=hold,
        first=instant_text(outcome.first) if outcome else None,
        all=instant_text(outcome.all) if outcome else None,
        expected=None if outcome else instant_text(each.expected),
        outcome=outcome.summary if outcome else "",
    )


def show_move(
    runbook: Runbook, slots: list[Slot], document: MoveDocument, now: float, screen: Screen, whole: bool = False
) -> None:
    """The runbook: what, when, and why then; ``whole``: also what must hold, what proves it, and the way back."""
    text = f"{wish_text(runbook)}: {document.state}"
    end = (
        f"; over on {people_text(slots[-1].ends, now)} if every step is done when it is due"
        if document.state != "complete"
        else ""
    )
    screen.verdict(not document.trouble, text + end, document.next)
    _show_trouble(document, screen)
    screen.line()
    screen.pairs([*_what_it_rests_on(runbook), ("move file", document.file)])
    screen.line()
    for number, each in enumerate(slots, 1):
        if each.bound is not None and each.holds:
            _show_hold(each.bound, each.outcome is not None, now, screen)
        _show_step(number, each, now, screen, whole)
    if not whole:
        screen.line()
        screen.line("Gates, proofs and the way back of each step: -v", QUIET)


def _show_trouble(document: MoveDocument, screen: Screen) -> None:
    if document.trouble:
        screen.line(f"The last time: {document.trouble}", BAD, indent=4)
    if document.by_hand:
        screen.line(f"For a person to do: {document.by_hand}", DOUBT, indent=4)


def wish_text(runbook: Runbook) -> str:
    """The domain, and what shall be different."""
    domain = name_text(runbook.domain)
    return f"{domain} {runbook.wish}" if runbook.wish.startswith("from ") else f"{domain}, {runbook.wish}"


def _what_it_rests_on(runbook: Runbook) -> list[tuple[str, str]]:
    premises = runbook.premises
    facts = _of_the_delegation(runbook) if runbook.changes_answers else []
    if premises.registered is not None:
        facts += _of_the_registration(runbook)
    if runbook.changes_answers:
        facts.append(
            (
                "signed",
                f"no: {premises.unsigned}"
                if premises.unsigned
                else premises.signing or "not looked at when this was drafted",
            )
        )
        facts.append((
            "assumed",
            f"resolvers may keep an answer {duration_text(premises.floor)} even where its TTL is shorter; "
            f"an answer takes at most {duration_text(premises.time_out)}; margin {duration_text(runbook.margin)}",
        ))  # fmt: skip
    if premises.times:
        facts.append(("windows", f"for what visitors can feel: {premises.times.text}"))
    return facts


def _of_the_delegation(runbook: Runbook) -> list[tuple[str, str]]:
    premises = runbook.premises
    above = premises.of(PARENT, premises.parent_zone)
    named = (
        next((each for each in above.rrsets if each.rtype == NS and each.name == runbook.domain), None)
        if above
        else None
    )
    changes = [each for step in runbook.steps for each in step.effects if isinstance(each, Delegated)]
    facts = [("NS set", ", ".join(map(name_text, targets(named))) or "none: nobody delegates it")]
    facts += [("then", ", ".join(map(name_text, each.after)) or "none") for each in changes]
    own = [
        each
        for served in premises.served
        if served.zone == runbook.domain
        for each in served.rrsets
        if (each.name, each.rtype) == (runbook.domain, NS)
    ]
    served = [each for each in premises.served if each.zone == runbook.domain]
    at_parent = duration_text(named.ttl) if named is not None else "unknown"
    in_zone = duration_text(max((each.ttl for each in own), default=0))
    longest = duration_text(max((each.longest_ttl for each in served), default=0))
    facts.append((
        "observed",
        f"TTL of the NS set at the parent {at_parent}, in the zone {in_zone}; longest TTL in the zone {longest}; "
        f"“no such name” is kept {duration_text(premises.negative_ttl(runbook.domain))}",
    ))  # fmt: skip
    remembered = [past for past in runbook.past if past.effects] if not runbook.retreating else []
    facts += [("remembered", past.label) for past in remembered[:4]]
    return facts


def _of_the_registration(runbook: Runbook) -> list[tuple[str, str]]:
    """What must come out of a registrar transfer as it went in."""
    held = runbook.premises.registered
    assert held is not None
    codes = [each.code for step in runbook.steps for each in step.effects if isinstance(each, Transfer)]
    hosts = [f"{name_text(host)} ({', '.join(addresses)})" for host, addresses in held.hosts.items()]
    return [
        ("name servers", ", ".join(map(name_text, held.nameservers))),
        ("DS records", str(len(held.ds)) if held.ds else "none: the delegation is not signed"),
        ("hosts below it", ", ".join(hosts) or "none"),
        ("statuses", ", ".join(held.statuses)),
        ("expires", held.expires),
        ("code", next(filter(None, codes), "fetched from the losing account when it is needed; it is written nowhere")),
    ]


def _show_step(number: int, each: Slot, now: float, screen: Screen, whole: bool) -> None:
    step, outcome = each.step, each.outcome
    mark, style = ("✓", GOOD) if outcome else ("·", STRONG)
    when = people_text(outcome.all if outcome else each.expected, now)
    screen.line(f"{number:>2} {mark}  {step.title}   {when}", style)
    if outcome:
        screen.line(f"      {outcome.summary}", QUIET)
        return
    if not whole:
        return
    if step.gates:
        screen.line(f"      gate   {'; '.join(step.gates)}", QUIET, indent=13)
    screen.line(f"      proof  {step.proof}", QUIET, indent=13)
    if step.changes:
        screen.line(f"      back   {step.way_back}", QUIET, indent=13)


def _left_behind(runbook: Runbook) -> str:
    """What a way back leaves where it was made."""
    made = {effect.place for past in runbook.past for effect in past.effects if isinstance(effect, ZoneMade)}
    left = made - {effect.place for step in runbook.steps for effect in step.effects if isinstance(effect, ZoneEnded)}
    if not left:
        return ""
    return (
        f"; {', '.join(sorted(left))} goes on serving the zone, because caches that renew their copies may "
        "ask there: end it by hand"
    )


def _show_hold(bound: Bound, passed: bool, now: float, screen: Screen) -> None:
    tense = "held" if passed else "hold"
    screen.line(
        f"   —  {tense} until {people_text(bound.instant, now)}: {bound.reason}", QUIET if passed else DOUBT, indent=6
    )


def show_status(document: MoveDocument, slots: list[Slot], now: float, screen: Screen) -> None:
    """One line a step."""
    done = sum(1 for each in slots if each.outcome)
    screen.verdict(
        not document.trouble, f"{document.domain}: {document.state}, {done} of {len(slots)} steps done", document.next
    )
    _show_trouble(document, screen)
    screen.line()
    rows = []
    for number, each in enumerate(slots, 1):
        when = people_text(each.outcome.all if each.outcome else each.expected, now)
        rows.append(
            (
                number,
                "done" if each.outcome else "expected",
                when,
                each.outcome.summary if each.outcome else each.step.title,
            )
        )
    screen.table(("", "", "when", "what"), rows, [QUIET if each.outcome else "" for each in slots])


def already_so(domain: str, fault: AlreadySo) -> AdvanceDocument:
    """What is wished for is so, without any step."""
    return AdvanceDocument(
        domain=domain, halt="complete", step=None, until=None, reasons=[fault.message], remedies=[], done=[]
    )


def advance_document(runbook: Runbook, halted: AdvanceResult, done: list[str]) -> AdvanceDocument:
    return AdvanceDocument(
        domain=name_text(runbook.domain),
        halt=str(halted.halt),
        step=halted.step.id if halted.step else None,
        until=instant_text(halted.bound.instant) if halted.bound else None,
        reasons=[halted.bound.reason] if halted.bound else [reason for reason, _ in halted.reasons],
        remedies=[remedy for _, remedy in halted.reasons if remedy],
        done=done,
    )


def _verb(runbook: Runbook) -> str:
    return "retreat" if runbook.retreating else "advance"


def show_halt(runbook: Runbook, halted: AdvanceResult, done: Sequence[str], now: float, screen: Screen) -> None:
    """Why it stopped, and when to come back. ``done``: the steps that this command has done."""
    domain = name_text(runbook.domain)
    screen.gap()
    match halted.halt:
        case Halt.COMPLETE if runbook.retreating:
            screen.verdict(True, f"{domain}: every step is taken back{_left_behind(runbook)}", "")
        case Halt.COMPLETE:
            screen.verdict(
                True,
                f"{domain}: the {'move' if runbook.changes_answers else 'transfer'} is complete",
                f"note for the customer what was done: `legatum move status {domain}`",
            )
        case Halt.STOPPED if halted.step:
            screen.verdict(
                True,
                f"{domain}: step '{halted.step.id}' is done, as far as was asked",
                f"`legatum move advance {domain}`",
            )
        case Halt.HOLDING if halted.bound and halted.step:
            screen.verdict(
                True,
                f"{domain}: holding before step '{halted.step.id}' until {people_text(halted.bound.instant, now)}",
                f"come back then with the same command, or stay with --wait: `legatum move {_verb(runbook)} {domain}`",
            )
            for _, why in halted.bound.parts:
                screen.line(f"  because {why}", QUIET, indent=10)
        case Halt.REFUSED if halted.step:
            reason, remedy = halted.reasons[0]
            screen.verdict(
                False,
                f"{domain}: step '{halted.step.id}' refused: {reason}",
                remedy or "mend that, then the same command again",
            )
            for reason, _ in halted.reasons[1:]:
                screen.line(f"  also: {reason}", DOUBT)
        case Halt.SHOWN if halted.step:
            screen.untouched(f"{domain}: step '{halted.step.id}' would do this")
        case _ if halted.step:
            what = f"{domain}: step '{halted.step.id}'"
            if any(step.changes for step in runbook.steps if step.id in done):
                screen.verdict(
                    False,
                    f"{what}: declined; the steps before it are done",
                    "the same command, and yes, when it shall go on",
                )
            else:
                screen.declined(what)
