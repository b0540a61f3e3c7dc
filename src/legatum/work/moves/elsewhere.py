"""What a step confirms, seen from other networks too, where the settings want that of every proof."""

from dataclasses import replace

from legatum.core.agreement.expected import Expected
from legatum.core.records.name import Name, name_text
from legatum.core.running.fault import Fault, GateShut
from legatum.work.afar.remote_tasks import confirm_there
from legatum.work.afar.viewpoints import open_lookouts
from legatum.work.look.asking.wanted import Wanted
from legatum.work.run_context import RunContext


async def seen_elsewhere(context: RunContext, domain: Name, expected: Expected) -> str:
    """From which viewpoints it is so, in words, empty where none has to be asked. Raises :class:`GateShut` where it is
    not so from one of them, or not known; :class:`OutsideFault` where no scheduler is there."""
    names = [name for name, each in context.settings.viewpoints.items() if each.proves]
    if not names:
        return ""
    async with open_lookouts(context, names) as lookouts:
        seen = await lookouts.look(confirm_there, domain, replace(expected, publishing=0), Wanted(rdap=False))
    for place, verdict in seen.items():
        if isinstance(verdict, Fault):
            raise GateShut(
                f"not known from {place}: {verdict.message}",
                "a proof needs it (`proves` in the settings): let it look, then go on",
            )
        if not verdict.confirmed:
            wrong = verdict.disagreeing
            first = f"{wrong[0].who}, {wrong[0].about}: {wrong[0].said}" if wrong else "nobody could be asked"
            text = name_text(domain)
            raise GateShut(
                f"not so from {place}: {len(wrong)} of {len(verdict.checks)} checks are not right, first {first}",
                f"`legatum confirm {text} --from-everywhere` shows who sees what; then go on",
            )
    return f"; so it is from {', '.join(seen)}"
