"""Whether clients will believe that it is the server."""

from collections.abc import Iterator

from legatum.core.calendar.instant import instant_text
from legatum.core.findings.finding import Occurrence, Severity, finding
from legatum.core.records.name import name_text
from legatum.core.service.certificate import is_for, runs_out
from legatum.core.service.seen import Certificate, ServiceSeen, Trust, Visit
from legatum.core.service.spot import Protocol

_MEND = (
    "Install a certificate for the name there. Before a switch it can be had by a challenge over the DNS, or "
    "brought along with its key."
)


@finding(
    "certificate-other-name", Severity.ERROR, "The certificate is for another name",
    why="Browsers and mail programs refuse to go on, or ask their users something that these cannot know.",
    remedy=_MEND,
    standard="RFC 9525 s6",
)  # fmt: skip
def certificate_other_name(visit: Visit) -> Iterator[Occurrence]:
    for each, found in _certificates(visit):
        if not is_for(found, each.spot.name):
            names = ", ".join(found.names[:4]) + (" …" if len(found.names) > 4 else "") if found.names else "no name"
            yield Occurrence(f"{each.where}: it is for {names}, not {name_text(each.spot.name)}", (), each.where)


@finding(
    "certificate-out-of-date",
    Severity.ERROR,
    "The certificate is out of date",
    why="Browsers and mail programs refuse to go on.",
    remedy=(
        "Renew it, and find out why that did not happen by itself: `legatum survey DOMAIN --service` says "
        "what is in its way."
    ),
    standard="RFC 5280 s4.1.2.5",
)
def certificate_out_of_date(visit: Visit) -> Iterator[Occurrence]:
    for each, found in _certificates(visit):
        if found.until < visit.at:
            yield Occurrence(f"{each.where}: valid until {instant_text(found.until)}", (), each.where)
        elif found.since > visit.at:
            yield Occurrence(f"{each.where}: valid from {instant_text(found.since)} on", (), each.where)


@finding(
    "certificate-chain-incomplete",
    Severity.ERROR,
    "The certificate is sent without the one that signed it",
    why=(
        "Some browsers fetch or remember what is missing, others and most programs refuse: it works for some "
        "and fails for others."
    ),
    remedy=(
        "Install the whole chain: the certificate, then the authority's. Of an authority of the house's "
        "own: name it, --authority FILE."
    ),
    standard="RFC 8446 s4.4.2",
    after=("certificate-out-of-date",),
)
def certificate_chain_incomplete(visit: Visit) -> Iterator[Occurrence]:
    for each, found in _certificates(visit):
        if found.trust == Trust.ALONE:
            yield Occurrence(f"{each.where}: from {found.issuer}, whose certificate was not sent", (), each.where)


@finding(
    "certificate-not-trusted",
    Severity.ERROR,
    "The certificate is from nobody who is trusted",
    why="Browsers and mail programs refuse to go on. It is often what a server has before a site is set up on it.",
    remedy=(
        f"{_MEND} Where the house has an authority of its own, name it: `[visit] authority` in the "
        "settings, or --authority FILE."
    ),
    standard="RFC 5280 s6",
    after=("certificate-out-of-date",),
)
def certificate_not_trusted(visit: Visit) -> Iterator[Occurrence]:
    for each, found in _certificates(visit):
        if found.trust in (Trust.UNKNOWN, Trust.SELF_SIGNED, Trust.OTHER):
            said = f" ({found.said})" if found.said and found.trust == Trust.OTHER else ""
            yield Occurrence(f"{each.where}: {found.trust}, {found.issuer}{said}", (), each.where)


@finding(
    "certificate-runs-out",
    Severity.WARNING,
    "The certificate ends soon",
    why="It should have been renewed by now. What renews it may not know of the new address, or be refused there.",
    remedy=(
        "Look at what renews it, and at its log; `legatum survey DOMAIN --service` says what the DNS has in its way."
    ),
    standard="RFC 5280 s4.1.2.5",
)
def certificate_runs_out(visit: Visit) -> Iterator[Occurrence]:
    for each, found in _certificates(visit, every=True):
        if runs_out(found, visit.at):
            yield Occurrence(f"{each.where}: valid until {instant_text(found.until)}", (), each.where)


@finding(
    "mail-certificate",
    Severity.WARNING,
    "The mail server's certificate does not hold",
    why=(
        "Most servers that bring mail take any certificate; those that keep to a policy of the domain "
        "(MTA-STS, DANE) bring none."
    ),
    remedy="Install a certificate for the mail server's name there, with its whole chain.",
    standard="RFC 8461 s4.2",
)
def mail_certificate(visit: Visit) -> Iterator[Occurrence]:
    for each in visit.seen:
        found = each.what.certificate
        if each.spot.protocol == Protocol.SMTP and found is not None:
            wrong = [str(found.trust)] if found.trust != Trust.WHOLE else []
            wrong += [] if is_for(found, each.spot.name) else [f"it is not for {name_text(each.spot.name)}"]
            if wrong:
                yield Occurrence(f"{each.where}: {', '.join(wrong)}", (), each.where)


def _certificates(visit: Visit, every: bool = False) -> Iterator[tuple[ServiceSeen, Certificate]]:
    """Of clients that insist on them; ``every``: of servers that bring mail too."""
    for each in visit.seen:
        if each.what.certificate is not None and (every or each.spot.protocol != Protocol.SMTP):
            yield each, each.what.certificate
