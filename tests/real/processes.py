"""Real name servers, each in a folder of its own on a loopback address of its own, port 53."""

import base64
import os
import shutil
import signal
import socket
import struct
import subprocess
import time
from collections.abc import Iterable
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path

import dns.exception
import dns.message
import dns.query
import pytest

from legatum.core.records.name import parse_name
from legatum.wire.message import encode_question

KEY_NAME = "quillmoor.key.test"


def program(name: str) -> str | None:
    return shutil.which(name, path=os.environ.get("PATH", "") + ":/usr/sbin:/usr/bin")


PROGRAMS = (
    "named",
    "rndc",
    "knotd",
    "knotc",
    "unbound",
    "nsd",
    "nsd-control",
    "pdns_server",
    "pdnsutil",
    "ip",
    "nginx",
    "exim4",
    "dovecot",
)
MISSING = [name for name in PROGRAMS if program(name) is None]
for backend in ("bind", "gsqlite3"):
    MISSING += (
        [] if list(Path("/usr/lib").glob(f"*/pdns/lib{backend}backend.so")) else [f"the {backend} backend of PowerDNS"]
    )
NEEDS_SERVERS = [
    pytest.mark.real,
    pytest.mark.timeout(240),
    pytest.mark.skipif(
        bool(MISSING or os.getuid()) and not os.environ.get("LEGATUM_SERVERS_REQUIRED"),
        reason=f"needs root and the servers: {', '.join(MISSING)} missing",
    ),
]
"""What every module here is marked with. In CI a missing server is a failure, not a skip."""


@dataclass
class Server:
    """One process. ``probe``: a name it answers for, asked until it does."""

    folder: Path
    address: str
    probe: str
    process: subprocess.Popen[bytes] | None = None

    asked_with_recursion = False

    def command(self) -> list[str]:
        raise NotImplementedError

    def configure(self) -> None:
        raise NotImplementedError

    def start(self) -> None:
        self.folder.mkdir(parents=True, exist_ok=True)
        self.configure()
        with (self.folder / "log").open("wb") as log:
            self.process = subprocess.Popen(self.command(), cwd=self.folder, stdout=log, stderr=subprocess.STDOUT)
        deadline = time.monotonic() + 20
        while outcome(self.address, self.probe, 6, self.asked_with_recursion, patience=(1,)) != 0:
            assert self.process.poll() is None and time.monotonic() < deadline, (self.folder / "log").read_text()[
                -3000:
            ]
            time.sleep(0.1)

    def stop(self) -> None:
        if self.process is not None and self.process.poll() is None:
            self.process.terminate()
            try:
                self.process.wait(10)
            except subprocess.TimeoutExpired:
                self.process.kill()
                self.process.wait()


