"""Array types, and lists of lists kept as two arrays (compressed sparse rows)."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from kathodos import thresholds
from kathodos.columns.ordered import insertion_points, order_of

Ints = npt.NDArray[np.int64]  # at rest also of 32 bits; what is multiplied is widened first
Bools = npt.NDArray[np.bool_]


@dataclass(frozen=True)
class CSRList:
    """List i is `items[starts[i]:starts[i + 1]]`."""

    starts: Ints
    items: Ints

    def __len__(self) -> int:
        return len(self.starts) - 1

    def __getitem__(self, row: int) -> Ints:
        return self.items[self.starts[row] : self.starts[row + 1]]

    def of(self, rows: Ints) -> tuple[Ints, Ints]:
        """The lists of `rows` put together: for each item the position in `rows` it is from, and the item."""
        origin, positions = self.positions(rows)
        return origin, self.items[positions]

    def picked(self, rows: Ints) -> CSRList:
        """Only the lists of `rows`, in that order."""
        starts = np.zeros(len(rows) + 1, dtype=np.int64)
        np.cumsum(self.starts[rows + 1] - self.starts[rows], out=starts[1:])
        return CSRList(starts, self.of(rows)[1])

    def all_of(self, rows: Ints) -> Ints:
        """The lists of `rows` put together."""
        if len(rows) > 64:
            return self.items[self.positions(rows)[1]]
        parts = [self[row] for row in rows.tolist()]
        return np.concatenate(parts) if parts else self.items[:0]

    def positions(self, rows: Ints) -> tuple[Ints, Ints]:
        """As `of`, with the position of each item in `items` instead of the item."""
        first = self.starts[rows].astype(np.int64)
        return stretches(first, self.starts[rows + 1] - first)

    def sizes(self) -> Ints:
        """How many items each list has."""
        return np.diff(self.starts)

    def rows(self) -> Ints:
        """For each item the list it is in."""
        return np.repeat(np.arange(len(self), dtype=np.int32), self.sizes())

    def turned(self, size: int) -> CSRList:
        """For each of `size` items the rows whose lists hold it, in order."""
        return csr_from_pairs(self.items, self.rows(), size)

    def without(self, positions: Ints) -> CSRList:
        """The lists without the items at these positions of `items`."""
        gone = insertion_points(np.sort(positions), self.starts)
        return CSRList((self.starts - gone).astype(self.starts.dtype), np.delete(self.items, positions))

    def position_for(self, rows: Ints, items: Ints) -> tuple[Ints, Ints]:
        """Where in `items` each pair (row, item) stands or would stand in rows in ascending order; and in what order.

        Gives the pairs' order by row and then item, and for each pair in that order its position.
        """
        order = np.lexsort((items, rows))
        positions = [
            int(self.starts[row]) + int(insertion_points(self[row], item))
            for row, item in zip(rows[order].tolist(), items[order].tolist(), strict=True)
        ]
        return order, ints(positions)

    def with_more(self, rows: Ints, items: Ints) -> CSRList:
        """The lists, each in ascending order, with these pairs (row, item) put in where they belong."""
        order, positions = self.position_for(rows, items)
        added = insertion_points(np.sort(rows), np.arange(len(self.starts)))
        put_in = np.insert(self.items, positions, items[order].astype(self.items.dtype))
        return CSRList((self.starts + added).astype(self.starts.dtype), put_in)


def stretches(starts: Ints, lengths: Ints) -> tuple[Ints, Ints]:
    """The numbers from each start on, so many: for each the position of its start, and the number."""
    origin = np.repeat(np.arange(len(starts)), lengths)
    before = np.cumsum(lengths) - lengths
    return origin, np.arange(len(origin)) + np.repeat(starts - before, lengths)


def csr_from_pairs(rows: Ints, items: Ints, size: int) -> CSRList:
    """`size` lists made of the pairs (row, item); a row's items keep their order."""
    starts = np.zeros(size + 1, dtype=np.int64)
    np.cumsum(np.bincount(rows, minlength=size), out=starts[1:])
    if len(rows) and not (rows[1:] >= rows[:-1]).all():
        items = items[order_of(rows)]
    return CSRList(starts, small(items))


