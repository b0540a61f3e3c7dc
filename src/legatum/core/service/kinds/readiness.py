"""Whether certificates can be had, and are believed: what authorities look at before they issue one, and what TLSA
records say of it."""

import re
from collections.abc import Iterator

from legatum.core.findings.finding import Occurrence, Severity, finding
from legatum.core.records.name import Name, name_text
from legatum.core.records.presentation import rdata_texts
from legatum.core.records.rrtype import type_text
from legatum.core.service.certificate import tlsa_fits
from legatum.core.service.records import Issuance, NameRecords
from legatum.core.service.seen import ServiceSeen, Visit
from legatum.core.service.spot import Protocol

_CRITICAL = 128
_TAGS = ("issue", "issuewild", "iodef", "issuemail", "contactemail", "contactphone", "issuevmc")


@finding(
    "servers-answer-differently",
    Severity.ERROR,
    "The servers of the domain do not give the same",
    why=(
        "Authorities ask several of them, from several places: whichever they meet decides whether there is "
        "a certificate. So do visitors."
    ),
    remedy=(
        "Find the server that is behind: `legatum compare LEFT RIGHT --domain DOMAIN --answers`, or have "
        "it fetch the zone anew."
    ),
    standard="RFC 1034 s4.3.5",
)
def servers_answer_differently(visit: Visit) -> Iterator[Occurrence]:
    for each in _records(visit).answers:
        if len(set(each.said.values())) > 1:
            parts = (
                f"{said} from {', '.join(sorted(who for who, what in each.said.items() if what == said))}"
                for said in sorted(set(each.said.values()))
            )
            yield Occurrence(
                f"{name_text(each.name)} {type_text(each.rtype)}: {'; '.join(parts)}", (), name_text(each.name)
            )


@finding(
    "name-denied",
    Severity.ERROR,
    "A server says that there is no such name",
    why=(
        "Authorities that meet this server issue nothing, and resolvers that do tell visitors so for as long "
        "as the zone's SOA says."
    ),
    remedy=(
        "Put the name into the zone at that server's provider too: `legatum compare LEFT RIGHT --domain "
        "DOMAIN --answers`."
    ),
    standard="RFC 8555 s8",
)
def name_denied(visit: Visit) -> Iterator[Occurrence]:
    for each in _records(visit).answers:
        if each.denied and len(each.denied) < len(each.said):
            yield Occurrence(
                f"{name_text(each.name)} {type_text(each.rtype)}: {', '.join(each.denied)}", (), name_text(each.name)
            )


@finding(
    "caa-not-answered",
    Severity.ERROR,
    "A server fails when it is asked who may issue certificates",
    why=(
        "An authority that gets a failure instead of an answer must not issue: renewals stop, unnoticed "
        "until the certificate ends."
    ),
    remedy=(
        "Have the server answer questions of type CAA, be it with nothing; old software fails for types "
        "that it does not know."
    ),
    standard="RFC 8659 s6.3",
)
def caa_not_answered(visit: Visit) -> Iterator[Occurrence]:
    records = _records(visit)
    for each in records.answers:
        if each.failed and type_text(each.rtype) == "CAA":
            yield Occurrence(f"{name_text(each.name)}: {', '.join(each.failed)}", (), name_text(each.name))
    for one in records.issuance:
        for why in one.broken:
            yield Occurrence(f"{name_text(one.name)}: {why}", (), name_text(one.name))


@finding(
    "caa-forbids-issuer", Severity.ERROR, "Nobody may issue a certificate for the name",
    why="The certificate that is there works until it ends; its renewal is refused.",
    remedy="Name the authority in the CAA set, as in 0 issue “authority.test”, at the name where it was found.",
    standard="RFC 8659 s4.2",
)  # fmt: skip
def caa_forbids_issuer(visit: Visit) -> Iterator[Occurrence]:
    for each in _records(visit).issuance:
        issue = _allowed(each)
        if issue is not None and not any(issue):
            yield Occurrence(f"{name_text(each.name)}: {_caa_text(each)}", (), name_text(each.name))
        for flags, tag, value in each.caa:
            if flags & _CRITICAL and tag.lower() not in _TAGS:
                yield Occurrence(
                    f"{name_text(each.name)}: {flags} {tag} “{value}” must be understood, and nobody does",
                    (),
                    name_text(each.name),
                )


