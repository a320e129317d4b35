"""The tables of the store as statements: each kind of record as a system-versioned table, and the ledger.

A row has `since` and `until`, numbers of ledger entries: it belongs to every state n with since <= n < until.
An update closes a row and opens another; nothing is deleted. Only the ledger writes (`kathodos.ledger`).
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import sqlalchemy as sa
from sqlalchemy.schema import CreateTable

from kathodos.store.upgrades import schema, steps_between
from kathodos.store.upgrades.schema import BYTES, NUMBER, TEXT, StoredTable, stored_name

_NUMBER = sa.BigInteger().with_variant(sa.Integer, "sqlite")  # there an INTEGER key is the order in which rows lie
_TYPES = {TEXT: sa.Text, NUMBER: sa.BigInteger, BYTES: sa.LargeBinary}


def _table(table: StoredTable) -> sa.Table:
    columns: list[sa.Column[Any]] = []
    if table.is_record:
        columns = [
            sa.Column("row", _NUMBER, primary_key=True, autoincrement=False),
            sa.Column("since", sa.BigInteger, nullable=False),
            sa.Column("until", sa.BigInteger, nullable=False),
            sa.Column("checksum", sa.BigInteger, nullable=False),
            sa.Column("source", sa.Text),
        ]
    for it in table.columns:
        about: dict[str, Any] = {"primary_key": True, "autoincrement": False} if it.is_key else {}
        name, is_needed = stored_name(it.name) if table.is_record else it.name, not table.is_record
        columns.append(sa.Column(name, _TYPES[it.form], nullable=not is_needed, **about))
    return sa.Table(table.name, sa.MetaData(), *columns)


def created(table: StoredTable, dialect: Any, where_lacking: bool = False) -> str:
    """The statement that makes a table; `where_lacking`: only where it is not there."""
    made = str(CreateTable(_table(table), if_not_exists=where_lacking).compile(dialect=dialect)).strip()
    return made if dialect.name == "sqlite" else "\n".join(it.rstrip() for it in made.replace("\t", "  ").splitlines())


def statements(dialect: Any, before: int, after: int) -> Iterator[str]:
    """The statements that make a store of one version one of a later one. `before`: 0 where there is none yet."""
    if not before:
        yield from (created(table, dialect) for table in schema(1).tables.values())
    yield from (step.statement(dialect) for step in steps_between(max(before, 1), after))


def statements_where_lacking(dialect: Any, after: int) -> Iterator[str]:
    """The statements that make a store of some version of whatever is there in a database, nothing included."""
    yield from (created(table, dialect, where_lacking=True) for table in schema(1).tables.values())
    yield from (step.statement_where_lacking(dialect) for step in steps_between(1, after))
