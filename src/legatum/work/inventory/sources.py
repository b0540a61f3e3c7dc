"""Which domains there are: in lists, in folders of master files, in catalog zones, in the journal."""

from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path

from legatum.core.records.name import Name, name_text, parse_domain, parse_name
from legatum.core.running.fault import Fault
from legatum.core.zones.catalog import members_of
from legatum.settings.document import FilesProvider
from legatum.work.listing import read_domains
from legatum.work.run_context import RunContext


@dataclass
class Named:
    """Domain → where it was found, such as ``the list`` or ``files of rowan``; ``left_out``: sources that could not be
    read, and why."""

    domains: dict[Name, list[str]] = field(default_factory=dict)
    left_out: list[str] = field(default_factory=list)

    def add(self, where: str, names: Iterator[Name]) -> None:
        for name in names:
            places = self.domains.setdefault(name, [])
            if where not in places:
                places.append(where)


async def find_domains(context: RunContext, lists: list[str]) -> Named:
    """``lists``: files; those of the settings and of the journal too. Raises :class:`BadInput` for a list that cannot
    be read."""
    found, settings = Named(), context.settings
    for file in lists:
        found.add("the list" if file == "-" else file, iter(read_domains(file)))
    if settings.domains:
        found.add("the house's list", iter(read_domains(str(context.folder / settings.domains))))
    found.add("the journal", iter(context.journal.domains()))
    for name, section in context.providers.items():
        if isinstance(section, FilesProvider):
            found.add(f"files of {name}", _of_files(context.folder / section.folder, section.file))
    for name, secondary in settings.secondaries.items():
        if secondary.catalog:
            await _add_catalog(context, found, name, secondary.catalog)
    return found


def _of_files(folder: Path, pattern: str) -> Iterator[Name]:
    """By the names of the files: ``{domain}`` in the pattern."""
    front, _, behind = pattern.partition("{domain}")
    for path in folder.glob(pattern.replace("{domain}", "*")):
        text = str(path.relative_to(folder))
        with suppress(Fault):
            yield parse_domain(text[len(front) : len(text) - len(behind) if behind else None])


async def _add_catalog(context: RunContext, found: Named, name: str, catalog: str) -> None:
    """From whichever provider has it."""
    zone, why = parse_name(catalog.rstrip(".") + "."), "no provider has it"
    for provider in context.providers:
        if not context.provider(provider).hands_out:
            continue
        try:
            members = members_of(await context.provider(provider).fetch(zone))
        except Fault as fault:
            why = fault.message
            continue
        found.add(f"the catalog {catalog}", iter(members))
        return
    found.left_out.append(f"the catalog {name_text(zone)} of {name}: {why}")
