"""Findings on services: every kind in a case that shows it, and in a near miss that does not; and what makes the new
side worse."""

import hashlib
from dataclasses import replace

import pytest

from legatum.core.findings.finding import Severity
from legatum.core.records.name import below, parse_name
from legatum.core.records.rrtype import CAA, MX, TXT, A
from legatum.core.service import KINDS, judge_visit, service_checks, worse
from legatum.core.service.certificate import certificate_of, is_for, tlsa_fits
from legatum.core.service.page import likeness, page_of
from legatum.core.service.records import Challenge, Issuance, Policy, Reverse
from legatum.core.service.seen import Trust, Visit
from legatum.core.service.spf import Checked, Result
from tests.core.service.visits import (
    AT,
    DAY,
    DOMAIN,
    HTTP,
    HTTPS,
    IMAPS,
    KEY,
    MAIL,
    MAIL_OLD,
    NEW,
    OLD,
    PAGE,
    POLICY,
    SELECTOR,
    SMTP,
    WORDS,
    answered,
    caa,
    certificate,
    der,
    http,
    https,
    imaps,
    one,
    smtp,
    tlsa,
    visit,
)  # fmt: skip

SHA = hashlib.sha256(der()).hexdigest()
OTHER_PAGE = page_of(
    b"<title>It works</title><body>This machine has not been set up for any site yet, ask whoever runs it.</body>"
)
OLDER_PAGE = page_of(
    f"<title>Kiln &amp; Clay</title><body>{WORDS} and in winter we fire the small kiln on Sundays too</body>".encode()
)
LATER_PAGE = page_of(
    f"<title>Kiln &amp; Clay</title><body>{WORDS} 2031-05-05 12:00 <b>a8f3e1c09b2d44</b></body>".encode()
)
CLOSED = "connection refused"
CASES: dict[str, tuple[Visit, Visit]] = {
    "web-silent": (
        visit({(HTTP, False): http(trouble=CLOSED), (HTTPS, False): https(trouble=CLOSED)}),
        visit({(HTTP, False): http(trouble=CLOSED)}),
    ),
    "https-missing": (visit({(HTTPS, False): https(trouble=CLOSED)}), visit({(HTTP, False): http(trouble=CLOSED)})),
    "http-missing": (visit({(HTTP, False): http(trouble=CLOSED)}), visit({(HTTPS, False): https(trouble=CLOSED)})),
    "web-error-page": (
        visit({(HTTPS, False): https(hops=(("https://kilnandclay.example/", 503),))}),
        visit({(HTTPS, False): https(hops=(("https://kilnandclay.example/", 401),))}),
    ),
    "redirects-for-ever": (visit({(HTTP, False): http(endless=True)}), visit()),
    "certificate-other-name": (
        visit({(HTTPS, False): https(certificate=certificate(names=("other.example",)))}),
        visit({(IMAPS, False): imaps(certificate=certificate(names=("*.kilnandclay.example",)))}),
    ),
    "certificate-out-of-date": (
        visit({(HTTPS, False): https(certificate=certificate(until=AT - 1, trust=Trust.EXPIRED))}),
        visit({(HTTPS, False): https(certificate=certificate(until=AT + 1))}),
    ),
    "certificate-chain-incomplete": (
        visit({(HTTPS, False): https(certificate=certificate(trust=Trust.ALONE))}),
        visit({(SMTP, False): smtp(certificate=certificate(trust=Trust.ALONE))}),
    ),
    "certificate-not-trusted": (
        visit({(IMAPS, False): imaps(certificate=certificate(trust=Trust.SELF_SIGNED))}),
        visit({(SMTP, False): smtp(certificate=certificate(trust=Trust.SELF_SIGNED))}),
    ),
    "certificate-runs-out": (
        visit({(SMTP, False): smtp(certificate=certificate(until=AT + 3 * DAY))}),
        visit(
            {(SMTP, False): smtp(certificate=certificate(since=AT - DAY, until=AT + 5 * DAY))}
        ),  # a short life, most of it left
    ),
    "mail-certificate": (visit({(SMTP, False): smtp(certificate=certificate(trust=Trust.SELF_SIGNED))}), visit()),
    "mail-silent": (visit({(SMTP, False): smtp(trouble=CLOSED)}), visit({(IMAPS, False): imaps(trouble=CLOSED)})),
    "mail-not-taken": (
        visit({(SMTP, False): smtp(takes=False, said="550 no")}),
        visit({(SMTP, False): smtp(takes=None, said="450 later")}),
    ),
    "mail-put-off": (
        visit({(SMTP, False): smtp(takes=None, said="450 later")}),
        visit({(SMTP, False): smtp(takes=False, said="550 no")}),
    ),
    "mail-in-the-open": (
        visit({(SMTP, False): smtp(tls=False)}),
        visit({(SMTP, False): smtp(trouble=CLOSED, tls=None)}),
    ),
    "service-lost": (
        visit({(IMAPS, True): imaps(trouble=CLOSED)}),
        visit({(IMAPS, True): imaps(trouble=CLOSED), (IMAPS, False): imaps(trouble=CLOSED)}),
    ),
    "another-site": (
        visit({(HTTPS, True): https(page=OTHER_PAGE)}),
        visit({(HTTPS, True): https(page=LATER_PAGE)}),
    ),
    "page-differs": (
        visit({(HTTPS, True): https(page=OLDER_PAGE)}),
        visit({(HTTPS, True): https(page=OLDER_PAGE), (HTTPS, False): https(steady=0.6)}),  # it is as unlike itself
    ),
    "redirect-differs": (visit({(HTTP, True): http(leads="https://elsewhere.test/")}), visit()),
    "hsts-lost": (
        visit({(HTTPS, True): https(hsts="")}),
        visit({(HTTPS, True): https(hsts=""), (HTTPS, False): https(hsts="")}),
    ),
    "tls-lost": (
        visit({(SMTP, True): smtp(tls=False)}),
        visit({(SMTP, True): smtp(tls=False), (SMTP, False): smtp(tls=False)}),
    ),
    "servers-answer-differently": (
        visit(answers=(answered(A, "A 198.51.100.80", "A 198.51.100.81"),)),
        visit(answers=(answered(A, "A 198.51.100.80"),)),
    ),
    "name-denied": (
        visit(answers=(answered(A, "A 198.51.100.80", "no such name", denied=("198.51.100.32",)),)),
        visit(answers=(answered(TXT, "no such name", denied=("198.51.100.31",)),)),  # all of them: there is none
    ),
    "caa-not-answered": (
        visit(answers=(answered(CAA, failed=("198.51.100.31 (server failure)",)),)),
        visit(answers=(answered(TXT, failed=("198.51.100.31 (server failure)",)),)),
    ),
    "caa-forbids-issuer": (
        visit(issuance=(caa("0 issue ;"),)),
        visit(issuance=(caa("0 issue ;", "0 issue authority.test"),)),
    ),
    "caa-names-another": (
        visit(issuance=(caa("0 issue seals.test"),)),
        visit(issuance=(caa("0 issuewild seals.test"),)),
    ),
    "challenge-leads-nowhere": (
        visit(
            challenges=(
                Challenge(
                    below("_acme-challenge", DOMAIN), (parse_name("gone.test."),), "no server of gone.test answers"
                ),
            )
        ),
        visit(challenges=(Challenge(below("_acme-challenge", DOMAIN), (parse_name("there.test."),)),)),
    ),
    "tlsa-does-not-fit": (
        visit(tlsa={HTTPS: tlsa(f"3 0 1 {'ab' * 32}")}),
        visit(tlsa={HTTPS: tlsa(f"2 0 1 {'ab' * 32}")}),  # of an authority: not to be judged by the server's own
    ),
    "spf-broken": (
        visit(senders={MAIL_OLD: Checked(Result.BROKEN, why="12 look-ups, and receivers stop at 10")}),
        visit(senders={MAIL_OLD: Checked(Result.PASS, lookups=10)}),
    ),
    "spf-forgets-server": (
        visit(senders={MAIL_OLD: Checked(Result.FAIL, by="-all")}),
        visit(senders={MAIL_OLD: Checked(Result.NONE)}),
    ),
    "spf-void-lookups": (
        visit(senders={MAIL_OLD: Checked(Result.PASS, void=3)}),
        visit(senders={MAIL_OLD: Checked(Result.PASS, void=2)}),
    ),
    "dmarc-missing": (visit(dmarc=()), visit(dmarc=None)),
    "dmarc-several": (visit(dmarc=("v=DMARC1; p=none", "v=DMARC1; p=reject")), visit()),
    "mail-policy-broken": (
        visit(policy=replace(POLICY, text=POLICY.text.replace("*.kiln", "*.mill"))),
        visit(policy=replace(POLICY, text=POLICY.text.replace("*.kiln", "*.mill").replace("enforce", "none"))),
    ),
    "mail-record-left-behind": (visit(now={(SELECTOR, TXT): None}), visit(now={})),
    "mail-record-changed": (
        visit(now={(DOMAIN, MX): one(DOMAIN, "MX", "20 mail")}),
        visit(now={(DOMAIN, MX): one(DOMAIN, "MX", "10 mail").with_ttl(60)}),
    ),
    "reverse-missing": (
        visit(reverse=(Reverse(MAIL_OLD, MAIL, "mail server"),)),
        visit(reverse=(Reverse(MAIL_OLD, MAIL, "mail server", why="?"),)),
    ),
    "reverse-disagrees": (
        visit(reverse=(Reverse(MAIL_OLD, MAIL, "mail server", {parse_name("host.test."): ("192.0.2.7",)}),)),
        visit(reverse=(Reverse(MAIL_OLD, MAIL, "mail server", {parse_name("host.test."): (MAIL_OLD,)}),)),
    ),
    "name-server-reverse": (
        visit(reverse=(Reverse(OLD, DOMAIN, "name server"),)),
        visit(reverse=(Reverse(OLD, DOMAIN, "name server", why="?"),)),
    ),
    "mail-host-name": (
        visit({(SMTP, False): smtp(banner="mail.kilnandclay.example")}, addresses={MAIL: ("192.0.2.9",)}),
        visit({(SMTP, False): smtp(banner="unknown.test")}, addresses={MAIL: ("192.0.2.9",)}),
    ),
}


