"""EPP word for word: each command and answer beside the XML that the RFCs (5730 to 5733, 5910, 3915) want, and what is
read of it."""

import base64
from typing import Any

import pytest
from lxml import etree

from legatum.core.dnssec.serving import ds_of_key
from legatum.core.records.name import parse_name
from legatum.wire import epp
from legatum.wire.epp import Command, DomainChange
from legatum.wire.malformed import Malformed

DOMAIN, NS1, NS2 = parse_name("kilnandclay.example."), parse_name("ns1.alder.test."), parse_name("ns2.alder.test.")
SPACES = {"d": epp.DOMAIN, "h": epp.HOST, "c": epp.CONTACT, "s": epp.SECDNS, "r": epp.RGP}
DS = (12345).to_bytes(2) + bytes((13, 2)) + bytes(range(32))
DIGEST = "000102030405060708090A0B0C0D0E0F101112131415161718191A1B1C1D1E1F"
KEY = b"\1\1\3\15" + bytes(range(64))
PUBLIC = base64.b64encode(bytes(range(64))).decode()
DS_XML = (
    "<s:dsData><s:keyTag>12345</s:keyTag><s:alg>13</s:alg><s:digestType>2</s:digestType>"
    f"<s:digest>{DIGEST}</s:digest></s:dsData>"
)
KEY_XML = (
    "<s:keyData><s:flags>257</s:flags><s:protocol>3</s:protocol><s:alg>13</s:alg>"
    f"<s:pubKey>{PUBLIC}</s:pubKey></s:keyData>"
)
NAME = "<d:name>kilnandclay.example</d:name>"
GREETING = epp.Greeting("epp.nic.example", (epp.DOMAIN, epp.HOST), (epp.SECDNS, "urn:unknown:thing-2.0"))
PERSON = epp.ContactData(
    "QM-2", "Quill & Sons", "Quillmoor", "IE", "post@quillmoor.test", organisation="Quillmoor", code="x1y2z3"
)
ALONE = epp.ContactData("QM-3", "A. Quill", "Quillmoor", "IE", "a@quillmoor.test", code="x1y2z3")
AT_BOTH = ((NS1, ("192.0.2.1", "2001:db8::1")),)


def tree(node: Any) -> Any:
    """Namespace and name, attributes, text and children: all that XML says."""
    return node.tag, dict(node.attrib), (node.text or "").strip(), [tree(each) for each in node]


def meant(inside: str) -> Any:
    spaces = " ".join(f'xmlns:{prefix}="{uri}"' for prefix, uri in SPACES.items())
    return tree(etree.fromstring(f'<epp xmlns="urn:ietf:params:xml:ns:epp-1.0" {spaces}>{inside}</epp>'))


def command(inside: str, extension: str = "") -> str:
    more = f"<extension>{extension}</extension>" if extension else ""
    return f"<command>{inside}{more}<clTRID>LEG-1</clTRID></command>"


def domain(verb: str, inside: str, extension: str = "", op: str = "") -> str:
    return command(f"<{verb}{op}><d:{verb}>{inside}</d:{verb}></{verb}>", extension)


