"""Roles made of uses, as edits: one role in each system that was touched."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from fnmatch import fnmatchcase
from typing import TYPE_CHECKING

import msgspec
import numpy as np

from kathodos.analysis.role_entries import Entry, RoleKey, is_like
from kathodos.analysis.role_table import RoleTable
from kathodos.change.composition import Composition, Desk
from kathodos.change.edit_sets import EditSet
from kathodos.columns.csr import csr_from_pairs, ints
from kathodos.errors import CallError, DataError
from kathodos.model.kinds import ROLES
from kathodos.model.references import reference_to
from kathodos.model.suggestions import nearest
from kathodos.roles.against import Against, entries_with_juniors, held_against
from kathodos.roles.companions import Companion, companions_of_each
from kathodos.roles.distil import Distilled, DistilledEntry, DistilTerms, distilled, with_companions
from kathodos.roles.entries import RoleDraft, drafted, named_role, together
from kathodos.roles.gates import ways_in
from kathodos.roles.references import Reading, References
from kathodos.roles.trying import Trial
from kathodos.roles.uses import Touched
from kathodos.store.naming import resolved
from kathodos.workspace.recordings import Traced
from kathodos.workspace.rehearsing import desk_view

if TYPE_CHECKING:
    from kathodos.workspace.view import View


_MOST_NAMED = 6


class RoleTerms(msgspec.Struct, frozen=True):
    """What is said of the roles that are made. `depth`: how many references companions follow; 0 for none.

    `reads`: with which action a system is read; `is_exact`: an existing role loses what was not used.
    """

    title: str | None = None
    owner: str | None = None
    is_active: bool = True
    is_exact: bool = False
    depth: int = 1
    reads: Mapping[str, str] | None = None


class DistilledRole(msgspec.Struct, frozen=True):
    """One role that was distilled, the edits that make it, and what was used that it alone would not let be done."""

    key: RoleKey
    found: Distilled
    composition: Composition
    lacking: Sequence[Entry]


class DistilledRoles(msgspec.Struct, frozen=True):
    """The roles made of a trace; `elsewhere`: how many things were touched in other systems, by system."""

    roles: Sequence[DistilledRole]
    elsewhere: Mapping[str, int]

    @property
    def composition(self) -> Composition:
        """All edits together."""
        return together(it.composition for it in self.roles)


def distil_roles(
    view: View, desk: Desk, name: str, traced: Traced, terms: DistilTerms, of_roles: RoleTerms
) -> DistilledRoles:
    """What was touched as a role `system/name`, or as one role called `name` in each system that was touched."""
    view = desk_view(view, desk)
    by_system: dict[str, list[int]] = {}
    for at, it in enumerate(traced.touched):
        by_system.setdefault(it.entry.system, []).append(at)
    keys = _keys(desk, name, [it for it in by_system if it in view.index.systems])
    references = References(view.index, view.catalogue)
    reading = Reading(view.index, of_roles.reads or {})
    roles = []
    for key in keys:
        some = [traced.touched[at] for at in by_system.get(key.system, ())]
        if traced.touched and not some:
            others = ", ".join(sorted(by_system)[:_MOST_NAMED])
            what = f"Nothing of {key.system} was used in this trace, which is of {others}."
            raise DataError(what, f"Name a role of what was used, as in {min(by_system)}/{key.role}.")
        found = distilled(view.index, some, traced.traces, terms)
        found = with_companions(view.index, references, reading, found, of_roles.depth, terms)
        roles.append(_role(view, desk, key, found, of_roles))
    named = {key.system for key in keys}
    return DistilledRoles(roles, {system: len(some) for system, some in by_system.items() if system not in named})


def _keys(desk: Desk, name: str, systems: Sequence[str]) -> list[RoleKey]:
    if "/" in name:
        return [named_role(desk, name)]
    if not systems:
        raise CallError("The trace is of no system that there is.", "Name a role as in berths/planner to see why.")
    return [RoleKey(system, name.removeprefix("role:")) for system in systems]


def _role(view: View, desk: Desk, key: RoleKey, found: Distilled, of_roles: RoleTerms) -> DistilledRole:
    why: dict[Entry, str] = dict.fromkeys(found.gates, "to get there")
    why |= {it.entry: companion_text(it) for it in found.companions}
    why |= {it.entry: used_text(it) for it in found.entries}
    draft = RoleDraft(
        key, found.all_entries, why, of_roles.title, of_roles.owner, of_roles.is_active, of_roles.is_exact
    )
    composition = drafted(desk, draft)
    trial = Trial(view.index, view.catalogue, [key.reference], composition.edits, view.moment)
    used = [touched.entry for it in found.entries for touched in it.behind]
    return DistilledRole(key, found, composition, trial.lacking(used) if of_roles.is_active else [])


def companion_text(companion: Companion) -> str:
    """Why a companion is needed, in words."""
    far = "" if companion.depth == 1 else f", {companion.depth} references away"
    return f"{companion.source} refers to it{far}"


class RoleAgainst(msgspec.Struct, frozen=True):
    """A trace held against a role, and the edits that add to the role what it lacks.

    `elsewhere`: how many things were touched in systems of which the role says nothing.
    """

    role: RoleKey
    found: Against
    composition: Composition
    elsewhere: Mapping[str, int]


def role_against(view: View, desk: Desk, name: str, traced: Traced) -> RoleAgainst:
    """A trace held against a role that is there: only what was used in systems of which the role speaks."""
    view = desk_view(view, desk)
    reference = resolved(view.catalogue, name, (ROLES,))
    key = RoleKey.of(reference)
    _, number = view.thing(reference)
    systems = {key.system, *(it.entry.system for it in entries_with_juniors(view.index, number))}
    touched = [it for it in traced.touched if it.entry.system in systems]
    if not touched:
        others = ", ".join(sorted({it.entry.system for it in traced.touched})[:_MOST_NAMED]) or "nothing"
        what = f"Nothing of {key.system} was used in this trace, which is of {others}."
        raise DataError(what, "Name another trace, or a role of what was used.")
    trial = Trial(view.index, view.catalogue, [reference], EditSet(), view.moment)
    found = held_against(view.index, trial, number, touched)
    missing = [it.entry for it in found.missing]
    gates = [it for it in ways_in(view.index, missing) if it not in missing and not trial.reaches(it)]
    why = {it.entry: used_text(it) for it in found.missing} | dict.fromkeys(gates, "to get there")
    elsewhere = Counter(it.entry.system for it in traced.touched if it.entry.system not in systems)
    return RoleAgainst(key, found, drafted(desk, RoleDraft(key, [*missing, *gates], why)), elsewhere)


def used_text(it: Touched | DistilledEntry) -> str:
    """How often something was used, and when last."""
    times = "once, on" if it.count == 1 else f"{it.count:,} times, last on"
    return f"used {times} {it.last[:10]}"


class RoleCompanions(msgspec.Struct, frozen=True):
    """What some roles need to read besides: by role, with the edits that give it; `unknown`: lost references."""

    by_role: Mapping[RoleKey, Sequence[Companion]]
    composition: Composition
    entries: Mapping[RoleKey, int]
    unknown: Mapping[str, int]


def companions_of_roles(
    view: View,
    desk: Desk,
    patterns: Sequence[str],
    only: Sequence[str],
    depth: int,
    without: Sequence[str],
    reads: Mapping[str, str],
) -> RoleCompanions:
    """The reads that roles need because of what they write and do not give. `only`: what entries like these need."""
    view = desk_view(view, desk)
    references, reading = References(view.index, view.catalogue), Reading(view.index, reads)
    found: dict[RoleKey, Sequence[Companion]] = {}
    counts: dict[RoleKey, int] = {}
    parts = []
    table = RoleTable(desk.records)
    keys = [RoleKey.of(it) for it in roles_named(desk, patterns)]
    held = table.given.picked(ints(table.number[key] for key in keys))
    writing = held
    if only:
        is_meant = np.array([is_like(it, only) for it in table.entries], dtype=bool)
        meant = is_meant[held.items]
        writing = csr_from_pairs(held.rows()[meant].astype(np.int64), held.items[meant], len(keys))
    for_each = companions_of_each(view.index, references, reading, table.entries, held, writing, depth)
    for at, (key, every) in enumerate(zip(keys, for_each, strict=True)):
        if only and not len(writing[at]):
            continue
        counts[key] = len(held[at])
        some = [it for it in every if not is_like(it.entry, without)]
        if some:
            found[key] = some
            entries = [table.entries[number] for number in held[at].tolist()]
            given = [it.entry for it in some]
            gates = [it for it in ways_in(view.index, [*entries, *given]) if it not in entries]
            why = {**dict.fromkeys(gates, "to get there"), **{it.entry: companion_text(it) for it in some}}
            parts.append(drafted(desk, RoleDraft(key, [*given, *gates], why), table))
    if only and not counts:
        raise CallError(f"No entry of these roles is like {' or '.join(only)}.", "See what one has: kathodos show ROLE")
    return RoleCompanions(found, together(parts), counts, references.unknown)


def roles_named(desk: Desk, texts: Sequence[str]) -> list[str]:
    """The roles that names and patterns over `system/name` mean. Raises CallError where one means none."""
    columns = (desk.records.column(ROLES, name).listed() for name in ("system", "role"))
    known = [f"{system}/{role}" for system, role in zip(*columns, strict=True)]
    found: dict[str, None] = {}
    for text in texts:
        pattern = text.removeprefix("role:")
        if "*" in pattern or "?" in pattern:
            some = [it for it in known if fnmatchcase(it, pattern)]
            if not some:
                raise CallError(f"No role is like {pattern}.", nearest(pattern, known))
            found |= dict.fromkeys(reference_to("role", it) for it in some)
        else:
            found[resolved(desk.records, text, (ROLES,))] = None
    return list(found)
