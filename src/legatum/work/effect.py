"""The one way in which anything outside is changed: nobody else at the domain, an intent before it, what became of it after."""

from collections.abc import Awaitable, Callable, Sequence

from legatum.core.fault import Fault
from legatum.core.moves.outcome import Outcome
from legatum.core.records.name import Name
from legatum.work.outside import Outside


async def carried_out(
    outside: Outside, domain: Name, step: str, words: str, change: Callable[[], Awaitable[str | Outcome]], changes: Sequence[str] = ()
) -> Outcome:
    """``words``: what is intended, and ``changes``: old → new, a line each; ``change``: makes it, and gives what was said, or the whole
    outcome. ``domain``: the root for what is of no domain, such as an account.

    Raises what ``change`` does; and :class:`GateShut` where somebody else works on the domain.
    """
    journal, first = outside.journal, outside.clock.now()
    with journal.occupied([domain], first), outside.collecting() as evidence:
        journal.intend("", domain, step, first, words, changes)
        try:
            said = await change()
        except Fault as fault:
            journal.fail("", domain, step, outside.clock.now(), fault.message, evidence)
            raise
        outcome = said if isinstance(said, Outcome) else Outcome(step, first, outside.clock.now(), said)
        journal.settle("", domain, outcome, outside.clock.now(), evidence)
        return outcome
