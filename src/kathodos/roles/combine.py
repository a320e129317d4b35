"""Roles put together: the union of what several give, merged or rebuilt on a later run, or as juniors of one.

Which roles one was combined of is remembered with what it took of each, so that it is known when it is stale: when a
part has since got what the whole lacks, or lost what the whole still has of it.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from enum import StrEnum

import msgspec

from kathodos.analysis.combined import Parts
from kathodos.analysis.role_entries import Entry, RoleKey
from kathodos.analysis.role_table import RoleTable
from kathodos.change.composition import Composition, Desk
from kathodos.change.edit_sets import edit_of
from kathodos.change.settling import records_held
from kathodos.errors import CallError
from kathodos.model.json_text import json_text
from kathodos.model.kinds import ROLE_JUNIORS, ROLE_PARTS
from kathodos.model.times import time_text
from kathodos.roles.entries import RoleDraft, drafted


class Combining(StrEnum):
    """How a role is put together: what it had stays, what its parts lost goes, or the parts become its juniors."""

    MERGE = "merge"
    REBUILD = "rebuild"
    HIERARCHY = "hierarchy"


class Combined(msgspec.Struct, frozen=True):
    """What became of a role. Entries that are new on a resource of which it said nothing, and on one of which it did.

    `gone`: what the parts lost; `left_out`: parts that give nothing, for they are not active. `as_union` and
    `as_hierarchy`: how many lines the role has, or would have, in each of the two ways.
    """

    key: RoleKey
    way: Combining
    parts: Sequence[RoleKey]
    added: Sequence[Entry]
    widened: Sequence[Entry]
    unchanged: Sequence[Entry]
    gone: Sequence[Entry]
    as_union: int
    as_hierarchy: int
    composition: Composition
    left_out: Sequence[RoleKey] = ()


def combine(
    desk: Desk,
    key: RoleKey,
    parts: Sequence[RoleKey],
    way: Combining,
    title: str | None = None,
    table: RoleTable | None = None,
) -> Combined:
    """The edits that make a role of others. `parts`: none for those that are remembered; `table`: the roles, if read.

    Raises CallError where there are none, or where one of them is itself made of the role.
    """
    table, remembered = table or RoleTable(desk.records), Parts.of(desk.records)
    parts = [it for it in dict.fromkeys(parts or remembered.took.get(key, ())) if it != key or parts == [key]]
    if not parts:
        raise CallError(
            f"Of what {key.reference} is to be combined is not known.", "Name roles, or a pattern: 'berths/plan-*'"
        )
    _must_lead_nowhere_back(table, remembered, key, parts)
    making = _Making(desk, table, key, parts, title, remembered.took.get(key, {}))
    return making.hierarchy() if way is Combining.HIERARCHY else making.union(way)


class _Making:
    """One role that is put together of others. `took`: what it took of each of its parts before."""

    def __init__(
        self,
        desk: Desk,
        table: RoleTable,
        key: RoleKey,
        parts: Sequence[RoleKey],
        title: str | None,
        took: Mapping[RoleKey, frozenset[Entry]],
    ) -> None:
        self.desk = desk
        self.table = table
        self.key = key
        self.title = title if not table.exists(key) else None
        self.took = took
        self.own = set(table.own(key))
        self.given = {it: table.given_by(it) for it in parts if table.exists(it) and table.is_active(it)}
        self.left_out = [it for it in parts if it not in self.given]
        self.all_given: set[Entry] = set().union(*self.given.values())

    def union(self, way: Combining) -> Combined:
        """What the parts give as entries of the role; where it is rebuilt, what they lost goes."""
        own, every = self.own, self.all_given
        if not every:
            raise CallError("None of these roles gives anything.", "Name roles that are active and have entries.")
        is_rebuilt = way is Combining.REBUILD
        taken: set[Entry] = set().union(*self.took.values())
        gone = sorted((taken & own) - every) if is_rebuilt else []
        new = sorted(every - own)
        why: dict[Entry, str] = {}
        for part, entries in self.given.items():
            for entry in entries:
                why.setdefault(entry, f"from {part.reference}")
        wanted = [*sorted(own - {*gone}), *new]
        composition = drafted(self.desk, RoleDraft(self.key, wanted, why, self.title, is_whole=True), self.table)
        composition.asked, composition.standing = len(every), len(every & own)
        self._remember(composition, is_rebuilt)
        lines = len(every | own) - len(gone), len(own - taken) + len(self.given)
        return self._combined(way, new, sorted(every & own), gone, lines, composition)

    def hierarchy(self) -> Combined:
        """The parts as juniors of the role; what it has itself stays."""
        composition = drafted(self.desk, RoleDraft(self.key, (), title=self.title), self.table)
        wanted = [(self.key.system, self.key.role, part.reference) for part in self.given]
        held = records_held(self.desk.records, ROLE_JUNIORS, wanted)
        composition.asked, composition.standing = len(wanted), len(held)
        for junior in wanted:
            if junior not in held:
                composition.edits.put(edit_of(ROLE_JUNIORS, None, dict(zip(ROLE_JUNIORS.names, junior, strict=True))))
        new = sorted(self.all_given - self.own - self.table.given_by(self.key))
        lines = len(self.all_given | self.own), len(self.own) + len(self.given)
        return self._combined(Combining.HIERARCHY, new, sorted(self.all_given - {*new}), (), lines, composition)

    def _combined(
        self,
        way: Combining,
        new: Sequence[Entry],
        unchanged: Sequence[Entry],
        gone: Sequence[Entry],
        lines: tuple[int, int],
        composition: Composition,
    ) -> Combined:
        resources = {entry.resource for entry in self.own}
        added = [it for it in new if it.resource not in resources]
        widened = [it for it in new if it.resource in resources]
        parts = list(self.given)
        return Combined(
            self.key, way, parts, added, widened, unchanged, gone, *lines, composition, left_out=self.left_out
        )

    def _remember(self, composition: Composition, is_rebuilt: bool) -> None:
        """Notes of what the role is combined, and what it took of each part.

        Parts that it was combined of before stay; where it is rebuilt only those that it is rebuilt of.
        """
        whole = self.key.reference
        keys = [(whole, part.reference) for part in (*self.given, *self.took)]
        held = records_held(self.desk.records, ROLE_PARTS, keys)
        for part in self.took if is_rebuilt else ():
            if part not in self.given:
                composition.edits.put(edit_of(ROLE_PARTS, held[whole, part.reference].record, None))
        for part, entries in self.given.items():
            took = json_text([list(it) for it in sorted(entries)])
            known = held.get((whole, part.reference))
            if known is None or known.record["took"] != took:
                record = {"whole": whole, "part": part.reference, "took": took}
                made = {**record, "combined_at": time_text(self.desk.now)}
                composition.edits.put(edit_of(ROLE_PARTS, known.record if known is not None else None, made))


def _must_lead_nowhere_back(table: RoleTable, remembered: Parts, key: RoleKey, parts: Sequence[RoleKey]) -> None:
    """Raises CallError where one of the parts is the role itself, or is made of it."""
    for part in parts:
        if part == key:
            raise CallError(f"{key.reference} cannot be combined of itself.", "Leave it out, or name another role.")
        if key in remembered.within(part) or key in table.below(part):
            what = f"{part.reference} is itself made of {key.reference}, and the two would go round in a circle."
            raise CallError(what, "Leave it out.")
