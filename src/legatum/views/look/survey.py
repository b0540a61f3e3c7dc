"""A survey as a document; :mod:`survey_text` shows it to people."""

from collections.abc import Iterable, Sequence

from legatum.core.calendar.instant import instant_text
from legatum.core.dnssec.chain import Chain
from legatum.core.dnssec.key import ds_texts, parse_key
from legatum.core.dnssec.signature import parse_signature
from legatum.core.findings import Finding, Severity
from legatum.core.observation.leftovers import Leftover
from legatum.core.observation.observation import Observation, ServerView
from legatum.core.observation.unseen import unseen
from legatum.core.records.address import address_text
from legatum.core.records.name import Name, name_text, unicode_text
from legatum.core.records.presentation import rdata_texts
from legatum.core.records.rrset import RRset, targets
from legatum.core.records.rrtype import RRSIG, type_text
from legatum.core.records.soa import mail_address, negative_ttl, parse_soa
from legatum.core.service import judge_visit, worse
from legatum.core.service.seen import Visit
from legatum.views.document import Document, Part
from legatum.views.everywhere import EverywherePart
from legatum.views.findings import FindingPart, advice, finding_part
from legatum.views.look.chain import ChainDocument, chain_document
from legatum.views.look.views import ViewsDocument, views_document
from legatum.views.look.visit import VisitDocument, visit_document
from legatum.work.services.views import Compared


class ParentPart(Part):
    server: str
    address: str
    outcome: str
    ns: list[str]
    ttl: int | None
    glue: dict[str, list[str]]
    glue_ttl: int | None
    ds: list[str]
    ds_ttl: int | None
    ds_absence_proven: bool | None


class SoaPart(Part):
    primary: str
    mailbox: str
    mail: str
    serial: int
    refresh: int
    retry: int
    expire: int
    minimum: int
    ttl: int


class ServerPart(Part):
    server: str
    address: str
    outcome: str
    authoritative: bool
    soa: SoaPart | None
    ns: list[str]
    ns_ttl: int | None
    tcp: str
    milliseconds: float
    edns: str | None
    recursion: bool | None
    transfer_open: bool | None
    keys: list[str]
    cds: list[str]
    cdnskey: list[str]
    signed: list[str]
    signatures_until: str | None


class HostPart(Part):
    name: str
    addresses: dict[str, int]
    why: str


class ResolverPart(Part):
    name: str
    address: str
    over: str
    outcome: str
    ns: list[str]
    ttl_left: int | None
    serial: int | None
    authenticated: bool
    extended_errors: list[str]


class RegistrationPart(Part):
    """``ds``: None where the source does not tell."""

    source: str
    registrar: str
    nameservers: list[str]
    statuses: list[str]
    created: str
    changed: str
    expires: str
    ds: list[str] | None


class RecordPart(Part):
    name: str
    type: str
    ttl: int
    data: list[str]


class LeftoverPart(Part):
    """``sure``: nothing can use it, and `move draft --retire leftovers` takes it away; ``remedy``: where that does
    not."""

    kind: str
    what: str
    where: str
    why: str
    sure: bool
    remedy: str


class SurveyDocument(Document, tag="legatum.survey/1"):
    """Everything observed about one domain, side by side, and the findings, worst first. ``not_known``: what was asked
    in vain of servers that answer otherwise; it is left out of every comparison. ``not_looked_at``: what *healthy* does
    not speak of; ``chain``, ``service``, ``everywhere``: where they were asked for; ``viewpoint``: from where it was
    made, if not from here."""

    domain: str
    unicode: str
    at: str
    verdict: str
    next: str
    parent_zone: str
    delegation: list[str]
    delegation_ttl: int | None
    own_ns: list[str]
    own_ns_ttl: int | None
    negative_ttl: int | None
    parents: list[ParentPart]
    servers: list[ServerPart]
    hosts: list[HostPart]
    contents: list[RecordPart]
    resolvers: list[ResolverPart]
    registrations: list[RegistrationPart]
    former: list[ServerPart]
    ds: list[str]
    findings: list[FindingPart]
    questions: int
    dropped: int
    not_known: list[str]
    not_looked_at: list[str]
    chain: ChainDocument | None = None
    service: VisitDocument | None = None
    views: list[ViewsDocument] = []
    leftovers: list[LeftoverPart] = []
    everywhere: EverywherePart | None = None
    viewpoint: str = ""
    doubts: str = ""


