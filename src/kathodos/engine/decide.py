"""Who holds what at a moment, and how permits and denies combine (meaning of reach, "Deciding", steps 1, 2, 5-7).

What applies is put in ranks, best first: the lowest tier for first-applicable, the deepest anchor for nearest, all in
one rank otherwise. The first rank in which anything applies decides; within it permit or deny wins, by the way.

The *pairs* of a system are its (action, place) laid out in a row, action by action, with one empty position behind
each action: pair = action * (size + 1) + place - root. So what is permitted is intervals of pairs.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from functools import lru_cache

import msgspec
import numpy as np

from kathodos.columns.csr import Bools, Ints, distinct, reachable, spread, union
from kathodos.columns.intervals import Intervals, held_between, holds, intervals_where, united, without
from kathodos.columns.ordered import insertion_points
from kathodos.engine.compiled.index import ANY_ACTION, Holders, Index, System


class Given(msgspec.Struct, frozen=True):
    """Permits and denies, one element each: where they apply or whose they are is told by whoever made them.

    `action` is a number of the index's actions or ANY_ACTION; `rank` is lower for what decides first.
    """

    action: Ints
    denies: Bools
    rank: Ints

    def bears_on(self, system: System, action: int) -> Bools:
        """Which elements speak about the action at this position in the system's actions (step 5)."""
        is_any = self.action == ANY_ACTION
        local = np.where(is_any, 0, self.action - (system.actions[0] if len(system.actions) else 0))
        bears: Bools = is_any | np.where(self.denies, system.covers[action, local], system.covers[local, action])
        return bears

    def bearing(self, system: System) -> Bools:
        """Which elements speak about each of the system's actions: (actions, elements)."""
        is_any = self.action == ANY_ACTION
        local = np.where(is_any, 0, self.action - (system.actions[0] if len(system.actions) else 0))
        bears: Bools = is_any | np.where(self.denies, system.covers[:, local], system.covers[local].T)
        return bears


def rank_of(index: Index, system: System, grants: Ints, intervals: Ints) -> Ints:
    """The rank of what grants say through intervals: by their tiers, or the depths of their anchors (step 6)."""
    if system.combining == "first-applicable":
        return index.grants.tier[grants].astype(np.int64)
    if system.combining == "nearest":
        return -index.intervals.anchor[intervals].astype(np.int64)
    return np.zeros(len(grants), dtype=np.int64)


def permit_wins(system: System, permitted: Bools, denied: Bools) -> Bools:
    """Where permit prevails among permits and denies of one rank (step 6)."""
    return permitted & ~denied if system.combining in ("deny-overrides", "nearest") else permitted


def is_live(index: Index, grants: Ints, moment: int) -> Bools:
    """Which of the grants are live at a moment, in microseconds since 1970 (step 2)."""
    if len(grants) > len(index.grants):
        return ((index.grants.starts <= moment) & (moment < index.grants.ends))[grants]
    return (index.grants.starts[grants] <= moment) & (moment < index.grants.ends[grants])


def counts_itself(index: Index, identities: Ints, moment: int) -> Bools:
    """Which of the identities are principals of their own at a moment (step 1)."""
    holders = index.holders
    return holders.is_active[identities] & (holders.starts[identities] <= moment) & (moment < holders.ends[identities])


def direct_principals(index: Index, asker: int, moment: int) -> Ints:
    """What an identity or an account counts through before groups: itself, its enabled accounts (step 1)."""
    holders, people = index.holders, index.holders.people
    if asker >= people:
        return np.array([asker] if holders.is_enabled[asker - people] else [], dtype=np.int64)
    accounts = holders.accounts_of[asker].astype(np.int64)
    enabled = accounts[holders.is_enabled[accounts - people]]
    itself = np.array([asker])
    return np.concatenate([itself[counts_itself(index, itself, moment)], enabled])


def direct_principals_of_each(index: Index, askers: Ints, moment: int) -> tuple[Ints, Ints]:
    """As `entries_of` for many: the position of the asker, and the holder, those that are themselves first."""
    holders, people = index.holders, index.holders.people
    persons, alone = (askers < people).nonzero()[0], (askers >= people).nonzero()[0]
    themselves = persons[counts_itself(index, askers[persons], moment)]
    owned, account = holders.accounts_of.of(askers[persons])
    enabled = holders.is_enabled[account - people]
    alone = alone[holders.is_enabled[askers[alone] - people]]
    position = np.concatenate([themselves, persons[owned[enabled]], alone])
    return position, np.concatenate([askers[themselves], account[enabled], askers[alone]]).astype(np.int64)


