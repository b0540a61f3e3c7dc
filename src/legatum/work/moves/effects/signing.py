"""The DS set at the registrar and at the parent's servers, a zone signed by its provider, and the chain looked at
whole."""

import asyncio
from collections.abc import Collection

from legatum.core.dnssec.serving import ServerKeys, anchors_of, ds_of_key, ds_rdatas, entry_points, holds, key_label
from legatum.core.dnssec.trust import DsSet, Keys
from legatum.core.moves.drift.keys import becomes, entries_of, following, shared, unlike, unproven
from legatum.core.moves.drift.position import Refusal
from legatum.core.moves.effects import DsChanged, DsPublished, Signed, Trusted
from legatum.core.moves.outcome import Outcome
from legatum.core.observation.registration import forbids_updates
from legatum.core.observation.slips import ds_slips
from legatum.core.records.name import name_text
from legatum.core.records.rrtype import SOA
from legatum.core.running.fault import GateShut, OutsideFault
from legatum.net.asking.resolver import ask_resolver
from legatum.services.registrar import ByHand
from legatum.work.drafting.second import servers_at
from legatum.work.look.registration import look_at_rdap
from legatum.work.look.signing import look_at_signing
from legatum.work.memory import note_keys
from legatum.work.moves.effects.action import Action
from legatum.work.moves.step_context import StepContext

_MADE = "ds"  # a fact of an outcome: the records that a DS set was made of


async def seen_at(job: StepContext, place: str) -> dict[str, ServerKeys]:
    """What each server address of the place gives of the zone's signing. Raises :class:`OutsideFault` where one does
    not answer."""
    addresses = [each for found in job.runbook.premises.place(place).servers.values() for each in found]
    addresses = addresses or list(await job.context.addresses_of(servers_at(job.context, place)))
    signing = await look_at_signing(job.context, job.domain, addresses, ())
    if signing.silent:
        raise OutsideFault(f"{', '.join(signing.silent)} does not answer", "look again when it does: the same command")
    note_keys(job.context, place, job.domain, signing.old.values(), True)
    return dict(signing.old)


async def meant(job: StepContext, anchors: DsSet) -> DsSet:
    """With records in it: those that were made when the registrar was told, else of the keys that the place signs with
    now. Raises :class:`GateShut` where its servers do not have the same keys, or sign with none."""
    if not anchors.of:
        return anchors
    for step in job.done:
        if (
            any(isinstance(each, DsChanged) and each.after == anchors for each in step.effects)
            and _MADE in job.outcomes[step.id].facts
        ):
            return DsSet(tuple(job.outcomes[step.id].facts[_MADE]), (), anchors.ttl)
    made = set(ds_rdatas(anchors))
    for place in anchors.of:
        keys = entries_of(place, await seen_at(job, place))
        if anchors.new:
            keys = tuple(each for each in keys if key_label(each) not in job.runbook.known_keys)
        if not keys:
            raise GateShut(f"{place} signs the key set with no new key", "have it do that; then the same command again")
        made |= {ds_of_key(job.domain, each) for each in entry_points(keys)}
    return anchors_of(made, anchors.ttl)


