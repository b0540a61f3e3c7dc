"""Runbooks as plain values - texts, numbers, lists, tables - and back: what a move file holds.

An RRset is its records as lines of a master file; an effect is a table with its ``kind``. What has its usual value is
left out.
"""

import types
from collections.abc import Mapping
from dataclasses import MISSING, Field, fields, is_dataclass
from functools import lru_cache
from typing import Any, Union, get_args, get_origin, get_type_hints

from legatum.core.calendar.instant import instant_text, kept_instant, parse_instant
from legatum.core.moves.effects import EFFECTS, Effect
from legatum.core.moves.needs import NEEDS, Need
from legatum.core.moves.runbook import Runbook
from legatum.core.records.name import ROOT, Name, absolute_text, parse_name
from legatum.core.records.presentation import parse_rdata, rdata_text
from legatum.core.records.rrset import RRset, rrset
from legatum.core.records.rrtype import parse_type
from legatum.core.running.fault import BadInput

_TAGGED: dict[str, type] = {**EFFECTS, **NEEDS}
_KINDS = {kind: name for name, kind in _TAGGED.items()}
_INSTANTS = {"drafted", "first", "everywhere", "since", "at"}
_MOST = 1 << 32  # TTLs, serials, key tags, durations in seconds: none is longer on the wire, none negative
Plain = dict[str, Any]


def plain(value: Any, field: str = "") -> Any:
    """Of a dataclass of the plan, or what it holds."""
    if isinstance(value, RRset):
        return [
            f"{absolute_text(value.name)} {value.ttl} {value.type_text} {rdata_text(value.rtype, data)}"
            for data in value.rdatas
        ]
    if isinstance(value, bytes):
        return absolute_text(Name(value))
    if is_dataclass(value) and not isinstance(value, type):
        kind = {"kind": _KINDS[type(value)]} if type(value) in _KINDS else {}
        return kind | {
            each.name: plain(one, each.name)
            for each in fields(value)
            if (one := getattr(value, each.name)) is not None and not _is_usual(each, one)
        }
    if isinstance(value, Mapping):
        return {_key_text(key): plain(one) for key, one in value.items()}
    if isinstance(value, tuple | list):
        return [plain(each) for each in value]
    if field in _INSTANTS and isinstance(value, float):
        return instant_text(value) if value == int(value) else value
    return value


def _is_usual(each: "Field[Any]", value: Any) -> bool:
    if each.default is not MISSING:
        return bool(value == each.default)
    return each.default_factory is not MISSING and bool(value == each.default_factory())


def _key_text(key: Any) -> str:
    return absolute_text(Name(key)) if isinstance(key, bytes) else str(key)


def runbook_from(table: Plain) -> Runbook:
    """Raises :class:`BadInput` for what is no runbook, with the place in it."""
    made = _made(Runbook, table, "")
    assert isinstance(made, Runbook)
    return made


def _made(hint: Any, value: Any, where: str) -> Any:
    """The value of that type. ``where``: its place, for complaints."""
    if hint is Name:
        return _name(value, where)
    if hint is RRset:
        return _rrset(value, where)
    if hint == Need:
        return _tagged(NEEDS, value, where)
    if get_origin(hint) in (Union, types.UnionType):
        (inner,) = [each for each in get_args(hint) if each is not type(None)]
        return _made(inner, value, where)
    if get_origin(hint) is tuple:
        return _tuple(get_args(hint), value, where)
    if get_origin(hint) is not None and issubclass(get_origin(hint), Mapping):
        return _table(get_args(hint), value, where)
    if hint is Effect:
        return _tagged(EFFECTS, value, where)
    if is_dataclass(hint):
        return _dataclass(hint, value, where)
    if hint is float and isinstance(value, str | float):
        return _instant(value, where)
    if hint is int and type(value) is int and not 0 <= value < _MOST:
        raise BadInput(f"{where}: out of range: {value}")
    if hint in (str, int, bool) and type(value) is hint:
        return value
    raise BadInput(f"{where}: not {getattr(hint, '__name__', hint)}: {value!r}")


def _instant(value: str | float, where: str) -> float:
    try:
        return kept_instant(parse_instant(value) if isinstance(value, str) else value)
    except ValueError as error:
        raise BadInput(f"{where}: {error}", "an instant is RFC 3339 in quotes, or seconds since 1970") from None


def _name(value: Any, where: str) -> Name:
    if not isinstance(value, str):
        raise BadInput(f"{where}: no name: {value!r}")
    return parse_name(value)


def _rrset(value: Any, where: str) -> RRset:
    if not isinstance(value, list) or not value:
        raise BadInput(f"{where}: not the records of an RRset: {value!r}")
    found: list[tuple[Name, int, int, bytes]] = []
    for line in value:
        words = str(line).split(None, 3)
        if len(words) < 4 or not words[1].isdecimal():
            raise BadInput(f"{where}: not NAME TTL TYPE DATA: {line!r}")
        rtype = parse_type(words[2])
        found.append((parse_name(words[0]), int(words[1]), rtype, parse_rdata(rtype, words[3], ROOT)))
    if len({each[:3] for each in found}) > 1:
        raise BadInput(f"{where}: records of more than one RRset")
    name, ttl, rtype, _ = found[0]
    return rrset(name, rtype, ttl, [each[3] for each in found])


