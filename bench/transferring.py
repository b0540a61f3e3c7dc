"""A zone of a million records fetched by transfer from each real server, beside reading the octets and not looking at
them.

The server makes its messages meanwhile, on the other core: how much of that time there is to hide in differs from
server to server.
"""

import asyncio
import gc
import shutil
import socket
import subprocess
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

from bench.figure import Figure
from bench.zones import ORIGIN, RECORDS, lines
from legatum.core.records.name import parse_name
from legatum.wire.message import encode_question

_AXFR, _TIMES = 252, 3
_SERVERS = {"BIND": "named", "Knot": "knotd", "NSD": "nsd", "PowerDNS": "pdns_server"}


def _program(name: str) -> str | None:
    return shutil.which(name, path="/usr/sbin:/usr/bin")


def _command(server: str, folder: Path, port: int) -> list[str]:
    """Writes the server's configuration: the zone in ``folder``, transfers open on loopback."""
    program, conf = _program(_SERVERS[server]) or "", folder / f"{server}.conf"
    if server == "BIND":
        text = (
            "options "
            f'{{ directory "{folder}"; pid-file none; listen-on port {port} {{ 127.0.0.1; }}; '
            "listen-on-v6 { none; }; "
            f"recursion no; notify no; session-keyfile none; allow-transfer {{ any; }}; }};\ncontrols {{ }};\n"
            f'zone "{ORIGIN}" {{ type primary; file "zone"; check-names ignore; }};\n'
        )
        command = [program, "-g", "-c", str(conf)]
    elif server == "Knot":
        text = (
            f"server:\n  rundir: {folder}\n  listen: 127.0.0.1@{port}\ndatabase:\n  storage: {folder}\n"
            "acl:\n  - id: open\n    address: 127.0.0.1\n    action: transfer\n"
            f"zone:\n  - domain: {ORIGIN}\n    storage: {folder}\n    file: zone\n    acl: open\n"
        )
        command = [program, "-c", str(conf)]
    elif server == "NSD":
        text = (
            f'server:\n  ip-address: 127.0.0.1@{port}\n  database: ""\n  zonesdir: "{folder}"\n  pidfile: '
            '""\n  username: ""\n'
            f'  chroot: ""\n  zonelistfile: "{folder}/zone.list"\n  xfrdfile: ""\n  server-count: 1\n'
            f'remote-control:\n  control-enable: no\nzone:\n  name: "{ORIGIN}"\n  zonefile: "zone"\n  '
            "provide-xfr: 127.0.0.1 NOKEY\n"
        )
        command = [program, "-d", "-c", str(conf)]
    else:
        (folder / "zones.conf").write_text(f'zone "{ORIGIN}" {{ type master; file "{folder}/zone"; }};\n')
        conf = folder / "pdns.conf"
        text = (
            f"launch=bind\nbind-config={folder}/zones.conf\nlocal-address=127.0.0.1\nlocal-port={port}\n"
            f"socket-dir={folder}\n"
            "setuid=\nsetgid=\nsecurity-poll-suffix=\nallow-axfr-ips=127.0.0.0/8\n"
        )
        command = [program, f"--config-dir={folder}", "--daemon=no", "--guardian=no"]
    conf.write_text(text)
    return command


async def _raw(port: int) -> float:
    """Seconds of a transfer whose messages are read and not looked at."""
    reader, writer = await asyncio.open_connection("127.0.0.1", port, limit=1 << 20)
    query = encode_question(7, parse_name(ORIGIN), _AXFR, size=0)
    began, records = time.perf_counter(), 0
    writer.write(len(query).to_bytes(2) + query)
    while records < RECORDS:
        wire = await reader.readexactly(int.from_bytes(await reader.readexactly(2)))
        if wire[3] & 15:
            raise ConnectionError
        records += int.from_bytes(wire[6:8])
    took = time.perf_counter() - began
    writer.close()
    return took


async def _ours(port: int) -> float:
    from legatum.net.asking.asker import Asker
    from legatum.net.asking.route import Endpoint, Route
    from legatum.net.clock import SystemClock
    from legatum.net.zones.zone_transfer import transfer

    asker = Asker(Route({"192.0.2.1": Endpoint("127.0.0.1", port)}), SystemClock())
    began = time.perf_counter()
    zone = await transfer(asker, "192.0.2.1", parse_name(ORIGIN))
    took = time.perf_counter() - began
    asker.close()
    assert zone.record_count >= RECORDS
    return took


def _measured(server: str, folder: Path) -> Figure:
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    with (folder / "log").open("wb") as log:
        running = subprocess.Popen(_command(server, folder, port), cwd=folder, stdout=log, stderr=log)
    try:
        for _ in range(300):
            try:
                asyncio.run(asyncio.wait_for(_raw(port), 60))
                break
            except (OSError, asyncio.IncompleteReadError, TimeoutError):
                time.sleep(0.4)
        raw, ours = [], []
        for _ in range(_TIMES):  # in turns: the machine's mood changes
            raw.append(asyncio.run(_raw(port)))
            ours.append(asyncio.run(_ours(port)))
            gc.collect()
    finally:
        running.terminate()
        running.wait(20)
    what = f"AXFR of {RECORDS:,} records from {server}, records a second"
    return Figure(
        what,
        f"{RECORDS / min(ours):,.0f}",
        f"{RECORDS / min(raw):,.0f}, bytes not decoded",
        min(raw) / min(ours),
        "≥ 0.5",
    )


def figures() -> Iterator[Figure]:
    folder = Path(tempfile.mkdtemp(prefix="legatum-bench-"))
    folder.chmod(0o755)
    try:
        with (folder / "zone").open("w") as file:
            file.writelines(lines(RECORDS))
        for server, program in _SERVERS.items():
            if _program(program):
                yield _measured(server, folder)
    finally:
        shutil.rmtree(folder, ignore_errors=True)
