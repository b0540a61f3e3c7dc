"""What a wildcard no longer answers once a name of its own stands below it (RFC 4592 s2.2.1, s3.3.1)."""

from collections.abc import Iterator

from legatum.core.records.name import Name, ancestors, below, labels_of, name_text
from legatum.core.records.rrtype import CNAME, type_text
from legatum.core.zones.answering import ServedZone
from legatum.core.zones.signer import PROOFS
from legatum.core.zones.zone import Zone


def hidden_from_wildcards(before: Zone, after: Zone) -> dict[Name, str]:
    """Name that begins to exist → what it had of a wildcard and has no longer, in words. Names of services (RFC 8552),
    such as ``_check``, are left out: nobody comes for what a wildcard would say of them."""
    if not any(labels_of(name)[:1] == [b"*"] for name in before.names):
        return {}
    had, has = ServedZone(before), ServedZone(after)
    return dict(_hidden(had, has, sorted(has.existing - had.existing)))


def _hidden(had: ServedZone, has: ServedZone, new: list[Name]) -> Iterator[tuple[Name, str]]:
    for name in new:
        chain = ancestors(name)
        if any(each in has.cuts for each in chain):
            continue  # handed on: whoever serves that part answers
        encloser = next(each for each in chain if each in had.existing)
        between = len(labels_of(name)) - len(labels_of(encloser))
        if any(label.startswith((b"_", b"*")) for label in labels_of(name)[:between]):
            continue
        star = below("*", encloser)
        given = {each.rtype for each in has.zone.at(name)}
        lost = [each.rtype for each in had.zone.at(star) if each.rtype not in (*given, *PROOFS)]
        if lost and CNAME not in given:
            yield (
                name,
                f"{name_text(name)} loses {', '.join(map(type_text, lost))}, which {name_text(star)} gives it now",
            )
