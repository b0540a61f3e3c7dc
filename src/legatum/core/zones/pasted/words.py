"""Single words of pasted tables: record types, TTLs, headings, and what a provider calls its own kinds."""

import re

from legatum.core.calendar.duration import parse_duration
from legatum.core.records.name import is_address
from legatum.core.records.rrtype import MNEMONICS, TXT, parse_type
from legatum.core.running.fault import BadInput

SPF = 99
_NO_DATA = (
    "ANY",
    "AXFR",
    "IXFR",
    "OPT",
    "TSIG",
    "TKEY",
    "NULL",
    "KEY",
    "SIG",
    "URI",
    "PX",
    "RT",
)  # words that stand for other things
_TYPES = frozenset({*MNEMONICS.values(), "ANAME"} - set(_NO_DATA))
_OWN_KINDS = {
    "REDIRECT": "a redirect",
    "URL": "a redirect",
    "FORWARD": "a redirect",
    "FORWARDING": "a redirect",
    "WEBFORWARD": "a redirect",
    "URL REDIRECT": "a redirect",
    "FRAME": "a framed redirect",
    "PARKING": "a parking page",
    "PARKED": "a parking page",
    "WEBSITE": "a site of the provider's",
    "MAILFORWARD": "forwarding of mail",
    "EMAIL FORWARD": "forwarding of mail",
}
"""What is a service of a provider's, and no record: as people see it → in words."""
_ROLES = {
    "name": "name host hostname record subdomain label owner domain entry prefix",
    "type": "type rtype kind recordtype",
    "ttl": "ttl timetolive lifetime",
    "value": "value data content target pointsto destination address answer rdata points ipaddress result valueanswer",
    "priority": "priority prio pref preference mxpriority level distance mxlevel",
    "weight": "weight",
    "port": "port",
    "flags": "flag flags",
    "tag": "tag",
    "service": "service",
    "protocol": "protocol proto",
    "class": "class",
}
ROLE_OF = {word: role for role, words in _ROLES.items() for word in words.split()}
"""Heading, letters alone → what its column has."""
_AUTOMATIC = frozenset(("", "-", "–", "auto", "automatic", "default", "standard", "n/a", "none"))
_UNITS = {
    "s": 1,
    "sec": 1,
    "second": 1,
    "m": 60,
    "min": 60,
    "minute": 60,
    "h": 3600,
    "hr": 3600,
    "hour": 3600,
    "d": 86400,
    "day": 86400,
    "w": 604800,
    "week": 604800,
}
_COUNTS = {
    "half": 0.5,
    "half an": 0.5,
    "1/2": 0.5,
    "½": 0.5,
    "an": 1,
    "a": 1,
    "one": 1,
    "two": 2,
    "four": 4,
    "twelve": 12,
}
_LASTING = re.compile(
    r"(?P<count>[0-9]+(?:[.,][0-9]+)?|half(?: an?)?|1/2|½|an?|one|two|four|twelve)\s*(?P<unit>[a-z]+?)s?\b\.?", re.I
)


def is_type(word: str) -> bool:
    """As a table has it: a mnemonic, ``TYPE731``, or one of the providers' own kinds."""
    upper = word.strip().upper()
    return upper in _TYPES or upper in _OWN_KINDS or bool(re.fullmatch(r"TYPE[0-9]{1,5}", upper))


def own_kind(word: str) -> str:
    """What it is in words; empty for a record type."""
    return _OWN_KINDS.get(word.strip().upper(), "")


def type_number(word: str) -> int:
    """SPF is TXT (RFC 7208 s3.1). Raises :class:`BadInput`."""
    number = parse_type(word.strip())
    return TXT if number == SPF else number


def parse_ttl(word: str) -> int | None:
    """Seconds; None where the provider chooses. Raises :class:`BadInput`."""
    said = word.strip().lower()
    if said in _AUTOMATIC:
        return None
    try:
        return parse_duration(said.replace(" ", ""))
    except BadInput:
        parts = list(_LASTING.finditer(said))
        rest = _LASTING.sub("", said).replace("and", "").replace(",", "").strip()
        if not parts or rest or any(each["unit"].lower() not in _UNITS for each in parts):
            raise BadInput(f"'{word.strip()}' is no TTL", "write seconds, or a duration such as 1 hour") from None
        return sum(round(_count(each["count"].lower()) * _UNITS[each["unit"].lower()]) for each in parts)


def _count(text: str) -> float:
    return _COUNTS[text] if text in _COUNTS else float(text.replace(",", "."))


def is_ttl(word: str) -> bool:
    """It could be one: a number counts, and a word that leaves it to the provider."""
    try:
        parse_ttl(word)
    except BadInput:
        return False
    return True


def is_lasting(word: str) -> bool:
    """It can be nothing else than a TTL: not a mere number, nor nothing."""
    return is_ttl(word) and not word.strip().isdecimal() and word.strip() not in ("", "-", "–")


def is_number(word: str) -> bool:
    return word.strip().isdecimal() and int(word) < 65536


def is_ip(word: str) -> bool:
    return is_address(word.strip())


def role_of(heading: str) -> str:
    """What a column has by its heading; empty for one that tells nothing of a record."""
    letters = re.sub(r"[^a-z]", "", re.sub(r"\(.*?\)", "", heading.lower()))
    shorter = (letters, letters.removeprefix("record").removeprefix("dns"), letters.removesuffix("s"))
    return next((ROLE_OF[each] for each in shorter if each in ROLE_OF), "")
