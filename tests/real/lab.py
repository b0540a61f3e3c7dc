"""Four providers, each one real server on two addresses, that make, change and end zones by the commands of the
settings; a registry.

``bind``, ``knot`` and ``pdns`` take signed dynamic updates, ``nsd`` master files. Root and TLD are on a BIND of their
own; visitors ask Unbound and another BIND.
"""

import base64
import json
import os
import sqlite3
import subprocess
import sys
from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import Any

import dns.message
import dns.query

from legatum.core.records.name import parse_name
from legatum.wire.tsig import TsigKey
from tests.real.processes import KEY_NAME, Bind, Server, Unbound, program, stop_all
from tests.real.program import legatum
from tests.real.registry_thread import RegistryThread
from tests.started import Ended, run_program

NAMES = ("bind", "knot", "nsd", "pdns")
SOA = "@ SOA ns1.{provider}.example. hostmaster.{provider}.example. {serial} 60 20 3600 2\n"
RECORDS = """@ A 198.51.100.80
@ MX 10 mail
@ TXT "v=spf1 mx -all"
www CNAME @
mail A 203.0.113.25
*.preview A 198.51.100.83
_imaps._tcp SRV 0 1 993 mail
a.b AAAA 2001:db8::1
"""


def blank(provider: str, zone: str = "", ttl: int = 4) -> str:
    """SOA and NS; ``zone``: its name, for a file that does not say it itself."""
    origin = f"$ORIGIN {zone}.\n" if zone else ""
    servers = f"@ {ttl} NS ns1.{provider}.example.\n@ {ttl} NS ns2.{provider}.example.\n"
    return f"{origin}$TTL 3\n{SOA.format(provider=provider, serial=1)}{servers}"


class Hosting(Server):
    """``zones``: name → master file. ``spare``: an address at which it answers too, and that no name has at first.
    ``make`` and ``take_away`` are shell commands with ``$1`` for the domain; ``signs``: all that is made there, too.
    ``signing``: those of its zones that it signs; ``more``: lines for its settings."""

    kind = "update"
    more = ""
    signs = False
    takes_keys: tuple[str, ...] = ()

    def __init__(self, folder: Path, name: str, addresses: tuple[str, str], spare: str, secret: str) -> None:
        super().__init__(folder, addresses[0], f"own.{name}.example")
        self.name, self.addresses, self.spare, self.secret = name, addresses, spare, secret
        self.zones: dict[str, str] = {self.probe: f"$ORIGIN {self.probe}.\n{blank(name)}"}
        self.signing: tuple[str, ...] = ()

    @property
    def places(self) -> tuple[str, ...]:
        """Where it listens."""
        return (*self.addresses, self.spare)

    def put_files(self) -> None:
        for zone, text in self.zones.items():
            (self.folder / f"{zone}.zone").write_text(text)

    @property
    def make(self) -> str:
        raise NotImplementedError

    @property
    def take_away(self) -> str:
        raise NotImplementedError

    @property
    def sign(self) -> str:
        """A command by which a zone is signed, and one that ends it; empty where there is none."""
        return ""

    @property
    def unsign(self) -> str:
        return ""

    @property
    def rekey(self) -> str:
        """A command that brings the keys of a zone to the stage ``$2``."""
        return ""

    def settings(self) -> str:
        verbs = {
            "create": self.make,
            "end": self.take_away,
            "sign": self.sign,
            "unsign": self.unsign,
            "rekey": self.rekey,
        }
        for verb, line in verbs.items():
            path = self.folder / verb
            path.write_text(f"#!/bin/sh -e\ncd {self.folder}\n{line}\n")
            path.chmod(0o755)
        words = [
            f'{verb} = ["{self.folder}/{verb}", "{{domain}}"]'
            for verb, line in verbs.items()
            if line and verb != "rekey"
        ]
        words += [f'rekey = ["{self.folder}/rekey", "{{domain}}", "{{stage}}"]'] if self.rekey else []
        words += [f'takes_keys = {json.dumps(self.takes_keys)}\nkey_ttl = "3s"'] if self.signs else []
        words += ["signs = true"] if self.signs else []
        servers = f'servers = ["ns1.{self.name}.example", "ns2.{self.name}.example"]'
        key = f'primary = "{self.address}"\nkey = {{ name = "{KEY_NAME}", secret = "file:secret" }}'
        return "\n".join([f'[providers.{self.name}]\nkind = "{self.kind}"', servers, *words, self.more or key]) + "\n"

    def blank_file(self) -> str:
        return f"printf '%s' '{blank(self.name)}' > $1.zone"


