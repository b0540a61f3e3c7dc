"""The services behind the names, side by side at the present address and at a new one."""

from collections.abc import Iterable, Sequence
from pathlib import Path

from legatum.core.calendar.instant import for_people, instant_text
from legatum.core.findings.finding import Finding, Severity
from legatum.core.observation.unseen import ELSEWHERE
from legatum.core.records.name import name_text, unicode_text
from legatum.core.service.page import likeness
from legatum.core.service.seen import Certificate, MailSeen, ServiceSeen, Trust, Visit, WebSeen
from legatum.net.file import write_whole
from legatum.views.document import Document, Part
from legatum.views.everywhere import EverywherePart, show_everywhere
from legatum.views.findings import FindingPart, advice, finding_part, show_findings
from legatum.views.page import render
from legatum.views.screen import BAD, GOOD, QUIET, Screen


class CertificatePart(Part):
    names: list[str]
    issuer: str
    since: str
    until: str
    trust: str


class HopPart(Part):
    url: str
    status: int


class SeenPart(Part):
    """``new``: at an address that the DNS does not lead to; ``trouble``: why nothing came. ``alike``: how alike the
    page is to that of the present address, from 0 to 1."""

    protocol: str
    name: str
    address: str
    new: bool
    trouble: str
    version: str = ""
    hops: list[HopPart] = []
    leads: str = ""
    title: str = ""
    fingerprint: str = ""
    octets: int = 0
    alike: float | None = None
    hsts: str = ""
    banner: str = ""
    tls: bool | None = None
    takes: bool | None = None
    said: str = ""
    certificate: CertificatePart | None = None


class VisitDocument(Document, tag="legatum.visit/1"):
    """Every service of a domain at every address; ``findings``, worst first. ``worse``: what visitors would suffer at
    the new addresses and do not suffer now. ``not_looked_at``: what this does not speak of."""

    domain: str
    unicode: str
    at: str
    verdict: str
    next: str
    good: bool
    compares: bool
    services: list[SeenPart]
    findings: list[FindingPart]
    worse: list[str]
    not_looked_at: list[str]
    everywhere: EverywherePart | None = None


class VisitListDocument(Document, tag="legatum.visit-list/1"):
    """Several domains, in the order asked for."""

    visits: list[VisitDocument]


def visit_document(visit: Visit, findings: Sequence[Finding], worse: Sequence[str]) -> VisitDocument:
    verdict, following, good = _verdict(visit, findings, worse)
    return VisitDocument(
        domain=name_text(visit.domain),
        unicode=unicode_text(visit.domain),
        at=instant_text(visit.at),
        verdict=verdict,
        next=following,
        good=good,
        compares=visit.compares,
        services=[_seen(visit, each) for each in visit.seen],
        findings=[finding_part(each, name_text(visit.domain)) for each in findings],
        worse=list(worse),
        not_looked_at=[*visit.not_looked_at, "pages other than the first of each name", ELSEWHERE],
    )


def _verdict(visit: Visit, findings: Sequence[Finding], worse: Sequence[str]) -> tuple[str, str, bool]:
    domain = unicode_text(visit.domain)
    errors = [each for each in findings if each.kind.severity == Severity.ERROR]
    if not visit.seen:
        return (
            f"{domain}: nothing to visit: no name of it has an address",
            f"`legatum survey {name_text(visit.domain)}` says what is there",
            False,
        )
    if worse:
        more = f", and {len(worse) - 1} more" if len(worse) > 1 else ""
        slug = worse[0].rpartition("[")[2].rstrip("]")
        remedy = next((advice(each, name_text(visit.domain)) for each in findings if each.kind.slug == slug), "")
        return f"{domain}: visitors would be worse off at the new address: {worse[0]}{more}", remedy, False
    if errors:
        more = f", and {len(errors) - 1} more" if len(errors) > 1 else ""
        return f"{domain}: error: {errors[0].kind.said}{more}", advice(errors[0], name_text(visit.domain)), False
    told = [each for each in findings if each.kind.severity == Severity.WARNING]
    if told:
        more = f", and {len(told) - 1} more" if len(told) > 1 else ""
        return f"{domain}: warning: {told[0].kind.said}{more}", advice(told[0], name_text(visit.domain)), True
    count = len({each.where for each in visit.seen})
    if visit.compares:
        return (
            f"{domain}: the services at the new address are as good as those at the present one ({count} looked at)",
            "",
            True,
        )
    return f"{domain}: all services answer as they should ({count} looked at)", "", True


def _seen(visit: Visit, each: ServiceSeen) -> SeenPart:
    what = each.what
    part = SeenPart(
        protocol=str(each.spot.protocol),
        name=name_text(each.spot.name),
        address=each.address,
        new=each.new,
        trouble=what.trouble,
        certificate=_certificate(what.certificate),
    )
    if isinstance(what, MailSeen):
        part.banner, part.tls, part.takes, part.said = what.banner, what.tls, what.takes, what.said
        return part
    part.version, part.leads, part.hsts = what.version, what.leads, what.hsts
    part.hops = [HopPart(url=url, status=status) for url, status in what.hops]
    if what.page is not None:
        part.title, part.fingerprint, part.octets = what.page.title, what.page.fingerprint, what.page.octets
        part.alike = _alike(visit, each, what)
    return part


