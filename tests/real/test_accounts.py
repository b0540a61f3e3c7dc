"""``settings check`` on real servers: what a key allows is shown, for one that may do both, only transfer, only update,
or nothing, and for one that the server has another secret for, or never heard of."""

import base64
import json
import os
import sqlite3
import subprocess
import sys
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

import pytest

from tests.real.processes import NEEDS_SERVERS, Bind, Server, asked, program, stop_all

pytestmark = [pytest.mark.timeout(200), *NEEDS_SERVERS]
ZONE = "kilnandclay.example"
TEXT = (
    "$TTL 60\n@ SOA ns1.{name}.test. hostmaster.quillmoor.test. 7 3600 600 604800 60\n@ NS ns1.{name}.test.\n"
    "@ A 198.51.100.80\n"
)
READERS, WRITERS, KEYS = ("both", "reader"), ("both", "writer"), ("both", "reader", "writer", "nothing")
SECRETS = {name: base64.b64encode(os.urandom(32)).decode() for name in (*KEYS, "other")}


@dataclass
class _Keyed(Server):
    """One zone, and four keys of which each allows something else."""

    name: str = ""

    def put_zone(self) -> Path:
        path = self.folder / "zone"
        path.write_text(f"$ORIGIN {ZONE}.\n{TEXT.format(name=self.name)}")
        return path


class _Bind(_Keyed):
    def command(self) -> list[str]:
        return [program("named") or "named", "-g", "-c", str(self.folder / "named.conf")]

    def configure(self) -> None:
        self.put_zone()
        keys = "".join(f'key "{each}." {{ algorithm hmac-sha256; secret "{SECRETS[each]}"; }};\n' for each in KEYS)
        (self.folder / "named.conf").write_text(
            f"{keys}options "
            f'{{ directory "{self.folder}"; pid-file none; listen-on {{ {self.address}; }}; listen-on-v6 {{ none; }}; '
            "recursion no; dnssec-validation no; notify no; session-keyfile none; empty-zones-enable no; };\n"
            f'zone "{ZONE}" '
            f'{{ type primary; file "zone"; allow-transfer {{ {"".join(f"key {each}; " for each in READERS)} }}; '
            f"allow-update {{ {''.join(f'key {each}; ' for each in WRITERS)} }}; }};\n"
        )


class _Knot(_Keyed):
    def command(self) -> list[str]:
        return [program("knotd") or "knotd", "-c", str(self.folder / "knot.conf")]

    def configure(self) -> None:
        self.put_zone()
        keys = "".join(f"  - id: {each}\n    algorithm: hmac-sha256\n    secret: {SECRETS[each]}\n" for each in KEYS)
        (self.folder / "knot.conf").write_text(
            f"server:\n  rundir: {self.folder}\n  listen: {self.address}@53\nlog:\n  - target: stderr\n    any: info\n"
            f"database:\n  storage: {self.folder}\nkey:\n{keys}acl:\n"
            f"  - id: reading\n    key: [{', '.join(READERS)}]\n    action: transfer\n"
            f"  - id: writing\n    key: [{', '.join(WRITERS)}]\n    action: update\n"
            f"zone:\n  - domain: {ZONE}\n    storage: {self.folder}\n    file: zone\n    acl: [reading, writing]\n"
        )


class _Nsd(_Keyed):
    def command(self) -> list[str]:
        return [program("nsd") or "nsd", "-d", "-c", str(self.folder / "nsd.conf")]

    def configure(self) -> None:
        self.put_zone()
        keys = "".join(
            f'key:\n  name: "{each}"\n  algorithm: hmac-sha256\n  secret: "{SECRETS[each]}"\n' for each in KEYS
        )
        given = "".join(f"  provide-xfr: 127.0.0.0/8 {each}\n" for each in READERS)
        (self.folder / "nsd.conf").write_text(
            f'{keys}server:\n  ip-address: {self.address}\n  database: ""\n  zonesdir: "{self.folder}"\n  '
            'pidfile: ""\n  username: ""\n'
            f'  chroot: ""\n  zonelistfile: "{self.folder}/zone.list"\n  xfrdfile: ""\nremote-control:\n  '
            "control-enable: no\n"
            f'zone:\n  name: "{ZONE}"\n  zonefile: "zone"\n{given}'
        )


class _PowerDns(_Keyed):
    def command(self) -> list[str]:
        return [program("pdns_server") or "pdns_server", f"--config-dir={self.folder}", "--daemon=no", "--guardian=no"]

    def configure(self) -> None:
        path = self.put_zone()
        (self.folder / "pdns.conf").write_text(
            f"launch=gsqlite3\ngsqlite3-database={self.folder}/zones.db\nlocal-address={self.address}\n"
            f"socket-dir={self.folder}\nsetuid=\n"
            "setgid=\nsecurity-poll-suffix=\nprimary=yes\ndnsupdate=yes\nallow-dnsupdate-from=127.0.0.0/8\n"
            "allow-axfr-ips=\n"
        )
        with sqlite3.connect(self.folder / "zones.db") as database:
            database.executescript(Path("/usr/share/pdns-backend-sqlite3/schema/schema.sqlite3.sql").read_text())
        for each in KEYS:
            self._util("import-tsig-key", each, "hmac-sha256", SECRETS[each])
        self._util("load-zone", ZONE, str(path))
        self._util("set-meta", ZONE, "TSIG-ALLOW-AXFR", *READERS)
        self._util("set-meta", ZONE, "TSIG-ALLOW-DNSUPDATE", *WRITERS)

    def _util(self, *words: str) -> None:
        command = [program("pdnsutil") or "pdnsutil", f"--config-dir={self.folder}"]
        subprocess.run([*command, *words], check=True, capture_output=True, cwd=self.folder)