_SPLIT = (
    "dnssec-policy split "
    "{ keys { ksk lifetime unlimited algorithm 13; zsk lifetime unlimited algorithm 13; }; dnskey-ttl 3; "
    "publish-safety 1; retire-safety 1; max-zone-ttl 60; zone-propagation-delay 1; parent-ds-ttl 2; "
    "parent-propagation-delay 1; };\n"
)


_PKCS8 = (  # what one server exports the other reads in this form only
    f"{sys.executable} -c 'import sys; from cryptography.hazmat.primitives.serialization import *; "
    "key = load_pem_private_key(sys.stdin.buffer.read(), None); "
    "sys.stdout.buffer.write(key.private_bytes(Encoding.PEM, PrivateFormat.PKCS8, NoEncryption()))'"
)


class BindHosting(Hosting):
    def command(self) -> list[str]:
        return [program("named") or "named", "-g", "-c", str(self.folder / "named.conf")]

    def configure(self) -> None:
        self.put_files()
        steering = base64.b64encode(os.urandom(32)).decode()
        (self.folder / "rndc.key").write_text(f'key "rndc-key" {{ algorithm hmac-sha256; secret "{steering}"; }};\n')
        zones = "".join(f'zone "{zone}" {self._zone(zone, zone in self.signing)};\n' for zone in self.zones)
        (self.folder / "named.conf").write_text(
            f'options {{ directory "{self.folder}"; pid-file none; listen-on {{ {"; ".join(self.places)}; }};\n'
            "listen-on-v6 { none; }; recursion no; dnssec-validation no; notify no; allow-new-zones yes; "
            "empty-zones-enable no;\n"
            "session-keyfile none; };\n"
            f'include "{self.folder}/rndc.key";\ncontrols '
            f'{{ inet {self.address} port 953 allow {{ any; }} keys {{ "rndc-key"; }}; }};\n'
            f'key "{KEY_NAME}" {{ algorithm hmac-sha256; secret "{self.secret}"; }};\n{_SPLIT}{zones}'
        )

    def _zone(self, zone: str, signed: bool) -> str:
        policy = (
            "default" if zone.startswith("towards-") else "split"
        )  # by which no DS is asked for within the first day
        signs = f" dnssec-policy {policy}; inline-signing yes;" if signed else ""
        allowed = f'allow-update {{ key "{KEY_NAME}"; }}; allow-transfer {{ key "{KEY_NAME}"; }};'
        return f'{{ type primary; file "{zone}.zone"; {allowed}{signs} }}'

    def steer(self, words: str) -> str:
        return f"{program('rndc')} -k {self.folder}/rndc.key -s {self.address} -p 953 {words}"

    @property
    def make(self) -> str:
        return (
            f"{self.blank_file()}\nexec "
            f"{self.steer(f'''addzone $1 '{self._zone(chr(39) + '$1' + chr(39), self.signs)};' ''')}"
        )

    @property
    def take_away(self) -> str:
        return f"{self.steer('delzone -clean $1')}\nrm -f $1.zone.* K$1.+*"

    @property
    def rekey(self) -> str:
        """It has to be told that the DS is there, and has been for its TTL: else it takes the old key for one that has
        no DS."""
        ksks = (
            f"$({self.steer('dnssec -status $1')} | awk '/^key:/ {{ tag = /KSK/ ? $2 : 0 }} /key signing: "
            f"*yes/ && tag {{ print tag }}')"
        )
        told = self.steer("dnssec -checkds published $1")
        return (
            f"keys={ksks}\ncase $2 in\nnew-key) {told}\nsleep 5\necho $keys > $1.old\n"
            f"{self.steer('dnssec -rollover -key $keys $1')} ;;\n"
            "old-key) old=$(cat $1.old)\nfor each in $keys; do\nif [ $each = $old ]; then said=withdrawn; "
            "else said=published; fi\n"
            f"{self.steer('dnssec -checkds -key $each $said $1')}\ndone ;;\n*) exit 1 ;;\nesac"
        )


