"""``legatum registration lock`` and ``unlock``"""

import argparse
from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

from legatum.cli.common import agreed, with_outside
from legatum.cli.registration.ending import document_of, end

if TYPE_CHECKING:
    from legatum.work.outside import Outside


def configure(actions: Any) -> Iterator[tuple[argparse.ArgumentParser, bool]]:
    for name, words in (("lock", "forbid transfer, update and deletion"), ("unlock", "lift these locks")):
        parser = actions.add_parser(name, help=words)
        parser.add_argument("domain", metavar="DOMAIN")
        parser.add_argument("--registrar", metavar="NAME", required=True, help="a registrar of the settings")
        yield parser, True


def run(args: argparse.Namespace) -> int:
    return with_outside(args, lambda outside: _lock(args, outside))


async def _lock(args: argparse.Namespace, outside: "Outside") -> int:
    from legatum.core.name import parse_domain
    from legatum.work.registration import LOCKS, change_locks

    domain, registrar, lock = parse_domain(args.domain), outside.registrar(args.registrar), args.action == "lock"
    held = (await registrar.registration(domain)).statuses
    rest = [each for each in held if each not in LOCKS and each != "ok"]
    new = sorted([*rest, *LOCKS] if lock else rest) or ["ok"]
    document = document_of(args, domain, registrar, sorted(held), new)
    if any((each in held) != lock for each in LOCKS):
        if agreed(args, f"statuses of {args.domain} at {registrar.name}, old → new:", [f"{', '.join(held)} → {', '.join(new)}"]):
            outcome, statuses = await change_locks(outside, registrar, domain, lock)
            document.state, document.said, document.new = "changed", outcome.summary, sorted(statuses)
        else:
            document.state = "shown" if args.dry_run else "declined"
    return end(args, document)