def principals_of(index: Index, asker: int, moment: int) -> Ints:
    """All principals of an identity or an account at a moment, as numbers of holders in order (step 1)."""
    direct = direct_principals(index, asker, moment)
    if not len(direct):
        return direct
    return np.append(reachable(index.holders.edges, direct), index.holders.everyone)


def askers_with(index: Index, some: Ints, moment: int) -> Ints:
    """Who has one of these holders among its principals: identities, then accounts asked on their own, by number."""
    holders = index.holders
    if (some == holders.everyone).any():
        return who_has(index, some, moment).nonzero()[0]
    groups = some[some >= holders.first_group]
    found = union(some[some < holders.first_group], reachable(holders.members, groups))  # only groups have members
    found = found[found < holders.first_group]
    found = found[is_able(holders, found, moment)]
    owners = holders.owner[found[found >= holders.people] - holders.people]
    return union(found, owners[owners >= 0])


def is_able(holders: Holders, some: Ints, moment: int) -> Bools:
    """Which of some identities and accounts are principals of their own at a moment, or enabled (step 1)."""
    is_person = some < holders.people
    person, account = some[is_person], some[~is_person] - holders.people
    found = np.empty(len(some), dtype=bool)
    found[is_person] = holders.is_active[person] & (holders.starts[person] <= moment) & (moment < holders.ends[person])
    found[~is_person] = holders.is_enabled[account]
    return found


def somebody_with(index: Index, holder: int, moment: int) -> int:
    """One of those who have a holder among their principals (else -1), found without all the others."""
    holders, able = index.holders, able_of(index.holders, moment)
    if holder == holders.everyone:
        return int(holders.asker_of[able.argmax()]) if able.any() else -1
    ahead, seen = [holder], {holder}
    while ahead:
        holder = ahead.pop()
        members = holders.members[holder].tolist() if holder >= holders.first_group else [holder]
        for member in members:
            if member < holders.first_group and able[member]:
                return int(holders.asker_of[member])
        fresh = {it for it in members if it >= holders.first_group} - seen
        seen |= fresh
        ahead += sorted(fresh)
    return -1


def who_has(index: Index, some: Ints, moment: int) -> Bools:
    """As `askers_with`, as a boolean vector over identities and then accounts."""
    holders, people = index.holders, index.holders.people
    able = able_of(holders, moment)
    if len(some) and (some == holders.everyone).any():
        found = able.copy()
    else:
        found = spread(holders.members, some, holders.first_group)[: holders.first_group]
        found &= able
    accounts = found[people:].nonzero()[0]
    if len(accounts):
        owners = holders.owner[accounts]
        found[owners[owners >= 0]] = True
    return found


@lru_cache(maxsize=2)
def able_of(holders: Holders, moment: int) -> Bools:
    """Which identities are principals of their own at a moment, and then which accounts are enabled (step 1)."""
    counts = holders.is_active & (holders.starts <= moment) & (moment < holders.ends)
    return np.concatenate([counts, holders.is_enabled])


def counted_as(holders: Holders, moment: int) -> Bools:
    """Which holders somebody has among its principals at a moment (step 1)."""
    able = able_of(holders, moment)
    found = spread(holders.edges, able.nonzero()[0])
    found[holders.everyone] = able.any()
    return found


def permitted_by(index: Index, grants: Ints) -> Iterator[tuple[System, Intervals]]:
    """What the holder of exactly these live grants may do before gates, by system, as intervals of pairs."""
    yield from sorted(_permitted_by(index, grants), key=lambda found: found[0].root)


