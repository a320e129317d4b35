"""Who holds what at a moment, and how permits and denies combine (meaning of reach, "Deciding", steps 1, 2, 5-7).

What applies is put in ranks, best first: the lowest tier for first-applicable, the deepest anchor for nearest, all in
one rank otherwise. The first rank in which anything applies decides; within it permit or deny wins, by the way.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from kathodos.access.arrays import Bools, Ints, spread
from kathodos.access.index import ANY_ACTION, Index, System
from kathodos.access.spans import REGION_ORDER, TREE_ORDER
from kathodos.access.tree import covered


@dataclass(frozen=True)
class Given:
    """Permits and denies, one element each: where they apply or whose they are is told by whoever made them.

    `action` is a number of the index's actions or ANY_ACTION; `rank` is lower for what decides first.
    """

    action: Ints
    denies: Bools
    rank: Ints

    def bears_on(self, system: System, action: int) -> Bools:
        """Which elements speak about the action at this position in the system's actions (step 5)."""
        bears: Bools = self.bearing(system)[action]
        return bears

    def bearing(self, system: System) -> Bools:
        """Which elements speak about each of the system's actions: (actions, elements)."""
        is_any = self.action == ANY_ACTION
        local = np.where(is_any, 0, self.action - (system.actions[0] if len(system.actions) else 0))
        bears: Bools = is_any | np.where(self.denies, system.covers[:, local], system.covers[local].T)
        return bears


def rank_of(system: System, tier: Ints, anchor: Ints) -> Ints:
    """The rank of permits and denies with these tiers and anchor depths (step 6)."""
    if system.combining == "first-applicable":
        return tier
    return -anchor if system.combining == "nearest" else np.zeros_like(anchor)


def permit_wins(system: System, permitted: Bools, denied: Bools) -> Bools:
    """Where permit prevails among permits and denies of one rank (step 6)."""
    return permitted & ~denied if system.combining in ("deny-overrides", "nearest") else permitted


def is_live(index: Index, at: int) -> Bools:
    """Which grants are live at a moment, in microseconds since 1970 (step 2)."""
    return (index.grants.starts <= at) & (at < index.grants.ends)


def counts_itself(index: Index, at: int) -> Bools:
    """Which identities are principals of their own at a moment (step 1)."""
    holders = index.holders
    return holders.is_active & (holders.starts <= at) & (at < holders.ends)


def entries_of(index: Index, asker: int, at: int) -> Ints:
    """What an identity or an account counts through before groups: itself, its enabled accounts (step 1)."""
    holders, people = index.holders, len(index.holders.identities)
    if asker >= people:
        return np.array([asker] if holders.is_enabled[asker - people] else [], dtype=np.int64)
    accounts = holders.accounts_of[asker]
    enabled = accounts[holders.is_enabled[accounts - people]]
    return np.concatenate([[asker], enabled]).astype(np.int64) if counts_itself(index, at)[asker] else enabled


def principals_of(index: Index, asker: int, at: int) -> Bools:
    """All principals of an identity or an account at a moment, as a boolean vector over holders (step 1)."""
    entries = entries_of(index, asker, at)
    found = spread(index.holders.edges, entries, index.holders.size)
    found[index.holders.everyone] = len(entries) > 0
    return found


def askers_with(index: Index, holding: Bools, at: int) -> Bools:
    """Who has one of these holders among its principals, over identities and then accounts asked on their own."""
    holders = index.holders
    reached = spread(holders.members, holding.nonzero()[0], holders.size)
    people, end = len(holders.identities), len(holders.identities) + len(holders.accounts)
    is_all = bool(holding[holders.everyone])
    accounts = (reached[people:end] | is_all) & holders.is_enabled
    identities = (reached[:people] | is_all) & counts_itself(index, at)
    owned = (holders.owner >= 0) & accounts
    identities[holders.owner[owned]] = True
    return np.concatenate([identities, accounts])


def permitted_by(index: Index, grants: Ints) -> Iterator[tuple[System, Bools]]:
    """What the holder of exactly these live grants may do before gates: (actions, nodes of the system) by system."""
    origin, rules = index.bundle_rules.of(index.grants.bundle[grants])
    origin_of_rule, spans = index.rule_spans.of(rules)
    at, line = grants[origin[origin_of_rule]], index.rule_line[rules[origin_of_rule]]
    of_system = index.span_system[spans]
    for number in np.unique(of_system).tolist():
        here = of_system == number
        system = index.systems_in_order[number]
        if len(system.actions):
            yield system, _permitted_in(index, system, at[here], line[here], spans[here])


def _permitted_in(index: Index, system: System, grants: Ints, line: Ints, spans: Ints) -> Bools:
    """What these spans, each of a grant and a line, permit in one system: (actions, nodes of the system)."""
    rank = rank_of(system, index.grants.tier[grants], index.spans.anchor[spans])
    given = Given(index.line_action[line], index.grants.denies[grants] | index.line_denies[line], rank)
    bears, order = given.bearing(system), index.spans.order[spans]
    first, end = index.spans.first[spans] - system.root, index.spans.end[spans] - system.root
    place = index.tree.place[system.root : system.end] - system.root
    result = np.zeros((len(system.actions), system.end - system.root), dtype=bool)
    undecided = np.ones_like(result)
    for best in np.unique(rank):
        permits, denials = (
            _held(bears[:, which], order[which], first[which], end[which], place)
            for which in ((rank == best) & ~given.denies, (rank == best) & given.denies)
        )
        result |= undecided & permit_wins(system, permits, denials)
        undecided &= ~(permits | denials)
    return result


def _held(bears: Bools, order: Ints, first: Ints, end: Ints, place: Ints) -> Bools:
    """Which (action, node of the system) lie in one of the spans that bear on the action, given from the root on."""
    size = len(place)
    held = np.zeros((len(bears), size), dtype=bool)
    if not len(order):
        return held
    for kind in (TREE_ORDER, REGION_ORDER):
        action, span = (bears & (order == kind)).nonzero()
        if len(span):
            row = action * (size + 1)
            within = covered(row + first[span], row + end[span], len(bears) * (size + 1))
            within = within.reshape(len(bears), size + 1)[:, :size]
            held |= within if kind == TREE_ORDER else within[:, place]
    return held


def passes_gates(index: Index, system: System, permitted: Bools) -> Bools:
    """Which nodes of a system every gate lets through, given what is permitted (step 7)."""
    passes = np.ones(permitted.shape[1], dtype=bool)
    for kind, action in system.gates:
        gated = gate_nodes(index, system, kind)
        closed = gated[~permitted[action, gated - system.root]]
        passes &= ~covered(closed + 1 - system.root, index.tree.end[closed] - system.root, len(passes))
    return passes


def gate_nodes(index: Index, system: System, kind: str) -> Ints:
    """The nodes of a system that are of a gated type."""
    return np.array([node for node in range(system.root, system.end) if index.types[node] == kind], dtype=np.int64)
