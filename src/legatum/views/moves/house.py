"""Every move of the house: for people, programs, a browser, a calendar and a monitoring agent."""

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from datetime import UTC, datetime, timedelta

from legatum.core.calendar.instant import instant_text, parse_instant, people_text
from legatum.core.moves.standing import TO_DO, Standing, State
from legatum.core.records.name import Name, name_text
from legatum.core.text.printable import clipped
from legatum.views.document import Document, Part
from legatum.views.screen import BAD, DOUBT, GOOD, QUIET, Screen
from legatum.work.fleet.undrawn import Undrawn
from legatum.work.house import House

_DAY, _MOST_SHOWN = 86400, 60
_LONGEST = 70  # letters of a reason in a table
_STYLES = {str(State.TROUBLE): BAD, str(State.PERSON): DOUBT, str(State.READY): DOUBT, str(State.OVER): GOOD}


class StandingPart(Part):
    """``state``: in trouble, waits for a person, may go on, holds, drafted or complete; ``step``: the next one;
    ``not_before``: until when it holds; ``over``: when all of it is over if every step is done when it is due; ``who``
    was at it last, and when."""

    domain: str
    wish: str
    state: str
    back: bool
    step: str
    title: str
    not_before: str | None
    because: str
    over: str
    done: int
    steps: int
    who: str
    at: str
    trouble: str


class SurveyedPart(Part):
    """The last survey of a domain; ``findings``: slug → severity."""

    domain: str
    at: str
    findings: dict[str, str]
    signed_until: str | None


class HouseDocument(Document, tag="legatum.house/1"):
    """Every move, what waits for a person first; ``today``: domains whose hold, or whole move, ends within a day;
    ``broken``: move files that cannot be read, and why; ``undrawn``: domains of fleet moves for which no move could be
    drawn, and why; ``paused``: fleet moves that are, by the names of their lists."""

    at: str
    moves: list[StandingPart]
    counts: dict[str, int]
    today: list[str]
    broken: dict[str, str]
    surveys: list[SurveyedPart]
    undrawn: dict[str, str] = {}
    paused: list[str] = []

    @property
    def needs_somebody(self) -> bool:
        """Something is wrong that goes not away by waiting."""
        return bool(self.broken or self.undrawn) or any(each.state == str(State.TROUBLE) for each in self.moves)


def house_document(house: House, every: bool, undrawn: Mapping[Name, Undrawn], paused: Sequence[str]) -> HouseDocument:
    """``every``: complete moves too."""
    shown = [each for each in house.standings if every or each.state != State.OVER]
    return HouseDocument(
        at=instant_text(house.at),
        moves=[_standing(each) for each in shown],
        counts=dict(Counter(str(each.state) for each in house.standings)),
        today=[name_text(each.domain) for each in shown if _ends_today(each, house.at)],
        broken=dict(house.broken),
        surveys=[
            SurveyedPart(
                domain=name_text(each.domain),
                at=instant_text(each.at),
                findings=dict(each.findings),
                signed_until=instant_text(each.signed_until) if each.signed_until is not None else None,
            )
            for each in house.surveys
        ],
        undrawn={name_text(domain): _in_words(each) for domain, each in undrawn.items()},
        paused=list(paused),
    )


def _in_words(each: Undrawn) -> str:
    return f"no move could be drawn: {each.why}" + (f"{TO_DO}{each.remedy}" if each.remedy else "")


def _standing(each: Standing) -> StandingPart:
    return StandingPart(
        domain=name_text(each.domain),
        wish=each.wish,
        state=str(each.state),
        back=each.back,
        step=each.step,
        title=each.title,
        not_before=instant_text(each.not_before) if each.not_before is not None else None,
        because=each.because,
        over=instant_text(each.ends),
        done=each.done,
        steps=each.steps,
        who=each.who,
        at=instant_text(each.at),
        trouble=each.trouble,
    )


