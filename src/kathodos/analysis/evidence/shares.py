"""What each source of an asker has to do with what it reaches: what it alone gives, and what it alone keeps away.

One sweep over the intervals of all sources tells, stretch by stretch, how many of them permit and how many deny. What
is reached and permitted by one source alone is what that source *adds*; what nothing but one source's denial keeps from
being reached is what it *withholds*. Systems with ranks or gates are decided class by class, with and without each
source.
"""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property

import msgspec
import numpy as np

from kathodos import thresholds
from kathodos.analysis.evidence.sources import Sources
from kathodos.columns.csr import Bools, Ints, distinct, in_loads, joined
from kathodos.columns.intervals import Intervals, held_between, intervals_where, without
from kathodos.columns.ordered import insertion_points, order_of
from kathodos.columns.packed import CountsAndSums, PackedPairs
from kathodos.columns.threads import in_threads
from kathodos.engine.compiled.index import Index, System
from kathodos.engine.decide import Given, permit_wins, rank_of
from kathodos.engine.pair_axis import IntervalLists, PairAxis
from kathodos.engine.reach import what_grants_give

Owned = tuple[Ints, Ints, Ints]  # intervals of pairs: whose each is, its first and its end
NOTHING: Owned = (np.zeros(0, dtype=np.int64),) * 3


class Shared(msgspec.Struct, frozen=True):
    """A block of classes of askers. `reached`: intervals by class; the others by source, as it stands in the classes:
    what it `adds`, what it `withholds`, and, in systems with ranks or gates, what it `gives` of what is reached.

    All but what is withheld is in order of owner and first."""

    classes: Ints
    reached: Owned
    adds: Owned
    withholds: Owned
    gives: Owned


