"""A domain moves from BIND to Knot with the installed program, while a visitor asks Unbound without pause.

Own root and TLD on BIND, transfers and updates signed, the registry's EPP server publishing into the TLD by dynamic
update. TTLs are seconds, so every hold is really waited for.
"""

import base64
import json
import os
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from pathlib import Path

import pytest

from legatum.core.records.name import parse_name
from legatum.wire.epp import DomainChange
from legatum.wire.tsig import TsigKey
from tests.real.processes import KEY_NAME, NEEDS_SERVERS, Bind, Knot, Unbound, outcome, stop_all
from tests.real.registry_thread import RegistryThread

DOMAIN = "kilnandclay.example"
PARENT_TTL, NS_TTL = 4, 6

pytestmark = NEEDS_SERVERS

SOA = "SOA {primary}. hostmaster.{primary}. {serial} 60 20 3600 3"
CUSTOMER = f"""$ORIGIN {DOMAIN}.
@ 5 IN {SOA.format(primary="ns1.alder.example", serial=2031030402)}
@ {NS_TTL} IN NS ns1.alder.example.
@ {NS_TTL} IN NS ns2.alder.example.
@ 5 IN A 198.51.100.80
@ 5 IN MX 10 mail
@ 5 IN TXT "v=spf1 mx -all"
www 5 IN CNAME @
mail 5 IN A 203.0.113.25
*.preview 5 IN A 198.51.100.83
_imaps._tcp 5 IN SRV 0 1 993 mail
winter._domainkey 5 IN TXT ( "{"k" * 250}" "{"m" * 200}" )
odd 5 IN TYPE731 \\# 4 0a0b0c0d
"""


class Visitor(threading.Thread):
    """Asks a resolver ten times a second; ``failures`` are the moments at which there was no good answer."""

    def __init__(self, resolver: str) -> None:
        super().__init__(daemon=True)
        self.resolver, self.asked, self.ended = resolver, 0, threading.Event()
        self.failures: list[tuple[float, str, int | None]] = []

    def run(self) -> None:
        names = [(f"www.{DOMAIN}", 1), (DOMAIN, 15), (f"shop.preview.{DOMAIN}", 1)]
        while not self.ended.wait(0.1):
            name, rtype = names[self.asked % len(names)]
            self.asked += 1
            rcode = outcome(self.resolver, name, rtype, recursion=True)
            if rcode != 0:
                self.failures.append((time.time(), name, rcode))

    def stop(self) -> None:
        self.ended.set()
        self.join(20)


