"""What the catalogue holds of a kind against what a source says now: what comes, changes and goes."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence

import msgspec
import numpy as np

from kathodos.columns.dictionary import (
    DictionaryColumn,
    Ints,
    Scalar,
    always,
    dictionary_column,
    in_common,
    matches,
    row_numbers,
    rows_of,
)
from kathodos.ingest.checking import Checked
from kathodos.model.kinds import Kind
from kathodos.store.records import Stored

Key = tuple[Scalar, ...]
SEPARATOR = ";"  # between the names of the sources that a record was put together from


class Present(msgspec.Struct, frozen=True):
    """The records of a kind that the catalogue holds now, with their row numbers and sources."""

    kind: Kind
    rows: Ints
    sources: DictionaryColumn
    columns: list[DictionaryColumn]

    @property
    def keys(self) -> list[DictionaryColumn]:
        return [self.columns[self.kind.names.index(name)] for name in self.kind.key]

    def of(self, source: str) -> Ints:
        """The positions of the records that this source alone brought."""
        return self._by(lambda names: names == [source], is_kept_here=False)

    def of_others(self, source: str) -> Ints:
        """The positions of the records that some other source has a part in, or that are kept here by no source."""
        return self._by(lambda names: any(name != source for name in names), is_kept_here=True)

    def _by(self, is_wanted: Callable[[list[str]], bool], is_kept_here: bool) -> Ints:
        wanted = [is_wanted(str(names).split(SEPARATOR)) for names in self.sources.values]
        return np.array([*wanted, is_kept_here])[self.sources.codes].nonzero()[0]

    def positions(self, keys: Sequence[DictionaryColumn]) -> Ints:
        """Where the records with these keys are; -1 for those that there are not."""
        wanted, held = numbered_keys(keys, self.keys)
        return matches(wanted, held)

    def positions_of(self, keys: Iterable[Key]) -> Ints:
        """As `positions`, for keys one by one."""
        columns = [dictionary_column(column) for column in zip(*keys, strict=True)]
        return self.positions(columns) if columns else np.zeros(0, dtype=np.int64)

    def records(self, positions: Ints) -> Iterator[Key]:
        """The values of some records."""
        return rows_of(self.columns, positions)


def present_in(records: Stored, kind: Kind) -> Present:
    """What the catalogue holds of a kind."""
    columns = [records.column(kind, name) for name in kind.names]
    return Present(kind, records.rows(kind), records.sources(kind), columns)


class Comparison(msgspec.Struct):
    """What one kind of a source makes of the catalogue.

    `new` are the records that come, followed by those that change; `came` counts the first. `gone` and `replaced`
    are positions in `present`; `replaced` in the order of those that change. `shared`: positions in the checked table
    of the records that another source speaks of too, with where the catalogue holds them (-1: nowhere).
    """

    kind: Kind
    present: Present
    new: list[DictionaryColumn]
    sources: DictionaryColumn
    came: int
    replaced: Ints
    gone: Ints
    same: int
    set_aside: int
    held: int
    shared: tuple[Ints, Ints]

    @property
    def changed(self) -> int:
        return len(self.replaced)


def compare(checked: Checked, present: Present, source: str, covers: bool, claimed: set[Key]) -> Comparison:
    """The table of a source against the catalogue. `claimed`: keys that several sources speak of already."""
    kind = checked.kind
    at = present.positions(checked.keys())
    mine = np.zeros(len(present.rows) + 1, dtype=bool)
    mine[present.of(source)] = True
    is_shared = (at >= 0) & ~mine[at] & (not kind.a_log)
    if claimed:
        is_shared |= np.fromiter((key in claimed for key in rows_of(checked.keys())), dtype=bool, count=len(at))
    is_mine = (at >= 0) & mine[at] & ~is_shared
    same = is_mine.copy()
    for new, old in zip(checked.columns, present.columns, strict=True) if is_mine.any() else ():
        one, other = in_common(new, old)
        same[is_mine] &= one[is_mine] == other[at[is_mine]]
    came, changed = ((at < 0) & ~is_shared).nonzero()[0], (is_mine & ~same).nonzero()[0]
    order = np.concatenate([came, changed])
    gone = mine[:-1].copy()
    gone[at[at >= 0]] = False
    aside = present.positions_of(checked.aside)
    gone[aside[aside >= 0]] = False
    shared = is_shared.nonzero()[0]
    return Comparison(
        kind,
        present,
        [column.taken(order) for column in checked.columns],
        always(source, len(order)),
        len(came),
        at[changed],
        gone.nonzero()[0] if covers and not kind.a_log else np.zeros(0, dtype=np.int64),
        int(same.sum()),
        checked.set_aside,
        int(mine.sum()),
        (shared, at[shared]),
    )


def numbered_keys(first: Sequence[DictionaryColumn], second: Sequence[DictionaryColumn]) -> tuple[Ints, Ints]:
    """A number for each row of both, the same for the same values."""
    if not len(second[0]):
        return np.arange(len(first[0])), np.zeros(0, dtype=np.int64)
    pairs = [in_common(one, other) for one, other in zip(first, second, strict=True)]
    numbers = row_numbers([np.concatenate(pair) for pair in pairs])
    return numbers[: len(first[0])], numbers[len(first[0]) :]
