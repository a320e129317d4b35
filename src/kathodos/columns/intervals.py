"""Intervals [first, end) of positions on a line: put together, cut out of others, asked what they hold."""

from __future__ import annotations

import numpy as np

from kathodos.columns.csr import Bools, Ints, stretches
from kathodos.columns.ordered import insertion_points, order_of

Intervals = tuple[Ints, Ints]  # firsts and ends
_COUNT = (1 << 32) - 1  # how many of the first intervals are open stands below, how many of the second above
_STEPS = np.array([1, -1, 1 << 32, -(1 << 32)])  # where one of the first begins and ends, and one of the second


def covered(first: Ints, end: Ints, size: int) -> Bools:
    """Which of `size` positions lie in one of the intervals."""
    change = np.bincount(first, minlength=size + 1) - np.bincount(end, minlength=size + 1)
    return np.cumsum(change[:size]) > 0


def held_between(edges: Ints, first: Ints, end: Ints) -> Bools:
    """Which of the stretches between neighbouring edges lie in one of the intervals, whose bounds are edges."""
    return covered(insertion_points(edges, first), insertion_points(edges, end), max(len(edges) - 1, 0))


def intervals_where(true: Bools, edges: Ints) -> Intervals:
    """The stretches between edges that are true, as intervals; neighbours are put together."""
    change = np.diff(np.concatenate([[0], true.astype(np.int8), [0]]))
    return edges[(change == 1).nonzero()[0]], edges[(change == -1).nonzero()[0]]


def furthest_of_each(first: Ints, reached: Ints) -> tuple[Ints, Ints]:
    """Intervals that overlap or touch as one: where each begins, and the last position among those put together.

    They are given in the order of `first`; `reached` is how far those so far go.
    """
    is_first = np.ones(len(first), dtype=bool)
    np.greater(first[1:], reached[:-1], out=is_first[1:])
    starts = is_first.nonzero()[0]
    return starts, np.append(starts[1:], len(first))[: len(starts)] - 1


def united(first: Ints, end: Ints) -> Intervals:
    """Intervals that may overlap, put together, in order; empty ones are left out."""
    filled = (first < end).nonzero()[0]
    order = filled[order_of(first[filled])]
    first, reached = first[order], np.maximum.accumulate(end[order])
    starts, last = furthest_of_each(first, reached)
    return first[starts], reached[last]


def without(kept: Intervals, taken: Intervals) -> Intervals:
    """What lies in one of the first intervals and in none of the second."""
    return alone(kept, taken)[0]


def alone(one: Intervals, other: Intervals) -> tuple[Intervals, Intervals]:
    """What lies in the first intervals alone, and what in the second alone; positions are below 2**61."""
    keys = np.concatenate([np.asarray(bounds, dtype=np.int64) << 2 for bounds in (*one, *other)])
    ends = np.cumsum([len(bounds) for bounds in (*one, *other)])
    for kind in (1, 2, 3):
        keys[ends[kind - 1] : ends[kind]] |= kind
    keys.sort()
    open_ = np.cumsum(_STEPS[keys & 3])
    keys >>= 2
    last = np.append(keys[1:] != keys[:-1], True)[: len(keys)].nonzero()[0]
    edges, open_ = keys[last], open_[last]
    in_one, in_other = (open_ & _COUNT) > 0, open_ > _COUNT
    return intervals_where((in_one & ~in_other)[:-1], edges), intervals_where((in_other & ~in_one)[:-1], edges)


def pieces_within(intervals: Intervals, window: Intervals) -> tuple[Ints, Intervals]:
    """The parts of intervals that lie in those of a window, which are apart and in order: whose each is, and they."""
    (first, end), (opens, closes) = intervals, window
    begin = insertion_points(closes, first, side="right")
    sizes = np.maximum(insertion_points(opens, end) - begin, 0)
    origin, at = stretches(begin, sizes)
    return origin, (np.maximum(first[origin], opens[at]), np.minimum(end[origin], closes[at]))


def holds(intervals: Intervals, positions: Ints) -> Bools:
    """Which positions lie in one of the intervals, which are apart and in order."""
    first, end = intervals
    if not len(first):
        return np.zeros(len(positions), dtype=bool)
    at = insertion_points(first, positions, side="right") - 1
    found: Bools = (at >= 0) & (positions < end[np.maximum(at, 0)])
    return found
