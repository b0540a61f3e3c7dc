"""Work handed to other machines: workers that are registered with a Dask scheduler (an optional extra).

What is handed over is a function of this program, by name, and plain values; the workers run the same version of it.
They look, and give back what they saw: nothing that is handed to them can change anything, and no secret is among it.
"""

import asyncio
import hashlib
import importlib
import logging
import pickle
import time
import warnings
from collections.abc import AsyncGenerator, AsyncIterator, Callable, Mapping, Sequence
from contextlib import asynccontextmanager, suppress
from dataclasses import dataclass
from functools import cache
from importlib.util import find_spec
from ipaddress import ip_address
from pathlib import Path
from typing import Any, NamedTuple
from urllib.parse import urlsplit

from legatum import __version__
from legatum.core.running.fault import BadInput, Fault, OutsideFault

CLOCK_TOLERANCE = 2.0  # seconds that a worker's clock may be off before that is said
_TIMEOUT = 10.0  # seconds to reach a scheduler
_PATIENCE = 30.0  # seconds that a scheduler may be away before that is told
_SLOW = 60.0  # seconds after which a part is handed to somebody else too
_ROUND_TRIPS = 3
_WAY = 5.0  # seconds that a result may be under way
_MOST_TRIES = 30  # at a part, before it is told that it cannot be done
_BREATH = 0.2  # seconds before a part that was lost is handed out again


class Hub(NamedTuple):
    """A scheduler, and the files by which both sides know each other."""

    scheduler: str
    authority: str = ""
    certificate: str = ""
    key: str = ""


@dataclass(frozen=True, slots=True)
class WorkerState:
    """A worker. ``version``: of its program, empty where it did not answer; ``ahead``: by how many seconds its clock
    is, as far as can be told from here; ``same``: it runs the same program."""

    name: str
    address: str
    version: str
    ahead: float
    same: bool
    threads: int

    @property
    def doubts(self) -> str:
        """What is to be said of what it gives back, empty for nothing."""
        other = (
            f"it runs version {self.version}, this is {__version__}"
            if self.version != __version__
            else "its program's files are others"
        )
        if not self.version:
            return f"it has not answered for {_TIMEOUT:.0f} s"
        said = [] if self.same else [other]
        if abs(self.ahead) > CLOCK_TOLERANCE:
            said.append(f"its clock is {abs(self.ahead):.0f} s {'ahead of' if self.ahead > 0 else 'behind'} this one's")
        return "; ".join(said)


@cache
def program_mark() -> str:
    """What tells one state of this program from another."""
    root, mark = Path(__file__).parents[1], hashlib.sha256()
    for path in sorted(root.rglob("*.py")):
        mark.update(path.relative_to(root).as_posix().encode() + b"\0" + path.read_bytes())
    return mark.hexdigest()[:16]


def introduced() -> tuple[str, str, float]:
    """Of a worker, in it: its version, the mark of its program, its clock."""
    return __version__, program_mark(), time.time()


def security_of(hub: Hub) -> Any:
    """Raises :class:`BadInput` for plain connections that leave this machine, or certificates that are not there."""
    parts = urlsplit(hub.scheduler)
    if parts.scheme not in ("tcp", "tls") or not parts.hostname or parts.port is None:
        raise BadInput(
            f"'{hub.scheduler}' is no scheduler", "write tls://HOST:PORT, or on this machine tcp://127.0.0.1:PORT"
        )
    if parts.scheme == "tcp":
        if not _is_here(parts.hostname):
            raise BadInput(
                f"{hub.scheduler}: a plain connection that leaves this machine",
                "use tls://, with certificates in [engine]",
            )
        return None
    files = (hub.authority, hub.certificate, hub.key)
    if missing := [
        name
        for name, file in zip(("authority", "certificate", "key"), files, strict=True)
        if not Path(file or "/-").is_file()
    ]:
        raise BadInput(
            f"{hub.scheduler} needs {' and '.join(missing)}",
            "name the files in [engine] of the settings, or on the line",
        )
    import distributed

    names: dict[str, Any] = {"tls_ca_file": hub.authority, "require_encryption": True}
    for role in ("client", "worker", "scheduler"):
        names |= {f"tls_{role}_cert": hub.certificate, f"tls_{role}_key": hub.key}
    make: Any = distributed.Security
    return make(**names)


def _is_here(host: str) -> bool:
    try:
        return ip_address(host).is_loopback
    except ValueError:
        return host == "localhost"


