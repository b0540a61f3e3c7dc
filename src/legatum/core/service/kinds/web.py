"""What visitors of a site get."""

from collections.abc import Iterator

from legatum.core.findings.finding import Occurrence, Severity, finding
from legatum.core.records.name import name_text
from legatum.core.service.seen import ServiceSeen, Visit, WebSeen
from legatum.core.service.spot import Protocol

_FAILED, _WANTS_A_PASSWORD = 400, 401


@finding(
    "web-silent", Severity.ERROR, "No web server answers",
    why="Whoever opens the site at this address gets an error page of the browser.",
    remedy="Start the web server there, open ports 80 and 443 in the firewall, and have it listen on this address.",
    standard="RFC 9110 s4.2",
)  # fmt: skip
def web_silent(visit: Visit) -> Iterator[Occurrence]:
    for plain, seen, secure, found in _pairs(visit):
        if seen.trouble and found.trouble:
            said = seen.trouble if seen.trouble == found.trouble else f"http: {seen.trouble}; https: {found.trouble}"
            yield Occurrence(f"{name_text(plain.spot.name)} at {plain.address}: {said}", (), secure.where)


@finding(
    "https-missing", Severity.WARNING, "The site opens by http alone",
    why="Browsers warn of it, or try https first and wait; nothing that visitors type is kept secret.",
    remedy="Have the web server listen on port 443 with a certificate for the name.",
    standard="RFC 9110 s4.2.2",
)  # fmt: skip
def https_missing(visit: Visit) -> Iterator[Occurrence]:
    for _, seen, secure, found in _pairs(visit):
        if found.trouble and not seen.trouble:
            yield Occurrence(f"{secure.where}: {found.trouble}", (), secure.where)


@finding(
    "http-missing", Severity.NOTICE, "Nothing answers on port 80",
    why="Old links and typed names find nothing, and certificates that are renewed over http are not.",
    remedy="Have the web server listen on port 80 too, and lead to https from there.",
    standard="RFC 8555 s8.3",
)  # fmt: skip
def http_missing(visit: Visit) -> Iterator[Occurrence]:
    for plain, seen, _, found in _pairs(visit):
        if seen.trouble and not found.trouble:
            yield Occurrence(f"{plain.where}: {seen.trouble}", (), plain.where)


@finding(
    "web-error-page", Severity.ERROR, "The web server answers with an error",
    why="Visitors get an error page instead of the site.",
    remedy="Set the site up for this name at that server; its log says what is missing.",
    standard="RFC 9110 s15.5",
)  # fmt: skip
def web_error_page(visit: Visit) -> Iterator[Occurrence]:
    for each, seen in _answering(visit):
        if seen.status >= _FAILED and seen.status != _WANTS_A_PASSWORD:
            yield Occurrence(f"{each.where}: status {seen.status} for {seen.hops[-1][0]}", (), each.where)


@finding(
    "redirects-for-ever", Severity.ERROR, "The site leads round in a circle",
    why="Browsers give up with an error page.",
    remedy="Mend the redirects at that server: often one leads to https and another one back, or to www and back.",
    standard="RFC 9110 s15.4",
)  # fmt: skip
def redirects_for_ever(visit: Visit) -> Iterator[Occurrence]:
    for each, seen in _answering(visit):
        if seen.endless:
            yield Occurrence(f"{each.where}: {' → '.join(url for url, _ in seen.hops[-3:])} → …", (), each.where)


def _pairs(visit: Visit) -> Iterator[tuple[ServiceSeen, WebSeen, ServiceSeen, WebSeen]]:
    """The same name at the same address by http and https."""
    plain = {
        (each.spot.name, each.address, each.new): each for each in visit.seen if each.spot.protocol == Protocol.HTTP
    }
    for secure in visit.seen:
        other = (
            plain.get((secure.spot.name, secure.address, secure.new))
            if secure.spot.protocol == Protocol.HTTPS
            else None
        )
        if other is not None and isinstance(other.what, WebSeen) and isinstance(secure.what, WebSeen):
            yield other, other.what, secure, secure.what


def _answering(visit: Visit) -> Iterator[tuple[ServiceSeen, WebSeen]]:
    for each in visit.seen:
        if isinstance(each.what, WebSeen) and not each.what.trouble:
            yield each, each.what
