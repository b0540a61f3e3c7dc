"""The NS set at the apex on one side: its TTL lowered or raised, or the whole set exchanged, seen on every server."""

import asyncio

from legatum.core.name import name_text
from legatum.core.presentation import difference_text
from legatum.core.rehearsal.stage import Which
from legatum.core.rrset import rrset, targets
from legatum.core.rrtype import NS, SOA
from legatum.core.runbook import Outcome
from legatum.core.soa import next_serial
from legatum.core.verdict import names_said
from legatum.core.zone import Zone
from legatum.work.publish import Publication, carry_out
from legatum.work.steps.action import Action, Job, Refusal
from legatum.work.steps.sides import side_refusals
from legatum.work.steps.switch import lock_refusals, look_at_registration


class Apex(Action):
    """``details``: at which ``side`` (``old``, ``new``), which ``ns`` set (``old``, ``new``), with which ``ttl`` in seconds."""

    def __init__(self, job: Job) -> None:
        super().__init__(job)
        details = job.step.details
        side = Which(details["side"])
        self._provider, self._names = job.provider(side), job.target_ns
        self._own = job.ns_set(side)
        # Handing out the other side's set sends visitors there: that side must be ready for them.
        self._exchanges = side != job.target
        self._wanted = rrset(job.domain, NS, int(details["ttl"]), self._names)

    async def gate(self) -> list[Refusal]:
        refusals = await side_refusals(self.job) if self._exchanges else []
        if self._exchanges:  # from here on visitors feel it: the registrar must be able to follow
            refusals += lock_refusals(self.job, await look_at_registration(self.job))
        present = targets((await self._provider.fetch(self.job.domain)).apex_ns)
        if present not in (self.job.old_ns, self.job.new_ns):
            reason = f"the NS set at {self._provider.name} is {names_said(present)}, not {names_said(self._own)}"
            refusals.append(Refusal(reason, "somebody changed it since the move was drafted: find out who, then draft again"))
        return refusals

    async def preview(self) -> list[str]:
        publication = self._plan(await self._provider.fetch(self.job.domain))
        return [difference_text(each) for each in publication.differences if each.rtype != SOA]

    async def seen(self) -> Outcome | None:
        if (await self._provider.fetch(self.job.domain)).apex_ns != self._wanted:
            return None
        first = self.now()
        addresses = await self.job.outside.addresses_of(self._provider.servers)
        return self.outcome(first, await self._everywhere(addresses), self._summary(len(addresses)) + " already")

    async def perform(self) -> Outcome:
        done = await carry_out(self.job.outside, self._plan(await self._provider.fetch(self.job.domain)))
        return self.outcome(done.first, await self._everywhere(done.addresses), self._summary(len(done.addresses)), serial=done.serial)

    def _plan(self, zone: Zone) -> Publication:
        changed = zone.with_rrsets([self._wanted])
        if changed != zone:
            changed = changed.with_serial(next_serial(zone.soa.serial))
        return Publication.between(self._provider, zone, changed)

    async def _everywhere(self, addresses: tuple[str, ...]) -> float:
        """Waits until every address hands out this NS set with this TTL; the instant."""
        asker, domain = self.job.outside.asker, self.job.domain

        async def missing() -> str:
            replies = await asyncio.gather(*(asker.ask(address, domain, NS) for address in addresses))
            return ", ".join(reply.server for reply in replies if reply.find(NS) != self._wanted)

        return await self.job.outside.until_seen(missing, f"the NS set of {name_text(domain)} at {self._provider.name}")

    def _summary(self, count: int) -> str:
        return f"every server of {self._provider.name} ({count} addresses) hands out {names_said(self._names)}, TTL {self._wanted.ttl}"
