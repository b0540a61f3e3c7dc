"""Domain names as wire bytes in lower case (RFC 1035 s3.1, RFC 4034 s6.2).

A name is the bytes that stand in a message without compression: length octet, label, …, zero octet. Two names are equal
when their bytes are equal, so sets and dictionaries of names just work. Length octets are at most 63, below every
letter, so lowering the whole byte string lowers only the labels.
"""

import re
from typing import NewType

from legatum.core.running.fault import BadInput

Name = NewType("Name", bytes)

ROOT = Name(b"\0")
MAX_NAME = 255
MAX_LABEL = 63

_PLAIN = frozenset(b"abcdefghijklmnopqrstuvwxyz0123456789-_*/+=:,@#!&%^~'?<>[]{}|` ")
_SHOWN = frozenset(b"abcdefghijklmnopqrstuvwxyz0123456789-_*/+=:,#!&%^~?<>[]{}|")
_SHOWN_OCTETS = bytes(sorted(_SHOWN))
_OF_DOMAINS = b"abcdefghijklmnopqrstuvwxyz0123456789-_/"
_USUAL = re.compile(r"[A-Za-z0-9_-]{1,63}(?:\.[A-Za-z0-9_-]{1,63})*+\.?")
_LENGTHS = [bytes((length,)) for length in range(MAX_LABEL + 1)]


def parse_name(text: str, origin: Name = ROOT) -> Name:
    """The name that ``text`` spells: with or without final dot, IDN in U- or A-form, ``\\DDD`` escapes.

    A name without final dot is completed with ``origin``. Raises :class:`BadInput` for what is no name (RFC 1035
    s2.3.4, RFC 5891 for labels that are not ASCII).
    """
    if text == ".":
        return ROOT
    if text == "@" and origin != ROOT:
        return origin
    if not text:
        raise BadInput("an empty text is no domain name", "give a name such as kilnandclay.example")
    absolute = text.endswith(".") and not text.endswith("\\.")
    spelled = text[:-1] if absolute else text
    labels = (
        spelled.encode().split(b".") if _USUAL.fullmatch(text) else [_label(part, text) for part in _split(spelled)]
    )
    wire = b"".join([_LENGTHS[len(label)] + label for label in labels])
    whole = wire + (b"\0" if absolute else origin)
    if len(whole) > MAX_NAME:
        raise BadInput(f"'{text[:40]}'… is no domain name: longer than {MAX_NAME} octets")
    return Name(whole.lower())


def _split(text: str) -> list[str]:
    parts, current, escaped = [], "", False
    for character in text:
        if character in ".。" and not escaped:
            parts.append(current)
            current = ""
            continue
        current += character
        escaped = character == "\\" and not escaped
    return [*parts, current]


def _label(part: str, whole: str) -> bytes:
    if not part:
        raise BadInput(
            f"'{whole}' is no domain name: it has an empty label", "look for two dots in a row or a dot at the start"
        )
    raw = _idn_label(part, whole) if not part.isascii() else _unescape(part, whole)
    if len(raw) > MAX_LABEL:
        raise BadInput(f"'{whole[:80]}' is no domain name: the label '{part[:20]}'… is longer than {MAX_LABEL} octets")
    return raw


def _idn_label(part: str, whole: str) -> bytes:
    import idna  # big tables: only for names that need them

    try:
        return idna.encode(part, uts46=True)
    except idna.IDNAError as error:
        raise BadInput(f"'{whole}' is no domain name: {error}") from error


def _unescape(part: str, whole: str) -> bytes:
    out = bytearray()
    at = 0
    while at < len(part):
        if part[at] != "\\":
            code = ord(part[at])
            if code not in _PLAIN and not 65 <= code <= 90:
                raise BadInput(f"'{whole}' is no domain name: '{part[at]}' cannot stand in it")
            out.append(code)
            at += 1
        elif part[at + 1 : at + 4].isdigit() and len(part) >= at + 4 and int(part[at + 1 : at + 4]) < 256:
            out.append(int(part[at + 1 : at + 4]))
            at += 4
        elif at + 1 < len(part) and not part[at + 1].isdigit():
            out.append(ord(part[at + 1]))
            at += 2
        else:
            raise BadInput(
                f"'{whole}' is no domain name: a backslash must be followed by a character or three digits below 256"
            )
    return bytes(out)


def is_address(text: str) -> bool:
    """IPv4 or IPv6 as people write it."""
    if ":" not in text and not text.rstrip(".").replace(".", "").isdigit():
        return False
    import ipaddress

    try:
        return bool(ipaddress.ip_address(text.strip("[]").rstrip(".")))
    except ValueError:
        return False


_PAGE = re.compile(r"\s*https?://(?:[^/?#@]*@)?([^/?#:@]+)(?::[0-9]*)?(?:[/?#]|\s*$)", re.IGNORECASE)


