"""One kind of move in the practice world, from draft to complete and back again, with visitors asking throughout."""

from collections.abc import Callable, Sequence
from pathlib import Path

from legatum.core.records.name import parse_name
from legatum.demo.tour import DOMAIN, QUESTIONS, VISIT_EVERY
from legatum.demo.world_thread import WorldThread
from legatum.views.screen import BAD, GOOD, STRONG, Screen

WISHES: dict[str, tuple[str, ...]] = {
    "provider": ("--to", "birch"),
    "address": ("--replace", "198.51.100.80=203.0.113.80"),
    "part": ("--part", "shop=birch"),
    "second": ("--second", "birch"),
    "hosts": ("--hosts", f"ns1.{DOMAIN}=198.51.100.31"),
    "ttl": ("--ttl", "mail A=10m"),
    "soa": ("--soa", "refresh=2h", "--soa", "serial=7"),
    "retirement": ("--retire",),
    "combined": ("--to", "birch", "--replace", "198.51.100.80=203.0.113.80", "--ttl", "mail A=10m"),
}
"""Kind → what shall be different, as options of ``move draft``."""
_NOT_BACK = {"retirement"}  # visitors have nothing to ask for in between


def show_kind(practice: WorldThread, folder: Path, kind: str, command: Callable[[Sequence[str]], int]) -> int:
    """0 when every command ended as it should and no visitor failed."""
    settings, screen = ("--settings", str(folder / "legatum.toml")), Screen()
    if kind not in _NOT_BACK:
        practice.visit([(parse_name(name + "."), rtype) for name, rtype in QUESTIONS], VISIT_EVERY)
    stages = [
        ("What it takes, when, and why.", ("move", "draft", DOMAIN, *WISHES[kind], *settings)),
        ("Would anybody notice?", ("move", "rehearse", DOMAIN, "--population", "30000", *settings)),
        ("Carried out, through every hold.", ("move", "advance", DOMAIN, "--yes", "--wait", *settings)),
        ("And back.", ("move", "retreat", DOMAIN, "--yes", "--wait", *settings)),
        ("Does everybody agree that it is as it was?", ("confirm", DOMAIN, "--to", "alder", "--registrar", "flint", *settings)),
    ]
    if kind in ("ttl", "soa", "hosts", "retirement"):
        stages[1] = ("Would anybody notice?", ("move", "rehearse", DOMAIN, *settings))
    for number, (title, words) in enumerate(stages, 1):
        screen.line()
        screen.line(f"━━ {number}. {title}", STRONG)
        screen.line(f"$ legatum {' '.join(words)}")
        if status := command(words):
            return status
    practice.end_visits()
    seen = practice.world.visitors.seen
    failed = sum(not each.good for each in seen)
    screen.line()
    screen.line(f"{len(seen)} questions of visitors, {failed} of them failed.", BAD if failed else GOOD)
    return 1 if failed else 0
