"""``legatum practice start / clock / zone / form / registry / log / stop``"""

import argparse
import asyncio
import shutil
import signal
from pathlib import Path
from typing import TYPE_CHECKING, Any

from legatum.cli.program.common import OK, note, run_interruptibly, show
from legatum.cli.program.parser import number

if TYPE_CHECKING:
    from legatum.net.clock import WorldControl


def configure(parser: argparse.ArgumentParser) -> None:
    actions = parser.add_subparsers(dest="action", required=True, metavar="ACTION")
    start = actions.add_parser("start", help="start a practice world in the foreground; its settings go into DIR")
    start.add_argument("folder", metavar="DIR")
    start.add_argument(
        "--fresh", action="store_true", help="take away the moves and the journal of an earlier world in DIR"
    )
    start.add_argument(
        "--further",
        type=number(0, 10_000),
        default=0,
        metavar="N",
        help="so many small customers more, stall001.example and on, at alder through flint",
    )
    clock = actions.add_parser("clock", help="what time it is there; move it on")
    clock.add_argument("--on", metavar="DURATION", help="move the clock on by this much")
    zone = actions.add_parser("zone", help="a provider's own panel: zones made and ended there, copies, keys")
    zone.add_argument("change", choices=("create", "end", "follow", "rekey", "ask"))
    zone.add_argument("domain", metavar="DOMAIN")
    zone.add_argument("--at", required=True, metavar="PROVIDER")
    zone.add_argument("--of", metavar="PROVIDER", help="with follow: whose zone a copy is served of")
    zone.add_argument(
        "--stage",
        default="",
        help="with rekey: the stage that its keys come to, such as new-key; with ask: ds, removal or nothing",
    )
    form = actions.add_parser("form", help="a registrar's own form: type something in, as a person would")
    form.add_argument("domain", metavar="DOMAIN")
    form.add_argument("--at", required=True, metavar="REGISTRAR")
    typed = form.add_mutually_exclusive_group(required=True)
    typed.add_argument("--ns", metavar="NAME,NAME,…", help="the whole NS set")
    typed.add_argument(
        "--ds", metavar="DATA", action="append", help="the whole DS set, one --ds a record; --ds none for no record"
    )
    typed.add_argument("--statuses", metavar="STATUS,…", help="the locks that are set; none for no lock")
    typed.add_argument(
        "--host", metavar="NAME=ADDRESS,…", help="a host below the domain; without an address it is taken away"
    )
    typed.add_argument("--transfer", choices=("request", "approve", "reject", "cancel"))
    typed.add_argument("--code", action="store_true", help="show the authorisation code")
    form.add_argument("--with-code", metavar="FILE", help="the file that holds the code for a request")
    registry = actions.add_parser("registry", help="give the registry a bad day; without options it is well again")
    registry.add_argument("--slow", type=float, default=0, metavar="SECONDS", help="before each answer")
    registry.add_argument(
        "--drop",
        default="",
        metavar="VERB",
        help="drop the connection after this command, with the command carried out",
    )
    registry.add_argument("--unheard", action="store_true", help="with --drop: the command is not carried out")
    registry.add_argument("--refuse", default="", metavar="VERB", help="refuse this command")
    registry.add_argument(
        "--result",
        type=number(2000, 2999),
        default=2400,
        metavar="CODE",
        help="the result code of refusals (default 2400)",
    )
    registry.add_argument(
        "--times", type=number(1, 1_000_000), default=1, metavar="N", help="how often to drop or refuse (default 1)"
    )
    registry.add_argument("--publish", metavar="DURATION", help="how long changes take to be published (default 4m)")
    registry.add_argument(
        "--reads-cds",
        metavar="DURATION",
        help="look at the CDS records of every domain, now and this often; 0 for no more",
    )
    registry.add_argument(
        "--stuck", metavar="DOMAIN", action="append", default=[], help="never publish changes of this domain"
    )
    registry.add_argument(
        "--tells-others", action="store_true", help="tell every registrar of every domain, as some registries do"
    )
    registry.add_argument(
        "--wants-keys", action="store_true", help="take keys and make DS records of them, as some registries do"
    )
    log = actions.add_parser("log", help="every question that a server of the world received")
    stop = actions.add_parser("stop", help="end the world")
    for each in (clock, zone, form, registry, log, stop):
        each.add_argument("--settings", metavar="FILE", help="the world's settings file or folder")
    for each in (start, clock, zone, form, registry, log, stop):
        each.add_argument("--json", action="store_true", help="one JSON document on standard output")
        each.add_argument("-q", "--quiet", action="store_true", help="no progress on standard error")


def run(args: argparse.Namespace) -> int:
    if args.action == "start":
        asyncio.run(_start(args))
        return OK
    return run_interruptibly(_steer(args))


def _clear(folder: Path, fresh: bool) -> None:
    """An earlier world's moves would rest on things that are no more. What is a house's is not touched. Raises
    :class:`BadInput`."""
    from legatum.core.running.fault import BadInput

    left = [path for path in (folder / "journal.sqlite", folder / "moves") if path.exists()]
    worlds = _is_worlds(folder / "legatum.toml")
    if worlds is False or (left and worlds is None):
        raise BadInput(
            f"{folder} holds what is of no practice world: settings, moves or a journal of a house", "give a new folder"
        )
    if left and not fresh:
        raise BadInput(
            f"{folder} holds the moves of an earlier world", "give a new folder, or --fresh to take them away"
        )
    for path in left:
        shutil.rmtree(path) if path.is_dir() else path.unlink()


