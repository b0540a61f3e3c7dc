"""Moves of every kind, there and back, twice, on each of BIND, Knot, NSD and PowerDNS, visitors throughout.

All go on side by side: for each server a domain for each tour. TTLs are seconds, so that every hold is really waited
for. Not one answer may be wrong. The second time the program is killed in every step, each time at another point, and
must change as much as the first time.
"""

import os
import signal
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest

from legatum.core.records.name import parse_name
from tests.deadly import deadly_at
from tests.real.lab import NAMES, RECORDS, Lab, blank
from tests.real.person import Person
from tests.real.processes import NEEDS_SERVERS, asked, outcome
from tests.real.visitors import Visitors

pytestmark = [pytest.mark.timeout(500), *NEEDS_SERVERS]
POST = """ttl = "4s"
[records]
"@" = { MX = ["10 {host}."], "TXT+" = "v=spf1 include:{host} -all" }
"autumn._domainkey" = { TXT = "v=DKIM1; p=abcd" }
"_imaps._tcp" = { SRV = "0 1 993 {host}." }
"""
LEADING = ("--registrar", "flint", "--publishing", "5s")


def carried_out(lab: Lab, domain: str, *wishes: str, killed: bool = False, back: bool = False) -> None:
    """``killed``: over and over, at one point after the other; ``back``: taken back again afterwards."""
    drafted = lab.legatum("move", "draft", domain, *wishes)
    assert drafted["steps"], drafted
    assert lab.legatum("move", "rehearse", domain)["safe"]
    for verb in ("advance", "retreat") if back else ("advance",):
        words = ("move", verb, domain, "--yes", "--wait")
        if killed:
            died = 0
            while (ended := lab.run(*words, before=deadly_at(died))).status == -signal.SIGKILL:
                died += 1
            assert ended.status == 0 and len(drafted["steps"]) // 2 <= died < 60, (domain, died, ended.err)
        assert lab.legatum(*words)["halt"] == "complete"


def changes_at(lab: Lab, domain: str, provider: str) -> tuple[int, int]:
    """Serial at the provider, and updates at the registry: every change adds to one of them."""
    given = asked(lab.hostings[provider].address, domain, "SOA")
    return int(given.answer[0][0].serial), lab.registry.changed.count(parse_name(f"{domain}."))  # type: ignore[attr-defined]


def difference(before: tuple[int, int], after: tuple[int, int]) -> tuple[int, int]:
    return after[0] - before[0], after[1] - before[1]


def answered(lab: Lab, provider: str, name: str) -> list[int]:
    """Response codes of its servers, for the SOA there."""
    return [outcome(each, name, 6, False) for each in lab.hostings[provider].addresses]


def other_than(home: str) -> str:
    return NAMES[(NAMES.index(home) + 1) % len(NAMES)]


def records(lab: Lab, domain: str, provider: str) -> list[str]:
    text = lab.run("gather", domain, "--from", provider, "--out", "-").out
    return sorted(line for line in text.splitlines() if not line.startswith(";") and " SOA " not in line)


def zone_data(lab: Lab, domain: str, home: str) -> None:
    """A TTL, the SOA record and an address changed, each taken back by a retreat, and a part handed on and taken back;
    all of it twice."""
    before, done = records(lab, domain, home), list[tuple[int, int]]()
    for killed in (False, True):
        began = changes_at(lab, domain, home)
        for wishes in (
            ("--ttl", "www CNAME=9s"),
            ("--soa", "refresh=50s", "--soa", "mailbox=dns@quillmoor.example"),
            ("--replace", "203.0.113.25=203.0.113.26"),
        ):
            carried_out(lab, domain, "--from", home, *wishes, killed=killed, back=True)
        done.append(difference(began, changes_at(lab, domain, home)))
    assert done[0] == done[1] and done[0][0] >= 6
    assert before == records(lab, domain, home)


def by_others(lab: Lab, domain: str, home: str) -> None:
    """Site and mail by somebody else, and a text for a while, in one plan, and taken back; twice."""
    before, there = records(lab, domain, home), f"{home}-parts.example"
    for _ in range(2):
        wishes = (
            "--alias",
            f"www=www.{there}",
            "--mail",
            "post",
            "--set",
            f"host=mail.{there}",
            "--verify",
            "_check TXT seen",
            "--verify-for",
            "5s",
        )
        carried_out(lab, domain, "--from", home, *wishes, back=True)
        assert before == records(lab, domain, home)