@dataclass
class Bind(Server):
    """``zones``: name → text; ``secondary``: name → primary's address. ``secret``: base64 of the key for transfers and
    updates.

    ``signing``: zones that it signs by itself; ``anchors``: zone → key data to validate by. ``policies``: zone → what
    may be updated there. ``limit``: answers a second to one network, the rest is dropped. ``catalog``: the one of
    ``secondary`` that says which others to fetch."""

    secret: str = ""
    zones: dict[str, str] = field(default_factory=dict)
    secondary: dict[str, str] = field(default_factory=dict)
    notify: list[str] = field(default_factory=list)
    transfer_open: bool = False
    roots: dict[str, str] = field(default_factory=dict)
    limit: int = 0
    algorithm: str = "hmac-sha256"
    catalog: str = ""
    policies: dict[str, str] = field(default_factory=dict)
    signing: tuple[str, ...] = ()
    anchors: dict[str, str] = field(default_factory=dict)

    def command(self) -> list[str]:
        return [program("named") or "named", "-g", "-c", str(self.folder / "named.conf")]

    @property
    def control(self) -> list[str]:
        """The command that steers it, to be completed."""
        return [program("rndc") or "rndc", "-k", str(self.folder / "rndc.key"), "-s", self.address, "-p", "953"]

    def _recursion(self) -> str:
        validates = f"dnssec-validation {'yes' if self.anchors else 'no'};"
        asked = (
            "recursion yes; allow-recursion { any; }; allow-query-cache { any; };" if self.roots else "recursion no;"
        )
        return f"{asked} {validates}"

    def configure(self) -> None:
        steering = base64.b64encode(os.urandom(32)).decode()
        (self.folder / "rndc.key").write_text(f'key "rndc-key" {{ algorithm hmac-sha256; secret "{steering}"; }};\n')
        also = "".join(f"{each}; " for each in self.notify)
        parts = [
            "options "
            f'{{ directory "{self.folder}"; pid-file none; listen-on {{ {self.address}; }}; listen-on-v6 {{ none; }}; '
            f"{self._recursion()} notify explicit; allow-new-zones yes; empty-zones-enable no; "
            f"also-notify {{ {also}}}; notify-source {self.address}; transfer-source {self.address}; notify-delay 0; "
            "session-keyfile none; serial-query-rate 100; "
            + (
                "catalog-zones "
                f'{{ zone "{self.catalog}" default-primaries '
                f'{{ {self.secondary.get(self.catalog)} key "{KEY_NAME}"; }}; }}; '
                if self.catalog
                else ""
            )
            + (
                f"rate-limit {{ responses-per-second {self.limit // 4}; all-per-second {self.limit}; }}; "
                if self.limit
                else ""
            )
            + "};",
            f'include "{self.folder}/rndc.key";',
            f'controls {{ inet {self.address} port 953 allow {{ any; }} keys {{ "rndc-key"; }}; }};',
            f'key "{KEY_NAME}" {{ algorithm {self.algorithm}; secret "{self.secret}"; }};',
            *(f'trust-anchors {{ "{zone}" static-key {key}; }};' for zone, key in self.anchors.items()),
        ]
        for number, (zone, text) in enumerate(self.zones.items()):
            (self.folder / f"zone{number}").write_text(text)
            allowed = (
                f"update-policy {{ {self.policies[zone]} }};"
                if zone in self.policies
                else f'allow-update {{ key "{KEY_NAME}"; }};'
            )
            signs = "dnssec-policy default; " if zone in self.signing else ""
            parts.append(
                f'zone "{zone}" {{ type primary; file "zone{number}"; {allowed} {signs}'
                "allow-transfer "
                f"{{ {'any' if self.transfer_open else f'key {KEY_NAME!r}'.replace(chr(39), chr(34))}; }}; }};"
            )
        if self.roots:
            hints = "".join(
                f". 3600 IN NS {name}.\n{name}. 3600 IN A {address}\n" for name, address in self.roots.items()
            )
            (self.folder / "hints").write_text(hints)
            parts.append('zone "." { type hint; file "hints"; };')
        for number, (zone, primary) in enumerate(self.secondary.items()):
            parts.append(
                f'zone "{zone}" '
                f'{{ type secondary; file "copy{number}"; primaries {{ {primary} key "{KEY_NAME}"; }}; }};'
            )
        (self.folder / "named.conf").write_text("\n".join(parts) + "\n")


