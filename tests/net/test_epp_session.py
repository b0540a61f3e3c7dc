"""EPP sessions with registries that lie, drop the line or say what was never heard: a clear fault, and what to look
at."""

import asyncio
import itertools
import re
import ssl
from collections.abc import Callable
from functools import partial
from pathlib import Path

import pytest

from legatum.core.records.name import parse_name
from legatum.core.running.fault import OutsideFault
from legatum.net.asking.route import Endpoint
from legatum.net.registry.epp import EppAccount, EppSession
from legatum.practice.certificate import make_certificates
from legatum.wire import epp

DOMAIN = parse_name("kilnandclay.example.")
GREETING = epp.frame(epp.greeting("epp.nic.example", "2031-03-04T14:05:12Z"))
Turn = bytes | Callable[[epp.Command], bytes]


def ok(code: int = 1000, reason: str = "") -> Turn:
    return lambda command: epp.frame(epp.response(epp.Response(code, reason, command.client_id, "S-1")))


@pytest.fixture(scope="module")
def certificates(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, ssl.SSLContext]:
    return make_certificates(tmp_path_factory.mktemp("tls"), "epp.nic.example")


def talk(
    certificates: tuple[Path, ssl.SSLContext], *turns: Turn, greeting: bytes = GREETING, silence: float = 60.0
) -> list[str]:
    """A session with a server that takes these turns; the verbs it heard. After its last turn it hangs up."""
    heard: list[str] = []

    async def session(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        writer.write(greeting)
        try:
            for turn in turns:
                length = epp.frame_length(await reader.readexactly(4))
                command = epp.read_command(await reader.readexactly(length))
                heard.append(command.verb)
                writer.write(turn if isinstance(turn, bytes) else turn(command))
                await writer.drain()
        except (asyncio.IncompleteReadError, ConnectionError):
            pass
        writer.close()

    async def run() -> None:
        server = await asyncio.start_server(session, "127.0.0.1", 0, ssl=certificates[1])
        end = Endpoint("127.0.0.1", server.sockets[0].getsockname()[1])
        account = EppAccount(
            "epp.nic.example", end, "flint", "secret-nobody-sees", str(certificates[0]), timeout=0.5, silence=silence
        )
        try:
            async with EppSession(account) as opened:
                await opened.domain_info(DOMAIN)
        finally:
            server.close()

    asyncio.run(run())
    return heard


HELD = epp.DomainData(DOMAIN, "R1", ("ok",), (), (), "flint", "2029-01-01T00:00:00Z", "", "2032-01-01T00:00:00Z")


def info(command: epp.Command) -> bytes:
    return epp.frame(epp.response(epp.Response(1000, "", command.client_id, "S-2", HELD)))


def test_log_in_ask_log_out(certificates: tuple[Path, ssl.SSLContext]) -> None:
    assert talk(certificates, ok(), info, ok(1500)) == ["login", "info", "logout"]
    assert talk(certificates, ok(), info) == ["login", "info"]  # a server that hangs up instead of taking its leave


@pytest.mark.parametrize(
    ("turns", "greeting", "says"),
    [
        ((ok(2200),), GREETING, r"user name or password wrong \(2200\)"),
        ((ok(2502),), GREETING, "too many sessions"),
        ((ok(), ok(2303)), GREETING, "does not exist at the registry"),
        (
            (ok(), ok(2999, "because\x1b[31m of the moon".replace("\x1b", ""))),
            GREETING,
            "a reason this program does not know",
        ),
        ((ok(), ok(2308, "on hold")), GREETING, "the registry says: on hold"),
        ((ok(), b""), GREETING, "connection dropped|no answer in time"),
        ((ok(), b"\0\0\1\0half a frame"), GREETING, "connection dropped|no answer in time"),
        ((ok(), b"\x06\0\0\0"), GREETING, "a frame of 100663296 octets"),
        ((ok(), epp.frame(b"<html/>")), GREETING, "no EPP document"),
        ((ok(), epp.frame(epp.response(epp.Response(1000, "", "LEG-of-another", "S-9")))), GREETING, "another command"),
        ((), epp.frame(b"hello, this is mail"), "no well-formed XML|is that an EPP server"),
        ((), b"220 ready\r\n", "is that an EPP server|sent a frame"),
        ((), b"", "connection dropped|no answer in time"),
    ],
)
def test_what_a_registry_can_do_wrong(
    certificates: tuple[Path, ssl.SSLContext], turns: tuple[Turn, ...], greeting: bytes, says: str
) -> None:
    with pytest.raises(OutsideFault) as seen:
        talk(certificates, *turns, greeting=greeting)
    whole = f"{seen.value.message} {seen.value.remedy}"
    assert re.search(says, whole), whole
    assert "secret-nobody-sees" not in whole


def test_entities_are_not_resolved(certificates: tuple[Path, ssl.SSLContext]) -> None:
    bomb = "".join(
        f'<!ENTITY a{number} "{"&a" + str(number - 1) + ";" if number else "x"}">' * 1 for number in range(3)
    )
    document = (
        f'<!DOCTYPE epp [{bomb}]><epp xmlns="{epp.EPP}"><response><result code="1000"><msg>&a2;</msg>'
        "</result></response></epp>"
    )
    with pytest.raises(OutsideFault, match="no EPP document"):
        talk(certificates, ok(), epp.frame(document.encode()))


def test_each_command_has_a_number_of_its_own(certificates: tuple[Path, ssl.SSLContext]) -> None:
    seen: list[str] = []

    def keep(turn: Turn) -> Turn:
        def kept(command: epp.Command) -> bytes:
            seen.append(command.client_id)
            return turn if isinstance(turn, bytes) else turn(command)

        return kept

    talk(certificates, keep(ok()), keep(info), keep(ok(1500)))
    assert len(set(seen)) == 3 and all(one != other for one, other in itertools.pairwise(seen))


@pytest.mark.parametrize(
    ("made_for", "days", "trusted", "says"),
    [
        ("epp.nic.example", 365, True, ""),
        ("epp.nic.example", -1, True, "expired"),
        ("epp.elsewhere.example", 365, True, "match|valid for"),
        ("epp.nic.example", 365, False, "certificate"),
    ],
)
def test_certificates_are_looked_at(tmp_path: Path, made_for: str, days: int, trusted: bool, says: str) -> None:
    (tmp_path / "other").mkdir()
    own, served = make_certificates(tmp_path, made_for, days=days)
    other, _ = make_certificates(tmp_path / "other", made_for)
    if not says:
        assert talk((own, served), ok(), info, ok(1500)) == ["login", "info", "logout"]
        return
    with pytest.raises(OutsideFault) as seen:
        talk((own if trusted else other, served), ok(), info)
    assert "is not trusted" in seen.value.message and re.search(says, seen.value.message), seen.value.message


def test_no_more_commands_are_under_way_than_are_allowed_and_answers_keep_their_order(
    certificates: tuple[Path, ssl.SSLContext],
) -> None:
    """A server that reads everything there is before it answers anything sees how many commands were under way."""
    names = [parse_name(f"d{number:02d}.example.") for number in range(20)]
    most = 0

    async def session(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        nonlocal most
        waiting: list[epp.Command] = []

        async def read() -> bool:
            try:
                async with asyncio.timeout(0.05):
                    head = await reader.readexactly(4)
            except (TimeoutError, asyncio.IncompleteReadError):
                return False
            waiting.append(epp.read_command(await reader.readexactly(epp.frame_length(head))))
            return True

        writer.write(GREETING)
        while not reader.at_eof():
            while await read():
                pass
            most = max(most, len(waiting))
            if waiting:
                command = waiting.pop(0)
                named = f"about {command.name!r}"
                writer.write(epp.frame(epp.response(epp.Response(1000, named, command.client_id, "S-1"))))
        writer.close()

    async def run() -> list[str]:
        server = await asyncio.start_server(session, "127.0.0.1", 0, ssl=certificates[1])
        end = Endpoint("127.0.0.1", server.sockets[0].getsockname()[1])
        account = EppAccount("epp.nic.example", end, "flint", "a-password", str(certificates[0]), timeout=5, at_once=5)
        told: list[str] = []
        try:
            async with EppSession(account, lambda commands: told.extend(ident for ident, _, _ in commands)) as opened:
                commands = [(name, "info", partial(epp.domain_info, name)) for name in names]
                answers = [response async for response in opened.stream(commands)]
        finally:
            server.close()
        assert [each.client_id for each in answers] == told and len(set(told)) == 20
        return [each.reason for each in answers]

    assert asyncio.run(run()) == [f"about {name!r}" for name in names]
    assert most == 5


def test_a_session_that_was_silent_for_long_is_tried_with_a_hello_first(
    certificates: tuple[Path, ssl.SSLContext],
) -> None:
    turns = (GREETING, ok(), GREETING, info, GREETING, ok(1500))
    assert talk(certificates, *turns, silence=0.0) == ["hello", "login", "hello", "info", "hello", "logout"]