class Network:
    """All servers of the test, and the settings to use them with."""

    def __init__(self, folder: Path, number: int) -> None:
        self.folder = folder
        self.host = lambda last: f"127.{40 + number}.0.{last}"
        self.secrets = {name: os.urandom(32) for name in ("registry", "alder", "birch")}
        host, secret = self.host, {name: base64.b64encode(each).decode() for name, each in self.secrets.items()}
        root = (
            f"$ORIGIN .\n@ 60 IN {SOA.format(primary='a.root.test', serial=1)}\n@ 60 IN NS a.root.test.\n"
            f"a.root.test. 60 IN A {host(1)}\n"
        )
        root += f"example. 60 IN NS a.nic.example.\na.nic.example. 60 IN A {host(2)}\n"
        tld = (
            f"$ORIGIN example.\n@ 60 IN {SOA.format(primary='a.nic.example', serial=1)}\n@ 60 IN NS a.nic\n"
            f"a.nic 60 IN A {host(2)}\n"
        )
        for provider, last in (("alder", 11), ("birch", 21)):
            tld += f"{provider} 60 IN NS ns1.{provider}\n{provider} 60 IN NS ns2.{provider}\n"
            tld += f"ns1.{provider} 60 IN A {host(last)}\nns2.{provider} 60 IN A {host(last + 1)}\n"
        tld += f"kilnandclay {PARENT_TTL} IN NS ns1.alder\nkilnandclay {PARENT_TTL} IN NS ns2.alder\n"
        blank = (
            f"$ORIGIN {DOMAIN}.\n@ 5 IN {SOA.format(primary='ns1.birch.example', serial=1)}\n@ 5 IN NS "
            "ns1.birch.example.\n"
        )
        alder = {DOMAIN: CUSTOMER, "alder.example": self._own("alder", 11)}
        birch = {DOMAIN: blank, "birch.example": self._own("birch", 21)}
        self.alder = [
            Bind(folder / "alder1", host(11), DOMAIN, secret=secret["alder"], zones=alder, notify=[host(12)]),
            Bind(folder / "alder2", host(12), DOMAIN, secret=secret["alder"], secondary=dict.fromkeys(alder, host(11))),
        ]
        self.servers = [
            Bind(folder / "root", host(1), ".", secret=secret["registry"], zones={".": root}),
            Bind(folder / "tld", host(2), "example", secret=secret["registry"], zones={"example": tld}),
            *self.alder,
            Knot(folder / "birch1", host(21), DOMAIN, secret=secret["birch"], zones=birch, notify=[host(22)]),
            Knot(folder / "birch2", host(22), DOMAIN, secret=secret["birch"], secondary=dict.fromkeys(birch, host(21))),
        ]
        self.unbound = Unbound(folder / "unbound", host(31), ".", roots={"a.root.test": host(1)})
        self.old, self.new = (
            [parse_name(f"ns{number}.{name}.example.") for number in (1, 2)] for name in ("alder", "birch")
        )
        key = TsigKey(parse_name(KEY_NAME + "."), "hmac-sha256", self.secrets["registry"])
        self.registry = RegistryThread(folder, host(2), key, PARENT_TTL, {DOMAIN: self.old}, self.new)

    def _own(self, provider: str, last: int) -> str:
        zone = f"$ORIGIN {provider}.example.\n@ 60 IN {SOA.format(primary=f'ns1.{provider}.example', serial=1)}\n"
        return (
            zone + f"@ 60 IN NS ns1\n@ 60 IN NS ns2\nns1 60 IN A {self.host(last)}\nns2 60 IN A {self.host(last + 1)}\n"
        )

    def start(self) -> None:
        for server in [*self.servers, self.unbound]:
            # Some servers listen only on addresses that an interface has, not on the whole loopback range.
            subprocess.run(
                ["ip", "address", "add", f"{server.address}/32", "dev", "lo"], check=False, capture_output=True
            )
        for server in self.servers:
            server.start()
        self.registry.start()
        assert self.registry.ready.wait(10)
        self._write_settings()
        self.unbound.probe = DOMAIN
        self.unbound.folder.mkdir()
        self.unbound.configure()
        with (self.unbound.folder / "log").open("wb") as log:
            self.unbound.process = subprocess.Popen(self.unbound.command(), stdout=log, stderr=subprocess.STDOUT)
        deadline = time.monotonic() + 20
        while outcome(self.unbound.address, DOMAIN, 6, recursion=True) != 0:
            assert time.monotonic() < deadline, (self.unbound.folder / "log").read_text()
            time.sleep(0.2)

    def stop(self) -> None:
        self.registry.stop()
        stop_all([*self.servers, self.unbound])
        for server in [*self.servers, self.unbound]:
            subprocess.run(
                ["ip", "address", "del", f"{server.address}/32", "dev", "lo"], check=False, capture_output=True
            )

    def _write_settings(self) -> None:
        for name in ("alder", "birch"):
            (self.folder / f"{name}.secret").write_text(base64.b64encode(self.secrets[name]).decode())
        end = self.folder / "end-at-alder"
        end.write_text(
            "#!/bin/sh -e\n" + "".join(" ".join(server.control) + " delzone -clean $1\n" for server in self.alder)
        )
        end.chmod(0o755)

        def provider(name: str, last: int, extra: str = "") -> str:
            return (
                f'[providers.{name}]\nkind = "update"\nprimary = "{self.host(last)}"\n'
                f'servers = ["ns1.{name}.example", "ns2.{name}.example"]\n'
                f'key = {{ name = "{KEY_NAME}", secret = "file:{name}.secret" }}\n{extra}\n'
            )

        (self.folder / "legatum.toml").write_text(
            f'[network]\nroots = {{ "a.root.test" = ["{self.host(1)}"] }}\ntimeout = "1s"\nhome = ["127.0.0.0/8"]\n'
            f'[house]\nlow_ttl = "2s"\nns_ttl = "1h"\nfloor = "0s"\nmargin = "1s"\npoll = "1s"\npatience = "1m"\n'
            f'[resolvers]\nunbound = "{self.unbound.address}"\n'
            + provider("alder", 11, f'end = ["{end}", "{{domain}}"]')
            + provider("birch", 21)
            + self.registry.settings
        )

    def legatum(self, *words: str) -> subprocess.CompletedProcess[str]:
        command = [sys.executable, "-m", "legatum", *words, "--settings", str(self.folder / "legatum.toml")]
        return subprocess.run(command, cwd=self.folder, capture_output=True, text=True, timeout=200, check=False)

    def killed_in(self, step: str) -> None:
        """Advances until the step has begun, then kills the program."""
        command = [
            sys.executable,
            "-m",
            "legatum",
            "move",
            "advance",
            DOMAIN,
            "--yes",
            "--wait",
            "--settings",
            str(self.folder / "legatum.toml"),
        ]
        with subprocess.Popen(
            command, cwd=self.folder, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True
        ) as process:
            assert process.stderr is not None
            for line in process.stderr:
                if line.startswith(step):
                    break
            time.sleep(0.1)
            process.kill()


