"""Everyone's everything: counted and streamed for many askers at once instead of one after the other.

An asker is made of *parts*: the groups it is in directly, and itself or `everyone` where they hold grants. Askers of
the same parts are alike and answered once. Where a system decides by permits and denies alone, what one reaches is
the union of what its parts permit, less the union of what they deny; so the intervals of pairs of each part are put
together once, and then sorted together for a block of askers. Systems with ranks or gates are decided asker by asker.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from functools import cached_property

import msgspec
import numpy as np

from kathodos import thresholds
from kathodos.columns.csr import (
    CSRList,
    Ints,
    csr_from_distinct,
    csr_from_pairs,
    distinct,
    in_loads,
    joined,
    spread_each,
)
from kathodos.columns.dictionary import Codes
from kathodos.columns.intervals import Intervals, without
from kathodos.columns.ordered import insertion_points, order_of
from kathodos.columns.packed import fingerprints
from kathodos.columns.threads import in_threads
from kathodos.engine.compiled.index import Index, System
from kathodos.engine.decide import direct_principals_of_each, is_live
from kathodos.engine.pair_axis import IntervalLists, OwnedIntervals, PairAxis
from kathodos.engine.reach import Reached, pairs_in, what_grants_give, what_reached_by

Pairs = tuple[Codes, ...]
"""Asker, action and node of each of some pairs, by number."""


class Counts(msgspec.Struct, frozen=True):
    """For each asker, by number, how many (action, resource) it reaches, and how many resources with any action."""

    askers: Ints
    pairs: Ints
    resources: Ints


def count_pairs(index: Index, moment: int, action: str | None = None) -> tuple[Ints, Ints]:
    """The askers, and how many (action, resource) each reaches at a moment (`action` None: with any action)."""
    reach = ReachClasses(index, moment, action)
    return reach.askers, reach.counted(reach.measure)[reach.alike]


def count_everything(index: Index, moment: int, action: str | None = None) -> Counts:
    """As `count_pairs`, with the resources counted too."""
    reach = ReachClasses(index, moment, action)
    pairs, resources = reach.counted(reach.measure), reach.counted(reach.measure_nodes)
    return Counts(reach.askers, pairs[reach.alike], resources[reach.alike])


def stream_pairs(index: Index, moment: int, action: str | None = None) -> Iterator[Pairs]:
    """Everybody's everything in blocks: asker, action and node of each pair, by number."""
    reach = ReachClasses(index, moment, action)
    members = csr_from_pairs(reach.alike, reach.askers, len(reach.classes))
    actions, nodes = (it.astype(np.int32) for it in (reach.axis.pair_actions, reach.axis.pair_nodes))
    for block in reach.blocks:
        owner, first, end = reach.reached(block)
        sizes = end - first
        of_owner = csr_from_pairs(owner, np.arange(len(owner)), len(block))
        at_owner, askers = members.of(block)
        total = np.bincount(owner, weights=sizes, minlength=len(block)).astype(np.int64)
        for some in in_loads(total[at_owner], thresholds.STREAMED):
            _, which = of_owner.of(at_owner[some])
            positions = _positions_in(first[which], sizes[which])
            if len(positions):
                who = np.repeat(askers[some].astype(np.int32), total[at_owner[some]])
                yield who, actions.take(positions), nodes.take(positions)


def _positions_in(first: Ints, sizes: Ints) -> Codes:
    """The positions of runs that begin at `first` and are so long, one after the other, made in one pass."""
    first, sizes = first[sizes > 0], sizes[sizes > 0]
    steps = np.ones(int(sizes.sum()), dtype=np.int32)
    if len(sizes):
        steps[0] = first[0]
        steps[np.cumsum(sizes)[:-1]] = first[1:] - (first + sizes)[:-1] + 1
    np.cumsum(steps, dtype=np.int32, out=steps)
    return steps


