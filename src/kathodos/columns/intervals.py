"""Intervals [first, end) of positions on a line: put together, cut out of others, asked what they hold."""

from __future__ import annotations

import numpy as np

from kathodos.columns.csr import Bools, Ints, distinct
from kathodos.columns.ordered import insertion_points, order_of

Intervals = tuple[Ints, Ints]  # firsts and ends


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
    edges = distinct(np.concatenate([*kept, *taken]))
    held = held_between(edges, *kept)
    if len(taken[0]):
        held &= ~held_between(edges, *taken)
    return intervals_where(held, edges)


def holds(intervals: Intervals, positions: Ints) -> Bools:
    """Which positions lie in one of the intervals, which are apart and in order."""
    first, end = intervals
    if not len(first):
        return np.zeros(len(positions), dtype=bool)
    at = insertion_points(first, positions, side="right") - 1
    found: Bools = (at >= 0) & (positions < end[np.maximum(at, 0)])
    return found
