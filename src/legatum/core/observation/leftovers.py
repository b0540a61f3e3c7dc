"""What was left behind: things that were set up for a domain once, and that nothing uses any more.

Each is told with why it is thought so, and whether that is sure. What nobody can know from here - who still wants a
verification text - is told as a doubt, and never taken away by itself.
"""

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

from legatum.core.dnssec.key import ds_texts, fits, parse_ds
from legatum.core.memory.history import Act, before_and_after
from legatum.core.observation.observation import Observation
from legatum.core.records.address import address_text
from legatum.core.records.name import Name, is_under, name_text, parse_name
from legatum.core.records.presentation import rdata_texts
from legatum.core.records.rrset import RRset, names_in, rrset, strings_of, targets
from legatum.core.records.rrtype import AAAA, NS, SOA, TXT, A, type_text
from legatum.core.zones.zone import Zone

_VERIFIES = re.compile(r"(verif|site-check|domain-check|ownership|validation)[\w-]*\s*[=:]", re.IGNORECASE)
_CHALLENGE = b"\x0f_acme-challenge"


class LeftoverKind(StrEnum):
    """What sort of thing it is."""

    ZONE = "old zone"
    HOST = "host at the registry"
    NS_NAME = "NS name"
    DS = "DS record"
    ADDRESS = "address"
    TEXT = "verification text"
    TEMPLATE = "record of another template"


@dataclass(frozen=True, slots=True)
class Leftover:
    """``where``: a provider, the registrar, the parent, or the zone; ``sure``: nothing can use it; ``before`` and
    ``after``: of the RRset in the zone that goes, or becomes less; ``host``: at the registry, with ``addresses``;
    ``remedy``: where it is not taken by a move."""

    kind: LeftoverKind
    what: str
    where: str
    why: str
    sure: bool
    before: RRset | None = None
    after: RRset | None = None
    host: Name | None = None
    addresses: tuple[str, ...] = ()
    remedy: str = ""


@dataclass(frozen=True)
class KnownToHouse:
    """What is known beside the observation. ``zone``: as it is served; ``former``: providers that still serve the
    domain, and are not led to; ``hosts``: those of the registry below the domain, with addresses, None where nobody was
    asked; ``once_named``: hosts that its NS sets had once; ``acts``: from the journal; ``first_seen``: since when an
    RRset is as it is; ``of_templates``: template → RRsets that only it gives, where the domain's own is known."""

    zone: Zone
    former: Mapping[str, RRset | None]
    hosts: Mapping[Name, tuple[str, ...]] | None = None
    once_named: frozenset[Name] = frozenset()
    acts: Sequence[Act] = ()
    first_seen: Mapping[tuple[Name, int], float] | None = None
    of_templates: Mapping[str, Sequence[RRset]] | None = None


def leftovers(observation: Observation, known: KnownToHouse, registrar: str) -> list[Leftover]:
    """In the order in which they are taken away."""
    found = [*_texts(observation, known), *_addresses(observation, known), *_of_templates(known)]
    return [
        *found,
        *_hosts(observation, known, registrar),
        *_names(observation),
        *_ds(observation),
        *_zones(observation, known),
    ]


def cleared(found: Iterable[Leftover]) -> list[tuple[RRset, RRset | None]]:
    """What becomes of each RRset of the zone when all of these go: before and after."""
    changed: dict[tuple[Name, int], tuple[RRset, RRset | None]] = {}
    for each in found:
        if each.before is None:
            continue
        key = (each.before.name, each.before.rtype)
        gone = set(each.before.rdatas) - set(each.after.rdatas if each.after else ())
        before, left = changed.get(key, (each.before, each.before))
        kept = [rdata for rdata in (left.rdatas if left else ()) if rdata not in gone]
        changed[key] = (before, rrset(*key, before.ttl, kept) if kept else None)
    return list(changed.values())


def _zones(observation: Observation, known: KnownToHouse) -> Iterable[Leftover]:
    for place in known.former:
        why = f"{place} still answers for it, and neither the parent nor the zone leads there"
        yield Leftover(LeftoverKind.ZONE, name_text(observation.domain), place, why, True)


def _hosts(observation: Observation, known: KnownToHouse, registrar: str) -> Iterable[Leftover]:
    named = {*observation.delegation, *observation.own_ns}
    for host, addresses in (known.hosts or {}).items():
        if host not in named:
            listed = ", ".join(addresses) or "no address"
            yield Leftover(
                LeftoverKind.HOST,
                name_text(host),
                registrar,
                f"it has {listed}, and the domain's own NS sets do not name it",
                True,
                host=host,
                addresses=addresses,
            )


