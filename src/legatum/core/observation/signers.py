"""Two providers that each sign a zone of their own of one domain: whose servers are whose, and whether their keys are
shared.

Each has the other's zone keys in its key set (RFC 8901 s2.1.2): then what a cache has of the one fits what it gets of
the other, and serials and key sets of the two have nothing to do with each other.
"""

from collections.abc import Iterator, Sequence

from legatum.core.dnssec.serving import key_label
from legatum.core.dnssec.signature import parse_signature
from legatum.core.observation.observation import Observation, ServerView
from legatum.core.records.rrtype import DNSKEY, SOA


def by_signer(observation: Observation) -> list[list[ServerView]]:
    """The servers that answer for the domain, by whose zone they give; all together where not several sign it, or not
    with shared keys."""
    alike: dict[frozenset[str], list[ServerView]] = {}
    for view in observation.serving:
        alike.setdefault(_made_with(view, SOA), []).append(view)
    groups: list[tuple[ServerView, list[ServerView]]] = []
    for views in alike.values():
        known = next((view for view in views if view.keys is not None), views[0])  # not all are asked for their keys
        own = next((group for one, group in groups if not _apart(known, one)), None)
        if own is None:
            groups.append((known, views))
        else:
            own += views
    return [views for _, views in groups]


def unshared(views: Sequence[ServerView]) -> Iterator[tuple[ServerView, ServerView]]:
    """Pairs: the keys of the first prove no answer of the second."""
    given = [(view, _published(view), _made_with(view, SOA)) for view in views]
    if len({(published, signing) for _, published, signing in given}) > 1:
        yield from (
            (one, other)
            for one, published, _ in given
            for other, _, signing in given
            if published and signing and not published & signing
        )


def _apart(one: ServerView, other: ServerView) -> bool:
    """They sign keys and data with keys of their own, and each publishes those of the other for the data."""
    kinds = [(_made_with(one, rtype), _made_with(other, rtype)) for rtype in (DNSKEY, SOA)]
    if not all(left and right and not left & right for left, right in kinds):
        return False
    return bool(_published(one) & kinds[1][1]) and bool(_published(other) & kinds[1][0])


def _made_with(view: ServerView, rtype: int) -> frozenset[str]:
    """Labels of the keys of the signatures over it."""
    signatures = view.signatures.get(rtype)
    found = map(parse_signature, signatures.rdatas) if signatures is not None else ()
    return frozenset(f"{each.tag}/{each.algorithm}" for each in found if each is not None)


def _published(view: ServerView) -> frozenset[str]:
    return frozenset(map(key_label, view.keys.rdatas)) if view.keys is not None else frozenset()
