"""All resources of all systems as one forest.

Nodes are numbered in tree order, so that everything below a node is an interval of numbers. They have a second order,
their *place*, by region: nodes with no detached node between them are of one region, and regions stand in the order of
their topmost nodes. What a permission reaches down to from a target, up to detached nodes, is one interval of places;
everything below a target, detached or not, is two (meaning of reach, "Deciding", step 4).
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from kathodos.columns.csr import Bools, CSRList, Ints, csr_from_pairs, small
from kathodos.columns.intervals import covered
from kathodos.columns.ordered import insertion_points, order_of
from kathodos.columns.strings import StringTable, string_table
from kathodos.model.addresses import Pattern, parse_pattern, segment_expression


@dataclass(frozen=True)
class Tree:
    """Node n is `addresses[n]`; all arrays are over nodes unless said otherwise.

    `parent` (-1 for a root), `end`: everything at and below n is [n, end[n]); `depth` (0 for a root);
    `region`: the deepest detached node on the way to n, n included, or else the root; `place`: position of n in the
    order by region, `by_place` its inverse; `place_keys`: region * size + node, by place, for searching.
    """

    addresses: StringTable
    parent: Ints
    end: Ints
    depth: Ints
    region: Ints
    position: Ints
    node_at: Ints
    position_keys: Ints

    def __len__(self) -> int:
        return len(self.parent)

    @cached_property
    def children(self) -> CSRList:
        """For each node those directly below it."""
        below_root = (self.parent >= 0).nonzero()[0]
        return csr_from_pairs(self.parent[below_root], below_root, len(self))

    @cached_property
    def region_tops(self) -> Ints:
        """The topmost node of each region, in order."""
        tops: Ints = (self.region == np.arange(len(self))).nonzero()[0]
        return tops

    @cached_property
    def region_starts(self) -> Ints:
        """The place at which each region begins, and behind them the number of places."""
        return np.append(self.position[self.region_tops], len(self)).astype(np.int64)

    def node(self, pattern: Pattern) -> int:
        """The node at an address; -1 where there is none."""
        return self.addresses.find(str(pattern))

    def segment(self, node: int) -> str:
        """The last segment of a node's address."""
        return self.addresses[node].rpartition("/")[2]

    def matches(self, pattern: Pattern) -> Ints:
        """The nodes that match a pattern, in tree order."""
        if pattern.is_address:
            node = self.node(pattern)
            return np.array([node] if node >= 0 else [], dtype=np.int64)
        root = self.node(Pattern(pattern.system, ()))
        found = {root} if root >= 0 else set()
        for segment in pattern.segments:
            if segment == "**":
                found = set(self.below(found).nonzero()[0].tolist())
            else:
                fits = segment_expression(segment).fullmatch
                below = (child for at in found for child in self.children[at].tolist())
                found = {child for child in below if fits(self.segment(child))}
        return np.array(sorted(found), dtype=np.int64)

    def below(self, nodes: Iterable[int]) -> Bools:
        """Which nodes are at or below one of `nodes`, detached or not."""
        tops = np.fromiter(nodes, dtype=np.int64)
        return covered(tops, self.end[tops], len(self))

    def down_from(self, node: int) -> Ints:
        """The nodes at and below `node` with no detached node in between."""
        return np.sort(self.node_at[slice(*self.region_interval(node, self.region[node]))])

    def region_interval(self, node: Ints | int, region: Ints | int) -> tuple[Ints, Ints]:
        """The places of the nodes at and below `node` that are of `region`, as first and end."""
        keys = np.asarray(region, dtype=np.int64) * len(self)
        return insertion_points(self.position_keys, keys + node), insertion_points(
            self.position_keys, keys + self.end[node]
        )

    def regions_below(self, nodes: Ints) -> tuple[Ints, Ints]:
        """The places of the regions that begin below each of `nodes`, as first and end; the two are equal for none."""
        first = insertion_points(self.region_tops, nodes, side="right")
        return self.region_starts[first], self.region_starts[insertion_points(self.region_tops, self.end[nodes])]

    def path(self, node: int) -> list[int]:
        """The nodes on the way from the root to `node`, both included."""
        path = []
        while node >= 0:
            path.append(node)
            node = int(self.parent[node])
        return path[::-1]


def grow_tree(systems: Iterable[str], addresses: Iterable[str], detached: Iterable[object]) -> tuple[Tree, Ints]:
    """The forest of these addresses, with every ancestor there is, whether listed or not; the node of each address."""
    paths: set[tuple[str, ...]] = {(system,) for system in systems}
    cut, listed = set(), []
    for address, is_detached in zip(addresses, detached, strict=True):
        pattern = parse_pattern(address)
        path = (pattern.system, *pattern.segments)
        listed.append(path)
        if is_detached:
            cut.add(path)
        while path not in paths:
            paths.add(path)
            path = path[:-1] or path
    ordered = sorted(paths)
    number = {path: at for at, path in enumerate(ordered)}
    size = len(ordered)
    parent = [number.get(path[:-1], -1) for path in ordered]
    end, region = _intervals(parent, [path in cut for path in ordered])
    node_at = order_of(region)
    position = np.empty(size, dtype=np.int64)
    position[node_at] = np.arange(size)
    tree = Tree(
        addresses=string_table(f"{path[0]}:/{'/'.join(path[1:])}" for path in ordered),
        parent=small(np.array(parent, dtype=np.int64)),
        end=small(end),
        depth=small(np.fromiter(map(len, ordered), dtype=np.int64, count=size) - 1),
        region=small(region),
        position=small(position),
        node_at=small(node_at),
        position_keys=region[node_at] * size + node_at,
    )
    return tree, np.fromiter(map(number.__getitem__, listed), dtype=np.int64, count=len(listed))


def _intervals(parent: list[int], cut: list[bool]) -> tuple[Ints, Ints]:
    """`end` and `region` of each node, from parents that come before their children."""
    size = len(parent)
    end, region = list(range(1, size + 1)), list(range(size))
    for node in range(size - 1, -1, -1):
        above = parent[node]
        if above >= 0 and end[node] > end[above]:
            end[above] = end[node]
    for node, above in enumerate(parent):
        if above >= 0 and not cut[node]:
            region[node] = region[above]
    return np.array(end, dtype=np.int64), np.array(region, dtype=np.int64)
