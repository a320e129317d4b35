"""What resources refer to, as their sources declare it, and with which action one reads what is referred to."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from functools import cached_property

import numpy as np

from kathodos.columns.csr import CSRList, Ints, csr_from_distinct, csr_from_pairs, ints, stretches
from kathodos.columns.ordered import insertion_points
from kathodos.columns.strings import string_table
from kathodos.engine.compiled.index import Index, System
from kathodos.errors import CallError
from kathodos.model.kinds import RESOURCES, split_list
from kathodos.model.suggestions import nearest
from kathodos.store.records import Records

READS = "read"
WRITES = ("write", "approve")  # the kinds of action that make or alter a record


class References:
    """Which resources refer to which others. `unknown`: what is referred to and is no resource, with how often."""

    def __init__(self, index: Index, records: Records) -> None:
        self.index = index
        column = records.column(RESOURCES, "refers")
        lists = [split_list(str(value)) for value in column.values]
        texts = list(dict.fromkeys(text for some in lists for text in some))
        addresses = index.tree.addresses
        known = addresses.positions_of(string_table(texts))
        number = dict(zip(texts, known.tolist(), strict=True))
        of_value = csr_from_pairs(
            np.repeat(np.arange(len(lists)), [len(some) for some in lists]),
            ints(number[text] for some in lists for text in some),
            len(lists),
        )
        referring = (column.codes >= 0).nonzero()[0]
        at, target = of_value.of(column.codes[referring].astype(np.int64))
        source = _node_of_rows(index, records.rows(RESOURCES)[referring])[at]
        is_there = (target >= 0) & (source >= 0)
        lost = Counter(text for some in lists for text in some if number[text] < 0)
        self.unknown: Mapping[str, int] = lost
        size = len(index.tree)
        self.targets: CSRList = csr_from_distinct(source[is_there], target[is_there].astype(np.int64), size, size)

    @cached_property
    def places(self) -> Ints:
        """The places, in order, of the resources that refer to others."""
        referring = (self.targets.sizes() > 0).nonzero()[0]
        return np.sort(self.index.tree.position[referring]).astype(np.int64)

    def referring_in(self, of: Ints, first: Ints, end: Ints) -> tuple[Ints, Ints]:
        """The places in some intervals of what refers to others: whose each is, as `of` numbers them, and the place."""
        begin = insertion_points(self.places, first)
        origin, at = stretches(begin, np.maximum(insertion_points(self.places, end) - begin, 0))
        return of[origin], self.places[at]


def _node_of_rows(index: Index, rows: Ints) -> Ints:
    """The node of each record, by the number of its row; -1 of one that is of no known system."""
    order = np.argsort(index.node_rows, kind="stable")
    at = np.minimum(insertion_points(index.node_rows[order], rows), len(order) - 1)
    node = order[at]
    return np.where(index.node_rows[node] == rows, node, -1)


class Reading:
    """With which action resources are read. `chosen`: the action for a system, where somebody has said it.

    Raises CallError where there is no such system, or it has no such action.
    """

    def __init__(self, index: Index, chosen: Mapping[str, str]) -> None:
        self.index = index
        self.chosen = chosen
        self._known: dict[tuple[str, int, str], str] = {}
        for name, action in chosen.items():
            if name not in index.systems:
                raise CallError(f"There is no system {name}.", nearest(name, sorted(index.systems)))
            if (name, action) not in index.action_number:
                actions = [other for system, other in index.actions if system == name]
                raise CallError(f"The system {name} has no action {action}.", nearest(action, actions))

    def action(self, node: int, writing: str, of_system: str) -> str:
        """The action that reads a resource for whoever does `writing` on one of a system.

        It is the one that was chosen; else, in the same system, the one that the writing action implies; else the only
        one of the kind `read`; else of these the one that most entries name for resources of its type. Raises
        CallError where none can be told.
        """
        system = self.index.system_of(node)
        key = (system.name, int(self.index.types[node]), writing if system.name == of_system else "")
        if key not in self._known:
            self._known[key] = self._action(system, int(self.index.types[node]), key[2])
        return self._known[key]

    def _action(self, system: System, kind: int, writing: str) -> str:
        names: list[str] = [self.index.actions[number][1] for number in system.actions.tolist()]
        if system.name in self.chosen:
            return self.chosen[system.name]
        gating = {position for _, position in system.gates}
        reads = [at for at, it in enumerate(system.kinds) if it == READS and at not in gating]
        if writing in names:
            implied = [at for at in reads if system.covers[names.index(writing), at]]
            if implied:  # the least of them: the one that implies fewest others
                return names[min(implied, key=lambda at: (int(system.covers[at].sum()), names[at]))]
        if len(reads) > 1:
            named = self._named.get((system.name, kind), Counter())
            most = max(reads, key=lambda at: (named[names[at]], -reads.index(at)))
            reads = [most] if named[names[most]] else reads
        if len(reads) == 1:
            return names[reads[0]]
        several = ", ".join(names[at] for at in reads)
        what = f"With which action the system {system.name} is read cannot be told"
        what += f": it may be {several}." if reads else ", for it declares no action of the kind read."
        raise CallError(what, f"Say it: --read {system.name}={names[reads[0]] if reads else 'ACTION'}")

    @cached_property
    def _named(self) -> Mapping[tuple[str, int], Counter[str]]:
        """By system and type of resource, how many entries name each action for such a resource."""
        index, entries = self.index, self.index.entries
        nodes = index.tree.addresses.positions_of(entries.patterns)[entries.pattern]
        found: dict[tuple[str, int], Counter[str]] = {}
        for at in (nodes >= 0).nonzero()[0].tolist():
            system = index.system_of(int(nodes[at])).name
            found.setdefault((system, int(index.types[nodes[at]])), Counter())[entries.verbs[entries.verb[at]]] += 1
        return found


def writes(index: Index, action: str, system: System) -> bool:
    """Whether an action of a system makes or alters a record."""
    if action == "*":
        return True
    number = index.action_number.get((system.name, action))
    return number is not None and system.kinds[int(number - system.actions[0])] in WRITES
