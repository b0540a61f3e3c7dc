"""Everything outside, opened from the settings: clock, asker, providers, registrars, resolvers.

Providers and registrars are loaded when one is opened: a survey asks before that.
"""

import asyncio
from collections.abc import AsyncIterator, Awaitable, Callable, Iterable, Iterator, Sequence
from contextlib import asynccontextmanager, contextmanager, suppress
from contextvars import ContextVar
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING

from legatum.core.calendar.duration import parse_duration
from legatum.core.moves.place import kept_at
from legatum.core.records.name import Name, is_under, name_text, parse_name
from legatum.core.running.fault import BadInput, OutsideFault
from legatum.core.text.nearest import as_written
from legatum.net.asking.asker import Asker, Patience, TransferBounds
from legatum.net.asking.reach import Reach, reach_here
from legatum.net.asking.roots import PUBLIC_ROOTS
from legatum.net.asking.route import Endpoint, Route
from legatum.net.asking.walk import Walker
from legatum.net.clock import Clock, ShiftedClock, SystemClock, WorldControl
from legatum.net.keeping.evidence import Evidence
from legatum.settings.assumed import PUBLIC, assumed_text, state_folder
from legatum.settings.document import EppRegistrar, FilesProvider, Rdap, Settings
from legatum.settings.named import Providers, Registrars
from legatum.settings.reading import read_settings
from legatum.settings.secret import exposed, read_secret

if TYPE_CHECKING:
    from legatum.core.calendar.timing import Caution
    from legatum.core.zones.completeness import Completeness
    from legatum.core.zones.zone import Zone
    from legatum.journal.journal import Journal
    from legatum.net.asking.reply import Reply
    from legatum.net.asking.resolver import ResolverPlace
    from legatum.net.asking.web import WebAnswer
    from legatum.net.registry.rdap import Bootstrap
    from legatum.services.provider import Provider
    from legatum.services.registrar import Registrar

DOMAINS_SHARED = (
    "domains.list"  # what the list of the house's domains is called among the files that operators have in common
)
_REMEMBERED = 500  # replies, while something is waited for
_LONG = 30  # seconds of waiting after which it is told what for
_collecting: ContextVar[tuple[Evidence, ...]] = ContextVar("collecting", default=())


class _OwnEvidence(Evidence):
    """Of one piece of work among several that go on side by side."""

    def __call__(self, reply: "Reply") -> None:
        if any(each is self for each in _collecting.get()):
            super().__call__(reply)


