"""Why: the chains that give or block a reach, and for a no what is missing (meaning of reach, "Chains").

These answer one question about one asker, so they work on names and short lists, not on arrays.
"""

from __future__ import annotations

import heapq
import itertools
from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import UTC, datetime
from functools import cached_property

import numpy as np

from kathodos.columns.csr import Ints, among, distinct, ints, reachable
from kathodos.engine.decide import entries_of, gates_over, permit_wins, principals_of
from kathodos.engine.index import ANY_ACTION, Index, Line, System
from kathodos.engine.paths import Ways
from kathodos.engine.reach import what_applies
from kathodos.model.addresses import Pattern, parse_address, parse_pattern
from kathodos.model.kinds import split_gives
from kathodos.model.times import time_text

MOST_CHAINS = 100


@dataclass(frozen=True)
class Chain:
    """One path: identity, account?, group*, then the grant, role*, permission, target node."""

    holders: tuple[str, ...]
    grant: str
    scope: str | None
    roles: tuple[str, ...]
    line: Line
    target: str
    denies: bool

    @property
    def length(self) -> int:
        return len(self.holders) + len(self.roles)


@dataclass(frozen=True)
class Chains:
    """The shortest chains, up to 100, and how many there are in all; at least so many where that is not exact."""

    shown: list[Chain] = field(default_factory=list)
    total: int = 0
    is_exact: bool = True

    @property
    def more(self) -> int:
        """How many there are besides those shown."""
        return self.total - len(self.shown)


@dataclass(frozen=True)
class Obstacle:
    """One reason for a no, and what it is about."""

    kind: str
    text: str
    about: str = ""


@dataclass(frozen=True)
class Explanation:
    """The answer for one asker, action and node. `obstacles` say why not; `nearest` what would give it.

    `gates`: for what is gated, each gated node on the way with the action that opens it and what permits that.
    """

    is_reached: bool
    permits: Chains
    denials: Chains
    obstacles: list[Obstacle]
    nearest: list[str]
    gates: list[tuple[str, str, Chains]]


def explain(index: Index, asker: int, node: int, action: int, at: int) -> Explanation:
    """Whether the asker reaches the action on the node at a moment, by which chains, and why not."""
    system = index.system_of(node)
    local = int(action - system.actions[0])
    asking = _Asking(index, asker, at)
    is_permitted, permits, denials = asking.decided(system, node, local)
    gates, obstacles = [], []
    if is_permitted:
        for above, gate in gates_over(index, system, node):
            is_open, opening, closing = asking.decided(system, above, gate)
            name, address = index.actions[system.actions[gate]][1], index.tree.addresses[above]
            if is_open:
                gates.append((name, address, opening))
            else:
                why = [f"; denied by {chain_text(chain)}" for chain in closing.shown[:1]]
                obstacles.append(Obstacle("gated", f"gated: {name} on {address} is missing{''.join(why)}", address))
    else:
        obstacles += [] if permits.total else list(_near_misses(index, asker, system, node, local, at))
        obstacles += [Obstacle("denied", f"denied by {chain_text(chain)}", chain.grant) for chain in denials.shown]
        obstacles = obstacles or [Obstacle("nothing applies", "nothing that it has been given applies here")]
    nearest = [] if is_permitted else nearest_permissions(index, system, node, local)
    return Explanation(is_permitted and not obstacles, permits, denials, obstacles, nearest, gates)


def chain_text(chain: Chain) -> str:
    """The chain on one line: `identity:p1 > group:directory/x > role:dues/clerk > edit dues:/tariffs/**`."""
    return " > ".join([*chain.holders, *chain.roles, str(chain.line)])


def grants_behind(index: Index, asker: int, node: int, action: int, at: int) -> Ints:
    """The grants of the asker that permit the action on the node."""
    system = index.system_of(node)
    grants, _, given = what_applies(index, system, index.spans.holding(int(index.tree.place[node])), at)
    bears = given.bears_on(system, int(action - system.actions[0])) & ~given.denies
    held = among(index.grants.holder[grants], principals_of(index, asker, at))
    return distinct(grants[bears & held])


