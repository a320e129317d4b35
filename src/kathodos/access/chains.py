"""Why: the chains that give or block a reach, and for a no what is missing (meaning of reach, "Chains").

These answer one question about one asker, so they work on names and short lists, not on arrays.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime

import numpy as np

from kathodos.access.arrays import Ints, Lists, ints, spread
from kathodos.access.deciding import entries_of, permit_wins, principals_of
from kathodos.access.index import ANY_ACTION, Index, Line, System
from kathodos.access.reach import what_applies
from kathodos.catalogue.addresses import Pattern, parse_pattern
from kathodos.catalogue.kinds import split_gives
from kathodos.catalogue.moments import time_text

MOST_CHAINS = 100
_MOST_STEPS = 20_000


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
class Obstacle:
    """One reason for a no, and what it is about."""

    kind: str
    text: str
    about: str = ""


@dataclass(frozen=True)
class Explanation:
    """The answer for one asker, action and node. `obstacles` say why not; `nearest` what would give it."""

    is_reached: bool
    permits: list[Chain]
    denials: list[Chain]
    obstacles: list[Obstacle]
    nearest: list[str]
    is_cut_short: bool = False


def explain(index: Index, asker: int, node: int, action: int, at: int) -> Explanation:
    """Whether the asker reaches the action on the node at a moment, by which chains, and why not."""
    system = index.system_of(node)
    local = int(action - system.actions[0])
    is_permitted, permits, denials = _decided(index, asker, system, node, local, at)
    if is_permitted:
        obstacles = list(_closed_gates(index, asker, system, node, at))
    else:
        obstacles = [] if permits else list(_near_misses(index, asker, system, node, local, at))
        obstacles += [Obstacle("denied", f"denied by {chain_text(chain)}", chain.grant) for chain in denials]
        obstacles = obstacles or [Obstacle("nothing applies", "nothing that it has been given applies here")]
    is_reached = is_permitted and not obstacles
    nearest = [] if is_reached or is_permitted else nearest_permissions(index, system, node, local)
    shown = [sorted(chains, key=lambda chain: (chain.length, chain.grant)) for chains in (permits, denials)]
    is_cut_short = any(len(chains) > MOST_CHAINS for chains in shown)
    return Explanation(is_reached, shown[0][:MOST_CHAINS], shown[1][:MOST_CHAINS], obstacles, nearest, is_cut_short)


def chain_text(chain: Chain) -> str:
    """The chain on one line: `identity:p1 > group:directory/x > role:dues/clerk > edit dues:/tariffs/**`."""
    return " > ".join([*chain.holders, *chain.roles, str(chain.line)])


def grants_behind(index: Index, asker: int, node: int, action: int, at: int) -> Ints:
    """The grants of the asker that permit the action on the node."""
    system = index.system_of(node)
    grants, _, given = what_applies(index, system, index.spans.holds(index.tree, node), at)
    bears = given.bears_on(system, int(action - system.actions[0])) & ~given.denies
    held = principals_of(index, asker, at)[index.grants.holder[grants]]
    return np.unique(grants[bears & held])


def _decided(
    index: Index, asker: int, system: System, node: int, action: int, at: int
) -> tuple[bool, list[Chain], list[Chain]]:
    """Whether it is permitted before gates, with the chains of the rank that decides, else all that apply."""
    grants, lines, given = what_applies(index, system, index.spans.holds(index.tree, node), at)
    mine = given.bears_on(system, action) & principals_of(index, asker, at)[index.grants.holder[grants]]
    if not mine.any():
        return False, [], []
    best = mine & (given.rank == given.rank[mine].min())
    permits, denials = best & ~given.denies, best & given.denies
    is_permitted = bool(permit_wins(system, np.array([permits.any()]), np.array([denials.any()]))[0])
    if not is_permitted:
        permits = mine & ~given.denies
    giving = _chains(index, asker, node, grants[permits], lines[permits], at)
    return is_permitted, giving, _chains(index, asker, node, grants[denials], lines[denials], at)


def _chains(index: Index, asker: int, node: int, grants: Ints, lines: Ints, at: int) -> list[Chain]:
    entries = entries_of(index, asker, at)
    chains = []
    for grant, line in sorted(set(zip(grants.tolist(), lines.tolist(), strict=True))):
        for target in targets_over(index, index.lines[line], node):
            for holders in _ways_to(index, asker, entries, int(index.grants.holder[grant])):
                for roles in _role_ways(index, grant, line):
                    chains.append(_chain(index, grant, line, holders, roles, target))
                    if len(chains) > MOST_CHAINS:
                        return chains
    return chains


def _chain(index: Index, grant: int, line: int, holders: list[int], roles: list[int], target: int) -> Chain:
    denies = bool(index.grants.denies[grant]) or index.lines[line].denies
    return Chain(
        holders=tuple(index.holders.references[holder] for holder in holders),
        grant=index.grants.ids[grant],
        scope=index.grants.scope[grant],
        roles=tuple(f"role:{index.roles[role]}" for role in roles),
        line=Line(index.lines[line].action, index.lines[line].pattern, denies),
        target=index.tree.addresses[target],
        denies=denies,
    )


def _ways_to(index: Index, asker: int, entries: Ints, holder: int) -> Iterator[list[int]]:
    """The ways from the asker through its entries and groups to a holder, shortest first, none through itself twice."""
    holders = index.holders
    if holder == holders.everyone and asker in entries:
        yield [asker, holder]
        return
    for start in entries.tolist():
        before = [asker] if start != asker else []
        if holder == holders.everyone:
            yield [*before, start, holder]
        else:
            leads_there = spread(holders.members, np.array([holder]), holders.size)
            yield from ([*before, *way] for way in _simple_ways(holders.edges, start, holder, leads_there.tolist()))


def _role_ways(index: Index, grant: int, line: int) -> Iterator[list[int]]:
    """The ways from the granted role through juniors to one that carries the line; without a role one empty way."""
    role = int(index.grants.role[grant])
    if role < 0:
        yield []
        return
    for carrier in index.line_roles[line].tolist():
        leads_there = spread(index.seniors, np.array([carrier]), len(index.roles)) & index.role_is_active
        yield from _simple_ways(index.juniors, role, carrier, leads_there.tolist())


def _simple_ways(edges: Lists, start: int, end: int, allowed: Sequence[bool]) -> Iterator[list[int]]:
    """The ways from start to end that visit no node twice, shortest first."""
    ways = [[start]] if allowed[start] else []
    for steps, way in enumerate(ways):
        if way[-1] == end:
            yield way
        elif steps < _MOST_STEPS:
            ways += [[*way, ahead] for ahead in edges[way[-1]].tolist() if allowed[ahead] and ahead not in way]


def targets_over(index: Index, line: Line, node: int) -> list[int]:
    """The targets on the way to a node from which the line applies to it, before any scope (step 4)."""
    pattern = parse_pattern(line.pattern)
    tree = index.tree
    targets = _on_the_way(index, pattern.target, node)
    if pattern.holds_everything_below:
        return targets
    inherits = index.systems[pattern.system].inherits
    return [top for top in targets if top == node or (inherits and tree.region[top] == tree.region[node])]


def _on_the_way(index: Index, pattern: Pattern, node: int) -> list[int]:
    path = index.tree.path(node)
    segments = [index.tree.segments[step] for step in path[1:]]
    if index.tree.segments[path[0]] != pattern.system:
        return []
    return [step for depth, step in enumerate(path) if pattern.matches(segments[:depth])]


def _closed_gates(index: Index, asker: int, system: System, node: int, at: int) -> Iterator[Obstacle]:
    for kind, gate in system.gates:
        for above in index.tree.path(node)[:-1]:
            if index.types[above] == kind and not _decided(index, asker, system, above, gate, at)[0]:
                action, address = index.actions[system.actions[gate]][1], index.tree.addresses[above]
                yield Obstacle("gated", f"gated: {action} on {address} is missing", address)


def _near_misses(index: Index, asker: int, system: System, node: int, action: int, at: int) -> Iterator[Obstacle]:
    """What the asker has been given that would permit it, and for each what stands against it."""
    yield from _asker_obstacles(index, asker, at)
    people = len(index.holders.identities)
    owned = index.holders.accounts_of[asker] if asker < people else ints([])
    could_be = spread(index.holders.edges, np.concatenate([[asker], owned]).astype(np.int64), index.holders.size)
    could_be[index.holders.everyone] = True
    held = principals_of(index, asker, at)
    for grant in (could_be[index.grants.holder] & ~index.grants.denies).nonzero()[0].tolist():
        for line, roles in _lines_given(index, grant):
            if _covers(index, system, line, action) and _on_the_way(index, parse_pattern(line.pattern).target, node):
                against = list(_against(index, grant, line, roles, node, at))
                if not held[index.grants.holder[grant]]:
                    holder = index.holders.references[index.grants.holder[grant]]
                    against.append(f"{holder} does not count now")
                if against:
                    text = f"grant {index.grants.ids[grant]} of {index.grants.gives[grant]}: {'; '.join(against)}"
                    yield Obstacle("withheld", text, index.grants.ids[grant])
                    break


def _asker_obstacles(index: Index, asker: int, at: int) -> Iterator[Obstacle]:
    holders, people = index.holders, len(index.holders.identities)
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
    role = int(index.grants.role[grant])
    if role < 0:
        action, pattern = split_gives(index.grants.gives[grant])
        if action:
            yield Line(action, pattern, False), []
        return
    ways, seen = [[role]], {role}
    for way in ways:
        yield from ((index.lines[at], way) for at in index.role_lines[way[-1]].tolist() if not index.lines[at].denies)
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
        yield f"not before {_when(index.grants.starts[grant])}"
    if at >= index.grants.ends[grant]:
        yield f"ended {_when(index.grants.ends[grant])}"
    for role in roles:
        if not index.role_is_active[role]:
            yield f"role:{index.roles[role]} is not active"
    if not targets_over(index, line, node):
        if not index.systems[line.system].inherits:
            yield f"{line.system} does not inherit from above"
        else:
            yield f"cut off at {index.tree.addresses[index.tree.region[node]]}, which is detached"
    scope = index.grants.scope[grant]
    if scope is not None and not _scope_holds(index, scope, node):
        yield f"out of its scope {scope}"


def _scope_holds(index: Index, text: str, node: int) -> bool:
    scope, tree = index.scopes[text], index.tree
    if scope.held is not None:
        return bool(scope.held[node])
    top = scope.node
    return top >= 0 and top <= node < tree.end[top] and bool(tree.region[top] == tree.region[node])


def _when(moment: int) -> str:
    return time_text(datetime.fromtimestamp(moment / 1_000_000, UTC))


def nearest_permissions(index: Index, system: System, node: int, action: int, most: int = 3) -> list[str]:
    """The narrowest permissions that would give it, with the roles that carry them."""
    found = []
    for at, line in enumerate(index.lines):
        if not line.denies and _covers(index, system, line, action) and targets_over(index, line, node):
            roles = [role for role in index.line_roles[at].tolist() if index.role_is_active[role]]
            roles.sort(key=lambda role: (len(index.role_lines[role]), index.roles[role]))
            depth = max(int(index.tree.depth[top]) for top in targets_over(index, line, node))
            names = ", ".join(f"role:{index.roles[role]}" for role in roles[:2])
            found.append((not roles, -depth, line.action == "*", f"{line} in {names}" if names else str(line)))
    return [text for *_, text in sorted(found)[:most]] or [
        f"{index.actions[system.actions[action]][1]} {index.tree.addresses[node]}, which no role carries yet"
    ]
