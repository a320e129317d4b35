"""Records read column by column: as the store keeps them at a point, as they are in memory, or as they would be."""

from __future__ import annotations

import itertools
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Protocol

import sqlalchemy as sa

from kathodos.model.kinds import Kind
from kathodos.store.sqlite import TABLES, Rows, State, in_state, in_state_scanned, is_ended, opened_after

Columns = Sequence[Sequence[Any]]
Record = Mapping[str, Any]
ROW = "row"
_CHUNK = 1000  # rows that stay in the processor's cache while they are taken apart


class Records(Protocol):
    """Where records are read from."""

    def chunks(self, kind: Kind, *columns: str) -> Iterator[Columns]:
        """The columns of all records of a kind, some thousand at a time. `row` is the number of the record's row."""

    def some(self, kind: Kind, rows: Sequence[int]) -> Rows:
        """The records with these row numbers, in this order."""

    def with_key(self, kind: Kind, key: tuple[Any, ...]) -> Record | None:
        """The record with this key, if there is one."""


@dataclass(frozen=True)
class Edit:
    """Records of one kind that go and that come; one that changes goes as it was and comes as it is."""

    gone: Sequence[Record] = ()
    come: Sequence[Record] = ()

    def __len__(self) -> int:
        return len(self.gone) + len(self.come)


Edits = Mapping[str, Edit]


def columns_of(records: Records, kind: Kind, *columns: str) -> Columns:
    """The columns of all records of a kind."""
    parts = list(records.chunks(kind, *columns))
    return [list(itertools.chain.from_iterable(part[at] for part in parts)) for at in range(len(columns))]


def rows_of(records: Records, kind: Kind, *columns: str) -> Rows:
    """The rows of a kind with only some of their columns."""
    ids, *values = columns_of(records, kind, ROW, *columns)
    return Rows(kind, list(ids), dict(zip(columns, map(list, values), strict=True)))


@dataclass(frozen=True)
class Stored:
    """What the store keeps after ledger entry `point` (None: the present)."""

    connection: sa.Connection
    point: int | None = None

    def chunks(self, kind: Kind, *columns: str) -> Iterator[Columns]:
        table = TABLES[kind.name]
        query = _columns(table, columns).where(in_state_scanned(table, self.point)).order_by(table.c.row)
        text = str(query.compile(self.connection.engine, compile_kwargs={"literal_binds": True}))
        cursor = self.connection.connection.cursor()  # the driver's own: millions of rows pass through here
        try:
            cursor.execute(text)
            while part := cursor.fetchmany(_CHUNK):
                yield list(zip(*part, strict=True))
        finally:
            cursor.close()

    def some(self, kind: Kind, rows: Sequence[int]) -> Rows:
        table = TABLES[kind.name]
        found: dict[int, Sequence[Any]] = {}
        for first in range(0, len(rows), 500):
            wanted = table.c.row.in_(rows[first : first + 500])
            found.update((row[0], row) for row in self.connection.execute(_columns(table, _all(kind)).where(wanted)))
        return _rows(kind, [found[row] for row in rows])

    def with_key(self, kind: Kind, key: tuple[Any, ...]) -> Record | None:
        table = TABLES[kind.name]
        same = [table.c[name] == part for name, part in zip(kind.key, key, strict=True)]
        return next(iter(_read_records(self.connection, kind, sa.and_(in_state(table, self.point), *same))), None)


@dataclass(frozen=True)
class InMemory:
    """Records held as rows of each kind; a kind that is not held has none."""

    state: State

    def chunks(self, kind: Kind, *columns: str) -> Iterator[Columns]:
        rows = self.state.get(kind.name)
        if rows is not None and len(rows):
            yield [rows.ids if column == ROW else rows[column] for column in columns]

    def some(self, kind: Kind, rows: Sequence[int]) -> Rows:
        held = self.state[kind.name]
        at = {row: position for position, row in enumerate(held.ids)}
        values = held.values()
        return _rows(kind, [(row, *values[at[row]]) for row in rows])

    def with_key(self, kind: Kind, key: tuple[Any, ...]) -> Record | None:
        rows = self.state[kind.name]
        records = zip(rows.record_keys(), rows.values(), strict=True)
        return next((dict(zip(kind.names, values, strict=True)) for held, values in records if held == key), None)


