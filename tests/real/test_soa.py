"""What `timetable --soa` says of timers, held against real secondaries that are told of nothing: BIND, NSD and Knot."""

import base64
import os
import socket
import struct
import subprocess
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path

import pytest

from legatum.core.records.name import parse_name
from legatum.wire.message import decode, encode_question
from tests.real.processes import KEY_NAME, NEEDS_SERVERS, Bind, Knot, Nsd, Server, program, stop_all
from tests.real.program import legatum

pytestmark = [pytest.mark.timeout(240), *NEEDS_SERVERS]
DOMAIN = "timers.example"
REFRESH, RETRY, EXPIRE = 4, 1, 12
WORST = REFRESH + RETRY
SOA = 6
ROOT = "$TTL 60\n@ SOA ns.example. hostmaster.quillmoor.example. 7 60 20 1209600 5\n"


@dataclass
class PatientBind(Bind):
    """A secondary that looks as often as the record says: by itself it looks every five minutes at most."""

    primary: str = ""

    def configure(self) -> None:
        super().configure()
        file = self.folder / "named.conf"
        timers = "min-refresh-time 1; min-retry-time 1; max-retry-time 5;"
        file.write_text(
            file.read_text() + f'zone "{DOMAIN}" '
            f'{{ type secondary; file "copy"; {timers} primaries {{ {self.primary} key "{KEY_NAME}"; }}; }};\n'
        )


@dataclass
class PatientKnot(Knot):
    primary: str = ""

    def configure(self) -> None:
        self.secondary = {DOMAIN: self.primary}
        super().configure()
        file = self.folder / "knot.conf"
        timers = "\n    refresh-min-interval: 2\n    expire-min-interval: 3\n"
        file.write_text(file.read_text().rstrip("\n") + timers)


@dataclass
class SecondaryNsd(Nsd):
    primary: str = ""
    secret: str = ""

    def configure(self) -> None:
        super().configure()
        file = self.folder / "nsd.conf"
        file.write_text(
            file.read_text() + f'key:\n  name: "{KEY_NAME}"\n  algorithm: hmac-sha256\n  secret: "{self.secret}"\n'
            f'zone:\n  name: "{DOMAIN}"\n  zonefile: "copy"\n  request-xfr: {self.primary}@53 {KEY_NAME}\n'
            "  min-refresh-time: 1\n  min-retry-time: 1\n  min-expire-time: 1\n"
        )  # fmt: skip


@dataclass
class World:
    folder: Path
    primary: Bind
    secondaries: dict[str, Server]
    others: list[Server] = field(default_factory=list)

    def serials(self) -> dict[str, int | None]:
        return {name: serial(each.address) for name, each in self.secondaries.items()}

    def legatum(self, *words: str) -> dict[str, object]:
        found = legatum(self.folder, *words)
        assert isinstance(found, dict)
        return found


def serial(address: str) -> int | None:
    """None where it does not answer for the domain."""
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as port:
        port.settimeout(1)
        try:
            port.sendto(encode_question(1, parse_name(f"{DOMAIN}."), SOA), (address, 53))
            answer = decode(port.recv(65535))
        except OSError:
            return None
    data = [each.rdata for each in answer.answer if each.rtype == SOA]
    return struct.unpack("!I", data[0][-20:-16])[0] if answer.rcode == 0 and data else None


def address_of_lo(verb: str, address: str) -> None:
    """Some servers listen only on addresses that an interface has."""
    subprocess.run(
        [program("ip") or "ip", "address", verb, f"{address}/32", "dev", "lo"], check=False, capture_output=True
    )