class _Asking:
    """One asker at one moment, with the part of the groups that it is in."""

    def __init__(self, index: Index, asker: int, at: int) -> None:
        self.index = index
        self.asker = asker
        self.at = at
        self.entries = entries_of(index, asker, at).tolist()
        self.principals = principals_of(index, asker, at)
        self._holder_ways: dict[int, Ways] = {}
        self._role_ways: dict[tuple[int, int], Ways] = {}

    @cached_property
    def above(self) -> dict[int, list[int]]:
        """For each principal the groups that it is a member of; the asker leads to what it counts through."""
        edges, everyone = self.index.holders.edges, self.index.holders.everyone
        found = {
            principal: edges[principal].tolist() for principal in self.principals.tolist() if principal != everyone
        }
        through = [entry for entry in self.entries if entry != self.asker]
        if self.asker in self.entries:
            return {**found, self.asker: [*found[self.asker], *through, everyone]}
        return {**found, **{entry: [*found[entry], everyone] for entry in through}, self.asker: through}

    def decided(self, system: System, node: int, action: int) -> tuple[bool, Chains, Chains]:
        """Whether it is permitted before gates, with the chains of the rank that decides, else all that apply."""
        index = self.index
        grants, lines, given = what_applies(index, system, index.spans.holding(int(index.tree.place[node])), self.at)
        mine = given.bears_on(system, action) & among(index.grants.holder[grants], self.principals)
        if not mine.any():
            return False, Chains(), Chains()
        best = mine & (given.rank == given.rank[mine].min())
        permits, denials = best & ~given.denies, best & given.denies
        is_permitted = bool(permit_wins(system, np.array([permits.any()]), np.array([denials.any()]))[0])
        deepest = -int(given.rank[best][0]) if system.combining == "nearest" else None
        denying = self.chains(node, grants[denials], lines[denials], deepest)
        if is_permitted:
            return True, self.chains(node, grants[permits], lines[permits], deepest), denying
        permits = mine & ~given.denies
        return False, self.chains(node, grants[permits], lines[permits], None), denying

    def chains(self, node: int, grants: Ints, lines: Ints, anchor: int | None) -> Chains:
        """The chains that lead through these grants, each with a line, to the node; only those with an anchor."""
        parts, total, is_exact = [], 0, True
        for grant, line in sorted(set(zip(grants.tolist(), lines.tolist(), strict=True))):
            targets = targets_over(self.index, self.index.lines[line], node)
            if anchor is not None and self.index.scope_held(grant).anchor(self.index.tree, node) < anchor:
                targets = [target for target in targets if self.index.tree.depth[target] == anchor]
            to_holder = self.holder_ways(int(self.index.grants.holder[grant]))
            to_line = self.role_ways(grant, line)
            counts = [ways.count() if ways else (1, True) for ways in (to_holder, *to_line)]
            total += len(targets) * counts[0][0] * sum(count for count, _ in counts[1:])
            is_exact &= all(exact for _, exact in counts)
            parts.append(self._some(grant, line, to_holder, to_line, targets))
        ordered = heapq.nsmallest(
            MOST_CHAINS, itertools.chain.from_iterable(parts), key=lambda chain: (chain.length, chain.grant)
        )
        return Chains(ordered, total, is_exact)

    def _some(
        self, grant: int, line: int, to_holder: Ways, to_line: list[Ways | None], targets: list[int]
    ) -> Iterator[Chain]:
        """The shortest chains through one grant and line."""
        holders = to_holder.shortest(MOST_CHAINS)
        roles = [way for ways in to_line for way in (ways.shortest(MOST_CHAINS) if ways else [()])]
        pairs = heapq.nsmallest(MOST_CHAINS, itertools.product(holders, roles), key=lambda it: len(it[0]) + len(it[1]))
        for (holder_way, role_way), target in itertools.product(pairs, targets):
            yield self._chain(grant, line, holder_way, role_way, target)

    def _chain(self, grant: int, line: int, holders: tuple[int, ...], roles: tuple[int, ...], target: int) -> Chain:
        index, carried = self.index, self.index.lines[line]
        denies = bool(index.grants.denies[grant]) or carried.denies
        return Chain(
            holders=tuple(index.holders.references[holder] for holder in holders),
            grant=index.grants.ids[grant],
            scope=index.scope(grant),
            roles=tuple(f"role:{index.roles[role]}" for role in roles),
            line=Line(carried.action, carried.pattern, denies),
            target=index.tree.addresses[target],
            denies=denies,
        )

    def holder_ways(self, holder: int) -> Ways:
        """The ways from the asker through its accounts and groups to a holder."""
        if holder not in self._holder_ways:
            self._holder_ways[holder] = Ways(self.above, self.asker, holder)
        return self._holder_ways[holder]

    def role_ways(self, grant: int, line: int) -> list[Ways | None]:
        """The ways from the granted role through juniors to one that carries the line; None: no role in between."""
        role = self.index.role_of(grant)
        if role < 0:
            return [None]
        carriers = self.index.line_roles[line].tolist()
        for carrier in carriers:
            if (role, carrier) not in self._role_ways:
                self._role_ways[role, carrier] = Ways(self._juniors(role), role, carrier)
        return [self._role_ways[role, carrier] for carrier in carriers]

    def _juniors(self, role: int) -> dict[int, list[int]]:
        """The active roles at and below a role, each with those directly below it."""
        found: dict[int, list[int]] = {role: []}
        rest = [role]
        for senior in rest:
            found[senior] = [at for at in self.index.juniors[senior].tolist() if self.index.role_is_active[at]]
            for junior in found[senior]:
                if junior not in found:
                    found[junior] = []
                    rest.append(junior)
        return found


