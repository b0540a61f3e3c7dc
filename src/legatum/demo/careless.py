"""The same move done the careless way, in a world of its own: what it would have cost."""

from pathlib import Path

from legatum.core.records.name import parse_domain, parse_name
from legatum.core.records.rrset import rrset
from legatum.core.records.rrtype import NS
from legatum.core.records.soa import next_serial
from legatum.core.rehearsal.careless import LATE
from legatum.core.running.fault import GateShut
from legatum.demo.world_thread import WorldThread
from legatum.net.asking.asker import Asker
from legatum.net.asking.route import Route
from legatum.net.zones.update import send_update
from legatum.practice import scenario
from legatum.practice.world import World
from legatum.wire.epp import DomainChange

_NOTICED_FOR = 26 * 3600.0


def careless_world(folder: Path, domain: str, every: float, questions: list[tuple[str, int]]) -> World:
    """A world in which the domain was moved carelessly, with visitors all along; it has ended when this returns."""
    with WorldThread(folder) as practice:
        practice.visit([(parse_name(name + "."), rtype) for name, rtype in questions], every)
        practice.run(_careless(practice.world, domain))
        return practice.world


async def _careless(world: World, domain: str) -> None:
    """NS set switched first, TTLs left alone, old zone deleted at once; the new zone follows when somebody notices."""
    clock, origin = world.clock, parse_domain(domain)
    zone = world.hostings["alder"][0].zone(origin)
    held = world.registry.known(origin)
    if zone is None or held is None:
        raise GateShut(f"{domain} is not at alder and flint in this world")
    await clock.until(clock.now() + 3600)
    servers = [parse_name(host + ".") for host in scenario.PROVIDERS["birch"].servers]
    world.registry.domains.update("flint", origin, DomainChange(tuple(servers), held.nameservers))
    await clock.until(clock.now() + world.registry.publisher.delay + 1)
    world.end_zone("alder", origin)
    await clock.until(clock.now() + LATE)
    world.create_zone("birch", origin)
    await clock.until(clock.now())
    blank = world.hostings["birch"][0].zone(origin)
    assert blank is not None
    wanted = zone.with_rrsets([rrset(origin, NS, 86400, servers)]).with_serial(next_serial(blank.soa.serial))
    asker = Asker(Route(world.endpoints), clock)
    await send_update(
        asker, scenario.PROVIDERS["birch"].servers["ns1.birch.example"][0], blank, wanted, world.keys["birch"]
    )
    asker.close()
    await clock.until(clock.now() + _NOTICED_FOR)
