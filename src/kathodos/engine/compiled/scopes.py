"""Where a permission applies under a scope, as intervals of places (meaning of reach, "Deciding", step 4).

Each interval has the depth of its anchor. What reaches down from a target up to detached nodes is one interval, and all
below it, detached or not, two; an address as scope narrows that. A scope that is a pattern or an area gives several.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import msgspec
import numpy as np

from kathodos import thresholds
from kathodos.columns.csr import Bools, Ints, distinct, joined, small, stretches
from kathodos.columns.intervals import covered
from kathodos.columns.ordered import insertion_points, order_of
from kathodos.engine.compiled.tree import Tree


class AnchoredIntervals(msgspec.Struct, frozen=True):
    """Intervals [first, end) of places, and the depth of the anchor of each (-1: none)."""

    first: Ints
    end: Ints
    anchor: Ints

    def __len__(self) -> int:
        return len(self.first)


class Scope(msgspec.Struct, frozen=True):
    """What a grant's scope holds: `node` and below up to detached nodes, or runs; everything where both are absent.

    The anchor of a run is, for an area, the depth of its deepest entry that is an address on the way there.
    """

    node: int | None = None
    intervals: AnchoredIntervals | None = None

    def holds(self, tree: Tree, node: int) -> bool:
        if self.intervals is not None:
            at = tree.position[node]
            return bool(((self.intervals.first <= at) & (at < self.intervals.end)).any())
        if self.node is None:
            return True
        top = self.node
        return top >= 0 and top <= node < int(tree.end[top]) and bool(tree.region[top] == tree.region[node])

    def held(self, tree: Tree) -> Bools:
        """Which nodes it holds."""
        if self.intervals is None:
            if self.node is None:
                return np.ones(len(tree), dtype=bool)
            found = np.zeros(len(tree), dtype=bool)
            if self.node >= 0:
                below = slice(self.node, int(tree.end[self.node]))
                found[below] = tree.region[below] == tree.region[self.node]
            return found
        steps = np.zeros(len(tree) + 1, dtype=np.int64)
        np.add.at(steps, self.intervals.first, 1)
        np.add.at(steps, self.intervals.end, -1)
        at_place: Bools = np.cumsum(steps[:-1]) > 0
        return at_place[tree.position]

    def anchor(self, tree: Tree, node: int) -> int:
        """The depth at which the scope anchors what it holds; -1 where it does not."""
        if self.intervals is not None:
            at = tree.position[node]
            return int(self.intervals.anchor[(self.intervals.first <= at) & (at < self.intervals.end)].max(initial=-1))
        return -1 if self.node is None else int(tree.depth[self.node])


EVERYTHING = Scope()


@dataclass(frozen=True)
class ScopedIntervals:
    """Intervals in the order of `first`, each of a scoped entry. `furthest`: the greatest end in each block."""

    scoped: Ints
    first: Ints
    end: Ints
    anchor: Ints
    furthest: Ints

    def __len__(self) -> int:
        return len(self.scoped)

    def holding(self, position: int) -> Ints:
        """The intervals that hold a place: only blocks that may hold one are looked into."""
        before = int(insertion_points(self.first, position, side="right"))
        blocks = (self.furthest[: -(-before // thresholds.SCOPE_BLOCK)] > position).nonzero()[0]
        candidates = (blocks[:, None] * thresholds.SCOPE_BLOCK + np.arange(thresholds.SCOPE_BLOCK)).ravel()
        candidates = candidates[candidates < before]
        holding: Ints = candidates[self.end[candidates] > position]
        return holding

    def touching(self, positions: Ints) -> Ints:
        """The intervals that hold at least one of `places`, which are in ascending order."""
        breaks = (np.diff(positions) != 1).nonzero()[0] + 1
        if len(breaks) < 32:
            found = [self.holding(int(interval[0])) for interval in np.split(positions, breaks)]
            for interval in np.split(positions, breaks):
                begin, stop = insertion_points(self.first, [interval[0] + 1, interval[-1] + 1])
                found.append(np.arange(begin, stop))
            return distinct(joined(found))
        return (insertion_points(positions, self.first) < insertion_points(positions, self.end)).nonzero()[0]


def ordered_intervals(scoped_at: Ints, intervals: AnchoredIntervals) -> ScopedIntervals:
    """Anchored intervals, each of a scoped entry, in order."""
    order = order_of(intervals.first)
    end = intervals.end[order]
    furthest = np.maximum.reduceat(end, np.arange(0, len(end), thresholds.SCOPE_BLOCK)) if len(end) else end
    columns = (scoped_at[order], intervals.first[order], end, intervals.anchor[order], furthest)
    return ScopedIntervals(*(small(column) for column in columns))


def join(parts: Sequence[AnchoredIntervals]) -> AnchoredIntervals:
    """All intervals of several, in order."""
    return AnchoredIntervals(
        joined([part.first for part in parts]),
        joined([part.end for part in parts]),
        joined([part.anchor for part in parts]),
    )


def reaching_down(tree: Tree, targets: Ints, is_deep: Bools, inherits: Bools) -> tuple[Ints, AnchoredIntervals]:
    """What permissions, each with one target and no scope, apply to: for each run the permission, and the runs.

    `is_deep`: the pattern is of the form `P/**`. `inherits`: its system does.
    """
    numbers = np.arange(len(targets))
    position = tree.position[targets].astype(np.int64)
    first, end = tree.region_interval(targets, tree.region[targets])
    end = np.where(is_deep | inherits, end, position + 1)
    deep = is_deep.nonzero()[0]
    below_first, below_end = tree.regions_below(targets[deep])
    filled = below_first < below_end
    depth = tree.depth[targets].astype(np.int64)
    intervals = AnchoredIntervals(
        np.concatenate([first, below_first[filled]]),
        np.concatenate([end, below_end[filled]]),
        np.concatenate([depth, depth[deep][filled]]),
    )
    return np.concatenate([numbers, deep[filled]]), intervals


def intervals_of(tree: Tree, targets: Ints, is_deep: bool, inherits: bool, scope: Scope) -> AnchoredIntervals:
    """Where a permission with these targets applies under `scope`."""
    if not len(targets):
        return join([])
    if scope.intervals is not None:
        return _within(intervals_of(tree, targets, is_deep, inherits, EVERYTHING), scope.intervals)
    if scope.node is None:
        flags = np.ones(len(targets), dtype=bool)
        return reaching_down(tree, targets, flags & is_deep, flags & inherits)[1]
    if scope.node < 0:
        return join([])
    targets = _narrowed(tree, targets, is_deep, inherits, scope.node)
    depth = tree.depth[targets].astype(np.int64)
    if not is_deep and not inherits:
        position = tree.position[targets].astype(np.int64)
        return AnchoredIntervals(position, position + 1, depth)
    first, end = tree.region_interval(targets, np.full(len(targets), tree.region[scope.node]))
    filled = first < end
    return AnchoredIntervals(first[filled], end[filled], depth[filled])


def _narrowed(tree: Tree, targets: Ints, is_deep: bool, inherits: bool, scope: int) -> Ints:
    """The anchors under a scope that is an address: of each target and the scope the deeper, where one can hold."""
    is_inside = (scope <= targets) & (targets < tree.end[scope])
    is_above = (targets < scope) & (scope < tree.end[targets])
    if not is_deep:
        is_same_region = tree.region[targets] == tree.region[scope]
        is_inside &= is_same_region
        is_above &= is_same_region & inherits
    return distinct(np.where(is_inside, targets, scope)[is_inside | is_above])


def under_addresses(
    tree: Tree, targets: Ints, is_deep: Bools, inherits: Bools, scopes: Ints
) -> tuple[Ints, AnchoredIntervals]:
    """As `intervals_of`, of permissions with one target each, each under a scope that is an address, all at once.

    Gives for each interval the permission, and the intervals.
    """
    is_inside = (scopes <= targets) & (targets < tree.end[scopes])
    is_above = (targets < scopes) & (scopes < tree.end[targets])
    is_same_region = tree.region[targets] == tree.region[scopes]
    is_inside &= is_deep | is_same_region
    is_above &= is_deep | (is_same_region & inherits)
    numbers = (is_inside | is_above).nonzero()[0]
    anchors = np.where(is_inside, targets, scopes)[numbers]
    position, depth = tree.position[anchors].astype(np.int64), tree.depth[anchors].astype(np.int64)
    first, end = tree.region_interval(anchors, tree.region[scopes[numbers]])
    reaches = (is_deep | inherits)[numbers]
    first, end = np.where(reaches, first, position), np.where(reaches, end, position + 1)
    filled = first < end
    return numbers[filled], AnchoredIntervals(first[filled], end[filled], depth[filled])


def within_scope(
    numbers: Ints, intervals: AnchoredIntervals, scope: AnchoredIntervals
) -> tuple[Ints, AnchoredIntervals]:
    """Intervals, each of a number, cut down to those of a scope that are apart and in order; the deeper anchor counts.

    The intervals of one number must not overlap.
    """
    low = insertion_points(scope.end, intervals.first, side="right")
    counts = np.maximum(insertion_points(scope.first, intervals.end) - low, 0)
    origin, at = stretches(low, counts)
    first = np.maximum(intervals.first[origin], scope.first[at])
    end = np.minimum(intervals.end[origin], scope.end[at])
    return numbers[origin], AnchoredIntervals(first, end, np.maximum(intervals.anchor[origin], scope.anchor[at]))


def flattened(intervals: AnchoredIntervals) -> AnchoredIntervals:
    """The same places in order, each once, with the deepest anchor of the intervals that hold it."""
    points = distinct(joined([intervals.first, intervals.end]))
    deepest = _deepest(intervals, points)
    return _at_points(intervals_from(deepest, absent=_NOTHING), points)


_NOTHING = -2  # where no interval holds a place; -1 is an interval without an anchor


def _within(intervals: AnchoredIntervals, scope: AnchoredIntervals) -> AnchoredIntervals:
    """The intervals cut down to those of a scope; of the two anchors the deeper counts."""
    if not len(intervals):
        return intervals
    near = (scope.first < intervals.end.max()) & (scope.end > intervals.first.min())
    scope = AnchoredIntervals(scope.first[near], scope.end[near], scope.anchor[near])
    points = distinct(joined([intervals.first, intervals.end, scope.first, scope.end]))
    deepest, within = _deepest(intervals, points), _deepest(scope, points)
    is_held = (deepest > _NOTHING) & (within > _NOTHING)
    return _at_points(intervals_from(np.where(is_held, np.maximum(deepest, within), _NOTHING), _NOTHING), points)


def _deepest(intervals: AnchoredIntervals, points: Ints) -> Ints:
    """For each stretch between two neighbouring points the deepest anchor of the intervals that hold it."""
    size = max(len(points) - 1, 0)
    deepest = np.full(size, _NOTHING)
    first, end = insertion_points(points, intervals.first), insertion_points(points, intervals.end)
    for depth in distinct(intervals.anchor).tolist():
        at = intervals.anchor == depth
        deepest[covered(first[at], end[at], size)] = depth
    return deepest


def _at_points(stretches_held: AnchoredIntervals, points: Ints) -> AnchoredIntervals:
    """Intervals of stretches between points as intervals of places."""
    return AnchoredIntervals(points[stretches_held.first], points[stretches_held.end], stretches_held.anchor)


def intervals_from(anchors: Ints, absent: int) -> AnchoredIntervals:
    """Runs of places that have the same anchor, from the anchor of each place; those with `absent` are left out."""
    breaks = (np.diff(anchors) != 0).nonzero()[0] + 1
    first = np.concatenate([[0], breaks]).astype(np.int64)[: len(anchors)]
    end = np.concatenate([breaks, [len(anchors)]]).astype(np.int64)[: len(first)]
    is_run = anchors[first] != absent
    return AnchoredIntervals(first[is_run], end[is_run], anchors[first][is_run].astype(np.int64))
