"""Which entry of the ledger opened, and which closed, each row of a kind, as ranges of row numbers say it."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from kathodos.columns.csr import Ints, ints, joined
from kathodos.columns.ordered import insertion_points, order_of
from kathodos.store.blocks import FOREVER

Recorded = Iterable[tuple[range, int]]  # row numbers, and the entry


class Openings:
    """What entries opened. `firsts`, `ends`, `numbers`: the ranges in order, and the entry of each."""

    def __init__(self, ranges: Recorded) -> None:
        ordered = sorted((rows.start, rows.stop, number) for rows, number in ranges)
        self.firsts, self.ends, self.numbers = (
            np.array([one[at] for one in ordered], dtype=np.int64) for at in range(3)
        )

    def of(self, rows: Ints) -> Ints:
        """The entry that opened each row; 0 where none did."""
        if not len(self.firsts):
            return np.zeros(len(rows), dtype=np.int64)
        at = np.maximum(insertion_points(self.firsts, rows, side="right") - 1, 0)
        is_inside = (rows >= self.firsts[at]) & (rows < self.ends[at])
        return np.where(is_inside, self.numbers[at], 0)


class Closings:
    """What entries closed."""

    def __init__(self, ranges: Recorded) -> None:
        listed = list(ranges)
        rows = joined([np.arange(it.start, it.stop) for it, _ in listed])
        order = order_of(rows)
        self._rows = rows[order]
        self._numbers = np.repeat(ints(number for _, number in listed), ints(len(it) for it, _ in listed))[order]

    def of(self, rows: Ints) -> Ints:
        """The entry that closed each row, the last one that says so; FOREVER where none did."""
        ends = np.full(len(rows), FOREVER)
        at = insertion_points(self._rows, rows, side="right") - 1
        found = (at >= 0) & (self._rows[at] == rows) if len(self._rows) else np.zeros(len(rows), dtype=bool)
        ends[found] = self._numbers[at[found]]
        return ends