def parts(lab: Lab, domain: str, home: str) -> None:
    """A part handed on and taken back, twice."""
    before, other = records(lab, domain, home), other_than(home)
    for _ in range(2):
        part = ("delegate", "a", "--of", domain, "--at", home, "--to", other, "--ttl", "3s", "--yes", "--wait")
        assert lab.legatum(*part)["halt"] == "complete"
        assert answered(lab, other, f"a.{domain}") == [0, 0]
        assert lab.legatum(*part, "--back")["halt"] == "complete"
        assert answered(lab, other, f"a.{domain}") == [5, 5]
    assert before == records(lab, domain, home)


def together(lab: Lab, domain: str, home: str) -> None:
    """Another provider, address, TTL and, the first time, registrar in one plan; all of it back in another; twice."""
    other, done = other_than(home), list[int]()
    for killed in (False, True):
        began = lab.registry.changed.count(parse_name(f"{domain}."))
        there = ("--to", other, "--replace", "203.0.113.25=203.0.113.26", "--ttl", "www CNAME=5s")
        leading = (
            ("--registrar", "slate", *LEADING[2:]) if killed else (*LEADING, "--registrar-to", "slate", "--approve")
        )
        carried_out(lab, domain, "--from", home, *there, *leading, killed=killed)
        assert (answered(lab, home, domain), answered(lab, other, domain)) == ([5, 5], [0, 0])
        back = ("--to", home, "--replace", "203.0.113.26=203.0.113.25", "--ttl", "www CNAME=3s")
        carried_out(lab, domain, "--from", other, *back, "--registrar", "slate", *LEADING[2:], killed=killed)
        assert (answered(lab, home, domain), answered(lab, other, domain)) == ([0, 0], [5, 5])
        done.append(lab.registry.changed.count(parse_name(f"{domain}.")) - began)
    assert done[0] >= done[1] == 2


def own_servers(lab: Lab, domain: str, home: str) -> None:
    """Own name servers set up, one of them renumbered there and back, and given up; all of it twice."""
    hosting, hosts = lab.hostings[home], [f"ns{number}.{domain}" for number in (1, 2)]
    one, two = (f"{host}={address}" for host, address in zip(hosts, hosting.addresses, strict=True))
    done = list[tuple[int, int]]()
    for killed in (False, True):
        began = changes_at(lab, domain, home)
        carried_out(lab, domain, "--from", home, "--hosts", one, "--hosts", two, *LEADING, killed=killed)
        assert lab.legatum("hosts", "show", domain, "--registrar", "flint")["agreed"]
        for address in (hosting.spare, hosting.addresses[1]):
            carried_out(lab, domain, "--from", home, "--hosts", f"{hosts[1]}={address}", *LEADING, killed=killed)
        carried_out(
            lab, domain, "--from", home, "--hosts", f"{hosts[0]}=", "--hosts", f"{hosts[1]}=", *LEADING, killed=killed
        )
        done.append(difference(began, changes_at(lab, domain, home)))
    assert done[0] == done[1]


def copied(lab: Lab, domain: str, home: str) -> None:
    """A secondary beside, the serial set to a lower one over it, and the secondary gone again; all of it twice."""
    second = f"copy-{home}"
    for serial, killed in ((7, False), (5, True)):
        carried_out(lab, domain, "--from", home, "--second", second, *LEADING, killed=killed)
        carried_out(lab, domain, "--from", home, "--soa", f"serial={serial}", killed=killed)
        shown = lab.legatum("second", "show", domain, "--at", home, "--second", second)
        assert shown["agreed"] and {each["serial"] for each in shown["servers"]} == {serial}
        carried_out(lab, domain, "--from", home, "--without", second, *LEADING, killed=killed)
        assert outcome(lab.copy.address, domain, 6, False) == 5


