"""EPP frames (RFC 5730, 5731): XML to and from bytes, for both sides of a session; no sockets.

XML is read without entities, document types or network. Client and server stand-in share this file, so they can only agree
on the protocol, not on each other's mistakes; the tests hold frames written from the RFC's text against it.
"""

import struct
from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any

from lxml import etree

from legatum.core.fault import BadInput
from legatum.core.name import Name, name_text, parse_name
from legatum.wire.malformed import Malformed

EPP = "urn:ietf:params:xml:ns:epp-1.0"
DOMAIN = "urn:ietf:params:xml:ns:domain-1.0"
HOST = "urn:ietf:params:xml:ns:host-1.0"
MAX_FRAME = 1 << 20
_NAMESPACES = {"e": EPP, "d": DOMAIN, "h": HOST}

OK, OK_ENDING = 1000, 1500
SYNTAX, UNKNOWN_COMMAND, USE = 2001, 2000, 2002
AUTHENTICATION, AUTHORISATION, NOT_THERE, STATUS_PROHIBITS, EXISTS = 2200, 2201, 2303, 2304, 2302
PARAMETER_POLICY, ENDING_AUTHENTICATION, LEANED_ON = 2306, 2501, 2305

MEANINGS = {
    1000: "done", 1001: "accepted, still pending", 1300: "no messages", 1301: "message waiting", 1500: "done, session ended",
    2000: "unknown command", 2001: "syntax error", 2002: "not now: log in first, or only once", 2003: "something required is missing",
    2004: "a value is out of range", 2005: "a value is malformed", 2100: "protocol version not served", 2101: "command not served here",
    2102: "option not served here", 2103: "extension not served here", 2104: "not paid for", 2105: "not eligible for renewal",
    2106: "not eligible for transfer", 2200: "user name or password wrong", 2201: "not allowed for this registrar",
    2202: "authorisation code wrong", 2300: "a transfer is pending already", 2301: "no transfer is pending",
    2302: "exists already", 2303: "does not exist at the registry", 2304: "the object's status forbids it",
    2305: "something still leans on it",
    2306: "a value is against the registry's policy", 2307: "service not served", 2308: "against the registry's data policy",
    2400: "the registry failed", 2500: "the registry failed and ended the session", 2501: "user name or password wrong, session ended",
    2502: "too many sessions, session ended",
}  # fmt: skip


def meaning(code: int) -> str:
    """What a result code means for the user (RFC 5730 s3); by its family for codes not in the RFC."""
    if code in MEANINGS:
        return MEANINGS[code]
    return "done, in a way this program does not know" if code < 2000 else "refused, for a reason this program does not know"


def frame(document: bytes) -> bytes:
    """With the length in front, itself included (RFC 5734 s4)."""
    return struct.pack("!I", len(document) + 4) + document


def frame_length(head: bytes) -> int:
    """Octets that follow the four of ``head``. Raises :class:`Malformed` for a length nobody sends."""
    (total,) = struct.unpack("!I", head)
    if not 4 < total <= MAX_FRAME:
        raise Malformed(f"a frame of {total} octets")
    return int(total) - 4


@dataclass(frozen=True)
class Greeting:
    server: str
    objects: tuple[str, ...]
    extensions: tuple[str, ...]


@dataclass(frozen=True)
class DomainData:
    """What ``domain:info`` tells (RFC 5731 s3.1.2). Dates in RFC 3339 as the registry wrote them."""

    name: Name
    roid: str = ""
    statuses: tuple[str, ...] = ()
    nameservers: tuple[Name, ...] = ()
    hosts: tuple[Name, ...] = ()
    registrar: str = ""
    created: str = ""
    updated: str = ""
    expires: str = ""


@dataclass(frozen=True)
class HostData:
    """What ``host:info`` tells (RFC 5732 s3.1.2). ``addresses``: of a host below a domain of this registry; others have none."""

    name: Name
    roid: str = ""
    statuses: tuple[str, ...] = ()
    addresses: tuple[str, ...] = ()
    registrar: str = ""
    created: str = ""


@dataclass(frozen=True)
class Response:
    """``code`` as in RFC 5730 s3; ``reason`` is the server's own text."""

    code: int
    reason: str
    client_id: str
    server_id: str
    domain: DomainData | None = None
    host: HostData | None = None

    @property
    def ok(self) -> bool:
        return self.code < 2000


