"""Walking an NSEC chain and counting an NSEC3 chain, at servers that prove as the standards say - and at one that makes
its proofs up."""

import asyncio
import base64
from bisect import bisect_right
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from legatum.core.dnssec.counting import just_behind, with_empty_names
from legatum.core.dnssec.denial import nsec3_hash
from legatum.core.records.name import Name, canonical_key, parse_name
from legatum.core.records.rrset import RRset, rrset
from legatum.core.records.rrtype import NSEC, NSEC3, RRSIG, SOA, A
from legatum.core.records.soa import SoaFields
from legatum.net.asking.reply import Reply, Transport
from legatum.net.gathering.nsec_chain import count, walk
from legatum.wire.message import AA, QR, Message, Question, encode, records
from tests.strategies import ORIGIN, plain_labels

SALT, ITERATIONS = b"\xab\xcd", 2
APEX = rrset(ORIGIN, SOA, 60, [SoaFields(ORIGIN, ORIGIN, 1, 2, 3, 4, 5).rdata()])
owners = st.sets(plain_labels, max_size=25).map(
    lambda labels: {Name(bytes((len(each),)) + each.lower() + ORIGIN) for each in labels}
)


def bitmap(*rtypes: int) -> bytes:
    """RFC 4034 s4.1.2, for types below 256."""
    octets = bytearray(max(rtypes) // 8 + 1)
    for rtype in rtypes:
        octets[rtype // 8] |= 0x80 >> rtype % 8
    return bytes((0, len(octets))) + bytes(octets)


class Signed:
    """Stands for an asker: a zone with an address at each name, and its chain. ``lies``: each proof is made up for the
    question; ``refers``: a cut with a DS, at which it shows no NSEC."""

    def __init__(
        self,
        names: set[Name],
        hashed: bool = False,
        lies: bool = False,
        broken: Name | None = None,
        refers: Name | None = None,
    ) -> None:
        self.names = sorted({ORIGIN, *names}, key=canonical_key)
        self.hashed, self.lies, self.broken, self.refers = hashed, lies, broken, refers
        self.hashes = sorted(nsec3_hash(each, SALT, ITERATIONS) for each in self.names)

    async def ask(self, server: str, name: Name, rtype: int, **how: Any) -> Reply:
        answer: tuple[RRset, ...] = ()
        authority: tuple[RRset, ...] = (APEX,)
        if rtype == NSEC and not self.hashed and name not in (self.broken, self.refers):
            answer = (self.link(name),) if name in self.names else ()
        elif self.refers is not None and name == just_behind(self.refers):
            authority = (APEX, self.link(ORIGIN), self.link(self.refers))
        elif rtype == A and name in self.names:
            answer = (rrset(name, A, 60, [b"\xc6\x33\x64\x01"]),)
        elif rtype == SOA and name == ORIGIN:
            answer = (APEX,)
        elif self.hashed and name not in self.names:
            authority = (APEX, self.covering(name), self.matching(ORIGIN))
        message = Message(
            1,
            QR | AA,
            0 if answer or name in self.names else 3,
            (Question(name, rtype),),
            records(answer),
            records(authority),
        )
        return Reply(server, name, rtype, 0.0, 0.0, Transport.UDP, 1, encode(message))

    def link(self, name: Name) -> RRset:
        following = Name(b"\1\0" + name) if self.lies else self.names[(self.names.index(name) + 1) % len(self.names)]
        return rrset(name, NSEC, 60, [following + bitmap(A, RRSIG, NSEC, *([SOA] if name == ORIGIN else []))])

    def matching(self, name: Name) -> RRset:
        return self.hash_link(self.hashes.index(nsec3_hash(name, SALT, ITERATIONS)))

    def covering(self, name: Name) -> RRset:
        return self.hash_link(bisect_right(self.hashes, nsec3_hash(name, SALT, ITERATIONS)) - 1)

    def hash_link(self, at: int) -> RRset:
        label = base64.b32hexencode(self.hashes[at]).lower()
        following = self.hashes[(at + 1) % len(self.hashes)]
        data = (
            bytes((1, 0))
            + ITERATIONS.to_bytes(2)
            + bytes((len(SALT),))
            + SALT
            + bytes((len(following),))
            + following
            + bitmap(A, RRSIG)
        )
        return rrset(Name(bytes((len(label),)) + label + ORIGIN), NSEC3, 60, [data])


@given(owners)
@settings(max_examples=40, deadline=None)
def test_a_chain_that_closes_gives_every_name(names: set[Name]) -> None:
    found = asyncio.run(walk(Signed(names), "192.0.2.1", ORIGIN))  # type: ignore[arg-type]
    assert found is not None and found.closed and found.names == {ORIGIN, *names}
    assert {each.name for each in found.rrsets if each.rtype == A} == {ORIGIN, *names}
    assert not any(each.rtype in (NSEC, RRSIG) for each in found.rrsets)


def test_a_chain_that_breaks_off_is_not_taken_for_the_whole() -> None:
    names = {parse_name(f"n{number}", ORIGIN) for number in range(5)}
    found = asyncio.run(walk(Signed(names, broken=parse_name("n2", ORIGIN)), "192.0.2.1", ORIGIN))  # type: ignore[arg-type]
    assert found is not None and not found.closed and parse_name("n4", ORIGIN) not in found.names


def test_proofs_made_up_for_the_question_are_no_chain() -> None:
    assert asyncio.run(walk(Signed({parse_name("www", ORIGIN)}, lies=True), "192.0.2.1", ORIGIN)) is None  # type: ignore[arg-type]
    assert asyncio.run(walk(Signed(set(), hashed=True), "192.0.2.1", ORIGIN)) is None  # type: ignore[arg-type]
    assert asyncio.run(count(Signed({parse_name("www", ORIGIN)}), "192.0.2.1", ORIGIN)) is None  # type: ignore[arg-type]


@given(owners)
@settings(max_examples=30, deadline=None)
def test_every_hash_of_the_chain_is_found_and_names_are_matched(names: set[Name]) -> None:
    signed = Signed(names, hashed=True)
    found = asyncio.run(count(signed, "192.0.2.1", ORIGIN))  # type: ignore[arg-type]
    assert found is not None and found.closed and set(found.hashes) == set(signed.hashes)
    assert all(found.knows(name) for name in names) and not found.knows(parse_name("nobody-at-all", ORIGIN))
    assert found.questions <= 12 * len(signed.hashes) + 12  # about as many as there are gaps, not as there are tries


def test_names_between_count_too() -> None:
    deep = parse_name("a.b.c", ORIGIN)
    assert with_empty_names([deep], ORIGIN) == {deep, *(parse_name(text, ORIGIN) for text in ("b.c", "c")), ORIGIN}


@given(owners.filter(bool), st.data())
@settings(max_examples=50, deadline=None)
def test_the_walk_goes_on_behind_a_signed_delegation(names: set[Name], data: st.DataObject) -> None:
    """Some servers answer a question for NSEC there with a referral: the proof that there is nothing just behind it is
    the same record."""
    found = asyncio.run(walk(Signed(names, refers=data.draw(st.sampled_from(sorted(names)))), "192.0.2.1", ORIGIN))  # type: ignore[arg-type]
    assert found is not None and found.closed and found.names == {ORIGIN, *names}


@given(plain_labels, plain_labels, plain_labels)
def test_just_behind_a_name_is_behind_all_that_is_below_it(label: bytes, lower: bytes, other: bytes) -> None:
    def named(*labels: bytes) -> Name:
        return Name(b"".join(bytes((len(each),)) + each.lower() for each in labels) + ORIGIN)

    name = named(label)
    behind = just_behind(name)
    if behind is None:
        assert len(label) == 63
        return
    assert canonical_key(name) < canonical_key(named(lower, label)) < canonical_key(behind)
    assert not canonical_key(name) < canonical_key(named(other)) < canonical_key(behind)
