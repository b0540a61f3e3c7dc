"""The same changes as they are often made, on real servers, side by side: visitors do notice."""

import os
import subprocess
import time
from collections.abc import Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest

from legatum.core.records.name import parse_name
from legatum.wire.epp import DomainChange
from tests.real.lab import RECORDS, Lab, blank
from tests.real.processes import NEEDS_SERVERS, asked
from tests.real.visitors import Noticed

pytestmark = NEEDS_SERVERS
PART, HOSTS, RETIRED, ADDRESS, SERIAL, NEW, TTL, FOREIGN, LEAVING, BOTH = (
    f"{each}.example"
    for each in ("part", "hosts", "retired", "address", "serial", "new", "ttl", "foreign", "leaving", "both")
)
HOMES = {
    PART: "bind",
    HOSTS: "bind",
    RETIRED: "knot",
    ADDRESS: "pdns",
    SERIAL: "nsd",
    TTL: "knot",
    FOREIGN: "nsd",
    LEAVING: "bind",
}
HOMES[BOTH] = "pdns"
OLD, NEXT = bytes((203, 0, 113, 25)), "203.0.113.26"


@pytest.fixture
def lab(tmp_path: Path) -> Iterator[Lab]:
    worker = int(os.environ.get("PYTEST_XDIST_WORKER", "gw9").removeprefix("gw"))
    made = Lab(tmp_path, 235 + worker, HOMES, bare=[NEW])
    try:
        made.start()
        yield made
    finally:
        made.stop()


def at_provider(lab: Lab, provider: str, verb: str, domain: str) -> None:
    """``create``: with nothing but SOA and NS; ``end``."""
    subprocess.run([str(lab.folder / provider / verb), domain], check=True, capture_output=True)


def delegate(lab: Lab, domain: str, add: Iterable[str], remove: Iterable[str]) -> None:
    change = DomainChange(
        tuple(parse_name(f"{each}.") for each in add), tuple(parse_name(f"{each}.") for each in remove)
    )
    lab.registry.loop.call_soon_threadsafe(
        lab.registry.registry.domains.update, "flint", parse_name(f"{domain}."), change
    )


def servers(name: str) -> list[str]:
    return [f"ns{number}.{name}.example" for number in (1, 2)]


def a_part_handed_on_to_who_does_not_have_it(lab: Lab) -> None:
    with Noticed(lab.resolvers, PART) as noticed:
        lab.legatum(
            "amend",
            PART,
            "preview",
            "NS",
            *(f"{each}." for each in servers("knot")),
            "--at",
            "bind",
            "--yes",
            "--anyway",
        )
    assert noticed.names == {f"shop.preview.{PART}"}


def a_host_at_an_address_where_nobody_answers(lab: Lab) -> None:
    host = f"ns1.{HOSTS}"
    lab.registry.loop.call_soon_threadsafe(
        lab.registry.registry.hosts.create, "flint", parse_name(f"{host}."), [lab.host(99)]
    )
    with Noticed(lab.resolvers, HOSTS) as noticed:
        lab.legatum("amend", HOSTS, "ns1", "A", lab.host(99), "--ttl", "3s", "--at", "bind", "--yes", "--anyway")
        lab.legatum("amend", HOSTS, "@", "NS", f"{host}.", "--at", "bind", "--yes", "--anyway")
        delegate(lab, HOSTS, [host], servers("bind"))
        time.sleep(5)
    assert HOSTS in noticed.names


def delegated_before_anybody_serves_it(lab: Lab) -> None:
    delegate(lab, NEW, servers("nsd"), [])
    time.sleep(4)
    file = lab.folder / "late.zone"
    file.write_text(blank("nsd", NEW) + RECORDS)
    with Noticed(lab.resolvers, NEW) as noticed:
        time.sleep(1)
        lab.legatum("publish", NEW, "--to", "nsd", "--from", str(file), "--yes", "--anyway")
    assert NEW in noticed.names


def the_service_ended_before_the_delegation(lab: Lab) -> None:
    with Noticed(lab.resolvers, RETIRED) as noticed:
        at_provider(lab, "knot", "end", RETIRED)
        delegate(lab, RETIRED, [], servers("knot"))
    assert RETIRED in noticed.names


def the_old_address_switched_off_with_the_change(lab: Lab) -> None:
    lab.legatum(
        "amend", ADDRESS, "mail", "A", "--ttl", "20s", "--at", "pdns", "--yes"
    )  # longer than the change takes on a busy machine
    with Noticed(lab.resolvers, ADDRESS) as noticed:
        lab.legatum("amend", ADDRESS, "mail", "A", NEXT, "--at", "pdns", "--yes")
        noticed.switch_off(OLD)
    assert noticed.names == {f"mail.{ADDRESS}"}