def pairs_of(index: Index, asker: int, moment: int, action: str | None = None) -> Iterator[Pairs]:
    """As `stream_pairs`, of one asker."""
    for found in what_reached_by(index, asker, moment):
        number, node = found.may.nonzero()
        wanted = np.array([action in (None, index.actions[at][1]) for at in found.system.actions])[number]
        number, node = number[wanted], node[wanted]
        numbers = (np.full(len(number), asker), found.system.actions[number], node + found.system.root)
        yield tuple(it.astype(np.int32) for it in numbers)


def everything(index: Index, moment: int) -> Iterator[tuple[Sequence[int], list[Reached]]]:
    """What everyone reaches: those alike together, and what each of them reaches."""
    reach = ReachClasses(index, moment, None)
    members = csr_from_pairs(reach.alike, reach.askers, len(reach.classes))
    for number in range(len(reach.classes)):
        yield members[number].tolist(), what_grants_give(index, reach.grants(number))


def triples(index: Index, by: str | None, moment: int) -> Iterator[tuple[str, str, str]]:
    """Every (who, action, resource) that one asker, given by reference, or everyone reaches."""
    blocks = everything(index, moment)
    if by is not None:
        asker = index.holders.find(by)
        blocks = iter([([asker], what_reached_by(index, asker, moment))])
    for askers, reached in blocks:
        pairs = [pair for found in reached for pair in pairs_in(index, found)]
        for asker in askers:
            yield from ((index.holders.references[asker], action, address) for action, address in pairs)


