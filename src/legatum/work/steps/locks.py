"""The registrar's locks in a transfer: lifted before it at the losing registrar, set after it at the gaining one."""

from collections.abc import Iterable

from legatum.core.fault import OutsideFault
from legatum.core.moves.transfer import UPDATE_LOCK
from legatum.core.runbook import Outcome
from legatum.services.registrar import Registrar
from legatum.work.steps.action import Action, Job
from legatum.work.steps.registered import look_at_held


class _Locks(Action):
    """``to_set``, ``to_lift``: the statuses wanted at the ``account``; what is so already is left alone."""

    def __init__(self, job: Job, account: Registrar, to_set: Iterable[str] = (), to_lift: Iterable[str] = ()) -> None:
        super().__init__(job)
        self.account = account
        self.to_set, self.to_lift = frozenset(to_set), frozenset(to_lift)

    async def preview(self) -> list[str]:
        held, _ = await look_at_held(self.job.outside, self.job.domain, self.account)
        wanted = sorted((set(held.statuses) | self.to_set) - self.to_lift - {"ok"}) or ["ok"]
        return [f"statuses at {self.account.name}: {', '.join(held.statuses) or 'none'} → {', '.join(wanted)}"]

    async def seen(self) -> Outcome | None:
        held, _ = await look_at_held(self.job.outside, self.job.domain, self.account)
        if self.to_set - set(held.statuses) or self.to_lift & set(held.statuses):
            return None
        now = self.now()
        return self.outcome(now, now, f"statuses at {self.account.name}: {', '.join(held.statuses) or 'none'}")

    async def perform(self) -> Outcome:
        first = self.now()
        held, _ = await look_at_held(self.job.outside, self.job.domain, self.account)
        come, go = self.to_set - set(held.statuses), self.to_lift & set(held.statuses)
        # The lock on updates is lifted first and set last: under it nothing else can be changed.
        first_go, then_go = go & {UPDATE_LOCK}, go - {UPDATE_LOCK}
        first_come, then_come = come - {UPDATE_LOCK}, come & {UPDATE_LOCK}
        for add, remove in ((frozenset(), first_go), (first_come, then_go), (then_come, frozenset())):
            if add or remove:
                await self.account.change_statuses(self.job.domain, sorted(add), sorted(remove))
        outcome = await self.seen()
        if outcome is None:
            raise OutsideFault(f"{self.account.name} did not keep the statuses", "look at the registrar's own pages")
        return self.outcome(first, outcome.all, outcome.summary)


class Unlock(_Locks):
    def __init__(self, job: Job) -> None:
        super().__init__(job, job.losing, to_lift=map(str, job.step.details["locks"]))


class Lock(_Locks):
    def __init__(self, job: Job) -> None:
        account = job.losing if job.step.details.get("at") == "losing" else job.gaining
        super().__init__(job, account, to_set=map(str, job.step.details["locks"]))
