"""Many domains: a line for each as it comes, a table row, or JSON; in the end a summary by finding."""

import csv
import io
from collections.abc import Iterable

import msgspec
from msgspec import structs

from legatum.core.calendar.duration import rough_text
from legatum.core.calendar.instant import instant_text, parse_instant
from legatum.core.calendar.window import Windows
from legatum.core.findings import KINDS, Severity
from legatum.core.observation.own_link import own_link
from legatum.core.records.name import name_text
from legatum.core.records.soa import parse_soa
from legatum.core.text.printable import cell_text, clean
from legatum.core.timetable.switch import Wish
from legatum.views.document import Document, Part
from legatum.views.look.confirm import verdict_lines
from legatum.views.screen import BAD, DOUBT, GOOD, QUIET, Screen
from legatum.work.fleet.looks import Result

HEALTHY, FAILED, CONFIRMED, PENDING, DIFFERS = "healthy", "failed", "confirmed", "pending", "differs"
LATE, IN_TIME = "late", "in time"
_ORDER = ["error", FAILED, DIFFERS, LATE, "warning", PENDING, "notice", CONFIRMED, IN_TIME, HEALTHY]
_STYLES = {
    "error": BAD,
    FAILED: BAD,
    DIFFERS: BAD,
    LATE: BAD,
    "warning": DOUBT,
    PENDING: DOUBT,
    "notice": "",
    CONFIRMED: GOOD,
    IN_TIME: GOOD,
    HEALTHY: GOOD,
}
_SHOWN = 20  # of those that are sorted by urgency
CONFIRM_LEAVES_OUT = (
    "all but one address of the parent zone and of each name server, glue, versions, what visitors come for, "
    "keys and signatures, "
    "resolvers, the registration: `legatum confirm DOMAIN` looks at them"
)
BRIEF_LEAVES_OUT = (
    "all but one address of the parent zone, TCP and transfers, CDS, the mail servers' own names, whether "
    "servers with one serial give the "
    "same, names other than the domain itself and www, resolvers, the registration: `legatum survey DOMAIN` "
    "looks at them"
)
FULL_LEAVES_OUT = "resolvers and the registration: `legatum survey DOMAIN` looks at them"
SIGNED_LEAVES_OUT = (
    "the chain above each domain's parent (`legatum ds show DOMAIN` does), TCP and transfers, CDS, all names "
    "but the domain itself, "
    "its visitors' too, whether servers with one serial give the same, resolvers, the registration: `legatum "
    "survey DOMAIN` looks at them"
)
TIMETABLE_LEAVES_OUT = (
    "all but one address of the parent zone and of each name server, names other than the domain itself, its "
    "mail and www, addresses of "
    "name servers: `legatum timetable DOMAIN` looks at them"
)
LEFT_OUT = {
    "brief": BRIEF_LEAVES_OUT, "full": FULL_LEAVES_OUT, "signed": SIGNED_LEAVES_OUT, "confirm": CONFIRM_LEAVES_OUT,
    "timetable": TIMETABLE_LEAVES_OUT,
}  # fmt: skip
"""By what is done, or how deep: what the results do not speak of."""
COLUMNS = (
    "domain", "standing", "findings", "verdict", "ns", "serials", "ds", "questions", "milliseconds", "at",
    "signing", "keys", "signed_until", "lower_by", "earliest", "gone", "decides",
)  # fmt: skip


class FoundPart(Part):
    slug: str
    severity: str
    seen: list[str]


class FleetLine(Document, tag="legatum.fleet-line/1"):
    """One domain. ``standing``: healthy or the worst severity; confirmed, pending or differs; failed.

    ``signing``: the state of its own link of the chain of trust, empty where that was not looked at; ``keys``: labels
    of those that sign; ``signed_until``: when the first of the signatures that hold runs out. Of a switch: ``late`` or
    ``in time``; ``lower_by``: the latest instant to lower the first TTL, None where none has to be; ``earliest``: of a
    switch with all lowered; ``gone``: when the last old answer is gone; ``decides``: which TTL comes first.
    """

    domain: str
    standing: str
    verdict: str
    findings: list[FoundPart]
    ns: list[str]
    serials: list[int]
    ds: int
    questions: int
    milliseconds: float
    at: str | None
    signing: str = ""
    keys: list[str] = []
    signed_until: str | None = None
    lower_by: str | None = None
    earliest: str | None = None
    gone: str | None = None
    decides: str = ""


