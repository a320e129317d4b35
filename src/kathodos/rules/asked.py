"""What needs ask for, and of whom, as the evidence of units takes it."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from kathodos.analysis.basis import Basis
from kathodos.analysis.evidence.asked import Asked
from kathodos.columns.csr import Ints, ints, joined
from kathodos.columns.intervals import Intervals, united
from kathodos.columns.ordered import insertion_points
from kathodos.rules.reading import Need
from kathodos.rules.targets import PermissionTargets, meant


def asked_by(basis: Basis, needs: Sequence[Need]) -> Asked:
    """What some needs ask for: each of their actions, and all that these imply, where the permission applies."""
    targets = PermissionTargets(basis)
    return Asked([_pairs(targets, need) for need in needs], [meant(basis, need) for need in needs])


def _pairs(targets: PermissionTargets, need: Need) -> Intervals:
    index, firsts, ends = targets.index, [], []
    some = [it for it in need.permissions if it.pattern.system in index.systems]
    number, first, end = targets.places_of(some) if some else (ints([]),) * 3
    for at, permission in enumerate(some):
        system = index.systems[permission.pattern.system]
        local = ints(it - int(system.actions[0]) for it in targets.actions_of(permission))
        implied: Ints = np.any(system.covers[local], axis=0).nonzero()[0]
        base = int(index.pair_bases[int(insertion_points(index.system_roots, np.array([system.root]))[0])])
        row = base + implied[:, None] * (system.size + 1) - system.root
        here = number == at
        firsts.append((row + first[here]).ravel())
        ends.append((row + end[here]).ravel())
    return united(joined(firsts), joined(ends))
