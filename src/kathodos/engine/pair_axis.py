"""All pairs of all systems on one line, those of each system behind those of the one before, and intervals of them.

Here are only the systems that decide by permits and denies alone: what is permitted there is a union of intervals.
Of several owners each has a stretch of its own on a longer line, so that the intervals of all are worked on together.
"""

from __future__ import annotations

from functools import cached_property

import msgspec
import numpy as np

from kathodos import thresholds
from kathodos.columns.csr import Bools, CSRList, Ints, csr_from_distinct, distinct, joined
from kathodos.columns.intervals import Intervals, furthest_of_each, pieces_within
from kathodos.columns.ordered import insertion_points, order_of
from kathodos.columns.packed import PackedPairs
from kathodos.engine.compiled.index import ANY_ACTION, Index, System

OwnedIntervals = tuple[Ints, Ints, Ints]  # intervals: whose each is, its first and its end


class IntervalLists(msgspec.Struct, frozen=True):
    """Intervals of pairs in lists, one list for each of what they are of."""

    starts: Ints
    first: Ints
    end: Ints

    def of(self, rows: Ints) -> tuple[Ints, Ints, Ints]:
        """Those of `rows`: for each interval the position in `rows` it is of, its first and its end."""
        origin, positions = CSRList(self.starts, self.first).positions(rows)
        return origin, self.first[positions].astype(np.int64), self.end[positions].astype(np.int64)

    def __len__(self) -> int:
        return len(self.starts) - 1

    def rows(self) -> Ints:
        """For each interval the list it is in."""
        return np.repeat(np.arange(len(self)), np.diff(self.starts))

    def sizes(self, rows: Ints) -> Ints:
        sizes: Ints = self.starts[rows + 1] - self.starts[rows]
        return sizes

    def within(self, window: Intervals) -> IntervalLists:
        """The parts of them that lie in a window of the line: intervals that are apart and in order."""
        origin, (first, end) = pieces_within((self.first, self.end), window)
        starts = insertion_points(origin, self.starts)
        return IntervalLists(starts, first.astype(np.int32), end.astype(np.int32))


