"""Providers that serve a folder of master files: NSD, and all others with a command that reloads a zone."""

import asyncio
from pathlib import Path

from legatum.core.records.name import Name, file_name, name_text
from legatum.core.records.rrtype import RRSIG
from legatum.core.running.fault import BadInput, OutsideFault
from legatum.core.zones.masterfile import parse_master
from legatum.core.zones.masterlines import master_text
from legatum.core.zones.zone import Zone, fresh_zone
from legatum.net.file import write_whole
from legatum.services.command import run_command
from legatum.services.provider import server_names
from legatum.services.signing import Signing
from legatum.settings.document import FilesProvider


class MasterFilesProvider:
    """A :class:`~legatum.services.provider.Provider`. What it holds is what the file says; what is served, the proof
    asks the servers. ``limit``: seconds that a command may take."""

    def __init__(self, name: str, settings: FilesProvider, folder: Path, limit: float) -> None:
        self.name = name
        self.servers = server_names(settings.servers)
        self.changes_apex_ns = settings.apex_ns == "ours"
        self.by_hand = False
        self.hands_out = self.makes_zones = True
        self.signing = Signing(name, settings, limit)
        self._settings, self._limit = settings, limit
        self._folder = (folder / settings.folder).resolve()

    async def fetch(self, domain: Name) -> Zone:
        path = self._path(domain)
        try:
            text = await asyncio.to_thread(path.read_text, encoding="utf-8")
        except OSError as error:
            raise OutsideFault(
                f"{path}: {error.strerror}", f"is the zone at {self.name}, and the folder the right one?"
            ) from None
        try:
            return parse_master(text, domain, str(path))
        except BadInput as fault:
            raise OutsideFault(fault.message, f"mend the file that {self.name} serves first; {fault.remedy}") from None

    async def fetch_since(self, earlier: Zone) -> tuple[Zone, str]:
        return await self.fetch(earlier.origin), f"the file at {self.name}"

    async def apply(self, zone: Zone, wanted: Zone) -> str:
        """Puts the file there in one step and has it read; where that fails the old file comes back.

        Raises :class:`OutsideFault`, for a zone that is signed in its file too: whoever signs it must do so anew.
        """
        path = self._path(zone.origin)
        if any(each.rtype == RRSIG for each in zone.unsorted):
            raise OutsideFault(
                f"{path}: this zone is signed in its file, and nobody here can sign a change: its signatures "
                "would no longer fit",
                "change the unsigned file and sign it anew there; then look with `legatum confirm DOMAIN`",
            )
        if await self.fetch(zone.origin) != zone:
            raise OutsideFault(f"{path}: somebody changed it since it was read", "look at it, then publish again")
        before = path.read_bytes()
        self._write(path, master_text(wanted))
        try:
            await self._reload(zone.origin)
        except OutsideFault as fault:
            write_whole(path, before)
            raise OutsideFault(f"{fault.message}; the old file is back in its place", fault.remedy) from None
        return "the file was still as read, and was replaced whole"

    async def create(self, domain: Name) -> None:
        """A file with SOA and NS, then the settings' command. There must be a folder."""
        path = self._path(domain)
        if path.exists():
            raise OutsideFault(f"{path} is there already, and its servers do not answer for it", "look at it by hand")
        self._write(path, master_text(fresh_zone(domain, self.servers)))
        await run_command(self._settings.create, domain, f"creating {name_text(domain)} at {self.name}", self._limit)

    async def end(self, domain: Name) -> bool:
        return await run_command(self._settings.end, domain, f"ending {name_text(domain)} at {self.name}", self._limit)

    async def _reload(self, domain: Name) -> None:
        await run_command(self._settings.reload, domain, f"reloading {name_text(domain)} at {self.name}", self._limit)

    def _write(self, path: Path, text: str) -> None:
        try:
            write_whole(path, text)
        except BadInput as fault:
            raise OutsideFault(fault.message, f"may this user write the files of {self.name}?") from None

    def _path(self, domain: Name) -> Path:
        return self._folder / self._settings.file.replace("{domain}", file_name(domain))
