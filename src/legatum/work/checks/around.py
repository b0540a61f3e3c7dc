"""What is there for all of them: the network, resolvers, clock, journal, engine, files, windows."""

import os
from collections.abc import Iterable
from contextlib import suppress
from pathlib import Path

from legatum.core.calendar.duration import duration_text
from legatum.core.calendar.instant import instant_text
from legatum.core.calendar.window import parse_windows
from legatum.core.calendar.zone import parse_zone
from legatum.core.records.name import ROOT
from legatum.core.records.rrtype import SOA
from legatum.core.running.fault import Fault, OutsideFault
from legatum.net.asking.around import ask_around
from legatum.net.asking.resolver import ResolverPlace, ask_resolver
from legatum.wire.message import AD, RA
from legatum.work.checks.checked import Checked, fails, readable, unknown, works
from legatum.work.run_context import RunContext

_TSIG_FUDGE = 300  # seconds by which clocks may differ for a signed message (RFC 8945 s5.2.3)
_WHOLE = 2  # seconds: signed answers tell whole ones, and take a moment to come


async def check_network(context: RunContext) -> list[Checked]:
    """What of it can be asked from here, by a few questions to the root servers."""
    if context.asker.patience.reach.cut_off:
        return [fails("network", "roots", "root servers", "this machine has no way to any of them", "connect it")]
    heard = await ask_around(context.asker, context.roots, context.asker.patience.reach)
    if heard.boxed:
        said = f"something on the way answers in the servers' place: {heard.boxed} offered to look names up"
        return [
            fails("network", "roots", "root servers", said, "look from another network, or have port 53 let through")
        ]
    if heard.reach is None:
        return [
            fails(
                "network",
                "roots",
                "root servers",
                "none of those asked answers",
                "is port 53 open, and are the roots right?",
            )
        ]
    ways = [*heard.reach.families, *(["TCP"] if heard.reach.tcp else [])]
    found = [works("network", "roots", "root servers", f"they answer over {', '.join(ways)}")]
    return found + [
        unknown("network", "ipv6" if "IPv6" in each else "roots", each.split(" (")[0], each) for each in heard.reach.why
    ]


async def check_resolver(context: RunContext, name: str, place: ResolverPlace) -> list[Checked]:
    table = f"resolvers.{name}"
    reply = await ask_resolver(context.asker, place, ROOT, SOA)
    if not reply.answered:
        remedy = (
            "is its certificate trusted: `authority`, `host`?"
            if reply.trouble == "its certificate is not trusted"
            else "is it up?"
        )
        return [fails(table, "address", "looking up", f"{place.text}: {reply.outcome}", remedy)]
    flags = reply.message.flags
    if not flags & RA or reply.find(SOA) is None:
        return [
            fails(
                table,
                "address",
                "looking up",
                f"{place.text}: it looks nothing up for this machine",
                "allow this machine there",
            )
        ]
    way = {"plain": "over UDP", "tls": "over TLS", "https": "over HTTPS"}[place.over]
    validates = "it validates" if flags & AD else "it did not validate the root's SOA"
    return [
        works(table, "address", "looking up", f"{place.text} answers {way} in {reply.took * 1000:.0f} ms; {validates}")
    ]


def check_clock(found: Iterable[Checked]) -> list[Checked]:
    """This machine's, by what others said: servers that sign (TSIG), registries (EPP), and registration data over
    HTTPS."""
    told = [each for each in found if each.ahead is not None]
    if not told:
        return [
            unknown(
                "clock", "", "this machine's clock", "nobody told: no signed answer, no registry, nothing over HTTPS"
            )
        ]
    worst = max(told, key=lambda each: abs(each.ahead or 0))
    away = abs(worst.ahead or 0)
    said = (
        f"{duration_text(round(away))} {'behind' if (worst.ahead or 0) > 0 else 'ahead of'} {worst.table}, "
        f"of {len(told)} who told"
    )
    if away >= _TSIG_FUDGE:
        return [
            fails(
                "clock",
                "",
                "this machine's clock",
                said,
                f"set it: signed messages may be {_TSIG_FUDGE} s apart, certificates too",
            )
        ]
    return [
        works(
            "clock",
            "",
            "this machine's clock",
            said if away >= _WHOLE else f"within two seconds of {len(told)} who told",
        )
    ]


