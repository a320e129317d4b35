"""The store: every kind of record as a system-versioned table, in SQLite or whatever else the URL names.

A row has `since` and `until`, numbers of ledger entries: it belongs to every state n with since <= n < until.
An update closes a row and opens another; nothing is deleted. Only the ledger writes (`kathodos.ledger`).
"""

from __future__ import annotations

import contextlib
import os
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import sqlalchemy as sa
from sqlalchemy.engine import make_url

from kathodos.errors import DataError
from kathodos.model.kinds import KINDS, Kind

FOREVER = 2**62
METADATA = sa.MetaData()
_NUMBER = sa.BigInteger().with_variant(sa.Integer, "sqlite")  # there an INTEGER key is the order in which rows lie


def is_ended(table: sa.Table) -> sa.ColumnElement[bool]:
    """The condition that a row was closed; written out, so that the index of closed rows is used."""
    return table.c.until < sa.literal_column(str(FOREVER))


def opened_after(connection: sa.Connection, table: sa.Table, point: int) -> sa.ColumnElement[bool]:
    """The condition that a row was opened after ledger entry `point`: rows are numbered in the order of entries."""
    newest_first = sa.select(table.c.row).where(table.c.since <= point).order_by(table.c.row.desc()).limit(1)
    return table.c.row > int(connection.execute(newest_first).scalar() or 0)


def _table(kind: Kind) -> sa.Table:
    columns: list[sa.Column[Any]] = [
        sa.Column("row", _NUMBER, primary_key=True, autoincrement=False),
        sa.Column("since", sa.BigInteger, nullable=False),
        sa.Column("until", sa.BigInteger, nullable=False),
        sa.Column("mark", sa.BigInteger, nullable=False),
        sa.Column("source", sa.Text),
    ]
    for column in kind.columns:
        key = "until_" if column.name == "until" else column.name
        columns.append(sa.Column(key, sa.BigInteger if column.is_number else sa.Text))
    if kind.open_ended:
        columns.append(sa.Column("attributes", sa.Text))
    table = sa.Table(kind.name, METADATA, *columns)
    sa.Index(f"{kind.name}_ended", table.c.until, sqlite_where=is_ended(table))
    return table


TABLES = {kind.name: _table(kind) for kind in KINDS}
LEDGER = sa.Table(
    "ledger",
    METADATA,
    sa.Column("number", sa.BigInteger, primary_key=True, autoincrement=False),
    sa.Column("time", sa.Text, nullable=False),
    sa.Column("actor", sa.Text, nullable=False),
    sa.Column("kind", sa.Text, nullable=False),
    sa.Column("subjects", sa.Text, nullable=False),
    sa.Column("reason", sa.Text, nullable=False),
    sa.Column("payload", sa.Text, nullable=False),
    sa.Column("rows", sa.Text, nullable=False),
    sa.Column("leaf", sa.LargeBinary, nullable=False),
)
TREE = sa.Table(
    "ledger_tree",
    METADATA,
    sa.Column("level", sa.BigInteger, primary_key=True, autoincrement=False),
    sa.Column("position", sa.BigInteger, primary_key=True, autoincrement=False),
    sa.Column("hash", sa.LargeBinary, nullable=False),
)
HEADS = sa.Table(
    "ledger_heads",
    METADATA,
    sa.Column("size", sa.BigInteger, primary_key=True, autoincrement=False),
    sa.Column("time", sa.Text, nullable=False),
    sa.Column("root", sa.LargeBinary, nullable=False),
    sa.Column("signature", sa.LargeBinary, nullable=False),
)


@dataclass(frozen=True)
class Rows:
    """Rows of one kind as columns: `rows["login"][3]` is the login of the fourth. `ids` are the row numbers."""

    kind: Kind
    ids: list[int]
    columns: Mapping[str, list[Any]]

    def __len__(self) -> int:
        return len(self.ids)

    def __getitem__(self, column: str) -> list[Any]:
        return self.columns[column]

    def record_keys(self) -> list[tuple[Any, ...]]:
        """The identifying values of each row."""
        return list(zip(*(self.columns[name] for name in self.kind.key), strict=True))

    def values(self) -> list[tuple[Any, ...]]:
        """All values of each row, in the order of the kind's columns."""
        return list(zip(*(self.columns[name] for name in self.kind.names), strict=True))


State = Mapping[str, Rows]