@pytest.fixture
def world(tmp_path: Path) -> Iterator[World]:
    worker = int(os.environ.get("PYTEST_XDIST_WORKER", "gw9").removeprefix("gw"))
    top, one, *rest = (f"127.{110 + worker}.0.{last}" for last in (1, 2, 3, 4, 5))
    secret = base64.b64encode(os.urandom(32)).decode()
    (tmp_path / "secret").write_text(secret)
    for each in (tmp_path, *tmp_path.parents[:2]):
        each.chmod(0o755)
    hosts = "".join(
        f"ns{number} A {address}\ntimers 2 NS ns{number}\n" for number, address in enumerate((one, *rest), 1)
    )
    names = "".join(f"@ 2 NS ns{number}.example.\n" for number in (1, 2, 3, 4))
    soa = f"@ 5 SOA ns1.example. hostmaster.quillmoor.example. 7 {REFRESH} {RETRY} {EXPIRE} 5\n"
    contents = f"$TTL 60\n{soa}{names}@ A 127.0.0.80\nwww A 127.0.0.80\n"
    root = f"{ROOT}. NS a.root.test\na.root.test. A {top}\nexample. NS ns.example.\nns.example. A {top}\n"
    zones = {".": root, "example": f"{ROOT}@ NS ns\nns A {top}\n{hosts}"}
    primary = Bind(tmp_path / "primary", one, DOMAIN, secret=secret, zones={DOMAIN: contents})
    copies: dict[str, Server] = {
        "bind": PatientBind(tmp_path / "bind", rest[0], DOMAIN, secret=secret, primary=one),
        "nsd": SecondaryNsd(tmp_path / "nsd", rest[1], DOMAIN, primary=one, secret=secret),
        "knot": PatientKnot(tmp_path / "knot", rest[2], DOMAIN, secret=secret, primary=one),
    }  # fmt: skip
    others: list[Server] = [Bind(tmp_path / "top", top, "example", secret=secret, zones=zones)]
    servers = ", ".join(f'"ns{number}.example"' for number in (1, 2, 3, 4))
    (tmp_path / "legatum.toml").write_text(
        f'[network]\nroots = {{ "a.root.test" = ["{top}"] }}\ntimeout = "1s"\nhome = ["127.0.0.0/8"]\n'
        f'[house]\npoll = "1s"\npatience = "{WORST + 5}s"\nfloor = "0s"\nmargin = "1s"\n'
        f'[providers.primary]\nkind = "update"\nprimary = "{one}"\nservers = [{servers}]\n'
        f'key = {{ name = "{KEY_NAME}", secret = "file:secret" }}\n'
    )
    made = World(tmp_path, primary, copies, others)
    try:
        for address in (top, one, *rest):
            address_of_lo("add", address)
        for each in (*others, primary, *copies.values()):
            each.start()
        yield made
    finally:
        stop_all([*others, primary, *copies.values()])
        for address in (top, one, *rest):
            address_of_lo("del", address)


def until(moment: float) -> None:
    time.sleep(max(0.0, moment - time.monotonic()))


def test_secondaries_do_what_the_soa_record_is_said_to_mean(world: World) -> None:
    """A change within REFRESH and RETRY, which is all the patience that the house has here; a lower serial by steps;
    the end of it all."""
    said = world.legatum("timetable", DOMAIN, "--soa")["soa"]
    assert isinstance(said, dict)
    assert (
        f"takes up to {WORST} s to reach it" in said["meanings"][0]
        and f"stop answering after {EXPIRE} s" in said["meanings"][2]
    )
    assert said["scheme"].startswith("a counter")
    seen: list[set[int | None]] = []
    with ThreadPoolExecutor(1) as crew:
        amending = crew.submit(world.legatum, "amend", DOMAIN, "www", "A", "127.0.0.81", "--at", "primary", "--yes")
        while not amending.done():  # it ends when every server has the change, of which nobody tells them
            seen.append({serial(world.primary.address), *world.serials().values()})
            time.sleep(0.1)
        amending.result()
    assert {7, 8} in seen and set(world.serials().values()) == {8}

    done = world.legatum(
        "amend", DOMAIN, "--serial", "5", "--at", "primary", "--yes"
    )  # lower: by a step that every server has in between
    assert done["state"] == "published" and set(world.serials().values()) == {5}

    world.primary.stop()
    stopped = time.monotonic()
    until(
        stopped + EXPIRE - REFRESH - 2
    )  # since the last look at the primary, which was up to REFRESH before it stopped
    assert set(world.serials().values()) == {5}
    deadline = stopped + EXPIRE + WORST + 10
    while set(world.serials().values()) != {None} and time.monotonic() < deadline:
        time.sleep(0.25)
    assert world.serials() == {"bind": None, "nsd": None, "knot": None}
