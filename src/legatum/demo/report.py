"""The end of the demo: who was asked what and got which answer, from the visitors' side and from the servers'."""

import csv
import json
from collections import Counter
from pathlib import Path

from legatum.core.calendar.duration import rough_text
from legatum.core.calendar.instant import instant_text, parse_instant
from legatum.core.records.name import is_under, name_text, parse_domain
from legatum.core.records.rrtype import type_text
from legatum.practice import scenario
from legatum.practice.log import Errand
from legatum.practice.world import World
from legatum.views.document import Document, Part
from legatum.views.screen import BAD, GOOD, Screen


class VisitorPart(Part):
    """One question as the visitors of one resolver put it again and again, and every answer they got."""

    resolver: str
    kind: str
    name: str
    type: str
    asked: int
    failed: int
    answers: list[str]


class PeriodPart(Part):
    """Who answered the resolvers' own questions about the domain in one stretch of time: provider → how many."""

    begins: str
    ends: str
    answered_by: dict[str, int]


class CarelessPart(Part):
    """What the visitors of one resolver met when the same move was done the careless way."""

    resolver: str
    kind: str
    asked: int
    failed: int
    failing_from: str | None
    failing_until: str | None


class DemoDocument(Document, tag="legatum.demo/1"):
    domain: str
    folder: str
    visits: int
    failures: int
    visitors: list[VisitorPart]
    careless: list[CarelessPart]
    periods: list[PeriodPart]


def demo_document(world: World, careless: World, domain: str, folder: Path) -> DemoDocument:
    seen = world.visitors.seen
    return DemoDocument(
        domain=domain,
        folder=str(folder),
        visits=len(seen),
        failures=sum(not each.good for each in seen),
        visitors=_visitors(world),
        careless=_careless(careless),
        periods=_periods(world, domain),
    )


def _visitors(world: World) -> list[VisitorPart]:
    groups: dict[tuple[str, str, str], list[tuple[bool, str]]] = {}
    for each in world.visitors.seen:
        groups.setdefault((each.resolver, each.name, each.type), []).append((each.good, each.text))
    return [
        VisitorPart(
            resolver=resolver,
            kind=str(scenario.RESOLVERS[resolver][0]),
            name=name,
            type=rtype,
            asked=len(answers),
            failed=sum(not good for good, _ in answers),
            answers=sorted({text for _, text in answers}),
        )
        for (resolver, name, rtype), answers in groups.items()
    ]


def _careless(world: World) -> list[CarelessPart]:
    parts = []
    for resolver, (kind, _) in scenario.RESOLVERS.items():
        seen = [each for each in world.visitors.seen if each.resolver == resolver]
        failed = [each.at for each in seen if not each.good]
        parts.append(
            CarelessPart(
                resolver=resolver,
                kind=str(kind),
                asked=len(seen),
                failed=len(failed),
                failing_from=instant_text(min(failed)) if failed else None,
                failing_until=instant_text(max(failed)) if failed else None,
            )
        )
    return parts