class KnotHosting(Hosting):
    def command(self) -> list[str]:
        return [program("knotd") or "knotd", "-c", str(self.folder / "knot.conf")]

    def configure(self) -> None:
        self.put_files()
        zones = "".join(
            f"  - domain: {zone}\n    file: {zone}.zone\n    acl: [keyed]\n" + self._signs(zone) for zone in self.zones
        )
        (self.folder / "knot.conf").write_text(
            f"server:\n  rundir: {self.folder}\n  listen: [{', '.join(f'{each}@53' for each in self.places)}]\n"
            f"log:\n  - target: stderr\n    any: info\ndatabase:\n  storage: {self.folder}\n"
            f"key:\n  - id: {KEY_NAME}\n    algorithm: hmac-sha256\n    secret: {self.secret}\n"
            f"acl:\n  - id: keyed\n    key: {KEY_NAME}\n    action: [transfer, update]\n"
            + "policy:\n"
            + "".join(
                self._policy(*each) for each in (("quiet", 256), ("other", 384), ("alone", 256), ("combined", 256))
            )
            + f"template:\n  - id: default\n    storage: {self.folder}\n    zonefile-sync: -1\n    "
            f"journal-content: all\nzone:\n{zones}"
        )

    def _policy(self, name: str, bits: int) -> str:
        times = "delete-delay: 5\n    dnskey-ttl: 3\n    zone-max-ttl: 4\n    propagation-delay: 1"
        managed = "full" if name == "alone" else "incremental"  # records of keys that it has not are taken out, or left
        more = f"cds-cdnskey-publish: none\n    dnskey-management: {managed}"
        more += "\n    single-type-signing: on" if name == "combined" else ""
        return f"  - id: {name}\n    algorithm: ecdsap{bits}sha{bits}\n    {more}\n    {times}\n"

    def _signs(self, zone: str) -> str:
        """By default it asks for a DS too; not for zones ``towards-…``."""
        quiet = "    dnssec-policy: quiet\n" if zone.startswith("towards-") or self.signs else ""
        quiet = "    dnssec-policy: combined\n" if zone.startswith("combined-") else quiet
        return f"    dnssec-signing: on\n{quiet}" if zone in self.signing else ""

    def steer(self, *lines: str) -> str:
        knotc = f"{program('knotc')} -s {self.folder}/knot.sock"
        one_at_a_time = f"exec 9>>{self.folder}/steering; flock 9"
        return (
            one_at_a_time
            + "\n"
            + "\n".join(f"{knotc} {line} >/dev/null" for line in ("conf-begin", *lines, "conf-commit"))
        )

    @property
    def make(self) -> str:
        signed = ("conf-set zone[$1].dnssec-signing on", "conf-set zone[$1].dnssec-policy quiet") if self.signs else ()
        made = ("conf-set zone[$1]", "conf-set zone[$1].file $1.zone", "conf-set zone[$1].acl keyed", *signed)
        return f"{self.blank_file()}\n" + self.steer(*made)

    @property
    def take_away(self) -> str:
        """With its keys: one that comes again with the same ones would find them there."""
        keymgr = f"{program('keymgr')} -c {self.folder}/knot.conf $1"
        gone = f"for each in $({keymgr} list | awk '{{ print $1 }}'); do {keymgr} delete $each; done"
        return (
            f"{self.steer('conf-unset zone[$1]')}\n{gone}\n{program('knotc')} -s {self.folder}/knot.sock -f "
            "zone-purge +orphan $1"
        )

    takes_keys = ("foreign", "brought")

    @property
    def rekey(self) -> str:
        """It goes from new signatures to a new key by itself. Keys that are brought along come from the PowerDNS."""
        knotc, keymgr = (
            f"{program('knotc')} -s {self.folder}/knot.sock",
            f"{program('keymgr')} -c {self.folder}/knot.conf $1",
        )
        other = PowerDnsHosting.util_of(self.folder.parent / "pdns")
        return (
            f"case $2 in\nnew-key) [ -e $1.algorithm ] || {knotc} zone-key-rollover $1 ksk ;;\n"
            f"new-signatures) touch $1.algorithm\nhas=$({knotc} conf-read zone[$1].dnssec-policy)\n"
            "case $has in *other) next=quiet ;; *) next=other ;; esac\n"
            f"{self.steer('conf-set zone[$1].dnssec-policy $next')} ;;\n"
            f"alone) touch $1.combined; {knotc} zone-ksk-submitted $1 ;;\n"
            f"old-key) [ -e $1.combined ] && rm $1.combined || {knotc} zone-ksk-submitted $1 ;;\n"
            "old-signatures) rm -f $1.algorithm ;;\n"
            f"keys-brought) had=$({keymgr} list | awk '{{ print $1 }}')\n"
            f"{other} list-keys $1 | awk -v zone=$1 '$1 == zone {{ print $2, $(NF-2) }}' | while read kind number; do\n"
            f"{other} export-zone-key-pem $1 $number | {_PKCS8} > brought.pem\n"
            f"case $kind in KSK) roles='ksk=yes zsk=no' ;; ZSK) roles='ksk=no zsk=yes' ;; *) exit 1 ;; esac\n"
            f"{keymgr} import-pem brought.pem algorithm=13 $roles; done\n"
            f"for each in $had; do {keymgr} delete $each; done\n"
            f"{self.steer('conf-set zone[$1].dnssec-policy alone')}\n{knotc} -b zone-sign $1\n"
            f"{self.steer('conf-set zone[$1].dnssec-policy quiet')} ;;\n*) exit 1 ;;\nesac"
        )


