"""A server's greeting and responses: written for the stand-in, read for the client (RFC 5730 s2.4, s2.6)."""

from base64 import b64decode
from collections.abc import Iterable, Sequence
from typing import Any

from legatum.core.dnssec.serving import ds_of_key
from legatum.core.records.name import name_text
from legatum.wire.epp.codes import meaning
from legatum.wire.epp.commands import EXTENSIONS, ds_data, key_data, nameservers_element
from legatum.wire.epp.document import (
    CONTACT,
    DOMAIN,
    EPP,
    HOST,
    RGP,
    SECDNS,
    all_of,
    body,
    document,
    element,
    find,
    name,
    names,
    number,
    statuses,
    text,
    texts,
)  # fmt: skip
from legatum.wire.epp.objects import (
    Availability,
    ContactData,
    DomainData,
    Greeting,
    HostData,
    Message,
    Response,
    TransferData,
)
from legatum.wire.malformed import Malformed

_KINDS = {"domain": (DOMAIN, "name"), "host": (HOST, "name"), "contact": (CONTACT, "id")}

# Writing


def greeting(server: str, date: str) -> bytes:
    menu = [element(EPP, "version", text="1.0"), element(EPP, "lang", text="en")]
    menu += [element(EPP, "objURI", text=uri) for uri in (DOMAIN, HOST, CONTACT)]
    menu.append(element(EPP, "svcExtension", *(element(EPP, "extURI", text=uri) for uri in EXTENSIONS)))
    everybody = element(
        EPP,
        "statement",
        element(EPP, "purpose", element(EPP, "admin")),
        element(EPP, "recipient", element(EPP, "ours")),
        element(EPP, "retention", element(EPP, "stated")),
    )
    policy = element(EPP, "dcp", element(EPP, "access", element(EPP, "all")), everybody)
    said = element(EPP, "svID", text=server), element(EPP, "svDate", text=date)
    return document(element(EPP, "greeting", *said, element(EPP, "svcMenu", *menu), policy))


def response(given: Response) -> bytes:
    """The answer with what it brings. Its own words are those of the code where it has none."""
    parts = [
        element(EPP, "result", element(EPP, "msg", text=given.reason or meaning(given.code)), code=str(given.code))
    ]
    if given.message is not None:
        queue = given.message
        told = [element(EPP, "qDate", text=queue.date), element(EPP, "msg", text=queue.text)] if queue.text else []
        parts.append(element(EPP, "msgQ", *told, count=str(queue.count), id=queue.ident))
    data, extensions = _brought(given)
    parts += [element(EPP, tag, *each) for tag, each in (("resData", data), ("extension", extensions)) if each]
    identity = [element(EPP, "clTRID", text=given.client_id)] if given.client_id else []
    parts.append(element(EPP, "trID", *identity, element(EPP, "svTRID", text=given.server_id)))
    return document(element(EPP, "response", *parts))


def _brought(given: Response) -> tuple[list[Any], list[Any]]:
    data, extensions = [], []
    if given.domain is not None:
        data.append(_domain_data(given.domain))
        if given.domain.keys:
            extensions.append(element(SECDNS, "infData", *map(key_data, given.domain.keys)))
        elif given.domain.ds:
            extensions.append(element(SECDNS, "infData", *map(ds_data, given.domain.ds)))
        if given.domain.grace:
            extensions.append(
                element(RGP, "infData", *(element(RGP, "rgpStatus", s=each) for each in given.domain.grace))
            )
    if given.host is not None:
        data.append(_host_data(given.host))
    if given.contact is not None:
        data.append(_contact_data(given.contact))
    if given.transfer is not None:
        data.append(_transfer_data(given.transfer))
    if given.checked:
        data.append(_checked(given.checked))
    return data, extensions


