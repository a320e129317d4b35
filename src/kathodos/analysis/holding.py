"""Who holds what by whatever way, counted exactly: by peer group and thing, and by thing over everybody.

A *thing* is what can be held: a group, or behind the groups what grants give. People are worked on in blocks, peer
group by peer group: all that a block holds is laid out as one sorted list of (peer group, thing, person).
"""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property

import msgspec
import numpy as np

from kathodos import thresholds
from kathodos.columns.csr import (
    Bools,
    CSRList,
    Ints,
    among,
    closures,
    csr_from_distinct,
    csr_from_pairs,
    distinct,
    in_loads,
)
from kathodos.columns.ordered import insertion_points, order_of
from kathodos.columns.packed import PackedPairs
from kathodos.engine.compiled.index import Index
from kathodos.engine.decide import direct_principals_of_each, who_has


class Things(msgspec.Struct, frozen=True, dict=True):
    """What can be held: the groups, and behind them what grants give. `of_grant`: the thing that each grant gives.

    `counts`: which grants count. `total`: how many things there are.
    """

    index: Index
    moment: int
    of_grant: Ints
    counts: Bools
    total: int

    @property
    def groups(self) -> int:
        """How many of them are groups."""
        return len(self.index.holders.groups)

    @cached_property
    def group_things(self) -> CSRList:
        """For each group what the grants give that it holds, or a group that it is in."""
        holders, first = self.index.holders, self.index.holders.first_group
        grants = self.counts.nonzero()[0]
        holder = self.index.grants.holder[grants].astype(np.int64)
        held = (holder >= first) & (holder < holders.everyone)
        own = csr_from_pairs(holder[held] - first, self.of_grant[grants[held]], self.groups)
        above, end = self.index.granted_above, self.groups
        closure = CSRList(above.starts[: end + 1], above.items[: above.starts[end]] - np.int32(first))
        origin, thing = own.of(closure.items.astype(np.int64))
        return csr_from_distinct(closure.rows()[origin], thing, self.groups, max(self.total, 1))

    def holders_of(self, thing: int) -> Ints:
        """Who holds a thing itself: the group, or the holders of the grants that give it."""
        if thing < self.groups:
            return np.array([self.index.holders.first_group + thing])
        return distinct(self.index.grants.holder[self.counts & (self.of_grant == thing)]).astype(np.int64)


class Counted(msgspec.Struct, frozen=True):
    """How many of the peer group hold each pair's thing, and how many of everybody hold each thing."""

    of_pair: Ints
    of_thing: Ints


