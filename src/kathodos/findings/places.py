"""On which nodes the permissions of rules apply, as a whole or by the value of an attribute such as the site."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from kathodos.access.arrays import Ints, ints
from kathodos.access.index import Index
from kathodos.access.reach import nodes_in
from kathodos.catalogue.addresses import parse_address
from kathodos.catalogue.selecting import Attributes
from kathodos.catalogue.store import Rows
from kathodos.findings.rules import Duty, Permission

ByValue = dict[str | None, Ints]


class Places:
    """On which nodes the permissions of rules apply, as a whole or by the value of an attribute."""

    def __init__(self, index: Index, resources: Rows) -> None:
        self.index = index
        self.attributes = Attributes(resources)
        self._values: dict[str, list[str | None]] = {}

    def of_permission(self, permission: Permission) -> tuple[list[int], Ints]:
        """The numbers of the actions it names, and the nodes on which it applies."""
        pattern, index = permission.pattern, self.index
        if pattern.system not in index.systems:
            return [], ints([])
        if permission.action == "*":
            actions = index.systems[pattern.system].actions.tolist()
        else:
            number = index.action_number.get((pattern.system, permission.action))
            actions = [number] if number is not None else []
        return actions, nodes_in(index, index.tree.matches(pattern.target), pattern.holds_everything_below)

    def of_duty(self, duty: Duty, within: str | None, values: Sequence[str | None]) -> Iterator[tuple[int, Ints]]:
        """Each action of a duty with its nodes, only those that have one of the values where a rule is `within`."""
        for permission in duty.permissions:
            actions, nodes = self.of_permission(permission)
            by_value = self.by_value(nodes, within)
            nodes = np.sort(np.concatenate([by_value[value] for value in values if value in by_value] or [ints([])]))
            yield from ((action, nodes) for action in actions)

    def by_value(self, nodes: Ints, within: str | None) -> ByValue:
        """The nodes by the value of an attribute, those without one left out; all together where there is none."""
        if within is None:
            return {None: nodes}
        values = self.values(within)
        found: dict[str | None, list[int]] = {}
        for node in nodes.tolist():
            if values[node] is not None:
                found.setdefault(values[node], []).append(node)
        return {value: ints(members) for value, members in found.items()}

    def values(self, attribute: str) -> list[str | None]:
        """The value of an attribute of each node."""
        if attribute not in self._values:
            values: list[str | None] = [None] * len(self.index.tree)
            for address, value in zip(self.attributes.rows["resource"], self.attributes.column(attribute), strict=True):
                node = self.index.tree.node(parse_address(address))
                if node >= 0 and value not in (None, ""):
                    values[node] = str(value)
            self._values[attribute] = values
        return self._values[attribute]
