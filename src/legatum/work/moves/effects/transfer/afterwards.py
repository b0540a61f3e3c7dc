"""After a transfer: what the registry holds must be what it was; the registrant, the code, and what everybody may
see."""

from legatum.core.agreement.verdict import names_said
from legatum.core.moves.effects import CodeChanged, Kept, RegistrantChanged, Settled
from legatum.core.moves.kinds.registrar_transfer import differences
from legatum.core.moves.outcome import Outcome
from legatum.core.records.name import name_text
from legatum.core.running.fault import GateShut, OutsideFault
from legatum.services.registrar import Registrar
from legatum.work.moves.effects.action import Action
from legatum.work.moves.effects.transfer.request import new_code
from legatum.work.registry.held import look_at_held
from legatum.work.registry.registration import published


class SeeKept(Action[Kept]):
    async def perform(self) -> Outcome:
        job, gaining = self.job, self.job.registrar(self.effect.gaining)
        held, _ = await look_at_held(job.context, job.domain, gaining)
        before = job.runbook.premises.registered
        assert before is not None
        if wrong := differences(before, held):
            raise GateShut(
                "; ".join(wrong),
                f"set it right at {gaining.name}: `legatum registration nameservers DOMAIN --to PROVIDER`, "
                "or the DS records, or the hosts",
            )
        now = self.now()
        counted = f"{len(held.nameservers)} name servers, {len(held.ds)} DS records, {len(held.hosts)} hosts"
        return self.outcome(now, now, f"{counted}: all as before; it expires on {held.expires[:10]}")


class SeeSettled(Action[Settled]):
    """RDAP, where there is one to ask, names the gaining registrar, and nobody was told of other name servers."""

    async def perform(self) -> Outcome:
        job, before = self.job, self.effect.known_as
        registered = job.runbook.premises.registered
        assert registered is not None

        async def missing() -> str:
            if rdap and (await look_at_held(job.context, job.domain))[0].registrar == before:
                return f"registration data still name {before}"
            sets = await published(job.context, job.domain)
            wrong = next(
                (
                    (address, each)
                    for address, each in sets.items()
                    if each is not None and each != registered.nameservers
                ),
                None,
            )
            return f"{wrong[0]} hands out {names_said(wrong[1])}" if wrong else ""

        rdap = job.context.settings.rdap is not None
        when = await job.context.until_seen(missing, f"the registration data of {name_text(job.domain)}")
        if rdap:
            said = f"registration data name {(await look_at_held(job.context, job.domain))[0].registrar}"
        else:
            said = "what registration data show everybody was not looked at: no [rdap] in the settings"
        return self.outcome(when, when, f"{said}; the parent's servers hand out the same NS set")


class ChangeCode(Action[CodeChanged]):
    """Another authorisation code, which nobody knows: whoever needs one sets it then."""

    shows = False

    async def preview(self) -> list[str]:
        return [f"authorisation code at {self.effect.gaining}: the one that was used → one that is shown to nobody"]

    async def perform(self) -> Outcome:
        first = self.now()
        said = await self.job.registrar(self.effect.gaining).change_code(self.job.domain, new_code())
        return self.outcome(first, self.now(), said)


class ChangeRegistrant(Action[RegistrantChanged]):
    """The gaining registrar's own contact in the registrant's place."""

    @property
    def _gaining(self) -> Registrar:
        return self.job.registrar(self.effect.gaining)

    async def preview(self) -> list[str]:
        held = await self._gaining.registration(self.job.domain)
        return [f"registrant at {self.effect.gaining}: {held.registrant or 'none'} → {self.effect.contact}"]

    async def seen(self) -> Outcome | None:
        if self._gaining.by_hand:
            return None
        held, now = await self._gaining.registration(self.job.domain), self.now()
        return (
            self.outcome(now, now, f"the registrant is {self.effect.contact}")
            if held.registrant == self.effect.contact
            else None
        )

    async def perform(self) -> Outcome:
        first = self.now()
        said = await self._gaining.change_registrant(self.job.domain, self.effect.contact)
        if await self.seen() is None:
            raise OutsideFault(
                f"{self.effect.gaining} said {said}, but shows another registrant", "look at the registrar's own pages"
            )
        return self.outcome(first, self.now(), said)
