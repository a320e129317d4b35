"""The questions: what does one reach, and who reaches one resource."""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property

import msgspec
import numpy as np

from kathodos.columns.csr import Bools, Ints, among, csr_from_pairs, distinct, joined, stretches
from kathodos.columns.intervals import Intervals, holds, united, without
from kathodos.columns.ordered import insertion_points
from kathodos.engine.compiled.index import ANY_ACTION, Index, System
from kathodos.engine.compiled.scopes import reaching_down
from kathodos.engine.compiled.tree import Tree
from kathodos.engine.decide import (
    Given,
    askers_with,
    behind_closed_gates,
    direct_principals_of_each,
    gates_over,
    is_live,
    permit_wins,
    permitted_by,
    principals_of,
    rank_of,
    who_has,
)


class Reached(msgspec.Struct, frozen=True, dict=True):
    """What one asker reaches in one system, as intervals of pairs that are apart and in order."""

    tree: Tree
    system: System
    pairs: Intervals

    @property
    def count(self) -> int:
        """How many (action, node) are reached."""
        return int((self.pairs[1] - self.pairs[0]).sum())

    @property
    def resources(self) -> int:
        """How many nodes are reached with at least one action."""
        row = self.pairs[0] // (self.system.size + 1) * (self.system.size + 1)
        first, end = united(self.pairs[0] - row, self.pairs[1] - row)
        return int((end - first).sum())

    @cached_property
    def may(self) -> Bools:
        """`may[a, n]` for the system's actions and for its nodes from its root on."""
        stride = self.system.size + 1
        cells = np.zeros(len(self.system.actions) * stride + 1, dtype=np.int8)
        cells[self.pairs[0]] = 1
        cells[self.pairs[1]] = -1
        node_at = np.cumsum(cells[:-1], dtype=np.int8).reshape(len(self.system.actions), stride)
        position = self.tree.position[self.system.root : self.system.end] - self.system.root
        return node_at[:, position] > 0

    def of_action(self, index: Index, action: str | None) -> Intervals:
        """The pairs that have an action of this name (None: all)."""
        if action is None:
            return self.pairs
        names = [index.actions[number][1] for number in self.system.actions]
        stride = self.system.size + 1
        row = names.index(action) * stride if action in names else -stride
        here = (self.pairs[0] >= row) & (self.pairs[0] < row + stride)
        return self.pairs[0][here], self.pairs[1][here]

    def holds(self, action: int, node: int) -> bool:
        """Whether the action at this position in the system's actions is reached on the node."""
        pair = action * (self.system.size + 1) + int(self.tree.position[node]) - self.system.root
        return bool(holds(self.pairs, np.array([pair]))[0])


def what_reached_by(index: Index, asker: int, moment: int) -> list[Reached]:
    """What an identity, or an account on its own, reaches at a moment, by system."""
    return what_grants_give(index, grants_of(index, asker, moment))


def reaches_something_on(index: Index, asker: int, nodes: Ints, moment: int) -> Bools:
    """On which of some nodes, all of one system, an identity, or an account on its own, reaches any action."""
    system = index.system_of(int(nodes[0]))
    for found in what_reached_by(index, asker, moment):
        if found.system is system:
            rows = np.arange(len(system.actions))[:, None] * (system.size + 1)
            pairs = rows + index.tree.position[nodes] - system.root
            on: Bools = np.any(holds(found.pairs, pairs.ravel()).reshape(pairs.shape), axis=0)
            return on
    return np.zeros(len(nodes), dtype=bool)


def what_grants_give(index: Index, grants: Ints) -> list[Reached]:
    """What a holder of exactly these live grants reaches, by system."""
    found = []
    for system, pairs in permitted_by(index, grants):
        if system.gates:
            pairs = without(pairs, behind_closed_gates(index, system, pairs))
        if len(pairs[0]):
            found.append(Reached(index.tree, system, pairs))
    return found


