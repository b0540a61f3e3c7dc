"""The actions that steps name, one file each: look whether it is done, check the gate, do it, prove it."""

from legatum.core.fault import BadInput
from legatum.work.steps.action import Action, Job, Refusal
from legatum.work.steps.apex import Apex
from legatum.work.steps.code import Code
from legatum.work.steps.compare import Compare
from legatum.work.steps.confirm import Confirm
from legatum.work.steps.end import End
from legatum.work.steps.fit import Fit
from legatum.work.steps.follow import Follow
from legatum.work.steps.gather import Gather
from legatum.work.steps.kept import Kept, Settled
from legatum.work.steps.locks import Lock, Unlock
from legatum.work.steps.parents import Parents
from legatum.work.steps.publish import Publish
from legatum.work.steps.ready import Ready
from legatum.work.steps.registrant import Registrant
from legatum.work.steps.switch import Switch
from legatum.work.steps.transfer import Approve, Cancel, Request

_ACTIONS: dict[str, type[Action]] = {
    "gather": Gather,
    "publish": Publish,
    "compare": Compare,
    "ready": Ready,
    "apex": Apex,
    "switch": Switch,
    "parents": Parents,
    "confirm": Confirm,
    "end": End,
    "fit": Fit,
    "unlock": Unlock,
    "request": Request,
    "approve": Approve,
    "cancel": Cancel,
    "follow": Follow,
    "kept": Kept,
    "registrant": Registrant,
    "lock": Lock,
    "code": Code,
    "settled": Settled,
}


def action_of(job: Job) -> Action:
    """The action that carries out the job's step. Raises :class:`BadInput` for a name that none has."""
    if job.step.action not in _ACTIONS:
        raise BadInput(f"step '{job.step.id}': no action '{job.step.action}'", f"known: {', '.join(_ACTIONS)}")
    return _ACTIONS[job.step.action](job)


__all__ = ["Action", "Job", "Refusal", "action_of"]