@dataclass(frozen=True)
class Command:
    """A client's command as the server reads it. ``verb``: ``hello``, ``login``, ``info``, ``update``, ``logout``, or the word found."""

    verb: str
    client_id: str = ""
    object: str = ""
    user: str = ""
    password: str = field(default="", repr=False)
    name: Name | None = None
    add: tuple[Name, ...] = ()
    remove: tuple[Name, ...] = ()
    add_statuses: tuple[str, ...] = ()
    remove_statuses: tuple[str, ...] = ()
    expires: str = ""
    years: int = 0
    add_addresses: tuple[str, ...] = ()
    remove_addresses: tuple[str, ...] = ()


# Writing


def _default(namespace: str) -> Any:
    """The namespace without a prefix."""
    return {None: namespace}


def _element(namespace: str, tag: str, *children: Any, text: str | None = None, **attributes: str) -> Any:
    made = etree.Element(f"{{{namespace}}}{tag}", nsmap=_default(namespace), attrib=attributes)
    made.text = text
    made.extend(children)
    return made


def _document(child: Any) -> bytes:
    return etree.tostring(_element(EPP, "epp", child), xml_declaration=True, encoding="UTF-8", standalone=False)


def _command(body: Any, client_id: str) -> bytes:
    return _document(_element(EPP, "command", body, _element(EPP, "clTRID", text=client_id)))


def login(user: str, password: str, greeting: Greeting, client_id: str) -> bytes:
    services = _element(EPP, "svcs", *(_element(EPP, "objURI", text=uri) for uri in greeting.objects))
    options = _element(EPP, "options", _element(EPP, "version", text="1.0"), _element(EPP, "lang", text="en"))
    body = _element(EPP, "login", _element(EPP, "clID", text=user), _element(EPP, "pw", text=password), options, services)
    return _command(body, client_id)


def logout(client_id: str) -> bytes:
    return _command(_element(EPP, "logout"), client_id)


def hello() -> bytes:
    return _document(_element(EPP, "hello"))


def domain_info(domain: Name, client_id: str) -> bytes:
    info = _element(DOMAIN, "info", _element(DOMAIN, "name", text=name_text(domain), hosts="all"))
    return _command(_element(EPP, "info", info), client_id)


def domain_update(
    domain: Name,
    add: Iterable[Name],
    remove: Iterable[Name],
    client_id: str,
    add_statuses: Iterable[str] = (),
    remove_statuses: Iterable[str] = (),
) -> bytes:
    """Changes the NS set by host objects, and statuses (RFC 5731 s3.2.5)."""
    parts = [_element(DOMAIN, "name", text=name_text(domain))]
    for tag, hosts, statuses in (("add", list(add), add_statuses), ("rem", list(remove), remove_statuses)):
        inside = [_element(DOMAIN, "ns", *(_element(DOMAIN, "hostObj", text=name_text(host)) for host in hosts))] if hosts else []
        inside += [_element(DOMAIN, "status", s=status) for status in statuses]
        if inside:
            parts.append(_element(DOMAIN, tag, *inside))
    return _command(_element(EPP, "update", _element(DOMAIN, "update", *parts)), client_id)


def domain_renew(domain: Name, expires: str, years: int, client_id: str) -> bytes:
    """``expires``: the date on which it expires now; with another the registry refuses (RFC 5731 s3.2.3), so it is not renewed twice."""
    period = _element(DOMAIN, "period", text=str(years), unit="y")
    body = _element(
        DOMAIN, "renew", _element(DOMAIN, "name", text=name_text(domain)), _element(DOMAIN, "curExpDate", text=expires[:10]), period
    )
    return _command(_element(EPP, "renew", body), client_id)


def host_info(host: Name, client_id: str) -> bytes:
    return _command(_element(EPP, "info", _element(HOST, "info", _element(HOST, "name", text=name_text(host)))), client_id)


def host_create(host: Name, addresses: Iterable[str], client_id: str) -> bytes:
    """A host object, with addresses where it lies below a domain of this registry (RFC 5732 s3.2.1)."""
    made = _element(HOST, "create", _element(HOST, "name", text=name_text(host)), *map(_address, addresses))
    return _command(_element(EPP, "create", made), client_id)


