"""``legatum inventory``"""

import argparse
import sys
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from legatum.cli.program.common import FOUND, OK, add_common, keep_apart, note, show, with_outside
from legatum.cli.program.parser import number
from legatum.cli.program.progress import bar

if TYPE_CHECKING:
    from legatum.core.house.inventory import Group, Item, Side
    from legatum.core.records.name import Name
    from legatum.views.inventory import InventoryDocument
    from legatum.work.inventory.inventory import Parts
    from legatum.work.run_context import RunContext


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "--list", metavar="FILE", action="append", default=[], help="domains beside those that are found (repeatable)"
    )
    parser.add_argument(
        "--group",
        metavar="GROUP",
        help="only list the domains of this group, from the last inventory; nothing is asked",
    )
    parser.add_argument("--csv", action="store_true", help="a row for each domain on standard output")
    parser.add_argument("--html", metavar="FILE", help="a page without outside parts")
    parser.add_argument("--resume", action="store_true", help="go on with an inventory that was broken off")
    parser.add_argument(
        "--side-by-side", type=number(1, 1000), default=64, metavar="N", help="domains looked at side by side"
    )
    parser.add_argument(
        "--rate",
        type=number(0, 1_000_000),
        metavar="N",
        help="questions a second to one server (default: the settings')",
    )
    parser.add_argument(
        "--engine", metavar="PLACE", nargs="?", const="", help="share the questions among the workers of this scheduler"
    )  # fmt: skip
    add_common(parser)


def run(args: argparse.Namespace) -> int:
    from legatum.core.running.fault import BadInput

    if args.json and args.csv:
        raise BadInput("--json and --csv", "choose one of them")
    keep_apart({f"the list {each}": each for each in args.list}, {"--html": args.html})
    return with_outside(args, lambda context: _listed(args, context) if args.group else _taken(args, context))


async def _listed(args: argparse.Namespace, context: "RunContext") -> int:
    """Names alone, for `legatum fleet`."""
    from legatum.core.house.inventory import Group, groups_of
    from legatum.core.running.fault import BadInput
    from legatum.core.text.nearest import proposal
    from legatum.work.inventory.kept import NAME, read_head, read_items

    if args.group not in set(Group):
        raise BadInput(f"no group '{args.group}'{proposal(args.group, Group)}", f"there are: {', '.join(Group)}")
    head, now = read_head(context.folder), context.clock.now()
    if head is None:
        raise BadInput("no inventory was taken yet", "`legatum inventory` takes one")
    for item in read_items(context.folder / NAME):
        if args.group in [group for group, _ in groups_of(item, head.sides, now)]:
            sys.stdout.write(f"{item.domain}\n")
    return OK


async def _taken(args: argparse.Namespace, context: "RunContext") -> int:
    from legatum.net.file import write_whole
    from legatum.views.inventory import inventory_csv, inventory_page, show_inventory
    from legatum.work.inventory.inventory import our_sides
    from legatum.work.inventory.kept import NAME, PART, Head, read_head, read_items, taken_over
    from legatum.work.inventory.sources import find_domains

    if args.rate is not None:
        context.settings.network.rate = args.rate
    named = await find_domains(context, args.list)
    sides, left_out = await our_sides(context)
    part, path = context.folder / PART, context.folder / NAME
    done = {each.domain for each in read_items(part)} if args.resume else set[str]()
    before = f"; {len(done)} done before" if done else ""
    note(args, f"{len(named.domains)} domains, {len(sides)} providers, {len(context.registrars)} accounts{before}")
    with bar(args):
        await _work_through(args, context, sides, list(named.domains), done, part)
    last = read_head(context.folder)
    document = _document(
        context, sides, (part, path), last.at if last is not None else None, [*named.left_out, *left_out]
    )
    taken_over(context.folder, Head(context.clock.now(), sides))
    if args.html:
        write_whole(Path(args.html), inventory_page(document))
        note(args, f"page: {args.html}")
    if args.csv:
        grouped = _grouping(context, sides)
        for line in inventory_csv((item, [group for group, _ in grouped(item)]) for item in read_items(path)):
            sys.stdout.write(line)
        sys.stdout.flush()
    else:
        show(args, document, lambda screen: show_inventory(document, screen))
    return FOUND if any(each.group in ("lame", "running-out", "two-copies") for each in document.groups) else OK


async def _work_through(
    args: argparse.Namespace,
    context: "RunContext",
    sides: "tuple[Side, ...]",
    domains: "list[Name]",
    done: set[str],
    part: Path,
) -> None:
    """Every domain that is not done yet, a line each as it comes."""
    from legatum.core.records.name import name_text
    from legatum.work.inventory.inventory import look_here, take_inventory
    from legatum.work.inventory.kept import cut_off, write_item

    if args.resume:
        cut_off(part)
    left = [each for each in domains if name_text(each) not in done]
    parts = (
        look_here(context, sides, left, args.side_by_side)
        if args.engine is None
        else _by_engine(args, context, sides, left)
    )
    with part.open("ab" if args.resume else "wb") as file:
        async for item in take_inventory(context, parts, len(left)):
            file.write(write_item(item))
            file.flush()


async def _by_engine(
    args: argparse.Namespace, context: "RunContext", sides: "tuple[Side, ...]", domains: "list[Name]"
) -> "Parts":
    import msgspec

    from legatum.net.engine import open_engine
    from legatum.work.afar.hub import engine_hub, fit_workers, looking_settings
    from legatum.work.fleet.looks import each_of
    from legatum.work.inventory.inventory import Order, look_there

    async with open_engine(engine_hub(context, args.engine)) as engine:
        workers = await fit_workers(engine, lambda text: note(args, text))
        rate = context.settings.network.rate
        order = Order(
            msgspec.json.encode(looking_settings(context, max(1, rate // len(workers)) if rate else 0)), sides
        )
        async for found in engine.in_parts(look_there, order, each_of(domains), workers, 100):
            yield found


def _grouping(context: "RunContext", sides: "tuple[Side, ...]") -> "Callable[[Item], list[tuple[Group, str]]]":
    from legatum.core.house.inventory import groups_of

    now = context.clock.now()
    return lambda item: groups_of(item, sides, now)


def _document(
    context: "RunContext",
    sides: "tuple[Side, ...]",
    files: tuple[Path, Path],
    before: float | None,
    left_out: list[str],
) -> "InventoryDocument":
    """The new inventory by groups, and what is not as in the last one. ``files``: of the new one, and of the last;
    ``before``: when that was taken."""
    from legatum.core.house.inventory import changes_between
    from legatum.views.inventory import inventory_document
    from legatum.work.inventory.kept import is_as_before, marks_of, read_items

    new, last = files
    grouped, groups = _grouping(context, sides), dict["Group", list[tuple[str, str]]]()
    marks, changed, came, count = marks_of(last), dict[str, "Item"](), list[str](), 0
    for item in read_items(new):
        count += 1
        for group, why in grouped(item):
            groups.setdefault(group, []).append((item.domain, why))
        as_before = is_as_before(marks, item) if marks else True
        if as_before is None:
            came.append(item.domain)
        elif not as_before:
            changed[item.domain] = item
    changes, gone, there = list[tuple[str, list[str]]](), list[str](), marks_of(new)
    for item in read_items(last):
        if item.domain in changed and (told := changes_between(item, changed[item.domain])):
            changes.append((item.domain, told))
        if is_as_before(there, item) is None:
            gone.append(item.domain)
    return inventory_document(context.clock.now(), count, groups, before, sorted(changes), came, gone, left_out)
