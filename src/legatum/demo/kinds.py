"""One kind of move in the practice world, from draft to complete and back again, with visitors asking throughout."""

from collections.abc import Callable, Sequence
from pathlib import Path

from legatum.core.records.name import parse_name
from legatum.core.records.rrtype import MX, A
from legatum.demo.tour import DOMAIN, QUESTIONS, VISIT_EVERY
from legatum.demo.world_thread import WorldThread
from legatum.practice.scenario import VALIDATING
from legatum.views.screen import BAD, GOOD, STRONG, Screen

WISHES: dict[str, tuple[str, ...]] = {
    "provider": ("--to", "birch"),
    "address": ("--replace", "198.51.100.80=203.0.113.80"),
    "part": ("--part", "shop=birch"),
    "second": ("--second", "birch"),
    "hosts": ("--hosts", f"ns1.{DOMAIN}=198.51.100.31"),
    "alias": ("--alias", "workshop=www.tidemill.example", "--alias", "@=www.tidemill.example"),
    "ttl": ("--ttl", "mail A=10m"),
    "soa": ("--soa", "refresh=2h", "--soa", "serial=7"),
    "retirement": ("--retire",),
    "combined": ("--to", "birch", "--replace", "198.51.100.80=203.0.113.80", "--ttl", "mail A=10m"),
}
"""Kind → what shall be different, as options of ``move draft``."""
LEADING_NOWHERE = frozenset({"ttl", "soa", "hosts", "retirement"})
"""Of these no visitor is answered anything else by another place."""
_NOT_BACK = {"retirement"}  # visitors have nothing to ask for in between
_NEW, _SIGNED = "tidemill.example", "coppergate.example"
ONE_WAY: dict[str, tuple[tuple[str, tuple[str, ...]], ...]] = {
    "first": (
        (
            "A domain that nobody delegates: this one is taken out of service, and kept in a file.",
            ("move", "draft", _NEW, "--retire", "--from", "alder"),
        ),
        ("Out of service, through the holds.", ("move", "advance", _NEW, "--yes", "--wait")),
        (
            "Records first, at another provider.",
            ("publish", _NEW, "--to", "birch", "--from", f"{{folder}}/moves/{_NEW}.zone", "--yes"),
        ),
        ("What its first delegation takes.", ("move", "draft", _NEW, "--first", "--from", "birch")),
        ("Would anybody notice?", ("move", "rehearse", _NEW)),
        ("Carried out.", ("move", "advance", _NEW, "--yes", "--wait")),
        ("Does everybody agree?", ("confirm", _NEW, "--to", "birch", "--registrar", "flint")),
    ),
    "registrar": (
        (
            "What must come out as it went in.",
            ("move", "draft", DOMAIN, "--registrar", "flint", "--registrar-to", "slate", "--approve"),
        ),
        ("Carried out.", ("move", "advance", DOMAIN, "--yes", "--wait")),
        ("Is it with the other one, its DNS untouched?", ("confirm", DOMAIN, "--to", "alder", "--registrar", "slate")),
    ),
    "signed": (
        ("A domain that its provider signs, and whose parent has no DS.", ("ds", "show", _SIGNED)),
        (
            "Its DS, once nobody holds anything unsigned any more.",
            ("ds", "submit", _SIGNED, "--registrar", "flint", "--yes", "--wait"),
        ),
        ("Does the chain hold, at every server?", ("ds", "show", _SIGNED)),
        (
            "To a provider that does not sign: the DS goes first.",
            ("move", "draft", _SIGNED, "--to", "birch", "--unsign", "--registrar", "flint"),
        ),
        ("Would anybody notice, who validates too?", ("move", "rehearse", _SIGNED)),
        ("Carried out.", ("move", "advance", _SIGNED, "--yes", "--wait")),
        ("And back, signed again.", ("move", "retreat", _SIGNED, "--yes", "--wait")),
        ("Does the chain hold again?", ("ds", "show", _SIGNED)),
    ),
}
"""Kind → titles and commands, for those that are not there and back with one wish."""


def show_kind(practice: WorldThread, folder: Path, kind: str, command: Callable[[Sequence[str]], int]) -> int:
    """0 when every command ended as it should and no visitor failed."""
    settings, screen = ("--settings", str(folder / "legatum.toml")), Screen()
    if kind not in _NOT_BACK:
        asked = QUESTIONS if kind != "signed" else ((_SIGNED, A), (f"www.{_SIGNED}", A), (_SIGNED, MX))
        practice.visit([(parse_name(name + "."), rtype) for name, rtype in asked], VISIT_EVERY)
    stages = [
        (title, (*(each.format(folder=folder) for each in words), *settings)) for title, words in ONE_WAY.get(kind, ())
    ] or [
        ("What it takes, when, and why.", ("move", "draft", DOMAIN, *WISHES.get(kind, ()), *settings)),
        ("Would anybody notice?", ("move", "rehearse", DOMAIN, "--population", "30000", *settings)),
        ("Carried out, through every hold.", ("move", "advance", DOMAIN, "--yes", "--wait", *settings)),
        ("And back.", ("move", "retreat", DOMAIN, "--yes", "--wait", *settings)),
        (
            "Does everybody agree that it is as it was?",
            ("confirm", DOMAIN, "--to", "alder", "--registrar", "flint", *settings),
        ),
    ]
    if kind in LEADING_NOWHERE:  # nobody is led anywhere else
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
    if kind == "signed":
        screen.line(
            f"Of the resolvers {' and '.join(VALIDATING)} validates: what is bogus there is among the "
            "failures, and nowhere else."
        )
    return 1 if failed else 0