class Store:
    """An open store. `connect` for reading, `write` for one writing transaction at a time."""

    def __init__(self, url: str, folder: Path, wait: float) -> None:
        self.url = make_url(url)
        self.wait = wait
        if self.url.get_backend_name() != "sqlite":
            raise DataError(
                f"The store {self.url.render_as_string()} is of a kind that is not supported.",
                "Write [store] url as sqlite:///FILE in kathodos.toml.",
            )
        self.file = folder / str(self.url.database)
        self.engine = sa.create_engine("sqlite://", creator=self._open, poolclass=sa.pool.NullPool)
        sa.event.listen(self.engine, "begin", _begin)

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
        """Makes the tables of a new store."""
        with self.told():
            with self.engine.connect() as connection:
                connection.exec_driver_sql("COMMIT")
                connection.exec_driver_sql("PRAGMA journal_mode=WAL")
            METADATA.create_all(self.engine)

    @contextlib.contextmanager
    def connect(self) -> Iterator[sa.Connection]:
        """A connection that sees one unchanging state."""
        self._must_exist()
        with self.told(), self.engine.connect() as connection:
            yield connection

    @contextlib.contextmanager
    def write(self) -> Iterator[sa.Connection]:
        """A connection that alone may write until it ends; all of it is kept or nothing."""
        self._must_exist()
        with self.told(), self.engine.connect().execution_options(writes=True) as connection, connection.begin():
            yield connection

    def damages(self, connection: sa.Connection) -> list[str]:
        """What the database itself finds wrong with its pages and indexes."""
        found = connection.exec_driver_sql("PRAGMA integrity_check(20)").scalars()
        return [str(text) for text in found if text != "ok"]

    def _must_exist(self) -> None:
        if not self.file.exists():
            raise DataError(
                f"The store {self.file} is not there.",
                "Put the file back from a copy, or make a new workspace with `kathodos init DIR`.",
            )

    @contextlib.contextmanager
    def told(self) -> Iterator[None]:
        """Turns the store's own errors into words about this store."""
        try:
            yield
        except sa.exc.DBAPIError as error:
            raise self._explained(str(error.orig)) from error
        except _sqlite_error() as error:
            raise self._explained(str(error)) from error

    def _explained(self, text: str) -> DataError:
        file = self.file
        remedies = {
            "locked": f"Another command has been writing for more than {self.wait:g} s. Try again when it is done.",
            "full": "The disk is full. Nothing was changed; make room and run the command again.",
            "disk i/o error": "The disk does not take it (full, or at a limit). Nothing was changed; make room.",
            "readonly": "The file or its folder may not be written. Ask for write access, or work on a copy.",
            "unable to open": "The file or its folder may not be opened. Check that you may read and write both.",
            "not a database": "The file is damaged. Put it back from a copy; nothing was changed by this command.",
            "malformed": "The file is damaged. Put it back from a copy; nothing was changed by this command.",
            "no such table": "It was not made by `kathodos init`, or is damaged. Put it back from a copy.",
            "no such column": "It was made by another version, or is damaged. Put it back from a copy.",
        }
        for mark, remedy in remedies.items():
            if mark in text.lower():
                return DataError(f"The store {file} could not be used: {text}.", remedy)
        return DataError(f"The store {file} could not be used: {text}.", "Check the file and the folder it is in.")


def latest(connection: sa.Connection) -> int:
    """The number of the newest ledger entry; 0 before the first."""
    return int(connection.execute(sa.select(sa.func.coalesce(sa.func.max(LEDGER.c.number), 0))).scalar_one())


def read_rows(connection: sa.Connection, kind: Kind, point: int | None = None) -> Rows:
    """The rows of `kind` in the state after ledger entry `point` (default: the present state)."""
    return _read(connection, kind, in_state(TABLES[kind.name], point))


def read_source(connection: sa.Connection, kind: Kind, source: str) -> Rows:
    """The present rows of `kind` that `source` brought."""
    table = TABLES[kind.name]
    return _read(connection, kind, sa.and_(in_state(table, None), table.c.source == source))


def in_state_scanned(table: sa.Table, point: int | None) -> sa.ColumnElement[bool]:
    """As `in_state`, for reading a whole kind in the order of its rows: no index helps there, so none is offered."""
    if point is None:
        return table.c.until + 0 == FOREVER
    return sa.and_(table.c.since + 0 <= point, table.c.until + 0 > point)


def in_state(table: sa.Table, point: int | None) -> sa.ColumnElement[bool]:
    """The condition that a row belongs to the state after ledger entry `point` (default: the present state)."""
    if point is None:
        return table.c.until == FOREVER
    return sa.and_(table.c.since <= point, table.c.until > point)


def read_state(connection: sa.Connection, kinds: tuple[Kind, ...], point: int | None = None) -> State:
    """The rows of several kinds, by kind name."""
    return {kind.name: read_rows(connection, kind, point) for kind in kinds}


def stored_columns(kind: Kind) -> list[sa.Column[Any]]:
    """The columns of the kind's table that hold its values, in the kind's order."""
    table = TABLES[kind.name]
    return [table.c["until_" if name == "until" else name] for name in kind.names]


def _read(connection: sa.Connection, kind: Kind, condition: sa.ColumnElement[bool]) -> Rows:
    table = TABLES[kind.name]
    query = sa.select(table.c.row, *stored_columns(kind), table.c.source).where(condition).order_by(table.c.row)
    found = connection.execute(query).fetchall()
    columns = [list(column) for column in zip(*found, strict=True)] or [[] for _ in range(len(kind.names) + 2)]
    return Rows(kind, columns[0], dict(zip((*kind.names, "source"), columns[1:], strict=True)))


def _begin(connection: sa.Connection) -> None:
    writes = connection.get_execution_options().get("writes")
    connection.exec_driver_sql("BEGIN IMMEDIATE" if writes else "BEGIN")


def _sqlite_error() -> type[Exception]:
    import sqlite3

    return sqlite3.Error


def _quoted(file: Path) -> str:
    from urllib.parse import quote

    return quote(str(file))
