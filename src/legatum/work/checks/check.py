"""All that the settings say, or some tables of it, tried out side by side."""

import asyncio
from collections.abc import Callable, Sequence
from contextlib import suppress
from functools import partial

from legatum.core.records.name import Name, parse_domain
from legatum.core.running.fault import BadInput, Fault
from legatum.core.text.nearest import proposal
from legatum.work.checks.around import (
    check_clock,
    check_engine,
    check_files,
    check_journal,
    check_network,
    check_resolver,
    check_windows,
    house_domains,
)
from legatum.work.checks.checked import Check, Checked
from legatum.work.checks.registries import check_rdap, check_registrar
from legatum.work.checks.servers import check_provider, check_secondary
from legatum.work.run_context import RunContext

_GENERAL = ("network", "rdap", "journal", "engine", "files", "windows", "clock")


async def check_settings(context: RunContext, names: Sequence[str], domains: Sequence[Name]) -> list[Checked]:
    """``names``: of tables, such as ``alder``, ``providers.alder`` or ``rdap``; all, where there are none. ``domains``:
    to try with, before those of the house. Raises :class:`BadInput` for a name that is none."""
    tried = list(dict.fromkeys([*domains, *_of_the_house(context)]))
    checks = _checks(context, tried)
    wanted = [table for table in checks if not names or any(_meant(table, name) for name in names)]
    for name in names:
        if not any(_meant(table, name) for table in [*checks, "clock"]):
            known = [*checks, *(table.partition(".")[2] for table in checks)]
            raise BadInput(
                f"no '{name}' in the settings{proposal(name, filter(None, known))}",
                f"there are: {', '.join([*checks, 'clock'])}",
            )
    found = await asyncio.gather(*(checks[table]() for table in wanted))
    rows = [each for some in found for each in some]
    return rows + check_clock(rows) if not names or "clock" in names else rows


def _meant(table: str, name: str) -> bool:
    return name in (table, table.partition(".")[2], table.partition(".")[0])


def _checks(context: RunContext, domains: Sequence[Name]) -> dict[str, Callable[[], Check]]:
    """In the order of the file."""
    settings = context.settings

    async def at_once(rows: list[Checked]) -> list[Checked]:
        return rows

    found: dict[str, Callable[[], Check]] = {"network": partial(check_network, context)}
    for name, provider in context.providers.items():
        found[f"providers.{name}"] = partial(check_provider, context, name, provider, domains)
    for name, secondary in settings.secondaries.items():
        found[f"secondaries.{name}"] = partial(check_secondary, context, name, secondary, domains)
    for name, registrar in context.registrars.items():
        found[f"registrars.{name}"] = partial(check_registrar, context, name, registrar, domains)
    for name, place in context.resolvers().items():
        found[f"resolvers.{name}"] = partial(check_resolver, context, name, place)
    return found | {
        "rdap": partial(check_rdap, context, domains),
        "journal": partial(check_journal, context),
        "engine": partial(check_engine, context),
        "files": lambda: at_once(check_files(context)),
        "windows": lambda: at_once(check_windows(context)),
    }


def _of_the_house(context: RunContext) -> list[Name]:
    found = []
    for text in house_domains(context):
        with suppress(Fault):
            found.append(parse_domain(text))
    return found