@dataclass
class Knot(Server):
    """As :class:`Bind`. ``signing``: zones that it signs by itself; ``hashed``: those of them with NSEC3."""

    secret: str = ""
    signing: tuple[str, ...] = ()
    hashed: tuple[str, ...] = ()
    algorithm: str = "hmac-sha256"
    catalog: str = ""
    zones: dict[str, str] = field(default_factory=dict)
    secondary: dict[str, str] = field(default_factory=dict)
    notify: list[str] = field(default_factory=list)

    def command(self) -> list[str]:
        return [program("knotd") or "knotd", "-c", str(self.folder / "knot.conf")]

    def configure(self) -> None:
        remotes = {
            address: f"remote{number}" for number, address in enumerate({*self.notify, *self.secondary.values()})
        }
        lines = [
            f"server:\n  rundir: {self.folder}\n  listen: {self.address}@53",
            f"log:\n  - target: stderr\n    any: info\ndatabase:\n  storage: {self.folder}",
            f"key:\n  - id: {KEY_NAME}\n    algorithm: {self.algorithm}\n    secret: {self.secret}",
            "policy:\n  - id: hashed\n    nsec3: on\n    nsec3-iterations: 0",
            "remote:",
            *(
                f"  - id: {name}\n    address: {address}@53\n    via: {self.address}\n    key: {KEY_NAME}"
                for address, name in remotes.items()
            ),
            "acl:",
            f"  - id: keyed\n    key: {KEY_NAME}\n    action: [transfer, update, notify]",
            "  - id: told",
            f"    address: [{', '.join(self.secondary.values()) or '127.255.255.255'}]\n    action: notify",
            *(self._template(remotes[self.secondary[each]]) for each in [self.catalog] if each),
            "zone:",
        ]
        for number, (zone, text) in enumerate(self.zones.items()):
            (self.folder / f"zone{number}").write_text(text)
            notify = f"\n    notify: [{', '.join(remotes[each] for each in self.notify)}]" if self.notify else ""
            signs = "\n    dnssec-signing: on" if zone in self.signing else ""
            signs += "\n    dnssec-policy: hashed" if zone in self.hashed else ""
            lines.append(
                f"  - domain: {zone}\n    storage: {self.folder}\n    file: zone{number}\n    acl: "
                f"[keyed]{notify}{signs}"
            )
        for number, (zone, primary) in enumerate(self.secondary.items()):
            lines.append(
                f"  - domain: {zone}\n    storage: {self.folder}\n    file: copy{number}\n"
                f"    master: {remotes[primary]}\n    acl: [keyed, told]"
                + (
                    "\n    catalog-role: interpret\n    catalog-template: [strange, member]"
                    if zone == self.catalog
                    else ""
                )
            )
        if not remotes:
            lines.remove("remote:")
        (self.folder / "knot.conf").write_text("\n".join(lines) + "\n")

    def _template(self, remote: str) -> str:
        """What has no group goes by the first one, which fetches nothing."""
        strange = f"template:\n  - id: strange\n    storage: {self.folder}/strange\n"
        return f"{strange}  - id: member\n    storage: {self.folder}\n    master: {remote}\n    acl: [keyed, told]"


@dataclass
class Nsd(Server):
    """``zones``: name → text."""

    zones: dict[str, str] = field(default_factory=dict)

    def command(self) -> list[str]:
        return [program("nsd") or "nsd", "-d", "-c", str(self.folder / "nsd.conf")]

    def configure(self) -> None:
        parts = [
            f'server:\n  ip-address: {self.address}\n  database: ""\n  zonesdir: "{self.folder}"\n'
            '  pidfile: ""\n  username: ""\n  chroot: ""\n'
            f'  zonelistfile: "{self.folder}/zone.list"\n  xfrdfile: ""\n  rrl-ratelimit: 0\n'
            "remote-control:\n  control-enable: no\n"
        ]
        for number, (zone, text) in enumerate(self.zones.items()):
            (self.folder / f"zone{number}").write_text(text)
            parts.append(f'zone:\n  name: "{zone}"\n  zonefile: "zone{number}"\n')
        (self.folder / "nsd.conf").write_text("".join(parts))

    def rewrite(self, zone: str, text: str) -> None:
        """Serves other contents from now on."""
        (self.folder / f"zone{list(self.zones).index(zone)}").write_text(text)
        assert self.process is not None
        self.process.send_signal(signal.SIGHUP)


