"""All resources of all systems as one forest in tree order, so that everything below a node is an interval.

Nodes have a second order, by region: nodes with no detached node between them are of one region. What a permission
reaches down to from a target is an interval of places in that order (meaning of reach, "Deciding", step 4).
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

import numpy as np

from kathodos.access.arrays import Bools, Ints, Lists, lists_from
from kathodos.catalogue.addresses import Pattern, parse_pattern, segment_expression


@dataclass(frozen=True)
class Tree:
    """Node n is `addresses[n]`; all arrays are over nodes unless said otherwise.

    `parent` (-1 for a root), `end`: everything at and below n is [n, end[n]); `depth` (0 for a root);
    `region`: the deepest detached node on the way to n, n included, or else the root; `place`: position of n in the
    region order, `by_place` its inverse; `place_keys`: region * size + node, by place, for searching.
    `roots`: system to root. `steps`: (node, segment) to child.
    """

    addresses: list[str]
    parent: Ints
    end: Ints
    depth: Ints
    region: Ints
    place: Ints
    by_place: Ints
    place_keys: Ints
    children: Lists
    segments: list[str]
    roots: Mapping[str, int]
    steps: Mapping[tuple[int, str], int]

    def __len__(self) -> int:
        return len(self.addresses)

    def node(self, pattern: Pattern) -> int:
        """The node at an address; -1 where there is none."""
        at = self.roots.get(pattern.system, -1)
        for segment in pattern.segments:
            at = self.steps.get((at, segment), -1)
        return at

    def matches(self, pattern: Pattern) -> Ints:
        """The nodes that match a pattern, in tree order."""
        root = self.roots.get(pattern.system)
        found = {root} if root is not None else set()
        for segment in pattern.segments:
            if segment == "**":
                found = set(self.below(found).nonzero()[0].tolist())
            elif "*" in segment:
                matches = segment_expression(segment).fullmatch
                found = {child for at in found for child in self.children[at].tolist() if matches(self.segments[child])}
            else:
                found = {child for at in found if (child := self.steps.get((at, segment), -1)) >= 0}
        return np.array(sorted(found), dtype=np.int64)

    def below(self, nodes: Iterable[int]) -> Bools:
        """Which nodes are at or below one of `nodes`, detached or not."""
        tops = np.fromiter(nodes, dtype=np.int64)
        return covered(tops, self.end[tops], len(self))

    def down_from(self, node: int) -> Ints:
        """The nodes at and below `node` with no detached node in between."""
        return np.sort(self.by_place[slice(*self.region_interval(node, self.region[node]))])

    def region_interval(self, node: Ints | int, region: Ints | int) -> tuple[Ints, Ints]:
        """The places of the nodes at and below `node` that are of `region`, as first and end."""
        first = np.searchsorted(self.place_keys, region * len(self) + node)
        return first, np.searchsorted(self.place_keys, region * len(self) + self.end[node])

    def path(self, node: int) -> list[int]:
        """The nodes on the way from the root to `node`, both included."""
        way = []
        while node >= 0:
            way.append(node)
            node = int(self.parent[node])
        return way[::-1]


def covered(first: Ints, end: Ints, size: int) -> Bools:
    """Which of `size` positions lie in one of the intervals [first, end)."""
    change = np.bincount(first, minlength=size + 1) - np.bincount(end, minlength=size + 1)
    return np.cumsum(change[:size]) > 0


def grow_tree(systems: Iterable[str], addresses: Iterable[str], detached: Iterable[object]) -> Tree:
    """The forest of these addresses, with every ancestor there is, whether listed or not."""
    paths: set[tuple[str, ...]] = {(system,) for system in systems}
    cut = set()
    for address, is_detached in zip(addresses, detached, strict=True):
        pattern = parse_pattern(address)
        path = (pattern.system, *pattern.segments)
        if is_detached:
            cut.add(path)
        while path not in paths:
            paths.add(path)
            path = path[:-1] or path
    ordered = sorted(paths)
    number = {path: at for at, path in enumerate(ordered)}
    size = len(ordered)
    parent = np.array([number.get(path[:-1], -1) for path in ordered], dtype=np.int64)
    depth = np.array([len(path) - 1 for path in ordered], dtype=np.int64)
    end, region = _intervals(parent, np.array([path in cut for path in ordered], dtype=bool))
    by_place = np.lexsort((np.arange(size), region))
    place = np.empty(size, dtype=np.int64)
    place[by_place] = np.arange(size)
    below_root = (parent >= 0).nonzero()[0]
    return Tree(
        addresses=[str(Pattern(path[0], path[1:])) for path in ordered],
        parent=parent,
        end=end,
        depth=depth,
        region=region,
        place=place,
        by_place=by_place,
        place_keys=region[by_place] * size + by_place,
        children=lists_from(parent[below_root], below_root, size),
        segments=[path[-1] for path in ordered],
        roots={path[0]: at for at, path in enumerate(ordered) if len(path) == 1},
        steps={(int(parent[at]), path[-1]): at for at, path in enumerate(ordered) if len(path) > 1},
    )


def _intervals(parent: Ints, cut: Bools) -> tuple[Ints, Ints]:
    """`end` and `region` of each node, from parents that come before their children."""
    size = len(parent)
    end = np.arange(1, size + 1)
    region = np.arange(size)
    for node in range(size - 1, -1, -1):
        if parent[node] >= 0:
            end[parent[node]] = max(end[parent[node]], end[node])
    for node in range(size):
        if parent[node] >= 0 and not cut[node]:
            region[node] = region[parent[node]]
    return end, region