class UrgentPart(Part):
    """Of the domains to switch, one of those whose TTLs have to be lowered first."""

    domain: str
    lower_by: str
    earliest: str


class SummaryPart(Part):
    slug: str
    severity: str
    title: str
    count: int
    domains: list[str]


class FleetDocument(Document, tag="legatum.fleet/1"):
    """The summary: ``standings`` counts domains by standing, ``findings`` tells which domains show which finding, worst
    first.

    ``slowed``: servers that were asked more slowly than set, with questions a second; ``not_looked_at``: what *healthy*
    and *confirmed* do not speak of in a list; ``signing``: domains by the state of their own link, where that was
    looked at; ``first_to_run_out``: whose signatures do first, and when; ``urgent``: those whose TTLs have to be
    lowered, the first one first; ``together``: the earliest switch of all at once, in a window.
    """

    domains: int
    standings: dict[str, int]
    findings: list[SummaryPart]
    failed: dict[str, str]
    questions: int
    seconds: float
    slowed: dict[str, float]
    not_looked_at: str = ""
    signing: dict[str, int] = {}
    first_to_run_out: str = ""
    urgent: list[UrgentPart] = []
    together: str | None = None


def failed_line(name: str, why: str, took: float = 0.0) -> FleetLine:
    """Nothing can be said of it."""
    return FleetLine(
        domain=clean(name), standing=FAILED, verdict=why, findings=[], ns=[], serials=[], ds=0, questions=0,
        milliseconds=round(took * 1000, 1), at=None,
    )  # fmt: skip


def fleet_line(result: Result, signing: bool = False) -> FleetLine:
    """``signing``: with the state of that, of a picture that has it."""
    name, observation = name_text(result.domain), result.observation
    if observation is None:
        return failed_line(name, result.failed, result.took)
    found = [
        FoundPart(slug=each.kind.slug, severity=str(each.kind.severity), seen=[one.seen for one in each.sightings[:3]])
        for each in result.findings
    ]
    if result.verdict is not None:
        standing = (
            CONFIRMED
            if result.verdict.confirmed
            else DIFFERS
            if result.verdict.faults or not result.verdict.checks
            else PENDING
        )
        verdict = verdict_lines(result.verdict)[0].removeprefix(f"{name}: ")
    else:
        standing = found[0].severity if found else HEALTHY
        serious = [each.kind.title for each in result.findings if each.kind.severity != Severity.NOTICE]
        verdict = "; ".join(serious)
    link = own_link(observation) if signing else None
    labels = (
        sorted(
            {
                label
                for each in link.servers
                if each.given.keys
                for label in (*each.given.keys.entry, *each.given.keys.zone)
            }
        )
        if link
        else []
    )
    return FleetLine(
        signing=link.state if link else "",
        keys=labels,
        signed_until=instant_text(link.until) if link is not None and link.until is not None else None,
        domain=name,
        standing=standing,
        verdict=verdict,
        findings=found,
        ns=[name_text(each) for each in observation.delegation],
        serials=sorted({parse_soa(view.soa.rdatas[0]).serial for view in observation.serving if view.soa}),
        ds=len(observation.ds),
        questions=observation.questions,
        milliseconds=round(result.took * 1000, 1),
        at=instant_text(observation.at),
    )


def switch_line(result: Result, wish: Wish | None) -> FleetLine:
    """``wish``: what the switch comes to for it; None where nothing can be said."""
    line = fleet_line(result)
    if wish is None:
        return (
            line
            if line.standing == FAILED
            else failed_line(line.domain, "no server answers for it: no TTL is to be seen", result.took)
        )
    first = next((each for each in wish.lowerings if each.by is not None), None)
    standing, verdict = (
        (LATE, "too late to lower every TTL")
        if wish.late
        else (IN_TIME, "no TTL has to be lowered" if first is None else "")
    )
    return structs.replace(
        line,
        standing=standing,
        verdict=verdict,
        findings=[],
        lower_by=instant_text(wish.by) if wish.by is not None else None,
        earliest=instant_text(wish.earliest),
        gone=instant_text(wish.gone),
        decides=first.matter.text if first is not None else wish.overlap.matter.text,
    )