class Shares:
    """The shares of the sources of some askers."""

    def __init__(self, sources: Sources) -> None:
        self.sources = sources
        self.index = sources.things.index
        self.axis = PairAxis(self.index)
        self._known_reach: dict[bytes, Intervals] = {}
        self._known: dict[bytes, tuple[Intervals, list[tuple[Intervals, Intervals, Intervals]]]] = {}

    @cached_property
    def spoken(self) -> tuple[IntervalLists, IntervalLists]:
        """What each thing in use permits and denies in plain systems."""
        return self.sources.things.spoken(self.axis, self.sources.used)

    @property
    def packing(self) -> PackedPairs:
        """Of an owner and a position."""
        return self.axis.packing

    @cached_property
    def special(self) -> list[tuple[int, System]]:
        """The systems with ranks or gates, and the number of each in order."""
        return [(at, it) for at, it in enumerate(self.index.systems_in_order) if not it.is_plain and len(it.actions)]

    @cached_property
    def is_special(self) -> Bools:
        """Which things in use speak about a system with ranks or gates."""
        index, used = self.index, self.sources.used
        numbers = np.array([at for at, _ in self.special], dtype=np.int64)
        of_interval = insertion_points(index.system_roots, index.intervals.first, side="right") - 1
        scoped = np.zeros(len(index.scoped_entry), dtype=bool)
        scoped[index.intervals.scoped[np.isin(of_interval, numbers)]] = True
        speaks = np.zeros(len(index.entitlements), dtype=bool)
        speaks[index.entitlements.scoped.rows()[scoped[index.entitlements.scoped.items]]] = True
        grants = self.sources.things.grants(used)
        found = np.zeros(len(used), dtype=bool)
        found[grants.rows()[speaks[index.grants.entitlement[grants.items]]]] = True
        return found

    def blocks(self, some: Ints | None = None) -> Iterator[Shared]:
        """The shares, by blocks of classes: of some, given by number in order, or of all."""
        yield from map(self._block, self._blocks(np.arange(len(self.sources.classes)) if some is None else some))

    def counted(self) -> tuple[Ints, Ints]:
        """How many pairs each source adds, and how many it withholds, by its place in the classes."""
        parts = in_threads(self._counted, self._blocks(np.arange(len(self.sources.classes))))
        adds, withholds = (joined([part[side] for part in parts]).astype(np.int64) for side in (0, 1))
        return adds, withholds

    def _counted(self, block: Ints) -> tuple[Ints, Ints]:
        starts, shared = self.sources.classes.starts, self._block(block)
        first, size = int(starts[block[0]]), int(starts[block[-1] + 1] - starts[block[0]])
        adds, withholds = (
            np.bincount(item - first, weights=end - begin, minlength=size).astype(np.int64)
            for item, begin, end in (shared.adds, shared.withholds)
        )
        return adds, withholds

    def _blocks(self, some: Ints) -> list[Ints]:
        """Some classes, in blocks that are swept together."""
        classes = self.sources.classes
        permits, denials = self.spoken
        numbers = np.arange(len(self.sources.used))
        sizes = permits.sizes(numbers) + denials.sizes(numbers) + 1
        load = np.diff(np.concatenate([[0], np.cumsum(sizes[classes.items])])[classes.starts])
        width = int(classes.sizes().max(initial=0)).bit_length() + 2
        blocks = in_loads(load[some], thresholds.SWEPT, PackedPairs(self.packing.bits + width).most_firsts)
        return [some[block] for block in blocks]

    def _block(self, block: Ints) -> Shared:
        reached, adds, withholds = self._swept(block)
        gives = NOTHING
        if self.special:
            more = self._special_of(block)
            reached, adds, withholds = (
                _in_order(self.packing, *(np.concatenate(pair) for pair in zip(one, other, strict=True)))
                for one, other in zip((reached, adds, withholds), more[:3], strict=True)
            )
            gives = _in_order(self.packing, *more[3])
        return Shared(block, reached, _in_order(self.packing, *adds), withholds, gives)

    def _swept(self, block: Ints) -> tuple[Owned, Owned, Owned]:
        """What plain systems decide: reached by class, and added and withheld by source."""
        classes, packing = self.sources.classes, self.packing
        owner, position = classes.positions(block)
        things = classes.items[position].astype(np.int64)
        sizes = classes.sizes()[block]
        local = position - classes.starts[block][owner]
        width = int(sizes.max(initial=0)).bit_length()
        keys = []
        for kind, lists in enumerate(self.spoken):
            item, first, end = lists.of(things)
            first, end = (packing.pack(owner[item], it) for it in (first, end))
            keys += [
                ((first << 2 | kind * 2 + 1) << width) | local[item],
                ((end << 2 | kind * 2) << width) | local[item],
            ]
        events = np.sort(joined(keys))
        position = events >> (width + 2)
        last = np.append(position[1:] != position[:-1], True)[: len(position)].nonzero()[0]
        totals, denies = CountsAndSums(width), events >> (width + 1) & 1
        step = totals.steps(PackedPairs(width).seconds(events), (events >> width - 1 & 2) - 1)
        permitting, permits = totals.apart(np.cumsum(step * (1 - denies))[last])
        denying, denials = totals.apart(np.cumsum(step * denies)[last])
        start = position[last]
        stop = np.append(start[1:], 0)
        whose, first, end = packing.firsts(start), packing.seconds(start), packing.seconds(stop)
        is_reached = (permitting > 0) & (denying == 0)
        adds = is_reached & (permitting == 1)
        withholds = (permitting > 0) & (denying == 1) & ((permitting > 1) | (permits != denials))
        item = classes.starts[block][whose].astype(np.int64)
        return (
            (block[whose[is_reached]], first[is_reached], end[is_reached]),
            ((item + permits)[adds], first[adds], end[adds]),
            ((item + denials)[withholds], first[withholds], end[withholds]),
        )

    # Systems with ranks or gates

    def _special_of(self, block: Ints) -> tuple[Owned, Owned, Owned, Owned]:
        """As `_swept`, of the other systems, and what each source gives of what is reached."""
        classes, is_special = self.sources.classes, self.is_special
        found: list[list[Owned]] = [[], [], [], []]
        for number in block.tolist():
            base = int(classes.starts[number])
            own = classes[number].astype(np.int64)
            items = is_special[own].nonzero()[0]
            if not len(items):
                continue
            things = own[items]
            key = things.tobytes()
            if key not in self._known:
                self._known[key] = self._decided(things)
            reached, of_each = self._known[key]
            found[0].append((np.full(len(reached[0]), number), *reached))
            for at, intervals in zip(items.tolist(), of_each, strict=True):
                for side, (first, end) in enumerate(intervals, 1):
                    found[side].append((np.full(len(first), base + at), first, end))
        return tuple(  # type: ignore[return-value]
            tuple(joined([part[side] for part in parts]).astype(np.int64) for side in range(3)) for parts in found
        )

    def special_reached(self, number: int) -> Intervals:
        """What a class reaches in systems with ranks or gates."""
        own = self.sources.classes[number].astype(np.int64)
        things = own[self.is_special[own]]
        key = things.tobytes()
        if key not in self._known_reach:
            lists = self.sources.things.grants(self.sources.used[things])
            self._known_reach[key] = self._on_line(distinct(lists.items).astype(np.int64))
        return self._known_reach[key]

    def _decided(self, things: Ints) -> tuple[Intervals, list[tuple[Intervals, Intervals, Intervals]]]:
        """What who has exactly these things reaches, and what each of them adds, withholds and gives of it."""
        lists = self.sources.things.grants(self.sources.used[things])
        grants = [lists[at].astype(np.int64) for at in range(len(things))]
        every = distinct(joined(grants)).astype(np.int64)
        reached = self._on_line(every)
        found = []
        for at in range(len(things)):
            others = distinct(joined([it for other, it in enumerate(grants) if other != at])).astype(np.int64)
            less = self._on_line(others)
            adds = without(reached, less)
            gives = _both(reached, self._deciding(every, grants[at]))
            found.append((adds, without(less, reached), gives))
        return reached, found

    def _on_line(self, grants: Ints) -> Intervals:
        """What exactly these grants give in systems with ranks or gates, on the line of all pairs."""
        bases = {system.name: int(self.axis.bases[at]) for at, system in self.special}
        some = [it for it in what_grants_give(self.index, grants) if it.system.name in bases]
        first, end = (joined([it.pairs[side] + bases[it.system.name] for it in some]) for side in (0, 1))
        order = order_of(first)
        return first[order], end[order]

    def _deciding(self, grants: Ints, some: Ints) -> Intervals:
        """Where a permit of some of the grants is among those that decide, before gates."""
        firsts, ends = [], []
        for at, system in self.special:
            first, end = permits_that_decide(self.index, system, grants, some)
            firsts.append(first + int(self.axis.bases[at]))
            ends.append(end + int(self.axis.bases[at]))
        return joined(firsts), joined(ends)


