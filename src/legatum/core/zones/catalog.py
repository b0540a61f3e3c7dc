"""Catalog zones (RFC 9432): a zone that tells secondaries which zones to serve."""

import hashlib
from collections.abc import Iterable

from legatum.core.records.name import Name, below, is_under, name_text
from legatum.core.records.presentation import txt_rdata
from legatum.core.records.rrset import rrset, targets
from legatum.core.records.rrtype import PTR, TXT
from legatum.core.running.fault import BadInput
from legatum.core.zones.zone import Zone

_VERSION = (txt_rdata("2"),)


def members_of(catalog: Zone) -> dict[Name, Name]:
    """Member zone → its node in the catalog (s4.1). Raises :class:`BadInput` for a zone that is no catalog of version
    2."""
    version = catalog.get(below("version", catalog.origin), TXT)
    if version is None or version.rdatas != _VERSION:
        raise BadInput(
            f"{name_text(catalog.origin)} is no catalog zone of version 2", 'it needs the record: version TXT "2"'
        )
    nodes = below("zones", catalog.origin)
    return {
        targets(each)[0]: each.name for each in catalog.unsorted if each.rtype == PTR and is_under(each.name, nodes)
    }


def with_members(catalog: Zone, domains: Iterable[Name], group: str = "") -> Zone:
    """The catalog with these members too, in a group if one is given (s4.3.2); the same where all are so already.

    The label of a node is made from the domain (s4.1).
    """
    present, wanted = members_of(catalog), []
    for domain in domains:
        node = present.get(domain) or _node(catalog.origin, domain)
        wanted.append(rrset(node, PTR, 0, [domain]))
        if group:
            wanted.append(rrset(below("group", node), TXT, 0, [txt_rdata(group)]))
    return (
        catalog if all(catalog.get(each.name, each.rtype) == each for each in wanted) else catalog.with_rrsets(wanted)
    )


def without_member(catalog: Zone, domain: Name) -> Zone:
    """The catalog without a domain, and without what stands below its node."""
    node = members_of(catalog).get(domain)
    if node is None:
        return catalog
    return catalog.without((each.name, each.rtype) for each in catalog.unsorted if is_under(each.name, node))


def _node(catalog: Name, domain: Name) -> Name:
    return below(hashlib.sha256(domain).hexdigest()[:32], below("zones", catalog))
