"""A move on paper and in a calendar: Markdown for the customer's ticket, iCalendar for the people who do it."""

from collections.abc import Iterable, Sequence
from datetime import UTC, datetime, timedelta

from legatum.core.calendar.instant import for_people, instant_text, parse_instant
from legatum.core.moves.effects import Delegated
from legatum.core.moves.runbook import Runbook, Slot
from legatum.core.records.name import Name, name_text
from legatum.views.look.timetable import EventPart


def markdown(runbook: Runbook, slots: Sequence[Slot]) -> str:
    """The whole runbook; text that could mean something in Markdown is escaped."""
    delegations = [each for step in runbook.steps for each in step.effects if isinstance(each, Delegated)]
    lines = [
        f"# {_escaped(name_text(runbook.domain))}: {_escaped(runbook.wish)}",
        "",
        f"Drafted {instant_text(runbook.drafted)}. Times are UTC; those of steps to come are expected, holds "
        "are computed.",
        "",
        *(f"- NS set: {_escaped(_listed(each.before))} → {_escaped(_listed(each.after))}" for each in delegations),
        "",
        "| | step | when | what proves it | way back |",
        "| --- | --- | --- | --- | --- |",
    ]
    for number, each in enumerate(slots, 1):
        step, outcome = each.step, each.outcome
        when = f"done {instant_text(outcome.all)}" if outcome else instant_text(each.expected)
        proof = outcome.summary if outcome else step.proof
        lines.append(
            f"| {number} | {_escaped(step.title)} | {when} | {_escaped(proof)} | "
            f"{_escaped(step.way_back if step.changes else '')} |"
        )
    holds = [each for each in slots if each.holds]
    if holds:
        lines += ["", "## Holds", ""]
        lines += [
            f"- before *{_escaped(each.step.title)}*: not before {instant_text(each.bound.instant)}, because "
            f"{_escaped(each.bound.reason)}"
            for each in holds
            if each.bound
        ]
    return for_people("\n".join(lines) + "\n")


def _listed(names: Sequence[Name]) -> str:
    return ", ".join(map(name_text, names)) or "none"


def _escaped(text: object) -> str:
    return "".join(f"\\{each}" if each in "\\`*_[]<>|#" else each for each in str(text))


def switch_calendar(schedules: Iterable[tuple[str, Sequence[EventPart]]], now: float) -> str:
    """What is to be done for switches of domains, as events (RFC 5545)."""
    from icalendar import Calendar, Event

    book = Calendar()
    book.add("prodid", "-//Legatum//timetable//EN")
    book.add("version", "2.0")
    for domain, events in schedules:
        for number, each in enumerate(each for each in events if each.todo):
            at, event = datetime.fromtimestamp(int(parse_instant(each.at)), UTC), Event()
            event.add("uid", f"{domain}-{number}-{int(at.timestamp())}@legatum")
            event.add("dtstamp", datetime.fromtimestamp(int(now), UTC))
            event.add("dtstart", at)
            event.add("dtend", at + timedelta(minutes=15))
            event.add("summary", f"{domain}: {each.what}")
            book.add_component(event)
    return str(book.to_ical().decode())


def calendar(runbook: Runbook, slots: Sequence[Slot], now: float) -> str:
    """Each hold's end and each step that somebody has to begin as an event (RFC 5545)."""
    from icalendar import Calendar, Event

    book = Calendar()
    book.add("prodid", "-//Legatum//move//EN")
    book.add("version", "2.0")
    domain = name_text(runbook.domain)
    for each in slots:
        if each.outcome is not None or (not each.holds and not each.step.changes):
            continue
        event = Event()
        ends = each.holds
        event.add("uid", f"{runbook.id}-{each.step.id}@legatum")
        event.add("dtstamp", datetime.fromtimestamp(int(now), UTC))
        event.add("dtstart", datetime.fromtimestamp(int(each.expected), UTC))
        event.add("dtend", datetime.fromtimestamp(int(each.expected), UTC) + timedelta(minutes=15))
        event.add(
            "summary", f"{domain}: hold ends, then: {each.step.title}" if ends else f"{domain}: {each.step.title}"
        )
        reason = (
            f"Not before {instant_text(each.bound.instant)}: {each.bound.reason}\n" if each.bound and each.holds else ""
        )
        its_verb = "retreat" if runbook.retreating else "advance"
        event.add("description", f"{reason}`legatum move {its_verb} {domain}`\nWay back: {each.step.way_back}")
        book.add_component(event)
    return str(book.to_ical().decode())
