"""What is in force, value by value, and where each comes from."""

import json
import tomllib
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Any

import msgspec

from legatum.settings.document import Settings
from legatum.settings.lines import Lines

_MACHINE, _DEFAULT = "this machine", "default"
_TABLES = ("network", "clock", "engine", "rdap", "visit", "house")
_NAMED = ("providers", "secondaries", "registrars", "resolvers", "views", "viewpoints")


class Value(msgspec.Struct):
    """``value``: as TOML has it; ``source``: ``line N``, ``this machine``, or ``default``."""

    table: str
    key: str
    value: str
    source: str


def values_in_force(settings: Settings, path: Path | None) -> list[Value]:
    """In the order of docs/settings.md. Secrets are references, and shown as such."""
    text = path.read_text(encoding="utf-8") if path is not None else ""
    return list(_values(settings, tomllib.loads(text), Lines(text)))


def _values(settings: Settings, given: Mapping[str, Any], lines: Lines) -> Iterator[Value]:
    document = msgspec.to_builtins(settings)
    own = [key for key in document if key not in (*_TABLES, *_NAMED)]
    for key in own:
        yield Value("", key, _text(document[key]), _source(given, (), key, lines))
    for table in _TABLES:
        for key, value in (document[table] or {}).items():
            if not isinstance(value, dict) or not value:
                yield Value(table, key, _text(value), _source(given, (table,), key, lines))
        for below, values in (document[table] or {}).items():
            for key, value in values.items() if isinstance(values, dict) else ():
                yield Value(f"{table}.{below}", key, _text(value), _source(given, (table, below), key, lines))
    for table in _NAMED:
        for name, section in document[table].items():
            if not isinstance(section, dict):
                yield Value(table, name, _text(section), _source(given, (table,), name, lines))
                continue
            for key, value in section.items():
                yield Value(f"{table}.{name}", key, _text(value), _source(given, (table, name), key, lines))


def _source(given: Mapping[str, Any], path: tuple[str, ...], key: str, lines: Lines) -> str:
    """A table that the file does not have, and that is not the default, is this machine's."""
    here: Any = given
    for each in path:
        here = here.get(each) if isinstance(here, dict) else None
    if isinstance(here, dict) and key in here:
        return f"line {lines.of('.'.join(path), key)}"
    return _MACHINE if path and path[0] in ("resolvers", "rdap") and path[0] not in given else _DEFAULT


def _text(value: object) -> str:
    if isinstance(value, dict):
        return "{ " + ", ".join(f"{_key(key)} = {_text(each)}" for key, each in value.items()) + " }" if value else "{}"
    if isinstance(value, list):
        return "[" + ", ".join(map(_text, value)) + "]"
    return "none" if value is None else json.dumps(value, ensure_ascii=False)


def _key(key: str) -> str:
    return key if key.replace("-", "").replace("_", "").isalnum() else json.dumps(key)
