"""The questions: what does one reach, who reaches one resource, and everything that everyone reaches."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from kathodos.access.arrays import Bools, Ints
from kathodos.access.deciding import (
    Given,
    askers_with,
    is_live,
    passes_gates,
    permit_wins,
    permitted_by,
    principals_of,
    rank_of,
)
from kathodos.access.index import Index, System
from kathodos.access.spans import Scope, spans_of


@dataclass(frozen=True)
class Reached:
    """What one asker reaches in one system: `may[a, n]` for its actions and for its nodes from its root on."""

    system: System
    may: Bools


def what_reached_by(index: Index, asker: int, at: int) -> list[Reached]:
    """What an identity, or an account on its own, reaches at a moment: one matrix per system with anything in it."""
    return what_grants_give(index, grants_of(index, asker, at))


def what_grants_give(index: Index, grants: Ints) -> list[Reached]:
    """What a holder of exactly these live grants reaches, by system."""
    found = []
    for system, may in permitted_by(index, grants):
        may &= passes_gates(index, system, may)
        if may.any():
            found.append(Reached(system, may))
    return found


def grants_of(index: Index, asker: int, at: int) -> Ints:
    """The live grants that a principal of the asker holds."""
    held = principals_of(index, asker, at)[index.grants.holder]
    return (held & is_live(index, at)).nonzero()[0]


def who_reaches(index: Index, node: int, action: int, at: int) -> Bools:
    """Who reaches an action (a number of the index's actions) on a node at a moment.

    A boolean vector over identities and then accounts, each asked on its own (`Holders.askers` says who is asked).
    """
    system = index.system_of(node)
    reaching = _permitted_on(index, system, node, int(action - system.actions[0]), at)
    for kind, gate in system.gates:
        for above in index.tree.path(node)[:-1]:
            if index.types[above] == kind:
                reaching &= _permitted_on(index, system, above, gate, at)
    return reaching


def _permitted_on(index: Index, system: System, node: int, action: int, at: int) -> Bools:
    """Who is permitted, before gates, the action at this position in the system's actions."""
    grants, _, given = what_applies(index, system, index.spans.holds(index.tree, node), at)
    return _permitted(index, system, grants, given, given.bears_on(system, action), at)


def _permitted(index: Index, system: System, grants: Ints, given: Given, bears: Bools, at: int) -> Bools:
    """Who is permitted by what applies and bears on one action: the first rank in which anything does decides."""
    size = len(index.holders.identities) + len(index.holders.accounts)
    reaching, undecided = np.zeros(size, dtype=bool), np.ones(size, dtype=bool)
    for rank in np.unique(given.rank[bears]):
        now = bears & (given.rank == rank)
        permits, denials = (_holding(index, grants[which], at) for which in (now & ~given.denies, now & given.denies))
        reaching |= undecided & permit_wins(system, permits, denials)
        undecided &= ~(permits | denials)
    return reaching


def _holding(index: Index, grants: Ints, at: int) -> Bools:
    holding = np.zeros(index.holders.size, dtype=bool)
    holding[index.grants.holder[grants]] = True
    return askers_with(index, holding, at)


def what_applies(index: Index, system: System, spans_there: Bools, at: int) -> tuple[Ints, Ints, Given]:
    """The live grants that speak through these spans, by line and anchor; the lines; what they say (steps 2-4)."""
    spans = spans_there.nonzero()[0]
    rules = index.span_rule[spans]
    of_rule, bundles = index.rule_bundles.of(rules)
    of_bundle, grants = index.bundle_grants.of(bundles)
    which = of_rule[of_bundle]
    live = is_live(index, at)[grants]
    grants, which = grants[live], which[live]
    line = index.rule_line[rules[which]]
    rank = rank_of(system, index.grants.tier[grants], index.spans.anchor[spans[which]])
    return grants, line, Given(index.line_action[line], index.grants.denies[grants] | index.line_denies[line], rank)


def who_reaches_any(index: Index, nodes: Ints, action: int, at: int) -> Bools:
    """Who reaches the action on at least one of the nodes, all of one system; over identities and then accounts.

    Where nothing denies and nothing is gated, every permit prevails, so all are answered at once. Elsewhere nodes
    about which exactly the same rules speak are answered once.
    """
    found = np.zeros(len(index.holders.identities) + len(index.holders.accounts), dtype=bool)
    if not len(nodes):
        return found
    system = index.system_of(int(nodes[0]))
    grants, _, given = what_applies(index, system, index.spans.holds_any(index.tree, nodes), at)
    bears = given.bears_on(system, int(action - system.actions[0]))
    if not system.gates and not given.denies[bears].any():
        return _holding(index, grants[bears], at)
    for node in one_per_answer(index, nodes):
        found |= who_reaches(index, node, action, at)
    return found


def one_per_answer(index: Index, nodes: Ints) -> list[int]:
    """One of each set of nodes on which every question has the same answer."""
    tree = index.tree
    seen: dict[tuple[bytes, tuple[int, ...]], int] = {}
    for node in nodes.tolist():
        rules = np.packbits(index.spans.holds(tree, node)).tobytes()
        gated = {kind for kind, _ in index.system_of(node).gates}
        gates = tuple(above for above in tree.path(node)[:-1] if index.types[above] in gated) if gated else ()
        seen.setdefault((rules, gates), node)
    return list(seen.values())


def everything(index: Index, at: int) -> Iterator[tuple[Sequence[int], list[Reached]]]:
    """What everyone reaches: those who hold the same live grants together, and what each of them reaches."""
    alike: dict[bytes, list[int]] = {}
    for asker in index.holders.askers.tolist():
        alike.setdefault(grants_of(index, asker, at).tobytes(), []).append(asker)
    for key, askers in alike.items():
        yield askers, what_grants_give(index, np.frombuffer(key, dtype=np.int64))


def triples(index: Index, by: str | None, at: int) -> Iterator[tuple[str, str, str]]:
    """Every (who, action, resource) that one asker, given by reference, or everyone reaches."""
    blocks = everything(index, at)
    if by is not None:
        asker = index.holders.number[by]
        blocks = iter([([asker], what_reached_by(index, asker, at))])
    for askers, reached in blocks:
        pairs = [pair for found in reached for pair in pairs_in(index, found)]
        for asker in askers:
            yield from ((index.holders.references[asker], action, address) for action, address in pairs)


def pairs_in(index: Index, found: Reached) -> Iterator[tuple[str, str]]:
    """Every (action, address) that is reached in one system."""
    names = [index.actions[number][1] for number in found.system.actions]
    for action, node in zip(*(positions.tolist() for positions in found.may.nonzero()), strict=True):
        yield names[action], index.tree.addresses[found.system.root + node]


def nodes_in(index: Index, pattern_nodes: Ints, is_deep: bool) -> Ints:
    """The nodes on which a permission with these targets applies when nothing narrows it (step 4)."""
    if not len(pattern_nodes):
        return pattern_nodes
    system = index.system_of(int(pattern_nodes[0]))
    spans = spans_of(index.tree, pattern_nodes, is_deep, system.inherits, Scope(is_everything=True))
    return spans.nodes(index.tree).nonzero()[0]


def ways_in(index: Index, node: int, action: str | None, at: int) -> dict[int, list[int]]:
    """For each asker the holders through which a permit on the node counts for it (`action` None: any action)."""
    system = index.system_of(node)
    grants, _, given = what_applies(index, system, index.spans.holds(index.tree, node), at)
    bears = np.zeros(len(grants), dtype=bool)
    for position, number in enumerate(system.actions.tolist()):
        if action in (None, index.actions[number][1]):
            bears |= given.bears_on(system, position)
    found: dict[int, list[int]] = {}
    for holder in np.unique(index.grants.holder[grants[bears & ~given.denies]]).tolist():
        holding = np.zeros(index.holders.size, dtype=bool)
        holding[holder] = True
        for asker in askers_with(index, holding, at).nonzero()[0].tolist():
            found.setdefault(asker, []).append(holder)
    return found
