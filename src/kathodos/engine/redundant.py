"""Redundant grants: those of which each, taken away alone, changes no reach of anyone (meaning of reach, "Chains").

All are decided together. Over a stretch of pairs where the same grants speak, taking one away can only matter where it
alone permits, or alone denies what another permits; so one sweep over an asker's intervals tells which of its grants
are needed. A grant that one or few askers hold is decided by these. Of the others, one that is needed for one asker is
needed; one that is never alone among the grants of its own holder and the groups above is needed by nobody. What both
leave open is looked for among more and more askers, in the end all.
In systems with ranks or gates what an asker may do without each of its grants is computed for all of them at once.
"""

from __future__ import annotations

import msgspec
import numpy as np

from kathodos import thresholds
from kathodos.columns.csr import Bools, CSRList, Ints, csr_from_distinct, distinct, in_loads, joined, spread_each
from kathodos.columns.ordered import insertion_points
from kathodos.columns.packed import CountsAndSums, PackedPairs
from kathodos.columns.threads import in_threads
from kathodos.engine.compiled.index import Index, System
from kathodos.engine.decide import Given, gates_over, is_live, permit_wins, rank_of
from kathodos.engine.everyone import ReachClasses
from kathodos.engine.pair_axis import IntervalLists

_SHARES = (16, 8, 4, 2, 1, 1)  # one in so many of what is open is looked at round by round: one class decides many


class Redundant(msgspec.Struct, frozen=True):
    """The redundant ones among the live grants, by number; `is_idle`: it gives nobody anything at all now."""

    grants: Ints
    is_idle: Bools


def redundant_grants(index: Index, moment: int) -> Redundant:
    """The live grants of which each, taken away alone, changes no reach of anyone at a moment."""
    finder = _Finder(index, moment)
    finder.decide_by_rank()
    finder.decide_plainly()
    live = is_live(index, np.arange(len(index.grants)), moment)
    grants = (live & ~finder.needed).nonzero()[0]
    return Redundant(grants, ~finder.gives_something[grants])