@dataclass(frozen=True)
class Edited:
    """Records as they would be with some edits. A record that comes has the row number -1, -2 and so on, by kind."""

    records: Records
    edits: Edits

    def chunks(self, kind: Kind, *columns: str) -> Iterator[Columns]:
        edit = self.edits.get(kind.name, Edit())
        gone = {tuple(record[name] for name in kind.key) for record in edit.gone}
        if not gone:
            yield from self.records.chunks(kind, *columns)
        else:
            for part in self.records.chunks(kind, *columns, *kind.key):
                stays = [key not in gone for key in zip(*part[len(columns) :], strict=True)]
                yield [list(itertools.compress(column, stays)) for column in part[: len(columns)]]
        if edit.come:
            numbered = [{**record, ROW: -at} for at, record in enumerate(edit.come, 1)]
            yield [[record[column] for record in numbered] for column in columns]

    def some(self, kind: Kind, rows: Sequence[int]) -> Rows:
        come = self.edits.get(kind.name, Edit()).come
        kept = self.records.some(kind, [row for row in rows if row > 0])
        stored = dict(zip(kept.ids, kept.values(), strict=True))
        made = {row: tuple(come[-row - 1][name] for name in kind.names) for row in rows if row < 0}
        return _rows(kind, [(row, *(stored[row] if row > 0 else made[row])) for row in rows])

    def with_key(self, kind: Kind, key: tuple[Any, ...]) -> Record | None:
        edit = self.edits.get(kind.name, Edit())
        come, gone = (
            {tuple(record[name] for name in kind.key): record for record in some} for some in (edit.come, edit.gone)
        )
        if key in come or key in gone:
            return come.get(key)
        return self.records.with_key(kind, key)


def edits_between(connection: sa.Connection, kinds: Iterable[Kind], first: int, second: int) -> Edits:
    """What turns the state after ledger entry `first` into the one after `second`, which may be the earlier."""
    return {kind.name: edit for kind in kinds if len(edit := _edit(connection, kind, first, second))}


def _edit(connection: sa.Connection, kind: Kind, first: int, second: int) -> Edit:
    table = TABLES[kind.name]
    low, high = min(first, second), max(first, second)
    opened = sa.and_(opened_after(connection, table, low), table.c.since <= high, table.c.until > high)
    closed = sa.and_(is_ended(table), table.c.until > low, table.c.until <= high, table.c.since <= low)
    early, late = (_read_records(connection, kind, condition) for condition in (closed, opened))
    return Edit(early, late) if first <= second else Edit(late, early)


def rows_between(connection: sa.Connection, kinds: Iterable[Kind], first: int, second: int) -> int:
    """How many rows were opened or closed by the ledger entries between two."""
    low, high = min(first, second), max(first, second)
    total = 0
    for table in (TABLES[kind.name] for kind in kinds):
        opened = sa.and_(opened_after(connection, table, low), table.c.since <= high)
        closed = sa.and_(is_ended(table), table.c.until > low, table.c.until <= high)
        for condition in (opened, closed):
            total += connection.execute(sa.select(sa.func.count()).select_from(table).where(condition)).scalar_one()
    return int(total)


def earlier_values(connection: sa.Connection, kind: Kind, column: str, point: int | None) -> dict[str, list[str]]:
    """For each record of a kind the values that a column of it had in earlier states, up to ledger entry `point`."""
    table = TABLES[kind.name]
    (key,) = (table.c[name] for name in kind.key)
    ended = is_ended(table) if point is None else sa.and_(is_ended(table), table.c.until <= point)
    query = sa.select(key, table.c[column]).where(ended, table.c[column].is_not(None)).distinct().order_by(key)
    found: dict[str, list[str]] = {}
    for name, value in connection.execute(query):
        found.setdefault(name, []).append(value)
    return found


def _read_records(connection: sa.Connection, kind: Kind, condition: sa.ColumnElement[bool]) -> list[Record]:
    table = TABLES[kind.name]
    names = _all(kind)
    query = _columns(table, names).where(condition).order_by(table.c.row)
    return [dict(zip(names, row, strict=True)) for row in connection.execute(query)]


def _all(kind: Kind) -> tuple[str, ...]:
    return (ROW, *kind.names)


def _columns(table: sa.Table, names: Iterable[str]) -> sa.Select[Any]:
    return sa.select(*(table.c["until_" if name == "until" else name] for name in names))


def _rows(kind: Kind, values: Sequence[Sequence[Any]]) -> Rows:
    columns = list(zip(*values, strict=True)) or [()] * len(_all(kind))
    return Rows(kind, list(columns[0]), dict(zip(kind.names, map(list, columns[1:]), strict=True)))
