"""A server that drops what goes over its limit (BIND's ``rate-limit``): a list is asked more slowly, and no domain is
told that its server is silent."""

import json
import os
import subprocess
import sys
from pathlib import Path

from tests.real.processes import NEEDS_SERVERS, Bind, program

pytestmark = NEEDS_SERVERS
DOMAINS, LIMIT = 150, 160
SOA = "SOA ns1.example. hostmaster.quillmoor.example. 1 14400 3600 1209600 600"


def test_a_list_is_asked_no_faster_than_a_server_answers(tmp_path: Path) -> None:
    worker = int(os.environ.get("PYTEST_XDIST_WORKER", "gw9").removeprefix("gw"))
    top, limited = f"127.{110 + worker}.0.1", f"127.{110 + worker}.0.2"
    names = [f"d{number}.example" for number in range(DOMAINS)]
    cuts = "".join(f"{name}. NS {ns}\n" for name in names for ns in ("ns1", "ns2"))
    root = f"$TTL 60\n. {SOA}\n. NS a.root.test.\na.root.test. A {top}\nexample. NS ns.example.\nns.example. A {top}\n"
    parent = f"$TTL 60\n@ {SOA}\n@ NS ns\nns A {top}\nns1 A {limited}\nns2 A {limited}\n{cuts}"
    customer = f"$TTL 60\n@ {SOA}\n@ NS ns1.example.\n@ NS ns2.example.\n@ A 127.0.0.80\n@ MX 10 @\nwww A 127.0.0.80\n"
    servers = [
        Bind(tmp_path / "top", top, "example", secret="c2VjcmV0", zones={".": root, "example": parent}),
        Bind(
            tmp_path / "limited",
            limited,
            names[0],
            secret="c2VjcmV0",
            zones=dict.fromkeys(names, customer),
            limit=LIMIT,
        ),
    ]
    (tmp_path / "legatum.toml").write_text(
        f'[network]\nroots = {{ "a.root.test" = ["{top}"] }}\ntimeout = "2s"\nrate = 0\nhome = ["127.0.0.0/8"]\n'
    )
    (tmp_path / "list").write_text("\n".join(names) + "\n")
    for address in (top, limited):
        subprocess.run(
            [program("ip") or "ip", "address", "add", f"{address}/32", "dev", "lo"], check=False, capture_output=True
        )
    try:
        for server in servers:
            server.start()
        command = [
            sys.executable,
            "-m",
            "legatum",
            "fleet",
            "survey",
            "list",
            "--json",
            "--jobs",
            "1",
            "--settings",
            "legatum.toml",
        ]
        ended = subprocess.run(command, cwd=tmp_path, capture_output=True, text=True, timeout=200, check=False)
    finally:
        for server in servers:
            server.stop()
        for address in (top, limited):
            subprocess.run(
                [program("ip") or "ip", "address", "del", f"{address}/32", "dev", "lo"],
                check=False,
                capture_output=True,
            )
    *lines, summary = [json.loads(line) for line in ended.stdout.splitlines()]
    assert (
        summary["slowed"].get(limited, 0) < 4 * LIMIT
    )  # a loaded machine may ask so slowly that nothing has to be slowed
    blamed = {each["slug"] for line in lines for each in line["findings"] if each["severity"] != "notice"}
    assert len(lines) == DOMAINS and blamed == {"same-address"}