def grants_of(index: Index, asker: int, moment: int) -> Ints:
    """The live grants that a principal of the asker holds, in order."""
    grants = np.sort(index.holder_grants.of(principals_of(index, asker, moment))[1]).astype(np.int64)
    return grants[is_live(index, grants, moment)]


def who_reaches(index: Index, node: int, action: int, moment: int) -> Bools:
    """Who reaches an action (a number of the index's actions) on a node at a moment.

    A boolean vector over identities and then accounts, each asked on its own (`Holders.askers` says who is asked).
    """
    system = index.system_of(node)
    reaching = _permitted_on(index, system, node, int(action - system.actions[0]), moment)
    for above, gate in gates_over(index, system, node):
        reaching &= _permitted_on(index, system, above, gate, moment)
    return reaching


def _permitted_on(index: Index, system: System, node: int, action: int, moment: int) -> Bools:
    """Who is permitted, before gates, the action at this position in the system's actions."""
    grants, _, given = what_applies(index, system, index.intervals.holding(int(index.tree.position[node])), moment)
    return _permitted(index, system, grants, given, given.bears_on(system, action), moment)


def _permitted(index: Index, system: System, grants: Ints, given: Given, bears: Bools, moment: int) -> Bools:
    """Who is permitted by what applies and bears on one action: the first rank in which anything does decides."""
    if not given.denies[bears].any():
        return _holding(index, grants[bears], moment)
    size = index.holders.first_group
    reaching, undecided = np.zeros(size, dtype=bool), np.ones(size, dtype=bool)
    for rank in distinct(given.rank[bears]):
        now = bears & (given.rank == rank)
        permits, denials = (
            _holding(index, grants[which], moment) for which in (now & ~given.denies, now & given.denies)
        )
        reaching |= undecided & permit_wins(system, permits, denials)
        undecided &= ~(permits | denials)
    return reaching


def _holding(index: Index, grants: Ints, moment: int) -> Bools:
    """Who holds one of the grants, over identities and then accounts."""
    if not len(grants):
        return np.zeros(index.holders.first_group, dtype=bool)
    return who_has(index, distinct(index.grants.holder[grants]), moment)


def what_applies(index: Index, system: System, intervals: Ints, moment: int) -> tuple[Ints, Ints, Given]:
    """The live grants that speak through these intervals, with entry and anchor, and what they say (steps 2-4)."""
    scoped = index.intervals.scoped[intervals]
    of_scoped, entitlements = index.scoped_entitlements.of(scoped)
    of_entitlement, grants = index.entitlement_grants.of(entitlements)
    which = of_scoped[of_entitlement]
    live = is_live(index, grants, moment)
    grants, which = grants[live].astype(np.int64), which[live]
    entry = index.scoped_entry[scoped[which]]
    denies = index.grants.denies[grants] | index.entries.denies[entry]
    rank = rank_of(index, system, grants, intervals[which])
    return grants, entry, Given(index.entries.action[entry], denies, rank)


def who_reaches_any(index: Index, nodes: Ints, action: int, moment: int) -> Bools:
    """Who reaches the action on at least one of the nodes, all of one system; over identities and then accounts.

    On nodes about which only permits speak, every permit prevails, so these are answered at once. Of the others, those
    about which exactly the same is said are answered once.
    """
    if not len(nodes):
        return np.zeros(index.holders.first_group, dtype=bool)
    system = index.system_of(int(nodes[0]))
    local = int(action - system.actions[0])
    if system.gates:
        return _any_of(index, (who_reaches(index, node, action, moment) for node in one_per_answer(index, nodes)))
    positions = np.sort(index.tree.position[nodes]).astype(np.int64)
    intervals = _speaking(index, system, index.speaking_of(positions), local)
    grants, _, given = what_applies(index, system, intervals, moment)
    bears = given.bears_on(system, local)
    if not (given.denies & bears).any():
        return _holding(index, grants[bears], moment)
    denying = intervals[_may_deny(index, system, intervals, local)]
    denied = united(index.intervals.first[denying], index.intervals.end[denying])
    disputed = holds(denied, positions)
    segments = _one_per_segment(index, positions[disputed], intervals)
    if system.combining == "deny-overrides":
        found = _permitted_somewhere(index, system, segments, local, moment)
    else:
        nodes = index.tree.node_at[segments]
        found = _any_of(index, (_permitted_on(index, system, node, local, moment) for node in nodes.tolist()))
    if not disputed.all():
        others = _speaking(index, system, index.speaking_of(positions[~disputed]), local)
        grants, _, given = what_applies(index, system, others, moment)
        found |= _holding(index, grants[given.bears_on(system, local) & ~given.denies], moment)
    return found


