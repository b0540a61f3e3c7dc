"""From the settings to providers and registrars. A new kind is one new file and one line here.

A kind's file is imported when one of that kind is opened: EPP brings an XML library along that a survey does not need.
"""

from collections.abc import Mapping
from pathlib import Path

from legatum.core.fault import BadInput
from legatum.net.asker import Asker
from legatum.services.provider import Provider
from legatum.services.registrar import Registrar
from legatum.settings.document import Settings


def open_provider(name: str, settings: Settings, folder: Path, asker: Asker) -> Provider:
    """Raises :class:`BadInput` for a provider that the settings do not have."""
    if name not in settings.providers:
        raise BadInput(f"no provider {name!r} in the settings", _known(settings.providers))
    from legatum.services.update_provider import DynamicUpdateProvider

    return DynamicUpdateProvider(name, settings.providers[name], folder, asker)


def open_registrar(name: str, settings: Settings, folder: Path, asker: Asker) -> Registrar:
    """Raises :class:`BadInput` for a registrar that the settings do not have."""
    if name not in settings.registrars:
        raise BadInput(f"no registrar {name!r} in the settings", _known(settings.registrars))
    from legatum.services.epp_registrar import RegistryAccount

    return RegistryAccount(name, settings.registrars[name], folder, asker.route)


def _known(table: Mapping[str, object]) -> str:
    return f"known: {', '.join(sorted(table))}" if table else "the settings have none: see docs/settings.md"
