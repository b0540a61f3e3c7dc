"""The registry stand-in's rules: whose is what, what uses what, which status forbids what (RFC 5731, 5732)."""

import asyncio
from collections.abc import Awaitable, Callable

import pytest

from legatum.core.records.name import Name, parse_name
from legatum.net.asking.asker import Asker
from legatum.net.asking.route import Route
from legatum.net.clock import SystemClock
from legatum.practice.clock import WorldClock
from legatum.practice.registry import Registry, Tld
from legatum.wire import epp
from legatum.wire.tsig import TsigKey

DOMAIN, OTHER = parse_name("kilnandclay.example."), parse_name("evensong.example.")
ALDER = [parse_name(f"ns{number}.alder.test.") for number in (1, 2)]
OWN = parse_name("ns1.kilnandclay.example.")
V4, V6 = "198.51.100.31", "2001:db8:a1::53"


def with_registry(work: Callable[[Registry], None]) -> None:
    async def whole() -> None:
        clock = WorldClock(2_000_000_000.0)
        asker = Asker(Route({}), SystemClock())
        tld = Tld(parse_name("example."), "192.0.2.11", TsigKey(parse_name("k.test."), "hmac-sha256", b"k"), 3600)
        registry = Registry({"flint": "a", "slate": "b"}, [tld], ALDER, 60.0, asker, clock)
        registry.register(DOMAIN, "flint", ALDER)
        registry.register(OTHER, "slate", ALDER)
        try:
            work(registry)
        finally:
            clock.close()
            asker.close()

    asyncio.run(whole())


def update(registry: Registry, registrar: str, domain: Name, **change: list[Name] | list[str]) -> int:
    return registry.domains.update(
        registrar, domain, epp.DomainChange(**{key: tuple(each) for key, each in change.items()})
    ).code


def test_hosts_belong_to_the_registrar_of_the_domain_above_them() -> None:
    def work(registry: Registry) -> None:
        assert registry.hosts.info(OWN).code == epp.NOT_THERE
        assert registry.hosts.create("slate", OWN, [V4]).code == epp.AUTHORISATION
        assert registry.hosts.create("flint", parse_name("ns1.nobody.example."), [V4]).code == epp.NOT_THERE
        assert (
            registry.hosts.create("flint", OWN, []).code == epp.PARAMETER_POLICY
        )  # below a domain here it needs addresses
        assert registry.hosts.create("flint", OWN, [V4, V4]).code == epp.PARAMETER_POLICY
        assert (
            registry.hosts.create("flint", parse_name("ns9.elsewhere.test."), [V4]).code == epp.PARAMETER_POLICY
        )  # elsewhere it has none
        assert registry.hosts.create("flint", parse_name("ns9.elsewhere.test."), []).code == epp.OK
        assert (
            registry.hosts.create("flint", OWN, [V4]).code == epp.OK
            and registry.hosts.create("flint", OWN, [V4]).code == epp.EXISTS
        )
        assert registry.hosts.update("slate", OWN, [V6], []).code == epp.AUTHORISATION
        assert registry.hosts.update("flint", OWN, [V4], []).code == epp.PARAMETER_POLICY
        assert registry.hosts.update("flint", OWN, [], [V6]).code == epp.NOT_THERE
        assert registry.hosts.update("flint", OWN, [V6], [V4]).code == epp.OK
        found = registry.hosts.info(OWN).host
        assert found is not None and (found.addresses, found.statuses) == ((V6,), ("ok",))

    with_registry(work)


def test_a_host_that_a_domain_uses_stays() -> None:
    def work(registry: Registry) -> None:
        registry.hosts.create("flint", OWN, [V4])
        assert update(registry, "flint", DOMAIN, add=[OWN], remove=[ALDER[0]]) == epp.OK
        found = registry.hosts.info(OWN).host
        assert found is not None and "linked" in found.statuses
        assert registry.hosts.delete("flint", OWN).code == epp.IN_USE
        assert registry.hosts.update("flint", OWN, [], [V4]).code == epp.PARAMETER_POLICY  # its last address
        assert update(registry, "flint", DOMAIN, add=[ALDER[0]], remove=[OWN]) == epp.OK
        assert registry.hosts.delete("slate", OWN).code == epp.AUTHORISATION
        assert (
            registry.hosts.delete("flint", OWN).code == epp.OK
            and registry.hosts.delete("flint", OWN).code == epp.NOT_THERE
        )

    with_registry(work)