@finding(
    "caa-names-another",
    Severity.WARNING,
    "CAA does not name the authority that the present certificate is from",
    why=(
        "Its renewal will be refused, if it is renewed there; often the record stayed when the authority "
        "changed, or came from a template."
    ),
    remedy=(
        "Name the authority in the CAA set. If it is the same by another name, say so: `[visit.issuers]` "
        "in the settings."
    ),
    standard="RFC 8659 s4.2",
    after=("caa-forbids-issuer",),
)
def caa_names_another(visit: Visit) -> Iterator[Occurrence]:
    records = _records(visit)
    for each in records.issuance:
        issue = _allowed(each)
        for seen in _by_https(visit, each.name):
            certificate = seen.what.certificate
            if issue and any(issue) and certificate is not None and not _is_among(certificate.issuer, issue, records):
                yield Occurrence(
                    f"{name_text(each.name)}: {_caa_text(each)}; the certificate at {seen.address} is from "
                    f"{certificate.issuer}",
                    (),
                    name_text(each.name),
                )
                break


@finding(
    "challenge-leads-nowhere", Severity.ERROR, "The name under which certificates are proven leads nowhere",
    why="An alias or a delegation of _acme-challenge to servers that do not answer: renewals over the DNS fail.",
    remedy="Let it lead to where the challenges are answered now, or take it out if certificates are proven otherwise.",
    standard="RFC 8555 s8.4",
)  # fmt: skip
def challenge_leads_nowhere(visit: Visit) -> Iterator[Occurrence]:
    for each in _records(visit).challenges:
        if each.leads and each.why:
            yield Occurrence(
                f"{name_text(each.name)} leads to {', '.join(map(name_text, each.leads))}: {each.why}",
                (),
                name_text(each.name),
            )


@finding(
    "tlsa-does-not-fit",
    Severity.ERROR,
    "No TLSA record fits the certificate that is served",
    why="Mail servers that go by them bring no mail to the domain; so do programs that check them elsewhere.",
    remedy=(
        "Publish a TLSA record of the new certificate or key beside the old one, wait its TTL, then serve "
        "it; or put the old one back."
    ),
    standard="RFC 7672 s3.1",
)
def tlsa_does_not_fit(visit: Visit) -> Iterator[Occurrence]:
    for spot, rrset in _records(visit).tlsa.items():
        for seen in (each for each in visit.seen if each.spot == spot and each.what.certificate is not None):
            assert seen.what.certificate is not None
            fits = [tlsa_fits(rdata, seen.what.certificate.der) for rdata in rrset.rdatas]
            if fits and not any(each is None or each for each in fits):
                yield Occurrence(f"{seen.where}: {'; '.join(rdata_texts(rrset)[:2])}", (), seen.where)


def _allowed(each: Issuance) -> list[str] | None:
    """The names of authorities in `issue`; empty texts for “nobody”; None where everybody may."""
    found = [value.partition(";")[0].strip().lower() for _, tag, value in each.caa if tag.lower() == "issue"]
    return found or None


def _is_among(issuer: str, issue: list[str], records: NameRecords) -> bool:
    """By the settings, or because the authority's name in the CAA set is to be found in that of the certificate."""
    told = records.issuers.get(issuer, "").lower()
    letters = re.sub(r"[^a-z0-9]", "", issuer.lower())
    return any(
        name == told or any(len(label) > 3 and label.replace("-", "") in letters for label in name.split("."))
        for name in issue
        if name
    )


def _caa_text(each: Issuance) -> str:
    at = f" at {name_text(each.owner)}" if each.owner is not None and each.owner != each.name else ""
    return f"{', '.join(f'{tag} “{value}”' for _, tag, value in each.caa)}{at}"


def _by_https(visit: Visit, name: Name) -> list[ServiceSeen]:
    return [
        each for each in visit.seen if each.spot.protocol == Protocol.HTTPS and each.spot.name == name and not each.new
    ]


def _records(visit: Visit) -> NameRecords:
    return visit.records or NameRecords()
