"""A survey for people: the verdict, what to do, the findings, and who said what."""

from collections.abc import Iterable, Sequence

from legatum.core.calendar.duration import rough_text
from legatum.core.calendar.instant import parse_instant
from legatum.views.everywhere import show_everywhere
from legatum.views.findings import show_findings
from legatum.views.look.chain import show_links
from legatum.views.look.survey import ParentPart, SurveyDocument
from legatum.views.look.views import show_view_rows
from legatum.views.look.visit import show_services
from legatum.views.screen import BAD, QUIET, Screen

_MOST_LINES = 3  # of a row
_Row = tuple[str, str, tuple[object, ...]]  # a server, its address, and what it says there


def show_survey(document: SurveyDocument, screen: Screen, whole: bool = False) -> None:
    """``whole``: every address and every record has a row of its own."""
    bad = [each for each in document.findings if each.severity != "notice"]
    everywhere = document.everywhere
    screen.verdict(
        not bad and bool(document.delegation) and (everywhere is None or everywhere.good),
        document.verdict,
        document.next,
    )
    show_findings(document.findings, screen)
    if everywhere is not None:
        show_everywhere(everywhere, screen)
    screen.heading(f"The parent, {_zone(document.parent_zone)}, hands out (TTL {_ttl(document.delegation_ttl)})")
    above: list[_Row] = [
        (each.server, each.address, (_ns(each.ns, each.outcome), _seconds(each.ttl), _glue(each)))
        for each in document.parents
    ]
    screen.table(("server", "address", "NS set", "TTL", "glue"), [row for row, _ in _together(above, whole)])
    screen.heading(f"The domain's own servers hand out (TTL {_ttl(document.own_ns_ttl)})")
    own: list[_Row] = [
        (each.server, each.address, (
            each.soa.serial if each.soa else "-", _ns(each.ns, each.outcome), _seconds(each.ns_ttl),
            "yes" if each.authoritative else "no", each.tcp,
        ))
        for each in document.servers
    ]  # fmt: skip
    took = {each.address: each.milliseconds for each in document.servers}
    styles = {each.address: "" if each.soa and each.authoritative else BAD for each in document.servers}
    drawn = [(*row, _range([took[each] for each in addresses])) for row, addresses in _together(own, whole)]
    columns = ("server", "address", "serial", "NS set", "TTL", "authority", "over TCP", "ms")
    screen.table(columns, drawn, [styles[addresses[0]] for _, addresses in _together(own, whole)])
    _show_timers(document, screen)
    _show_security(document, screen)
    if document.chain is not None:
        screen.line(f"The chain of trust: {document.chain.state}: {document.chain.why}", QUIET)
        show_links(document.chain, parse_instant(document.at), screen)
    if document.contents:
        screen.heading("What visitors come for")
        screen.table(
            ("name", "type", "TTL", "data"),
            [(each.name, each.type, each.ttl, _few(each.data, whole)) for each in document.contents],
        )
    _show_others(document, screen)
    _show_leftovers(document, screen)
    for views in document.views:
        show_view_rows(views, screen)
    if document.service is not None:
        show_services(document.service, screen)
    screen.line()
    screen.line(f"Not looked at: {'; '.join(document.not_looked_at)}", QUIET, indent=15)


def _together(rows: Iterable[_Row], whole: bool) -> list[tuple[tuple[object, ...], list[str]]]:
    """Rows as they are drawn: addresses that say the same are one, given beside it."""
    groups = dict[object, list[_Row]]()
    for row in rows:
        groups.setdefault(row if whole else row[2], []).append(row)
    found = list[tuple[tuple[object, ...], list[str]]]()
    for group in groups.values():
        addresses = [address for _, address, _ in group]
        where = addresses[0] if len(addresses) == 1 else f"{len(addresses)} addresses"
        found.append(
            ((_few(list(dict.fromkeys(server for server, _, _ in group)), whole), where, *group[0][2]), addresses)
        )
    return found


def _few(lines: Sequence[str], whole: bool) -> str:
    """In at most three lines, so that the next row is seen."""
    shown = (
        lines
        if whole or len(lines) <= _MOST_LINES
        else [*lines[: _MOST_LINES - 1], f"and {len(lines) - _MOST_LINES + 1} more"]
    )
    return "\n".join(shown)