class ReachClasses:
    """The askers, in `classes` of those alike, and what their parts permit and deny. `alike`: the class of each.

    `askers`: which identities and accounts are looked at, by number (None: all that ask for themselves); `window`: the
    stretches of the line to which plain systems are looked at, apart and in order (None: all of it).
    """

    def __init__(
        self,
        index: Index,
        moment: int,
        action: str | None,
        askers: Ints | None = None,
        window: Intervals | None = None,
    ) -> None:
        self.index = index
        self.window = window
        self.moment = moment
        self.action = action
        self.axis = PairAxis(index, action)
        self.askers = index.holders.askers if askers is None else askers
        self.closures, self.holding = self._parts()
        self.alike, representatives = alike(self.holding)
        self.classes = self.holding.picked(representatives)

    # What askers are made of

    def _parts(self) -> tuple[CSRList, CSRList]:
        """The live grants of each part, and the parts of each asker; parts without any grant are left out."""
        index, holders = self.index, self.index.holders
        position, principal = direct_principals_of_each(index, self.askers, self.moment)
        origin, group = holders.edges.of(principal)
        has_any = distinct(position)
        position = np.concatenate([position, position[origin], has_any])
        holder = np.concatenate([principal, group, np.full(len(has_any), holders.everyone)])
        used = distinct(holder)
        above = spread_each(holders.edges, used[used >= holders.first_group])
        own = used[used < holders.first_group]
        part = np.concatenate([np.arange(len(own)), len(own) + above.rows()])
        at_part, grants = index.holder_grants.of(np.concatenate([own, above.items]))
        live = is_live(index, grants, self.moment)
        granted = csr_from_distinct(part[at_part[live]], grants[live], len(used), max(len(index.grants), 1))
        matters = granted.sizes() > 0
        number = np.cumsum(matters) - 1
        part_of = insertion_points(used, holder)
        kept = matters[part_of]
        count = int(matters.sum())
        holding = csr_from_distinct(position[kept], number[part_of[kept]], len(self.askers), max(count, 1))
        return granted.picked(matters.nonzero()[0]), holding

    def grants(self, number: int) -> Ints:
        """The live grants of a class, in order."""
        return distinct(self.closures.of(self.classes[number])[1]).astype(np.int64)

    # What they reach

    @cached_property
    def part_pairs(self) -> tuple[IntervalLists, IntervalLists]:
        """What each part permits and what it denies in plain systems, put together."""
        return self.axis.of_grants(self.closures, self.window)

    @cached_property
    def blocks(self) -> list[Ints]:
        """The classes in blocks that are worked on together."""
        permits, denials = self.part_pairs
        sizes = permits.sizes(self.classes.items) + 2 * denials.sizes(self.classes.items)
        load = np.diff(np.concatenate([[0], np.cumsum(sizes)])[self.classes.starts])
        return in_loads(load, thresholds.SORTED_TOGETHER, widest=self.axis.most_owners)

    def counted(self, measure: Callable[[Ints], Ints]) -> Ints:
        """What is measured of each class, block by block."""
        return joined(in_threads(measure, self.blocks))

    def _gathered(self, block: Ints, marked: IntervalLists) -> tuple[Ints, Ints, Ints]:
        """The intervals of all parts of the classes of a block: owner within the block, first and end."""
        origin, parts = self.classes.of(block)
        at, first, end = marked.of(parts)
        return origin[at], first, end

    def measure(self, block: Ints) -> Ints:
        """How many pairs each class of a block reaches."""
        permits, denials = (self._gathered(block, marked) for marked in self.part_pairs)
        return self._length(block, permits, denials) + self._special_counts(block)

    def _length(self, block: Ints, kept: OwnedIntervals, taken: OwnedIntervals | None = None) -> Ints:
        """The length of the union of the intervals that each owner keeps, less what is taken of it."""
        if not len(kept[0]):
            return np.zeros(len(block), dtype=np.int64)
        begins, reached = self.axis.swept(*kept)
        covered = np.empty(len(reached) + 1, dtype=np.int64)
        covered[0] = 0
        np.maximum(begins[1:], reached[:-1], out=covered[2:])
        covered[1] = begins[0]
        np.subtract(reached, covered[1:], out=covered[1:])
        np.maximum(covered, 0, out=covered)
        np.cumsum(covered, out=covered)
        edges = insertion_points(begins, self.axis.packing.starts(len(block)))
        counts: Ints = np.diff(covered[edges])
        if taken is not None and len(taken[0]):
            owner, first, end = self.axis.merged(*taken)
            lost = _covered_before(begins, reached, covered, self.axis.packing.pack(owner, end))
            lost -= _covered_before(begins, reached, covered, self.axis.packing.pack(owner, first))
            counts -= np.bincount(owner, weights=lost, minlength=len(block)).astype(np.int64)
        return counts

    def measure_nodes(self, block: Ints) -> Ints:
        """How many nodes each class of a block reaches with at least one action."""
        owner, first, end = self.reached(block)
        number = insertion_points(self.axis.bases, first, side="right") - 1
        width = np.array([system.size + 1 for system in self.index.systems_in_order])[number]
        row = (first - self.axis.bases[number]) // width * width
        return self._length(block, (owner, first - row, end - row))

    def reached(self, block: Ints) -> tuple[Ints, Ints, Ints]:
        """What each class of a block reaches: owner within the block, first and end, in order and apart."""
        permits, denials = (self._merged_any(*self._gathered(block, marked)) for marked in self.part_pairs)
        packing = self.axis.packing
        lines: list[Intervals] = [
            (packing.pack(owner, first), packing.pack(owner, end)) for owner, first, end in (permits, denials)
        ]
        first, end = without(*lines) if len(denials[0]) else lines[0]
        more_first, more_end = self._special_pairs(block)
        if len(more_first):
            order = order_of(np.concatenate([first, more_first]))
            first, end = np.concatenate([first, more_first])[order], np.concatenate([end, more_end])[order]
        return packing.firsts(first), packing.seconds(first), packing.seconds(end)

    def _merged_any(self, owner: Ints, first: Ints, end: Ints) -> tuple[Ints, Ints, Ints]:
        return self.axis.merged(owner.astype(np.int64), first, end)

    # Systems with ranks or gates

    @cached_property
    def special(self) -> list[tuple[int, System]]:
        """The systems that are decided asker by asker, with their positions."""
        return [(at, it) for at, it in enumerate(self.index.systems_in_order) if not it.is_plain and len(it.actions)]

    @cached_property
    def special_grants(self) -> CSRList:
        """Of each part the grants that speak about a special system."""
        index = self.index
        numbers = np.array([at for at, _ in self.special], dtype=np.int64)
        of_interval = insertion_points(index.system_roots, index.intervals.first, side="right") - 1
        scoped = np.zeros(len(index.scoped_entry), dtype=bool)
        scoped[index.intervals.scoped[np.isin(of_interval, numbers)]] = True
        entitlements = np.zeros(len(index.entitlements), dtype=bool)
        entitlements[index.entitlements.scoped.rows()[scoped[index.entitlements.scoped.items]]] = True
        speaks = entitlements[index.grants.entitlement[self.closures.items]]
        return csr_from_pairs(self.closures.rows()[speaks], self.closures.items[speaks], len(self.closures))

    @cached_property
    def _known(self) -> dict[bytes, tuple[Ints, Ints]]:
        return {}

    def _special_of(self, number: int) -> tuple[Ints, Ints]:
        """What a class reaches in the special systems, as intervals on the line."""
        grants = distinct(self.special_grants.of(self.classes[number])[1]).astype(np.int64)
        key = grants.tobytes()
        if key not in self._known:
            bases = {system.name: int(self.axis.bases[at]) for at, system in self.special}
            reached = [it for it in what_grants_give(self.index, grants) if it.system.name in bases]
            some = [(it.of_action(self.index, self.action), bases[it.system.name]) for it in reached]
            firsts, ends = ([pairs[side] + base for pairs, base in some] for side in (0, 1))
            self._known[key] = joined(firsts), joined(ends)
        return self._known[key]

    def _special_pairs(self, block: Ints) -> Intervals:
        """What the classes of a block reach in special systems: intervals on the line, each owner's on its own part."""
        firsts, ends = [], []
        for at in self._with_special(block):
            first, end = self._special_of(int(block[at]))
            firsts.append(self.axis.packing.pack(at, first))
            ends.append(self.axis.packing.pack(at, end))
        return joined(firsts), joined(ends)

    def _special_counts(self, block: Ints) -> Ints:
        counts = np.zeros(len(block), dtype=np.int64)
        for at in self._with_special(block):
            first, end = self._special_of(int(block[at]))
            counts[at] = int((end - first).sum())
        return counts

    def _with_special(self, block: Ints) -> list[int]:
        """Which classes of a block have a grant that speaks about a special system."""
        if not self.special:
            return []
        origin, parts = self.classes.of(block)
        found: list[int] = distinct(origin[self.special_grants.sizes()[parts] > 0]).tolist()
        return found


def _covered_before(begins: Ints, reached: Ints, covered: Ints, positions: Ints) -> Ints:
    """How much of what lies before each position the swept intervals cover; `covered`: how much of all before each."""
    at = insertion_points(begins, positions) - 1
    beyond = np.maximum(reached[np.maximum(at, 0)] - positions, 0)
    return covered[at + 1] - np.where(at >= 0, beyond, 0)


def alike(lists: CSRList) -> tuple[Ints, Ints]:
    """Lists that are the same: for each list the number of its class, and a list of each class."""
    sizes = lists.sizes()
    _, first, alike = np.unique(fingerprints(lists), return_index=True, return_inverse=True)
    same_size = sizes == sizes[first[alike]]
    at, own = lists.of(same_size.nonzero()[0])
    _, other = lists.of(first[alike][same_size])
    differs = ~same_size
    differs[same_size.nonzero()[0][at[own != other]]] = True
    strays = differs.nonzero()[0]  # the same checksum by chance: each stands for itself
    order = np.argsort(first)  # classes in the order in which they first appear
    alike, first = np.argsort(order)[alike], first[order]
    alike[strays] = len(first) + np.arange(len(strays))
    return alike, np.concatenate([first, strays])
