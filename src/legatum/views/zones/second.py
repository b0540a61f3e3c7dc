"""A second provider beside the first."""

from collections.abc import Sequence

from legatum.core.observation.hosts import ServerSerial
from legatum.core.records.name import Name, name_text
from legatum.views.document import Document, Part
from legatum.views.screen import BAD, Screen
from legatum.work.fleet.seconds import Joined


class ServerSerialPart(Part):
    """``serial``: None where the address does not answer for the zone."""

    party: str
    server: str
    address: str
    serial: int | None
    said: str


class SecondDocument(Document, tag="legatum.second/1"):
    """``agreed``: every address of both providers has one serial."""

    domain: str
    agreed: bool
    servers: list[ServerSerialPart]


def second_document(domain: Name, found: list[ServerSerial]) -> SecondDocument:
    serials = {each.serial for each in found}
    parts = [
        ServerSerialPart(
            party=each.party, server=name_text(each.server), address=each.address, serial=each.serial, said=each.said
        )
        for each in found
    ]
    return SecondDocument(domain=name_text(domain), agreed=len(serials) == 1 and None not in serials, servers=parts)


def show_second(document: SecondDocument, screen: Screen) -> None:
    serials = sorted({each.serial for each in document.servers if each.serial is not None})
    if document.agreed:
        text = f"{document.domain}: all {len(document.servers)} addresses of both providers have serial {serials[0]}"
        screen.verdict(True, text, "")
    else:
        text = (
            f"{document.domain}: the providers do not have the same zone: serials "
            f"{', '.join(map(str, serials)) or 'none'}"
        )
        silent = sorted({each.party for each in document.servers if each.serial is None})
        adding = f"`legatum second add {document.domain} --second NAME` has {', '.join(silent)} serve it"
        screen.verdict(False, text, adding if silent else "see why the ones behind do not fetch it")
    screen.line()
    rows = [
        (each.party, each.server, each.address, each.serial if each.serial is not None else each.said)
        for each in document.servers
    ]
    screen.table(
        ("provider", "server", "address", "serial"),
        rows,
        ["" if each.serial is not None else BAD for each in document.servers],
    )


class JoinedPart(Part):
    """``state``: ``ready``, ``unchanged``, ``joined``, ``holding`` or ``failed``; ``done``: what was done,
    in order, or why it could not."""

    domain: str
    state: str
    done: list[str]
    remedy: str


class JoinedDocument(Document, tag="legatum.second-of-many/1"):
    """A second provider for many zones. ``state``: ``shown``, ``declined`` or ``done``."""

    state: str
    at: str
    second: str
    domains: list[JoinedPart]


def joined_document(state: str, at: str, second: str, found: Sequence[Joined]) -> JoinedDocument:
    parts = [
        JoinedPart(domain=name_text(each.domain), state=each.state, done=list(each.done), remedy=each.remedy)
        for each in found
    ]
    return JoinedDocument(state=state, at=at, second=second, domains=parts)


def show_joined(document: JoinedDocument, screen: Screen) -> None:
    """Counts first, then what did not go well; what did is a line for each only where there are few."""
    counts = {
        state: sum(each.state == state for each in document.domains)
        for state in ("joined", "holding", "ready", "unchanged", "failed")
    }
    words = ", ".join(f"{count} {state}" for state, count in counts.items() if count)
    bad = [each for each in document.domains if each.state == "failed"]
    others = f" and {len(bad) - 1} more" if len(bad) > 1 else ""
    following = f"mend {bad[0].domain}{others} ({bad[0].remedy}), then the same command again" if bad else ""
    text = f"{len(document.domains)} zones, {document.second} beside {document.at}: {words}"
    screen.ended(document.state, not bad, text, following)
    screen.line()
    shown = document.domains if len(document.domains) <= 12 else bad
    rows = [(each.domain, each.state, "; ".join(each.done) or "-") for each in shown]
    if rows:
        screen.table(("zone", "", "what was done"), rows, [BAD if each in bad else "" for each in shown])
