"""Whether mail comes in."""

from collections.abc import Iterator

from legatum.core.findings.finding import Occurrence, Severity, finding
from legatum.core.records.name import name_text
from legatum.core.service.seen import MailSeen, ServiceSeen, Visit
from legatum.core.service.spot import Protocol


@finding(
    "mail-silent",
    Severity.ERROR,
    "The mail server does not answer",
    why="Mail waits at its senders, and comes back to them after some days.",
    remedy=(
        "Start the mail server there, and open port 25. Some networks let nobody in them ask port 25 of "
        "others: look from elsewhere."
    ),
    standard="RFC 5321 s4.5.4",
)
def mail_silent(visit: Visit) -> Iterator[Occurrence]:
    for each, seen in _bringing(visit):
        if seen.trouble:
            yield Occurrence(f"{each.where}: {seen.trouble}", (), each.where)


@finding(
    "mail-not-taken", Severity.ERROR, "The mail server takes no mail for the domain",
    why="All mail comes back to its senders at once.",
    remedy="Set the domain up at that mail server, mailboxes included, before anybody is led to it.",
    standard="RFC 5321 s3.3",
)  # fmt: skip
def mail_not_taken(visit: Visit) -> Iterator[Occurrence]:
    for each, seen in _bringing(visit):
        if seen.takes is False:
            yield Occurrence(f"{each.where}: postmaster@{name_text(visit.domain)}: {seen.said}", (), each.where)


@finding(
    "mail-put-off", Severity.WARNING, "The mail server puts the first mail off",
    why="Whether it takes mail for the domain is not known: it may do so to everybody whom it does not know yet.",
    remedy="Look again after a quarter of an hour.",
    standard="RFC 6647",
)  # fmt: skip
def mail_put_off(visit: Visit) -> Iterator[Occurrence]:
    for each, seen in _bringing(visit):
        if not seen.trouble and seen.takes is None and seen.said:
            yield Occurrence(f"{each.where}: {seen.said}", (), each.where)


@finding(
    "mail-in-the-open",
    Severity.WARNING,
    "The mail server offers no TLS",
    why=(
        "Mail comes in readable for everybody on the way; senders that keep to a policy of the domain "
        "(MTA-STS, DANE) bring none."
    ),
    remedy="Give the mail server a certificate, and switch STARTTLS on.",
    standard="RFC 3207",
)
def mail_in_the_open(visit: Visit) -> Iterator[Occurrence]:
    for each, seen in _bringing(visit):
        if not seen.trouble and seen.tls is False:
            yield Occurrence(f"{each.where} does not offer STARTTLS", (), each.where)


def _bringing(visit: Visit) -> Iterator[tuple[ServiceSeen, MailSeen]]:
    for each in visit.seen:
        if each.spot.protocol == Protocol.SMTP and isinstance(each.what, MailSeen):
            yield each, each.what
