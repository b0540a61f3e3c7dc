"""The world's cast: Quillmoor Hosting, its customers, providers, registrars and resolvers. Made up, on documentation
addresses.

Everything here is data. The master files are what providers and TLDs serve when the world begins; NS sets and glue for
the TLD zones are written from the registrations.
"""

from dataclasses import dataclass

from legatum.core.rehearsal.caches import CacheKind

ROOT_SERVERS = {
    "a.root.test": ("192.0.2.1", "2001:db8:0:1::53"),
    "b.root.test": ("192.0.2.2", "2001:db8:0:2::53"),
}


@dataclass(frozen=True)
class Hosting:
    """Servers that answer together: the first is the primary. name → (IPv4, IPv6)."""

    servers: dict[str, tuple[str, str]]
    zones: tuple[str, ...] = ()


TLDS = {
    "example": Hosting(
        {"a.nic.example": ("192.0.2.11", "2001:db8:e:1::53"), "b.nic.example": ("198.51.100.12", "2001:db8:e:2::53")},
        ("example",),
    ),
    "test": Hosting(
        {"a.nic.test": ("192.0.2.21", "2001:db8:7e:1::53"), "b.nic.test": ("203.0.113.22", "2001:db8:7e:2::53")},
        ("test",),
    ),
}
PROVIDERS = {
    "alder": Hosting(
        {"ns1.alder.test": ("198.51.100.31", "2001:db8:a1::53"), "ns2.alder.test": ("203.0.113.32", "2001:db8:a2::53")},
        ("alder.test", "kilnandclay.example", "ferrytimes.example", "lanternlane.example", "tidemill.example"),
    ),
    "birch": Hosting(
        {
            "ns1.birch.example": ("198.51.100.41", "2001:db8:b1::53"),
            "ns2.birch.example": ("203.0.113.42", "2001:db8:b2::53"),
        },
        ("birch.example", "evensong.test", "lanternlane.example"),
    ),
    "rowan": Hosting(
        {"ns1.rowan.test": ("198.51.100.51", "2001:db8:c1::53"), "ns2.rowan.test": ("203.0.113.52", "2001:db8:c2::53")},
        ("rowan.test", "coppergate.example", "glassfield.example"),
    ),
    "sorrel": Hosting(
        {
            "ns1.sorrel.example": ("198.51.100.61", "2001:db8:d1::53"),
            "ns2.sorrel.example": ("203.0.113.62", "2001:db8:d2::53"),
        },
        ("sorrel.example",),
    ),
}
SIGNERS = ("rowan", "sorrel")  # of the providers: they take zone keys of others in their key sets
TAKING_KEYS = ("sorrel",)  # of those: sign with keys that are brought along
SECONDARIES = {"birch": "alder"}  # who serves copies, of whose zones
REGISTRATIONS = {
    "kilnandclay.example": ("flint", "alder"),
    "ferrytimes.example": ("flint", "alder"),
    "evensong.test": ("slate", "birch"),
    "lanternlane.example": ("granite", "alder"),
    "tidemill.example": ("flint", "alder"),
    "alder.test": ("slate", "alder"),
    "birch.example": ("flint", "birch"),
    "rowan.test": ("slate", "rowan"),
    "sorrel.example": ("slate", "sorrel"),
    "coppergate.example": ("flint", "rowan"),
    "glassfield.example": ("granite", "rowan"),
}
VOUCHED_FOR = ("rowan.test", "sorrel.example")  # domains with a DS at the beginning
REGISTERED_LATELY = {"tidemill.example": 20}  # days ago
REGISTRARS = ("flint", "slate")
FORM_REGISTRAR, FORM_PAGE = (
    "granite",
    "https://members.granite.test/domains",
)  # to its customers it shows a form and nothing else
REGISTRY = ("epp.nic.example", "192.0.2.51")
RDAP_SERVER = "rdap.nic.example"
RESOLVER_HOST = "resolver.quillmoor.test"  # the name on the certificate of resolvers over TLS and HTTPS
TLS_RESOLVER, HTTPS_RESOLVER = "mill", "orchard"
RESOLVERS = {
    "harbour": (CacheKind.PARENT_TRUSTING, "192.0.2.101"),
    "mill": (CacheKind.CHILD_TRUSTING, "192.0.2.102"),
    "orchard": (CacheKind.STICKY, "192.0.2.103"),
}
VALIDATING = ("harbour",)  # of the resolvers
HOME = ("192.0.2.0/24", "198.51.100.0/24", "203.0.113.0/24", "2001:db8::/32")
DELEGATION_TTL = 3600
PUBLISHING_DELAY = 240.0
KEY_NAME = "quillmoor.key.test"
FRESH_MACHINE, DEAD_MACHINE = (
    "203.0.113.66",
    "203.0.113.67",
)  # one that nobody has set up yet, and one that is switched off
SITE_LABELS = ("www", "mail", "mx2", "shop", "workshop")
SITES = {
    "kilnandclay.example": (
        "Kiln & Clay – pottery by hand",
        "Stoneware bowls, jugs and tiles, thrown and fired in our workshop by the river. Courses on "
        "Saturdays; the shop is open all week.",
    ),
    "ferrytimes.example": (
        "Ferry Times",
        "When the ferries go, from both piers, in summer and in winter, with what the tide has to say about it.",
    ),
    "evensong.test": (
        "Evensong",
        "A choir of forty voices. Rehearsals on Tuesdays, concerts at Michaelmas and at Easter, guests are welcome.",
    ),
}

