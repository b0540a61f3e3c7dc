"""EPP frames: written from the requirements of RFC 5730, 5731 and 5734, and hostile ones."""

import pytest

from legatum.core.name import parse_name
from legatum.wire import epp
from legatum.wire.malformed import Malformed

DOMAIN = parse_name("kilnandclay.example.")
HEAD = '<?xml version="1.0" encoding="UTF-8" standalone="no"?><epp xmlns="urn:ietf:params:xml:ns:epp-1.0">'
NS1, NS2 = parse_name("ns1.alder.test."), parse_name("ns2.alder.test.")

INFO_RESPONSE = (
    HEAD
    + """<response><result code="1000"><msg lang="en">Command completed successfully</msg></result>
<resData><domain:infData xmlns:domain="urn:ietf:params:xml:ns:domain-1.0"><domain:name>KilnAndClay.example</domain:name>
<domain:roid>X1-REP</domain:roid><domain:status s="ok"/><domain:status s="clientTransferProhibited"/>
<domain:registrant>jd1234</domain:registrant><domain:contact type="admin">sh8013</domain:contact>
<domain:ns><domain:hostObj>ns2.alder.test</domain:hostObj><domain:hostObj>ns1.alder.test</domain:hostObj></domain:ns>
<domain:host>ns1.kilnandclay.example</domain:host><domain:clID>flint</domain:clID><domain:crID>flint</domain:crID>
<domain:crDate>2029-04-03T22:00:00.0Z</domain:crDate><domain:exDate>2032-04-03T22:00:00.0Z</domain:exDate>
<domain:authInfo><domain:pw>2fooBAR</domain:pw></domain:authInfo></domain:infData></resData>
<extension><x:y xmlns:x="urn:unknown">z</x:y></extension>
<trID><clTRID>ABC-12345</clTRID><svTRID>54322-XYZ</svTRID></trID></response></epp>"""
)


def test_an_info_response_as_the_rfc_has_it() -> None:
    response = epp.read_response(INFO_RESPONSE.encode())
    assert response.ok and (response.client_id, response.server_id) == ("ABC-12345", "54322-XYZ")
    assert response.domain is not None and response.domain.name == DOMAIN
    assert response.domain.nameservers == (NS1, NS2) and response.domain.statuses == ("ok", "clientTransferProhibited")
    assert response.domain.registrar == "flint" and response.domain.expires.startswith("2032")


def test_name_servers_by_attribute_are_read_too() -> None:
    text = INFO_RESPONSE.replace(
        "<domain:hostObj>ns2.alder.test</domain:hostObj>",
        "<domain:hostAttr><domain:hostName>ns2.alder.test</domain:hostName></domain:hostAttr>",
    )
    domain = epp.read_response(text.encode()).domain
    assert domain is not None and domain.nameservers == (NS1, NS2)


def test_an_update_is_what_the_rfc_wants() -> None:
    """RFC 5731 s3.2.5: in the domain namespace name, then add, then rem, each ns with hostObj; then the clTRID."""
    from lxml import etree

    root = etree.fromstring(epp.domain_update(DOMAIN, epp.DomainChange((NS1,), (NS2,)), "LEG-1"))
    space = "{urn:ietf:params:xml:ns:domain-1.0}"
    update = root[0][0][0]
    assert [child.tag for child in update] == [space + "name", space + "add", space + "rem"]
    assert [child.tag for child in root[0]] == ["{urn:ietf:params:xml:ns:epp-1.0}update", "{urn:ietf:params:xml:ns:epp-1.0}clTRID"]
    command = epp.read_command(epp.domain_update(DOMAIN, epp.DomainChange((NS1,), (NS2,)), "LEG-1"))
    assert (command.verb, command.name, command.change.add, command.change.remove, command.client_id) == (
        "update",
        DOMAIN,
        (NS1,),
        (NS2,),
        "LEG-1",
    )


HOST_RESPONSE = (
    HEAD
    + """<response><result code="1000"><msg>Command completed successfully</msg></result><resData>
<host:infData xmlns:host="urn:ietf:params:xml:ns:host-1.0"><host:name>ns1.kilnandclay.example</host:name><host:roid>NS1-REP</host:roid>
<host:status s="linked"/><host:status s="clientUpdateProhibited"/><host:addr ip="v4">192.0.2.2</host:addr>
<host:addr ip="v6">2001:db8::8:800:200c:417a</host:addr><host:clID>ClientY</host:clID><host:crID>ClientX</host:crID>
<host:crDate>1999-04-03T22:00:00.0Z</host:crDate></host:infData></resData><trID><clTRID>ABC-12345</clTRID><svTRID>54322-XYZ</svTRID></trID>
</response></epp>"""
)