def _speaking(index: Index, system: System, intervals: Ints, action: int) -> Ints:
    """Those intervals whose entries may permit or deny an action, at this position in the system's actions."""
    named = index.entries.action[index.scoped_entry[index.intervals.scoped[intervals]]]
    is_any = named == ANY_ACTION
    local = np.where(is_any, 0, named - (system.actions[0] if len(system.actions) else 0))
    spoken: Ints = intervals[is_any | system.covers[action, local] | system.covers[local, action]]
    return spoken


def _any_of(index: Index, parts: Iterator[Bools]) -> Bools:
    """Who is in one of the parts; the first of them is changed."""
    found = next(parts, None)
    if found is None:
        return np.zeros(index.holders.first_group, dtype=bool)
    for part in parts:
        found |= part
    return found


def who_reaches_something(index: Index, nodes: Ints, moment: int) -> Bools:
    """Who reaches any action on at least one of the nodes, all of one system; over identities and then accounts.

    Where no ranks decide, whoever reaches an action reaches what it implies, so that only the lowest actions are asked.
    """
    system = index.system_of(int(nodes[0]))
    proper = system.covers & ~system.covers.T
    lowest = ~proper.any(axis=1) if system.combining != "first-applicable" else np.ones(len(system.actions), dtype=bool)
    return _any_of(index, (who_reaches_any(index, nodes, action, moment) for action in system.actions[lowest].tolist()))