def csr_from_distinct(rows: Ints, items: Ints, size: int, width: int) -> CSRList:
    """`size` lists of the distinct pairs (row, item < width), each list in ascending order."""
    codes = np.sort(rows.astype(np.int64) * width + items)
    codes = codes[first_of_each(codes)]
    return csr_from_pairs(codes // max(width, 1), codes % max(width, 1), size)


def first_of_each(ordered: Ints) -> Bools:
    """Where in an ordered array a value stands for the first time."""
    is_first = np.ones(len(ordered), dtype=bool)
    np.not_equal(ordered[1:], ordered[:-1], out=is_first[1:])
    return is_first


def distinct(values: Ints | npt.NDArray[np.int32]) -> Ints:
    """The distinct values in ascending order; for some thousand quicker than numpy's own, which hashes."""
    ordered: Ints = np.sort(values)
    return ordered[first_of_each(ordered)]


def union(first: Ints, second: Ints | Sequence[int]) -> Ints:
    """What stands in either, in order; NumPy's own way imports what it does not need."""
    return distinct(np.concatenate([first, second]).astype(np.int64))


def small(values: Ints) -> Ints:
    """The numbers in 32 bits; everything that is numbered here fits."""
    return values.astype(np.int32)


def csr_from_lists(rows: Iterable[Iterable[int]]) -> CSRList:
    """Lists made of Python ones."""
    listed = [list(row) for row in rows]
    starts = np.zeros(len(listed) + 1, dtype=np.int64)
    np.cumsum([len(row) for row in listed], out=starts[1:])
    return CSRList(starts, small(ints(item for row in listed for item in row)))


def csr_from_arrays(rows: Sequence[Ints]) -> CSRList:
    """Lists that are arrays already."""
    starts = np.zeros(len(rows) + 1, dtype=np.int64)
    np.cumsum([len(row) for row in rows], out=starts[1:])
    return CSRList(starts, small(joined(list(rows))))


def ints(values: Iterable[int]) -> Ints:
    """The values as an array."""
    return np.fromiter(values, dtype=np.int64)


def bools(values: Iterable[object]) -> Bools:
    """The truth of the values as an array."""
    return np.fromiter((bool(value) for value in values), dtype=bool)


def in_loads(loads: Ints, most: int, widest: int = 1 << 30) -> list[Ints]:
    """The positions of `loads` in blocks that bear about `most` together and are at most so wide."""
    total = np.concatenate([[0], np.cumsum(loads)])
    found, first = [], 0
    while first < len(loads):
        end = max(int(insertion_points(total, total[first] + most)), first + 1)
        end = min(end, first + widest, len(loads))
        found.append(np.arange(first, end))
        first = end
    return found


def joined(parts: list[Ints]) -> Ints:
    """The arrays one after the other; nothing where there is none."""
    return np.concatenate(parts) if parts else np.zeros(0, dtype=np.int64)


def one_below_the_other(parts: Sequence[CSRList]) -> CSRList:
    """The lists of several, one after the other."""
    before = np.cumsum([0, *(len(it.items) for it in parts)])
    starts = [it.starts[1:] + first for it, first in zip(parts, before[:-1], strict=True)]
    return CSRList(np.concatenate([ints([0]), *starts]).astype(np.int64), joined([it.items for it in parts]))


def spread(edges: CSRList, start: Ints, first_with_edges: int = 0) -> Bools:
    """Which nodes can be reached from `start` along `edges`, `start` included. Cycles cost nothing extra.

    Nodes before `first_with_edges` are known to lead nowhere.
    """
    size = len(edges)
    reached = np.zeros(size, dtype=bool)
    reached[start] = True
    fresh = start
    while len(fresh):
        ahead = edges.all_of(fresh)
        leading = ahead[ahead >= first_with_edges]
        fresh = distinct(leading[~reached[leading]])
        reached[ahead] = True
    return reached


def spread_each(edges: CSRList, starts: Ints) -> CSRList:
    """For each of `starts` the nodes that can be reached from it along `edges`, itself included, in order."""
    width = len(edges)
    origin, node = np.arange(len(starts)), starts.astype(np.int64)
    seen = origin * width + node
    fresh = seen
    while len(fresh):
        at, ahead = edges.of(node)
        found = distinct(origin[at] * width + ahead)
        fresh = found[~among(found, seen)]
        seen = np.insert(seen, insertion_points(seen, fresh), fresh)
        origin, node = fresh // width, fresh % width
    return csr_from_pairs(seen // max(width, 1), seen % max(width, 1), len(starts))


def closures(edges: CSRList, first: int, kept: Bools, most: int = 1 << 62) -> CSRList | None:
    """For each node from `first` on the `kept` nodes that can be reached from it, itself included, in order.

    None where that would be more than `most` in all.

    Edges from these nodes lead only to such nodes. Every node is done once all it leads to are, cycles as one, so that
    chains of thousands cost no more than what they hold.
    """
    tail = edges.starts[first:]
    ahead, label = CSRList(tail - tail[0], edges.items[tail[0] :] - np.int32(first)), np.arange(len(tail) - 1)
    levels = _levels(ahead)
    if levels is None:
        ahead, label = _cycles_as_one(ahead)
        levels = _levels(ahead)
        assert levels is not None
    inside, count = kept[first:].nonzero()[0], len(ahead)
    members = csr_from_pairs(label[inside], inside, count)
    sizes, starts, lengths = (np.bincount(label, minlength=count), *np.zeros((2, count), dtype=np.int64))
    found, used = np.zeros(1024, dtype=np.int32), 0
    for ready in (
        level[some] for level in levels for some in in_loads(_loads(ahead, lengths, level), thresholds.CSR_ITEMS)
    ):
        origin, to = ahead.of(ready)
        at, item = stretches(starts[to], lengths[to])
        own, member = members.of(ready)
        width = len(label)
        codes = distinct(np.concatenate([origin[at] * width + found[item], own * width + member]))
        lengths[ready] = np.bincount(codes // width, minlength=len(ready))
        starts[ready] = used + np.cumsum(lengths[ready]) - lengths[ready]
        most -= int((lengths[ready] * sizes[ready]).sum())
        if most < 0:
            return None
        if used + len(codes) > len(found):
            found = np.concatenate([found, np.zeros(len(found) + len(codes), dtype=np.int32)])
        found[used : used + len(codes)] = codes % width
        used += len(codes)
    _, item = stretches(starts[label], lengths[label])
    begins = np.concatenate([[0], np.cumsum(lengths[label])]).astype(np.int64)
    return CSRList(begins, found[item] + np.int32(first))


def _loads(edges: CSRList, lengths: Ints, nodes: Ints) -> Ints:
    """How much is put together for each of some nodes, by what is known of those it leads to."""
    origin, to = edges.of(nodes)
    return np.bincount(origin, weights=lengths[to], minlength=len(nodes)).astype(np.int64)


def _levels(edges: CSRList) -> list[Ints] | None:
    """The nodes in turns, each after all that it leads to; None where some lead back to themselves."""
    waiting, before, found = edges.sizes(), edges.turned(len(edges)), []
    ready = (waiting == 0).nonzero()[0]
    while len(ready):
        found.append(ready)
        behind = before.all_of(ready)
        np.subtract.at(waiting, behind, 1)
        ready = distinct(behind[waiting[behind] == 0]).astype(np.int64)
    return found if sum(map(len, found)) == len(edges) else None


def _cycles_as_one(edges: CSRList) -> tuple[CSRList, Ints]:
    """The edges between cycles, each taken as one node, and the number of the cycle of each node."""
    from scipy.sparse import csr_array
    from scipy.sparse.csgraph import connected_components

    size, source = len(edges), edges.rows().astype(np.int64)
    graph = csr_array((np.ones(len(source), dtype=np.int8), (source, edges.items)), shape=(size, size))
    count, label = connected_components(graph, directed=True, connection="strong")
    labels: Ints = label.astype(np.int64)
    begin, end = labels[source], labels[edges.items]
    between = begin != end
    return csr_from_distinct(begin[between], end[between], count, max(count, 1)), labels


def reachable(edges: CSRList, start: Ints) -> Ints:
    """The nodes that can be reached from `start` along `edges`, `start` included, in order.

    The same as `spread` where few are reached: nothing as long as all nodes is touched.
    """
    seen = fresh = distinct(start)
    while len(fresh):
        ahead = distinct(edges.all_of(fresh))
        fresh = ahead[~among(ahead, seen)]
        seen = np.insert(seen, insertion_points(seen, fresh), fresh)
    return seen


def among(values: Ints, ordered: Ints) -> Bools:
    """Which of the values are among some that are in ascending order."""
    if not len(ordered):
        return np.zeros(len(values), dtype=bool)
    at = insertion_points(ordered, values)
    at[at == len(ordered)] = 0
    found: Bools = ordered[at] == values
    return found
