"""What can be held: what each group brings, what everyone has, and what each grant gives or denies.

A *thing* is numbered: the groups first, then everyone, then each form of grants. Grants of one form give, or deny, the
same entitlement in the same tier.
"""

from __future__ import annotations

from functools import cached_property

import msgspec
import numpy as np

from kathodos import thresholds
from kathodos.columns.csr import (
    Bools,
    CSRList,
    Ints,
    csr_from_distinct,
    csr_from_pairs,
    distinct,
    first_of_each,
    joined,
    stretches,
)
from kathodos.columns.intervals import holds, united
from kathodos.columns.ordered import insertion_points, numbered
from kathodos.columns.packed import PackedPairs
from kathodos.engine.compiled.index import ANY_ACTION, Index
from kathodos.engine.decide import is_live
from kathodos.engine.pair_axis import IntervalLists, PairAxis
from kathodos.model.addresses import parse_pattern


class Things(msgspec.Struct, frozen=True, dict=True):
    """The things that there are in an index, at a moment in microseconds since 1970."""

    index: Index
    moment: int

    @property
    def holders(self) -> int:
        """How many of them are groups, or everyone."""
        return len(self.index.holders.groups) + 1

    @property
    def total(self) -> int:
        """How many things there may be: of the numbers of forms not each is that of any grant."""
        return self.holders + len(self.index.entitlements) * self._ways

    @cached_property
    def _tiers(self) -> Ints:
        return distinct(self.index.grants.tier).astype(np.int64)

    @property
    def _ways(self) -> int:
        """In how many ways grants may give, or deny, one entitlement."""
        return 2 * max(len(self._tiers), 1)

    def _way(self, grants: Ints) -> Ints:
        tier = insertion_points(self._tiers, self.index.grants.tier[grants])
        return np.asarray(tier * 2 + self.index.grants.denies[grants], dtype=np.int64)

    @cached_property
    def points(self) -> Points:
        """The pairs of the index, and which of them are alike."""
        return Points(self.index)

    def of_grants(self, grants: Ints) -> Ints:
        """The thing that each of some grants gives, or denies."""
        entitlement = self.index.grants.entitlement[grants].astype(np.int64)
        return np.asarray(self.holders + entitlement * self._ways + self._way(grants), dtype=np.int64)

    def _samples(self, forms: Ints) -> Ints:
        """A grant of each of some forms, of which there are any."""
        entitlement, way = np.divmod(forms, self._ways)
        at, grant = self.index.entitlement_grants.of(entitlement)
        here = self._way(grant) == way[at]
        at, grant = at[here], grant[here].astype(np.int64)
        found: Ints = grant[first_of_each(at)]
        return found

    def of_units(self, grant: Ints, group: Ints) -> Ints:
        """The thing that each unit is: of its grant, else (-1) of the group with this number of a holder."""
        found: Ints = group - self.index.holders.first_group
        is_grant = grant >= 0
        found[is_grant] = self.of_grants(grant[is_grant])
        return found

    @cached_property
    def live(self) -> Bools:
        """Which grants are in force."""
        return is_live(self.index, np.arange(len(self.index.grants)), self.moment)

    def grants(self, things: Ints) -> CSRList:
        """The grants in force that each of some things brings; of what a grant gives, one that gives it."""
        index = self.index
        brought = (things < self.holders).nonzero()[0]
        above = index.granted_above.picked(things[brought])
        origin, grant = index.holder_grants.of(above.items.astype(np.int64))
        kept = self.live[grant]
        own = (things >= self.holders).nonzero()[0]
        row = joined([brought[above.rows()[origin[kept]]], own])
        item = joined([grant[kept].astype(np.int64), self._samples(things[own] - self.holders)])
        return csr_from_distinct(row, item, len(things), max(len(index.grants), 1))

    def spoken(self, axis: PairAxis, things: Ints) -> tuple[IntervalLists, IntervalLists]:
        """What each of some things permits, and what it denies, in systems that permits and denies alone decide."""
        return axis.of_grants(self.grants(things))

    # Names

    def _targets(self, patterns: Ints) -> CSRList:
        """The places of the targets of some patterns, given by their numbers, of each in order.

        Nearly all are an address that there is, or end in `/**` behind one, and are not parsed.
        """
        index, tree = self.index, self.index.tree
        texts = index.entries.patterns.taken(patterns)
        node = tree.addresses.positions_of([text.removesuffix("/**") for text in texts])
        is_address = node >= 0
        rows, nodes = [is_address.nonzero()[0]], [node[is_address]]
        for number in (~is_address).nonzero()[0].tolist():
            nodes.append(tree.matches(parse_pattern(texts[number]).target))
            rows.append(np.full(len(nodes[-1]), number))
        places = tree.position[joined(nodes)].astype(np.int64)
        return csr_from_distinct(joined(rows), places, len(patterns), max(len(tree), 1))

    def _named(self, scoped: Ints) -> tuple[Ints, Ints]:
        """The places that each of some scoped entries names, as the position of the entry and the place: its targets
        within the scope, and the topmost of what it applies to. Where the scope lies below the target, these are those
        of the scope."""
        index, tree = self.index, self.index.tree
        packing = PackedPairs.below(len(tree) + 1)
        origin, interval = index.scoped_intervals.of(scoped)
        first, end = (it[interval].astype(np.int64) for it in (index.intervals.first, index.intervals.end))
        applied = united(packing.pack(origin, first), packing.pack(origin, end))
        patterns, which = np.unique(index.entries.pattern[index.scoped_entry[scoped]], return_inverse=True)
        at, target = self._targets(patterns).of(which)
        targets = packing.pack(at, target.astype(np.int64))
        found = [targets[holds(applied, targets)]]
        owner, place, stop = (
            packing.firsts(applied[0]),
            packing.seconds(applied[0]),
            packing.seconds(applied[1] - 1) + 1,
        )
        while len(place):
            node = tree.node_at[place].astype(np.int64)
            parent = tree.parent[node].astype(np.int64)
            above = packing.pack(owner, tree.position[parent].astype(np.int64))
            is_top = (parent < 0) | ~holds(applied, above)
            found.append(packing.pack(owner[is_top], place[is_top]))
            behind = tree.region_interval(node, tree.region[node])[1]
            going = behind < stop
            owner, place, stop = owner[going], behind[going], stop[going]
        every = distinct(joined(found))
        return packing.firsts(every), packing.seconds(every)

    def names(self, things: Ints) -> tuple[CSRList, CSRList]:
        """The pairs that each of some things names, as positions on the line of all pairs; and the actions.

        Each entry's own action on what it names, `*` standing for all actions of the system; nothing that is implied,
        nothing below. What is denied is not named.
        """
        index = self.index
        grants = self.grants(things)
        permits = ~index.grants.denies[grants.items]
        of, entitlement = grants.rows()[permits], index.grants.entitlement[grants.items[permits]]
        origin, scoped = index.entitlements.scoped.of(entitlement.astype(np.int64))
        kept = ~index.entries.denies[index.scoped_entry[scoped]]
        of_scoped = csr_from_distinct(of[origin[kept]], scoped[kept], len(things), max(len(index.scoped_entry), 1))
        used = distinct(of_scoped.items).astype(np.int64)
        pairs, actions = self._pairs_named(used)
        at = insertion_points(used, of_scoped.items)
        found = []
        for lists, width in ((pairs, int(index.pair_bases[-1]) + 1), (actions, len(index.actions))):
            within, item = lists.of(at)
            found.append(csr_from_distinct(of_scoped.rows()[within], item, len(things), max(width, 1)))
        return found[0], found[1]

    def _pairs_named(self, scoped: Ints) -> tuple[CSRList, CSRList]:
        """The pairs that each of some scoped entries names, and their actions."""
        index = self.index
        own, place = self._named(scoped)
        system = insertion_points(index.system_roots, place, side="right") - 1
        said = index.entries.action[index.scoped_entry[scoped[own]]].astype(np.int64)
        first, width = first_actions_of(index)[system], widths_of(index)[system]
        every = np.array([len(it.actions) for it in index.systems_in_order], dtype=np.int64)[system]
        begin, count = np.where(said == ANY_ACTION, 0, said - first), np.where(said == ANY_ACTION, every, 1)
        at, local = stretches(begin, count)
        pairs = index.pair_bases[system[at]] + local * width[at] + place[at] - index.system_roots[system[at]]
        actions = csr_from_distinct(own[at], first[at] + local, len(scoped), max(len(index.actions), 1))
        return csr_from_pairs(own[at], pairs, len(scoped)), actions


