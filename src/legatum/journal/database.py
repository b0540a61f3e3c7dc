"""Where the journal is kept: a file of SQLite's, or PostgreSQL by URL, both through Python's database interface (PEP
249).

The statements are plain enough for both; what differs stands in :class:`Dialect`. A library that speaks to every
database would be loaded by every command, and takes longer than the rest of the program.
"""

import shutil
import sqlite3
import time
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any, NamedTuple
from urllib.parse import urlsplit

from legatum.core.running.fault import BadInput, OutsideFault
from legatum.journal.forms import FORMS, KEPT, NUMBERED, PRESENT
from legatum.journal.locks import AdvisoryLocks, FileLocks, Locks, share_in_group

Row = dict[str, Any]
_ROOM = 8 << 20  # octets that must be free before anything is intended, so that its outcome can be written too


class Dialect(NamedTuple):
    """``number``: a column that counts by itself; ``octets``: the type of one that holds bytes; ``mark``: where a value
    goes."""

    number: str
    octets: str
    mark: str


_SQLITE = Dialect("INTEGER PRIMARY KEY", "BLOB", "?")
_POSTGRESQL = Dialect("BIGINT GENERATED ALWAYS AS IDENTITY PRIMARY KEY", "BYTEA", "%s")
_MAKING = 4_711_000_001  # the advisory lock under which tables are made
_PART = 2000  # rows that are copied at a time
_BUSY = 30.0  # seconds that another process may hold the file
_IDLE = 5.0  # seconds after which a connection is tried before it is relied on
_PATIENCE = 30.0  # seconds that a database may be away, to be started anew