async def check_journal(context: RunContext) -> list[Checked]:
    try:
        form, held = context.journal.form(), context.journal.held()
    except Fault as fault:
        return [fails("", "journal", "journal", fault.message, fault.remedy)]
    said = f"{context.journal.place}, form {form}: {held.entries} entries on {held.domains} domains"
    path = Path(context.journal.place)
    if path.exists() and not os.access(path, os.W_OK):
        return [
            fails("", "journal", "journal", f"{path} may not be written to by this user", "give this user the right to")
        ]
    return [works("", "journal", "journal", said)]


async def check_engine(context: RunContext) -> list[Checked]:
    settings = context.settings
    if not settings.engine.scheduler:
        return [
            fails("viewpoints", each, "viewpoint", "no [engine] to reach it by", "name a scheduler")
            for each in settings.viewpoints
        ]
    from legatum.net.engine import open_engine
    from legatum.work.afar.hub import engine_hub

    try:
        async with open_engine(engine_hub(context)) as engine:
            workers = await engine.workers()
    except Fault as fault:
        return [fails("engine", "scheduler", "engine", fault.message, fault.remedy)]
    doubted = [f"{each.name}: {each.doubts}" for each in workers if each.doubts]
    said = f"{settings.engine.scheduler}: {len(workers)} workers" + (
        f"; left out: {'; '.join(doubted)}" if doubted else ""
    )
    if len(doubted) == len(workers):
        return [fails("engine", "scheduler", "engine", said, "start some: `legatum worker --scheduler PLACE`")]
    found, names = [works("engine", "scheduler", "engine", said)], {each.name for each in workers if not each.doubts}
    for name, viewpoint in settings.viewpoints.items():
        worker, table = viewpoint.worker or name, f"viewpoints.{name}"
        if worker in names:
            found.append(works(table, "worker", "viewpoint", f"{worker} is there"))
        else:
            found.append(
                fails(
                    table,
                    "worker",
                    "viewpoint",
                    f"no worker {worker} at the scheduler",
                    "start it there: `legatum worker --scheduler PLACE`",
                )
            )
    return found


def check_files(context: RunContext) -> list[Checked]:
    settings, folder, found = context.settings, context.folder, list[Checked]()
    moves = folder / settings.moves
    if moves.exists() and not os.access(moves, os.W_OK | os.X_OK):
        found.append(
            fails(
                "",
                "moves",
                "folder of moves",
                f"{moves} may not be written to by this user",
                "give this user the right to",
            )
        )
    if settings.domains:
        found.append(readable("", "domains", "list of domains", folder / settings.domains))
    if settings.visit.authority:
        found.append(readable("visit", "authority", "certificates to trust", folder / settings.visit.authority))
    for path in context.exposed_secrets():
        found.append(
            fails(
                "",
                "",
                "secrets",
                f"{path}: everybody on this machine may read it",
                "chmod o-r it, and think of it as known",
            )
        )
    return found


def check_windows(context: RunContext) -> list[Checked]:
    house, now = context.settings.house, context.clock.now()
    if not house.windows and not house.quiet:
        return []
    windows = parse_windows(tuple(house.windows), tuple(house.quiet), parse_zone(house.time_zone))
    following = windows.next(now)
    if following is None:
        return [
            fails(
                "house",
                "windows" if house.windows else "quiet",
                "windows",
                "none comes that is not quiet",
                "mend one of both",
            )
        ]
    at, name = following
    said = (
        f"open now{f' ({name})' if name else ''}"
        if at <= now
        else f"the next begins {instant_text(at)}{f' ({name})' if name else ''}"
    )
    return [works("house", "windows" if house.windows else "quiet", "windows", said)]


def house_domains(context: RunContext) -> list[str]:
    """Lines of the list of domains, where there is one that can be read."""
    if not context.settings.domains:
        return []
    with suppress(OSError, UnicodeDecodeError, OutsideFault):
        return (context.folder / context.settings.domains).read_text(encoding="utf-8").split()
    return []
