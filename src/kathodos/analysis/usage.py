"""What people hold, and what is at stake in each of it: sensitivity, kinds of action, systems; and what is in use.

What people hold is in *units*, each of which could be taken away by itself: the grants that an identity or an account
holds, and its listed memberships in groups that give something.
"""

from __future__ import annotations

from functools import cached_property

import numpy as np

from kathodos import thresholds
from kathodos.analysis.basis import Basis
from kathodos.analysis.evidence.held import Units
from kathodos.analysis.exposure import Exposure, matrix
from kathodos.columns.csr import (
    Bools,
    CSRList,
    Ints,
    among,
    csr_from_distinct,
    csr_from_pairs,
    distinct,
    in_loads,
    ints,
    small,
    stretches,
)
from kathodos.columns.dictionary import in_chunks
from kathodos.columns.ordered import insertion_points
from kathodos.engine.compiled.index import ANY_ACTION, LISTED
from kathodos.engine.decide import who_has
from kathodos.model.times import BEGINNING

_NEVER = 2**62


class Usage:
    """The units, what is at stake in each, and which entitlements are in use."""

    def __init__(self, basis: Basis, exposure: Exposure) -> None:
        self.basis = basis
        self.index = basis.index
        self.exposure = exposure

    @cached_property
    def units(self) -> Units:
        """Everything that is held and permits something."""
        index, holders = self.index, self.index.holders
        grants = (self.basis.live & ~index.grants.denies & (index.grants.holder < holders.first_group)).nonzero()[0]
        first = holders.first_group
        listed = (holders.why & LISTED > 0).nonzero()[0]
        listed = listed[: int(insertion_points(listed, holders.edges.starts[first]))]
        member = holders.edges.rows()[listed].astype(np.int64)
        group = holders.edges.items[listed].astype(np.int64) - first
        gives = self.exposure.group_entitlements.sizes()[group] > 0
        holder = np.concatenate([index.grants.holder[grants].astype(np.int64), member[gives]])
        nothing = np.full(len(holder), -1, dtype=np.int64)
        grant, of_group = nothing.copy(), nothing
        grant[: len(grants)] = grants
        of_group[len(grants) :] = group[gives] + first
        return Units(holders.asker_of[holder], holder, grant, of_group)

    @cached_property
    def groups(self) -> Ints:
        """The group of each unit that is a membership, by number less that of the first; -1 for grants."""
        return np.where(self.units.group >= 0, self.units.group - self.index.holders.first_group, -1)

    @cached_property
    def identity(self) -> Ints:
        """The identity that each unit belongs to; -1 for those of an account of nobody."""
        return np.where(self.units.asker < self.basis.people, self.units.asker, -1)

    @property
    def thing_count(self) -> int:
        """How many things there are to hold: groups and entitlements."""
        return len(self.index.holders.groups) + len(self.index.entitlements)

    @cached_property
    def things(self) -> Ints:
        """What each unit is, whoever holds it: the number of the group, or behind the groups of the entitlement."""
        return self.thing_of(self.units)

    def thing_of(self, units: Units) -> Ints:
        """As `things`, of other units: also of those that deny, as if they gave."""
        entitlement = np.append(self.index.grants.entitlement.astype(np.int64), -1)[units.grant]
        group = units.group - self.index.holders.first_group
        return np.where(units.grant >= 0, len(self.index.holders.groups) + entitlement, group)

    @cached_property
    def top(self) -> Ints:
        """The highest sensitivity of what each unit gives."""
        return self._carried(self.exposure.top, self.exposure.over_groups(self.exposure.top, -1))

    @cached_property
    def kinds(self) -> Ints:
        """The kinds of action that each unit gives, as bits."""
        return self._carried(self.exposure.kinds, self.exposure.over_groups(self.exposure.kinds, 0, is_bits=True))

    @cached_property
    def systems_of_things(self) -> Bools:
        """In which systems each thing gives something: by thing and system."""
        found = np.zeros((self.thing_count, max(len(self.index.systems), 1)), dtype=bool)
        groups = len(self.index.holders.groups)
        for first, lists in ((0, self.exposure.group_systems), (groups, self.exposure.systems)):
            found[first + lists.rows(), lists.items] = True
        return found

    def in_system(self, system: int) -> Bools:
        """Which units give something in a system, by the number of the system."""
        of_entitlement, of_group = (
            np.bincount(lists.rows()[lists.items == system], minlength=len(lists)) > 0
            for lists in (self.exposure.systems, self.exposure.group_systems)
        )
        return self._carried(of_entitlement.astype(np.int64), of_group.astype(np.int64)) > 0

    def _carried(self, of_entitlement: Ints, of_group: Ints) -> Ints:
        carried: Ints = np.concatenate([of_group, of_entitlement])[self.things]
        return carried

    @cached_property
    def watched(self) -> Ints:
        """The moment since which the uses of each unit would be known in all of its systems; the far future for never.

        A unit that gives something in a system of which no activity is known cannot be called unused.
        """
        return self.watched_things[self.things]

    @cached_property
    def watched_things(self) -> Ints:
        """As `watched`, of each thing that can be held."""
        return np.concatenate([self.watched_in(it) for it in (self.exposure.group_systems, self.exposure.systems)])

    def watched_in(self, systems: CSRList) -> Ints:
        """The moment since which uses would be known in all of the systems of each list; the far future for none."""
        since = self.basis.watched_since
        known = np.array([since.get(it.name, _NEVER) for it in self.index.systems_in_order], dtype=np.int64)
        found = np.full(len(systems), BEGINNING)
        np.maximum.at(found, systems.rows(), known[systems.items])
        found[systems.sizes() == 0] = _NEVER
        return found

    @cached_property
    def kinds_of(self) -> Ints:
        """The kinds of action that each identity or account was given by whatever way, as bits."""
        found = np.zeros(self.index.holders.first_group, dtype=np.int64)
        for holder in (self.units.holder, self.units.asker):  # an account on its own, and whoever owns it
            np.bitwise_or.at(found, holder, self.kinds)
        for mask, kinds, _ in self._to_many:
            found[mask] |= kinds
        return found

    @cached_property
    def systems_of(self) -> Bools:
        """In which systems each identity or account was given something: by asker and system."""
        found = np.zeros((self.index.holders.first_group, max(len(self.index.systems), 1)), dtype=bool)
        for system in range(len(self.index.systems)):
            here = self.in_system(system)
            for holder in (self.units.holder, self.units.asker):
                found[holder[here], system] = True
        for mask, _, systems in self._to_many:
            found[np.ix_(mask, systems)] = True
        return found

    @cached_property
    def _to_many(self) -> list[tuple[Bools, int, Ints]]:
        """What everyone has, and what groups give by a filter: to whom, the kinds of action, and the systems."""
        index, exposure, found = self.index, self.exposure, []
        everyone = index.holder_grants[index.holders.everyone]
        everyone = everyone[self.basis.live[everyone] & ~index.grants.denies[everyone]]
        able = who_has(index, ints([index.holders.everyone]), self.basis.moment)
        for entitlement in distinct(index.grants.entitlement[everyone]).tolist():
            found.append((able, int(exposure.kinds[entitlement]), exposure.systems[entitlement]))
        of_group = exposure.over_groups(exposure.kinds, 0, is_bits=True)
        for group, text in enumerate(index.holders.filters):
            if text is not None and len(exposure.group_entitlements[group]):
                mask = who_has(index, ints([index.holders.first_group + group]), self.basis.moment)
                found.append((mask, int(of_group[group]), exposure.group_systems[group]))
        return found

    # What is in use

    @cached_property
    def cells(self) -> tuple[Ints, Ints, Ints, Ints]:
        """The distinct cells in use as action and place, and the distinct pairs of a user and a cell, by user."""
        uses, index = self.basis.uses, self.index
        width = max(len(index.actions), 1)
        codes = index.tree.position[uses.node].astype(np.int64) * width + uses.action
        cells = distinct(codes)
        pairs = distinct(uses.user.astype(np.int64) * max(len(cells), 1) + insertion_points(cells, codes))
        return cells % width, cells // width, pairs // max(len(cells), 1), pairs % max(len(cells), 1)

    @cached_property
    def permitting(self) -> CSRList:
        """For each cell in use the entitlements that permit it."""
        index, (action, position, *_) = self.index, self.cells
        intervals = index.intervals
        first, end = insertion_points(position, intervals.first), insertion_points(position, intervals.end)
        interval, cell = stretches(first, np.where(self.exposure.interval_permits, end - first, 0))
        said = index.entries.action[index.scoped_entry[intervals.scoped[interval]]].astype(np.int64)
        about = np.where(said == ANY_ACTION, len(index.actions) + self.exposure.interval_systems[interval], said)
        fits = self.says[about, action[cell]] if len(interval) else np.zeros(0, dtype=bool)
        origin, entitlement = index.scoped_entitlements.of(intervals.scoped[interval[fits]].astype(np.int64))
        return csr_from_distinct(cell[fits][origin], entitlement, len(action), max(len(index.entitlements), 1))

    @cached_property
    def says(self) -> Bools:
        """Which actions a permit of each action speaks about; behind the actions the `*` of each system."""
        permits = self.index.said[0]
        found = np.zeros((len(permits), max(len(self.index.actions), 1)), dtype=bool)
        found[permits.rows(), permits.items] = True
        return found

    @cached_property
    def _giving(self) -> tuple[Bools, Ints]:
        """Which units give something in use by whoever has them; and which cells in use which groups give, as
        cell * groups + group."""
        units, by_groups = self.units, np.zeros(0, dtype=np.int64)
        found = np.zeros(len(units), dtype=bool)
        _, _, user, cell = self.cells
        if len(user):
            of_owner = csr_from_pairs(units.asker, np.arange(len(units)), int(self.index.holders.first_group))
            origin, unit = map(small, of_owner.of(user))
            is_grant = units.grant[unit] >= 0
            use, of = origin[is_grant], unit[is_grant]
            entitlements = max(len(self.index.entitlements), 1)
            permitted = self.permitting.rows().astype(np.int64) * entitlements + self.permitting.items
            gives = among(cell[use] * entitlements + self.index.grants.entitlement[units.grant[of]], permitted)
            found[of[gives]] = True
            use, of = origin[~is_grant], unit[~is_grant]
            del origin, unit, permitted
            gives = self._gives(small(cell[use]), small(self.groups[of]))
            use, of = use[gives], of[gives]
            found[of] = True
            by_groups = distinct(cell[use] * len(self.index.holders.groups) + self.groups[of])
        return found, by_groups

    def _by_filter(self) -> tuple[Ints, Ints]:
        """Who is directly in which group by its filter alone."""
        holders = self.index.holders
        end = int(holders.edges.starts[holders.first_group])
        unlisted = (holders.why[:end] & LISTED == 0).nonzero()[0]
        member = holders.edges.rows()[unlisted].astype(np.int64)
        return holders.asker_of[member], holders.edges.items[unlisted].astype(np.int64) - holders.first_group

    def _gives(self, cell: Ints, group: Ints) -> Bools:
        """Whether each group gives each cell; by blocks of cells, so that never all that groups give is held."""
        width = max(len(self.index.entitlements), 1)
        groups = matrix(self.exposure.group_entitlements, width).T.tocsr()
        load = np.bincount(
            self.permitting.rows(),
            weights=np.diff(groups.indptr)[self.permitting.items],
            minlength=len(self.permitting),
        )
        count = max(groups.shape[1], 1)
        found = np.zeros(len(cell), dtype=bool)
        for rows in in_loads(load.astype(np.int64), thresholds.USED_TOGETHER):
            asked = ((load > 0)[cell] & (cell >= rows[0]) & (cell <= rows[-1])).nonzero()[0]
            if len(asked):
                given = (matrix(self.permitting.picked(rows), width) @ groups).tocsr()
                given.sort_indices()
                at = np.repeat(np.arange(len(rows), dtype=np.int64), np.diff(given.indptr))
                wanted = (cell[asked] - rows[0]) * count + group[asked]
                found[asked] = among(wanted, at * count + given.indices)
        return found

    @cached_property
    def used_entitlements(self) -> Bools:
        """Which entitlements somebody who holds them has used, by a grant of its own, by a group, or as everyone."""
        units, index = self.units, self.index
        found = np.zeros(len(index.entitlements), dtype=bool)
        used = self._giving[0]
        found[index.grants.entitlement[units.grant[used & (units.grant >= 0)]]] = True
        _, _, user, cell = self.cells
        everyone = index.holder_grants[index.holders.everyone]
        given = index.grants.entitlement[everyone[self.basis.live[everyone]]]
        found[given[np.isin(given, self.permitting.items)]] = True
        member, groups = self._by_filter()
        pairs, count = self._giving[1], max(len(index.holders.groups), 1)
        if len(member) and len(user):
            of_owner = csr_from_pairs(member, groups, int(index.holders.first_group))
            origin, group = of_owner.of(user)
            gives = self._gives(cell[origin], group.astype(np.int64))
            pairs = distinct(np.concatenate([pairs, cell[origin[gives]] * count + group[gives]]))
        for some in in_chunks(len(pairs), thresholds.USED_TOGETHER // 16):
            cell_of, group_of = pairs[some] // count, pairs[some] % count
            at, entitlement = self.permitting.of(cell_of)
            width = max(len(index.entitlements), 1)
            held = self.exposure.group_entitlements
            codes = held.rows().astype(np.int64) * width + held.items
            found[entitlement[among(group_of[at] * width + entitlement, codes)]] = True
        return found
