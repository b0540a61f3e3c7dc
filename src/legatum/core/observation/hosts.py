"""A name server of a domain as every place speaks of it, and what one of its addresses has of the zone."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from legatum.core.observation.observation import HostView, ParentView
from legatum.core.records.address import address_text
from legatum.core.records.name import Name, name_text
from legatum.core.records.soa import SoaFields
from legatum.core.running.fault import GateShut


@dataclass(frozen=True)
class NamedHost:
    """One name server. ``inside``: it lies below the domain, so that its glue is needed; ``zone``: its addresses in its
    own zone; ``registry``: those of the host object, None without one or where nobody was asked; ``glue``: what each
    server of the parent zone hands out; ``named_by``: in whose NS set it stands."""

    name: Name
    inside: bool
    zone: tuple[str, ...]
    registry: tuple[str, ...] | None
    glue: dict[str, tuple[str, ...]]
    glue_ttl: int | None
    named_by: tuple[str, ...]

    @property
    def agrees(self) -> bool:
        """All places that speak of it say the same."""
        said = [set(self.zone), *(set(each) for each in self.glue.values() if self.inside)]
        said += [set(self.registry)] if self.registry is not None and self.inside else []
        return all(each == said[0] for each in said)


@dataclass(frozen=True)
class ServerSerial:
    """One server address: its SOA, None where it does not answer for the zone, and what it said."""

    party: str
    server: Name
    address: str
    soa: SoaFields | None
    said: str

    @property
    def serial(self) -> int | None:
        return self.soa.serial if self.soa else None


@dataclass(frozen=True)
class HostUsers:
    """Who uses a host. ``domains``: domain → who names it there; ``looked``: how many were looked at; ``linked``: the
    registry says that some domain does, None where it was not asked."""

    domains: dict[Name, tuple[str, ...]]
    looked: int
    linked: bool | None

    @property
    def unknown(self) -> bool:
        """Somebody uses it whom nobody here knows."""
        return bool(self.linked) and not self.domains


def places_of(hosts: Mapping[Name, HostView], glue: Mapping[Name, Mapping[str, None]]) -> dict[str, Name]:
    """Every address at which a server of the domain should stand: address → the server's name."""
    places: dict[str, Name] = {}
    for host in hosts.values():
        for each in host.addresses:
            for rdata in each.rdatas:
                places.setdefault(address_text(rdata), host.name)
    for name, addresses in glue.items():
        for address in addresses:
            places.setdefault(address, name)
    return places


def glue_addresses(views: Iterable[ParentView]) -> dict[Name, dict[str, None]]:
    """All glue of all parent servers: name → addresses, in order."""
    found: dict[Name, dict[str, None]] = {}
    for view in views:
        for each in view.glue:
            found.setdefault(each.name, {}).update(dict.fromkeys(address_text(rdata) for rdata in each.rdatas))
    return found


def first_of_each(addresses: Mapping[str, Name]) -> dict[str, Name]:
    """One address of each server."""
    seen: dict[Name, str] = {}
    for address, name in addresses.items():
        seen.setdefault(name, address)
    return {address: name for name, address in seen.items()}


def refuse_used(host: Name, users: HostUsers) -> None:
    """Raises :class:`GateShut` while somebody uses it."""
    for domain, by in users.domains.items():
        more = f", and so do {len(users.domains) - 1} more" if len(users.domains) > 1 else ""
        raise GateShut(
            f"{name_text(domain)} uses {name_text(host)}, which is named by {' and '.join(by)}{more}",
            "take it out of the NS sets first: `legatum hosts enlist OTHER --alone`",
        )
    if users.unknown:
        raise GateShut(
            f"the registry says that some domain uses {name_text(host)}, none of the {users.looked} known here does",
            "find out which: is it in a list? --users FILE",
        )
