"""Reach counted instead of listed: how much of each system one reaches, and by which ways a resource is reached."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from kathodos.columns.csr import Bools, Ints, distinct
from kathodos.engine.decide import who_has
from kathodos.engine.index import Index
from kathodos.engine.reach import permits_on, what_reached_by, who_reaches

BY_PERMISSION, BY_ROLE = "directly, by a permission", "directly, by a role"
BY_GROUP, BY_EVERYONE = "through a group", "as everyone"


@dataclass(frozen=True)
class Extent:
    """How much of the actions of one kind one may do on how many of a system's resources, at least one on each."""

    system: str
    kind: str | None
    actions: int
    of_actions: int
    resources: int
    of_resources: int
    is_full: bool
    is_everything: bool

    @property
    def extent(self) -> str:
        """`full`: every action of the kind on every resource of the system."""
        return "full" if self.is_full else "limited"


def extent_of(index: Index, asker: int, moment: int) -> list[Extent]:
    """What one reaches, counted by system and kind of action."""
    found = []
    for reached in what_reached_by(index, asker, moment):
        system = reached.system
        of_kind: dict[str | None, list[int]] = {}
        for position, kind in enumerate(system.kinds):
            of_kind.setdefault(kind, []).append(position)
        for kind, positions in sorted(of_kind.items(), key=lambda item: str(item[0])):
            may = reached.may[positions]
            if may.any():
                actions, resources = int(may.any(axis=1).sum()), int(may.any(axis=0).sum())
                is_everything = bool(reached.may.all())
                size = may.shape[1]
                counts = (actions, len(positions), resources, size)
                found.append(Extent(system.name, kind, *counts, bool(may.all()), is_everything))
    return found


def routes_to(index: Index, node: int, action: str | None, moment: int) -> tuple[int, dict[str, int]]:
    """How many reach a node (`action` None: with any action), and how many of them by each way.

    One that comes by several ways is counted in each of them.
    """
    system = index.system_of(node)
    everybody = np.zeros(index.holders.first_group, dtype=bool)
    by_way: dict[str, Bools] = {}
    for number in system.actions.tolist():
        name = index.actions[number][1]
        if action in (None, name):
            reaching = who_reaches(index, node, number, moment)
            everybody |= reaching
            for path, holders in _holders_by_path(index, permits_on(index, node, name, moment)).items():
                by_way[path] = by_way.get(path, False) | (who_has(index, holders, moment) & reaching)
    askers = index.holders.askers
    counts = {
        path: int(by_way[path][askers].sum())
        for path in (BY_PERMISSION, BY_ROLE, BY_GROUP, BY_EVERYONE)
        if path in by_way
    }
    return int(everybody[askers].sum()), {path: count for path, count in counts.items() if count}


def _holders_by_path(index: Index, grants: Ints) -> dict[str, Ints]:
    """The holders of the grants, by the way in which those grants come to somebody."""
    holder = index.grants.holder[grants]
    is_direct, has_role = (
        holder < index.holders.first_group,
        index.entitlements.role[index.grants.entitlement[grants]] >= 0,
    )
    paths = {
        BY_PERMISSION: is_direct & ~has_role,
        BY_ROLE: is_direct & has_role,
        BY_GROUP: ~is_direct & (holder != index.holders.everyone),
        BY_EVERYONE: holder == index.holders.everyone,
    }
    return {path: distinct(holder[which]) for path, which in paths.items() if which.any()}
