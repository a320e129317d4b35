"""Why: the chains that give or block a reach, and for a no what is missing (meaning of reach, "Chains").

These answer one question about one asker, so they work on names and short lists, not on arrays.
"""

from __future__ import annotations

import heapq
import itertools
from collections.abc import Iterator
from datetime import UTC, datetime
from functools import cached_property

import msgspec
import numpy as np

from kathodos.columns.csr import Ints, among, ints, reachable
from kathodos.engine.compiled.index import ANY_ACTION, AccessEntry, Index, System
from kathodos.engine.decide import direct_principals, gates_over, permit_wins, principals_of
from kathodos.engine.paths import Paths
from kathodos.engine.reach import what_applies
from kathodos.model.addresses import Pattern, parse_address, parse_pattern
from kathodos.model.kinds import split_gives
from kathodos.model.references import reference_to
from kathodos.model.times import time_text

MOST_CHAINS = 100


class Chain(msgspec.Struct, frozen=True):
    """One path: identity, account?, group*, then the grant, role*, permission, target node."""

    holders: tuple[str, ...]
    grant: str
    scope: str | None
    roles: tuple[str, ...]
    entry: AccessEntry
    target: str
    denies: bool

    @property
    def length(self) -> int:
        return len(self.holders) + len(self.roles)


class Chains(msgspec.Struct, frozen=True):
    """The shortest chains, up to 100, and how many there are in all; at least so many where that is not exact."""

    shown: list[Chain] = msgspec.field(default_factory=list)
    total: int = 0
    is_exact: bool = True

    @property
    def more(self) -> int:
        """How many there are besides those shown."""
        return self.total - len(self.shown)


class Obstacle(msgspec.Struct, frozen=True):
    """One reason for a no, and what it is about."""

    kind: str
    text: str
    about: str = ""


class Explanation(msgspec.Struct, frozen=True):
    """The answer for one asker, action and node. `obstacles` say why not; `nearest` what would give it.

    `gates`: for what is gated, each gated node on the way with the action that opens it and what permits that.
    """

    is_reached: bool
    permits: Chains
    denials: Chains
    obstacles: list[Obstacle]
    nearest: list[str]
    gates: list[tuple[str, str, Chains]]


def explain(index: Index, asker: int, node: int, action: int, moment: int) -> Explanation:
    """Whether the asker reaches the action on the node at a moment, by which chains, and why not."""
    system = index.system_of(node)
    local = int(action - system.actions[0])
    asking = _Asking(index, asker, moment)
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
        obstacles += [] if permits.total else list(_near_misses(index, asker, system, node, local, moment))
        obstacles += [Obstacle("denied", f"denied by {chain_text(chain)}", chain.grant) for chain in denials.shown]
        obstacles = obstacles or [Obstacle("nothing applies", "nothing that it has been given applies here")]
    nearest = [] if is_permitted else nearest_permissions(index, system, node, local)
    return Explanation(is_permitted and not obstacles, permits, denials, obstacles, nearest, gates)


def chain_text(chain: Chain) -> str:
    """The chain on one line: `identity:p1 > group:directory/x > role:dues/clerk > edit dues:/tariffs/**`."""
    return " > ".join([*chain.holders, *chain.roles, str(chain.entry)])


