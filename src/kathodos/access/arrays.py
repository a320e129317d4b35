"""Array types, and lists of lists kept as two arrays (compressed sparse rows)."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

Ints = npt.NDArray[np.int64]
Bools = npt.NDArray[np.bool_]


@dataclass(frozen=True)
class Lists:
    """List i is `items[starts[i]:starts[i + 1]]`."""

    starts: Ints
    items: Ints

    def __len__(self) -> int:
        return len(self.starts) - 1

    def __getitem__(self, row: int) -> Ints:
        return self.items[self.starts[row] : self.starts[row + 1]]

    def of(self, rows: Ints) -> tuple[Ints, Ints]:
        """The lists of `rows` put together: for each item the position in `rows` it is from, and the item."""
        sizes = self.starts[rows + 1] - self.starts[rows]
        origin = np.repeat(np.arange(len(rows)), sizes)
        offsets = np.arange(len(origin)) - np.repeat(np.cumsum(sizes) - sizes, sizes)
        return origin, self.items[np.repeat(self.starts[rows], sizes) + offsets]

    def turned(self, size: int) -> Lists:
        """For each of `size` items the rows whose lists hold it."""
        rows = np.repeat(np.arange(len(self)), np.diff(self.starts))
        return lists_from(self.items, rows, size)


def lists_from(rows: Ints, items: Ints, size: int) -> Lists:
    """`size` lists made of the pairs (row, item); a row's items keep their order."""
    order = np.argsort(rows, kind="stable")
    starts = np.zeros(size + 1, dtype=np.int64)
    np.cumsum(np.bincount(rows, minlength=size), out=starts[1:])
    return Lists(starts, items[order])


def lists_of(rows: Iterable[Iterable[int]]) -> Lists:
    """Lists made of Python ones."""
    listed = [list(row) for row in rows]
    starts = np.zeros(len(listed) + 1, dtype=np.int64)
    np.cumsum([len(row) for row in listed], out=starts[1:])
    return Lists(starts, ints(item for row in listed for item in row))


def ints(values: Iterable[int]) -> Ints:
    """The values as an array."""
    return np.fromiter(values, dtype=np.int64)


def bools(values: Iterable[object]) -> Bools:
    """The truth of the values as an array."""
    return np.fromiter((bool(value) for value in values), dtype=bool)


def spread(edges: Lists, start: Ints, size: int) -> Bools:
    """Which of `size` nodes can be reached from `start` along `edges`, `start` included. Cycles cost nothing extra."""
    reached = np.zeros(size, dtype=bool)
    reached[start] = True
    fresh = start
    while len(fresh):
        _, ahead = edges.of(fresh)
        fresh = np.unique(ahead[~reached[ahead]])
        reached[fresh] = True
    return reached