class NsdHosting(Hosting):
    kind = "files"

    def command(self) -> list[str]:
        return [program("nsd") or "nsd", "-d", "-c", str(self.folder / "nsd.conf")]

    def configure(self) -> None:
        self.put_files()
        self.more = f'folder = "{self.name}"\nreload = {json.dumps([*self.control, "reload", "{domain}"])}'
        places = "".join(f"  ip-address: {each}\n" for each in self.places)
        (self.folder / "nsd.conf").write_text(
            f'key:\n  name: "{KEY_NAME}"\n  algorithm: hmac-sha256\n  secret: "{self.secret}"\n'
            f'server:\n{places}  database: ""\n  zonesdir: "{self.folder}"\n  pidfile: ""\n  username: ""\n  '
            'chroot: ""\n'
            f'  zonelistfile: "{self.folder}/zone.list"\n  xfrdfile: ""\n  rrl-ratelimit: 0\n'
            f'remote-control:\n  control-enable: yes\n  control-interface: "{self.folder}/control"\n'
            f'pattern:\n  name: "made"\n  zonefile: "%s.zone"\n  provide-xfr: 127.0.0.0/8 {KEY_NAME}\n'
            + "".join(f'zone:\n  name: "{zone}"\n  include-pattern: "made"\n' for zone in (self.probe,))
        )
        listed = "".join(f"add {zone} made\n" for zone in self.zones if zone != self.probe)
        (self.folder / "zone.list").write_text(f"# NSD zone list\n# name pattern\n{listed}")

    @property
    def control(self) -> list[str]:
        return [program("nsd-control") or "nsd-control", "-c", str(self.folder / "nsd.conf")]

    @property
    def make(self) -> str:
        return f"exec {' '.join(self.control)} addzone $1 made"

    @property
    def take_away(self) -> str:
        return f"{' '.join(self.control)} delzone $1\nrm -f $1.zone"


