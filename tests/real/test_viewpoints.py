"""Viewpoints and workers on hosts of their own, behind TLS: a server that is silent from one network, an anycast site
that lags, a worker that is cut off, and one with a certificate of somebody else."""

import contextlib
import io
import json
import subprocess
import threading
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from legatum.cli.program.main import main
from tests.real.hosts import Host, Wire
from tests.real.processes import NEEDS_SERVERS, program
from tests.workers import Workers

pytestmark = NEEDS_SERVERS
NET, ANYCAST = "10.203.77", "10.203.78.9"
COUNT = 150
DOMAIN = "quay.test"
LISTED = [f"d{number:03}.test" for number in range(COUNT)]
ROOT = f"""$TTL 3600
. SOA a.root.test. host.test. 1 60 60 3600 60
. NS a.root.test.
a.root.test. A {NET}.10
test. NS a.root.test.
"""
TLD = f"""$TTL 3600
$ORIGIN test.
@ SOA a.root.test. host.test. 1 60 60 3600 60
@ NS a.root.test.
a.root A {NET}.10
{DOMAIN}. NS ns1.{DOMAIN}.
{DOMAIN}. NS ns2.{DOMAIN}.
ns1.{DOMAIN}. A {NET}.13
ns2.{DOMAIN}. A {ANYCAST}
""" + "".join(f"{each}. NS ns1.{DOMAIN}.\n{each}. NS ns2.{DOMAIN}.\n" for each in LISTED)  # fmt: skip
ZONE = """$TTL 300
$ORIGIN {domain}.
@ SOA ns1.quay.test. host.quay.test. {serial} 600 600 86400 60
@ NS ns1.quay.test.
@ NS ns2.quay.test.
@ A 198.51.100.7
www CNAME @
"""
OWN = f"ns1 A {NET}.13\nns2 A {ANYCAST}\n"


def openssl(folder: Path, *words: str) -> None:
    subprocess.run(["openssl", *words], cwd=folder, check=True, capture_output=True)


def certificates(folder: Path, name: str) -> dict[str, str]:
    """An authority and one certificate of it: the options by which they are named."""
    folder.mkdir()
    curve = ("-newkey", "ec", "-pkeyopt", "ec_paramgen_curve:prime256v1", "-nodes", "-days", "9")
    openssl(folder, "req", "-x509", *curve, "-keyout", "ca.key", "-out", "ca.pem", "-subj", f"/CN={name} authority")
    openssl(folder, "req", *curve[:-2], "-keyout", "own.key", "-out", "own.csr", "-subj", f"/CN={name}")
    openssl(
        folder,
        "x509",
        "-req",
        "-in",
        "own.csr",
        "-CA",
        "ca.pem",
        "-CAkey",
        "ca.key",
        "-CAcreateserial",
        "-days",
        "9",
        "-out",
        "own.pem",
    )
    return {"authority": str(folder / "ca.pem"), "certificate": str(folder / "own.pem"), "key": str(folder / "own.key")}


def serve(host: Host, folder: Path, zones: dict[str, str], *addresses: str) -> None:
    """NSD with these zones, name → file."""
    folder.mkdir()
    places = "".join(f"  ip-address: {each}\n" for each in addresses)
    server = (
        f'server:\n{places}  username: ""\n  zonesdir: "{folder}"\n  pidfile: ""\n  database: ""\n  '
        'xfrdfile: ""\n  zonelistfile: ""\n'
    )
    listed = "".join(f'zone:\n  name: "{name}"\n  zonefile: "{file}"\n' for name, file in zones.items())
    (folder / "nsd.conf").write_text(f"{server}remote-control:\n  control-enable: no\n{listed}")
    host.start([str(program("nsd")), "-d", "-c", str(folder / "nsd.conf")], folder / "log")