def targets_over(index: Index, line: Line, node: int) -> list[int]:
    """The targets on the way to a node from which the line applies to it, before any scope (step 4)."""
    pattern = parse_pattern(line.pattern)
    tree = index.tree
    targets = _on_the_way(index, pattern.target, node)
    if pattern.holds_everything_below or not targets:
        return targets
    inherits = index.systems[pattern.system].inherits
    return [top for top in targets if top == node or (inherits and tree.region[top] == tree.region[node])]


def _on_the_way(index: Index, pattern: Pattern, node: int) -> list[int]:
    address = parse_address(index.tree.addresses[node])
    if address.system != pattern.system:
        return []
    path = index.tree.path(node)
    return [step for depth, step in enumerate(path) if pattern.matches(address.segments[:depth])]


def _near_misses(index: Index, asker: int, system: System, node: int, action: int, at: int) -> Iterator[Obstacle]:
    """What the asker has been given that would permit it, and for each what stands against it."""
    yield from _asker_obstacles(index, asker, at)
    holders = index.holders
    owned = holders.accounts_of[asker] if asker < holders.people else ints([])
    could_be = reachable(holders.edges, np.concatenate([[asker], owned]).astype(np.int64))
    held = principals_of(index, asker, at)
    grants = np.sort(index.holder_grants.of(np.append(could_be, holders.everyone))[1])
    for grant in grants[~index.grants.denies[grants]].tolist():
        for line, roles in _lines_given(index, grant):
            if _covers(index, system, line, action) and _on_the_way(index, parse_pattern(line.pattern).target, node):
                against = list(_against(index, grant, line, roles, node, at))
                holder = index.grants.holder[grant]
                if not among(np.array([holder]), held)[0]:
                    against.append(f"{holders.references[holder]} does not count now")
                if against:
                    text = f"grant {index.grants.ids[grant]} of {index.gives(grant)}: {'; '.join(against)}"
                    yield Obstacle("withheld", text, index.grants.ids[grant])
                    break


def _asker_obstacles(index: Index, asker: int, at: int) -> Iterator[Obstacle]:
    holders, people = index.holders, index.holders.people
    reference = holders.references[asker]
    if asker >= people:
        if not holders.is_enabled[asker - people]:
            yield Obstacle("not active", f"{reference} is disabled", reference)
    elif not len(entries_of(index, asker, at)):
        why = "is not active"
        if holders.is_active[asker]:
            why = "has not started yet" if at < holders.starts[asker] else "has ended"
        yield Obstacle("not active", f"{reference} {why} and has no enabled account", reference)


