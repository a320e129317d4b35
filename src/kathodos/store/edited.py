"""Records as they would be with some edits, and the edits between two states."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from functools import cached_property

import msgspec
import numpy as np

from kathodos.columns.csr import Bools, Ints
from kathodos.columns.dictionary import DictionaryColumn, Scalar, always, appended, dictionary_column, joined_columns
from kathodos.columns.dictionary import rows_of as rows_of_columns
from kathodos.model.kinds import BY_NAME, Kind
from kathodos.model.rows import Record, Rows, rows_from
from kathodos.store.history import Histories
from kathodos.store.records import Few, Key, Records, Stored, Wanted, first_of, with_key


class Edit(msgspec.Struct, frozen=True):
    """Records of one kind that go and that come; one that changes goes as it was and comes as it is."""

    gone: Sequence[Record] = ()
    come: Sequence[Record] = ()

    def __len__(self) -> int:
        return len(self.gone) + len(self.come)


Edits = Mapping[str, Edit]


class KindEdits(msgspec.Struct, frozen=True):
    """Of one kind: the row numbers of the records that go; what comes, in the kind's order; who brings it."""

    gone: Ints
    come: Sequence[DictionaryColumn]
    sources: DictionaryColumn

    def __len__(self) -> int:
        return len(self.gone) + len(self.sources)


class Edited(msgspec.Struct, frozen=True, dict=True):
    """Records as they would be with some edits. A record that comes has the row number -1, -2 and so on, by kind.

    Where what is edited is itself only assumed, these numbers go on behind those that it has.
    """

    records: Records
    edits: Mapping[str, KindEdits]

    def assumed(self, kind: Kind) -> int:
        """How many records of a kind have come by edits: by these, or by those beneath."""
        edits = self.edits.get(kind.name)
        return _assumed(self.records, kind) + (len(edits.sources) if edits is not None else 0)

    def _at(self, kind: Kind, rows: Ints) -> tuple[Bools, Ints]:
        """Which of some rows come by these edits, and their positions among what comes."""
        first = -1 - _assumed(self.records, kind)
        return rows <= first, first - rows[rows <= first]

    @cached_property
    def _staying(self) -> dict[str, Ints | None]:
        return {}

    def staying(self, kind: Kind) -> Ints | None:
        """The positions of the records that stay; None for all of them."""
        if kind.name not in self._staying:
            edits = self.edits.get(kind.name)
            found: Ints | None = None
            if edits is not None and len(edits.gone):
                found = (~np.isin(self.records.rows(kind), edits.gone)).nonzero()[0]
            self._staying[kind.name] = found
        return self._staying[kind.name]

    def column(self, kind: Kind, name: str) -> DictionaryColumn:
        edits = self.edits.get(kind.name)
        come = edits.come[kind.names.index(name)] if edits is not None and len(edits.sources) else None
        return self._with(kind, self.records.column(kind, name), come)

    def sources(self, kind: Kind) -> DictionaryColumn:
        edits = self.edits.get(kind.name)
        return self._with(kind, self.records.sources(kind), edits.sources if edits is not None else None)

    def sources_at(self, kind: Kind, rows: Sequence[int]) -> list[Scalar]:
        is_come, at = self._at(kind, np.array(rows, dtype=np.int64))
        if not len(at):
            return self.records.sources_at(kind, rows)
        come = iter(self.edits[kind.name].sources.listed(at))
        kept = iter(self.records.sources_at(kind, np.array(rows)[~is_come].tolist()))
        return [next(come if it else kept) for it in is_come.tolist()]

    def _with(self, kind: Kind, column: DictionaryColumn, come: DictionaryColumn | None) -> DictionaryColumn:
        staying = self.staying(kind)
        kept = column if staying is None else column.taken(staying)
        return kept if come is None else appended(kept, come.compact())  # only what its rows hold

    def rows(self, kind: Kind) -> Ints:
        rows, staying = self.records.rows(kind), self.staying(kind)
        kept = rows if staying is None else rows[staying]
        edits = self.edits.get(kind.name)
        if edits is None:
            return kept
        return np.concatenate([kept, -1 - _assumed(self.records, kind) - np.arange(len(edits.sources))])

    def some(self, kind: Kind, rows: Sequence[int]) -> Rows:
        is_come, at = self._at(kind, np.array(rows, dtype=np.int64))
        if not len(at):
            return self.records.some(kind, rows)
        come = iter(rows_of_columns(self.edits[kind.name].come, at))
        kept = iter(self.records.some(kind, np.array(rows)[~is_come].tolist()).values())
        values = (next(come if it else kept) for it in is_come.tolist())
        return rows_from(kind, [(row, *some) for row, some in zip(rows, values, strict=True)])

    def rows_holding(self, kind: Kind, wanted: Wanted) -> Ints:
        found, edits = self.records.rows_holding(kind, wanted), self.edits.get(kind.name)
        if edits is None:
            return found
        if len(edits.gone) and len(found):
            found = found[~np.isin(found, edits.gone)]
        come = np.ones(len(edits.sources), dtype=bool)
        for name, values in wanted.items():
            come &= edits.come[kind.names.index(name)].holding_any(values)
        return np.concatenate([found, -1 - _assumed(self.records, kind) - come.nonzero()[0]])

    def holding(self, kind: Kind, wanted: Wanted) -> Rows:
        return self.some(kind, self.rows_holding(kind, wanted).tolist())

    def picked(self, kind: Kind, name: str, rows: Ints) -> DictionaryColumn:
        is_come, own = self._at(kind, rows)
        kept = self.records.picked(kind, name, rows[~is_come])
        if not len(own):
            return kept
        come = self.edits[kind.name].come[kind.names.index(name)].taken(own)
        both, at = joined_columns([kept, come]), np.empty(len(rows), dtype=np.int64)
        at[~is_come], at[is_come] = np.arange(len(kept)), len(kept) + np.arange(len(come))
        return both.taken(at)

    def with_key(self, kind: Kind, key: Key) -> Record | None:
        return first_of(self.holding(kind, with_key(kind, key)))


