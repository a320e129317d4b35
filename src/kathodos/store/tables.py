"""The tables of the store: every kind of record as a system-versioned table, the ledger, its tree and its heads.

A row has `since` and `until`, numbers of ledger entries: it belongs to every state n with since <= n < until.
An update closes a row and opens another; nothing is deleted. Only the ledger writes (`kathodos.ledger`).
"""

from __future__ import annotations

from typing import Any

import sqlalchemy as sa

from kathodos.model.kinds import KINDS, Kind
from kathodos.store.sql import stored_name

METADATA = sa.MetaData()
_NUMBER = sa.BigInteger().with_variant(sa.Integer, "sqlite")  # there an INTEGER key is the order in which rows lie


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
    return sa.Table(kind.name, METADATA, *columns)


TABLES = {kind.name: _table(kind) for kind in KINDS}
LEDGER = sa.Table(
    "ledger",
    METADATA,
    sa.Column("number", sa.BigInteger, primary_key=True, autoincrement=False),
    sa.Column("time", sa.Text, nullable=False),
    sa.Column("actor", sa.Text, nullable=False),
    sa.Column("origin", sa.Text, nullable=False),
    sa.Column("kind", sa.Text, nullable=False),
    sa.Column("subjects", sa.Text, nullable=False),
    sa.Column("reason", sa.Text, nullable=False),
    sa.Column("payload", sa.Text, nullable=False),
    sa.Column("rows", sa.Text, nullable=False),
    sa.Column("settings", sa.Text, nullable=False),
    sa.Column("proof", sa.Text, nullable=False),
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
