"""Domains broken in the ways that administrators know, on BIND, NSD, Knot, PowerDNS and a small lying server: each is
told by its finding.

Parent: BIND with a root and the TLD example. Resolvers: Unbound, plain, over TLS and over HTTPS, and one that
validates.
"""
# ruff: noqa: E501

import datetime
import json
import os
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import dns.dnssec
import dns.name
import dns.rdatatype
import dns.zone
import pytest
from cryptography.hazmat.primitives.asymmetric import ec

from legatum.core.dnssec.key import digest_of, key_tag
from legatum.core.records.name import parse_name
from legatum.practice.certificate import make_certificates
from tests.real import liar
from tests.real.liar import Liar
from tests.real.processes import NEEDS_SERVERS, Bind, Knot, Nsd, PowerDns, Unbound, asked, program, stop_all

pytestmark = NEEDS_SERVERS

RESOLVER_HOST = "resolver.quillmoor.test"
SOA = "SOA ns.example. hostmaster.quillmoor.example. {serial} 14400 3600 1209600 600"
LIES = {
    "mute.example": liar.silent,
    "old.example": liar.without_edns,
    "refuses-edns.example": liar.refuses_edns,
    "drops.example": liar.drops_edns,
    "cut.example": liar.truncates,
    "udp.example": liar.only_udp,
    "two-faced.example": liar.other_over_tcp,
    "garbage.example": liar.garbage,
    "hearsay.example": liar.without_authority,
    "upwards.example": liar.upwards,
    "fails.example": liar.fails,
    "denies.example": liar.denies,
    "soaless.example": liar.without_soa,
    "many.example": liar.many_names,
    "nasty.example": liar.nasty_text,
    "loop.example": liar.own_alias,
}
DEAD = "127.0.0.99"  # nobody listens there


def zone(*records: str, ns: tuple[str, ...] = ("nsd", "knot"), serial: int = 1, soa: str = SOA) -> str:
    """A master file: SOA and NS of servers under .example, apex address, www and mail, unless other records are
    given."""
    own = records or ("@ A 127.0.0.80", "www CNAME @", "@ MX 10 mail", "mail A 127.0.0.25")
    lines = [
        f"@ {soa.format(serial=serial)}",
        *(f"@ 3600 NS {each if '.' in each else each + '.example.'}" for each in ns),
        *own,
    ]
    return "$TTL 3600\n" + "\n".join(lines) + "\n"


BOTH: dict[str, str] = {  # on NSD and Knot alike
    "fine.example": zone(),
    "extra.example": zone(ns=("nsd", "knot", "pdns")),
    "fewer.example": zone(ns=("nsd",)),
    "apart.example": zone(ns=("pdns", "bind")),
    "timers.example": zone(soa="SOA nowhere.example. . 1 14400 14400 18000 5"),
    "dangling.example": zone("@ A 127.0.0.80", "www CNAME gone", "@ MX 10 gone"),
    "special.example": zone("@ A 192.168.7.7", "www CNAME @", "@ TXT v=spf1", '@ TXT "v=spf1 -all"'),
    "wild.example": zone("@ A 127.0.0.80", "* A 127.0.0.80", "@ MX 10 mx", "mx CNAME www.fine.example."),
    "glued.example": zone(
        "@ A 127.0.0.80", "ns1 A {nsd}", "ns2 A {knot}", ns=("ns1.glued.example.", "ns2.glued.example.")
    ),
    "unglued.example": zone("@ A 127.0.0.80", "ns1 A {nsd}", ns=("ns1.unglued.example.", "knot.example.")),
    "doubled.example": zone(ns=("nsd.example.", "knot.example.doubled.example.")),
    "long.example": zone(
        "@ 0 A 127.0.0.80", soa="SOA ns.example. hostmaster.quillmoor.example. 1 14400 3600 1209600 90000"
    ),
    "unsigned-ds.example": zone(),
    "late.example": zone(ns=("nsd", "dead")),
    "circle-a.example": zone(ns=("ns.circle-b.example.",)),
}
PARENT_NS = {
    "glued.example": ("ns1.glued.example.", "ns2.glued.example."),
    "unglued.example": ("ns1.unglued.example.", "knot"),
    "doubled.example": ("nsd", "knot.example.doubled.example."),
    "late.example": ("nsd", "dead"),
    "single.example": ("nsd",),
    "mixed.example": ("nsd", "knot"),
    "refused.example": ("knot", "pdns"),
    "signed.example": ("knot",),
    "wrong-ds.example": ("knot",),
    "psigned.example": ("pdns",),
    "expired.example": ("nsd",),
    "open.example": ("bind",),
    "circle-a.example": ("ns.circle-b.example.",),
    "circle-b.example": ("ns.circle-a.example.",),
    "aliased.example": ("nsd", "alias"),
    "nobody.example": ("dead", "pdns"),
}


