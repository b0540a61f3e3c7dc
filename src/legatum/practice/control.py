"""The world's control port: one JSON object a line, on loopback, with the token from the settings file.

It answers what the time is, moves the clock on, and stands for the providers' own panels, where zones are created and ended.
"""

import asyncio
import json
import secrets
from typing import TYPE_CHECKING, Any

from legatum.core.fault import BadInput
from legatum.core.name import parse_domain, parse_name
from legatum.core.rrtype import parse_type
from legatum.net.route import Endpoint

if TYPE_CHECKING:
    from legatum.practice.world import World


class Control:
    """Listens for one world. ``stopped`` is set when somebody asks it to stop."""

    def __init__(self, world: "World") -> None:
        self._world = world
        self.token = secrets.token_urlsafe(16)
        self.stopped = asyncio.Event()
        self.endpoint: Endpoint

    async def open(self) -> None:
        self._server = await asyncio.start_server(self._serve, "127.0.0.1", 0)
        self.endpoint = Endpoint(*self._server.sockets[0].getsockname()[:2])

    def close(self) -> None:
        self._server.close()

    async def _serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        try:
            while line := await reader.readline():
                writer.write(json.dumps(await self._answer(line)).encode() + b"\n")
                await writer.drain()
        except (ConnectionError, ValueError):
            pass
        finally:
            writer.close()

    async def _answer(self, line: bytes) -> dict[str, Any]:
        request = json.loads(line)
        if not secrets.compare_digest(str(request.get("token", "")), self.token):
            return {"error": "the token is not this world's"}
        try:
            return await self._do(request)
        except (BadInput, KeyError, TypeError) as error:
            return {"error": str(error)}

    async def _do(self, request: dict[str, Any]) -> dict[str, Any]:
        world, clock = self._world, self._world.clock
        match request.get("do"):
            case "now":
                pass
            case "until":
                await clock.until(float(request["instant"]))
            case "create" | "end" as action:
                if request["provider"] not in world.hostings:
                    raise BadInput(f"no provider {request['provider']!r} in this world")
                change = world.create_zone if action == "create" else world.end_zone
                change(request["provider"], parse_domain(request["domain"]))
                await clock.until(clock.now())
            case "log":
                return {"now": clock.now(), "rows": [visit.row() for visit in world.log]}
            case "visit":
                questions = [(parse_name(name + "."), parse_type(rtype)) for name, rtype in request["questions"]]
                world.visitors.begin(questions, float(request["every"]))
            case "stop":
                self.stopped.set()
            case other:
                raise BadInput(f"the world does not know {other!r}")
        return {"now": clock.now()}
