"""Our codec against the general library's: a reply of five records, and a question."""

import time
from collections.abc import Callable, Iterator

import dns.message
import dns.rrset

from bench.figure import Figure
from legatum.core.records.name import parse_name
from legatum.wire.message import decode, encode_question, rrsets

_ROUNDS = 7


def _reply() -> bytes:
    message = dns.message.make_response(dns.message.make_query("www.kilnandclay.example.", "A", use_edns=True))
    message.answer.append(dns.rrset.from_text("www.kilnandclay.example.", 300, "IN", "A", "198.51.100.80"))
    message.authority.append(
        dns.rrset.from_text("kilnandclay.example.", 300, "IN", "NS", "ns1.alder.test.", "ns2.alder.test.")
    )
    for number in (1, 2):
        message.additional.append(
            dns.rrset.from_text(f"ns{number}.alder.test.", 300, "IN", "A", f"198.51.100.3{number}")
        )
    return message.to_wire()


def _each(work: Callable[[], object], times: int) -> float:
    """Seconds for one call: the best of some rounds, as whatever else runs only adds."""
    best = float("inf")
    for _ in range(_ROUNDS):
        began = time.perf_counter()
        for _ in range(times):
            work()
        best = min(best, (time.perf_counter() - began) / times)
    return best


def figures() -> Iterator[Figure]:
    wire, name = _reply(), parse_name("www.kilnandclay.example.")

    def read() -> None:
        message = decode(wire)
        for section in (message.answer, message.authority, message.additional):
            rrsets(section)

    ours, theirs = _each(read, 3000), _each(lambda: dns.message.from_wire(wire), 300)
    yield Figure(
        "decode a reply of 5 records, grouped",
        f"{ours * 1e6:.1f} µs",
        f"{theirs * 1e6:.0f} µs, general library",
        theirs / ours,
        "≥ 10",
    )
    ours = _each(lambda: encode_question(7, name, 1), 5000)
    theirs = _each(lambda: dns.message.make_query("www.kilnandclay.example.", "A", use_edns=True).to_wire(), 300)
    yield Figure(
        "encode a question", f"{ours * 1e6:.1f} µs", f"{theirs * 1e6:.0f} µs, general library", theirs / ours, "≥ 10"
    )
