"""EPP documents as XML, and the frames they travel in (RFC 5734 s4). Read without entities, document types or
network."""

import struct
from collections.abc import Iterable
from typing import Any

from lxml import etree

from legatum.core.records.name import Name, parse_name
from legatum.core.running.fault import BadInput
from legatum.wire.malformed import Malformed

EPP = "urn:ietf:params:xml:ns:epp-1.0"
DOMAIN = "urn:ietf:params:xml:ns:domain-1.0"
HOST = "urn:ietf:params:xml:ns:host-1.0"
CONTACT = "urn:ietf:params:xml:ns:contact-1.0"
SECDNS = "urn:ietf:params:xml:ns:secDNS-1.1"
RGP = "urn:ietf:params:xml:ns:rgp-1.0"
MAX_FRAME = 1 << 20
NAMESPACES = {"e": EPP, "d": DOMAIN, "h": HOST, "c": CONTACT, "s": SECDNS, "r": RGP}


def frame(document: bytes) -> bytes:
    """With the length in front, itself included."""
    return struct.pack("!I", len(document) + 4) + document


def frame_length(head: bytes) -> int:
    """Octets that follow the four of ``head``. Raises :class:`Malformed` for a length nobody sends."""
    (total,) = struct.unpack("!I", head)
    if not 4 < total <= MAX_FRAME:
        raise Malformed(f"a frame of {total} octets")
    return int(total) - 4


# Writing


def element(namespace: str, tag: str, *children: Any, text: str | None = None, **attributes: str) -> Any:
    """The namespace without a prefix."""
    space: Any = {None: namespace}
    made = etree.Element(f"{{{namespace}}}{tag}", nsmap=space, attrib=attributes)
    made.text = text
    made.extend(children)
    return made


def document(child: Any) -> bytes:
    return etree.tostring(element(EPP, "epp", child), xml_declaration=True, encoding="UTF-8", standalone=False)


# Reading


def body(text: bytes) -> Any:
    """What stands in the ``epp`` element. Raises :class:`Malformed`."""
    parser = etree.XMLParser(
        resolve_entities=False, no_network=True, load_dtd=False, huge_tree=False, remove_comments=True
    )
    try:
        root = etree.fromstring(text, parser)
    except etree.XMLSyntaxError as error:
        raise Malformed(f"no well-formed XML: {error}") from error
    tree: Any = root.getroottree()
    if tree.docinfo.doctype or root.tag != f"{{{EPP}}}epp" or not len(root):
        raise Malformed("no EPP document")
    return root[0]


def find(parent: Any, path: str) -> Any:
    return parent.find(path, NAMESPACES) if parent is not None else None


def all_of(parent: Any, path: str) -> Iterable[Any]:
    return parent.findall(path, NAMESPACES) if parent is not None else ()


def texts(parent: Any, path: str) -> tuple[str, ...]:
    return tuple((found.text or "").strip() for found in all_of(parent, path))


def text(parent: Any, path: str) -> str:
    return next(iter(texts(parent, path)), "")


def statuses(parent: Any, path: str) -> tuple[str, ...]:
    return tuple(found.get("s", "") for found in all_of(parent, path))


def names(parent: Any, path: str) -> tuple[Name, ...]:
    return tuple(sorted(name(each) for each in texts(parent, path)))


def name(given: str) -> Name:
    """Raises :class:`Malformed` for what is no name."""
    try:
        return parse_name(given.rstrip(".") + ".")
    except BadInput as error:
        raise Malformed(f"a name that is none: {error.message}") from error


def name_at(parent: Any, path: str) -> Name | None:
    given = text(parent, path)
    return name(given) if given else None


def number(given: str) -> int:
    """0 for what is no number."""
    return int(given) if given.isdecimal() and len(given) < 10 else 0