OBJECTS = "".join(f"<objURI>{each}</objURI>" for each in GREETING.objects)
SPOKEN = f"<svcExtension><extURI>{epp.SECDNS}</extURI></svcExtension>"
LOGIN = (
    "<login><clID>flint</clID><pw>secret</pw>{}<options><version>1.0</version><lang>en</lang></options>"
    "<svcs>{}</svcs></login>"
)
COMMANDS: list[tuple[bytes, str, Command]] = [
    (epp.hello(), "<hello/>", Command("hello")),
    (
        epp.login("flint", "secret", GREETING, "LEG-1"),
        command(LOGIN.format("", OBJECTS + SPOKEN)),
        Command("login", "LEG-1", user="flint", password="secret", extensions=(epp.SECDNS,)),
    ),
    (
        epp.login("flint", "secret", epp.Greeting("x", GREETING.objects, ()), "LEG-1", "newer"),
        command(LOGIN.format("<newPW>newer</newPW>", OBJECTS)),
        Command("login", "LEG-1", user="flint", password="secret", new_password="newer"),
    ),
    (epp.logout("LEG-1"), command("<logout/>"), Command("logout", "LEG-1")),
    (epp.poll("LEG-1"), command('<poll op="req"/>'), Command("poll", "LEG-1", op="req", idents=("",))),
    (
        epp.poll("LEG-1", "12"),
        command('<poll op="ack" msgID="12"/>'),
        Command("poll", "LEG-1", op="ack", idents=("12",)),
    ),
    (
        epp.domain_check([DOMAIN, NS1], "LEG-1"),
        domain("check", f"{NAME}<d:name>ns1.alder.test</d:name>"),
        Command("check", "LEG-1", "domain", name=DOMAIN, names=(NS1, DOMAIN)),
    ),
    (
        epp.domain_info(DOMAIN, "LEG-1"),
        domain("info", '<d:name hosts="all">kilnandclay.example</d:name>'),
        Command("info", "LEG-1", "domain", name=DOMAIN, names=(DOMAIN,)),
    ),
    (
        epp.domain_info(DOMAIN, "LEG-1", "c0de"),
        domain("info", '<d:name hosts="all">kilnandclay.example</d:name><d:authInfo><d:pw>c0de</d:pw></d:authInfo>'),
        Command("info", "LEG-1", "domain", name=DOMAIN, names=(DOMAIN,), code="c0de"),
    ),
    (
        epp.domain_update(DOMAIN, DomainChange((NS1,), (NS2,)), "LEG-1"),
        domain(
            "update",
            NAME + "<d:add><d:ns><d:hostObj>ns1.alder.test</d:hostObj></d:ns></d:add>"
            "<d:rem><d:ns><d:hostObj>ns2.alder.test</d:hostObj></d:ns></d:rem>",
        ),
        Command("update", "LEG-1", "domain", name=DOMAIN, names=(DOMAIN,), change=DomainChange((NS1,), (NS2,))),
    ),
    (
        epp.domain_update(DOMAIN, DomainChange((NS1,), by_attribute=True, glue=AT_BOTH), "LEG-1"),
        domain(
            "update",
            NAME + "<d:add><d:ns><d:hostAttr><d:hostName>ns1.alder.test</d:hostName>"
            '<d:hostAddr ip="v4">192.0.2.1</d:hostAddr><d:hostAddr ip="v6">2001:db8::1</d:hostAddr>'
            "</d:hostAttr></d:ns></d:add>",
        ),
        Command(
            "update",
            "LEG-1",
            "domain",
            name=DOMAIN,
            names=(DOMAIN,),
            change=DomainChange((NS1,), by_attribute=True, glue=AT_BOTH),
        ),
    ),
    (
        epp.domain_update(DOMAIN, DomainChange((), (NS2,), by_attribute=True), "LEG-1"),
        domain(
            "update",
            NAME + "<d:rem><d:ns><d:hostAttr><d:hostName>ns2.alder.test</d:hostName></d:hostAttr></d:ns></d:rem>",
        ),
        Command(
            "update",
            "LEG-1",
            "domain",
            name=DOMAIN,
            names=(DOMAIN,),
            change=DomainChange((), (NS2,), by_attribute=True),
        ),
    ),
    (
        epp.domain_update(
            DOMAIN, DomainChange(add_statuses=("clientHold",), remove_statuses=("clientUpdateProhibited",)), "LEG-1"
        ),
        domain(
            "update",
            NAME + '<d:add><d:status s="clientHold"/></d:add><d:rem><d:status s="clientUpdateProhibited"/></d:rem>',
        ),
        Command(
            "update",
            "LEG-1",
            "domain",
            name=DOMAIN,
            names=(DOMAIN,),
            change=DomainChange(add_statuses=("clientHold",), remove_statuses=("clientUpdateProhibited",)),
        ),
    ),
    (
        epp.domain_update(DOMAIN, DomainChange(registrant="QM-2", code="c0de"), "LEG-1"),
        domain(
            "update",
            NAME + "<d:chg><d:registrant>QM-2</d:registrant><d:authInfo><d:pw>c0de</d:pw></d:authInfo></d:chg>",
        ),
        Command(
            "update",
            "LEG-1",
            "domain",
            name=DOMAIN,
            names=(DOMAIN,),
            change=DomainChange(registrant="QM-2", code="c0de"),
        ),
    ),
    (
        epp.domain_update(DOMAIN, DomainChange(add_ds=(DS,), remove_keys=(KEY,)), "LEG-1"),
        domain("update", NAME, f"<s:update><s:rem>{KEY_XML}</s:rem><s:add>{DS_XML}</s:add></s:update>"),
        Command(
            "update",
            "LEG-1",
            "domain",
            name=DOMAIN,
            names=(DOMAIN,),
            change=DomainChange(add_ds=(DS,), remove_keys=(KEY,)),
        ),
    ),
    (
        epp.domain_update(DOMAIN, DomainChange(add_keys=(KEY,), remove_ds=(DS,)), "LEG-1"),
        domain("update", NAME, f"<s:update><s:rem>{DS_XML}</s:rem><s:add>{KEY_XML}</s:add></s:update>"),
        Command(
            "update",
            "LEG-1",
            "domain",
            name=DOMAIN,
            names=(DOMAIN,),
            change=DomainChange(add_keys=(KEY,), remove_ds=(DS,)),
        ),
    ),
    (
        epp.domain_renew(DOMAIN, "2031-03-04T14:05:12Z", 2, "LEG-1"),
        domain("renew", NAME + '<d:curExpDate>2031-03-04</d:curExpDate><d:period unit="y">2</d:period>'),
        Command("renew", "LEG-1", "domain", name=DOMAIN, names=(DOMAIN,), expires="2031-03-04", years=2),
    ),
    (
        epp.domain_transfer(DOMAIN, "query", "LEG-1"),
        domain("transfer", NAME, op=' op="query"'),
        Command("transfer", "LEG-1", "domain", "query", name=DOMAIN, names=(DOMAIN,)),
    ),
    (
        epp.domain_transfer(DOMAIN, "request", "LEG-1", "c0de", 1),
        domain(
            "transfer",
            NAME + '<d:period unit="y">1</d:period><d:authInfo><d:pw>c0de</d:pw></d:authInfo>',
            op=' op="request"',
        ),
        Command("transfer", "LEG-1", "domain", "request", name=DOMAIN, names=(DOMAIN,), years=1, code="c0de"),
    ),
    (
        epp.domain_restore(DOMAIN, "LEG-1"),
        domain("update", NAME + "<d:chg/>", '<r:update><r:restore op="request"/></r:update>'),
        Command("restore", "LEG-1", "domain", "request", name=DOMAIN, names=(DOMAIN,)),
    ),
    (
        epp.domain_restore(
            DOMAIN,
            "LEG-1",
            [
                ("preData", "a"),
                ("postData", "b"),
                ("delTime", "2031-01-01T00:00:00Z"),
                ("resTime", "2031-01-02T00:00:00Z"),
                ("resReason", "c"),
                ("statement", "d"),
                ("statement", "e"),
            ],
        ),
        domain(
            "update",
            NAME + "<d:chg/>",
            '<r:update><r:restore op="report"><r:report><r:preData>a</r:preData><r:postData>b</r:postData>'
            "<r:delTime>2031-01-01T00:00:00Z</r:delTime><r:resTime>2031-01-02T00:00:00Z</r:resTime>"
            "<r:resReason>c</r:resReason>"
            "<r:statement>d</r:statement><r:statement>e</r:statement></r:report></r:restore></r:update>",
        ),
        Command("restore", "LEG-1", "domain", "report", name=DOMAIN, names=(DOMAIN,)),
    ),
    (
        epp.host_check([NS1, NS2], "LEG-1"),
        command("<check><h:check><h:name>ns1.alder.test</h:name><h:name>ns2.alder.test</h:name></h:check></check>"),
        Command("check", "LEG-1", "host", name=NS1, names=(NS1, NS2)),
    ),
    (
        epp.host_info(NS1, "LEG-1"),
        command("<info><h:info><h:name>ns1.alder.test</h:name></h:info></info>"),
        Command("info", "LEG-1", "host", name=NS1, names=(NS1,)),
    ),
    (
        epp.host_create(NS1, ["192.0.2.1", "2001:db8::1"], "LEG-1"),
        command(
            '<create><h:create><h:name>ns1.alder.test</h:name><h:addr ip="v4">192.0.2.1</h:addr>'
            '<h:addr ip="v6">2001:db8::1</h:addr></h:create></create>'
        ),
        Command("create", "LEG-1", "host", name=NS1, names=(NS1,), add_addresses=("192.0.2.1", "2001:db8::1")),
    ),
    (
        epp.host_update(NS1, ["192.0.2.1"], ["2001:db8::1"], "LEG-1"),
        command(
            '<update><h:update><h:name>ns1.alder.test</h:name><h:add><h:addr ip="v4">192.0.2.1</h:addr></h:add>'
            '<h:rem><h:addr ip="v6">2001:db8::1</h:addr></h:rem></h:update></update>'
        ),
        Command(
            "update",
            "LEG-1",
            "host",
            name=NS1,
            names=(NS1,),
            add_addresses=("192.0.2.1",),
            remove_addresses=("2001:db8::1",),
        ),
    ),
    (
        epp.host_update(NS1, [], ["192.0.2.1"], "LEG-1"),
        command(
            '<update><h:update><h:name>ns1.alder.test</h:name><h:rem><h:addr ip="v4">192.0.2.1</h:addr>'
            "</h:rem></h:update></update>"
        ),
        Command("update", "LEG-1", "host", name=NS1, names=(NS1,), remove_addresses=("192.0.2.1",)),
    ),
    (
        epp.host_delete(NS1, "LEG-1"),
        command("<delete><h:delete><h:name>ns1.alder.test</h:name></h:delete></delete>"),
        Command("delete", "LEG-1", "host", name=NS1, names=(NS1,)),
    ),
    (
        epp.contact_info("QM-1", "LEG-1"),
        command("<info><c:info><c:id>QM-1</c:id></c:info></info>"),
        Command("info", "LEG-1", "contact", idents=("QM-1",), contact=epp.ContactData("QM-1")),
    ),
    *(
        (
            epp.contact_create(who, "LEG-1"),
            command(
                f'<create><c:create><c:id>{who.ident}</c:id><c:postalInfo type="int">'
                f"<c:name>{who.name.replace('&', '&amp;')}</c:name>"
                + (f"<c:org>{who.organisation}</c:org>" if who.organisation else "")
                + "<c:addr><c:city>Quillmoor</c:city><c:cc>IE</c:cc></c:addr></c:postalInfo>"
                f"<c:email>{who.email}</c:email><c:authInfo><c:pw>x1y2z3</c:pw></c:authInfo></c:create></create>"
            ),
            Command("create", "LEG-1", "contact", idents=(who.ident,), contact=who),
        )
        for who in (PERSON, ALONE)
    ),
]


