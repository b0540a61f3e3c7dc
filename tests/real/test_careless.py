"""The same changes as they are often made, on real servers: visitors do notice."""

import os
import subprocess
import time
from collections.abc import Iterable, Iterator

import dns.message
import dns.query
import pytest

from legatum.core.records.name import parse_name
from legatum.wire.epp import DomainChange
from tests.real.lab import RECORDS, Lab, blank
from tests.real.processes import NEEDS_SERVERS
from tests.real.visitors import Visitors

pytestmark = NEEDS_SERVERS
PART, HOSTS, RETIRED, ADDRESS, SERIAL, NEW = (f"{each}.example" for each in ("part", "hosts", "retired", "address", "serial", "new"))
HOMES = {PART: "bind", HOSTS: "bind", RETIRED: "knot", ADDRESS: "pdns", SERIAL: "nsd"}
OLD, NEXT = bytes((203, 0, 113, 25)), "203.0.113.26"


@pytest.fixture(scope="module")
def lab(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Lab]:
    worker = int(os.environ.get("PYTEST_XDIST_WORKER", "gw9").removeprefix("gw"))
    made = Lab(tmp_path_factory.mktemp("careless"), 235 + worker, HOMES, bare=[NEW])
    try:
        made.start()
        yield made
    finally:
        made.stop()


class Noticed:
    """Visitors of one domain, through both resolvers, while something is done to it."""

    def __init__(self, lab: Lab, domain: str) -> None:
        self._all = [Visitors(each.address, [domain], 20.0) for each in lab.resolvers]

    def __enter__(self) -> "Noticed":
        for each in self._all:
            each.start()
        time.sleep(2)
        return self

    def __exit__(self, *_: object) -> None:
        time.sleep(5)
        for each in self._all:
            each.stop()

    def switch_off(self, address: bytes) -> None:
        for each in self._all:
            each.off.add(address)

    @property
    def names(self) -> set[str]:
        """What somebody asked for in vain."""
        return {name for each in self._all for _, name, _, _ in each.wrong}


def delegate(lab: Lab, domain: str, add: Iterable[str], remove: Iterable[str]) -> None:
    change = DomainChange(tuple(parse_name(f"{each}.") for each in add), tuple(parse_name(f"{each}.") for each in remove))
    lab.registry.loop.call_soon_threadsafe(lab.registry.registry.domains.update, "flint", parse_name(f"{domain}."), change)


def servers(name: str) -> list[str]:
    return [f"ns{number}.{name}.example" for number in (1, 2)]


def test_a_part_handed_on_to_who_does_not_have_it(lab: Lab) -> None:
    with Noticed(lab, PART) as noticed:
        lab.legatum("amend", PART, "preview", "NS", *(f"{each}." for each in servers("knot")), "--at", "bind", "--yes", "--anyway")
    assert noticed.names == {f"shop.preview.{PART}"}


def test_a_host_at_an_address_where_nobody_answers(lab: Lab) -> None:
    host = f"ns1.{HOSTS}"
    lab.registry.loop.call_soon_threadsafe(lab.registry.registry.hosts.create, "flint", parse_name(f"{host}."), [lab.host(99)])
    with Noticed(lab, HOSTS) as noticed:
        lab.legatum("amend", HOSTS, "ns1", "A", lab.host(99), "--ttl", "3s", "--at", "bind", "--yes", "--anyway")
        lab.legatum("amend", HOSTS, "@", "NS", f"{host}.", "--at", "bind", "--yes", "--anyway")
        delegate(lab, HOSTS, [host], servers("bind"))
        time.sleep(5)
    assert HOSTS in noticed.names


def test_delegated_before_anybody_serves_it(lab: Lab) -> None:
    delegate(lab, NEW, servers("nsd"), [])
    time.sleep(4)
    file = lab.folder / "late.zone"
    file.write_text(blank("nsd", NEW) + RECORDS)
    with Noticed(lab, NEW) as noticed:
        time.sleep(1)
        lab.legatum("publish", NEW, "--to", "nsd", "--from", str(file), "--yes", "--anyway")
    assert NEW in noticed.names


def test_the_service_ended_before_the_delegation(lab: Lab) -> None:
    with Noticed(lab, RETIRED) as noticed:
        subprocess.run([str(lab.folder / "knot" / "end"), RETIRED], check=True, capture_output=True)
        delegate(lab, RETIRED, [], servers("knot"))
    assert RETIRED in noticed.names


def test_the_old_address_switched_off_with_the_change(lab: Lab) -> None:
    with Noticed(lab, ADDRESS) as noticed:
        lab.legatum("amend", ADDRESS, "mail", "A", NEXT, "--at", "pdns", "--yes")
        noticed.switch_off(OLD)
    assert noticed.names == {f"mail.{ADDRESS}"}


def test_a_serial_set_lower_at_once_is_never_taken_by_the_secondary(lab: Lab) -> None:
    lab.legatum("second", "add", SERIAL, "--at", "nsd", "--second", "copy-nsd", "--registrar", "flint", "--yes", "--wait")
    path = lab.folder / "nsd" / f"{SERIAL}.zone"
    text = path.read_text()
    serial = next(word for word in text.split() if word.isdigit() and len(word) == 10)
    path.write_text(text.replace(serial, "7").replace("203.0.113.25", NEXT))
    subprocess.run([*lab.hostings["nsd"].control, "reload", SERIAL], check=True, capture_output=True)  # type: ignore[attr-defined]
    time.sleep(5)
    said = {
        where: dns.query.udp(dns.message.make_query(f"mail.{SERIAL}", "A"), where, timeout=5).answer[0][0].to_text()
        for where in (lab.hostings["nsd"].address, lab.copy.address)
    }
    assert said == {lab.hostings["nsd"].address: NEXT, lab.copy.address: "203.0.113.25"}
    assert not lab.legatum("second", "show", SERIAL, "--at", "nsd", "--second", "copy-nsd", status=1)["agreed"]