def parse_domain(text: str) -> Name:
    """A name that can be registered or delegated: what a user gives as DOMAIN. Letters, digits, hyphens, underscores,
    dots. Of the address of a page its host is meant."""
    if page := _PAGE.match(text):
        text = page[1]
    if is_address(text):
        raise BadInput(
            f"{text} is an address, not a domain", "give the domain that is meant, such as kilnandclay.example"
        )
    name = parse_name(text if text.endswith(".") else text + ".")
    if name == ROOT:
        raise BadInput("the root is no customer domain", "give a name such as kilnandclay.example")
    for label in labels_of(name):
        if label.translate(None, _OF_DOMAINS):
            strange = "".join(
                dict.fromkeys(chr(octet) for octet in label.translate(None, _OF_DOMAINS) if 32 < octet < 127)
            )
            said = f"'{strange}' cannot stand in it" if strange else "a character of it can stand in none"
            said = "a space cannot stand in it" if " " in text.strip() else said
            raise BadInput(f"'{text}' is no domain: {said}")
    return name


def typed_name(text: str, domain: Name) -> Name:
    """The name that a person means where ``domain`` is what is worked on: ``@`` is its apex; a final dot makes a name
    whole; a name that ends in the domain, or is it, is whole too; anything else is relative to the domain. The one rule
    for all that is typed; master files have the standard's own. Raises :class:`BadInput`.
    """
    if text == "@":
        return domain
    whole = parse_name(text if text.endswith(".") and not text.endswith("\\.") else text + ".")
    if text.endswith(".") and not text.endswith("\\."):
        return whole
    return whole if is_under(whole, domain) else parse_name(text, domain)


def typed_host(text: str, domain: Name) -> Name:
    """The name of a server: whole as any domain that is typed, for most servers stand elsewhere; a single label is one
    of ``domain``'s."""
    return parse_domain(text) if "." in text.rstrip(".") or text.endswith(".") else typed_name(text, domain)


def labels_of(name: Name) -> list[bytes]:
    """The labels from left to right, without the root label."""
    labels, at = [], 0
    while length := name[at]:
        labels.append(name[at + 1 : at + 1 + length])
        at += length + 1
    return labels


def from_labels(labels: list[bytes]) -> Name:
    """The absolute name with these labels, left to right."""
    return Name(b"".join(bytes((len(label),)) + label for label in labels) + b"\0")


def name_text(name: Name) -> str:
    """The name for people and documents: no final dot (the root is ``.``), anything unprintable as ``\\DDD``."""
    return ".".join(_label_text(label) for label in labels_of(name)) or "."


def file_name(name: Name) -> str:
    """The name as part of a file's name: nothing in it leads to another folder, and no two names have the same."""
    return "".join(each if each.isalnum() or each in "-._" else f"%{ord(each):02X}" for each in name_text(name))


def absolute_text(name: Name) -> str:
    """The name as master files and forms want it: with final dot."""
    return "." if name == ROOT else name_text(name) + "."


def unicode_text(name: Name) -> str:
    """The name with its IDN labels in U-form, where that differs from :func:`name_text` and can be decoded; else the
    same."""
    plain = name_text(name)
    if "xn--" not in plain:
        return plain
    import idna

    try:
        return idna.decode(plain)
    except (idna.IDNAError, UnicodeError):
        return plain


def _label_text(label: bytes) -> str:
    if not label.translate(None, _SHOWN_OCTETS):
        return label.decode()
    return "".join(chr(octet) if octet in _SHOWN else f"\\{octet:03d}" for octet in label)


def parent_of(name: Name) -> Name:
    """The name without its leftmost label. The root is its own parent."""
    return name if name == ROOT else Name(name[name[0] + 1 :])


def ancestors(name: Name) -> list[Name]:
    """The name itself, its parent, … , the root."""
    chain = [name]
    while chain[-1] != ROOT:
        chain.append(parent_of(chain[-1]))
    return chain


def is_under(name: Name, ancestor: Name) -> bool:
    """Whether ``name`` is ``ancestor`` or below it."""
    if not name.endswith(ancestor):
        return False
    at, boundary = 0, len(name) - len(ancestor)
    while at < boundary:
        at += name[at] + 1
    return at == boundary


def canonical_key(name: Name) -> bytes:
    """Sorts names in canonical DNS order (RFC 4034 s6.1): labels from the right, each ended by an octet that sorts
    before all others."""
    labels = labels_of(name)
    labels.reverse()
    if b"\0" in b"".join(labels) or b"\1" in b"".join(labels):
        labels = [label.replace(b"\1", b"\1\2").replace(b"\0", b"\1\1") for label in labels]
    return b"\0".join(labels)


def below(label: str, name: Name) -> Name:
    """The name with one more label in front."""
    raw = label.lower().encode()
    return Name(bytes((len(raw),)) + raw + name)