def require_engine() -> None:
    """Raises :class:`BadInput` where the library is missing."""
    if find_spec("distributed") is None:
        raise BadInput("workers need the library distributed", "pip install 'legatum[engine]'")
    library: Any = importlib.import_module("distributed.versions")  # which sets up how it tells of itself
    warnings.simplefilter("ignore", library.VersionMismatchWarning)
    for name in (
        "tornado",
        "asyncio",
        *(each for each in logging.root.manager.loggerDict if each.startswith("distributed")),
    ):
        logging.getLogger(name).setLevel(logging.CRITICAL)  # what goes wrong is said once, by this program


def _parcel(work: Callable[..., Any], values: Sequence[Any]) -> tuple[Callable[[bytes], bytes], bytes]:
    """What is handed over. The function is sent as code, for it is made anew here, and everything else as octets: a
    scheduler unpacks what passes through it, and need not have this program."""

    def carry_out(parcel: bytes) -> bytes:
        import pickle
        import time

        from legatum.net.engine import program_mark

        done, given = pickle.loads(parcel)
        result = pickle.dumps(done(*given))
        return pickle.dumps((program_mark(), time.time(), result))

    return carry_out, pickle.dumps((work, tuple(values)))


def _opened(parcel: bytes, clock_counts: bool = True) -> Any:
    """What came back. Raises :class:`_Unfit` where it is from another program, or made by a clock that is wrong."""
    mark, then, result = pickle.loads(parcel)
    if mark != program_mark() or (clock_counts and not -CLOCK_TOLERANCE < time.time() - then < CLOCK_TOLERANCE + _WAY):
        raise _Unfit
    return pickle.loads(result)


class _Unfit(Exception):
    """A worker came in that is not like those that the list was to be shared among."""


