"""What is another thing at the new address than at the present one."""

from collections.abc import Iterator

from legatum.core.findings.finding import Occurrence, Severity, finding
from legatum.core.service.page import likeness
from legatum.core.service.seen import ServiceSeen, Visit, WebSeen
from legatum.core.service.spot import Protocol

_ANOTHER, _ALIKE = 0.5, 0.97


@finding(
    "service-lost", Severity.ERROR, "A service of the present address is not there at the new one",
    why="It works until the switch, and for nobody after it.",
    remedy="Set it up at the new address, open its port in the firewall there, then look again.",
    standard="RFC 1123 s2.1",
    after=("web-silent", "mail-silent"),
)  # fmt: skip
def service_lost(visit: Visit) -> Iterator[Occurrence]:
    gone = {
        (new.spot.name, new.address)
        for now, new in _sides(visit)
        if new.spot.protocol == Protocol.HTTPS and _is_lost(now, new)
    }
    for now, new in _sides(visit):
        told = new.spot.protocol == Protocol.HTTP and (new.spot.name, new.address) in gone  # once, by https
        if _is_lost(now, new) and not told:
            yield Occurrence(f"{new.where}: {new.what.trouble}; at {now.address} it answers", (), new.where)


@finding(
    "another-site",
    Severity.ERROR,
    "The new address shows another site",
    why="Visitors would find a default page, a parking page or somebody else's site. The name is not set up there.",
    remedy=(
        "Set the site up for this name at the new server, and bring its contents; then look again. If it "
        "is meant: the move's --anyway."
    ),
    standard="RFC 9110 s7.2",
    after=("web-error-page",),
)
def another_site(visit: Visit) -> Iterator[Occurrence]:
    for now, one, new, other in _pages(visit):
        if _likeness(one, other) < _ANOTHER * one.steady:
            yield Occurrence(
                f"{new.where}: {_titled(other)}, {_alike(one, other)}; at {now.address} {_titled(one)}", (), new.where
            )


@finding(
    "page-differs", Severity.WARNING, "The page is not the same at the new address",
    why="An older copy of the site, or one that was not brought along whole.",
    remedy="Open both and compare; bring what changed since the copy was made.",
    standard="RFC 9110 s8.6",
    after=("another-site", "web-error-page"),
)  # fmt: skip
def page_differs(visit: Visit) -> Iterator[Occurrence]:
    for now, one, new, other in _pages(visit):
        if _ANOTHER * one.steady <= _likeness(one, other) < _ALIKE * one.steady:
            yield Occurrence(
                f"{new.where}: {_titled(other)}, {_alike(one, other)} to that of {now.address}", (), new.where
            )


@finding(
    "redirect-differs", Severity.WARNING, "The new address leads visitors elsewhere",
    why="Bookmarks, logins and search engines keep to the address (URL) in which a visit ended so far.",
    remedy="Set the same redirects at the new server.",
    standard="RFC 9110 s15.4",
    after=("web-error-page", "redirects-for-ever"),
)  # fmt: skip
def redirect_differs(visit: Visit) -> Iterator[Occurrence]:
    for now, one, new, other in _webs(visit):
        if _end(one) != _end(other):
            yield Occurrence(f"{new.where}: ends at {_end(other)}; at {now.address} at {_end(one)}", (), new.where)


@finding(
    "hsts-lost", Severity.WARNING, "The new address does not ask browsers to come by https alone",
    why="Browsers forget it when the time runs out that they were given; new visitors never learn it.",
    remedy="Send the header Strict-Transport-Security there too.",
    standard="RFC 6797 s6.1",
)  # fmt: skip
def hsts_lost(visit: Visit) -> Iterator[Occurrence]:
    for now, one, new, other in _webs(visit, Protocol.HTTPS):
        if one.hsts and not other.hsts:
            yield Occurrence(f"{new.where} sends none; {now.address}: {one.hsts}", (), new.where)


@finding(
    "tls-lost", Severity.ERROR, "The new mail server offers no TLS, the present one does",
    why="Mail programs that are set to use it, and servers that saw it offered, refuse to go on without.",
    remedy="Give the new server a certificate for its name, and switch TLS on.",
    standard="RFC 8314 s3",
)  # fmt: skip
def tls_lost(visit: Visit) -> Iterator[Occurrence]:
    for now, new in _sides(visit):
        if (
            not isinstance(now.what, WebSeen)
            and not isinstance(new.what, WebSeen)
            and now.what.tls
            and new.what.tls is False
        ):
            yield Occurrence(f"{new.where} does not offer it; {now.address} does", (), new.where)


def _is_lost(now: ServiceSeen, new: ServiceSeen) -> bool:
    return bool(new.what.trouble) and not now.what.trouble


def _sides(visit: Visit) -> Iterator[tuple[ServiceSeen, ServiceSeen]]:
    """Every new address beside the present one that serves visitors best."""
    for spot in visit.spots:
        present = sorted(visit.of(spot, False), key=lambda each: (bool(each.what.trouble), ":" in each.address))
        for new in visit.of(spot, True):
            if present:
                yield present[0], new


def _webs(
    visit: Visit, protocol: Protocol | None = None
) -> Iterator[tuple[ServiceSeen, WebSeen, ServiceSeen, WebSeen]]:
    """Those that answer on both sides; by one ``protocol``, or by any."""
    for now, new in _sides(visit):
        one, other = now.what, new.what
        if (
            protocol in (None, new.spot.protocol)
            and isinstance(one, WebSeen)
            and isinstance(other, WebSeen)
            and not one.trouble
            and not other.trouble
        ):
            yield now, one, new, other


def _pages(visit: Visit) -> Iterator[tuple[ServiceSeen, WebSeen, ServiceSeen, WebSeen]]:
    """Those that are pages on both sides, and not errors."""
    for now, one, new, other in _webs(visit):
        if one.page is not None and other.page is not None and one.status == other.status:
            yield now, one, new, other


def _likeness(one: WebSeen, other: WebSeen) -> float:
    return likeness(one.page, other.page) if one.page is not None and other.page is not None else 0.0


def _titled(seen: WebSeen) -> str:
    return f"“{seen.page.title}”" if seen.page is not None and seen.page.title else "a page without a title"


def _alike(one: WebSeen, other: WebSeen) -> str:
    return f"{_likeness(one, other):.0%} alike"


def _end(seen: WebSeen) -> str:
    return seen.leads or (seen.hops[-1][0] if seen.hops else "nothing")
