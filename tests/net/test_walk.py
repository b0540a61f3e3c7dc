"""Walking a tree whose servers are lame, silent, circular or lying: bounded, and never led upwards or sideways."""

import asyncio
from collections.abc import Awaitable, Callable

from legatum.core.records.name import ROOT, Name, below, is_under, parse_name
from legatum.core.records.rrset import RRset, rrset
from legatum.core.records.rrtype import AAAA, NS, SOA, A
from legatum.core.records.soa import SoaFields
from legatum.net.asking.asker import Asker, Patience
from legatum.net.asking.route import Endpoint, Route
from legatum.net.asking.walk import Walker
from legatum.net.clock import SystemClock
from legatum.wire.message import AA, QR, Message, decode, encode, records
from tests.swift import swiftly

Section = list[RRset]
Server = Callable[[Name, int], tuple[int, int, Section, Section, Section] | None]
ROOTS = {parse_name("a.root.test."): ("192.0.2.1",)}


def name(text: str) -> Name:
    return parse_name(text + ".")


def address(host: str, last: int) -> RRset:
    return rrset(name(host), A, 60, [bytes((192, 0, 2, last))])


def ns(zone: str, *hosts: str) -> RRset:
    return rrset(name(zone) if zone else ROOT, NS, 60, [name(host) for host in hosts])


def refer(*delegation: RRset) -> tuple[int, int, Section, Section, Section]:
    return 0, 0, [], [delegation[0]], list(delegation[1:])


def say(*answer: RRset) -> tuple[int, int, Section, Section, Section]:
    return 0, AA, list(answer), [], []


def deny(zone: str, rcode: int = 3) -> tuple[int, int, Section, Section, Section]:
    return rcode, AA, [], [RRset(name(zone), SOA, 60, (SoaFields(ROOT, ROOT, 1, 1, 1, 1, 60).rdata(),))], []


class _Endpoint(asyncio.DatagramProtocol):
    def __init__(self, server: Server) -> None:
        self.server = server

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        self.transport = transport

    def datagram_received(self, data: bytes, addr: tuple[str, int]) -> None:
        asked = decode(data)
        told = self.server(asked.questions[0].name, asked.questions[0].rtype)
        if told is not None:
            rcode, flags, answer, authority, additional = told
            reply = Message(
                asked.id, QR | flags, rcode, asked.questions, records(answer), records(authority), records(additional)
            )
            self.transport.sendto(encode(reply), addr)  # type: ignore[attr-defined]


def walk(servers: dict[int, Server], work: Callable[[Walker], Awaitable[None]]) -> int:
    """Has ``work`` done in a world of these servers (last octet of 192.0.2.0/24 → behaviour); how many questions were
    asked."""

    async def run() -> int:
        loop, ends, transports = asyncio.get_running_loop(), {}, []
        for last, server in servers.items():
            transport, _ = await loop.create_datagram_endpoint(
                lambda server=server: _Endpoint(server), local_addr=("127.0.0.1", 0)
            )
            ends[f"192.0.2.{last}"] = Endpoint("127.0.0.1", transport.get_extra_info("sockname")[1])
            transports.append(transport)
        asker = Asker(Route(ends), SystemClock(), Patience(0.1, 2))
        await work(Walker(asker, ROOTS))
        asker.close()
        for transport in transports:
            transport.close()
        return asker.asked

    asked, passed = swiftly(run())
    assert passed < 5
    return asked


def root(*referrals: tuple[str, tuple[RRset, ...]]) -> Server:
    def server(asked: Name, rtype: int) -> tuple[int, int, Section, Section, Section]:
        return next((refer(*delegation) for zone, delegation in referrals if is_under(asked, name(zone))), deny(""))

    return server


EXAMPLE = ("example", (ns("example", "a.nic.example"), address("a.nic.example", 2)))


def test_name_servers_that_lean_on_each_other_in_a_circle_end() -> None:
    def example(asked: Name, rtype: int) -> tuple[int, int, Section, Section, Section]:
        for one, other in (("a", "b"), ("b", "a")):
            if is_under(asked, name(f"{one}.example")):
                return refer(ns(f"{one}.example", f"ns.{other}.example"))
        return deny("example")

    async def work(walker: Walker) -> None:
        assert await walker.addresses(name("ns.a.example")) == ()
        assert (await walker.parent_of(name("a.example"))).zone == name("example")

    assert walk({1: root(EXAMPLE), 2: example}, work) < 60