class Engine:
    """One scheduler's workers. Methods raise :class:`OutsideFault` where it cannot be reached."""

    def __init__(self, hub: Hub) -> None:
        self._hub = hub
        self._client: Any = None
        self._reaching = asyncio.Lock()

    async def open(self) -> None:
        security = security_of(self._hub)
        import distributed

        make: Any = distributed.Client
        try:
            self._client = await make(
                self._hub.scheduler,
                security=security,
                asynchronous=True,
                timeout=_TIMEOUT,
                set_as_default=False,
                name="legatum",
            )
        except Exception as error:  # the library raises what lies below it
            raise self._fault(error) from None
        await self._refuse_other_library()

    async def close(self) -> None:
        if self._client is not None:
            with suppress(Exception):
                await self._client.close()
            self._client = None

    async def _refuse_other_library(self) -> None:
        from importlib.metadata import version

        here, versions = version("distributed"), (await self._client.scheduler.versions())["packages"]
        if (there := versions.get("distributed")) != here:
            raise OutsideFault(
                f"{self._hub.scheduler} speaks version {there} of the library, this program {here}",
                "install the same version of `distributed` on both machines",
            )

    def _refuse_open(self, addresses: Sequence[str]) -> None:
        """Raises :class:`OutsideFault` for a plain scheduler, or worker, that others than this machine can reach:
        whoever does runs what he likes there."""
        if urlsplit(self._hub.scheduler).scheme == "tls":
            return
        if strange := [each for each in addresses if not _is_here(urlsplit(each).hostname or "")]:
            raise OutsideFault(
                f"{strange[0]} listens to the whole network, without a password: whoever reaches it has his "
                "own code run there",
                "start it with --host 127.0.0.1, or with certificates and tls:// (docs/trust.md)",
            )

    def _fault(self, error: Exception) -> OutsideFault:
        reason = (str(error).splitlines() or [type(error).__name__])[0]
        return OutsideFault(
            f"no scheduler at {self._hub.scheduler}: {reason[:200]}",
            "is it running there, and are the certificates of one authority?",
        )

    async def workers(self) -> list[WorkerState]:
        """Those that are registered now."""
        identity = await self._client.scheduler.identity(n_workers=-1)
        found = identity["workers"]
        self._refuse_open([identity["address"], *found])
        return list(await asyncio.gather(*(self._seen(address, told) for address, told in found.items())))

    async def _seen(self, address: str, told: Mapping[str, Any]) -> WorkerState:
        """What a worker says of itself; its clock by the quickest of several answers."""
        name, threads, took = str(told["name"]), told["nthreads"], float("inf")
        version, mark, ahead = "", "", 0.0
        for _ in range(_ROUND_TRIPS):
            began, sent = time.monotonic(), time.time()
            try:
                asked = self._client.run(introduced, workers=[address], on_error="return")
                answer = (await asyncio.wait_for(asked, _TIMEOUT)).get(address)
            except TimeoutError:
                break
            if isinstance(answer, tuple) and time.monotonic() - began < took:
                took = time.monotonic() - began
                version, mark, ahead = answer[0], answer[1], answer[2] - sent - took / 2
            elif not isinstance(answer, tuple):
                version = version or "?"
        return WorkerState(name, address, version, ahead, mark == program_mark(), threads)

    async def run(self, work: Callable[..., Any], *values: Any, worker: WorkerState, patience: float = 300.0) -> Any:
        """Has one worker do it. Raises :class:`OutsideFault`, and what the work raises."""
        where = {"workers": [worker.address], "allow_other_workers": False}
        future = self._client.submit(*_parcel(work, values), pure=False, retries=0, **where)
        try:
            return _opened(await asyncio.wait_for(future.result(), patience), clock_counts=False)
        except TimeoutError:
            raise OutsideFault(
                f"the worker {worker.name} has not answered for {patience:.0f} s", "is its machine reachable?"
            ) from None
        except Fault:
            raise
        except Exception as error:
            reason = (str(error).splitlines() or [""])[0][:200]
            words = f"the worker {worker.name} could not look: {type(error).__name__}: {reason}"
            raise OutsideFault(words, "the same command again; is its machine well?") from None
        finally:
            future.release()

    async def in_parts(
        self, work: Callable[..., Any], order: Any, items: AsyncIterator[Any], workers: Sequence[WorkerState], size: int
    ) -> AsyncGenerator[Any, None]:
        """What ``work(order, part)`` gives for every part of the items, in any order, each once, whatever becomes of
        workers meanwhile. Only so much is under way as the workers' threads can do, and a little more."""
        most, places = 2 * sum(each.threads for each in workers), [each.address for each in workers]
        parts, under_way = _Parts(items, size), set[asyncio.Task[Any]]()
        try:
            while True:
                while len(under_way) < most and (part := await parts.next()):
                    under_way.add(asyncio.create_task(self._part(work, order, part, places)))
                if not under_way:
                    return
                done, under_way = await asyncio.wait(under_way, return_when=asyncio.FIRST_COMPLETED)
                for each in done:
                    yield each.result()
        finally:
            for each in under_way:
                each.cancel()
            await asyncio.gather(*under_way, return_exceptions=True)

    async def _part(self, work: Callable[..., Any], order: Any, part: list[Any], places: list[str]) -> Any:
        """Handed to somebody else too where it takes long, and again where it was lost with its worker, or with the
        scheduler."""
        for _ in range(_MOST_TRIES):
            client, began = self._client, time.monotonic()
            keys = list[str]()
            tries = [asyncio.create_task(self._try(client, work, order, part, places, keys))]
            done = set[asyncio.Task[tuple[bool, Any]]]()
            try:
                while not done and client.status == "running":
                    done, _ = await asyncio.wait(tries, timeout=1.0, return_when=asyncio.FIRST_COMPLETED)
                    if not done and len(tries) == 1 and time.monotonic() - began > _SLOW:
                        others = await self._others(client, keys, places)
                        if others:
                            tries.append(asyncio.create_task(self._try(client, work, order, part, others, keys)))
                for is_there, result in (each.result() for each in done):
                    if is_there:
                        return result
            finally:
                for each in tries:
                    each.cancel()
                await asyncio.gather(*tries, return_exceptions=True)
            await self._reach_again(client)
            places = await self._fit()  # there may be others now
        raise OutsideFault(
            "a part of the list was lost again and again", "are there workers that run this program? --resume goes on"
        )

    async def _others(self, client: Any, keys: Sequence[str], places: Sequence[str]) -> list[str]:
        """Those that do not have it in hand; none where nobody has begun it, or that cannot be seen."""
        with suppress(Exception):
            holding = {address for address, held in (await client.processing()).items() if set(held) & set(keys)}
            return [each for each in places if each not in holding] if holding else []
        return []

    async def _try(
        self, client: Any, work: Callable[..., Any], order: Any, part: list[Any], places: list[str], keys: list[str]
    ) -> tuple[bool, Any]:
        """Whether anything came of it, and what. ``keys``: takes that by which the scheduler knows it. Raises what the
        work raises."""
        future, where = None, {"workers": places, "allow_other_workers": True} if places else {}
        try:
            future = client.submit(*_parcel(work, (order, part)), pure=False, retries=3, **where)
            keys.append(future.key)
            return True, _opened(await future.result())
        except _Unfit:
            return False, None
        except asyncio.CancelledError:
            task = asyncio.current_task()
            if task is not None and task.cancelling():
                raise
            return False, None
        except Fault:
            raise
        except Exception as error:
            if not type(error).__module__.startswith(("distributed", "tornado")) and not isinstance(
                error, OSError | AttributeError
            ):
                raise
            return False, None
        finally:
            if future is not None:
                with suppress(Exception):
                    future.release()

    async def _fit(self) -> list[str]:
        """Workers that run this program and know the time, as they are now; empty where that cannot be seen."""
        with suppress(Exception):
            return [each.address for each in await self.workers() if not each.doubts]
        return []

    async def _reach_again(self, lost: Any) -> None:
        """After a loss: the scheduler as it is now, which may have been started anew."""
        async with self._reaching:
            given_up = time.monotonic() + _PATIENCE
            while self._client is None or (self._client is lost and lost.status != "running"):
                await self.close()
                try:
                    await self.open()
                except OutsideFault as fault:
                    if time.monotonic() > given_up:
                        words = f"the scheduler was lost: {fault.message}"
                        raise OutsideFault(
                            words, "start it again; what is done is not done again with --resume"
                        ) from None
                    await asyncio.sleep(1)
        await asyncio.sleep(_BREATH)


