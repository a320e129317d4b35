"""A trace held against a role: what was used and the role lacks, what it has and was not used, and what is in both."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np

from kathodos.analysis.role_entries import DENY, PERMIT, Entry
from kathodos.columns.csr import ints, reachable
from kathodos.engine.compiled.index import Index
from kathodos.roles.extents import Extents
from kathodos.roles.gates import ways_in
from kathodos.roles.trying import Trial
from kathodos.roles.uses import Touched


class RoleEntry(msgspec.Struct, frozen=True):
    """An entry that a role has, and the role of its hierarchy that has it."""

    entry: Entry
    of_role: str


class Against(msgspec.Struct, frozen=True):
    """What came of holding a trace against a role. `unknown`: uses of what no system knows."""

    missing: list[Touched]
    both: list[Touched]
    unused: list[RoleEntry]
    unknown: list[Touched]


def entries_with_juniors(index: Index, role: int) -> list[RoleEntry]:
    """What a role has, itself and by its juniors, as far as they are active."""
    found = []
    for number in reachable(index.juniors, ints([role])).tolist():
        if index.role_is_active[number]:
            for at in index.role_entries[number].tolist():
                it = index.entries[at]
                found.append(
                    RoleEntry(Entry(it.pattern, it.action, DENY if it.denies else PERMIT), index.roles[number])
                )
    return sorted(found, key=lambda it: it.entry)


def held_against(index: Index, trial: Trial, role: int, touched: Sequence[Touched]) -> Against:
    """What a trace and a role have in common, and what only one has. `trial`: of somebody who holds the role."""
    addresses = index.tree.addresses
    known = [it for it in touched if (it.entry.system, it.entry.action) in index.action_number]
    unknown = [it for it in touched if it not in known or addresses.find(it.entry.resource) < 0]
    known = [it for it in known if addresses.find(it.entry.resource) >= 0]
    both = [it for it in known if trial.reaches(it.entry)]
    missing = [it for it in known if it not in both]
    used = [it.entry for it in both]
    needed = [*used, *ways_in(index, used)]
    entries = entries_with_juniors(index, role)
    return Against(missing, both, _unused(index, entries, needed), unknown)


def _unused(index: Index, entries: Sequence[RoleEntry], used: Sequence[Entry]) -> list[RoleEntry]:
    """The permits of which the action itself was not used: who only looks does not use what lets edit."""
    extents = Extents(index, (it.entry.resource for it in entries))
    by_action: dict[tuple[str, str], list[int]] = {}
    for one in used:
        by_action.setdefault((one.system, one.action), []).append(index.tree.addresses.find(one.resource))
    return [it for it in entries if it.entry.effect != DENY and not _is_used(index, it.entry, extents, by_action)]


def _is_used(index: Index, entry: Entry, extents: Extents, by_action: dict[tuple[str, str], list[int]]) -> bool:
    system = index.systems.get(entry.system)
    if system is None:
        return False
    names = [index.actions[number][1] for number in system.actions.tolist()]
    given = names if entry.action == "*" else [it for it in names if it == entry.action]
    wanted = ints(node for name in given for node in by_action.get((entry.system, name), ()))
    return bool(np.isin(wanted, extents.nodes(entry.resource)).any())
