"""All roles with their entries, read once: what each has itself, what it gives with its juniors, what is below it."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property
from typing import Any

import numpy as np

from kathodos.analysis.role_entries import Entry, RoleKey
from kathodos.columns.csr import CSRList, Ints, csr_from_distinct, csr_from_pairs, ints, spread_each
from kathodos.columns.dictionary import row_numbers
from kathodos.model.kinds import ROLE_JUNIORS, ROLE_PERMISSIONS, ROLES, Kind
from kathodos.model.rows import Record
from kathodos.store.records import Records


class RoleTable:
    """The roles of some records. `keys`: in the order of the records; `number`: the position of each there."""

    def __init__(self, records: Records) -> None:
        self.records = records
        columns = [records.column(ROLES, name).listed() for name in ("system", "role")]
        self.keys = [RoleKey(str(system), str(role)) for system, role in zip(*columns, strict=True)]
        self.number = {key: at for at, key in enumerate(self.keys)}

    @cached_property
    def _active(self) -> Sequence[object]:
        return self.records.column(ROLES, "active").listed()

    @cached_property
    def _columns(self) -> list[list[Any]]:
        return [self.records.column(ROLES, name).listed() for name in ROLES.names]

    def record(self, key: RoleKey) -> Record | None:
        """The record of a role; None of one that is not there."""
        at = self.number.get(key)
        return None if at is None else {name: some[at] for name, some in zip(ROLES.names, self._columns, strict=True)}

    @cached_property
    def _entries(self) -> tuple[list[Entry], Ints]:
        """The distinct entries, and for each line the number of its own."""
        columns = [self.records.column(ROLE_PERMISSIONS, name) for name in ("resource", "action", "effect")]
        numbers = row_numbers([column.codes for column in columns])
        _, first, which = np.unique(numbers, return_index=True, return_inverse=True)
        lists = (column.listed(first) for column in columns)
        return [Entry(*map(str, it)) for it in zip(*lists, strict=True)], which.astype(np.int64)

    @property
    def entries(self) -> list[Entry]:
        """The distinct entries of all roles."""
        return self._entries[0]

    @cached_property
    def lines(self) -> CSRList:
        """For each role the numbers of the entries that it has itself."""
        of_role = self.roles_of_rows(ROLE_PERMISSIONS)
        known = of_role >= 0
        return csr_from_pairs(of_role[known], self._entries[1][known], len(self.keys))

    @cached_property
    def juniors(self) -> CSRList:
        """For each role its own juniors."""
        of_role = self.roles_of_rows(ROLE_JUNIORS)
        junior = self.records.column(ROLE_JUNIORS, "junior")
        number = ints(self.number.get(RoleKey.of(str(it)), -1) for it in junior.values)
        at = np.append(number, -1)[junior.codes]
        known = (of_role >= 0) & (at >= 0)
        return csr_from_pairs(of_role[known], at[known], len(self.keys))

    def roles_of_rows(self, kind: Kind) -> Ints:
        """The role that each record of a kind is of, by number; -1 where there is no such role."""
        columns = [self.records.column(kind, name) for name in ("system", "role")]
        pairs = row_numbers([column.codes for column in columns])
        _, first, which = np.unique(pairs, return_index=True, return_inverse=True)
        lists = (column.listed(first) for column in columns)
        named = ints(self.number.get(RoleKey(str(one), str(other)), -1) for one, other in zip(*lists, strict=True))
        return named[which] if len(named) else ints([])

    @cached_property
    def open_below(self) -> CSRList:
        """For each role those that it gives, itself included: one that is not active gives and passes on nothing."""
        is_open = np.array([bool(it) for it in self._active], dtype=bool)
        rows, items = self.juniors.rows().astype(np.int64), self.juniors.items.astype(np.int64)
        passing = is_open[rows] & is_open[items]
        edges = csr_from_pairs(rows[passing], items[passing], len(self.keys))
        below = spread_each(edges, np.arange(len(self.keys)))
        kept = is_open[below.rows()]
        return csr_from_pairs(below.rows()[kept].astype(np.int64), below.items[kept], len(self.keys))

    @cached_property
    def given(self) -> CSRList:
        """For each role the numbers of the entries that it gives, juniors included, as far as these are active."""
        at, entry = self.lines.of(self.open_below.items.astype(np.int64))
        rows = self.open_below.rows().astype(np.int64)[at]
        return csr_from_distinct(rows, entry, len(self.keys), max(len(self.entries), 1))

    def exists(self, key: RoleKey) -> bool:
        """Whether there is such a role."""
        return key in self.number

    def is_active(self, key: RoleKey) -> bool:
        """Whether a role that is there gives anything."""
        return bool(self._active[self.number[key]])

    def own(self, key: RoleKey) -> list[Entry]:
        """The entries that a role has itself; none of one that is not there."""
        if key not in self.number:
            return []
        return sorted(self.entries[at] for at in self.lines[self.number[key]].tolist())

    def given_by(self, key: RoleKey) -> frozenset[Entry]:
        """The entries that a role gives, juniors included, as far as these are active."""
        if key not in self.number:
            return frozenset()
        return frozenset(self.entries[at] for at in self.given[self.number[key]].tolist())

    def below(self, key: RoleKey) -> set[RoleKey]:
        """The roles below one, itself left out, active or not."""
        found: set[RoleKey] = set()
        fresh = [key] if key in self.number else []
        while fresh:
            more = [self.keys[at] for at in self.juniors[self.number[fresh.pop()]].tolist()]
            fresh += [it for it in more if it not in found]
            found.update(more)
        return found
