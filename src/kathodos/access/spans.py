"""Where a permission applies under a scope, as intervals (meaning of reach, "Deciding", step 4).

A *span* is an interval of tree order or of region order, with the depth of its anchor. `P` gives intervals of region
order (down to detached nodes), `P/**` of tree order; an address as scope only narrows them. A scope that is a pattern
or an area gives runs of single nodes in tree order.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from kathodos.access.arrays import Bools, Ints
from kathodos.access.tree import Tree, covered

TREE_ORDER, REGION_ORDER = 0, 1


@dataclass(frozen=True)
class Scope:
    """What a grant's scope holds: everything, `node` and below up to detached nodes, or the nodes in `held`.

    `anchors`: for an area, the depth of its deepest entry that is an address on the way to each node, else -1.
    """

    is_everything: bool = False
    node: int = -1
    held: Bools | None = None
    anchors: Ints | None = None


@dataclass(frozen=True)
class Spans:
    """Intervals [first, end) of places in `order`, and the depth of the node at which each is anchored."""

    order: Ints
    first: Ints
    end: Ints
    anchor: Ints

    def __len__(self) -> int:
        return len(self.order)

    def holds(self, tree: Tree, node: int) -> Bools:
        """Which of the spans hold `node`."""
        at = np.where(self.order == TREE_ORDER, node, tree.place[node])
        return (self.first <= at) & (at < self.end)

    def holds_any(self, tree: Tree, nodes: Ints) -> Bools:
        """Which of the spans hold at least one of `nodes`."""
        found = np.zeros(len(self), dtype=bool)
        for order, places in ((TREE_ORDER, np.sort(nodes)), (REGION_ORDER, np.sort(tree.place[nodes]))):
            of_order = self.order == order
            first, end = self.first[of_order], self.end[of_order]
            found[of_order] = np.searchsorted(places, first) < np.searchsorted(places, end)
        return found

    def nodes(self, tree: Tree) -> Bools:
        """Which nodes one of the spans holds."""
        return nodes_held(tree, self.order, self.first, self.end)


def nodes_held(tree: Tree, order: Ints, first: Ints, end: Ints) -> Bools:
    """Which nodes lie in one of the intervals."""
    of_tree, of_region = order == TREE_ORDER, order == REGION_ORDER
    held = covered(first[of_tree], end[of_tree], len(tree))
    if of_region.any():
        held |= covered(first[of_region], end[of_region], len(tree))[tree.place]
    return held


def join(parts: list[Spans]) -> Spans:
    """All spans of several, in order."""
    if not parts:
        nothing = np.zeros(0, dtype=np.int64)
        return Spans(nothing, nothing, nothing, nothing)
    return Spans(
        np.concatenate([part.order for part in parts]),
        np.concatenate([part.first for part in parts]),
        np.concatenate([part.end for part in parts]),
        np.concatenate([part.anchor for part in parts]),
    )


def spans_of(tree: Tree, targets: Ints, is_deep: bool, inherits: bool, scope: Scope) -> Spans:
    """Where a permission with these targets applies under `scope`.

    `is_deep`: its pattern is of the form `P/**`. `inherits`: whether its system does.
    """
    if not len(targets):
        return join([])
    if scope.held is not None:
        everywhere = spans_of(tree, targets, is_deep, inherits, Scope(is_everything=True))
        return _within(tree, everywhere, scope.held, scope.anchors)
    if not scope.is_everything:
        if scope.node < 0:
            return join([])
        targets = _narrowed(tree, targets, is_deep, inherits, scope.node)
    if not is_deep and not inherits:
        return _spans(TREE_ORDER, targets, targets + 1, tree.depth[targets])
    if is_deep and scope.is_everything:
        return _spans(TREE_ORDER, targets, tree.end[targets], tree.depth[targets])
    region = tree.region[targets] if scope.is_everything else np.full(len(targets), tree.region[scope.node])
    first, end = tree.region_interval(targets, region)
    filled = first < end
    return _spans(REGION_ORDER, first[filled], end[filled], tree.depth[targets][filled])


def _narrowed(tree: Tree, targets: Ints, is_deep: bool, inherits: bool, scope: int) -> Ints:
    """The anchors under a scope that is an address: of each target and the scope the deeper, where one can hold."""
    is_inside = (scope <= targets) & (targets < tree.end[scope])
    is_above = (targets < scope) & (scope < tree.end[targets])
    if not is_deep:
        is_same_region = tree.region[targets] == tree.region[scope]
        is_inside &= is_same_region
        is_above &= is_same_region & inherits
    return np.unique(np.where(is_inside, targets, scope)[is_inside | is_above])


def _within(tree: Tree, spans: Spans, held: Bools, anchors: Ints | None) -> Spans:
    """The spans cut down to the nodes in `held`, as runs of nodes that have the same anchor."""
    deepest = np.full(len(tree), -1)
    for depth in np.unique(spans.anchor):
        at = spans.anchor == depth
        deepest[nodes_held(tree, spans.order[at], spans.first[at], spans.end[at])] = depth
    if anchors is not None:
        deepest = np.where(deepest >= 0, np.maximum(deepest, anchors), -1)
    deepest[~held] = -1
    breaks = (np.diff(deepest) != 0).nonzero()[0] + 1
    first = np.concatenate([[0], breaks]).astype(np.int64)
    end = np.concatenate([breaks, [len(tree)]]).astype(np.int64)
    is_run = deepest[first] >= 0
    return _spans(TREE_ORDER, first[is_run], end[is_run], deepest[first][is_run])


def _spans(order: int, first: Ints, end: Ints, anchor: Ints) -> Spans:
    return Spans(np.full(len(first), order, dtype=np.int64), first, end, anchor.astype(np.int64))
