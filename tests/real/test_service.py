"""Sites, mail, certificates, views and answers that vary, on real servers from Debian's packages: everything through
the installed program."""

import json
import os
import subprocess
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from legatum.core.records.address import address_rdata
from legatum.core.records.rrset import rrset
from legatum.core.records.rrtype import A
from legatum.practice.certificate import Authority
from legatum.wire.message import CLIENT_SUBNET, Message, records
from tests.real.liar import Liar
from tests.real.processes import KEY_NAME, NEEDS_SERVERS, Bind, program, stop_all
from tests.real.program import legatum
from tests.real.sites import Dovecot, Exim, Nginx, Rogue, Site, endless_line, huge, of_mail, silent, trickling, wild
from tests.started import run_program

pytestmark = NEEDS_SERVERS
DOMAIN = "kilnandclay.example"
NAMES = f"{DOMAIN} www.{DOMAIN}"
HEAD = "$TTL 60\n@ SOA ns.example. hostmaster.quillmoor.example. 7 14400 3600 1209600 60\n"
WORDS = (
    "Stoneware bowls jugs and tiles thrown and fired in our workshop by the river courses on Saturdays the "
    "shop is open all week"
)
PAGE = (
    f"<html><head><title>Kiln and Clay</title></head><body><p>{WORDS}</p><form><input value=$request_id>"
    "</form></body></html>"
)
POOL = [f"203.0.113.{number}" for number in range(1, 7)]
PLACES = {"": POOL[:1], "80.0.0.0/24": POOL[1:2], "24.0.0.0/24": POOL[2:3]}
VARIED = ("rotating", "placed", "behind")