def _domain_data(domain: DomainData) -> Any:
    def made(tag: str, value: str) -> list[Any]:
        return [element(DOMAIN, tag, text=value)] if value else []

    parts = [*made("name", name_text(domain.name)), element(DOMAIN, "roid", text=domain.roid)]
    parts += [element(DOMAIN, "status", s=status) for status in domain.statuses]
    parts += made("registrant", domain.registrant)
    parts += [element(DOMAIN, "contact", text=ident, type=kind) for kind, ident in domain.contacts]
    if domain.nameservers:
        parts.append(nameservers_element(domain.nameservers, bool(domain.glue), domain.glue))
    parts += [element(DOMAIN, "host", text=name_text(host)) for host in domain.hosts]
    parts.append(element(DOMAIN, "clID", text=domain.registrar))
    dates = (
        ("crDate", domain.created),
        ("upDate", domain.updated),
        ("exDate", domain.expires),
        ("trDate", domain.transferred),
    )
    parts += [each for tag, date in dates for each in made(tag, date)]
    if domain.code:
        parts.append(element(DOMAIN, "authInfo", element(DOMAIN, "pw", text=domain.code)))
    return element(DOMAIN, "infData", *parts)


def _host_data(host: HostData) -> Any:
    parts = [element(HOST, "name", text=name_text(host.name)), element(HOST, "roid", text=host.roid)]
    parts += [element(HOST, "status", s=status) for status in host.statuses]
    parts += [element(HOST, "addr", text=each, ip="v6" if ":" in each else "v4") for each in host.addresses]
    parts += [
        element(HOST, tag, text=said)
        for tag, said in (("clID", host.registrar), ("crID", host.registrar), ("crDate", host.created))
    ]
    return element(HOST, "infData", *parts)


def _contact_data(contact: ContactData) -> Any:
    def made(tag: str, value: str) -> Any:
        return element(CONTACT, tag, text=value)

    whose = [made("name", contact.name), *([made("org", contact.organisation)] if contact.organisation else [])]
    postal = element(
        CONTACT,
        "postalInfo",
        *whose,
        element(CONTACT, "addr", made("city", contact.city), made("cc", contact.country)),
        type="int",
    )
    head = [made("id", contact.ident), made("roid", f"{contact.ident}-QM"), element(CONTACT, "status", s="ok")]
    tail = [made("clID", contact.registrar), made("crID", contact.registrar), made("crDate", "2029-01-01T00:00:00Z")]
    return element(CONTACT, "infData", *head, postal, made("email", contact.email), *tail)


def _transfer_data(data: TransferData) -> Any:
    said = (
        ("name", name_text(data.name)),
        ("trStatus", data.status),
        ("reID", data.asking),
        ("reDate", data.asked),
        ("acID", data.acting),
        ("acDate", data.acts_by),
        ("exDate", data.expires),
    )
    return element(DOMAIN, "trnData", *(element(DOMAIN, tag, text=value) for tag, value in said if value))


def _checked(given: Sequence[Availability]) -> Any:
    space, key = _KINDS[given[0].kind]
    found = []
    for each in given:
        why = [element(space, "reason", text=each.reason)] if each.reason else []
        found.append(element(space, "cd", element(space, key, text=each.what, avail="1" if each.free else "0"), *why))
    return element(space, "chkData", *found)


# Reading


def read_greeting(given: bytes) -> Greeting:
    """Raises :class:`Malformed`."""
    found = body(given)
    if found.tag != f"{{{EPP}}}greeting":
        raise Malformed("no greeting")
    offered, more = texts(found, "e:svcMenu/e:objURI"), texts(found, "e:svcMenu/e:svcExtension/e:extURI")
    return Greeting(text(found, "e:svID"), offered, more, text(found, "e:svDate"))


def read_response(given: bytes) -> Response:
    """Raises :class:`Malformed`. Extensions and data of unknown kinds are passed over."""
    found = body(given)
    result = find(found, "e:result")
    if found.tag != f"{{{EPP}}}response" or result is None or not str(result.get("code")).isdecimal():
        raise Malformed("no response with a result code")
    data = find(found, "e:resData")
    return Response(
        int(result.get("code")),
        " ".join(filter(None, [text(result, "e:msg"), *texts(result, "e:extValue/e:reason")])),
        text(found, "e:trID/e:clTRID"),
        text(found, "e:trID/e:svTRID"),
        _read_domain(find(data, "d:infData"), find(found, "e:extension")),
        _read_host(find(data, "h:infData")),
        _read_contact(find(data, "c:infData")),
        _read_transfer(find(data, "d:trnData")),
        tuple(_read_checked(data)),
        _read_message(find(found, "e:msgQ")),
        text(data, "d:renData/d:exDate"),
    )


