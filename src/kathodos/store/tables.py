"""The tables of the store: every kind of record as a system-versioned table, the ledger, its tree and its heads.

A row has `since` and `until`, numbers of ledger entries: it belongs to every state n with since <= n < until.
An update closes a row and opens another; nothing is deleted. Only the ledger writes (`kathodos.ledger`).
"""

from __future__ import annotations

from typing import Any

import sqlalchemy as sa

from kathodos.model.kinds import KINDS, Kind
from kathodos.model.rows import Rows
from kathodos.store.base import FOREVER

METADATA = sa.MetaData()
_NUMBER = sa.BigInteger().with_variant(sa.Integer, "sqlite")  # there an INTEGER key is the order in which rows lie


def is_ended(table: sa.Table) -> sa.ColumnElement[bool]:
    """The condition that a row was closed; written out, so that the index of closed rows is used."""
    return table.c.until < sa.literal_column(str(FOREVER))


def _table(kind: Kind) -> sa.Table:
    columns: list[sa.Column[Any]] = [
        sa.Column("row", _NUMBER, primary_key=True, autoincrement=False),
        sa.Column("since", sa.BigInteger, nullable=False),
        sa.Column("until", sa.BigInteger, nullable=False),
        sa.Column("checksum", sa.BigInteger, nullable=False),
        sa.Column("source", sa.Text),
    ]
    for column in kind.columns:
        columns.append(sa.Column(stored_name(column.name), sa.BigInteger if column.is_number else sa.Text))
    if kind.open_ended:
        columns.append(sa.Column("attributes", sa.Text))
    table = sa.Table(kind.name, METADATA, *columns)
    sa.Index(f"{kind.name}_ended", table.c.until, sqlite_where=is_ended(table))
    return table


def stored_name(name: str) -> str:
    """The name of the table's column for a column of a kind: `until` is taken by the history."""
    return "until_" if name == "until" else name


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


def latest(connection: sa.Connection) -> int:
    """The number of the newest ledger entry; 0 before the first."""
    return int(connection.execute(sa.select(sa.func.coalesce(sa.func.max(LEDGER.c.number), 0))).scalar_one())


def in_state(table: sa.Table, point: int | None) -> sa.ColumnElement[bool]:
    """The condition that a row belongs to the state after ledger entry `point` (default: the present state)."""
    if point is None:
        return table.c.until == FOREVER
    return sa.and_(table.c.since <= point, table.c.until > point)


def stored_columns(kind: Kind) -> list[sa.Column[Any]]:
    """The columns of the kind's table that hold its values, in the kind's order."""
    table = TABLES[kind.name]
    return [table.c[stored_name(name)] for name in kind.names]


def read_rows(connection: sa.Connection, kind: Kind, point: int | None = None, **wanted: Any) -> Rows:
    """The rows of `kind` in the state after ledger entry `point` (default: the present) that hold what is wanted."""
    table = TABLES[kind.name]
    same = [table.c[stored_name(name)] == value for name, value in wanted.items()]
    return _read(connection, kind, sa.and_(in_state(table, point), *same))


def read_source(connection: sa.Connection, kind: Kind, source: str) -> Rows:
    """The present rows of `kind` that `source` brought."""
    table = TABLES[kind.name]
    return _read(connection, kind, sa.and_(in_state(table, None), table.c.source == source))


def _read(connection: sa.Connection, kind: Kind, condition: sa.ColumnElement[bool]) -> Rows:
    table = TABLES[kind.name]
    query = sa.select(table.c.row, *stored_columns(kind), table.c.source).where(condition).order_by(table.c.row)
    found = connection.execute(query).fetchall()
    columns = [list(column) for column in zip(*found, strict=True)] or [[] for _ in range(len(kind.names) + 2)]
    return Rows(kind, columns[0], dict(zip((*kind.names, "source"), columns[1:], strict=True)))
