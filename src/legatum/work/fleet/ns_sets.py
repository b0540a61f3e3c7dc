"""The same NS set for many domains: proven for each, then changed over one session, and read back."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

from legatum.core.agreement.verdict import names_said
from legatum.core.records.name import Name
from legatum.core.running.fault import Fault
from legatum.net.side_by_side import side_by_side
from legatum.services.registrar import Glue, NsChange, Registrar
from legatum.work.registry.registration import glue_for, note_ns_before, refuse_unready
from legatum.work.run_context import RunContext


@dataclass(frozen=True)
class Candidate:
    """One domain. ``state``: ``ready``, ``unchanged`` (it is like this already), ``refused`` by a gate, ``failed``,
    then ``changed``; ``why``: the reason, or what the registry said."""

    domain: Name
    old: tuple[Name, ...]
    state: str
    why: str = ""
    remedy: str = ""


async def look(
    context: RunContext,
    registrar: Registrar,
    domains: Sequence[Name],
    wanted: Sequence[Name],
    gate: bool,
    told: Callable[[str], None],
) -> list[Candidate]:
    """Which of the domains can be changed, in order."""
    held: dict[Name, tuple[Name, ...] | Fault] = {}
    async for domain, found in registrar.registrations(domains):
        held[domain] = found if isinstance(found, Fault) else found.nameservers
    done = 0

    async def one(domain: Name) -> Candidate:
        nonlocal done
        candidate = await _look_at(context, domain, held[domain], wanted, gate)
        done += 1
        if done % 50 == 0:
            told(f"{done} of {len(domains)} looked at")
        return candidate

    return await side_by_side(one, domains)


async def _look_at(
    context: RunContext, domain: Name, held: tuple[Name, ...] | Fault, wanted: Sequence[Name], gate: bool
) -> Candidate:
    if isinstance(held, Fault):
        return Candidate(domain, (), "failed", held.message, held.remedy)
    old = tuple(sorted(held))
    if set(old) == set(wanted):
        return Candidate(domain, old, "unchanged")
    try:
        if gate:
            await refuse_unready(context, domain, old, wanted)
    except Fault as fault:
        return Candidate(domain, old, "refused", fault.message, fault.remedy)
    return Candidate(domain, old, "ready")


async def change(
    context: RunContext, registrar: Registrar, candidates: Sequence[Candidate], wanted: Sequence[Name]
) -> list[Candidate]:
    """Changes those that are ready, and reads each back. What is known of each is in the journal."""
    ready = [each for each in candidates if each.state == "ready"]
    now = context.clock.now()
    changes = [_change_of(each, wanted, await glue_for(context, registrar, each.domain, wanted)) for each in ready]
    said: dict[Name, str | Fault] = {}
    with context.journal.occupied([each.domain for each in ready], now):
        intents = [
            (each.domain, f"NS set at {registrar.name}: {names_said(each.old)} → {names_said(tuple(wanted))}")
            for each in ready
        ]
        context.journal.intend_many("nameservers", now, intents)
        await side_by_side(lambda each: note_ns_before(context, each.domain, wanted), ready)
        try:
            async for domain, told in registrar.change_many(changes):
                said[domain] = told
            after = {domain: found async for domain, found in registrar.registrations([each.domain for each in ready])}
        finally:
            known = [
                (each.domain, _words(said.get(each.domain)), isinstance(said.get(each.domain), str)) for each in ready
            ]
            context.journal.settle_many("nameservers", context.clock.now(), known)
    done = {}
    for each in ready:
        found, answer = after[each.domain], said.get(each.domain)
        if isinstance(answer, Fault) or isinstance(found, Fault) or answer is None:
            fault = answer if isinstance(answer, Fault) else found if isinstance(found, Fault) else None
            done[each.domain] = replace(each, state="failed", why=_words(fault), remedy=fault.remedy if fault else "")
        elif set(found.nameservers) != set(wanted):
            why = f"{registrar.name} said {answer}, but holds {names_said(found.nameservers)}"
            done[each.domain] = replace(each, state="failed", why=why, remedy="look at the registrar's own pages")
        else:
            done[each.domain] = replace(each, state="changed", why=answer)
    return [done.get(each.domain, each) for each in candidates]


def _words(answer: str | Fault | None) -> str:
    return answer.message if isinstance(answer, Fault) else answer or "no answer"


def _change_of(each: Candidate, wanted: Sequence[Name], glue: Glue) -> NsChange:
    return NsChange(
        each.domain, tuple(sorted(set(wanted) - set(each.old))), tuple(sorted(set(each.old) - set(wanted))), glue
    )
