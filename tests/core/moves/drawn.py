"""A plan_input of kilnandclay.example at alder, and plans of every kind from it."""

from dataclasses import replace

from legatum.core.calendar.timing import Caution
from legatum.core.moves.kinds.address import NewAddress
from legatum.core.moves.kinds.first_and_last import First, Retirement
from legatum.core.moves.kinds.hosts import Hosts
from legatum.core.moves.kinds.mail import Mail
from legatum.core.moves.kinds.part import Part
from legatum.core.moves.kinds.provider import NewProvider
from legatum.core.moves.kinds.second import Second
from legatum.core.moves.kinds.site import Alias
from legatum.core.moves.kinds.verification import Verification
from legatum.core.moves.kinds.zone_data import Soa, Ttls
from legatum.core.moves.place import PARENT, KnownHost, Place
from legatum.core.moves.plan import Wish, draw
from legatum.core.moves.plan_input import PlanInput
from legatum.core.moves.runbook import Runbook
from legatum.core.records.address import address_rdata
from legatum.core.records.name import parse_name
from legatum.core.records.presentation import parse_rdata, txt_rdata
from legatum.core.records.rrset import rrset
from legatum.core.records.rrtype import MX, TXT, A
from legatum.core.zones.changing.template import Demand
from legatum.core.zones.masterfile import parse_master
from legatum.core.zones.zone import Zone

DOMAIN, AT, MARGIN = parse_name("kilnandclay.example."), 1000.0, 30
TEXT = """
@ 3600 SOA ns1.alder.test. hostmaster.alder.test. 7 14400 3600 1209600 1800
@ 86400 NS ns1.alder.test.
@ 86400 NS ns2.alder.test.
@ 3600 A 192.0.2.10
@ 3600 MX 10 mail
@ 3600 TXT "v=spf1 ip4:192.0.2.10 -all"
www 3600 A 192.0.2.10
mail 7200 A 192.0.2.25
app 600 A 192.0.2.40
shop.app 600 A 192.0.2.41
sub 600 NS ns1.birch.test.
"""
ZONE = parse_master(TEXT, DOMAIN, "drawn")


def place(name: str, first: int, domain: str = "") -> Place:
    servers = {
        parse_name(f"ns{number}.{domain or name + '.test'}."): (f"198.51.100.{first + number}",) for number in (1, 2)
    }
    return Place(name, servers)


ALDER, BIRCH, CEDAR = place("alder", 10), place("birch", 20), place("cedar", 30)
ABOVE = Place(PARENT, {parse_name("a.nic.example."): ("203.0.113.1",)})


def plan_input(zone: Zone = ZONE, parent_ttl: int = 3600, **more: object) -> PlanInput:
    """``more``: fields of the plan_input that are to be otherwise."""
    made = PlanInput(
        domain=DOMAIN,
        at=AT,
        parent_zone=parse_name("example."),
        parent_ttl=parent_ttl,
        zones={("alder", DOMAIN): zone},
        places=(ABOVE, ALDER, BIRCH, CEDAR),
        delegation=tuple(sorted(ALDER.servers)),
        glue=(),
        glue_ttl=parent_ttl,
        main="alder",
        follows=(),
        registrar="flint",
        caution=Caution(300, 4, MARGIN),
        hosts=tuple(KnownHost(host, AT, 600) for each in (BIRCH, CEDAR) for host in each.servers),
        unsigned="no DS",
        publishing=240,
    )
    return replace(made, **more)  # type: ignore[arg-type]


HOST, SHOP = parse_name("ns1.kilnandclay.example."), parse_name("shop.app.kilnandclay.example.")
KINDS: dict[str, Wish] = {
    "provider": NewProvider(DOMAIN, "alder", "birch"),
    "address": NewAddress("192.0.2.10", "192.0.2.99"),
    "alias": Alias(parse_name("app.kilnandclay.example."), parse_name("site.tidemill.example.")),
    "addresses": Alias(
        SHOP, parse_name("site.tidemill.example."), (rrset(SHOP, A, 60, [address_rdata("203.0.113.7")]),)
    ),
    "verify": Verification(
        (
            (DOMAIN, "site-check=4f1c"),
            (parse_name("_check.kilnandclay.example."), "9a"),
        ),
        7200,
    ),
    "mail": Mail(
        "post",
        (
            Demand(rrset(DOMAIN, MX, 3600, [parse_rdata(MX, "10 mx1.post.test.", DOMAIN)])),
            Demand(rrset(DOMAIN, TXT, 3600, [txt_rdata("v=spf1 include:post.test -all")]), among=True),
            Demand(rrset(parse_name("a._domainkey.kilnandclay.example."), TXT, 3600, [txt_rdata("v=DKIM1; p=ab")])),
        ),
    ),
    "part": Part(parse_name("app.kilnandclay.example."), "birch"),
    "second": Second("cedar"),
    "hosts": Hosts({HOST: ("198.51.100.77",)}, {HOST: None}, (HOST,)),
    "ttl": Ttls({(parse_name("www.kilnandclay.example."), A): 4}),
    "soa": Soa(refresh=7200, serial=3),
    "retirement": Retirement(),
}


def plan(kind: str, of: PlanInput | None = None) -> Runbook:
    drawn = of or plan_input()
    if kind == "hosts":  # its server answers at the new address already
        drawn = replace(drawn, places=tuple(replace(each, servers={**each.servers,
        HOST: ("198.51.100.77",)}) if each.name == "alder" else each
                                            for each in drawn.places))  # fmt: skip
    return draw(drawn, "m1", kind, [KINDS[kind]])


def first(of: PlanInput | None = None) -> Runbook:
    return draw(replace(of or plan_input(), delegation=()), "m1", "first", [First("alder")])