def _permitted_by(index: Index, grants: Ints) -> Iterator[tuple[System, Intervals]]:
    origin, scoped = index.entitlements.scoped.of(index.grants.entitlement[grants])
    origin_of_scoped, intervals = index.scoped_intervals.of(scoped)
    at, entry = grants[origin[origin_of_scoped]], index.scoped_entry[scoped[origin_of_scoped]]
    first, end = index.intervals.first[intervals].astype(np.int64), index.intervals.end[intervals].astype(np.int64)
    of_system = insertion_points(index.system_roots, first, side="right") - 1
    denies = index.grants.denies[at] | index.entries.denies[entry]
    action = index.entries.action[entry]
    plain = np.array([system.is_plain for system in index.systems_in_order], dtype=bool)[of_system]
    yield from _permitted_plainly(index, action[plain], denies[plain], of_system[plain], first[plain], end[plain])
    for number in distinct(of_system[~plain]).tolist():
        here = of_system == number
        system = index.systems_in_order[number]
        if len(system.actions):
            rank = rank_of(index, system, at[here], intervals[here])
            given = Given(action[here], denies[here], rank)
            yield system, decided(system, given, first[here] - system.root, end[here] - system.root)


def _permitted_plainly(
    index: Index, action: Ints, denies: Bools, of_system: Ints, first: Ints, end: Ints
) -> Iterator[tuple[System, Intervals]]:
    """What is permitted in the systems where permits and denies decide alone, all of them on one line."""
    about = np.where(action == ANY_ACTION, len(index.actions) + of_system, action)
    sides = []
    heeds = np.array([system.combining == "deny-overrides" for system in index.systems_in_order], dtype=bool)
    for says, which in zip(index.said, (~denies, denies & heeds[of_system]), strict=True):
        element, spoken = says.of(about[which])
        row = index.action_rows[spoken]
        sides.append((row + first[which][element], row + end[which][element]))
    begin, stop = without(sides[0], sides[1])
    bounds = insertion_points(begin, index.pair_bases)
    for number, (low, high) in enumerate(itertools.pairwise(bounds.tolist())):
        if low < high:
            base = index.pair_bases[number]
            yield index.systems_in_order[number], (begin[low:high] - base, stop[low:high] - base)


def decided(system: System, given: Given, first: Ints, end: Ints) -> Intervals:
    """What is permitted before gates where each element holds at the places [first, end) from the root on (step 6)."""
    action, element = given.bearing(system).nonzero()
    row = action * (system.size + 1)
    first, end = row + first[element], row + end[element]
    denies, rank = given.denies[element], given.rank[element]
    edges = distinct(np.concatenate([first, end]))
    permitted, undecided = (np.full(max(len(edges) - 1, 0), value) for value in (False, True))
    for best in distinct(rank).tolist():
        permits, denials = (
            held_between(edges, first[which], end[which])
            for which in ((rank == best) & ~denies, (rank == best) & denies)
        )
        permitted |= undecided & permit_wins(system, permits, denials)
        undecided &= ~(permits | denials)
    return intervals_where(permitted, edges)


def behind_closed_gates(index: Index, system: System, permitted: Intervals) -> Intervals:
    """The pairs that a gate holds back, given what is permitted (step 7)."""
    tree, firsts, ends = index.tree, [], []
    for kind, action in system.gates:
        gated = gate_nodes(index, system, kind)
        position = tree.position[gated].astype(np.int64)
        closed = gated[~holds(permitted, action * (system.size + 1) + position - system.root)]
        position = tree.position[closed].astype(np.int64)
        _, end = tree.region_interval(closed, tree.region[closed])
        firsts += [position + 1, tree.regions_below(closed)[0]]
        ends += [end, tree.regions_below(closed)[1]]
    first, end = np.concatenate(firsts) - system.root, np.concatenate(ends) - system.root
    first, end = united(first, end)
    rows = np.arange(len(system.actions))[:, None] * (system.size + 1)
    return (rows + first).ravel(), (rows + end).ravel()


def gate_nodes(index: Index, system: System, kind: str) -> Ints:
    """The nodes of a system that are of a gated type."""
    number = index.type_names.index(kind) if kind in index.type_names else -2
    nodes: Ints = (index.types[system.root : system.end] == number).nonzero()[0] + system.root
    return nodes


def gates_over(index: Index, system: System, node: int) -> Iterator[tuple[int, int]]:
    """Each gate on the way to a node: the gated node, and the position of the action that opens it (step 7)."""
    for kind, action in system.gates:
        yield from ((above, action) for above in index.tree.path(node)[:-1] if index.type_of(above) == kind)