@pytest.mark.parametrize(
    ("add", "remove", "code"),
    [
        (["clientHold"], [], epp.OK),
        (["serverUpdateProhibited"], [], epp.PARAMETER_POLICY),  # the registry's own
        ([], ["ok"], epp.PARAMETER_POLICY),
        ([], ["clientHold"], epp.NOT_THERE),
        (["clientTransferProhibited", "clientUpdateProhibited"], [], epp.OK),
    ],
)
def test_which_statuses_a_client_may_set(add: list[str], remove: list[str], code: int) -> None:
    with_registry(
        lambda registry: _equal(update(registry, "flint", DOMAIN, add_statuses=add, remove_statuses=remove), code)
    )


def _equal(found: int, wanted: int) -> None:
    assert found == wanted


def test_nothing_is_renewed_twice() -> None:
    def work(registry: Registry) -> None:
        known = registry.known(DOMAIN)
        assert known is not None
        date = known.expires[:10]
        assert registry.domains.renew("slate", DOMAIN, date, 1).code == epp.AUTHORISATION
        assert registry.domains.renew("flint", DOMAIN, date, 1).code == epp.OK
        assert registry.domains.renew("flint", DOMAIN, date, 1).code == epp.PARAMETER_POLICY  # the same command again
        assert registry.domains.renew("flint", DOMAIN, "2001-01-01", 1).code == epp.PARAMETER_POLICY
        update(registry, "flint", DOMAIN, add_statuses=["clientRenewProhibited"])
        renewed = registry.known(DOMAIN)
        assert (
            renewed is not None
            and registry.domains.renew("flint", DOMAIN, renewed.expires[:10], 1).code == epp.STATUS_PROHIBITS
        )

    with_registry(work)


def test_where_updates_are_prohibited_only_that_can_be_lifted() -> None:
    def work(registry: Registry) -> None:
        assert (
            update(registry, "flint", DOMAIN, add_statuses=["clientTransferProhibited", "clientUpdateProhibited"])
            == epp.OK
        )
        assert update(registry, "flint", DOMAIN, remove=[ALDER[0]]) == epp.STATUS_PROHIBITS
        assert update(registry, "flint", DOMAIN, remove_statuses=["clientTransferProhibited"]) == epp.STATUS_PROHIBITS
        assert update(registry, "slate", DOMAIN, remove_statuses=["clientUpdateProhibited"]) == epp.AUTHORISATION
        assert update(registry, "flint", DOMAIN, remove_statuses=["clientUpdateProhibited"]) == epp.OK
        assert update(registry, "flint", DOMAIN, remove_statuses=["clientTransferProhibited"]) == epp.OK
        found = registry.known(DOMAIN)
        assert found is not None and found.statuses == ("ok",)

    with_registry(work)


def with_clock(work: Callable[[Registry, WorldClock], Awaitable[None]]) -> None:
    """As :func:`with_registry`, for what comes with time."""

    async def whole() -> None:
        clock = WorldClock(2_000_000_000.0)
        asker = Asker(Route({}), SystemClock())
        tld = Tld(parse_name("example."), "192.0.2.11", TsigKey(parse_name("k.test."), "hmac-sha256", b"k"), 3600)
        registry = Registry({"flint": "a", "slate": "b", "granite": "c"}, [tld], ALDER, 60.0, asker, clock)
        registry.publisher.stuck = {DOMAIN}
        registry.register(DOMAIN, "flint", ALDER)
        try:
            await work(registry, clock)
        finally:
            clock.close()
            asker.close()

    asyncio.run(whole())


DAY = 86400.0


def texts(registry: Registry, registrar: str) -> list[str]:
    """What waits for a registrar; read and acknowledged."""
    found = []
    while (waiting := registry.book.waiting(registrar)).message is not None and waiting.code == epp.MESSAGE:
        found.append(waiting.message.text)
        assert registry.book.acknowledge(registrar, waiting.message.ident).code == epp.OK
    return found


