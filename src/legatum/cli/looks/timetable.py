"""``legatum timetable DOMAIN``"""

import argparse
from pathlib import Path
from typing import TYPE_CHECKING, Any

from legatum.cli.moves.moving import drafted, present
from legatum.cli.moves.wishes import add_windows
from legatum.cli.program.common import FOUND, OK, add_common, keep_apart, note, picture_file, show, with_outside
from legatum.cli.program.parser import number

if TYPE_CHECKING:
    from collections.abc import Sequence
    from zoneinfo import ZoneInfo

    from legatum.core.calendar.window import Windows
    from legatum.core.records.name import Name
    from legatum.core.timetable.cost import Demand
    from legatum.core.timetable.question import PlannedChange
    from legatum.core.timetable.subject import Subject
    from legatum.core.timetable.switch import Wish
    from legatum.net.keeping.captured import Captured
    from legatum.settings.document import House
    from legatum.views.look.timetable import CostPart, SoaPart, TimetableDocument
    from legatum.work.run_context import RunContext
    from legatum.work.timetable.look import Looked

_FARTHEST = 100 * 366 * 86400  # seconds
_SET = "write --change 'NAME TYPE', such as 'www A'"


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("domain", metavar="DOMAIN")
    about = parser.add_argument_group("of what (default: all that visitors are led by)")
    about.add_argument("--change", metavar="'NAME TYPE'", action="append", default=[], help="one RRset that changes")
    about.add_argument("--add", metavar="NAME", help="a name that is not there yet")
    about.add_argument("--remove", metavar="NAME", help="a name that is taken away")
    about.add_argument("--part", metavar="NAME", help="a part that is handed on to other servers")
    about.add_argument(
        "--soa", action="store_true", help="what the timers and the serial of the SOA record mean, and what is odd"
    )
    when = parser.add_argument_group("when")
    when.add_argument(
        "--switch", metavar="INSTANT", help="a change then: '2031-03-04 22:00', 'Saturday 22:00', 'in 3d'"
    )
    add_windows(when)
    when.add_argument("--low-ttl", metavar="DURATION", help="the TTL that is lowered to (default: the house's)")
    when.add_argument(
        "--publishing", default="1h", metavar="DURATION", help="how long the registry may take (default 1h)"
    )
    cost = parser.add_argument_group("what it costs")
    cost.add_argument("--asked-every", metavar="DURATION", help="how often one resolver is asked for each name")
    cost.add_argument(
        "--resolvers",
        type=number(1, 10**9),
        default=1000,
        metavar="N",
        help="with --asked-every: how many there are (default 1000)",
    )
    cost.add_argument("--capture", metavar="FILE", help="instead: counted in a capture (pcap) of one server's traffic")
    cost.add_argument("--picture", metavar="FILE", help="draw what TTLs cost and gain: .png, .svg or .pdf")
    made = parser.add_argument_group("what becomes of it")
    made.add_argument(
        "--draft", action="store_true", help="draft the move that lowers the TTLs, or with --soa mends the timers"
    )
    made.add_argument(
        "--from", dest="old", metavar="PROVIDER", default="", help="with --draft: where the zone is changed"
    )
    made.add_argument("--force", action="store_true", help="with --draft: in the place of a move that is there")
    made.add_argument("--calendar", metavar="FILE", help="with --switch: what is to be done, as iCalendar")
    add_common(parser)


def run(args: argparse.Namespace) -> int:
    from legatum.core.running.fault import BadInput

    keep_apart({"the capture": args.capture}, {"--picture": args.picture, "--calendar": args.calendar})
    if args.calendar and not args.switch:
        raise BadInput("--calendar is of a switch", "say when: --switch INSTANT")
    if args.draft and not (args.switch or args.soa):
        raise BadInput(
            "--draft lowers TTLs for a switch, or mends an SOA record", "say which: --switch INSTANT, or --soa"
        )
    if args.picture and not (args.asked_every or args.capture):
        raise BadInput(
            "--picture draws what TTLs cost",
            "say how often names are asked for: --asked-every DURATION, or --capture FILE",
        )
    if args.picture:
        picture_file(args.picture)
    if args.asked_every and args.capture:
        raise BadInput("--asked-every and --capture", "how often is supposed, or counted: choose one of them")

    async def work(context: "RunContext") -> int:
        return await _told(args, context)

    return with_outside(args, work)


