"""How a provider's signing is steered: by commands of the settings, by dynamic update, or by a person alone."""

import tempfile
from collections.abc import Awaitable, Callable, Sequence
from pathlib import Path

from legatum.core.calendar.duration import parse_duration
from legatum.core.records.name import Name, absolute_text, name_text
from legatum.core.records.presentation import rdata_text
from legatum.core.records.rrtype import DNSKEY
from legatum.services.command import run_command
from legatum.settings.document import Signer

Sharing = Callable[[Name, int, Sequence[bytes], Sequence[bytes]], Awaitable[None]]


class Signing:
    """``signs``: every zone by itself; ``ends``: :meth:`end` can do that; ``takes_keys``: keys that are brought along;
    ``takes_foreign``: zone keys of others in its key sets; ``key_ttl`` in seconds.
    ``limit``: seconds that a command may take; ``update``: puts records of others
    into a key set, with a TTL, and takes them out."""

    def __init__(self, name: str, settings: Signer, limit: float, update: Sharing | None = None) -> None:
        self._name, self._settings, self._limit, self._update = name, settings, limit, update
        self.signs, self.ends = settings.signs, bool(settings.unsign)
        self.key_ttl = parse_duration(settings.key_ttl)
        self.takes_keys, self.takes_foreign = "brought" in settings.takes_keys, "foreign" in settings.takes_keys

    @property
    def abilities(self) -> tuple[bool, bool, bool, int]:
        """As a place of a plan has them."""
        return self.signs, self.takes_keys, self.takes_foreign, self.key_ttl

    async def begin(self, domain: Name) -> bool:
        """Has the zone signed from now on; False where only a person can, as below."""
        return await run_command(
            self._settings.sign, domain, f"signing {name_text(domain)} at {self._name}", self._limit
        )

    async def end(self, domain: Name) -> bool:
        """Has it signed no longer."""
        return await run_command(
            self._settings.unsign, domain, f"ending the signing of {name_text(domain)} at {self._name}", self._limit
        )

    async def rekey(self, domain: Name, stage: str) -> bool:
        """Brings its keys to a stage of an exchange, as the plan's step calls it."""
        what = f"stage {stage} of the keys of {name_text(domain)} at {self._name}"
        return await run_command(self._settings.rekey, domain, what, self._limit, {"stage": stage})

    async def share(self, domain: Name, ttl: int, come: Sequence[bytes], go: Sequence[bytes]) -> bool:
        """Puts keys of others into the key set, and takes some out. ``come``, ``go``: DNSKEY data."""
        if self._settings.share:
            what = f"other keys in the key set of {name_text(domain)} at {self._name}"
            with tempfile.TemporaryDirectory() as folder:
                for name, keys in (("come", come), ("go", go)):
                    lines = (f"{absolute_text(domain)} {ttl} DNSKEY {rdata_text(DNSKEY, each)}\n" for each in keys)
                    (Path(folder) / name).write_text("".join(lines), encoding="utf-8")
                return await run_command(self._settings.share, domain, what, self._limit, {"folder": folder})
        if self._update is None:
            return False
        await self._update(domain, ttl, come, go)
        return True
