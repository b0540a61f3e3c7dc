"""A second provider by catalog zones: BIND first and Knot second, and the other way round, signed with HMAC-SHA512."""

import base64
import json
import os
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest

from legatum.core.records.name import parse_name
from legatum.wire.tsig import TsigKey
from tests.real.processes import KEY_NAME, NEEDS_SERVERS, Bind, Knot, Server, program, stop_all
from tests.real.registry_thread import RegistryThread

pytestmark = NEEDS_SERVERS
DOMAIN, CATALOG = "shared.example", "catalog.example"
MANY = ("one.example", "two.example", "three.example")
SOA = "$TTL 60\n@ SOA ns.example. hostmaster.quillmoor.example. 7 2 1 1209600 5\n"


def by_command(server: Server, primary: str) -> str:
    """A section of settings: the same servers, told by commands."""
    if not isinstance(server, Bind):
        return ""
    zone = f'{{ type secondary; file "told"; primaries {{ {primary} key "{KEY_NAME}"; }}; }};'
    create, end = (
        [*server.control, *words] for words in (["addzone", "{domain}", zone], ["delzone", "-clean", "{domain}"])
    )
    return f'[secondaries.told]\nservers = ["ns2.example"]\ncreate = {json.dumps(create)}\nend = {json.dumps(end)}\n'