def _periods(world: World, domain: str) -> list[PeriodPart]:
    """Stretches of equal length over the whole move; those in which nobody had to be asked are left out."""
    provider_of = {
        address: provider
        for provider, hosting in scenario.PROVIDERS.items()
        for addresses in hosting.servers.values()
        for address in addresses
    }
    origin = parse_domain(domain)
    about = [each for each in world.errands if is_under(each.name, origin) and each.address in provider_of]
    if not about:
        return []
    begin, end = about[0].at, max(each.at for each in about) + 1
    hour = 3600.0
    groups: dict[int, list[Errand]] = {}
    for each in about:
        groups.setdefault(int((each.at - begin) // hour), []).append(each)
    return [
        PeriodPart(
            begins=instant_text(begin + number * hour),
            ends=instant_text(min(end, begin + (number + 1) * hour)),
            answered_by=dict(Counter(provider_of[each.address] for each in errands)),
        )
        for number, errands in sorted(groups.items())
    ]


def write_logs(world: World, folder: Path) -> None:
    """``questions.ndjson``: every question at every server; ``visitors.csv``: what every visitor saw."""
    with (folder / "questions.ndjson").open("w", encoding="utf-8") as file:
        file.writelines(json.dumps(visit.row()) + "\n" for visit in world.log)
    with (folder / "visitors.csv").open("w", encoding="utf-8", newline="") as file:
        writer = csv.writer(file)
        writer.writerow(("at", "resolver", "name", "type", "good", "answer"))
        writer.writerows(
            (instant_text(each.at), each.resolver, each.name, each.type, each.good, each.text)
            for each in world.visitors.seen
        )
    with (folder / "resolvers.csv").open("w", encoding="utf-8", newline="") as file:
        writer = csv.writer(file)
        writer.writerow(("at", "resolver", "asked", "name", "type", "outcome"))
        writer.writerows(
            (
                instant_text(each.at),
                each.resolver,
                each.address,
                name_text(each.name),
                type_text(each.rtype),
                each.outcome,
            )
            for each in world.errands
        )


def show_demo(document: DemoDocument, screen: Screen) -> None:
    good = document.failures == 0
    screen.line()
    screen.line("━━ Who was asked what, and got which answer", "bold")
    what = "none failed" if good else f"{document.failures} failed"
    screen.line(f"{document.visits} questions by visitors during the whole move: {what}", GOOD if good else BAD)
    screen.line()
    rows = [
        (each.resolver, each.kind, f"{each.name} {each.type}", each.asked, each.failed, "\n".join(each.answers))
        for each in document.visitors
    ]
    screen.table(("resolver", "kind", "question", "asked", "failed", "answer"), rows)
    screen.line()
    screen.line(
        "Who answered the resolvers' own questions about the domain, hour by hour (hours without a question left out):"
    )
    providers = sorted({provider for each in document.periods for provider in each.answered_by})
    hours = [_hour(each, providers) for each in document.periods]
    screen.table(("hour", *providers, "share of birch"), _thinned(hours))
    screen.line()
    _show_careless(document, screen)
    screen.line()
    screen.line(
        f"Everything is in {document.folder}: tour.txt, timeline.png, legatum.toml, the move, the zone, journal.sqlite,"
    )
    screen.line("questions.ndjson (every question at every server), resolvers.csv, visitors.csv")


def _show_careless(document: DemoDocument, screen: Screen) -> None:
    screen.line(
        "━━ The same move the careless way: NS set switched first, TTLs left alone, old zone deleted at once", "bold"
    )
    asked, failed = sum(each.asked for each in document.careless), sum(each.failed for each in document.careless)
    screen.line(f"{failed} of {asked} questions by visitors failed", BAD if failed else GOOD)
    rows = [
        (each.resolver, each.kind, each.asked, each.failed, _outage(each.failing_from, each.failing_until))
        for each in document.careless
    ]
    screen.table(("resolver", "kind", "asked", "failed", "failures seen for"), rows)


def _outage(begins: str | None, ends: str | None) -> str:
    if begins is None or ends is None:
        return "-"
    return rough_text(parse_instant(ends) - parse_instant(begins))


def _hour(period: PeriodPart, providers: list[str]) -> tuple[object, ...]:
    answered = [period.answered_by.get(provider, 0) for provider in providers]
    share = period.answered_by.get("birch", 0) / sum(answered)
    return (f"{period.begins} - {period.ends[11:]}", *answered, f"{share:.0%}")


def _thinned(rows: list[tuple[object, ...]]) -> list[tuple[object, ...]]:
    """The first hours and the last ones: in between nothing changes."""
    return rows if len(rows) <= 10 else [*rows[:3], ("…", *[""] * (len(rows[0]) - 1)), *rows[-6:]]