def _ns(names: Sequence[str], otherwise: str) -> str:
    return _few(names, False) or otherwise


def _range(milliseconds: Sequence[float]) -> str:
    least, most = min(milliseconds), max(milliseconds)
    return f"{least:.1f}" if least == most else f"{least:.1f}-{most:.1f}"


def _show_leftovers(document: SurveyDocument, screen: Screen) -> None:
    if not document.leftovers:
        return
    screen.heading("Left behind")
    rows = [
        (each.kind, each.what, each.where, "surely" if each.sure else "perhaps", each.why)
        for each in document.leftovers
    ]
    screen.table(("", "what", "where", "of no use", "because"), rows)
    screen.line(
        f"`legatum move draft {document.domain} --retire leftovers` takes what is surely of no use, once "
        "nobody can ask for it",
        QUIET,
    )
    for each in document.leftovers:
        if each.remedy:
            screen.line(f"{each.kind} {each.what}: {each.remedy}", QUIET, indent=8)


def _show_security(document: SurveyDocument, screen: Screen) -> None:
    """One line where nothing is signed, else who has which keys."""
    keys = sorted({key for each in document.servers for key in each.keys})
    if not document.ds and not keys:
        proven = [each.ds_absence_proven for each in document.parents]
        word = ", and the parent proves that there is no DS" if proven and all(proven) else ""
        screen.line(f"DNSSEC: not signed{word}", QUIET)
        return
    screen.heading("DNSSEC")
    until = min((each.signatures_until for each in document.servers if each.signatures_until), default="-")
    screen.pairs(
        [
            ("DS at the parent", "\n".join(document.ds) or "none"),
            ("keys", "\n".join(keys) or "none"),
            ("signed until", until),
        ]
    )


def _show_timers(document: SurveyDocument, screen: Screen) -> None:
    soa = next((each.soa for each in document.servers if each.soa), None)
    if soa:
        screen.line(
            f"SOA: primary {soa.primary}, mailbox {soa.mail}, refresh {soa.refresh}, retry {soa.retry}, "
            f"expire {soa.expire}; "
            f"“no such name” is kept for {_ttl(document.negative_ttl)}",
            QUIET,
        )


def _show_others(document: SurveyDocument, screen: Screen) -> None:
    if document.resolvers:
        screen.heading("Resolvers")
        rows = [
            (
                each.name, each.address, each.over, _ns(each.ns, each.outcome), _ttl(each.ttl_left), each.serial or "-",
                "yes" if each.authenticated else "no", ", ".join(each.extended_errors),
            )
            for each in document.resolvers
        ]  # fmt: skip
        columns = ("resolver", "address", "over", "NS set", "TTL left", "serial", "validated", "")
        screen.table(columns, rows)
    if document.former:
        screen.heading("The provider before")
        rows5 = [
            (each.server, each.address, _ns(each.ns, each.outcome), _seconds(each.ns_ttl)) for each in document.former
        ]
        screen.table(("server", "address", "NS set", "TTL"), rows5)
    if document.registrations:
        screen.heading("The registration")
        rows6 = [
            (
                each.source,
                each.registrar,
                _ns(each.nameservers, "none"),
                _ns(each.statuses, "none"),
                each.expires,
                _signed(each.ds),
            )
            for each in document.registrations
        ]
        screen.table(("as told by", "registrar", "NS set", "status", "expires", "DS"), rows6)


def _signed(ds: list[str] | None) -> str:
    return "not told" if ds is None else "\n".join(ds) or "none"


def _glue(each: ParentPart) -> str:
    ttl = f" (TTL {each.glue_ttl})" if each.glue_ttl is not None else ""
    return "\n".join(f"{owner.split()[0]} {', '.join(data)}{ttl}" for owner, data in each.glue.items()) or "none needed"


def _zone(zone: str) -> str:
    return "the root" if zone == "." else f".{zone}"


def _ttl(seconds: int | None) -> str:
    return "-" if seconds is None else f"{seconds}, {rough_text(seconds)}" if seconds >= 60 else f"{seconds} s"


def _seconds(seconds: int | None) -> object:
    return "-" if seconds is None else seconds
