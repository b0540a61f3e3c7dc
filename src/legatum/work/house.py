"""Every move of the house at one look. What was worked out of a move is kept until its file, or the journal, says more
of it."""

import json
from collections.abc import Callable
from contextlib import suppress
from dataclasses import asdict, dataclass
from pathlib import Path

from legatum.core.moves.standing import Standing, State, as_of, by_urgency, standing_of
from legatum.core.records.name import Name, name_text
from legatum.core.running.fault import Fault
from legatum.journal.journal import Surveyed
from legatum.settings.document import ManualProvider, ManualRegistrar
from legatum.work.movefile import retreat_path
from legatum.work.recall import open_move
from legatum.work.run_context import RunContext

_TOLD_EVERY = 400  # two seconds or so


@dataclass(frozen=True)
class House:
    """``standings``: what waits for a person first; ``broken``: files that cannot be read, with the reason;
    ``surveys``: the last one of each domain."""

    at: float
    standings: tuple[Standing, ...]
    files: dict[str, Path]
    broken: tuple[tuple[str, str], ...]
    surveys: tuple[Surveyed, ...]


def look_at_house(context: RunContext, worked: Callable[[int, int], None] = lambda done, of: None) -> House:
    """Nothing is asked outside: the files and the journal say all. ``worked``: told now and then how many files are
    done, where moves had to be worked out."""
    now, journal = context.clock.now(), context.journal
    journal.bring()
    folder = context.folder / context.settings.moves
    kept, latest = journal.standings(), journal.latest()
    found, files, broken, fresh = (
        list[Standing](),
        dict[str, Path](),
        list[tuple[str, str]](),
        list[tuple[str, str, str]](),
    )
    paths = sorted(folder.glob("*.move.toml"))
    for number, path in enumerate(paths):
        back = retreat_path(path)
        there = back if back.exists() else path
        try:
            stat = there.stat()
            ident, mark, standing = _kept(kept.get(str(there)))
            wanted = (
                f"{stat.st_mtime_ns} {stat.st_size} {latest.get(standing.domain, 0) if standing is not None else 0}"
            )
            if standing is None or mark != wanted or _windows(standing, now):
                ident, standing = _worked_out(context, there, now)
                wanted = f"{stat.st_mtime_ns} {stat.st_size} {latest.get(standing.domain, 0)}"
                if len(fresh) % _TOLD_EVERY == _TOLD_EVERY - 1:
                    worked(number + 1, len(paths))
                fresh.append(
                    (str(there), wanted, json.dumps({"id": ident, **asdict(standing), "domain": standing.domain.hex()}))
                )
        except (Fault, OSError) as fault:
            broken.append((path.name, fault.message if isinstance(fault, Fault) else str(fault)))
            continue
        standing = as_of(standing, now)
        found.append(standing)
        files[name_text(standing.domain)] = there
    if fresh:
        with suppress(Fault):  # whoever may only read the journal has a slower look
            journal.keep_standings(fresh)
    return House(now, tuple(by_urgency(found)), files, tuple(broken), tuple(journal.surveys()))


def _worked_out(context: RunContext, path: Path, now: float) -> tuple[str, Standing]:
    """Raises :class:`BadInput` for what is no move."""
    runbook = open_move(context, path)

    def by_hand(name: str) -> bool:
        return isinstance(context.providers.get(name), ManualProvider) or isinstance(
            context.registrars.get(name), ManualRegistrar
        )

    entries = context.journal.of_move(runbook.id)
    return runbook.id, standing_of(runbook, context.journal.outcomes(runbook.id), entries, by_hand, now)


def _kept(row: tuple[str, str] | None) -> tuple[str, str, Standing | None]:
    """The move's identifier, the mark, and where it stood."""
    if row is None:
        return "", "", None
    try:
        table = json.loads(row[1])
        ident = str(table.pop("id"))
        standing = Standing(**{**table, "domain": Name(bytes.fromhex(table["domain"])), "state": State(table["state"])})
    except (ValueError, KeyError, TypeError):
        return "", "", None  # of another version: worked out anew
    return ident, row[0], standing


def _windows(standing: Standing, now: float) -> bool:
    """A hold that is over: what comes then - a window, a person - is worked out anew."""
    return standing.state == State.HOLDING and standing.not_before is not None and standing.not_before <= now
