"""Secrets by reference: ``env:NAME``, ``file:PATH`` (relative to the settings file), ``keyring:NAME``, or ``prompt`` to
be asked for it."""

import os
import stat
from collections.abc import Iterable
from pathlib import Path

from legatum.core.running.fault import BadInput


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
        except PermissionError:
            remedy = f"give it the right to read {folder / name} (chmod, chown), or name another file"
            raise BadInput(f"secret {reference}: this user may not read it", remedy) from None
        except (OSError, UnicodeDecodeError) as error:
            reason = error.strerror if isinstance(error, OSError) else "not UTF-8"
            raise BadInput(f"secret {reference}: {reason}", f"looked for {folder / name}") from None
    if kind == "keyring" and name:
        return _from_keyring(reference, name)
    if reference == "prompt":
        return _asked_for()
    raise BadInput("a secret is given as a value", "give env:NAME, file:PATH, keyring:NAME or prompt instead")


def exposed(references: Iterable[str], folder: Path) -> list[Path]:
    """The files among them that everybody on this machine may read."""
    files = [folder / each.removeprefix("file:") for each in dict.fromkeys(references) if each.startswith("file:")]
    return [path for path in files if path.exists() and path.stat().st_mode & stat.S_IROTH]


def check_reference(text: str) -> str:
    """A reference as it is. Raises :class:`BadInput`, without showing it, for what is none: that may be the secret
    itself."""
    kind, _, name = text.partition(":")
    if text != "prompt" and not (kind in ("env", "file", "keyring") and name):
        raise BadInput("a secret is given as a value", "give env:NAME, file:PATH, keyring:NAME or prompt instead")
    return text


def _asked_for() -> str:
    """Typed on the terminal, unseen."""
    import getpass
    import sys

    if not sys.stdin.isatty():
        raise BadInput(
            "a secret is to be typed, and nobody is there to type it",
            "give env:NAME, file:PATH or keyring:NAME instead",
        )
    return getpass.getpass("Secret (what is typed is not shown): ").strip()


def _from_keyring(reference: str, name: str) -> str:
    try:
        import keyring
    except ImportError:
        raise BadInput(f"secret {reference}: keyrings are not installed", "pip install 'legatum[keyring]'") from None
    found = keyring.get_password("legatum", name)
    if found is None:
        raise BadInput(
            f"secret {reference}: the keyring has nothing under that name", "store it under the service 'legatum'"
        )
    return str(found)
