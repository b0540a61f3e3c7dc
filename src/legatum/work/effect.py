"""The one way in which anything outside is changed: nobody else at the domain, an intent before it, what became of it
after."""

from collections.abc import Awaitable, Callable, Sequence
from contextlib import suppress

from legatum.core.moves.outcome import Outcome
from legatum.core.records.name import Name
from legatum.core.running.fault import Fault
from legatum.work.run_context import RunContext


def found_done(context: RunContext, domain: Name, step: str) -> None:
    """A look has shown that there is nothing to change: whatever was begun of it, and not written down as ended, has
    happened."""
    with suppress(Fault):  # what is seen is none the worse
        context.journal.settle_open(
            domain, step, context.clock.now(), "found as it was meant, when it was looked at again"
        )


async def carried_out(
    context: RunContext,
    domain: Name,
    step: str,
    words: str,
    change: Callable[[], Awaitable[str | Outcome]],
    changes: Sequence[str] = (),
) -> Outcome:
    """``words``: what is intended, and ``changes``: old → new, a line each; ``change``: makes it, and gives what was
    said, or the whole outcome. ``domain``: the root for what is of no domain, such as an account.

    Raises what ``change`` does; and :class:`GateShut` where somebody else works on the domain.
    """
    journal, first = context.journal, context.clock.now()
    with journal.occupied([domain], first), context.collecting() as evidence:
        journal.settle_open(
            domain, step, first, "what became of it is not known; it was looked at again, and begun anew"
        )
        journal.intend("", domain, step, first, words, changes)
        try:
            said = await change()
        except Fault as fault:
            journal.fail("", domain, step, context.clock.now(), fault.message, evidence)
            raise
        outcome = said if isinstance(said, Outcome) else Outcome(step, first, context.clock.now(), said)
        journal.settle("", domain, outcome, context.clock.now(), evidence)
        return outcome
