"""Where the journal is kept: a file of SQLite's, or PostgreSQL by URL, both through Python's database interface (PEP 249).

The statements are plain enough for both; what differs stands in :class:`Dialect`. A library that speaks to every database would be
loaded by every command, and takes longer than the rest of the program.
"""

import shutil
import sqlite3
import time
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any, NamedTuple
from urllib.parse import urlsplit

from legatum.core.fault import BadInput, OutsideFault
from legatum.journal.locks import AdvisoryLocks, FileLocks, Locks, share_in_group

Row = dict[str, Any]
_ROOM = 8 << 20  # octets that must be free before anything is intended, so that its outcome can be written too


class Dialect(NamedTuple):
    """``number``: a column that counts by itself; ``octets``: the type of one that holds bytes; ``mark``: where a value goes."""

    number: str
    octets: str
    mark: str


_SQLITE = Dialect("INTEGER PRIMARY KEY", "BLOB", "?")
_POSTGRESQL = Dialect("BIGINT GENERATED ALWAYS AS IDENTITY PRIMARY KEY", "BYTEA", "%s")
_TABLES = """
CREATE TABLE IF NOT EXISTS entries (
    number {number}, move TEXT NOT NULL, domain TEXT NOT NULL, step TEXT NOT NULL, kind TEXT NOT NULL, at DOUBLE PRECISION NOT NULL,
    text TEXT NOT NULL, facts TEXT NOT NULL
);
CREATE INDEX IF NOT EXISTS ix_entries_move ON entries (move);
CREATE INDEX IF NOT EXISTS ix_entries_domain ON entries (domain);
CREATE TABLE IF NOT EXISTS replies (
    number {number}, entry BIGINT NOT NULL REFERENCES entries (number), at DOUBLE PRECISION NOT NULL, server TEXT NOT NULL,
    name TEXT NOT NULL, type TEXT NOT NULL, transport TEXT NOT NULL, took DOUBLE PRECISION NOT NULL, outcome TEXT NOT NULL,
    wire {octets} NOT NULL
);
CREATE INDEX IF NOT EXISTS ix_replies_entry ON replies (entry);
CREATE TABLE IF NOT EXISTS memory (
    number {number}, domain TEXT NOT NULL, place TEXT NOT NULL, name TEXT NOT NULL, type TEXT NOT NULL, ttl BIGINT NOT NULL,
    data TEXT NOT NULL, first DOUBLE PRECISION NOT NULL, last DOUBLE PRECISION NOT NULL
);
CREATE INDEX IF NOT EXISTS ix_memory_domain ON memory (domain);
CREATE TABLE IF NOT EXISTS occupations (
    domain TEXT PRIMARY KEY, who TEXT NOT NULL, process BIGINT NOT NULL, since DOUBLE PRECISION NOT NULL
);
CREATE TABLE IF NOT EXISTS standings (file TEXT PRIMARY KEY, mark TEXT NOT NULL, standing TEXT NOT NULL);
CREATE TABLE IF NOT EXISTS surveys (
    domain TEXT PRIMARY KEY, at DOUBLE PRECISION NOT NULL, findings TEXT NOT NULL, signed_until DOUBLE PRECISION
)
"""
_ADDED = (
    ("entries", "who", "TEXT NOT NULL DEFAULT ''"),
    ("entries", "changes", "TEXT NOT NULL DEFAULT '[]'"),
    ("replies", "query", "{octets}"),
    ("replies", "trouble", "TEXT NOT NULL DEFAULT ''"),
    ("replies", "tries", "BIGINT NOT NULL DEFAULT 1"),
    ("replies", "cut", "BIGINT NOT NULL DEFAULT 0"),
)
"""Columns that journals of earlier versions do not have: table, name, definition. Earlier versions leave them alone."""
_MAKING = 4_711_000_001  # the advisory lock under which tables are made
_BUSY = 30.0  # seconds that another process may hold the file
_IDLE = 5.0  # seconds after which a connection is tried before it is relied on
_PATIENCE = 30.0  # seconds that a database may be away, to be started anew


