"""The quick reader of transfers against the plain decoder, on messages as servers write them and as nobody means
them."""

import random
import struct

from hypothesis import given, settings
from hypothesis import strategies as st

from legatum.core.records.name import Name, from_labels, is_under, labels_of, parse_name
from legatum.core.records.rrtype import MX, NAME_FIELDS, NS, SOA, SRV
from legatum.core.zones.zone import Zone
from legatum.wire.incoming import IncomingZone
from legatum.wire.malformed import Malformed
from legatum.wire.message import IN, Record, decode, rrsets
from tests.strategies import ORIGIN, names, owners, rdatas, soas

_FEW = [ORIGIN, *(parse_name(text, ORIGIN) for text in ("www", "a.www", "mail", "www.other.test."))]


def spelled(out: bytearray, name: Name, seen: dict[Name, int], chance: random.Random) -> None:
    """A name in full or compressed, to any suffix that stands in the message already, in letters of either case."""
    labels, full = labels_of(name), chance.random() < 0.3
    for at in range(len(labels)):
        rest = from_labels(labels[at:])
        if rest in seen and not full and chance.random() < 0.8:
            out += (seen[rest] | 0xC000).to_bytes(2)
            return
        if rest not in seen or chance.random() < 0.5:
            seen[rest] = len(out)
        label = labels[at].upper() if chance.random() < 0.3 else labels[at]
        out += bytes((len(label),)) + label
    out += b"\0"


def written(messages: list[list[Record]], chance: random.Random) -> list[bytes]:
    """Each message with its records' names spelled at random, those in the data too."""
    wires = []
    for answer in messages:
        out, seen = bytearray(struct.pack("!6H", 7, 0x8400, 0, len(answer), 0, 0)), dict[Name, int]()
        for each in answer:
            spelled(out, each.name, seen, chance)
            out += struct.pack("!HHI", each.rtype, each.rclass, each.ttl) + b"\0\0"
            begin = len(out)
            if each.rtype in (NS, MX, SRV):
                skip = NAME_FIELDS[each.rtype][0]
                out += each.rdata[:skip]
                spelled(out, Name(each.rdata[skip:]), seen, chance)
            else:
                out += each.rdata
            out[begin - 2 : begin] = (len(out) - begin).to_bytes(2)
        wires.append(bytes(out))
    return wires


def taken(wires: list[bytes]) -> IncomingZone:
    coming = IncomingZone(ORIGIN)
    for wire in wires:
        decode(wire, answers=coming.read)
    return coming


def plainly(wires: list[bytes]) -> Zone:
    """The same by the plain decoder: what is in the zone, its SOA once."""
    found = [
        each for wire in wires for each in decode(wire).answer if each.rclass == IN and is_under(each.name, ORIGIN)
    ]
    opening = next((each for each in found if (each.name, each.rtype) == (ORIGIN, SOA)), None)
    rest = [each for each in found if (each.name, each.rtype) != (ORIGIN, SOA)]
    return Zone(ORIGIN, rrsets(rest if opening is None else [opening, *rest]))


@st.composite
def runs(draw: st.DrawFn) -> list[Record]:
    """A few records of one name, of any types in any order."""
    owner = draw(st.one_of(st.sampled_from(_FEW), owners, names))
    found = []
    for rtype in draw(st.lists(st.sampled_from(sorted(rdatas)), min_size=1, max_size=5)):
        rdata = draw(st.sampled_from(_FEW)) if rtype == NS else draw(rdatas[rtype])
        found.append(
            Record(owner, rtype, draw(st.sampled_from((IN, IN, IN, 3))), draw(st.integers(0, 2**32 - 1)), rdata)
        )
    return found


@st.composite
def transfers(draw: st.DrawFn) -> list[bytes]:
    """Runs of records between SOA records, some of them twice, over several messages."""
    pool = draw(st.lists(runs(), min_size=1, max_size=5))
    body = [each for run in draw(st.lists(st.sampled_from(pool), max_size=8)) for each in run]
    bound = Record(ORIGIN, SOA, IN, 300, draw(soas).rdata())
    whole, parts = [bound, *body, bound], []
    while whole:
        size = draw(st.integers(1, len(whole)))
        parts.append(whole[:size])
        whole = whole[size:]
    return written(parts, random.Random(draw(st.integers(0, 999))))


@given(transfers())
@settings(max_examples=150, deadline=None)
def test_a_transfer_is_read_as_the_plain_decoder_reads_it(wires: list[bytes]) -> None:
    coming = taken(wires)
    assert coming.zone() == plainly(wires)
    assert coming.opening == coming.closing and coming.opening is not None and not coming.misplaced


@given(transfers(), st.lists(st.tuples(st.integers(12, 400), st.integers(0, 255)), min_size=1, max_size=4))
@settings(max_examples=250, deadline=None)
def test_octets_that_changed_on_the_way_are_read_alike_or_refused(
    wires: list[bytes], changes: list[tuple[int, int]]
) -> None:
    wire = bytearray(wires[0])
    for place, octet in changes:
        wire[place % len(wire)] = octet
    try:
        expected = plainly([bytes(wire)])
    except Malformed:
        expected = None
    try:
        found = taken([bytes(wire)]).zone()
    except Malformed:
        found = None
    if expected is not None and found is not None:
        assert found == expected
    # A record of no data has its place in updates alone.
    elif expected is not None:
        assert any(not each.rdata for each in decode(bytes(wire)).answer)
