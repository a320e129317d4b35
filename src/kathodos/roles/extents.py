"""What entries of roles apply to by themselves, without a scope: the resources, and how many (reach.md, step 4)."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np

from kathodos.analysis.role_entries import DENY, Entry
from kathodos.columns.csr import Bools, Ints, joined, stretches
from kathodos.columns.intervals import covered, united
from kathodos.columns.strings import string_table
from kathodos.engine.compiled.applying import Targets, intervals_of_scoped
from kathodos.engine.compiled.index import Index, System
from kathodos.engine.decide import permit_wins

_NO_SCOPE = -1


class Extents:
    """The resources that patterns hold, all found together. `patterns`: those that are asked about, each once."""

    def __init__(self, index: Index, patterns: Iterable[str]) -> None:
        self.index = index
        self.patterns = list(dict.fromkeys(patterns))
        self.number = {pattern: at for at, pattern in enumerate(self.patterns)}
        count = len(self.patterns)
        targets = Targets(index.tree, string_table(self.patterns), index.systems)
        none = np.full(count, _NO_SCOPE, dtype=np.int64)
        which, found = intervals_of_scoped(targets, np.arange(count), none, [])
        width = len(index.tree) + 1
        base = which.astype(np.int64) * width
        first, end = united(base + found.first, base + found.end)
        self.which = first // width
        self.first, self.end = first - self.which * width, end - self.which * width
        self.sizes = np.bincount(self.which, weights=self.end - self.first, minlength=count).astype(np.int64)
        self._starts = np.searchsorted(self.which, np.arange(count + 1))

    def size(self, pattern: str) -> int:
        """How many resources a pattern holds."""
        return int(self.sizes[self.number[pattern]])

    def intervals(self, pattern: str) -> tuple[Ints, Ints]:
        """Where it applies, as intervals of places."""
        at = self.number[pattern]
        here = slice(int(self._starts[at]), int(self._starts[at + 1]))
        return self.first[here], self.end[here]

    def intervals_of(self, numbers: Ints) -> tuple[Ints, Ints, Ints]:
        """The intervals of some patterns, by number: for each interval the position in `numbers`, and its bounds."""
        origin, at = stretches(self._starts[numbers], self._starts[numbers + 1] - self._starts[numbers])
        return origin, self.first[at], self.end[at]

    def nodes(self, pattern: str) -> Ints:
        """The resources that it holds, in the order of the tree."""
        first, end = self.intervals(pattern)
        return np.sort(self.index.tree.node_at[stretches(first, end - first)[1]]).astype(np.int64)


def permitted(index: Index, system: System, entries: Sequence[Entry], extents: Extents) -> Bools:
    """What entries permit in a system, those that deny left out: `[action, node]`, nodes from the system's root on."""
    return _said(index, system, [it for it in entries if it.effect != DENY], extents, system.covers)


def given(index: Index, system: System, entries: Sequence[Entry], extents: Extents) -> Bools:
    """As `permitted`, as far as the entries do not deny it themselves: what who has nothing else reaches by them."""
    denials = [it for it in entries if it.effect == DENY]
    never = _said(index, system, denials, extents, system.covers.T)  # what implies a denied action is denied as well
    return permit_wins(system, permitted(index, system, entries, extents), never)


def _said(index: Index, system: System, entries: Sequence[Entry], extents: Extents, rows_of: Bools) -> Bools:
    """On what entries of one effect bear in a system; `rows_of`: the actions on which each action bears."""
    found = np.zeros((len(system.actions), system.size), dtype=bool)
    by_action: dict[str, list[str]] = {}
    for entry in entries:
        if entry.system == system.name:
            by_action.setdefault(entry.action, []).append(entry.resource)
    position = index.tree.position[system.root : system.end] - system.root
    names = [index.actions[number][1] for number in system.actions.tolist()]
    for action, patterns in by_action.items():
        if action != "*" and action not in names:
            continue
        bounds = [extents.intervals(pattern) for pattern in dict.fromkeys(patterns)]
        first, end = (joined([part[at] for part in bounds]) - system.root for at in (0, 1))
        held = covered(first, end, system.size)[position]
        rows = np.ones(len(names), dtype=bool) if action == "*" else rows_of[names.index(action)]
        found[rows] |= held
    return found
