"""From the start of the process: ``--version`` to its end, ``survey`` to its first packet - against ``python -c
pass``."""

import socket
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

from bench.figure import Figure

_RUNS = 15
_PROGRAM = str(Path(sys.executable).with_name("legatum"))


def _ended(*command: str) -> float:
    began = time.perf_counter()
    subprocess.run(command, check=True, capture_output=True)
    return time.perf_counter() - began


def _first_packet(folder: Path) -> float:
    """Every address of these settings leads to one socket: when does the first datagram arrive?"""
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as server:
        server.bind(("127.0.0.1", 0))
        settings = folder / "legatum.toml"
        settings.write_text(
            f'[network]\nroots = {{ "a.root.test" = ["192.0.2.1"] }}\nmap = '
            f'{{ "192.0.2.1" = "127.0.0.1:{server.getsockname()[1]}" }}\n'
        )
        began = time.perf_counter()
        process = subprocess.Popen(
            [_PROGRAM, "survey", "kilnandclay.example", "--settings", str(settings)], stdout=subprocess.DEVNULL
        )
        server.recv(512)
        took = time.perf_counter() - began
        process.kill()
        process.wait()
        return took


def figures() -> Iterator[Figure]:
    with tempfile.TemporaryDirectory() as name:
        runs = [
            (_ended(sys.executable, "-c", "pass"), _ended(_PROGRAM, "--version"), _first_packet(Path(name)))
            for _ in range(_RUNS)
        ]
    bare, version, packet = (statistics.median(column) for column in zip(*runs, strict=True))
    against = f"{bare * 1000:.0f} ms, python -c pass"
    yield Figure("legatum --version", f"{version * 1000:.0f} ms", against, version / bare, "≤ 3")
    yield Figure("legatum survey, to its first packet", f"{packet * 1000:.0f} ms", against, packet / bare, "≤ 10")