@pytest.mark.timeout(300)
@pytest.mark.parametrize(("first", "second"), [(Bind, Knot), (Knot, Bind)])
def test_a_catalog_tells_the_second_provider(
    tmp_path: Path, first: type[Bind] | type[Knot], second: type[Bind] | type[Knot]
) -> None:
    worker = int(os.environ.get("PYTEST_XDIST_WORKER", "gw9").removeprefix("gw"))
    top, one, other = (f"127.{150 + worker + 20 * (first is Knot)}.0.{last}" for last in (1, 2, 3))
    secret, publishing = base64.b64encode(os.urandom(64)).decode(), os.urandom(32)
    hosts = [parse_name(f"ns{number}.example.") for number in (1, 2, 3)]
    key = TsigKey(parse_name(KEY_NAME + "."), "hmac-sha256", publishing)
    registry = RegistryThread(tmp_path, top, key, 2, {DOMAIN: [hosts[0], hosts[2]]}, hosts)
    (tmp_path / "secret").write_text(secret)
    for each in (tmp_path, *tmp_path.parents[:2]):
        each.chmod(0o755)
    root = f"{SOA}. NS a.root.test.\na.root.test. A {top}\nexample. NS ns.example.\nns.example. A {top}\n"
    parent = f"{SOA}@ NS ns\nns A {top}\nns1 A {one}\nns2 A {other}\nns3 A {one}\nshared 2 NS ns1\nshared 2 NS ns3\n"
    contents = f"{SOA}@ 2 NS ns1.example.\n@ 2 NS ns3.example.\n@ A 127.0.0.80\n"
    zones = dict.fromkeys((DOMAIN, *MANY), contents) | {CATALOG: f'{SOA}@ NS invalid.\nversion TXT "2"\n'}
    own = {"own.example": f"{SOA}@ NS ns2.example.\n"}  # a catalog's servers answer nobody else for it
    more: dict[str, Any] = {"secret": secret, "algorithm": "hmac-sha512"}
    servers: list[Server] = [
        Bind(
            tmp_path / "top",
            top,
            "example",
            secret=base64.b64encode(publishing).decode(),
            zones={".": root, "example": parent},
        ),
        first(tmp_path / "first", one, DOMAIN, zones=zones, notify=[other], **more),
        second(tmp_path / "second", other, "own.example", zones=own, secondary={CATALOG: one}, catalog=CATALOG, **more),
    ]
    registry.start()
    assert registry.ready.wait(10)
    (tmp_path / "legatum.toml").write_text(
        f'[network]\nroots = {{ "a.root.test" = ["{top}"] }}\ntimeout = "1s"\n'
        '[house]\npoll = "1s"\npatience = "30s"\nfloor = "0s"\nmargin = "1s"\n'
        f'[providers.one]\nkind = "update"\nprimary = "{one}"\nservers = ["ns1.example", "ns3.example"]\n'
        f'key = {{ name = "{KEY_NAME}", algorithm = "hmac-sha512", secret = "file:secret" }}\n'
        f'[secondaries.two]\nservers = ["ns2.example"]\ncatalog = "{CATALOG}"\ngroup = "member"\n'
        f'notify = ["{other}"]\n{by_command(servers[2], one)}{registry.settings}'
    )

    def legatum(*words: str) -> Any:
        command = [sys.executable, "-m", "legatum", *words, "--json", "--settings", "legatum.toml"]
        ended = subprocess.run(command, cwd=tmp_path, capture_output=True, text=True, timeout=100, check=False)
        assert ended.returncode in (0, 1) and ended.stdout, (
            ended.stderr[-2000:],
            (tmp_path / "second" / "log").read_text()[-2000:],
        )
        return json.loads(ended.stdout)

    words = (DOMAIN, "--at", "one", "--second", "two")
    try:
        for address in (top, one, other):
            subprocess.run(
                [program("ip") or "ip", "address", "add", f"{address}/32", "dev", "lo"],
                check=False,
                capture_output=True,
            )
        for server in servers:
            server.start()
        before = legatum("second", "show", *words)
        assert not before["agreed"] and [each["serial"] for each in before["servers"]] == [7, 7, None]
        done = legatum("second", "add", *words, "--yes", "--wait")
        assert done["halt"] == "complete" and done["done"] == ["join", "ready", "apex", "confirm"]
        assert legatum("second", "show", *words)["agreed"]
        legatum("amend", DOMAIN, "www", "A", "127.0.0.81", "--at", "one", "--yes")  # NOTIFY takes it to the second one
        whole = legatum("second", "add", *words, "--registrar", "flint", "--yes", "--wait")
        assert whole["halt"] == "complete" and whole["done"][-3:] == ["switch", "parents", "confirm"], whole
        assert legatum("second", "show", *words)["agreed"]
        checks = legatum("confirm", DOMAIN, "--ns", "ns1.example,ns2.example,ns3.example")["checks"]
        assert all(each["agrees"] for each in checks if each["party"] == "server" and each["about"] == "NS set"), checks

        gone = legatum("second", "leave", *words, "--registrar", "flint", "--yes")
        assert (
            gone["halt"] == "holding"
            and gone["done"] == ["apex", "switch", "parents"]
            and "(rule 4" in gone["reasons"][0]
        )
        ended = legatum("second", "leave", *words, "--registrar", "flint", "--yes", "--wait")
        assert ended["done"] == ["confirm", "release"]
        assert [each["serial"] is None for each in legatum("second", "show", *words)["servers"]] == [False, False, True]
        assert registry.changes == 2

        (tmp_path / "list").write_text("\n".join(("missing.example", *MANY)))
        many = ("second", "add", "--list", "list", *words[1:])
        shown = legatum(*many, "--dry-run")["domains"]
        assert [each["state"] for each in shown] == ["failed", "ready", "ready", "ready"]
        joined = legatum(*many, "--yes", "--wait")["domains"]
        assert [each["state"] for each in joined] == ["failed", "joined", "joined", "joined"], joined
        told = {"it serves the zone already", f"it is in the catalog {CATALOG} already"}  # of all together
        assert {each["done"][0].split(";")[0] for each in joined[1:]} <= told
        assert all(legatum("second", "show", each, *words[1:])["agreed"] for each in MANY)
        assert {each["state"] for each in legatum(*many, "--yes")["domains"]} == {"failed", "unchanged"}

        if second is Bind:  # told by commands instead
            words = (DOMAIN, "--at", "one", "--second", "told")
            registry.registry.publisher.delay = 20.0
            done = legatum("second", "add", *words, "--registrar", "flint", "--yes", "--wait")
            assert done["halt"] == "complete" and done["done"][0] == "join"
            ended = legatum("second", "leave", *words, "--registrar", "flint", "--yes", "--wait")
            assert ended["done"] == ["apex", "switch", "parents", "confirm", "release"] and registry.changes == 4
    finally:
        registry.stop()
        stop_all(servers)
        for address in (top, one, other):
            subprocess.run(
                [program("ip") or "ip", "address", "del", f"{address}/32", "dev", "lo"],
                check=False,
                capture_output=True,
            )
