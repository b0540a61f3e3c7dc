"""One's own network: what cannot be asked from here is not known, and no server is blamed for it."""

import json
import re
import socket
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from legatum.core.records.address import address_rdata
from legatum.core.records.name import below, parse_domain
from legatum.core.records.rrset import rrset
from legatum.core.records.rrtype import A
from legatum.demo.world_thread import WorldThread
from legatum.net.asking.reach import Reach, reach_here
from legatum.net.asking.reply import Trouble
from legatum.net.asking.tcp import Connections, Heard
from tests.cli.desk import DOMAIN, Desk


@pytest.fixture
def desk(tmp_path: Path) -> Iterator[Desk]:
    with WorldThread(tmp_path / "world") as practice:
        yield Desk(practice)


def mapped(desk: Desk, pattern: str, there: str = "") -> None:
    """Lines of the map that match become others, or none."""
    text = re.sub(rf"(?m)^{pattern} = .*\n", f"{there}\n" if there else "", desk.settings.read_text())
    assert text != desk.settings.read_text()
    desk.settings.write_text(text)


@pytest.mark.parametrize(
    ("pattern", "family"),
    [(r'"2001:[^#"]*"', "IPv6"), (r'"(192\.0\.2\.(1|2|11)|198\.51\.100\.(12|31|41)|203\.0\.113\.[34]2)"', "IPv4")],
)
def test_without_a_family_nobody_is_blamed(desk: Desk, pattern: str, family: str) -> None:
    mapped(desk, pattern)
    assert desk.run("survey", DOMAIN, "--no-rdap") == 0, desk.said
    assert f"what servers give over {family} (none of 2 root servers answers over it from here)" in desk.said
    assert not {"server-address-dead", "server-silent", "take the address out"} & set(re.findall(r"[a-z-]+", desk.said))
    assert desk.said.count("answers over it from here") == 1
    assert desk.run("confirm", DOMAIN, "--no-rdap") == 0, desk.said
    assert f"what servers give over {family}" in desk.said
    desk.done("timetable", DOMAIN)
    (Path(desk.settings).parent / "list").write_text(f"{DOMAIN}\nevensong.test\n")
    desk.done("fleet", "survey", str(Path(desk.settings).parent / "list"))
    assert f"what servers give over {family}" in desk.said