def first_and_last(lab: Lab, domain: str, home: str) -> None:
    """Delegated for the first time, visited, and retired; twice."""
    for killed in (False, True):
        if killed:
            file = lab.folder / f"{domain}.zone"
            file.write_text(blank(home, domain) + RECORDS)
            lab.legatum("publish", domain, "--to", home, "--from", str(file), "--yes", "--anyway")
        if killed and home == "bind":
            Person(lab, domain, "flint").carry_out("--first", "--from", home, *LEADING)
        else:
            carried_out(lab, domain, "--first", "--from", home, *LEADING, killed=killed)
        visitors = [Visitors(each.address, [domain]) for each in lab.resolvers]
        for each in visitors:
            each.start()
        lab.legatum("confirm", domain, "--registrar", "flint")
        time.sleep(4)
        for each in visitors:
            each.stop()
        assert [each.wrong for each in visitors] == [[], []] and all(each.asked > 20 for each in visitors)
        if killed and home == "nsd":
            Person(lab, domain, home).carry_out("--retire", "--from", home, *LEADING)
        else:
            carried_out(lab, domain, "--retire", "--from", home, *LEADING, killed=killed)
        assert outcome(lab.resolvers[0].address, domain, 6, True) == 3 and answered(lab, home, domain) == [5, 5]


def by_form(lab: Lab, domain: str, home: str) -> None:
    """At one provider after the other what a move changes there is typed by a person: of every kind at one of them."""
    person, one = Person(lab, domain, home), f"ns1.{domain}"
    here = ("--from", home)
    match home:
        case "bind":
            person.carry_out(*here, "--ttl", "www CNAME=9s")
            person.carry_out(*here, "--soa", "refresh=50s")
            person.carry_out(*here, "--replace", "203.0.113.25=203.0.113.26")
            person.carry_out(*here, "--second", "copy-bind", *LEADING)
            person.carry_out(*here, "--soa", "serial=7")
            person.carry_out(*here, "--without", "copy-bind", *LEADING)
            person.carry_out(*here, "--part", "a=knot", "--ttl", "a NS=3s")
            person.take_back()
        case "knot":
            person.carry_out(*here, "--hosts", f"{one}={lab.hostings[home].addresses[0]}", *LEADING)
            person.carry_out(*here, "--hosts", f"{one}={lab.hostings[home].spare}", *LEADING)
        case "nsd":
            person.carry_out(*here, "--second", "copy-nsd", *LEADING)
            person.carry_out(*here, "--without", "copy-nsd", *LEADING)
        case "pdns":
            there = ("--replace", "203.0.113.25=203.0.113.26", "--registrar-to", "slate", "--approve")
            person.carry_out(*here, "--to", "bind", *there, *LEADING)
            person.carry_out("--from", "bind", "--to", home, "--registrar", "slate", *LEADING[2:])


TOURS: dict[str, Callable[[Lab, str, str], None]] = {
    "zone-data": zone_data,
    "by-others": by_others,
    "parts": parts,
    "by-form": by_form,
    "together": together,
    "own-servers": own_servers,
    "copied": copied,
}
DOMAINS = {f"{home}-{tour}.example": home for home in NAMES for tour in TOURS}
NEW = {f"{home}-new.example": home for home in NAMES}


@pytest.fixture
def lab(tmp_path: Path) -> Iterator[Lab]:
    worker = int(os.environ.get("PYTEST_XDIST_WORKER", "gw9").removeprefix("gw"))
    beside = {(home, domain): blank(home, domain) + RECORDS for domain, home in NEW.items()}
    made = Lab(tmp_path, 180 + worker, DOMAINS, beside=beside, bare=NEW)
    (tmp_path / "templates").mkdir()
    (tmp_path / "templates" / "post.toml").write_text(POST)
    try:
        made.start()
        yield made
    finally:
        made.stop()


def test_every_kind_there_and_back_on_each_server_and_nobody_notices(lab: Lab) -> None:
    visitors = [Visitors(each.address, [*DOMAINS], rate=2.5) for each in lab.resolvers]
    for each in visitors:
        each.start()
    with ThreadPoolExecutor(len(DOMAINS) + len(NEW)) as workers:
        works = {
            domain: workers.submit(TOURS[domain[len(home) + 1 : -8]], lab, domain, home)
            for domain, home in DOMAINS.items()
        }
        works |= {domain: workers.submit(first_and_last, lab, domain, home) for domain, home in NEW.items()}
    failed = {domain: work.exception() for domain, work in works.items() if work.exception() is not None}
    for each in visitors:
        each.stop()
    assert not failed, "\n\n".join(f"{domain}: {str(error)[:1500]}" for domain, error in failed.items())
    assert [each.wrong[:5] for each in visitors] == [[], []]
    assert all(each.asked > 1000 for each in visitors)
