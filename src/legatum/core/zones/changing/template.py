"""House templates: the records that a hosted domain gets, with variables, inherited and overridden."""

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from legatum.core.calendar.duration import parse_duration
from legatum.core.records.name import Name, is_under, name_text, typed_name
from legatum.core.records.presentation import typed_rdata
from legatum.core.records.rrset import RRset, rrset
from legatum.core.records.rrtype import CNAME, SOA, TXT, parse_type
from legatum.core.running.fault import BadInput
from legatum.core.zones.difference import Difference, zone_differences
from legatum.core.zones.zone import Zone

_VARIABLE = re.compile(r"\{([a-z][a-z0-9_]*)\}")
_DOMAIN = "domain"
_KEYS = {"title", "inherits", "ttl", "variables", "records", "ttls", "drop"}


@dataclass(frozen=True)
class Template:
    """``records``: (name, type) as written → data, with variables in braces; a type written ``TXT+`` gives records that
    stand among others, which stay. ``ttl``: as a duration, of all records, and ``ttls`` of single names; ``variables``:
    values that a domain need not give. ``drops``: inherited records that this one does not have."""

    name: str
    title: str = ""
    inherits: str = ""
    variables: Mapping[str, str] = field(default_factory=dict)
    records: Mapping[tuple[str, str], tuple[str, ...]] = field(default_factory=dict)
    ttl: str = ""
    ttls: Mapping[str, str] = field(default_factory=dict)
    drops: tuple[tuple[str, str], ...] = ()


@dataclass(frozen=True)
class Tenant:
    """One domain, its template and the values it gives."""

    domain: Name
    template: str
    values: Mapping[str, str]


def template_of(name: str, table: dict[str, Any]) -> Template:
    """From a table as it was read. Raises :class:`ValueError` for what it does not know, and as wrong shapes do."""
    if strange := sorted(table.keys() - _KEYS):
        raise ValueError(f"unknown key '{strange[0]}'; there are {', '.join(sorted(_KEYS))}")
    records = {}
    for owner, kinds in table.get("records", {}).items():
        for kind, data in kinds.items():
            if isinstance(data, dict):
                raise ValueError(
                    f'records.{owner}.{kind}: a name with a dot in it stands in quotation marks: "{owner}.{kind}" = …'
                )
            texts = (data,) if isinstance(data, str) else tuple(data)
            if not texts or not all(isinstance(text, str) for text in texts):
                raise ValueError(f"records.{owner}.{kind} wants a text or a list of texts")
            records[owner, kind.upper()] = texts
    drops = []
    for text in table.get("drop", ()):
        owner, _, kind = text.partition(" ")
        drops.append((owner, kind.strip().upper()))
    variables = {key: str(value) for key, value in table.get("variables", {}).items()}
    ttls = {key: str(value) for key, value in table.get("ttls", {}).items()}
    return Template(
        name,
        table.get("title", ""),
        table.get("inherits", ""),
        variables,
        records,
        str(table.get("ttl", "")),
        ttls,
        tuple(drops),
    )


def resolve(name: str, templates: Mapping[str, Template]) -> Template:
    """The template with everything that it inherits. Raises :class:`BadInput` for one that is not there, or inherits in
    a circle."""
    chain: list[Template] = []
    while name:
        if name not in templates:
            known = ", ".join(sorted(templates)) or "none"
            raise BadInput(
                f"no template '{name}'" + (f", which {chain[-1].name} inherits" if chain else ""), f"there are: {known}"
            )
        if any(each.name == name for each in chain):
            raise BadInput(f"template '{name}' inherits itself", f"by way of {', '.join(each.name for each in chain)}")
        chain.append(templates[name])
        name = chain[-1].inherits
    records: dict[tuple[str, str], tuple[str, ...]] = {}
    variables: dict[str, str] = {}
    ttls: dict[str, str] = {}
    ttl = ""
    for each in reversed(chain):
        for key in each.drops:
            if records.pop(key, None) is None:
                raise BadInput(
                    f"template '{each.name}' drops {' '.join(key)}, which it does not inherit", "take it out of `drop`"
                )
        records |= each.records
        variables |= each.variables
        ttls |= each.ttls
        ttl = each.ttl or ttl
    return Template(chain[0].name, chain[0].title, "", variables, records, ttl, ttls)


