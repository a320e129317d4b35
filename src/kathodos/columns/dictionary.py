"""Columns in which each distinct value is kept once: `values[codes[n]]` is what row n holds, code -1 nothing.

What is to be read, checked or compared is then done once for each distinct value, and rows are only numbers.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np
import numpy.typing as npt

Scalar = str | int | None
Codes = npt.NDArray[np.int32]
Ints = npt.NDArray[np.int64]
_WIDEST = 2**62
_FEW = 50_000  # rows below which importing a faster library would take longer than it saves


@dataclass(frozen=True)
class DictionaryColumn:
    """One column. `codes` has an int32 for each row; no value is there twice, and None is none of them."""

    codes: Codes
    values: Sequence[Scalar]

    def __len__(self) -> int:
        return len(self.codes)

    def listed(self, positions: slice | Ints | None = None) -> list[Scalar]:
        """What the rows hold: all of them, or those at some positions."""
        codes = self.codes if positions is None else self.codes[positions]
        return list(self._objects[codes].tolist())

    @cached_property
    def _objects(self) -> npt.NDArray[np.object_]:
        """The values by code, nothing behind them."""
        objects = np.empty(len(self.values) + 1, dtype=object)
        objects[:-1] = self.values
        return objects

    def value(self, position: int) -> Scalar:
        """What one row holds."""
        code = int(self.codes[position])
        return self.values[code] if code >= 0 else None

    def taken(self, positions: Ints | npt.NDArray[np.bool_]) -> DictionaryColumn:
        """The column of only these rows."""
        return DictionaryColumn(self.codes[positions], self.values)

    def mapped(self, function: Callable[[Scalar], Scalar]) -> DictionaryColumn:
        """The column with a function applied to each value that is there; None leaves nothing."""
        return self.recoded([function(value) for value in self.values])

    def recoded(self, values: Iterable[Scalar]) -> DictionaryColumn:
        """The column with other values in the place of its own, in their order; they need not be distinct."""
        values = list(values)
        if values == self.values:
            return self
        coder = Encoder()
        codes = np.append(coder.codes(values), np.int32(-1))
        return DictionaryColumn(codes[self.codes], coder.values)

    def filled(self, value: Scalar) -> DictionaryColumn:
        """The column with a value where there was nothing."""
        if value is None or not (self.codes < 0).any():
            return self
        values = list(self.values)
        code = values.index(value) if value in values else len(values)
        return DictionaryColumn(
            np.where(self.codes < 0, np.int32(code), self.codes), values if code < len(values) else [*values, value]
        )


@dataclass
class Encoder:
    """Makes codes of values as they come: each new value gets the next code."""

    values: list[Scalar] = field(default_factory=list)
    _code: dict[Scalar, int] = field(default_factory=lambda: {None: -1})

    def codes(self, values: Iterable[Scalar]) -> Codes:
        """The codes of some values."""
        code, values = self._code, values if isinstance(values, Sequence) else list(values)
        fresh = [value for value in dict.fromkeys(values) if value not in code]
        code.update(zip(fresh, range(len(self.values), len(self.values) + len(fresh)), strict=True))
        self.values += fresh
        return np.fromiter(map(code.__getitem__, values), dtype=np.int32, count=len(values))


def dictionary_column(values: Iterable[Scalar]) -> DictionaryColumn:
    """A column of its values, row by row."""
    coder = Encoder()
    return DictionaryColumn(coder.codes(values), coder.values)


def column_from_arrow(whole: Any) -> DictionaryColumn:
    """An Arrow array in chunks as a column."""
    import pyarrow as pa

    whole = whole.dictionary_encode().combine_chunks()
    if isinstance(whole, pa.ChunkedArray):
        if not whole.num_chunks:
            return nothing(0)
        whole = whole.chunk(0)
    codes = whole.indices.fill_null(-1).to_numpy(zero_copy_only=False).astype(np.int32)
    return DictionaryColumn(codes, whole.dictionary.to_pylist())


def nothing(rows: int) -> DictionaryColumn:
    """A column that holds nothing in so many rows."""
    return DictionaryColumn(np.full(rows, -1, dtype=np.int32), [])


def always(value: Scalar, rows: int) -> DictionaryColumn:
    """A column that holds the same in each of so many rows."""
    return nothing(rows).filled(value)


def joined_columns(parts: Sequence[DictionaryColumn]) -> DictionaryColumn:
    """Columns one below the other."""
    coder = Encoder()
    codes = [np.append(coder.codes(part.values), np.int32(-1))[part.codes] for part in parts]
    return DictionaryColumn(np.concatenate(codes), coder.values)


def in_common(first: DictionaryColumn, second: DictionaryColumn) -> tuple[Codes, Codes]:
    """The codes of two columns, the same for the same value."""
    coder = Encoder()
    one, other = (np.append(coder.codes(column.values), np.int32(-1)) for column in (first, second))
    return one[first.codes], other[second.codes]


def row_numbers(columns: Sequence[Codes]) -> Ints:
    """A number for each row, the same for rows that are the same in all of these columns of codes."""
    total = np.zeros(len(columns[0]), dtype=np.int64)
    size = 1
    for codes in columns:
        width = int(codes.max(initial=-1)) + 2
        if size * width > _WIDEST:
            total = places(total)
            size = len(total) + 1
        total = total * width + (codes + 1)
        size *= width
    return total


def places(numbers: Ints) -> Ints:
    """The same numbers, renamed 0, 1, 2 in the order in which they come first."""
    if len(numbers) < _FEW:
        _, first, which = np.unique(numbers, return_index=True, return_inverse=True)
        rank = np.empty(len(first), dtype=np.int64)
        rank[np.argsort(first)] = np.arange(len(first))
        return rank[which]
    import pyarrow as pa

    return np.asarray(pa.array(numbers).dictionary_encode().indices, dtype=np.int64)


def first_of_each(numbers: Ints) -> Ints:
    """For each row the first row with the same number."""
    order = np.argsort(numbers, kind="stable")
    begins = np.ones(len(numbers), dtype=bool)
    np.not_equal(numbers[order[1:]], numbers[order[:-1]], out=begins[1:])
    start = np.maximum.accumulate(np.where(begins, np.arange(len(numbers)), 0))
    first = np.empty_like(order)
    first[order] = order[start]
    return first


def matches(wanted: Ints, among: Ints) -> Ints:
    """For each wanted number its position among others, none of which is there twice; -1 where it is not."""
    import pyarrow as pa
    import pyarrow.compute as pc

    found = pc.index_in(pa.array(wanted), value_set=pa.array(among))
    return np.asarray(found.fill_null(-1), dtype=np.int64)


def in_chunks(rows: int, most: int) -> Iterator[slice]:
    """Slices that together are so many rows, none of more than `most`."""
    return (slice(first, min(first + most, rows)) for first in range(0, rows, most))


def rows_of(columns: Sequence[DictionaryColumn], positions: slice | Ints | None = None) -> Iterator[tuple[Scalar, ...]]:
    """What the rows hold, a tuple each."""
    return zip(*(column.listed(positions) for column in columns), strict=True) if columns else iter(())


def distinct_pairs(first: Codes, second: Codes) -> tuple[Ints, Ints]:
    """For each row the number of its pair of codes, and for each pair the first row that has it."""
    numbers = places(row_numbers([first, second]))
    where = np.zeros(int(numbers.max(initial=-1)) + 1, dtype=np.int64)
    where[numbers[::-1]] = np.arange(len(numbers) - 1, -1, -1)
    return numbers, where
