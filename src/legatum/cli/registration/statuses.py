"""``legatum registration lock`` and ``unlock``"""

import argparse
from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

from legatum.cli.program.common import with_outside
from legatum.cli.registration.each import RegistrationChange, add_domains, carry_out

if TYPE_CHECKING:
    from legatum.core.records.name import Name
    from legatum.services.registrar import Registrar
    from legatum.work.run_context import RunContext


def configure(actions: Any) -> Iterator[tuple[argparse.ArgumentParser, bool]]:
    for name, words in (("lock", "forbid transfer, update and deletion"), ("unlock", "lift these locks")):
        parser = actions.add_parser(name, help=words)
        add_domains(parser)
        yield parser, True


def run(args: argparse.Namespace) -> int:
    return with_outside(args, lambda context: _lock(args, context))


async def _lock(args: argparse.Namespace, context: "RunContext") -> int:
    from legatum.work.registry.held import look_at_held
    from legatum.work.registry.registration import LOCKS, change_locks

    lock = args.action == "lock"

    async def look(registrar: "Registrar", domain: "Name") -> RegistrationChange:
        held = (await look_at_held(context, domain, registrar))[0].statuses
        rest = [each for each in held if each not in LOCKS and each != "ok"]
        new = sorted([*rest, *LOCKS] if lock else rest) or ["ok"]
        changing = [each for each in LOCKS if (each in held) != lock]

        async def do() -> tuple[str, list[str]]:
            outcome, statuses = await change_locks(context, registrar, domain, lock)
            return outcome.summary, sorted(statuses)

        to_do = [f"{'set' if lock else 'lift'} `{each}`" for each in changing]
        return RegistrationChange(domain, sorted(held), new, do if changing else None, to_do)

    return await carry_out(args, context, "statuses", look)
