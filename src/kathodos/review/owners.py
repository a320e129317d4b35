"""Who owns what a line is about: of a role, a group or a resource, or else of its system; by number, -1: nobody."""

from __future__ import annotations

import numpy as np

from kathodos.analysis.basis import Basis
from kathodos.analysis.evidence.held import Units
from kathodos.columns.csr import Bools, Ints
from kathodos.columns.dictionary import DictionaryColumn, positions_among
from kathodos.model.kinds import GROUPS, ROLES, SYSTEMS
from kathodos.model.references import reference_to
from kathodos.store.records import columns_of


def active(basis: Basis) -> Bools:
    """Which identities are active; the last element stands for nobody."""
    return np.append(basis.identity("status").holding("active"), False)


def owners_of_systems(basis: Basis, systems: DictionaryColumn) -> Ints:
    """The owner of each of some systems."""
    owner = _of_system(basis)
    return np.array([*(owner.get(str(name), -1) for name in systems.values), -1], dtype=np.int64)[systems.codes]


def owners_of_roles(basis: Basis, positions: Ints) -> Ints:
    """The owner of each of some roles, given by the positions of their records, or else of its system."""
    systems = basis.records.column(ROLES, "system").taken(positions)
    return _or_else(basis, _numbers(basis, basis.records.column(ROLES, "owner").taken(positions)), systems)


def owners_of_nodes(basis: Basis, nodes: Ints) -> Ints:
    """The owner of each of some resources, or of the nearest one above that has one, or else of its system."""
    index, owner = basis.index, _numbers(basis, basis.node("owner"))
    some, of = np.unique(nodes, return_inverse=True)
    found, at = owner[some], some.copy()
    is_active = active(basis)
    for _ in range(int(index.tree.depth[some].max(initial=-1)) + 1):
        left = (~is_active[found] & (at >= 0)).nonzero()[0]
        at[left] = index.tree.parent[at[left]]
        found[left] = np.where(at[left] >= 0, owner[at[left]], found[left])
    names = [it.name for it in index.systems_in_order]
    code = {name: number for number, name in enumerate(names)}
    systems = np.array([code[index.system_of(int(node)).name] for node in some.tolist()], dtype=np.int32)
    return _or_else(basis, found, DictionaryColumn(systems, names))[of]


def _or_else(basis: Basis, found: Ints, systems: DictionaryColumn) -> Ints:
    return np.where(active(basis)[found], found, owners_of_systems(basis, systems))


def _numbers(basis: Basis, owners: DictionaryColumn) -> Ints:
    ids = basis.index.holders.identities
    return np.append(positions_among(owners.values, ids), -1)[owners.codes].astype(np.int64)


def _of_system(basis: Basis) -> dict[str, int]:
    ids = basis.index.holders.identities
    columns = columns_of(basis.records, SYSTEMS, "system", "owner")
    return {str(name): ids.find(str(who)) if who else -1 for name, who in zip(*columns, strict=True)}


def owners_of_items(basis: Basis, items: Units) -> Ints:
    """The owner of what each item gives: of the role or group, or else of its system."""
    index, owners, is_active = basis.index, {}, active(basis)
    for kind, one in ((ROLES, "role"), (GROUPS, "group")):
        for system, name, who in zip(*columns_of(basis.records, kind, "system", one, "owner"), strict=True):
            owners[reference_to(one, f"{system}/{name}")] = index.holders.identities.find(str(who)) if who else -1
    of_system = _of_system(basis)

    def owner(what: str) -> int:
        found = owners.get(what, -1)
        if found >= 0 and is_active[found]:
            return found
        system = what.partition(":")[2].partition("/")[0] if what in owners else what.partition(" ")[2]
        return of_system.get(system.partition(":")[0], -1)

    of_gives = np.array([*(owner(text) for text in index.entitlements.gives_texts), -1], dtype=np.int64)
    entitlement = np.append(index.grants.entitlement.astype(np.int64), -1)[items.grant]
    by_grant = of_gives[np.append(index.entitlements.gives.astype(np.int64), -1)[entitlement]]
    first, references = index.holders.first_group, index.holders.references
    groups = np.array([owner(references[first + at]) for at in range(len(index.holders.groups))] + [-1])
    by_group = groups[np.where(items.group >= 0, items.group - first, -1)]
    return np.where(items.grant >= 0, by_grant, by_group).astype(np.int64)
