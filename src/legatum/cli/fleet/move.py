"""``legatum fleet move LIST``: any wish for many domains, in waves."""

import argparse
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

from legatum.cli.fleet.drafting import draft, is_own, members_of, refuse_nothing
from legatum.cli.fleet.table import ADDRESS, read_table, wish_of, with_wish
from legatum.cli.fleet.telling import Telling, tell_all, write_notes
from legatum.cli.moves.moving import write_by_hand
from legatum.cli.moves.wishes import add_wishes, wished
from legatum.cli.program.common import add_changing, add_common, agreed, first_of, note, with_outside
from legatum.cli.program.parser import number

if TYPE_CHECKING:
    from legatum.core.moves.runbook import Runbook, Step
    from legatum.core.records.name import Name
    from legatum.work.fleet.campaign import Campaign
    from legatum.work.fleet.carrying import Carrier
    from legatum.work.fleet.courses import Course
    from legatum.work.moves.advance import AdvanceOptions
    from legatum.work.run_context import RunContext

_TERMS: dict[str, Any] = {"waves": "1,10,rest", "between": "0s", "stop_at": "1", "limit": []}


def configure(actions: "argparse._SubParsersAction[Any]") -> None:
    parser = actions.add_parser(
        "move", help="any wish for many domains, in waves, with a stop when something goes wrong"
    )
    parser.add_argument(
        "list",
        metavar="LIST",
        help="a file with one domain a line, or a CSV table: columns that are called as the options below "
        "say what differs from domain to "
        "domain; `customer` whose it is, `address` the new address of its site",
    )
    parser.add_argument(
        "--column", metavar="NAME", help="the column with the domains, by its heading or its number from 1"
    )
    add_wishes(parser)
    led = parser.add_argument_group("how the waves are led")
    led.add_argument("--waves", metavar="SIZES", help="how many domains are in each wave (default: 1,10,rest)")
    led.add_argument(
        "--between",
        metavar="DURATION",
        help="how long a wave is left alone before the next one is begun (default: not at all)",
    )
    led.add_argument(
        "--stop-at",
        metavar="N",
        help="so many domains of a wave in trouble, or a share such as 5%%, stop everything (default: 1)",
    )
    led.add_argument(
        "--limit",
        metavar="NAME=N",
        action="append",
        help=(
            "so many steps a minute are begun at this provider or registrar (default: changes_a_minute of the settings)"
        ),
    )
    led.add_argument(
        "--side-by-side",
        type=number(1, 1000),
        default=24,
        metavar="N",
        help="domains worked on side by side (default: 24)",
    )
    led.add_argument("--wait", action="store_true", help="stay through holds, and from wave to wave, until all is over")
    led.add_argument(
        "--leave-out", metavar="DOMAIN", action="append", default=[], help="pass this one over from now on"
    )
    led.add_argument(
        "--unproven", action="store_true", help="go on although a rehearsal finds a way in which visitors fail"
    )
    led.add_argument("--any-time", action="store_true", help="outside the house's windows, and in its quiet times, too")
    led.add_argument(
        "--notes",
        metavar="DIR",
        help="a page for the customer of every domain that is complete, a folder for each customer",
    )
    do = parser.add_mutually_exclusive_group()
    do.add_argument("--resume", action="store_true", help="go on with the fleet move of this list")
    do.add_argument("--status", action="store_true", help="only say how far it has come")
    do.add_argument(
        "--pause", action="store_true", help="no step is begun any more, in whichever process, until it is resumed"
    )
    do.add_argument(
        "--take-back",
        type=number(1, 1_000_000),
        metavar="WAVE",
        help="take back what the moves of this wave have done, and pause",
    )
    do.add_argument("--anew", action="store_true", help="draw the waves anew; moves that are under way go on")
    add_changing(parser)
    add_common(parser)


