"""Just installed, nothing set up: on a machine of its own that has nothing but a resolver, root servers under the
public roots' addresses, and no way out. Not one packet may leave for the real ones."""

import json
import os
import subprocess
from collections.abc import Iterator
from pathlib import Path

import pytest

from legatum.net.asking.roots import PUBLIC_ROOTS
from tests.cli.program import PROGRAM
from tests.real.hosts import Host, Wire
from tests.real.processes import NEEDS_SERVERS, program
from tests.real.test_viewpoints import serve
from tests.started import Ended

pytestmark = [pytest.mark.timeout(240), *NEEDS_SERVERS]
DOMAIN, RESOLVER = "kilnandclay.example", "10.9.8.53"
ROOTS = [addresses[0] for addresses in PUBLIC_ROOTS.values()]
PLACES = {"alder": ("203.0.113.11", "203.0.113.12"), "birch": ("203.0.113.21", "203.0.113.22")}
SIXES = {"alder": ("2001:db8:a1::53", "2001:db8:a2::53"), "birch": ()}  # which this machine has no way to
SOA = "@ 3600 IN SOA ns1.{by}. hostmaster.{by}. 7 3600 600 604800 600\n"


def host_zone(name: str) -> str:
    one, two = PLACES[name]
    ns = "@ 3600 IN NS ns1\n@ 3600 IN NS ns2\n" + "".join(
        f"ns{number} 3600 IN AAAA {address}\n" for number, address in enumerate(SIXES[name], 1)
    )
    return f"$ORIGIN {name}.example.\n{SOA.format(by=f'{name}.example')}{ns}ns1 3600 IN A {one}\nns2 3600 IN A {two}\n"


def tld() -> str:
    text = f"$ORIGIN example.\n{SOA.format(by='nic.example')}@ 3600 IN NS ns1.nic\nns1.nic 3600 IN A 203.0.113.2\n"
    for name, addresses in PLACES.items():
        for number, address in enumerate(addresses, 1):
            text += f"{name} 3600 IN NS ns{number}.{name}\nns{number}.{name} 3600 IN A {address}\n"
        for number, address in enumerate(SIXES[name], 1):
            text += f"ns{number}.{name} 3600 IN AAAA {address}\n"
    return text + "kilnandclay 3600 IN NS ns1.alder\nkilnandclay 3600 IN NS ns2.alder\n"


def root() -> str:
    text = (
        "$ORIGIN .\n"
        + SOA.format(by="a.root-servers.net")
        + "example. 3600 IN NS ns1.nic.example.\nns1.nic.example. 3600 IN A 203.0.113.2\n"
    )
    return text + "".join(f". 3600 IN NS {name}.\n{name}. 3600 IN A {each[0]}\n" for name, each in PUBLIC_ROOTS.items())


ZONE = f"""$ORIGIN {DOMAIN}.
{SOA.format(by="alder.example")}@ 3600 IN NS ns1.alder.example.
@ 3600 IN NS ns2.alder.example.
@ 3600 IN A 198.51.100.80
@ 3600 IN MX 10 mail
www 3600 IN CNAME @
mail 3600 IN A 203.0.113.25
"""


class Machine:
    """Where the program was installed a moment ago."""

    def __init__(self, folder: Path, host: Host) -> None:
        self.folder, self.host = folder, host
        self.home = folder / "home"
        self.home.mkdir()

    def run(self, *words: str, kept: bool = True) -> Ended:
        """``kept``: the network is there; else one that was never plugged in."""
        unset = {name: value for name, value in os.environ.items() if not name.startswith(("LEGATUM", "XDG"))}
        where = self.host.prefix if kept else ["unshare", "--net"]
        ended = subprocess.run(
            [*where, PROGRAM, *words],
            cwd=self.folder,
            env={**unset, "HOME": str(self.home), "NO_COLOR": "1", "COLUMNS": "200"},
            capture_output=True,
            text=True,
            timeout=100,
            check=False,
            stdin=subprocess.DEVNULL,
        )
        assert "Traceback" not in ended.stderr, ended.stderr
        return Ended(ended.returncode, ended.stdout, ended.stderr)


@pytest.fixture(scope="module")
def machine(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Machine]:
    folder = tmp_path_factory.mktemp("office")
    worker = int(os.environ.get("PYTEST_XDIST_WORKER", "gw9").removeprefix("gw"))
    wire = Wire(f"10.77.{worker}")
    try:
        host = wire.host(
            "office", 2, *ROOTS, RESOLVER, "203.0.113.2", *(each for some in PLACES.values() for each in some)
        )
        named = Path("/etc/netns") / host.space
        named.mkdir(parents=True)
        (named / "resolv.conf").write_text(
            f"# made by hand\nsearch office.test\nnameserver {RESOLVER}\nnameserver fe80::1%eth0\n"
        )
        for name, zones, addresses in (
            ("root", {".": root()}, ROOTS),
            ("tld", {"example": tld()}, ["203.0.113.2"]),
            ("alder", {DOMAIN: ZONE, "alder.example": host_zone("alder")}, PLACES["alder"]),
            ("birch", {"birch.example": host_zone("birch")}, PLACES["birch"]),
        ):
            place = folder / name
            serve(host, place, {zone: f"{number}.zone" for number, zone in enumerate(zones)}, *addresses)
            for number, text in enumerate(zones.values()):
                (place / f"{number}.zone").write_text(text)
        resolve(host, folder / "resolver")
        yield Machine(folder, host)
    finally:
        wire.close()
        subprocess.run(["rm", "-r", f"/etc/netns/{wire._mark}office"], check=False)