class PairAxis:
    """The line of an index's pairs (`action`: only those with an action of this name)."""

    def __init__(self, index: Index, action: str | None = None) -> None:
        self.index = index
        self.action = action
        self.packing = PackedPairs.below(self.size + 1)  # whose interval, and where on the line it begins or ends

    @property
    def bases(self) -> Ints:
        """Where the pairs of each system begin, and behind them the end of the line."""
        return self.index.pair_bases

    @property
    def size(self) -> int:
        return int(self.bases[-1]) + 1

    @cached_property
    def pair_actions(self) -> Ints:
        """The action of each pair, as a number of the index's actions."""
        parts = [np.repeat(system.actions, system.size + 1) for system in self.index.systems_in_order]
        return joined(parts).astype(np.int32)

    @cached_property
    def pair_nodes(self) -> Ints:
        """The node of each pair; -1 for the empty positions."""
        parts = []
        for system in self.index.systems_in_order:
            row = np.append(self.index.tree.node_at[system.root : system.end], -1)
            parts.append(np.tile(row, len(system.actions)))
        return joined(parts).astype(np.int32)

    @cached_property
    def scoped_pairs(self) -> tuple[IntervalLists, IntervalLists]:
        """What each scoped entry permits where it permits, and denies where it or a grant denies, in plain systems."""
        return self._pairs_of(np.arange(len(self.index.intervals)), None)

    def _pairs_of_some(self, scoped: Ints) -> tuple[Ints | None, tuple[IntervalLists, IntervalLists]]:
        """As `scoped_pairs`, of only some scoped entries where these are few; with these, in order (None: of all)."""
        if "scoped_pairs" in self.__dict__ or thresholds.TIMES_AS_MANY * len(scoped) > len(self.index.scoped_entry):
            return None, self.scoped_pairs
        few = distinct(scoped).astype(np.int64)
        return few, self._pairs_of(np.sort(self.index.scoped_intervals.all_of(few)), few)

    def _pairs_of(self, some: Ints, numbers: Ints | None) -> tuple[IntervalLists, IntervalLists]:
        """What is permitted and denied by some intervals of scoped entries, for each of these."""
        plain = [(at, it) for at, it in enumerate(self.index.systems_in_order) if it.is_plain and len(it.actions)]
        denying = [(at, it) for at, it in plain if it.combining == "deny-overrides"]
        permits = self._scoped_pairs(some, numbers, [(at, it, it.covers) for at, it in plain])
        return permits, self._scoped_pairs(some, numbers, [(at, it, it.covers.T) for at, it in denying])

    def _scoped_pairs(
        self, some: Ints, numbers: Ints | None, systems: list[tuple[int, System, Bools]]
    ) -> IntervalLists:
        """The pairs of each scoped entry; `[b, a]` of the array with a system: one with action b speaks about a."""
        index, scoped, firsts, ends = self.index, [], [], []
        system_of_interval = insertion_points(index.system_roots, index.intervals.first[some], side="right") - 1
        for number, system, covers in systems:
            intervals = some[(system_of_interval == number).nonzero()[0]]
            verb = index.entries.action[index.scoped_entry[index.intervals.scoped[intervals]]]
            local = np.where(verb == ANY_ACTION, 0, verb - system.actions[0])
            bears = covers[local] | (verb == ANY_ACTION)[:, None]
            bears &= np.array([self.action in (None, index.actions[at][1]) for at in system.actions])
            at, action = bears.nonzero()
            row = int(self.bases[number]) + action * (system.size + 1) - system.root
            scoped.append(index.intervals.scoped[intervals[at]])
            firsts.append(row + index.intervals.first[intervals[at]])
            ends.append(row + index.intervals.end[intervals[at]])
        scoped_at, first, end = _position(numbers, joined(scoped)), joined(firsts), joined(ends)
        order = order_of(scoped_at)
        starts = np.concatenate([[0], np.cumsum(np.bincount(scoped_at, minlength=self._width(numbers)))]).astype(
            np.int64
        )
        return IntervalLists(starts, first[order].astype(np.int32), end[order].astype(np.int32))

    def _width(self, numbers: Ints | None) -> int:
        return len(self.index.scoped_entry) if numbers is None else len(numbers)

    def of_grants(self, parts: CSRList, window: Intervals | None = None) -> tuple[IntervalLists, IntervalLists]:
        """What each list of grants permits and what it denies, put together; in a window of the line, or on all."""
        index, scoped = self.index, self.index.entitlements.scoped
        entitlement = index.grants.entitlement[parts.items]
        numbers, scoped_pairs = self._pairs_of_some(scoped.all_of(distinct(entitlement).astype(np.int64)))
        items, rows = parts.items, parts.rows()
        if window is not None:  # what bears on nothing in it is left out before it is put together
            scoped_pairs = (scoped_pairs[0].within(window), scoped_pairs[1].within(window))
            bears = np.zeros(len(index.scoped_entry), dtype=bool)
            bears[slice(None) if numbers is None else numbers] = (
                np.diff(scoped_pairs[0].starts) + np.diff(scoped_pairs[1].starts) > 0
            )
            is_in = np.zeros(len(scoped), dtype=bool)
            is_in[scoped.rows()[bears[scoped.items]]] = True
            kept = is_in[entitlement]
            items, rows, entitlement = items[kept], rows[kept], entitlement[kept]
        origin, scoped_at = scoped.of(entitlement)
        part = rows[origin]
        denies = index.grants.denies[items][origin] | index.entries.denies[index.scoped_entry[scoped_at]]
        at_number = _position(numbers, scoped_at)
        found = []
        for marked, which in zip(scoped_pairs, (~denies, denies), strict=True):
            pairs = csr_from_distinct(part[which], at_number[which], len(parts), max(self._width(numbers), 1))
            at, first, end = marked.of(pairs.items)
            owner, first, end = self.merged(pairs.rows()[at].astype(np.int64), first, end)
            starts = insertion_points(owner, np.arange(len(parts) + 1))
            found.append(IntervalLists(starts, first.astype(np.int32), end.astype(np.int32)))
        return found[0], found[1]

    def merged(self, owner: Ints, first: Ints, end: Ints) -> tuple[Ints, Ints, Ints]:
        """The intervals of each owner, given in order of owners, put together; in order of owner and first."""
        step = self.most_owners
        found = []
        if len(owner) and int(owner[-1]) >= step:
            for low in range(0, int(owner[-1]) + 1, step):
                some = slice(*insertion_points(owner, [low, low + step]))
                of, begin, stop = self.merged(owner[some] - low, first[some], end[some])
                found.append((of + low, begin, stop))
            return tuple(joined([part[at] for part in found]) for at in range(3))  # type: ignore[return-value]
        first, reached = self.swept(owner, first, end)
        starts, last = furthest_of_each(first, reached)
        packing = self.packing
        return packing.firsts(first[starts]), packing.seconds(first[starts]), packing.seconds(reached[last])

    @property
    def most_owners(self) -> int:
        """How many owners may be swept together: the owner and both ends of an interval are sorted as one number."""
        return PackedPairs(2 * self.packing.bits).most_firsts

    def swept(self, owner: Ints, first: Ints, end: Ints) -> Intervals:
        """Intervals in order, each owner's on its own part of a line: where each begins, how far those so far go."""
        bits, mask = (
            self.packing.bits,
            (1 << self.packing.bits) - 1,
        )  # in place: millions of intervals pass through here
        keys = owner << bits
        keys |= first
        keys <<= bits
        keys |= end
        keys.sort()
        begins = keys >> bits
        keys &= mask
        keys |= begins & ~mask
        return begins, np.maximum.accumulate(keys, out=keys)


def _position(numbers: Ints | None, among: Ints) -> Ints:
    """The position of some numbers among others in order; themselves where these are all."""
    return among if numbers is None else insertion_points(numbers, among)