def signed_zone(name: str, text: str, ends: int) -> tuple[str, bytes]:
    """A zone signed with signatures that end in so many days, and the data of its key."""
    private = ec.generate_private_key(ec.SECP256R1())
    origin = dns.name.from_text(name)
    made = dns.zone.from_text(text, origin=origin, relativize=False)
    key = dns.dnssec.make_dnskey(private.public_key(), 13, flags=257)
    now, day = datetime.datetime.now(datetime.UTC), datetime.timedelta(days=1)
    dns.dnssec.sign_zone(
        made, keys=[(private, key)], inception=now - 9 * day, expiration=now + ends * day, dnskey_ttl=3600
    )
    wire = key.to_wire()
    assert isinstance(wire, bytes)
    return made.to_text(relativize=False), wire


def ds_text(name: str, key: bytes) -> str:
    digest = digest_of(parse_name(f"{name}."), key, 2)
    assert digest is not None
    return f"{key_tag(key)} {key[3]} 2 {digest.hex()}"


class Network:
    """Everything up, and the settings to look at it with."""

    def __init__(self, folder: Path, number: int) -> None:
        self.folder = folder
        folder.chmod(0o755)
        self.base = f"127.{90 + number}.0."
        self.places = {"bind": 14, "nsd": 11, "knot": 12, "pdns": 13, "liar": 15}
        both = {name: self.filled(text) for name, text in BOTH.items()}
        expired, key = signed_zone("expired.example", zone(ns=("nsd",)), ends=-1)
        self.expired_ds = ds_text("expired.example", key)
        self.nsd = Nsd(folder / "nsd", self.host("nsd"), "fine.example", zones={
            **both, "single.example": zone(ns=("nsd",)), "mixed.example": zone(serial=1), "expired.example": expired,
            "aliased.example": zone(ns=("nsd", "alias")),
        })  # fmt: skip
        self.knot = Knot(
            folder / "knot",
            self.host("knot"),
            "fine.example",
            secret="c2VjcmV0",
            zones={
                **both,
                "mixed.example": zone("@ A 127.0.0.81", "www CNAME @", "@ MX 10 mail", "mail A 127.0.0.25", serial=2),
                "refused.example": zone(ns=("knot", "pdns")),
                "signed.example": zone(ns=("knot",)),
                "wrong-ds.example": zone(ns=("knot",)),
            },
            signing=("signed.example", "wrong-ds.example"),
        )
        self.pdns = PowerDns(
            folder / "pdns",
            self.host("pdns"),
            "psigned.example",
            zones={"psigned.example": zone(ns=("pdns",))},
            signing=("psigned.example",),
        )
        self.bind = Bind(
            folder / "bind",
            self.host("bind"),
            "open.example",
            secret="c2VjcmV0",
            zones={"open.example": zone(ns=("bind",))},
            transfer_open=True,
            roots={"a.root.test": self.address(1)},
        )
        self.liar = Liar(self.host("liar"), ["liar.example"], LIES)
        self.servers = [self.nsd, self.knot, self.pdns, self.bind]

    def address(self, last: int) -> str:
        return f"{self.base}{last}"

    def host(self, name: str) -> str:
        return self.address(self.places[name])

    def filled(self, text: str) -> str:
        return text.replace("{nsd}", self.host("nsd")).replace("{knot}", self.host("knot"))

    def start(self) -> None:
        self.on_lo("add")  # BIND listens on addresses of interfaces only
        for server in self.servers:
            server.start()
        self.liar.start()
        keys = {
            name: self.key_of(name, where)
            for name, where in (("signed", "knot"), ("wrong-ds", "knot"), ("psigned", "pdns"))
        }
        parent = self.parent_zone(keys)
        top = self.address(1)
        root = (
            f"$TTL 3600\n. {SOA.format(serial=1)}\n. NS a.root.test.\na.root.test. A {top}\nexample. NS "
            f"ns.example.\nns.example. A {top}\n"
        )
        self.top = Bind(self.folder / "top", top, "example", secret="c2VjcmV0", zones={".": root, "example": parent})
        _, _ = self.certify()
        self.unbound = Unbound(
            self.folder / "unbound",
            self.address(31),
            ".",
            roots={"a.root.test": top},
            certificate=str(self.folder / "registry.pem"),
        )
        flipped = ds_text("psigned.example", keys["psigned"][:-1] + b"x")
        self.validating = Unbound(
            self.folder / "validating",
            self.address(32),
            ".",
            roots={"a.root.test": top},
            anchors=(
                f"signed.example. DS {ds_text('signed.example', keys['signed'])}",
                f"psigned.example. DS {flipped}",
            ),
        )
        for server in (self.top, self.unbound, self.validating):
            server.start()
            self.servers.append(server)
        self.write_settings()

    def certify(self) -> tuple[Path, object]:
        return make_certificates(self.folder, RESOLVER_HOST)

    def key_of(self, name: str, where: str) -> bytes:
        """The key-signing key that a server made for itself, asked from it."""
        for _ in range(100):
            answer = asked(self.host(where), f"{name}.example", "DNSKEY", dnssec=True)
            for rrset in answer.answer:
                for rdata in rrset:
                    if rrset.rdtype == dns.rdatatype.DNSKEY and rdata.flags & 1:
                        wire = rdata.to_wire()
                        assert isinstance(wire, bytes)
                        return wire
            time.sleep(0.1)
        raise AssertionError(f"{where} does not sign {name}.example")

    def parent_zone(self, keys: dict[str, bytes]) -> str:
        lines = [
            "$TTL 3600",
            f"@ {SOA.format(serial=1)}",
            "@ NS ns",
            f"ns A {self.address(1)}",
            f"dead A {DEAD}",
            "alias CNAME knot",
        ]
        lines += [f"{name} A {self.host(name)}" for name in self.places]
        domains = {**dict.fromkeys(BOTH, ("nsd", "knot")), **dict.fromkeys(LIES, ("liar",)), **PARENT_NS}
        lines += [f"{name}. NS {each}" for name, servers in domains.items() for each in servers]
        lines += [f"ns1.glued.example. A {DEAD}", f"ns2.glued.example. A {self.host('knot')}"]
        wrong = ds_text("wrong-ds.example", keys["wrong-ds"])
        lines += [
            f"signed.example. DS {ds_text('signed.example', keys['signed'])}",
            f"psigned.example. DS {ds_text('psigned.example', keys['psigned'])}",
            f"wrong-ds.example. DS {wrong[:-2]}{int(wrong[-2:], 16) ^ 1:02x}",
            f"unsigned-ds.example. DS {wrong}",
            f"expired.example. DS {self.expired_ds}",
        ]
        # A server hands a DS out only where its own zone is signed too.
        return signed_zone("example", "\n".join(lines) + "\n", ends=30)[0]

    def write_settings(self) -> None:
        secure = f'host = "{RESOLVER_HOST}", authority = "authority.pem" }}'
        (self.folder / "legatum.toml").write_text(
            f'[network]\nroots = {{ "a.root.test" = ["{self.address(1)}"] }}\ntimeout = "1s"\nhome = ["127.0.0.0/8"]\n'
            f'[resolvers]\nplain = "{self.address(31)}"\nvalidating = "{self.address(32)}"\nbind = '
            f'"{self.host("bind")}"\n'
            "tls = "
            f'{{ address = "{self.address(31)}", over = "tls", {secure}\nhttps = {{ address = "{self.address(31)}", over = "https", {secure}\n'
            '[house]\npoll = "1s"\npatience = "20s"\n'
        )

    def on_lo(self, change: str) -> None:
        for address in (self.address(1), self.host("bind")):
            subprocess.run(
                [program("ip") or "ip", "address", change, f"{address}/32", "dev", "lo"],
                check=False,
                capture_output=True,
            )

    def stop(self) -> None:
        stop_all(self.servers)
        self.liar.stop()
        self.on_lo("del")

    def command(self, *words: str) -> list[str]:
        return [sys.executable, "-m", "legatum", *words, "--settings", str(self.folder / "legatum.toml")]

    def legatum(self, *words: str) -> subprocess.CompletedProcess[str]:
        ended = subprocess.run(
            self.command(*words), cwd=self.folder, capture_output=True, text=True, timeout=100, check=False
        )
        assert "Traceback" not in ended.stderr, ended.stderr
        return ended

    def survey(self, domain: str, *words: str) -> dict[str, Any]:
        ended = self.legatum("survey", domain, "--json", *words)
        assert ended.returncode in (0, 1), ended.stderr
        document: dict[str, Any] = json.loads(ended.stdout)
        return document


