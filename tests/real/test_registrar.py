"""DS records and child name servers through a registry that publishes into BIND, for zones that Knot serves and
signs."""

import base64
import os
import subprocess
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import dns.dnssec
import dns.rdatatype
import pytest

from legatum.core.records.name import parse_name
from legatum.wire.tsig import TsigKey
from tests.real.processes import KEY_NAME, NEEDS_SERVERS, Bind, Knot, asked, program, stop_all
from tests.real.program import legatum
from tests.real.registry_thread import RegistryThread

pytestmark = NEEDS_SERVERS
SIGNED, OWN = "signed.example", "evensong.example"
HEAD = "$TTL 2\n@ SOA ns1.birch.example. hostmaster.quillmoor.example. 7 60 20 3600 2\n"
ZONE = HEAD + "@ NS ns1.birch.example.\n@ NS ns2.birch.example.\n@ A 127.0.0.80\nwww A 127.0.0.80\n"


class Network:
    """Root and TLD on BIND; two Knots that answer for both zones, and sign one of them with the same keys in the same
    way."""

    def __init__(self, folder: Path, worker: int) -> None:
        self.folder = folder
        self.place = {
            name: f"127.{160 + worker}.0.{last}" for last, name in enumerate(("top", "one", "two", "three"), 1)
        }
        secret = os.urandom(32)
        text = base64.b64encode(secret).decode()
        (folder / "secret").write_text(text)
        top = self.place["top"]
        root = (
            f"$TTL 60\n@ SOA a. b. 7 60 20 3600 2\n. NS a.root.test.\na.root.test. A {top}\nexample. NS "
            f"ns.example.\nns.example. A {top}\n"
        )
        cuts = "".join(f"{name} 2 NS ns1.birch\n{name} 2 NS ns2.birch\n" for name in ("signed", "evensong"))
        hosts = f"ns1.birch A {self.place['one']}\nns2.birch A {self.place['two']}\n"
        tld = f"$TTL 60\n@ SOA a. b. 7 60 20 3600 2\n@ NS ns\nns A {top}\n{hosts}{cuts}"
        zones = {SIGNED: ZONE, OWN: ZONE}
        self.servers = [
            Bind(folder / "top", top, "example", secret=text, zones={".": root, "example": tld}),
            Knot(
                folder / "one",
                self.place["one"],
                OWN,
                secret=text,
                zones=zones,
                signing=(SIGNED,),
                notify=[self.place["two"], self.place["three"]],
            ),
            *(
                Knot(
                    folder / name, self.place[name], OWN, secret=text, secondary=dict.fromkeys(zones, self.place["one"])
                )
                for name in ("two", "three")
            ),
        ]
        self.hosts = [parse_name(f"ns{number}.birch.example.") for number in (1, 2)]
        key = TsigKey(parse_name(KEY_NAME + "."), "hmac-sha256", secret)
        self.registry = RegistryThread(folder, top, key, 2, {SIGNED: self.hosts, OWN: self.hosts})

    def start(self) -> None:
        for server in self.servers:
            subprocess.run(
                [program("ip") or "ip", "address", "add", f"{server.address}/32", "dev", "lo"],
                check=False,
                capture_output=True,
            )
        for server in self.servers:
            server.start()
        self.registry.start()
        assert self.registry.ready.wait(10)
        (self.folder / "legatum.toml").write_text(
            f'[network]\nroots = {{ "a.root.test" = ["{self.place["top"]}"] }}\ntimeout = "1s"\nhome = '
            '["127.0.0.0/8"]\n'
            '[house]\nfloor = "0s"\nmargin = "1s"\npoll = "1s"\npatience = "20s"\n'
            f'[providers.birch]\nkind = "update"\nprimary = "{self.place["one"]}"\nservers = '
            '["ns1.birch.example", "ns2.birch.example"]\n'
            f'key = {{ name = "{KEY_NAME}", secret = "file:secret" }}\n' + self.registry.settings
        )

    def stop(self) -> None:
        self.registry.stop()
        stop_all(self.servers)
        for server in self.servers:
            subprocess.run(
                [program("ip") or "ip", "address", "del", f"{server.address}/32", "dev", "lo"],
                check=False,
                capture_output=True,
            )

    def legatum(self, *words: str, status: int = 0) -> Any:
        return legatum(self.folder, *words, status=status)

    def ds(self) -> str:
        """As the general library makes it from the key that Knot serves."""
        answer = asked(self.place["one"], SIGNED, "DNSKEY", dnssec=True).answer
        keys = next(each for each in answer if each.rdtype == dns.rdatatype.DNSKEY)
        return str(dns.dnssec.make_ds(f"{SIGNED}.", next(key for key in keys if key.flags & 1), "SHA256"))


@pytest.fixture(scope="module")
def network(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Network]:
    worker = os.environ.get("PYTEST_XDIST_WORKER", "gw9").removeprefix("gw")
    folder = tmp_path_factory.mktemp("registrar")
    for each in (folder, *folder.parents[:2]):
        each.chmod(0o755)
    made = Network(folder, int(worker))
    try:
        made.start()
        yield made
    finally:
        made.stop()


def test_child_name_servers_from_the_zone_to_glue_in_a_real_tld_and_to_another_address(network: Network) -> None:
    where = ("--at", "birch", "--registrar", "flint", "--yes")
    hosts = [f"ns{number}.{OWN}" for number in (1, 2)]
    for host, place in zip(hosts, ("one", "two"), strict=True):
        network.legatum("hosts", "set", host, "--address", network.place[place], *where)
    done = network.legatum("hosts", "enlist", *hosts, "--alone", "--wait", *where)
    assert done["halt"] == "complete" and done["done"][-4:] == ["apex", "switch", "parents", "confirm"]
    referral = asked(network.place["top"], f"www.{OWN}", "A")
    glue = {str(each.name).rstrip("."): str(each[0]) for each in referral.additional}
    assert glue == {hosts[0]: network.place["one"], hosts[1]: network.place["two"]}
    shown = network.legatum("hosts", "show", OWN, "--registrar", "flint")
    assert shown["agreed"] and all(each["glue_needed"] for each in shown["hosts"])

    renumbered = network.legatum(
        "hosts", "renumber", hosts[1], "--replace", f"{network.place['two']}={network.place['three']}", "--wait", *where
    )
    assert renumbered["halt"] == "complete"
    assert {str(each[0]) for each in asked(network.place["top"], f"www.{OWN}", "A").additional} == {
        network.place["one"],
        network.place["three"],
    }
    users = network.legatum("hosts", "users", hosts[1], "--registrar", "flint")
    assert [each["domain"] for each in users["domains"]] == [OWN] and users["linked"]
    assert "the only one left" in network.legatum("hosts", "withdraw", hosts[1], *where, status=4)
