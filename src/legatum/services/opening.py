"""From the settings to providers and registrars. A new kind is one new file and one line here.

A kind's file is imported when one of that kind is opened: EPP brings an XML library along that a survey does not need.
"""

from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from legatum.core.records.name import Name
from legatum.core.running.fault import BadInput
from legatum.core.text.nearest import proposal
from legatum.net.asking.asker import Asker
from legatum.net.asking.route import Route
from legatum.net.asking.walk import Walker
from legatum.services.provider import Provider
from legatum.services.registrar import Registrar
from legatum.settings.document import EppRegistrar, FilesProvider, ManualProvider, ManualRegistrar, UpdateProvider
from legatum.settings.named import FORM, Providers, Registrars

if TYPE_CHECKING:
    from legatum.services.manual_provider import Gathering

Sending = Callable[[Sequence[tuple[str, Name, str]]], None]


def open_provider(
    name: str, providers: Providers, folder: Path, asker: Asker, limit: int, gathering: "Gathering"
) -> Provider:
    """``limit``: seconds that a command of it may take; ``gathering``: a zone as name servers can be asked for it.
    Raises :class:`BadInput` for a provider that is not known."""
    if name not in providers:
        raise BadInput(
            f"no provider '{name}' in the settings{proposal(name, providers)}",
            f"{_known(providers)}; or its name servers: ns1.NAME,ns2.NAME",
        )
    match providers[name]:
        case FilesProvider() as section:
            from legatum.services.files_provider import MasterFilesProvider

            return MasterFilesProvider(name, section, folder, limit)
        case ManualProvider() as section:
            from legatum.services.manual_provider import FormProvider

            return FormProvider(name, section, folder, asker, limit, gathering)
        case UpdateProvider() as section:
            from legatum.services.update_provider import DynamicUpdateProvider

            return DynamicUpdateProvider(name, section, folder, asker, limit)


def open_registrar(
    name: str, registrars: Registrars, folder: Path, walking: Callable[[], Walker], route: Route, sending: Sending
) -> Registrar:
    """``walking``: a new walker for each look; ``sending`` is told of each changing command. Raises :class:`BadInput`
    for a registrar that is not known."""
    if name not in registrars:
        raise BadInput(
            f"no registrar '{name}' in the settings{proposal(name, registrars)}",
            f"{_known(registrars)}; or any, by its form: {FORM}",
        )
    match registrars[name]:
        case ManualRegistrar() as section:
            from legatum.services.manual_registrar import FormRegistrar

            return FormRegistrar(name, section, walking)
        case EppRegistrar() as section:
            from legatum.services.epp_registrar import RegistryAccount

            return RegistryAccount(name, section, folder, route, sending)


def _known(table: Mapping[str, object]) -> str:
    return f"known: {', '.join(sorted(table))}" if table else "the settings have none"
