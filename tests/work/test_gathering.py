"""Gathering by name from servers that answer as the standard says: what is listed is found, nothing is made up,
wildcards are known."""

import asyncio
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from legatum.core.records.name import Name, below, parse_name
from legatum.core.records.presentation import txt_rdata
from legatum.core.records.rrset import RRset, rrset
from legatum.core.records.rrtype import CNAME, MX, NS, SOA, TXT, A
from legatum.core.records.soa import SoaFields
from legatum.core.records.usual import USUAL
from legatum.core.zones.answering import ServedZone, answer_from
from legatum.core.zones.sample import Sample
from legatum.core.zones.zone import Zone
from legatum.net.asking.reply import Reply, Transport, Trouble
from legatum.net.gathering.by_name import Questioner
from legatum.wire.message import AA, QR, Message, Question, encode, records
from tests.strategies import ORIGIN

HOSTS = sorted({label for types, labels in USUAL.values() if A in types for label in labels.split()})
SECRET = ["kiln-7", "workshop", "old-printer"]  # on nobody's list
ADDRESSES = [bytes((198, 51, 100, number)) for number in range(1, 9)]
HEAD = [
    rrset(ORIGIN, SOA, 60, [SoaFields(ORIGIN, ORIGIN, 1, 2, 3, 4, 5).rdata()]),
    rrset(ORIGIN, NS, 60, [parse_name("ns1.alder.test.")]),
]


class Authority:
    """Stands for an asker: answers from a zone. ``deaf``: names for which nobody answers."""

    def __init__(self, zone: Zone, deaf: frozenset[Name] = frozenset()) -> None:
        self.zones = {zone.origin: ServedZone(zone)}
        self.deaf = deaf
        self.asked: list[tuple[Name, int]] = []

    async def ask(self, server: str, name: Name, rtype: int, **how: Any) -> Reply:
        self.asked.append((name, rtype))
        if name in self.deaf:
            return Reply(server, name, rtype, 0.0, 0.0, Transport.UDP, 1, b"", Trouble.SILENT)
        found = answer_from(self.zones, name, rtype)
        sections = (records(found.answer), records(found.authority), records(found.additional))
        wire = encode(
            Message(1, QR | (AA if found.authoritative else 0), found.rcode, (Question(name, rtype),), *sections)
        )
        return Reply(server, name, rtype, 0.0, 0.0, Transport.UDP, 1, wire)


def gather(zone: Zone, extra: tuple[Name, ...] = (), deaf: frozenset[Name] = frozenset()) -> tuple[Sample, Authority]:
    authority = Authority(zone, deaf)
    return asyncio.run(Questioner(authority, "192.0.2.1", zone.origin).ask(extra)), authority  # type: ignore[arg-type]


def name(text: str) -> Name:
    return parse_name(text, ORIGIN)


@st.composite
def customers(draw: st.DrawFn) -> Zone:
    """Zones as customers have them: usual names with addresses or aliases, mail at a name nobody would guess, perhaps a
    wildcard."""
    found: list[RRset] = list(HEAD)
    for label in draw(st.lists(st.sampled_from(HOSTS), max_size=6, unique=True)):
        if draw(st.booleans()):
            found.append(rrset(name(label), A, 60, [draw(st.sampled_from(ADDRESSES))]))
        else:
            found.append(rrset(name(label), CNAME, 60, [name(draw(st.sampled_from([*SECRET, "www", "mail"])))]))
    if draw(st.booleans()):
        found.append(rrset(ORIGIN, MX, 60, [b"\0\x0a" + name(SECRET[0])]))
    found += [rrset(name(label), A, 60, [draw(st.sampled_from(ADDRESSES))]) for label in SECRET]
    if draw(st.booleans()):
        found.append(rrset(below("*", ORIGIN), A, 60, [draw(st.sampled_from(ADDRESSES))]))
    return Zone(ORIGIN, {(each.name, each.rtype): each for each in found}.values())


@given(customers())
@settings(max_examples=40, deadline=None)
def test_what_is_listed_or_led_to_is_found_and_nothing_is_made_up(zone: Zone) -> None:
    asked, _ = gather(zone)
    assert all(zone.get(*key) == found for key, found in asked.rrsets.items())
    star = zone.get(below("*", ORIGIN), A)
    assert (ORIGIN in asked.wildcards) == (star is not None)
    led = {target for each in zone if each.rtype == CNAME for target in each.rdatas} | {
        name(SECRET[0]) for each in zone if each.rtype == MX
    }
    for each in zone:
        labels = each.name[: -len(ORIGIN)]
        listed = each.name in {name(label) for label in HOSTS}
        hidden = (
            star is not None and each.rtype == A and each.rdatas == star.rdatas
        )  # says what the wildcard says anyway
        if (listed or each.name == ORIGIN or (each.name in led and labels)) and not hidden:
            assert (each.name, each.rtype) in asked.rrsets, each


def test_names_of_the_user_texts_and_sub_delegations() -> None:
    zone = Zone(
        ORIGIN,
        [
            *HEAD,
            rrset(ORIGIN, TXT, 60, [txt_rdata("v=spf1 a:kiln-7.kilnandclay.example -all")]),
            rrset(name("kiln-7"), A, 60, ADDRESSES[:1]),
            rrset(name("workshop"), A, 60, ADDRESSES[1:2]),
            rrset(name("lab"), NS, 60, [name("ns.lab")]),
            rrset(name("ns.lab"), A, 60, ADDRESSES[2:3]),
            rrset(name("x.preview"), A, 60, ADDRESSES[3:4]),
        ],
    )
    asked, _ = gather(zone)
    assert (name("kiln-7"), A) in asked.rrsets  # SPF leads to it
    assert (
        (name("workshop"), A) not in asked.rrsets
        and (name("lab"), NS) in asked.rrsets
        and (name("ns.lab"), A) in asked.rrsets
    )
    assert name("preview") in asked.empty  # it exists, so something lies below it
    asked, _ = gather(zone, (name("workshop"), name("x.preview")))
    assert (name("workshop"), A) in asked.rrsets and (name("x.preview"), A) in asked.rrsets


def test_silence_is_counted_and_no_question_is_put_twice() -> None:
    zone = Zone(ORIGIN, [*HEAD, rrset(name("www"), A, 60, ADDRESSES[:1])])
    asked, authority = gather(zone, deaf=frozenset([name("www")]))
    assert asked.unanswered > 0 and (name("www"), A) not in asked.rrsets
    assert len(authority.asked) == len(set(authority.asked))
