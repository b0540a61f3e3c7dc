"""The world's control port: one JSON object a line, on loopback, with the token from the settings file.

It answers what the time is, moves the clock on, stands for the providers' own panels, where zones are created and
ended, and for the registrars' own forms, and gives the registry a bad day.
"""

import asyncio
import json
import secrets
from typing import Any

from legatum.core.records.name import ROOT, Name, parse_domain, parse_name
from legatum.core.records.presentation import parse_rdata
from legatum.core.records.rrtype import DS, parse_type
from legatum.core.running.fault import BadInput
from legatum.net.asking.route import Endpoint
from legatum.practice import scenario
from legatum.practice.registry import Trouble
from legatum.practice.world import World
from legatum.wire import epp


class Control:
    """Listens for one world."""

    def __init__(self, world: World) -> None:
        self._world = world
        self.token = secrets.token_urlsafe(16)
        self.endpoint: Endpoint
        self._holding, self._free = 0, asyncio.Event()  # connections for which no hold is passed in a moment
        self._free.set()

    async def open(self) -> None:
        self._server = await asyncio.start_server(self._serve, "127.0.0.1", 0)
        self.endpoint = Endpoint(*self._server.sockets[0].getsockname()[:2])

    def close(self) -> None:
        self._server.close()

    async def _serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        holds = False
        try:
            while line := await reader.readline():
                answer = await self._answer(line)
                if answer.get("steady") and not holds:
                    holds = True
                    self._hold(1)
                    answer["now"] = self._world.clock.now()
                writer.write(json.dumps(answer).encode() + b"\n")
                await writer.drain()
        except (ConnectionError, ValueError, asyncio.CancelledError):
            pass  # whoever asked has gone, or the world ends
        finally:
            if holds:
                self._hold(-1)
            writer.close()

    def _hold(self, count: int) -> None:
        self._holding += count
        self._free.clear() if self._holding else self._free.set()

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
            case "steady":
                await clock.until(clock.now())  # whoever moves it now comes to his end
                return {"now": clock.now(), "steady": True}
            case "until":
                await self._free.wait()
                await clock.until(float(request["instant"]))
            case "create" | "end" | "follow" | "rekey" | "ask" as action:
                self._panel(
                    action,
                    parse_domain(request["domain"]),
                    request["provider"],
                    request.get("of"),
                    request.get("stage"),
                )
                await clock.until(clock.now())
            case "form":
                return {"now": clock.now(), "said": self._type_in(request)}
            case "trouble":
                self._trouble(request)
            case "log":
                return {"now": clock.now(), "rows": [visit.row() for visit in world.log]}
            case "visit":
                questions = [(parse_name(name + "."), parse_type(rtype)) for name, rtype in request["questions"]]
                world.visitors.begin(questions, float(request["every"]))
            case "stop":
                self._world.stopped.set()
            case other:
                raise BadInput(f"the world does not know '{other}'")
        return {"now": clock.now()}

    def _type_in(self, request: dict[str, Any]) -> str:
        """What a person does in a registrar's form; what the registry said."""
        registry, registrar, domain = self._world.registry, str(request["registrar"]), parse_domain(request["domain"])
        if registrar not in self._world.passwords:
            raise BadInput(f"no registrar '{registrar}' in this world")
        match request["what"]:
            case "change":
                said = registry.domains.update(registrar, domain, self._change(domain, request))
            case "host":
                host, addresses = parse_domain(request["host"]), list(map(str, request["addresses"]))
                held = registry.hosts.info(host).host
                if held is None:
                    said = registry.hosts.create(registrar, host, addresses)
                elif not addresses:
                    said = registry.hosts.delete(registrar, host)
                else:
                    gone, come = set(held.addresses) - set(addresses), set(addresses) - set(held.addresses)
                    said = registry.hosts.update(registrar, host, sorted(come), sorted(gone))
            case "request":
                said = registry.transfers.request(registrar, domain, str(request["code"]), 1)
            case "approve" | "reject" | "cancel" as op:
                said = registry.transfers.act(registrar, domain, op)
            case "code":
                said = registry.domains.info(registrar, domain)
                if said.domain is not None:
                    return said.domain.code
            case other:
                raise BadInput(f"no form for '{other}'")
        if not said.ok:
            raise BadInput(f"{epp.meaning(said.code)} ({said.code}) {said.reason}".strip())
        return f"{epp.meaning(said.code)} ({said.code})"

    def _panel(self, action: str, domain: Name, provider: str, of: str | None, stage: str | None) -> None:
        world = self._world
        for each in (provider, *([of] if of else [])):
            if each not in scenario.PROVIDERS:
                raise BadInput(f"no provider '{each}' in this world")
        if action == "create":
            world.create_zone(provider, domain)
        elif action == "end":
            world.end_zone(provider, domain)
        elif action == "rekey":
            world.rekey_zone(provider, domain, stage or "")
        elif action == "ask":
            world.ask_for_ds(provider, domain, {"ds": True, "removal": False, "nothing": None}[stage or "ds"])
        elif of is None or of == provider:
            raise BadInput("a copy of whose zone? Give another provider with --of")
        else:
            world.follow_zone(provider, domain, of)

    def _change(self, domain: Name, request: dict[str, Any]) -> epp.DomainChange:
        """The form shows what is held, and takes what shall be."""
        held = self._world.registry.known(domain)
        if held is None:
            raise BadInput(f"{request['domain']} is not registered")
        servers = {parse_name(str(each).rstrip(".") + ".") for each in request.get("ns", ())} or set(held.nameservers)
        ds = {parse_rdata(DS, str(each), ROOT) for each in request["ds"]} if "ds" in request else set(held.ds)
        for host in servers - self._world.registry.book.hosts.keys():
            self._world.registry.hosts.create(held.registrar, host, ())
        statuses = set(request["statuses"]) if "statuses" in request else set(held.statuses) - {"ok"}
        return epp.DomainChange(
            tuple(servers - set(held.nameservers)), tuple(set(held.nameservers) - servers),
            tuple(statuses - set(held.statuses)), tuple(set(held.statuses) - statuses - {"ok"}),
            tuple(ds - set(held.ds)), tuple(set(held.ds) - ds),
        )  # fmt: skip

    def _trouble(self, request: dict[str, Any]) -> None:
        """All of it anew: what is not said is well again."""
        registry = self._world.registry
        registry.trouble = Trouble(
            slow=float(request.get("slow", 0)),
            drop=str(request.get("drop", "")),
            unheard=bool(request.get("unheard")),
            refuse=str(request.get("refuse", "")),
            code=int(request.get("code", 2400)),
            times=int(request.get("times", 1)),
        )
        registry.domains.tells_others = bool(request.get("tells_others"))
        registry.domains.wants_keys = bool(request.get("wants_keys"))
        if "poll" in request:
            registry.poller.begin(float(request["poll"]))
        registry.publisher.delay = float(request.get("publish", scenario.PUBLISHING_DELAY))
        registry.publisher.stuck = {parse_domain(each) for each in request.get("stuck", ())}
