"""Columns in which each distinct value is kept once: `values[codes[n]]` is what row n holds, code -1 nothing.

What is to be read, checked or compared is then done once for each distinct value, and rows are only numbers.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from functools import cached_property
from typing import Any

import msgspec
import numpy as np
import numpy.typing as npt

from kathodos import thresholds
from kathodos.columns.csr import distinct
from kathodos.columns.ordered import insertion_points, order_of
from kathodos.columns.strings import StringTable, string_table

Scalar = str | int | None
Codes = npt.NDArray[np.int32]
Ints = npt.NDArray[np.int64]
_WIDEST = 2**62


class Numbers(Sequence[Scalar]):
    """Whole numbers, each once, as an array; `ascends`: which is known to be in order."""

    def __init__(self, array: Ints, ascends: bool = False) -> None:
        self.array = array
        self.ascends = ascends

    def __len__(self) -> int:
        return len(self.array)

    def __getitem__(self, position: int) -> int:  # type: ignore[override]  # no slices
        return int(self.array[position])

    def __iter__(self) -> Iterator[Scalar]:
        return iter(self.array.tolist())

    def find(self, value: Scalar) -> int:
        """The position of a number; -1 where it is not there."""
        return int(self.positions_of(np.array([value], dtype=np.int64))[0]) if isinstance(value, int) else -1

    def positions_of(self, wanted: Ints) -> Ints:
        """The position of each of some numbers; -1 where it is not there."""
        return matches(wanted, self.array, self.ascends)

    def ordered(self) -> tuple[Ints, Ints]:
        """The numbers in order, and the position of each there."""
        order = order_of(self.array)
        rank = np.empty(len(order), dtype=np.int64)
        rank[order] = np.arange(len(order))
        return self.array[order], rank


class DictionaryColumn(msgspec.Struct, frozen=True, dict=True):
    """One column. `codes` has an int32 for each row; no value is there twice, and None is none of them.

    The values are a list, or a table of texts or of numbers that is mapped from a file and not held as objects.
    """

    codes: Codes
    values: Sequence[Scalar]

    def __len__(self) -> int:
        return len(self.codes)

    @property
    def holds_anything(self) -> bool:
        """Whether any row holds a value."""
        return bool(len(self.values)) and bool((self.codes >= 0).any())

    def listed(self, positions: slice | Ints | None = None) -> list[Scalar]:
        """What the rows hold: all of them, or those at some positions."""
        codes = self.codes if positions is None else self.codes[positions]
        if 4 * len(codes) < len(self.values) and not isinstance(self.values, list):
            used = distinct(codes)
            known: dict[int, Scalar] = {int(code): self.values[int(code)] for code in used if code >= 0}
            return [known.get(code) for code in codes.tolist()]
        return list(self._objects[codes].tolist())

    @cached_property
    def _objects(self) -> npt.NDArray[np.object_]:
        """The values by code, nothing behind them."""
        objects = np.empty(len(self.values) + 1, dtype=object)
        objects[:-1] = list(self.values)
        return objects

    def value(self, position: int) -> Scalar:
        """What one row holds."""
        code = int(self.codes[position])
        return self.values[code] if code >= 0 else None

    def code_of(self, value: Scalar) -> int:
        """The code of a value: -1 for nothing, -2 where no row holds it."""
        if value is None:
            return -1
        if isinstance(self.values, StringTable):
            found = self.values.find(value) if isinstance(value, str) else -1
        elif isinstance(self.values, Numbers):
            found = self.values.find(value)
        else:
            found = self.values.index(value) if value in self.values else -1
        return found if found >= 0 else -2

    def holding(self, value: Scalar) -> npt.NDArray[np.bool_]:
        """Which rows hold a value."""
        found: npt.NDArray[np.bool_] = self.codes == self.code_of(value)
        return found

    def codes_of(self, values: Iterable[Scalar]) -> Ints:
        """The codes of some values, each once, -1 for nothing; those that no row holds are left out."""
        some = dict.fromkeys(values)
        if isinstance(self.values, StringTable | Numbers):
            wanted = str if isinstance(self.values, StringTable) else int
            codes = positions_among([it for it in some if isinstance(it, wanted)], self.values)
            codes = codes[codes >= 0]
        else:  # a list, which is gone through once
            codes = np.array([code for code, it in enumerate(self.values) if it in some], dtype=np.int64)
        return np.append(codes, -1) if None in some else codes

    def holding_any(self, values: Iterable[Scalar]) -> npt.NDArray[np.bool_]:
        """Which rows hold one of some values."""
        wanted = np.zeros(len(self.values) + 1, dtype=bool)
        wanted[self.codes_of(values)] = True
        found: npt.NDArray[np.bool_] = wanted[self.codes]
        return found

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
        code = self.code_of(value)
        values = self.values if code >= 0 else [*self.values, value]
        code = code if code >= 0 else len(self.values)
        return DictionaryColumn(np.where(self.codes < 0, np.int32(code), self.codes), values)

    def compact(self) -> DictionaryColumn:
        """The column with its values in a table, those that no row holds left out."""
        codes, values = self.codes, self.values
        used = np.zeros(len(values) + 1, dtype=bool)
        used[codes] = True
        if not used[:-1].all():
            number = np.append(np.cumsum(used[:-1], dtype=np.int32) - 1, np.int32(-1))
            codes, values = number[codes], picked(values, used[:-1].nonzero()[0])
        return DictionaryColumn(np.ascontiguousarray(codes, dtype=np.int32), tabled(values))


def picked(values: Sequence[Scalar], positions: Ints) -> Sequence[Scalar]:
    """Some of the values of a column, in this order."""
    if isinstance(values, StringTable):
        return values.picked(positions)
    if isinstance(values, Numbers):
        return Numbers(values.array[positions])
    return [values[position] for position in positions.tolist()]


def tabled(values: Sequence[Scalar]) -> StringTable | Numbers:
    """Values, all of them texts or all of them numbers, as a table."""
    if isinstance(values, StringTable | Numbers):
        return values
    if len(values) and isinstance(values[0], int):
        return Numbers(np.array(values, dtype=np.int64))
    return string_table(map(str, values))


class Encoder(msgspec.Struct):
    """Makes codes of values as they come: each new value gets the next code."""

    values: list[Scalar] = msgspec.field(default_factory=list)
    _code: dict[Scalar, int] = msgspec.field(default_factory=lambda: {None: -1})

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
    if len(parts) == 1:
        return parts[0]
    coder = Encoder()
    codes = [np.append(coder.codes(part.values), np.int32(-1))[part.codes] for part in parts]
    return DictionaryColumn(np.concatenate(codes), coder.values)


def appended(first: DictionaryColumn, second: DictionaryColumn) -> DictionaryColumn:
    """A large column with a small one behind it; the codes of the first stay."""
    if not len(second):
        return first
    codes = codes_among(second.values, first.values)
    fresh = codes[:-1] >= len(first.values)
    values: Sequence[Scalar] = first.values
    if fresh.any():
        more = picked(second.values, fresh.nonzero()[0])
        if not len(first.values):
            values = tabled(more)
        elif isinstance(first.values, StringTable):
            values = first.values.without(
                np.zeros(0, dtype=np.int64), more if isinstance(more, StringTable) else map(str, more)
            )
        elif isinstance(first.values, Numbers):
            values = Numbers(np.concatenate([first.values.array, tabled(more).array]))  # type: ignore[union-attr]
        else:
            values = [*first.values, *more]
    return DictionaryColumn(np.concatenate([first.codes, codes[second.codes]]), values)


def in_common(first: DictionaryColumn, second: DictionaryColumn) -> tuple[Codes, Codes]:
    """The codes of two columns, the same for the same value."""
    if len(first.values) + len(second.values) < thresholds.FEW_WITHOUT_ARROW:
        coder = Encoder()
        one, other = (np.append(coder.codes(column.values), np.int32(-1)) for column in (first, second))
        return one[first.codes], other[second.codes]
    return first.codes, codes_among(second.values, first.values)[second.codes]


def codes_among(values: Sequence[Scalar], known: Sequence[Scalar]) -> Codes:
    """For each of some values its code among known ones, a code behind these where it is new; -1 behind them all."""
    found = positions_among(values, known)
    fresh = found < 0
    found[fresh] = len(known) + np.arange(int(fresh.sum()))
    return np.append(found, -1).astype(np.int32)


def positions_among(values: Sequence[Scalar], known: Sequence[Scalar]) -> Ints:
    """For each of some values its position among known ones; -1 where it is none of them."""
    if not len(values) or not len(known):
        return np.full(len(values), -1, dtype=np.int64)
    one, other = tabled(values), tabled(known)
    if isinstance(one, StringTable) and isinstance(other, StringTable):
        return other.positions_of(one)
    if isinstance(one, Numbers) and isinstance(other, Numbers):
        return other.positions_of(one.array)
    return np.full(len(values), -1, dtype=np.int64)


def row_numbers(columns: Sequence[Codes | Ints]) -> Ints:
    """A number for each row, the same for rows that are the same in all of these columns of codes."""
    total = np.zeros(len(columns[0]), dtype=np.int64)
    size = 1
    for codes in columns:
        width = int(codes.max(initial=-1)) + 2
        if size * width > _WIDEST:
            total = dense(total)
            size = len(total) + 1
        total = total * width + (codes + 1)
        size *= width
    return total


def dense(numbers: Ints) -> Ints:
    """The same numbers, renamed 0, 1, 2 in the order in which they come first."""
    if len(numbers) < thresholds.FEW_RENAMED:
        _, first, which = np.unique(numbers, return_index=True, return_inverse=True)
        rank = np.empty(len(first), dtype=np.int64)
        rank[np.argsort(first)] = np.arange(len(first))
        return rank[which]
    import pyarrow as pa

    indices = pa.array(numbers).dictionary_encode().indices
    return np.frombuffer(indices.buffers()[1], dtype=np.int32, count=len(numbers)).astype(
        np.int64
    )  # no pandas for this


def first_of_each(numbers: Ints) -> Ints:
    """For each row the first row with the same number."""
    order = order_of(numbers)
    begins = np.ones(len(numbers), dtype=bool)
    np.not_equal(numbers[order[1:]], numbers[order[:-1]], out=begins[1:])
    start = np.maximum.accumulate(np.where(begins, np.arange(len(numbers)), 0))
    first = np.empty_like(order)
    first[order] = order[start]
    return first


def matches(wanted: Ints, among: Ints, ascends: bool = False) -> Ints:
    """For each wanted number its position among others, none of which is there twice; -1 where it is not.

    `ascends`: these are known to be in order.
    """
    if not len(among):
        return np.full(len(wanted), -1, dtype=np.int64)
    order = None if ascends else order_of(among)
    at = np.minimum(insertion_points(among if order is None else among[order], wanted), len(among) - 1)
    found = at if order is None else order[at]
    return np.where(among[found] == wanted, found, -1)


def numbers_at(column: DictionaryColumn, at: Ints) -> Ints:
    """The numbers that some rows of a column of numbers hold; each of them has to hold one."""
    values = tabled(column.values)
    assert isinstance(values, Numbers) or not len(values)
    return values.array[column.codes[at]] if isinstance(values, Numbers) else np.zeros(len(at), dtype=np.int64)


def in_chunks(rows: int, most: int) -> Iterator[slice]:
    """Slices that together are so many rows, none of more than `most`."""
    return (slice(first, min(first + most, rows)) for first in range(0, rows, most))


def rows_of(columns: Sequence[DictionaryColumn], positions: slice | Ints | None = None) -> Iterator[tuple[Scalar, ...]]:
    """What the rows hold, a tuple each."""
    return zip(*(column.listed(positions) for column in columns), strict=True) if columns else iter(())


def distinct_pairs(first: Codes, second: Codes) -> tuple[Ints, Ints]:
    """For each row the number of its pair of codes, and for each pair the first row that has it."""
    numbers = dense(row_numbers([first, second]))
    where = np.zeros(int(numbers.max(initial=-1)) + 1, dtype=np.int64)
    where[numbers[::-1]] = np.arange(len(numbers) - 1, -1, -1)
    return numbers, where


def tabled_texts(column: DictionaryColumn) -> StringTable:
    """The distinct texts of a column."""
    values = tabled(column.values)
    return values if isinstance(values, StringTable) else string_table(map(str, values))
