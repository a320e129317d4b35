"""Reach counted instead of listed: how much of each system one reaches, and by which ways a resource is reached."""

from __future__ import annotations

from collections.abc import Iterator

import msgspec
import numpy as np

from kathodos.columns.csr import Bools, Ints, distinct
from kathodos.engine.compiled.index import Index
from kathodos.engine.decide import who_has
from kathodos.engine.reach import Reached, permits_on, what_reached_by, who_reaches

BY_PERMISSION, BY_ROLE = "directly, by a permission", "directly, by a role"
BY_GROUP, BY_EVERYONE = "through a group", "as everyone"


class Extent(msgspec.Struct, frozen=True):
    """How much of the actions of one kind one may do on how many of a system's resources, at least one on each.

    `is_each`: each of the actions on each of the resources.
    """

    system: str
    kind: str | None
    actions: int
    of_actions: int
    resources: int
    of_resources: int
    is_everything: bool
    is_each: bool = True


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
                is_each = int(may.sum()) == actions * resources
                found.append(Extent(system.name, kind, *counts, is_everything, is_each))
    return found


def routes_to(index: Index, node: int, action: str | None, moment: int) -> tuple[tuple[int, int], dict[str, int]]:
    """How many reach a node (`action` None: with any action): identities and accounts; and how many by each way.

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
    people = int(everybody[askers[askers < index.holders.people]].sum())
    total = int(everybody[askers].sum())
    return (people, total - people), {path: count for path, count in counts.items() if count}


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


class Collapsed(msgspec.Struct, frozen=True):
    """A node that is reached, with all that is reached below it where that is with the same actions.

    `below`: how many nodes stand below it, `reached_below` how many of them are reached; 0 where it speaks for itself.
    """

    node: int
    actions: list[str]
    reached_below: int
    below: int


def collapsed(index: Index, found: Reached, action: str | None) -> Iterator[Collapsed]:
    """What is reached in a system with one action, or any: each node with what it speaks for, the fewest possible."""
    tree, root = index.tree, found.system.root
    names = [index.actions[number][1] for number in found.system.actions]
    may = found.may & np.array([action in (None, name) for name in names])[:, None]
    is_told_above, is_one = _told_above(index, found, may)
    is_reached = may.any(axis=0)
    for at in (is_reached & ~is_told_above).nonzero()[0].tolist():
        below = slice(at + 1, int(tree.end[at + root]) - root)
        count, size = (int(is_reached[below].sum()), below.stop - below.start) if is_one[at] else (0, 0)
        actions = [name for name, is_there in zip(names, may[:, at], strict=True) if is_there]
        yield Collapsed(at + root, actions, count, size)


def _told_above(index: Index, found: Reached, may: Bools) -> tuple[Bools, Bools]:
    """Which nodes a row of one above speaks for, and which nodes' rows speak for all that is reached below them."""
    tree, nodes = index.tree, slice(found.system.root, found.system.end)
    parent, depth = tree.parent[nodes] - found.system.root, tree.depth[nodes]
    _, alike = np.unique(may, axis=1, return_inverse=True)
    is_reached = may.any(axis=0)
    lowest, highest = np.where(is_reached, alike, len(alike)), np.where(is_reached, alike, -1)
    levels = [(depth == level).nonzero()[0] for level in range(1, int(depth.max()) + 1)]
    for here in reversed(levels):
        np.minimum.at(lowest, parent[here], lowest[here])
        np.maximum.at(highest, parent[here], highest[here])
    is_one = is_reached & (lowest == highest)
    is_told_above = np.zeros(len(parent), dtype=bool)
    for here in levels:
        is_told_above[here] = is_told_above[parent[here]] | is_one[parent[here]]
    return is_told_above, is_one