@pytest.mark.parametrize(("written", "xml", "read"), COMMANDS)
def test_commands(written: bytes, xml: str, read: Command) -> None:
    assert tree(etree.fromstring(written)) == meant(xml)
    assert epp.read_command(written) == read
    assert written.startswith(b"<?xml version='1.0' encoding='UTF-8' standalone='no'?>")


def test_who_asks_for_something_else_is_read_as_that() -> None:
    head = '<?xml version="1.0" encoding="UTF-8" standalone="no"?><epp xmlns="urn:ietf:params:xml:ns:epp-1.0">'
    with pytest.raises(Malformed):
        epp.read_command(f"{head}<greeting/></epp>".encode())
    with pytest.raises(Malformed):
        epp.read_command(f"{head}<command><info/></command></epp>".encode())


def result(code: int = 1000, msg: str = "done", inside: str = "", queue: str = "", extension: str = "") -> str:
    data = f"<resData>{inside}</resData>" if inside else ""
    more = f"<extension>{extension}</extension>" if extension else ""
    ids = "<trID><clTRID>L-1</clTRID><svTRID>S-1</svTRID></trID>"
    return f'<response><result code="{code}"><msg>{msg}</msg></result>{queue}{data}{more}{ids}</response>'


def gives(**brought: Any) -> epp.Response:
    return epp.Response(brought.pop("code", 1000), brought.pop("reason", "done"), "L-1", "S-1", **brought)


