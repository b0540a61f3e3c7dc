"""The settings file of a world: its address map, servers, keys and accounts, ready for ``--settings``."""

import base64
import json
import sys
from pathlib import Path
from typing import Any

from legatum.core.dnssec.serving import anchors_of, ds_of_key
from legatum.core.records.name import ROOT
from legatum.practice import scenario
from legatum.practice.signing.keyring import key_data
from legatum.practice.steering.control import Control
from legatum.practice.web_server import BOOTSTRAP_PATH, bootstrap
from legatum.practice.world import World

_BOOTSTRAP, _DOMAINS, _FIRST_DAY = "rdap-bootstrap.json", "domains.txt", "first-day.toml"


def write_settings(world: World, control: Control) -> None:
    """Writes ``legatum.toml`` and the secrets it points to into the world's folder."""
    import tomli_w

    folder = world.folder
    _secret(folder / "control.token", control.token)
    for name in scenario.PROVIDERS:
        _secret(folder / f"{name}.secret", base64.b64encode(world.keys[name].secret).decode())
    for name, password in world.passwords.items():
        _secret(folder / f"{name}.password", password)
    (folder / _BOOTSTRAP).write_text(json.dumps(bootstrap(), indent=2) + "\n")
    (folder / _DOMAINS).write_text("".join(f"{domain}\n" for domain in world.registrations))
    document: dict[str, Any] = {
        "domains": _DOMAINS,
        "clock": {
            "control": f"{control.endpoint.host}:{control.endpoint.port}",
            "token": "file:control.token",
        },
        "network": {
            "roots": {name: list(addresses) for name, addresses in scenario.ROOT_SERVERS.items()},
            "home": list(scenario.HOME),
            "anchors": {".": list(anchors_of([ds_of_key(ROOT, key_data("root", ROOT))], 0).records)},
            "map": {address: f"{end.host}:{end.port}" for address, end in sorted(world.endpoints.items())},
        },
        "resolvers": {
            name: _resolver(name, address, world.authority_file.name)
            for name, (_, address) in scenario.RESOLVERS.items()
        },
        "visit": {"authority": world.authority_file.name},
        "rdap": {"bootstrap": _BOOTSTRAP, "authority": world.authority_file.name},
        "providers": {
            name: _provider(name, hosting, world.settings_file) for name, hosting in scenario.PROVIDERS.items()
        },
        "secondaries": {
            second: _secondary(scenario.PROVIDERS[second], second, of, world.settings_file)
            for second, of in scenario.SECONDARIES.items()
        },
        "registrars": {
            **{name: _registrar(name, world.authority_file.name) for name in scenario.REGISTRARS},
            scenario.FORM_REGISTRAR: {"kind": "manual", "page": scenario.FORM_PAGE},
        },
    }
    world.settings_file.write_text(
        "# The practice world's settings, written when it starts.\n\n" + tomli_w.dumps(document)
    )
    first_day = {"journal": "first-day.sqlite", "moves": "first-day"} | {
        name: document[name] for name in ("clock", "network", "visit")
    }
    first_day["resolvers"] = {"machine": next(iter(scenario.RESOLVERS.values()))[1]}
    first_day["rdap"] = {
        "bootstrap": f"https://{scenario.RDAP_SERVER}/{BOOTSTRAP_PATH}",
        "authority": world.authority_file.name,
    }
    words = "# As if the program had just been installed in the practice world: its network, and no account.\n\n"
    (folder / _FIRST_DAY).write_text(words + tomli_w.dumps(first_day))


def _resolver(name: str, address: str, authority: str) -> str | dict[str, str]:
    over = {scenario.TLS_RESOLVER: "tls", scenario.HTTPS_RESOLVER: "https"}.get(name)
    return (
        {"address": address, "over": over, "host": scenario.RESOLVER_HOST, "authority": authority} if over else address
    )


def _provider(name: str, hosting: scenario.Hosting, settings: Path) -> dict[str, Any]:
    panel = _panel(name, settings)
    return {
        "kind": "update",
        "primary": next(iter(hosting.servers.values()))[0],
        "servers": list(hosting.servers),
        "key": {"name": scenario.KEY_NAME, "algorithm": "hmac-sha256", "secret": f"file:{name}.secret"},
        "create": [*panel, "create", "{domain}"],
        "end": [*panel, "end", "{domain}"],
        **(
            {
                "signs": True,
                "rekey": [*panel, "rekey", "{domain}", "--stage", "{stage}"],
                "takes_keys": ["foreign", *(["brought"] if name in scenario.TAKING_KEYS else [])],
            }
            if name in scenario.SIGNERS
            else {}
        ),
    }


def _secondary(hosting: scenario.Hosting, name: str, of: str, settings: Path) -> dict[str, Any]:
    panel = _panel(name, settings)
    return {
        "servers": list(hosting.servers),
        "create": [*panel, "follow", "{domain}", "--of", of],
        "end": [*panel, "end", "{domain}"],
        "notify": [addresses[0] for addresses in hosting.servers.values()],
    }


def _panel(name: str, settings: Path) -> list[str]:
    """The words that stand for a provider's own panel."""
    return [sys.executable, "-m", "legatum", "practice", "zone", "--settings", str(settings.resolve()), "--at", name]


def _registrar(name: str, authority: str) -> dict[str, Any]:
    server, address = scenario.REGISTRY
    return {
        "kind": "epp",
        "server": server,
        "address": address,
        "user": name,
        "password": f"file:{name}.password",
        "authority": authority,
    }


def _secret(path: Path, text: str) -> None:
    path.touch(0o600)
    path.chmod(0o600)
    path.write_text(text + "\n")