class Network:
    """Root and TLD, the domain's servers with views, sites old and new, mail servers, and servers whose answers
    vary."""

    def __init__(self, folder: Path, worker: int) -> None:
        self.folder, self.base = folder, f"127.{170 + worker}.0."
        self.authority = Authority(folder)
        self.own = self.authority.issue(DOMAIN, f"*.{DOMAIN}", file="own.pem")
        at = self.address
        self.rogues: list[Rogue] = []
        elsewhere = Authority(self._made("elsewhere")).issue(DOMAIN, f"*.{DOMAIN}")
        bad = {
            "status": Site(at(101), NAMES, PAGE, self.own, status=404),
            "default": Site(
                at(102),
                NAMES,
                "<title>Welcome</title><body>This server works, now put your own pages into it.",
                self.own,
            ),
            "older": Site(
                at(103),
                NAMES,
                PAGE.replace("all week", "all week and in winter we fire the small kiln on Sundays too"),
                self.own,
            ),
            "no-hsts": Site(at(104), NAMES, PAGE, self.own, hsts=False),
            "elsewhere": Site(at(105), NAMES, PAGE, self.own, "rewrite ^/$ https://elsewhere.example/ redirect;"),
            "circle": Site(at(106), NAMES, PAGE, self.own, "rewrite ^/$ https://$host/ redirect;"),
            "expired": Site(
                at(107), NAMES, PAGE, self.authority.issue(DOMAIN, f"www.{DOMAIN}", days=-1, file="expired.pem")
            ),
            "self-signed": Site(
                at(108), NAMES, PAGE, self.authority.issue(DOMAIN, f"www.{DOMAIN}", file="self.pem", by_itself=True)
            ),
            "other-name": Site(at(109), NAMES, PAGE, self.authority.issue("other.example", file="other.pem")),
            "alone": Site(at(110), NAMES, PAGE, elsewhere),
            "http-alone": Site(at(111), NAMES, PAGE),
        }
        self.bad = {name: each.address for name, each in bad.items()}
        sites = [Site(at(80), NAMES, PAGE, self.own), Site(at(99), NAMES, PAGE, self.own), *bad.values()]
        self.nginx = Nginx(folder / "nginx", sites)
        self.mail = [
            Exim(folder / "mail", at(25), DOMAIN, self.own), Exim(folder / "mail-new", at(26), DOMAIN, self.own),
            Exim(folder / "mail-other", at(27), "other.example", self.own), Exim(folder / "mail-plain", at(28), DOMAIN),
        ]  # fmt: skip
        self.dovecots = [Dovecot(folder / f"imap{last}", at(last), self.own) for last in (25, 26)]
        self.liars = [Liar(at(60 + number), [f"v{each}.example" for each in (1, 2, 3)], {
            "rotating.example": rotating(number), "placed.example": by_place(),
            "behind.example": rotating(number, [*POOL[:-1], "203.0.113.77"] if number == 3 else POOL),
        }) for number in (1, 2, 3)]  # fmt: skip
        self.servers = [
            Bind(
                folder / "top",
                at(1),
                "example",
                secret="c2VjcmV0",
                zones={".": self._root(), "example": self._tld(), **self._reverse()},
            ),
            Views(folder / "views", at(2), DOMAIN, inside=at(7), zones=self._views()),
            Views(folder / "views2", at(3), DOMAIN, inside=at(7), zones=self._views()),
            Bind(folder / "steps", at(4), "steps.example", secret="c2VjcmV0", zones={"steps.example": self._steps()}),
        ]

    def _made(self, name: str) -> Path:
        (self.folder / name).mkdir()
        return self.folder / name

    def address(self, last: int) -> str:
        return f"{self.base}{last}"

    def _root(self) -> str:
        top, second = self.address(1), self.base.split(".")[1]
        names = f". NS a.root.test.\na.root.test. A {top}\nexample. NS ns.example.\nns.example. A {top}\n"
        return f"{HEAD}{names}{second}.127.in-addr.arpa. NS ns.example.\n"

    def _tld(self) -> str:
        hosts = "".join(
            f"{name} A {self.address(last)}\n"
            for name, last in {"ns": 1, "d1": 2, "d2": 3, "d3": 4, "v1": 61, "v2": 62, "v3": 63}.items()
        )
        cuts = "kilnandclay NS d1\nkilnandclay NS d2\nsteps NS d3\n" + "".join(
            f"{name} NS v{number}\n" for name in VARIED for number in (1, 2, 3)
        )
        return f"{HEAD}@ NS ns\n{hosts}{cuts}"

    def _steps(self) -> str:
        return f"{HEAD.replace('60', '2')}@ NS d3.example.\n@ A {self.address(80)}\nwww CNAME @\n"

    def _reverse(self) -> dict[str, str]:
        second = self.base.split(".")[1]
        return {
            f"{second}.127.in-addr.arpa": f"{HEAD}@ NS ns.example.\n25.0 PTR mail.{DOMAIN}.\n"
            "2.0 PTR d1.example.\n3.0 PTR d2.example.\n"
        }

    def _views(self) -> dict[str, str]:
        shared = (
            '@ NS d1.example.\n@ NS d2.example.\n@ MX 10 mail\nwww CNAME @\n@ CAA 0 issue "authority.test"\n'
            '@ TXT "v=spf1 mx -all"\n'
            f'_dmarc TXT "v=DMARC1; p=none"\nmail A {self.address(25)}\n'
        )
        outside = (
            f"{HEAD}{shared}@ A {self.address(80)}\nold A {self.address(80)}\nshop A {self.address(80)}\n"
            "leak A 10.0.0.9\n"
        )
        inside = (
            f"{HEAD}{shared}@ A {self.address(80)}\nold A {self.address(90)}\nshop A 10.0.0.80\nintranet A 10.0.0.81\n"
        )
        return {"outside": outside, "inside": inside}

    def start(self) -> None:
        for last in (1, 2, 3, 4, 7):
            self._lo("add", last)
        for server in (*self.servers, *self.liars, self.nginx, *self.mail, *self.dovecots):
            server.start()
        at = self.address
        for last, act in ((120, huge), (121, trickling), (122, wild), (123, of_mail), (124, silent)):
            self.rogues += [
                Rogue(at(last), 80, act),
                Rogue(at(last), 443, act, None if act in (of_mail, silent) else self.own),
            ]
        self.rogues += [
            Rogue(at(130), 25, endless_line),
            Rogue(at(131), 25, wild),
            Rogue(at(132), 25, of_mail),
            Rogue(at(133), 25, silent),
        ]
        self.write_settings()

    def write_settings(self) -> None:
        at = self.address
        providers = "".join(
            f'[providers.v{each}]\nkind = "files"\nfolder = "files"\nservers = ["v{each}.example"]\n'
            for each in (1, 2, 3)
        )
        (self.folder / "secret").write_text("c2VjcmV0")
        providers += f'[providers.steps]\nkind = "update"\nprimary = "{at(4)}"\nservers = ["d3.example"]\n'
        providers += (
            f'key = {{ name = "{KEY_NAME}", secret = "file:secret" }}\n[house]\nfloor = "1s"\nmargin = "1s"\n'
            'poll = "1s"\n'
        )
        (self.folder / "files").mkdir()
        for name in VARIED:
            addresses = "".join(f"@ A {each}\n" for each in POOL)
            (self.folder / "files" / f"{name}.example.zone").write_text(
                f"$ORIGIN {name}.example.\n{HEAD}@ NS v1.example.\n{addresses}"
            )
        (self.folder / "legatum.toml").write_text(
            f'[network]\nroots = {{ "a.root.test" = ["{at(1)}"] }}\ntimeout = "2s"\nhome = ["127.0.0.0/8", '
            '"203.0.113.0/24"]\n'
            f"behalf = {json.dumps([each for each in PLACES if each])}\n"
            f'[views.inside]\nservers = ["{at(2)}", "{at(3)}"]\nsource = "{at(7)}"\n[views.outside]\nservers '
            f'= ["{at(2)}", "{at(3)}"]\n'
            '[visit]\nauthority = "authority.pem"\ntimeout = "8s"\nissuers = '
            '{ "Quillmoor practice authority" = "authority.test" }\n' + providers
        )

    def stop(self) -> None:
        for each in self.rogues:
            each.close()
        stop_all(self.servers)
        for liar in self.liars:
            liar.stop()
        for server in (self.nginx, *self.mail, *self.dovecots):
            if server.process is not None:
                server.process.terminate()
                server.process.wait(20)
        for last in (1, 2, 3, 4, 7):
            self._lo("del", last)

    def _lo(self, change: str, last: int) -> None:
        words = [program("ip") or "ip", "address", change, f"{self.address(last)}/32", "dev", "lo"]
        subprocess.run(words, check=False, capture_output=True)

    def legatum(self, *words: str, status: int = 0) -> Any:
        return legatum(self.folder, *words, status=status)