def _assumed(records: Records, kind: Kind) -> int:
    """How many records of a kind are only assumed."""
    if isinstance(records, Few):
        return _assumed(records.records, kind)
    return records.assumed(kind) if isinstance(records, Edited) else 0


def edits_of(edited: Edited, kinds: Iterable[Kind]) -> Edits:
    """The edits of some kinds, record by record."""
    found = {}
    for kind in kinds:
        edits = edited.edits.get(kind.name)
        if edits is not None and len(edits):
            gone = edited.records.some(kind, edits.gone.tolist()).values()
            come = rows_of_columns(edits.come)
            found[kind.name] = Edit(*([dict(zip(kind.names, it, strict=True)) for it in some] for some in (gone, come)))
    return found


def edited(records: Records, edits: Edits) -> Edited:
    """Records as they would be with some edits."""
    by_kind = {}
    for name, edit in edits.items():
        kind = BY_NAME[name]
        gone = rows_of_keys(records, kind, [_key(kind, record) for record in edit.gone])
        come = [dictionary_column([record[column] for record in edit.come]) for column in kind.names]
        by_kind[name] = KindEdits(gone, come, always(None, len(edit.come)))
    return Edited(records, by_kind)


def _key(kind: Kind, record: Record) -> Key:
    return tuple(record[name] for name in kind.key)


def rows_of_keys(records: Records, kind: Kind, keys: Iterable[Key]) -> Ints:
    """The row numbers of the records with some keys, in order; what is not there is passed over."""
    wanted = set(keys)
    if not wanted:
        return np.zeros(0, dtype=np.int64)
    found = records.rows_holding(kind, dict(zip(kind.key, zip(*wanted, strict=True), strict=True)))
    if len(kind.key) == 1:
        return found
    held = zip(*(records.picked(kind, name, found).listed() for name in kind.key), strict=True)
    kept: Ints = found[np.fromiter((key in wanted for key in held), dtype=bool, count=len(found))]
    return kept


def edits_between(histories: Histories, kinds: Iterable[Kind], first: int, second: int) -> Edits:
    """What turns the state after ledger entry `first` into the one after `second`, which may be the earlier."""
    found = {}
    for kind in kinds:
        history = histories.of(kind)
        gone, come = (_with_rows(history.records(positions)) for positions in history.between(first, second))
        if gone or come:
            found[kind.name] = Edit(gone, come)
    return found


def edits_since(histories: Histories, kinds: Iterable[Kind], entry: int) -> Edits:
    """As `edits_between`, from the state after an entry to the present; only these records are read."""
    stored, found = Stored(histories), {}
    for kind in kinds:
        gone, come = (stored.some(kind, rows) for rows in histories.rows_since(kind, entry))
        if len(gone) or len(come):
            found[kind.name] = Edit(*(_with_rows(it) for it in (gone, come)))
    return found


def _with_rows(rows: Rows) -> list[Record]:
    return [{"row": row, **record} for row, record in rows.numbered()]


def rows_between(histories: Histories, kinds: Iterable[Kind], first: int, second: int) -> int:
    """How many rows differ between the states after two ledger entries."""
    return sum(len(part) for kind in kinds for part in histories.of(kind).between(first, second))
