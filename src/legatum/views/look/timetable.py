"""A timetable: until when old answers live and why, when to lower TTLs for a switch, what TTLs cost, what SOA timers
mean."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from legatum.core.calendar.duration import duration_text, rough_text
from legatum.core.calendar.instant import beside, instant_text, parse_instant, people_text
from legatum.core.calendar.window import Windows
from legatum.core.records.name import name_text
from legatum.core.records.rrtype import type_text
from legatum.core.timetable.aging import Aged
from legatum.core.timetable.cost import Cost, Demand
from legatum.core.timetable.soa import Oddity, Scheme, SchemeChange
from legatum.core.timetable.subject import AT_PARENT, Role
from legatum.core.timetable.switch import Lowering, Wish
from legatum.views.document import Document, Part
from legatum.views.screen import BAD, DOUBT, QUIET, STRONG, Screen

_REASONS = 6  # that are shown without being asked for


class ServerTtlPart(Part):
    server: str
    ttl: int


class RowPart(Part):
    """One RRset. ``ttl``: the largest in force, by ``servers``; ``until``: when the last old answer is gone, changed
    now; ``wanted``: the house's TTL for that type, None where it has none; ``ours``: set in the domain's own zone."""

    what: str
    role: str
    name: str
    type: str
    ttl: int
    servers: list[ServerTtlPart]
    silent: list[str]
    until: str
    rule: int
    reason: str
    ours: bool
    wanted: int | None = None


class LoweringPart(Part):
    """``by``: the latest instant to lower it to ``low``, None where it is not lowered; ``earliest``: of a change, if it
    is lowered now; ``gone``: when the last old answer is gone, with that, and ``kept`` without it; ``share``: of the
    busy resolvers, how many hold an old answer at the switch that outlives the low TTL, if it is lowered now."""

    what: str
    ttl: int
    low: int | None
    by: str | None
    late: bool
    earliest: str
    gone: str
    kept: str
    share: float


class EventPart(Part):
    """Something to do, or that becomes true."""

    at: str
    what: str
    todo: bool


class SwitchPart(Part):
    """``by``: the latest instant for the first thing to do; ``late``: it has passed; ``earliest``: of a switch with all
    TTLs lowered, in a window; ``window``: in which the wish is, or why in none."""

    at: str
    by: str | None
    late: bool
    earliest: str
    gone: str
    window: str
    fits: bool
    rows: list[LoweringPart]
    schedule: list[EventPart]


class CostPart(Part):
    """Of one RRset at one TTL. ``load``: questions a second; ``shares``: seconds after a change → share still on the
    old answer."""

    what: str
    ttl: int
    proposed: bool
    load: float
    shares: dict[int, float]
    demand: str


class SchemePart(Part):
    name: str
    path: list[int]
    hold: int
    lower: bool


class SoaPart(Part):
    """``meanings``: what the timers come to; ``odd``: what is unusual; ``proposed``: timer → seconds that would not be;
    ``scheme``: how serials are made, ``changes``: the way to others; ``measured``: what secondaries were seen to do."""

    primary: str
    mailbox: str
    serial: int
    refresh: int
    retry: int
    expire: int
    minimum: int
    ttl: int
    negative: int
    meanings: list[str]
    odd: list[str]
    proposed: dict[str, int]
    scheme: str
    following: int
    changes: list[SchemePart]
    measured: list[str] = []


class TimetableDocument(Document, tag="legatum.timetable/1"):
    """``gone``: when the last old answer is gone of all that is in ``rows``, changed now; ``decides``: by which;
    ``assumed``: in words."""

    domain: str
    at: str
    change: str
    gone: str
    decides: str
    rows: list[RowPart]
    assumed: list[str]
    not_looked_at: list[str]
    switch: SwitchPart | None = None
    costs: list[CostPart] = []
    soa: SoaPart | None = None


@dataclass(frozen=True)
class SoaTold:
    """What there is to say of an SOA record. ``fields``: name → value; ``proposed``: from the oddities."""

    fields: Mapping[str, object]
    meanings: Sequence[str]
    odd: Sequence[Oddity]
    scheme: Scheme
    changes: Sequence[SchemeChange]
    measured: Sequence[str]


def row_part(aged: Aged, wanted: int | None) -> RowPart:
    each = aged.matter
    return RowPart(
        what=each.text, role=str(each.role), name=name_text(each.name), type=type_text(each.rtype), ttl=each.ttl,
        servers=[ServerTtlPart(server=server, ttl=ttl) for server, ttl in each.ttls.items()], silent=list(each.silent),
        until=instant_text(aged.until), rule=each.by_rule, reason=aged.reason, ours=each.ours, wanted=wanted,
    )  # fmt: skip


def lowering_part(each: Lowering, wish: Wish) -> LoweringPart:
    return LoweringPart(
        what=each.matter.text,
        ttl=each.matter.ttl,
        low=each.low,
        by=instant_text(each.by) if each.by is not None else None,
        late=each.late(wish.now),
        earliest=instant_text(each.earliest),
        gone=instant_text(each.gone),
        kept=instant_text(each.kept),
        share=round(each.share_at(wish.at, wish.now), 4),
    )


def switch_part(wish: Wish, windows: Windows) -> SwitchPart:
    fits, words = window_of(wish.at, windows)
    return SwitchPart(
        at=instant_text(wish.at), by=instant_text(wish.by) if wish.by is not None else None, late=bool(wish.late),
        earliest=instant_text(earliest_in(wish, windows)), gone=instant_text(wish.gone), window=words, fits=fits,
        rows=[lowering_part(each, wish) for each in wish.lowerings], schedule=schedule_of(wish),
    )  # fmt: skip


def window_of(at: float, windows: Windows) -> tuple[bool, str]:
    """Whether the instant lies in one, and in words."""
    if not windows:
        return True, ""
    found = windows.next(at)
    if found is None:
        return False, f"no window comes within a year: {windows.text}"
    begins, text = found
    if begins <= at:
        return True, f"in the window {text}" if windows.open else "outside the quiet times"
    return False, f"outside the house's {windows.text}; the next one begins at {instant_text(begins)}"


def earliest_in(wish: Wish, windows: Windows) -> float:
    found = windows.next(wish.earliest) if windows else None
    return found[0] if found is not None else wish.earliest


def schedule_of(wish: Wish) -> list[EventPart]:
    """To follow by hand, in order; what is done at one instant to one TTL in one line."""
    groups: dict[tuple[float, str, bool], list[str]] = {(wish.at, "switch{}", True): []}
    for each in wish.lowerings:
        what = each.matter.text
        if each.by is not None and each.low is not None:
            late = each.late(wish.now)
            words = (
                f"lower the TTL of {{}} from {each.matter.ttl} to {each.low}: "
                f"{'at once, it is late' if late else 'at the latest'}"
            )
            groups.setdefault((wish.now if late else each.by, words, True), []).append(what)
            words = f"nobody gives the old {{}} any more; the TTL may be raised to {each.matter.ttl} again"
            groups.setdefault((each.gone, words, True), []).append(what)
        elif each.matter.role in AT_PARENT or each is wish.overlap:
            groups.setdefault(
                (each.gone, "nobody gives the old {} any more: until then the old side stays up", False), []
            ).append(what)
    events = sorted(groups.items(), key=lambda each: each[0][0])
    return [
        EventPart(at=instant_text(at), what=words.format(", ".join(sets)), todo=todo)
        for (at, words, todo), sets in events
    ]


def cost_parts(what: str, demand: Demand, present: Cost, proposed: Cost | None) -> list[CostPart]:
    found = [(present, False)] + ([(proposed, True)] if proposed is not None else [])
    return [
        CostPart(
            what=what,
            ttl=each.ttl,
            proposed=is_new,
            load=round(each.load, 4),
            shares={age: round(share, 4) for age, share in each.shares},
            demand=demand.text,
        )
        for each, is_new in found
    ]


def soa_part(told: SoaTold) -> SoaPart:
    fields: dict[str, Any] = dict(told.fields)
    return SoaPart(
        **fields,
        meanings=list(told.meanings),
        odd=[each.words for each in told.odd],
        proposed={each.timer: each.proposed for each in told.odd},
        scheme=told.scheme.words,
        following=told.scheme.following,
        changes=[
            SchemePart(name=each.name, path=list(each.path), hold=each.hold, lower=each.lower) for each in told.changes
        ],
        measured=list(told.measured),
    )


def show_timetable(document: TimetableDocument, now: float, screen: Screen, whole: bool = False) -> None:
    """``whole``: every reason."""
    if document.switch is not None:
        _show_switch(document, document.switch, now, screen)
    elif document.soa is not None:
        _show_soa_verdict(document, document.soa, screen)
    else:
        _show_now(document, now, screen, None if whole else _REASONS)
    if document.costs:
        _show_costs(document, screen)
    if document.soa is not None:
        _show_soa(document.soa, screen)
    screen.line()
    for each in document.assumed:
        screen.line(f"Assumed: {each}", QUIET, indent=9)
    if document.not_looked_at:
        screen.line(f"Not looked at: {'; '.join(document.not_looked_at)}", QUIET, indent=15)


def _at(text: str, now: float) -> str:
    return people_text(parse_instant(text), now)


def _show_now(document: TimetableDocument, now: float, screen: Screen, most: int | None) -> None:
    changed = "changed now" if document.change == "changed" else f"{document.change} now"
    screen.verdict(
        True,
        f"{document.domain}: {changed}, the last old answer is gone by {_at(document.gone, now)}: {document.decides}",
        (f"for a switch at some time: `legatum timetable {document.domain} --switch INSTANT`"),
    )
    screen.line()
    rows, styles = [], []
    for each in document.rows:
        servers = sorted({part.ttl for part in each.servers}, reverse=True)
        ttl = f"{each.ttl} ({rough_text(each.ttl)})" + (
            "" if len(servers) == 1 else f"; others {', '.join(map(str, servers[1:]))}"
        )
        rows.append((each.what, ttl, _short(each.until, now), f"{each.rule}", _wanted(each), each.role))
        styles.append(STRONG if each.what == document.decides else DOUBT if len(servers) > 1 or each.silent else "")
    screen.table(("what", "TTL in force", "changed now, gone by", "rule", "the house wants", "which is"), rows, styles)
    screen.heading("Why")
    foreign = [each for each in document.rows if each.role == Role.HOST and not each.ours]
    for each in [*(row for row in document.rows if row not in foreign), *foreign][:most]:
        screen.line(f"{each.what}: {each.reason}", indent=2)
    if most is not None and document.rows[most:]:
        screen.line(f"and {len(document.rows) - most} more, with -v", QUIET)


def _wanted(row: RowPart) -> str:
    if row.wanted is None:
        return ""
    return "just that" if row.wanted == row.ttl else f"{row.wanted} ({rough_text(row.wanted)})"


def _stamp(text: str) -> str:
    return text.replace("T", " ").replace("Z", " UTC")


def _short(text: str, now: float) -> str:
    return f"{_stamp(text)} ({beside(parse_instant(text), now)})"


def _show_switch(document: TimetableDocument, switch: SwitchPart, now: float, screen: Screen) -> None:
    wish, gone = _at(switch.at, now), f"the last old answer is gone by {_at(switch.gone, now)}"
    if switch.late:
        earliest = f"the earliest with all lowered is {_at(switch.earliest, now)}"
        text = f"{document.domain}: too late to lower every TTL for a switch at {wish}; {earliest}"
        following = f"lower now and switch then; keeping the wish, some see the old side until {_at(switch.gone, now)}"
    elif switch.by is None:
        text, following = f"{document.domain}: for a switch at {wish} no TTL has to be lowered; {gone}", ""
    else:
        text = f"{document.domain}: for a switch at {wish} lower TTLs by {_at(switch.by, now)}; {gone}"
        following = "the same with --draft makes the move that lowers them"
    if not switch.fits:
        following = switch.window
    screen.verdict(not switch.late and switch.fits, text, following)
    if switch.window and switch.fits:
        screen.line(f"The switch is {switch.window}.", QUIET)
    screen.heading("What to do, and when")
    rows = [(_short(each.at, now), each.what) for each in switch.schedule]
    screen.table(
        ("when", "what"),
        rows,
        [STRONG if each.what == "switch" else "" if each.todo else QUIET for each in switch.schedule],
    )
    screen.heading("Each RRset")
    costs = any(each.late for each in switch.rows)
    told = []
    for each in switch.rows:
        lower = "stays" if each.low is None else f"{each.ttl} → {each.low}"
        cost = f"{each.share * 100:.0f} % of busy resolvers keep the old answer past the low TTL" if each.late else ""
        cells = (each.what, lower, _stamp(each.by) if each.by else "", _stamp(each.gone), _stamp(each.kept))
        told.append((*cells, cost) if costs else cells)
    columns = ("what", "TTL", "lower by", "old answers gone by", "with nothing lowered")
    screen.table(
        (*columns, "if lowered only now") if costs else columns,
        told,
        [BAD if each.late else "" for each in switch.rows],
    )


def _show_costs(document: TimetableDocument, screen: Screen) -> None:
    screen.heading("What TTLs cost, and gain")
    ages = list(document.costs[0].shares)
    rows = [
        (each.what, f"{each.ttl} ({rough_text(each.ttl)})", "proposed" if each.proposed else "now", f"{each.load:.3g}",
         *(f"{each.shares[age] * 100:.0f} %" for age in ages), each.demand)
        for each in document.costs
    ]  # fmt: skip
    screen.table(
        ("what", "TTL", "", "questions a second", *(f"old after {rough_text(age)}" for age in ages), "asked by"), rows
    )


def _show_soa_verdict(document: TimetableDocument, soa: SoaPart, screen: Screen) -> None:
    count = len(soa.odd)
    said = (
        "every timer of the SOA record is as usual"
        if not count
        else f"{count} of the SOA record's timers {'is' if count == 1 else 'are'} odd"
    )
    wishes = " ".join(f"--soa {name}={value}" for name, value in soa.proposed.items())
    screen.verdict(
        not count,
        f"{document.domain}: {said}; serials: {soa.scheme}",
        f"`legatum move draft {document.domain} {wishes}` plans to make them so" if count else "",
    )


def _show_soa(soa: SoaPart, screen: Screen) -> None:
    screen.heading("What the SOA record means here")
    screen.pairs(
        [
            ("primary", soa.primary),
            ("mailbox", soa.mailbox),
            ("serial", f"{soa.serial}: {soa.scheme}; the next one is {soa.following}"),
            ("REFRESH", f"{soa.refresh} ({duration_text(soa.refresh)})"),
            ("RETRY", f"{soa.retry} ({duration_text(soa.retry)})"),
            ("EXPIRE", f"{soa.expire} ({duration_text(soa.expire)})"),
            ("MINIMUM", f"{soa.minimum} ({duration_text(soa.minimum)}); TTL of the record {soa.ttl}"),
        ]
    )
    for each in soa.meanings:
        screen.line(f"- {each}", indent=2)
    for each in soa.odd:
        screen.line(f"- odd: {each}", DOUBT, indent=2)
    for each in soa.measured:
        screen.line(f"- seen: {each}", indent=2)
    screen.heading("Serials made another way (rule 11)")
    rows = [
        (each.name, " → ".join(map(str, each.path)), f"{len(each.path)}, each on every server before the next",
         f"{rough_text(each.hold)} each without NOTIFY", "down" if each.lower else "up")
        for each in soa.changes
    ]  # fmt: skip
    screen.table(("scheme", "serials", "steps", "hold", "the number goes"), rows)
    screen.line("`legatum move draft DOMAIN --soa serial=NUMBER` plans the way to the last of them.", QUIET)
