"""Providers with nothing but a form in a browser: read by transfer where they allow one, else by asking; changed by a
person."""

from collections.abc import Awaitable, Callable
from pathlib import Path

from legatum.core.records.name import Name, name_text
from legatum.core.running.fault import OutsideFault
from legatum.core.zones.zone import Zone
from legatum.net.asking.asker import Asker
from legatum.net.zones.zone_transfer import transfer, transfer_changes
from legatum.services.provider import server_names
from legatum.services.signing import Signing
from legatum.services.update_provider import open_key
from legatum.settings.document import ManualProvider

Gathering = Callable[[Name, tuple[Name, ...]], Awaitable[Zone]]


class FormProvider:
    """A :class:`~legatum.services.provider.Provider`. ``gathering``: a zone as its name servers can be asked for it."""

    def __init__(
        self, name: str, settings: ManualProvider, folder: Path, asker: Asker, limit: float, gathering: Gathering
    ) -> None:
        self.name = name
        self.servers = server_names(settings.servers)
        self.changes_apex_ns = settings.apex_ns == "ours"
        self.by_hand = True
        self.hands_out = settings.primary is not None
        self.makes_zones = False
        self.signing = Signing(name, settings, limit)
        self._primary = settings.primary
        self._asker, self._gathering = asker, gathering
        self._key = open_key(settings.key, folder) if settings.key else None

    async def fetch(self, domain: Name) -> Zone:
        if self._primary is None:
            return await self._gathering(domain, self.servers)
        return await transfer(self._asker, self._primary, domain, self._key)

    async def fetch_since(self, earlier: Zone) -> tuple[Zone, str]:
        if self._primary is None:
            return await self.fetch(earlier.origin), ""
        return await transfer_changes(self._asker, self._primary, earlier, self._key)

    async def apply(self, zone: Zone, wanted: Zone) -> str:
        raise OutsideFault(
            f"{self.name} is changed by hand only",
            f"`legatum publish {name_text(zone.origin)} --from FILE --to {self.name}` makes a worksheet",
        )

    async def create(self, domain: Name) -> None:
        raise OutsideFault(f"only a person can make {name_text(domain)} at {self.name}", "make it in the form there")

    async def end(self, domain: Name) -> bool:
        return False
