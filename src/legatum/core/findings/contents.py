"""What visitors come for: the apex and www."""

from collections.abc import Iterator

from legatum.core.findings.finding import Severity, Sighting, finding
from legatum.core.name import below, name_text
from legatum.core.picture import Picture
from legatum.core.rrset import targets
from legatum.core.rrtype import AAAA, CNAME, MX, A


@finding(
    "apex-without-address", Severity.NOTICE, "The bare domain has no address",
    why="Who types the name without www finds nothing.",
    remedy="Add A and AAAA records at the apex; an alias cannot stand there.",
    standard="RFC 1912 s2.4",
)  # fmt: skip
def apex_without_address(picture: Picture) -> Iterator[Sighting]:
    if _looked(picture) and not any(picture.contents.get((picture.domain, rtype)) for rtype in (A, AAAA)):
        yield Sighting(f"{name_text(picture.domain)} has neither A nor AAAA")


@finding(
    "www-missing", Severity.NOTICE, "There is no www",
    why="Many people and links use the name with www in front; it is the record most often forgotten in a move.",
    remedy="Add www as an alias to the bare domain, or with the same addresses.",
    standard="RFC 1034 s3.6.2",
)  # fmt: skip
def www_missing(picture: Picture) -> Iterator[Sighting]:
    www = below("www", picture.domain)
    if _looked(picture) and not any(picture.contents.get((www, rtype)) for rtype in (A, AAAA, CNAME)):
        yield Sighting(f"{name_text(www)} does not exist")


@finding(
    "mail-to-alias", Severity.WARNING, "Mail is sent to an alias",
    why="An MX record must name a host with addresses of its own; some mail servers refuse or loop.",
    remedy="Use the name that the alias leads to in the MX record.",
    standard="RFC 2181 s10.3",
)  # fmt: skip
def mail_to_alias(picture: Picture) -> Iterator[Sighting]:
    for host in targets(picture.contents.get((picture.domain, MX))):
        if picture.contents.get((host, CNAME)):
            yield Sighting(f"MX {name_text(host)} is an alias")


def _looked(picture: Picture) -> bool:
    return bool(picture.contents)
