"""Records read column by column: as the store keeps them at a point, as they are in memory, or as they would be."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any, Protocol

import numpy as np

from kathodos.columns.csr import Ints
from kathodos.columns.dictionary import DictionaryColumn, dictionary_column, joined_columns
from kathodos.model.kinds import Kind
from kathodos.model.rows import Record, Rows, State, rows_from
from kathodos.store.history import SOURCE, Histories, KindHistory

Key = tuple[Any, ...]


class Records(Protocol):
    """Where records are read from. All columns of a kind are in the same order."""

    def column(self, kind: Kind, name: str) -> DictionaryColumn:
        """One column of all records of a kind."""

    def rows(self, kind: Kind) -> Ints:
        """The number of the row of each record; those of records that are only assumed are below zero."""

    def some(self, kind: Kind, rows: Sequence[int]) -> Rows:
        """The records with these row numbers, in this order."""

    def with_key(self, kind: Kind, key: Key) -> Record | None:
        """The record with this key, if there is one."""


@dataclass(frozen=True)
class Edit:
    """Records of one kind that go and that come; one that changes goes as it was and comes as it is."""

    gone: Sequence[Record] = ()
    come: Sequence[Record] = ()

    def __len__(self) -> int:
        return len(self.gone) + len(self.come)


Edits = Mapping[str, Edit]


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


@dataclass(frozen=True)
class Stored:
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
        at = np.searchsorted(history.rows, np.array(rows, dtype=np.int64))
        columns = {name: history.column(name).listed(at) for name in kind.names}
        return Rows(kind, list(rows), columns)

    def with_key(self, kind: Kind, key: Key) -> Record | None:
        history = self.history(kind)
        found: Ints = np.arange(len(history.rows)) if not kind.key else np.zeros(0, dtype=np.int64)
        for number, (name, part) in enumerate(zip(kind.key, key, strict=True)):
            column = history.column(name)
            code = column.code_of(part)
            found = (column.codes == code).nonzero()[0] if not number else found[column.codes[found] == code]
        is_there = history.until[found] > (2**31 - 2) if self.point is None else history.until[found] > self.point
        if self.point is not None:
            is_there &= history.since[found] <= self.point
        there = found[is_there].tolist()
        return {name: history.column(name).value(there[0]) for name in kind.names} if there else None

    def sources(self, kind: Kind) -> DictionaryColumn:
        """Who brought each record."""
        return self.column(kind, SOURCE)


@dataclass(frozen=True)
class InMemory:
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

    def some(self, kind: Kind, rows: Sequence[int]) -> Rows:
        held = self.state[kind.name]
        at = {row: position for position, row in enumerate(held.ids)}
        values = held.values()
        return rows_from(kind, [(row, *values[at[row]]) for row in rows])

    def with_key(self, kind: Kind, key: Key) -> Record | None:
        rows = self.state[kind.name]
        records = zip(rows.record_keys(), rows.values(), strict=True)
        return next((dict(zip(kind.names, values, strict=True)) for held, values in records if held == key), None)


@dataclass(frozen=True)
class Edited:
    """Records as they would be with some edits. A record that comes has the row number -1, -2 and so on, by kind."""

    records: Records
    edits: Edits

    @cached_property
    def _staying(self) -> dict[str, Ints | None]:
        return {}

    def staying(self, kind: Kind) -> Ints | None:
        """The positions of the records that stay; None for all of them."""
        if kind.name not in self._staying:
            gone = self.edits.get(kind.name, Edit()).gone
            found: Ints | None = None
            if gone:
                stays = np.ones(len(self.records.rows(kind)), dtype=bool)
                stays[positions_of_keys(self.records, kind, [_key(kind, record) for record in gone])] = False
                found = stays.nonzero()[0]
            self._staying[kind.name] = found
        return self._staying[kind.name]

    def column(self, kind: Kind, name: str) -> DictionaryColumn:
        column, staying = self.records.column(kind, name), self.staying(kind)
        kept = column if staying is None else column.taken(staying)
        come = self.edits.get(kind.name, Edit()).come
        return joined_columns([kept, dictionary_column([record[name] for record in come])]) if come else kept

    def rows(self, kind: Kind) -> Ints:
        rows, staying = self.records.rows(kind), self.staying(kind)
        kept = rows if staying is None else rows[staying]
        return np.concatenate([kept, -1 - np.arange(len(self.edits.get(kind.name, Edit()).come))])

    def some(self, kind: Kind, rows: Sequence[int]) -> Rows:
        come = self.edits.get(kind.name, Edit()).come
        kept = self.records.some(kind, [row for row in rows if row > 0])
        stored = dict(zip(kept.ids, kept.values(), strict=True))
        made = {row: tuple(come[-row - 1][name] for name in kind.names) for row in rows if row < 0}
        return rows_from(kind, [(row, *(stored[row] if row > 0 else made[row])) for row in rows])

    def with_key(self, kind: Kind, key: Key) -> Record | None:
        edit = self.edits.get(kind.name, Edit())
        come, gone = ({_key(kind, record): record for record in some} for some in (edit.come, edit.gone))
        if key in come or key in gone:
            return come.get(key)
        return self.records.with_key(kind, key)


def _key(kind: Kind, record: Record) -> Key:
    return tuple(record[name] for name in kind.key)


def positions_of_keys(records: Records, kind: Kind, keys: Iterable[Key]) -> Ints:
    """The positions of the records with some keys; what is not there is passed over."""
    wanted = list(keys)
    if not wanted:
        return np.zeros(0, dtype=np.int64)
    found: Ints | None = None
    for name, parts in zip(kind.key, zip(*wanted, strict=True), strict=True):
        column = records.column(kind, name)
        codes = np.array([column.code_of(part) for part in dict.fromkeys(parts)], dtype=np.int64)
        is_wanted = np.zeros(len(column.values) + 1, dtype=bool)
        is_wanted[codes[codes > -2]] = True
        found = is_wanted[column.codes].nonzero()[0] if found is None else found[is_wanted[column.codes[found]]]
    assert found is not None
    if len(kind.key) == 1:
        return found
    held = zip(*(records.column(kind, name).listed(found) for name in kind.key), strict=True)
    among = set(wanted)
    kept: Ints = found[np.fromiter((key in among for key in held), dtype=bool, count=len(found))]
    return kept


def edits_between(histories: Histories, kinds: Iterable[Kind], first: int, second: int) -> Edits:
    """What turns the state after ledger entry `first` into the one after `second`, which may be the earlier."""
    found = {}
    for kind in kinds:
        history = histories.of(kind)
        gone, come = (_records_at(history, positions) for positions in history.between(first, second))
        if gone or come:
            found[kind.name] = Edit(gone, come)
    return found


def _records_at(history: KindHistory, positions: Ints) -> list[Record]:
    names = history.kind.names
    columns = [history.rows[positions].tolist(), *(history.column(name).listed(positions) for name in names)]
    return [dict(zip(("row", *names), values, strict=True)) for values in zip(*columns, strict=True)]


def rows_between(histories: Histories, kinds: Iterable[Kind], first: int, second: int) -> int:
    """How many rows differ between the states after two ledger entries."""
    return sum(len(part) for kind in kinds for part in histories.of(kind).between(first, second))