class Database:
    """``place``: a file, made when it is not there, or ``postgresql://…``. Methods raise :class:`OutsideFault` when it fails."""

    def __init__(self, place: str, folder: Path) -> None:
        self._file = None if "://" in place else (folder / place).resolve()
        self._named = str(self._file) if self._file else place
        self._error: type[Exception]
        if self._file is not None:
            self._dialect, self._error = _SQLITE, sqlite3.Error
        else:
            self._dialect, self._error = _POSTGRESQL, _postgresql(place)
        self._place, self._used = place, time.monotonic()
        is_new = self._file is not None and not self._file.exists()
        try:
            self._connection = self._connect()
            self._locks: Locks = FileLocks(_beside(self._file)) if self._file else AdvisoryLocks(self._locking())
        except self._error as error:
            raise self._fault(error) from error
        self._make_tables()
        if self._file is not None and is_new:
            share_in_group(self._file)

    def _connect(self) -> Any:
        if self._file is not None:
            return sqlite3.connect(self._file, timeout=_BUSY)
        import psycopg

        return psycopg.connect(self._place, connect_timeout=10)

    def _locking(self) -> Any:
        """A connection of their own for locks: they outlast what goes wrong in a transaction."""
        import psycopg

        return psycopg.connect(self._place, connect_timeout=10, autocommit=True)

    def _make_tables(self) -> None:
        """Where they are not there yet; several who come first at the same time wait for each other."""
        if self._file is None and self._has_tables():
            return
        with self._transaction() as connection:
            if self._file is None:
                connection.execute("SELECT pg_advisory_xact_lock(%s)", (_MAKING,))
            kinds = self._dialect._asdict()
            for statement in _TABLES.format_map(kinds).split(";"):
                connection.execute(statement)
            for table, column, definition in _ADDED:
                if column not in self._columns(connection, table):
                    connection.execute(f"ALTER TABLE {table} ADD COLUMN {column} {definition.format_map(kinds)}")

    def _has_tables(self) -> bool:
        """Of those who may use the tables not all may make them."""
        with self._transaction() as connection:
            ((last,),) = connection.execute("SELECT to_regclass('surveys')").fetchall()
            return last is not None and all(column in self._columns(connection, table) for table, column, _ in _ADDED)

    def _columns(self, connection: Any, table: str) -> set[str]:
        if self._file is not None:
            return {row[1] for row in connection.execute(f"PRAGMA table_info({table})").fetchall()}
        said = "SELECT attname FROM pg_attribute WHERE attrelid = to_regclass(%s) AND attnum > 0 AND NOT attisdropped"
        return {row[0] for row in connection.execute(said, (table,)).fetchall()}

    def check_room(self) -> None:
        """Raises :class:`OutsideFault` where what is done could not be recorded afterwards."""
        if self._file is not None and shutil.disk_usage(self._file.parent).free < _ROOM:
            raise OutsideFault(f"journal {self._file}: the disk is nearly full", "make room; nothing outside was touched")

    def rows(self, statement: str, *values: Any) -> list[Any]:
        """What a question gives, whole; ``?`` stands for each value."""
        with self._transaction() as connection:
            found: list[Any] = connection.execute(self._marked(statement), values).fetchall()
        return found

    def take(self, numbers: Sequence[int]) -> int | None:
        """Locks, until they are released or this process is no more; where somebody else has one, none is taken, and that one given."""
        with self._faults():
            self._renewed()
            return self._locks.take(numbers)

    def release(self, numbers: Sequence[int]) -> None:
        with suppress(self._error):  # what went with its connection is free already
            self._locks.release(numbers)

    @contextmanager
    def _faults(self) -> Iterator[None]:
        try:
            yield
        except (self._error, OSError) as error:
            raise self._fault(error) from error

    def add(self, table: str, rows: Sequence[Row]) -> None:
        """Rows with the same columns, all or none."""
        if rows:
            with self._transaction() as connection:
                self._put(connection, table, rows)

    def add_with(self, table: str, row: Row, others: str, column: str, rows: Iterable[Row]) -> int:
        """A row, and those of another table that belong to it by ``column``, all or none; the row's number."""
        with self._transaction() as connection:
            statement = f"{self._insertion(table, row)} RETURNING number"
            ((number,),) = connection.execute(statement, tuple(row.values())).fetchall()
            self._put(connection, others, [{column: number, **each} for each in rows])
        return int(number)

    def set(self, table: str, column: str, values: Sequence[tuple[int, Any]]) -> None:
        """One value in the row of each number, all or none."""
        if values:
            with self._transaction() as connection:
                statement = self._marked(f"UPDATE {table} SET {column} = ? WHERE number = ?")
                connection.cursor().executemany(statement, [(value, number) for number, value in values])

    def replace(self, table: str, key: str, rows: Sequence[Row]) -> None:
        """Rows in the place of those with the same ``key``."""
        if rows:
            columns = ", ".join(f"{each} = excluded.{each}" for each in rows[0] if each != key)
            statement = f"{self._insertion(table, rows[0])} ON CONFLICT ({key}) DO UPDATE SET {columns}"
            with self._transaction() as connection:
                connection.cursor().executemany(statement, [tuple(each.values()) for each in rows])

    def _put(self, connection: Any, table: str, rows: Sequence[Row]) -> None:
        if rows:
            connection.cursor().executemany(self._insertion(table, rows[0]), [tuple(each.values()) for each in rows])

    def _insertion(self, table: str, row: Row) -> str:
        return self._marked(f"INSERT INTO {table} ({', '.join(row)}) VALUES ({', '.join('?' * len(row))})")

    def _marked(self, statement: str) -> str:
        return statement.replace("?", self._dialect.mark)

    def _renewed(self) -> None:
        """A connection that was lost while nothing was done is renewed, and its locks are taken again."""
        idle, self._used = time.monotonic() - self._used, time.monotonic()
        if self._file is not None or idle < _IDLE:
            return
        assert isinstance(self._locks, AdvisoryLocks)
        given_up = time.monotonic() + _PATIENCE
        while not self._is_alive():
            try:
                self._connection, locking = self._connect(), self._locking()
                if not self._locks.go_on_with(locking):
                    raise OutsideFault(
                        f"journal {self._named}: the connection was lost, and somebody else works on the domain now",
                        "see who, with the same command; nothing more was done here",
                    )
            except self._error:
                if time.monotonic() > given_up:
                    raise
                time.sleep(1)

    def _is_alive(self) -> bool:
        try:
            self._connection.execute("SELECT 1")
            self._connection.rollback()
            assert isinstance(self._locks, AdvisoryLocks)
            return self._locks.is_alive()
        except self._error:
            return False

    @contextmanager
    def _transaction(self) -> Iterator[Any]:
        try:
            self._renewed()
            yield self._connection
            self._connection.commit()
        except BaseException as error:
            with suppress(self._error):
                self._connection.rollback()
            if isinstance(error, self._error):
                raise self._fault(error) from error
            raise

    def _fault(self, error: Exception) -> OutsideFault:
        reason = (str(error).splitlines() or [type(error).__name__])[0]
        remedy = "nothing outside is touched without a journal; make it writable"
        if self._file is None and "permission denied for schema" in reason:
            remedy = "let somebody who may make tables use it once, then GRANT this role the use of them"
        return OutsideFault(f"journal {self._named}: {reason}", remedy)


def _beside(file: Path) -> Path:
    return file.with_name(f"{file.name}.locks")


def _postgresql(place: str) -> type[Exception]:
    """What its library raises. Raises :class:`BadInput` for another database, a password, or where the library is missing."""
    if not place.startswith("postgresql://"):
        raise BadInput(f"journal: no database by {place.partition('://')[0]}://", "give a file, or postgresql://HOST/DATABASE")
    if urlsplit(place).password is not None:
        raise BadInput("journal: a password does not belong into the settings", "PostgreSQL takes it from PGPASSWORD or ~/.pgpass")
    try:
        import psycopg
    except ImportError:
        raise BadInput("journal: PostgreSQL needs the library psycopg", "pip install 'legatum[postgresql]'") from None
    error: type[Exception] = psycopg.Error
    return error
