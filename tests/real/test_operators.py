"""Two operators on two hosts, with a PostgreSQL and name servers on others: whoever is killed, cut off or slow, the
other one goes on."""

import os
import pwd
import shutil
import subprocess
import time
import tomllib
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import dns.query
import dns.rdatatype
import dns.tsig
import dns.tsigkeyring
import dns.zone
import pytest

from tests.deadly import POINTS, deadly
from tests.journal.postgresql import BIN
from tests.real.hosts import Host, Wire
from tests.real.processes import KEY_NAME, NEEDS_SERVERS, program
from tests.started import Ended, run_program

pytestmark = NEEDS_SERVERS
NET = "10.203.79"
DOMAINS = ("quay.test", "pier.test")  # one under two operators, and beside it one that nothing happens to
ROOT = (
    f"$TTL 60\n. SOA a.root.test. host.test. 1 60 60 3600 3\n. NS a.root.test.\na.root.test. A {NET}.10\n"
    "test. NS a.root.test.\n"
)
TLD = (
    f"$TTL 5\n$ORIGIN test.\n@ SOA a.root.test. host.test. 1 60 60 3600 3\n@ NS a.root.test.\na.root A {NET}.10\n"
    f"ns1.hosting A {NET}.10\nns2.hosting A {NET}.11\n"
    + "".join(f"{each}. NS ns1.hosting\n{each}. NS ns2.hosting\n" for each in DOMAINS)
)
ZONE = """$TTL 3
@ SOA ns1.hosting.test. host.test. 1 60 60 3600 3
@ NS ns1.hosting.test.
@ NS ns2.hosting.test.
@ A 198.51.100.7
www A 198.51.100.7
"""
SECRET = "MDEyMzQ1Njc4OWFiY2RlZjAxMjM0NTY3ODlhYmNkZWY="
WISH = ("--replace", "198.51.100.7=198.51.100.8", "--soa", "refresh=120")


class Office:
    """``operators``: name → host; each has a folder of settings and nothing else."""

    def __init__(self, folder: Path) -> None:
        self.folder, self.wire = folder, Wire(NET)
        self._database(self.wire.host("db", 2))
        self._servers(self.wire.host("dns", 10, f"{NET}.11"))
        self.operators = {name: self.wire.host(name, last) for name, last in (("ada", 3), ("ben", 4))}
        for name, host in self.operators.items():
            host.ip("route", "add", f"{NET}.11", "via", f"{NET}.10")
            self._settle(name)

    def _database(self, host: Host) -> None:
        assert BIN is not None
        account, data = pwd.getpwnam("postgres"), Path("/tmp") / f"{host.space}-data"
        self.data = data
        data.mkdir()
        os.chown(data, account.pw_uid, account.pw_gid)
        made = [str(BIN / "initdb"), "-D", str(data), "-A", "trust", "-U", "quillmoor", "--no-sync"]
        subprocess.run(["runuser", "-u", "postgres", "--", *made], check=True, capture_output=True)
        with (data / "pg_hba.conf").open("a") as file:
            file.write(f"host all all {NET}.0/24 trust\n")
        words = [
            str(BIN / "postgres"),
            "-D",
            str(data),
            "-c",
            f"listen_addresses={host.address}",
            "-k",
            str(data),
            "-c",
            "fsync=off",
        ]
        host.start(["runuser", "-u", "postgres", "--", *words], self.folder / "postgres.log")

    def _servers(self, host: Host) -> None:
        folder = self.folder / "knot"
        folder.mkdir()
        for name, text in {"root": ROOT, "test": TLD, **dict.fromkeys(DOMAINS, ZONE)}.items():
            (folder / f"{name}.zone").write_text(text)
        zones = "".join(
            f"  - domain: {name}\n    file: {file}.zone\n    acl: [keyed]\n"
            for name, file in ((".", "root"), ("test", "test"))
        )
        zones += "".join(f"  - domain: {name}\n    file: {name}.zone\n    acl: [keyed]\n" for name in DOMAINS)
        (folder / "knot.conf").write_text(
            f"server:\n  rundir: {folder}\n  listen: [{NET}.10@53, {NET}.11@53]\nlog:\n  - target: stderr\n  "
            "  any: info\n"
            f"database:\n  storage: {folder}\nkey:\n  - id: {KEY_NAME}\n    algorithm: hmac-sha256\n    "
            f"secret: {SECRET}\n"
            f"acl:\n  - id: keyed\n    key: {KEY_NAME}\n    action: [transfer, update]\n"
            f"template:\n  - id: default\n    storage: {folder}\n    zonefile-sync: -1\n    journal-content: "
            f"all\nzone:\n{zones}"
        )
        host.start([str(program("knotd")), "-c", str(folder / "knot.conf")], folder / "log")

    def _settle(self, name: str) -> None:
        folder = self.folder / name
        folder.mkdir()
        (folder / "key.secret").write_text(SECRET)
        (folder / "key.secret").chmod(0o600)
        (folder / "legatum.toml").write_text(
            f'journal = "postgresql://quillmoor@{NET}.2/postgres"\ndomains = "house.txt"\n'
            f'[network]\nroots = {{ "a.root.test" = ["{NET}.10"] }}\nhome = ["10.0.0.0/8"]\nipv6 = false\n'
            'timeout = "1s"\n'
            f'[house]\noperator = "{name}"\nfloor = "1s"\nmargin = "1s"\npoll = "1s"\nlow_ttl = "3s"\n'
            'patience = "30s"\n'
            f'[providers.hosting]\nkind = "update"\nprimary = "{NET}.10"\nservers = ["ns1.hosting.test", '
            '"ns2.hosting.test"]\n'
            f'key = {{ name = "{KEY_NAME}", secret = "file:key.secret" }}\n'
        )

    def run(self, name: str, *words: str, before: str = "") -> Ended:
        """As the operator, on his host."""
        there = f"import ctypes, os\nspace = os.open('/run/netns/{self.operators[name].space}', os.O_RDONLY)\n"
        there += "assert ctypes.CDLL(None, use_errno=True).setns(space, 0x40000000) == 0\nos.close(space)\n"
        return run_program([*words, "--settings", "legatum.toml"], self.folder / name, {}, before=there + before)

    def done(self, name: str, *words: str) -> Any:
        ended = self.run(name, *words, "--json")
        assert ended.status == 0, [print(ended.err), words]
        return ended.document

    def until_free(self, name: str, *words: str, before: str = "") -> Ended:
        """Once nobody else works on it: a database takes a moment to see that a client is gone."""
        given_up = time.monotonic() + 20
        while True:
            ended = self.run(name, *words, before=before)
            if "is being worked on by" not in ended.err:
                return ended
            assert time.monotonic() < given_up
            time.sleep(0.1)

    def served(self, domain: str) -> tuple[int, list[str]]:
        """The serial, and everything else."""
        keyring = dns.tsigkeyring.from_text({KEY_NAME: SECRET})
        came = dns.query.xfr(f"{NET}.10", domain, keyring=keyring, keyalgorithm=dns.tsig.HMAC_SHA256, relativize=True)
        zone = dns.zone.from_xfr(came)
        texts = [
            text
            for name in zone
            for each in zone[name]
            if each.rdtype != dns.rdatatype.SOA
            for text in [f"{name} {each}"]
        ]
        return zone.find_rdataset("@", "SOA")[0].serial, sorted(texts)

    def close(self) -> None:
        self.wire.close()
        shutil.rmtree(self.data, ignore_errors=True)


