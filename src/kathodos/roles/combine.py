"""Roles put together: the union of what several give, merged or rebuilt on a later run, or as juniors of one.

Which roles one was combined of is remembered with what it took of each, so that it is known when it is stale: when a
part has since got what the whole lacks, or lost what the whole still has of it.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

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


@dataclass(frozen=True)
class Combined:
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
    active = [it for it in parts if table.exists(it) and table.is_active(it)]
    if way is Combining.HIERARCHY:
        return _as_hierarchy(desk, table, key, active, parts, title)
    own = set(table.own(key))
    given = {part: table.given_by(part) for part in active}
    union = set().union(*given.values()) if given else set()
    if not union:
        raise CallError("None of these roles gives anything.", "Name roles that are active and have entries.")
    is_rebuilt = way is Combining.REBUILD
    taken = set().union(*remembered.took.get(key, {}).values()) if key in remembered.took else set()
    gone = sorted((taken & own) - union) if is_rebuilt else []
    resources = {entry.resource for entry in own}
    new = sorted(union - own)
    draft = RoleDraft(
        key, [*sorted(own - {*gone}), *new], _why(given), title if not table.exists(key) else None, is_whole=True
    )
    composition = drafted(desk, draft, table)
    composition.asked, composition.standing = len(union), len(union & own)
    _remember(desk, composition, key, given, is_rebuilt)
    return Combined(
        key,
        way,
        active,
        [it for it in new if it.resource not in resources],
        [it for it in new if it.resource in resources],
        sorted(union & own),
        gone,
        len(union | own) - len(gone),
        len(own - taken) + len(active),
        composition,
        [it for it in parts if it not in active],
    )


def _why(given: Mapping[RoleKey, frozenset[Entry]]) -> dict[Entry, str]:
    found: dict[Entry, str] = {}
    for part, entries in given.items():
        for entry in entries:
            found.setdefault(entry, f"from {part.reference}")
    return found


def _must_lead_nowhere_back(table: RoleTable, remembered: Parts, key: RoleKey, parts: Sequence[RoleKey]) -> None:
    """Raises CallError where one of the parts is the role itself, or is made of it."""
    for part in parts:
        if part == key:
            raise CallError(f"{key.reference} cannot be combined of itself.", "Leave it out, or name another role.")
        if key in remembered.within(part) or key in table.below(part):
            what = f"{part.reference} is itself made of {key.reference}, and the two would go round in a circle."
            raise CallError(what, "Leave it out.")


def _remember(
    desk: Desk,
    composition: Composition,
    key: RoleKey,
    given: Mapping[RoleKey, frozenset[Entry]],
    is_rebuilt: bool,
) -> None:
    """Notes of what the role is combined, and what it took of each part.

    Parts that it was combined of before stay; where it is rebuilt only those that it is rebuilt of.
    """
    before = Parts.of(desk.records).took.get(key, {})
    keys = [(key.reference, part.reference) for part in (*given, *before)]
    held = records_held(desk.records, ROLE_PARTS, keys)
    for part in before if is_rebuilt else ():
        if part not in given:
            composition.edits.put(edit_of(ROLE_PARTS, held[key.reference, part.reference].record, None))
    for part, entries in given.items():
        took = json_text([list(it) for it in sorted(entries)])
        known = held.get((key.reference, part.reference))
        if known is None or known.record["took"] != took:
            record = {"whole": key.reference, "part": part.reference, "took": took}
            made = {**record, "combined_at": time_text(desk.now)}
            composition.edits.put(edit_of(ROLE_PARTS, known.record if known is not None else None, made))


def _as_hierarchy(
    desk: Desk, table: RoleTable, key: RoleKey, active: Sequence[RoleKey], parts: Sequence[RoleKey], title: str | None
) -> Combined:
    """The parts as juniors of the role; what it has itself stays."""
    union = set().union(*(table.given_by(part) for part in active)) if active else set()
    own = set(table.own(key))
    composition = drafted(desk, RoleDraft(key, (), title=title if not table.exists(key) else None), table)
    wanted = [(key.system, key.role, part.reference) for part in active]
    held = records_held(desk.records, ROLE_JUNIORS, wanted)
    composition.asked, composition.standing = len(wanted), len(held)
    for junior in wanted:
        if junior not in held:
            composition.edits.put(edit_of(ROLE_JUNIORS, None, dict(zip(ROLE_JUNIORS.names, junior, strict=True))))
    resources = {entry.resource for entry in own}
    new = sorted(union - own - table.given_by(key))
    return Combined(
        key,
        Combining.HIERARCHY,
        active,
        [it for it in new if it.resource not in resources],
        [it for it in new if it.resource in resources],
        sorted(union - {*new}),
        (),
        len(union | own),
        len(own) + len(active),
        composition,
        [it for it in parts if it not in active],
    )
