"""What ``legatum.toml`` may hold. docs/settings.md explains every line; unknown keys are errors.

Durations are texts such as ``5m``; secrets are references (``env:NAME``, ``file:PATH``, ``keyring:NAME``), never
values.
"""

from typing import Literal

from msgspec import Struct, field


class Section(Struct, forbid_unknown_fields=True, kw_only=True):
    """A table of the file."""


class Clock(Section):
    """Only in a practice world: where its clock is read and moved; or, where a worker looks on somebody's behalf, by
    how many seconds that clock is ahead."""

    control: str = ""
    token: str = ""
    ahead: float = 0.0


class Network(Section):
    """How to ask. ``roots``: the word ``public`` (so without this line), or name → addresses. ``map``: a closed address
    map, address → ``host:port``.

    ``ipv6``: whether servers are asked over IPv6; without it what they say there is not known. ``rate``: questions a
    second to one server address in lists of domains, 0 for no limit. ``home``: special address ranges (private,
    documentation) that count as public here. ``anchors``: zone → DS records by which it is trusted, ``12345 13 2 …``;
    those of the public root where that is asked. ``transfer_time``, ``transfer_megabytes``, ``transfer_records``: how
    long and how large a zone transfer may be. ``behalf``: networks on whose behalf servers are asked where their
    answers differ (RFC 7871), to see whether that is by place.
    """

    roots: Literal["public"] | dict[str, list[str]] = "public"
    map: dict[str, str] | None = None
    timeout: str = "2s"
    tries: int = 2
    ipv6: bool = True
    rate: int = 150
    transfer_time: str = "30m"
    transfer_megabytes: int = 2048
    transfer_records: int = 20_000_000
    home: list[str] = field(default_factory=list)
    anchors: dict[str, list[str]] = field(default_factory=dict)
    behalf: list[str] = field(
        default_factory=lambda: ["24.0.0.0/24", "80.0.0.0/24", "101.0.0.0/24", "102.0.0.0/24", "177.0.0.0/24"]
    )


class KeyReference(Section):
    """A TSIG key: name, algorithm and where its base64 secret is."""

    name: str
    secret: str
    algorithm: str = "hmac-sha256"


class Rated(Section):
    """``changes_a_minute``: so many steps of fleet moves are begun at it in a minute at most, 0 for no limit."""

    changes_a_minute: int = 0


class Signer(Rated):
    """How a provider signs. ``signs``: every zone by itself; ``sign`` and ``unsign``: commands that have it sign one,
    and end that; ``rekey``: one that brings its keys to a ``{stage}`` of an exchange, or takes over keys that are
    ``brought`` along. ``takes_keys``: such ones, or ``foreign`` ones: zone keys of another provider in its key sets,
    put there by dynamic update, or by the command ``share``, for which ``{folder}`` has files ``come`` and ``go`` with
    DNSKEY records. ``key_ttl``: of the key sets that it makes."""

    signs: bool = False
    sign: list[str] = field(default_factory=list)
    unsign: list[str] = field(default_factory=list)
    rekey: list[str] = field(default_factory=list)
    share: list[str] = field(default_factory=list)
    takes_keys: list[Literal["brought", "foreign"]] = field(default_factory=list)
    key_ttl: str = "1h"


class UpdateProvider(Signer, kw_only=True, tag_field="kind", tag="update"):
    """A provider changed by dynamic update and read by zone transfer.

    ``primary``: the address that takes updates and transfers. ``servers``: the NS names it answers under. ``apex_ns``:
    whether its NS set at the apex can be changed (``ours``) or not (``theirs``). ``create`` and ``end``: commands that
    make a zone there and take it away; ``{domain}`` stands for the domain.
    """

    primary: str
    servers: list[str]
    key: KeyReference | None = None
    apex_ns: Literal["ours", "theirs"] = "ours"
    create: list[str] = field(default_factory=list)
    end: list[str] = field(default_factory=list)


class FilesProvider(Signer, kw_only=True, tag_field="kind", tag="files"):
    """A provider that serves a folder of master files.

    ``file``: a zone's path below ``folder``, ``{domain}`` in it. ``reload``: the command that makes the servers read a
    changed file; ``create`` and ``end``: commands that tell them of a new zone, or that one goes.
    """

    folder: str
    servers: list[str]
    file: str = "{domain}.zone"
    reload: list[str] = field(default_factory=list)
    apex_ns: Literal["ours", "theirs"] = "ours"
    create: list[str] = field(default_factory=list)
    end: list[str] = field(default_factory=list)


class ManualProvider(Signer, kw_only=True, tag_field="kind", tag="manual"):
    """A provider with nothing but a form in a browser. ``primary``: an address that allows transfers, if any; ``key``:
    for these."""

    servers: list[str]
    primary: str | None = None
    key: KeyReference | None = None
    apex_ns: Literal["ours", "theirs"] = "theirs"


class SecondaryProvider(Section):
    """A provider that fetches zones from another one's servers. ``catalog``: the catalog zone (RFC 9432) at that other
    one by which it learns of zones, and ``group``: which of its ways with zones it is to take, by that catalog;
    ``create`` and ``end``: else the commands that make a zone a secondary there, and take it away; ``notify``:
    addresses to tell of changes."""

    servers: list[str]
    catalog: str | None = None
    group: str = ""
    create: list[str] = field(default_factory=list)
    end: list[str] = field(default_factory=list)
    notify: list[str] = field(default_factory=list)


