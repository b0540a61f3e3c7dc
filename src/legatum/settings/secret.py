"""Secrets by reference: ``env:NAME``, ``file:PATH`` (relative to the settings file) or ``keyring:NAME``."""

import os
from pathlib import Path

from legatum.core.fault import BadInput


def read_secret(reference: str, folder: Path) -> str:
    """The secret's text. Raises :class:`BadInput`, which never shows more than the reference."""
    kind, _, name = reference.partition(":")
    if kind == "env" and name:
        found = os.environ.get(name)
        if found is None:
            raise BadInput(f"secret {reference}: the variable is not set", f"set it: {name}=…")
        return found.strip()
    if kind == "file" and name:
        try:
            return (folder / name).read_text(encoding="utf-8").strip()
        except (OSError, UnicodeDecodeError) as error:
            reason = error.strerror if isinstance(error, OSError) else "not UTF-8"
            raise BadInput(f"secret {reference}: {reason}", f"looked for {folder / name}") from None
    if kind == "keyring" and name:
        return _from_keyring(reference, name)
    raise BadInput("a secret in the settings is given as a value", "write env:NAME, file:PATH or keyring:NAME instead")


def _from_keyring(reference: str, name: str) -> str:
    try:
        import keyring
    except ImportError:
        raise BadInput(f"secret {reference}: keyrings are not installed", "pip install 'legatum[keyring]'") from None
    found = keyring.get_password("legatum", name)
    if found is None:
        raise BadInput(f"secret {reference}: the keyring has nothing under that name", "store it under the service 'legatum'")
    return str(found)
