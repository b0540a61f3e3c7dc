"""What is taken where the settings say nothing of it, and the network is the public one: this machine's resolvers,
IANA's bootstrap.

A closed map, or roots of one's own, is another network: nothing is taken for that.
"""

from collections.abc import Mapping
from ipaddress import ip_address
from pathlib import Path
from typing import Any

from legatum.settings.document import Settings

RESOLVERS_FILE = Path("/etc/resolv.conf")
PUBLIC = "public"


def is_public(network: object) -> bool:
    """Of a settings file's table, as it was read; without one the network is the public one."""
    if not isinstance(network, Mapping):
        return network is None
    return network.get("roots", PUBLIC) == PUBLIC and network.get("map") is None


def assumed(document: Mapping[str, Any], resolvers_file: Path = RESOLVERS_FILE) -> dict[str, Any]:
    """Tables that the file does not have."""
    if not is_public(document.get("network")):
        return {}
    taken: dict[str, Any] = {}
    if "resolvers" not in document and (found := machine_resolvers(resolvers_file)):
        taken["resolvers"] = found
    if "rdap" not in document:
        taken["rdap"] = {"bootstrap": PUBLIC}
    return taken


def machine_resolvers(file: Path = RESOLVERS_FILE) -> dict[str, str]:
    """Name → address, in the order in which this machine asks them; ``machine`` is the first. One that is reached by
    the name of an interface (RFC 6874) is left out, and so is a file that cannot be read."""
    try:
        lines = file.read_text(encoding="utf-8", errors="replace").splitlines()
    except OSError:
        return {}
    words = [line.split() for line in lines if line.strip() and line.lstrip()[0] not in "#;"]
    given = dict.fromkeys(each[1] for each in words if each[0] == "nameserver" and len(each) > 1)
    addresses = [str(ip_address(each)) for each in given if _is_address(each)]
    return {f"machine-{number}" if number > 1 else "machine": address for number, address in enumerate(addresses, 1)}


def _is_address(text: str) -> bool:
    try:
        return "%" not in text and ip_address(text) is not None
    except ValueError:
        return False


def state_folder() -> Path:
    """The user's, for journal and moves where no settings file says of another."""
    import platformdirs

    return platformdirs.user_state_path("legatum")


def assumed_text(settings: Settings, folder: Path) -> str:
    """In a line, for somebody who has no settings file. ``folder``: where journal and moves are kept."""
    resolvers = ", ".join(str(each) for each in settings.resolvers.values())
    said = f"this machine's resolvers ({resolvers})" if resolvers else "no resolver (this machine names none)"
    return (
        f"no settings file: the public roots, {said}, registration data by IANA's list; journal and moves in {folder}"
    )