def run(args: argparse.Namespace) -> int:
    from legatum.core.running.fault import BadInput

    if args.notes:
        try:
            Path(args.notes).mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise BadInput(
                f"{args.notes}: {error.strerror}", "give a folder that can be written; nothing was begun"
            ) from None

    async def work(context: "RunContext") -> int:
        from legatum.work.fleet.campaign import campaign_path, paused, read_campaign
        from legatum.work.fleet.courses import courses_of, to_look_at_again

        path = campaign_path(context, args.list)
        begun = args.resume or args.status or args.pause or args.take_back is not None
        if not begun:
            campaign, unused = await _begun(args, context, path)
        else:
            campaign, unused = _with_terms(args, read_campaign(path)), ()
        courses = courses_of(context, campaign, partial(is_own, args, campaign, context))
        if args.resume:
            courses = to_look_at_again(courses)
            _refuse_another_list(args, campaign, courses)
        if args.pause:
            paused(campaign, True, context.journal)
            return tell_all(args, context, campaign, courses, "it was paused")
        if args.status:
            try:
                _refuse_another_list(args, campaign, courses)
            except BadInput as fault:
                note(args, fault.message)
            return tell_all(args, context, campaign, courses, "it was paused" if campaign.paused else "")
        if args.dry_run and args.take_back is None:
            return await _shown(args, context, campaign, courses, unused)
        return await _led(args, context, campaign, courses, unused)

    return with_outside(args, work)


async def _begun(args: argparse.Namespace, context: "RunContext", path: Path) -> "tuple[Campaign, tuple[str, ...]]":
    """A new one, kept unless it is only to be shown. Raises :class:`BadInput`."""
    from legatum.core.house.waves import in_waves, parse_sizes, parse_tolerance
    from legatum.core.running.fault import BadInput
    from legatum.views.fleet.waves import counted
    from legatum.work.fleet.campaign import Campaign, read_campaign, write_campaign
    from legatum.work.fleet.courses import ENDED, courses_of

    if path.exists() and not (args.anew or args.dry_run):
        there = read_campaign(path)
        courses = courses_of(context, there, partial(is_own, args, there, context)).values()
        ended = sum(each.stage in ENDED for each in courses)
        if ended < len(courses):
            raise BadInput(
                f"{path}: there is a fleet move of this list already, {ended} of {len(courses)} domains complete",
                "go on with it: the same command with --resume; --status says how far it is, --anew draws "
                "the waves anew",
            )
    rows = read_table(args.list, args.column)
    terms = {name: usual if getattr(args, name) is None else getattr(args, name) for name, usual in _TERMS.items()}
    wish = wish_of(args)
    for domain in rows.domains:
        refuse_nothing(with_wish(args, wish, rows.wishes.get(domain, {})), context, domain)
    sizes, _, _ = parse_sizes(terms["waves"]), parse_tolerance(terms["stop_at"]), _limits(terms["limit"], context)
    note(args, f"looking at who serves {counted(len(rows.domains))} …")
    waves = in_waves(await members_of(context, rows.domains), sizes)
    if args.column is not None:
        terms["column"] = args.column
    campaign = Campaign(path, context.clock.now(), tuple(waves), wish, rows.wishes, rows.customers, terms)
    campaign = _with_terms(args, campaign)
    if not args.dry_run:
        write_campaign(campaign, context.journal)
    return campaign, rows.unused


def _with_terms(args: argparse.Namespace, campaign: "Campaign") -> "Campaign":
    """With what was typed for this run. Raises :class:`BadInput` for another wish than its own, or other waves."""
    from legatum.core.records.name import name_text, parse_domain
    from legatum.core.running.fault import BadInput

    wish = wish_of(args)
    if wish and wish != campaign.wish:
        raise BadInput(
            f"{campaign.path}: this fleet move has another wish",
            "leave the wish out with --resume; another one: --anew",
        )
    given = {name: getattr(args, name) for name in _TERMS if getattr(args, name) is not None}
    if given.get("waves", campaign.terms["waves"]) != campaign.terms["waves"]:
        raise BadInput(
            f"{campaign.path}: its waves are drawn already", "leave --waves out with --resume; --anew draws them anew"
        )
    left_out = {parse_domain(each) for each in args.leave_out}
    if strange := left_out - set(campaign.domains):
        raise BadInput(f"{name_text(min(strange))} is not in this fleet move", "look at its spelling, or at the list")
    return replace(campaign, terms={**campaign.terms, **given}, left_out=campaign.left_out | left_out)