def _both(one: Intervals, other: Intervals) -> Intervals:
    """What lies in both."""
    return without(one, without(one, other))


def _in_order(packing: PackedPairs, owner: Ints, first: Ints, end: Ints) -> Owned:
    order = order_of(packing.pack(owner, first))
    return owner[order], first[order], end[order]


def permits_that_decide(index: Index, system: System, grants: Ints, some: Ints) -> Intervals:
    """The pairs of one system where a permit of some of these grants stands in the rank that decides, and prevails."""
    origin, scoped = index.entitlements.scoped.of(index.grants.entitlement[grants].astype(np.int64))
    of_scoped, intervals = index.scoped_intervals.of(scoped)
    which, entry = origin[of_scoped], index.scoped_entry[scoped[of_scoped]]
    here = (system.root <= index.intervals.first[intervals]) & (index.intervals.first[intervals] < system.end)
    which, entry, intervals = which[here], entry[here], intervals[here]
    rank = rank_of(index, system, grants[which], intervals)
    given = Given(index.entries.action[entry], index.grants.denies[grants[which]] | index.entries.denies[entry], rank)
    action, element = given.bearing(system).nonzero()
    row = action * (system.size + 1) - system.root
    first, end = row + index.intervals.first[intervals[element]], row + index.intervals.end[intervals[element]]
    denies, rank, mine = given.denies[element], rank[element], np.isin(grants[which[element]], some)
    edges = distinct(np.concatenate([first, end]).astype(np.int64))
    found, undecided = np.zeros(max(len(edges) - 1, 0), dtype=bool), np.ones(max(len(edges) - 1, 0), dtype=bool)
    for best in distinct(rank).tolist():
        permits, denials, own = (
            held_between(edges, first[it], end[it])
            for it in ((rank == best) & ~denies, (rank == best) & denies, (rank == best) & ~denies & mine)
        )
        found |= undecided & own & permit_wins(system, permits, denials)
        undecided &= ~(permits | denials)
    return intervals_where(found, edges)