class SetDs(Action[DsChanged]):
    async def gate(self) -> list[Refusal]:
        job, effect = self.job, self.effect
        held = await self._held()
        wanted = ds_rdatas(await meant(job, effect.after))
        remedy = (
            "the parent must not have a DS for a key that is not there: have the key set signed with that "
            "key on every server first"
        )
        refusals = [Refusal(each, remedy) for each in await self._unproven(wanted)]
        registration = await job.cache.registration(effect.registrar, job.domain)
        if stops := [status for status in registration.statuses if forbids_updates(status)]:
            remedy = (
                f"unlock it first: `legatum registration unlock {name_text(job.domain)} --registrar {effect.registrar}`"
            )
            refusals.append(Refusal(f"the registration's status forbids another DS set: {', '.join(stops)}", remedy))
        before = await self._before()
        by_hand = job.registrar(effect.registrar).by_hand
        if job.runbook.disconnects and not job.runbook.retreating:
            return refusals  # whatever set is there by now, it is to go
        if before is not None and held not in (before, wanted) and (by_hand or not await self._proven_nowhere(held)):
            reason = (
                f"the registry holds {anchors_of(held, 0).text} for {name_text(job.domain)}, neither the old "
                "nor the new DS set"
            )
            if by_hand and (wrong := ds_slips(wanted, before, held)):
                reason = "; ".join(wrong)
            refusals.append(
                Refusal(reason, "find out who changed it, and have it put right; then the same command again")
            )
        return refusals

    async def _before(self) -> tuple[bytes, ...] | None:
        """None where it was made of keys that are gone."""
        try:
            return ds_rdatas(await meant(self.job, self.effect.before))
        except (GateShut, OutsideFault):
            return None

    async def _unproven(self, wanted: tuple[bytes, ...]) -> list[str]:
        """Whether everybody who is asked anywhere would find a key that the parent has a DS for, and each DS fits one
        somewhere."""
        given = await self._given(wanted)
        return unproven(self.job.domain, wanted, given, self.effect.ahead)

    async def _proven_nowhere(self, held: tuple[bytes, ...]) -> bool:
        """Every server answers, and none signs with a key that the set is of: it makes the domain bogus, whoever put it
        in."""
        given = [each for place in (await self._given(held)).values() for each in place.values()]
        return bool(given) and not any(holds(self.job.domain, anchors_of(held, 0), each) for each in given)

    async def _given(self, wanted: Collection[bytes]) -> dict[str, dict[str, ServerKeys]]:
        """What every place gives that serves the zone; nothing where no key is meant."""
        places = {each.name for each in self.job.runbook.premises.places}
        serving = [each for each in self.job.timeline.serving(self.job.domain) if each in places] if wanted else []
        return {place: await seen_at(self.job, place) for place in serving}

    async def _held(self) -> tuple[bytes, ...]:
        """What the account holds; of a form, what registration data show, else what the parent's servers hand out."""
        held = await self.job.cache.registration(self.effect.registrar, self.job.domain)
        if held.ds is not None:
            return tuple(sorted(held.ds))
        signing = await look_at_signing(self.job.context, self.job.domain, (), ())
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
            keys = [
                data
                for given in (await self._given(after)).values()
                for each in given.values()
                for data in each.data.values()
            ]
            said = await registrar.change_ds(domain, sorted(after - held), sorted(held - after), keys)
        except ByHand as by_hand:
            raise ByHand(by_hand.registrar, by_hand.page, by_hand.to_do, (sorted(held), sorted(after))) from None
        now = set((await registrar.registration(domain)).ds or ())
        if now != after:
            raise OutsideFault(
                f"{registrar.name} said {said}, but holds {anchors_of(now, 0).text}",
                "have it put right on the registrar's own pages, at once: a DS of a key that nobody signs "
                "with makes a domain bogus; "
                f"or take it out: `legatum move retreat {name_text(domain)}`",
            )
        return self.outcome(
            first, self.now(), f"{said}; the registry holds {wanted.text}", **{_MADE: list(wanted.records)}
        )


class SeeDs(Action[DsPublished]):
    """Every address of every server of the parent zone."""

    async def perform(self) -> Outcome:
        wanted = ds_rdatas(await meant(self.job, self.effect.after))
        first: float | None = None
        counted = 0

        async def behind() -> str:
            nonlocal first, counted
            signing = await look_at_signing(self.job.context, self.job.domain, (), ())
            counted = len(signing.ds)
            late = [
                address
                for address, anchors in signing.ds.items()
                if ds_rdatas(anchors) != wanted and address not in signing.silent
            ]
            if first is None and len(late) < counted:
                first = self.now()
            told = [f"{address} hands out {signing.ds[address].text}" for address in late[:3]]
            return "; ".join([*told, *(f"{address} does not answer" for address in signing.silent)])

        everywhere = await self.job.context.until_seen(behind, f"the DS set of {name_text(self.job.domain)}")
        said = anchors_of(wanted, 0).text
        return self.outcome(
            everywhere if first is None else first, everywhere, f"all {counted} parent addresses: {said}"
        )


