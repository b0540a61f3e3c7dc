"""Signed domains moved, connected and disconnected, on real signers, visitors behind validating resolvers throughout.

The TLD is signed, and Unbound and BIND validate by its key: whatever is bogus is a failure to a visitor. TTLs are seconds.
"""

import os
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import dns.flags
import dns.message
import dns.query
import pytest

from tests.real.lab import Lab
from tests.real.processes import NEEDS_SERVERS
from tests.real.visitors import Visitors

pytestmark = [pytest.mark.timeout(400), *NEEDS_SERVERS]
LEADING = ("--registrar", "flint", "--publishing", "5s")


def carried_out(lab: Lab, domain: str, *wishes: str, back: bool = False) -> None:
    drafted = lab.legatum("move", "draft", domain, *wishes, *LEADING)
    assert drafted["steps"], drafted
    assert lab.legatum("move", "rehearse", domain)["safe"]
    for verb in ("advance", "retreat") if back else ("advance",):
        assert lab.legatum("move", verb, domain, "--yes", "--wait")["halt"] == "complete"


def authenticated(lab: Lab, domain: str) -> list[bool]:
    """Whether each resolver has validated the domain, once they have let go of what they knew before."""
    time.sleep(5)
    query = dns.message.make_query(domain, "SOA", want_dnssec=True)
    answers = [dns.query.udp(query, each.address, timeout=5) for each in lab.resolvers]
    return [bool(each.flags & dns.flags.AD) for each in answers]


def connected(lab: Lab, domain: str, home: str) -> None:
    """Signed and connected, taken back; signed again, and unsigned by a move of its own; twice."""
    for _ in range(2):
        carried_out(lab, domain, "--from", home, "--sign", back=True)
        assert authenticated(lab, domain) == [False, False]
        carried_out(lab, domain, "--from", home, "--sign")
        assert authenticated(lab, domain) == [True, True]
        carried_out(lab, domain, "--from", home, "--unsign")
        assert authenticated(lab, domain) == [False, False]


def passed(lab: Lab, domain: str, home: str) -> None:
    """To another provider that signs, unsigned on the way; and back."""
    other = "pdns" if home == "knot" else "knot"
    carried_out(lab, domain, "--from", home, "--sign")
    for old, new in ((home, other), (other, home)):
        assert authenticated(lab, domain) == [True, True]
        carried_out(lab, domain, "--from", old, "--to", new)
    assert authenticated(lab, domain) == [True, True]
    carried_out(lab, domain, "--from", home, "--to", "bind", "--unsign")
    assert authenticated(lab, domain) == [False, False]


TOURS: dict[str, tuple[str, Callable[[Lab, str, str], None]]] = {
    "passed-knot.example": ("knot", passed),
    "passed-pdns.example": ("pdns", passed),
}


@pytest.fixture
def lab(tmp_path: Path) -> Iterator[Lab]:
    worker = int(os.environ.get("PYTEST_XDIST_WORKER", "gw9").removeprefix("gw"))
    domains = {domain: home for domain, (home, _) in TOURS.items()}
    made = Lab(tmp_path, 200 + worker, domains, signers=("knot", "pdns"), validating=True)
    try:
        made.start()
        yield made
    finally:
        made.stop()


def test_signed_domains_are_led_there_and_back_and_nothing_is_ever_bogus(lab: Lab) -> None:
    visitors = [Visitors(each.address, [*TOURS], rate=8.0) for each in lab.resolvers]
    for each in visitors:
        each.start()
    with ThreadPoolExecutor(len(TOURS)) as workers:
        works = {domain: workers.submit(tour, lab, domain, home) for domain, (home, tour) in TOURS.items()}
    failed = {domain: work.exception() for domain, work in works.items() if work.exception() is not None}
    for each in visitors:
        each.stop()
    assert not failed, "\n\n".join(f"{domain}: {str(error)[:2500]}" for domain, error in failed.items())
    assert [each.wrong[:5] for each in visitors] == [[], []]
    assert all(each.asked > 1000 for each in visitors)