class SurveyListDocument(Document, tag="legatum.survey-list/1"):
    """Surveys of several domains, in the order asked for."""

    surveys: list[SurveyDocument]


def survey_document(
    observation: Observation,
    findings: tuple[Finding, ...],
    chain: Chain | None = None,
    service: Visit | None = None,
    views: Sequence[Compared] = (),
    leftovers: Sequence[Leftover] = (),
    not_looked_at: Sequence[str] = (),
) -> SurveyDocument:
    soas = [view.soa for view in observation.serving if view.soa]
    verdict, following = verdict_of(observation, findings)
    return SurveyDocument(
        domain=name_text(observation.domain),
        unicode=unicode_text(observation.domain),
        at=instant_text(observation.at),
        verdict=verdict,
        next=following,
        parent_zone=name_text(observation.parent_zone),
        delegation=_names(observation.delegation),
        delegation_ttl=observation.parent_ttl,
        own_ns=_names(observation.own_ns),
        own_ns_ttl=observation.apex_ttl,
        negative_ttl=max((negative_ttl(soa) for soa in soas), default=None),
        parents=_parents(observation),
        servers=[_server(view) for view in observation.servers],
        hosts=_hosts(observation),
        contents=[record_part(each) for each in observation.contents.values() if each and each.rtype != RRSIG],
        resolvers=_resolvers(observation),
        registrations=_registrations(observation),
        former=[_server(view) for view in observation.former],
        ds=ds_texts(observation.ds),
        findings=[finding_part(each, name_text(observation.domain)) for each in findings],
        questions=observation.questions,
        dropped=observation.dropped,
        not_known=list(observation.not_known),
        not_looked_at=[
            "names other than those shown",
            *unseen(observation, chain is not None),
            *([] if service else ["the services behind the names (--service)"]),
            *not_looked_at,
        ],
        chain=chain_document(chain, observation.at) if chain is not None else None,
        service=visit_document(service, judge_visit(service), worse(service)) if service is not None else None,
        views=[views_document(each) for each in views],
        leftovers=[
            LeftoverPart(
                kind=str(each.kind), what=each.what, where=each.where, why=each.why, sure=each.sure, remedy=each.remedy
            )
            for each in leftovers
        ],
    )


def verdict_of(observation: Observation, findings: tuple[Finding, ...]) -> tuple[str, str]:
    """In plain words, and what to do next."""
    domain = unicode_text(observation.domain)
    serious = [each for each in findings if each.kind.severity != Severity.NOTICE]
    if serious:
        first = serious[0]
        count = f", and {len(serious) - 1} more" if len(serious) > 1 else ""
        return f"{domain}: {first.kind.severity}: {first.kind.said}{count}", advice(
            first, name_text(observation.domain)
        )
    if not observation.delegation:
        return f"{domain}: nobody could be asked", "is the network up, and are the roots in the settings right?"
    agreed = (
        f"The parent and all {len(observation.servers)} server addresses agree on {_listed(observation.delegation)}"
    )
    if observation.not_known:
        return (
            f"{domain}: healthy as far as is known. {agreed}; not known: {observation.not_known[0]}",
            "look again: packets got lost",
        )
    return f"{domain}: healthy. {agreed}", ""


def _names(names: Iterable[Name]) -> list[str]:
    return [name_text(name) for name in names]


def _listed(names: Iterable[Name]) -> str:
    return ", ".join(_names(names))