def _permitted_somewhere(index: Index, system: System, positions: Ints, action: int, moment: int) -> Bools:
    """Who is permitted the action on at least one of these places, in order, of a system where denials prevail.

    Whoever holds a permit and no denial is; whoever holds both is decided place by place, all of them together.
    """
    grants, position, denies = _said_at(index, system, positions, action, moment)
    holder = index.grants.holder[grants].astype(np.int64)
    found, denied = (who_has(index, distinct(holder[which]), moment) for which in (~denies, denies))
    denied &= found
    found ^= denied
    both = denied.nonzero()[0] if len(positions) > 1 else holder[:0]
    if len(both):
        origin, which = _told_to(index, both, holder, moment)
        codes = origin * len(positions) + position[which]
        permits, denials = codes[~denies[which]], distinct(codes[denies[which]])
        found[both[distinct(permits[~among(permits, denials)] // len(positions))]] = True
    return found


def grants_permitting(
    index: Index, askers: Ints, nodes: Ints, action: int, moment: int, wherever: bool = False
) -> tuple[Ints, Ints]:
    """The live grants by which some askers reach an action on one of the nodes, all of one system.

    Gives the position of the asker and the grant, for each grant that an asker holds and that permits the action on a
    node where it reaches it; `wherever`: also where it does not.
    """
    system = index.system_of(int(nodes[0]))
    local = int(action - system.actions[0])
    if not system.is_plain:
        return _grants_permitting_each(index, askers, nodes, action, moment, wherever)
    positions = np.sort(index.tree.position[nodes]).astype(np.int64)
    positions = _one_per_segment(index, positions, index.speaking_of(positions))
    grants, position, denies = _said_at(index, system, positions, local, moment)
    holder = index.grants.holder[grants].astype(np.int64)
    who, which = _told_to(index, askers, holder, moment)
    codes = who * max(len(positions), 1) + position[which]
    kept = ~denies[which]
    if system.combining == "deny-overrides" and not wherever:
        kept &= ~among(codes, distinct(codes[denies[which]]))
    return _distinct_pairs(who[kept], grants[which[kept]], len(index.grants))


def _grants_permitting_each(
    index: Index, askers: Ints, nodes: Ints, action: int, moment: int, wherever: bool
) -> tuple[Ints, Ints]:
    """As `grants_permitting`, node by node: in systems with ranks or gates."""
    positions, found = [], []
    for node in one_per_answer(index, nodes):
        grants = permits_on(index, node, index.actions[action][1], moment)
        holder = index.grants.holder[grants].astype(np.int64)
        reaching = np.ones(len(askers), dtype=bool) if wherever else who_reaches(index, node, action, moment)[askers]
        some = reaching.nonzero()[0]
        who, which = _told_to(index, askers[some], holder, moment)
        positions.append(some[who])
        found.append(grants[which])
    return _distinct_pairs(joined(positions), joined(found), len(index.grants))


def _distinct_pairs(first: Ints, second: Ints, width: int) -> tuple[Ints, Ints]:
    codes = distinct(first.astype(np.int64) * max(width, 1) + second)
    return codes // max(width, 1), codes % max(width, 1)


def _said_at(index: Index, system: System, positions: Ints, action: int, moment: int) -> tuple[Ints, Ints, Bools]:
    """What live grants say about an action at some places: each grant, the position of the place, and if it denies."""
    intervals = _speaking(index, system, index.speaking_of(positions), action)
    first = insertion_points(positions, index.intervals.first[intervals])
    sizes = insertion_points(positions, index.intervals.end[intervals]) - first
    of_scoped, entitlements = index.scoped_entitlements.of(index.intervals.scoped[intervals])
    of_entitlement, grants = index.entitlement_grants.of(entitlements)
    interval = of_scoped[of_entitlement]
    entry = index.scoped_entry[index.intervals.scoped[intervals[interval]]]
    denies = index.grants.denies[grants] | index.entries.denies[entry]
    by_holder = Given(index.entries.action[entry], denies, np.zeros(len(entry), dtype=np.int64))
    kept = (is_live(index, grants, moment) & by_holder.bears_on(system, action)).nonzero()[0]
    which, position = stretches(first[interval[kept]], sizes[interval[kept]])
    return grants[kept[which]].astype(np.int64), position, denies[kept[which]]


def _told_to(index: Index, askers: Ints, holder: Ints, moment: int) -> tuple[Ints, Ints]:
    """What is said to each asker: its position, and the position in `holder`, of those it is said to."""
    holders = distinct(holder)
    who, through = holders_behind(index, askers, holders, moment)
    by_holder = csr_from_pairs(insertion_points(holders, holder), np.arange(len(holder)), len(holders))
    origin, which = by_holder.of(insertion_points(holders, through))
    return who[origin], which


def holders_behind(index: Index, askers: Ints, holders: Ints, moment: int) -> tuple[Ints, Ints]:
    """Which of some holders of grants each asker counts as: the position of the asker, and the holder.

    One may be told more than once, of somebody who counts as it in several ways.
    """
    above, first = index.granted_above, index.holders.first_group
    wanted = np.zeros(index.holders.size, dtype=bool)
    wanted[holders] = True
    kept = wanted[above.items]
    inside = csr_from_pairs(above.rows()[kept], above.items[kept], len(above))
    position, direct = direct_principals_of_each(index, askers, moment)
    themselves = wanted[direct].nonzero()[0]
    origin, group = index.holders.edges.of(direct)
    member, through = inside.of(group.astype(np.int64) - first)
    able = distinct(position) if wanted[index.holders.everyone] else position[:0]
    who = np.concatenate([position[themselves], position[origin[member]], able])
    everyone = np.full(len(able), index.holders.everyone)
    return who, np.concatenate([direct[themselves], through, everyone]).astype(np.int64)


def _may_deny(index: Index, system: System, intervals: Ints, action: int) -> Bools:
    """Which of the intervals any grant could make deny the action."""
    scoped = index.intervals.scoped[intervals]
    entry = index.scoped_entry[scoped]
    of_scoped, entitlements = index.scoped_entitlements.of(scoped)
    of_entitlement, grants = index.entitlement_grants.of(entitlements)
    denies = index.entries.denies[entry]
    denies[of_scoped[of_entitlement[index.grants.denies[grants]]]] = True
    given = Given(index.entries.action[entry], denies, np.zeros(len(entry), dtype=np.int64))
    return denies & given.bears_on(system, action)


def _one_per_segment(index: Index, positions: Ints, intervals: Ints) -> Ints:
    """One of each set of places that exactly the same of these intervals hold."""
    edges = distinct(np.concatenate([index.intervals.first[intervals], index.intervals.end[intervals]]))
    return positions[np.unique(insertion_points(edges, positions, side="right"), return_index=True)[1]]


def one_per_answer(index: Index, nodes: Ints) -> list[int]:
    """One of each set of nodes, all of one system, on which every question has the same answer."""
    if not len(nodes):
        return []
    system = index.system_of(int(nodes[0]))
    positions = np.sort(index.tree.position[nodes]).astype(np.int64)
    if not system.gates:
        kept = _one_per_segment(index, positions, index.speaking_of(positions))
        return [int(node) for node in index.tree.node_at[kept]]
    intervals = index.speaking_of(positions)
    edges = distinct(np.concatenate([index.intervals.first[intervals], index.intervals.end[intervals]]))
    segments = insertion_points(edges, positions, side="right").tolist()
    seen: dict[tuple[int, tuple[int, ...]], int] = {}
    for segment, node in zip(segments, index.tree.node_at[positions].tolist(), strict=True):
        seen.setdefault((segment, tuple(above for above, _ in gates_over(index, system, node))), node)
    return list(seen.values())


def pairs_in(index: Index, found: Reached) -> Iterator[tuple[str, str]]:
    """Every (action, address) that is reached in one system."""
    names = [index.actions[number][1] for number in found.system.actions]
    for action, node in zip(*(positions.tolist() for positions in found.may.nonzero()), strict=True):
        yield names[action], index.tree.addresses[found.system.root + node]


def nodes_in(index: Index, pattern_nodes: Ints, is_deep: bool) -> Ints:
    """The nodes on which a permission with these targets applies when nothing narrows it (step 4)."""
    if not len(pattern_nodes):
        return pattern_nodes
    flags = np.ones(len(pattern_nodes), dtype=bool)
    inherits = index.system_of(int(pattern_nodes[0])).inherits
    intervals = reaching_down(index.tree, pattern_nodes, flags & is_deep, flags & inherits)[1]
    first, end = united(intervals.first.astype(np.int64), intervals.end.astype(np.int64))
    positions = joined([np.arange(begin, stop) for begin, stop in zip(first.tolist(), end.tolist(), strict=True)])
    return np.sort(index.tree.node_at[positions]).astype(np.int64)


def holders_permitting(index: Index, node: int, action: str | None, moment: int) -> dict[int, list[int]]:
    """For each asker the holders through which a permit on the node counts for it (`action` None: any action)."""
    found: dict[int, list[int]] = {}
    for holder in distinct(index.grants.holder[permits_on(index, node, action, moment)]).tolist():
        for asker in askers_with(index, np.array([holder]), moment).tolist():
            found.setdefault(asker, []).append(holder)
    return found


def permits_on(index: Index, node: int, action: str | None, moment: int) -> Ints:
    """The live grants that permit the action (None: any action) on a node, whether or not something denies it."""
    system = index.system_of(node)
    grants, _, given = what_applies(index, system, index.intervals.holding(int(index.tree.position[node])), moment)
    bears = [
        grants[given.bears_on(system, position) & ~given.denies]
        for position, number in enumerate(system.actions.tolist())
        if action in (None, index.actions[number][1])
    ]
    return distinct(joined(bears))
