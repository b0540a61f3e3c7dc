"""Visits to judge: a domain whose services are in order at its present address and at a new one, and what can be wrong
with them."""

import datetime
from dataclasses import replace
from functools import cache
from typing import Any

from cryptography import x509
from cryptography.hazmat.primitives import hashes
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.hazmat.primitives.serialization import Encoding
from cryptography.x509.oid import NameOID

from legatum.core.records.name import Name, below, parse_name
from legatum.core.records.presentation import parse_rdata
from legatum.core.records.rrset import RRset, rrset
from legatum.core.records.rrtype import CAA, MX, TLSA, TXT, A, parse_type
from legatum.core.service.page import page_of
from legatum.core.service.records import Answered, Challenge, Issuance, NameRecords, Policy, Reverse
from legatum.core.service.seen import Certificate, MailSeen, ServiceSeen, Trust, Visit, WebSeen
from legatum.core.service.spf import Checked, Result
from legatum.core.service.spot import Protocol, Spot

AT = 1_900_000_000.0
DAY = 86_400.0
DOMAIN = parse_name("kilnandclay.example.")
MAIL = below("mail", DOMAIN)
OLD, NEW, MAIL_OLD, MAIL_NEW = "198.51.100.80", "203.0.113.99", "203.0.113.25", "203.0.113.26"
WORDS = (
    "Stoneware bowls jugs and tiles thrown and fired in our workshop by the river courses on Saturdays the "
    "shop is open all week"
)
PAGE = page_of(f"<html><head><title>Kiln &amp; Clay</title></head><body><p>{WORDS}</p></body></html>".encode())
HTTPS, HTTP = Spot(Protocol.HTTPS, DOMAIN), Spot(Protocol.HTTP, DOMAIN)
SMTP, IMAPS = Spot(Protocol.SMTP, MAIL), Spot(Protocol.IMAPS, MAIL)


@cache
def der() -> bytes:
    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "kilnandclay.example")])
    today = datetime.datetime(2030, 1, 1, tzinfo=datetime.UTC)
    built = x509.CertificateBuilder().subject_name(name).issuer_name(name).public_key(key.public_key()).serial_number(7)
    built = built.not_valid_before(today).not_valid_after(today + datetime.timedelta(days=90))
    names = x509.SubjectAlternativeName([x509.DNSName("kilnandclay.example"), x509.DNSName("*.kilnandclay.example")])
    return built.add_extension(names, critical=False).sign(key, hashes.SHA256()).public_bytes(Encoding.DER)


def certificate(**changes: Any) -> Certificate:
    names = ("kilnandclay.example", "*.kilnandclay.example")
    sound = Certificate(names, "Practice authority", AT - 10 * DAY, AT + 80 * DAY, Trust.WHOLE, der=der())
    return replace(sound, **changes)


def https(**changes: Any) -> WebSeen:
    sound = WebSeen(
        version="HTTP/2",
        hops=(("https://kilnandclay.example/", 200),),
        page=PAGE,
        hsts="max-age=31536000",
        certificate=certificate(),
    )
    return replace(sound, **changes)


def http(**changes: Any) -> WebSeen:
    hops = (("http://kilnandclay.example/", 301), ("https://kilnandclay.example/", 200))
    return replace(WebSeen(version="HTTP/1.1", hops=hops, page=PAGE, hsts="max-age=31536000"), **changes)


def smtp(**changes: Any) -> MailSeen:
    return replace(
        MailSeen(
            banner="mail.kilnandclay.example ready", tls=True, certificate=certificate(), takes=True, said="250 ok"
        ),
        **changes,
    )


def imaps(**changes: Any) -> MailSeen:
    return replace(MailSeen(banner="OK ready", tls=True, certificate=certificate()), **changes)


SOUND: dict[tuple[Spot, bool], WebSeen | MailSeen] = {
    (HTTP, False): http(), (HTTPS, False): https(), (SMTP, False): smtp(), (IMAPS, False): imaps(),
    (HTTP, True): http(), (HTTPS, True): https(), (SMTP, True): smtp(), (IMAPS, True): imaps(),
}  # fmt: skip


def visit(changes: dict[tuple[Spot, bool], WebSeen | MailSeen] | None = None, **records: Any) -> Visit:
    """One in order but for ``changes``; ``records``: what the names say otherwise."""
    seen = []
    for (spot, new), what in (SOUND | (changes or {})).items():
        web = spot.protocol in (Protocol.HTTP, Protocol.HTTPS)
        address = (NEW if new else OLD) if web else (MAIL_NEW if new else MAIL_OLD)
        seen.append(ServiceSeen(spot, address, new, what))
    return Visit(DOMAIN, AT, tuple(seen), (), replace(NAMES, **records))


def answered(rtype: int, *said: str, name: Name = DOMAIN, **more: Any) -> Answered:
    return Answered(name, rtype, {f"198.51.100.{31 + number}": each for number, each in enumerate(said)}, **more)


def caa(*texts: str) -> Issuance:
    split = [text.split(" ", 2) for text in texts]
    return Issuance(DOMAIN, DOMAIN, tuple((int(flags), tag, value) for flags, tag, value in split))


def one(name: Name, rtype: str, text: str) -> RRset:
    return rrset(name, parse_type(rtype), 3600, [parse_rdata(parse_type(rtype), text, DOMAIN)])


SELECTOR = below("winter", below("_domainkey", DOMAIN))
KEY = one(SELECTOR, "TXT", '"v=DKIM1; p=QUJD"')
POLICY = Policy("v=STSv1; id=7", "version: STSv1\nmode: enforce\nmx: *.kilnandclay.example\nmax_age: 86400\n")
NAMES = NameRecords(
    answers=(answered(A, "A 198.51.100.80", "A 198.51.100.80"), answered(CAA, "no data", "no data")),
    issuance=(caa("0 issue authority.test"),),
    challenges=(Challenge(below("_acme-challenge", DOMAIN)),),
    mail=True,
    spf=("v=spf1 mx -all",),
    senders={MAIL_OLD: Checked(Result.PASS, by="mx", lookups=1)},
    dmarc=("v=DMARC1; p=none",),
    policy=POLICY,
    reverse=(
        Reverse(MAIL_OLD, MAIL, "mail server", {MAIL: (MAIL_OLD,)}),
        Reverse(OLD, DOMAIN, "name server", {DOMAIN: (OLD,)}),
    ),
    before={(SELECTOR, TXT): KEY, (DOMAIN, MX): one(DOMAIN, "MX", "10 mail")},
    now={(SELECTOR, TXT): KEY, (DOMAIN, MX): one(DOMAIN, "MX", "10 mail")},
    addresses={MAIL: (MAIL_OLD,)},
)


def tlsa(text: str) -> RRset:
    return rrset(below("_443", below("_tcp", DOMAIN)), TLSA, 3600, [parse_rdata(TLSA, text, DOMAIN)])
