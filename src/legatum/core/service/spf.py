"""Whether SPF lets an address send for a domain (RFC 7208), and how many look-ups that costs.

Sans I/O: :func:`check_host` goes as far as what is *known* reaches, and names what it would have to look up next.
Whoever has the network looks that up and calls again. Macros are not expanded: such a mechanism is counted and taken
for *no match*, and the result says so.
"""

from collections.abc import Mapping
from contextlib import suppress
from dataclasses import dataclass, field
from enum import StrEnum
from ipaddress import ip_address, ip_network

from legatum.core.records.address import address_text
from legatum.core.records.name import ROOT, Name, name_text, parse_name
from legatum.core.records.rrset import RRset, strings_of, targets
from legatum.core.records.rrtype import AAAA, MX, TXT, A
from legatum.core.running.fault import BadInput

MOST_LOOKUPS, MOST_VOID = 10, 2
_MOST_MX = 10
_DEEPEST = 12
Known = Mapping[tuple[Name, int], RRset | None]


class Result(StrEnum):
    """RFC 7208 s2.6."""

    NONE = "none"
    PASS = "pass"
    FAIL = "fail"
    SOFTFAIL = "softfail"
    NEUTRAL = "neutral"
    BROKEN = "permerror"


_QUALIFIERS = {"+": Result.PASS, "-": Result.FAIL, "~": Result.SOFTFAIL, "?": Result.NEUTRAL}


@dataclass
class Checked:
    """``missing``: names and types to be looked up before there is a result; ``lookups``, ``void``: as RFC 7208 s4.6.4
    counts them; ``why``: of a broken record; ``by``: the mechanism that decided; ``unread``: mechanisms with macros."""

    result: Result = Result.NONE
    missing: set[tuple[Name, int]] = field(default_factory=set)
    lookups: int = 0
    void: int = 0
    why: str = ""
    by: str = ""
    unread: list[str] = field(default_factory=list)


class _Broken(Exception):
    """It cannot be worked out; why."""


def spf_texts(rrset: RRset | None) -> list[str]:
    """The SPF records of a TXT set, their strings run together."""
    texts = [b"".join(strings_of(rdata)).decode("latin-1") for rdata in (rrset.rdatas if rrset else ())]
    return [text for text in texts if text.lower() == "v=spf1" or text.lower().startswith("v=spf1 ")]


def check_host(address: str, domain: Name, known: Known) -> Checked:
    """``known``: name and type → what was found there, None for nothing. Complete where nothing is ``missing``."""
    checked = Checked()
    try:
        checked.result = _check(address, domain, known, checked, 0)
    except _Broken as broken:
        checked.result, checked.why = Result.BROKEN, str(broken)
    if not checked.missing and checked.lookups > MOST_LOOKUPS:
        checked.result, checked.why = Result.BROKEN, f"{checked.lookups} look-ups, and receivers stop at {MOST_LOOKUPS}"
    return checked


def _check(address: str, domain: Name, known: Known, checked: Checked, depth: int) -> Result:
    if depth > _DEEPEST:
        raise _Broken(f"{name_text(domain)} includes itself")
    records = spf_texts(_look(domain, TXT, known, checked, void=False))
    if (domain, TXT) in checked.missing or not records:
        return Result.NONE
    if len(records) > 1:
        raise _Broken(f"{name_text(domain)} has {len(records)} SPF records")
    redirect = ""
    for word in records[0].split()[1:]:
        if word.lower().startswith("redirect="):
            redirect = word.partition("=")[2]
        if "=" in word.split(":", 1)[0]:
            continue
        qualifier = word[0] if word[0] in _QUALIFIERS else "+"
        if _matches(word.lstrip("+-~?"), address, domain, known, checked, depth):
            checked.by = word if depth == 0 else checked.by or word
            return _QUALIFIERS[qualifier]
    if not redirect:
        return Result.NEUTRAL
    checked.lookups += 1
    if "%" in redirect:
        checked.unread.append(f"redirect={redirect}")
        return Result.NEUTRAL
    result = _check(address, _named(redirect), known, checked, depth + 1)
    if result == Result.NONE and not checked.missing:
        raise _Broken(f"redirect to {redirect}, which has no SPF record")
    return result


def _matches(word: str, address: str, domain: Name, known: Known, checked: Checked, depth: int) -> bool:
    """Raises :class:`_Broken`."""
    kind, _, rest = word.partition(":")
    kind, _, bits = kind.partition("/") if not rest else (kind, "", "")
    kind = kind.lower()
    if kind == "all":
        return True
    if kind in ("ip4", "ip6"):
        try:
            network = ip_network(rest, strict=False)
        except ValueError:
            raise _Broken(f"{word}: no network") from None
        place = ip_address(address)
        return place.version == network.version and place in network
    if kind not in ("a", "mx", "include", "exists", "ptr"):
        raise _Broken(f"{word}: no mechanism")
    checked.lookups += 1
    if "%" in rest or kind in ("exists", "ptr"):
        checked.unread.append(word)
        return False
    if kind == "include":
        inner = _check(address, _named(rest), known, checked, depth + 1)
        if inner == Result.NONE and not checked.missing:
            raise _Broken(f"it includes {rest}, which has no SPF record")
        return inner == Result.PASS
    target, _, lengths = rest.partition("/") if rest else ("", "", bits)
    return _stands_at(kind, _named(target) if target else domain, lengths, address, known, checked)


def _stands_at(kind: str, name: Name, lengths: str, address: str, known: Known, checked: Checked) -> bool:
    four, _, six = (
        lengths.partition("//")
        if "//" in lengths
        else (lengths, "", "")
        if not lengths.startswith("/")
        else ("", "", lengths[1:])
    )
    rtype = AAAA if ":" in address else A
    hosts = [name]
    if kind == "mx":
        found = _look(name, MX, known, checked)
        hosts = [host for host in targets(found) if host != ROOT]
        if len(hosts) > _MOST_MX:
            raise _Broken(f"{name_text(name)} has more than {_MOST_MX} mail servers")
    length = (six or "128") if rtype == AAAA else (four or "32")
    for host in hosts:
        addresses = _look(host, rtype, known, checked, void=kind == "a")
        for rdata in addresses.rdatas if addresses else ():
            try:
                network = ip_network(f"{address_text(rdata)}/{length}", strict=False)
            except ValueError:
                raise _Broken(f"/{lengths}: no length of a network") from None
            if ip_address(address) in network:
                return True
    return False


def _look(name: Name, rtype: int, known: Known, checked: Checked, void: bool = True) -> RRset | None:
    if (name, rtype) not in known:
        checked.missing.add((name, rtype))
        return None
    found = known[name, rtype]
    checked.void += void and found is None
    return found


def _named(text: str) -> Name:
    try:
        return parse_name(text.rstrip(".") + ".")
    except BadInput:
        raise _Broken(f"{text}: no name") from None


def listed_addresses(rrset: RRset | None) -> frozenset[str]:
    """Single addresses that the SPF records of a TXT set list by themselves, in canonical form (RFC 7208 s5.6)."""
    found = set()
    for text in spf_texts(rrset):
        for word in text.split()[1:]:
            kind, _, rest = word.lstrip("+").partition(":")
            if kind.lower() in ("ip4", "ip6"):
                with suppress(ValueError):
                    network = ip_network(rest, strict=False)
                    found |= {str(network.network_address)} if network.num_addresses == 1 else set()
    return frozenset(found)