async def _told(args: argparse.Namespace, context: "RunContext") -> int:
    from legatum.core.calendar.duration import parse_duration
    from legatum.core.calendar.instant import instant_text
    from legatum.core.records.name import name_text, parse_domain
    from legatum.core.timetable.aging import all_aged, decisive
    from legatum.views.look.timetable import TimetableDocument, row_part, show_timetable, switch_part
    from legatum.work.timetable.look import look

    domain, house = parse_domain(args.domain), context.settings.house
    change, publishing = _change(args, domain), parse_duration(args.publishing)
    windows, captured = windows_of(args, house), _captured(args, domain)
    started = context.clock.now()
    at = moment_of(args.switch, started, windows.zone) if args.switch else None
    note(args, "asking every server …")
    looked = await look(context, domain, change)
    now, matters = context.clock.now(), looked.matters
    found = all_aged(matters, now, publishing, context.caution)
    last = decisive(found)
    wish = _wish(args, context, looked, at, publishing) if at is not None else None
    document = TimetableDocument(
        domain=name_text(domain),
        at=instant_text(now),
        change=change.text,
        gone=instant_text(last.until),
        decides=last.matter.text,
        rows=[row_part(each, wanted_ttl(house, each.matter)) for each in found],
        assumed=_assumed(args, context, looked),
        not_looked_at=list(looked.not_looked_at),
        switch=switch_part(wish, windows) if wish is not None else None,
        costs=_costs(args, house, matters, captured),
        soa=_soa(house, looked, captured, now) if args.soa else None,
    )
    if args.picture:
        from legatum.net.file import unwritable
        from legatum.views.look.cost_picture import draw_costs

        try:
            draw_costs(document, picture_file(args.picture), _demands(args, matters, captured))
        except OSError as error:
            raise unwritable(Path(args.picture), error) from None
        note(args, f"picture: {args.picture}")
    if args.calendar and document.switch is not None:
        from legatum.net.file import write_whole
        from legatum.views.look.schedule import switch_calendar

        write_whole(Path(args.calendar), switch_calendar([(document.domain, document.switch.schedule)], now).encode())
        note(args, f"calendar: {args.calendar}")
    if args.draft:
        return await _draft(args, context, domain, document, wish)
    show(args, document, lambda screen: show_timetable(document, now, screen, bool(args.verbose)))
    return FOUND if document.switch is not None and (document.switch.late or not document.switch.fits) else OK


def windows_of(args: argparse.Namespace, house: "House") -> "Windows":
    """Those of the command line instead of the house's. Raises :class:`BadInput`."""
    from legatum.core.calendar.window import parse_windows
    from legatum.core.calendar.zone import parse_zone

    windows, quiet = tuple(args.window or house.windows), tuple(args.quiet_time or house.quiet)
    return parse_windows(windows, quiet, parse_zone(args.time_zone or house.time_zone))


def moment_of(text: str, now: float, zone: "ZoneInfo") -> float:
    """Of a switch. Raises :class:`BadInput` for one that has passed, or that nobody can mean."""
    from legatum.core.calendar.instant import instant_text
    from legatum.core.calendar.moment import parse_moment
    from legatum.core.running.fault import BadInput

    at = parse_moment(text, now, zone)
    if at > now + _FARTHEST:
        raise BadInput(f"--switch {text} is more than 100 years away", "give an instant that is nearer")
    if at <= now:
        raise BadInput(f"--switch {text}: {instant_text(at)} has passed", "give an instant that is still to come")
    return at


def _change(args: argparse.Namespace, domain: "Name") -> "PlannedChange":
    from legatum.cli.moves.wishes import one_set
    from legatum.core.records.name import typed_name
    from legatum.core.timetable.question import PlannedChange

    added, removed, part = (typed_name(text, domain) if text else None for text in (args.add, args.remove, args.part))
    return PlannedChange(tuple(one_set(each, domain, _SET) for each in args.change), added, removed, part)


def _wish(args: argparse.Namespace, context: "RunContext", looked: "Looked", at: float, publishing: int) -> "Wish":
    from legatum.core.calendar.duration import parse_duration
    from legatum.core.timetable.switch import wished

    low = parse_duration(args.low_ttl or context.settings.house.low_ttl)
    return wished(looked.matters, at, low, context.clock.now(), publishing, context.caution)


def wanted_ttl(house: "House", matter: "Subject") -> int | None:
    """What the house wants the TTL to be, of what it can set."""
    from legatum.core.calendar.duration import parse_duration
    from legatum.core.records.rrtype import NS, type_text

    if not matter.ours:
        return None
    text = house.ns_ttl if matter.rtype == NS else house.ttls.get(type_text(matter.rtype), "")
    return parse_duration(text) if text else None


def _assumed(args: argparse.Namespace, context: "RunContext", looked: "Looked") -> list[str]:
    from legatum.core.calendar.duration import rough_text

    caution, timers = context.caution, looked.observation.soa
    said = ["a change reaches every server within seconds, as NOTIFY brings it"]
    if timers is not None:
        said[0] += f"; a secondary that misses that is up to {rough_text(timers.refresh + timers.retry)} behind"
    said.append(
        f"resolvers may keep an answer {rough_text(caution.floor)} even where its TTL is shorter; a question "
        "takes at most "
        f"{caution.time_out} s; margin {caution.margin} s"
    )
    if any(view.answered for view in looked.observation.parents):
        said.append(f"the registry publishes a change within {args.publishing} (--publishing)")
    silent = sorted({address for each in looked.matters for address in each.silent})
    if silent:
        said.append(
            f"{', '.join(silent)} did not answer for it, and gives nothing with a longer TTL than the others do"
        )
    return said