DATES = ("2029-01-01T00:00:00Z", "2030-01-01T00:00:00Z", "2032-01-01T00:00:00Z", "2030-06-01T00:00:00Z")
TRANSFER = epp.TransferData(
    DOMAIN, "pending", "slate", "2031-03-04T14:05:12Z", "flint", "2031-03-09T14:05:12Z", "2033-01-01T00:00:00Z"
)
RESPONSES: list[tuple[epp.Response, str]] = [
    (gives(code=2303, reason="no such thing"), result(2303, "no such thing")),
    (
        gives(
            domain=epp.DomainData(
                DOMAIN,
                "R1",
                ("clientHold", "inactive"),
                (NS1, NS2),
                (NS1,),
                "flint",
                *DATES,
                "QM-1",
                (("admin", "QM-1"), ("tech", "QM-2")),
                "c0de",
                (),
                (DS,),
                ("renewPeriod",),
            )
        ),
        result(
            inside=f'<d:infData>{NAME}<d:roid>R1</d:roid><d:status s="clientHold"/><d:status s="inactive"/>'
            "<d:registrant>QM-1</d:registrant>"
            '<d:contact type="admin">QM-1</d:contact><d:contact type="tech">QM-2</d:contact><d:ns>'
            "<d:hostObj>ns1.alder.test</d:hostObj>"
            "<d:hostObj>ns2.alder.test</d:hostObj></d:ns><d:host>ns1.alder.test</d:host><d:clID>flint</d:clID>"
            f"<d:crDate>{DATES[0]}</d:crDate><d:upDate>{DATES[1]}</d:upDate><d:exDate>{DATES[2]}</d:exDate>"
            f"<d:trDate>{DATES[3]}</d:trDate>"
            "<d:authInfo><d:pw>c0de</d:pw></d:authInfo></d:infData>",
            extension=f'<s:infData>{DS_XML}</s:infData><r:infData><r:rgpStatus s="renewPeriod"/></r:infData>',
        ),
    ),
    (
        gives(
            domain=epp.DomainData(
                DOMAIN, "R1", ("ok",), (NS1,), (), "flint", glue=AT_BOTH, ds=(ds_of_key(DOMAIN, KEY),), keys=(KEY,)
            )
        ),
        result(
            inside=f'<d:infData>{NAME}<d:roid>R1</d:roid><d:status s="ok"/><d:ns><d:hostAttr>'
            "<d:hostName>ns1.alder.test</d:hostName>"
            '<d:hostAddr ip="v4">192.0.2.1</d:hostAddr><d:hostAddr ip="v6">2001:db8::1</d:hostAddr></d:hostAttr></d:ns>'
            "<d:clID>flint</d:clID></d:infData>",
            extension=f"<s:infData>{KEY_XML}</s:infData>",
        ),
    ),
    (
        gives(host=epp.HostData(NS1, "H1", ("ok", "linked"), ("192.0.2.1", "2001:db8::1"), "flint", DATES[0])),
        result(
            inside='<h:infData><h:name>ns1.alder.test</h:name><h:roid>H1</h:roid><h:status s="ok"/><h:status '
            's="linked"/>'
            '<h:addr ip="v4">192.0.2.1</h:addr><h:addr ip="v6">2001:db8::1</h:addr><h:clID>flint</h:clID>'
            "<h:crID>flint</h:crID>"
            f"<h:crDate>{DATES[0]}</h:crDate></h:infData>"
        ),
    ),
    (
        gives(contact=epp.ContactData("QM-1", "Q", "Quillmoor", "IE", "post@quillmoor.test", "flint", "O")),
        result(
            inside='<c:infData><c:id>QM-1</c:id><c:roid>QM-1-QM</c:roid><c:status s="ok"/><c:postalInfo '
            'type="int"><c:name>Q</c:name>'
            "<c:org>O</c:org><c:addr><c:city>Quillmoor</c:city><c:cc>IE</c:cc></c:addr></c:postalInfo>"
            "<c:email>post@quillmoor.test</c:email><c:clID>flint</c:clID><c:crID>flint</c:crID>"
            "<c:crDate>2029-01-01T00:00:00Z</c:crDate>"
            "</c:infData>"
        ),
    ),
    (
        gives(
            code=1301,
            reason="waiting",
            transfer=TRANSFER,
            message=epp.Message("7", 3, "2031-03-04T14:05:12Z", "asked for"),
        ),
        result(
            1301,
            "waiting",
            f"<d:trnData>{NAME}<d:trStatus>pending</d:trStatus><d:reID>slate</d:reID>"
            "<d:reDate>2031-03-04T14:05:12Z</d:reDate>"
            "<d:acID>flint</d:acID><d:acDate>2031-03-09T14:05:12Z</d:acDate>"
            "<d:exDate>2033-01-01T00:00:00Z</d:exDate></d:trnData>",
            '<msgQ count="3" id="7"><qDate>2031-03-04T14:05:12Z</qDate><msg>asked for</msg></msgQ>',
        ),
    ),
    (gives(message=epp.Message("7", 3)), result(queue='<msgQ count="3" id="7"/>')),
    *(
        (
            gives(checked=(epp.Availability("a", True, "", kind), epp.Availability("b", False, "in use", kind))),
            result(
                inside=f'<{at}:chkData><{at}:cd><{at}:{key} avail="1">a</{at}:{key}></{at}:cd><{at}:cd>'
                f'<{at}:{key} avail="0">b</{at}:{key}>'
                f"<{at}:reason>in use</{at}:reason></{at}:cd></{at}:chkData>"
            ),
        )
        for kind, at, key in (("domain", "d", "name"), ("host", "h", "name"), ("contact", "c", "id"))
    ),
]