class ChangeSigning(Action[Signed]):
    """By a command of the settings, by dynamic update, or by a person; and seen at every server, those that follow
    too."""

    async def gate(self) -> list[Refusal]:
        if not self.effect.shares:
            return []
        own, foreign = await seen_at(self.job, self.effect.place), await self._foreign()
        if wrong := unlike(self.effect.place, own, self.effect.shares, foreign):
            return [
                Refusal(
                    wrong,
                    "both sides must sign with the same algorithm, or a resolver may want what the other side lacks",
                )
            ]
        return []

    async def _foreign(self) -> dict[str, ServerKeys]:
        """What the side that shares its keys gives; nothing where it has ended."""
        served = self.effect.shares in self.job.timeline.serving(self.job.domain)
        return await seen_at(self.job, self.effect.shares) if served else {}

    async def preview(self) -> list[str]:
        return [
            f"{name_text(self.effect.zone)} at {self.effect.place}: {self._said(self.effect.before)} → "
            f"{self._said(self.effect.after)}"
        ]

    def _said(self, keys: Keys | None) -> str:
        if self.effect.before is None or self.effect.after is None:
            return "signed" if keys is not None else "unsigned"
        return keys.roles_text if keys is not None else ""

    async def seen(self) -> Outcome | None:
        if await self._missing():
            return None
        now = self.now()
        return self.outcome(now, now, f"every server gives {self._what} already")

    @property
    def _what(self) -> str:
        return (
            f"{self._said(self.effect.after)}, with signatures that hold"
            if self.effect.after is not None
            else "no keys"
        )

    async def perform(self) -> Outcome:
        effect, first = self.effect, self.now()
        provider = self.job.provider(effect.place)
        signing, words = provider.signing, f"{self.job.step.title[5:] or 'sign'}: {name_text(effect.zone)}"
        if effect.shares:
            come, go, ttl = shared(await seen_at(self.job, effect.place), await self._foreign(), effect)
            done = await signing.share(effect.zone, ttl, come, go)
        elif effect.before is None or effect.after is None:
            words = f"{'sign' if effect.after is not None else 'end the signing of'} the zone {name_text(effect.zone)}"
            done = await (signing.begin if effect.after is not None else signing.end)(effect.zone)
        else:
            done = await signing.rekey(effect.zone, self.job.step.id)
        if not done:
            raise ByHand(provider.name, "", [words])
        everywhere = await self.job.context.until_seen(self._missing, f"{name_text(effect.zone)} at {effect.place}")
        return self.outcome(first, everywhere, f"every server gives {self._what}")

    async def _missing(self) -> str:
        late, stages = [], [self.effect, *following(self.job.runbook, self.job.step, self.effect.place)]
        for place in (self.effect.place, *self.effect.follows):
            for address, each in (await seen_at(self.job, place)).items():
                if not any(becomes(each, stage, self.job.runbook.known_keys) for stage in stages):
                    late.append(
                        f"{address}: {each.broken or (each.made_with.roles_text if each.made_with else 'unsigned')}"
                    )
        return "; ".join(late[:4])


class SeeTrust(Action[Trusted]):
    """By our own validation of what every server gives, by registration data, and by what resolvers answer: one that
    validates answers nothing bogus."""

    async def _registered(self, wanted: DsSet) -> tuple[str, str]:
        """What registration data (RDAP) show otherwise; and what is to be told of them."""
        with self.job.context.collecting() as evidence:
            view, why = await look_at_rdap(self.job.context, evidence, self.job.domain)
        if view is None or view.ds is None:
            return "", f"registration data say nothing of it{f': {why}' if why else ''}"
        differ = set(view.ds) != set(ds_rdatas(wanted))
        return f"registration data have {anchors_of(view.ds, 0).text}" if differ else "", "registration data show it"

    async def perform(self) -> Outcome:
        wanted, registered = await meant(self.job, self.effect.anchors), ""

        async def missing() -> str:
            nonlocal registered
            otherwise, registered = await self._registered(wanted)
            wrong = [otherwise] if otherwise else []
            for place in self.effect.places:
                for address, each in (await seen_at(self.job, place)).items():
                    if not holds(self.job.domain, wanted, each):
                        wrong.append(f"{address} of {place}: {each.broken or f'{wanted.text} fits no key there'}")
            resolvers = self.job.context.resolvers()
            replies = await asyncio.gather(
                *(ask_resolver(self.job.context.asker, each, self.job.domain, SOA) for each in resolvers.values())
            )
            wrong += [
                f"the resolver {name}: {reply.outcome}"
                for name, reply in zip(resolvers, replies, strict=True)
                if reply.find(SOA) is None
            ]
            return "; ".join(wrong[:4])

        everywhere = await self.job.context.until_seen(missing, f"the chain of trust of {name_text(self.job.domain)}")
        said = f"{wanted.text} holds" if wanted else "nobody is asked for signatures"
        where = f"at every server of {', '.join(self.effect.places)}"
        return self.outcome(everywhere, everywhere, f"{said} {where}; every resolver answers; {registered}")
