"""A client's commands as the server reads them: held against the grammar first, as a registry does."""

from typing import Any

from lxml import etree

from legatum.wire.epp.answers import read_ds, read_key
from legatum.wire.epp.document import (
    CONTACT,
    DOMAIN,
    EPP,
    HOST,
    all_of,
    find,
    name,
    name_at,
    names,
    number,
    statuses,
    text,
    texts,
)
from legatum.wire.epp.grammar import conform
from legatum.wire.epp.objects import Command, ContactData, DomainChange, Glue
from legatum.wire.malformed import Malformed

_KINDS = {DOMAIN: "domain", HOST: "host", CONTACT: "contact"}


def read_command(given: bytes) -> Command:
    """Raises :class:`Malformed` that says what was expected."""
    found = conform(given)
    if found.tag == f"{{{EPP}}}hello":
        return Command("hello")
    if found.tag != f"{{{EPP}}}command":
        raise Malformed("no command")
    client_id, said = text(found, "e:clTRID"), found[0]
    verb = etree.QName(said).localname
    match verb:
        case "login":
            words = text(said, "e:clID"), text(said, "e:pw"), text(said, "e:newPW")
            spoken = texts(said, "e:svcs/e:svcExtension/e:extURI")
            return Command(
                "login", client_id, user=words[0], password=words[1], new_password=words[2], extensions=spoken
            )
        case "poll":
            return Command("poll", client_id, op=said.get("op", ""), idents=(said.get("msgID", ""),))
        case "logout":
            return Command("logout", client_id)
    if not len(said):
        raise Malformed(f"{verb} without an object")
    kind = _KINDS.get(etree.QName(said[0]).namespace or "", "other")
    readers = {"domain": _domain, "host": _host, "contact": _contact}
    if kind not in readers:
        return Command(verb, client_id, kind)
    return readers[kind](verb, client_id, said, find(found, "e:extension"))


def _domain(verb: str, client_id: str, said: Any, extension: Any) -> Command:
    target = said[0]
    restore = find(extension, "r:update/r:restore")
    return Command(
        verb if restore is None else "restore",
        client_id,
        "domain",
        op=said.get("op", "") if restore is None else restore.get("op", ""),
        name=name_at(target, "d:name"),
        names=names(target, "d:name"),
        change=_change(target, extension) if verb == "update" else DomainChange(),
        expires=text(target, "d:curExpDate"),
        years=number(text(target, "d:period")),
        code=text(target, "d:authInfo/d:pw"),
    )


def _change(target: Any, extension: Any) -> DomainChange:
    attributes = _attributes(target, "d:add"), _attributes(target, "d:rem")
    return DomainChange(
        tuple(sorted((*names(target, "d:add/d:ns/d:hostObj"), *(host for host, _ in attributes[0])))),
        tuple(sorted((*names(target, "d:rem/d:ns/d:hostObj"), *(host for host, _ in attributes[1])))),
        statuses(target, "d:add/d:status"),
        statuses(target, "d:rem/d:status"),
        tuple(read_ds(each) for each in all_of(extension, "s:update/s:add/s:dsData")),
        tuple(read_ds(each) for each in all_of(extension, "s:update/s:rem/s:dsData")),
        text(target, "d:chg/d:registrant") or None,
        text(target, "d:chg/d:authInfo/d:pw") or None,
        bool(attributes[0] or attributes[1]),
        attributes[0],
        tuple(read_key(each) for each in all_of(extension, "s:update/s:add/s:keyData")),
        tuple(read_key(each) for each in all_of(extension, "s:update/s:rem/s:keyData")),
    )


def _attributes(target: Any, where: str) -> Glue:
    found = all_of(target, f"{where}/d:ns/d:hostAttr")
    return tuple((name(text(each, "d:hostName")), texts(each, "d:hostAddr")) for each in found)


def _host(verb: str, client_id: str, said: Any, _: Any) -> Command:
    target = said[0]
    return Command(
        verb,
        client_id,
        "host",
        name=name_at(target, "h:name"),
        names=names(target, "h:name"),
        add_addresses=texts(target, "h:addr" if verb == "create" else "h:add/h:addr"),
        remove_addresses=texts(target, "h:rem/h:addr"),
    )


def _contact(verb: str, client_id: str, said: Any, _: Any) -> Command:
    target = said[0]
    postal = find(target, "c:postalInfo")
    idents = texts(target, "c:id")
    contact = ContactData(
        next(iter(idents), ""),
        text(postal, "c:name"),
        text(postal, "c:addr/c:city"),
        text(postal, "c:addr/c:cc"),
        text(target, "c:email"),
        organisation=text(postal, "c:org"),
        code=text(target, "c:authInfo/c:pw"),
    )
    return Command(verb, client_id, "contact", idents=idents, contact=contact)
