"""Registration data as RDAP's JSON tells it (RFC 9083 s5.3), in the registry's own words for statuses (RFC 8056)."""

import contextlib
import ipaddress
from collections.abc import Iterator
from typing import Any

from legatum.core.observation.observation import RegistrationView
from legatum.core.records.name import Name, parse_name
from legatum.core.running.fault import BadInput

_MOST = 64  # entries of one list that are looked at


def registration_from_rdap(document: dict[str, Any]) -> RegistrationView:
    """What is there is taken, what is missing or of another form is left out; nothing is raised."""
    return RegistrationView(
        registrar=_registrar(document),
        nameservers=tuple(sorted(_nameservers(document))),
        statuses=tuple(_status(str(each)) for each in _list(document, "status")),
        expires=_event(document, "expiration"),
        created=_event(document, "registration"),
        changed=_event(document, "last changed"),
        transferred=_event(document, "transfer"),
        ds=tuple(sorted(_ds(document))) if isinstance(document.get("secureDNS"), dict) else None,
    )


def host_addresses_from_rdap(document: dict[str, Any]) -> tuple[str, ...]:
    """The addresses of a nameserver object (RFC 9083 s5.2), sorted; what is none is left out."""
    said = document.get("ipAddresses")
    found = set()
    for text in (*_list(said, "v4"), *_list(said, "v6")):
        with contextlib.suppress(ValueError):
            found.add(str(ipaddress.ip_address(str(text))))
    return tuple(sorted(found))


def _list(document: Any, key: str) -> list[Any]:
    found = document.get(key) if isinstance(document, dict) else None
    return found[:_MOST] if isinstance(found, list) else []


def _nameservers(document: dict[str, Any]) -> Iterator[Name]:
    for each in _list(document, "nameservers"):
        with contextlib.suppress(BadInput):
            if isinstance(each, dict) and each.get("ldhName"):
                yield parse_name(str(each["ldhName"]).rstrip(".") + ".")


def _status(text: str) -> str:
    """``client transfer prohibited`` is ``clientTransferProhibited``; ``active`` is ``ok`` (RFC 8056 s2)."""
    if text == "active":
        return "ok"
    first, *others = text.split() or [""]
    return first + "".join(each.capitalize() for each in others)


def _event(document: dict[str, Any], action: str) -> str:
    for each in _list(document, "events"):
        if isinstance(each, dict) and each.get("eventAction") == action:
            return str(each.get("eventDate", ""))
    return ""


def _registrar(document: dict[str, Any]) -> str:
    for entity in _list(document, "entities"):
        if isinstance(entity, dict) and "registrar" in _list(entity, "roles"):
            card = entity.get("vcardArray")
            entries = card[1] if isinstance(card, list) and len(card) > 1 and isinstance(card[1], list) else []
            names = [
                str(each[3]) for each in entries[:_MOST] if isinstance(each, list) and len(each) > 3 and each[0] == "fn"
            ]
            return names[0] if names else str(entity.get("handle", ""))
    return ""


def _ds(document: dict[str, Any]) -> Iterator[bytes]:
    for each in _list(document.get("secureDNS"), "dsData"):
        with contextlib.suppress(KeyError, TypeError, ValueError, OverflowError):
            head = int(each["keyTag"]).to_bytes(2) + bytes((int(each["algorithm"]), int(each["digestType"])))
            yield head + bytes.fromhex(str(each["digest"]))


def forbids_updates(status: str) -> bool:
    """A status under which name servers and DS records cannot be changed (RFC 5731 s2.3)."""
    return "UpdateProhibited" in status or status == "pendingTransfer"