class _Finder:
    """`needed`: the grants found so far that somebody needs."""

    def __init__(self, index: Index, moment: int) -> None:
        self.index = index
        self.moment = moment
        self.reach = ReachClasses(index, moment, None)
        self.needed = np.zeros(len(index.grants), dtype=bool)
        self.form, self.permits, self.denials = self._forms()
        self.gives_something = np.zeros(len(index.grants), dtype=bool)
        held = distinct(self.reach.closures.items).astype(np.int64)
        intervals = index.scoped_intervals.sizes()
        has_intervals = np.zeros(len(index.entitlements), dtype=bool)
        has_intervals[index.entitlements.scoped.rows()[intervals[index.entitlements.scoped.items] > 0]] = True
        self.gives_something[held] = has_intervals[index.grants.entitlement[held]]

    def _forms(self) -> tuple[Ints, IntervalLists, IntervalLists]:
        """What each grant says, by its form: grants with the same entitlement and effect say the same."""
        grants = self.index.grants
        codes = grants.entitlement.astype(np.int64) * 2 + grants.denies
        _, first, form = np.unique(codes, return_index=True, return_inverse=True)
        one_each = CSRList(np.arange(len(first) + 1), first)
        return form, *self.reach.axis.of_grants(one_each)

    # Systems that decide by permits and denies alone

    def decide_plainly(self) -> None:
        """Finds which grants are needed in plain systems."""
        reach = self.reach
        by_grant, by_part = reach.closures.turned(len(self.needed)), reach.classes.turned(len(reach.closures))
        askers = np.zeros(len(self.needed), dtype=np.int64)
        np.add.at(askers, by_grant.rows(), by_part.sizes()[by_grant.items])
        rows = ((askers > 0) & (askers <= thresholds.FEW_CLASSES)).nonzero()[0]
        self._sweep_classes(_all_classes(by_grant, by_part, rows), rows)
        open_ = self._alone_at_their_holder((askers > thresholds.FEW_CLASSES).nonzero()[0])
        random = np.random.default_rng(0)
        for share in _SHARES:
            rows = (open_ & ~self.needed).nonzero()[0]
            some = random.permutation(rows)[: -(-len(rows) // share)]
            self._sweep_classes(_any_class(by_grant, by_part, some, random), rows)
        rows = (open_ & ~self.needed).nonzero()[0]
        self._sweep_classes(_all_classes(by_grant, by_part, rows), rows)

    def _alone_at_their_holder(self, asked: Ints) -> Bools:
        """Which of the grants are somewhere alone among those of their holder and of the groups that it is in."""
        index, holders = self.index, self.index.holders
        live = is_live(index, np.arange(len(index.grants)), self.moment)
        own = distinct(index.grants.holder[asked]).astype(np.int64)
        above = spread_each(holders.edges, own)
        origin, grants = index.holder_grants.of(above.items)
        owner = above.rows()[origin]
        kept = live[grants]
        of_owner = csr_from_distinct(owner[kept], grants[kept], len(own), max(len(live), 1))
        is_asked = np.zeros(len(live), dtype=bool)
        is_asked[asked] = True
        mine = is_asked[of_owner.items] & (index.grants.holder[of_owner.items] == own[of_owner.rows()])
        alone = np.zeros(len(live), dtype=bool)
        alone[self._swept(of_owner, mine, is_alone_enough=True)] = True
        return alone

    def _sweep_classes(self, classes: Ints, candidates: Ints) -> None:
        """Marks those of the candidates that one of the classes needs."""
        reach, is_open = self.reach, np.zeros(len(self.needed), dtype=bool)
        is_open[candidates] = True
        for some in in_loads(reach.classes.sizes()[classes], thresholds.SWEPT):
            origin, parts = reach.classes.of(classes[some])
            at, grants = reach.closures.of(parts)
            of_class = csr_from_distinct(origin[at], grants, len(some), max(len(self.needed), 1))
            self.needed[self._swept(of_class, is_open[of_class.items], is_alone_enough=False)] = True

    def _swept(self, of_owner: CSRList, asked: Bools, is_alone_enough: bool) -> Ints:
        """Which grants, of those of each owner that are asked about, are alone somewhere; owners block by block."""
        forms = self.form[of_owner.items]
        sizes = np.concatenate([[0], np.cumsum(self.permits.sizes(forms) + self.denials.sizes(forms))])

        def alone_in(block: Ints) -> Ints:
            some = of_owner.picked(block)
            first = int(of_owner.starts[block[0]])
            return some.items[self._sweep(some, asked[first : first + len(some.items)], is_alone_enough)]

        blocks = in_loads(
            np.diff(sizes[of_owner.starts]), thresholds.SWEPT, min(self.reach.axis.most_owners, thresholds.SWEPT_WIDE)
        )
        return distinct(joined(in_threads(alone_in, blocks))).astype(np.int64)

    def _sweep(self, of_owner: CSRList, asked: Bools, is_alone_enough: bool) -> Ints:
        """The positions among the items of those asked about that are alone somewhere.

        Only what is said where something that is asked about speaks is looked at. `is_alone_enough`: also where that
        changes nothing, since something else denies, or nothing else permits.
        """
        axis, forms, owner = self.reach.axis, self.form[of_owner.items], of_owner.rows().astype(np.int64)
        says = [marked.of(forms) for marked in (self.permits, self.denials)]
        wanted = [asked[item] for item, _, _ in says]
        begin, reached = axis.swept(
            joined([owner[it[0][which]] for it, which in zip(says, wanted, strict=True)]),
            *(joined([it[side][which] for it, which in zip(says, wanted, strict=True)]) for side in (1, 2)),
        )
        begin = np.append(begin, np.iinfo(np.int64).max)
        width = int(of_owner.sizes().max(initial=0)).bit_length()
        local = np.arange(len(of_owner.items)) - np.repeat(of_owner.starts[:-1], of_owner.sizes())
        keys = []
        for kind, (item, first, end) in enumerate(says):
            first, end = (axis.packing.pack(owner[item], it) for it in (first, end))
            near = begin[insertion_points(reached, first, side="right")] < end
            item, first, end = local[item[near]], first[near], end[near]
            keys += [((first << 2 | kind * 2 + 1) << width) | item, ((end << 2 | kind * 2) << width) | item]
        events = np.sort(joined(keys))
        position = events >> (width + 2)
        last = np.append(position[1:] != position[:-1], True)[: len(position)].nonzero()[0]
        totals, denies = CountsAndSums(width), events >> (width + 1) & 1
        step = totals.steps(PackedPairs(width).seconds(events), (events >> width - 1 & 2) - 1)
        permitting, permits = totals.apart(np.cumsum(step * (1 - denies))[last])
        denying, denials = totals.apart(np.cumsum(step * denies)[last])
        lone_permit, lone_denial = permitting == 1, denying == 1
        if not is_alone_enough:
            lone_permit &= denying == 0
            lone_denial &= (permitting > 1) | ((permitting == 1) & (permits != denials))
        begins = of_owner.starts[axis.packing.firsts(position[last])]
        found = distinct(np.concatenate([(begins + permits)[lone_permit], (begins + denials)[lone_denial]]))
        return found[asked[found]].astype(np.int64)

    # Systems with ranks or gates

    def decide_by_rank(self) -> None:
        """Marks the grants that somebody needs in a system with ranks or gates; askers alike there are taken once."""
        reach = self.reach
        if not reach.special:
            return
        seen = set()
        speaking = reach.special_grants
        for number in range(len(reach.classes)):
            grants = distinct(speaking.of(reach.classes[number])[1]).astype(np.int64)
            if len(grants) and grants.tobytes() not in seen:
                seen.add(grants.tobytes())
                for _, system in reach.special:
                    self.needed[_needed_of(self.index, system, grants)] = True


def _all_classes(by_grant: CSRList, by_part: CSRList, grants: Ints) -> Ints:
    """The classes of askers that hold one of the grants: grants have parts, and parts have classes."""
    return distinct(by_part.all_of(distinct(by_grant.all_of(grants)).astype(np.int64))).astype(np.int64)


def _any_class(by_grant: CSRList, by_part: CSRList, grants: Ints, random: np.random.Generator) -> Ints:
    """For each of the grants one of the classes that hold it, by chance."""
    origin, parts = by_grant.of(grants)
    sizes = by_part.sizes()[parts]
    before = np.cumsum(sizes) - sizes
    of_grant = np.bincount(origin, weights=sizes, minlength=len(grants)).astype(np.int64)
    chosen = np.cumsum(of_grant) - of_grant + random.integers(of_grant)
    at = insertion_points(before, chosen, side="right") - 1
    return distinct(by_part.items[by_part.starts[parts[at]] + chosen - before[at]]).astype(np.int64)


def _needed_of(index: Index, system: System, grants: Ints) -> Ints:
    """Which of exactly these grants of somebody are needed in one system: without each of them something changes."""
    origin, scoped = index.entitlements.scoped.of(index.grants.entitlement[grants])
    of_scoped, intervals = index.scoped_intervals.of(scoped)
    which, axis = origin[of_scoped], index.scoped_entry[scoped[of_scoped]]
    here = (system.root <= index.intervals.first[intervals]) & (index.intervals.first[intervals] < system.end)
    which, axis, intervals = which[here], axis[here], intervals[here]
    rank = rank_of(index, system, grants[which], intervals)
    given = Given(index.entries.action[axis], index.grants.denies[grants[which]] | index.entries.denies[axis], rank)
    first, end = index.intervals.first[intervals].astype(np.int64), index.intervals.end[intervals].astype(np.int64)
    edges = _segments(system, first, end)
    nodes = index.tree.node_at[edges[:-1]].tolist()
    without = np.stack(
        [
            _without_each(system, given, action, which, len(grants), edges, first, end)
            for action in range(len(system.actions))
        ]
    )
    if system.gates:
        segment_of = {node: at for at, node in enumerate(nodes)}
        may = without.copy()
        for at, node in enumerate(nodes):
            for above, gate in gates_over(index, system, node):
                may[:, :, at] &= without[gate, :, segment_of[above]]
        without = may
    changes = (without[:, 1:] != without[:, :1]).any(axis=(0, 2))
    needed: Ints = grants[changes]
    return needed


def _segments(system: System, first: Ints, end: Ints) -> Ints:
    """The bounds of the stretches of places where the same is said; where there are gates every node is one."""
    if system.gates:
        return np.arange(system.root, system.end + 1)
    return distinct(np.concatenate([[system.root, system.end], first, end]))


def _without_each(
    system: System, given: Given, action: int, which: Ints, count: int, edges: Ints, first: Ints, end: Ints
) -> Bools:
    """What is permitted of one action before gates, with all grants and then without each: (1 + grants, segments)."""
    bears = given.bears_on(system, action)
    size = len(edges) - 1
    begin, stop = insertion_points(edges, first[bears]), insertion_points(edges, end[bears])
    of, rank, denies = which[bears], given.rank[bears], given.denies[bears]
    permitted = np.zeros((count + 1, size), dtype=bool)
    undecided = np.ones((count + 1, size), dtype=bool)
    for best in distinct(rank).tolist():
        spoken = []
        for kind in (False, True):
            now = (rank == best) & (denies == kind)
            change = np.zeros((count, size + 1), dtype=np.int64)
            np.add.at(change, (of[now], begin[now]), 1)
            np.add.at(change, (of[now], stop[now]), -1)
            held = np.cumsum(change[:, :size], axis=1) > 0
            total = held.sum(axis=0)
            spoken.append(np.concatenate([total[None] > 0, total - held > 0]))
        permits, denials = spoken
        permitted |= undecided & permit_wins(system, permits, denials)
        undecided &= ~(permits | denials)
    return permitted
