"""Zones through BIND, Knot, PowerDNS and NSD, byte for byte; gathered through the proofs of signed zones; changes
fetched alone."""

import base64
import json
import os
import subprocess
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from legatum.core.records.name import parse_name
from legatum.core.records.rrtype import NS, SOA
from legatum.core.zones.masterfile import parse_master
from legatum.core.zones.zone import Zone
from tests.real.processes import KEY_NAME, NEEDS_SERVERS, Bind, Knot, Nsd, PowerDns, Server, program, stop_all
from tests.real.program import legatum

pytestmark = NEEDS_SERVERS
DOMAIN, NARROW = "round.example", "narrow.example"
POLICY = f"deny {KEY_NAME} name vip.{NARROW}. A; deny {KEY_NAME} subdomain {NARROW}. CAA; grant {KEY_NAME} zonesub ANY;"
HEAD = "$TTL 60\n@ SOA ns.example. hostmaster.quillmoor.example. 7 14400 3600 1209600 60\n"
RECORDS = f"""@ A 127.0.0.80
@ MX 10 mail
@ TXT "v=spf1 mx -all" "second; piece \\" quoted \\\\ \\007"
@ CAA 0 issue "authority.test"
@ HTTPS 1 . alpn=h2,h3 ipv4hint=127.0.0.80
www 300 CNAME @
mail A 127.0.0.25
*.preview A 127.0.0.83
a.b.c AAAA 2001:db8::1
_imaps._tcp SRV 0 1 993 mail
_443._tcp.www TLSA 3 1 1 {"ab" * 32}
winter._domainkey TXT "{"k" * 250}" "{"m" * 200}"
xn--tpferei-90a A 127.0.0.84
sub NS ns1.sub
sub NS ns.elsewhere.test.
safe NS ns.elsewhere.test.
safe DS 4711 13 2 {"ab" * 32}
ns1.sub A 127.0.0.85
n NAPTR 100 50 "s" "SIP+D2U" "" _sip._udp.round.example.
odd TYPE731 \\# 4 0a0b0c0d
ssh SSHFP 4 2 {"12" * 32}
"""
SIGNED = "@ NS knot.example.\n" + "".join(
    line + "\n" for line in RECORDS.splitlines() if "TYPE731" not in line
).replace(DOMAIN, "{zone}")


