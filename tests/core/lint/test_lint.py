"""Every kind of finding on a zone's contents: a zone that shows it, and a near miss that does not."""

import pytest

from legatum.core.lint import KINDS, ZoneContents, lint
from legatum.core.records.rrset import LARGEST_TTL
from legatum.core.zones.masterfile import read_master
from legatum.core.zones.zone import Zone
from legatum.views.explain import KINDS as ALL
from tests.strategies import ORIGIN

HEAD = "$TTL 3600\n@ SOA ns1.alder.test. hostmaster 1 14400 3600 1209600 600\n"
GOOD = (
    "@ NS ns1.alder.test.\n@ NS ns2.alder.test.\n@ A 198.51.100.80\n@ MX 10 mail\nwww CNAME @\nmail A 203.0.113.25\n"
    '@ TXT "v=spf1 mx include:mail.ferrytimes.example -all"\n'
)
HOME = ("192.0.2.0/24", "198.51.100.0/24", "203.0.113.0/24", "2001:db8::/32")
LONG_KEY = "A" * 400

CASES = {  # what is added: it shows the finding; it does not
    "target-doubled-origin": (
        "@ MX 20 mx.kilnandclay.example",
        "@ MX 20 mx.kilnandclay.example\nmx.kilnandclay.example A 198.51.100.1",
    ),
    "name-doubled-origin": ("b.kilnandclay.example A 198.51.100.1", "kilnandclay A 198.51.100.1"),
    "target-final-dot-missing": ("x CNAME shop.ferrytimes.example", "x CNAME shop.ferrytimes.example."),
    "host-name-not-allowed": (
        "my_host A 198.51.100.1",
        '_dmarc TXT "v=DMARC1; p=none"\n*.w A 198.51.100.1\na-b A 198.51.100.1',
    ),
    "target-not-a-host-name": ("@ MX 20 mx_2.ferrytimes.example.", "x CNAME my_host.ferrytimes.example."),
    "alias-in-circle": ("a CNAME b\nb CNAME a", "a CNAME b\nb CNAME www"),
    "alias-leads-nowhere": ("a CNAME gone", "a CNAME gone.w\n*.w A 198.51.100.1\nb CNAME up\nx.up A 198.51.100.1"),
    "alias-chain-long": ("a CNAME b\nb CNAME www", "b CNAME www"),
    "ns-leads-to-alias": ("app NS www\napp NS ns.ferrytimes.example.", "app NS mail\napp NS ns.ferrytimes.example."),
    "mail-leads-to-alias": ("@ MX 20 www", "@ MX 20 www.ferrytimes.example."),
    "service-leads-to-alias": ("_sip._tcp SRV 0 5 5060 www", "_sip._tcp SRV 0 5 5060 mail"),
    "ns-leads-nowhere": ("app NS gone\napp NS ns.ferrytimes.example.", "app NS mail\napp NS ns.ferrytimes.example."),
    "leads-to-address": ("@ MX 20 198.51.100.25.", "@ MX 20 mail.7x.example."),
    "mail-leads-nowhere": ("@ MX 20 mx2", "@ MX 20 mx.app\napp NS ns.ferrytimes.example."),
    "service-leads-nowhere": ("_sip._tcp SRV 0 5 5060 sip", "_sip._tcp SRV 0 0 0 ."),
    "cut-glue-missing": ("app NS ns1.app", "app NS ns1.app\nns1.app AAAA 2001:db8::1"),
    "data-under-cut": (
        'app NS ns1.app\nns1.app A 198.51.100.1\nx.app TXT "hidden"',
        "app NS ns1.app\nns1.app A 198.51.100.1",
    ),
    "data-under-dname": (
        "old DNAME ferrytimes.example.\nx.y.old A 198.51.100.1",
        'old DNAME ferrytimes.example.\nold TXT "beside"',
    ),
    "cut-single-server": (
        "app NS ns.ferrytimes.example.",
        "app NS ns.ferrytimes.example.\napp NS ns2.ferrytimes.example.",
    ),
    "ds-without-cut": ("app DS 1 13 2 " + "ab" * 32, "app NS ns.ferrytimes.example.\napp DS 1 13 2 " + "ab" * 32),
    "spf-records-several": ('@ TXT "v=spf1 -all"', '@ TXT "v=spf10 x"\nmail TXT "v=spf1 -all"'),
    "spf-strings-run-together": ("mail TXT v=spf1 mx -all", 'mail TXT "v=spf1" " mx -all"'),
    "spf-word-unknown": (
        'mail TXT "v=spf1 ipv4:198.51.100.1 -all"',
        'mail TXT "v=spf1 ip4:198.51.100.0/24 ip6:2001:db8::/32 a:x.test/24"',
    ),
    "spf-lookups-many": (
        f'mail TXT "v=spf1 {" ".join(f"include:s{n}.test" for n in range(11))} -all"',
        f'mail TXT "v=spf1 {" ".join(f"include:s{n}.test" for n in range(10))} ip4:198.51.100.1 -all"',
    ),
    "spf-allows-everybody": ('mail TXT "v=spf1 all"', 'mail TXT "v=spf1 ~all"'),
    "spf-ends-early": ('mail TXT "v=spf1 -all a:x.test"', 'mail TXT "v=spf1 a:x.test -all exp=why.x.test"'),
    "spf-in-old-type": ("mail TYPE99 \\# 4 03763d31", 'mail TXT "v=1"'),
    "null-mx-not-alone": ("mail MX 0 .\nmail MX 10 mail", "mail MX 0 ."),
    "dmarc-malformed": (
        '_dmarc TXT "v=DMARC1 p=none"',
        '_dmarc TXT "v=DMARC1; p=reject; rua=mailto:x@ferrytimes.example"',
    ),
    "dmarc-misplaced": ('dmarc TXT "v=DMARC1; p=none"', 'x._report._dmarc TXT "v=DMARC1"'),
    "dkim-malformed": (
        'k._domainkey TXT "v=DKIM1; p=MIIB\\"IjAN"',
        f'k._domainkey TXT "v=DKIM1; k=rsa; p={LONG_KEY[:200]}" "{LONG_KEY[:200]}"\nold._domainkey TXT "v=DKIM1; p="',
    ),
    "text-quoted-twice": ('q TXT "\\"x=1\\""', 'q TXT "say \\"x\\""'),
    "set-large": (
        "\n".join(f'big TXT "{"v" * 200}{n}"' for n in range(6)),
        "\n".join(f'big TXT "{n}"' for n in range(6)),
    ),
    "set-ttls-differ": ("t 60 A 198.51.100.1\nt 600 A 198.51.100.2", "t 60 A 198.51.100.1\nt 600 AAAA 2001:db8::1"),
    "record-repeated": ("t A 198.51.100.1\nt A 198.51.100.1", "t A 198.51.100.1\nt A 198.51.100.2"),
    "address-not-public": ("t A 10.1.2.3", "t A 198.51.100.1"),
    "ttl-of-nothing": ("t 0 A 198.51.100.1", "t 1 A 198.51.100.1"),
}