@dataclass
class RunContext:
    """``folder``: where the settings file stands; what it names is relative to that.

    ``kept_web``, ``kept_bootstrap``: in a recording, what was fetched then and where from; ``code_reference``: where
    this command was told that an authorisation code is; ``looked_around``: it was found out what of the network can be
    asked from here; ``told``: of what is waited for, where that takes long; ``cache``: a folder for what was fetched;
    ``assumed``: in words, what was taken without a settings file; ``gathered``: name servers and zone → how complete
    the zone is that was gathered by asking them.
    """

    settings: Settings
    folder: Path
    clock: Clock
    asker: Asker
    roots: dict[Name, tuple[str, ...]]
    kept_web: "dict[str, WebAnswer]" = field(default_factory=dict)
    kept_bootstrap: "Bootstrap | None" = None
    code_reference: str = ""
    looked_around: bool = False
    cache: Path | None = None
    assumed: str = ""
    told: Callable[[str], None] | None = None
    gathered: "dict[tuple[tuple[Name, ...], Name], Completeness]" = field(default_factory=dict)
    _known_keys: dict[Name, set[tuple[Name, int]]] = field(default_factory=dict)
    _fetching: asyncio.Lock = field(default_factory=asyncio.Lock)
    _providers: "dict[str, Provider]" = field(default_factory=dict)
    _registrars: "dict[str, Registrar]" = field(default_factory=dict)

    def walker(self) -> Walker:
        """A new one for each look: what it learns must not outlive a change. Raises :class:`OutsideFault` without a
        network."""
        refuse_cut_off(self.asker.patience.reach)
        return Walker(self.asker, self.roots)

    @cached_property
    def providers(self) -> Providers:
        """Those of the settings, and whoever is named by his servers."""
        return Providers(self.settings.providers)

    @cached_property
    def registrars(self) -> Registrars:
        """Those of the settings, and the one of which nothing is known."""
        return Registrars(self.settings.registrars)

    def provider(self, name: str) -> "Provider":
        """The same one throughout a run: keys are read once. Raises :class:`BadInput`."""
        from legatum.services.opening import open_provider

        name = as_written(name, self.providers)
        if name not in self._providers:
            self._providers[name] = open_provider(
                name, self.providers, self.folder, self.asker, self.command_limit, self._gathered
            )
        return self._providers[name]

    def ask_for(self, zone: "Zone") -> None:
        """From now on what the zone has is asked for where it can only be gathered by asking."""
        self._known_keys.setdefault(zone.origin, set()).update(zone.keys)

    async def _gathered(self, domain: Name, servers: Sequence[Name]) -> "Zone":
        """As these name servers can be asked for it: the usual names, and all that were ever seen of the domain. Raises
        :class:`OutsideFault`, also where questions were not answered."""
        from legatum.core.zones.signer import without_signing
        from legatum.net.gathering.ways import WAYS, first_open

        keys = {(each.name, each.rtype) for each in self.journal.memory(domain)} | self._known_keys.get(domain, set())
        within = sorted(key for key in keys if is_under(key[0], domain))
        found, _ = await first_open(self.asker, WAYS, domain, await self.addresses_of(servers), (), within)
        if found.completeness.unanswered:
            raise OutsideFault(
                f"{name_text(domain)}: {found.completeness.unanswered} questions for its records were not answered",
                "try again",
            )
        self.gathered[tuple(servers), domain] = found.completeness
        return without_signing(found.zone)

    def registrar(self, name: str) -> "Registrar":
        """The same one throughout a run: the password is read once, and a session kept. Raises :class:`BadInput`."""
        from legatum.services.opening import open_registrar
        from legatum.services.zone_above import ZoneAbove

        name = as_written(name, self.registrars)
        if name not in self._registrars:
            above = kept_at(name)  # of a part
            self._registrars[name] = (
                ZoneAbove(name, above[0], self.provider(above[1]), self.walker)
                if above is not None
                else open_registrar(name, self.registrars, self.folder, self.walker, self.asker.route, self._keep_sent)
            )
        return self._registrars[name]

    async def close(self) -> None:
        """Logs out of the registries."""
        for each in self._registrars.values():
            await each.close()

    def secret(self, reference: str) -> str:
        """What is secret, from where the reference says. Raises :class:`BadInput`."""
        return read_secret(reference, self.folder)

    def exposed_secrets(self) -> list[Path]:
        """Files with secrets of the settings that everybody on this machine may read."""
        providers, registrars = self.providers.values(), self.registrars.values()
        keys = [each.key for each in providers if not isinstance(each, FilesProvider) and each.key]
        passwords = [each.password for each in registrars if isinstance(each, EppRegistrar)]
        return exposed([*(key.secret for key in keys), *passwords], self.folder)

    def _keep_sent(self, commands: Sequence[tuple[str, Name, str]]) -> None:
        """Commands to a registry in the journal, under the identifiers that the registry knows them by."""
        self.journal.sent(self.clock.now(), [(what, f"{words}, as {ident}") for ident, what, words in commands])

    @property
    def command_limit(self) -> int:
        """Seconds that a command of the settings may take."""
        return parse_duration(self.settings.house.command_limit)

    @cached_property
    def journal(self) -> "Journal":
        from legatum.journal.journal import Journal

        journal = Journal(self.settings.journal, self.folder, self.settings.house.operator)
        listed = {DOMAINS_SHARED: self.folder / self.settings.domains} if self.settings.domains else {}
        journal.share(self.folder / self.settings.moves, listed, self.clock.now)
        return journal

    def resolvers(self) -> "dict[str, ResolverPlace]":
        from legatum.net.asking.resolver import ResolverPlace

        places = {}
        for name, given in self.settings.resolvers.items():
            if isinstance(given, str):
                places[name] = ResolverPlace(given)
            else:
                authority = str(self.folder / given.authority) if given.authority else None
                places[name] = ResolverPlace(given.address, given.over, given.host, given.path, authority)
        return {name: place for name, place in places.items() if self.asker.patience.reach.has(place.address)}

    async def bootstrap(self) -> "Bootstrap | None":
        """Where registration data are asked for, once in a run; None where the settings do not say. Raises
        :class:`BadInput` for a file that is none, ``ValueError`` with the reason where the list is not to be had
        now."""
        if self.kept_bootstrap is None and self.settings.rdap is not None:
            async with self._fetching:
                if self.kept_bootstrap is None:
                    self.kept_bootstrap = await self._bootstrap(self.settings.rdap)
        return self.kept_bootstrap

    async def _bootstrap(self, given: Rdap) -> "Bootstrap":
        from legatum.net.registry.rdap import parse_bootstrap

        if given.bootstrap == PUBLIC or given.bootstrap.startswith("https://"):
            from legatum.net.registry.bootstrap import IANA, fetched_bootstrap

            url = IANA if given.bootstrap == PUBLIC else given.bootstrap
            authority = str(self.folder / given.authority) if given.authority else None
            return await fetched_bootstrap(
                self.asker.route, url, self.cache or self.folder, self.clock.now(), authority
            )
        path = self.folder / given.bootstrap
        try:
            return parse_bootstrap(path.read_text(encoding="utf-8"))
        except (OSError, ValueError) as error:
            reason = error.strerror if isinstance(error, OSError) else str(error)
            raise BadInput(
                f"bootstrap file {path}: {reason}", "it must have the form of RFC 9224; see docs/settings.md"
            ) from None

    @contextmanager
    def collecting(self) -> Iterator[Evidence]:
        """Within it every reply is kept to what this task asks, and the tasks that it starts; not those of others
        beside it."""
        kept = _OwnEvidence()
        before = _collecting.set((*_collecting.get(), kept))
        self.asker.heard.append(kept)
        try:
            yield kept
        finally:
            self.asker.heard.remove(kept)
            _collecting.reset(before)

    def forget_looks(self) -> None:
        """While something is waited for: of all that was heard until now the latest part is enough to show how it
        was."""
        for each in _collecting.get():
            each.forget(_REMEMBERED)

    @property
    def letters(self) -> Path | None:
        """The folder of the house's own letters to customers."""
        return self.folder / self.settings.house.letters if self.settings.house.letters else None

    @property
    def caution(self) -> "Caution":
        from legatum.core.calendar.timing import Caution

        house = self.settings.house
        time_out = int(-(-self.asker.patience.longest // 1))
        return Caution(parse_duration(house.floor), time_out, parse_duration(house.margin))

    async def addresses(self, servers: Iterable[Name]) -> dict[Name, tuple[str, ...]]:
        """All addresses of each server. Raises :class:`OutsideFault` for a server without any."""
        walker = self.walker()
        names = list(servers)
        found = dict(zip(names, await asyncio.gather(*(walker.addresses(name) for name in names)), strict=True))
        for name, addresses in found.items():
            if not addresses:
                untold = next((why for (host, _), why in walker.unanswered.items() if host == name), "")
                said = (
                    f"the address of {name_text(name)} is not known: {untold}"
                    if untold
                    else f"{name_text(name)} has no address"
                )
                raise OutsideFault(said, "is the name spelt right, and does its zone answer?")
        return found

    async def addresses_of(self, servers: Iterable[Name]) -> tuple[str, ...]:
        """Every address of every one of them. Raises as :meth:`addresses`."""
        return tuple(address for each in (await self.addresses(servers)).values() for address in each)

    @property
    def poll(self) -> int:
        """How often a change is looked for, in seconds."""
        return parse_duration(self.settings.house.poll)

    async def until_seen(
        self,
        look: Callable[[], Awaitable[str]],
        what: str,
        told: Callable[[str], None] | None = None,
        patience: float | None = None,
    ) -> float:
        """Looks until ``look`` finds nothing left to wait for; the instant. ``look`` says what is still missing, or
        nothing; ``told`` is told of it whenever that has changed, else whoever runs this is, once it takes long;
        ``patience``: in seconds, instead of the house's.

        Raises :class:`OutsideFault` when patience is over.
        """
        begun = self.clock.now()
        given_up = begun + (parse_duration(self.settings.house.patience) if patience is None else patience)
        last = ""
        while missing := await look():
            self.forget_looks()
            if told is not None and missing != last:
                told(missing)
                last = missing
            elif self.told is not None and missing != last and self.clock.now() - begun >= _LONG:
                self.told(f"    waiting for {what}: {missing}")
                last = missing
            if self.clock.now() > given_up or patience == 0:
                waited = (
                    ""
                    if patience == 0
                    else f" within {self.settings.house.patience if patience is None else f'{patience:g} s'}"
                )
                raise OutsideFault(
                    f"{what}: not seen{waited}: {missing}", "look into it, then go on with the same command"
                )
            await self.clock.until(self.clock.now() + self.poll)
        return self.clock.now()


@asynccontextmanager
async def open_outside(path: Path | None) -> AsyncIterator[RunContext]:
    """Opens what the settings file describes; without one the public network, and the user's own folders. Raises
    :class:`BadInput`."""
    import platformdirs

    settings = read_settings(path)
    folder = path.parent if path is not None else state_folder()
    clock: Clock = SystemClock()
    if settings.clock and not settings.clock.control:
        clock = ShiftedClock(settings.clock.ahead)
    elif settings.clock:
        host, port = _place(settings.clock.control)
        clock = WorldControl(host, port, read_secret(settings.clock.token, folder))
        await clock.refresh()
    context = outside_of(settings, folder, clock)
    context.cache = platformdirs.user_cache_path("legatum")
    if path is None:
        context.assumed = assumed_text(settings, folder)
        with suppress(OSError):  # where nothing can be kept the looking is none the worse
            folder.mkdir(parents=True, exist_ok=True)
    try:
        yield context
    finally:
        await context.close()
        context.asker.close()


def outside_of(settings: Settings, folder: Path, clock: Clock) -> RunContext:
    """What the settings describe, with this clock. Whoever has it closes its asker. Raises :class:`BadInput`."""
    mapping = settings.network.map
    route = Route(None if mapping is None else {address: Endpoint(*_place(end)) for address, end in mapping.items()})
    given = settings.network
    bounds = TransferBounds(parse_duration(given.transfer_time), given.transfer_megabytes << 20, given.transfer_records)
    asker = Asker(
        route, clock, Patience(parse_duration(given.timeout), given.tries, reach=reach_of(settings), transfer=bounds)
    )
    return RunContext(settings, folder, clock, asker, _roots(settings))


def reach_of(settings: Settings) -> Reach:
    """What can be asked from here; in a network of its own, everything."""
    addresses = (each for some in _roots(settings).values() for each in some)
    return reach_here(settings.network.ipv6, addresses if settings.network.map is None else ())


def refuse_cut_off(reach: Reach) -> None:
    """Raises :class:`OutsideFault` without a network."""
    if reach.cut_off:
        raise OutsideFault(
            "this machine has no network: it has no way to any root server", "connect it, then say the same again"
        )


def _roots(settings: Settings) -> dict[Name, tuple[str, ...]]:
    given = settings.network.roots
    table = PUBLIC_ROOTS if given == "public" else given
    return {parse_name(name.rstrip(".") + "."): tuple(addresses) for name, addresses in table.items()}


def _place(text: str) -> tuple[str, int]:
    host, _, port = text.rpartition(":")
    if not host or not port.isdecimal():
        raise BadInput(f"settings: '{text}' is no host and port", "write HOST:PORT")
    return host.strip("[]"), int(port)
