"""Two roles beside each other by resource, and all pairs of roles that are nearly the same."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from enum import StrEnum

import msgspec
import numpy as np

from kathodos.analysis.exposure import matrix
from kathodos.analysis.role_entries import Entry, RoleKey
from kathodos.analysis.role_table import RoleTable
from kathodos.columns.csr import Ints

FEWEST = 3  # entries from which on two roles can be nearly the same; below they are the same or not


class Side(StrEnum):
    """Where a resource is spoken of: by one of the roles, by both alike, or by both with other rights."""

    FIRST = "only here"
    SECOND = "only there"
    OTHER_RIGHTS = "other rights"
    BOTH = "the same"


class ResourceLine(msgspec.Struct, frozen=True):
    """What two roles say of one resource: the rights that each gives or denies there."""

    side: Side
    resource: str
    here: Sequence[str]
    there: Sequence[str]


def beside(first: Iterable[Entry], second: Iterable[Entry]) -> list[ResourceLine]:
    """What two sets of entries say of each resource."""
    one, other = _by_resource(first), _by_resource(second)
    found = []
    for resource in sorted({*one, *other}):
        here, there = one.get(resource, []), other.get(resource, [])
        side = Side.BOTH if here == there else Side.OTHER_RIGHTS
        side = Side.FIRST if not there else Side.SECOND if not here else side
        found.append(ResourceLine(side, resource, here, there))
    return found


def _by_resource(entries: Iterable[Entry]) -> dict[str, list[str]]:
    found: dict[str, list[str]] = {}
    for it in sorted(entries):
        found.setdefault(it.resource, []).append(it.action if it.effect == "permit" else f"deny {it.action}")
    return found


class NearPair(msgspec.Struct, frozen=True):
    """Two roles that are nearly the same: how many entries both have, and how many only one of them."""

    first: RoleKey
    second: RoleKey
    both: int
    only_first: int
    only_second: int

    @property
    def share(self) -> float:
        """The entries that both have, as a share of all that either has."""
        return self.both / (self.both + self.only_first + self.only_second)


def near_pairs(table: RoleTable, alike: float, of: RoleKey | None = None) -> list[NearPair]:
    """The pairs of roles that have at least such a share of their entries in common, the nearest first.

    Roles with fewer than three entries only where they have the same; two of which one is below the other are no pair.
    `of`: only those with this role.
    """
    given = table.given
    sizes = given.sizes()
    ones = matrix(given, max(len(table.entries), 1))
    rows = ones if of is None else ones[[table.number[of]]]
    common = (rows @ ones.T).tocoo()
    first = common.row if of is None else np.full(len(common.row), table.number[of])
    second, both = common.col, common.data.astype(np.int64)
    share = both / (sizes[first] + sizes[second] - both)
    enough = (share >= alike) & (np.minimum(sizes[first], sizes[second]) >= FEWEST)
    kept = (enough | (share == 1.0)) & ((first < second) if of is None else (first != second))
    found = []
    for one, other, shared in zip(first[kept].tolist(), second[kept].tolist(), both[kept].tolist(), strict=True):
        if not _is_above(table, one, other) and not _is_above(table, other, one):
            rest = int(sizes[one]) - shared, int(sizes[other]) - shared
            pair = NearPair(table.keys[one], table.keys[other], shared, *rest)
            if of is None and pair.second < pair.first:
                pair = NearPair(pair.second, pair.first, shared, *rest[::-1])
            found.append(pair)
    return sorted(found, key=lambda it: (-it.share, it.first, it.second))


def _is_above(table: RoleTable, senior: int, junior: int) -> bool:
    below: Ints = table.open_below[senior]
    return bool((below == junior).any())
