"""Looks: the zone gathered, both sides compared, whoever is led to ready, everybody agreed."""

import asyncio
from collections.abc import Sequence
from dataclasses import replace

from legatum.core.agreement.expected import Expected
from legatum.core.agreement.verdict import agreement, names_said
from legatum.core.moves.drift.position import Refusal
from legatum.core.moves.drift.sides import is_meant, meant_to_differ
from legatum.core.moves.effects import Agreed, Answered, Gathered, Ready, Same
from legatum.core.moves.outcome import Outcome
from legatum.core.moves.place import ADDRESSES
from legatum.core.observation.answers import AnswersComparison
from legatum.core.records.address import address_text
from legatum.core.records.name import Name, name_text
from legatum.core.records.presentation import rdata_texts
from legatum.core.records.rrtype import SOA, type_text
from legatum.core.records.soa import alike
from legatum.core.running.fault import GateShut, OutsideFault
from legatum.core.zones.masterlines import master_text
from legatum.core.zones.zone import Zone
from legatum.net.asking.resolver import ask_resolver
from legatum.net.file import write_whole
from legatum.settings.document import FilesProvider
from legatum.work.drafting.second import servers_at
from legatum.work.look.asking.wanted import Wanted
from legatum.work.look.registration import registration_view
from legatum.work.moves.effects.action import Action
from legatum.work.moves.elsewhere import seen_elsewhere
from legatum.work.moves.readiness import bogus_names, differing, unready, users_unserved
from legatum.work.moves.services import services_now
from legatum.work.moves.step_context import StepContext
from legatum.work.run_context import RunContext
from legatum.work.verdicts.survey import survey
from legatum.work.zones.compare import addresses_by_side, compare_answers


class Gather(Action[Gathered]):
    """By zone transfer, so the zone is complete, or, where a place hands nothing out, by asking; the serial must be the
    same on every server of the place."""

    async def perform(self) -> Outcome:
        job, effect = self.job, self.effect
        zone = await job.zone(effect.place, effect.zone)
        addresses = await job.context.addresses_of(job.provider(effect.place).servers)

        async def behind() -> str:
            replies = await asyncio.gather(*(job.context.asker.ask(address, effect.zone, SOA) for address in addresses))
            found = {reply.server: reply.find(SOA) for reply in replies}
            return ", ".join(
                address for address, soa in found.items() if soa is None or soa.rdatas != zone.soa_rrset.rdatas
            )

        if differing := await behind():
            raise OutsideFault(
                f"not every server of {effect.place} has serial {zone.soa.serial}: {differing}",
                "look at its secondaries, then go on",
            )
        how = gathered_text(job.context, effect.place, zone)
        comment = f"{name_text(effect.zone)}, gathered from {effect.place}, serial {zone.soa.serial}; {how}"
        file = job.file_of(effect.zone)
        write_whole(file, master_text(zone, [comment]))
        job.made_file(effect.place, effect.zone).unlink(missing_ok=True)  # of an earlier move
        now = self.now()
        summary = f"{len(zone)} RRsets, {zone.record_count} records, serial {zone.soa.serial}; {how}"
        return self.outcome(now, now, summary, serial=zone.soa.serial, file=file.name)


def gathered_text(context: RunContext, place: str, zone: Zone) -> str:
    """How complete what was gathered is, and how that is known."""
    by_asking = context.gathered.get((context.provider(place).servers, zone.origin))
    if by_asking is not None:
        return f"{by_asking.degree}: {by_asking.because}"
    return (
        "complete: "
        f"{'its own file' if isinstance(context.providers[place], FilesProvider) else 'it was transferred whole'}"
    )


async def compare_places(job: StepContext, zone: Name, places: Sequence[str]) -> AnswersComparison:
    """All servers of the places, asked everything that the first one's zone gives rise to; the last one is where
    visitors are led to."""
    contents = await job.zone(places[0], zone)
    sides = await addresses_by_side(job.context, {place: servers_at(job.context, place) for place in places})
    return await compare_answers(job.context, contents, sides, places[-1])


def same_text(compared: AnswersComparison) -> str:
    """What was found of sides of which none is worse."""
    return f"the same answers, but {compared.told}" if compared.told else "the same answers"


def require_equal(job: StepContext, zone: Name, places: Sequence[str], compared: AnswersComparison) -> None:
    """Raises :class:`GateShut` when visitors would be worse off at the side that they are led to. What the
    plan makes different is meant."""
    meant = meant_to_differ(job, zone, places)
    worse = [each for each in compared.worse if not is_meant(each, meant)]
    if worse:
        first = worse[0]
        where = "; ".join(f"{said.outcome} from {', '.join(addresses)}" for said, addresses in first.said.items())
        domain = name_text(job.domain)
        raise GateShut(
            f"{len(worse)} answers differ ({first.weight}), first {name_text(first.name)} "
            f"{type_text(first.rtype)}: {where}",
            f"see them all: `legatum compare {places[0]} {places[-1]} --domain {domain} --answers`; "
            f"after an edit: `legatum move advance {domain} --again gather`",
        )