def widths_of(index: Index) -> Ints:
    """How many positions of the line each action of a system takes, by system in order."""
    return np.array([it.size + 1 for it in index.systems_in_order], dtype=np.int64)


def first_actions_of(index: Index) -> Ints:
    """The number of the first action of each system in order."""
    return np.array([it.actions[0] if len(it.actions) else 0 for it in index.systems_in_order], dtype=np.int64)


def alike_places(index: Index) -> tuple[Ints, Ints]:
    """The stretches of places about which exactly the same is said: where each begins, and the first place alike.

    A stretch is known by the sum of random numbers of what speaks there, so that two others are taken for alike by
    chance once in 2 ** 64. Where gates or ranks decide no two are alike.
    """
    intervals = index.intervals
    plain = np.array([it.is_plain for it in index.systems_in_order], dtype=bool)
    edges = distinct(np.concatenate([index.system_roots, intervals.first, intervals.end]).astype(np.int64))
    edges = edges[edges < len(index.tree)]  # all that is behind the last place is nothing
    marks = np.random.default_rng(1).integers(0, 1 << 63, max(len(index.scoped_entry), 1), dtype=np.uint64)
    steps = np.zeros(len(edges) + 1, dtype=np.uint64)
    np.add.at(steps, insertion_points(edges, intervals.first), marks[intervals.scoped])
    np.subtract.at(steps, insertion_points(edges, intervals.end), marks[intervals.scoped])
    said = np.cumsum(steps[:-1], dtype=np.uint64)
    system = insertion_points(index.system_roots, edges, side="right") - 1
    said += system.astype(np.uint64) * np.uint64(0x9E3779B97F4A7C15)
    sample, same = numbered(said)
    return edges, np.where(plain[system], edges[sample[same]], -1)


