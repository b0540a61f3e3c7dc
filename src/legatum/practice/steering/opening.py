"""The practice world opened: its servers, the port it is steered by, and the settings to use it with."""

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path

from legatum.practice.steering.control import Control
from legatum.practice.steering.furnishing import write_settings
from legatum.practice.world import World


@asynccontextmanager
async def open_world(folder: Path, start: float | None = None, further: int = 0) -> AsyncIterator[World]:
    """Starts everything and writes ``folder/legatum.toml`` with the closed address map, the keys and the registrar's
    account; then any command works against it with ``--settings folder/legatum.toml``."""
    async with World(folder, start, further) as world:
        control = Control(world)
        await control.open()
        try:
            write_settings(world, control)
            await world.clock.until(world.clock.now())
            yield world
        finally:
            control.close()