class PowerDnsHosting(Hosting):
    def command(self) -> list[str]:
        return [program("pdns_server") or "pdns_server", f"--config-dir={self.folder}", "--daemon=no", "--guardian=no"]

    def configure(self) -> None:
        self.put_files()
        (self.folder / "pdns.conf").write_text(
            f"launch=gsqlite3\ngsqlite3-database={self.folder}/zones.db\ngsqlite3-dnssec=yes\n"
            f"local-address={','.join(self.places)}\n"
            f"socket-dir={self.folder}\nsetuid=\nsetgid=\nsecurity-poll-suffix=\nprimary=yes\ndnsupdate=yes\n"
            "allow-dnsupdate-from=127.0.0.0/8\nallow-axfr-ips=\nzone-cache-refresh-interval=0\ncache-ttl=0\n"
            "query-cache-ttl=0\nnegquery-cache-ttl=0\n"
            "dnssec-key-cache-ttl=1\ndomain-metadata-cache-ttl=1\ndirect-dnskey=yes\n"
        )
        schema = Path("/usr/share/pdns-backend-sqlite3/schema/schema.sqlite3.sql").read_text()
        with sqlite3.connect(self.folder / "zones.db") as database:
            database.executescript(schema)
        self._util("import-tsig-key", KEY_NAME, "hmac-sha256", self.secret)
        for zone in self.zones:
            self._util("load-zone", zone, f"{zone}.zone")
            self.allow(zone)
            if zone in self.signing:
                self._util("secure-zone", zone)

    def allow(self, zone: str) -> None:
        for what in ("TSIG-ALLOW-AXFR", "TSIG-ALLOW-DNSUPDATE"):
            self._util("set-meta", zone, what, KEY_NAME)

    @property
    def util(self) -> str:
        return self.util_of(self.folder)

    @staticmethod
    def util_of(folder: Path) -> str:
        return f"{program('pdnsutil')} --config-dir={folder}"

    def _util(self, *words: str) -> None:
        subprocess.run([*self.util.split(), *words], check=True, capture_output=True, cwd=self.folder)

    @property
    def _steered(self) -> str:
        """One command at a time, each tried again: its database is of one file, and the server writes there too."""
        again = 'again() { for pause in 1 1 2 3; do "$@" && return 0; sleep $pause; done; return 1; }'
        return f"exec 9>>{self.folder}/steering; flock 9\n{again}\nutil='again {self.util}'\n"

    @property
    def make(self) -> str:
        metas = "\n".join(
            f"$util set-meta $1 {what} {KEY_NAME}" for what in ("TSIG-ALLOW-AXFR", "TSIG-ALLOW-DNSUPDATE")
        )
        signed = "\n$util secure-zone $1\n$util rectify-zone $1" if self.signs else ""
        return f"{self._steered}{self.blank_file()}\n$util load-zone $1 $1.zone\n{metas}{signed}"

    @property
    def sign(self) -> str:
        return f"{self._steered}$util secure-zone $1\n$util rectify-zone $1"

    @property
    def unsign(self) -> str:
        return f"{self._steered}$util disable-dnssec $1"

    @property
    def take_away(self) -> str:
        return f"{self._steered}$util delete-zone $1"

    takes_keys = ("foreign", "brought")

    @property
    def rekey(self) -> str:
        """Keys by age; another algorithm comes unpublished first. Keys that are brought along come from the Knot."""
        knot = self.folder.parent / "knot"
        keymgr = f"{program('keymgr')} -c {knot}/knot.conf $1"
        return (
            f"{self._steered}"
            "rows=$($util list-keys $1 | awk -v zone=$1 '$1 == zone')\nids=$(echo \"$rows\" | awk "
            "'{ print $(NF-2) }')\n"
            'old=$(echo "$ids" | head -1) new=$(echo "$ids" | tail -1)\n'
            "kinds=$(echo \"$rows\" | awk '{ print $(NF-3) }' | sort -u | wc -l)\nage() { [ $kinds -gt 1 ]; }\n"
            "case $2 in\n"
            "new-key) if age; then $util publish-zone-key $1 $new; else $util add-zone-key $1 ksk active "
            "published ecdsa256; fi ;;\n"
            "new-signatures) case $rows in *P256*) next=ecdsa384 ;; *) next=ecdsa256 ;; esac\n"
            "$util add-zone-key $1 ksk active unpublished $next ;;\n"
            "old-key) if age; then $util unpublish-zone-key $1 $old; else $util remove-zone-key $1 $old; fi ;;\n"
            "old-signatures) $util remove-zone-key $1 $old ;;\n"
            "new-key-back) if age; then $util unpublish-zone-key $1 $new; else $util remove-zone-key $1 $new; fi ;;\n"
            "new-signatures-back) $util remove-zone-key $1 $new ;;\n"
            f"keys-brought) {keymgr} list | while read id roles; do case $roles in *ksk=yes*|*KSK*) kind=ksk "
            ";; *) kind=zsk ;; esac\n"
            f"$util import-zone-key-pem $1 {knot}/keys/keys/$id.pem 13 $kind; done\n"
            "for each in $ids; do $util remove-zone-key $1 $each; done ;;\n*) exit 1 ;;\nesac"
        )