def _lines_given(index: Index, grant: int) -> Iterator[tuple[Line, list[int]]]:
    """The permitting lines of a grant whether its roles are active or not, each with the roles on the way to it."""
    role = index.role_of(grant)
    if role < 0:
        action, pattern = split_gives(index.gives(grant))
        if action:
            yield Line(action, pattern, False), []
        return
    ways, seen = [[role]], {role}
    for way in ways:
        yield from ((index.lines[at], way) for at in index.role_lines[way[-1]].tolist() if not index.lines.denies[at])
        fresh = [junior for junior in index.juniors[way[-1]].tolist() if junior not in seen]
        seen.update(fresh)
        ways += [[*way, junior] for junior in fresh]


def _covers(index: Index, system: System, line: Line, action: int) -> bool:
    if line.system != system.name:
        return False
    number = index.action_number.get((system.name, line.action), ANY_ACTION)
    return line.action == "*" or (number >= 0 and bool(system.covers[number - system.actions[0], action]))


def _against(index: Index, grant: int, line: Line, roles: list[int], node: int, at: int) -> Iterator[str]:
    """What keeps one grant's line from applying to a node that a target of it lies above."""
    if at < index.grants.starts[grant]:
        yield f"not before {_when(int(index.grants.starts[grant]))}"
    if at >= index.grants.ends[grant]:
        yield f"ended {_when(int(index.grants.ends[grant]))}"
    for role in roles:
        if not index.role_is_active[role]:
            yield f"role:{index.roles[role]} is not active"
    if not targets_over(index, line, node):
        if not index.systems[line.system].inherits:
            yield f"{line.system} does not inherit from above"
        else:
            yield f"cut off at {index.tree.addresses[index.tree.region[node]]}, which is detached"
    if not index.scope_held(grant).holds(index.tree, node):
        yield f"out of its scope {index.scope(grant)}"


def _when(moment: int) -> str:
    return time_text(datetime.fromtimestamp(moment / 1_000_000, UTC))


def nearest_permissions(index: Index, system: System, node: int, action: int, most: int = 3) -> list[str]:
    """The narrowest permissions that would give it, with the roles that carry them."""
    found = []
    for at in _lines_over(index, node):
        line = index.lines[at]
        targets = targets_over(index, line, node)
        if not line.denies and targets and _covers(index, system, line, action):
            roles = [role for role in index.line_roles[at].tolist() if index.role_is_active[role]]
            roles.sort(key=lambda role: (len(index.role_lines[role]), index.roles[role]))
            depth = max(int(index.tree.depth[top]) for top in targets)
            names = ", ".join(f"role:{index.roles[role]}" for role in roles[:2])
            found.append((not roles, -depth, _width(system, line, index), f"{line} in {names}" if names else str(line)))
    return [text for *_, text in sorted(found)[:most]] or [
        f"{index.actions[system.actions[action]][1]} {index.tree.addresses[node]}, which no role carries yet"
    ]


def _width(system: System, line: Line, index: Index) -> int:
    """How many actions of the system a permission of the line's action gives."""
    number = index.action_number.get((system.name, line.action))
    return int(system.covers[number - int(system.actions[0])].sum()) if number is not None else len(system.actions) + 1


def _lines_over(index: Index, node: int) -> list[int]:
    """The lines whose pattern may have a target on the way to a node: looked up by address, the wild ones tried."""
    patterns = set(index.lines.wild.tolist())
    for above in index.tree.path(node):
        address = parse_address(index.tree.addresses[above])
        deep = Pattern(address.system, (*address.segments, "**"))
        patterns |= {index.lines.patterns.find(str(pattern)) for pattern in (address, deep)}
    found = [index.lines.of_pattern[pattern].tolist() for pattern in sorted(patterns) if pattern >= 0]
    return list(itertools.chain.from_iterable(found))
