"""The journal: an intent before every outside effect, an outcome after, and the replies that show it.

SQLite by default, any database that the library knows by URL. An intent without an outcome is *open*: whoever goes on settles
it by looking at the outside, never by doing it again blindly.
"""

import json
import shutil
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import sqlalchemy as sa
from sqlalchemy.exc import SQLAlchemyError

from legatum.core.fault import OutsideFault
from legatum.core.name import Name, name_text, parse_domain
from legatum.core.rrtype import type_text
from legatum.core.runbook import Outcome
from legatum.net.reply import Reply

_METADATA = sa.MetaData()
_ENTRIES = sa.Table(
    "entries",
    _METADATA,
    sa.Column("number", sa.Integer, primary_key=True),
    sa.Column("move", sa.String, nullable=False, index=True),
    sa.Column("domain", sa.String, nullable=False, index=True),
    sa.Column("step", sa.String, nullable=False),
    sa.Column("kind", sa.String, nullable=False),
    sa.Column("at", sa.Float, nullable=False),
    sa.Column("text", sa.String, nullable=False),
    sa.Column("facts", sa.String, nullable=False, default="{}"),
)
_REPLIES = sa.Table(
    "replies",
    _METADATA,
    sa.Column("number", sa.Integer, primary_key=True),
    sa.Column("entry", sa.ForeignKey("entries.number"), nullable=False, index=True),
    sa.Column("at", sa.Float, nullable=False),
    sa.Column("server", sa.String, nullable=False),
    sa.Column("name", sa.String, nullable=False),
    sa.Column("type", sa.String, nullable=False),
    sa.Column("transport", sa.String, nullable=False),
    sa.Column("took", sa.Float, nullable=False),
    sa.Column("outcome", sa.String, nullable=False),
    sa.Column("wire", sa.LargeBinary, nullable=False),
)
_ROOM = 8 << 20
INTENT, OUTCOME, FORGOTTEN, FAILED, SENT = "intent", "outcome", "forgotten", "failed", "sent"


@dataclass(frozen=True, slots=True)
class Entry:
    """One line of the journal. ``replies``: how many are kept with it."""

    number: int
    move: str
    domain: str
    step: str
    kind: str
    at: float
    text: str
    replies: int


