"""What the journal has of a domain: who did what, what was seen from when to when, and the replies that show it; out of
one journal and into another."""

import json
from collections.abc import Iterable, Mapping
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import msgspec

from legatum.core.calendar.instant import kept_instant
from legatum.core.memory.given import Given
from legatum.core.memory.history import KINDS, OUTCOME, Act, Entry, acts
from legatum.core.records.name import Name, absolute_text, name_text, parse_name
from legatum.core.records.rrtype import parse_type, type_text
from legatum.core.running.fault import BadInput
from legatum.net.file import write_whole
from legatum.net.keeping.evidence import Evidence
from legatum.net.keeping.recording import Recording, read_reply, reply_line
from legatum.work.run_context import RunContext
from legatum.work.verdicts.recorded import head_of_entry

_SCHEMA = "legatum.history-export/1"


@dataclass(frozen=True)
class History:
    """``acts``: what was done, oldest first; ``seen``: what was given, from when to when."""

    domain: Name
    acts: tuple[Act, ...]
    seen: tuple[Given, ...]


def history_of(context: RunContext, domains: Iterable[Name] | None, since: float | None = None) -> list[History]:
    """``domains``: None for all that the journal knows of; ``since``: only what was done, or first seen, from then
    on."""
    journal = context.journal
    wanted = list(domains) if domains is not None else journal.domains()
    found = []
    for domain in wanted:
        done = [act for act in acts(journal.entries(domain)) if since is None or (act.ended or act.begun) >= since]
        seen = [each for each in journal.memory(domain) if since is None or each.last >= since]
        found.append(History(domain, tuple(done), tuple(seen)))
    return found


def evidence_of(context: RunContext, number: int) -> Recording:
    """The replies that are kept with an entry, as a recording that `survey --from` judges. Raises :class:`BadInput`."""
    entry = context.journal.entry(number)
    if entry is None:
        raise BadInput(f"no entry {number} in the journal", "`legatum history DOMAIN` numbers them")
    replies = context.journal.replies(number)
    if not replies:
        raise BadInput(f"entry {number} has no replies", "`legatum history DOMAIN` shows which have some")
    return Recording(msgspec.to_builtins(head_of_entry(context, entry.domain, entry.at)), Evidence(replies))


def export_history(context: RunContext, domain: Name, path: Path) -> int:
    """Everything about a domain into a file; how many entries. Raises as :func:`~legatum.net.file.write_whole`."""
    journal, lines = context.journal, [json.dumps({"schema": _SCHEMA, "domain": name_text(domain)})]
    entries = journal.entries(domain)
    for each in entries:
        replies = [reply_line(number, reply) for number, reply in enumerate(journal.replies(each.number), 1)]
        lines.append(json.dumps({"entry": {**asdict(each), "changes": list(each.changes)}, "replies": replies}))
    for seen in journal.memory(domain):
        lines.append(
            json.dumps(
                {
                    "seen": {
                        "place": seen.place,
                        "name": absolute_text(seen.name),
                        "type": type_text(seen.rtype),
                        "ttl": seen.ttl,
                        "data": seen.data,
                        "first": seen.first,
                        "last": seen.last,
                        "gone": seen.gone,
                    }
                }
            )
        )
    write_whole(path, "\n".join(lines) + "\n")
    return len(entries)


def import_history(context: RunContext, path: Path) -> tuple[Name, int, int]:
    """What another journal put out; the domain, how many entries came, and how many were there already. Raises
    :class:`BadInput`."""
    remedy = "give a file that `legatum history DOMAIN --export FILE` wrote"
    try:
        lines = path.read_text(encoding="utf-8").splitlines()
    except (OSError, UnicodeDecodeError) as error:
        raise BadInput(f"{path}: {error.strerror if isinstance(error, OSError) else 'not UTF-8'}", remedy) from None
    came, there, domain, seen = 0, 0, None, list[Given]()
    read = []
    for number, line in enumerate(lines, 1):
        try:
            document = json.loads(line)
            if number == 1:
                if document.get("schema") != _SCHEMA:
                    raise ValueError("another kind of file")
                domain = _name(document["domain"])
            elif "entry" in document:
                read.append((_entry(document["entry"], domain), [read_reply(each) for each in document["replies"]]))
            else:
                seen.append(_seen(document["seen"]))
        except (ValueError, KeyError, TypeError, AttributeError, OverflowError, RecursionError, BadInput) as error:
            raise BadInput(f"{path}:{number}: not a history ({error})", remedy) from None
    if domain is None:
        raise BadInput(f"{path}: empty", remedy)
    with context.journal.occupied([domain], context.clock.now()):
        for entry, replies in read:
            new = context.journal.take_in(entry, replies)
            came, there = came + new, there + (not new)
        context.journal.recall(domain, seen)
    return domain, came, there


def _entry(found: Mapping[str, Any], domain: Name | None) -> Entry:
    if domain is None or str(found["domain"]) != name_text(domain):
        raise ValueError("an entry of another domain")
    kind = str(found["kind"])
    return Entry(
        int(found["number"]),
        str(found["move"]),
        str(found["domain"]),
        str(found["step"]),
        kind,
        kept_instant(found["at"]),
        str(found["text"]),
        str(found["who"]),
        tuple(map(str, found["changes"])),
        _facts(kind, found["facts"]),
        int(found["replies"]),
    )


def _facts(kind: str, found: Mapping[str, Any]) -> dict[str, Any]:
    """As entries of that kind have them: what later steps rest on is not taken in on trust."""
    if kind not in KINDS:
        raise ValueError(f"'{kind[:40]}' is no kind of entry")
    for key in {"first", "all"} & found.keys() if kind != OUTCOME else ("first", "all"):
        kept_instant(found[key])
    if kind == OUTCOME and not isinstance(found["facts"], dict):
        raise TypeError("facts of an outcome")
    return dict(found)


def _seen(found: Mapping[str, Any]) -> Given:
    name, rtype, gone = parse_name(found["name"]), parse_type(found["type"]), found.get("gone")
    return Given(
        0, str(found["place"]), name, rtype, int(found["ttl"]), str(found["data"]), kept_instant(found["first"]),
        kept_instant(found["last"]), None if gone is None else kept_instant(gone),
    )  # fmt: skip


def _name(text: str) -> Name:
    return parse_name(text + "." if text != "." else ".")
