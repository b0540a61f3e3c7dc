"""Domains that went wrong, on real servers: the first finding's remedy is followed to the letter, and the domain is
better afterwards."""

import json
import os
import time
from collections.abc import Callable, Iterator
from dataclasses import replace
from typing import Any

import pytest

from legatum.core.records.name import parse_name
from legatum.wire.epp import DomainChange
from tests.real.lab import Lab
from tests.real.processes import NEEDS_SERVERS

pytestmark = NEEDS_SERVERS
EARLY, DOTLESS, ASTRAY, DEAD_ADDRESS, BARE = (
    f"{name}.example" for name in ("early", "dotless", "astray", "dead-address", "bare")
)
OWN = "ns1 3 A {bind}\nns2 3 A {bind2}\n"


@pytest.fixture(scope="module")
def lab(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Lab]:
    worker = int(os.environ.get("PYTEST_XDIST_WORKER", "gw9").removeprefix("gw"))
    made = Lab(
        tmp_path_factory.mktemp("lab"),
        230 + worker,
        {**dict.fromkeys((EARLY, ASTRAY, DEAD_ADDRESS, BARE), "bind"), DOTLESS: "knot"},
    )
    bare = "".join(f"bare 2 NS ns{each}.{BARE}.\n" for each in (1, 2))
    tld = made.top.zones["example"]
    made.top.zones["example"] = "".join(line + "\n" for line in tld.splitlines() if not line.startswith("bare ")) + bare
    try:
        made.start()
        yield made
    finally:
        made.stop()


def registry(lab: Lab, work: Callable[..., Any], *words: Any) -> None:
    """Somebody at the registrar's own pages."""
    done = lab.registry.loop.call_soon_threadsafe(work, *words)
    assert done is not None
    time.sleep(3.5)  # until the registry has published it


def worst(lab: Lab, domain: str) -> dict[str, dict[str, Any]]:
    """What is wrong with it but for notices, by slug; the worst first."""
    ended = lab.run("survey", domain, "--json", "--no-rdap")
    assert ended.status in (0, 1), ended.err
    found = json.loads(ended.out)["findings"]
    return {each["slug"]: each for each in found if each["severity"] == "error"}


def own_servers(lab: Lab, domain: str) -> None:
    """The domain gets name servers of its own, as the guide says."""
    for number, address in enumerate(lab.hostings["bind"].addresses, 1):
        lab.legatum(
            "hosts",
            "set",
            f"ns{number}",
            "--of",
            domain,
            "--address",
            address,
            "--at",
            "bind",
            "--registrar",
            "flint",
            "--yes",
        )
    time.sleep(3)
    enlisting = (
        "hosts",
        "enlist",
        "ns1",
        "ns2",
        "--of",
        domain,
        "--alone",
        "--wait",
        "--at",
        "bind",
        "--registrar",
        "flint",
        "--yes",
    )
    assert lab.legatum(*enlisting)["halt"] == "complete"
    time.sleep(3)
    assert worst(lab, domain) == {}


def test_moved_too_early(lab: Lab) -> None:
    old, new = ([parse_name(f"ns{each}.{name}.example.") for each in (1, 2)] for name in ("bind", "knot"))
    registry(
        lab,
        lab.registry.registry.domains.update,
        "flint",
        parse_name(EARLY + "."),
        DomainChange(tuple(new), tuple(old)),
    )
    found = worst(lab, EARLY)
    assert list(found) == ["moved-too-early"] and "server-refuses" in found["moved-too-early"]["explains"]
    assert (
        "Keep the service" in found["moved-too-early"]["remedy"]
        and "put its NS set back" in found["moved-too-early"]["remedy"]
    )
    lab.legatum("registration", "nameservers", EARLY, "--registrar", "flint", "--to", "bind", "--yes", "--wait")
    assert worst(lab, EARLY) == {}


def test_a_missing_final_dot(lab: Lab) -> None:
    doubled = f"ns2.knot.example.{DOTLESS}."
    lab.legatum("amend", DOTLESS, "@", "NS", "ns1.knot.example.", doubled, "--at", "knot", "--yes", "--anyway")
    found = worst(lab, DOTLESS)
    assert list(found) == ["ns-doubled-suffix"] and {"ns-only-at-parent", "ns-only-at-child"} <= set(
        found["ns-doubled-suffix"]["explains"]
    )
    lab.legatum("amend", DOTLESS, "@", "NS", "ns1.knot.example.", "ns2.knot.example.", "--at", "knot", "--yes")
    assert worst(lab, DOTLESS) == {}


@pytest.mark.parametrize(
    ("domain", "last", "in_zone", "slug", "explains"),
    [
        (ASTRAY, 20, False, "glue-leads-astray", "server-refuses"),
        (DEAD_ADDRESS, 99, True, "server-address-dead", "tcp-fails"),
    ],
)
def test_an_address_too_many(lab: Lab, domain: str, last: int, in_zone: bool, slug: str, explains: str) -> None:
    """Left over at the registry alone; or a dead one of a server that lives. The host is given the address that is
    right, and stays."""
    own_servers(lab, domain)
    right, wrong = lab.hostings["bind"].address, lab.host(last)
    if in_zone:
        lab.legatum("amend", domain, "ns1", "A", right, wrong, "--at", "bind", "--yes", "--anyway")
    registry(lab, lab.registry.registry.hosts.update, "flint", parse_name(f"ns1.{domain}."), [wrong], [])
    found = worst(lab, domain)
    assert list(found) == [slug] and explains in found[slug]["explains"], found
    setting = ("hosts", "set", f"ns1.{domain}", "--address", right, "--at", "bind", "--registrar", "flint", "--yes")
    lab.legatum(*setting)
    time.sleep(3.5)
    assert worst(lab, domain) == {}


def test_names_without_glue(lab: Lab) -> None:
    """A registrar that took the names, and nobody gave it the addresses."""
    held, names = lab.registry.registry.book.domains, tuple(parse_name(f"ns{each}.{BARE}.") for each in (1, 2))
    held[parse_name(BARE + ".")] = replace(held[parse_name(BARE + ".")], nameservers=names)
    for number, address in enumerate(lab.hostings["bind"].addresses, 1):
        lab.legatum("amend", BARE, f"ns{number}", "A", address, "--at", "bind", "--yes")
    lab.legatum("amend", BARE, "@", "NS", f"ns1.{BARE}", f"ns2.{BARE}", "--at", "bind", "--yes")
    ended = lab.run("hosts", "show", BARE, "--registrar", "flint")
    assert ended.status == 1 and f"names ns1.{BARE}, ns2.{BARE} and gives no address" in ended.out, ended.out
    assert list(worst(lab, BARE)) == ["glue-missing"]
    for number, address in enumerate(lab.hostings["bind"].addresses, 1):
        lab.legatum(
            "hosts", "set", f"ns{number}.{BARE}", "--address", address, "--at", "bind", "--registrar", "flint", "--yes"
        )
    assert worst(lab, BARE) == {}
    assert lab.legatum("hosts", "show", BARE, "--registrar", "flint")["agreed"]
