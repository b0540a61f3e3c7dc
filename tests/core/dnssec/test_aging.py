"""Trust anchors grow old: a key of an anchored zone that none of them stands for is told before it signs alone (RFC
5011)."""

import pytest

from legatum.core.dnssec.chain import Link, Served, State
from legatum.core.dnssec.serving import ServerKeys, anchors_of, ds_of_key, key_label
from legatum.core.dnssec.trust import DsSet, Keys
from legatum.core.records.name import ROOT, parse_name


def key(number: int, flags: int = 257) -> bytes:
    """RFC 4034 s2.1, of algorithm 13."""
    return flags.to_bytes(2) + b"\3\15" + bytes([number]) * 64


def link(anchored: list[bytes], published: list[bytes], signing: list[bytes]) -> Link:
    labels = tuple(sorted(map(key_label, published)))
    entry = tuple(sorted(map(key_label, signing)))
    given = ServerKeys(
        Keys(labels, entry, entry, 60), entries=tuple(signing), data={key_label(each): each for each in published}
    )
    served = [Served(parse_name("a.root.test."), "192.0.2.1", given, True)]
    return Link(
        ROOT, None, {}, served, anchors_of([ds_of_key(ROOT, each) for each in anchored], 0) if anchored else DsSet()
    )


OLD, NEW, ZONE = key(1), key(2), key(3, 256)


@pytest.mark.parametrize(
    ("anchored", "published", "signing", "told"),
    [
        ([OLD], [OLD, ZONE], [OLD], False),
        ([OLD], [OLD, NEW, ZONE], [OLD], True),  # published to be trusted next
        ([OLD, NEW], [OLD, NEW], [OLD], False),
        ([OLD], [OLD, key(2, 257 | 128)], [OLD], False),  # taken back (RFC 5011 s2.1)
        ([OLD], [OLD, ZONE, key(4, 256)], [OLD], False),  # keys of the zone need no anchor
        ([], [OLD, NEW], [OLD], False),  # nothing of it rests on anchors
        ([OLD], [NEW, ZONE], [NEW], False),  # broken, which is told as that
    ],
)
def test_what_no_anchor_stands_for(
    anchored: list[bytes], published: list[bytes], signing: list[bytes], told: bool
) -> None:
    found = list(link(anchored, published, signing).aging())
    assert [key_label(NEW) in each and "RFC 5011" in each for each in found] == ([True] if told else [])


def test_anchors_that_are_out_of_date_are_suspected_before_the_zone() -> None:
    aged = link([OLD], [NEW, ZONE], [NEW])
    assert aged.state == State.BROKEN
    ((said, remedy),) = aged.broken()
    assert key_label(NEW) in said and "anchors" in remedy and "registrar" not in remedy
