"""What is at stake in what is given: of each bundle how sensitive it is, what kinds of action, in which systems."""

from __future__ import annotations

from collections.abc import Iterable
from functools import cached_property
from typing import Any

import numpy as np

from kathodos.analysis.snapshot import Facts
from kathodos.columns.csr import Bools, Ints, Lists, distinct, joined, lists_from, sorted_lists
from kathodos.engine.decide import Given
from kathodos.engine.index import ANY_ACTION
from kathodos.rules.reading import Permission
from kathodos.rules.targets import Places

KINDS = ("read", "write", "export", "approve", "administer")
READ, WRITE, EXPORT, APPROVE, ADMINISTER = (1 << at for at in range(len(KINDS)))


class Stakes:
    """Of each bundle what it permits: the highest sensitivity (-1: nothing there), kinds of action as bits, systems."""

    def __init__(self, facts: Facts) -> None:
        self.facts = facts
        self.index = facts.index

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
    def span_systems(self) -> Ints:
        """For each span the number of its system, in the order of the systems' roots."""
        found: Ints = np.searchsorted(self.index.system_roots, self.index.spans.first, side="right") - 1
        return found

    @cached_property
    def span_permits(self) -> Bools:
        """Which spans come of a permission that permits."""
        return ~self.index.lines.denies[self.index.rule_line[self.index.spans.rule]]

    @cached_property
    def _of_bundle(self) -> tuple[Ints, Ints]:
        """The bundle and the span of each span that a bundle permits by."""
        index = self.index
        bundle = index.bundles.rules.rows()
        origin, span = index.rule_spans.of(index.bundles.rules.items)
        permits = self.span_permits[span]
        return bundle[origin[permits]].astype(np.int64), span[permits].astype(np.int64)

    @cached_property
    def top(self) -> Ints:
        """The highest sensitivity of what each bundle permits; -1 where it permits nothing."""
        spans, tree = self.index.spans, self.index.tree
        level = self.facts.sensitivity[tree.by_place]
        highest = np.zeros(len(spans), dtype=np.int64)
        for at in (1, 2, 3):
            before = np.concatenate([[0], np.cumsum(level == at)])
            highest[before[spans.end] > before[spans.first]] = at
        bundle, span = self._of_bundle
        found = np.full(len(self.index.bundles), -1, dtype=np.int64)
        np.maximum.at(found, bundle, highest[span])
        return found

    @cached_property
    def kinds(self) -> Ints:
        """The kinds of action that each bundle permits, as bits."""
        index = self.index
        line = index.rule_line[index.spans.rule]
        action = index.lines.action[line].astype(np.int64)
        about = np.where(action == ANY_ACTION, len(index.actions) + self.span_systems, action)
        bundle, span = self._of_bundle
        found = np.zeros(len(index.bundles), dtype=np.int64)
        np.bitwise_or.at(found, bundle, self.action_kinds[about[span]])
        return found

    @cached_property
    def systems(self) -> Lists:
        """The systems in which each bundle permits something."""
        bundle, span = self._of_bundle
        count = max(len(self.index.systems), 1)
        return sorted_lists(bundle, self.span_systems[span], len(self.index.bundles), count)

    # What groups carry

    @cached_property
    def closure(self) -> Lists:
        """For each group, by number less that of the first, the groups with grants that it is in, itself included."""
        holders = self.index.holders
        above, end = self.index.granted_above, len(holders.groups)
        return Lists(above.starts[: end + 1], above.items[: above.starts[end]] - holders.first_group)

    @cached_property
    def group_bundles(self) -> Lists:
        """For each group the bundles that it gives its members: of live grants that permit."""
        index, first = self.index, self.index.holders.first_group
        grants = (self.facts.live & ~index.grants.denies).nonzero()[0]
        holder = index.grants.holder[grants]
        held = (holder >= first) & (holder < index.holders.everyone)
        own = lists_from(holder[held] - first, index.grants.bundle[grants[held]], len(index.holders.groups))
        origin, bundle = own.of(self.closure.items)
        group = self.closure.rows()[origin]
        return sorted_lists(group, bundle, len(index.holders.groups), max(len(index.bundles), 1))

    def over_groups(self, values: Ints, nothing: int, is_bits: bool = False) -> Ints:
        """What is true of bundles carried over to the groups that give them: the highest value, or all bits."""
        found = np.full(len(self.group_bundles), nothing, dtype=np.int64)
        join = np.bitwise_or if is_bits else np.maximum
        join.at(found, self.group_bundles.rows(), values[self.group_bundles.items])
        return found

    @cached_property
    def group_systems(self) -> Lists:
        """For each group the systems in which it gives something."""
        count = max(len(self.index.systems), 1)
        origin, system = self.systems.of(self.group_bundles.items)
        return sorted_lists(self.group_bundles.rows()[origin], system, len(self.group_bundles), count)


def bundles_permitting(places: Places, permissions: Iterable[Permission]) -> Ints:
    """The bundles that permit one of the permissions somewhere where it applies."""
    index, parts = places.index, []
    for permission in permissions:
        actions, nodes = places.of_permission(permission)
        if len(nodes):
            system = index.system_of(int(nodes[0]))
            spans = index.spans.touching(np.sort(index.tree.place[nodes]).astype(np.int64))
            line = index.rule_line[index.spans.rule[spans]]
            said = Given(index.lines.action[line], index.lines.denies[line], np.zeros(len(line), dtype=np.int64))
            for action in actions:
                bears = said.bears_on(system, int(action - system.actions[0])) & ~said.denies
                parts.append(index.rule_bundles.all_of(distinct(index.spans.rule[spans[bears]]).astype(np.int64)))
    return distinct(joined(parts)).astype(np.int64)


def matrix(lists: Lists, width: int) -> Any:
    """Lists as a sparse matrix of ones."""
    from scipy.sparse import csr_array

    ones = np.ones(len(lists.items), dtype=np.int32)
    return csr_array((ones, lists.items, lists.starts), shape=(len(lists), width))
