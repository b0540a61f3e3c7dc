"""A client's commands, written (RFC 5730 s2.9, 5731 s3, 5732 s3, 5733 s3, with the extensions of RFC 5910 and 3915)."""

from base64 import b64encode
from collections.abc import Iterable, Sequence
from typing import Any

from legatum.core.records.name import Name, name_text
from legatum.wire.epp.document import CONTACT, DOMAIN, EPP, HOST, RGP, SECDNS, document, element
from legatum.wire.epp.objects import ContactData, DomainChange, Glue, Greeting

EXTENSIONS = (SECDNS, RGP)
"""The extensions that this program speaks."""


def hello() -> bytes:
    return document(element(EPP, "hello"))


def login(user: str, password: str, greeting: Greeting, client_id: str, new_password: str = "") -> bytes:
    """Asks for every object that the server has, and for those of its extensions that this program speaks."""
    services = [element(EPP, "objURI", text=uri) for uri in greeting.objects]
    if spoken := [element(EPP, "extURI", text=uri) for uri in greeting.extensions if uri in EXTENSIONS]:
        services.append(element(EPP, "svcExtension", *spoken))
    who = [element(EPP, "clID", text=user), element(EPP, "pw", text=password)]
    if new_password:
        who.append(element(EPP, "newPW", text=new_password))
    options = element(EPP, "options", element(EPP, "version", text="1.0"), element(EPP, "lang", text="en"))
    return _command(element(EPP, "login", *who, options, element(EPP, "svcs", *services)), client_id)


def logout(client_id: str) -> bytes:
    return _command(element(EPP, "logout"), client_id)


def poll(client_id: str, acknowledge: str = "") -> bytes:
    """The first message of the queue, or has one taken off it (RFC 5730 s2.9.2.3)."""
    given = {"op": "ack", "msgID": acknowledge} if acknowledge else {"op": "req"}
    return _command(element(EPP, "poll", **given), client_id)


# Domains


def domain_check(domains: Iterable[Name], client_id: str) -> bytes:
    return _about(DOMAIN, "check", *(_named(DOMAIN, each) for each in domains), client_id=client_id)


def domain_info(domain: Name, client_id: str, code: str = "") -> bytes:
    """``code``: its authorisation code, to be told of somebody else's domain."""
    asked = element(DOMAIN, "name", text=name_text(domain), hosts="all")
    return _about(DOMAIN, "info", asked, *_code(code), client_id=client_id)


def domain_update(domain: Name, change: DomainChange, client_id: str) -> bytes:
    """A change of name servers, statuses, registrant, code and DS, as far as each is given."""
    parts = [_named(DOMAIN, domain)]
    sides = (("add", change.add, change.add_statuses, change.glue), ("rem", change.remove, change.remove_statuses, ()))
    for tag, hosts, given, glue in sides:
        inside = [nameservers_element(hosts, change.by_attribute, glue)] if hosts else []
        inside += [element(DOMAIN, "status", s=status) for status in given]
        if inside:
            parts.append(element(DOMAIN, tag, *inside))
    new = [element(DOMAIN, "registrant", text=change.registrant)] if change.registrant is not None else []
    if new := [*new, *_code(change.code or "")]:
        parts.append(element(DOMAIN, "chg", *new))
    return _about(DOMAIN, "update", *parts, client_id=client_id, extension=_ds_change(change))


def domain_renew(domain: Name, expires: str, years: int, client_id: str) -> bytes:
    """``expires``: the date on which it expires now; with another the registry refuses (RFC 5731 s3.2.3), so it is not
    renewed twice."""
    date = element(DOMAIN, "curExpDate", text=expires[:10])
    return _about(DOMAIN, "renew", _named(DOMAIN, domain), date, _years(years), client_id=client_id)


def domain_transfer(domain: Name, op: str, client_id: str, code: str = "", years: int = 0) -> bytes:
    """``op``: ``request`` with the code, ``query``, ``approve``, ``reject``, ``cancel``; ``years``: that the request
    adds."""
    period = [_years(years)] if years else []
    return _about(DOMAIN, "transfer", _named(DOMAIN, domain), *period, *_code(code), client_id=client_id, op=op)


def domain_restore(domain: Name, client_id: str, report: Sequence[tuple[str, str]] = ()) -> bytes:
    """Asks for a deleted domain back within its redemption period, or reports on that (RFC 3915 s4.2.5): the report's
    elements in order."""
    said = [element(RGP, "report", *(element(RGP, tag, text=text) for tag, text in report))] if report else []
    restoration = element(RGP, "update", element(RGP, "restore", *said, op="report" if report else "request"))
    parts = [_named(DOMAIN, domain), element(DOMAIN, "chg")]
    return _about(DOMAIN, "update", *parts, client_id=client_id, extension=restoration)


# Hosts


def host_check(hosts: Iterable[Name], client_id: str) -> bytes:
    return _about(HOST, "check", *(_named(HOST, each) for each in hosts), client_id=client_id)


