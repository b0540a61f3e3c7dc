"""A move: its steps, holds with reasons, what was done, why it stopped."""

from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import Any

from legatum.core.duration import duration_text
from legatum.core.fault import Fault
from legatum.core.instant import instant_text, people_text
from legatum.core.name import Name, name_text
from legatum.core.runbook import TRANSFER, Runbook, Standing, forecast
from legatum.core.timing import Bound
from legatum.views.document import Document, Part
from legatum.views.screen import BAD, DOUBT, GOOD, QUIET, STRONG, Screen
from legatum.work.advance import Halt, Halted


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


class MoveDocument(Document, tag="legatum.move-standing/1"):
    """One move as it stands. ``state``: ``drafted``, ``under way`` or ``complete``."""

    id: str
    domain: str
    file: str
    drafted: str
    at: str
    state: str
    next: str
    premises: dict[str, Any]
    steps: list[StepPartDocument]


class DraftPart(Part):
    """One of many. ``over``: when it is over if nothing is left waiting; ``why`` and ``remedy``: why it was not drafted."""

    domain: str
    file: str | None
    over: str | None
    why: str
    remedy: str


class DraftsDocument(Document, tag="legatum.drafts/1"):
    """Moves drafted together."""

    moves: list[DraftPart]


class AdvanceDocument(Document, tag="legatum.advance/1"):
    """How far an advance went: ``halt`` is ``complete``, ``holding``, ``refused``, ``declined``, ``shown`` or ``stopped``."""

    domain: str
    halt: str
    step: str | None
    until: str | None
    reasons: list[str]
    remedies: list[str]
    done: list[str]


def move_document(runbook: Runbook, standings: list[Standing], file: str, now: float) -> MoveDocument:
    done = [each for each in standings if each.outcome]
    following = next((each for each in standings if not each.outcome), None)
    state = "complete" if following is None else "under way" if done else "drafted"
    return MoveDocument(
        id=runbook.id,
        domain=name_text(runbook.domain),
        file=file,
        drafted=instant_text(runbook.drafted),
        at=instant_text(now),
        state=state,
        next=_next(runbook, following, now),
        premises=dict(runbook.premises),
        steps=[_step(each, each is following) for each in standings],
    )


def drafts_document(drawn: Iterable[tuple[Name, Runbook | None, Path | None, Fault | None]], now: float) -> DraftsDocument:
    """Each domain with its runbook and file, or with why there is none."""
    parts = []
    for domain, runbook, path, fault in drawn:
        over = instant_text(list(forecast(runbook, {}, now))[-1].ends) if runbook else None
        why, remedy = (fault.message, fault.remedy) if fault else ("", "")
        parts.append(DraftPart(domain=name_text(domain), file=str(path) if path else None, over=over, why=why, remedy=remedy))
    return DraftsDocument(moves=parts)


def show_drafts(document: DraftsDocument, screen: Screen) -> None:
    failed = [each for each in document.moves if each.why]
    drafted = [each for each in document.moves if not each.why]
    text = f"{len(drafted)} moves drafted" + (f", {len(failed)} not" if failed else "")
    following = f"{failed[0].domain}: {failed[0].remedy or failed[0].why}" if failed else f"`legatum move rehearse {drafted[0].domain}`"
    screen.verdict(not failed, text, following)
    screen.line()
    rows = [(each.domain, each.why or f"over on {each.over} if nothing is left waiting", each.file or "-") for each in document.moves]
    screen.table(("domain", "", "file"), rows, [BAD if each.why else "" for each in document.moves])


def _next(runbook: Runbook, following: Standing | None, now: float) -> str:
    command = f"`legatum move {_verb(runbook)} {name_text(runbook.domain)}`"
    if following is None:
        return "nothing to do"
    if following.bound is not None and following.bound.instant > now:
        return f"{command}, not before {people_text(following.bound.instant, now)}"
    return f"{command} ({following.step.title})"


def _step(each: Standing, is_next: bool) -> StepPartDocument:
    step, outcome, bound = each.step, each.outcome, each.bound
    hold = None
    if bound is not None:
        considered = [f"{instant_text(when)}: {why}" for when, why in bound.parts]
        hold = HoldPartDocument(not_before=instant_text(bound.instant), reason=bound.reason, rule=bound.rule, considered=considered)
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


def show_move(runbook: Runbook, standings: list[Standing], document: MoveDocument, now: float, screen: Screen) -> None:
    """The whole runbook: what, when, why then, what must hold, what proves it, and the way back."""
    premises = runbook.premises
    way = f"{document.domain} from {premises.get('from')} to {premises.get('to')}"
    whole = f"{f'taking back {way}' if runbook.retreating else way}: {document.state}"
    end = f"; over on {people_text(standings[-1].expected, now)} if nothing is left waiting" if document.state != "complete" else ""
    screen.verdict(True, whole + end, document.next)
    screen.line()
    screen.pairs([*(_what_is_moved(runbook) if runbook.changes_answers else _what_is_transferred(runbook)), ("move file", document.file)])
    screen.line()
    for number, each in enumerate(standings, 1):
        _show_step(number, each, now, screen)