def test_hosts_as_the_rfc_has_them() -> None:
    """RFC 5732 s3.1.2, s3.2.1, s3.2.5: infData is read; create has name and addresses with their family, update add before rem."""
    from lxml import etree

    host = epp.read_response(HOST_RESPONSE.encode()).host
    assert host is not None and host.addresses == ("192.0.2.2", "2001:db8::8:800:200c:417a") and "linked" in host.statuses
    space = "{urn:ietf:params:xml:ns:host-1.0}"
    made = etree.fromstring(epp.host_create(NS1, ["192.0.2.2", "2001:db8::1"], "LEG-1"))[0][0][0]
    assert [(each.tag, each.get("ip")) for each in made] == [(space + "name", None), (space + "addr", "v4"), (space + "addr", "v6")]
    changed = etree.fromstring(epp.host_update(NS1, ["192.0.2.3"], ["192.0.2.2"], "LEG-2"))[0][0][0]
    assert [each.tag for each in changed] == [space + "name", space + "add", space + "rem"]
    command = epp.read_command(epp.host_update(NS1, ["192.0.2.3"], ["192.0.2.2"], "LEG-2"))
    assert (command.object, command.name, command.add_addresses, command.remove_addresses) == ("host", NS1, ("192.0.2.3",), ("192.0.2.2",))
    assert epp.read_command(epp.host_delete(NS1, "LEG-3")).verb == "delete"
    change = epp.DomainChange(add_statuses=("clientHold",), remove_statuses=("clientUpdateProhibited",))
    locked = etree.fromstring(epp.domain_update(DOMAIN, change, "LEG-4"))[0][0][0]
    assert [(each.tag.split("}")[1], each[0].get("s")) for each in locked[1:]] == [("add", "clientHold"), ("rem", "clientUpdateProhibited")]


def test_both_sides_understand_each_other() -> None:
    greeting = epp.read_greeting(epp.greeting("epp.nic.example", "2031-03-04T14:05:12Z"))
    assert greeting.server == "epp.nic.example" and greeting.objects == (epp.DOMAIN, epp.HOST, epp.CONTACT)
    command = epp.read_command(epp.login("flint", "pässword & <x>", greeting, "LEG-2"))
    assert (command.user, command.password, command.verb) == ("flint", "pässword & <x>", "login")
    assert "pässword" not in repr(command)
    assert epp.read_command(epp.logout("LEG-3")).verb == "logout" and epp.read_command(epp.hello()).verb == "hello"
    data = epp.DomainData(DOMAIN, "R1", ("ok",), (NS1,), (), "flint", "2029-01-01T00:00:00Z", "", "2032-01-01T00:00:00Z")
    assert epp.read_response(epp.response(epp.Response(1000, "", "LEG-4", "S-1", data))).domain == data


@pytest.mark.parametrize(
    "document",
    [
        b"",
        b"not xml",
        b"<epp/>",
        HEAD.encode(),
        (HEAD + "<response><result/></response></epp>").encode(),
        (HEAD + '<response><result code="x"/></response></epp>').encode(),
        INFO_RESPONSE.replace("ns2.alder.test", "ns2..alder").encode(),
        b'<!DOCTYPE epp [<!ENTITY a "b">]>' + INFO_RESPONSE.split("?>")[1].replace("flint", "&a;").encode(),
        b'<!DOCTYPE epp SYSTEM "http://192.0.2.1/x.dtd">' + INFO_RESPONSE.split("?>")[1].encode(),
    ],
)
def test_what_is_no_response_is_refused(document: bytes) -> None:
    with pytest.raises(Malformed):
        epp.read_response(document)
    with pytest.raises(Malformed):
        epp.read_command(document)


def test_frames() -> None:
    assert epp.frame(b"abc") == b"\0\0\0\7abc" and epp.frame_length(b"\0\0\0\7") == 3
    for head in (b"\0\0\0\0", b"\0\0\0\4", b"\x06\0\0\0", b"\xff\xff\xff\xff"):
        with pytest.raises(Malformed):
            epp.frame_length(head)


def test_codes_never_seen_have_a_meaning() -> None:
    assert "refused" in epp.meaning(2999) and "done" in epp.meaning(1999) and epp.meaning(2303).startswith("does not exist")
