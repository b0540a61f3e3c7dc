"""What a step has changed, and until when it was otherwise, kept for later plans."""

from legatum.core.dnssec.chain import State
from legatum.core.moves.effects import Delegated, Published, Records, Trusted, ZoneMade
from legatum.core.moves.outcome import Outcome
from legatum.core.moves.place import PARENT
from legatum.core.moves.runbook import Runbook, Step
from legatum.core.records.rrset import rrset
from legatum.core.records.rrtype import DS, NS
from legatum.journal.journal import Seen
from legatum.work.memory import SIGNING, note_served
from legatum.work.outside import Outside


def note_done(outside: Outside, runbook: Runbook, step: Step, outcome: Outcome) -> None:
    """A change at the registrar when every server of the parent zone has it."""
    for effect in step.effects:
        match effect:
            case Records():
                note_served(outside, effect.zone, [each.before for each in effect.changed], at=outcome.all)
                note_served(outside, effect.zone, [each.after for each in effect.changed], at=outcome.all)
            case ZoneMade():
                note_served(outside, effect.zone, effect.rrsets, at=outcome.all)
            case Trusted(domain=zone, anchors=anchors) if anchors:
                outside.journal.remember(zone, [Seen(SIGNING, zone, DS, 0, State.VALID)], outcome.all)
            case Published():
                for each in (
                    one
                    for earlier in runbook.steps
                    for one in earlier.effects
                    if isinstance(one, Delegated)
                    and effect.concerns(one)
                    and one.before  # of a first delegation the registry's TTL is not known before it is seen
                ):
                    for names in (each.before, each.after):
                        sets = [rrset(each.domain, NS, each.ttl, names)] if names else []
                        note_served(outside, each.domain, sets, PARENT, outcome.all)