def host_update(host: Name, add: Iterable[str], remove: Iterable[str], client_id: str) -> bytes:
    """Changes a host's addresses (RFC 5732 s3.2.5)."""
    parts = [_element(HOST, "name", text=name_text(host))]
    for tag, addresses in (("add", list(add)), ("rem", list(remove))):
        if addresses:
            parts.append(_element(HOST, tag, *map(_address, addresses)))
    return _command(_element(EPP, "update", _element(HOST, "update", *parts)), client_id)


def host_delete(host: Name, client_id: str) -> bytes:
    return _command(_element(EPP, "delete", _element(HOST, "delete", _element(HOST, "name", text=name_text(host)))), client_id)


def _address(text: str) -> Any:
    return _element(HOST, "addr", text=text, ip="v6" if ":" in text else "v4")


def greeting(server: str, date: str) -> bytes:
    menu = _element(
        EPP,
        "svcMenu",
        _element(EPP, "version", text="1.0"),
        _element(EPP, "lang", text="en"),
        _element(EPP, "objURI", text=DOMAIN),
        _element(EPP, "objURI", text=HOST),
    )
    everybody = _element(
        EPP, "statement", _element(EPP, "purpose", _element(EPP, "admin")), _element(EPP, "recipient", _element(EPP, "ours")),
        _element(EPP, "retention", _element(EPP, "stated")),
    )  # fmt: skip
    policy = _element(EPP, "dcp", _element(EPP, "access", _element(EPP, "all")), everybody)
    return _document(_element(EPP, "greeting", _element(EPP, "svID", text=server), _element(EPP, "svDate", text=date), menu, policy))


def response(
    code: int, client_id: str, server_id: str, domain: DomainData | None = None, reason: str = "", host: HostData | None = None
) -> bytes:
    result = _element(EPP, "result", _element(EPP, "msg", text=reason or meaning(code)), code=str(code))
    parts = [result]
    if domain is not None:
        parts.append(_element(EPP, "resData", _domain_data(domain)))
    if host is not None:
        parts.append(_element(EPP, "resData", _host_data(host)))
    identity = [_element(EPP, "clTRID", text=client_id)] if client_id else []
    parts.append(_element(EPP, "trID", *identity, _element(EPP, "svTRID", text=server_id)))
    return _document(_element(EPP, "response", *parts))


def _domain_data(domain: DomainData) -> Any:
    def text(tag: str, value: str) -> Any:
        return _element(DOMAIN, tag, text=value)

    parts = [text("name", name_text(domain.name)), text("roid", domain.roid)]
    parts += [_element(DOMAIN, "status", s=status) for status in domain.statuses]
    if domain.nameservers:
        parts.append(_element(DOMAIN, "ns", *(text("hostObj", name_text(host)) for host in domain.nameservers)))
    parts += [text("host", name_text(host)) for host in domain.hosts]
    parts += [text("clID", domain.registrar), text("crDate", domain.created)]
    if domain.updated:
        parts.append(text("upDate", domain.updated))
    return _element(DOMAIN, "infData", *parts, text("exDate", domain.expires))


def _host_data(host: HostData) -> Any:
    parts = [_element(HOST, "name", text=name_text(host.name)), _element(HOST, "roid", text=host.roid)]
    parts += [_element(HOST, "status", s=status) for status in host.statuses]
    parts += [_address(text) for text in host.addresses]
    parts += [
        _element(HOST, tag, text=text) for tag, text in (("clID", host.registrar), ("crID", host.registrar), ("crDate", host.created))
    ]
    return _element(HOST, "infData", *parts)


# Reading


def _read(document: bytes) -> Any:
    parser = etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False, huge_tree=False, remove_comments=True)
    try:
        root = etree.fromstring(document, parser)
    except etree.XMLSyntaxError as error:
        raise Malformed(f"no well-formed XML: {error}") from error
    tree: Any = root.getroottree()
    if tree.docinfo.doctype or root.tag != f"{{{EPP}}}epp" or not len(root):
        raise Malformed("no EPP document")
    return root[0]


def _texts(element: Any, path: str) -> list[str]:
    return [(found.text or "").strip() for found in element.findall(path, _NAMESPACES)]


def _text(element: Any, path: str) -> str:
    return next(iter(_texts(element, path)), "")


def _names(element: Any, path: str) -> tuple[Name, ...]:
    return tuple(sorted(_name(text) for text in _texts(element, path)))


