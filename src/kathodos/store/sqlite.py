"""The store in SQLite: one file, in its write-ahead mode."""

from __future__ import annotations

import contextlib
import os
from collections.abc import Iterator, Sequence
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np

from kathodos import thresholds
from kathodos.columns.csr import Ints
from kathodos.columns.dictionary import DictionaryColumn, column_from_arrow, dictionary_column
from kathodos.errors import DataError
from kathodos.model.kinds import Kind
from kathodos.store.base import Reader, Store, Writer
from kathodos.store.blocks import LAST, Block, block_of
from kathodos.store.modes import OWNER, made
from kathodos.store.sql import NO_TEXT, SQLReader, SQLWriter, columns_read, columns_written
from kathodos.store.upgrades import names_then, schema
from kathodos.store.upgrades.schema import BYTES, NUMBER, TEXT
from kathodos.store.versions import VersionRow, Versions, must_be_known, new_versions

_OWN = "sqlite_"  # how what the database makes for itself is called
_KEPT_AS = {TEXT: "text", NUMBER: "integer", BYTES: "blob"}  # how the database calls what it keeps
_REMEDIES = {
    "full": "The disk is full. Nothing was changed; make room and run the command again.",
    "disk i/o error": "The disk does not take it (full, or at a limit). Nothing was changed; make room.",
    "readonly": "The file or its folder may not be written. Ask for write access, or work on a copy.",
    "unable to open": "The file or its folder may not be opened. Check that you may read and write both.",
    "not a database": "The file is damaged. Put it back from a copy; nothing was changed by this command.",
    "malformed": "The file is damaged. Put it back from a copy; nothing was changed by this command.",
    "no such table": "It was not made by `kathodos init`, or is damaged. Put it back from a copy.",
    "no such column": "It is not as its version has it: it was altered, or is damaged. Put it back from a copy.",
}


class SQLiteStore(Store):
    """A store in one file. `wait`: seconds to wait while another process writes; `mode`: of the files that it makes."""

    def __init__(self, file: Path, wait: float, mode: int = OWNER) -> None:
        self.file = file
        self.wait = wait
        self.mode = mode
        self.folder = file.with_name(file.name + ".computed")

    @property
    def files(self) -> list[Path]:
        return [self.file.with_name(self.file.name + end) for end in ("", "-wal", "-shm")]

    @property
    def place(self) -> str:
        return self.file.name

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

    def create(self, versions: Versions | None = None) -> None:
        from sqlalchemy.dialects import sqlite

        from kathodos.store.tables import statements

        if not self.file.exists():
            made(self.file, self.mode)
        with self._explaining(), contextlib.closing(self._open()) as connection:
            connection.execute("PRAGMA journal_mode=WAL")
            connection.execute("BEGIN IMMEDIATE")
            writer, versions = _SQLiteWriter(connection), versions or new_versions()
            if not writer.is_made:
                for statement in statements(sqlite.dialect(), 0, versions.newest.version):
                    connection.execute(statement)
                writer.say_versions(versions)
            connection.execute("COMMIT")

    @contextlib.contextmanager
    def reading(self) -> Iterator[Reader]:
        self._must_exist()
        with self._explaining(), contextlib.closing(self._open()) as connection:
            connection.execute("BEGIN")
            reader = _SQLiteReader(connection)
            must_be_known(reader.versions, self.place)
            yield reader

    @contextlib.contextmanager
    def write(self) -> Iterator[Writer]:
        self._must_exist()
        with self._explaining(), contextlib.closing(self._open()) as connection:
            connection.execute("BEGIN IMMEDIATE")
            try:
                writer = _SQLiteWriter(connection)
                must_be_known(writer.versions, self.place)
                yield writer
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
        except UnicodeDecodeError as error:  # the database's words for an error are no text either
            raise self._explained("it is malformed") from error
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


