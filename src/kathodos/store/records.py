"""Records read column by column: as the store keeps them at a point, as they are in memory, or as they would be."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from functools import cached_property
from typing import Any, Protocol

import msgspec
import numpy as np

from kathodos.columns.csr import Ints
from kathodos.columns.dictionary import DictionaryColumn, always, appended, dictionary_column, positions_among
from kathodos.columns.dictionary import rows_of as rows_of_columns
from kathodos.columns.ordered import insertion_points
from kathodos.model.kinds import BY_NAME, Kind
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

    def sources(self, kind: Kind) -> DictionaryColumn:
        """Who brought each record of a kind."""

    def with_key(self, kind: Kind, key: Key) -> Record | None:
        """The record with this key, if there is one."""


class Edit(msgspec.Struct, frozen=True):
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
        at = insertion_points(history.rows, np.array(rows, dtype=np.int64))
        columns = {name: history.listed(name, at) for name in kind.names}
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
        at = np.array(there[:1], dtype=np.int64)
        return {name: history.listed(name, at)[0] for name in kind.names} if there else None

    def sources(self, kind: Kind) -> DictionaryColumn:
        """Who brought each record."""
        return self.column(kind, SOURCE)


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

    def some(self, kind: Kind, rows: Sequence[int]) -> Rows:
        held = self.state[kind.name]
        at = {row: position for position, row in enumerate(held.ids)}
        values = held.values()
        return rows_from(kind, [(row, *values[at[row]]) for row in rows])

    def with_key(self, kind: Kind, key: Key) -> Record | None:
        rows = self.state[kind.name]
        records = zip(rows.record_keys(), rows.values(), strict=True)
        return next((dict(zip(kind.names, values, strict=True)) for held, values in records if held == key), None)


class KindEdits(msgspec.Struct, frozen=True):
    """Of one kind: the positions of the records that go, ascending; what comes, in the kind's order; who brings it."""

    gone: Ints
    come: Sequence[DictionaryColumn]
    sources: DictionaryColumn

    def __len__(self) -> int:
        return len(self.gone) + len(self.sources)


class Edited(msgspec.Struct, frozen=True, dict=True):
    """Records as they would be with some edits. A record that comes has the row number -1, -2 and so on, by kind."""

    records: Records
    edits: Mapping[str, KindEdits]

    @cached_property
    def _staying(self) -> dict[str, Ints | None]:
        return {}

    def staying(self, kind: Kind) -> Ints | None:
        """The positions of the records that stay; None for all of them."""
        if kind.name not in self._staying:
            edits = self.edits.get(kind.name)
            found: Ints | None = None
            if edits is not None and len(edits.gone):
                stays = np.ones(len(self.records.rows(kind)), dtype=bool)
                stays[edits.gone] = False
                found = stays.nonzero()[0]
            self._staying[kind.name] = found
        return self._staying[kind.name]

    def column(self, kind: Kind, name: str) -> DictionaryColumn:
        edits = self.edits.get(kind.name)
        come = edits.come[kind.names.index(name)] if edits is not None and len(edits.sources) else None
        return self._with(kind, self.records.column(kind, name), come)

    def sources(self, kind: Kind) -> DictionaryColumn:
        edits = self.edits.get(kind.name)
        return self._with(kind, self.records.sources(kind), edits.sources if edits is not None else None)

    def _with(self, kind: Kind, column: DictionaryColumn, come: DictionaryColumn | None) -> DictionaryColumn:
        staying = self.staying(kind)
        kept = column if staying is None else column.taken(staying)
        return kept if come is None else appended(kept, come.compact())  # only what its rows hold

    def rows(self, kind: Kind) -> Ints:
        rows, staying = self.records.rows(kind), self.staying(kind)
        kept = rows if staying is None else rows[staying]
        edits = self.edits.get(kind.name)
        return kept if edits is None else np.concatenate([kept, -1 - np.arange(len(edits.sources))])

    def some(self, kind: Kind, rows: Sequence[int]) -> Rows:
        made = [row for row in rows if row < 0]
        if not made:
            return self.records.some(kind, rows)
        come = rows_of_columns(self.edits[kind.name].come, np.array([-1 - row for row in made]))
        by_row = dict(zip(made, come, strict=True))
        kept = self.records.some(kind, [row for row in rows if row > 0])
        by_row |= dict(zip(kept.ids, kept.values(), strict=True))
        return rows_from(kind, [(row, *by_row[row]) for row in rows])

    def with_key(self, kind: Kind, key: Key) -> Record | None:
        edits = self.edits.get(kind.name)
        if edits is None:
            return self.records.with_key(kind, key)
        if len(edits.sources):
            keys = [edits.come[kind.names.index(name)] for name in kind.key]
            for at, held in enumerate(rows_of_columns(keys)):
                if held == key:
                    (values,) = rows_of_columns(edits.come, np.array([at]))
                    return dict(zip(kind.names, values, strict=True))
        if np.isin(positions_of_keys(self.records, kind, [key]), edits.gone).any():
            return None
        return self.records.with_key(kind, key)


def edits_of(edited: Edited, kinds: Iterable[Kind]) -> Edits:
    """The edits of some kinds, record by record."""
    found = {}
    for kind in kinds:
        edits = edited.edits.get(kind.name)
        if edits is not None and len(edits):
            rows = edited.records.rows(kind)[edits.gone].tolist()
            gone = edited.records.some(kind, rows).values()
            come = rows_of_columns(edits.come)
            found[kind.name] = Edit(*([dict(zip(kind.names, it, strict=True)) for it in some] for some in (gone, come)))
    return found


def edited(records: Records, edits: Edits) -> Edited:
    """Records as they would be with some edits."""
    by_kind = {}
    for name, edit in edits.items():
        kind = BY_NAME[name]
        gone = positions_of_keys(records, kind, [_key(kind, record) for record in edit.gone])
        come = [dictionary_column([record[column] for record in edit.come]) for column in kind.names]
        by_kind[name] = KindEdits(np.sort(gone), come, always(None, len(edit.come)))
    return Edited(records, by_kind)


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
        distinct = list(dict.fromkeys(parts))
        codes = positions_among([part for part in distinct if part is not None], column.values)
        is_wanted = np.zeros(len(column.values) + 1, dtype=bool)
        is_wanted[codes[codes >= 0]] = True
        is_wanted[-1] = None in distinct
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