class Views(Bind):
    """BIND with one zone in two views: for whoever asks from ``inside``, and for everybody else."""

    def __init__(self, folder: Path, address: str, probe: str, inside: str, zones: dict[str, str]) -> None:
        super().__init__(folder, address, probe, secret="c2VjcmV0", zones=zones)
        self.inside = inside

    def configure(self) -> None:
        for name, text in self.zones.items():
            (self.folder / f"{name}.zone").write_text(text)
        views = "".join(
            f'view "{name}" {{ match-clients {{ {clients}; }}; zone "{DOMAIN}" {{ type primary; file "{name}.zone"; '
            "allow-transfer { any; }; }; };\n"
            for name, clients in (("inside", self.inside), ("outside", "any"))
        )
        (self.folder / "named.conf").write_text(
            "options "
            f'{{ directory "{self.folder}"; pid-file none; listen-on {{ {self.address}; }}; listen-on-v6 {{ none; }}; '
            "recursion no; dnssec-validation no; session-keyfile none; empty-zones-enable no; "
            f"}};\ncontrols {{ }};\n{views}"
        )


def rotating(begins: int, pool: list[str] = POOL) -> Any:
    """Two of the pool at a time, the next two the next time."""
    turn = iter(range(begins, 10**9))

    def answer(asked: Message, tcp: bool, honest: Message) -> Message:
        if asked.questions[0].rtype != A or len(honest.answer) != 1:
            return honest
        at = next(turn)
        return given(honest, [pool[at % len(pool)], pool[(at + 1) % len(pool)]])

    return answer


def by_place() -> Any:
    """Another address for each network on whose behalf is asked (RFC 7871)."""
    networks = {
        client[4:7]: addresses
        for client, addresses in ((address_bytes(each), found) for each, found in PLACES.items() if each)
    }

    def answer(asked: Message, tcp: bool, honest: Message) -> Message:
        if asked.questions[0].rtype != A or len(honest.answer) != 1:
            return honest
        options = dict(asked.edns.options) if asked.edns else {}
        return given(honest, networks.get(options.get(CLIENT_SUBNET, b"")[4:7], PLACES[""]))

    return answer


def address_bytes(network: str) -> bytes:
    return b"\0" * 4 + address_rdata(network.partition("/")[0])


def given(honest: Message, addresses: list[str]) -> Message:
    made = rrset(honest.questions[0].name, A, 2, [address_rdata(each) for each in addresses])
    return honest._replace(answer=records([made]))


@pytest.fixture(scope="module")
def network(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Network]:
    worker = os.environ.get("PYTEST_XDIST_WORKER", "gw9").removeprefix("gw")
    folder = tmp_path_factory.mktemp("service")
    for each in (folder, *folder.parents[:2]):
        each.chmod(0o755)
    made = Network(folder, int(worker))
    try:
        made.start()
        yield made
    finally:
        made.stop()


def slugs(document: Any) -> set[str]:
    return {each["slug"] for each in document["findings"]}


