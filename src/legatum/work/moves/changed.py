"""What a step is about to change, and what it has changed, kept for everything that is asked later."""

from legatum.core.dnssec.chain import State
from legatum.core.dnssec.serving import ds_rdatas
from legatum.core.dnssec.trust import DsSet
from legatum.core.moves.effects import (
    Delegated,
    DsChanged,
    DsPublished,
    Published,
    Records,
    Trusted,
    ZoneEnded,
    ZoneMade,
)
from legatum.core.moves.outcome import Outcome
from legatum.core.moves.place import PARENT
from legatum.core.moves.runbook import Runbook, Step
from legatum.core.records.name import Name
from legatum.core.records.rrset import RRset, rrset
from legatum.core.records.rrtype import DS, NS
from legatum.work.memory import note_after, note_before, note_ended, note_state
from legatum.work.run_context import RunContext


def note_begun(context: RunContext, step: Step) -> None:
    """Before anything is sent: whatever becomes of it, it may have happened."""
    for effect in step.effects:
        match effect:
            case Records():
                note_before(context, effect.place, effect.zone, [(each.before, each.after) for each in effect.changed])
            case ZoneMade():
                note_before(context, effect.place, effect.zone, [(None, each) for each in effect.rrsets])
            case Delegated():
                note_before(context, PARENT, effect.domain, [_delegation(effect)])
            case DsChanged():
                note_before(
                    context,
                    PARENT,
                    effect.domain,
                    [(_ds(effect.domain, effect.before), _ds(effect.domain, effect.after))],
                )


def note_done(context: RunContext, runbook: Runbook, step: Step, outcome: Outcome) -> None:
    """A change at the registrar when every server of the parent zone has it."""
    earlier = [one for each in runbook.steps for one in each.effects]
    for effect in step.effects:
        match effect:
            case Records():
                note_after(
                    context,
                    effect.place,
                    effect.zone,
                    [(each.before, each.after) for each in effect.changed],
                    outcome.all,
                )
            case ZoneMade():
                note_after(context, effect.place, effect.zone, [(None, each) for each in effect.rrsets], outcome.all)
            case ZoneEnded():
                note_ended(context, effect.place, effect.zone, outcome.all)
            case Trusted(domain=zone, anchors=anchors) if anchors:
                note_state(context, zone, State.VALID, outcome.all)
            case Published():
                for each in earlier:
                    if isinstance(each, Delegated) and effect.concerns(each):
                        note_after(context, PARENT, each.domain, [_delegation(each)], outcome.all)
            case DsPublished():
                for each in earlier:
                    if isinstance(each, DsChanged) and effect.concerns(each):
                        changed = (_ds(each.domain, each.before), _ds(each.domain, each.after))
                        note_after(context, PARENT, each.domain, [changed], outcome.all)


def _delegation(effect: Delegated) -> tuple[RRset | None, RRset | None]:
    """Of a first delegation the registry's TTL is not known before it is seen."""
    if not effect.before:
        return None, None
    before, after = (
        rrset(effect.domain, NS, effect.ttl, names) if names else None for names in (effect.before, effect.after)
    )
    return before, after


def _ds(domain: Name, anchors: DsSet) -> RRset | None:
    """None where it is of keys that are to come."""
    return rrset(domain, DS, anchors.ttl, ds_rdatas(anchors)) if anchors.records and not anchors.of else None