@pytest.fixture(scope="module")
def network(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Network]:
    worker = os.environ.get("PYTEST_XDIST_WORKER", "gw9").removeprefix("gw")
    folder = tmp_path_factory.mktemp("broken")
    for each in (folder, *folder.parents[:2]):
        each.chmod(0o755)  # servers that drop their rights must still reach their folders
    made = Network(folder, int(worker))
    try:
        made.start()
        yield made
    finally:
        made.stop()


@pytest.fixture(scope="module")
def found(network: Network) -> dict[str, dict[str, str]]:
    """Every domain surveyed in full, in one run: domain → finding → severity."""
    names = dict.fromkeys([*BOTH, *LIES, *PARENT_NS, "gone.example", "alias.example"])
    (network.folder / "list").write_text("\n".join(names) + "\n")
    ended = network.legatum(
        "fleet", "survey", "list", "--full", "--json", "--jobs", "1", "--side-by-side", "6", "--rate", "0"
    )
    lines = [json.loads(line) for line in ended.stdout.splitlines()][:-1]
    assert len(lines) == len(names) and ended.returncode == 1, ended.stderr
    return {each["domain"]: {one["slug"]: one["severity"] for one in each["findings"]} for each in lines}


@pytest.mark.parametrize("domain", ["fine.example", "signed.example", "psigned.example"])
def test_what_is_in_order_has_nothing_worth_a_warning(found: dict[str, dict[str, str]], domain: str) -> None:
    single = {"single-name-server"} if domain != "fine.example" else set()
    assert {slug for slug, severity in found[domain].items() if severity != "notice"} == single, found[domain]