class Network:
    """Root and TLD on BIND, which also serves the zone first; the other servers have it empty."""

    def __init__(self, folder: Path, worker: int) -> None:
        self.folder, self.base = folder, f"127.{130 + worker}.0."
        self.places = {
            "top": self.base + "1",
            "bind": self.base + "2",
            "knot": self.base + "3",
            "pdns": self.base + "4",
            "nsd": self.base + "5",
        }
        self.secret = base64.b64encode(os.urandom(32)).decode()
        (folder / "secret").write_text(self.secret)
        hosts = "".join(f"{name} A {address}\n" for name, address in self.places.items())
        cuts = f"round NS bind\nnarrow NS bind\nsigned NS knot\nhashed NS knot\n@ NS ns\nns A {self.places['top']}\n"
        top = self.places["top"]
        root = f"{HEAD}. NS a.root.test.\na.root.test. A {top}\nexample. NS ns.example.\nns.example. A {top}\n"
        empty = {name: f"{HEAD}@ NS {name}.example.\n" for name in self.places}
        self.nsd = Nsd(folder / "nsd", self.places["nsd"], DOMAIN, zones={DOMAIN: empty["nsd"]})
        signed = {
            f"{name}.example": HEAD + SIGNED.replace("{zone}", f"{name}.example") for name in ("signed", "hashed")
        }
        self.servers: list[Server] = [
            Bind(folder / "top", top, "example", secret=self.secret, zones={".": root, "example": HEAD + hosts + cuts}),
            Bind(
                folder / "bind",
                self.places["bind"],
                DOMAIN,
                secret=self.secret,
                transfer_open=True,
                zones={
                    DOMAIN: f"{HEAD}@ NS bind.example.\n{RECORDS}",
                    NARROW: f"{HEAD}@ NS bind.example.\n@ A 127.0.0.80\n",
                },
                policies={NARROW: POLICY},
            ),
            Knot(
                folder / "knot",
                self.places["knot"],
                DOMAIN,
                secret=self.secret,
                zones={DOMAIN: empty["knot"], **signed},
                signing=tuple(signed),
                hashed=("hashed.example",),
            ),
            PowerDns(folder / "pdns", self.places["pdns"], DOMAIN, zones={DOMAIN: empty["pdns"]}),
            self.nsd,
        ]

    def start(self) -> None:
        for address in (self.places["top"], self.places["bind"]):
            subprocess.run(
                [program("ip") or "ip", "address", "add", f"{address}/32", "dev", "lo"],
                check=False,
                capture_output=True,
            )
        for server in self.servers:
            server.start()
        assert self.nsd.process is not None
        key = f'key = {{ name = "{KEY_NAME}", secret = "file:secret" }}'
        control = [
            program("pdns_control") or "pdns_control",
            f"--config-dir={self.folder}/pdns",
            "bind-reload-now",
            "{domain}",
        ]
        updates = "".join(
            f'[providers.{name}]\nkind = "update"\nprimary = "{self.places[name]}"\nservers = '
            f'["{name}.example"]\n{key}\n{more}'
            for name, more in (("bind", self._making()), ("knot", ""))
        )
        files = "".join(
            f'[providers.{name}]\nkind = "files"\nfolder = "{name}"\nfile = "zone0"\nservers = ["{name}.example"]\n'
            f"reload = {json.dumps(reload)}\n"
            for name, reload in (("pdns", control), ("nsd", ["kill", "-HUP", str(self.nsd.process.pid)]))
        )
        (self.folder / "legatum.toml").write_text(
            f'[network]\nroots = {{ "a.root.test" = ["{self.places["top"]}"] }}\ntimeout = "3s"\nhome = '
            '["127.0.0.0/8", "2001:db8::/32"]\n'
            f'{updates}{files}[house]\npoll = "1s"\npatience = "20s"\nserial = "date"\n'
        )

    def _making(self) -> str:
        """The setting that has BIND make a zone."""
        bind = self.servers[1]
        assert isinstance(bind, Bind)
        made = f'{{ type primary; file "$1.made"; allow-update {{ key "{KEY_NAME}"; }}; allow-transfer {{ any; }}; }};'
        (self.folder / "make-zone").write_text(
            f"printf '%s' '{HEAD}@ NS bind.example.\n' > {bind.folder}/$1.made\n"
            f"exec {' '.join(bind.control)} addzone $1 '{made.replace('$1', chr(39) + '$1' + chr(39))}'\n"
        )
        return f'create = ["sh", "{self.folder}/make-zone", "{{domain}}"]\n'

    def stop(self) -> None:
        stop_all(self.servers)
        for address in (self.places["top"], self.places["bind"]):
            subprocess.run(
                [program("ip") or "ip", "address", "del", f"{address}/32", "dev", "lo"],
                check=False,
                capture_output=True,
            )

    def legatum(self, *words: str, status: int = 0) -> Any:
        return legatum(self.folder, *words, status=status)

    def zone(self, file: str, domain: str = DOMAIN) -> Zone:
        return parse_master((self.folder / file).read_text(), parse_name(domain + "."), file)


@pytest.fixture(scope="module")
def network(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Network]:
    worker = os.environ.get("PYTEST_XDIST_WORKER", "gw9").removeprefix("gw")
    folder = tmp_path_factory.mktemp("zones")
    for each in (folder, *folder.parents[:2]):
        each.chmod(0o755)
    made = Network(folder, int(worker))
    try:
        made.start()
        yield made
    finally:
        made.stop()


def contents(zone: Zone) -> set[Any]:
    return {each for each in zone if (each.name, each.rtype) not in ((zone.origin, SOA), (zone.origin, NS))}


def test_a_zone_goes_through_all_four_and_is_the_same_at_the_end(network: Network) -> None:
    original = parse_master(f"{HEAD}@ NS bind.example.\n{RECORDS}", parse_name(DOMAIN + "."))
    for left, right in (("bind", "knot"), ("knot", "pdns"), ("pdns", "nsd")):
        done = network.legatum("publish", DOMAIN, "--from", left, "--to", right, "--yes")
        assert done["state"] == "published" and done["addresses"] == [network.places[right]]
    network.legatum("gather", DOMAIN, "--from", "nsd", "--out", "last.zone")
    assert contents(network.zone("last.zone")) == contents(original)
    compared = network.legatum("compare", "bind", "nsd", "--domain", DOMAIN, "--answers")
    assert compared["equal"] and compared["questions"] > 40