def variables_of(template: Template) -> set[str]:
    """The variables that its records use, but for ``domain``, which each domain has."""
    texts = [text for (name, _), data in template.records.items() for text in (name, *data)]
    return {variable for text in texts for variable in _VARIABLE.findall(text)} - {_DOMAIN}


class Demand(NamedTuple):
    """An RRset that a domain is to have. ``among``: other records of the set stay, but for texts of the same kind
    (``v=spf1 …``)."""

    rrset: RRset
    among: bool = False

    def met_in(self, zone: Zone) -> RRset:
        """The set as it should stand in a zone."""
        wanted = self.rrset
        present = zone.get(wanted.name, wanted.rtype)
        if not self.among or present is None:
            return wanted
        kinds = {_kind(rdata) for rdata in wanted.rdatas} - {b""} if wanted.rtype == TXT else set()
        kept = [rdata for rdata in present.rdatas if rdata in wanted.rdatas or not (kinds and _kind(rdata) in kinds)]
        return rrset(wanted.name, wanted.rtype, wanted.ttl, (*wanted.rdatas, *kept))


def _kind(rdata: bytes) -> bytes:
    """What a text begins with, such as ``v=spf1``; nothing where it is not of that form."""
    first = rdata[1 : 1 + rdata[0]].split(b" ")[0].split(b";")[0]
    return first.lower() if first.startswith(b"v=") else b""


def expand(template: Template, origin: Name, values: Mapping[str, str]) -> tuple[Demand, ...]:
    """What a domain gets. ``template``: resolved. Raises :class:`BadInput` for a variable without a value, one that the
    template does not have, and data that cannot be."""
    known = {**template.variables, **values, _DOMAIN: name_text(origin)}
    used = variables_of(template)
    if strange := sorted(values.keys() - used - template.variables.keys()):
        raise BadInput(
            f"template '{template.name}' has no variable '{strange[0]}'", f"it has {', '.join(sorted(used)) or 'none'}"
        )
    found = []
    for (name, kind), texts in template.records.items():
        what = f"template '{template.name}', {name} {kind}"
        owner, rtype = typed_name(_filled(name, known, what), origin), parse_type(kind.removesuffix("+"))
        if rtype == SOA or not is_under(owner, origin):
            raise BadInput(
                f"{what}: not a record that a template can give", "SOA is the provider's; names must be in the zone"
            )
        ttl = template.ttls.get(name) or template.ttl or "1h"
        filled = [_filled(text, known, what) for text in texts]
        try:
            data = [typed_rdata(rtype, text, origin) for text in filled]
        except BadInput as fault:
            raise BadInput(f"{what}: {fault.message}", fault.remedy) from None
        found.append(Demand(rrset(owner, rtype, parse_duration(ttl), data), kind.endswith("+")))
    return tuple(found)


def _filled(text: str, values: Mapping[str, str], what: str) -> str:
    missing = next((name for name in _VARIABLE.findall(text) if name not in values), None)
    if missing is not None:
        raise BadInput(
            f"{what}: no value for '{missing}'", f"give it with --set {missing}=…, in the list, or under [variables]"
        )
    return _VARIABLE.sub(lambda found: values[found[1]], text)


def drift(zone: Zone, demands: tuple[Demand, ...]) -> tuple[Difference, ...]:
    """Where a zone is not as its template says: the zone on the left. What the template does not speak of is nobody's
    business."""
    return zone_differences(zone, put_right(zone, demands))


def put_right(zone: Zone, demands: tuple[Demand, ...]) -> Zone:
    """The zone with the template's records; an alias gives way to them, and what stands beside an alias of the template
    does."""
    rrsets = [demand.met_in(zone) for demand in demands]
    keys = {(each.name, each.rtype) for each in rrsets}
    aliases = {name for name, rtype in keys if rtype == CNAME}
    names = {name for name, _ in keys}
    rivals = [
        (each.name, each.rtype)
        for each in zone.unsorted
        if (each.name, each.rtype) not in keys
        and (each.name in aliases or (each.rtype == CNAME and each.name in names))
    ]
    return zone.without(rivals).with_rrsets(rrsets)