def _parents(observation: Observation) -> list[ParentPart]:
    return [
        ParentPart(
            server=name_text(view.server),
            address=view.address,
            outcome=view.outcome,
            ns=_names(targets(view.ns)),
            ttl=view.ns.ttl if view.ns else None,
            glue={f"{name_text(each.name)} {each.type_text}": rdata_texts(each) for each in view.glue},
            glue_ttl=max((each.ttl for each in view.glue), default=None),
            ds=ds_texts(view.ds.rdatas if view.ds else ()),
            ds_ttl=view.ds.ttl if view.ds else None,
            ds_absence_proven=view.ds_absent,
        )
        for view in observation.parents
    ]


def _server(view: ServerView) -> ServerPart:
    ends = [
        one.expires for each in view.signatures.values() for rdata in each.rdatas if (one := parse_signature(rdata))
    ]
    return ServerPart(
        server=name_text(view.server),
        address=view.address,
        outcome=view.outcome,
        authoritative=view.authoritative,
        soa=_soa(view.soa),
        ns=_names(targets(view.ns)),
        ns_ttl=view.ns.ttl if view.ns else None,
        tcp="answers" if view.tcp_answered else view.tcp_outcome,
        milliseconds=round(view.took * 1000, 2),
        edns=str(view.edns) if view.edns else None,
        recursion=view.recursion,
        transfer_open=view.transfer_open,
        keys=_key_texts(view.keys),
        cds=ds_texts(view.cds.rdatas if view.cds else ()),
        cdnskey=_key_texts(view.cdnskey),
        signed=[type_text(rtype) for rtype in view.signatures],
        signatures_until=instant_text(min(ends)) if ends else None,
    )


def _key_texts(rrset: RRset | None) -> list[str]:
    return [key.text for rdata in (rrset.rdatas if rrset else ()) if (key := parse_key(rdata))]


def _soa(soa: RRset | None) -> SoaPart | None:
    if soa is None:
        return None
    fields = parse_soa(soa.rdatas[0])
    return SoaPart(
        primary=name_text(fields.primary),
        mailbox=name_text(fields.mailbox),
        mail=mail_address(fields.mailbox),
        ttl=soa.ttl,
        **_timers(fields._asdict()),
    )


def _timers(fields: dict[str, int]) -> dict[str, int]:
    return {key: fields[key] for key in ("serial", "refresh", "retry", "expire", "minimum")}


def _hosts(observation: Observation) -> list[HostPart]:
    return [
        HostPart(
            name=name_text(host.name),
            addresses={address_text(rdata): each.ttl for each in host.addresses for rdata in each.rdatas},
            why=host.why if not host.addresses else "",
        )
        for host in observation.hosts.values()
    ]


def _resolvers(observation: Observation) -> list[ResolverPart]:
    return [
        ResolverPart(
            name=view.name,
            address=view.address,
            outcome=view.outcome,
            ns=_names(targets(view.ns)),
            ttl_left=view.ns.ttl if view.ns else None,
            serial=parse_soa(view.soa.rdatas[0]).serial if view.soa else None,
            over=view.over,
            authenticated=view.authenticated,
            extended_errors=[f"{number} {text}".strip() for number, text in view.errors],
        )
        for view in observation.resolvers
    ]


def _registrations(observation: Observation) -> list[RegistrationPart]:
    return [
        RegistrationPart(
            source=source,
            registrar=held.registrar,
            nameservers=_names(held.nameservers),
            statuses=list(held.statuses),
            created=held.created,
            changed=held.changed,
            expires=held.expires,
            ds=None if held.ds is None else ds_texts(held.ds),
        )
        for source, held in observation.registrations
    ]


def record_part(rrset: RRset) -> RecordPart:
    return RecordPart(name=name_text(rrset.name), type=type_text(rrset.rtype), ttl=rrset.ttl, data=rdata_texts(rrset))
