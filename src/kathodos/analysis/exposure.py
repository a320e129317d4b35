"""What is at stake in what is given: how sensitive each entitlement is, what kinds of action, in which systems."""

from __future__ import annotations

from functools import cached_property
from typing import Any

import numpy as np

from kathodos.analysis.basis import Basis
from kathodos.columns.csr import Bools, CSRList, Ints, csr_from_distinct, csr_from_pairs
from kathodos.columns.ordered import insertion_points
from kathodos.engine.compiled.index import ANY_ACTION

KINDS = ("read", "write", "export", "approve", "administer")
READ, WRITE, EXPORT, APPROVE, ADMINISTER = (1 << at for at in range(len(KINDS)))


class Exposure:
    """What each entitlement permits: the highest sensitivity (-1: nothing there), kinds of action as bits, systems."""

    def __init__(self, basis: Basis) -> None:
        self.basis = basis
        self.index = basis.index

    @cached_property
    def action_kinds(self) -> Ints:
        """For each action, and behind them for the `*` of each system, the kinds of all that it permits, as bits."""
        index = self.index
        own = np.zeros(len(index.actions), dtype=np.int64)
        for system in index.systems_in_order:
            bits = [1 << KINDS.index(kind) if kind in KINDS else 0 for kind in system.kinds]
            own[system.actions] = bits
        said = index.said[0]
        found = np.zeros(len(said), dtype=np.int64)
        np.bitwise_or.at(found, said.rows(), own[said.items])
        return found

    @cached_property
    def interval_systems(self) -> Ints:
        """For each interval the number of its system, in the order of the systems' roots."""
        found: Ints = insertion_points(self.index.system_roots, self.index.intervals.first, side="right") - 1
        return found

    @cached_property
    def interval_permits(self) -> Bools:
        """Which intervals come of a permission that permits."""
        return ~self.index.entries.denies[self.index.scoped_entry[self.index.intervals.scoped]]

    @cached_property
    def _of_all(self) -> tuple[Ints, Ints]:
        return self._permitting(np.arange(len(self.index.entitlements)))

    def _permitting(self, entitlements: Ints) -> tuple[Ints, Ints]:
        """Each interval that one of some entitlements permits by: the position of the entitlement, and the interval."""
        index = self.index
        place, scoped = index.entitlements.scoped.of(entitlements)
        origin, interval = index.scoped_intervals.of(scoped)
        permits = ~index.entries.denies[index.scoped_entry[index.intervals.scoped[interval]]]
        return place[origin[permits]].astype(np.int64), interval[permits].astype(np.int64)

    @cached_property
    def top(self) -> Ints:
        """The highest sensitivity of what each entitlement permits; -1 where it permits nothing."""
        return self._top(len(self.index.entitlements), *self._of_all)

    def top_of(self, entitlements: Ints) -> Ints:
        """As `top`, of some entitlements."""
        return self._top(len(entitlements), *self._permitting(entitlements))

    def _top(self, size: int, place: Ints, interval: Ints) -> Ints:
        first, end = self.index.intervals.first[interval], self.index.intervals.end[interval]
        highest = np.zeros(len(interval), dtype=np.int64)
        level = self.basis.sensitivity[self.index.tree.node_at]
        for at in (1, 2, 3):
            before = np.concatenate([[0], np.cumsum(level == at)])
            highest[before[end] > before[first]] = at
        found = np.full(size, -1, dtype=np.int64)
        np.maximum.at(found, place, highest)
        return found

    @cached_property
    def kinds(self) -> Ints:
        """The kinds of action that each entitlement permits, as bits."""
        index = self.index
        entry = index.scoped_entry[index.intervals.scoped]
        action = index.entries.action[entry].astype(np.int64)
        about = np.where(action == ANY_ACTION, len(index.actions) + self.interval_systems, action)
        entitlement, interval = self._of_all
        found = np.zeros(len(index.entitlements), dtype=np.int64)
        np.bitwise_or.at(found, entitlement, self.action_kinds[about[interval]])
        return found

    @cached_property
    def systems(self) -> CSRList:
        """The systems in which each entitlement permits something."""
        return self._systems(len(self.index.entitlements), *self._of_all)

    def systems_of(self, entitlements: Ints) -> CSRList:
        """As `systems`, of some entitlements."""
        return self._systems(len(entitlements), *self._permitting(entitlements))

    def _systems(self, size: int, place: Ints, interval: Ints) -> CSRList:
        system = insertion_points(self.index.system_roots, self.index.intervals.first[interval], side="right") - 1
        return csr_from_distinct(place, system, size, max(len(self.index.systems), 1))

    # What groups carry

    @cached_property
    def closure(self) -> CSRList:
        """For each group, by number less that of the first, the groups with grants that it is in, itself included."""
        holders = self.index.holders
        above, end = self.index.granted_above, len(holders.groups)
        return CSRList(above.starts[: end + 1], above.items[: above.starts[end]] - holders.first_group)

    @cached_property
    def group_entitlements(self) -> CSRList:
        """For each group the entitlements that it gives its members: of live grants that permit."""
        index, first = self.index, self.index.holders.first_group
        grants = (self.basis.live & ~index.grants.denies).nonzero()[0]
        holder = index.grants.holder[grants]
        held = (holder >= first) & (holder < index.holders.everyone)
        own = csr_from_pairs(holder[held] - first, index.grants.entitlement[grants[held]], len(index.holders.groups))
        origin, entitlement = own.of(self.closure.items)
        group = self.closure.rows()[origin]
        return csr_from_distinct(group, entitlement, len(index.holders.groups), max(len(index.entitlements), 1))

    def over_groups(self, values: Ints, nothing: int, is_bits: bool = False) -> Ints:
        """What is true of entitlements carried over to the groups that give them: the highest value, or all bits."""
        found = np.full(len(self.group_entitlements), nothing, dtype=np.int64)
        join = np.bitwise_or if is_bits else np.maximum
        join.at(found, self.group_entitlements.rows(), values[self.group_entitlements.items])
        return found

    @cached_property
    def group_systems(self) -> CSRList:
        """For each group the systems in which it gives something."""
        count = max(len(self.index.systems), 1)
        origin, system = self.systems.of(self.group_entitlements.items)
        return csr_from_distinct(self.group_entitlements.rows()[origin], system, len(self.group_entitlements), count)


def matrix(lists: CSRList, width: int) -> Any:
    """Lists as a sparse matrix of ones."""
    from scipy.sparse import csr_array

    ones = np.ones(len(lists.items), dtype=np.int32)
    return csr_array((ones, lists.items, lists.starts), shape=(len(lists), width))
