"""A bench world: 2,000 domains on real name servers (NSD), one for root and TLD, one for the domains, on loopback
ports."""

import shutil
import socket
import subprocess
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from legatum.core.dnssec.serving import ds_of_key
from legatum.core.records.name import name_text, parse_name
from legatum.core.records.presentation import rdata_text
from legatum.core.records.rrtype import DS
from legatum.core.zones.masterfile import parse_master
from legatum.core.zones.masterlines import master_text
from legatum.practice.signing.keyring import KeyRing, key_data
from legatum.practice.signing.signer import signed as sign
from legatum.wire.message import encode_question

PARENTS = {"a.nic.example": ("192.0.2.11", "2001:db8:e:1::53"), "b.nic.example": ("198.51.100.12", "2001:db8:e:2::53")}
PROVIDER = {
    "ns1.alder.test": ("198.51.100.31", "2001:db8:a1::53"),
    "ns2.alder.test": ("203.0.113.32", "2001:db8:a2::53"),
}
_SOA = "SOA ns1.alder.test. hostmaster.alder.test. 2026112301 14400 3600 1209600 1800"


def nsd_program() -> str | None:
    return shutil.which("nsd", path="/usr/sbin:/usr/bin")


@dataclass
class BenchWorld:
    """``settings``: the file to use; ``names``: a list of all domains, a file; ``port``: of the domains' server."""

    settings: Path
    names: Path
    port: int


@contextmanager
def bench_world(count: int, signed: bool = False, address: str = "127.0.0.1") -> Iterator[BenchWorld]:
    """Starts both servers and ends them again. ``signed``: every domain, each with a key of its own, and connected;
    ``address``: of this machine, on which they listen."""
    folder = Path(tempfile.mkdtemp(prefix="legatum-bench-"))
    domains = [f"d{number:05d}.example" for number in range(count)]
    upper, lower = _free_port(), _free_port()
    above = _vouched(domains) if signed else _example(domains)
    customers = {each: _signed(_customer(), each) if signed else _customer() for each in domains}
    servers = [
        _start(folder / "upper", address, upper, {".": _root(), "test": _test(), "example": above}),
        _start(folder / "lower", address, lower, {"alder.test": _alder(), **customers}),
    ]
    try:
        _await(address, upper, "example"), _await(address, lower, domains[-1])
        yield _written(folder, address, upper, lower, domains)
    finally:
        for server in servers:
            server.terminate()
            server.wait(10)
        shutil.rmtree(folder, ignore_errors=True)


def _written(folder: Path, address: str, upper: int, lower: int, domains: list[str]) -> BenchWorld:
    lines = [f'"192.0.2.1" = "{address}:{upper}"']
    lines += [f'"{each}" = "{address}:{upper}"' for both in PARENTS.values() for each in both]
    lines += [f'"{each}" = "{address}:{lower}"' for both in PROVIDER.values() for each in both]
    settings = folder / "legatum.toml"
    home = '["192.0.2.0/24", "198.51.100.0/24", "203.0.113.0/24", "2001:db8::/32"]'
    roots = 'roots = { "a.root.test" = ["192.0.2.1"] }'
    settings.write_text(f"[network]\n{roots}\nhome = {home}\nrate = 0\n[network.map]\n" + "\n".join(lines) + "\n")
    names = folder / "names"
    names.write_text("\n".join(domains) + "\n")
    return BenchWorld(settings, names, lower)


def _start(folder: Path, address: str, port: int, zones: dict[str, str]) -> "subprocess.Popen[bytes]":
    folder.mkdir()
    parts = [
        f'server:\n  ip-address: {address}@{port}\n  database: ""\n  zonesdir: "{folder}"\n  pidfile: ""\n  '
        'username: ""\n  chroot: ""\n'
        f'  zonelistfile: "{folder}/zone.list"\n  xfrdfile: ""\n  rrl-ratelimit: 0\n  verbosity: 0\n  '
        "server-count: 1\n  tcp-count: 2000\n"
        f"remote-control:\n  control-enable: no\n"
    ]
    files: dict[str, str] = {}
    for zone, text in zones.items():
        file = files.setdefault(text, f"zone{len(files)}")
        (folder / file).write_text(text)
        parts.append(f'zone:\n  name: "{zone}"\n  zonefile: "{file}"\n')
    (folder / "nsd.conf").write_text("".join(parts))
    log = (folder / "log").open("wb")
    return subprocess.Popen([nsd_program() or "nsd", "-d", "-c", str(folder / "nsd.conf")], stdout=log, stderr=log)


def _root() -> str:
    ns = "".join(f"test. 86400 NS {name}.\nexample. 86400 NS {name}.\n" for name in PARENTS)
    return f"$TTL 86400\n. {_SOA}\n. NS a.root.test.\na.root.test. A 192.0.2.1\n{ns}{_addresses(PARENTS)}"


def _test() -> str:
    ns = "".join(f"@ NS {name}.\n" for name in PARENTS) + "".join(f"alder NS {name}.\n" for name in PROVIDER)
    return f"$ORIGIN test.\n$TTL 86400\n@ {_SOA}\n{ns}a.root A 192.0.2.1\n{_addresses(PROVIDER)}"


def _example(domains: list[str]) -> str:
    ns = "".join(f"@ NS {name}.\n" for name in PARENTS)
    cuts = "".join(f"{domain}. 3600 NS {name}.\n" for domain in domains for name in PROVIDER)
    return f"$ORIGIN example.\n$TTL 86400\n@ {_SOA}\n{ns}{_addresses(PARENTS)}{cuts}"


def _alder() -> str:
    ns = "".join(f"@ NS {name}.\n" for name in PROVIDER)
    return (
        f"$ORIGIN alder.test.\n$TTL 86400\n@ {_SOA}\n{ns}{_addresses(PROVIDER)}@ A 198.51.100.30\nwww A "
        "198.51.100.30\n@ MX 10 @\n"
    )


def _customer() -> str:
    """The same for every domain: names are relative to the zone that it is loaded as."""
    ns = "".join(f"@ 3600 NS {name}.\n" for name in PROVIDER)
    return (
        f"$TTL 3600\n@ {_SOA}\n{ns}@ A 198.51.100.80\n@ AAAA 2001:db8:80::80\n@ MX 10 mail\nwww CNAME @\n"
        "mail A 203.0.113.25\n"
    )


def _signed(text: str, zone: str) -> str:
    origin = parse_name(zone + ".")
    return master_text(sign(parse_master(text, origin, zone), KeyRing.first("bench", origin), time.time(), {}))


def _vouched(domains: list[str]) -> str:
    """The zone above them, signed, with a DS for each."""
    names = [parse_name(each + ".") for each in domains]
    ds = "".join(
        f"{name_text(each)}. 3600 DS {rdata_text(DS, ds_of_key(each, key_data('bench', each)))}\n" for each in names
    )
    return _signed(_example(domains) + ds, "example")


def _addresses(servers: dict[str, tuple[str, str]]) -> str:
    return "".join(f"{name}. A {ipv4}\n{name}. AAAA {ipv6}\n" for name, (ipv4, ipv6) in servers.items())


def _free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def _await(address: str, port: int, zone: str) -> None:
    question = encode_question(7, parse_name(zone + "."), 6)
    deadline = time.monotonic() + 30
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as asking:
        asking.settimeout(0.2)
        while time.monotonic() < deadline:
            try:
                asking.sendto(question, (address, port))
                if asking.recv(4096)[3] & 15 == 0:
                    return
            except OSError:
                time.sleep(0.05)
    raise RuntimeError(f"the server on port {port} does not answer for {zone}")