def _alike(visit: Visit, each: ServiceSeen, what: WebSeen) -> float | None:
    present = [
        other.what.page
        for other in visit.of(each.spot, False)
        if isinstance(other.what, WebSeen) and other.what.page is not None
    ]
    return round(likeness(present[0], what.page), 2) if each.new and present and what.page is not None else None


def _certificate(found: Certificate | None) -> CertificatePart | None:
    if found is None:
        return None
    return CertificatePart(
        names=list(found.names),
        issuer=found.issuer,
        since=instant_text(found.since),
        until=instant_text(found.until),
        trust=str(found.trust),
    )


# For people


def show_visit(document: VisitDocument, screen: Screen) -> None:
    screen.verdict(document.good, document.verdict, document.next)
    show_findings(document.findings, screen)
    if document.everywhere is not None:
        show_everywhere(document.everywhere, screen)
    show_services(document, screen)
    screen.line()
    screen.line(f"Not looked at: {'; '.join(document.not_looked_at)}", QUIET, indent=15)


def show_services(document: VisitDocument, screen: Screen) -> None:
    """What stands behind the names, a row for each service and what is alike of it."""
    rows = service_rows(document)
    if rows:
        screen.heading(
            "The services: what is there now, and at the new address"
            if document.compares
            else "The services behind the names"
        )
        screen.table(COLUMNS, [row[:6] for row in rows], [BAD if bad else GOOD if new else "" for *_, new, bad in rows])


COLUMNS = ("service", "name", "address", "answers", "what", "certificate")
Row = tuple[str, str, str, str, str, str, bool, bool]


def service_rows(document: VisitDocument) -> list[Row]:
    """What :data:`COLUMNS` has, whether it is of a new address, and whether that is bad; addresses that answer alike
    are one row."""
    rows: dict[tuple[str, str, str, str, str, bool, bool], list[str]] = {}
    for each in _ordered(document.services):
        key = (
            each.protocol,
            each.name,
            answered(each),
            shown(each),
            certificate_text(each),
            each.new,
            _is_bad(document, each),
        )
        rows.setdefault(key, []).append(each.address)
    return [
        (protocol, name, "\n".join([*addresses, "(new)"] if new else addresses), answers, what, certificate, new, bad)
        for (protocol, name, answers, what, certificate, new, bad), addresses in rows.items()
    ]


def _is_bad(document: VisitDocument, each: SeenPart) -> bool:
    where = f"{each.protocol} {each.name} at {each.address}"
    return bool(each.trouble) or any(
        where in seen for found in document.findings if found.severity == "error" for seen in found.seen
    )


def _ordered(services: Iterable[SeenPart]) -> list[SeenPart]:
    """Present and new address of a service below each other."""
    services = list(services)
    order = list(dict.fromkeys((each.protocol, each.name) for each in services))
    return sorted(services, key=lambda each: (order.index((each.protocol, each.name)), each.new))


def answered(each: SeenPart) -> str:
    """In a few words how it answered."""
    if each.trouble:
        return each.trouble
    if each.hops:
        return f"{' → '.join(str(hop.status) for hop in each.hops)}, {each.version}"
    if each.takes is None:
        return f"puts mail off: {each.said}" if each.said else "answers"
    return "takes mail for it" if each.takes else f"refuses mail for it: {each.said}"


def shown(each: SeenPart) -> str:
    """What there is to see: title or banner, where it ends, how alike it is."""
    if each.hops:
        end = each.leads or (each.hops[-1].url if len(each.hops) > 1 else "")
        parts = [
            f"“{each.title}”" if each.title else "",
            f"→ {end}" if end else "",
            f"{each.alike:.0%} alike" if each.alike is not None else "",
        ]
        return "\n".join(part for part in parts if part)
    return "\n".join(part for part in (each.banner, "" if each.tls is not False else "without TLS") if part)


def certificate_text(each: SeenPart) -> str:
    found = each.certificate
    if found is None:
        return "-"
    above = each.name.partition(".")[2]
    own = [name for name in found.names if name in (each.name, f"*.{above}")]
    names = "for it" if own else f"for {', '.join(found.names[:2])}" if found.names else "for no name"
    whole = "" if found.trust == str(Trust.WHOLE) else f"\n{found.trust}"
    return f"{names}, until {found.until[:10]}\n{found.issuer}{whole}"


def write_visit(path: Path, documents: Sequence[VisitDocument]) -> None:
    """As one HTML file. Raises as :func:`~legatum.net.file.write_whole`."""
    write_whole(path, for_people(render("visit.html", visits=[(each, service_rows(each)) for each in documents])))