class Compare(Action[Same]):
    async def perform(self) -> Outcome:
        compared = await compare_places(self.job, self.effect.zone, self.effect.places)
        require_equal(self.job, self.effect.zone, self.effect.places, compared)
        now = self.now()
        asked = f"{compared.questions} questions to each of {len(compared.sides)} addresses"
        summary = f"{asked}: {same_text(compared)}; only SOA and NS at the apex differ"
        return self.outcome(now, now, summary, questions=compared.questions, addresses=len(compared.sides))


class SeeReady(Action[Ready]):
    """The preconditions of a delegation change (docs/timing.md, rule 4), checked before the first server of either side
    changes."""

    async def gate(self) -> list[Refusal]:
        job, effect = self.job, self.effect
        for place in effect.places:
            if found := await unready(job, effect.zone, servers_at(job.context, place), effect.ns or None):
                return found
        for left in effect.leaving:
            for right in effect.places:
                if found := await differing(job, effect.zone, left, right):
                    return found
        return await bogus_names(
            job, effect.ns or [host for place in effect.places for host in servers_at(job.context, place)]
        )

    async def perform(self) -> Outcome:
        places = (*self.effect.leaving, *self.effect.places)
        now = self.now()
        if len(places) == 1:
            return self.outcome(
                now, now, f"every server of {places[0]} answers for {name_text(self.effect.zone)} as it should"
            )
        compared = await compare_places(self.job, self.effect.zone, places)
        require_equal(self.job, self.effect.zone, places, compared)
        now = self.now()
        return self.outcome(
            now,
            now,
            f"{compared.questions} questions to each of {len(compared.sides)} addresses: {same_text(compared)}",
        )


class Agree(Action[Agreed]):
    """Parent, child, registrar and all resolvers: everybody has the NS set wanted, nobody another one."""

    async def perform(self) -> Outcome:
        job, effect = self.job, self.effect
        if not effect.ns:
            return await self._given_up()
        looked = await survey(job.context, effect.domain, wanted=Wanted(resolvers=effect.resolvers))
        observation = looked.observation
        if effect.registrar:
            observation = replace(
                observation, registration=await registration_view(job.context, effect.registrar, effect.domain)
            )
        verdict = agreement(observation, effect.ns)
        if not verdict.confirmed:
            wrong = verdict.disagreeing
            raise GateShut(
                f"{len(wrong)} of {len(verdict.checks)} do not have {names_said(effect.ns)}, first {wrong[0].party} "
                f"{wrong[0].who}: {wrong[0].said}",
                "an NS left over at the registrar must be taken out there; a resolver lets go when its TTL ends",
            )
        elsewhere = await seen_elsewhere(job.context, effect.domain, Expected(ns=effect.ns))
        now = self.now()
        parties = "parent, child, registrar" if effect.registrar else "parent, child"
        parties += " and resolvers" if effect.resolvers else ""
        return self.outcome(
            now, now, f"all {len(verdict.checks)} agree: {parties}{elsewhere}; {await services_now(job)}"
        )

    async def _given_up(self) -> Outcome:
        self.job.cache.forget()
        handed, zone = await self.job.cache.delegation(self.effect.domain), self.job.runbook.premises.parent_zone
        if handed.silent:
            raise OutsideFault(f"{handed.silent[0]} of {name_text(zone)} does not answer", "look again when it does")
        if left := [address for address, ns in handed.given.items() if ns is not None]:
            raise GateShut(
                f"{left[0]} of {name_text(zone)} hands {name_text(self.effect.domain)} on again",
                "find out who set it at the registrar",
            )
        now = self.now()
        return self.outcome(now, now, f"none of {len(handed.given)} addresses of {name_text(zone)} hands it on")


class SeeAnswers(Action[Answered]):
    """Every server of the places, and every resolver."""

    async def gate(self) -> list[Refusal]:
        """Where it is a name server's address, whoever uses that is answered for there too."""
        found = []
        for each in self.effect.rrsets:
            if each.rtype in ADDRESSES:
                found += await users_unserved(self.job, each.name, sorted(map(address_text, each.rdatas)))
        return found

    async def perform(self) -> Outcome:
        job, effect = self.job, self.effect
        addresses = [
            each for place in effect.places for each in await job.context.addresses_of(servers_at(job.context, place))
        ]

        async def missing() -> str:
            late = []
            for wanted in effect.rrsets:
                replies = await asyncio.gather(
                    *(job.context.asker.ask(address, wanted.name, wanted.rtype) for address in addresses)
                )
                copies = await asyncio.gather(
                    *(
                        ask_resolver(job.context.asker, place, wanted.name, wanted.rtype)
                        for place in job.context.resolvers().values()
                    )
                )
                for reply in (*replies, *copies):
                    given = reply.find(wanted.rtype)
                    if given is None or not alike(given.with_ttl(wanted.ttl), wanted):  # resolvers count TTLs down
                        said = ", ".join(rdata_texts(given)) if given is not None else reply.outcome
                        late.append(
                            f"{reply.server} gives {said} for {name_text(wanted.name)} {type_text(wanted.rtype)}"
                        )
            return "; ".join(late[:4])

        when = await job.context.until_seen(missing, f"{len(effect.rrsets)} RRsets at every server and resolver")
        elsewhere = await seen_elsewhere(job.context, job.domain, Expected(records=effect.rrsets))
        count = len(job.context.resolvers())
        given = f"{len(addresses)} addresses and {count} resolvers give just that"
        return self.outcome(when, when, f"{given}{elsewhere}; {await services_now(job)}")
