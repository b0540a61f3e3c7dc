"""The registry stand-in's rules: whose is what, what leans on what, which status forbids what (RFC 5731, 5732)."""

import asyncio
from collections.abc import Callable

import pytest

from legatum.core.name import parse_name
from legatum.net.asker import Asker
from legatum.net.clock import SystemClock
from legatum.net.route import Route
from legatum.practice.clock import WorldClock
from legatum.practice.registry import Registry, Tld
from legatum.wire import epp
from legatum.wire.signing import Key

DOMAIN, OTHER = parse_name("kilnandclay.example."), parse_name("evensong.example.")
ALDER = [parse_name(f"ns{number}.alder.test.") for number in (1, 2)]
OWN = parse_name("ns1.kilnandclay.example.")
V4, V6 = "198.51.100.31", "2001:db8:a1::53"


def with_registry(work: Callable[[Registry], None]) -> None:
    async def whole() -> None:
        clock = WorldClock(2_000_000_000.0)
        asker = Asker(Route({}), SystemClock())
        tld = Tld(parse_name("example."), "192.0.2.11", Key(parse_name("k.test."), "hmac-sha256", b"k"), 3600)
        registry = Registry({"flint": "a", "slate": "b"}, [tld], ALDER, 60.0, asker, clock)
        registry.register(DOMAIN, "flint", ALDER)
        registry.register(OTHER, "slate", ALDER)
        try:
            work(registry)
        finally:
            clock.close()
            asker.close()

    asyncio.run(whole())


def test_hosts_belong_to_the_registrar_of_the_domain_above_them() -> None:
    def work(registry: Registry) -> None:
        assert registry.host_info(OWN)[0] == epp.NOT_THERE
        assert registry.create_host("slate", OWN, [V4]) == epp.AUTHORISATION
        assert registry.create_host("flint", parse_name("ns1.nobody.example."), [V4]) == epp.NOT_THERE
        assert registry.create_host("flint", OWN, []) == epp.PARAMETER_POLICY  # below a domain here it needs addresses
        assert registry.create_host("flint", OWN, [V4, V4]) == epp.PARAMETER_POLICY
        assert registry.create_host("flint", parse_name("ns9.elsewhere.test."), [V4]) == epp.PARAMETER_POLICY  # elsewhere it has none
        assert registry.create_host("flint", parse_name("ns9.elsewhere.test."), []) == epp.OK
        assert registry.create_host("flint", OWN, [V4]) == epp.OK and registry.create_host("flint", OWN, [V4]) == epp.EXISTS
        assert registry.update_host("slate", OWN, [V6], []) == epp.AUTHORISATION
        assert registry.update_host("flint", OWN, [V4], []) == epp.PARAMETER_POLICY
        assert registry.update_host("flint", OWN, [], [V6]) == epp.NOT_THERE
        assert registry.update_host("flint", OWN, [V6], [V4]) == epp.OK
        code, found = registry.host_info(OWN)
        assert (code, found and found.addresses, found and found.statuses) == (epp.OK, (V6,), ("ok",))

    with_registry(work)


def test_a_host_that_a_domain_leans_on_stays() -> None:
    def work(registry: Registry) -> None:
        registry.create_host("flint", OWN, [V4])
        assert registry.update("flint", DOMAIN, [OWN], [ALDER[0]]) == epp.OK
        found = registry.host_info(OWN)[1]
        assert found is not None and found.statuses == ("linked",)
        assert registry.delete_host("flint", OWN) == epp.LEANED_ON
        assert registry.update_host("flint", OWN, [], [V4]) == epp.PARAMETER_POLICY  # its last address
        assert registry.update("flint", DOMAIN, [ALDER[0]], [OWN]) == epp.OK
        assert registry.delete_host("slate", OWN) == epp.AUTHORISATION
        assert registry.delete_host("flint", OWN) == epp.OK and registry.delete_host("flint", OWN) == epp.NOT_THERE

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
    with_registry(lambda registry: _equal(registry.update("flint", DOMAIN, [], [], add, remove), code))


def _equal(found: int, wanted: int) -> None:
    assert found == wanted


def test_nothing_is_renewed_twice() -> None:
    def work(registry: Registry) -> None:
        known = registry.known(DOMAIN)
        assert known is not None
        date = known.expires[:10]
        assert registry.renew("slate", DOMAIN, date, 1) == epp.AUTHORISATION
        assert registry.renew("flint", DOMAIN, date, 1) == epp.OK
        assert registry.renew("flint", DOMAIN, date, 1) == epp.PARAMETER_POLICY  # the same command again
        assert registry.renew("flint", DOMAIN, "2001-01-01", 1) == epp.PARAMETER_POLICY
        registry.update("flint", DOMAIN, [], [], ["clientRenewProhibited"])
        renewed = registry.known(DOMAIN)
        assert renewed is not None and registry.renew("flint", DOMAIN, renewed.expires[:10], 1) == epp.STATUS_PROHIBITS

    with_registry(work)


def test_where_updates_are_prohibited_only_that_can_be_lifted() -> None:
    def work(registry: Registry) -> None:
        assert registry.update("flint", DOMAIN, [], [], ["clientTransferProhibited", "clientUpdateProhibited"]) == epp.OK
        assert registry.update("flint", DOMAIN, [], [ALDER[0]]) == epp.STATUS_PROHIBITS
        assert registry.update("flint", DOMAIN, [], [], [], ["clientTransferProhibited"]) == epp.STATUS_PROHIBITS
        assert registry.update("slate", DOMAIN, [], [], [], ["clientUpdateProhibited"]) == epp.AUTHORISATION
        assert registry.update("flint", DOMAIN, [], [], [], ["clientUpdateProhibited"]) == epp.OK
        assert registry.update("flint", DOMAIN, [], [], [], ["clientTransferProhibited"]) == epp.OK
        found = registry.known(DOMAIN)
        assert found is not None and found.statuses == ("ok",)

    with_registry(work)