def _captured(args: argparse.Namespace, domain: "Name") -> "Captured | None":
    if not args.capture:
        return None
    from legatum.net.keeping.captured import read_capture

    found = read_capture(Path(args.capture), domain)
    inside = sum(each.total for each in found.asked.values())
    note(
        args,
        f"{args.capture}: {found.packets} packets, {inside} questions for names in the domain, "
        f"{found.elsewhere} for others" + ("; the file ends in the middle of a packet" if found.cut else ""),
    )
    return found


def _demands(
    args: argparse.Namespace, matters: "Sequence[Subject]", captured: "Captured | None"
) -> "dict[str, Demand]":
    """RRset → how it is asked for, of those that are the domain's own."""
    from legatum.core.calendar.duration import parse_duration
    from legatum.core.timetable.cost import measured_demand, supposed_demand
    from legatum.core.timetable.subject import Role

    found = {}
    for each in matters:
        if each.role not in (Role.DATA, Role.NS):
            continue
        if args.asked_every:
            found[each.text] = supposed_demand(parse_duration(args.asked_every), args.resolvers)
        elif captured is not None and captured.seconds > 0:
            asked = captured.asked.get((each.name, each.rtype))
            if asked is not None and asked.by:
                found[each.text] = measured_demand(asked.by.values(), captured.seconds, each.ttl)
    return found


def _costs(
    args: argparse.Namespace, house: "House", matters: "Sequence[Subject]", captured: "Captured | None"
) -> "list[CostPart]":
    from legatum.core.calendar.duration import parse_duration
    from legatum.core.running.fault import BadInput
    from legatum.core.timetable.cost import cost_of
    from legatum.views.look.timetable import cost_parts

    if args.asked_every and parse_duration(args.asked_every) == 0:
        raise BadInput("--asked-every 0s", "give the time between two questions, such as 2s or 10m")
    demands, found = _demands(args, matters, captured), []
    for each in matters:
        demand = demands.get(each.text)
        if demand is None:
            continue
        wanted = wanted_ttl(house, each)
        proposed = cost_of(demand, wanted) if wanted is not None and wanted != each.ttl else None
        found += cost_parts(each.text, demand, cost_of(demand, each.ttl), proposed)
    return found


def _soa(house: "House", looked: "Looked", captured: "Captured | None", now: float) -> "SoaPart":
    from legatum.core.calendar.duration import parse_duration
    from legatum.core.records.name import name_text
    from legatum.core.records.soa import mail_address, negative_ttl, parse_soa
    from legatum.core.running.fault import OutsideFault
    from legatum.core.timetable.soa import meanings, oddities, scheme_changes, scheme_of
    from legatum.net.keeping.captured import refreshing
    from legatum.views.look.timetable import SoaTold, soa_part

    soa = next((view.soa for view in looked.observation.serving if view.soa is not None), None)
    if soa is None:
        raise OutsideFault(
            "no server shows the SOA record",
            f"`legatum survey {name_text(looked.observation.domain)}` says what is wrong",
        )
    fields, negative = parse_soa(soa.rdatas[0]), negative_ttl(soa)
    wanted = {str(timer): parse_duration(text) for timer, text in house.soa.items()}
    shown = {
        **fields._asdict(),
        "primary": name_text(fields.primary),
        "mailbox": mail_address(fields.mailbox),
        "ttl": soa.ttl,
        "negative": negative,
    }
    return soa_part(SoaTold(
        shown, list(meanings(fields, negative)), list(oddities(fields, soa.ttl, wanted)), scheme_of(fields.serial, now),
        list(scheme_changes(fields, now)), list(refreshing(captured)) if captured is not None else [],
    ))  # fmt: skip


async def _draft(
    args: argparse.Namespace, context: "RunContext", domain: "Name", document: "TimetableDocument", wish: "Wish | None"
) -> int:
    """The move that lowers what has to be lowered, or mends the timers."""
    from legatum.core.moves.kinds.zone_data import Soa
    from legatum.core.moves.wishes import Wishes
    from legatum.core.running.fault import BadInput

    ttls = (
        {(each.matter.name, each.matter.rtype): each.low for each in wish.lowerings if each.low is not None}
        if wish is not None
        else {}
    )
    proposed: dict[str, Any] = dict(document.soa.proposed) if document.soa is not None else {}
    if not ttls and not proposed:
        raise BadInput("nothing is to be lowered or mended", "without --draft it is told why")
    soa = Soa(**proposed) if proposed else None
    runbook, path = await drafted(args, context, Wishes(domain=domain, old=args.old, ttls=ttls, soa=soa))
    return present(args, context, runbook, path, {})