class Points(msgspec.Struct, frozen=True, dict=True):
    """Pairs of the line, each led to one about which the same is said, so that few are left to be asked about."""

    index: Index

    @cached_property
    def _alike(self) -> tuple[Ints, Ints]:
        return alike_places(self.index)

    def fewer(self, pairs: Ints) -> Ints:
        """As `alike`, where there are so many that fewer different ones are worth it; few stay what they are."""
        return pairs if len(pairs) < thresholds.FEW_PAIRS else self.alike(pairs)

    def alike(self, pairs: Ints) -> Ints:
        """For each pair one of the same action about which the same is said."""
        edges, first_alike = self._alike
        bases, roots = self.index.pair_bases, self.index.system_roots
        system = insertion_points(bases, pairs, side="right") - 1
        width = widths_of(self.index)[system]
        row, within = np.divmod(pairs - bases[system], width)
        place = within + roots[system]
        other = first_alike[insertion_points(edges, place, side="right") - 1]
        within = np.where(other >= 0, other, place) - roots[system]
        found = bases[system] + row * width + within
        return np.asarray(found, dtype=np.int64)

    def pairs(self, action: Ints, node: Ints) -> Ints:
        """The pairs of actions, by number, on nodes."""
        index = self.index
        system = insertion_points(index.system_roots, node, side="right") - 1
        width = widths_of(index)[system]
        first = first_actions_of(index)
        found: Ints = (
            index.pair_bases[system]
            + (action - first[system]) * width
            + index.tree.position[node]
            - index.system_roots[system]
        )
        return found


def actions_of(index: Index, pairs: Ints) -> Ints:
    """The action of each pair, by number."""
    system = insertion_points(index.pair_bases, pairs, side="right") - 1
    width = widths_of(index)[system]
    found: Ints = first_actions_of(index)[system] + (pairs - index.pair_bases[system]) // width
    return found


def nodes_of(index: Index, pairs: Ints) -> Ints:
    """The node of each pair, by number."""
    system = insertion_points(index.pair_bases, pairs, side="right") - 1
    within = (pairs - index.pair_bases[system]) % widths_of(index)[system]
    found: Ints = index.tree.node_at[index.system_roots[system] + within].astype(np.int64)
    return found


def rows_of(index: Index, actions: Ints) -> tuple[Ints, Ints]:
    """All pairs of each of some actions: the first on the line, and that behind the last."""
    of_action = np.zeros(max(len(index.actions), 1), dtype=np.int64)
    for number, it in enumerate(index.systems_in_order):
        of_action[it.actions] = number
    system = of_action[actions]
    width = widths_of(index)[system]
    begin = index.pair_bases[system] + (actions - first_actions_of(index)[system]) * width
    return begin, begin + width - 1
