"""A move as it is to be gone on with: its file, and beside it whatever the house knows by now of what was handed
out."""

from collections.abc import Mapping
from pathlib import Path

from legatum.core.moves.outcome import Outcome
from legatum.core.moves.recall import recalled
from legatum.core.moves.runbook import Runbook
from legatum.work.memory import held_copies
from legatum.work.movefile import read_move
from legatum.work.run_context import RunContext


def open_move(context: RunContext, path: Path) -> Runbook:
    """Raises :class:`BadInput` for what is no move."""
    runbook = read_move(path)
    return with_memory(context, runbook, context.journal.outcomes(runbook.id))


def with_memory(context: RunContext, runbook: Runbook, outcomes: Mapping[str, Outcome]) -> Runbook:
    """Its holds count what was given meanwhile, whoever changed it."""
    if not runbook.changes_answers:
        return runbook
    zones = dict.fromkeys((runbook.domain, *runbook.premises.zones()))
    remembered = {zone: held_copies(context, zone) for zone in zones}
    return recalled(runbook, outcomes, remembered, context.clock.now())
