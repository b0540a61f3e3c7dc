"""What is said of an address at which nobody answers: the system's reason, whatever library asked."""

import asyncio
import subprocess
import sys

import pytest

from legatum.core.records.name import parse_name
from legatum.core.service.spot import Protocol
from legatum.net.asking.reply import Trouble
from legatum.net.asking.route import Endpoint, Route
from legatum.net.visiting.tls import NO_WAY
from legatum.net.visiting.web import Visitor

CLOSED = 1  # tcpmux: nobody listens there


def trouble(route: Route, address: str, protocol: Protocol) -> str:
    visitor = Visitor(route, address, lambda _: True, 5.0, None)
    return asyncio.run(visitor.visit(protocol, parse_name("kilnandclay.example."))).trouble


@pytest.mark.parametrize("protocol", [Protocol.HTTP, Protocol.HTTPS])
def test_nobody_listens(protocol: Protocol) -> None:
    assert trouble(Route({"198.51.100.9": Endpoint("127.0.0.1", CLOSED)}), "198.51.100.9", protocol) == str(
        Trouble.CLOSED
    )


@pytest.mark.parametrize("protocol", ["HTTP", "HTTPS"])
def test_a_machine_without_a_way_there(protocol: str) -> None:
    code = f"from tests.net.test_visiting import *; print(trouble(Route(None), '2001:db8::1', Protocol.{protocol}))"
    alone = [
        "unshare",
        "--net",
        "--map-root-user",
        sys.executable,
        "-c",
        code,
    ]  # no packet can leave a new network namespace
    done = subprocess.run(alone, capture_output=True, text=True, timeout=60, check=False)
    if done.returncode and "unshare" in done.stderr:
        pytest.skip("no network namespace can be made here")
    assert done.stdout.strip() == NO_WAY, done.stderr
