"""Moves as TOML files: one runbook a file, to be read, kept with the customer's papers and, with care, edited."""

import tomllib
from pathlib import Path
from typing import Any

import msgspec

from legatum.core.fault import BadInput
from legatum.core.instant import instant_text, parse_instant
from legatum.core.name import Name, name_text, parse_domain
from legatum.core.runbook import Runbook, Step, next_step
from legatum.core.timing import Wait
from legatum.journal.journal import Journal
from legatum.net.file import write_whole
from legatum.work.outside import Outside

SCHEMA = "legatum.move/1"


class HoldPart(msgspec.Struct, forbid_unknown_fields=True, kw_only=True):
    """A wait: ``seconds`` + ``slack`` after every server showed the step ``after``."""

    after: str
    seconds: int
    slack: int
    rule: int
    because: str


class StepPart(msgspec.Struct, forbid_unknown_fields=True, kw_only=True):
    """One step, in the order in which they are carried out."""

    id: str
    title: str
    action: str
    gates: list[str]
    proof: str
    way_back: str
    changes: bool = False
    estimate: int = 1
    details: dict[str, Any] = {}
    hold: list[HoldPart] = []


class MoveDocument(msgspec.Struct, forbid_unknown_fields=True, kw_only=True):
    """A whole move file."""

    schema: str
    id: str
    kind: str
    domain: str
    drafted: str
    margin: int
    premises: dict[str, Any]
    step: list[StepPart]


def move_path(outside: Outside, domain: Name) -> Path:
    """Where the move of a domain is kept. Only letters, digits, hyphens, dots and underscores of the name can get into it."""
    safe = "".join(each if each.isalnum() or each in "-._" else "_" for each in name_text(domain))
    return outside.folder / outside.settings.moves / f"{safe}.move.toml"


def is_over(path: Path, journal: Journal) -> bool:
    """The move in this file is complete, or taken back whole: another one may take its place. Raises :class:`BadInput`."""
    there = retreat_path(path)
    last = read_move(there if there.exists() else path)
    return next_step(last, journal.outcomes(last.id)) is None


def zone_path(path: Path) -> Path:
    """Where the gathered zone of a move is kept: beside its file."""
    stem = path.name.removesuffix(".toml").removesuffix(".move").removesuffix(".retreat")
    return path.with_name(stem + ".zone")


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
    write_whole(path, tomli_w.dumps(msgspec.to_builtins(to_document(runbook)), multiline_strings=False))


def read_move(path: Path) -> Runbook:
    """Raises :class:`BadInput` for what is no move file."""
    try:
        document = msgspec.convert(tomllib.loads(path.read_text(encoding="utf-8")), MoveDocument)
    except FileNotFoundError:
        raise BadInput(
            f"no move at {path}", "draft one: `legatum move draft DOMAIN --from PROVIDER --to PROVIDER --registrar NAME`"
        ) from None
    except OSError as error:
        raise BadInput(f"{path}: {error.strerror}") from None
    except (tomllib.TOMLDecodeError, msgspec.ValidationError, UnicodeDecodeError) as error:
        raise BadInput(f"{path}: {error}", "mend the file, or draft the move again") from None
    return _from_document(document, path)


def to_document(runbook: Runbook) -> MoveDocument:
    return MoveDocument(
        schema=SCHEMA,
        id=runbook.id,
        kind=runbook.kind,
        domain=name_text(runbook.domain),
        drafted=instant_text(runbook.drafted),
        margin=runbook.margin,
        premises=dict(runbook.premises),
        step=[_step_part(step) for step in runbook.steps],
    )


def _step_part(step: Step) -> StepPart:
    holds = [HoldPart(after=w.after, seconds=w.seconds, slack=w.slack, rule=w.rule, because=w.because) for w in step.waits]
    return StepPart(
        id=step.id, title=step.title, action=step.action, gates=list(step.gates), proof=step.proof, way_back=step.way_back,
        changes=step.changes, estimate=step.estimate, details=dict(step.details), hold=holds,
    )  # fmt: skip


def _from_document(document: MoveDocument, path: Path) -> Runbook:
    if document.schema != SCHEMA:
        raise BadInput(f"{path}: schema '{document.schema}'", f"this program reads {SCHEMA}")
    known: set[str] = set()
    steps = []
    for part in document.step:
        unknown = [hold.after for hold in part.hold if hold.after not in known]
        if unknown or part.id in known:
            raise BadInput(
                f"{path}: step '{part.id}' " + (f"waits for '{unknown[0]}', which is no earlier step" if unknown else "stands twice")
            )
        known.add(part.id)
        waits = tuple(Wait(hold.after, hold.seconds, hold.slack, hold.rule, hold.because) for hold in part.hold)
        steps.append(
            Step(
                part.id,
                part.title,
                part.action,
                tuple(part.gates),
                part.proof,
                part.way_back,
                waits,
                part.changes,
                part.estimate,
                part.details,
            )
        )
    return Runbook(
        document.id, document.kind, parse_domain(document.domain), parse_instant(document.drafted), document.margin, document.premises,
        tuple(steps),
    )  # fmt: skip
