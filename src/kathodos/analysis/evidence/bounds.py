"""How many of a group reach all of a set of pairs, at most: as many as have something that permits the rarest of them.

Of most sets that is nobody, or who asks alone; only of the others everybody has to be looked at.
"""

from __future__ import annotations

from functools import cached_property

import numpy as np

from kathodos import thresholds
from kathodos.analysis.evidence.looked import Looked
from kathodos.columns.csr import (
    Bools,
    CSRList,
    Ints,
    csr_from_pairs,
    distinct,
    first_of_each,
    in_loads,
    joined,
    stretches,
)
from kathodos.columns.ordered import insertion_points, order_of

NOT_KNOWN = 2**62


class Bounds:
    """What is known of sets without looking at everybody. `looked`: askers and points; `sets`: the positions of points
    in sets; `row`: the group of each asker."""

    def __init__(self, looked: Looked, sets: CSRList, row: Ints) -> None:
        self.looked = looked
        self.sets = sets
        self.row = row
        self.width = max(len(looked.sources.used), 1)

    def most(self, groups: Ints, sets: Ints) -> tuple[Ints, CSRList]:
        """For each group with a set, how many of the group reach all of the set at most, and who that may be, by
        position; NOT_KNOWN, and nobody, where that is not seen at a glance."""
        point = self._rarest[sets]
        used = distinct(point[point >= 0]).astype(np.int64)
        permitting = self._permitting_at(used)
        sizes = np.append(permitting.sizes(), 0)
        place = np.where(point >= 0, np.minimum(insertion_points(used, point), max(len(used) - 1, 0)), len(used))
        is_known = (point >= 0) & (sizes[place] <= thresholds.FEW_PERMITTING)
        asked, size = is_known.nonzero()[0], max(len(self.row), 1)
        codes, having = self._having
        parts = [np.zeros(0, dtype=np.int64)]
        for block in in_loads(sizes[place[asked]] + 1, thresholds.HELD_TOGETHER):
            some = asked[block]
            at, thing = permitting.of(place[some])
            wanted = groups[some[at]] * self.width + thing
            where = np.minimum(insertion_points(codes, wanted), max(len(codes) - 1, 0))
            is_there = codes[where] == wanted if len(codes) else np.zeros(len(wanted), dtype=bool)
            origin, who = having.of(where[is_there])
            parts.append(distinct(some[at[is_there][origin]] * size + who))
        question, who = np.divmod(joined(parts), size)
        may_be = csr_from_pairs(question, who, len(sets))
        return np.where(is_known | (self.sets.sizes()[sets] == 0), may_be.sizes(), NOT_KNOWN), may_be

    @cached_property
    def _having(self) -> tuple[Ints, CSRList]:
        """Each thing that somebody of a group has, as a number with the group, in order; and who of them has it."""
        of_asker = self.looked.sources.of_asker
        asker = of_asker.rows().astype(np.int64)
        code = self.row[asker] * self.width + of_asker.items
        order = order_of(code)
        code = code[order]
        starts = first_of_each(code).nonzero()[0]
        return code[starts], CSRList(np.append(starts, len(code)), asker[order])

    @cached_property
    def _permits(self) -> tuple[Ints, Ints, Ints]:
        """What permits some of the points: the thing, the position of the first of them, and that behind the last."""
        return self.looked.said[0].of(np.arange(len(self.looked.sources.used)))

    @cached_property
    def _rarest(self) -> Ints:
        """The point of each set that the fewest have something for; -1 for a set with none in a plain system."""
        held = np.bincount(self.looked.sources.of_asker.items, minlength=self.width)
        thing, begin, stop = self._permits
        size = len(self.looked.points) + 1
        steps = np.bincount(begin, weights=held[thing], minlength=size)
        steps -= np.bincount(stop, weights=held[thing], minlength=size)
        count = np.where(self._is_special, np.inf, np.cumsum(steps)[:-1])
        row, point = self.sets.rows().astype(np.int64), self.sets.items
        order = np.lexsort((count[point], row))
        best = order[first_of_each(row[order])]
        found = np.full(len(self.sets), -1, dtype=np.int64)
        found[row[best]] = np.where(np.isinf(count[point[best]]), -1, point[best])
        return found

    @cached_property
    def _is_special(self) -> Bools:
        """Which points lie in systems where not every permit counts for itself."""
        system = insertion_points(self.looked.shares.index.pair_bases, self.looked.points, side="right") - 1
        found: Bools = np.isin(system, [number for number, _ in self.looked.shares.special])
        return found

    def _permitting_at(self, some: Ints) -> CSRList:
        """The things that permit each of some of the points, given by position and in order."""
        thing, begin, stop = self._permits
        first, end = insertion_points(some, begin), insertion_points(some, stop)
        at, place = stretches(first, end - first)
        return csr_from_pairs(place, thing[at], len(some))
