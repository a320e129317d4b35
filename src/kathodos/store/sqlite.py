"""The store in SQLite: one file, in its write-ahead mode."""

from __future__ import annotations

import contextlib
import os
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

from kathodos.errors import DataError
from kathodos.model.kinds import Kind
from kathodos.store.base import FOREVER, Columns, EntryRow, Reader, Store, Writer
from kathodos.store.computed import Point

_CHUNK = 1000  # rows that stay in the processor's cache while they are taken apart
_REMEDIES = {
    "full": "The disk is full. Nothing was changed; make room and run the command again.",
    "disk i/o error": "The disk does not take it (full, or at a limit). Nothing was changed; make room.",
    "readonly": "The file or its folder may not be written. Ask for write access, or work on a copy.",
    "unable to open": "The file or its folder may not be opened. Check that you may read and write both.",
    "not a database": "The file is damaged. Put it back from a copy; nothing was changed by this command.",
    "malformed": "The file is damaged. Put it back from a copy; nothing was changed by this command.",
    "no such table": "It was not made by `kathodos init`, or is damaged. Put it back from a copy.",
    "no such column": "It was made by another version, or is damaged. Put it back from a copy.",
}


class SQLiteStore(Store):
    """A store in one file. `wait`: seconds to wait while another process writes."""

    def __init__(self, file: Path, wait: float) -> None:
        self.file = file
        self.wait = wait
        self.folder = file.with_name(file.name + ".computed")

    @property
    def files(self) -> list[Path]:
        return [self.file.with_name(self.file.name + end) for end in ("", "-wal", "-shm")]

    def _open(self) -> Any:
        import sqlite3

        mode = "rw" if self.file.exists() else "rwc"
        if mode == "rw" and self._is_read_only():
            mode = "ro&immutable=1"
        connection = sqlite3.connect(
            f"file:{_quoted(self.file)}?mode={mode}", uri=True, timeout=self.wait, isolation_level=None
        )
        connection.execute("PRAGMA synchronous=NORMAL")
        connection.execute(f"PRAGMA cache_size={-64 * 1024}")
        return connection

    def _is_read_only(self) -> bool:
        """Whether SQLite could not keep its journal here; then the file is read as it lies, if it is at rest."""
        at_rest = not self.file.with_name(self.file.name + "-wal").exists()
        return at_rest and not os.access(self.file.parent, os.W_OK)

    def create(self) -> None:
        import sqlalchemy as sa

        from kathodos.store.tables import METADATA

        with self._explaining():
            with contextlib.closing(self._open()) as connection:
                connection.execute("PRAGMA journal_mode=WAL")
            METADATA.create_all(sa.create_engine("sqlite://", creator=self._open, poolclass=sa.pool.NullPool))

    @contextlib.contextmanager
    def reading(self) -> Iterator[Reader]:
        self._must_exist()
        with self._explaining(), contextlib.closing(self._open()) as connection:
            connection.execute("BEGIN")
            yield _SQLiteReader(connection)

    @contextlib.contextmanager
    def write(self) -> Iterator[Writer]:
        self._must_exist()
        with self._explaining(), contextlib.closing(self._open()) as connection:
            connection.execute("BEGIN IMMEDIATE")
            try:
                yield _SQLiteWriter(connection)
            except BaseException:
                if connection.in_transaction:  # an error of the database may have ended it
                    connection.execute("ROLLBACK")
                raise
            connection.execute("COMMIT")

    def _must_exist(self) -> None:
        if not self.file.exists():
            raise DataError(
                f"The store {self.file} is not there.",
                "Put the file back from a copy, or make a new workspace with `kathodos init DIR`.",
            )

    @contextlib.contextmanager
    def _explaining(self) -> Iterator[None]:
        """Turns the database's own errors into words about this store."""
        import sqlite3

        try:
            yield
        except sqlite3.Error as error:
            raise self._explained(str(error)) from error
        except Exception as error:
            original = getattr(error, "orig", None)
            if not isinstance(original, sqlite3.Error):
                raise
            raise self._explained(str(original)) from error

    def _explained(self, text: str) -> DataError:
        waited = f"Another command has been writing for more than {self.wait:g} s. Try again when it is done."
        for fragment, remedy in {"locked": waited, **_REMEDIES}.items():
            if fragment in text.lower():
                return DataError(f"The store {self.file} could not be used: {text}.", remedy)
        return DataError(f"The store {self.file} could not be used: {text}.", "Check the file and the folder it is in.")


