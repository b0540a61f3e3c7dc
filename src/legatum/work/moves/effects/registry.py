"""Which action carries which effect out."""

from typing import Any

from legatum.core.moves import effects as of
from legatum.work.moves.effects.action import Action
from legatum.work.moves.effects.delegation import Delegate, SeeDelegation
from legatum.work.moves.effects.hosts import SetHost
from legatum.work.moves.effects.looks import Agree, Compare, Gather, SeeAnswers, SeeReady
from legatum.work.moves.effects.records import ChangeRecords
from legatum.work.moves.effects.secondary import Join, Release
from legatum.work.moves.effects.service import SayBegun, SayEnded
from legatum.work.moves.effects.signing import ChangeSigning, SeeDs, SeeTrust, SetDs
from legatum.work.moves.effects.statuses import ChangeStatuses
from legatum.work.moves.effects.tracked import Track
from legatum.work.moves.effects.transfer.afterwards import ChangeCode, ChangeRegistrant, SeeKept, SeeSettled
from legatum.work.moves.effects.transfer.fit import SeeFit
from legatum.work.moves.effects.transfer.follow import FollowTransfer
from legatum.work.moves.effects.transfer.request import CarryTransfer
from legatum.work.moves.effects.zones import EndZone, MakeZone
from legatum.work.moves.step_context import StepContext

_ACTIONS: dict[type[of.Effect], type[Action[Any]]] = {
    of.Records: ChangeRecords,
    of.ZoneMade: MakeZone,
    of.ZoneEnded: EndZone,
    of.Delegated: Delegate,
    of.Published: SeeDelegation,
    of.HostSet: SetHost,
    of.DsChanged: SetDs,
    of.DsPublished: SeeDs,
    of.Signed: ChangeSigning,
    of.Trusted: SeeTrust,
    of.Joined: Join,
    of.Released: Release,
    of.ServiceEnded: SayEnded,
    of.ServiceBegun: SayBegun,
    of.Gathered: Gather,
    of.Same: Compare,
    of.Ready: SeeReady,
    of.Agreed: Agree,
    of.Answered: SeeAnswers,
    of.Tracked: Track,
    of.Statuses: ChangeStatuses,
    of.Transfer: CarryTransfer,
    of.Fit: SeeFit,
    of.Followed: FollowTransfer,
    of.Kept: SeeKept,
    of.RegistrantChanged: ChangeRegistrant,
    of.CodeChanged: ChangeCode,
    of.Settled: SeeSettled,
}


def actions_of(job: StepContext) -> list[Action[Any]]:
    """What carries the job's step out, in the order of its effects."""
    return [_ACTIONS[type(effect)](job, effect) for effect in job.step.effects]