@pytest.fixture
def network(tmp_path: Path, worker_id: str) -> Iterator[Network]:
    # Servers that drop their rights must still reach their folders.
    made = Network(tmp_path, int(worker_id.removeprefix("gw") or 0) if worker_id != "master" else 9)
    try:
        made.start()
        yield made
    finally:
        made.stop()


def test_a_domain_moves_from_bind_to_knot_unnoticed(network: Network) -> None:
    looked = network.legatum("survey", DOMAIN, "--registrar", "flint", "--json")
    assert looked.returncode == 0, looked.stdout + looked.stderr
    observation = json.loads(looked.stdout)
    assert (
        observation["delegation"] == ["ns1.alder.example", "ns2.alder.example"]
        and observation["delegation_ttl"] == PARENT_TTL
    )

    visitor = Visitor(network.unbound.address)
    visitor.start()
    drafted = network.legatum(
        "move",
        "draft",
        DOMAIN,
        "--from",
        "alder",
        "--to",
        "birch",
        "--registrar",
        "flint",
        "--publishing",
        "5s",
        "--speed",
        "lowered",
    )
    assert drafted.returncode == 0, drafted.stderr
    first = network.legatum("move", "advance", DOMAIN, "--yes", "--json")
    assert first.returncode == 0, first.stderr
    assert json.loads(first.stdout)["halt"] == "holding" and json.loads(first.stdout)["step"] == "ready"
    rehearsed = network.legatum("move", "rehearse", DOMAIN, "--json")
    assert rehearsed.returncode == 0 and json.loads(rehearsed.stdout)["safe"]
    network.killed_in("7/11")  # in the middle of it: the registry may or may not have been told
    moved = network.legatum("move", "advance", DOMAIN, "--yes", "--wait", "--json")
    visitor.stop()
    assert moved.returncode == 0, moved.stderr
    assert json.loads(moved.stdout)["halt"] == "complete"

    assert visitor.asked > 100 and visitor.failures == []
    assert network.registry.changes == 1
    compared = network.legatum("compare", "moves/kilnandclay.example.zone", "birch", "--json")
    assert compared.returncode == 0, compared.stdout
    confirmed = network.legatum("confirm", DOMAIN, "--to", "birch", "--registrar", "flint", "--json")
    assert confirmed.returncode == 0 and json.loads(confirmed.stdout)["confirmed"]
    for server in network.alder:
        assert outcome(server.address, DOMAIN, 6, recursion=False) == 5


def test_the_careless_way_fails_here(network: Network) -> None:
    """The same visitor notices when the NS set is switched first and the old zone is taken away at once."""
    visitor = Visitor(network.unbound.address)
    visitor.start()
    time.sleep(1)
    registry = network.registry
    change = DomainChange(tuple(network.new), tuple(network.old))
    registry.loop.call_soon_threadsafe(registry.registry.domains.update, "flint", parse_name(DOMAIN + "."), change)
    time.sleep(3)
    subprocess.run([str(network.folder / "end-at-alder"), DOMAIN], check=True, capture_output=True)
    time.sleep(NS_TTL + 2)
    visitor.stop()
    assert len(visitor.failures) > 10
