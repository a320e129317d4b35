"""On which nodes the permissions of rules apply, as a whole or by the value of an attribute such as the site."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

import numpy as np

from kathodos.analysis.basis import Basis
from kathodos.columns.csr import Bools, Ints, bools, distinct, ints, joined
from kathodos.engine.compiled.index import Index
from kathodos.engine.compiled.scopes import reaching_down
from kathodos.engine.decide import Given
from kathodos.engine.reach import nodes_in
from kathodos.rules.reading import Duty, Fence, Need, Permission

ByValue = dict[str | None, Ints]


class PermissionTargets:
    """On which nodes the permissions of rules apply, as a whole or by the value of an attribute."""

    def __init__(self, basis: Basis) -> None:
        self.basis = basis
        self.index = basis.index
        self._known: dict[Permission, tuple[list[int], Ints]] = {}

    def of_permission(self, permission: Permission) -> tuple[list[int], Ints]:
        """The numbers of the actions it names, and the nodes on which it applies."""
        if permission not in self._known:
            self._known[permission] = self._of_permission(permission)
        return self._known[permission]

    def _of_permission(self, permission: Permission) -> tuple[list[int], Ints]:
        pattern, index = permission.pattern, self.index
        if pattern.system not in index.systems:
            return [], ints([])
        nodes = nodes_in(index, index.tree.matches(pattern.target), pattern.holds_everything_below)
        return self.actions_of(permission), nodes

    def actions_of(self, permission: Permission) -> list[int]:
        """The numbers of the actions that a permission names."""
        system, index = permission.pattern.system, self.index
        if permission.action == "*":
            return index.systems[system].actions.tolist() if system in index.systems else []
        number = index.action_number.get((system, permission.action))
        return [number] if number is not None else []

    def places_of(self, permissions: Sequence[Permission]) -> tuple[Ints, Ints, Ints]:
        """The places of the nodes on which permissions apply, each in a system that there is, as intervals.

        Gives for each interval the permission by its position, and its first place and its end.
        """
        index, patterns = self.index, [it.pattern for it in permissions]
        nodes = [index.tree.matches(it.target) for it in patterns]
        number = np.repeat(np.arange(len(nodes)), [len(it) for it in nodes])
        deep, inherits = (
            bools(some)[number]
            for some in (
                [it.holds_everything_below for it in patterns],
                [index.systems[it.system].inherits for it in patterns],
            )
        )
        which, places = reaching_down(index.tree, joined(nodes), deep, inherits)
        return number[which], places.first.astype(np.int64), places.end.astype(np.int64)

    def of_duty(self, duty: Duty, within: str | None, values: Sequence[str | None]) -> Iterator[tuple[int, Ints]]:
        """Each action of a duty with its nodes, only those that have one of the values where a rule is `within`."""
        for permission in (*duty.permissions, *duty.every):
            actions, nodes = self.of_permission(permission)
            by_value = self.by_value(nodes, within)
            nodes = np.sort(np.concatenate([by_value[value] for value in values if value in by_value] or [ints([])]))
            yield from ((action, nodes) for action in actions)

    def by_value(self, nodes: Ints, within: str | None) -> ByValue:
        """The nodes by the value of an attribute, those without one left out; all together where there is none."""
        if within is None:
            return {None: nodes}
        column = self.basis.node(within)
        codes = column.codes[nodes]
        return {str(column.values[code]): nodes[codes == code] for code in distinct(codes[codes >= 0]).tolist()}


def meant(basis: Basis, rule: Fence | Need) -> Bools:
    """The askers that a rule is about."""
    who = basis.selected(rule.who)
    return who & ~basis.selected(rule.excepted) if rule.excepted is not None else who


def entitlements_permitting(targets: PermissionTargets, permissions: Iterable[Permission]) -> Ints:
    """The entitlements that permit one of the permissions somewhere where it applies."""
    parts = []
    for permission in permissions:
        actions, nodes = targets.of_permission(permission)
        parts.append(entitlements_on(targets.index, actions, nodes))
    return distinct(joined(parts)).astype(np.int64)


def entitlements_on(index: Index, actions: Iterable[int], nodes: Ints) -> Ints:
    """The entitlements that permit one of some actions on one of some nodes, all of one system."""
    if not len(nodes):
        return nodes
    system = index.system_of(int(nodes[0]))
    intervals = index.intervals.touching(np.sort(index.tree.position[nodes]).astype(np.int64))
    entry = index.scoped_entry[index.intervals.scoped[intervals]]
    given = Given(index.entries.action[entry], index.entries.denies[entry], np.zeros(len(entry), dtype=np.int64))
    parts = []
    for action in actions:
        bears = given.bears_on(system, int(action - system.actions[0])) & ~given.denies
        scoped = distinct(index.intervals.scoped[intervals[bears]]).astype(np.int64)
        parts.append(index.scoped_entitlements.all_of(scoped))
    return distinct(joined(parts)).astype(np.int64)