HOSTINGS: dict[str, type[Hosting]] = {
    "bind": BindHosting,
    "knot": KnotHosting,
    "nsd": NsdHosting,
    "pdns": PowerDnsHosting,
}


class Lab:
    """``domains``: domain → the provider that serves it at first, whole. ``signed``: (provider, zone) that it signs;
    ``extra``: records beside those that all have, by domain; ``beside``: (provider, zone) → its master file, for zones
    that nobody is led to at first; ``cuts``: more lines for the TLD; ``bare``: domains that are registered, and
    delegated to nobody. ``copy``: a BIND that takes copies of zones of any of them, as the secondary ``copy-NAME`` of
    the settings. ``signers``: providers that sign whatever they have, ``validating``: the TLD is signed, and both
    resolvers validate by its key."""

    def __init__(
        self, folder: Path, number: int, domains: Mapping[str, str], signed: Iterable[tuple[str, str]] = (),
        extra: Mapping[str, str] | None = None, beside: Mapping[tuple[str, str], str] | None = None, cuts: str = "",
        bare: Iterable[str] = (), signers: Iterable[str] = (), validating: bool = False,
    ) -> None:  # fmt: skip
        self.folder = folder
        for each in (folder, *folder.parents[:2]):
            each.chmod(0o755)  # servers that drop their rights must still reach their folders
        self.host = lambda last: f"127.{number}.0.{last}"
        secret = base64.b64encode(os.urandom(32)).decode()
        (folder / "secret").write_text(secret)
        publishing = os.urandom(32)
        self.hostings: dict[str, Hosting] = {}
        tld = (
            "$ORIGIN example.\n$TTL 60\n@ SOA a.nic hostmaster.nic 1 60 20 3600 2\n@ NS a.nic\na.nic A "
            f"{self.host(1)}\n{cuts}"
        )
        for place, (name, kind) in enumerate(HOSTINGS.items(), 1):
            addresses = (self.host(10 * place), self.host(10 * place + 1))
            self.hostings[name] = kind(folder / name, name, addresses, self.host(10 * place + 2), secret)
            tld += f"ns1.{name} A {addresses[0]}\nns2.{name} A {addresses[1]}\n"
        for domain, provider in domains.items():
            text = blank(provider, domain).replace(" 1 60 20", " 2031030402 60 20")
            self.hostings[provider].zones[domain] = text + RECORDS + (extra or {}).get(domain, "")
            tld += "".join(f"{domain.removesuffix('.example')} 2 NS ns{each}.{provider}\n" for each in (1, 2))
        tld += f"ns1.copy A {self.host(64)}\n" + "".join(f"{name}.copy A {self.host(64)}\n" for name in NAMES)
        for (provider, zone), text in (beside or {}).items():
            self.hostings[provider].zones[zone] = text
        for name in signers:
            self.hostings[name].signs = True
            signed = [*signed, *((name, domain) for domain, home in domains.items() if home == name)]
        for provider, zone in signed:
            self.hostings[provider].signing += (zone,)
        root = "$ORIGIN .\n$TTL 60\n@ SOA a.root.test. hostmaster.root.test. 1 60 20 3600 2\n@ NS a.root.test.\n"
        root += f"a.root.test. A {self.host(1)}\nexample. NS a.nic.example.\na.nic.example. A {self.host(1)}\n"
        top = base64.b64encode(publishing).decode()
        self.top = Bind(folder / "top", self.host(1), "example", secret=top, zones={".": root, "example": tld})
        self.top.signing = ("example",) if validating else ()
        roots = {"a.root.test": self.host(1)}
        self.resolvers: list[Server] = [
            Unbound(folder / "unbound", self.host(31 + 30), ".", roots=roots),
            Bind(folder / "resolver", self.host(32 + 30), ".", roots=roots),
        ]
        self.resolvers[1].asked_with_recursion = True
        copies = {
            "own.copy.example": (
                f"$ORIGIN own.copy.example.\n{SOA.format(provider='bind', serial=1)}@ 4 NS ns1.copy.example.\n"
            )
        }
        self.copy = Bind(folder / "copy", self.host(64), "own.copy.example", secret=secret, zones=copies)
        key = TsigKey(parse_name(KEY_NAME + "."), "hmac-sha256", publishing)
        hosts = {name: [parse_name(f"ns{each}.{name}.example.") for each in (1, 2)] for name in NAMES}
        every = [
            *(host for each in hosts.values() for host in each),
            *(parse_name(f"{name}.copy.example.") for name in NAMES),
        ]
        registered = {domain: hosts[at] for domain, at in domains.items()} | {domain: [] for domain in bare}
        self.registry = RegistryThread(folder, self.host(1), key, 2, registered, every)

    @property
    def servers(self) -> list[Server]:
        return [self.top, *self.hostings.values(), self.copy, *self.resolvers]

    def start(self) -> None:
        for address in self._places:
            # Some servers listen only on addresses that an interface has, not on the whole loopback range.
            subprocess.run(["ip", "address", "add", f"{address}/32", "dev", "lo"], check=False, capture_output=True)
        for server in self.servers:
            if server is self.resolvers[0] and self.top.signing:
                self._trust()
            server.start()
        self.registry.start()
        assert self.registry.ready.wait(10)
        (self.folder / "legatum.toml").write_text(
            f'[network]\nroots = {{ "a.root.test" = ["{self.host(1)}"] }}\ntimeout = "2s"\nhome = ["127.0.0.0/8"]\n'
            '[house]\nlow_ttl = "2s"\nns_ttl = "4s"\nfloor = "0s"\nmargin = "1s"\npoll = "1s"\npatience = "60s"\n'
            f'[resolvers]\nunbound = "{self.resolvers[0].address}"\nbind = "{self.resolvers[1].address}"\n'
            + "".join(each.settings() for each in self.hostings.values())
            + "".join(self._copying(each) for each in self.hostings.values())
            + self.registry.settings
        )

    def _trust(self) -> None:
        """Both resolvers validate by the key that the TLD has made for itself."""
        given = dns.query.tcp(dns.message.make_query("example.", "DNSKEY"), self.top.address, timeout=5).answer[0]
        unbound, bind = self.resolvers
        assert isinstance(unbound, Unbound) and isinstance(bind, Bind)
        unbound.anchors = tuple(f"example. DNSKEY {key.to_text()}" for key in given)
        flags, protocol, algorithm, *data = given[0].to_text().split()
        bind.anchors = {"example": f'{flags} {protocol} {algorithm} "{"".join(data)}"'}

    def _copying(self, primary: Hosting) -> str:
        allowed = f'primaries {{ {primary.address} key "{KEY_NAME}"; }}; allow-notify {{ any; }};'
        zone = f'{{ type secondary; file "{primary.name}-{{domain}}"; {allowed} }};'
        create, end = (
            [*self.copy.control, *words] for words in (["addzone", "{domain}", zone], ["delzone", "-clean", "{domain}"])
        )
        return (
            f'[secondaries.copy-{primary.name}]\nservers = ["{primary.name}.copy.example"]\nnotify = '
            f'["{self.copy.address}"]\n'
            f"create = {json.dumps(create)}\nend = {json.dumps(end)}\n"
        )

    @property
    def _places(self) -> list[str]:
        return [each.address for each in self.servers] + [
            place for each in self.hostings.values() for place in each.places[1:]
        ]

    def stop(self) -> None:
        self.registry.stop()
        stop_all(self.servers)
        for address in self._places:
            subprocess.run(["ip", "address", "del", f"{address}/32", "dev", "lo"], check=False, capture_output=True)

    def legatum(self, *words: str, status: int = 0) -> Any:
        return legatum(self.folder, *words, status=status)

    def run(self, *words: str, settings: str = "legatum.toml", before: str = "") -> Ended:
        """``before``: what its process does first, in Python."""
        return run_program([*words, "--settings", settings], self.folder, {}, patience=200, before=before)
