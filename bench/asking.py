"""The asker, decoding every reply, against a bare socket loop that decodes nothing: questions a second.

Both put the same questions to the same responder, a process of its own, with the same number in flight.
"""

import asyncio
import multiprocessing
import socket
import time
from collections.abc import Iterator
from multiprocessing.connection import Connection

from bench.figure import Figure
from legatum.core.records.name import Name, from_labels
from legatum.core.records.rrset import RRset
from legatum.net.asking.asker import Asker, Patience
from legatum.net.asking.route import Endpoint, Route
from legatum.net.clock import SystemClock
from legatum.wire.message import AA, QR, Message, Question, encode, encode_question, records

_QUESTIONS, _IN_FLIGHT = 20_000, 200
_BUFFER = 4 << 20
_NS = Name(b"\3ns1\5alder\4test\0")


def _respond(ready: Connection) -> None:
    """Answers every question with the same records, as fast as a process can."""
    server = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    server.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, _BUFFER)
    server.bind(("127.0.0.1", 0))
    ready.send(server.getsockname()[1])
    name = _name(0)
    answer = records([RRset(name, 1, 300, (b"\xc6\x33\x64\x50",)), RRset(name, 2, 300, (_NS, b"\3ns2" + _NS[4:]))])
    template = encode(Message(0, QR | AA, 0, (Question(name, 1),), answer[:1], answer[1:]))
    tail = template[12 + len(name) + 4 :]
    head = template[2:12]
    while True:
        query, sender = server.recvfrom(512)
        # The question comes back as it was asked; the records' owners point at it.
        server.sendto(query[:2] + head + query[12 : 12 + len(name) + 4] + tail, sender)


def _name(number: int) -> Name:
    return from_labels([f"d{number:07d}".encode(), b"example"])


async def _bare(port: int, time_outs: bool) -> float:
    """One socket, a callback that drains it, a future for each question; nothing decoded or checked.

    With ``time_outs`` each question is encoded as it is sent and given up after 2 s, as a loop must that is to meet
    lost packets.
    """
    loop = asyncio.get_running_loop()
    ours = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
    ours.setblocking(False)
    ours.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, _BUFFER)
    ready = [] if time_outs else [encode_question(number & 0xFFFF, _name(number), 1) for number in range(_QUESTIONS)]
    numbers = iter(range(_QUESTIONS))
    place = ("127.0.0.1", port)
    waiting: dict[bytes, asyncio.Future[bytes]] = {}

    def drain() -> None:
        while True:
            try:
                datagram = ours.recv(4096)
            except BlockingIOError:
                return
            waiting.pop(datagram[:2]).set_result(datagram)

    async def worker() -> None:
        for number in numbers:
            query = encode_question(number & 0xFFFF, _name(number), 1) if time_outs else ready[number]
            waiting[query[:2]] = future = loop.create_future()
            ours.sendto(query, place)
            if time_outs:
                await asyncio.wait_for(future, 2)
            else:
                await future

    loop.add_reader(ours.fileno(), drain)
    began = time.perf_counter()
    await asyncio.wait_for(asyncio.gather(*(worker() for _ in range(_IN_FLIGHT))), 60)
    took = time.perf_counter() - began
    loop.remove_reader(ours.fileno())
    ours.close()
    return _QUESTIONS / took


async def _asked(port: int) -> float:
    """The program's own way: random ids and ports, replies matched and decoded into RRsets."""
    route = Route({"192.0.2.1": Endpoint("127.0.0.1", port)})
    asker = Asker(route, SystemClock(), Patience(2, 3, in_flight=_IN_FLIGHT))
    names = iter([_name(number) for number in range(_QUESTIONS)])

    async def worker() -> int:
        good = 0
        for name in names:
            reply = await asker.ask("192.0.2.1", name, 1)
            good += len(reply.answer) + len(reply.authority) == 2
        return good

    began = time.perf_counter()
    good = sum(await asyncio.gather(*(worker() for _ in range(_IN_FLIGHT))))
    took = time.perf_counter() - began
    asker.close()
    assert good == _QUESTIONS, good
    return _QUESTIONS / took


def figures() -> Iterator[Figure]:
    receiving, sending = multiprocessing.Pipe(False)
    responder = multiprocessing.Process(target=_respond, args=(sending,), daemon=True)
    responder.start()
    port = receiving.recv()
    try:
        runs = [
            (asyncio.run(_bare(port, True)), asyncio.run(_bare(port, False)), asyncio.run(_asked(port)))
            for _ in range(3)
        ]
    finally:
        responder.terminate()
    timed, bare, asked = (max(column) for column in zip(*runs, strict=True))
    what = "questions a second, replies decoded"
    yield Figure(what, f"{asked:,.0f}", f"{timed:,.0f}, socket loop with time-outs", asked / timed, "≥ 0.33")
    yield Figure("", f"{asked:,.0f}", f"{bare:,.0f}, socket loop without", asked / bare, "")
