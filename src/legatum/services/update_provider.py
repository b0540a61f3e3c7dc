"""Providers changed by dynamic update (RFC 2136) and read by zone transfer, both signed: BIND, Knot, PowerDNS and
others."""

import base64
import binascii
from collections.abc import Sequence
from pathlib import Path

from legatum.core.records.name import Name, name_text, parse_name
from legatum.core.running.fault import BadInput
from legatum.core.zones.zone import Zone
from legatum.net.asking.asker import Asker
from legatum.net.zones.update import send_records, send_update
from legatum.net.zones.zone_transfer import transfer, transfer_changes
from legatum.services.command import run_command
from legatum.services.provider import server_names
from legatum.services.signing import Signing
from legatum.settings.document import KeyReference, UpdateProvider
from legatum.settings.secret import read_secret
from legatum.wire.tsig import TsigKey
from legatum.wire.update import key_changes


class DynamicUpdateProvider:
    """A :class:`~legatum.services.provider.Provider`. ``limit``: seconds that a command may take."""

    def __init__(self, name: str, settings: UpdateProvider, folder: Path, asker: Asker, limit: float) -> None:
        self.name = name
        self.servers = server_names(settings.servers)
        self.by_hand = False
        self.hands_out = True
        self.makes_zones = bool(settings.create)
        self.signing = Signing(name, settings, limit, self._share)
        self.changes_apex_ns = settings.apex_ns == "ours"
        self._settings, self._limit = settings, limit
        self._asker = asker
        self._key = open_key(settings.key, folder) if settings.key else None

    async def fetch(self, domain: Name) -> Zone:
        return await transfer(self._asker, self._settings.primary, domain, self._key)

    async def fetch_since(self, earlier: Zone) -> tuple[Zone, str]:
        return await transfer_changes(self._asker, self._settings.primary, earlier, self._key)

    async def apply(self, zone: Zone, wanted: Zone) -> str:
        return await send_update(self._asker, self._settings.primary, zone, wanted, self._key)

    async def create(self, domain: Name) -> None:
        await run_command(self._settings.create, domain, f"creating {name_text(domain)} at {self.name}", self._limit)

    async def end(self, domain: Name) -> bool:
        return await run_command(self._settings.end, domain, f"ending {name_text(domain)} at {self.name}", self._limit)

    async def _share(self, domain: Name, ttl: int, come: Sequence[bytes], go: Sequence[bytes]) -> None:
        """Each server has its own ways with a key set that an update touches: it is read back."""
        await send_records(self._asker, self._settings.primary, domain, key_changes(domain, ttl, come, go), self._key)


def open_key(reference: KeyReference, folder: Path) -> TsigKey:
    """The key with its secret fetched. Raises :class:`BadInput`."""
    try:
        secret = base64.b64decode(read_secret(reference.secret, folder), validate=True)
    except binascii.Error:
        raise BadInput(
            f"key {reference.name}: the secret at {reference.secret} is not base64",
            "copy it again as it stands at the server",
        ) from None
    return TsigKey(parse_name(reference.name.rstrip(".") + "."), reference.algorithm, secret)
