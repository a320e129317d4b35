"""What people reach of some pairs, looked at pair by pair, one of each set of people who have the same."""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property

import numpy as np

from kathodos import thresholds
from kathodos.analysis.evidence.shares import Shares
from kathodos.analysis.evidence.sources import Sources
from kathodos.columns.csr import Bools, Ints, csr_from_pairs, in_loads, stretches
from kathodos.columns.ordered import insertion_points
from kathodos.engine.pair_axis import IntervalLists


class Looked:
    """What classes of askers reach of some points: pairs, in order."""

    def __init__(self, sources: Sources, points: Ints) -> None:
        self.sources = sources
        self.points = points
        self.shares = Shares(sources)

    @cached_property
    def said(self) -> tuple[IntervalLists, IntervalLists]:
        """The points that each thing in use permits and denies in plain systems, by position."""
        return self._on_points(self.shares.spoken[0]), self._on_points(self.shares.spoken[1])

    def _on_points(self, lists: IntervalLists) -> IntervalLists:
        numbers = np.arange(len(self.sources.used))
        thing, first, end = lists.of(numbers)
        begin, stop = insertion_points(self.points, first), insertion_points(self.points, end)
        some = begin < stop
        starts = np.append(0, np.cumsum(np.bincount(thing[some], minlength=len(numbers))))
        return IntervalLists(starts, begin[some], stop[some])

    def reached(self, classes: Ints, some: Ints) -> Bools:
        """Which of some points, by position and in order, each of some classes reaches: points by classes."""
        at, thing = self.sources.classes.of(classes)
        used, which = np.unique(thing, return_inverse=True)
        found, denied = (
            self._by_class(lists, used, which, at, len(classes), some) if len(lists.first) else None
            for lists in self.said
        )
        if found is None:
            found = np.zeros((len(some), len(classes)), dtype=bool)
        if denied is not None:
            found &= ~denied
        points = self.points[some]
        for column, first, end in self._special(classes):
            begin, stop = insertion_points(points, first), insertion_points(points, end)
            for low, high in zip(begin.tolist(), stop.tolist(), strict=True):
                found[low:high, column] = True
        return found

    @staticmethod
    def _by_class(lists: IntervalLists, used: Ints, which: Ints, at: Ints, size: int, some: Ints) -> Bools:
        """Where anything that a class has says something: points by classes."""
        of, first, end = lists.of(used.astype(np.int64))
        begin, stop = insertion_points(some, first), insertion_points(some, end)
        thing, point = stretches(begin, np.maximum(stop - begin, 0))
        said = csr_from_pairs(of[thing], point, len(used))
        found = np.zeros((len(some), size), dtype=bool)
        for block in in_loads(said.sizes()[which] + 1, thresholds.COMPARED_TOGETHER):
            origin, point = said.of(which[block])
            found[point, at[block[origin]]] = True
        return found

    def _special(self, classes: Ints) -> Iterator[tuple[int, Ints, Ints]]:
        """What each of some classes reaches in systems with ranks or gates."""
        if self.shares.special:
            for row, number in enumerate(classes.tolist()):
                first, end = self.shares.special_reached(number)
                if len(first):
                    yield row, first, end
