"""Five hundred zones changed at a real server (BIND), each read back and asked for, against the bare updates alone."""

import asyncio
import base64
import json
import os
import shutil
import socket
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

from bench.figure import Figure
from legatum.core.records.name import parse_name
from legatum.core.zones.masterfile import parse_master
from legatum.net.asking.asker import Asker
from legatum.net.asking.route import Endpoint, Route
from legatum.net.clock import SystemClock
from legatum.net.zones.update import send_update
from legatum.wire.tsig import TsigKey

_ZONES, _AT_ONCE = 500, 16
_TEXT = (
    "$TTL 3600\n@ SOA ns1.alder.test. hostmaster 7 14400 3600 1209600 600\n@ NS ns1.alder.test.\n@ A "
    "198.51.100.80\nwww CNAME @\n"
)


def figures() -> Iterator[Figure]:
    named = shutil.which("named", path="/usr/sbin:/usr/bin")
    if named is None:
        yield Figure(f"{_ZONES} zones published", "-", "needs Debian's bind9", 0.0, "bounded by the server")
        return
    folder = Path(tempfile.mkdtemp(prefix="legatum-bench-"))
    secret = os.urandom(32)
    names = [f"d{number:05d}.example" for number in range(2 * _ZONES)]
    port = _configure(folder, names, secret)
    with (folder / "log").open("wb") as log:
        server = subprocess.Popen([named, "-g", "-c", str(folder / "named.conf")], stdout=log, stderr=log)
    try:
        bare = asyncio.run(_bare(port, names[:_ZONES], secret))
        whole = _published(folder, names[_ZONES:])
    finally:
        server.terminate()
        server.wait(20)
        shutil.rmtree(folder, ignore_errors=True)
    what = f"{_ZONES} zones published: read, changed, read back, every server asked, journal kept; a second"
    yield Figure(what, f"{whole:.0f}", f"{bare:.0f}, signed updates alone", whole / bare, "bounded by the server")


def _configure(folder: Path, names: list[str], secret: bytes) -> int:
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port: int = free.getsockname()[1]
    text = base64.b64encode(secret).decode()
    (folder / "secret").write_text(text)
    parts = [
        "options "
        f'{{ directory "{folder}"; pid-file none; listen-on port {port} {{ 127.0.0.1; }}; '
        "listen-on-v6 { none; }; recursion no; "
        "notify no; session-keyfile none; };",
        f'key "quillmoor.key.test" {{ algorithm hmac-sha256; secret "{text}"; }};\ncontrols {{ }};',
    ]
    root = (
        "$TTL 60\n@ SOA a. b. 1 2 3 4 5\n@ NS a.root.test.\na.root.test. A 192.0.2.1\nns1.alder.test. A 198.51.100.31\n"
    )
    for number, (name, zone) in enumerate([(".", root), *((name, _TEXT) for name in names)]):
        (folder / f"z{number}").write_text(zone)
        parts.append(
            f'zone "{name}" {{ type primary; file "z{number}"; allow-update {{ key "quillmoor.key.test"; }}; '
            f'allow-transfer {{ key "quillmoor.key.test"; }}; }};'
        )
    (folder / "named.conf").write_text("\n".join(parts) + "\n")
    place = f"127.0.0.1:{port}"
    (folder / "legatum.toml").write_text(
        f'[network]\nroots = {{ "a.root.test" = ["192.0.2.1"] }}\nmap = '
        f'{{ "192.0.2.1" = "{place}", "198.51.100.31" = "{place}" }}\n'
        '[providers.alder]\nkind = "update"\nprimary = "198.51.100.31"\nservers = ["ns1.alder.test"]\n'
        'key = { name = "quillmoor.key.test", secret = "file:secret" }\n[house]\npoll = "1s"\n'
    )
    return port


async def _bare(port: int, names: list[str], secret: bytes) -> float:
    """Updates a second: one signed message for each zone, nothing read before or after."""
    asker = Asker(Route({"198.51.100.31": Endpoint("127.0.0.1", port)}), SystemClock())
    key = TsigKey(parse_name("quillmoor.key.test."), "hmac-sha256", secret)
    line = asyncio.Semaphore(_AT_ONCE)
    while not (await asker.ask("198.51.100.31", parse_name(names[-1] + "."), 6)).answered:
        await asyncio.sleep(0.2)

    async def one(name: str) -> None:
        zone = parse_master(_TEXT, parse_name(name + "."))
        wanted = parse_master(_TEXT.replace(".80", ".81").replace(" 7 ", " 8 "), zone.origin)
        async with line:
            await send_update(asker, "198.51.100.31", zone, wanted, key)

    began = time.perf_counter()
    await asyncio.gather(*(one(name) for name in names))
    took = time.perf_counter() - began
    asker.close()
    return len(names) / took


def _published(folder: Path, names: list[str]) -> float:
    (folder / "list.txt").write_text("".join(f"{name}\n" for name in names))
    (folder / "wanted").mkdir()
    for name in names:
        (folder / "wanted" / f"{name}.zone").write_text(_TEXT.replace(".80", ".81") + "mail A 203.0.113.25\n")
    command = [
        sys.executable,
        "-m",
        "legatum",
        "publish",
        "--list",
        "list.txt",
        "--from",
        "wanted",
        "--to",
        "alder",
        "--yes",
        "--json",
    ]
    began = time.perf_counter()
    ended = subprocess.run(
        [*command, "--settings", "legatum.toml"], cwd=folder, capture_output=True, text=True, check=False
    )
    took = time.perf_counter() - began
    states = [each["state"] for each in json.loads(ended.stdout)["zones"]]
    assert states == ["published"] * len(names), (set(states), ended.stderr[-500:])
    return len(names) / took