def _is_worlds(settings: Path) -> bool | None:
    """Whether a practice world wrote them: no other ones have a clock that is steered. None where there are none."""
    import tomllib

    try:
        return "clock" in tomllib.loads(settings.read_text(encoding="utf-8"))
    except FileNotFoundError:
        return None
    except (OSError, ValueError):
        return False


async def _start(args: argparse.Namespace) -> None:
    from legatum.core.running.fault import BadInput
    from legatum.practice.steering.opening import open_world
    from legatum.views.practice import PracticeDocument

    _clear(Path(args.folder), args.fresh)
    try:
        async with open_world(Path(args.folder), further=args.further) as world:
            loop = asyncio.get_running_loop()
            for number in (signal.SIGINT, signal.SIGTERM):
                loop.add_signal_handler(number, world.stopped.set)
            place = world.settings_file
            note(
                args,
                f"The practice world is up. In another shell: `legatum survey kilnandclay.example --settings {place}`",
            )
            note(args, f"Move its clock: `legatum practice clock --on 2h --settings {place}`. End it: Ctrl-C")
            show(args, PracticeDocument(settings=str(place)), lambda screen: screen.raw(f"settings {place}"))
            await world.stopped.wait()
    except OSError as error:
        raise BadInput(
            f"{error.filename or args.folder}: {error.strerror or error}", "give a folder that can be written"
        ) from None
    note(args, "The practice world has ended.")


async def _steer(args: argparse.Namespace) -> int:
    from legatum.core.calendar.duration import parse_duration
    from legatum.core.calendar.instant import instant_text
    from legatum.core.records.name import name_text, parse_domain
    from legatum.views.practice import PracticeDocument, practice_log

    control = _control(args)
    answer: dict[str, Any] = await control.order("now")
    text = ""
    match args.action:
        case "clock" if args.on:
            answer = await control.order("until", instant=answer["now"] + parse_duration(args.on))
        case "zone":
            domain = parse_domain(args.domain)
            answer = await control.order(
                args.change, provider=args.at, domain=name_text(domain), of=args.of, stage=args.stage
            )
            done = {
                "create": "created",
                "end": "ended",
                "follow": f"copied from {args.of}",
                "rekey": f"at stage {args.stage}",
                "ask": f"asks by CDS for {args.stage or 'ds'}",
            }[args.change]
            text = f"{name_text(domain)} {done} at {args.at}"
        case "form":
            answer = await control.order("form", **_typed(args))
            text = answer["said"]
        case "registry":
            publish = {"publish": parse_duration(args.publish)} if args.publish else {}
            publish |= {"poll": parse_duration(args.reads_cds)} if args.reads_cds else {}
            trouble = {
                "slow": args.slow,
                "drop": args.drop,
                "unheard": args.unheard,
                "refuse": args.refuse,
                "code": args.result,
                "times": args.times,
                "tells_others": args.tells_others,
                "wants_keys": args.wants_keys,
            }
            answer = await control.order("trouble", **trouble, stuck=args.stuck, **publish)
            text = (
                "the registry has a bad day"
                if any((args.slow, args.drop, args.refuse, args.publish, args.stuck, args.tells_others))
                else "the registry is well"
            )
        case "log":
            rows = (await control.order("log"))["rows"]
            lines = "\n".join("  ".join(map(str, row.values())) for row in rows)
            show(args, practice_log(rows), lambda screen: screen.raw(lines))
            return OK
        case "stop":
            answer = await control.order("stop")
            text = "the practice world ends"
    moment = instant_text(answer["now"])
    show(args, PracticeDocument(now=moment, said=text), lambda screen: screen.raw(text or moment))
    return OK


def _typed(args: argparse.Namespace) -> dict[str, Any]:
    """What was typed into the form, for the world. Raises :class:`BadInput`."""
    from legatum.core.records.name import name_text, parse_domain
    from legatum.core.running.fault import BadInput

    said: dict[str, Any] = {"registrar": args.at, "domain": name_text(parse_domain(args.domain)), "what": "change"}
    if args.ns:
        said["ns"] = [each.strip() for each in args.ns.split(",")]
    elif args.ds:
        said["ds"] = [] if args.ds == ["none"] else args.ds
    elif args.statuses:
        said["statuses"] = [] if args.statuses == "none" else args.statuses.split(",")
    elif args.host:
        host, _, addresses = args.host.partition("=")
        said |= {"what": "host", "host": host, "addresses": [each for each in addresses.split(",") if each]}
    elif args.code:
        said["what"] = "code"
    elif args.transfer:
        said["what"] = args.transfer
        if args.transfer == "request":
            if not args.with_code:
                raise BadInput(
                    "a request needs the authorisation code", "give the file that holds it: --with-code FILE"
                )
            said["code"] = Path(args.with_code).read_text(encoding="utf-8").strip()
    return said


def _control(args: argparse.Namespace) -> "WorldControl":
    from legatum.core.running.fault import BadInput
    from legatum.net.clock import WorldControl
    from legatum.settings.reading import find_settings, read_settings
    from legatum.settings.secret import read_secret

    path = find_settings(args.settings)
    clock = read_settings(path).clock
    if path is None or clock is None:
        said = (
            f"{path} is no practice world's settings"
            if path is not None
            else "no settings file, so no practice world's"
        )
        raise BadInput(said, "give those that `legatum practice start DIR` wrote")
    host, _, port = clock.control.rpartition(":")
    return WorldControl(host, int(port), read_secret(clock.token, path.parent))
