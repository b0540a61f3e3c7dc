"""RRsets of a zone at one place become others, seen on every server of it and of those that follow it."""

import asyncio

from legatum.core.moves.drift.position import Refusal
from legatum.core.moves.effects import Delegated, Records, RRsetChange
from legatum.core.moves.outcome import Outcome
from legatum.core.moves.place import ADDRESSES
from legatum.core.records.address import address_text
from legatum.core.records.name import Name, is_under, name_text
from legatum.core.records.presentation import rdata_texts
from legatum.core.records.rrset import RRset, targets
from legatum.core.records.rrtype import NS, SOA, type_text
from legatum.core.records.soa import alike, serial_is_newer
from legatum.core.running.fault import OutsideFault
from legatum.core.zones.changing.publication import Publication
from legatum.core.zones.difference import difference_text
from legatum.core.zones.signer import OWN
from legatum.core.zones.zone import Zone
from legatum.services.provider import Provider
from legatum.services.registrar import ByHand
from legatum.work.drafting.second import follower_of, in_step
from legatum.work.moves.effects.action import Action
from legatum.work.moves.readiness import locked, unready, users_unserved
from legatum.work.zones.publish import carry_out, next_by_rule, wrong_answers


class ChangeRecords(Action[Records]):
    async def gate(self) -> list[Refusal]:
        refusals, zone = [], await self._zone()
        for each in self.effect.changed:
            present = zone.get(*each.key)
            if not (alike(present, each.before) or alike(present, each.after)):
                text = f"{name_text(each.key[0])} {type_text(each.key[1])}"
                refusals.append(Refusal(
                    f"{text} at {self.effect.place} is {_said(present)}, not {_said(each.before)} as the plan has it",
                    f"somebody changed it since the move was drafted: find out who; then `legatum move redraw "
                    f"{name_text(self.job.domain)}`",
                ))  # fmt: skip
        return refusals + await self._leading_refusals()

    async def _leading_refusals(self) -> list[Refusal]:
        """Who is newly named is led to, and must be ready; and the registrar must be able to follow."""
        refusals = []
        for each in self.effect.changed:
            if each.key[1] in ADDRESSES and each.after is not None:
                come = set(each.after.rdatas) - set(each.before.rdatas if each.before is not None else ())
                refusals += await users_unserved(self.job, each.key[0], sorted(map(address_text, come)))
            added = (
                sorted(set(targets(each.after)) - set(targets(each.before))) if each.key[1] == NS and each.after else []
            )
            if added:
                refusals += await unready(self.job, each.key[0], added)
            if added and each.key[0] == self.job.domain and (registrar := self._delegating_later()):
                refusals += await locked(self.job, registrar)
        return refusals

    def _delegating_later(self) -> str:
        """The registrar at which a later step changes the NS set."""
        left = [step for step in self.job.runbook.steps if step.id not in self.job.outcomes]
        return next((each.registrar for step in left for each in step.effects if isinstance(each, Delegated)), "")

    async def preview(self) -> list[str]:
        publication = self._plan(await self._zone())
        lines = [difference_text(each) for each in publication.differences if each.rtype != SOA or self._is_of_soa]
        return [f"{self.effect.place}: {line}" for line in lines] if self.effect.zone != self.job.domain else lines

    async def seen(self) -> Outcome | None:
        zone = await self._zone()
        if not all(self._is(zone.get(*each.key), each) for each in self.effect.changed):
            return None
        first = self.now()
        addresses = await self.job.context.addresses_of(self._provider.servers)
        everywhere = await self._everywhere(addresses)
        await self._followed()
        return self.outcome(first, everywhere, self._summary(len(addresses)) + " already")

    async def perform(self) -> Outcome:
        zone = await self._zone()
        publication = self._plan(zone)
        if self._provider.by_hand:
            told = [each for each in publication.differences if each.rtype != SOA or self._is_of_soa]
            raise ByHand(self._provider.name, "", [difference_text(each) for each in told])
        done = await carry_out(self.job.context, publication)
        everywhere = await self._everywhere(done.addresses)
        await self._require_rest(done.addresses, publication.wanted)
        summary = self._summary(len(done.addresses))
        if self.effect.follows:
            everywhere, said = await self._followed()
            summary += f"; {said}"
        return self.outcome(done.first, everywhere, summary, serial=done.serial)

    @property
    def _provider(self) -> Provider:
        return self.job.provider(self.effect.place)

    @property
    def _is_of_soa(self) -> bool:
        return any(each.key[1] == SOA for each in self.effect.changed)

    @property
    def _exactly(self) -> bool:
        """The serial itself is what changes."""
        return self._is_of_soa and all(alike(each.before, each.after) for each in self.effect.changed)

    def _is(self, given: RRset | None, change: RRsetChange) -> bool:
        """What was meant, TTL included."""
        return given == change.after if self._exactly else alike(given, change.after)

    async def _zone(self) -> Zone:
        return await self.job.zone(self.effect.place, self.effect.zone)

    def _plan(self, zone: Zone) -> Publication:
        changed = zone.without([each.key for each in self.effect.changed if each.after is None])
        changed = changed.with_rrsets([each.after for each in self.effect.changed if each.after is not None])
        # The serial of a plan may have been overtaken by an earlier step of it.
        planned = self._is_of_soa and (self._exactly or serial_is_newer(changed.soa.serial, zone.soa.serial))
        if changed != zone and not planned:
            changed = changed.with_serial(next_by_rule(self.job.context, zone))
        return Publication.between(self.effect.place, zone, changed)

    async def _everywhere(self, addresses: tuple[str, ...]) -> float:
        """When every server was seen with these, TTLs included. Names below a cut are not asked for: the cut is."""
        asked = [each for each in self.effect.changed if not self._is_below_cut(each)]

        async def missing() -> str:
            keys = [(address, each) for address in addresses for each in asked]
            replies = await asyncio.gather(*(self.job.context.asker.ask(address, *each.key) for address, each in keys))
            late = []
            for (address, each), reply in zip(keys, replies, strict=True):
                given = reply.find(each.key[1])
                if given is None and each.key[0] == self.effect.cut:
                    given = next((one for one in reply.authority if one.rtype == NS and one.name == each.key[0]), None)
                if not reply.answered or not self._is(given, each):
                    late.append(f"{address}: {_said(given)}")
            return "; ".join(late[:4])

        return await self.job.context.until_seen(missing, f"{name_text(self.effect.zone)} at {self.effect.place}")

    def _is_below_cut(self, change: RRsetChange) -> bool:
        cut = self.effect.cut
        handed_on = next(
            (each for each in self.effect.changed if each.key == (cut, NS) and each.after is not None), None
        )
        return handed_on is not None and is_under(change.key[0], Name(cut or b"")) and change.key != (cut, NS)

    async def _require_rest(self, addresses: tuple[str, ...], wanted: Zone) -> None:
        """Raises :class:`OutsideFault` where a cut, or its end, has changed what is beside it."""
        if self.effect.cut is None:
            return
        keys = sorted(
            (each.name, each.rtype)
            for each in wanted.unsorted
            if each.rtype not in OWN and not self.effect.hides(each.name)
        )
        if wrong := await wrong_answers(self.job.context, addresses, wanted, keys):
            raise OutsideFault(
                f"the rest of the zone is not as it was: {'; '.join(wrong[:4])}",
                "`legatum compare PROVIDER FILE` shows it",
            )

    async def _followed(self) -> tuple[float, str]:
        """Until those that follow have it too; since when, and what was seen."""
        said = []
        for place in self.effect.follows:
            serial, _ = await in_step(
                self.job.context, follower_of(self.job.context, self.effect.zone, self.effect.place, place)
            )
            said.append(f"{place} has serial {serial}")
        return self.now(), ", ".join(said)

    def _summary(self, count: int) -> str:
        texts = [
            f"{name_text(each.key[0])} {type_text(each.key[1])} {_said(each.after)}" for each in self.effect.changed
        ]
        listed = "; ".join(texts[:3]) + (f" and {len(texts) - 3} more" if texts[3:] else "")
        return f"every server of {self.effect.place} ({count} addresses) hands out {listed}"


def _said(rrset_: RRset | None) -> str:
    return f"{', '.join(rdata_texts(rrset_))}, TTL {rrset_.ttl}" if rrset_ is not None else "nothing"
