"""Fences and needs checked: who reaches what it never should, who lacks what it must have, and what machines hold."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import cached_property

import msgspec
import numpy as np

from kathodos.analysis.basis import Basis
from kathodos.columns.csr import Bools, Ints, distinct, ints, joined
from kathodos.engine.compiled.index import Index
from kathodos.engine.decide import who_has
from kathodos.engine.explain import Chain, Explanation, explain
from kathodos.engine.reach import (
    grants_of,
    one_per_answer,
    what_grants_give,
    what_reached_by,
    who_reaches,
    who_reaches_any,
)
from kathodos.rules.reading import Fence, Need, Permission
from kathodos.rules.targets import PermissionTargets, meant


class Crossing(msgspec.Struct, frozen=True, eq=False, dict=True):
    """An identity, or an account of nobody, that reaches what a fence keeps it from.

    `permission` is crossed, by one action, somewhere `within` the nodes that it is about.
    """

    basis: Basis
    fence: Fence
    asker: int
    permission: Permission
    action: int
    within: Ints

    @cached_property
    def nodes(self) -> Ints:
        """The nodes on which it is crossed."""
        for reached in what_reached_by(self.basis.index, self.asker, self.basis.moment):
            system = reached.system
            if system.root <= int(self.within[0]) < system.end:
                found: Ints = self.within[reached.may[self.action - int(system.actions[0]), self.within - system.root]]
                return found
        return self.within[:0]

    def chains(self) -> list[Chain]:
        """The chains to one node after another, each chain's grant and permission told once."""
        index, moment = self.basis.index, self.basis.moment
        found: dict[object, Chain] = {}
        for node in one_per_answer(index, self.nodes):
            for chain in explain(index, self.asker, node, self.action, moment).permits.shown:
                found.setdefault((chain.grant, chain.entry, chain.holders), chain)
        return list(found.values())


class Lack(msgspec.Struct, frozen=True):
    """An identity, or an account of nobody, that lacks what a need says it must have.

    `permission` on one action, and the nodes on which it is missing; of a need's `any`, none of which is there, the
    first, and in `others` the rest.
    """

    need: Need
    asker: int
    permission: Permission
    action: int
    nodes: Ints
    others: tuple[Permission, ...] = ()

    def why(self, basis: Basis) -> Explanation:
        """Why the first of them is not reached, with the permission that would give it."""
        return explain(basis.index, self.asker, int(self.nodes[0]), self.action, basis.moment)


def crossings(basis: Basis, fences: Sequence[Fence]) -> list[Crossing]:
    """Everyone who is on the wrong side of a fence, by fence and asker; of each action only what implies no other.

    Whoever may edit may view as well: where a fence forbids both, the widest action that is reached is told.
    """
    targets = PermissionTargets(basis)
    found: list[Crossing] = []
    for fence in fences:
        who = meant(basis, fence)
        for permission in fence.never:
            actions, nodes = targets.of_permission(permission)
            reaching = {action: who_reaches_any(basis.index, nodes, action, basis.moment) & who for action in actions}
            for action, mask in reaching.items():
                for asker in (mask & ~_told_by_wider(basis.index, action, reaching)).nonzero()[0].tolist():
                    found.append(Crossing(basis, fence, asker, permission, action, nodes))
    return sorted(found, key=lambda it: (it.fence.id, it.asker))


def crossing(targets: PermissionTargets, fences: Sequence[Fence]) -> list[tuple[Fence, Bools]]:
    """Each fence, and which identities and accounts of nobody are across it."""
    basis, found = targets.basis, []
    for fence in fences:
        across = np.zeros(basis.size, dtype=bool)
        for permission in fence.never:
            actions, nodes = targets.of_permission(permission)
            for action in actions if len(nodes) else ():
                across |= who_reaches_any(basis.index, nodes, action, basis.moment)
        found.append((fence, across & meant(basis, fence)))
    return found


