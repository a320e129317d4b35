"""The units: what can be taken from somebody by itself.

A grant that a person or one of its accounts holds, or a membership through which it holds what a group has been given.
What comes by a group's filter or from everyone cannot be taken from one person, so it is no unit.
"""

from __future__ import annotations

import msgspec
import numpy as np

from kathodos.columns.csr import CSRList, Ints, among, csr_from_pairs, distinct, spread_each
from kathodos.columns.ordered import insertion_points, order_of
from kathodos.engine.compiled.index import LISTED, Index


class Units(msgspec.Struct, frozen=True):
    """What can be taken by itself, one element each. `asker`: whom it belongs to, an identity or an account of nobody;
    `holder`: who has it; `grant`: its number, or -1 for a membership; `group`: the number of a holder, or -1."""

    asker: Ints
    holder: Ints
    grant: Ints
    group: Ints

    def __len__(self) -> int:
        return len(self.asker)

    def picked(self, some: Ints) -> Units:
        """Some of them."""
        return Units(self.asker[some], self.holder[some], self.grant[some], self.group[some])


def units_of(index: Index, askers: Ints, moment: int) -> Units:
    """The units of some identities and accounts that are nobody's."""
    position, holder = _own_holders(index, askers)
    at, grants = index.holder_grants.of(holder)
    kept = moment < index.grants.ends[grants]
    at, grants = at[kept], grants[kept].astype(np.int64)
    joined_at, group = _listed_groups(index, holder)
    carries = carried_grants(index, distinct(group), moment)
    has_any = carries.sizes()[insertion_points(distinct(group), group)] > 0
    joined_at, group = joined_at[has_any], group[has_any]
    of = np.concatenate([at, joined_at])
    kind = np.concatenate([np.zeros(len(at), dtype=np.int64), np.ones(len(group), dtype=np.int64)])
    nothing = np.full(len(of), -1, dtype=np.int64)
    grant, groups = nothing.copy(), nothing
    grant[: len(at)], groups[len(at) :] = grants, group
    order = np.lexsort((grant, of, kind, position[of]))
    of = of[order]
    return Units(askers[position[of]], holder[of], grant[order], groups[order])


def _own_holders(index: Index, askers: Ints) -> tuple[Ints, Ints]:
    """Each of some askers and the accounts of an identity: the position of the asker, and the holder."""
    people = (askers < index.holders.people).nonzero()[0]
    origin, account = index.holders.accounts_of.of(askers[people])
    position = np.concatenate([np.arange(len(askers)), people[origin]])
    holder = np.concatenate([askers, account]).astype(np.int64)
    order = order_of(position)
    return position[order], holder[order]


def _listed_groups(index: Index, holders: Ints) -> tuple[Ints, Ints]:
    """The groups that some holders are listed in: the position of the holder, and the group."""
    edges = index.holders.edges
    at, positions = edges.positions(holders)
    listed = index.holders.why[positions] & LISTED > 0
    return at[listed], edges.items[positions[listed]].astype(np.int64)


def carried_grants(index: Index, groups: Ints, moment: int) -> CSRList:
    """For each of some groups the grants that being in it brings, in force or to come."""
    above = spread_each(index.holders.edges, groups)
    origin, grant = index.holder_grants.of(above.items.astype(np.int64))
    kept = moment < index.grants.ends[grant]
    return csr_from_pairs(above.rows()[origin[kept]], grant[kept].astype(np.int64), len(groups))


def beyond_units(index: Index, askers: Ints, units: Units, moment: int) -> int:
    """How many grants reach the askers only by a group's filter or from everyone, so that no item carries them."""
    everyone = index.holder_grants[index.holders.everyone]
    to_all = int((moment < index.grants.ends[everyone]).sum()) * len(askers)
    position, holder = _own_holders(index, askers)
    at, positions = index.holders.edges.positions(holder)
    unlisted = index.holders.why[positions] & LISTED == 0
    groups = index.holders.edges.items[positions[unlisted]].astype(np.int64)
    number = np.full(index.holders.first_group, -1, dtype=np.int64)
    number[askers] = np.arange(len(askers))
    filtered = _codes(index, position[at[unlisted]], groups, moment)
    grants = units.grant >= 0
    width = max(len(index.grants), 1)
    held = number[units.asker[grants]] * width + units.grant[grants]
    carried = _codes(index, number[units.asker[~grants]], units.group[~grants], moment)
    return to_all + int((~among(filtered, distinct(np.concatenate([held, carried])))).sum())


def _codes(index: Index, position: Ints, groups: Ints, moment: int) -> Ints:
    """Pairs of a position and a grant that one of its groups carries, each once, as one number."""
    some = distinct(groups)
    origin, grant = carried_grants(index, some, moment).of(insertion_points(some, groups))
    return distinct(position[origin] * max(len(index.grants), 1) + grant)