class Holding:
    """What people hold, counted by peer group. `peers`: the peer group of each identity, -1 for those not counted."""

    def __init__(self, things: Things, peers: Ints) -> None:
        self.things = things
        self.index = things.index
        self.peers = peers

    def counted(self, group: Ints, thing: Ints) -> Counted:
        """For pairs of a peer group and a thing how many of the group hold the thing; and of each thing the total."""
        width = self.things.total
        pair, inverse = np.unique(np.where(group >= 0, group * width + thing, -1), return_inverse=True)
        wanted = np.zeros(width, dtype=bool)
        wanted[thing] = True
        brings, is_whole = self._brings(wanted)
        counts, totals = np.zeros(len(pair), dtype=np.int64), np.zeros(width, dtype=np.int64)
        for people in self._in_blocks(brings):
            first, last = int(self.peers[people[0]]), int(self.peers[people[-1]])
            held, packing = self._held(self.peers[people] - first, people, wanted, brings)
            totals += np.bincount(packing.firsts(held) % width, minlength=width)
            here = slice(*insertion_points(pair, [first * width, (last + 1) * width]))
            codes = pair[here] - first * width
            below, above = (insertion_points(held, packing.pack(it, 0)) for it in (codes, codes + 1))
            counts[here] = above - below
        found = Counted(np.where(group >= 0, counts[inverse], 0), totals)
        return found if is_whole else self._completed(group, thing, found)

    def counted_by_part(self, group: Ints, part: Ints, parts: CSRList, width: int) -> Ints:
        """For pairs of a peer group and a part of things how many of the group hold something with that part.

        `parts`: for each thing the parts in it, numbers below `width`. Of groups nested too deep to be listed only what
        their direct members hold is counted.
        """
        pair, inverse = np.unique(np.where(group >= 0, group * width + part, -1), return_inverse=True)
        is_wanted = np.zeros(width, dtype=bool)
        is_wanted[part] = True
        kept = is_wanted[parts.items]
        own = csr_from_pairs(parts.rows()[kept], parts.items[kept], len(parts))
        wanted = own.sizes() > 0
        brings, _ = self._brings(wanted)
        counts = np.zeros(len(pair), dtype=np.int64)
        for people in self._in_blocks(brings) if wanted.any() else ():
            first = int(self.peers[people[0]])
            held, packing = self._held(self.peers[people] - first, people, wanted, brings)
            of, thing = np.divmod(packing.firsts(held), self.things.total)
            origin, number = own.of(thing)
            found = packing.firsts(distinct(packing.pack(of[origin] * width + number, packing.seconds(held)[origin])))
            codes, times = np.unique(found + first * width, return_counts=True)
            at = insertion_points(pair, codes)
            here = (at < len(pair)) & (pair[np.minimum(at, len(pair) - 1)] == codes)
            counts[at[here]] += times[here]
        return np.where(group >= 0, counts[inverse], 0)

    def _brings(self, wanted: Bools) -> tuple[CSRList, bool]:
        """Which of the wanted things being in a group brings, the group itself among them; behind the groups everyone.

        Whether that is all of it: where groups are nested too deep for that, the groups further above are left out.
        """
        holders, groups = self.index.holders, self.things.groups
        above = closures(
            holders.edges, holders.first_group, np.ones(holders.size, dtype=bool), thresholds.GROUPS_LISTED
        )
        carried = self.things.group_things
        to_all = self.index.holder_grants[holders.everyone].astype(np.int64)
        to_all = self.things.of_grant[to_all[self.things.counts[to_all]]]
        inner = outer = np.arange(groups)
        if above is not None:
            end = int(above.starts[groups])
            inner, outer = above.rows()[:end], above.items[:end].astype(np.int64) - holders.first_group
        row = np.concatenate([inner, carried.rows(), np.full(len(to_all), groups)])
        item = np.concatenate([outer, carried.items.astype(np.int64), to_all.astype(np.int64)])
        kept = wanted[item]
        return csr_from_distinct(row[kept], item[kept], groups + 1, len(wanted)), above is not None

    def _in_blocks(self, brings: CSRList) -> Iterator[Ints]:
        """The people who are counted, in order of their peer groups, block by block; no peer group is cut."""
        people = order_of(self.peers)[np.count_nonzero(self.peers < 0) :]
        bound = np.concatenate([[0], np.cumsum(np.bincount(self.peers[people]))])
        edges = self.index.holders.edges
        each = max(len(brings.items) // max(len(brings), 1), 1)
        load = np.concatenate([[0], np.cumsum(edges.sizes()[people] * each + 1)])
        widest = PackedPairs(len(self.peers).bit_length() + self.things.total.bit_length()).most_firsts
        for groups in in_loads(np.diff(load[bound]), thresholds.HELD_TOGETHER, widest):
            block = people[bound[groups[0]] : bound[groups[-1] + 1]]
            if len(block):
                yield block

    def _held(self, group: Ints, people: Ints, wanted: Bools, brings: CSRList) -> tuple[Ints, PackedPairs]:
        """What some people hold, in order and packed: the peer group with the thing, and whose, by position."""
        index, holders, groups = self.index, self.index.holders, self.things.groups
        position, principal = direct_principals_of_each(index, people, self.things.moment)
        origin, grant = index.holder_grants.of(principal)
        own = self.things.of_grant[grant].astype(np.int64)
        gives = wanted[own] & self.things.counts[grant]
        of_principal, member_of = holders.edges.of(principal)
        counted = distinct(position)
        person = np.concatenate([position[of_principal], counted])
        at_group, thing = brings.of(np.concatenate([member_of - holders.first_group, np.full(len(counted), groups)]))
        who = np.concatenate([position[origin[gives]], person[at_group]])
        packing = PackedPairs.below(len(people))
        return distinct(packing.pack(group[who] * len(wanted) + np.concatenate([own[gives], thing]), who)), packing

    def _completed(self, group: Ints, thing: Ints, found: Counted) -> Counted:
        """What is counted where only the members directly in groups with groups inside were: those thing by thing."""
        holders, peers = self.index.holders, self.peers
        has_inner = np.zeros(self.things.total, dtype=bool)
        has_inner[holders.edges.items[int(holders.edges.starts[holders.first_group]) :] - holders.first_group] = True
        of_thing = csr_from_pairs(thing, np.arange(len(thing)), self.things.total)
        counted = peers >= 0
        for number in (has_inner & (of_thing.sizes() > 0)).nonzero()[0].tolist():
            mask = who_has(self.index, self.things.holders_of(number), self.things.moment)[: len(peers)] & counted
            counts = np.append(np.bincount(peers[mask], minlength=int(peers.max(initial=-1)) + 1), 0)
            here = of_thing[number]
            found.of_pair[here] = counts[group[here]]
            found.of_thing[number] = int(mask.sum())
        return found

    def holds(self, identity: Ints, holder: Ints, thing: Ints) -> Bools:
        """Whether each identity holds each thing itself, given by which holder: it counts as that holder now."""
        principals = direct_principals_of_each(self.index, identity, self.things.moment)
        codes = distinct(principals[0] * self.index.holders.size + principals[1])
        return among(np.arange(len(identity)) * self.index.holders.size + holder, codes)