@pytest.mark.parametrize(("given", "xml"), RESPONSES)
def test_answers(given: epp.Response, xml: str) -> None:
    written = epp.response(given)
    assert tree(etree.fromstring(written)) == meant(xml)
    assert epp.read_response(written) == given


def test_an_answer_without_words_has_those_of_its_code_and_one_to_nobody_no_number() -> None:
    found = epp.read_response(epp.response(epp.Response(2303, "", "", "S-1")))
    assert (found.reason, found.client_id, found.server_id) == (epp.meaning(2303), "", "S-1")
    assert b"clTRID" not in epp.response(epp.Response(2303, "", "", "S-1"))


def test_a_greeting() -> None:
    menu = "".join(f"<objURI>{each}</objURI>" for each in (epp.DOMAIN, epp.HOST, epp.CONTACT))
    menu += f"<svcExtension><extURI>{epp.SECDNS}</extURI><extURI>{epp.RGP}</extURI></svcExtension>"
    policy = (
        "<access><all/></access><statement><purpose><admin/></purpose><recipient><ours/></recipient>"
        "<retention><stated/></retention>"
    )
    xml = (
        "<greeting><svID>epp.nic.example</svID><svDate>2031-03-04T14:05:12Z</svDate><svcMenu>"
        "<version>1.0</version><lang>en</lang>"
        f"{menu}</svcMenu><dcp>{policy}</statement></dcp></greeting>"
    )
    written = epp.greeting("epp.nic.example", "2031-03-04T14:05:12Z")
    assert tree(etree.fromstring(written)) == meant(xml)
    assert epp.read_greeting(written) == epp.Greeting(
        "epp.nic.example", (epp.DOMAIN, epp.HOST, epp.CONTACT), (epp.SECDNS, epp.RGP), "2031-03-04T14:05:12Z"
    )
    with pytest.raises(Malformed, match="no greeting"):
        epp.read_greeting(epp.logout("L-1"))