def _tuple(hints: tuple[Any, ...], value: Any, where: str) -> tuple[Any, ...]:
    if not isinstance(value, list):
        raise BadInput(f"{where}: no list: {value!r}")
    if len(hints) == 2 and hints[1] is Ellipsis:
        return tuple(_made(hints[0], each, f"{where}[{number}]") for number, each in enumerate(value))
    if len(hints) != len(value):
        raise BadInput(f"{where}: {len(hints)} values belong there: {value!r}")
    return tuple(_made(hint, each, where) for hint, each in zip(hints, value, strict=True))


def _table(hints: tuple[Any, ...], value: Any, where: str) -> dict[Any, Any]:
    if not isinstance(value, dict):
        raise BadInput(f"{where}: no table: {value!r}")
    return {_made(hints[0], key, where): _made(hints[1], one, f"{where}.{key}") for key, one in value.items()}


def _tagged(known: Mapping[str, type], value: Any, where: str) -> Any:
    kind = value.get("kind") if isinstance(value, dict) else value
    if not isinstance(value, dict) or not isinstance(kind, str) or kind not in known:
        raise BadInput(f"{where}: no kind '{kind}'", f"known: {', '.join(known)}")
    return _dataclass(known[kind], {key: one for key, one in value.items() if key != "kind"}, where)


def _dataclass(hint: Any, value: Any, where: str) -> Any:
    if not isinstance(value, dict):
        raise BadInput(f"{where}: no table: {value!r}")
    hints = _hints(hint)
    known = {each.name: each for each in fields(hint)}
    if unknown := [key for key in value if key not in known]:
        raise BadInput(f"{where}: nothing is called '{unknown[0]}' there", f"known: {', '.join(known)}")
    given = {key: _made(hints[key], one, f"{where}.{key}".lstrip(".")) for key, one in value.items()}
    for name, each in known.items():
        if name not in given and each.default is MISSING and each.default_factory is MISSING:
            if type(None) not in get_args(hints[name]):
                raise BadInput(f"{where or 'the file'}: '{name}' is missing")
            given[name] = None
    return hint(**given)


@lru_cache(maxsize=128)
def _hints(hint: Any) -> dict[str, Any]:
    return get_type_hints(hint)


def schema() -> Plain:
    """The JSON Schema of a move file, from the types that it is read into."""
    defined: dict[str, Plain] = {}
    whole = _schema_of(Runbook, defined)
    return {"$ref": whole["$ref"], "$defs": defined}


def _schema_of(hint: Any, defined: dict[str, Plain]) -> Plain:
    if hint is Name:
        return {"type": "string", "description": "a domain name, whole"}
    if hint is RRset:
        return {
            "type": "array",
            "items": {"type": "string"},
            "description": "the records of one RRset: NAME TTL TYPE DATA",
        }
    if hint == Need:
        return {"anyOf": [_tagged_schema(tag, kind, defined) for tag, kind in NEEDS.items()]}
    if hint is Effect:
        return {"anyOf": [_tagged_schema(tag, kind, defined) for tag, kind in EFFECTS.items()]}
    if get_origin(hint) in (Union, types.UnionType):
        (inner,) = [each for each in get_args(hint) if each is not type(None)]
        return _schema_of(inner, defined)
    if get_origin(hint) is tuple:
        inner = get_args(hint)
        many = len(inner) == 2 and inner[1] is Ellipsis
        return {"type": "array"} | (
            {"items": _schema_of(inner[0], defined)}
            if many
            else {"prefixItems": [_schema_of(each, defined) for each in inner]}
        )
    if get_origin(hint) is not None:
        return {"type": "object", "additionalProperties": _schema_of(get_args(hint)[1], defined)}
    if is_dataclass(hint):
        return _dataclass_schema(hint, defined)
    simple: dict[Any, Plain] = {
        float: {"type": ["string", "number"]},
        int: {"type": "integer"},
        bool: {"type": "boolean"},
    }
    return simple.get(hint, {"type": "string"})


def _tagged_schema(tag: str, kind: type, defined: dict[str, Plain]) -> Plain:
    _dataclass_schema(kind, defined, tag)
    return {"$ref": f"#/$defs/{kind.__name__}"}


def _dataclass_schema(hint: Any, defined: dict[str, Plain], tag: str = "") -> Plain:
    name = hint.__name__
    if name not in defined:
        defined[name] = {}
        hints, known = _hints(hint), fields(hint)
        needed = [
            each.name
            for each in known
            if each.default is MISSING
            and each.default_factory is MISSING
            and type(None) not in get_args(hints[each.name])
        ]
        properties = ({"kind": {"const": tag}} if tag else {}) | {
            each.name: _schema_of(hints[each.name], defined) for each in known
        }
        words = " ".join((hint.__doc__ or "").split())
        defined[name] = {
            "type": "object",
            "description": words,
            "properties": properties,
            "required": (["kind"] if tag else []) + needed,
            "additionalProperties": False,
        }
    return {"$ref": f"#/$defs/{name}"}
