"""Finding and reading the settings file. Every error names the file, the line and what is allowed there."""

import os
import re
import tomllib
from pathlib import Path
from typing import Any, TypeVar

import msgspec

from legatum.core.running.fault import BadInput
from legatum.settings.assumed import assumed
from legatum.settings.document import (
    EppRegistrar,
    FilesProvider,
    ManualProvider,
    ManualRegistrar,
    Section,
    Settings,
    UpdateProvider,
)
from legatum.settings.lines import Lines
from legatum.settings.meaning import objections

_FILE = "legatum.toml"
_VARIABLE = "LEGATUM_SETTINGS"
_KINDS: dict[str, dict[str, type[Section]]] = {
    "providers": {"update": UpdateProvider, "files": FilesProvider, "manual": ManualProvider},
    "registrars": {"epp": EppRegistrar, "manual": ManualRegistrar},
}
_S = TypeVar("_S", bound=Section)


def find_settings(given: str | None) -> Path | None:
    """The file to use: the one given, that of the environment, ``legatum.toml`` here, or the user's; None where there
    is none of these."""
    named = given or os.environ.get(_VARIABLE)
    if named:
        path = Path(named)
        return path / _FILE if path.is_dir() else path
    if _is_there(Path(_FILE)):
        return Path(_FILE)
    import platformdirs

    own = Path(platformdirs.user_config_dir("legatum")) / _FILE
    return own if _is_there(own) else None


def _is_there(path: Path) -> bool:
    """Also where it may not be looked at: then reading it says so."""
    try:
        return path.exists()
    except PermissionError:
        return True


def read_settings(path: Path | None) -> Settings:
    """With what is taken where the file says nothing; without a file that is all. Raises :class:`BadInput`."""
    if path is None:
        return _Reader(Path(_FILE), "").read({})
    try:
        text = path.read_text(encoding="utf-8")
    except PermissionError:
        remedy = "give it the right to (chmod, chown), or give settings of your own: --settings FILE"
        raise BadInput(f"settings {path}: this user may not read them", remedy) from None
    except (OSError, UnicodeDecodeError) as error:
        reason = error.strerror if isinstance(error, OSError) else "not UTF-8"
        raise BadInput(f"settings {path}: {reason}", "give the file with --settings") from None
    return parse_settings(path, text)


def parse_settings(path: Path, text: str) -> Settings:
    """``path``: of the file that it is, or is to be. Raises :class:`BadInput`."""
    try:
        document = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        said = str(error).replace("at end of document", f"at its end, line {len(text.splitlines())}")
        raise BadInput(f"settings {path}: {said}", "mend the file at that place") from None
    return _Reader(path, text).read(document)


class _Reader:
    def __init__(self, path: Path, text: str) -> None:
        self._path = path
        self._lines = Lines(text)

    def read(self, document: dict[str, Any]) -> Settings:
        document = {**assumed(document), **document}
        for table, kinds in _KINDS.items():
            sections = document.get(table, {})
            if isinstance(sections, dict):
                document[table] = {
                    name: self._one_of(kinds, f"{table}.{name}", content) for name, content in sections.items()
                }
        for name in ("network", "clock", "house", "rdap", "visit", "engine"):
            if name in document:
                document[name] = self._convert(Settings.__annotations__[name], name, document[name])
        settings = self._convert(Settings, "", document)
        for each in objections(settings):
            raise self._error(*each)
        return settings

    def _one_of(self, kinds: dict[str, type[Section]], where: str, content: Any) -> Section:
        kind = content.get("kind") if isinstance(content, dict) else None
        if kind not in kinds:
            raise self._error(where, "kind", f"kind '{kind}'" if kind else "no kind", f"kinds: {', '.join(kinds)}")
        return self._convert(kinds[kind], where, content)

    def _convert(self, wanted: type[_S], where: str, content: Any) -> _S:
        try:
            return msgspec.convert(content, wanted)
        except msgspec.ValidationError as error:
            words = str(error)
            path = re.search(r"`\$\.?([^`]*)`", words)
            field = re.search(r"field `([^`]*)`", words)
            key = field[1] if field else (path[1].split(".")[-1].split("[")[0] if path and path[1] else "")
            allowed = (
                f"allowed here: {', '.join(_keys(wanted))}" if "unknown field" in words else "see docs/settings.md"
            )
            raise self._error(where, key, words.split(" - at")[0], allowed) from None

    def _error(self, where: str, key: str, words: str, remedy: str) -> BadInput:
        spot = f"{self._path}:{self._lines.of(where, key)}"
        return BadInput(f"settings {spot}: [{where}] {words}" if where else f"settings {spot}: {words}", remedy)


def _keys(section: type[Any]) -> list[str]:
    kind = ["kind"] if section in {each for kinds in _KINDS.values() for each in kinds.values()} else []
    unwrapped = section if hasattr(section, "__struct_fields__") else section.__args__[0]
    return kind + list(unwrapped.__struct_fields__)