@pytest.mark.parametrize(
    ("domain", "wanted"),
    [
        ("extra.example", {"ns-only-at-child"}),
        ("fewer.example", {"ns-only-at-parent"}),
        ("apart.example", {"ns-sets-disjoint", "server-refuses"}),
        (
            "timers.example",
            {
                "expire-not-above-refresh",
                "retry-not-below-refresh",
                "mailbox-malformed",
                "negative-ttl-short",
                "primary-unlisted",
            },
        ),
        ("dangling.example", {"www-leads-nowhere", "mail-lost"}),
        ("special.example", {"visitors-sent-to-special-address", "two-spf-records", "mail-missing"}),
        ("wild.example", {"wildcard-answers", "mail-to-alias"}),
        ("glued.example", {"glue-leads-astray"}),
        ("cut.example", {"truncated-without-tcp"}),
        ("unglued.example", {"glue-missing"}),
        ("doubled.example", {"ns-doubled-suffix"}),
        ("long.example", {"ttl-zero"}),
        ("late.example", {"server-silent"}),
        ("single.example", {"single-name-server"}),
        ("mixed.example", {"serials-differ"}),
        ("refused.example", {"server-refuses"}),
        ("nobody.example", {"no-server-serves"}),
        ("aliased.example", {"ns-is-alias"}),
        ("circle-a.example", {"ns-circle"}),
        ("gone.example", {"no-such-domain"}),
        ("alias.example", {"not-delegated"}),
        ("open.example", {"transfer-open", "recursion-open"}),
        ("wrong-ds.example", {"ds-digest-wrong"}),
        ("unsigned-ds.example", {"ds-but-unsigned"}),
        ("expired.example", {"signature-expired"}),
        ("mute.example", {"no-server-serves"}),
        ("old.example", {"edns-ignored"}),
        ("refuses-edns.example", {"edns-refused"}),
        ("drops.example", {"edns-dropped"}),
        ("udp.example", {"tcp-fails"}),
        ("two-faced.example", {"tcp-differs"}),
        ("garbage.example", {"no-server-serves"}),
        ("hearsay.example", {"no-server-serves"}),
        ("upwards.example", {"no-server-serves"}),
        ("fails.example", {"no-server-serves"}),
        ("denies.example", {"no-server-serves"}),
        ("soaless.example", {"no-server-serves"}),
        ("many.example", {"delegation-crowded"}),
        ("loop.example", {"www-leads-nowhere"}),
    ],
)
def test_what_is_broken_is_told(found: dict[str, dict[str, str]], domain: str, wanted: set[str]) -> None:
    assert wanted <= set(found[domain]), found[domain]