def test_a_copy_of_the_site_is_as_good(network: Network) -> None:
    found = network.legatum("visit", DOMAIN, "--web-at", network.address(99), "--mail-at", network.address(26))
    assert found["good"] and not found["worse"] and slugs(found) == set(), found["findings"]
    web = [each for each in found["services"] if each["protocol"] == "https"]
    assert {each["version"] for each in web} == {"HTTP/2"} and {each["title"] for each in web} == {"Kiln and Clay"}
    assert {each["alike"] for each in web if each["new"]} == {1.0} and all(
        each["hsts"] for each in web
    )  # a token in it is another one each time
    smtp = [each for each in found["services"] if each["protocol"] == "smtp"]
    assert (
        all(each["takes"] and each["tls"] and each["certificate"]["trust"].startswith("leads") for each in smtp)
        and len(smtp) == 2
    )
    assert {each["protocol"] for each in found["services"] if not each["trouble"]} == {
        "http",
        "https",
        "smtp",
        "submission",
        "imaps",
    }
    assert "Dovecot" in next(each["banner"] for each in found["services"] if each["protocol"] == "imaps")


@pytest.mark.parametrize(
    ("fault", "wanted", "worse"),
    [
        ("status", {"web-error-page"}, True),
        ("default", {"another-site"}, True),
        ("older", {"page-differs"}, False),
        ("no-hsts", {"hsts-lost"}, False),
        ("elsewhere", {"redirect-differs"}, False),
        ("circle", {"redirects-for-ever"}, True),
        ("expired", {"certificate-out-of-date"}, True),
        ("self-signed", {"certificate-not-trusted"}, True),
        ("other-name", {"certificate-other-name"}, True),
        ("alone", {"certificate-chain-incomplete"}, True),
        ("http-alone", {"https-missing", "service-lost"}, True),
    ],
)
def test_a_site_that_differs_at_the_new_address(network: Network, fault: str, wanted: set[str], worse: bool) -> None:
    found = network.legatum("visit", DOMAIN, "--web-at", network.bad[fault], status=int(worse))
    assert wanted <= slugs(found) and bool(found["worse"]) == worse, (slugs(found), found["worse"])
    assert all(network.bad[fault] in seen for each in found["findings"] for seen in each["seen"])


def test_mail_servers_that_differ(network: Network) -> None:
    other = network.legatum("visit", DOMAIN, "--mail-at", network.address(27), status=1)
    assert {"mail-not-taken", "service-lost"} <= slugs(other) and "relay not permitted" in json.dumps(other["findings"])
    plain = network.legatum("visit", DOMAIN, "--mail-at", network.address(28), status=1)
    assert {"mail-in-the-open", "tls-lost"} <= slugs(plain)
    nobody = network.legatum("visit", DOMAIN, "--mail-at", network.address(29), status=1)
    assert "mail-silent" in slugs(nobody)


def test_a_move_leads_nobody_to_a_worse_site(network: Network) -> None:
    domain, old, bad, good = "steps.example", network.address(80), network.bad["default"], network.address(99)
    draft = ("move", "draft", domain, "--from", "steps", "--speed", "at-once", "--force")
    network.legatum(*draft, "--replace", f"{old}={bad}")
    refused = network.legatum("move", "advance", domain, "--yes", "--wait", status=4)
    assert "visitors would be worse off" in json.dumps(refused) and "another-site" in json.dumps(refused)
    network.legatum(*draft, "--replace", f"{old}={good}")
    network.legatum("move", "advance", domain, "--yes", "--wait")
    story = network.legatum("history", domain)
    assert {each["what"]: each["after"] for each in story["changed"]}[f"{domain} A"].endswith(good)
    assert "behind the names" in next(each["said"] for each in story["acts"] if each["step"] == "confirm-address")


@pytest.mark.parametrize("last", [120, 121, 122, 123, 124])
def test_a_web_server_that_does_what_none_should(network: Network, last: int) -> None:
    """Bounded time and memory, nothing that steers a terminal, a finding and no traceback."""
    text = network.folder / "page.html"
    found = network.legatum("visit", DOMAIN, "--web-at", network.address(last), "--html", str(text), status=1)
    assert found["worse"], (found["findings"], found["services"])
    shown = json.dumps(found["services"])
    if last == 120:
        assert {each["octets"] for each in found["services"] if each["new"] and each["octets"]} == {1 << 20}
    if last == 121:
        assert "it had not ended after 8 s" in shown
    if last == 122:
        assert (
            "\x1b" not in text.read_text()
            and "<script>" not in text.read_text().split("<body>")[1]
            and "alert(1)" in text.read_text()
        )
    if last == 123:
        assert "no HTTP" in shown and "does not speak TLS" in shown


