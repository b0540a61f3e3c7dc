"""What one step looks at, looked at once: gate, preview and doing share what was seen."""

import asyncio
from collections.abc import Callable, Coroutine
from contextlib import suppress
from typing import Any, TypeVar

from legatum.core.moves.drift.drift import HandedOn
from legatum.core.moves.kinds.registrar_transfer import RegisteredDomain
from legatum.core.records.name import Name
from legatum.core.running.fault import OutsideFault
from legatum.core.zones.zone import Zone
from legatum.services.registrar import Registration
from legatum.work.look.delegation import look_at_delegation
from legatum.work.registry.held import look_at_held
from legatum.work.run_context import RunContext

_T = TypeVar("_T")


class ObservationCache:
    """Until :meth:`forget`, the same is not asked for again, by those neither who ask at the same time."""

    def __init__(self, context: RunContext) -> None:
        self._context = context
        self._looks: dict[tuple[object, ...], asyncio.Future[Any]] = {}

    async def _once(self, key: tuple[object, ...], look: Callable[[], Coroutine[Any, Any, _T]]) -> _T:
        if key not in self._looks:
            self._looks[key] = asyncio.ensure_future(look())
        found: _T = await self._looks[key]
        return found

    async def zone(self, place: str, zone: Name) -> Zone:
        """By transfer, or the file. Raises as the provider does."""
        return await self._once(("zone", place, zone), lambda: self._context.provider(place).fetch(zone))

    async def delegation(self, domain: Name) -> HandedOn:
        """What each address of the parent's servers hands out for the domain."""
        return await self._once(("delegation", domain), lambda: look_at_delegation(self._context, domain))

    async def registration(self, registrar: str, domain: Name) -> Registration | RegisteredDomain:
        """What the registry holds; of a registrar with only a form, registration data show what was typed
        before the parent's servers do."""
        return await self._once(("registration", registrar, domain), lambda: self._registration(registrar, domain))

    async def _registration(self, registrar: str, domain: Name) -> Registration | RegisteredDomain:
        account = self._context.registrar(registrar)
        if account.by_hand and self._context.settings.rdap is not None:
            with suppress(OutsideFault):  # not every registry has registration data
                return (await look_at_held(self._context, domain))[0]
        return await account.registration(domain)

    def forget(self) -> None:
        """Something was changed, or time has passed."""
        self._looks.clear()