def test_a_big_change_goes_in_several_messages_each_whole(network: Network) -> None:
    many = "".join(f'n{number} TXT "{"x" * 200}{number}"\n' for number in range(900))
    (network.folder / "many.zone").write_text(f"$ORIGIN {DOMAIN}.\n{HEAD}@ NS bind.example.\n{many}")
    network.legatum(
        "publish", DOMAIN, "--from", "bind", "--to", "knot", "--yes"
    )  # nothing where an earlier test has done it
    before = network.legatum("gather", DOMAIN, "--from", "knot", "--out", "before.zone", "--force")
    refused = network.legatum("publish", DOMAIN, "--from", "many.zone", "--to", "knot", "--yes", status=4)
    assert "would be taken away" in refused and "--remove" in refused
    done = network.legatum("publish", DOMAIN, "--from", "many.zone", "--to", "knot", "--yes", "--remove", "--anyway")
    network.legatum("gather", DOMAIN, "--from", "knot", "--out", "after.zone", "--force")
    assert contents(network.zone("after.zone")) == contents(network.zone("many.zone"))
    assert done["serial"] > before["serial"] + 2  # one for each message at least
    network.legatum("publish", DOMAIN, "--from", "before.zone", "--to", "knot", "--yes", "--remove", "--anyway")


def test_of_a_refused_change_the_records_are_named_and_nothing_is_done(network: Network) -> None:
    """A message is refused whole; which record it was is found with updates that change nothing."""
    many = "".join(f"n{number} A 127.0.0.{number}\n" for number in range(1, 60))
    head = f"$ORIGIN {NARROW}.\n{HEAD}@ NS bind.example.\n"
    (network.folder / "wanted.zone").write_text(
        f'{head}@ A 127.0.0.81\n{many}vip A 127.0.0.90\nmail CAA 0 issue "authority.test"\n'
    )
    before = network.legatum("gather", NARROW, "--from", "bind", "--out", "narrow.before", "--force")
    refused = network.legatum("publish", NARROW, "--from", "wanted.zone", "--to", "bind", "--yes", status=3)
    assert f"it will not have vip.{NARROW} A, mail.{NARROW} CAA changed; nothing of this change was made" in refused
    after = network.legatum("gather", NARROW, "--from", "bind", "--out", "narrow.after", "--force")
    assert after["serial"] == before["serial"] and network.zone("narrow.after", NARROW) == network.zone(
        "narrow.before", NARROW
    )
    (network.folder / "alias.zone").write_text(
        f"$ORIGIN {DOMAIN}.\n{HEAD}@ NS bind.example.\n{RECORDS}{many}inbox MX 10 www\n"
    )
    failed = network.legatum("publish", DOMAIN, "--from", "alias.zone", "--to", "bind", "--yes", "--anyway", status=3)
    assert (
        f"inbox.{DOMAIN} MX leads to www.{DOMAIN}, which is an alias: BIND refuses that; nothing of this "
        "change was made" in failed
    )
    # BIND makes its own keys, and says no more than that it failed. A publication would leave one out; this one is
    # meant.
    key = ("@", "DNSKEY", f"256 3 13 {'A' * 86}==")
    meant = network.legatum("amend", DOMAIN, *key, "--at", "bind", "--yes", "--anyway", status=3)
    assert (
        f"{DOMAIN} DNSKEY: BIND takes no keys by update; nothing of this change was made" in meant
        and "the key may not" not in meant
    )
    (network.folder / "fine.zone").write_text(f"{head}@ A 127.0.0.81\n{many}")
    assert network.legatum("publish", NARROW, "--from", "fine.zone", "--to", "bind", "--yes")["state"] == "published"