def _read_domain(data: Any, extension: Any) -> DomainData | None:
    if data is None:
        return None
    attributes = [
        (name(text(each, "d:hostName")), texts(each, "d:hostAddr")) for each in all_of(data, "d:ns/d:hostAttr")
    ]
    owner = name(text(data, "d:name"))
    given = [read_ds(each) for each in all_of(extension, "s:infData/s:dsData")]
    keys = tuple(sorted(read_key(each) for each in all_of(extension, "s:infData/s:keyData")))
    return DomainData(
        owner,
        text(data, "d:roid"),
        statuses(data, "d:status"),
        tuple(sorted((*names(data, "d:ns/d:hostObj"), *(host for host, _ in attributes)))),
        names(data, "d:host"),
        text(data, "d:clID"),
        text(data, "d:crDate"),
        text(data, "d:upDate"),
        text(data, "d:exDate"),
        text(data, "d:trDate"),
        text(data, "d:registrant"),
        tuple((each.get("type", ""), (each.text or "").strip()) for each in all_of(data, "d:contact")),
        text(data, "d:authInfo/d:pw"),
        tuple(attributes),
        tuple(sorted((*given, *(ds_of_key(owner, each) for each in keys)))),
        statuses(extension, "r:infData/r:rgpStatus"),
        keys,
    )


def read_ds(data: Any) -> bytes:
    """A DS record's rdata. Raises :class:`Malformed`."""
    try:
        head = (
            int(text(data, "s:keyTag")).to_bytes(2),
            bytes((int(text(data, "s:alg")), int(text(data, "s:digestType")))),
        )
        return b"".join((*head, bytes.fromhex(text(data, "s:digest"))))
    except (ValueError, OverflowError) as error:
        raise Malformed(f"DS data that are none: {error}") from error


def read_key(data: Any) -> bytes:
    """A DNSKEY record's rdata. Raises :class:`Malformed`."""
    try:
        head = int(text(data, "s:flags")).to_bytes(2) + bytes((int(text(data, "s:protocol")), int(text(data, "s:alg"))))
        return head + b64decode(text(data, "s:pubKey"), validate=True)
    except (ValueError, OverflowError) as error:
        raise Malformed(f"key data that are none: {error}") from error


def _read_host(data: Any) -> HostData | None:
    if data is None:
        return None
    said = texts(data, "h:addr"), text(data, "h:clID"), text(data, "h:crDate")
    return HostData(name(text(data, "h:name")), text(data, "h:roid"), statuses(data, "h:status"), *said)


def _read_contact(data: Any) -> ContactData | None:
    if data is None:
        return None
    postal = find(data, "c:postalInfo")
    place = text(postal, "c:addr/c:city"), text(postal, "c:addr/c:cc")
    whose = text(data, "c:email"), text(data, "c:clID"), text(postal, "c:org")
    return ContactData(text(data, "c:id"), text(postal, "c:name"), *place, *whose)


def _read_transfer(data: Any) -> TransferData | None:
    if data is None:
        return None
    said = (text(data, f"d:{tag}") for tag in ("trStatus", "reID", "reDate", "acID", "acDate", "exDate"))
    return TransferData(name(text(data, "d:name")), *said)


def _read_checked(data: Any) -> Iterable[Availability]:
    for kind, (space, key) in _KINDS.items():
        for each in data.iterfind(f"{{{space}}}chkData/{{{space}}}cd") if data is not None else ():
            what, why = each.find(f"{{{space}}}{key}"), each.find(f"{{{space}}}reason")
            if what is not None:
                free = what.get("avail") in ("1", "true")
                yield Availability(
                    (what.text or "").strip(), free, (why.text or "").strip() if why is not None else "", kind
                )


def _read_message(queue: Any) -> Message | None:
    if queue is None:
        return None
    return Message(queue.get("id", ""), number(queue.get("count", "")), text(queue, "e:qDate"), text(queue, "e:msg"))