def signed(folder: Path) -> tuple[dict[int, Path], str]:
    """The domain's zone with two serials, and the key that both are signed with."""
    folder.mkdir()
    bind = {name: str(program(name)) for name in ("dnssec-keygen", "dnssec-signzone")}
    made = subprocess.run(
        [bind["dnssec-keygen"], "-a", "13", "-f", "KSK", DOMAIN], cwd=folder, check=True, capture_output=True, text=True
    )
    key = (folder / f"{made.stdout.strip()}.key").read_text().splitlines()[-1]
    found = {}
    for serial in (6, 7):
        plain = folder / f"{serial}.plain"
        plain.write_text(ZONE.format(domain=DOMAIN, serial=serial) + OWN + key + "\n")
        found[serial] = folder / f"{serial}.zone"
        words = ["-z", "-P", "-o", DOMAIN, "-f", str(found[serial]), str(plain), made.stdout.strip()]
        subprocess.run([bind["dnssec-signzone"], *words], cwd=folder, check=True, capture_output=True)
    return found, key


class Town:
    """Three name servers, one of them at two sites; two viewpoints with a validating resolver each; a scheduler behind
    TLS."""

    def __init__(self, folder: Path, wire: Wire) -> None:
        self.folder, self.wire = folder, wire
        zones, key = signed(folder / "signed")
        self._serve(zones)
        self.options = certificates(folder / "certificates", "quillmoor")
        self.hub = self.wire.host("hub", 2)
        self.places = {name: self.wire.host(name, last) for name, last in (("east", 3), ("west", 4))}
        for name, site in (("east", 11), ("west", 12)):
            self.places[name].ip("route", "add", ANYCAST, "via", f"{NET}.{site}")
            self._resolve(self.places[name], key)
        self.places["west"].ip("route", "add", "blackhole", f"{NET}.13")
        subprocess.run(["ip", "route", "add", ANYCAST, "via", f"{NET}.11", "dev", self.wire.desk], check=True)
        self.workers = Workers(folder)
        self.settings = folder / "legatum.toml"

    def _serve(self, zones: dict[int, Path]) -> None:
        sites = {"roots": (10, 0, ()), "site": (11, 7, (ANYCAST,)), "older": (12, 6, (ANYCAST,)), "own": (13, 7, ())}
        for name, (last, serial, more) in sites.items():
            host, folder = self.wire.host(name, last, *more), self.folder / name
            if not serial:
                serve(host, folder, {".": "root.zone", "test": "tld.zone"}, f"{NET}.{last}")
                (folder / "root.zone").write_text(ROOT)
                (folder / "tld.zone").write_text(TLD)
                continue
            serve(
                host,
                folder,
                {DOMAIN: str(zones[serial]), **{each: f"{each}.zone" for each in LISTED}},
                f"{NET}.{last}",
                *more,
            )
            for each in LISTED:
                (folder / f"{each}.zone").write_text(ZONE.format(domain=each, serial=serial))

    def _resolve(self, host: Host, key: str) -> None:
        folder = self.folder / f"{host.name}-resolver"
        folder.mkdir()
        (folder / "hints").write_text(f". 3600 NS a.root.test.\na.root.test. 3600 A {NET}.10\n")
        (folder / "conf").write_text(
            f"server:\n  interface: {host.address}\n  access-control: 0.0.0.0/0 allow\n"
            f'  username: ""\n  chroot: ""\n  directory: "{folder}"\n'
            '  pidfile: ""\n  root-hints: "hints"\n  do-ip6: no\n  do-not-query-localhost: no\n  '
            'module-config: "validator iterator"\n'
            f'  local-zone: "test." nodefault\n  trust-anchor: "{key}"\nremote-control:\n  control-enable: no\n'
        )
        host.start([str(program("unbound")), "-d", "-c", str(folder / "conf")], folder / "log")

    def open(self) -> None:
        files = {"authority": "--tls-ca-file", "certificate": "--tls-cert", "key": "--tls-key"}
        secured = [word for name, flag in files.items() for word in (flag, self.options[name])]
        place = self.workers.start_scheduler("--host", f"tls://{self.hub.address}", *secured, prefix=self.hub.prefix)
        assert place.startswith("tls://")
        for name in self.places:
            self.start(name)
        self.workers.wait_for(*self.places)
        viewpoints = "".join(
            f'\n[viewpoints.{name}]\nresolvers = {{ own = "{each.address}" }}\n' for name, each in self.places.items()
        )
        files_text = "".join(f'{name} = "{file}"\n' for name, file in self.options.items())
        self.settings.write_text(
            f'[network]\nroots = {{ "a.root.test" = ["{NET}.10"] }}\nhome = ["10.0.0.0/8", '
            '"198.51.100.0/24"]\nipv6 = false\n'
            f'timeout = "1s"\n'
            f'\n[engine]\nscheduler = "{place}"\n{files_text}{viewpoints}'
        )

    def start(self, name: str, options: dict[str, str] | None = None) -> None:
        words = [word for each, file in (options or self.options).items() for word in (f"--{each}", file)]
        self.workers.start_worker(name, *words, prefix=self.places[name].prefix)

    def run(self, *words: str) -> tuple[int, str]:
        with contextlib.redirect_stdout(io.StringIO()) as out, contextlib.redirect_stderr(out):
            status = main((*words, "--settings", str(self.settings)))
        return status, out.getvalue()

    def told(self, *words: str, status: int = 0) -> Any:
        found, said = self.run(*words, "--json", "-q")
        assert found == status, said
        return json.loads(said)


