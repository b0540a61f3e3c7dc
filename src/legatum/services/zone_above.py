"""The zone above a part of a domain, as the place where the part's DS set is kept: a provider of ours changes it
there."""

from collections.abc import Callable, Iterable

from legatum.core.records.name import Name, name_text
from legatum.core.records.presentation import rdata_text
from legatum.core.records.rrset import rrset, targets
from legatum.core.records.rrtype import DS, NS
from legatum.net.asking.walk import Walker
from legatum.services.manual_registrar import FormRegistrar
from legatum.services.provider import Provider
from legatum.services.registrar import ByHand, Registration
from legatum.settings.document import ManualRegistrar


class ZoneAbove(FormRegistrar):
    """What a registrar's form is to a domain the zone above is to a part of one; only its DS set is changed there."""

    def __init__(self, name: str, zone: Name, provider: Provider, walking: Callable[[], Walker]) -> None:
        super().__init__(name, ManualRegistrar(), walking)
        self.by_hand, self.client = False, name
        self._zone, self._provider = zone, provider

    async def registration(self, domain: Name, code: str = "") -> Registration:
        """As the zone has it."""
        zone = await self._provider.fetch(self._zone)
        ds = zone.get(domain, DS)
        return Registration(
            domain, self.name, targets(zone.get(domain, NS)), (), "", ds=ds.rdatas if ds is not None else ()
        )

    async def change_ds(
        self, domain: Name, add: Iterable[bytes], remove: Iterable[bytes], keys: Iterable[bytes] = ()
    ) -> str:
        """By a change of the zone, on condition that nobody else changes it meanwhile."""
        come, go = list(add), list(remove)
        if self._provider.by_hand:
            told = [f"+ {name_text(domain)} DS {rdata_text(DS, each)}" for each in come]
            raise ByHand(
                self._provider.name, "", [*told, *(f"- {name_text(domain)} DS {rdata_text(DS, each)}" for each in go)]
            )
        zone = await self._provider.fetch(self._zone)
        present, cut = zone.get(domain, DS), zone.get(domain, NS)
        data = sorted({*(present.rdatas if present is not None else ()), *come} - set(go))
        ttl = present.ttl if present is not None else cut.ttl if cut is not None else zone.soa_rrset.ttl
        wanted = zone.with_rrsets([rrset(domain, DS, ttl, data)]) if data else zone.without([(domain, DS)])
        return await self._provider.apply(zone, wanted)
