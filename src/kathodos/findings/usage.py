"""Which of what people hold they use: every recorded use led back to the memberships and grants that carry it.

What people hold is in *units*, each of which could be taken away by itself: the grants that an identity or an account
holds, and its listed memberships in groups that give something.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from kathodos.access.arrays import Bools, Ints, Lists, among, distinct, lists_from, sorted_lists
from kathodos.access.index import ANY_ACTION, LISTED
from kathodos.catalogue.moments import BEGINNING
from kathodos.findings.facts import Facts
from kathodos.findings.stakes import Stakes, matrix


@dataclass(frozen=True)
class Units:
    """What is held, one element each: grants first. `owner`: an identity, or an account of nobody.

    `holder` is who has it, `grant` a number or -1, `group` the number of a group less that of the first, or -1.
    """

    owner: Ints
    holder: Ints
    grant: Ints
    group: Ints

    def __len__(self) -> int:
        return len(self.owner)


class Usage:
    """The units, what is at stake in each, and when each was used last."""

    def __init__(self, facts: Facts, stakes: Stakes) -> None:
        self.facts = facts
        self.index = facts.index
        self.stakes = stakes

    @cached_property
    def units(self) -> Units:
        """Everything that is held and permits something."""
        index, holders = self.index, self.index.holders
        grants = (self.facts.live & ~index.grants.denies & (index.grants.holder < holders.first_group)).nonzero()[0]
        first = holders.first_group
        listed = (holders.why & LISTED > 0).nonzero()[0]
        listed = listed[: int(np.searchsorted(listed, holders.edges.starts[first]))]
        member = holders.edges.rows()[listed].astype(np.int64)
        group = holders.edges.items[listed].astype(np.int64) - first
        gives = self.stakes.group_bundles.sizes()[group] > 0
        holder = np.concatenate([index.grants.holder[grants].astype(np.int64), member[gives]])
        nothing = np.full(len(holder), -1, dtype=np.int64)
        grant, of_group = nothing.copy(), nothing
        grant[: len(grants)] = grants
        of_group[len(grants) :] = group[gives]
        return Units(self._owner(holder), holder, grant, of_group)

    def _owner(self, holder: Ints) -> Ints:
        holders = self.index.holders
        owner = np.concatenate([np.arange(holders.people), holders.owner.astype(np.int64)])[holder]
        return np.where(owner >= 0, owner, holder)

    @cached_property
    def top(self) -> Ints:
        """The highest sensitivity of what each unit gives."""
        return self._carried(self.stakes.top, self.stakes.over_groups(self.stakes.top, -1))

    @cached_property
    def kinds(self) -> Ints:
        """The kinds of action that each unit gives, as bits."""
        return self._carried(self.stakes.kinds, self.stakes.over_groups(self.stakes.kinds, 0, is_bits=True))

    @cached_property
    def systems(self) -> Lists:
        """The systems in which each unit gives something."""
        units, stakes, count = self.units, self.stakes, max(len(self.index.systems), 1)
        by_grant = units.grant >= 0
        parts = [
            (by_grant.nonzero()[0], stakes.systems, self.index.grants.bundle[units.grant[by_grant]]),
            ((~by_grant).nonzero()[0], stakes.group_systems, units.group[~by_grant]),
        ]
        rows, items = [], []
        for unit, lists, which in parts:
            origin, system = lists.of(which.astype(np.int64))
            rows.append(unit[origin])
            items.append(system.astype(np.int64))
        return sorted_lists(np.concatenate(rows), np.concatenate(items), len(units), count)

    def _carried(self, of_bundle: Ints, of_group: Ints) -> Ints:
        units = self.units
        bundle = self.index.grants.bundle[np.maximum(units.grant, 0)] if len(self.index.grants) else units.grant
        groups = of_group[np.maximum(units.group, 0)] if len(of_group) else units.group
        return np.where(units.grant >= 0, of_bundle[bundle] if len(of_bundle) else -1, groups)

    @cached_property
    def watched(self) -> Ints:
        """The moment since which the uses of each unit would be known in all of its systems; the far future for never.

        A unit that gives something in a system of which no activity is known cannot be called unused.
        """
        since = self.facts.watched_since
        known = np.array([since.get(it.name, 2**62) for it in self.index.systems_in_order], dtype=np.int64)
        found = np.full(len(self.units), BEGINNING, dtype=np.int64)
        np.maximum.at(found, self.systems.rows(), known[self.systems.items])
        return np.where(self.systems.sizes() > 0, found, 2**62)

    # When it was used

    @cached_property
    def cells(self) -> tuple[Ints, Ints, Ints, Ints, Ints]:
        """The distinct cells in use as (action, place), and the distinct (user, cell) with the last use.

        Gives action and place of each cell, and user, cell and last time of each pair, ordered by user.
        """
        uses, index = self.facts.uses, self.index
        place = index.tree.place[uses.node].astype(np.int64)
        width = max(len(index.actions), 1)
        codes = place * width + uses.action
        cells = distinct(codes)
        cell = np.searchsorted(cells, codes)
        pair = uses.user.astype(np.int64) * max(len(cells), 1) + cell
        order = np.lexsort((uses.time, pair))
        last = np.append(pair[order][1:] != pair[order][:-1], True)[: len(order)]
        newest = order[last]
        return cells % width, cells // width, uses.user[newest].astype(np.int64), cell[newest], uses.time[newest]

    @cached_property
    def permitting(self) -> Lists:
        """For each cell in use the bundles that permit it."""
        index, (action, place, *_) = self.index, self.cells
        spans = index.spans
        first, end = np.searchsorted(place, spans.first), np.searchsorted(place, spans.end)
        sizes = np.where(self.stakes.span_permits, end - first, 0)
        span = np.repeat(np.arange(len(spans)), sizes)
        cell = np.arange(len(span)) - np.repeat(np.cumsum(sizes) - sizes, sizes) + np.repeat(first, sizes)
        said = index.lines.action[index.rule_line[spans.rule[span]]].astype(np.int64)
        about = np.where(said == ANY_ACTION, len(index.actions) + self.stakes.span_systems[span], said)
        fits = self._says[about, action[cell]] if len(span) else np.zeros(0, dtype=bool)
        origin, bundle = index.rule_bundles.of(spans.rule[span[fits]].astype(np.int64))
        return sorted_lists(cell[fits][origin], bundle, len(action), max(len(index.bundles), 1))

    @cached_property
    def _says(self) -> Bools:
        """Which actions a permit of each action speaks about; behind the actions the `*` of each system."""
        permits = self.index.said[0]
        found = np.zeros((len(permits), max(len(self.index.actions), 1)), dtype=bool)
        found[permits.rows(), permits.items] = True
        return found

    @cached_property
    def carrying(self) -> Any:
        """Cell by group, a sparse matrix: not 0 where the group gives the cell."""
        groups = matrix(self.stakes.group_bundles, max(len(self.index.bundles), 1))
        found = matrix(self.permitting, max(len(self.index.bundles), 1)) @ groups.T
        return found.tocsr()

    @cached_property
    def last(self) -> Ints:
        """When each unit was used last, in microseconds since 1970; the beginning where no use is known."""
        units = self.units
        found = np.full(len(units), BEGINNING, dtype=np.int64)
        _, _, user, cell, time = self.cells
        if len(user):
            of_owner = lists_from(units.owner, np.arange(len(units)), int(self.index.holders.first_group))
            origin, unit = of_owner.of(user)
            grant, group = units.grant[unit], units.group[unit]
            by_grant = grant >= 0
            bundles = max(len(self.index.bundles), 1)
            permitted = self.permitting.rows().astype(np.int64) * bundles + self.permitting.items
            carries = np.zeros(len(unit), dtype=bool)
            bundle = self.index.grants.bundle[grant[by_grant]].astype(np.int64)
            carries[by_grant] = among(cell[origin[by_grant]] * bundles + bundle, permitted)
            carries[~by_grant] = self._gives(cell[origin[~by_grant]], group[~by_grant])
            np.maximum.at(found, unit[carries], time[origin[carries]])
        return found

    def _memberships(self) -> tuple[Ints, Ints]:
        """Who is directly in which group, by list or by filter."""
        holders = self.index.holders
        end = int(holders.edges.starts[holders.first_group])
        member = holders.edges.rows()[:end].astype(np.int64)
        return self._owner(member), holders.edges.items[:end].astype(np.int64) - holders.first_group

    def _gives(self, cell: Ints, group: Ints) -> Bools:
        """Whether each group gives each cell."""
        carrying = self.carrying
        carrying.sort_indices()
        width = carrying.shape[1]
        rows = np.repeat(np.arange(carrying.shape[0], dtype=np.int64), np.diff(carrying.indptr))
        return among(cell * width + group, rows * width + carrying.indices)

    @cached_property
    def used_bundles(self) -> Bools:
        """Which bundles somebody who holds them has used, by a grant of its own, by a group, or as everyone."""
        units, index = self.units, self.index
        found = np.zeros(len(index.bundles), dtype=bool)
        used = self.last > BEGINNING
        found[index.grants.bundle[units.grant[used & (units.grant >= 0)]]] = True
        _, _, user, cell, _ = self.cells
        everyone = index.holder_grants[index.holders.everyone]
        given = index.grants.bundle[everyone[self.facts.live[everyone]]]
        found[given[np.isin(given, self.permitting.items)]] = True
        member, groups = self._memberships()
        if len(member) and len(user):
            of_owner = lists_from(member, groups, int(index.holders.first_group))
            origin, group = of_owner.of(user)
            gives = self._gives(cell[origin], group.astype(np.int64))
            pairs = distinct(cell[origin[gives]] * len(index.holders.groups) + group[gives])
            cell_of, group_of = pairs // len(index.holders.groups), pairs % len(index.holders.groups)
            at, bundle = self.permitting.of(cell_of)
            width = max(len(index.bundles), 1)
            held = self.stakes.group_bundles
            codes = held.rows().astype(np.int64) * width + held.items
            found[bundle[among(group_of[at] * width + bundle, codes)]] = True
        return found