class _SQLiteReader(SQLReader):
    def __init__(self, connection: Any) -> None:
        self._connection = connection

    def _ask(self, query: str, *parameters: Any) -> Iterator[tuple[Any, ...]]:
        import sqlite3

        try:
            rows = self._connection.execute(query, parameters).fetchall()
        except sqlite3.OperationalError as error:
            if not self._reads_anything(error):
                raise
            rows = self._connection.execute(query, parameters).fetchall()
        yield from rows

    def _reads_anything(self, error: Exception) -> bool:
        """Lets texts be read from now on that somebody made no texts of; whether that was what is wrong."""
        if "decode" not in str(error) or self._connection.text_factory is not str:
            return False
        self._connection.text_factory = partial(bytes.decode, encoding="utf-8", errors="surrogateescape")
        return True

    @property
    def is_made(self) -> bool:
        """Whether the database holds a store."""
        return self._is_there("ledger")

    def _is_there(self, table: str) -> bool:
        return any(self._ask("SELECT 1 FROM sqlite_master WHERE type = 'table' AND name = ?", table))

    def strangers(self) -> list[str]:
        found = []
        expected = {(kind, name): text for kind, name, _, text in _objects_of(_made(self.version))}
        there = {
            (str(kind), str(name)): (str(table), text) for kind, name, table, text in _objects_of(self._connection)
        }
        for (kind, name), (table, text) in there.items():
            if name.startswith(_OWN) and kind in ("table", "index"):
                continue
            where = f" on {table}" if table != name else ""
            if (kind, name) not in expected:
                found.append(f"the {kind} {name}{where} was not made by this tool")
            elif _spaced(text) != _spaced(expected[kind, name]):
                found.append(f"the {kind} {name} is not as it was made: {_spaced(text)[:200]}")
        lacking = [it for it in expected if it not in there and not it[1].startswith(_OWN)]
        found += [f"the {kind} {name} is missing" for kind, name in lacking]
        return found + (self._odd_values() if not found else [])

    def _odd_values(self) -> list[str]:
        """Rows of the ledger's tables with values that are of no kind that was written there."""
        found = []
        here = schema(self.version)
        for table in here.ledger:
            odd = " OR ".join(f"typeof(\"{it.name}\") <> '{_KEPT_AS[it.form]}'" for it in here.columns(table))
            ((count,),) = self._ask(f"SELECT count(*) FROM {table} WHERE {odd}")
            if count:
                found.append(f"{count} of the rows of {table} hold values of another kind than were written")
        return found

    def damages(self) -> list[str]:
        return [text for (text,) in self._ask("PRAGMA integrity_check(20)") if text != "ok"]

    def blocks(self, kind: Kind, first: int = 1, last: int = LAST) -> Iterator[Block]:
        if not names_then(kind.name, self.version):
            return
        columns_asked = columns_read(kind, self.version)
        query = f'SELECT {columns_asked} FROM "{kind.name}" WHERE "row" BETWEEN ? AND ? ORDER BY "row"'
        parts = self._parts(query, first, last)
        while part := next(parts, None):
            columns: list[list[Any]] = [[] for _ in part[0]]
            while part:
                for column, values in zip(columns, zip(*part, strict=True), strict=True):
                    column += values
                part = next(parts, None) if len(columns[0]) + thresholds.SQLITE_READ <= thresholds.BLOCK else None
            yield block_of([_numbers(it) for it in columns[:4]], [_coded(it) for it in columns[4:]])

    def _parts(self, query: str, first: int, last: int) -> Iterator[list[tuple[Any, ...]]]:
        """Rows, so many at a time."""
        import sqlite3

        cursor = self._connection.execute(query, (first, last))
        while True:
            try:
                part = cursor.fetchmany(thresholds.SQLITE_READ)
            except sqlite3.OperationalError as error:
                if not self._reads_anything(error):
                    raise
                cursor = self._connection.execute(query, (first, last))
                continue
            if not part:
                return
            first = part[-1][0] + 1
            yield part


class _SQLiteWriter(_SQLiteReader, SQLWriter):
    def _do(self, statement: str, *parameters: Any) -> None:
        self._connection.execute(statement, parameters)

    def put_rows(self, kind: Kind, block: Block) -> None:
        filled = tuple(at for at, it in enumerate(block.columns) if it.holds_anything)  # nothing need not be written
        names, positions = columns_written(kind, self.version, filled)
        marks = ", ".join("?" * (5 + len(positions)))
        statement = f'INSERT INTO "{kind.name}" ({names}) VALUES ({marks})'
        for lists in block.only(positions).lists(thresholds.SQLITE_WRITTEN):
            self._connection.executemany(statement, zip(*lists, strict=True))

    def upgrade(self, row: VersionRow) -> None:
        from sqlalchemy.dialects import sqlite

        from kathodos.store.tables import statements

        for statement in statements(sqlite.dialect(), self.version, row.version):
            self._connection.execute(statement)
        self.put_version(row)

    def close_rows(self, kind: Kind, entry: int, numbers: Sequence[int]) -> None:
        statement = f'UPDATE "{kind.name}" SET "until" = {entry:d} WHERE "row" = ?'
        self._connection.executemany(statement, ((number,) for number in numbers))


def _made(version: int) -> Any:
    """A database in memory as `create` makes one of a version."""
    import sqlite3

    from sqlalchemy.dialects import sqlite

    from kathodos.store.tables import statements

    connection = sqlite3.connect(":memory:")
    for statement in statements(sqlite.dialect(), 0, version):
        connection.execute(statement)
    return connection


def _objects_of(connection: Any) -> list[tuple[str, str, str, str]]:
    """What a database holds: kind, name, the table it belongs to, and the statement of each."""
    return list(connection.execute("SELECT type, name, tbl_name, sql FROM sqlite_master ORDER BY type, name"))


def _spaced(text: object) -> str:
    return " ".join(str(text).split())


def _coded(values: list[Any]) -> DictionaryColumn:
    """Values as they were read as a column: many texts by Arrow, which is quicker; whatever is none by itself."""
    if len(values) > thresholds.FEW_READ and set(map(type, values)) <= {str, type(None)}:
        import pyarrow as pa

        with contextlib.suppress(UnicodeEncodeError):  # half a character
            return column_from_arrow(pa.chunked_array([pa.array(values, pa.string())]))
    return dictionary_column(f"{NO_TEXT}{value!r:.40}" if isinstance(value, bytes) else value for value in values)


def _numbers(values: list[Any]) -> Ints:
    """Kept whole numbers; what somebody put in the place of one is none that we would have kept, and told as -1."""
    if set(map(type, values)) <= {int}:
        return np.array(values, dtype=np.int64)
    return np.array([value if isinstance(value, int) else -1 for value in values], dtype=np.int64)


def _quoted(file: Path) -> str:
    from urllib.parse import quote

    return quote(str(file))