@dataclass
class PowerDns(Server):
    """``zones``: name → text. ``signing``: zones that it signs by itself."""

    zones: dict[str, str] = field(default_factory=dict)
    signing: tuple[str, ...] = ()

    def command(self) -> list[str]:
        return [program("pdns_server") or "pdns_server", f"--config-dir={self.folder}", "--daemon=no", "--guardian=no"]

    def configure(self) -> None:
        named = []
        for number, (zone, text) in enumerate(self.zones.items()):
            (self.folder / f"zone{number}").write_text(text)
            named.append(f'zone "{zone}" {{ type master; file "{self.folder}/zone{number}"; }};')
        (self.folder / "named.conf").write_text("\n".join(named) + "\n")
        (self.folder / "pdns.conf").write_text(
            f"launch=bind\nbind-config={self.folder}/named.conf\nbind-dnssec-db={self.folder}/keys.db\n"
            f"local-address={self.address}\n"
            f"local-port=53\nsocket-dir={self.folder}\nsetuid=\nsetgid=\nsecurity-poll-suffix=\n"
            "log-dns-queries=no\ndisable-axfr=yes\n"
        )
        steer = [program("pdnsutil") or "pdnsutil", f"--config-dir={self.folder}"]
        for words in (["create-bind-db", f"{self.folder}/keys.db"], *(["secure-zone", zone] for zone in self.signing)):
            subprocess.run([*steer, *words], check=True, capture_output=True, cwd=self.folder)


@dataclass
class Unbound(Server):
    """``roots``: name → address. ``anchors``: DS records to validate by; ``certificate``: a file for TLS and HTTPS, key
    and all."""

    roots: dict[str, str] = field(default_factory=dict)
    anchors: tuple[str, ...] = ()
    certificate: str = ""
    asked_with_recursion = True

    def command(self) -> list[str]:
        return [program("unbound") or "unbound", "-d", "-p", "-c", str(self.folder / "unbound.conf")]

    def configure(self) -> None:
        hints = "".join(f". 3600 IN NS {name}.\n{name}. 3600 IN A {address}\n" for name, address in self.roots.items())
        (self.folder / "hints").write_text(hints)
        (self.folder / "unbound.conf").write_text(
            f'server:\n  directory: "{self.folder}"\n  chroot: ""\n  username: ""\n  use-syslog: no\n  '
            f"interface: {self.address}\n"
            f"  outgoing-interface: {self.address}\n  do-ip6: no\n  do-not-query-localhost: no\n  "
            f'root-hints: "{self.folder}/hints"\n'
            f'  module-config: "{"validator " if self.anchors else ""}iterator"\n  ede: yes\n{self._more()}'
            '  access-control: 127.0.0.0/8 allow\n  local-zone: "example." nodefault\n'
            '  local-zone: "test." nodefault\n  pidfile: ""\n  num-threads: 1\n'
            "remote-control:\n  control-enable: no\n"
        )

    def _more(self) -> str:
        lines = [f'trust-anchor: "{each}"' for each in self.anchors]
        if self.certificate:
            lines += [f"interface: {self.address}@853", f"interface: {self.address}@443"]
            lines += [f'tls-service-key: "{self.certificate}"', f'tls-service-pem: "{self.certificate}"']
        return "".join(f"  {line}\n" for line in lines)


def answers(address: str, name: str, recursion: bool = False) -> bool:
    """Whether the server has an answer without error for a name's SOA."""
    return outcome(address, name, 6, recursion) == 0


def outcome(
    address: str, name: str, rtype: int, recursion: bool, patience: tuple[float, ...] = (2, 4, 8)
) -> int | None:
    """The response code, or None for no answer. Asked again, as any program does, after so many seconds each."""
    query = encode_question(1, parse_name(name.rstrip(".") + "."), rtype, flags=0x0100 if recursion else 0)
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as port:
        for timeout in patience:
            port.settimeout(timeout)
            with suppress(OSError):
                port.sendto(query, (address, 53))
                return int(struct.unpack_from("!H", port.recv(65535), 2)[0] & 15)
    return None


def asked(address: str, name: str, rtype: str, dnssec: bool = False) -> dns.message.Message:
    """The answer over UDP, by the general library. Asked again, as any program does."""
    query = dns.message.make_query(name, rtype, want_dnssec=dnssec)
    for timeout in (2, 4, 8):
        with suppress(dns.exception.Timeout):
            return dns.query.udp(query, address, timeout=timeout)
    return dns.query.udp(query, address, timeout=16)


def stop_all(servers: Iterable[Server]) -> None:
    for server in servers:
        server.stop()
