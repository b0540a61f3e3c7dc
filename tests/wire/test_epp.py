"""EPP frames: written from the requirements of RFC 5730, 5731 and 5734, and hostile ones."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from legatum.core.records.name import parse_name
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
    assert [child.tag for child in root[0]] == [
        "{urn:ietf:params:xml:ns:epp-1.0}update",
        "{urn:ietf:params:xml:ns:epp-1.0}clTRID",
    ]
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
<host:infData xmlns:host="urn:ietf:params:xml:ns:host-1.0"><host:name>ns1.kilnandclay.example</host:name>
<host:roid>NS1-REP</host:roid><host:status s="linked"/><host:status s="clientUpdateProhibited"/>
<host:addr ip="v4">192.0.2.2</host:addr>
<host:addr ip="v6">2001:db8::8:800:200c:417a</host:addr><host:clID>ClientY</host:clID><host:crID>ClientX</host:crID>
<host:crDate>1999-04-03T22:00:00.0Z</host:crDate></host:infData></resData>
<trID><clTRID>ABC-12345</clTRID><svTRID>54322-XYZ</svTRID></trID></response></epp>"""
)


def test_hosts_as_the_rfc_has_them() -> None:
    """RFC 5732 s3.1.2, s3.2.1, s3.2.5: infData is read; create has name and addresses with their family, update add
    before rem."""
    from lxml import etree

    host = epp.read_response(HOST_RESPONSE.encode()).host
    assert (
        host is not None and host.addresses == ("192.0.2.2", "2001:db8::8:800:200c:417a") and "linked" in host.statuses
    )
    space = "{urn:ietf:params:xml:ns:host-1.0}"
    made = etree.fromstring(epp.host_create(NS1, ["192.0.2.2", "2001:db8::1"], "LEG-1"))[0][0][0]
    assert [(each.tag, each.get("ip")) for each in made] == [
        (space + "name", None),
        (space + "addr", "v4"),
        (space + "addr", "v6"),
    ]
    changed = etree.fromstring(epp.host_update(NS1, ["192.0.2.3"], ["192.0.2.2"], "LEG-2"))[0][0][0]
    assert [each.tag for each in changed] == [space + "name", space + "add", space + "rem"]
    command = epp.read_command(epp.host_update(NS1, ["192.0.2.3"], ["192.0.2.2"], "LEG-2"))
    assert (command.object, command.name, command.add_addresses, command.remove_addresses) == (
        "host",
        NS1,
        ("192.0.2.3",),
        ("192.0.2.2",),
    )
    assert epp.read_command(epp.host_delete(NS1, "LEG-3")).verb == "delete"
    change = epp.DomainChange(add_statuses=("clientHold",), remove_statuses=("clientUpdateProhibited",))
    locked = etree.fromstring(epp.domain_update(DOMAIN, change, "LEG-4"))[0][0][0]
    assert [(each.tag.split("}")[1], each[0].get("s")) for each in locked[1:]] == [
        ("add", "clientHold"),
        ("rem", "clientUpdateProhibited"),
    ]


def test_both_sides_understand_each_other() -> None:
    greeting = epp.read_greeting(epp.greeting("epp.nic.example", "2031-03-04T14:05:12Z"))
    assert greeting.server == "epp.nic.example" and greeting.objects == (epp.DOMAIN, epp.HOST, epp.CONTACT)
    command = epp.read_command(epp.login("flint", "pässword & <x>", greeting, "LEG-2"))
    assert (command.user, command.password, command.verb) == ("flint", "pässword & <x>", "login")
    assert "pässword" not in repr(command)
    assert epp.read_command(epp.logout("LEG-3")).verb == "logout" and epp.read_command(epp.hello()).verb == "hello"
    data = epp.DomainData(
        DOMAIN, "R1", ("ok",), (NS1,), (), "flint", "2029-01-01T00:00:00Z", "", "2032-01-01T00:00:00Z"
    )
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
    assert (
        "refused" in epp.meaning(2999)
        and "done" in epp.meaning(1999)
        and epp.meaning(2303).startswith("does not exist")
    )


