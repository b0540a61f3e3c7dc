"""Evidence in a file, and asking the file instead of the network.

The file is JSON lines: a head with what the look rested on, then every reply in order, then what was fetched. Judging
it again goes through the same code with :class:`Replay` in the asker's place: a question that was not asked then is not
answered now.
"""

import base64
import json
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from legatum.core.calendar.instant import kept_instant
from legatum.core.records.name import Name, ancestors, name_text, parse_name
from legatum.core.records.rrtype import NS, parse_type, type_text
from legatum.core.running.fault import BadInput
from legatum.net.asking.asker import Asker
from legatum.net.asking.reply import Reply, Transport, Trouble
from legatum.net.asking.route import Route
from legatum.net.asking.web import WebAnswer
from legatum.net.clock import Clock
from legatum.net.file import write_whole
from legatum.net.keeping.evidence import Evidence
from legatum.wire.message import RD, encode_question

SCHEMA = "legatum.evidence/1"
_COUNTS = "replies"  # in the head: how many follow


@dataclass
class Recording:
    """``head``: what the look rested on, as the one who looked wrote it; ``evidence``: replies and what was fetched."""

    head: dict[str, Any]
    evidence: Evidence = field(default_factory=Evidence)


def write_recording(path: Path, recordings: Iterable[Recording]) -> None:
    """Raises as :func:`~legatum.net.file.write_whole`."""
    write_whole(path, "".join(map(recording_text, recordings)))


def recording_text(recording: Recording) -> str:
    """As it stands in a file."""
    lines = [json.dumps({"schema": SCHEMA, **recording.head, _COUNTS: len(recording.evidence)})]
    lines += [json.dumps(reply_line(number, reply)) for number, reply in enumerate(recording.evidence, 1)]
    lines += [json.dumps(_web_line(answer)) for answer in recording.evidence.web.values()]
    return "\n".join(lines) + "\n"


def read_recording(path: Path) -> list[Recording]:
    """The looks in a file. Raises :class:`BadInput` with the line that is wrong."""
    try:
        text = path.read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as error:
        reason = error.strerror if isinstance(error, OSError) else "not UTF-8"
        raise BadInput(f"{path}: {reason}", "give a file that `legatum survey DOMAIN --evidence FILE` wrote") from None
    return parse_recording(text, str(path))


def parse_recording(text: str, path: str) -> list[Recording]:
    """As :func:`read_recording`, of what stands in such a file. ``path``: where it is from, for errors."""
    found: list[Recording] = []
    for number, line in enumerate(text.splitlines(), 1):
        try:
            entry = json.loads(line)
            if "schema" in entry:
                if entry.pop("schema") != SCHEMA:
                    raise ValueError("another kind of file")
                found.append(Recording(entry))
            elif "url" in entry:
                answer = _web(entry)
                found[-1].evidence.web[answer.url] = answer
            else:
                found[-1].evidence(read_reply(entry))
        except (
            ValueError,
            KeyError,
            IndexError,
            TypeError,
            AttributeError,
            OverflowError,
            RecursionError,
            BadInput,
        ) as error:
            raise BadInput(
                f"{path}:{number}: not evidence ({error})",
                "give a file that `legatum survey DOMAIN --evidence FILE` wrote",
            ) from None
    for recording in found:
        promised = recording.head.pop(_COUNTS, None)
        if isinstance(promised, int) and promised != len(recording.evidence):
            told = f"{path}: {len(recording.evidence)} of {promised} replies are there"
            raise BadInput(told, "what is missing is not silence: give the whole file")
    if not found:
        raise BadInput(f"{path}: empty", "give a file that `legatum survey DOMAIN --evidence FILE` wrote")
    return found


def reply_line(number: int, reply: Reply) -> dict[str, Any]:
    """One reply as it stands in a file."""
    line = {
        "reply": number,
        "server": reply.server,
        "name": name_text(reply.name),
        "type": type_text(reply.rtype),
        "at": reply.at,
        "took": reply.took,
        "transport": str(reply.transport),
        "tries": reply.tries,
        "query": _b64(reply.query),
    }
    if reply.cut:
        line["cut"] = True
    return {**line, "trouble": reply.trouble.name} if reply.trouble else {**line, "wire": _b64(reply.wire)}