@pytest.mark.parametrize("last", [130, 131, 132, 133])
def test_a_mail_server_that_does_what_none_should(network: Network, last: int) -> None:
    found = network.legatum("visit", DOMAIN, "--mail-at", network.address(last), status=1)
    assert "mail-silent" in slugs(found)
    said = next(each["trouble"] for each in found["services"] if each["new"] and each["protocol"] == "smtp")
    assert {130: "a line without an end", 131: "no answer in time", 132: "closed", 133: "no answer in time"}[
        last
    ] in said, said


def test_ready_for_a_certificate(network: Network) -> None:
    found = network.legatum("survey", DOMAIN, "--service", "--no-rdap")
    assert slugs(found["service"]) == set(), found["service"]["findings"]
    assert slugs(found) & {"visitors-sent-to-special-address"} == set()
    confirmed = network.legatum("confirm", DOMAIN, "--service", "--no-rdap")
    assert any(each["party"] == "service" and each["agrees"] for each in confirmed["checks"])
    new = network.legatum("survey", DOMAIN, "--service", "--mail-at", network.address(26), "--no-rdap")
    assert f"{network.address(26)}: fail, by -all" in json.dumps(new["findings"])  # SPF does not know of it yet


def test_views_are_told_as_views(network: Network) -> None:
    words = ("compare", DOMAIN, "--views", "inside", "outside", "--zone", f"server:{network.address(2)}")
    before = network.folder / "before.zone"
    before.write_text(f"$ORIGIN {DOMAIN}.\n{HEAD}@ NS d1.example.\nold A {network.address(90)}\n")
    found = network.legatum(*words, "--before", str(before), status=1)
    kinds = {
        (each["name"].removesuffix(f".{DOMAIN}"), each["type"]): each["kind"]
        for each in found["rows"]
        if each["kind"] != "the same"
    }
    assert kinds[("shop", "A")] == "an inner address inside" and kinds[("leak", "A")] == "an inner address outside"
    assert kinds[("old", "A")] == "inside has the old data" and {
        each["name"] for each in found["rows"] if each["fault"]
    } == {f"{name}.{DOMAIN}" for name in ("leak", "old")}
    looked = network.legatum("survey", DOMAIN, "--view", "inside", "--no-rdap")["views"][0]
    assert ("intranet." + DOMAIN, "only inside") in {(each["name"], each["kind"]) for each in looked["rows"]}


def test_answers_that_vary_are_no_faults(network: Network) -> None:
    for name, words in (("rotating", "a changing part of one set"), ("placed", "another answer for each network")):
        found = network.legatum("confirm", f"{name}.example", "--no-rdap")
        said = [each["said"] for each in found["checks"] if each["about"] == f"{name}.example A"]
        assert found["confirmed"] and (name == "placed" or any(words in each and "sure" in each for each in said)), said
        assert not [
            each["slug"]
            for each in network.legatum("survey", f"{name}.example", "--no-rdap")["findings"]
            if each["severity"] == "error"
        ]
    assert network.legatum("compare", "v1", "v2", "--domain", "rotating.example", "--answers")["answers"][0]["varied"]
    differing = network.legatum("compare", "v1", "v3", "--domain", "behind.example", "--answers", status=1)["answers"]
    assert network.address(63) in differing[0]["varied"].partition("nobody else gives")[2] and differing[0]["varied"]
    behind = network.legatum("confirm", "behind.example", "--no-rdap", status=1)
    wrong = [each for each in behind["checks"] if not each["agrees"]]
    assert {each["who"] for each in wrong} == {
        f"v3.example ({network.address(63)})"
    } and "which the others do not give" in wrong[0]["said"]
    wanted = [f"rotating.example A {each}" for each in POOL]
    records = [word for each in wanted for word in ("--record", each)]
    assert network.legatum("confirm", "rotating.example", *records, "--no-rdap")["confirmed"]
    assert not network.legatum("confirm", "rotating.example", *records[:-2], "--no-rdap", status=1)[
        "confirmed"
    ]  # one of them is not wanted
    command = ["watch", "rotating.example", *records, "--every", "1s", "--json", "-q"]
    ended = run_program([*command, "--settings", "legatum.toml"], network.folder, {}, patience=100)
    looks = [json.loads(line) for line in ended.out.splitlines()]
    assert ended.status == 0 and any("a changing part of one set" in line for line in ended.out.splitlines()), (
        looks[-1:],
        ended.err,
    )