def crossed_by(basis: Basis, fences: Sequence[Fence], asker: int) -> set[str]:
    """The ids of the fences on whose wrong side one is."""
    index, targets = basis.index, PermissionTargets(basis)
    reached = {it.system.name: it for it in what_reached_by(index, asker, basis.moment)}
    found = set()
    for fence in fences:
        for permission in fence.never if meant(basis, fence)[asker] else ():
            actions, nodes = targets.of_permission(permission)
            there = reached.get(permission.pattern.system)
            if there is not None and len(actions) and len(nodes):
                local = ints(actions) - int(there.system.actions[0])
                if there.may[np.ix_(local, nodes - there.system.root)].any():
                    found.add(fence.id)
    return found


def _told_by_wider(index: Index, action: int, reaching: dict[int, Bools]) -> Bools:
    """Who reaches another of the actions that implies this one."""
    widest: Bools = np.zeros(len(reaching[action]), dtype=bool)
    system = index.systems[index.actions[action][0]]
    first = int(system.actions[0])
    for other, mask in reaching.items():
        if other != action and system.covers[other - first, action - first]:
            widest |= mask if not system.covers[action - first, other - first] or other < action else False
    return widest


def lacks(basis: Basis, needs: Sequence[Need]) -> list[Lack]:
    """Everyone who lacks what it needs, by need and asker: on each resource that the need's permission names.

    Who is not there (left, suspended, not begun, disabled) needs nothing.
    """
    targets = PermissionTargets(basis)
    found: list[Lack] = []
    for need in needs:
        who = meant(basis, need) & basis.can_act
        found += _none_of(basis, targets, need, who)
        for permission in need.must:
            wanted = basis.index.tree.matches(permission.pattern.target)
            missing: dict[tuple[int, int], list[int]] = {}
            for action in targets.of_permission(permission)[0]:
                for node in wanted.tolist():
                    without = who & ~who_reaches(basis.index, node, action, basis.moment)
                    for asker in without.nonzero()[0].tolist():
                        missing.setdefault((asker, action), []).append(node)
            found += [Lack(need, who_, permission, action, ints(some)) for (who_, action), some in missing.items()]
    return sorted(found, key=lambda it: (it.need.id, it.asker))


def _none_of(basis: Basis, targets: PermissionTargets, need: Need, who: Bools) -> Iterator[Lack]:
    """Who reaches none of the permissions of which a need asks for one."""
    cells = [(it, action, nodes) for it in need.any for action, nodes in _cells(targets, it)]
    without = who.copy() if cells else np.zeros(len(who), dtype=bool)
    for _, action, nodes in cells:
        without &= ~who_reaches_any(basis.index, nodes, action, basis.moment)
    for asker in without.nonzero()[0].tolist():
        first, action, nodes = cells[0]
        yield Lack(need, asker, first, action, nodes[:1], tuple(it for it in need.any if it is not first))


def _cells(targets: PermissionTargets, permission: Permission) -> Iterator[tuple[int, Ints]]:
    """Each action of a permission with the nodes that it is about; nothing where there is none."""
    actions, nodes = targets.of_permission(permission)
    yield from ((action, nodes) for action in actions if len(nodes))


def idle_rules(basis: Basis, rules: Sequence[Fence | Need]) -> Iterator[tuple[Fence | Need, Permission]]:
    """The permissions of rules that no action or no resource answers to, so that they cannot be checked."""
    targets = PermissionTargets(basis)
    for rule in rules:
        for permission in rule.never if isinstance(rule, Fence) else rule.permissions:
            actions, nodes = targets.of_permission(permission)
            if not actions or not len(nodes):
                yield rule, permission