class _Asking:
    """One asker at one moment, with the part of the groups that it is in."""

    def __init__(self, index: Index, asker: int, moment: int) -> None:
        self.index = index
        self.asker = asker
        self.moment = moment
        self.direct = direct_principals(index, asker, moment).tolist()
        self.principals = principals_of(index, asker, moment)
        self._holder_paths: dict[int, Paths] = {}
        self._role_paths: dict[tuple[int, int], Paths] = {}

    @cached_property
    def above(self) -> dict[int, list[int]]:
        """For each principal the groups that it is a member of; the asker leads to what it counts through."""
        edges, everyone = self.index.holders.edges, self.index.holders.everyone
        found = {
            principal: edges[principal].tolist() for principal in self.principals.tolist() if principal != everyone
        }
        through = [own for own in self.direct if own != self.asker]
        if self.asker in self.direct:
            return {**found, self.asker: [*found[self.asker], *through, everyone]}
        return {**found, **{own: [*found[own], everyone] for own in through}, self.asker: through}

    def decided(self, system: System, node: int, action: int) -> tuple[bool, Chains, Chains]:
        """Whether it is permitted before gates, with the chains of the rank that decides, else all that apply."""
        index = self.index
        grants, entries, given = what_applies(
            index, system, index.intervals.holding(int(index.tree.position[node])), self.moment
        )
        mine = given.bears_on(system, action) & among(index.grants.holder[grants], self.principals)
        if not mine.any():
            return False, Chains(), Chains()
        best = mine & (given.rank == given.rank[mine].min())
        permits, denials = best & ~given.denies, best & given.denies
        is_permitted = bool(permit_wins(system, np.array([permits.any()]), np.array([denials.any()]))[0])
        deepest = -int(given.rank[best][0]) if system.combining == "nearest" else None
        denying = self.chains(node, grants[denials], entries[denials], deepest)
        if is_permitted:
            return True, self.chains(node, grants[permits], entries[permits], deepest), denying
        permits = mine & ~given.denies
        return False, self.chains(node, grants[permits], entries[permits], None), denying

    def chains(self, node: int, grants: Ints, entries: Ints, anchor: int | None) -> Chains:
        """The chains that lead through these grants, each with an entry, to the node; only those with an anchor."""
        parts, total, is_exact = [], 0, True
        for grant, entry in sorted(set(zip(grants.tolist(), entries.tolist(), strict=True))):
            targets = targets_over(self.index, self.index.entries[entry], node)
            if anchor is not None and self.index.scope_held(grant).anchor(self.index.tree, node) < anchor:
                targets = [target for target in targets if self.index.tree.depth[target] == anchor]
            to_holder = self.holder_paths(int(self.index.grants.holder[grant]))
            to_line = self.role_paths(grant, entry)
            counts = [paths.count() if paths else (1, True) for paths in (to_holder, *to_line)]
            total += len(targets) * counts[0][0] * sum(count for count, _ in counts[1:])
            is_exact &= all(exact for _, exact in counts)
            parts.append(self._some(grant, entry, to_holder, to_line, targets))
        ordered = heapq.nsmallest(
            MOST_CHAINS, itertools.chain.from_iterable(parts), key=lambda chain: (chain.length, chain.grant)
        )
        return Chains(ordered, total, is_exact)

    def _some(
        self, grant: int, entry: int, to_holder: Paths, to_line: list[Paths | None], targets: list[int]
    ) -> Iterator[Chain]:
        """The shortest chains through one grant and entry."""
        holders = to_holder.shortest(MOST_CHAINS)
        roles = [path for paths in to_line for path in (paths.shortest(MOST_CHAINS) if paths else [()])]
        pairs = heapq.nsmallest(MOST_CHAINS, itertools.product(holders, roles), key=lambda it: len(it[0]) + len(it[1]))
        for (holder_way, role_way), target in itertools.product(pairs, targets):
            yield self._chain(grant, entry, holder_way, role_way, target)

    def _chain(self, grant: int, entry: int, holders: tuple[int, ...], roles: tuple[int, ...], target: int) -> Chain:
        index, carried = self.index, self.index.entries[entry]
        denies = bool(index.grants.denies[grant]) or carried.denies
        return Chain(
            holders=tuple(index.holders.references[holder] for holder in holders),
            grant=index.grants.ids[grant],
            scope=index.scope(grant),
            roles=tuple(reference_to("role", index.roles[role]) for role in roles),
            entry=AccessEntry(carried.action, carried.pattern, denies),
            target=index.tree.addresses[target],
            denies=denies,
        )

    def holder_paths(self, holder: int) -> Paths:
        """The ways from the asker through its accounts and groups to a holder."""
        if holder not in self._holder_paths:
            self._holder_paths[holder] = Paths(self.above, self.asker, holder)
        return self._holder_paths[holder]

    def role_paths(self, grant: int, entry: int) -> list[Paths | None]:
        """The ways from the granted role through juniors to one that carries the entry; None: no role in between."""
        role = self.index.role_of(grant)
        if role < 0:
            return [None]
        carriers = self.index.entry_roles[entry].tolist()
        for carrier in carriers:
            if (role, carrier) not in self._role_paths:
                self._role_paths[role, carrier] = Paths(self._juniors(role), role, carrier)
        return [self._role_paths[role, carrier] for carrier in carriers]

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


def targets_over(index: Index, entry: AccessEntry, node: int) -> list[int]:
    """The targets on the way to a node from which the entry applies to it, before any scope (step 4)."""
    pattern = parse_pattern(entry.pattern)
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


def _near_misses(index: Index, asker: int, system: System, node: int, action: int, moment: int) -> Iterator[Obstacle]:
    """What the asker has been given that would permit it, and for each what stands against it."""
    yield from _asker_obstacles(index, asker, moment)
    holders = index.holders
    owned = holders.accounts_of[asker] if asker < holders.people else ints([])
    could_be = reachable(holders.edges, np.concatenate([[asker], owned]).astype(np.int64))
    held = principals_of(index, asker, moment)
    grants = np.sort(index.holder_grants.of(np.append(could_be, holders.everyone))[1])
    for grant in grants[~index.grants.denies[grants]].tolist():
        for entry, roles in _lines_given(index, grant):
            if _covers(index, system, entry, action) and _on_the_way(index, parse_pattern(entry.pattern).target, node):
                against = list(_against(index, grant, entry, roles, node, moment))
                holder = index.grants.holder[grant]
                if not among(np.array([holder]), held)[0]:
                    against.append(f"{holders.references[holder]} does not count now")
                if against:
                    text = f"grant {index.grants.ids[grant]} of {index.gives(grant)}: {'; '.join(against)}"
                    yield Obstacle("withheld", text, index.grants.ids[grant])
                    break