@pytest.fixture
def office(tmp_path: Path) -> Iterator[Office]:
    found = Office(tmp_path)
    try:
        given_up = time.monotonic() + 30
        while (
            found.run("ada", "journal", "state").status
            or found.run("ben", "survey", DOMAINS[0], "--no-rdap").status > 1
        ):
            assert time.monotonic() < given_up
            time.sleep(0.2)
        yield found
    finally:
        found.close()


def test_one_is_killed_at_every_point_and_the_other_goes_on(office: Office) -> None:
    killed, whole = DOMAINS
    (office.folder / "ada" / "house.txt").write_text("\n".join(DOMAINS))
    for domain in DOMAINS:
        office.done("ada", "move", "draft", domain, *WISH)
    file = office.folder / "ada" / "moves" / f"{killed}.move.toml"
    steps = [step["id"] for step in tomllib.loads(file.read_text())["steps"]]
    assert len(steps) > 3 and not (office.folder / "ben" / "moves").exists()
    office.done("ada", "house")
    assert {each["domain"] for each in office.done("ben", "house")["moves"]} == set(
        DOMAINS
    )  # what one drafted the other one has
    assert (office.folder / "ben" / "house.txt").read_text() == "\n".join(DOMAINS)

    office.done("ada", "move", "advance", whole, "--yes", "--wait")
    turn = 0
    for step in steps:
        for point in POINTS:
            who = ("ben", "ada")[turn % 2]
            ended = office.until_free(who, "move", "advance", killed, "--yes", "--wait", before=deadly(point, step))
            turn += ended.status < 0 or ended.status > 100
    assert turn >= len(steps) * 2  # so often it was cut off
    ended = office.until_free("ben", "move", "advance", killed, "--yes", "--wait")
    assert ended.status == 0, ended.err
    assert office.served(killed) == office.served(whole)  # as many changes as without
    acts = [act for history in office.done("ada", "history", killed, "--json")["acts"] for act in [history]]
    assert {act["who"] for act in acts} == {"ada", "ben"}


def test_a_host_cut_off_and_a_database_that_takes_nothing(office: Office) -> None:
    domain = DOMAINS[0]
    office.done("ada", "move", "draft", domain, *WISH)
    before = office.served(domain)
    office.operators["ben"].cut_off()
    ended = office.run("ben", "move", "advance", domain, "--yes")
    assert ended.status == 3 and ended.err.count("\nlegatum: ") + ended.err.startswith("legatum: ") == 1, ended.err
    words = [
        "-h",
        f"{NET}.2",
        "-U",
        "quillmoor",
        "-c",
        "ALTER DATABASE postgres SET default_transaction_read_only = on",
        "postgres",
    ]
    assert BIN is not None
    subprocess.run([*office.operators["ada"].prefix, str(BIN / "psql"), *words], check=True, capture_output=True)
    ended = office.run("ada", "move", "advance", domain, "--yes")
    assert ended.status == 3 and "read-only" in ended.err, ended.err
    assert office.served(domain) == before