def test_a_transfer_happens_by_itself_after_five_days_and_takes_the_hosts_along() -> None:
    async def work(registry: Registry, clock: WorldClock) -> None:
        registry.hosts.create("flint", OWN, [V4])
        update(registry, "flint", DOMAIN, add=[OWN], add_statuses=["clientDeleteProhibited"])
        before = registry.book.domains[DOMAIN]
        code = before.code
        assert registry.transfers.request("slate", DOMAIN, "wrong-code", 1).code == epp.WRONG_CODE
        assert registry.transfers.query("slate", DOMAIN, "").code == epp.NO_TRANSFER
        asked = registry.transfers.request("slate", DOMAIN, code, 1)
        assert asked.code == epp.PENDING and asked.transfer is not None and asked.transfer.status == "pending"
        assert registry.transfers.request("granite", DOMAIN, code, 1).code == epp.TRANSFER_PENDING
        # While it is pending nothing else happens to the domain or its hosts.
        assert update(registry, "flint", DOMAIN, remove=[OWN]) == epp.STATUS_PROHIBITS
        assert registry.domains.renew("flint", DOMAIN, before.expires[:10], 1).code == epp.STATUS_PROHIBITS
        assert registry.domains.delete("flint", DOMAIN).code == epp.STATUS_PROHIBITS
        assert registry.hosts.update("flint", OWN, [V6], []).code == epp.STATUS_PROHIBITS
        for registrar, op in (("slate", "approve"), ("slate", "reject"), ("flint", "cancel"), ("granite", "cancel")):
            assert registry.transfers.act(registrar, DOMAIN, op).code == epp.AUTHORISATION
        await clock.until(clock.now() + 5 * DAY - 60)
        assert registry.book.domains[DOMAIN].registrar == "flint"
        await clock.until(clock.now() + 61)
        after = registry.book.domains[DOMAIN]
        assert (after.registrar, after.statuses, after.nameservers) == ("slate", ("ok",), before.nameservers)
        assert int(after.expires[:4]) == int(before.expires[:4]) + 1 and registry.book.in_grace(DOMAIN) == (
            "transferPeriod",
        )
        host = registry.hosts.info(OWN).host
        assert host is not None and (host.registrar, host.addresses) == ("slate", (V4,))
        standing = registry.transfers.query("flint", DOMAIN, "").transfer
        assert standing is not None and standing.status == "serverApproved"
        assert [text.split()[-1] for text in texts(registry, "flint")] == ["kilnandclay.example", "serverApproved"]
        assert len(texts(registry, "slate")) == 1 and texts(registry, "granite") == []
        assert registry.transfers.request("flint", DOMAIN, code, 1).code == epp.NOT_TRANSFERABLE  # sixty days
        await clock.until(clock.now() + 60 * DAY)
        assert registry.transfers.request("flint", DOMAIN, code, 1).code == epp.PENDING

    with_clock(work)


@pytest.mark.parametrize(
    ("op", "by", "status", "owner"),
    [
        ("approve", "flint", "clientApproved", "slate"),
        ("reject", "flint", "clientRejected", "flint"),
        ("cancel", "slate", "clientCancelled", "flint"),
    ],
)
def test_how_a_transfer_ends_before_its_time(op: str, by: str, status: str, owner: str) -> None:
    async def work(registry: Registry, clock: WorldClock) -> None:
        registry.transfers.request("slate", DOMAIN, registry.book.domains[DOMAIN].code, 0)
        ended = registry.transfers.act(by, DOMAIN, op)
        assert ended.transfer is not None and ended.transfer.status == status
        assert (
            registry.book.domains[DOMAIN].registrar == owner
            and "pendingTransfer" not in registry.book.domains[DOMAIN].statuses
        )
        assert registry.transfers.act(by, DOMAIN, op).code == epp.NO_TRANSFER
        await clock.until(clock.now() + 6 * DAY)  # nothing happens by itself any more
        assert registry.book.domains[DOMAIN].registrar == owner

    with_clock(work)


def test_what_forbids_a_transfer() -> None:
    async def work(registry: Registry, clock: WorldClock) -> None:
        young = parse_name("tidemill.example.")
        registry.register(young, "flint", ALDER, 59 * DAY)
        code = registry.book.domains[young].code
        assert registry.transfers.request("slate", young, code, 1).code == epp.NOT_TRANSFERABLE
        assert registry.transfers.request("flint", young, code, 1).code == epp.NOT_TRANSFERABLE  # its own
        await clock.until(clock.now() + DAY + 1)
        update(registry, "flint", young, add_statuses=["clientTransferProhibited"])
        assert registry.transfers.request("slate", young, code, 1).code == epp.STATUS_PROHIBITS
        update(registry, "flint", young, remove_statuses=["clientTransferProhibited"])
        assert registry.transfers.request("slate", young, code, 2).code == epp.PARAMETER_POLICY
        assert registry.transfers.request("slate", parse_name("nosuch.example."), code, 1).code == epp.NOT_THERE
        assert registry.transfers.request("slate", young, code, 1).code == epp.PENDING

    with_clock(work)