class _SQLiteReader(Reader):
    def __init__(self, connection: Any) -> None:
        self._connection = connection

    def _cursor(self) -> Any:
        return self._connection.cursor()

    def newest(self) -> Point:
        found = self._cursor().execute("SELECT number, leaf FROM ledger ORDER BY number DESC LIMIT 1").fetchone()
        return Point(int(found[0]), bytes(found[1]).hex()) if found else Point(0, "")

    def leaf(self, entry: int) -> str:
        found = self._cursor().execute("SELECT leaf FROM ledger WHERE number = ?", (entry,)).fetchone()
        return bytes(found[0]).hex() if found else ""

    def times(self) -> Iterator[tuple[int, str]]:
        for number, time in self._cursor().execute("SELECT number, time FROM ledger ORDER BY number DESC"):
            yield int(number), str(time)

    def rows_after(self, entry: int) -> list[tuple[int, str]]:
        query = 'SELECT number, "rows" FROM ledger WHERE number > ? ORDER BY number'
        return [(int(number), str(text)) for number, text in self._cursor().execute(query, (entry,))]

    def entries(self) -> Iterator[EntryRow]:
        query = 'SELECT number, time, actor, kind, subjects, reason, payload, "rows", leaf FROM ledger '
        for row in self._cursor().execute(query + "ORDER BY number DESC"):
            yield tuple(row)

    def heads(self) -> list[tuple[int, str, bytes, bytes]]:
        found = self._cursor().execute("SELECT size, time, root, signature FROM ledger_heads ORDER BY size")
        return [(size, time, bytes(root), bytes(signature)) for size, time, root, signature in found]

    def leaves(self) -> Iterator[tuple[int, bytes]]:
        for position, value in self._cursor().execute("SELECT position, hash FROM ledger_tree WHERE level = 0"):
            yield int(position), bytes(value)

    def scan(self, kind: Kind, size: int) -> Iterator[list[Any]]:
        cursor = self._cursor().execute(f'SELECT * FROM "{kind.name}" ORDER BY "row"')
        while part := cursor.fetchmany(size):
            yield part

    def damages(self) -> list[str]:
        return [text for (text,) in self._cursor().execute("PRAGMA integrity_check(20)") if text != "ok"]

    def history(self, kind: Kind, first: int = 0, last: int = FOREVER) -> Iterator[Columns]:
        names = ", ".join(f'"{"until_" if name == "until" else name}"' for name in kind.names)
        cursor = self._cursor().execute(
            f'SELECT "row", since, "until", source, {names} FROM "{kind.name}" '
            'WHERE "row" BETWEEN ? AND ? ORDER BY "row"',
            (first, last),
        )
        while part := cursor.fetchmany(_CHUNK):
            yield list(zip(*part, strict=True))


class _SQLiteWriter(_SQLiteReader, Writer):
    def next_row(self, kind: Kind) -> int:
        found = self._cursor().execute(f'SELECT coalesce(max("row"), 0) FROM "{kind.name}"').fetchone()
        return int(found[0]) + 1

    def open_rows(self, kind: Kind, entry: int, rows: Iterator[tuple[Any, ...]]) -> None:
        marks = ", ".join("?" * len(kind.names))
        statement = f'INSERT INTO "{kind.name}" VALUES (?, {entry:d}, {FOREVER:d}, ?, ?, {marks})'
        self._cursor().executemany(statement, rows)

    def close_rows(self, kind: Kind, entry: int, numbers: Sequence[int]) -> None:
        statement = f'UPDATE "{kind.name}" SET "until" = {entry:d} WHERE "row" = ?'
        self._cursor().executemany(statement, ((number,) for number in numbers))

    def node(self, level: int, position: int) -> bytes | None:
        query = "SELECT hash FROM ledger_tree WHERE level = ? AND position = ?"
        found = self._cursor().execute(query, (level, position)).fetchone()
        return bytes(found[0]) if found else None

    def put_node(self, level: int, position: int, value: bytes) -> None:
        statement = "INSERT INTO ledger_tree (level, position, hash) VALUES (?, ?, ?)"
        self._cursor().execute(statement, (level, position, value))

    def put_entry(self, entry: EntryRow) -> None:
        names = 'number, time, actor, kind, subjects, reason, payload, "rows", leaf'
        self._cursor().execute(f"INSERT INTO ledger ({names}) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)", entry)

    def put_head(self, size: int, time: str, root: bytes, signature: bytes) -> None:
        statement = "INSERT INTO ledger_heads (size, time, root, signature) VALUES (?, ?, ?, ?)"
        self._cursor().execute(statement, (size, time, root, signature))


def _quoted(file: Path) -> str:
    from urllib.parse import quote

    return quote(str(file))