def resolve(host: Host, folder: Path) -> None:
    folder.mkdir()
    (folder / "hints").write_text(". 3600 NS a.root-servers.net.\na.root-servers.net. 3600 A 198.41.0.4\n")
    (folder / "conf").write_text(
        f'server:\n  directory: "{folder}"\n  chroot: ""\n  username: ""\n  use-syslog: no\n  interface: '
        f"{RESOLVER}\n  do-ip6: no\n"
        f'  outgoing-interface: {RESOLVER}\n  root-hints: "{folder}/hints"\n  module-config: "iterator"\n'
        "  access-control: 0.0.0.0/0 allow\n"
        '  local-zone: "example." nodefault\n  pidfile: ""\n  num-threads: 1\nremote-control:\n  control-enable: no\n'
    )
    host.start([str(program("unbound")), "-d", "-p", "-c", str(folder / "conf")], folder / "log")


def test_it_looks_before_it_is_set_up(machine: Machine) -> None:
    for _ in range(20):  # the servers have just been started
        ended = machine.run("survey", DOMAIN, "--json")
        if ended.status != 3:
            break
    seen = ended.document
    assert seen["delegation"] == ["ns1.alder.example", "ns2.alder.example"]
    assert [(each["name"], each["address"]) for each in seen["resolvers"]] == [("machine", RESOLVER)]
    assert any("IPv6 (this machine has none)" in each for each in seen["not_looked_at"])
    assert {each["address"] for each in seen["servers"]} >= {*PLACES["alder"]}
    judged = [each for each in seen["findings"] if each["slug"] != "address-not-public"]  # which is true here
    assert not [each for each in judged if each["severity"] == "error"], judged
    assert not [each for each in judged if any(six in " ".join(each["seen"]) for six in SIXES["alder"])], judged
    assumed = [line for line in ended.err.splitlines() if line.startswith("no settings file: ")]
    assert len(assumed) == 1 and RESOLVER in assumed[0] and "fe80" not in assumed[0]
    assert str(machine.home / ".local/state/legatum") in assumed[0]


@pytest.mark.parametrize(
    ("words", "status", "says"),
    [
        (("fleet", "survey", "list"), 1, DOMAIN),
        (("confirm", DOMAIN, "--ns", "ns1.alder.example,ns2.alder.example"), 0, "confirmed"),
        (("watch", DOMAIN, "--ns", "ns1.alder.example,ns2.alder.example", "--since", "3h"), 0, "everybody"),
        (("timetable", DOMAIN, "--change", "@ A"), 0, "the last old answer"),
        (
            ("ds", "show", DOMAIN),
            1,
            "renew the program",
        ),  # this root is signed by nobody, and the real one's keys stand for it
        (("gather", DOMAIN, "--out", "-"), 0, "mail.kilnandclay.example."),
        (("compare", "gathered.zone", "ns1.alder.example,ns2.alder.example"), 0, ""),
        (("lint", "gathered.zone"), 0, "1 warning"),
        (("explain",), 0, "server-silent"),
        (("history", DOMAIN), 0, DOMAIN),
        (("house",), 0, "moves: none"),
    ],
)
def test_every_command_that_looks_works_at_once(
    machine: Machine, words: tuple[str, ...], status: int, says: str
) -> None:
    (machine.folder / "list").write_text(f"{DOMAIN}\nalder.example\n")
    (machine.folder / "gathered.zone").write_text(ZONE)
    ended = machine.run(*words)
    assert ended.status == status and says in ended.out + ended.err, ended


def test_a_move_by_hand_begins(machine: Machine) -> None:
    drafted = machine.run("move", "draft", DOMAIN, "--to", "ns1.birch.example,ns2.birch.example", "--anyway")
    assert drafted.status == 0 and "gathered by asking" in drafted.err, drafted
    begun = machine.run("move", "advance", DOMAIN, "--yes")
    sheet = machine.home / ".local/state/legatum/moves" / f"{DOMAIN}.publish.md"
    assert begun.status == 3 and str(sheet) in begun.err and "mail" in sheet.read_text(), begun


def test_without_a_network_it_says_so_in_a_line(machine: Machine) -> None:
    for words in (
        ("survey", DOMAIN),
        ("fleet", "survey", "list"),
        ("fleet", "survey", "list", "--jobs", "2"),
        ("visit", DOMAIN),
        ("gather", DOMAIN),
        ("ds", "show", DOMAIN),
    ):
        ended = machine.run(*words, "-q", kept=False)
        assert ended.status == 3, ended
        assert ended.err.splitlines()[0] == "legatum: this machine has no network: it has no way to any root server", (
            ended
        )
    assert machine.run("house", "--json", kept=False).document["schema"].startswith("legatum.house/")
    assert json.loads(machine.run("explain", "--json", kept=False).out)