def host_info(host: Name, client_id: str) -> bytes:
    return _about(HOST, "info", _named(HOST, host), client_id=client_id)


def host_create(host: Name, addresses: Iterable[str], client_id: str) -> bytes:
    """A host object, with addresses where it lies below a domain of this registry."""
    return _about(
        HOST, "create", _named(HOST, host), *(_address(HOST, "addr", each) for each in addresses), client_id=client_id
    )


def host_update(host: Name, add: Iterable[str], remove: Iterable[str], client_id: str) -> bytes:
    """Changes a host's addresses."""
    parts = [_named(HOST, host)]
    for tag, addresses in (("add", list(add)), ("rem", list(remove))):
        if addresses:
            parts.append(element(HOST, tag, *(_address(HOST, "addr", each) for each in addresses)))
    return _about(HOST, "update", *parts, client_id=client_id)


def host_delete(host: Name, client_id: str) -> bytes:
    return _about(HOST, "delete", _named(HOST, host), client_id=client_id)


# Contacts


def contact_info(ident: str, client_id: str) -> bytes:
    return _about(CONTACT, "info", element(CONTACT, "id", text=ident), client_id=client_id)


def contact_create(contact: ContactData, client_id: str) -> bytes:
    place = element(
        CONTACT, "addr", element(CONTACT, "city", text=contact.city), element(CONTACT, "cc", text=contact.country)
    )
    whose = [element(CONTACT, "name", text=contact.name)]
    if contact.organisation:
        whose.append(element(CONTACT, "org", text=contact.organisation))
    postal = element(CONTACT, "postalInfo", *whose, place, type="int")
    secret = element(CONTACT, "authInfo", element(CONTACT, "pw", text=contact.code))
    mail = element(CONTACT, "email", text=contact.email)
    return _about(
        CONTACT, "create", element(CONTACT, "id", text=contact.ident), postal, mail, secret, client_id=client_id
    )


# Parts


def _about(space: str, verb: str, *parts: Any, client_id: str, extension: Any = None, **attributes: str) -> bytes:
    return _command(element(EPP, verb, element(space, verb, *parts), **attributes), client_id, extension)


def _command(said: Any, client_id: str, extension: Any = None) -> bytes:
    extensions = [element(EPP, "extension", extension)] if extension is not None else []
    return document(element(EPP, "command", said, *extensions, element(EPP, "clTRID", text=client_id)))


def _named(space: str, name: Name) -> Any:
    return element(space, "name", text=name_text(name))


def _years(years: int) -> Any:
    return element(DOMAIN, "period", text=str(years), unit="y")


def _code(code: str) -> list[Any]:
    return [element(DOMAIN, "authInfo", element(DOMAIN, "pw", text=code))] if code else []


def nameservers_element(hosts: Iterable[Name], by_attribute: bool, glue: Glue) -> Any:
    """Name servers as objects of their own or, at other registries, as attributes (RFC 5731 s1.1)."""
    if not by_attribute:
        return element(DOMAIN, "ns", *(element(DOMAIN, "hostObj", text=name_text(host)) for host in hosts))
    addresses = dict(glue)
    return element(
        DOMAIN,
        "ns",
        *(
            element(
                DOMAIN, "hostAttr", element(DOMAIN, "hostName", text=name_text(host)),
                *(_address(DOMAIN, "hostAddr", each) for each in addresses.get(host, ())),
            )
            for host in hosts
        ),
    )  # fmt: skip


def _address(space: str, tag: str, text: str) -> Any:
    return element(space, tag, text=text, ip="v6" if ":" in text else "v4")


def _ds_change(change: DomainChange) -> Any:
    """RFC 5910 s5.2.5: what goes first, then what comes; nothing where neither is given."""
    sides = (("rem", change.remove_ds, change.remove_keys), ("add", change.add_ds, change.add_keys))
    parts = [element(SECDNS, tag, *map(ds_data, ds), *map(key_data, keys)) for tag, ds, keys in sides if ds or keys]
    return element(SECDNS, "update", *parts) if parts else None


def key_data(rdata: bytes) -> Any:
    """A DNSKEY record as RFC 5910 s4.2 has it."""
    fields = (("flags", str(int.from_bytes(rdata[:2]))), ("protocol", str(rdata[2])), ("alg", str(rdata[3])))
    public = b64encode(rdata[4:]).decode()
    return element(SECDNS, "keyData", *(element(SECDNS, tag, text=text) for tag, text in (*fields, ("pubKey", public))))


def ds_data(rdata: bytes) -> Any:
    """A DS record as RFC 5910 s4.1 has it."""
    fields = (("keyTag", str(int.from_bytes(rdata[:2]))), ("alg", str(rdata[2])), ("digestType", str(rdata[3])))
    return element(
        SECDNS,
        "dsData",
        *(element(SECDNS, tag, text=text) for tag, text in (*fields, ("digest", rdata[4:].hex().upper()))),
    )
