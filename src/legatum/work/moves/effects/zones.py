"""A zone made at a place, whole, with that place's NS set in it; and one that is served there no longer."""

import asyncio

from legatum.core.moves.drift.position import Refusal
from legatum.core.moves.effects import ZoneEnded, ZoneMade
from legatum.core.moves.outcome import Outcome
from legatum.core.records.name import name_text
from legatum.core.records.rrset import targets
from legatum.core.records.rrtype import NS, SOA
from legatum.core.records.soa import alike
from legatum.core.running.fault import GateShut, OutsideFault
from legatum.core.zones.changing.publication import Publication, for_provider, new_publication
from legatum.core.zones.cutting import child_zone, parts_of
from legatum.core.zones.difference import difference_text, zone_differences
from legatum.core.zones.masterlines import master_text
from legatum.core.zones.signer import OWN
from legatum.core.zones.zone import Zone, fresh_zone
from legatum.net.file import write_whole
from legatum.services.registrar import ByHand
from legatum.work.gathering.contents import read_master_file
from legatum.work.moves.effects.action import Action
from legatum.work.zones.publish import carry_out, plan, prove, wrong_answers


def _same(gathered: Zone, present: Zone) -> bool:
    """But for the serial, and what a signer makes, which go on by themselves."""
    differences = zone_differences(gathered, present)
    return all(alike(each.left, each.right) if each.rtype == SOA else each.rtype in OWN for each in differences)


class MakeZone(Action[ZoneMade]):
    """From the gathered file, another place's zone, or what the zone above has there. Gate: the source is still the one
    gathered."""

    async def gate(self) -> list[Refusal]:
        job, effect = self.job, self.effect
        if effect.source or not job.file_of(effect.zone).exists():
            return []
        gathered = await self._zone()
        for place in job.timeline.serving(effect.zone):
            present = await job.zone(place, effect.zone)
            if not _same(gathered, present):
                reason = (
                    f"the zone at {place} is no longer the one gathered (serial {gathered.soa.serial}, now "
                    f"{present.soa.serial})"
                )
                return [
                    Refusal(reason, f"gather it again: `legatum move advance {name_text(job.domain)} --again gather`")
                ]
        return []

    async def preview(self) -> list[str]:
        publication = await self._plan()
        if publication.is_new:
            return [
                f"the zone does not exist at {self.effect.place} → it is created there, with "
                f"{len(publication.wanted)} RRsets"
            ]
        return [difference_text(each) for each in publication.differences]

    async def seen(self) -> Outcome | None:
        try:
            publication = await self._plan()
        except (GateShut, OutsideFault):
            return None
        if publication.is_new or publication.is_needed:
            return None
        proved = await prove(self.job.context, publication)
        self._keep(publication.wanted)
        return self.outcome(
            proved.first, proved.all, f"it is there already, serial {proved.serial}", serial=proved.serial
        )

    async def perform(self) -> Outcome:
        publication = await self._plan()
        if self.job.provider(publication.place).by_hand:
            made = (
                [f"create the zone {name_text(self.effect.zone)}, or import it as a master file"]
                if publication.is_new
                else []
            )
            changes = [
                difference_text(each) for each in publication.differences if each.rtype != SOA and not each.expected
            ]
            raise ByHand(publication.place, "", [*made, *changes])
        done = await carry_out(self.job.context, publication)
        if self._is_part:
            keys = [(each.name, each.rtype) for each in publication.wanted.unsorted if each.rtype not in (SOA, NS)]
            if lost := await wrong_answers(self.job.context, done.addresses, publication.wanted, keys):
                raise OutsideFault(
                    f"{self.effect.place} does not answer as the zone above did: {'; '.join(lost[:4])}",
                    "nothing was changed in the zone above",
                )
        self._keep(publication.wanted)
        where = f"every server of {self.effect.place} ({len(done.addresses)} addresses)"
        return self.outcome(
            done.first, done.all, f"{where} answers with serial {done.serial}; contents equal", serial=done.serial
        )

    def _keep(self, made: Zone) -> None:
        """By which an edit is known for one later."""
        comment = f"{name_text(made.origin)} as it was made at {self.effect.place}"
        write_whole(self.job.made_file(self.effect.place, made.origin), master_text(made, [comment]))

    @property
    def _is_part(self) -> bool:
        return self.effect.zone != self.job.domain and not self.job.file_of(self.effect.zone).exists()

    async def _plan(self) -> Publication:
        ns, provider, zone = self.effect.ns, self.job.provider(self.effect.place), await self._zone()
        try:
            return await plan(self.job.context, provider, zone, ns.ttl, targets(ns))
        except GateShut:
            if not provider.by_hand:
                raise
            fresh = fresh_zone(zone.origin, provider.servers)  # it is for a person to make it
            return new_publication(
                provider.name, for_provider(zone, fresh, provider, zone.soa.serial, ns.ttl, targets(ns))
            )

    async def _zone(self) -> Zone:
        job, effect = self.job, self.effect
        file = job.file_of(effect.zone)
        if not effect.source and file.exists():
            return read_master_file(file, effect.zone).zone
        source = effect.source or next((each for each in job.timeline.serving(effect.zone) if each != effect.place), "")
        if source in job.timeline.serving(effect.zone):
            copied = await job.zone(source, effect.zone)
            # Made anew at a place that had ended: what it gave then, so that the rest of the plan finds it so.
            return copied.with_rrsets(effect.rrsets) if effect.source else copied
        fresh = fresh_zone(effect.zone, job.provider(effect.place).servers)
        return child_zone(parts_of(await job.zone(source, job.domain), effect.zone), fresh)


class EndZone(Action[ZoneEnded]):
    """From here on its servers may stop answering."""

    async def preview(self) -> list[str]:
        name = self.effect.place
        lines = [f"{name_text(self.effect.zone)} at {name}: served → gone"]
        if not self.job.runbook.retreating:
            lines.append(f"from here on the way back begins with creating the zone at {name} anew")
        return lines

    async def seen(self) -> Outcome | None:
        if await self._still_serving():
            return None
        now = self.now()
        return self.outcome(now, now, self._summary)

    @property
    def _summary(self) -> str:
        return f"no server of {self.effect.place} answers for it any more"

    async def perform(self) -> Outcome:
        job, effect = self.job, self.effect
        first = self.now()
        text, domain = name_text(effect.zone), name_text(job.domain)
        if job.provider(effect.place).by_hand:
            raise ByHand(effect.place, "", [f"take the zone {text} away"])
        if not await job.provider(effect.place).end(effect.zone):
            raise GateShut(
                f"{text} is still served at {effect.place}, and the settings have no command to end it",
                f"end it there by hand, or set `end` for {effect.place}; then: `legatum move advance {domain}`",
            )
        everywhere = await job.context.until_seen(self._still_serving, f"the end of the service at {effect.place}")
        return self.outcome(first, everywhere, self._summary)

    async def _still_serving(self) -> str:
        provider = self.job.provider(self.effect.place)
        addresses = await self.job.context.addresses_of(provider.servers)
        replies = await asyncio.gather(
            *(self.job.context.asker.ask(address, self.effect.zone, SOA) for address in addresses)
        )
        return ", ".join(
            reply.server for reply in replies if reply.authoritative and _is_of(reply.find(SOA), self.effect.zone)
        )


def _is_of(soa: object, zone: bytes) -> bool:
    return soa is not None and getattr(soa, "name", None) == zone