def _name(text: str) -> Name:
    try:
        return parse_name(text.rstrip(".") + ".")
    except BadInput as error:
        raise Malformed(f"a name that is none: {error.message}") from error


def read_greeting(document: bytes) -> Greeting:
    """Raises :class:`Malformed`."""
    body = _read(document)
    if body.tag != f"{{{EPP}}}greeting":
        raise Malformed("no greeting")
    return Greeting(
        _text(body, "e:svID"),
        tuple(_texts(body, "e:svcMenu/e:objURI")),
        tuple(_texts(body, "e:svcMenu/e:svcExtension/e:extURI")),
    )


def read_response(document: bytes) -> Response:
    """Raises :class:`Malformed`. Extensions and data of unknown kinds are passed over."""
    body = _read(document)
    result = body.find("e:result", _NAMESPACES)
    if body.tag != f"{{{EPP}}}response" or result is None or not str(result.get("code")).isdecimal():
        raise Malformed("no response with a result code")
    data = body.find("e:resData/d:infData", _NAMESPACES)
    reason = " ".join(filter(None, [_text(result, "e:msg"), *_texts(result, "e:extValue/e:reason")]))
    identity = _text(body, "e:trID/e:clTRID"), _text(body, "e:trID/e:svTRID")
    host = body.find("e:resData/h:infData", _NAMESPACES)
    return Response(
        int(result.get("code")),
        reason,
        *identity,
        _read_domain(data) if data is not None else None,
        _read_host(host) if host is not None else None,
    )


def _read_host(data: Any) -> HostData:
    statuses = tuple(status.get("s", "") for status in data.findall("h:status", _NAMESPACES))
    return HostData(
        _name(_text(data, "h:name")),
        _text(data, "h:roid"),
        statuses,
        tuple(_texts(data, "h:addr")),
        _text(data, "h:clID"),
        _text(data, "h:crDate"),
    )


def _read_domain(data: Any) -> DomainData:
    statuses = tuple(status.get("s", "") for status in data.findall("d:status", _NAMESPACES))
    by_object = _names(data, "d:ns/d:hostObj")
    by_attribute = _names(data, "d:ns/d:hostAttr/d:hostName")
    return DomainData(
        _name(_text(data, "d:name")), _text(data, "d:roid"), statuses, tuple(sorted((*by_object, *by_attribute))),
        _names(data, "d:host"), _text(data, "d:clID"), _text(data, "d:crDate"), _text(data, "d:upDate"), _text(data, "d:exDate"),
    )  # fmt: skip


def read_command(document: bytes) -> Command:
    """Raises :class:`Malformed`."""
    body = _read(document)
    if body.tag == f"{{{EPP}}}hello":
        return Command("hello")
    if body.tag != f"{{{EPP}}}command" or not len(body):
        raise Malformed("no command")
    client_id, verb = _text(body, "e:clTRID"), etree.QName(body[0]).localname
    if verb == "login":
        return Command("login", client_id, user=_text(body, "e:login/e:clID"), password=_text(body, "e:login/e:pw"))
    if verb in ("info", "update", "create", "delete", "renew") and len(body[0]):
        target = body[0][0]
        if etree.QName(target).namespace == HOST:
            return _read_host_command(verb, client_id, target)
        kind = "domain" if etree.QName(target).namespace == DOMAIN else "other"
        named = _text(target, "d:name")
        name = _name(named) if named else None
        return Command(
            verb,
            client_id,
            kind,
            name=name,
            add=_names(target, "d:add/d:ns/d:hostObj"),
            remove=_names(target, "d:rem/d:ns/d:hostObj"),
            add_statuses=tuple(each.get("s", "") for each in target.findall("d:add/d:status", _NAMESPACES)),
            expires=_text(target, "d:curExpDate"),
            years=int(_text(target, "d:period") or 0) if _text(target, "d:period").isdecimal() else 0,
            remove_statuses=tuple(each.get("s", "") for each in target.findall("d:rem/d:status", _NAMESPACES)),
        )
    return Command(verb, client_id)


def _read_host_command(verb: str, client_id: str, target: Any) -> Command:
    named = _text(target, "h:name")
    return Command(
        verb,
        client_id,
        "host",
        name=_name(named) if named else None,
        add_addresses=tuple(_texts(target, "h:addr" if verb == "create" else "h:add/h:addr")),
        remove_addresses=tuple(_texts(target, "h:rem/h:addr")),
    )
