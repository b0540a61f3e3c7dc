"""DS records of a key, in every form in which registrars ask for them."""

from collections.abc import Sequence

from legatum.core.dnssec.key import digest_of, parse_key
from legatum.core.dnssec.policy import DIGESTS, algorithm, digest_type
from legatum.core.dnssec.request import Request
from legatum.core.records.name import Name, absolute_text, name_text
from legatum.core.records.presentation import rdata_text
from legatum.core.records.rrtype import DNSKEY
from legatum.views.document import Document, Part
from legatum.views.screen import Screen


class DsPart(Part):
    digest_type: int
    digest_name: str
    digest: str
    line: str
    record: str


class DerivedKeyPart(Part):
    """``dnskey``: its data, for pages that ask for the key instead."""

    tag: int
    flags: int
    algorithm: int
    algorithm_name: str
    dnskey: str
    weak: bool
    ds: list[DsPart]


class DerivedDocument(Document, tag="legatum.ds-derived/1"):
    domain: str
    keys: list[DerivedKeyPart]


class AskedDocument(Document, tag="legatum.ds-asked/1"):
    """``records``: the DS set that the zone asks for, empty where it asks for its removal; ``why``: what shows that;
    ``doubt``: why a registry should not act on it by itself."""

    domain: str
    records: list[str]
    removes: bool
    why: str
    doubt: str


def asked_document(domain: Name, request: Request, doubt: str) -> AskedDocument:
    return AskedDocument(
        domain=name_text(domain), records=list(request.records), removes=request.removes, why=request.why, doubt=doubt
    )


def show_asked(document: AskedDocument, screen: Screen) -> None:
    asks = "for the DS set to be removed" if document.removes else "for this DS set"
    screen.heading(f"{document.domain} asks {asks}")
    for each in document.records:
        screen.line(each)
    screen.pairs([("shown by", document.why)])
    if document.doubt:
        screen.line(f"a registry should not act on it by itself: {document.doubt}")
    elif document.removes:
        screen.line(f"Next: `legatum ds withdraw {document.domain} --cds`")
    else:
        screen.line(f"Next: `legatum ds submit {document.domain} --cds`, or exchange, where there is a DS")


def derived_document(domain: Name, keys: Sequence[bytes]) -> DerivedDocument:
    return DerivedDocument(domain=name_text(domain), keys=[_key(domain, each) for each in keys])


def _key(domain: Name, data: bytes) -> DerivedKeyPart:
    key = parse_key(data)
    assert key is not None
    made = []
    for number in (each for each, kind in DIGESTS.items() if kind.made):
        digest = digest_of(domain, data, number)
        assert digest is not None
        line = f"{key.tag} {key.algorithm} {number} {digest.hex().upper()}"
        record = f"{absolute_text(domain)} IN DS {line}"
        made.append(
            DsPart(
                digest_type=number,
                digest_name=digest_type(number).name,
                digest=digest.hex().upper(),
                line=line,
                record=record,
            )
        )
    return DerivedKeyPart(
        tag=key.tag, flags=key.flags, algorithm=key.algorithm, algorithm_name=algorithm(key.algorithm).name,
        dnskey=rdata_text(DNSKEY, data), weak=algorithm(key.algorithm).weak, ds=made,
    )  # fmt: skip


def show_derived(document: DerivedDocument, screen: Screen) -> None:
    for key in document.keys:
        screen.heading(f"{document.domain}: key {key.tag} ({key.algorithm_name})")
        if key.weak:
            screen.line("this algorithm should no longer be used (RFC 8624 s3.1): change it before its DS is published")
        for each in key.ds:
            screen.pairs(
                [
                    ("key tag", key.tag),
                    ("algorithm", f"{key.algorithm} ({key.algorithm_name})"),
                    ("digest type", f"{each.digest_type} ({each.digest_name})"),
                    ("digest", f"{each.digest} ({len(each.digest)} digits)"),
                    ("in one line", each.line),
                    ("as a record", each.record),
                ]
            )
            screen.line()
        screen.pairs([("the key (DNSKEY)", key.dnskey)])