def test_many_new_zones_are_made_and_published_together(network: Network) -> None:
    """More than BIND sends at a time, and none of them there before."""
    domains, wanted = [f"many{number}.example" for number in range(30)], network.folder / "wanted"
    wanted.mkdir()
    for domain in domains:
        (wanted / f"{domain}.zone").write_text(
            f"$ORIGIN {domain}.\n{HEAD}@ NS bind.example.\n@ A 127.0.0.80\nwww CNAME @\n"
        )
    (network.folder / "list").write_text("".join(f"{domain}\n" for domain in domains))
    words = ("publish", "--list", "list", "--from", "wanted", "--to", "bind", "--yes")
    zones = network.legatum(*words)["zones"]
    assert [(each["state"], each["is_new"]) for each in zones] == [("published", True)] * 30
    assert network.legatum(
        "compare", f"wanted/{domains[7]}.zone", "bind", "--answers", status=2
    )  # a file answers nobody
    assert network.legatum("compare", f"wanted/{domains[7]}.zone", "bind")["equal"]
    assert {each["state"] for each in network.legatum(*words)["zones"]} == {"unchanged"}


def test_only_what_changed_is_fetched(network: Network) -> None:
    first = network.legatum("gather", DOMAIN, "--out", "first.zone", "--force")  # nobody said from where
    assert first["completeness"] == "complete" and first["way"] == "zone transfer, open to everybody"
    same = network.legatum(
        "gather", DOMAIN, "--since", "first.zone", "--from", f"server:{network.places['bind']}", "--out", "same.zone"
    )
    assert same["way"] == "incremental transfer: nothing has changed"
    network.legatum("amend", DOMAIN, "www", "A", "127.0.0.90", "127.0.0.91", "--instead", "--at", "bind", "--yes")
    network.legatum("amend", DOMAIN, "mail", "A", "127.0.0.26", "--ttl", "5m", "--at", "bind", "--yes")
    changed = network.legatum(
        "gather", DOMAIN, "--since", "first.zone", "--from", f"server:{network.places['bind']}", "--out", "changed.zone"
    )
    assert changed["way"] == "incremental transfer: 2 changes"
    network.legatum("gather", DOMAIN, "--from", "bind", "--out", "whole.zone")
    assert network.zone("changed.zone") == network.zone("whole.zone")
    signed = network.legatum(
        "gather", DOMAIN, "--since", "first.zone", "--from", "bind", "--out", "signed.zone"
    )  # with the provider's key
    assert signed["way"] == "incremental transfer: 2 changes" and network.zone("signed.zone") == network.zone(
        "whole.zone"
    )


def test_the_chain_of_a_signed_zone_gives_all_of_it(network: Network) -> None:
    document = network.legatum("gather", "signed.example", "--way", "walk", "--out", "walked.zone")
    assert document["completeness"] == "complete" and document["known"] == document["exist"]
    original = parse_master(HEAD + SIGNED.replace("{zone}", "signed.example"), parse_name("signed.example."))
    assert contents(original) <= contents(network.zone("walked.zone", "signed.example"))


def test_the_chain_of_hashes_counts_and_proves(network: Network) -> None:
    document = network.legatum(
        "gather", "hashed.example", "--way", "walk", "--way", "ask", "--out", "counted.zone", status=1
    )
    assert document["completeness"] == "counted" and document["tried"][0].startswith("walk: ")
    assert document["known"] < document["exist"] and any(
        doubt.startswith("a name that is not known holds ") for doubt in document["doubts"]
    )
    names = [line.split()[0] for line in RECORDS.splitlines() if not line.startswith("@")]
    (network.folder / "names").write_text("\n".join(names) + "\n")
    document = network.legatum("gather", "hashed.example", "--way", "ask", "--names", "names", "--out", "all.zone")
    assert document["completeness"] == "complete" and document["known"] == document["exist"]


def test_a_provider_that_serves_something_else_is_told(network: Network) -> None:
    settings = (network.folder / "legatum.toml").read_text()
    try:
        (network.folder / "legatum.toml").write_text(
            settings.replace('"kill"', '"true"').replace('patience = "20s"', 'patience = "2s"')
        )
        said = network.legatum("amend", DOMAIN, "late", "A", "127.0.0.92", "--at", "nsd", "--yes", status=3)
        assert "still serial" in said
        (network.folder / "legatum.toml").write_text(settings.replace('"kill"', '"false"'))
        held = (network.folder / "nsd" / "zone0").read_text()
        said = network.legatum("amend", DOMAIN, "later", "A", "127.0.0.92", "--at", "nsd", "--yes", status=3)
        assert "the old file is back" in said and (network.folder / "nsd" / "zone0").read_text() == held
    finally:
        (network.folder / "legatum.toml").write_text(settings)
