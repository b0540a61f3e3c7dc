"""What servers are known to refuse, or to pass over, in a change that is well-formed (measured, and RFC 2136 s3.4.2).

Asked only once a server has said no, so that the answer to *why* is more than its response code.
"""

from collections.abc import Collection, Iterator

from legatum.core.records.name import Name, is_under, name_text
from legatum.core.records.rrset import LARGEST_TTL, targets
from legatum.core.records.rrtype import AAAA, CDNSKEY, CDS, CNAME, DNAME, DNSKEY, DS, MX, NS, A, type_text
from legatum.core.zones.signer import PROOFS
from legatum.core.zones.zone import Zone

_MOST_RECORDS = 100  # in an RRset, on BIND unless it is told otherwise
_MOST_TOLD = 4


def particulars(wanted: Zone, keys: Collection[tuple[Name, int]]) -> list[str]:
    """What of the changed RRsets servers are particular about, a sentence each; empty where nothing is known against
    them."""
    return list(dict.fromkeys(text for key in sorted(keys) for text in _about(wanted, *key)))[:_MOST_TOLD]


def _about(wanted: Zone, name: Name, rtype: int) -> Iterator[str]:
    rrset = wanted.get(name, rtype)
    where = f"{name_text(name)} {type_text(rtype)}"
    if rtype in PROOFS:
        yield f"{where}: only a signer makes that"
    if rtype == DNSKEY:
        yield f"{where}: BIND takes no keys by update"
    if rtype in (CDS, CDNSKEY):
        yield f"{where}: BIND takes it only where it fits a key of the zone"
    if rtype == DS and name == wanted.origin:
        yield f"{where}: a DS belongs into the zone above"
    if rrset is None:
        yield from _left_without_address(wanted, name, rtype)
        return
    if len(rrset.rdatas) > _MOST_RECORDS:
        yield (
            f"{where} would have {len(rrset.rdatas)} records: BIND takes {_MOST_RECORDS} in one set unless "
            "its settings allow more"
        )
    if rrset.ttl > LARGEST_TTL:
        yield f"{where}: a TTL of {rrset.ttl} is more than the standard allows (RFC 2181 s8)"
    if rtype in (MX, NS):
        for target in targets(rrset):
            if wanted.get(target, CNAME) is not None:
                yield f"{where} leads to {name_text(target)}, which is an alias: BIND refuses that"
            elif is_under(target, wanted.origin) and not any(wanted.get(target, each) for each in (A, AAAA)):
                yield f"{where} leads to {name_text(target)}, which has no address in the zone: BIND refuses that"
    beside = [each.type_text for each in wanted.at(name) if each.rtype not in PROOFS]
    if CNAME in {each.rtype for each in wanted.at(name)} and len(beside) > 1:
        yield (
            f"{name_text(name)} would be an alias beside other data ({', '.join(sorted(beside))}): no server takes that"
        )
    if rtype == DNAME and any(each != name and each.endswith(name) for each in wanted.names):
        yield f"{where}: names below it stand in the zone, which a DNAME does not allow (RFC 6672 s2.4)"


def _left_without_address(wanted: Zone, name: Name, rtype: int) -> Iterator[str]:
    """An address that goes, of a name that servers or mail lead to."""
    if rtype not in (A, AAAA) or wanted.get(name, A) or wanted.get(name, AAAA):
        return
    for kind in (NS, MX):
        if name in targets(wanted.get(wanted.origin, kind)):
            leads = f"{name_text(wanted.origin)} {type_text(kind)}"
            yield f"{name_text(name)} would have no address, and {leads} leads to it: BIND refuses that"