def read_reply(line: Mapping[str, Any]) -> Reply:
    """Raises ``ValueError`` and its like for what is none."""
    name = parse_name(line["name"] + "." if line["name"] != "." else ".")
    wire, trouble = base64.b64decode(line.get("wire", "")), Trouble[line["trouble"]] if "trouble" in line else None
    at, took = kept_instant(line["at"]), float(line["took"])
    kept_instant(at - took)  # when it was asked
    reply = Reply(
        str(line["server"]), name, parse_type(line["type"]), at, took, Transport(line["transport"]),
        int(line["tries"]), wire, trouble, base64.b64decode(line["query"]), bool(line.get("cut", False)),
    )  # fmt: skip
    if not trouble:
        _ = reply.message
    return reply


def _web_line(answer: WebAnswer) -> dict[str, Any]:
    head = {"url": answer.url, "status": answer.status, "media_type": answer.media_type, "body": _b64(answer.body)}
    return {**head, "trouble": answer.trouble.name, "why": answer.why} if answer.trouble else head


def _web(line: Mapping[str, Any]) -> WebAnswer:
    trouble = Trouble[line["trouble"]] if "trouble" in line else None
    body = base64.b64decode(line["body"])
    return WebAnswer(
        str(line["url"]), int(line["status"]), str(line["media_type"]), body, trouble, str(line.get("why", ""))
    )


def _b64(octets: bytes) -> str:
    return base64.b64encode(octets).decode()


class StillClock(Clock):
    """The instant of a recording; time does not pass."""

    def __init__(self, instant: float) -> None:
        self._instant = instant

    def now(self) -> float:
        return self._instant

    async def until(self, instant: float) -> None:
        """Nothing waits in a recording."""


def _asked(reply: Reply) -> tuple[str, Name, int, bytes, bool]:
    """What tells one question from another: all of it but the id, and whether it went straight over TCP.

    An answer fetched over TCP because it was cut short over UDP, or did not come over UDP, stands for the question over
    UDP.
    """
    straight = reply.transport == Transport.TCP and not reply.cut and reply.tries < 2
    return reply.server, reply.name, reply.rtype, reply.query[2:], straight


class Replay(Asker):
    """Answers from evidence. Nothing is sent. ``used``: the replies that were given, each once, in the order in which
    they were asked for.

    Of domains that were looked at together one alone was asked about on the way down: a referral that a server gave for
    one name it would have given for every name below the zone that it leads to.
    """

    def __init__(self, evidence: Evidence, clock: Clock) -> None:
        super().__init__(Route({}), clock)
        self.used: dict[int, Reply] = {}
        self._kept: dict[tuple[str, Name, int, bytes, bool], Reply] = {}
        self._other: dict[tuple[str, Name, int], Reply] = {}
        self._referrals: dict[tuple[str, Name], Reply] = {}
        for reply in evidence:
            self._kept[_asked(reply)] = reply
            if reply.transport in (Transport.TLS, Transport.HTTPS):
                self._other[reply.server, reply.name, reply.rtype] = reply
            elif reply.rtype == NS and reply.answered and not reply.authoritative:
                self._referrals.update(
                    {(reply.server, each.name): reply for each in reply.message.authority if each.rtype == NS}
                )

    async def ask(
        self,
        server: str,
        name: Name,
        rtype: int,
        *,
        tcp: bool = False,
        recursion: bool = False,
        dnssec: bool = False,
        edns: bool = True,
        tries: int = 0,
        network: str = "",
    ) -> Reply:
        query = encode_question(
            0,
            name,
            rtype,
            flags=RD if recursion else 0,
            size=self.patience.reach.size if edns else 0,
            dnssec=dnssec,
            network=network,
        )
        found = self._kept.get((server, name, rtype, query[2:], tcp))
        if found is None and rtype == NS:
            found = next(
                (each for zone in ancestors(name)[1:] if (each := self._referrals.get((server, zone))) is not None),
                None,
            )
        if found is None:
            return Reply(
                server, name, rtype, self.clock.now(), 0.0, Transport.UDP, 0, trouble=Trouble.SILENT, query=query
            )
        self.used[id(found)] = found
        return found

    def whom(self, name: Name, rtype: int) -> tuple[str, ...]:
        return tuple(server for server, asked, what, _, tcp in self._kept if (asked, what) == (name, rtype) and not tcp)

    def kept(self, server: str, name: Name, rtype: int) -> Reply | None:
        """What a resolver said over TLS or HTTPS."""
        return self._other.get((server, name, rtype))
