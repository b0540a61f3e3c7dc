"""Signed domains that stay signed - keys exchanged, an algorithm changed, led to another signer - on real servers,
visitors behind validating resolvers throughout; and the careless variants, which are bogus there.

Each twice, or there and back. What the servers can do stands in docs/servers.md.
"""

import os
import subprocess
import time
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import dns.message
import dns.query
import pytest

from legatum.core.dnssec.serving import ds_of_key
from legatum.core.records.name import parse_name
from tests.real.lab import Lab
from tests.real.processes import NEEDS_SERVERS
from tests.real.signing import (
    VALID,
    Careless,
    Tours,
    authenticated,
    carried_out,
    changed,
    failing,
    never_bogus,
    servers,
)

pytestmark = [pytest.mark.timeout(500), *NEEDS_SERVERS]


def whole(lab: Lab, domain: str) -> None:
    assert (
        authenticated(lab, domain) == [True, True] and lab.legatum("ds", "show", domain)["links"][-1]["state"] == VALID
    )


def exchanged(lab: Lab, domain: str, home: str, *ways: str, back: bool = False) -> None:
    """Another key, twice; ``back``: before that one that is taken back."""
    carried_out(lab, domain, "--from", home, "--sign")
    if back:
        carried_out(lab, domain, "--from", home, "--exchange", *ways, back=True, until="chain")
        whole(lab, domain)
    for _ in range(2):
        carried_out(lab, domain, "--from", home, "--exchange", *ways)
    whole(lab, domain)


def exchanged_with_both_signatures(lab: Lab, domain: str, home: str) -> None:
    exchanged(lab, domain, home, "--way", "double-signature", back=True)


def combined(lab: Lab, domain: str, home: str) -> None:
    """One key for all, which signs the zone only once it has the DS."""
    exchanged(lab, domain, home, "--way", "combined")


def other_algorithm(lab: Lab, domain: str, home: str) -> None:
    """To another one, and back to the first."""
    carried_out(lab, domain, "--from", home, "--sign")
    for number in ("14", "13"):
        carried_out(lab, domain, "--from", home, "--exchange", "--algorithm", number)
        held = lab.registry.registry.book.domains[parse_name(f"{domain}.")].ds
        assert [str(each[2]) for each in held] == [number]
    whole(lab, domain)


def shared(lab: Lab, domain: str, home: str) -> None:
    """Never insecure: to the other signer, taken back; there, and back."""
    other = "pdns" if home == "knot" else "knot"
    carried_out(lab, domain, "--from", home, "--sign")
    carried_out(lab, domain, "--from", home, "--to", other, back=True, until="confirm")
    whole(lab, domain)
    for old, new in ((home, other), (other, home)):
        carried_out(lab, domain, "--from", old, "--to", new)
        whole(lab, domain)


def brought(lab: Lab, domain: str, home: str) -> None:
    """With the same keys, there and back."""
    carried_out(lab, domain, "--from", home, "--sign")
    held = lab.registry.registry.book.domains[parse_name(f"{domain}.")].ds
    for old, new in ((home, "pdns"), ("pdns", home)):
        carried_out(lab, domain, "--from", old, "--to", new, "--passage", "same-keys")
        whole(lab, domain)
    assert lab.registry.registry.book.domains[parse_name(f"{domain}.")].ds == held


def transferred(lab: Lab, domain: str, home: str) -> None:
    """To another registrar, and - as if its sixty days had passed - back: the DS set comes out as it went in."""
    carried_out(lab, domain, "--from", home, "--sign")
    held, name = lab.registry.registry.book.domains, parse_name(f"{domain}.")
    before = held[name].ds
    for losing, gaining in (("flint", "slate"), ("slate", "flint")):
        carried_out(lab, domain, "--registrar-to", gaining, "--approve", registrar=losing)
        assert (held[name].registrar, held[name].ds) == (gaining, before) and before
        whole(lab, domain)
        held[name] = replace(held[name], transferred="2020-01-01T00:00:00Z")


def passed_bind(lab: Lab, domain: str, home: str) -> None:
    """By way of unsigned: taken back; there, and back. It cannot leave CDS records out, and the registry does not read
    them."""
    carried_out(lab, domain, "--from", home, "--sign")
    carried_out(lab, domain, "--from", home, "--to", "knot", "--passage", "unsigned", back=True, registrar="quiet")
    for old, new in ((home, "knot"), ("knot", home)):
        whole(lab, domain)
        carried_out(lab, domain, "--from", old, "--to", new, "--passage", "unsigned", registrar="quiet")
    whole(lab, domain)


def together(lab: Lab, domain: str, home: str) -> None:
    """Another signer beside, with a zone of its own; taken back; beside again, and the first one leaves."""
    other = "pdns" if home == "knot" else "knot"
    carried_out(lab, domain, "--from", home, "--sign")
    carried_out(lab, domain, "--from", home, "--second", other, back=True)
    whole(lab, domain)
    carried_out(lab, domain, "--from", home, "--second", other)
    whole(lab, domain)
    carried_out(lab, domain, "--without", home)
    whole(lab, domain)