ZONES = {
    "kilnandclay.example": """
@ 3600 IN SOA ns1.alder.test. hostmaster.alder.test. 2031030402 14400 3600 1209600 1800
@ 86400 IN NS ns1.alder.test.
@ 86400 IN NS ns2.alder.test.
@ 3600 IN A 198.51.100.80
@ 3600 IN AAAA 2001:db8:80::80
@ 14400 IN MX 10 mail.kilnandclay.example.
@ 14400 IN MX 20 mx2.ferrytimes.example.
@ 3600 IN TXT "v=spf1 mx ip4:203.0.113.25 -all"
@ 3600 IN TXT "site-check=4f1c-kiln-77"
@ 86400 IN CAA 0 issue "authority.test"
www 3600 IN CNAME kilnandclay.example.
mail 14400 IN A 203.0.113.25
mail 14400 IN AAAA 2001:db8:25::25
shop 600 IN A 198.51.100.81
shop 600 IN HTTPS 1 . alpn="h2"
workshop 3600 IN A 198.51.100.82
autoconfig 3600 IN CNAME mail
_dmarc 3600 IN TXT "v=DMARC1; p=quarantine; rua=mailto:post@kilnandclay.example"
winter._domainkey 3600 IN TXT (
  "v=DKIM1; k=rsa; p=MIIBIjANBgkqhkiG9w0BAQEFAAOCAQ8AMIIBCgKCAQEAtYpKilnAndClayWinterSelector"
  "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789abcdefghijklmnopqrstuvwxyz"
  "ABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789MadeUpForPracticeabcdefghijklmnopqrstuvwxyz01234567890IDAQAB" )
_submission._tcp 3600 IN SRV 0 1 587 mail
_imaps._tcp 3600 IN SRV 0 1 993 mail
*.preview 300 IN A 198.51.100.83
press.archive 3600 IN A 198.51.100.84
""",
    "ferrytimes.example": """
@ 3600 IN SOA ns1.alder.test. hostmaster.alder.test. 2031022001 14400 3600 1209600 1800
@ 86400 IN NS ns1.alder.test.
@ 86400 IN NS ns2.alder.test.
@ 3600 IN A 198.51.100.90
www 3600 IN A 198.51.100.90
mx2 14400 IN A 203.0.113.26
@ 14400 IN MX 10 mx2
@ 3600 IN TXT "v=spf1 mx -all"
""",
    "evensong.test": """
@ 3600 IN SOA ns1.birch.example. hostmaster.birch.example. 41 14400 3600 1209600 1800
@ 86400 IN NS ns1.birch.example.
@ 86400 IN NS ns2.birch.example.
@ 3600 IN A 198.51.100.95
www 3600 IN CNAME evensong.test.
""",
    "lanternlane.example": """
@ 3600 IN SOA ns1.alder.test. hostmaster.alder.test. 2031010701 14400 3600 1209600 1800
@ 86400 IN NS ns1.alder.test.
@ 86400 IN NS ns2.alder.test.
@ 3600 IN A 198.51.100.97
@ 3600 IN MX 10 mail.kilnandclay.example.
www 3600 IN A 198.51.100.97
""",
    "tidemill.example": """
@ 3600 IN SOA ns1.alder.test. hostmaster.alder.test. 3 14400 3600 1209600 1800
@ 86400 IN NS ns1.alder.test.
@ 86400 IN NS ns2.alder.test.
@ 3600 IN A 198.51.100.98
www 3600 IN A 198.51.100.98
""",
    "coppergate.example": """
@ 3600 IN SOA ns1.rowan.test. hostmaster.rowan.test. 5 14400 3600 1209600 1800
@ 86400 IN NS ns1.rowan.test.
@ 86400 IN NS ns2.rowan.test.
@ 3600 IN A 198.51.100.99
@ 3600 IN MX 10 mail.kilnandclay.example.
@ 3600 IN TXT "v=spf1 mx -all"
www 3600 IN A 198.51.100.99
""",
    "glassfield.example": """
@ 3600 IN SOA ns1.rowan.test. hostmaster.rowan.test. 2 14400 3600 1209600 1800
@ 86400 IN NS ns1.rowan.test.
@ 86400 IN NS ns2.rowan.test.
@ 3600 IN A 198.51.100.89
www 3600 IN CNAME glassfield.example.
""",
    "sorrel.example": """
@ 3600 IN SOA ns1.sorrel.example. hostmaster.sorrel.example. 3 14400 3600 1209600 600
@ 86400 IN NS ns1.sorrel.example.
@ 86400 IN NS ns2.sorrel.example.
@ 3600 IN A 198.51.100.60
""",
    "rowan.test": """
@ 3600 IN SOA ns1.rowan.test. hostmaster.rowan.test. 9 14400 3600 1209600 600
@ 86400 IN NS ns1.rowan.test.
@ 86400 IN NS ns2.rowan.test.
@ 3600 IN A 198.51.100.50
www 3600 IN A 198.51.100.50
""",
    "alder.test": """
@ 3600 IN SOA ns1.alder.test. hostmaster.alder.test. 12 14400 3600 1209600 600
@ 86400 IN NS ns1.alder.test.
@ 86400 IN NS ns2.alder.test.
@ 3600 IN A 198.51.100.30
www 3600 IN A 198.51.100.30
""",
    "birch.example": """
@ 3600 IN SOA ns1.birch.example. hostmaster.birch.example. 7 14400 3600 1209600 600
@ 86400 IN NS ns1.birch.example.
@ 86400 IN NS ns2.birch.example.
@ 3600 IN A 198.51.100.40
www 3600 IN A 198.51.100.40
""",
}


def further_domains(count: int) -> dict[str, str]:
    """So many small customers of Quillmoor at alder, registered through flint: domain → its zone."""
    return {f"stall{number:03}.example": _STALL.format(at=number % 200 + 20) for number in range(1, count + 1)}


_STALL = """
@ 3600 IN SOA ns1.alder.test. hostmaster.alder.test. 2031030101 14400 3600 1209600 1800
@ 86400 IN NS ns1.alder.test.
@ 86400 IN NS ns2.alder.test.
@ 3600 IN A 198.51.100.{at}
@ 14400 IN MX 10 mail
@ 3600 IN TXT "v=spf1 mx -all"
www 3600 IN CNAME @
mail 14400 IN A 203.0.113.{at}
"""