def test_with_tcp_closed_nobody_is_blamed(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    async def closed(*_: Any, **__: Any) -> Heard:
        return Heard(trouble=Trouble.SILENT)

    monkeypatch.setattr(Connections, "converse", closed)
    monkeypatch.setattr("legatum.net.asking.tcp.converse", closed)
    assert desk.run("survey", DOMAIN, "--no-rdap", "--no-resolvers") == 0, desk.said
    assert "what servers give over TCP (port 53 of" in desk.said and "tcp-fails" not in desk.said


def test_a_box_that_answers_in_every_server_s_place_is_told(desk: Desk) -> None:
    resolver = next(
        line for line in desk.settings.read_text().splitlines() if line.startswith('"192.0.2.101"')
    ).partition(" = ")[2]
    mapped(desk, r'"192\.0\.2\.[12]"')
    for address in ("192.0.2.1", "192.0.2.2", "192.0.2.11", "198.51.100.12", "198.51.100.31", "203.0.113.32"):
        text = re.sub(rf'(?m)^"{re.escape(address)}" = .*\n', "", desk.settings.read_text())
        desk.settings.write_text(text.replace("[network.map]\n", f'[network.map]\n"{address}" = {resolver}\n'))
    mapped(desk, r'"2001:[^#"]*"')
    assert desk.run("survey", DOMAIN, "--no-rdap") == 3, desk.said
    assert "answers in the servers' place" in desk.said and "a root server, offered to look names up" in desk.said


def test_a_resolver_as_the_only_way_out_is_told(desk: Desk) -> None:
    mapped(desk, r'"(2001:[^#"]*|192\.0\.2\.(1|2|11)|198\.51[^#"]*|203\.0\.113\.[0-9]+)"')
    assert desk.run("survey", DOMAIN, "--no-rdap") == 3
    assert "the resolver harbour (192.0.2.101) does: it is the only way out" in desk.said
    assert f"{DOMAIN} as the resolver harbour (192.0.2.101) has it" in desk.said and "no server was asked" in desk.said
    assert desk.run("survey", DOMAIN, "nobody.example", "--no-rdap", "--json") == 3
    known, unknown = json.loads(desk.said.split("\n\n")[0].partition("legatum:")[0])["domains"]
    copies = {(each["name"], each["type"]): each for each in known["copies"]}
    assert copies[DOMAIN, "NS"]["data"] == ["ns1.alder.test.", "ns2.alder.test."] and copies[DOMAIN, "NS"]["left"] > 0
    assert copies["ns1.alder.test", "A"]["data"] and not known["unheard"]
    assert "nobody.example" in unknown["no_such"] and not unknown["copies"]
    assert desk.run("confirm", DOMAIN, "--no-rdap") == 3 and "it is the only way out" in desk.said


def test_what_the_system_says_of_its_own_ways() -> None:
    assert reach_here(True, ()) == Reach()
    assert reach_here(True, ("127.0.0.1",)) == Reach()
    without = reach_here(False, ("127.0.0.1", "::1"))
    assert not without.ipv6 and without.ipv4 and without.why == ("IPv6 (ipv6 = false in [network])",)
    nowhere = reach_here(True, ("127.0.0.1", "100::1%none"))
    assert (
        not nowhere.ipv6
        and not nowhere.has("2001:db8::1")
        and nowhere.has("192.0.2.1")
        and "this machine has none" in nowhere.why[0]
    )
    assert reach_here(True, ("100::1%none",)) == Reach(cut_off=True)  # no way anywhere is no matter of a family


@pytest.mark.parametrize(("command", "most"), [(("fleet", "survey"), 80), (("survey",), 500)])
def test_a_domain_that_is_silent_at_a_hundred_addresses_costs_a_bounded_look(
    desk: Desk, tmp_path: Path, command: tuple[str, ...], most: int
) -> None:  # fmt: skip
    """13 name servers with 8 addresses each: some of every one are asked, and what was not is said."""
    domain = parse_domain("tidemill.example")
    quiet = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    quiet.bind(("127.0.0.1", 0))
    addresses = [f"203.0.113.{number}" if number < 200 else f"198.51.100.{number - 80}" for number in range(100, 204)]
    lines = "".join(f'"{each}" = "127.0.0.1:{quiet.getsockname()[1]}"\n' for each in addresses)
    desk.settings.write_text(desk.settings.read_text().replace("[network.map]\n", f"[network.map]\n{lines}"))
    book, primary, zone = desk.world.registry.book, desk.world.hostings["alder"][0], parse_domain("alder.test")
    hosts = [below(f"quiet{number}", zone) for number in range(13)]
    data = [address_rdata(each) for each in addresses]
    sets = [rrset(host, A, 3600, data[8 * number : 8 * number + 8]) for number, host in enumerate(hosts)]

    async def spread() -> None:
        served = primary.zone(zone)
        assert served is not None
        primary.serve(served.with_rrsets(sets).with_serial(served.soa.serial + 1))
        book.domains[domain] = replace(book.domains[domain], nameservers=tuple(hosts))
        await desk.world.registry.publisher.publish(domain)

    desk.practice.run(spread())
    desk.done("practice", "clock", "--on", "1m")
    (tmp_path / "list").write_text("tidemill.example\n")
    words = ("tidemill.example", "--no-rdap", "--no-resolvers") if command == ("survey",) else (str(tmp_path / "list"),)
    assert desk.run(*command, *words, "--json", "-q") == 1, desk.said
    document = json.loads(desk.said.splitlines()[0] if command[0] == "fleet" else desk.said)
    assert 13 < document["questions"] <= most, document["questions"]
    if command == ("survey",):
        assert any(
            "40 of the 104 addresses of its name servers: more than 64" in each for each in document["not_looked_at"]
        )
    quiet.close()
