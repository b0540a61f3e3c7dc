"""The tour: what an administrator does for one domain, stage by stage."""

import sys
from collections.abc import Callable, Sequence
from datetime import datetime
from pathlib import Path

from legatum.core.fault import BadInput
from legatum.core.name import parse_name
from legatum.core.rrtype import MX, A
from legatum.demo.world_thread import WorldThread
from legatum.views.screen import STRONG, Screen

DOMAIN = "kilnandclay.example"
VISIT_EVERY = 300.0
QUESTIONS = [(f"shop.{DOMAIN}", A), (f"www.{DOMAIN}", A), (DOMAIN, MX)]


def new_folder(given: str | None) -> Path:
    """The folder that everything is written to, made now. Raises :class:`BadInput`."""
    folder = Path(given or f"demo-{datetime.now():%Y%m%d-%H%M%S}")
    try:
        folder.mkdir(parents=True)
    except OSError as error:
        raise BadInput(f"{folder}: {error.strerror}", "give another place with --folder") from None
    return folder


class Tour:
    """The stages, in the order of the work. Any command that fails ends the tour with its status."""

    def __init__(self, practice: WorldThread, folder: Path, command: Callable[[Sequence[str]], int]) -> None:
        self._practice = practice
        self._command = command
        self._settings = str(folder / "legatum.toml")
        self._folder = folder

    def go(self) -> int:
        """0 when every command ended as it should."""
        settings = ("--settings", self._settings)
        self._say(f"Quillmoor Hosting moves {DOMAIN} from provider alder to provider birch; the registrar stays flint.")
        self._say("Visitors ask three resolvers, each of another kind, for the shop, the web site and mail every 5 minutes, throughout.")
        self._practice.visit([(parse_name(name + "."), rtype) for name, rtype in QUESTIONS], VISIT_EVERY)
        stages = [
            ("Look: who says what about the domain now?", ("survey", DOMAIN, "--registrar", "flint", *settings)),
            ("Gather: everything that is in the zone, into a file.", (
                "gather", DOMAIN, "--from", "alder", "--out", str(self._folder / f"{DOMAIN}.zone"), *settings)),
            ("Plan: every step, every wait, and why.", (
                "move", "draft", DOMAIN, "--from", "alder", "--to", "birch", "--registrar", "flint", "--publishing", "4m", *settings)),
            ("Rehearse: would any cache in the world give a wrong answer?", ("move", "rehearse", DOMAIN, *settings)),
            ("Publish, compare, lower the TTL - then stop: old copies run out first.", ("move", "advance", DOMAIN, "--yes", *settings)),
            ("Both sides, side by side, before anything points at birch.", (
                "compare", "alder", "birch", "--domain", DOMAIN, "--answers", *settings)),
            ("Stay through the holds: the world's clock moves on, real packets all the way.", (
                "move", "advance", DOMAIN, "--yes", "--wait", *settings)),
            ("When was what done?", ("move", "status", DOMAIN, *settings)),
            ("Confirm: does everybody agree?", ("confirm", DOMAIN, "--to", "birch", "--registrar", "flint", *settings)),
            ("One picture for the customer.", ("move", "show", DOMAIN, "--picture", str(self._folder / "timeline.png"), *settings)),
        ]  # fmt: skip
        for number, (title, words) in enumerate(stages, 1):
            if status := self._stage(f"{number}. {title}", words):
                return status
        return 0

    def _stage(self, title: str, words: tuple[str, ...]) -> int:
        self._say("")
        self._say(f"━━ {title}")
        self._say(f"$ legatum {' '.join(words)}")
        sys.stdout.flush()
        return self._command(words)

    @staticmethod
    def _say(text: str) -> None:
        Screen().line(text, STRONG if text.startswith("━") else "")