class Database:
    """``place``: a file, made when it is not there, or ``postgresql://…``. Methods raise :class:`OutsideFault` when it
    fails."""

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

        return self._kept_alive(psycopg.connect(self._place, connect_timeout=10))

    def _locking(self) -> Any:
        """A connection of their own for locks: they outlast what goes wrong in a transaction."""
        import psycopg

        return self._kept_alive(psycopg.connect(self._place, connect_timeout=10, autocommit=True))

    def _kept_alive(self, connection: Any) -> Any:
        """A machine that is cut off has its locks no longer than a minute."""
        for name, value in (("idle", 30), ("interval", 10), ("count", 3)):
            connection.execute(f"SET tcp_keepalives_{name} = {value}")
        connection.commit()
        return connection

    def _make_tables(self) -> None:
        """Where they are not as this version has them; several who come first at the same time wait for each other."""
        if self.form() != PRESENT:
            self.bring_to(PRESENT)

    def form(self) -> int:
        """The number of its form, 0 for tables that are not there, or bear none. Raises :class:`OutsideFault` for a
        newer one."""
        with self._transaction() as connection:
            number = self._form(connection)
        if number > PRESENT:
            raise OutsideFault(
                f"journal {self._named}: of form {number}, made by a later version; this one knows forms up "
                f"to {PRESENT}",
                f"use that version, or have it bring the journal back: `legatum journal form {PRESENT}`",
            )
        return number

    def _form(self, connection: Any) -> int:
        if not self._columns(connection, "form"):
            return 0
        ((number,),) = connection.execute("SELECT number FROM form").fetchall()
        return int(number)

    def bring_to(self, number: int) -> None:
        """To another form, forward or back, all of it or nothing. What an earlier form has no place for is gone. Raises
        :class:`BadInput` for a form that there never was."""
        if not 1 <= number <= PRESENT:
            raise BadInput(f"a journal has no form {number}", f"there are 1 to {PRESENT}")
        kinds = self._dialect._asdict()
        with self._alone() as connection:
            found = self._form(connection)
            for form in FORMS[found:number]:
                for statement in form.made:
                    connection.execute(statement.format_map(kinds))
                for table, column, definition in form.columns:
                    if column not in self._columns(connection, table):
                        connection.execute(f"ALTER TABLE {table} ADD COLUMN {column} {definition.format_map(kinds)}")
                for statement in form.filled:
                    connection.execute(statement)
            for form in reversed(FORMS[number:found]):
                for table in form.dropped:
                    connection.execute(f"DROP TABLE {table}")
                for table, column, _ in form.columns:
                    connection.execute(f"ALTER TABLE {table} DROP COLUMN {column}")
            connection.execute("CREATE TABLE IF NOT EXISTS form (number BIGINT NOT NULL)")
            connection.execute("DELETE FROM form")
            connection.execute(f"INSERT INTO form VALUES ({number})")

    def copy_to(self, other: "Database") -> int:
        """Every row as it is now, whatever others write meanwhile, into one that has none, all or nothing. How many.
        Raises :class:`BadInput` where something is there already."""
        with self._transaction() as source, other._alone() as target:
            source.execute(
                "BEGIN" if self._file is not None else "SET TRANSACTION ISOLATION LEVEL REPEATABLE READ, READ ONLY"
            )
            if any(target.execute(f"SELECT 1 FROM {table} LIMIT 1").fetchall() for table in KEPT):
                raise BadInput(
                    f"{other._named}: there is a journal with entries already", "give a place where there is none"
                )
            count = 0
            for table in KEPT:
                columns = sorted(self._columns(source, table))
                rows = source.cursor() if self._file is not None else source.cursor(name=f"all_{table}")
                rows.execute(f"SELECT {', '.join(columns)} FROM {table}")
                while part := rows.fetchmany(_PART):
                    other._put(target, table, [dict(zip(columns, row, strict=True)) for row in part])
                    count += len(part)
                rows.close()
            other._count_on(target)
        return count

    def _count_on(self, connection: Any) -> None:
        """New rows get numbers after those that were put in."""
        if self._file is None:
            for table in NUMBERED:
                last = f"SELECT setval(pg_get_serial_sequence('{table}', 'number'), max(number)) FROM {table}"
                connection.execute(f"{last} HAVING max(number) IS NOT NULL")

    @property
    def is_shared(self) -> bool:
        """By machines: no file."""
        return self._file is None

    @property
    def named(self) -> str:
        """Where it is, for people."""
        return self._named

    @contextmanager
    def _alone(self) -> Iterator[Any]:
        """A transaction in which tables are made: nobody else makes any meanwhile."""
        with self._transaction() as connection:
            if self._file is not None:
                connection.execute("BEGIN IMMEDIATE")
            else:
                connection.execute("SELECT pg_advisory_xact_lock(%s)", (_MAKING,))
            yield connection

    def _columns(self, connection: Any, table: str) -> set[str]:
        if self._file is not None:
            return {row[1] for row in connection.execute(f"PRAGMA table_info({table})").fetchall()}
        said = "SELECT attname FROM pg_attribute WHERE attrelid = to_regclass(%s) AND attnum > 0 AND NOT attisdropped"
        return {row[0] for row in connection.execute(said, (table,)).fetchall()}

    def check_room(self) -> None:
        """Raises :class:`OutsideFault` where what is done could not be recorded afterwards."""
        if self._file is not None and shutil.disk_usage(self._file.parent).free < _ROOM:
            raise OutsideFault(
                f"journal {self._file}: the disk is nearly full", "make room; nothing outside was touched"
            )

    def rows(self, statement: str, *values: Any) -> list[Any]:
        """What a question gives, whole; ``?`` stands for each value."""
        with self._transaction() as connection:
            found: list[Any] = connection.execute(self._marked(statement), values).fetchall()
        return found

    def take(self, numbers: Sequence[int]) -> int | None:
        """Locks, until they are released or this process is no more; where somebody else has one, none is taken, and
        that one given."""
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

    def remove(self, table: str, key: str, value: object) -> None:
        with self._transaction() as connection:
            connection.execute(self._marked(f"DELETE FROM {table} WHERE {key} = ?"), (value,))

    def _put(self, connection: Any, table: str, rows: Sequence[Row]) -> None:
        if rows:
            connection.cursor().executemany(self._insertion(table, rows[0]), [tuple(each.values()) for each in rows])

    def _insertion(self, table: str, row: Row) -> str:
        given = " OVERRIDING SYSTEM VALUE" if self._file is None and "number" in row else ""
        return self._marked(f"INSERT INTO {table} ({', '.join(row)}){given} VALUES ({', '.join('?' * len(row))})")

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
        remedy = "nothing more is done outside without a journal: make it writable, then the same command goes on"
        if "No space left" in reason or "disk is full" in reason:
            remedy = (
                "nothing more is done outside without a journal: make room on its disk, then the same command goes on"
            )
        if self._file is None and "permission denied for schema" in reason:
            remedy = "let somebody who may make tables use it once, then GRANT this role the use of them"
        return OutsideFault(f"journal {self._named}: {reason}", remedy)


def _beside(file: Path) -> Path:
    return file.with_name(f"{file.name}.locks")


def _postgresql(place: str) -> type[Exception]:
    """What its library raises. Raises :class:`BadInput` for another database, a password, or where the library is
    missing."""
    if not place.startswith("postgresql://"):
        raise BadInput(
            f"journal: no database by {place.partition('://')[0]}://", "give a file, or postgresql://HOST/DATABASE"
        )
    if urlsplit(place).password is not None:
        raise BadInput(
            "journal: a password does not belong into the settings", "PostgreSQL takes it from PGPASSWORD or ~/.pgpass"
        )
    try:
        import psycopg
    except ImportError:
        raise BadInput("journal: PostgreSQL needs the library psycopg", "pip install 'legatum[postgresql]'") from None
    error: type[Exception] = psycopg.Error
    return error