def found(text: str, other: str | None = None) -> set[str]:
    reading = read_master(HEAD + text + "\n", ORIGIN)
    assert reading.zone is not None and not reading.slips, reading.slips
    there = read_master(HEAD + other, ORIGIN).zone if other is not None else None
    contents = ZoneContents(reading.zone, HOME, reading.uneven, reading.repeated, there)
    return {each.kind.slug for each in lint(contents)}


def test_a_zone_in_order_has_nothing_against_it() -> None:
    assert found(GOOD) == set()


@pytest.mark.parametrize("slug", CASES)
def test_a_case_and_a_near_miss(slug: str) -> None:
    case, near = CASES[slug]
    assert slug in found(GOOD + case)
    assert slug not in found(GOOD + near)


def test_every_name_under_a_cut_is_known() -> None:
    """Addresses of servers that some cut of the zone names are its own business; all others are hidden, at the cut
    too."""
    cuts = (
        "app NS ns1.app\napp NS ns.lib\nlib NS ns.lib\nlib NS ns1.app\nns1.app A 198.51.100.1\nns.lib AAAA "
        "2001:db8::1\n"
    )
    assert "data-under-cut" not in found(GOOD + cuts)
    for hidden in (
        "ns2.app A 198.51.100.2",
        "app A 198.51.100.2",
        'ns1.app TXT "x"',
        "a.b.lib CNAME www",
        "deep.app NS ns1.app",
    ):
        assert "data-under-cut" in found(GOOD + cuts + hidden), hidden


def test_a_ttl_that_is_none() -> None:
    zone = Zone(
        ORIGIN, [each.with_ttl(LARGEST_TTL + (each.rtype == 1)) for each in read_master(HEAD + GOOD, ORIGIN).zone or ()]
    )
    assert [each.kind.slug for each in lint(ZoneContents(zone, HOME)) if each.kind.severity == "error"] == [
        "ttl-too-large"
    ]


def test_the_rest_of_the_kinds() -> None:
    assert found(GOOD.replace("@ NS ns1.alder.test.\n@ NS ns2.alder.test.\n", "")) == {"apex-without-ns"}
    assert found(GOOD.replace("@ TXT", "x TXT")) == {"mail-without-spf"}
    assert found(GOOD + "new A 198.51.100.1", GOOD + "old A 198.51.100.1\n") == {"name-only-here", "name-only-there"}
    assert found(GOOD.replace("www CNAME @\n", "")) == {"www-missing"}
    tested = {*CASES, "apex-without-ns", "mail-without-spf", "name-only-here", "name-only-there", "ttl-too-large"}
    assert set(KINDS) <= tested and len(ALL) == len(set(ALL))


def test_a_cause_is_told_once_for_what_it_explains() -> None:
    reading = read_master(HEAD + GOOD + "@ MX 20 mx.kilnandclay.example\n@ MX 30 mx3\n", ORIGIN)
    assert reading.zone is not None
    told = {each.kind.slug: each for each in lint(ZoneContents(reading.zone, HOME))}
    assert dict(told["target-doubled-origin"].explains) == {"mail-leads-nowhere": 1, "target-final-dot-missing": 1}
    assert [each.seen for each in told["mail-leads-nowhere"].sightings] == [
        "kilnandclay.example MX mx3.kilnandclay.example"
    ]