class Journal:
    """``place``: a file, made when it is not there, or a database URL. Methods raise :class:`OutsideFault` when it fails."""

    def __init__(self, place: str, folder: Path) -> None:
        self._place = place if "://" in place else f"sqlite:///{(folder / place).resolve()}"
        self._file = None if "://" in place else (folder / place).resolve()
        try:
            self._engine = sa.create_engine(self._place)
            _METADATA.create_all(self._engine)
        except SQLAlchemyError as error:
            raise self._fault(error) from error

    def intend(self, move: str, domain: Name, step: str, at: float, text: str) -> int:
        """Before an outside effect. The number of the entry.

        Room for the outcome must be there too, so that what is done can be recorded.
        """
        self._check_room()
        return self._write(move, domain, step, INTENT, at, text, {}, ())

    def _check_room(self) -> None:
        if self._file is not None and shutil.disk_usage(self._file.parent).free < _ROOM:
            raise OutsideFault(f"journal {self._file}: the disk is nearly full", "make room; nothing outside was touched")

    def settle(self, move: str, domain: Name, outcome: Outcome, at: float, replies: Iterable[Reply]) -> None:
        """After it: what was seen, with the replies that show it."""
        facts = {"first": outcome.first, "all": outcome.all, "facts": dict(outcome.facts)}
        self._write(move, domain, outcome.step, OUTCOME, at, outcome.summary, facts, replies)

    def fail(self, move: str, domain: Name, step: str, at: float, text: str, replies: Iterable[Reply]) -> None:
        """An effect that ended in a fault: what is known."""
        self._write(move, domain, step, FAILED, at, text, {}, replies)

    def sent(self, at: float, commands: Iterable[tuple[Name, str]]) -> None:
        """Commands that go to a registry now, of each what it is about, and its words with its identifier."""
        self._note([("", domain, "registry", SENT, at, text) for domain, text in commands])

    def intend_many(self, step: str, at: float, texts: Iterable[tuple[Name, str]]) -> None:
        """Before outside effects on many domains."""
        self._check_room()
        self._note([("", domain, step, INTENT, at, text) for domain, text in texts])

    def settle_many(self, step: str, at: float, texts: Iterable[tuple[Name, str, bool]]) -> None:
        """After them: of each what was said, and whether it was done."""
        facts = json.dumps({"first": at, "all": at, "facts": {}})
        self._note([("", domain, step, OUTCOME if done else FAILED, at, text) for domain, text, done in texts], facts)

    def _note(self, rows: Iterable[tuple[str, Name, str, str, float, str]], facts: str = "{}") -> None:
        keys = ("move", "domain", "step", "kind", "at", "text")
        written = [{**dict(zip(keys, row, strict=True)), "domain": name_text(row[1]), "facts": facts} for row in rows]
        try:
            with self._engine.begin() as connection:
                if written:
                    connection.execute(sa.insert(_ENTRIES), written)
        except SQLAlchemyError as error:
            raise self._fault(error) from error

    def domains(self) -> list[Name]:
        """Every domain that the journal knows of."""
        with self._connect() as connection:
            rows = connection.execute(sa.select(_ENTRIES.c.domain).distinct()).all()
        return sorted(parse_domain(row.domain) for row in rows)

    def forget(self, move: str, domain: Name, step: str, at: float, text: str) -> None:
        """The outcome of a step counts no longer: it will be done again."""
        self._write(move, domain, step, FORGOTTEN, at, text, {}, ())

    def outcomes(self, move: str) -> dict[str, Outcome]:
        """Step → its outcome, for the steps that have one that still counts."""
        found: dict[str, Outcome] = {}
        for row in self._rows(_ENTRIES.c.move == move):
            if row.kind == OUTCOME:
                facts = json.loads(row.facts)
                found[row.step] = Outcome(row.step, facts["first"], facts["all"], row.text, facts["facts"])
            elif row.kind == FORGOTTEN:
                found.pop(row.step, None)
        return found

    def open_intents(self, move: str) -> dict[str, float]:
        """Step → when it was intended, for the steps of which nothing more is known."""
        found: dict[str, float] = {}
        for row in self._rows(_ENTRIES.c.move == move):
            if row.kind == INTENT:
                found[row.step] = row.at
            else:
                found.pop(row.step, None)
        return found

    def begun(self, move: str) -> set[str]:
        """Steps that were ever intended or done, whatever became of them."""
        return {row.step for row in self._rows(_ENTRIES.c.move == move) if row.kind in (INTENT, OUTCOME)}

    def entries(self, domain: Name) -> list[Entry]:
        """Everything about a domain, oldest first."""
        counted = sa.select(_REPLIES.c.entry, sa.func.count().label("replies")).group_by(_REPLIES.c.entry).subquery()
        query = sa.select(_ENTRIES, counted.c.replies).outerjoin(counted, counted.c.entry == _ENTRIES.c.number)
        query = query.where(_ENTRIES.c.domain == name_text(domain)).order_by(_ENTRIES.c.number)
        with self._connect() as connection:
            rows = connection.execute(query).all()
        return [Entry(row.number, row.move, row.domain, row.step, row.kind, row.at, row.text, row.replies or 0) for row in rows]

    def _rows(self, condition: sa.ColumnElement[bool]) -> list[Any]:
        with self._connect() as connection:
            return list(connection.execute(sa.select(_ENTRIES).where(condition).order_by(_ENTRIES.c.number)).all())

    def _connect(self) -> sa.Connection:
        try:
            return self._engine.connect()
        except SQLAlchemyError as error:
            raise self._fault(error) from error

    def _write(
        self,
        move: str,
        domain: Name,
        step: str,
        kind: str,
        at: float,
        text: str,
        facts: Mapping[str, Any],
        replies: Iterable[Reply],
    ) -> int:
        row = {
            "move": move,
            "domain": name_text(domain),
            "step": step,
            "kind": kind,
            "at": at,
            "text": text,
            "facts": json.dumps(facts),
        }
        try:
            with self._engine.begin() as connection:
                number = connection.execute(sa.insert(_ENTRIES).returning(_ENTRIES.c.number), row).scalar_one()
                kept = [_reply_row(number, reply) for reply in replies]
                if kept:
                    connection.execute(sa.insert(_REPLIES), kept)
                return int(number)
        except SQLAlchemyError as error:
            raise self._fault(error) from error

    def _fault(self, error: SQLAlchemyError) -> OutsideFault:
        reason = str(getattr(error, "orig", None) or error).splitlines()[0]
        return OutsideFault(
            f"journal {self._place.removeprefix('sqlite:///')}: {reason}",
            "nothing outside is touched without a journal; make it writable",
        )


def _reply_row(entry: int, reply: Reply) -> dict[str, Any]:
    return {
        "entry": entry, "at": reply.at, "server": reply.server, "name": name_text(reply.name), "type": type_text(reply.rtype),
        "transport": str(reply.transport), "took": reply.took, "outcome": reply.outcome, "wire": reply.wire,
    }  # fmt: skip