class EppRegistrar(Rated, kw_only=True, tag_field="kind", tag="epp"):
    """A registrar's account at a registry's EPP server. ``address``: where ``server`` is, if its name is not to be
    looked up.

    ``nameservers``: whether the registry takes them as host objects or as attributes of the domain; ``ds_as``: DS
    records, or the keys that it makes them from by itself. ``at_once``: commands that may be under way together in one
    session. ``dns``: providers that stop when a domain leaves this registrar. ``reads_cds``: whether the registry may
    act on CDS and CDNSKEY records by itself (RFC 7344); false where it is known that it does not. ``takes_ds``: whether
    DS records can be put in through it.
    """

    server: str
    user: str
    password: str
    address: str | None = None
    port: int = 700
    authority: str | None = None
    nameservers: Literal["objects", "attributes"] = "objects"
    ds_as: Literal["ds", "keys"] = "ds"
    at_once: int = 8
    dns: list[str] = field(default_factory=list)
    reads_cds: bool = True
    takes_ds: bool = True


class ManualRegistrar(Rated, kw_only=True, tag_field="kind", tag="manual"):
    """A registrar with nothing but a form in a browser. ``page``: where that is, for the worksheet; ``dns``,
    ``reads_cds``, ``takes_ds``: as above."""

    page: str = ""
    dns: list[str] = field(default_factory=list)
    reads_cds: bool = True
    takes_ds: bool = True


class Resolver(Section):
    """A resolver asked over TLS or HTTPS. ``host``: the name on its certificate, and in HTTPS requests; ``path``: HTTPS
    only; ``authority``: a file of certificates to trust instead of the system's.
    """

    address: str
    over: Literal["plain", "tls", "https"] = "plain"
    host: str = ""
    path: str = "/dns-query"
    authority: str | None = None


class Rdap(Section):
    """Where registration data are asked for: a ``bootstrap`` file (RFC 9224), an ``https`` URL of one, or the word
    ``public`` for IANA's; and certificates to trust instead of the system's."""

    bootstrap: str = "public"
    authority: str | None = None


class Visiting(Section):
    """How services are looked at. ``authority``: a file of certificates to trust instead of the system's; ``timeout``:
    for one visit in all; ``issuers``: an authority's name in certificates → its name in CAA records."""

    authority: str | None = None
    timeout: str = "10s"
    issuers: dict[str, str] = field(default_factory=dict)


class View(Section):
    """From where the names are looked at: ``resolvers`` and ``servers``, addresses; ``source``: the address of this
    machine to ask from. Without servers and resolvers: the servers that the parent hands out."""

    resolvers: list[str] = field(default_factory=list)
    servers: list[str] = field(default_factory=list)
    source: str = ""


class Engine(Section):
    """Where workers on other machines are reached: the Dask ``scheduler`` that they are registered with,
    ``tls://HOST:PORT``, and files with the ``authority`` that all parts trust, this machine's ``certificate`` and its
    ``key``."""

    scheduler: str = ""
    authority: str = ""
    certificate: str = ""
    key: str = ""


class Viewpoint(Section):
    """A worker in another network, from which the world is looked at too. ``worker``: its name at the scheduler, if it
    is another one; ``resolvers``: those that are asked from there instead of the settings'; ``ipv6``: whether there is
    any; ``proves``: steps of moves that confirm are done only when it is so from there too."""

    worker: str = ""
    resolvers: dict[str, str] = field(default_factory=dict)
    ipv6: bool = True
    proves: bool = False


class House(Section):
    """The house's defaults: TTLs in a move and after it, and how careful the computed instants are.

    ``low_ttl``: during a move; ``ns_ttl``: the apex NS set's after it; ``floor``: the least TTL that resolvers are
    taken to keep; ``margin``: added to every hold, visibly; ``poll``: how often a change is looked for. ``time_zone``:
    in which times are shown beside UTC, and meant where none is named; ``windows``: when changes that visitors can feel
    are made, ``quiet``: when none is; ``ttls``: type → the TTL that the house wants. ``serial``: the rule for new
    serials. ``most_removed``: the share of a zone's RRsets, in percent, that a change may take away without being told
    so; ``command_limit``: how long a command of these settings may take. ``soa``: timer → what the house wants it to
    be. ``operator``: who works with these settings, as the journal remembers it; the system's user without one.
    ``letters``: a folder with the house's own words and templates for customers.
    """

    low_ttl: str = "5m"
    ns_ttl: str = "1d"
    floor: str = "5m"
    margin: str = "30s"
    serial: Literal["counter", "date", "seconds"] = "counter"
    most_removed: int = 25
    poll: str = "10s"
    patience: str = "1h"
    command_limit: str = "5m"
    operator: str = ""
    letters: str = ""
    time_zone: str = "UTC"
    soa: dict[str, str] = field(default_factory=dict)
    windows: list[str] = field(default_factory=list)
    quiet: list[str] = field(default_factory=list)
    ttls: dict[str, str] = field(
        default_factory=lambda: {"A": "1h", "AAAA": "1h", "CNAME": "1h", "MX": "4h", "TXT": "1h"}
    )


class Settings(Section):
    """The whole file; every table of it may be missing. ``domains``: a text file with the house's domains, one a line,
    to find those that use a host."""

    network: Network = field(default_factory=Network)
    clock: Clock | None = None
    providers: dict[str, UpdateProvider | FilesProvider | ManualProvider] = {}
    secondaries: dict[str, SecondaryProvider] = {}
    registrars: dict[str, EppRegistrar | ManualRegistrar] = {}
    resolvers: dict[str, str | Resolver] = {}
    views: dict[str, View] = {}
    engine: Engine = field(default_factory=Engine)
    viewpoints: dict[str, Viewpoint] = {}
    rdap: Rdap | None = None
    visit: Visiting = field(default_factory=Visiting)
    house: House = field(default_factory=House)
    journal: str = "journal.sqlite"
    moves: str = "moves"
    templates: str = "templates"
    domains: str = ""
