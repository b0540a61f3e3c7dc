"""Providers and registrars by name: those of the settings, and those that need none, as all that is known of them is in
the name.

``ns1.birch.example,ns2.birch.example`` is whoever serves under these names: looked at as any provider is, changed by a
person. ``form`` is a registrar of which nothing is known but that somebody can log in there.
"""

from abc import ABC, abstractmethod
from collections.abc import Iterable, Iterator, Mapping
from typing import TypeVar

from legatum.core.records.name import name_text, parse_domain
from legatum.core.running.fault import BadInput
from legatum.settings.document import EppRegistrar, FilesProvider, ManualProvider, ManualRegistrar, UpdateProvider

FORM = "form"
ProviderSection = UpdateProvider | FilesProvider | ManualProvider
RegistrarSection = EppRegistrar | ManualRegistrar
_S = TypeVar("_S")


class _Known(Mapping[str, _S], ABC):
    """Finds both, and counts those of the settings only."""

    def __init__(self, given: Mapping[str, _S]) -> None:
        self._given = given

    @abstractmethod
    def unlisted(self, name: str) -> _S | None:
        """What a name that the settings do not have stands for; None for nothing."""

    def __getitem__(self, name: str) -> _S:
        if name in self._given:
            return self._given[name]
        found = self.unlisted(name)
        if found is None:
            raise KeyError(name)
        return found

    def __iter__(self) -> Iterator[str]:
        return iter(self._given)

    def __len__(self) -> int:
        return len(self._given)


class Providers(_Known[ProviderSection]):
    """By name, or by the names of their servers."""

    def unlisted(self, name: str) -> ManualProvider | None:
        servers = server_list(name)
        return ManualProvider(servers=servers) if servers else None


class Registrars(_Known[RegistrarSection]):
    """By name, and :data:`FORM`."""

    def unlisted(self, name: str) -> ManualRegistrar | None:
        return ManualRegistrar() if name == FORM else None


def server_list(text: str) -> list[str]:
    """The name servers that a text names, with a comma behind or between them; none where it is no list of such names:
    a word without a comma is a provider, or a file."""
    names = [each.strip() for each in text.split(",") if each.strip()]
    if "," not in text or not all("." in each.rstrip(".") and "/" not in each for each in names):
        return []
    try:
        return sorted({name_text(parse_domain(each)) for each in names})
    except BadInput:
        return []


def named_by(servers: Iterable[str]) -> str:
    """Whoever serves under these names, as it stands in plans and in the journal."""
    names = sorted(servers)
    return ",".join(names) if len(names) != 1 else f"{names[0]},"


def provider_name(typed: str) -> str:
    """Name servers' names in their order; anything else as it was typed."""
    servers = server_list(typed)
    return named_by(servers) if servers else typed