def _refuse_another_list(args: argparse.Namespace, campaign: "Campaign", courses: "dict[Name, Course]") -> None:
    """Raises :class:`BadInput` where somebody has changed the list since the waves were drawn, but for domains that are
    through. Where the list is not at hand, as on another operator's machine, the waves stand as they were drawn."""
    from legatum.core.records.name import name_text
    from legatum.core.running.fault import BadInput
    from legatum.work.fleet.courses import ENDED

    if not Path(args.list).exists():
        note(args, f"{args.list} is not there: its waves stand as they were drawn")
        return
    rows, drawn = read_table(args.list, args.column or campaign.terms.get("column")), set(campaign.domains)
    open_ = {each for each in drawn if courses[each].stage not in ENDED}
    changes = {
        "new": set(rows.domains) - drawn,
        "not in it any more": open_ - set(rows.domains),
        "with other values": {
            each for each in open_ & set(rows.domains) if campaign.rows.get(each, {}) != rows.wishes.get(each, {})
        },
    }
    told = [
        f"{what}: {', '.join(first_of(args, sorted(map(name_text, found))))}"
        for what, found in changes.items()
        if found
    ]
    if told:
        raise BadInput(
            f"{args.list} is not what the waves were drawn from: {'; '.join(told)}",
            "--anew, in place of --resume, draws them from the list as it is, and moves that are under way "
            "go on; or --leave-out DOMAIN",
        )


def _limits(given: "list[str]", context: "RunContext") -> dict[str, int]:
    """Provider or registrar → changes a minute. Raises :class:`BadInput`."""
    from legatum.core.running.fault import BadInput

    settings = context.settings
    found = {name: each.changes_a_minute for name, each in (*settings.providers.items(), *settings.registrars.items())}
    for text in given:
        name, _, count = text.partition("=")
        if name not in found or not count.isdecimal():
            raise BadInput(
                f"--limit {text}: no limit",
                f"write NAME=N, N steps a minute, 0 for no limit; NAME is one of {', '.join(found)}",
            )
        found[name] = int(count)
    return found


async def _shown(
    args: argparse.Namespace,
    context: "RunContext",
    campaign: "Campaign",
    courses: "dict[Name, Course]",
    unused: tuple[str, ...],
) -> int:
    """Every move drafted and rehearsed, none kept."""
    from legatum.core.moves.runbook import forecast
    from legatum.core.rehearsal import rehearse, require_safe
    from legatum.core.running.fault import AlreadySo, Fault
    from legatum.net.side_by_side import side_by_side
    from legatum.views.fleet.waves import counted
    from legatum.work.fleet.courses import Stage

    note(args, f"drafting and rehearsing the moves of {counted(len(courses))}, none of them is kept …")

    async def one(domain: "Name") -> "Course":
        course = courses[domain]
        if course.stage != Stage.WAITING and (course.steps or course.stage not in (Stage.TROUBLE, Stage.DONE)):
            return course
        try:
            runbook, _ = await draft(args, campaign, context, domain, keep=False)
            now = context.clock.now()
            if runbook.changes_answers and not args.unproven:
                require_safe(rehearse(runbook, {}, now))
            return replace(course, steps=len(runbook.steps), ends=list(forecast(runbook, {}, now))[-1].ends)
        except AlreadySo as fault:
            return replace(course, stage=Stage.DONE, because=fault.message)
        except Fault as fault:
            return replace(course, stage=Stage.TROUBLE, because=fault.message, remedy=fault.remedy, status=fault.status)

    drawn = await side_by_side(one, courses, args.side_by_side)
    return tell_all(args, context, campaign, {each.domain: each for each in drawn}, "", shown=True, unused=unused)


async def _led(
    args: argparse.Namespace,
    context: "RunContext",
    campaign: "Campaign",
    courses: "dict[Name, Course]",
    unused: tuple[str, ...],
) -> int:
    from legatum.core.calendar.duration import parse_duration
    from legatum.core.house.waves import parse_tolerance
    from legatum.core.running.fault import BadInput
    from legatum.work.fleet.campaign import paused
    from legatum.work.fleet.carrying import Carrier, Turns
    from legatum.work.fleet.courses import Stage

    back = args.take_back is not None
    if back and not 1 <= args.take_back <= len(campaign.waves):
        raise BadInput(f"there is no wave {args.take_back}", f"there are 1 to {len(campaign.waves)}")
    between, tolerance = parse_duration(str(campaign.terms["between"])), parse_tolerance(str(campaign.terms["stop_at"]))
    turns = Turns(_limits(campaign.terms["limit"], context))
    if not args.dry_run:
        campaign = paused(campaign, back, context.journal)

    async def its_move(domain: "Name") -> "tuple[Runbook, Path]":
        return await draft(args, campaign, context, domain)

    def ways(runbook: "Runbook", path: Path) -> "AdvanceOptions":
        return _ways(args, campaign, runbook, path)

    tell = Telling(args, context, campaign, courses)
    owns = partial(is_own, args, campaign, context)
    carrier = Carrier(
        context, campaign, courses, its_move, owns, ways, tell, turns, tolerance, args.side_by_side, args.wait
    )
    status: int | None = None
    try:
        if back:
            wave = campaign.waves[args.take_back - 1]
            if not _agreed(args, context, campaign, courses, args.take_back, "take back"):
                return tell_all(
                    args, context, campaign, courses, "" if args.dry_run else "declined", shown=args.dry_run
                )
            with tell.drawn():
                await carrier.take_back(wave)
        else:
            status = await _forward(args, context, carrier, tell, between)
    finally:
        write_notes(args, context, carrier)
    if status is not None:
        return status
    stopped = carrier.stopped or (f"wave {args.take_back} is being taken back" if back else "")
    wave = campaign.waves[args.take_back - 1] if back else ()
    if back and all(
        courses[each].stage in (Stage.WAITING, Stage.BACK, Stage.LEFT_OUT) or not courses[each].steps for each in wave
    ):
        stopped = ""
    return tell_all(args, context, campaign, courses, stopped, unused=unused)