def _ends_today(each: Standing, now: float) -> bool:
    ends = each.not_before if each.not_before is not None else each.ends
    return each.state not in (State.OVER, State.DRAFTED) and now <= ends < now + _DAY


def show_house(document: HouseDocument, screen: Screen, whole: bool = False) -> None:
    """``whole``: every move, however many."""
    now = parse_instant(document.at)
    pressing = [
        each for each in document.moves if each.state in (str(State.TROUBLE), str(State.PERSON), str(State.READY))
    ]
    counted = ", ".join(
        f"{count} {state}" for state, count in sorted(document.counts.items(), key=lambda each: _rank(each[0]))
    )
    screen.verdict(not document.needs_somebody, f"moves: {counted or 'none'}", _next(document, pressing))
    if document.broken or document.undrawn or document.paused:
        screen.line()
    for file, why in document.broken.items():
        screen.line(f"{file}: {why}", BAD)
    for domain, why in list(document.undrawn.items())[: None if whole else _MOST_SHOWN]:
        screen.line(f"{domain}: {why}", BAD, indent=4)
    if document.paused:
        screen.line(
            f"paused: the fleet moves of {', '.join(document.paused)}; their command with --resume goes on", DOUBT
        )
    if document.moves:
        screen.line()
        groups = [[each] for each in document.moves] if whole else _alike(document.moves)
        shown = groups if whole else groups[:_MOST_SHOWN]
        rows, styles = [_row(each, now, whole) for each in shown], [_STYLES.get(each[0].state, "") for each in shown]
        screen.table(("domain", "", "done", "next step", "not before", "last at it", "because"), rows, styles)
        if shown != groups or len(groups) < len(document.moves):
            left = sum(len(each) for each in groups[len(shown) :])
            screen.line(f"{f'and {left} more; ' if left else ''}-v shows each of them", QUIET)
    if document.today:
        screen.line()
        screen.line(
            "Within a day a hold or a move ends of: "
            f"{', '.join(document.today[:12])}{' …' if len(document.today) > 12 else ''}"
        )
    if document.surveys:
        screen.line()
        errors = sum("error" in each.findings.values() for each in document.surveys)
        oldest = min(parse_instant(each.at) for each in document.surveys)
        count = len(document.surveys)
        told = f"{count} domain{'' if count == 1 else 's'} surveyed, {errors} with errors"
        screen.line(f"{told}; the oldest survey is of {people_text(oldest, now)}", QUIET)


def _alike(moves: Sequence[StandingPart]) -> list[list[StandingPart]]:
    """Those that stand at the same step, to the minute, with the same behind them: of many that go together one line is
    enough."""
    found: dict[tuple[object, ...], list[StandingPart]] = {}
    for each in moves:
        until = (each.not_before or "")[:16]
        reason = each.trouble.replace(each.domain, "") if each.trouble else ""
        found.setdefault((each.state, each.back, each.title, each.done, until, reason, each.who), []).append(each)
    return list(found.values())


def _row(group: Sequence[StandingPart], now: float, whole: bool) -> tuple[str, ...]:
    """Cells of at most three lines on a usual terminal, but for ``whole``."""
    each = group[0]
    longest = 10_000 if whole else _LONGEST
    state = f"{each.state} (back)" if each.back else each.state
    domain = f"{each.domain} and {len(group) - 1} more" if group[1:] else each.domain
    return (
        domain,
        state,
        f"{each.done}/{each.steps}",
        clipped(each.title, longest),
        _when(each, now),
        each.who,
        clipped(each.trouble or each.because, longest),
    )


def _rank(state: str) -> int:
    return [str(each) for each in State].index(state)