@pytest.mark.parametrize(
    ("old", "new"),
    [
        ("<s:keyTag>12345<", "<s:keyTag>x<"),
        ("<s:keyTag>12345<", "<s:keyTag>99999<"),
        (DIGEST, "xy"),
        ("<s:alg>13<", "<s:alg>256<"),
    ],
)
def test_ds_data_that_are_none(old: str, new: str) -> None:
    spaces = " ".join(f'xmlns:{prefix}="{uri}"' for prefix, uri in SPACES.items())
    inside = f"<d:infData>{NAME}<d:roid>R1</d:roid><d:clID>flint</d:clID></d:infData>"
    text = result(inside=inside, extension=f"<s:infData>{DS_XML}</s:infData>")
    document = f'<epp xmlns="urn:ietf:params:xml:ns:epp-1.0" {spaces}>{{}}</epp>'
    found = epp.read_response(document.format(text).encode()).domain
    assert found is not None and found.ds == (DS,)
    with pytest.raises(Malformed, match="DS data that are none"):
        epp.read_response(document.format(text.replace(old, new)).encode())


@pytest.mark.parametrize(
    ("old", "new"), [("<s:flags>257<", "<s:flags>x<"), ("<s:flags>257<", "<s:flags>65536<"), (PUBLIC, "###")]
)
def test_key_data_that_are_none(old: str, new: str) -> None:
    written = epp.domain_update(DOMAIN, DomainChange(add_keys=(KEY,)), "LEG-1").decode()
    plain = old.replace("s:", "")
    assert plain in written
    with pytest.raises(Malformed, match="key data that are none"):
        epp.read_command(written.replace(plain, new.replace("s:", "")).encode())