def test_the_end_of_a_registration() -> None:
    """Renewed by itself with a period of grace; deleted into redemption, then out of reach, then gone (RFC 3915 s2)."""

    async def work(registry: Registry, clock: WorldClock) -> None:
        registry.hosts.create("flint", OWN, [V4])
        expires = registry.book.domains[DOMAIN].expires
        await clock.until(clock.now() + 366 * DAY)
        assert int(registry.book.domains[DOMAIN].expires[:4]) == int(expires[:4]) + 1
        assert registry.book.in_grace(DOMAIN) == ("autoRenewPeriod",) and texts(registry, "flint")
        assert registry.domains.delete("flint", DOMAIN).code == epp.PENDING
        assert registry.book.in_grace(DOMAIN) == ("redemptionPeriod",) and registry.domains.served(DOMAIN) == ()
        assert registry.domains.restore("slate", DOMAIN, "request").code == epp.AUTHORISATION
        assert registry.domains.restore("flint", DOMAIN, "report").code == epp.STATUS_PROHIBITS
        assert registry.domains.restore("flint", DOMAIN, "request").code == epp.OK and registry.domains.served(
            DOMAIN
        ) == tuple(ALDER)
        await clock.until(clock.now() + 8 * DAY)  # no report within a week: back to where it was
        assert registry.book.in_grace(DOMAIN) == ("redemptionPeriod",)
        await clock.until(clock.now() + 31 * DAY)
        assert registry.book.in_grace(DOMAIN) == ("pendingDelete",)
        assert registry.domains.restore("flint", DOMAIN, "request").code == epp.STATUS_PROHIBITS
        await clock.until(clock.now() + 6 * DAY)
        assert registry.known(DOMAIN) is None and OWN not in registry.book.hosts and registry.domains.check(DOMAIN).free

    with_clock(work)


def ds(tag: int, algorithm: int = 13, digest_type: int = 2, octets: int = 32) -> bytes:
    return tag.to_bytes(2) + bytes((algorithm, digest_type)) + bytes(octets)


def change_ds(registry: Registry, add: list[bytes], remove: list[bytes]) -> int:
    change = epp.DomainChange(add_ds=tuple(add), remove_ds=tuple(remove))
    return registry.domains.update("flint", DOMAIN, change).code


def test_ds_records_within_the_registrys_limits() -> None:
    def work(registry: Registry) -> None:
        assert change_ds(registry, [ds(1), ds(2), ds(3), ds(4)], []) == epp.OK
        assert change_ds(registry, [ds(5)], []) == epp.PARAMETER_POLICY  # four at most
        assert change_ds(registry, [ds(5)], [ds(1)]) == epp.OK
        assert change_ds(registry, [], [ds(1)]) == epp.NOT_THERE
        for odd in (ds(6, octets=20), ds(6, digest_type=9), ds(6, algorithm=5)):
            assert change_ds(registry, [odd], [ds(2)]) == epp.PARAMETER_POLICY
        held = registry.known(DOMAIN)
        assert held is not None and held.ds == (ds(2), ds(3), ds(4), ds(5))

    with_registry(work)


def test_an_ns_set_is_empty_or_has_two_to_thirteen_names() -> None:
    def work(registry: Registry) -> None:
        assert update(registry, "flint", DOMAIN, remove=[ALDER[0]]) == epp.PARAMETER_POLICY
        many = [parse_name(f"n{number}.elsewhere.test.") for number in range(12)]
        for host in many:
            registry.hosts.create("flint", host, [])
        assert update(registry, "flint", DOMAIN, add=many) == epp.PARAMETER_POLICY
        assert update(registry, "flint", DOMAIN, add=many[:11]) == epp.OK
        assert update(registry, "flint", DOMAIN, remove=[*many[:11], *ALDER]) == epp.OK

    with_registry(work)
