"""The DS set at the registrar and at the parent's servers, a zone signed by its provider, and the chain looked at whole."""

import asyncio

from legatum.core.dnssec.serving import ServerKeys, anchors_of, ds_of_key, ds_rdatas, entry_points, holds, proves, signs_so
from legatum.core.dnssec.trust import Anchors
from legatum.core.fault import GateShut, OutsideFault
from legatum.core.moves.effects import DsPublished, DsSet, Signed, Trusted
from legatum.core.moves.meanwhile.position import Refusal
from legatum.core.moves.runbook import Outcome
from legatum.core.observation.registration import forbids_updates
from legatum.core.observation.slips import ds_slips
from legatum.core.records.name import name_text
from legatum.core.records.rrtype import SOA
from legatum.net.resolver import ask_resolver
from legatum.services.registrar import ByHand
from legatum.work.drafting.second import servers_at
from legatum.work.look.signing import look_at_signing
from legatum.work.moves.effects.action import Action
from legatum.work.moves.job import Job

_MADE = "ds"  # a fact of an outcome: the records that a DS set was made of


async def seen_at(job: Job, place: str) -> dict[str, ServerKeys]:
    """What each server address of the place gives of the zone's signing. Raises :class:`OutsideFault` where one does not answer."""
    addresses = [each for found in job.runbook.premises.place(place).servers.values() for each in found]
    addresses = addresses or list(await job.outside.addresses_of(servers_at(job.outside, place)))
    signing = await look_at_signing(job.outside, job.domain, addresses, ())
    if signing.silent:
        raise OutsideFault(f"{', '.join(signing.silent)} does not answer", "look again when it does: the same command")
    return dict(signing.old)


async def meant(job: Job, anchors: Anchors) -> Anchors:
    """With records in it: those that were made when the registrar was told, else of the keys that the place signs with now. Raises
    :class:`GateShut` where its servers do not have the same keys, or sign with none."""
    if not anchors.of:
        return anchors
    for step in job.done:
        if any(isinstance(each, DsSet) and each.after == anchors for each in step.effects) and _MADE in job.outcomes[step.id].facts:
            return Anchors(tuple(job.outcomes[step.id].facts[_MADE]), "", anchors.ttl)
    seen = await seen_at(job, anchors.of)
    entries = {each.entries for each in seen.values() if not each.broken}
    if len(entries) != 1 or any(each.broken or each.keys is None for each in seen.values()):
        why = next(
            (f"{address}: {each.broken or 'no keys'}" for address, each in seen.items() if each.broken or each.keys is None),
            "different keys",
        )
        raise GateShut(f"not every server of {anchors.of} gives the same keys, with signatures that hold: {why}", "wait until they do")
    return anchors_of((ds_of_key(job.domain, each) for each in entry_points(next(iter(entries)))), anchors.ttl)


class SetDs(Action[DsSet]):
    async def gate(self) -> list[Refusal]:
        job, effect = self.job, self.effect
        held = await self._held()
        wanted = ds_rdatas(await meant(job, effect.after))
        refusals = [Refusal(each, f"the parent must not vouch for what is not there: have {place} sign with that key on every server first")
                    for place in job.scene.serving(job.domain) for each in await self._unproven(place, wanted)]  # fmt: skip
        registration = await job.glance.registration(effect.registrar, job.domain)
        if stops := [status for status in registration.statuses if forbids_updates(status)]:
            remedy = f"unlock it first: `legatum registration unlock {name_text(job.domain)} --registrar {effect.registrar}`"
            refusals.append(Refusal(f"the registration's status forbids another DS set: {', '.join(stops)}", remedy))
        before = ds_rdatas(effect.before) if not effect.before.of else None
        if before is not None and held not in (before, wanted):
            reason = f"the registry holds {anchors_of(held, 0).text} for {name_text(job.domain)}, neither the old nor the new DS set"
            if job.registrar(effect.registrar).by_hand and (wrong := ds_slips(wanted, before, held)):
                reason = "; ".join(wrong)
            refusals.append(Refusal(reason, "find out who changed it, and have it put right; then the same command again"))
        return refusals

    async def _unproven(self, place: str, wanted: tuple[bytes, ...]) -> list[str]:
        """Whether everybody who is asked at the place would find what the parent vouches for."""
        if not wanted or place not in {each.name for each in self.job.runbook.premises.places}:
            return []
        found = []
        for address, each in (await seen_at(self.job, place)).items():
            wrong = [rdata for rdata in wanted if not proves(self.job.domain, rdata, each)]
            if each.broken or wrong:
                said = each.broken or f"{anchors_of(wrong, 0).text} fits no key there that signs the key set; is a digit missing?"
                found.append(f"{address} of {place}: {said}")
        return found[:2]

    async def _held(self) -> tuple[bytes, ...]:
        """What the account holds; of a form, what registration data show, else what the parent's servers hand out."""
        held = await self.job.glance.registration(self.effect.registrar, self.job.domain)
        if held.ds is not None:
            return tuple(sorted(held.ds))
        signing = await look_at_signing(self.job.outside, self.job.domain, (), ())
        return ds_rdatas(signing.anchors)

    async def preview(self) -> list[str]:
        wanted = await meant(self.job, self.effect.after)
        return [f"DS set at {self.effect.registrar}: {anchors_of(await self._held(), 0).text} → {wanted.text}"]

    async def seen(self) -> Outcome | None:
        try:
            wanted = await meant(self.job, self.effect.after)
        except (GateShut, OutsideFault):
            return None
        if await self._held() != ds_rdatas(wanted):
            return None
        now = self.now()
        return self.outcome(now, now, f"the registry holds {wanted.text} already", **{_MADE: list(wanted.records)})

    async def perform(self) -> Outcome:
        registrar, domain = self.job.registrar(self.effect.registrar), self.job.domain
        wanted = await meant(self.job, self.effect.after)
        held, after, first = set(await self._held()), set(ds_rdatas(wanted)), self.now()
        try:
            said = await registrar.change_ds(domain, sorted(after - held), sorted(held - after))
        except ByHand as by_hand:
            raise ByHand(by_hand.registrar, by_hand.page, by_hand.to_do, (sorted(held), sorted(after))) from None
        now = set((await registrar.registration(domain)).ds or ())
        if now != after:
            raise OutsideFault(f"{registrar.name} said {said}, but holds {anchors_of(now, 0).text}", "look at the registrar's own pages")
        return self.outcome(first, self.now(), f"{said}; the registry holds {wanted.text}", **{_MADE: list(wanted.records)})