# The grammar: every frame that either side writes holds to it, and what does not is refused with what was expected.

DS_RDATA = (12345).to_bytes(2) + bytes((13, 2)) + bytes(range(32))
GREETING = epp.Greeting("epp.nic.example", (epp.DOMAIN, epp.HOST), (epp.SECDNS, "urn:unknown:thing-2.0"))
CONTACT = epp.ContactData(
    "QM-2", "Quill & Sons", "Quillmoor", "IE", "post@quillmoor.test", organisation="Quillmoor", code="x1y2z3"
)
REPORT = [
    ("preData", "a"), ("postData", "b"), ("delTime", "2031-01-01T00:00:00Z"), ("resTime", "2031-01-02T00:00:00Z"),
    ("resReason", "c"), ("statement", "d"), ("statement", "e"),
]  # fmt: skip
COMMANDS = [
    epp.hello(),
    epp.login("flint", "pw", GREETING, "L-1", "new-pw"),
    epp.logout("L-1"),
    epp.poll("L-1"),
    epp.poll("L-1", "12"),
    epp.domain_check([DOMAIN, NS1], "L-1"),
    epp.domain_info(DOMAIN, "L-1", "code"),
    epp.domain_update(
        DOMAIN, epp.DomainChange((NS1,), (NS2,), ("clientHold",), (), (DS_RDATA,), (DS_RDATA,), "QM-2", "code12"), "L-1"
    ),
    epp.domain_update(
        DOMAIN, epp.DomainChange((NS1,), by_attribute=True, glue=((NS1, ("192.0.2.1", "2001:db8::1")),)), "L-1"
    ),
    epp.domain_renew(DOMAIN, "2031-03-04T14:05:12Z", 2, "L-1"),
    *(epp.domain_transfer(DOMAIN, op, "L-1") for op in ("query", "approve", "reject", "cancel")),
    epp.domain_transfer(DOMAIN, "request", "L-1", "code", 1),
    epp.domain_restore(DOMAIN, "L-1"),
    epp.domain_restore(DOMAIN, "L-1", REPORT),
    epp.host_check([NS1], "L-1"),
    epp.host_info(NS1, "L-1"),
    epp.host_create(NS1, ["192.0.2.1"], "L-1"),
    epp.host_update(NS1, ["192.0.2.1"], ["2001:db8::1"], "L-1"),
    epp.host_delete(NS1, "L-1"),
    epp.contact_info("QM-1", "L-1"),
    epp.contact_create(CONTACT, "L-1"),
]
TRANSFER = epp.TransferData(
    DOMAIN, "pending", "slate", "2031-03-04T14:05:12Z", "flint", "2031-03-09T14:05:12Z", "2033-01-01T00:00:00Z"
)
WHOLE = epp.DomainData(
    DOMAIN,
    "R1",
    ("clientHold", "inactive"),
    (NS1, NS2),
    (NS1,),
    "flint",
    "2029-01-01T00:00:00Z",
    "2030-01-01T00:00:00Z",
    "2032-01-01T00:00:00Z",
    "2030-06-01T00:00:00Z",
    "QM-1",
    (("admin", "QM-1"), ("tech", "QM-2")),
    "c0de",
    (),
    (DS_RDATA,),
    ("renewPeriod",),
)
RESPONSES = [
    epp.Response(2303, "no such thing", "L-1", "S-1"),
    epp.Response(1000, "done", "L-1", "S-1", domain=WHOLE),
    epp.Response(
        1000,
        "done",
        "L-1",
        "S-1",
        host=epp.HostData(NS1, "H1", ("ok", "linked"), ("192.0.2.1",), "flint", "2031-01-01T00:00:00Z"),
    ),
    epp.Response(
        1000,
        "done",
        "L-1",
        "S-1",
        contact=epp.ContactData("QM-1", "Q", "Quillmoor", "IE", "post@quillmoor.test", "flint", "O"),
    ),
    epp.Response(1001, "done", "L-1", "S-1", transfer=TRANSFER),
    epp.Response(
        1301,
        "waiting",
        "L-1",
        "S-1",
        transfer=TRANSFER,
        message=epp.Message("7", 3, "2031-03-04T14:05:12Z", "asked for"),
    ),
    *(
        epp.Response(
            1000,
            "done",
            "L-1",
            "S-1",
            checked=(epp.Availability("a", True, "", kind), epp.Availability("b", False, "in use", kind)),
        )
        for kind in ("domain", "host", "contact")
    ),
]