def test_what_a_cause_explains_is_not_told_again(network: Network) -> None:
    (first, *_) = network.survey("nobody.example", "--no-resolvers")["findings"]
    assert first["slug"] == "no-server-serves" and {"server-silent", "server-refuses"} <= set(first["explains"])
    cut = {each["slug"]: each for each in network.survey("cut.example", "--no-resolvers")["findings"]}
    assert not {"no-server-serves", "server-silent", "tcp-fails"} & set(cut)
    assert (
        "truncated over UDP, then over TCP: connection"
        in network.survey("cut.example", "--no-resolvers")["servers"][0]["outcome"]
    )
    circle = network.survey("circle-a.example")
    slugs = {each["slug"] for each in circle["findings"]}
    assert "ns-circle" in slugs and not {"resolver-silent", "resolver-gives-up", "resolver-fails"} & slugs, slugs


def test_resolvers_plain_and_over_tls_and_https_and_validating(network: Network) -> None:
    seen = {each["name"]: each for each in network.survey("signed.example")["resolvers"]}
    assert {name: each["over"] for name, each in seen.items()} == {
        "plain": "UDP", "validating": "UDP", "bind": "UDP", "tls": "TLS", "https": "HTTPS",
    }  # fmt: skip

    assert all(each["ns"] == ["knot.example"] for each in seen.values())
    assert seen["validating"]["authenticated"] and not seen["plain"]["authenticated"]
    bogus = network.survey("psigned.example")
    (finding,) = [each for each in bogus["findings"] if each["slug"] == "resolver-finds-bogus"]
    assert "validating" in finding["seen"][0] and "extended error" in finding["seen"][0]


def test_confirm_is_not_told_by_resolvers_whether_a_domain_is_sound(network: Network) -> None:
    """Unsigned under a DS, expired, another digest: confirmed by nobody, though no resolver of the settings but one
    validates."""
    for domain, says in (
        ("unsigned-ds.example", "no DNSKEY, although the parent has a DS"),
        ("expired.example", "signature"),
        ("wrong-ds.example", "no key fits the DS"),
        ("mixed.example", "others have 2"),
        ("late.example", "no answer in time"),
    ):
        ended = network.legatum("confirm", domain, "--no-rdap")
        told = " ".join(ended.stdout.split())
        assert ended.returncode == 1 and says in told and "mend it at the child" in told, (domain, ended.stdout)
    bogus = network.legatum(
        "confirm", "psigned.example", "--no-rdap"
    ).stdout  # one resolver has been given another anchor
    assert "nothing is wrong at the servers looked at: look at validating (" in " ".join(bogus.split())
    fine = network.legatum("confirm", "signed.example", "--no-rdap", "--json")
    document = json.loads(fine.stdout)
    assert document["confirmed"] and "signatures" in {each["about"] for each in document["checks"]}, fine.stdout
    assert any("chain of trust above example" in each for each in document["not_looked_at"])


