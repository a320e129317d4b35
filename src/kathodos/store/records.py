"""Records read column by column, or looked up by what they hold: as the store keeps them at a point, or in memory."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import cached_property
from typing import Any, Protocol

import msgspec
import numpy as np

from kathodos import thresholds
from kathodos.columns.csr import Ints
from kathodos.columns.dictionary import (
    DictionaryColumn,
    Scalar,
    always,
    dictionary_column,
)
from kathodos.model.kinds import Kind
from kathodos.model.rows import Record, Rows, State, rows_from
from kathodos.store.history import Histories
from kathodos.store.kind_history import SOURCE, KindHistory

Key = tuple[Any, ...]
Wanted = Mapping[str, Sequence[Scalar]]


class Records(Protocol):
    """Where records are read from. All columns of a kind are in the same order."""

    def column(self, kind: Kind, name: str) -> DictionaryColumn:
        """One column of all records of a kind."""

    def rows(self, kind: Kind) -> Ints:
        """The number of the row of each record; those of records that are only assumed are below zero."""

    def some(self, kind: Kind, rows: Sequence[int]) -> Rows:
        """The records with these row numbers, in this order."""

    def rows_holding(self, kind: Kind, wanted: Wanted) -> Ints:
        """The row numbers of the records that hold one of some values in each of some columns, in order."""

    def holding(self, kind: Kind, wanted: Wanted) -> Rows:
        """The records that hold one of some values in each of some columns, in order."""

    def picked(self, kind: Kind, name: str, rows: Ints) -> DictionaryColumn:
        """One column of the records with these row numbers, in this order."""

    def sources(self, kind: Kind) -> DictionaryColumn:
        """Who brought each record of a kind."""

    def sources_at(self, kind: Kind, rows: Sequence[int]) -> list[Scalar]:
        """Who brought each of the records with these row numbers."""

    def with_key(self, kind: Kind, key: Key) -> Record | None:
        """The record with this key, if there is one."""


def columns_of(records: Records, kind: Kind, *columns: str) -> list[list[Any]]:
    """The columns of all records of a kind as lists: for kinds of which there are few."""
    return [records.column(kind, name).listed() for name in columns]


def rows_of(records: Records, kind: Kind, *columns: str) -> Rows:
    """The rows of a kind with only some of their columns: for kinds of which there are few."""
    values = {name: records.column(kind, name).listed() for name in columns}
    return Rows(kind, records.rows(kind).tolist(), values)


def positions_holding(records: Records, kind: Kind, wanted: Mapping[str, Any]) -> Ints:
    """The positions of the records that hold these values."""
    found: Ints | None = None
    for name, value in wanted.items():
        column = records.column(kind, name)
        code = column.code_of(value)
        found = (column.codes == code).nonzero()[0] if found is None else found[column.codes[found] == code]
    return found if found is not None else np.arange(len(records.rows(kind)))


def record_at(records: Records, kind: Kind, position: int) -> dict[str, Any]:
    """The record at a position."""
    return {name: records.column(kind, name).value(position) for name in kind.names}


class Stored(msgspec.Struct, frozen=True, dict=True):
    """What the store keeps after ledger entry `point` (None: the present)."""

    histories: Histories
    point: int | None = None

    @cached_property
    def _chosen(self) -> dict[str, Ints | None]:
        return {}

    def chosen(self, kind: Kind) -> Ints | None:
        """The positions among all rows of those of this state; None for all of them."""
        if kind.name not in self._chosen:
            self._chosen[kind.name] = self.history(kind).in_state(self.point)
        return self._chosen[kind.name]

    def history(self, kind: Kind) -> KindHistory:
        """All rows of a kind there ever were."""
        return self.histories.of(kind)

    def column(self, kind: Kind, name: str) -> DictionaryColumn:
        column, chosen = self.history(kind).column(name), self.chosen(kind)
        return column if chosen is None else column.taken(chosen)

    def rows(self, kind: Kind) -> Ints:
        rows, chosen = self.history(kind).rows, self.chosen(kind)
        return rows if chosen is None else rows[chosen]

    def some(self, kind: Kind, rows: Sequence[int]) -> Rows:
        history = self.history(kind)
        return history.records(history.at_rows(np.array(rows, dtype=np.int64)))

    def rows_holding(self, kind: Kind, wanted: Wanted) -> Ints:
        history = self.history(kind)
        return history.numbers(history.among(history.holding(wanted), self.point))

    def holding(self, kind: Kind, wanted: Wanted) -> Rows:
        history = self.history(kind)
        return history.records(history.among(history.holding(wanted), self.point))

    def picked(self, kind: Kind, name: str, rows: Ints) -> DictionaryColumn:
        history = self.history(kind)
        positions = history.at_rows(rows)
        if len(rows) > thresholds.FEW_PICKED:
            return history.column(name).taken(positions)
        return dictionary_column(history.listed(name, positions))

    def with_key(self, kind: Kind, key: Key) -> Record | None:
        return first_of(self.holding(kind, with_key(kind, key)))

    def sources(self, kind: Kind) -> DictionaryColumn:
        """Who brought each record."""
        return self.column(kind, SOURCE)

    def sources_at(self, kind: Kind, rows: Sequence[int]) -> list[Scalar]:
        history = self.history(kind)
        return history.listed(SOURCE, history.at_rows(np.array(rows, dtype=np.int64)))


class Few(msgspec.Struct, frozen=True):
    """Records of which, of some kinds, the columns are only of those with some row numbers, in that order.

    What is looked up by what it holds is looked up among all.
    """

    records: Records
    only: Mapping[str, Ints]

    def column(self, kind: Kind, name: str) -> DictionaryColumn:
        rows = self.only.get(kind.name)
        return self.records.column(kind, name) if rows is None else self.records.picked(kind, name, rows)

    def rows(self, kind: Kind) -> Ints:
        return self.only[kind.name] if kind.name in self.only else self.records.rows(kind)

    def sources(self, kind: Kind) -> DictionaryColumn:
        rows = self.only.get(kind.name)
        if rows is None:
            return self.records.sources(kind)
        return dictionary_column(self.records.sources_at(kind, rows.tolist()))

    def some(self, kind: Kind, rows: Sequence[int]) -> Rows:
        return self.records.some(kind, rows)

    def rows_holding(self, kind: Kind, wanted: Wanted) -> Ints:
        return self.records.rows_holding(kind, wanted)

    def holding(self, kind: Kind, wanted: Wanted) -> Rows:
        return self.records.holding(kind, wanted)

    def picked(self, kind: Kind, name: str, rows: Ints) -> DictionaryColumn:
        return self.records.picked(kind, name, rows)

    def sources_at(self, kind: Kind, rows: Sequence[int]) -> list[Scalar]:
        return self.records.sources_at(kind, rows)

    def with_key(self, kind: Kind, key: Key) -> Record | None:
        return self.records.with_key(kind, key)


class InMemory(msgspec.Struct, frozen=True, dict=True):
    """Records held as rows of each kind; a kind that is not held has none."""

    state: State

    @cached_property
    def _known(self) -> dict[tuple[str, str], DictionaryColumn]:
        return {}

    def column(self, kind: Kind, name: str) -> DictionaryColumn:
        if (kind.name, name) not in self._known:
            rows = self.state.get(kind.name)
            self._known[kind.name, name] = dictionary_column(rows[name] if rows is not None else [])
        return self._known[kind.name, name]

    def rows(self, kind: Kind) -> Ints:
        rows = self.state.get(kind.name)
        return np.array(rows.ids if rows is not None else [], dtype=np.int64)

    def sources(self, kind: Kind) -> DictionaryColumn:
        return always(None, len(self.rows(kind)))

    def sources_at(self, kind: Kind, rows: Sequence[int]) -> list[Scalar]:
        return [None] * len(rows)

    def some(self, kind: Kind, rows: Sequence[int]) -> Rows:
        held = self.state.get(kind.name, rows_from(kind, []))
        at = {row: position for position, row in enumerate(held.ids)}
        values = held.values()
        return rows_from(kind, [(row, *values[at[row]]) for row in rows])

    def rows_holding(self, kind: Kind, wanted: Wanted) -> Ints:
        found = np.ones(len(self.rows(kind)), dtype=bool)
        for name, values in wanted.items():
            found &= self.column(kind, name).holding_any(values)
        return self.rows(kind)[found]

    def holding(self, kind: Kind, wanted: Wanted) -> Rows:
        return self.some(kind, self.rows_holding(kind, wanted).tolist())

    def picked(self, kind: Kind, name: str, rows: Ints) -> DictionaryColumn:
        return dictionary_column(self.some(kind, rows.tolist())[name])

    def with_key(self, kind: Kind, key: Key) -> Record | None:
        return first_of(self.holding(kind, with_key(kind, key)))


def with_key(kind: Kind, key: Key) -> Wanted:
    """What the record with a key holds."""
    return {name: [part] for name, part in zip(kind.key, key, strict=True)}


def first_of(rows: Rows) -> Record | None:
    """The first of some records, if there is one."""
    return next(iter(rows.records()), None)