def test_referrals_that_do_not_lead_down_lead_nowhere() -> None:
    ways = {"up": ns("", "a.root.test"), "side": ns("test", "a.nic.test"), "same": ns("example", "a.nic.example")}
    for way, delegation in ways.items():

        async def work(walker: Walker, way: str = way) -> None:
            found = await walker.lookup(name("www.shop.example"), A)
            assert found.rrset is None and found.why in ("referral", "no data"), (way, found)
            assert (await walker.parent_of(name("shop.example"))).zone == name("example")

        assert walk({1: root(EXAMPLE), 2: lambda asked, rtype, delegation=delegation: refer(delegation)}, work) < 20


def test_addresses_of_other_zones_are_not_taken_from_a_referral() -> None:
    """The servers of ``example`` say where ``ns1.alder.test`` stands; they have no say in that."""

    def example(asked: Name, rtype: int) -> tuple[int, int, Section, Section, Section]:
        return refer(ns("shop.example", "ns1.alder.test"), address("ns1.alder.test", 66))

    def test_zone(asked: Name, rtype: int) -> tuple[int, int, Section, Section, Section]:
        if asked == name("ns1.alder.test") and rtype == A:
            return say(address("ns1.alder.test", 9))
        return deny("test", 0 if asked == name("ns1.alder.test") else 3)

    def shop(asked: Name, rtype: int) -> tuple[int, int, Section, Section, Section]:
        return say(rrset(asked, A, 60, [b"\1\2\3\4"])) if rtype == A else deny("shop.example", 0)

    tld = ("test", (ns("test", "a.nic.test"), address("a.nic.test", 3)))

    async def work(walker: Walker) -> None:
        assert await walker.addresses(name("www.shop.example")) == ("1.2.3.4",)

    walk({1: root(EXAMPLE, tld), 2: example, 3: test_zone, 9: shop}, work)


def test_lame_and_silent_servers_are_passed_over() -> None:
    many = (
        "example",
        (
            ns("example", "a.nic.example", "b.nic.example", "c.nic.example"),
            *(address(f"{x}.nic.example", n) for x, n in zip("abc", (2, 3, 4), strict=True)),
        ),
    )

    def good(asked: Name, rtype: int) -> tuple[int, int, Section, Section, Section]:
        return say(rrset(asked, A, 60, [b"\1\2\3\4"])) if rtype == A else deny("example", 0)

    async def work(walker: Walker) -> None:
        for number in range(6):
            assert await walker.addresses(name(f"host{number}.example")) == ("1.2.3.4",)

    asked = walk({1: root(many), 2: lambda *_: None, 3: lambda *_: (5, 0, [], [], []), 4: good}, work)
    assert asked < 60

    async def nobody(walker: Walker) -> None:
        found = await walker.lookup(name("www.example"), AAAA)
        assert found.rrset is None and found.why == "no server of example answers"

    walk({1: root(EXAMPLE), 2: lambda *_: None}, nobody)


def test_delegations_without_end_end() -> None:
    def deeper(asked: Name, rtype: int) -> tuple[int, int, Section, Section, Section]:
        depth = deeper.depth = getattr(deeper, "depth", 0) + 1  # type: ignore[attr-defined]
        labels = asked
        while len(labels) > 2 and labels.count(b"\1x") > depth:
            labels = Name(labels[2:])
        return refer(rrset(labels, NS, 60, [name("a.nic.example")]), address("a.nic.example", 2))

    deep = name("example")
    for _ in range(40):
        deep = below("x", deep)

    async def work(walker: Walker) -> None:
        assert (await walker.lookup(deep, A)).rrset is None

    assert walk({1: root(EXAMPLE), 2: deeper}, work) < 120


def test_servers_that_only_the_zone_itself_names_are_parents_too() -> None:
    """The root hands out one server of ``example``; the zone's own NS set has a second, which hands out the delegation
    as well."""
    own = ns("example", "a.nic.example", "hidden.nic.example")
    stands = {"a.nic.example": 2, "hidden.nic.example": 3}

    def example(asked: Name, rtype: int) -> tuple[int, int, Section, Section, Section]:
        if (asked, rtype) == (name("example"), NS):
            return say(own)
        found = next((address(host, last) for host, last in stands.items() if asked == name(host) and rtype == A), None)
        return (
            say(found)
            if found
            else refer(ns("shop.example", "ns1.alder.test"))
            if is_under(asked, name("shop.example"))
            else deny("example")
        )

    async def work(walker: Walker) -> None:
        for domain in ("shop.example", "store.example"):
            cut = await walker.parent_of(name(domain))
            assert set(cut.servers) == {name("a.nic.example"), name("hidden.nic.example")}
            assert set(cut.addresses) == {"192.0.2.2", "192.0.2.3"}

    assert walk({1: root(EXAMPLE), 2: example, 3: example}, work) < 12