class _Parts:
    """Parts of what comes one by one."""

    def __init__(self, items: AsyncIterator[Any], size: int) -> None:
        self._items, self._size = items, size

    async def next(self) -> list[Any]:
        """The next one, empty when there is none."""
        part: list[Any] = []
        while len(part) < self._size and (item := await anext(self._items, None)) is not None:
            part.append(item)
        return part


@asynccontextmanager
async def open_engine(hub: Hub) -> AsyncIterator[Engine]:
    """Raises :class:`OutsideFault` where there is no scheduler, or one that this program cannot work with;
    :class:`BadInput`."""
    require_engine()
    engine = Engine(hub)
    try:
        await engine.open()
        yield engine
    finally:
        await engine.close()


async def serve(hub: Hub, name: str, threads: int, folder: Path, up: Callable[[str], None]) -> None:
    """A worker, until it is ended or its scheduler stays away. ``up``: told its address, each time that it is
    registered. Raises as :func:`open_engine`."""
    require_engine()
    security = security_of(hub)
    program_mark()  # as the files are now that this process is made of
    import dask
    import distributed.comm.core
    from distributed import Worker

    class Lookout(Worker):
        """Without the library's pages, which would be served plainly and to everybody."""

        def start_http_server(self, *_: Any, **__: Any) -> None:
            return

    dask.config.set(
        {"distributed.worker.profile.enabled": False}
    )  # nobody looks at it, and it interrupts what is under way

    reach: Any = distributed.comm.core.connect

    try:  # the library would try for long, and not say why
        arguments = security.get_connection_args("worker") if security is not None else {}
        await (await reach(hub.scheduler, timeout=_TIMEOUT / 2, **arguments)).close()
    except (OSError, TimeoutError) as error:
        words = f"no scheduler at {hub.scheduler}: {(str(error).splitlines() or ['no answer'])[0][:200]}"
        raise OutsideFault(words, "is it running there, and are the certificates of one authority?") from None
    last: float | None = None  # when it was registered
    while last is None or time.monotonic() - last < _PATIENCE * 2:
        try:
            async with Lookout(
                hub.scheduler,
                name=name,
                nthreads=threads,
                security=security,
                dashboard=False,
                local_directory=str(folder),
                memory_limit=0,
                death_timeout=_PATIENCE,
                host=None if security is not None else urlsplit(hub.scheduler).hostname,
            ) as worker:
                up(worker.address)
                await worker.finished()
                last = time.monotonic()
        except (OSError, TimeoutError) as error:
            if last is None:
                words = f"no scheduler at {hub.scheduler}: {(str(error).splitlines() or ['no answer'])[0][:200]}"
                raise OutsideFault(words, "is it running there, and are the certificates of one authority?") from None
        await asyncio.sleep(1)