@pytest.mark.parametrize(
    "document", [*COMMANDS, epp.greeting("epp.nic.example", "2031-03-04T14:05:12Z"), *map(epp.response, RESPONSES)]
)
def test_every_frame_that_is_written_holds_to_the_grammar(document: bytes) -> None:
    epp.conform(document)


def test_only_extensions_that_both_sides_speak_are_chosen() -> None:
    command = epp.read_command(epp.login("flint", "pw", GREETING, "L-1", "new-pw"))
    assert command.extensions == (epp.SECDNS,) and command.new_password == "new-pw" and "new-pw" not in repr(command)


WRONG = {
    "rem before add": (
        '<update><d:update xmlns:d="{D}"><d:name>a.example</d:name><d:rem/><d:add/></d:update></update>',
        "add? rem? chg?",
    ),
    "no name": ('<info><d:info xmlns:d="{D}"/></info>', "name authInfo?"),
    "a host by neither way": (
        '<update><d:update xmlns:d="{D}"><d:name>a.example</d:name><d:add><d:ns/></d:add></d:update></update>',
        "hostObj+ | hostAttr+",
    ),
    "two kinds of host": (
        '<update><d:update xmlns:d="{D}"><d:name>a.example</d:name><d:add><d:ns><d:hostObj>b.test</d:hostObj>'
        "<d:hostAttr>"
        "<d:hostName>c.test</d:hostName></d:hostAttr></d:ns></d:add></d:update></update>",
        "hostObj+ | hostAttr+",
    ),
    "a transfer that is none": (
        '<transfer op="steal"><d:transfer xmlns:d="{D}"><d:name>a.example</d:name></d:transfer></transfer>',
        "request|query",
    ),
    "a poll for nothing": ("<poll/>", "req|ack"),
    "two verbs": ("<logout/><logout/>", "extension? clTRID?"),
    "an unknown verb": ("<frobnicate/>", "check | create"),
    "a period of what": (
        '<renew><d:renew xmlns:d="{D}"><d:name>a.example</d:name><d:curExpDate>2031-01-01</d:curExpDate>'
        "<d:period>1</d:period></d:renew></renew>",
        "y|m",
    ),
    "an element of another namespace": (
        '<info><d:info xmlns:d="{D}"><name>a.example</name></d:info></info>',
        "another namespace",
    ),
}


@pytest.mark.parametrize("what", WRONG)
def test_what_does_not_hold_to_it_is_refused_with_what_was_expected(what: str) -> None:
    inside, expected = WRONG[what]
    document = f"{HEAD}<command>{inside.replace('{D}', epp.DOMAIN)}</command></epp>".encode()
    with pytest.raises(Malformed) as refused:
        epp.read_command(document)
    assert expected in str(refused.value), refused.value