@pytest.fixture(scope="module")
def town(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Town]:
    with contextlib.ExitStack() as closing:
        wire = Wire(NET)
        closing.callback(wire.close)
        found = Town(tmp_path_factory.mktemp("town"), wire)
        closing.callback(found.workers.end)
        found.open()
        yield found


def test_a_server_silent_from_one_network_and_a_site_that_lags(town: Town, tmp_path: Path) -> None:
    found = town.told(
        "survey", DOMAIN, "--from-everywhere", "--evidence", str(tmp_path / "kept"), "--no-rdap", status=1
    )
    assert "Not so from everywhere" in found["verdict"]
    places = {each["place"]: each["good"] for each in found["everywhere"]["places"]}
    assert places.keys() == {"here", "east", "west"} and places["here"] == places["east"]
    differing = {each["subject"]: each for each in found["everywhere"]["differences"]}
    silent, lags = differing[f"ns1.{DOMAIN} ({NET}.13)"], differing[f"ns2.{DOMAIN} ({ANYCAST})"]
    assert silent["kind"] == "silent from some places only" and silent["said"]["serial 7"] == ["here", "east"]
    assert lags["kind"] == "older data at some places" and lags["said"] == {
        "serial 7": ["here", "east"],
        "serial 6": ["west"],
    }
    again = {
        each["viewpoint"]: each for each in town.told("survey", "--from", str(tmp_path / "kept"), status=1)["surveys"]
    }
    for place in ("east", "west"):  # evidence is whole: what each resolver said is in it, and that it validates
        assert [each["authenticated"] for each in again[place]["resolvers"]] == [True]
        outcome = next(each["outcome"] for each in again[place]["servers"] if each["address"] == f"{NET}.13")
        assert (outcome == "answer") == (place == "east")
    confirmed = town.told("confirm", DOMAIN, "--serial", "7", "--from-everywhere", status=1)
    assert [each["good"] for each in confirmed["everywhere"]["places"]] == [True, True, False]


def test_a_worker_cut_off_in_the_middle_and_one_with_a_strange_certificate(
    town: Town, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("legatum.net.engine._SLOW", 4.0)
    out, table = tmp_path / "out.jsonl", tmp_path / "list.txt"
    table.write_text("".join(f"{each}\n" for each in LISTED))

    def cut_off() -> None:
        given_up = time.monotonic() + 60
        while not out.exists() or not out.read_bytes():
            assert time.monotonic() < given_up
            time.sleep(0.01)
        town.places["west"].cut_off()

    cutting = threading.Thread(target=cut_off)
    cutting.start()
    status, said = town.run(
        "fleet", "confirm", str(table), "--engine", "--out", str(out), "-q", "--side-by-side", "4", "--rate", "240"
    )
    cutting.join()
    lines = [json.loads(line) for line in out.read_text().splitlines()]
    assert sorted(each["domain"] for each in lines) == LISTED, said
    assert status in (0, 1)
    town.start("east", certificates(tmp_path / "strange", "stranger"))
    ended = town.workers.processes["east"]
    assert ended.wait(timeout=60) == 3
    log = (town.folder / "east.log").read_text()
    assert "no scheduler at tls://" in log and "Traceback" not in log