def _what_is_moved(runbook: Runbook) -> list[tuple[str, str]]:
    premises = runbook.premises
    return [
        ("old NS set", ", ".join(map(str, premises.get("old_ns", ())))),
        ("new NS set", ", ".join(map(str, premises.get("new_ns", ())))),
        (
            "observed",
            f"TTL of the NS set at the parent {_lasting(premises, 'parent_ttl')}, in the zone {_lasting(premises, 'apex_ns_ttl')}; "
            f"longest TTL in the zone {_lasting(premises, 'longest_ttl')}; “no such name” is kept {_lasting(premises, 'negative_ttl')}",
        ),
        ("signed", f"no: {premises['unsigned']}" if premises.get("unsigned") else "not looked at when this was drafted"),
        (
            "assumed",
            f"resolvers may keep an answer {_lasting(premises, 'floor')} even where its TTL is shorter; "
            f"an answer takes at most {_lasting(premises, 'time_out')}; "
            f"margin {duration_text(runbook.margin)}",
        ),
    ]


def _what_is_transferred(runbook: Runbook) -> list[tuple[str, str]]:
    """What must come out of a registrar transfer as it went in."""
    premises = runbook.premises
    hosts = [f"{host} ({', '.join(addresses)})" for host, addresses in premises["hosts"].items()]
    return [
        ("name servers", ", ".join(map(str, premises["old_ns"]))),
        ("DS records", str(len(premises["ds"])) if premises["ds"] else "none: the delegation is not signed"),
        ("hosts below it", ", ".join(hosts) or "none"),
        ("statuses", ", ".join(map(str, premises["statuses"]))),
        ("expires", str(premises["expires"])),
        ("code", str(premises["code"] or "fetched from the losing account when it is needed; it is written nowhere")),
    ]


def _lasting(premises: Mapping[str, object], key: str) -> str:
    value = premises.get(key)
    return duration_text(value) if isinstance(value, int) else "unknown"


def _show_step(number: int, each: Standing, now: float, screen: Screen) -> None:
    step, outcome = each.step, each.outcome
    if each.bound is not None:
        _show_hold(each.bound, outcome is not None, now, screen)
    mark, style = ("✓", GOOD) if outcome else ("·", STRONG)
    when = people_text(outcome.all if outcome else each.expected, now)
    screen.line(f"{number:>2} {mark}  {step.title}   {when}", style)
    if outcome:
        screen.line(f"      {outcome.summary}", QUIET)
        return
    if step.gates:
        screen.line(f"      gate   {'; '.join(step.gates)}", QUIET, indent=13)
    screen.line(f"      proof  {step.proof}", QUIET, indent=13)
    if step.changes:
        screen.line(f"      back   {step.way_back}", QUIET, indent=13)


def _show_hold(bound: Bound, passed: bool, now: float, screen: Screen) -> None:
    tense = "held" if passed else "hold"
    screen.line(f"   —  {tense} until {people_text(bound.instant, now)}", QUIET if passed else DOUBT)
    screen.line(f"      because {bound.reason}", QUIET, indent=14)


def show_status(document: MoveDocument, standings: list[Standing], now: float, screen: Screen) -> None:
    """One line a step."""
    done = sum(1 for each in standings if each.outcome)
    screen.verdict(True, f"{document.domain}: {document.state}, {done} of {len(standings)} steps done", document.next)
    screen.line()
    rows = []
    for number, each in enumerate(standings, 1):
        when = people_text(each.outcome.all if each.outcome else each.expected, now)
        rows.append((number, "done" if each.outcome else "expected", when, each.outcome.summary if each.outcome else each.step.title))
    screen.table(("", "", "when", "what"), rows, [QUIET if each.outcome else "" for each in standings])


def advance_document(runbook: Runbook, halted: Halted, done: list[str]) -> AdvanceDocument:
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


def show_halt(runbook: Runbook, halted: Halted, now: float, screen: Screen) -> None:
    """Why it stopped, and when to come back."""
    domain = name_text(runbook.domain)
    screen.gap()
    match halted.halt:
        case Halt.COMPLETE if runbook.retreating:
            screen.verdict(True, f"{domain}: everything is taken back; it is as it was before the move", "")
        case Halt.COMPLETE:
            screen.verdict(
                True,
                f"{domain}: the {'transfer' if runbook.kind == TRANSFER else 'move'} is complete",
                f"note for the customer what was done: `legatum move status {domain}`",
            )
        case Halt.STOPPED if halted.step:
            screen.verdict(True, f"{domain}: step '{halted.step.id}' is done, as far as was asked", f"`legatum move advance {domain}`")
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
                False, f"{domain}: step '{halted.step.id}' refused: {reason}", remedy or "mend that, then the same command again"
            )
            for reason, _ in halted.reasons[1:]:
                screen.line(f"  also: {reason}", DOUBT)
        case Halt.SHOWN if halted.step:
            screen.untouched(f"{domain}: step '{halted.step.id}' would do this")
        case _ if halted.step:
            screen.declined(f"{domain}: step '{halted.step.id}'")
