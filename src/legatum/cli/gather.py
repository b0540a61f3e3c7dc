"""``legatum gather DOMAIN``"""

import argparse
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from legatum.cli.common import OK, add_common, show, with_outside

if TYPE_CHECKING:
    from legatum.work.contents import Contents
    from legatum.work.outside import Outside


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("domain", metavar="DOMAIN")
    source = parser.add_mutually_exclusive_group(required=True)
    source.add_argument("--from", dest="source", metavar="PLACE", help="a provider of the settings, server:ADDRESS, or a master file")
    source.add_argument("--file", metavar="FILE", help="a master file")
    parser.add_argument("--out", metavar="FILE", help="where to write (default DOMAIN.zone here; - for standard output)")
    parser.add_argument("--force", action="store_true", help="write over a file that is there already")
    add_common(parser)


def run(args: argparse.Namespace) -> int:
    from legatum.core.name import parse_domain
    from legatum.work.contents import contents_of, read_master_file

    domain = parse_domain(args.domain)
    if args.file:
        return _write(args, read_master_file(Path(args.file), domain))

    async def work(outside: "Outside") -> int:
        return _write(args, await contents_of(outside, args.source, domain))

    return with_outside(args, work)


def _write(args: argparse.Namespace, contents: "Contents") -> int:
    from legatum.core.fault import BadInput
    from legatum.core.name import name_text
    from legatum.core.presentation import master_text
    from legatum.net.file import write_whole
    from legatum.views.gather import gather_document, show_gather

    zone = contents.zone
    comment = f"{name_text(zone.origin)}, gathered from {contents.source} ({contents.way}), serial {zone.soa.serial}"
    text = master_text(zone, [comment])
    if args.out == "-":
        sys.stdout.write(text)
        return OK
    path = Path(args.out or f"{name_text(zone.origin).replace('/', '_')}.zone")
    if path.exists() and not args.force:
        raise BadInput(f"{path} is there already", "give another place with --out, or --force to write over it")
    write_whole(path, text)
    document = gather_document(zone, contents.source, contents.way, str(path))
    show(args, document, lambda screen: show_gather(document, screen))
    return OK
