"""Moves as TOML files: one runbook a file, to be read, kept with the customer's papers and, with care, edited."""

import tomllib
from pathlib import Path

from legatum.core.moves.plain import plain, runbook_from
from legatum.core.moves.runbook import Runbook, next_step
from legatum.core.records.name import Name, file_name
from legatum.core.running.fault import BadInput
from legatum.journal.journal import Journal
from legatum.net.file import write_whole
from legatum.work.run_context import RunContext

SCHEMA = "legatum.move/2"
_EARLIER = "legatum.move/1"


def move_path(context: RunContext, domain: Name) -> Path:
    """Where the move of a domain is kept, as it is now."""
    context.journal.bring([domain])
    return context.folder / context.settings.moves / f"{file_name(domain)}.move.toml"


def is_over(path: Path, journal: Journal) -> bool:
    """The move in this file is complete, or taken back whole: another one may take its place. Raises
    :class:`BadInput`."""
    there = retreat_path(path)
    last = read_move(there if there.exists() else path)
    return next_step(last, journal.outcomes(last.id)) is None


def moves_under_way(context: RunContext) -> list[Path]:
    """Files of moves that are not over, in the order of their names. Raises :class:`BadInput` for one that cannot be
    read."""
    context.journal.bring()
    folder = context.folder / context.settings.moves
    return [path for path in sorted(folder.glob("*.move.toml")) if not is_over(path, context.journal)]


def is_untouched(runbook: Runbook, journal: Journal) -> bool:
    """Nothing outside was ever changed by it, or may have been."""
    begun = journal.begun(runbook.id)
    return not any(step.id in begun for step in runbook.steps if step.changes or step.takes_away)


def zone_path(path: Path, part: Name | None = None, place: str = "") -> Path:
    """Where the gathered zone of a move is kept, or what was made of it at ``place``: beside its file. ``part``: of the
    domain, whose zone it is."""
    stem = path.name.removesuffix(".toml").removesuffix(".move").removesuffix(".retreat")
    words = [stem, *([file_name(part)] if part is not None else []), *(["at", place] if place else [])]
    return path.with_name(".".join([*words, "zone"]))


def retreat_path(path: Path) -> Path:
    """Where the way back of a move is kept: beside its file."""
    return path.with_name(path.name.removesuffix(".toml").removesuffix(".move") + ".retreat.toml")


def write_move(path: Path, runbook: Runbook) -> None:
    """Raises as :func:`~legatum.net.file.write_whole`; then there is no new move."""
    import tomli_w

    try:
        path.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise BadInput(f"{path}: {error.strerror}", "nothing was drafted; make the folder writable") from None
    write_whole(path, tomli_w.dumps({"schema": SCHEMA} | plain(runbook), multiline_strings=False))


def read_move(path: Path) -> Runbook:
    """Raises :class:`BadInput` for what is no move file."""
    try:
        table = tomllib.loads(path.read_text(encoding="utf-8"))
    except FileNotFoundError:
        raise BadInput(
            f"no move at {path}", "draft one: `legatum move draft DOMAIN --to PROVIDER`, or with another wish"
        ) from None
    except OSError as error:
        raise BadInput(f"{path}: {error.strerror}") from None
    except (tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
        raise BadInput(f"{path}: {error}", "mend the file, or draft the move again") from None
    schema = table.pop("schema", None)
    if schema == _EARLIER:
        raise BadInput(
            f"{path}: this move was drawn by an earlier version, in a form that knew less of its premises",
            "draft it again with --force: what is done already is seen, and not done twice; what was served "
            "meanwhile is in the journal",
        )
    if schema != SCHEMA:
        raise BadInput(f"{path}: schema '{schema}'", f"this program reads {SCHEMA}")
    try:
        runbook = runbook_from(table)
    except BadInput as fault:
        raise BadInput(f"{path}: {fault.message}", fault.remedy or "mend the file, or draft the move again") from None
    _refuse_circles(runbook, path)
    return runbook


def _refuse_circles(runbook: Runbook, path: Path) -> None:
    known = {past.label for past in runbook.past}
    for step in runbook.steps:
        unknown = [wait.after for wait in step.waits if wait.after not in known]
        if unknown or step.id in known:
            raise BadInput(
                f"{path}: step '{step.id}' "
                + (f"waits for '{unknown[0]}', which is no earlier step" if unknown else "stands twice")
            )
        known.add(step.id)