def _next(document: HouseDocument, pressing: Sequence[StandingPart]) -> str:
    drafted = [each for each in document.moves if each.state == str(State.DRAFTED) and each.not_before is None]
    if document.undrawn and not pressing:
        return (
            f"mend what keeps {next(iter(document.undrawn))} from being moved; --leave-out of its fleet move "
            "passes it over"
        )
    for first in (*pressing, *drafted):
        _, _, to_do = first.trouble.partition(TO_DO)
        return f"{first.domain}: {f'{to_do}; then ' if to_do else ''}{_on(first)} ({first.title})"
    holding = [each for each in document.moves if each.not_before]
    return f"nothing before {holding[0].not_before} ({holding[0].domain})" if holding else ""


def _on(each: StandingPart) -> str:
    """What goes on with it."""
    return f"`legatum move retreat {each.domain}`" if each.back else f"`legatum move advance {each.domain}`"


def _when(each: StandingPart, now: float) -> str:
    return people_text(parse_instant(each.not_before), now) if each.not_before else "-"


def house_calendar(document: HouseDocument) -> str:
    """Each hold's end, and each step that may be done, as events (RFC 5545)."""
    from icalendar import Calendar, Event

    book = Calendar()
    book.add("prodid", "-//Legatum//house//EN")
    book.add("version", "2.0")
    for each in document.moves:
        if each.state in (str(State.OVER), str(State.DRAFTED)):
            continue
        begins, event = datetime.fromtimestamp(int(parse_instant(each.not_before or document.at)), UTC), Event()
        event.add("uid", f"{each.domain}-{each.step}@legatum")
        event.add("dtstamp", datetime.fromtimestamp(int(parse_instant(document.at)), UTC))
        event.add("dtstart", begins)
        event.add("dtend", begins + timedelta(minutes=15))
        event.add("summary", f"{each.domain}: {each.title}")
        event.add("description", f"{each.trouble or each.because}\n{_on(each)}")
        book.add_component(event)
    return str(book.to_ical().decode())


def house_metrics(document: HouseDocument) -> bytes:
    """For a monitoring agent, in OpenMetrics text."""
    from prometheus_client import CollectorRegistry, Gauge
    from prometheus_client.openmetrics.exposition import generate_latest

    registry, now = CollectorRegistry(), parse_instant(document.at)

    def gauge(name: str, text: str, values: Iterable[tuple[Sequence[str], float]], *labels: str) -> None:
        made = Gauge(f"legatum_{name}", text, labels, registry=registry)
        for key, value in values:
            (made.labels(*key) if labels else made).set(value)

    waiting = (str(State.TROUBLE), str(State.PERSON), str(State.READY))
    counted = Counter((slug, severity) for each in document.surveys for slug, severity in each.findings.items())
    gauge(
        "moves",
        "Moves of the house by state",
        [([str(state)], document.counts.get(str(state), 0)) for state in State],
        "state",
    )
    holds = [([each.domain], parse_instant(each.not_before)) for each in document.moves if each.not_before]
    gauge("hold_ends_timestamp_seconds", "When the hold before a move's next step ends", holds, "domain")
    needing = [
        ([each.domain], float(each.state in waiting)) for each in document.moves if each.domain not in document.undrawn
    ]
    needing += [([domain], 1.0) for domain in document.undrawn]
    gauge("needs_somebody", "1 where a move waits for somebody", needing, "domain")
    found = [(key, float(count)) for key, count in counted.items()]
    gauge("findings", "Domains with a finding in their last survey", found, "slug", "severity")
    days = [
        ([each.domain], (parse_instant(each.signed_until) - now) / _DAY)
        for each in document.surveys
        if each.signed_until
    ]
    gauge("signatures_days_left", "Days until the first of a domain's signatures ends", days, "domain")
    gauge(
        "survey_age_seconds",
        "Age of a domain's last survey",
        [([each.domain], now - parse_instant(each.at)) for each in document.surveys],
        "domain",
    )
    gauge("broken_files", "Move files that cannot be read", [([], float(len(document.broken)))])
    text: bytes = generate_latest(registry)
    return text
