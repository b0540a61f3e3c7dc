"""The tour: what an administrator does for one domain, stage by stage."""

import sys
from collections.abc import Callable, Sequence
from datetime import datetime
from pathlib import Path

from legatum.core.records.name import parse_name
from legatum.core.records.rrtype import MX, A
from legatum.core.running.fault import BadInput
from legatum.demo.world_thread import WorldThread
from legatum.views.screen import STRONG, Screen

DOMAIN, OWN, MOVING, BY_HAND = "kilnandclay.example", "evensong.test", "ferrytimes.example", "lanternlane.example"
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
        self._say(
            "Visitors ask three resolvers, each of another kind, for the shop, the web site and mail every 5 "
            "minutes, throughout."
        )
        self._practice.visit([(parse_name(name + "."), rtype) for name, rtype in QUESTIONS], VISIT_EVERY)
        stages = [
            ("Look: who says what about the domain now?", ("survey", DOMAIN, "--registrar", "flint", *settings)),
            (
                "Gather: everything that is in the zone, into a file.",
                ("gather", DOMAIN, "--from", "alder", "--out", str(self._folder / f"{DOMAIN}.zone"), *settings),
            ),
            (
                "Plan: every step, every wait, and why.",
                (
                    "move",
                    "draft",
                    DOMAIN,
                    "--from",
                    "alder",
                    "--to",
                    "birch",
                    "--registrar",
                    "flint",
                    "--publishing",
                    "4m",
                    "--speed",
                    "lowered",
                    *settings,
                ),
            ),
            ("Rehearse: would any cache in the world give a wrong answer?", ("move", "rehearse", DOMAIN, *settings)),
            (
                "Publish, compare, lower the TTL - then stop: old copies run out first.",
                ("move", "advance", DOMAIN, "--yes", *settings),
            ),
            (
                "Both sides, side by side, before anything points at birch.",
                ("compare", "alder", "birch", "--domain", DOMAIN, "--answers", *settings),
            ),
            (
                "Stay through the holds: the world's clock moves on, real packets all the way.",
                ("move", "advance", DOMAIN, "--yes", "--wait", *settings),
            ),
            ("When was what done?", ("move", "status", DOMAIN, *settings)),
            ("Confirm: does everybody agree?", ("confirm", DOMAIN, "--to", "birch", "--registrar", "flint", *settings)),
            (
                "One picture for the customer.",
                ("move", "show", DOMAIN, "--picture", str(self._folder / "timeline.png"), *settings),
            ),
        ]
        for number, (title, words) in enumerate(stages, 1):
            if status := self._stage(f"{number}. {title}", words):
                return status
        self._practice.end_visits()
        return self._at_the_registrars(len(stages))

    def _at_the_registrars(self, done: int) -> int:
        """The other half of the work: own child name servers, another registrar, and one that has only a form."""
        settings = ("--settings", self._settings)
        where = ("--at", "birch", "--registrar", "slate", "--yes", *settings)
        servers = {f"ns1.{OWN}": "198.51.100.41,2001:db8:b1::53", f"ns2.{OWN}": "203.0.113.42,2001:db8:b2::53"}
        by_hand = ("registration", "nameservers", BY_HAND, "--registrar", "granite", "--to", "birch", *settings)
        sheet = str(self._folder / f"{BY_HAND}.nameservers.html")
        form = ("practice", "form", BY_HAND, "--at", "granite", *settings)
        stages: list[tuple[str, tuple[str, ...], int]] = [
            *(
                (
                    f"Own child name servers for {OWN}: {host} in the zone and at the registry.",
                    ("hosts", "set", host, "--address", addresses, *where),
                    0,
                )
                for host, addresses in servers.items()
            ),
            (
                "Into the NS sets, once nobody can hold that they do not exist.",
                ("hosts", "enlist", *servers, "--alone", "--wait", *where),
                0,
            ),
            ("Zone, registry and glue side by side.", ("hosts", "show", OWN, "--registrar", "slate", *settings), 0),
            (
                f"Another registrar for {MOVING}, its DNS untouched: what is needed, and how long can it take?",
                ("registration", "transfer", MOVING, "--registrar", "flint", "--registrar-to", "slate", *settings),
                0,
            ),
            (
                "Asked for, followed for five days of the world's clock, compared, locked.",
                ("move", "advance", MOVING, "--yes", "--wait", *settings),
                0,
            ),
            (f"{BY_HAND} is with granite, which has only a form: a worksheet.", (*by_hand, "--sheet", sheet), 0),
            (
                "Somebody types it in, with a slip.",
                (*form, "--ns", "ns1.birch.example,ns2.birch.example,ns2.alder.test"),
                0,
            ),
            ("The slip is named.", (*by_hand, "--sheet", sheet, "--wait"), 3),
            ("Typed again.", (*form, "--ns", "ns1.birch.example,ns2.birch.example"), 0),
            ("And seen.", (*by_hand, "--sheet", sheet, "--wait"), 0),
        ]
        for number, (title, words, expected) in enumerate(stages, done + 1):
            if (status := self._stage(f"{number}. {title}", words)) != expected:
                return status or 1
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