class Surplus(msgspec.Struct, frozen=True):
    """What a service or an agent reaches in one system outside all of its needs, in pairs of action and resource.

    `unused`: how many of them no use is known of, where uses of the system are recorded; `actions`: the numbers of the
    actions among them; `grants`: what gives some of it.
    """

    identity: int
    system: str
    pairs: int
    unused: int
    actions: Ints
    resources: int
    grants: Ints
    is_recorded: bool

    @property
    def use_in_words(self) -> str:
        """How much of it was used, as far as that is recorded."""
        if not self.is_recorded:
            return f"what is used in {self.system} is not recorded"
        if self.unused == self.pairs:
            return "none of it was ever used"
        return f"{self.unused:,} of {self.pairs:,} combinations of action and resource were never used"


def surpluses(basis: Basis, needs: Sequence[Need]) -> list[Surplus]:
    """What each service and agent of which a need speaks holds beyond its needs, by identity and system.

    What it reaches only as everyone does is not counted.
    """
    masks = [(need, meant(basis, need)) for need in needs]
    spoken = np.logical_or.reduce([np.zeros(basis.size, dtype=bool), *(mask for _, mask in masks)])
    machines = (~basis.is_person & basis.is_there & spoken[: basis.people]).nonzero()[0]
    return [
        surplus
        for identity in machines.tolist()
        for surplus in _surplus(basis, identity, [need for need, mask in masks if mask[identity]])
    ]


def without_stated_need(basis: Basis, needs: Sequence[Need]) -> Ints:
    """The services and agents that were given something, and not only as everyone is, and of which no need speaks."""
    index, given = basis.index, basis.live & ~basis.index.grants.denies
    given &= index.grants.holder != index.holders.everyone
    found = who_has(index, distinct(index.grants.holder[given]).astype(np.int64), basis.moment)[: basis.people]
    found &= ~basis.is_person & basis.is_there
    for need in needs:
        found &= ~meant(basis, need)[: basis.people]
    machines: Ints = found.nonzero()[0]
    return machines


def given_to(basis: Basis, identity: int) -> Ints:
    """The grants that permit something to one identity, but for those of everyone."""
    grants, of = grants_of(basis.index, identity, basis.moment), basis.index.grants
    kept: Ints = grants[~of.denies[grants] & (of.holder[grants] != basis.index.holders.everyone)]
    return kept


def _surplus(basis: Basis, identity: int, needs: Sequence[Need]) -> Iterator[Surplus]:
    index, targets, uses = basis.index, PermissionTargets(basis), basis.uses
    mine = uses.by_user[identity]
    grants = grants_of(index, identity, basis.moment)
    everything = {reached.system.name: reached for reached in what_grants_give(index, grants)}
    grants = grants[(index.grants.holder[grants] != index.holders.everyone) | index.grants.denies[grants]]
    for reached in (it for it in what_grants_give(index, grants) if it.system.name in everything):
        system = reached.system
        beyond = reached.may & everything[system.name].may
        for permission in (it for need in needs for it in need.permissions if it.pattern.system == system.name):
            actions, nodes = targets.of_permission(permission)
            for action in actions:
                implied = system.covers[action - int(system.actions[0])].nonzero()[0]
                beyond[np.ix_(implied, nodes - system.root)] = False
        if beyond.any():
            here = mine[(system.root <= uses.node[mine]) & (uses.node[mine] < system.end)]
            unused = beyond.copy()
            unused[uses.action[here] - int(system.actions[0]), uses.node[here] - system.root] = False
            yield Surplus(
                identity,
                system.name,
                int(beyond.sum()),
                int(unused.sum()),
                system.actions[beyond.any(axis=1)].astype(np.int64),
                int(beyond.any(axis=0).sum()),
                _giving(index, grants, system.name, beyond),
                system.name in basis.watched_since,
            )


def _giving(index: Index, grants: Ints, system: str, beyond: Bools) -> Ints:
    """Those of the grants that give some of what lies beyond."""
    found = []
    for grant in grants.tolist():
        for reached in what_grants_give(index, ints([grant])):
            if reached.system.name == system and (reached.may & beyond).any():
                found.append(ints([grant]))
    return joined(found)
