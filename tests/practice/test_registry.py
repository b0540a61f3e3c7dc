"""The registry stand-in's rules: whose is what, what leans on what, which status forbids what (RFC 5731, 5732)."""

import asyncio
from collections.abc import Callable

import pytest

from legatum.core.name import Name, parse_name
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


def update(registry: Registry, registrar: str, domain: Name, **change: list[Name] | list[str]) -> int:
    return registry.domains.update(registrar, domain, epp.DomainChange(**{key: tuple(each) for key, each in change.items()})).code


def test_hosts_belong_to_the_registrar_of_the_domain_above_them() -> None:
    def work(registry: Registry) -> None:
        assert registry.hosts.info(OWN).code == epp.NOT_THERE
        assert registry.hosts.create("slate", OWN, [V4]).code == epp.AUTHORISATION
        assert registry.hosts.create("flint", parse_name("ns1.nobody.example."), [V4]).code == epp.NOT_THERE
        assert registry.hosts.create("flint", OWN, []).code == epp.PARAMETER_POLICY  # below a domain here it needs addresses
        assert registry.hosts.create("flint", OWN, [V4, V4]).code == epp.PARAMETER_POLICY
        assert registry.hosts.create("flint", parse_name("ns9.elsewhere.test."), [V4]).code == epp.PARAMETER_POLICY  # elsewhere it has none
        assert registry.hosts.create("flint", parse_name("ns9.elsewhere.test."), []).code == epp.OK
        assert registry.hosts.create("flint", OWN, [V4]).code == epp.OK and registry.hosts.create("flint", OWN, [V4]).code == epp.EXISTS
        assert registry.hosts.update("slate", OWN, [V6], []).code == epp.AUTHORISATION
        assert registry.hosts.update("flint", OWN, [V4], []).code == epp.PARAMETER_POLICY
        assert registry.hosts.update("flint", OWN, [], [V6]).code == epp.NOT_THERE
        assert registry.hosts.update("flint", OWN, [V6], [V4]).code == epp.OK
        found = registry.hosts.info(OWN).host
        assert found is not None and (found.addresses, found.statuses) == ((V6,), ("ok",))

    with_registry(work)


def test_a_host_that_a_domain_leans_on_stays() -> None:
    def work(registry: Registry) -> None:
        registry.hosts.create("flint", OWN, [V4])
        assert update(registry, "flint", DOMAIN, add=[OWN], remove=[ALDER[0]]) == epp.OK
        found = registry.hosts.info(OWN).host
        assert found is not None and "linked" in found.statuses
        assert registry.hosts.delete("flint", OWN).code == epp.LEANED_ON
        assert registry.hosts.update("flint", OWN, [], [V4]).code == epp.PARAMETER_POLICY  # its last address
        assert update(registry, "flint", DOMAIN, add=[ALDER[0]], remove=[OWN]) == epp.OK
        assert registry.hosts.delete("slate", OWN).code == epp.AUTHORISATION
        assert registry.hosts.delete("flint", OWN).code == epp.OK and registry.hosts.delete("flint", OWN).code == epp.NOT_THERE

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
    with_registry(lambda registry: _equal(update(registry, "flint", DOMAIN, add_statuses=add, remove_statuses=remove), code))


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
        assert renewed is not None and registry.domains.renew("flint", DOMAIN, renewed.expires[:10], 1).code == epp.STATUS_PROHIBITS

    with_registry(work)


def test_where_updates_are_prohibited_only_that_can_be_lifted() -> None:
    def work(registry: Registry) -> None:
        assert update(registry, "flint", DOMAIN, add_statuses=["clientTransferProhibited", "clientUpdateProhibited"]) == epp.OK
        assert update(registry, "flint", DOMAIN, remove=[ALDER[0]]) == epp.STATUS_PROHIBITS
        assert update(registry, "flint", DOMAIN, remove_statuses=["clientTransferProhibited"]) == epp.STATUS_PROHIBITS
        assert update(registry, "slate", DOMAIN, remove_statuses=["clientUpdateProhibited"]) == epp.AUTHORISATION
        assert update(registry, "flint", DOMAIN, remove_statuses=["clientUpdateProhibited"]) == epp.OK
        assert update(registry, "flint", DOMAIN, remove_statuses=["clientTransferProhibited"]) == epp.OK
        found = registry.known(DOMAIN)
        assert found is not None and found.statuses == ("ok",)

    with_registry(work)
