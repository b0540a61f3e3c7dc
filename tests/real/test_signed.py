"""Signed domains moved, connected and disconnected, on real signers, visitors behind validating resolvers throughout.

The TLD is signed, and Unbound and BIND validate by its key: whatever is bogus is a failure to a visitor. TTLs are
seconds.
"""

import os
import subprocess
import time
from collections.abc import Iterator
from pathlib import Path

import pytest

from legatum.core.agreement.expected import parse_ds_text
from legatum.core.records.name import parse_name
from tests.real.lab import RECORDS, Lab, blank
from tests.real.processes import NEEDS_SERVERS
from tests.real.signing import VALID, Careless, Tours, authenticated, carried_out, changed, never_bogus, servers
from tests.real.visitors import Noticed

pytestmark = [pytest.mark.timeout(400), *NEEDS_SERVERS]


def connected(lab: Lab, domain: str, home: str) -> None:
    """Signed by a command of the settings and connected, taken back; signed again, and unsigned by a move of its own;
    twice."""
    for _ in range(2):
        carried_out(lab, domain, "--from", home, "--sign", back=True)
        assert authenticated(lab, domain) == [False, False]
        carried_out(lab, domain, "--from", home, "--sign")
        assert (
            authenticated(lab, domain) == [True, True]
            and lab.legatum("ds", "show", domain)["links"][-1]["state"] == VALID
        )
        carried_out(lab, domain, "--from", home, "--unsign")
        assert authenticated(lab, domain) == [False, False]


def passed(lab: Lab, domain: str, home: str) -> None:
    """To another provider that signs, unsigned on the way; and back."""
    other = "pdns" if home == "knot" else "knot"
    carried_out(lab, domain, "--from", home, "--sign")
    for old, new in ((home, other), (other, home)):
        assert authenticated(lab, domain) == [True, True]
        carried_out(lab, domain, "--from", old, "--to", new, "--passage", "unsigned")
    assert authenticated(lab, domain) == [True, True]
    carried_out(lab, domain, "--from", home, "--to", "bind", "--unsign")
    assert authenticated(lab, domain) == [False, False]


def copied(lab: Lab, domain: str, home: str) -> None:
    """A secondary of the signed data beside, and gone again; twice."""
    carried_out(lab, domain, "--from", home, "--sign")
    for _ in range(2):
        carried_out(lab, domain, "--from", home, "--second", f"copy-{home}")
        shown = lab.legatum("ds", "show", domain)["links"][-1]
        assert shown["state"] == VALID and lab.copy.address in [each["address"] for each in shown["servers"]]
        carried_out(lab, domain, "--from", home, "--without", f"copy-{home}")
    assert authenticated(lab, domain) == [True, True]


TOURS: Tours = {
    "passed-knot.example": ("knot", passed),
    "passed-pdns.example": ("pdns", passed),
    "connected.example": ("on-demand", connected),
    "copied-knot.example": ("knot", copied),
}


def ds_left(lab: Lab, domain: str) -> None:
    """Led to an unsigned copy, under the DS."""
    carried_out(lab, domain, "--from", "knot", "--sign")
    time.sleep(4)
    with Noticed(lab.resolvers, domain) as noticed:
        changed(lab, domain, add=servers("bind"), remove=servers("knot"))
    assert domain in noticed.names
    shown = lab.legatum("ds", "show", domain, status=1)
    assert shown["state"] == "connected and broken" and "serves ds-left.example unsigned, under DS" in shown["why"]


def ds_early(lab: Lab, domain: str) -> None:
    """Before anybody signs."""
    with Noticed(lab.resolvers, domain) as noticed:
        changed(lab, domain, add_ds=(parse_ds_text("4711 13 2 " + "ab" * 32),))
    assert domain in noticed.names


def keys_gone(lab: Lab, domain: str) -> None:
    """The signing ended with the DS, not its TTL later."""
    carried_out(lab, domain, "--from", "pdns", "--sign")
    time.sleep(4)
    held = lab.registry.registry.book.domains[parse_name(f"{domain}.")].ds
    with Noticed(lab.resolvers, domain) as noticed:
        changed(lab, domain, remove_ds=held)
        subprocess.run([str(lab.folder / "pdns" / "unsign"), domain], check=True, capture_output=True)
    assert domain in noticed.names


CARELESS: Careless = {
    "ds-left.example": ("knot", ds_left),
    "ds-early.example": ("bind", ds_early),
    "keys-gone.example": ("pdns", keys_gone),
}


@pytest.fixture
def lab(tmp_path: Path) -> Iterator[Lab]:
    """``on-demand`` is the PowerDNS as a provider that signs when it is told to."""
    worker = int(os.environ.get("PYTEST_XDIST_WORKER", "gw9").removeprefix("gw"))
    homes = {domain: home for domain, (home, _) in {**TOURS, **CARELESS}.items()}
    domains = {domain: "pdns" if home == "on-demand" else home for domain, home in homes.items()}
    beside = {("bind", "ds-left.example"): blank("bind", "ds-left.example") + RECORDS}
    made = Lab(tmp_path, 200 + worker, domains, beside=beside, signers=("knot", "pdns"), validating=True)
    signer = made.hostings["pdns"]
    signer.signing = tuple(each for each in signer.signing if each != "connected.example")
    try:
        made.start()
        on_demand = signer.settings().replace("[providers.pdns]", "[providers.on-demand]").replace("signs = true\n", "")
        settings = made.folder / "legatum.toml"
        settings.write_text(settings.read_text() + on_demand)
        yield made
    finally:
        made.stop()


def test_signed_domains_are_led_there_and_back_and_nothing_is_ever_bogus(lab: Lab) -> None:
    never_bogus(lab, TOURS, CARELESS, rate=4.0)