TOURS: Tours = {
    "rolled-knot.example": ("knot", exchanged),
    "combined-knot.example": ("knot", combined),
    "rolled-bind.example": ("bind", exchanged),
    "passed-bind.example": ("bind", passed_bind),
    "rolled-pdns.example": ("pdns", exchanged_with_both_signatures),
    "algorithm-knot.example": ("knot", other_algorithm),
    "algorithm-pdns.example": ("pdns", other_algorithm),
    "shared-knot.example": ("knot", shared),
    "shared-pdns.example": ("pdns", shared),
    "together.example": ("knot", together),
    "brought.example": ("knot", brought),
    "transferred.example": ("pdns", transferred),
}


def keys_not_shared(lab: Lab, domain: str) -> None:
    """To another signer with both DS records in, and neither side's zone keys in the other's set."""
    carried_out(lab, domain, "--from", "knot", "--sign")
    lab.legatum("publish", domain, "--from", "knot", "--to", "pdns", "--yes")
    query = dns.message.make_query(domain, "DNSKEY")
    given = dns.query.tcp(query, lab.hostings["pdns"].address, timeout=5).answer[0]
    changed(lab, domain, add_ds=tuple(ds_of_key(parse_name(f"{domain}."), each.to_wire() or b"") for each in given))
    time.sleep(8)
    with failing(lab, domain):
        changed(lab, domain, add=servers("pdns"), remove=servers("knot"))
        time.sleep(6)


def old_key_gone(lab: Lab, domain: str) -> None:
    """The old key is taken out with its DS, not a TTL later."""
    carried_out(lab, domain, "--from", "pdns", "--sign")
    carried_out(lab, domain, "--from", "pdns", "--exchange", "--way", "double-signature", until="new-key")
    time.sleep(4)
    with failing(lab, domain):
        subprocess.run([str(lab.folder / "pdns" / "rekey"), domain, "old-key"], check=True, capture_output=True)


def algorithm_dropped(lab: Lab, domain: str) -> None:
    """The old algorithm's key and signatures are gone while its DS is there."""
    carried_out(lab, domain, "--from", "pdns", "--sign")
    for stage in ("new-signatures", "new-key"):
        subprocess.run([str(lab.folder / "pdns" / "rekey"), domain, stage], check=True, capture_output=True)
    time.sleep(4)
    with failing(lab, domain):
        subprocess.run([str(lab.folder / "pdns" / "rekey"), domain, "old-signatures"], check=True, capture_output=True)


def keys_left_behind(lab: Lab, domain: str) -> None:
    """To another signer, which makes keys of its own instead of taking those that the DS is of."""
    carried_out(lab, domain, "--from", "knot", "--sign")
    lab.legatum("publish", domain, "--from", "knot", "--to", "pdns", "--yes")
    with failing(lab, domain):
        changed(lab, domain, add=servers("pdns"), remove=servers("knot"))
        time.sleep(6)


def mistyped_after_a_transfer(lab: Lab, domain: str) -> None:
    """The DS set typed again at the new registrar, with one digit wrong."""
    carried_out(lab, domain, "--from", "pdns", "--sign")
    registry, name = lab.registry.registry, parse_name(f"{domain}.")
    right = registry.book.domains[name].ds
    wrong = tuple(each[:-1] + bytes((each[-1] ^ 1,)) for each in right)
    code = registry.book.domains[name].code
    with failing(lab, domain):
        for each in (
            (registry.transfers.request, "slate", name, code, 1),
            (registry.transfers.act, "flint", name, "approve"),
        ):
            lab.registry.loop.call_soon_threadsafe(*each)
        changed(lab, domain, "slate", add_ds=wrong, remove_ds=right)
        time.sleep(6)
    assert registry.book.domains[name].ds == wrong


CARELESS: Careless = {
    "keys-not-shared.example": ("knot", keys_not_shared),
    "old-key-gone.example": ("pdns", old_key_gone),
    "algorithm-dropped.example": ("pdns", algorithm_dropped),
    "keys-left-behind.example": ("knot", keys_left_behind),
    "mistyped.example": ("pdns", mistyped_after_a_transfer),
}


@pytest.fixture
def lab(tmp_path: Path) -> Iterator[Lab]:
    worker = int(os.environ.get("PYTEST_XDIST_WORKER", "gw9").removeprefix("gw"))
    domains = {domain: home for domain, (home, _) in {**TOURS, **CARELESS}.items()}
    made = Lab(tmp_path, 180 + worker, domains, signers=("bind", "knot", "pdns"), validating=True)
    try:
        made.start()
        settings = made.folder / "legatum.toml"
        account = settings.read_text().partition("[registrars.flint]\n")[2].partition("[registrars.")[0]
        settings.write_text(f"{settings.read_text()}\n[registrars.quiet]\nreads_cds = false\n{account}")
        yield made
    finally:
        made.stop()


def test_keys_and_signers_change_and_nothing_is_ever_bogus(lab: Lab) -> None:
    never_bogus(lab, TOURS, CARELESS, rate=3.0)