def json_text(document: Document) -> str:
    return msgspec.json.encode(document).decode()


def json_line(line: Document) -> str:
    return json_text(line) + "\n"


def csv_row(line: FleetLine) -> str:
    """One row. A cell that a spreadsheet would take for a formula gets an apostrophe in front."""
    cells = (
        line.domain,
        line.standing,
        " ".join(each.slug for each in line.findings),
        line.verdict,
        " ".join(line.ns),
        " ".join(map(str, line.serials)),
        line.ds,
        line.questions,
        line.milliseconds,
        line.at or "",
        line.signing,
        " ".join(line.keys),
        line.signed_until or "",
        line.lower_by or "",
        line.earliest or "",
        line.gone or "",
        line.decides,
    )
    return _csv([clean(cell) if not isinstance(cell, int | float) else cell for cell in cells])


def csv_head() -> str:
    return _csv(COLUMNS)


def _csv(cells: Iterable[object]) -> str:
    text = io.StringIO()
    csv.writer(text, lineterminator="\n").writerow(map(cell_text, cells))
    return text.getvalue()


def show_line(line: FleetLine, screen: Screen) -> None:
    """For people: healthy domains in a word, others with what is wrong."""
    told = f"{line.domain}: {line.standing}"
    if line.standing in ("error", "warning", FAILED, DIFFERS, PENDING):
        told += f": {line.verdict}"
    if line.signing:
        until = f", signatures until {line.signed_until}" if line.signed_until else ""
        told += f"; {line.signing}{', keys ' if line.keys else ''}{', '.join(line.keys)}{until}"
    if line.earliest is not None:
        told += f"; lower {line.decides} by {line.lower_by}" if line.lower_by else f": {line.verdict}"
        told += f"; the earliest switch is {line.earliest}" if line.standing == LATE else ""
        told += f"; old answers gone by {line.gone}"
    screen.line(told, _STYLES.get(line.standing, ""), indent=4)


class FleetCounts:
    """Counts as results come, for the summary. Holds names only. ``questions``: all that were asked, about what domains
    share too. ``left_out``: what is not looked at, in words; ``windows``: of the house, where a switch is asked
    about."""

    def __init__(self, left_out: str, windows: Windows | None = None) -> None:
        self.left_out, self._windows = left_out, windows
        self.domains = 0
        self.questions = 0
        self.slowed: dict[str, float] = {}
        self.standings: dict[str, int] = {}
        self.signing: dict[str, int] = {}
        self._runs_out: tuple[str, str] | None = None
        self.failed: dict[str, str] = {}
        self._found: dict[str, list[str]] = {}
        self._urgent: list[tuple[str, str, str]] = []
        self._together = ""

    def add(self, line: FleetLine) -> None:
        self.domains += 1
        self.standings[line.standing] = self.standings.get(line.standing, 0) + 1
        if line.signing:
            self.signing[line.signing] = self.signing.get(line.signing, 0) + 1
        if line.signed_until is not None:
            self._runs_out = min(self._runs_out or ("~", ""), (line.signed_until, line.domain))
        if line.earliest is not None:
            self._together = max(self._together, line.earliest)
            if line.lower_by is not None:
                self._urgent.append((line.lower_by, line.domain, line.earliest))
        if line.standing == FAILED:
            self.failed[line.domain] = line.verdict
        for each in line.findings:
            self._found.setdefault(each.slug, []).append(line.domain)

    @property
    def bad(self) -> int:
        """Domains that need somebody."""
        return sum(self.standings.get(each, 0) for each in ("error", FAILED, DIFFERS, LATE))

    def _in_window(self) -> str | None:
        """The earliest switch of all that were seen."""
        if not self._together or not self._windows:
            return self._together or None
        found = self._windows.next(parse_instant(self._together))
        return instant_text(found[0]) if found is not None else None

    def join(self, worker: FleetDocument) -> None:
        """Takes in what one of several processes asked."""
        self.questions += worker.questions
        self.left_out = worker.not_looked_at or self.left_out
        for server, rate in worker.slowed.items():
            self.slowed[server] = self.slowed.get(server, 0) + rate

    def document(self, seconds: float) -> FleetDocument:
        kinds = sorted(
            (KINDS[slug] for slug in self._found if slug in KINDS), key=lambda each: list(Severity).index(each.severity)
        )
        return FleetDocument(
            domains=self.domains,
            standings={each: self.standings[each] for each in _ORDER if each in self.standings},
            findings=[
                SummaryPart(
                    slug=kind.slug,
                    severity=str(kind.severity),
                    title=kind.title,
                    count=len(self._found[kind.slug]),
                    domains=self._found[kind.slug],
                )
                for kind in kinds
            ],
            failed=self.failed,
            questions=self.questions,
            seconds=round(seconds, 3),
            slowed={server: round(rate, 1) for server, rate in self.slowed.items()},
            signing=self.signing,
            urgent=[
                UrgentPart(domain=domain, lower_by=by, earliest=earliest)
                for by, domain, earliest in sorted(self._urgent)
            ],
            together=self._in_window(),
            first_to_run_out=f"{self._runs_out[1]}, {self._runs_out[0]}" if self._runs_out else "",
            not_looked_at=self.left_out if self.standings.keys() - {FAILED} else "",
        )