class SeeDs(Action[DsPublished]):
    """Every address of every server of the parent zone."""

    async def perform(self) -> Outcome:
        wanted = ds_rdatas(await meant(self.job, self.effect.after))
        first: float | None = None
        counted = 0

        async def behind() -> str:
            nonlocal first, counted
            signing = await look_at_signing(self.job.outside, self.job.domain, (), ())
            counted = len(signing.ds)
            late = [address for address, anchors in signing.ds.items() if ds_rdatas(anchors) != wanted and address not in signing.silent]
            if first is None and len(late) < counted:
                first = self.now()
            told = [f"{address} hands out {signing.ds[address].text}" for address in late[:3]]
            return "; ".join([*told, *(f"{address} does not answer" for address in signing.silent)])

        everywhere = await self.job.outside.until_seen(behind, f"the DS set of {name_text(self.job.domain)}")
        said = anchors_of(wanted, 0).text
        return self.outcome(everywhere if first is None else first, everywhere, f"all {counted} parent addresses: {said}")


class ChangeSigning(Action[Signed]):
    """By the command of the settings, or by a person; and seen at every server, those that follow too."""

    async def preview(self) -> list[str]:
        before, after = ("signed" if each is not None else "unsigned" for each in (self.effect.before, self.effect.after))
        return [f"{name_text(self.effect.zone)} at {self.effect.place}: {before} → {after}"]

    async def seen(self) -> Outcome | None:
        if await self._missing():
            return None
        now = self.now()
        return self.outcome(now, now, f"every server gives {self._what} already")

    @property
    def _what(self) -> str:
        return "keys, and signatures that hold" if self.effect.after is not None else "no keys"

    async def perform(self) -> Outcome:
        provider, first = self.job.provider(self.effect.place), self.now()
        begins = self.effect.after is not None
        done = await (provider.begin_signing if begins else provider.end_signing)(self.effect.zone)
        if not done:
            words = f"{'sign' if begins else 'end the signing of'} the zone {name_text(self.effect.zone)}"
            raise ByHand(provider.name, "", [words])
        everywhere = await self.job.outside.until_seen(self._missing, f"{name_text(self.effect.zone)} at {self.effect.place}")
        return self.outcome(first, everywhere, f"every server gives {self._what}")

    async def _missing(self) -> str:
        late = []
        for place in (self.effect.place, *self.effect.follows):
            for address, each in (await seen_at(self.job, place)).items():
                if not signs_so(each, self.effect.after):
                    late.append(f"{address}: {each.broken or (each.keys.text if each.keys is not None else 'unsigned')}")
        return "; ".join(late[:4])


class SeeTrust(Action[Trusted]):
    """By our own validation of what every server gives, and by what resolvers answer: one that validates answers nothing bogus."""

    async def perform(self) -> Outcome:
        wanted = await meant(self.job, self.effect.anchors)

        async def missing() -> str:
            wrong = []
            for place in self.effect.places:
                for address, each in (await seen_at(self.job, place)).items():
                    if not holds(self.job.domain, wanted, each):
                        wrong.append(f"{address} of {place}: {each.broken or f'{wanted.text} fits no key there'}")
            resolvers = self.job.outside.resolvers()
            replies = await asyncio.gather(
                *(ask_resolver(self.job.outside.asker, each, self.job.domain, SOA) for each in resolvers.values())
            )
            wrong += [
                f"the resolver {name}: {reply.outcome}" for name, reply in zip(resolvers, replies, strict=True) if reply.find(SOA) is None
            ]
            return "; ".join(wrong[:4])

        everywhere = await self.job.outside.until_seen(missing, f"the chain of trust of {name_text(self.job.domain)}")
        said = f"{wanted.text} holds" if wanted else "nobody is asked for signatures"
        return self.outcome(everywhere, everywhere, f"{said} at every server of {', '.join(self.effect.places)}; every resolver answers")