def a_serial_set_lower_at_once_is_never_taken_by_the_secondary(lab: Lab) -> None:
    lab.legatum(
        "second", "add", SERIAL, "--at", "nsd", "--second", "copy-nsd", "--registrar", "flint", "--yes", "--wait"
    )
    path = lab.folder / "nsd" / f"{SERIAL}.zone"
    text = path.read_text()
    serial = next(word for word in text.split() if word.isdigit() and len(word) == 10)
    path.write_text(text.replace(serial, "7").replace("203.0.113.25", NEXT))
    subprocess.run([*lab.hostings["nsd"].control, "reload", SERIAL], check=True, capture_output=True)  # type: ignore[attr-defined]
    time.sleep(5)
    said = {
        where: asked(where, f"mail.{SERIAL}", "A").answer[0][0].to_text()
        for where in (lab.hostings["nsd"].address, lab.copy.address)
    }
    assert said == {lab.hostings["nsd"].address: NEXT, lab.copy.address: "203.0.113.25"}
    assert not lab.legatum("second", "show", SERIAL, "--at", "nsd", "--second", "copy-nsd", status=1)["agreed"]


def an_address_changed_as_soon_as_its_ttl_was_lowered(lab: Lab) -> None:
    lab.legatum("amend", TTL, "mail", "A", "--ttl", "20s", "--at", "knot", "--yes")
    with Noticed(lab.resolvers, TTL) as noticed:
        lab.legatum("amend", TTL, "mail", "A", "--ttl", "1s", "--at", "knot", "--yes")
        lab.legatum("amend", TTL, "mail", "A", NEXT, "--at", "knot", "--yes")
        time.sleep(2)  # the TTL that it has now is over
        noticed.switch_off(OLD)
    assert noticed.names == {f"mail.{TTL}"}


def a_second_provider_named_that_has_another_zone_of_the_name(lab: Lab) -> None:
    at_provider(lab, "knot", "create", FOREIGN)
    delegate(lab, FOREIGN, servers("knot"), [])
    with Noticed(lab.resolvers, FOREIGN) as noticed:
        lab.legatum(
            "amend",
            FOREIGN,
            "@",
            "NS",
            *(f"{each}." for each in (*servers("nsd"), *servers("knot"))),
            "--at",
            "nsd",
            "--yes",
            "--anyway",
        )
    assert noticed.names


def a_transfer_to_another_registrar_with_which_the_losing_one_ends_its_service(lab: Lab) -> None:
    registry, domain = lab.registry.registry, parse_name(f"{LEAVING}.")
    with Noticed(lab.resolvers, LEAVING) as noticed:
        code = registry.book.domains[domain].code
        for each in (
            (registry.transfers.request, "slate", domain, code, 1),
            (registry.transfers.act, "flint", domain, "approve"),
        ):
            lab.registry.loop.call_soon_threadsafe(*each)
        at_provider(lab, "bind", "end", LEAVING)
    assert LEAVING in noticed.names and registry.book.domains[domain].registrar == "slate"


def provider_and_address_in_one_go(lab: Lab) -> None:
    """The new provider has the new address from the start, and the old machine is switched off with the delegation."""
    file = lab.folder / "both.zone"
    file.write_text(blank("knot", BOTH) + RECORDS.replace("203.0.113.25", NEXT))
    lab.legatum("publish", BOTH, "--to", "knot", "--from", str(file), "--yes", "--anyway")
    with Noticed(lab.resolvers, BOTH) as noticed:
        delegate(lab, BOTH, servers("knot"), servers("pdns"))
        noticed.switch_off(OLD)
    assert noticed.names == {f"mail.{BOTH}"}


VARIANTS = (
    a_part_handed_on_to_who_does_not_have_it,
    a_host_at_an_address_where_nobody_answers,
    delegated_before_anybody_serves_it,
    the_service_ended_before_the_delegation,
    the_old_address_switched_off_with_the_change,
    a_serial_set_lower_at_once_is_never_taken_by_the_secondary,
    an_address_changed_as_soon_as_its_ttl_was_lowered,
    a_second_provider_named_that_has_another_zone_of_the_name,
    a_transfer_to_another_registrar_with_which_the_losing_one_ends_its_service,
    provider_and_address_in_one_go,
)


def test_each_of_them_is_noticed(lab: Lab) -> None:
    with ThreadPoolExecutor(len(VARIANTS)) as workers:
        works = {each.__name__: workers.submit(each, lab) for each in VARIANTS}
    failed = {name: str(work.exception()) for name, work in works.items() if work.exception() is not None}
    assert not failed, "\n\n".join(f"{name}: {error[:1500]}" for name, error in failed.items())