def _names(observation: Observation) -> Iterable[Leftover]:
    parent, own = set(observation.delegation), set(observation.own_ns)
    if not own:
        return
    for where, names in (("the parent", parent - own), ("the zone", own - parent)):
        for name in sorted(names):
            other = "the zone" if where == "the parent" else "the parent"
            remedy = (
                f"`legatum registration nameservers {name_text(observation.domain)} --to PROVIDER` sets the whole set"
            )
            yield Leftover(
                LeftoverKind.NS_NAME, name_text(name), where, f"{other} does not name it", False, remedy=remedy
            )


def _ds(observation: Observation) -> Iterable[Leftover]:
    keys = {rdata for view in observation.serving if view.keys for rdata in view.keys.rdatas}
    unknown = any(view.keys is None and view.keys_asked for view in observation.serving) and bool(keys)
    for rdata in observation.ds:
        ds = parse_ds(rdata)
        if ds is not None and not any(fits(observation.domain, ds, key) for key in keys):
            domain = name_text(observation.domain)
            remedy = f"`legatum ds withdraw {domain}`, or, where others fit, `legatum ds exchange {domain}`"
            yield Leftover(
                LeftoverKind.DS,
                ds_texts([rdata])[0],
                "the parent",
                "it fits no key that a server publishes",
                not unknown,
                remedy=remedy,
            )


def _addresses(observation: Observation, known: KnownToHouse) -> Iterable[Leftover]:
    """Addresses of name servers that were, and records that still have an address which others have left."""
    zone, named = known.zone, {*observation.delegation, *observation.own_ns, *targets(known.zone.apex_ns)}
    used = {
        name
        for each in zone
        for rdata in each.rdatas
        for name in names_in(each.rtype, rdata)
        if each.rtype not in (NS, SOA)
    }
    for host in sorted(known.once_named - named):
        for rtype in (A, AAAA):
            present = zone.get(host, rtype)
            if present is not None and is_under(host, zone.origin):
                why = "it was a name server's, and no NS set names that any more"
                sure = host not in used
                yield Leftover(
                    LeftoverKind.ADDRESS, f"{name_text(host)} {type_text(rtype)}", "the zone", why, sure, before=present
                )
    left = _left_addresses(known.acts)
    for each in zone:
        for rdata in each.rdatas if each.rtype in (A, AAAA) and each.name not in known.once_named else ():
            address = address_text(rdata)
            if address in left:
                kept = [other for other in each.rdatas if other != rdata]
                after = rrset(each.name, each.rtype, each.ttl, kept) if kept else None
                why = f"{left[address]} has left this address"
                yield Leftover(
                    LeftoverKind.ADDRESS,
                    f"{name_text(each.name)} {each.type_text} {address}",
                    "the zone",
                    why,
                    False,
                    each,
                    after,
                )


def _left_addresses(acts: Sequence[Act]) -> dict[str, str]:
    """Address → whose it was, of those that were replaced and are nobody's by what was done."""
    changed = [each for each in before_and_after(acts) if each.what.endswith((" A", " AAAA"))]
    now = {address for each in changed for address in _listed(each.after)}
    return {
        address: each.what.rpartition(" ")[0]
        for each in changed
        for address in _listed(each.before)
        if address not in now
    }


def _listed(text: str) -> list[str]:
    return re.sub(r"^\d+ ", "", text).split(" | ") if text else []


def _texts(observation: Observation, known: KnownToHouse) -> Iterable[Leftover]:
    for each in known.zone:
        if each.rtype != TXT:
            continue
        proves = each.name.startswith(_CHALLENGE)
        for rdata in each.rdatas:
            text = b"".join(strings_of(rdata)).decode("latin-1")
            if proves or _VERIFIES.search(text):
                kept = [other for other in each.rdatas if other != rdata]
                after = rrset(each.name, each.rtype, each.ttl, kept) if kept else None
                since = (known.first_seen or {}).get((each.name, each.rtype))
                old = proves and since is not None and observation.at - since > 86400
                why = (
                    "an authority looks at it once, and it is here for more than a day"
                    if old
                    else "an authority looks at it once"
                    if proves
                    else "some service looked at it once, or still does: ask whose it is"
                )
                shown = rdata_texts(each)[each.rdatas.index(rdata)]
                yield Leftover(LeftoverKind.TEXT, f"{name_text(each.name)} {shown}", "the zone", why, old, each, after)


def _of_templates(known: KnownToHouse) -> Iterable[Leftover]:
    for template, sets in (known.of_templates or {}).items():
        for each in sets:
            present = known.zone.get(each.name, each.rtype)
            if present is not None and present.rdatas == each.rdatas:
                why = f"the template {template} gives it, and the domain has another one"
                yield Leftover(
                    LeftoverKind.TEMPLATE,
                    f"{name_text(each.name)} {each.type_text}",
                    "the zone",
                    why,
                    True,
                    before=present,
                )


def hosts_in(data: Iterable[str]) -> frozenset[Name]:
    """The names in remembered NS sets."""
    return frozenset(parse_name(word) for text in data for word in text.split())
