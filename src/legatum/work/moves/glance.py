"""What one step looks at, looked at once: gate, preview and doing share what was seen."""

import asyncio

from legatum.core.moves.kinds.transfer import Held
from legatum.core.moves.meanwhile.drift import HandedOn
from legatum.core.records.name import Name
from legatum.core.records.rrtype import NS
from legatum.core.zones.zone import Zone
from legatum.net.walk import referral
from legatum.services.registrar import Registration
from legatum.work.outside import Outside
from legatum.work.registry.held import look_at_held


class Glance:
    """Until :meth:`forget`, the same is not asked for again."""

    def __init__(self, outside: Outside) -> None:
        self._outside = outside
        self._zones: dict[tuple[str, Name], Zone] = {}
        self._registrations: dict[tuple[str, Name], Registration | Held] = {}
        self._delegations: dict[Name, HandedOn] = {}

    async def zone(self, place: str, zone: Name) -> Zone:
        """By transfer, or the file. Raises as the provider does."""
        if (place, zone) not in self._zones:
            self._zones[place, zone] = await self._outside.provider(place).fetch(zone)
        return self._zones[place, zone]

    async def delegation(self, domain: Name) -> HandedOn:
        """What each address of the parent's servers hands out for the domain."""
        if domain not in self._delegations:
            cut = await self._outside.walker().parent_of(domain)
            replies = await asyncio.gather(*(self._outside.asker.ask(address, domain, NS) for address in cut.addresses))
            given = {each.server: referral(cut.zone, each) or each.find(NS) for each in replies if each.answered}
            self._delegations[domain] = HandedOn(given, tuple(each.server for each in replies if not each.answered))
        return self._delegations[domain]

    async def registration(self, registrar: str, domain: Name) -> Registration | Held:
        """What the registry holds; of a registrar with only a form, registration data show what was typed
        before the parent's servers do."""
        if (registrar, domain) not in self._registrations:
            account = self._outside.registrar(registrar)
            by_rdap = account.by_hand and self._outside.settings.rdap is not None
            held = (await look_at_held(self._outside, domain))[0] if by_rdap else await account.registration(domain)
            self._registrations[registrar, domain] = held
        return self._registrations[registrar, domain]

    def forget(self) -> None:
        """Something was changed, or time has passed."""
        self._zones.clear()
        self._registrations.clear()
        self._delegations.clear()