def _asker_obstacles(index: Index, asker: int, moment: int) -> Iterator[Obstacle]:
    holders, people = index.holders, index.holders.people
    reference = holders.references[asker]
    if asker >= people:
        if not holders.is_enabled[asker - people]:
            yield Obstacle("not active", f"{reference} is disabled", reference)
    elif not len(direct_principals(index, asker, moment)):
        why = "is not active"
        if holders.is_active[asker]:
            why = "has not started yet" if moment < holders.starts[asker] else "has ended"
        yield Obstacle("not active", f"{reference} {why} and has no enabled account", reference)


def _lines_given(index: Index, grant: int) -> Iterator[tuple[AccessEntry, list[int]]]:
    """The permitting entries of a grant whether its roles are active or not, each with the roles on the way to it."""
    role = index.role_of(grant)
    if role < 0:
        action, pattern = split_gives(index.gives(grant))
        if action:
            yield AccessEntry(action, pattern, False), []
        return
    paths, seen = [[role]], {role}
    for path in paths:
        yield from (
            (index.entries[at], path) for at in index.role_entries[path[-1]].tolist() if not index.entries.denies[at]
        )
        fresh = [junior for junior in index.juniors[path[-1]].tolist() if junior not in seen]
        seen.update(fresh)
        paths += [[*path, junior] for junior in fresh]


def _covers(index: Index, system: System, entry: AccessEntry, action: int) -> bool:
    if entry.system != system.name:
        return False
    number = index.action_number.get((system.name, entry.action), ANY_ACTION)
    return entry.action == "*" or (number >= 0 and bool(system.covers[number - system.actions[0], action]))


def _against(index: Index, grant: int, entry: AccessEntry, roles: list[int], node: int, moment: int) -> Iterator[str]:
    """What keeps one grant's entry from applying to a node that a target of it lies above."""
    if moment < index.grants.starts[grant]:
        yield f"not before {_when(int(index.grants.starts[grant]))}"
    if moment >= index.grants.ends[grant]:
        yield f"ended {_when(int(index.grants.ends[grant]))}"
    for role in roles:
        if not index.role_is_active[role]:
            yield f"role:{index.roles[role]} is not active"
    if not targets_over(index, entry, node):
        if not index.systems[entry.system].inherits:
            yield f"{entry.system} does not inherit from above"
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
        entry = index.entries[at]
        targets = targets_over(index, entry, node)
        if not entry.denies and targets and _covers(index, system, entry, action):
            roles = [role for role in index.entry_roles[at].tolist() if index.role_is_active[role]]
            roles.sort(key=lambda role: (len(index.role_entries[role]), index.roles[role]))
            depth = max(int(index.tree.depth[top]) for top in targets)
            names = ", ".join(reference_to("role", index.roles[role]) for role in roles[:2])
            found.append(
                (not roles, -depth, _width(system, entry, index), f"{entry} in {names}" if names else str(entry))
            )
    return [text for *_, text in sorted(found)[:most]] or [
        f"{index.actions[system.actions[action]][1]} {index.tree.addresses[node]}, which no role carries yet"
    ]


def roles_permitting(index: Index, node: int, action: int, most: int) -> list[int]:
    """The roles that are active and carry a permission for an action on a node, those with the fewest entries first."""
    system, found = index.system_of(node), set[int]()
    of_system = action - int(system.actions[0])
    for at in _lines_over(index, node):
        entry = index.entries[at]
        if not entry.denies and _covers(index, system, entry, of_system) and targets_over(index, entry, node):
            found |= {role for role in index.entry_roles[at].tolist() if index.role_is_active[role]}
    return sorted(found, key=lambda role: (len(index.role_entries[role]), index.roles[role]))[:most]


def _width(system: System, entry: AccessEntry, index: Index) -> int:
    """How many actions of the system a permission of the entry's action gives."""
    number = index.action_number.get((system.name, entry.action))
    return int(system.covers[number - int(system.actions[0])].sum()) if number is not None else len(system.actions) + 1


def _lines_over(index: Index, node: int) -> list[int]:
    """The entries whose pattern may have a target on the way to a node: looked up by address, the wild ones tried."""
    patterns = set(index.entries.wild.tolist())
    for above in index.tree.path(node):
        address = parse_address(index.tree.addresses[above])
        deep = Pattern(address.system, (*address.segments, "**"))
        patterns |= {index.entries.patterns.find(str(pattern)) for pattern in (address, deep)}
    found = [index.entries.of_pattern[pattern].tolist() for pattern in sorted(patterns) if pattern >= 0]
    return list(itertools.chain.from_iterable(found))