def show_summary(document: FleetDocument, bad: int, screen: Screen) -> None:
    screen.line()
    counts = ", ".join(f"{count} {standing}" for standing, count in document.standings.items()) or "none"
    first = {each.severity: each.domains[0] for each in reversed(document.findings)}
    worst = first.get("error") or next(iter(document.failed), "") or ("" if bad else first.get("warning", ""))
    following = (
        f"begin with {worst}: `legatum survey {worst}` says what to do"
        if worst
        else "see who differs, and why"
        if bad
        else ""
    )
    if not document.domains:
        following = "give the domains that are meant: none came"
    screen.verdict(not bad, f"{document.domains} domain{'' if document.domains == 1 else 's'}: {counts}", following)
    if document.findings:
        screen.line()
        rows = [(each.severity, each.slug, each.count, _some(each.domains)) for each in document.findings]
        styles = [_STYLES.get(each.severity, "") for each in document.findings]
        screen.table(("severity", "finding", "domains", "which"), rows, styles)
    for domain, why in list(document.failed.items())[:20]:
        screen.line(f"failed: {domain}: {why}", BAD, indent=8)
    if document.together is not None:
        _show_switches(document, screen)
    if document.signing:
        screen.line(
            f"signing: {'; '.join(f'{count} {state}' for state, count in sorted(document.signing.items()))}", indent=9
        )
    if document.first_to_run_out:
        screen.line(f"signatures run out first: {document.first_to_run_out}")
    rate = document.questions / max(document.seconds, 0.001)
    took = f"{document.seconds:.2f} s" if document.seconds < 60 else rough_text(document.seconds)
    screen.line(f"{document.questions} questions in {took}, {rate:,.0f} a second", QUIET)
    if document.not_looked_at:
        screen.line(f"Not looked at: {document.not_looked_at}", QUIET, indent=15)
    for server, pace in document.slowed.items():
        screen.line(f"{server} began to truncate or drop: asked {pace:.0f} times a second at the end", QUIET)


def _show_switches(document: FleetDocument, screen: Screen) -> None:
    screen.line(f"all of them together: not before {document.together}", indent=4)
    if document.urgent:
        screen.heading("Most urgent")
        rows = [(each.lower_by, each.domain, each.earliest) for each in document.urgent[:_SHOWN]]
        screen.table(("lower by", "domain", "the earliest switch"), rows)
    if document.urgent[_SHOWN:]:
        screen.line(f"and {len(document.urgent) - _SHOWN} more, in this order with --json", QUIET)


def _some(domains: list[str]) -> str:
    shown = ", ".join(domains[:5])
    return f"{shown} and {len(domains) - 5} more" if len(domains) > 5 else shown


def progress_text(done: int, total: int | None, rate: float, bad: int, slowed: int) -> str:
    """How far it is, how fast, and how long yet."""
    left = f", {rough_text((total - done) / rate)} left" if total and rate > 0 and total > done else ""
    slow = f", {slowed} servers slowed down" if slowed else ""
    return f"{done}{f' of {total}' if total else ''} domains, {rate:,.0f} a second{left}, {bad} with errors{slow}"