KINDS: dict[str, type[_Keyed]] = {"bind": _Bind, "knot": _Knot, "nsd": _Nsd, "pdns": _PowerDns}


@dataclass
class Office:
    """The four of them under one root, and the program beside."""

    folder: Path
    number: int
    servers: list[Server] = field(default_factory=list)

    def host(self, last: int) -> str:
        return f"127.{100 + self.number}.7.{last}"

    def start(self) -> None:
        places = {name: self.host(last) for last, name in enumerate(KINDS, 2)}
        root = (
            "$TTL 60\n. SOA a.root.test. hostmaster.root.test. 1 3600 600 604800 60\n. NS a.root.test.\n"
            f"a.root.test. A {self.host(1)}\n"
        )
        root += "".join(f"ns1.{name}.test. A {address}\n" for name, address in places.items())
        self.servers.append(Bind(self.folder / "root", self.host(1), ".", secret=SECRETS["other"], zones={".": root}))
        self.servers += [kind(self.folder / name, places[name], ZONE, name=name) for name, kind in KINDS.items()]
        for each in self.servers:
            subprocess.run(
                ["ip", "address", "add", f"{each.address}/32", "dev", "lo"], check=False, capture_output=True
            )
            each.start()

    def stop(self) -> None:
        stop_all(self.servers)
        for each in self.servers:
            subprocess.run(
                ["ip", "address", "del", f"{each.address}/32", "dev", "lo"], check=False, capture_output=True
            )

    def check(self, sections: dict[str, tuple[str, str, str]]) -> dict[str, dict[str, tuple[str, str]]]:
        """``sections``: provider → server, key, and where its secret is said to be; what was tried → its state, and
        what was seen."""
        text = (
            f'domains = "domains"\n[network]\nroots = {{ "a.root.test" = ["{self.host(1)}"] }}\nhome = '
            '["127.0.0.0/8"]\n'
        )
        for name, (server, key, secret) in sections.items():
            last = list(KINDS).index(server) + 2
            text += (
                f'[providers.{name}]\nkind = "update"\nprimary = "{self.host(last)}"\nservers = ["ns1.{server}.test"]\n'
            )
            text += f'key = {{ name = "{key}", secret = "{secret}" }}\n'
        (self.folder / "legatum.toml").write_text(text)
        (self.folder / "domains").write_text(f"elsewhere.example\n{ZONE}\n")
        for name, value in SECRETS.items():
            (self.folder / f"{name}.secret").write_text(value)
        command = [
            sys.executable,
            "-m",
            "legatum",
            "settings",
            "check",
            "providers",
            "--json",
            "--settings",
            str(self.folder),
        ]
        ended = subprocess.run(command, cwd=self.folder, capture_output=True, text=True, timeout=100, check=False)
        assert "Traceback" not in ended.stderr, ended.stderr
        found: dict[str, dict[str, tuple[str, str]]] = {name: {} for name in sections}
        for each in json.loads(ended.stdout)["checks"]:
            found[each["table"].partition(".")[2]][each["what"]] = (each["state"], each["said"])
            assert each["line"] and (each["state"] == "works" or each["remedy"])
        return found


@pytest.fixture
def office(tmp_path: Path) -> Iterator[Office]:
    made = Office(tmp_path, int(os.environ.get("PYTEST_XDIST_WORKER", "gw9").removeprefix("gw")))
    try:
        made.start()
        yield made
    finally:
        made.stop()


def test_what_each_key_allows_at_each_of_the_four(office: Office) -> None:
    found = office.check({f"{server}-{key}": (server, key, f"file:{key}.secret") for server in KINDS for key in KEYS})
    for server in KINDS:
        for key in KEYS:
            tried = found[f"{server}-{key}"]
            assert tried["name servers over UDP"][0] == tried["name servers over TCP"][0] == "works"
            assert tried["transfer"][0] == ("works" if key in READERS else "does not work"), (server, key, tried)
            writes = key in WRITERS and server != "nsd"  # which takes no updates
            assert tried["update"][0] == ("works" if writes else "does not work"), (server, key, tried)
        assert (
            asked(office.host(list(KINDS).index(server) + 2), ZONE, "SOA").answer[0][0].serial == 7
        )  # and nothing was changed


def test_a_key_that_is_none_is_told_by_what_is_wrong_with_it(office: Office) -> None:
    sections = {
        f"{server}-{what}": (server, key, secret)
        for server in KINDS
        for what, key, secret in (
            ("otherwise", "both", "file:other.secret"),
            ("unheard", "stranger", "file:both.secret"),
            ("gone", "both", "file:none.secret"),
        )
    }
    found = office.check(sections)
    for server in KINDS:
        assert "transfer" not in found[f"{server}-gone"] and found[f"{server}-gone"]["key"][0] == "does not work"
        for what in ("otherwise", "unheard"):
            tried = found[f"{server}-{what}"]
            assert {tried["transfer"][0], tried["update"][0]} == {"does not work"}, (server, what, tried)
            assert "both" in tried["transfer"][1] or "stranger" in tried["transfer"][1] or server == "pdns", tried