def slugs(found: Visit) -> set[str]:
    return {each.kind.slug for each in judge_visit(found)}


def test_services_in_order_have_no_finding() -> None:
    assert judge_visit(visit()) == () and worse(visit()) == []
    (check,) = service_checks(visit())
    assert check.agrees and "8 looked at" in check.said


def test_every_finding_has_its_case() -> None:
    assert set(CASES) == set(KINDS)


@pytest.mark.parametrize("slug", sorted(CASES))
def test_the_case_shows_the_finding_and_the_near_miss_does_not(slug: str) -> None:
    sick, near = CASES[slug]
    assert slug in slugs(sick)
    assert slug not in slugs(near)
    if KINDS[slug].severity == Severity.ERROR:
        assert slug in {each.about for each in service_checks(sick) if not each.agrees}


def test_worse_is_what_the_present_address_does_not_suffer() -> None:
    broken = certificate(names=("server.invalid",))
    (told,) = worse(visit({(HTTPS, True): https(certificate=broken)}))
    assert told.startswith(f"https kilnandclay.example at {NEW}: it is for server.invalid") and told.endswith(
        "[certificate-other-name]"
    )
    assert worse(visit({(HTTPS, True): https(certificate=broken), (HTTPS, False): https(certificate=broken)})) == []
    assert worse(visit({(HTTPS, False): https(certificate=broken)})) == []
    assert (
        len(worse(visit({(HTTP, True): http(trouble=CLOSED), (HTTPS, True): https(trouble=CLOSED)}))) == 1
    )  # a machine that is off, once


