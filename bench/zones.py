"""A zone of a million records: read, linted, compared, written; read against the general library."""

import json
import random
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

from bench.figure import Figure
from legatum.core.records.name import parse_name

RECORDS, READ, LIBRARY = 1_000_000, 200_000, 20_000
ORIGIN = "big.example."

_WORK = """
import gc, json, resource, sys, time
gc.set_threshold(50_000, 20, 20)
from pathlib import Path
from legatum.core.zones.difference import zone_differences
from legatum.core.lint import ZoneContents, lint
from legatum.core.records.name import parse_name
from legatum.core.zones.masterlines import master_text
from legatum.work.gathering.contents import read_slips
took, began = {}, time.perf_counter()
def lap(what):
    global began
    now = time.perf_counter(); took[what] = now - began; began = now
_, one = read_slips(Path(sys.argv[1]), parse_name(sys.argv[3])); lap("read")
_, other = read_slips(Path(sys.argv[2]), parse_name(sys.argv[3])); lap("second")
home = ("198.51.100.0/24", "203.0.113.0/24", "2001:db8::/32")
found = lint(ZoneContents(one.zone, home, one.uneven, one.repeated)); lap("lint")
differences = zone_differences(one.zone, other.zone); lap("compare")
del other
text = master_text(one.zone); lap("write")
peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
counts = {"records": one.zone.record_count, "differences": len(differences), "findings": len(found)}
print(json.dumps({"took": took, "peak": peak, **counts}))
"""


def lines(count: int) -> Iterator[str]:
    """A zone as hosting has them: ten records for each of many hosts."""
    yield f"$ORIGIN {ORIGIN}\n$TTL 3600\n@ SOA ns1.alder.test. hostmaster 1 14400 3600 1209600 600\n"
    yield "@ NS ns1.alder.test.\n@ NS ns2.alder.test.\n"
    chance = random.Random(1)
    for number in range(count // 10):
        host, low, high = f"h{number:06d}", chance.randrange(254) + 1, chance.randrange(65536)
        yield (
            f"{host} 3600 IN A 198.51.100.{low}\n{host} 3600 IN AAAA 2001:db8:{high:x}::{low:x}\n{host} 300 "
            f"IN MX 10 mail.{host}\n"
            f'{host} 300 MX 20 mx2.ferrytimes.example.\n{host} IN TXT "v=spf1 ip4:198.51.100.0/24 -all"\n'
            f"www.{host} IN CNAME {host}\n"
            f'_sip._tcp.{host} 600 IN SRV 0 5 5060 {host}\n{host} 3600 IN CAA 0 issue "authority.test"\n'
            f"mail.{host} IN A 203.0.113.{low}\n"
            f'_dmarc.{host} IN TXT "v=DMARC1; p=none"\n'
        )


def _reading() -> Iterator[Figure]:
    import dns.zone

    from legatum.core.zones.masterfile import read_master

    text, longer = "".join(lines(LIBRARY)), "".join(lines(READ))
    ours, theirs = [], []
    for _ in range(3):
        began = time.perf_counter()
        read_master(longer, parse_name(ORIGIN))
        ours.append(time.perf_counter() - began)
        began = time.perf_counter()
        zone = dns.zone.from_text(text, origin=ORIGIN, relativize=False)
        theirs.append(time.perf_counter() - began)
    reading = read_master(text, parse_name(ORIGIN))
    assert reading.zone is not None and not reading.slips
    wanted = {
        (name.to_digestable(), ttl, rdata.rdtype, rdata.to_digestable()) for name, ttl, rdata in zone.iterate_rdatas()
    }
    assert {(each.name, each.ttl, each.rtype, rdata) for each in reading.zone for rdata in each.rdatas} == wanted
    rate, other = READ / min(ours), LIBRARY / min(theirs)
    yield Figure(
        f"records a second from a master file of {READ:,}",
        f"{rate:,.0f}",
        f"{other:,.0f}, general library, of {LIBRARY:,}",
        rate / other,
        "≥ 20",
    )


def _million(folder: Path) -> Iterator[Figure]:
    one, other = folder / "one.zone", folder / "other.zone"
    with one.open("w") as left, other.open("w") as right:
        for number, part in enumerate(lines(RECORDS)):
            left.write(part)
            right.write(part.replace("198.51.100.", "203.0.113.") if number % 100 == 1 else part)
    command = [sys.executable, "-c", _WORK, str(one), str(other), ORIGIN]
    found = json.loads(subprocess.run(command, capture_output=True, text=True, check=True).stdout)
    took = found["took"]
    told = ", ".join(f"{what} {took[what]:.1f} s" for what in ("read", "lint", "compare", "write"))
    assert found["records"] >= RECORDS and found["differences"] >= RECORDS // 1000, found
    yield Figure(
        f"{RECORDS:,} records and a changed copy: {told}; peak in MiB",
        f"{found['peak']:,.0f}",
        "1,536",
        found["peak"] / 1536,
        "≤ 1",
    )


def figures() -> Iterator[Figure]:
    yield from _reading()
    folder = Path(tempfile.mkdtemp(prefix="legatum-bench-"))
    try:
        yield from _million(folder)
    finally:
        shutil.rmtree(folder, ignore_errors=True)