def test_markup_and_control_characters_stay_text(network: Network) -> None:
    ended = network.legatum("survey", "nasty.example", "--html", "nasty.html", "--no-resolvers")
    page = (network.folder / "nasty.html").read_text()
    assert "\x1b" not in ended.stdout + ended.stderr + page and "\x07" not in page
    assert "<script" not in page and "<img" not in page and "&lt;script" in page
    (network.folder / "nasty").write_text("nasty.example\n")
    row = network.legatum("fleet", "survey", "nasty", "--csv", "--full")
    assert "nasty.example" in row.stdout and "\x1b" not in row.stdout


@pytest.mark.timeout(100)
def test_a_fleet_of_them_all_comes_to_its_end(network: Network) -> None:
    names = [*BOTH, *LIES, *PARENT_NS]
    (network.folder / "list").write_text("\n".join(dict.fromkeys(names)) + "\n")
    ended = network.legatum("fleet", "survey", "list", "--json", "--jobs", "1")
    lines = [json.loads(line) for line in ended.stdout.splitlines()]
    assert lines[-1]["domains"] == len(set(names)) == len(lines) - 1 and ended.returncode == 1
    standing = {each["domain"]: each["standing"] for each in lines[:-1]}
    assert (
        standing["fine.example"] == "notice"
        and standing["expired.example"] == "error"
        and standing["nobody.example"] == "error"
    )


def test_watch_sees_a_change_reach_unbound_and_bind(network: Network) -> None:
    before, after = (
        zone("@ 4 A 127.0.0.80", f"shop 4 A 127.0.0.{last}", ns=("nsd",), serial=last) for last in (80, 81)
    )
    network.nsd.rewrite("single.example", before)
    deadline = time.monotonic() + 20
    while network.legatum("confirm", "single.example", "--record", "shop A 127.0.0.80", "--no-rdap").returncode:
        assert time.monotonic() < deadline
    command = network.command("watch", "single.example", "--record", "shop A 127.0.0.81", "--every", "1s", "--json")
    with subprocess.Popen(command, cwd=network.folder, stdout=subprocess.PIPE, text=True) as watch:
        assert watch.stdout is not None
        looks = [json.loads(watch.stdout.readline())]  # the change is made when the first look has been told
        network.nsd.rewrite("single.example", after)
        looks += [json.loads(line) for line in watch.stdout]
    assert watch.returncode == 0 and looks[-1]["complete"] and not looks[0]["complete"]
    assert {"plain", "bind", "tls", "https"} <= {
        each["who"].split()[0] for each in looks[-1]["told"] if each["party"] == "resolver"
    }
    by_server = next(number for number, each in enumerate(looks) if each["servers"] == 1.0)
    assert by_server <= next(number for number, each in enumerate(looks) if each["resolvers"] == 1.0)


@pytest.mark.parametrize(
    ("domain", "slug", "remedy"),
    [
        ("drops.example", "edns-dropped", "firewall"),
        ("refuses-edns.example", "edns-refused", "software"),
        ("cut.example", "truncated-without-tcp", "Open TCP port 53"),
    ],
)
def test_what_is_advised_mends_it(network: Network, domain: str, slug: str, remedy: str) -> None:
    """One cause, its symptoms under it; with the server or the way to it mended as advised nothing is left."""

    def serious() -> list[dict[str, Any]]:
        found = network.survey(domain, "--no-resolvers")["findings"]
        return [each for each in found if each["severity"] != "notice" and each["slug"] != "single-name-server"]

    (found,) = serious()
    assert found["slug"] == slug and remedy in found["remedy"] and "tcp-fails" not in found["slug"]
    lie = network.liar.behaviours.pop(parse_name(domain + "."))
    try:
        assert serious() == []
    finally:
        network.liar.behaviours[parse_name(domain + ".")] = lie