def test_a_transfer_a_queue_and_ds_data_as_the_rfcs_have_them() -> None:
    """RFC 5731 s3.1.3, RFC 5730 s2.9.2.3, RFC 5910 s5.1.2, RFC 3915 s4.1.2: prefixed, with what else such answers
    hold."""
    transfer = epp.read_response(
        (
            HEAD + '<response><result code="1301"><msg>Command completed successfully; ack to dequeue</msg></result>'
            '<msgQ count="5" id="12345"><qDate>1999-04-04T22:01:00.0Z</qDate><msg lang="en">Pending.</msg>'
            "</msgQ><resData>"
            f'<domain:trnData xmlns:domain="{epp.DOMAIN}"><domain:name>kilnandclay.example</domain:name>'
            "<domain:trStatus>pending</domain:trStatus>"
            "<domain:reID>ClientX</domain:reID><domain:reDate>2000-06-06T22:00:00.0Z</domain:reDate>"
            "<domain:acID>ClientY</domain:acID>"
            "<domain:acDate>2000-06-11T22:00:00.0Z</domain:acDate>"
            "<domain:exDate>2002-09-08T22:00:00.0Z</domain:exDate></domain:trnData></resData>"
            "<trID><clTRID>ABC-12345</clTRID><svTRID>54322-XYZ</svTRID></trID></response></epp>"
        ).encode()
    )
    assert transfer.transfer is not None and (transfer.transfer.asking, transfer.transfer.acting) == (
        "ClientX",
        "ClientY",
    )
    assert transfer.message == epp.Message("12345", 5, "1999-04-04T22:01:00.0Z", "Pending.")
    signed = INFO_RESPONSE.replace(
        '<x:y xmlns:x="urn:unknown">z</x:y>',
        f'<secDNS:infData xmlns:secDNS="{epp.SECDNS}"><secDNS:maxSigLife>604800</secDNS:maxSigLife><secDNS:dsData>'
        "<secDNS:keyTag>12345</secDNS:keyTag><secDNS:alg>3</secDNS:alg><secDNS:digestType>1</secDNS:digestType>"
        "<secDNS:digest>49FD46E6C4B45C55D4AC</secDNS:digest></secDNS:dsData></secDNS:infData>"
        f'<rgp:infData xmlns:rgp="{epp.RGP}"><rgp:rgpStatus s="redemptionPeriod"/></rgp:infData>',
    )
    domain = epp.read_response(signed.encode()).domain
    assert (
        domain is not None
        and domain.ds == (bytes.fromhex("3039030149fd46e6c4b45c55d4ac"),)
        and domain.grace == ("redemptionPeriod",)
    )
    assert domain.registrant == "jd1234" and domain.contacts == (("admin", "sh8013"),) and domain.code == "2fooBAR"
    assert "2fooBAR" not in repr(domain)


@pytest.mark.parametrize("digest", ["xyz", "4", ""])
def test_ds_data_that_are_none_are_refused(digest: str) -> None:
    broken = epp.domain_update(DOMAIN, epp.DomainChange(add_ds=(DS_RDATA,)), "L-1").replace(
        b"000102", digest.encode() + b"zz", 1
    )
    with pytest.raises(Malformed):
        epp.read_command(broken)


HOSTS = st.sets(st.sampled_from([parse_name(f"n{number}.alder.test.") for number in range(6)])).map(
    lambda found: tuple(sorted(found))
)
STATUSES = st.sets(st.sampled_from(["clientHold", "clientUpdateProhibited"])).map(lambda found: tuple(sorted(found)))
DS_SETS = st.sets(st.binary(min_size=5, max_size=60)).map(lambda found: tuple(sorted(found)))
WORDS = st.none() | st.text(st.characters(categories=("L", "N", "P", "S")), min_size=1, max_size=12)


@given(st.builds(epp.DomainChange, HOSTS, HOSTS, STATUSES, STATUSES, DS_SETS, DS_SETS, WORDS, WORDS))
def test_any_change_arrives_as_it_was_meant(change: epp.DomainChange) -> None:
    command = epp.read_command(epp.domain_update(DOMAIN, change, "L-1"))
    assert command.name == DOMAIN
    assert (command.change.add, command.change.remove) == (change.add, change.remove)
    assert (command.change.add_statuses, command.change.remove_statuses) == (
        change.add_statuses,
        change.remove_statuses,
    )
    assert (sorted(command.change.add_ds), sorted(command.change.remove_ds)) == (
        list(change.add_ds),
        list(change.remove_ds),
    )
    assert (command.change.registrant, command.change.code) == (change.registrant, change.code)
