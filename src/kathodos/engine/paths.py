"""The ways from one node of a graph to another: the shortest first, and how many there are.

A way visits no node twice. Where the nodes between hold no cycle all ways are counted exactly, however many there are.
"""

from __future__ import annotations

import heapq
import itertools
from collections.abc import Iterator, Mapping, Sequence

_MOST_STEPS = 50_000

Graph = Mapping[int, Sequence[int]]


class Paths:
    """The ways along `edges` from `start` to `end`."""

    def __init__(self, edges: Graph, start: int, end: int) -> None:
        self.start = start
        self.end = end
        self.distance = _distances(edges, start, end)
        self.is_complete = True
        self.edges = {  # a way neither goes on from its end nor comes back to its start
            node: [ahead for ahead in edges.get(node, ()) if ahead in self.distance and ahead != start and node != end]
            for node in self.distance
        }

    def shortest(self, most: int) -> list[tuple[int, ...]]:
        """Up to `most` ways, shortest first."""
        return list(itertools.islice(self._in_order(), most))

    def count(self) -> tuple[int, bool]:
        """How many ways there are, and whether that is exact; where it is not there are at least so many."""
        if self.start not in self.distance:
            return 0, True
        order = _topological(self.edges)
        if order is None:
            counted = itertools.islice(self._in_order(), _MOST_STEPS)
            return sum(1 for _ in counted), self.is_complete
        paths = {self.end: 1}
        for node in reversed(order):
            if node != self.end:
                paths[node] = sum(paths[ahead] for ahead in self.edges[node])
        return paths[self.start], True

    def _in_order(self) -> Iterator[tuple[int, ...]]:
        """All ways by length; `is_complete` tells afterwards whether the search was ended before its time."""
        self.is_complete = True
        if self.start not in self.distance:
            return
        heap: list[tuple[int, int, tuple[int, ...]]] = [(self.distance[self.start], 0, (self.start,))]
        for steps in itertools.count():
            if not heap:
                return
            if steps > _MOST_STEPS:
                self.is_complete = False
                return
            _, _, path = heapq.heappop(heap)
            if path[-1] == self.end:
                yield path
                continue
            for ahead in self.edges[path[-1]]:
                if ahead not in path:
                    length = len(path) + self.distance[ahead]
                    heapq.heappush(heap, (length, -len(path), (*path, ahead)))


def _distances(edges: Graph, start: int, end: int) -> dict[int, int]:
    """The steps to `end` from each node that can be reached from `start` and leads there."""
    back: dict[int, list[int]] = {}
    seen, rest = {start}, [start]
    for node in rest:
        for ahead in edges.get(node, ()):
            back.setdefault(ahead, []).append(node)
            if ahead not in seen:
                seen.add(ahead)
                rest.append(ahead)
    if end not in seen:
        return {}
    distance, rest = {end: 0}, [end]
    for node in rest:
        for before in back.get(node, ()):
            if before not in distance:
                distance[before] = distance[node] + 1
                rest.append(before)
    return distance


def _topological(edges: Graph) -> list[int] | None:
    """The nodes, each before those it leads to; None where there is a cycle."""
    incoming = dict.fromkeys(edges, 0)
    for aheads in edges.values():
        for ahead in aheads:
            incoming[ahead] += 1
    order = [node for node, count in incoming.items() if not count]
    for node in order:
        for ahead in edges[node]:
            incoming[ahead] -= 1
            if not incoming[ahead]:
                order.append(ahead)
    return order if len(order) == len(incoming) else None
