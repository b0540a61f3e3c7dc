"""A fleet move as it is kept: the waves of a list, what is wished for its domains, and whether it is paused.

How far each domain has come stands in its own move and in the journal, nowhere else: whoever goes on with the fleet
move looks there. What was found of domains for which there is no move is in the journal too, under the name of the
fleet move.
"""

import tomllib
from collections.abc import Mapping
from contextlib import suppress
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from legatum.core.records.name import Name, name_text, parse_domain
from legatum.core.running.fault import BadInput
from legatum.journal.journal import Journal
from legatum.net.file import write_whole
from legatum.work.run_context import RunContext

SCHEMA = "legatum.waves/1"


@dataclass(frozen=True)
class Campaign:
    """``began``: seconds since 1970; ``wish``: options of the wish for all, as they were typed; ``rows``: what differs
    from domain to domain; ``customers``: domain → whose it is; ``terms``: how the waves are led, as they were typed;
    ``left_out``: domains that are passed over."""

    path: Path
    began: float
    waves: tuple[tuple[Name, ...], ...]
    wish: Mapping[str, Any]
    rows: Mapping[Name, Mapping[str, Any]] = field(default_factory=dict)
    customers: Mapping[Name, str] = field(default_factory=dict)
    terms: Mapping[str, Any] = field(default_factory=dict)
    paused: bool = False
    left_out: frozenset[Name] = frozenset()

    @property
    def stem(self) -> str:
        """What its file's name begins with."""
        return self.path.name.removesuffix(".waves.toml")

    @property
    def ident(self) -> str:
        """What the journal calls it. Drawn anew it is another one."""
        return f"{self.path.name}@{int(self.began)}"

    @property
    def domains(self) -> list[Name]:
        return [domain for wave in self.waves for domain in wave]


def campaign_path(context: RunContext, listing: str) -> Path:
    """Where the fleet move of a list is kept. Raises :class:`BadInput` for standard input, which has no name."""
    if listing == "-":
        raise BadInput("a fleet move is known by its list, and standard input has no name", "put the list into a file")
    context.journal.bring()
    return context.folder / context.settings.moves / f"{Path(listing).stem}.waves.toml"


def campaigns(context: RunContext) -> list[Campaign]:
    """Every one of the house that can be read."""
    found = []
    for path in sorted((context.folder / context.settings.moves).glob("*.waves.toml")):
        with suppress(BadInput):
            found.append(read_campaign(path))
    return found


def write_campaign(campaign: Campaign, journal: Journal) -> None:
    """For everybody who shares the journal. Raises as :func:`~legatum.net.file.write_whole`."""
    import tomli_w

    campaign.path.parent.mkdir(parents=True, exist_ok=True)
    table = {
        "schema": SCHEMA,
        "began": campaign.began,
        "paused": campaign.paused,
        "left_out": sorted(map(name_text, campaign.left_out)),
        "terms": dict(campaign.terms),
        "wish": dict(campaign.wish),
        "waves": [{"domains": list(map(name_text, wave))} for wave in campaign.waves],
        "rows": {name_text(domain): dict(row) for domain, row in campaign.rows.items()},
        "customers": {name_text(domain): customer for domain, customer in campaign.customers.items()},
    }
    write_whole(campaign.path, tomli_w.dumps(table))
    journal.bring(stem=campaign.stem, ours=True)


def read_campaign(path: Path) -> Campaign:
    """Raises :class:`BadInput` for what is none."""
    try:
        table = tomllib.loads(path.read_text(encoding="utf-8"))
        if table.get("schema") != SCHEMA:
            raise BadInput(f"{path}: schema '{table.get('schema')}'", f"this program reads {SCHEMA}")
        return Campaign(
            path,
            float(table["began"]),
            tuple(tuple(map(parse_domain, wave["domains"])) for wave in table["waves"]),
            table["wish"],
            {parse_domain(domain): row for domain, row in table["rows"].items()},
            {parse_domain(domain): str(customer) for domain, customer in table["customers"].items()},
            table["terms"],
            bool(table["paused"]),
            frozenset(map(parse_domain, table["left_out"])),
        )
    except FileNotFoundError:
        raise BadInput(
            f"no fleet move at {path}", "begin one: the same command with a wish, without --resume"
        ) from None
    except OSError as error:
        raise BadInput(f"{path}: {error.strerror}") from None
    except (tomllib.TOMLDecodeError, UnicodeDecodeError, KeyError, TypeError, ValueError, AttributeError) as error:
        raise BadInput(
            f"{path}: {error}", "mend the file, or begin anew with --anew: moves that are under way go on"
        ) from None


def paused(campaign: Campaign, now: bool, journal: Journal) -> Campaign:
    """The same, kept as paused or not."""
    found = replace(campaign, paused=now)
    write_campaign(found, journal)
    return found


def is_paused(campaign: Campaign) -> bool:
    """Whether somebody has paused it meanwhile."""
    try:
        return read_campaign(campaign.path).paused
    except BadInput:
        return False