def test_what_changes_each_time_is_not_the_page() -> None:
    assert (
        likeness(PAGE, LATER_PAGE) > 0.9
        and 0.4 < likeness(PAGE, OLDER_PAGE) < 0.97
        and likeness(PAGE, OTHER_PAGE) < 0.1
    )
    tokens = [
        page_of(f'<body>{WORDS}<input value="{token}"><script>var t="{token}"</script> {token}</body>'.encode())
        for token in (SHA, SHA[::-1])
    ]
    assert tokens[0].fingerprint == tokens[1].fingerprint
    wild = page_of(b"<title>\x1b[31m" + b"<p>" * 10_000 + b"\xff\xfe", "no-such-charset", True)
    assert wild.cut and len(wild.title) <= 200


def test_names_of_certificates() -> None:
    """RFC 9525 s6.3: a wildcard is one whole label, the leftmost, and not the name below which it stands."""
    found = certificate_of(der(), Trust.WHOLE)
    named = [below("www", DOMAIN), DOMAIN, below("a", below("b", DOMAIN)), parse_name("clay.example.")]
    assert [is_for(found, name) for name in named] == [True, True, False, False]
    assert not is_for(certificate(names=("*.kilnandclay.example",)), DOMAIN)
    with pytest.raises(ValueError, match="error parsing"):
        certificate_of(b"\x30\x03junk", Trust.WHOLE)


def test_tlsa_records_of_the_servers_own() -> None:
    """RFC 6698 s2.1: whole certificate and digests."""
    assert tlsa_fits(tlsa(f"3 0 1 {SHA}").rdatas[0], der()) and tlsa_fits(tlsa(f"1 0 0 {der().hex()}").rdatas[0], der())
    assert tlsa_fits(tlsa(f"3 0 2 {hashlib.sha512(der()).hexdigest()}").rdatas[0], der())
    assert tlsa_fits(tlsa(f"3 1 1 {SHA}").rdatas[0], der()) is False
    assert [tlsa_fits(bytes(each), der()) for each in ((2, 0, 1, 9), (3, 9, 1, 9), (3,))] == [None, None, None]


def test_settings_say_that_two_names_are_one_authority() -> None:
    named = visit(
        issuance=(Issuance(DOMAIN, DOMAIN, ((0, "issue", "seals.test; account=7"),)),),
        issuers={"Practice authority": "seals.test"},
    )
    assert "caa-names-another" not in slugs(named)
    assert "caa-forbids-issuer" in slugs(visit(issuance=(Issuance(DOMAIN, DOMAIN, ((128, "unheard-of", "x"),)),)))


def test_kept_record_is_told_with_what_it_was() -> None:
    (found,) = [
        each for each in judge_visit(visit(now={(SELECTOR, TXT): None})) if each.kind.slug == "mail-record-left-behind"
    ]
    assert (
        "winter._domainkey.kilnandclay.example TXT (DKIM)" in found.sightings[0].seen
        and str(KEY.rdatas[0][1:4], "ascii") in found.sightings[0].seen
    )
    assert "mail-policy-broken" in slugs(visit(policy=Policy("v=STSv1; id=7", trouble="status 404")))
