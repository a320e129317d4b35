"""All rows of one kind that there ever were, in one or more parts, each part as columns and the rows from when to when.

A part is a file of columns that is mapped, or what was read from the store since. Whatever asks for few rows looks each
of them up in the part where it stands; only who asks for a whole column has the parts put together.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from functools import cached_property, partial, reduce

import numpy as np
import numpy.typing as npt

from kathodos import thresholds
from kathodos.columns.csr import Ints
from kathodos.columns.dictionary import DictionaryColumn, Numbers, Scalar, always, appended, tabled
from kathodos.columns.ordered import insertion_points
from kathodos.columns.strings import StringTable
from kathodos.model.kinds import Kind
from kathodos.model.rows import Rows
from kathodos.store.computed import Arrays

SOURCE = "source"
STANDS = 2**31 - 1  # by which entry a row was closed that is open, among 32-bit entry numbers
NOTHING: Ints = np.zeros(0, dtype=np.int64)

Closed = tuple[Ints, Ints]  # the numbers of rows, ascending, and the entry that closed each
NOT_CLOSED: Closed = (NOTHING, NOTHING)


class Part:
    """Some rows of one kind, ascending by number, with the entries that opened and closed each."""

    def __init__(self, rows: Ints, since: Ints, until: Ints, column: Callable[[str], DictionaryColumn]) -> None:
        self.rows, self.since, self.until = rows, since, until
        self._make = column
        self._columns: dict[str, DictionaryColumn] = {}

    def __len__(self) -> int:
        return len(self.rows)

    def column(self, name: str) -> DictionaryColumn:
        """One column of these rows; `source` is who brought each."""
        if name not in self._columns:
            self._columns[name] = self._make(name)
        return self._columns[name]

    def holding(self, wanted: Mapping[str, Sequence[Scalar]]) -> Ints:
        """The positions that hold one of some values in each of some columns."""
        columns = {name: self.column(name) for name in wanted}
        found: Ints | None = None
        for name in sorted(wanted, key=lambda it: -len(columns[it].values)):  # first what tells most apart
            codes = columns[name].codes_of(wanted[name])
            held = columns[name].codes if found is None else columns[name].codes[found]
            if 0 < len(codes) <= thresholds.FEW_HELD:
                is_held = held == codes[0]
                for code in codes[1:].tolist():
                    is_held |= held == code
            else:
                is_wanted = np.zeros(len(columns[name].values) + 1, dtype=bool)
                is_wanted[codes] = True
                is_held = is_wanted[held]
            found = is_held.nonzero()[0] if found is None else found[is_held]
        return np.arange(len(self)) if found is None else found


def part_in(arrays: Arrays) -> Part:
    """The part that named arrays hold, as `KindHistory.arrays` makes them."""
    return Part(arrays["rows"], arrays["since"], arrays["until"], partial(_column_in, arrays))


class KindHistory:
    """All rows of one kind there ever were, in the order of their numbers.

    `closed`: rows that were closed after their part was made, and by which entry.
    """

    def __init__(self, kind: Kind, parts: Sequence[Part], closed: Closed = NOT_CLOSED) -> None:
        self.kind = kind
        self.parts = [it for it in parts if len(it)] or list(parts[:1])
        self.closed = closed
        self._begins = np.cumsum([0, *(len(it) for it in self.parts)])
        self._known: dict[str, DictionaryColumn] = {}

    @cached_property
    def rows(self) -> Ints:
        """The number of each row, ascending."""
        return self._whole([it.rows for it in self.parts])

    @cached_property
    def since(self) -> Ints:
        """The entry that opened each row."""
        return self._whole([it.since for it in self.parts])

    @cached_property
    def until(self) -> Ints:
        """The entry that closed each row; a number above all for those that are open."""
        until = self._whole([it.until for it in self.parts])
        rows, entries = self.closed
        if len(rows):
            until = np.array(until)
            until[insertion_points(self.rows, rows)] = entries
        return until

    @staticmethod
    def _whole(parts: Sequence[Ints]) -> Ints:
        return np.concatenate(parts) if len(parts) > 1 else parts[0]

    def column(self, name: str) -> DictionaryColumn:
        """One column over all rows; `source` is who brought each."""
        if name not in self._known:
            self._known[name] = reduce(appended, (it.column(name) for it in self.parts))
        return self._known[name]

    # What is asked of few rows

    def holding(self, wanted: Mapping[str, Sequence[Scalar]]) -> Ints:
        """The positions of the rows that hold one of some values in each of some columns."""
        found = [it.holding(wanted) + first for it, first in zip(self.parts, self._begins.tolist(), strict=False)]
        return np.concatenate(found)

    def at_rows(self, rows: Ints) -> Ints:
        """The positions of the rows with some numbers, each of which has to be there."""
        found = np.empty(len(rows), dtype=np.int64)
        starts = [int(it.rows[0]) for it in self.parts[1:]]
        which = np.searchsorted(starts, rows, side="right")
        for number, part in enumerate(self.parts):
            own = which == number
            found[own] = self._begins[number] + insertion_points(part.rows, rows[own])
        return found

    def among(self, positions: Ints, point: int | None) -> Ints:
        """Those of some positions, in order, whose rows belong to the state after an entry."""
        until = self.closed_by(positions)
        return positions[until == STANDS if point is None else (self.opened_by(positions) <= point) & (until > point)]

    def numbers(self, positions: Ints) -> Ints:
        """The numbers of the rows at some positions."""
        return self._some(positions, lambda it: it.rows)

    def opened_by(self, positions: Ints) -> Ints:
        """The entries that opened the rows at some positions."""
        return self._some(positions, lambda it: it.since)

    def closed_by(self, positions: Ints) -> Ints:
        """The entries that closed the rows at some positions; a number above all for those that are open."""
        until, (rows, entries) = self._some(positions, lambda it: it.until), self.closed
        if len(rows):
            numbers = self.numbers(positions)
            at = np.minimum(insertion_points(rows, numbers), len(rows) - 1)
            until = np.where(rows[at] == numbers, entries[at], until)
        return until

    def _some(self, positions: Ints, array: Callable[[Part], Ints]) -> Ints:
        found = np.empty(len(positions), dtype=np.int64)
        for part, own, at in self._placed(positions):
            found[own] = array(part)[at]
        return found

    def _placed(self, positions: Ints) -> Iterator[tuple[Part, npt.NDArray[np.bool_] | slice, Ints]]:
        """Each part with which of some positions stand in it, and where."""
        if len(self.parts) == 1:
            yield self.parts[0], slice(None), positions
            return
        which = np.searchsorted(self._begins[1:-1], positions, side="right")
        for number, part in enumerate(self.parts):
            own = which == number
            if own.any():
                yield part, own, positions[own] - self._begins[number]

    def listed(self, name: str, positions: Ints) -> list[Scalar]:
        """What some rows hold in a column, which is not put together for them."""
        if name in self._known or len(self.parts) == 1:
            return self.column(name).listed(positions)
        found = np.empty(len(positions), dtype=object)
        for part, own, at in self._placed(positions):
            found[own] = np.array(part.column(name).listed(at), dtype=object)
        return list(found.tolist())

    def records(self, positions: Ints) -> Rows:
        """Some rows with all that they hold."""
        columns = {name: self.listed(name, positions) for name in self.kind.names}
        return Rows(self.kind, self.numbers(positions).tolist(), columns)

    def highest(self, name: str) -> int:
        """The highest number that a column of numbers ever held; 0 where it held none."""
        values = (tabled(it.column(name).values) for it in self.parts)
        return max(int(it.array.max(initial=0)) if isinstance(it, Numbers) else 0 for it in values)

    # What is asked of all

    def in_state(self, point: int | None) -> Ints | None:
        """The positions of the rows that belong to the state after an entry; None where that is all of them."""
        open_ = self.until == STANDS if point is None else (self.since <= point) & (self.until > point)
        return None if open_.all() else open_.nonzero()[0]

    def between(self, first: int, second: int) -> tuple[Ints, Ints]:
        """The positions of the rows that go and that come from the state after one entry to that after another."""
        low, high = (np.logical_and(self.since <= it, self.until > it) for it in (first, second))
        return (low & ~high).nonzero()[0], (high & ~low).nonzero()[0]

    def ended_by(self, entries: Iterable[int]) -> Ints:
        """The positions of the rows that one of these entries closed."""
        return np.isin(self.until, list(entries)).nonzero()[0]

    def arrays(self) -> dict[str, npt.NDArray[np.generic]]:
        """All of it as named arrays."""
        arrays: dict[str, npt.NDArray[np.generic]] = {
            "rows": self.rows,
            "since": self.since.astype(np.int32),
            "until": self.until.astype(np.int32),
        }
        for name in (SOURCE, *self.kind.names):
            arrays |= _arrays_of(name, self.column(name).compact())
        return arrays


def nothing_of(kind: Kind) -> Part:
    """A part without a row."""
    columns = {name: always(None, 0) for name in (SOURCE, *kind.names)}
    return Part(NOTHING, NOTHING, NOTHING, columns.__getitem__)


def both_closed(first: Closed, second: Closed) -> Closed:
    """The rows that were closed by either."""
    rows, entries = (np.concatenate(some) for some in zip(first, second, strict=True))
    order = np.argsort(rows)
    return rows[order], entries[order]


def _arrays_of(name: str, column: DictionaryColumn) -> dict[str, npt.NDArray[np.generic]]:
    """A column as named arrays."""
    if isinstance(column.values, Numbers):
        numbers, rank = column.values.ordered()
        return {f"{name}.codes": np.append(rank, -1).astype(np.int32)[column.codes], f"{name}.numbers": numbers}
    arrays: dict[str, npt.NDArray[np.generic]] = {f"{name}.codes": column.codes}
    assert isinstance(column.values, StringTable)
    parts = {part: getattr(column.values, part) for part in ("starts", "content", "hashes", "by_hash")}
    return {**arrays, **{f"{name}.{part}": array for part, array in parts.items()}}


def _column_in(arrays: Arrays, name: str) -> DictionaryColumn:
    """A column of named arrays."""
    if f"{name}.numbers" in arrays:
        return DictionaryColumn(arrays[f"{name}.codes"], Numbers(arrays[f"{name}.numbers"], ascends=True))
    parts = (arrays[f"{name}.{part}"] for part in ("starts", "content", "hashes", "by_hash"))
    return DictionaryColumn(arrays[f"{name}.codes"], StringTable(*parts))
