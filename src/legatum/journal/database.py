"""Where the journal is kept: a file of SQLite's, or PostgreSQL by URL, both through Python's database interface (PEP 249).

The statements are plain enough for both; what differs stands in :class:`Dialect`. A library that speaks to every database would be
loaded by every command, and takes longer than the rest of the program.
"""

import shutil
import sqlite3
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any, NamedTuple
from urllib.parse import urlsplit

from legatum.core.fault import BadInput, OutsideFault

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
CREATE INDEX IF NOT EXISTS ix_replies_entry ON replies (entry)
"""


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
        try:
            self._connection = self._connect(place)
        except self._error as error:
            raise self._fault(error) from error
        with self._transaction() as connection:
            for statement in _TABLES.format_map(self._dialect._asdict()).split(";"):
                connection.execute(statement)

    def _connect(self, place: str) -> Any:
        if self._file is not None:
            return sqlite3.connect(self._file)
        import psycopg

        return psycopg.connect(place, connect_timeout=10)

    def check_room(self) -> None:
        """Raises :class:`OutsideFault` where what is done could not be recorded afterwards."""
        if self._file is not None and shutil.disk_usage(self._file.parent).free < _ROOM:
            raise OutsideFault(f"journal {self._file}: the disk is nearly full", "make room; nothing outside was touched")

    def rows(self, statement: str, *values: Any) -> list[Any]:
        """What a question gives, whole; ``?`` stands for each value."""
        with self._transaction() as connection:
            found: list[Any] = connection.execute(self._marked(statement), values).fetchall()
        return found

    def add(self, table: str, rows: Sequence[Row]) -> None:
        """Rows with the same columns, all or none."""
        with self._transaction() as connection:
            self._put(connection, table, rows)

    def add_with(self, table: str, row: Row, others: str, column: str, rows: Iterable[Row]) -> int:
        """A row, and those of another table that belong to it by ``column``, all or none; the row's number."""
        with self._transaction() as connection:
            statement = f"{self._insertion(table, row)} RETURNING number"
            ((number,),) = connection.execute(statement, tuple(row.values())).fetchall()
            self._put(connection, others, [{column: number, **each} for each in rows])
        return int(number)

    def _put(self, connection: Any, table: str, rows: Sequence[Row]) -> None:
        if rows:
            connection.cursor().executemany(self._insertion(table, rows[0]), [tuple(each.values()) for each in rows])

    def _insertion(self, table: str, row: Row) -> str:
        return self._marked(f"INSERT INTO {table} ({', '.join(row)}) VALUES ({', '.join('?' * len(row))})")

    def _marked(self, statement: str) -> str:
        return statement.replace("?", self._dialect.mark)

    @contextmanager
    def _transaction(self) -> Iterator[Any]:
        try:
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
        return OutsideFault(f"journal {self._named}: {reason}", "nothing outside is touched without a journal; make it writable")


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
