"""``legatum settings show / check / add``"""

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from legatum.cli.program.common import FOUND, OK, SHUT, add_changing, add_common, agreed, note, show, with_outside

if TYPE_CHECKING:
    from legatum.work.run_context import RunContext

_KINDS = ("provider", "secondary", "registrar", "resolver")


def configure(parser: argparse.ArgumentParser) -> None:
    actions = parser.add_subparsers(dest="action", required=True, metavar="ACTION")
    shown = actions.add_parser("show", help="what is in force, and where each value comes from; no secret")
    checked = actions.add_parser("check", help="every account, server and file tried out, by what changes nothing")
    checked.add_argument(
        "names", metavar="NAME", nargs="*", help="only these: alder, providers.alder, resolvers, rdap, journal …"
    )
    checked.add_argument(
        "--domain", metavar="DOMAIN", action="append", default=[], help="try with this domain (repeatable)"
    )
    added = actions.add_parser(
        "add", help="a provider, secondary, registrar or resolver, written into the file; the rest stays as it is"
    )
    added.add_argument("kind", choices=_KINDS)
    added.add_argument("name", metavar="NAME", help="what it is called here")
    added.add_argument(
        "--serves",
        metavar="DOMAIN",
        default="",
        help="a domain there: its name servers, and who lets us transfer, are found",
    )
    added.add_argument(
        "--set",
        metavar="KEY=VALUE",
        action="append",
        default=[],
        help="a line of it, as in docs/settings.md (repeatable)",
    )
    for action in (shown, checked, added):
        add_common(action)
    add_changing(added)


def run(args: argparse.Namespace) -> int:
    return with_outside(args, lambda context: {"show": _show, "check": _check, "add": _add}[args.action](args, context))


async def _show(args: argparse.Namespace, context: "RunContext") -> int:
    from legatum.settings.reading import find_settings
    from legatum.views.settings import settings_document, show_settings
    from legatum.work.checks.shown import values_in_force

    path = find_settings(args.settings)
    document = settings_document(str(path or ""), str(context.folder), values_in_force(context.settings, path))
    show(args, document, lambda screen: show_settings(document, screen))
    return OK


async def _check(args: argparse.Namespace, context: "RunContext") -> int:
    from legatum.core.records.name import parse_domain
    from legatum.settings.lines import Lines
    from legatum.settings.reading import find_settings
    from legatum.views.settings import check_document, show_check
    from legatum.work.checks.check import check_settings

    path = find_settings(args.settings)
    lines = Lines(path.read_text(encoding="utf-8")) if path is not None else None
    note(args, "trying everything that the settings say …")
    found = await check_settings(context, args.names, [parse_domain(each) for each in args.domain])
    places = [lines.of(each.table, each.key) if lines is not None else None for each in found]
    document = check_document(str(path or ""), context.clock.now(), found, places)
    show(args, document, lambda screen: show_check(document, screen))
    return OK if document.good else FOUND


async def _add(args: argparse.Namespace, context: "RunContext") -> int:
    from legatum.core.records.name import parse_domain
    from legatum.settings.reading import find_settings
    from legatum.views.settings import added_document, show_added
    from legatum.work.checks.adding import draw_section, written

    path = find_settings(args.settings) or _own_file()
    serves = parse_domain(args.serves) if args.serves else None
    drawn = await draw_section(context, args.kind, args.name, serves, args.set)
    text = written(path, context.folder, drawn)
    go = agreed(args, f"settings {path}", drawn.text.splitlines())
    if go:
        from legatum.net.file import write_whole

        path.parent.mkdir(parents=True, exist_ok=True)
        write_whole(path, text)
    document = added_document(str(path), drawn, "done" if go else "shown" if args.dry_run else "declined")
    show(args, document, lambda screen: show_added(document, screen))
    return OK if go or args.dry_run else SHUT


def _own_file() -> Path:
    import platformdirs

    return Path(platformdirs.user_config_dir("legatum")) / "legatum.toml"