async def _forward(
    args: argparse.Namespace, context: "RunContext", carrier: "Carrier", tell: "Telling", between: int
) -> int | None:
    """Wave after wave, each when the one before it is over; the exit status where somebody said no."""
    from legatum.work.fleet.courses import ENDED, Stage

    campaign, courses = carrier.campaign, carrier.courses
    for which, wave in enumerate(campaign.waves, 1):
        open_ = [each for each in wave if courses[each].stage not in ENDED]
        if not open_:
            continue
        fresh = all(courses[each].stage in (Stage.WAITING, *ENDED) for each in wave)
        earlier = [
            end for each in campaign.waves[: which - 1] for domain in each if (end := courses[domain].ends) is not None
        ]
        if fresh and between and earlier and not await _rested(args, context, max(earlier) + between, which):
            break
        if not _agreed(args, context, campaign, courses, which, "begin" if fresh else "go on with"):
            return tell_all(args, context, campaign, courses, f"wave {which} was declined")
        with tell.drawn():
            await carrier.carry_out(wave)
        if carrier.stopped or any(courses[each].stage not in (*ENDED, Stage.TROUBLE) for each in wave):
            break
    return None


async def _rested(args: argparse.Namespace, context: "RunContext", until: float, number: int) -> bool:
    """The wave before was left alone for long enough."""
    from legatum.core.calendar.instant import people_text

    if until <= context.clock.now():
        return True
    note(
        args,
        f"wave {number} is begun on {people_text(until, context.clock.now())} at the earliest: the one "
        "before is left alone until then",
    )
    if not args.wait:
        return False
    await context.clock.until(until)
    return True


def _agreed(
    args: argparse.Namespace,
    context: "RunContext",
    campaign: "Campaign",
    courses: "dict[Name, Course]",
    number: int,
    verb: str,
) -> bool:
    from legatum.core.records.name import name_text
    from legatum.views.fleet.waves import counted
    from legatum.work.fleet.courses import ENDED

    wave = [each for each in campaign.waves[number - 1] if courses[each].stage not in ENDED or verb == "take back"]
    if args.yes and not args.dry_run:
        return True
    lines = []
    for domain in wave:
        own = with_wish(args, dict(campaign.wish), dict(campaign.rows.get(domain, {})))
        address = f" at {own.address}" if getattr(own, ADDRESS, "") else ""
        lines.append(f"{name_text(domain)}: {wished(own, context, domain).words}{address} ({courses[domain].stage})")
    return agreed(args, f"Wave {number} of {len(campaign.waves)}, {verb} {counted(len(wave))}:", first_of(args, lines))


def _ways(args: argparse.Namespace, campaign: "Campaign", runbook: "Runbook", path: Path) -> "AdvanceOptions":
    """Everything is agreed to with its wave."""
    from legatum.services.registrar import ByHand
    from legatum.work.moves.advance import AdvanceOptions

    def nothing(*_: object) -> None:
        pass

    def by_hand(step: "Step", what: ByHand) -> None:
        what.remedy = f"the worksheet for it: {write_by_hand(runbook, path, step, what)}; {what.remedy}"

    anyway = with_wish(args, dict(campaign.wish), dict(campaign.rows.get(runbook.domain, {}))).anyway
    return AdvanceOptions(
        False,
        lambda *_: True,
        nothing,
        nothing,
        nothing,
        by_hand,
        nothing,
        False,
        None,
        args.unproven,
        args.any_time,
        anyway,
    )
