"""Whoever can reach more by using the rights it holds, who can take whose administration away, and who is the last.

Climbing itself is potential reach (meaning of reach, "Potential reach"); here everyone who can climb is found, those
alike are climbed for once, and what they would gain is compared.
"""

from __future__ import annotations

import itertools
from collections.abc import Collection, Iterator, Sequence

import msgspec
import numpy as np

from kathodos import thresholds
from kathodos.analysis.basis import Basis
from kathodos.columns.csr import Bools, Ints, csr_from_pairs, distinct, ints, reachable
from kathodos.columns.ordered import insertion_points
from kathodos.columns.threads import in_threads
from kathodos.engine.compiled.index import ANY_ACTION, Index, System
from kathodos.engine.decide import able_of, principals_of, somebody_with, who_has
from kathodos.engine.explain import Chain, explain
from kathodos.engine.potential import ADMINISTERED, Potential, gained, named_by, potential_reach
from kathodos.engine.reach import (
    grants_of,
    holders_behind,
    one_per_answer,
    what_reached_by,
    who_reaches,
    who_reaches_any,
)
from kathodos.findings.conflicts.states import LATENT, Conflict, Conflicts, broken_by
from kathodos.model.addresses import parse_pattern, segment_expression
from kathodos.model.filters import parse_filter
from kathodos.model.kinds import MANDATES, split_list
from kathodos.model.references import name_in, reference_to
from kathodos.rules.reading import Conflicting
from kathodos.rules.targets import PermissionTargets, entitlements_on
from kathodos.store.records import columns_of

ADMINISTER = "administer"


class Climb(msgspec.Struct, frozen=True):
    """Those who can climb alike. `gains`: the system, the pairs reached now, how many more; `steps`: what, by what."""

    askers: Ints
    gains: Sequence[tuple[str, int, int]]
    steps: Sequence[tuple[str, str]]

    @property
    def gain(self) -> int:
        """How many pairs of action and resource more."""
        return sum(more for _, _, more in self.gains)


class Climber(msgspec.Struct, frozen=True):
    """Those who can climb alike, and what they would reach. `gains`: per system the pairs now, and how many more."""

    askers: Ints
    potential: Potential
    gains: list[tuple[System, int, int]]

    @property
    def climb(self) -> Climb:
        """The climb in names and numbers alone."""
        gains = [(system.name, now, more) for system, now, more in self.gains]
        return Climb(self.askers, gains, [(step.text, step.by) for step in self.potential.steps])


def climbers(basis: Basis) -> list[Climber]:
    """Everyone who can reach more by using what it holds, those who would gain most first."""
    index = basis.index
    able = _can_begin(basis)[index.holders.askers]
    alike: dict[object, list[int]] = {}
    for asker in index.holders.askers[able].tolist():
        alike.setdefault(_start(basis, asker), []).append(asker)
    found = []
    for askers in alike.values():
        potential = potential_reach(index, basis.records, askers[0], basis.moment)
        gains = [gain for gain in gained(potential) if gain[2]]
        if gains:
            found.append(Climber(ints(askers), potential, gains))
    return sorted(found, key=lambda it: (-it.climb.gain, int(it.askers[0])))


def _can_begin(basis: Basis) -> Bools:
    """Who holds a mandate to give, or administers a group, a role or grants; over identities and then accounts."""
    index = basis.index
    found = np.zeros(index.holders.first_group, dtype=bool)
    for mandate in index.mandates:
        holder = index.holders.find(mandate.holder)
        if mandate.may_give and holder >= 0:
            found |= who_has(index, ints([holder]), basis.moment)
    for action, nodes in _administrable(index):
        found |= who_reaches_any(index, nodes, action, basis.moment)
    return found


def _administrable(index: Index) -> Iterator[tuple[int, Ints]]:
    """Each action that administers, with the groups, roles and grants of its system that are resources."""
    numbers = [at for at, name in enumerate(index.type_names) if name in ADMINISTERED]
    nodes = np.isin(index.types, numbers).nonzero()[0]
    for system in index.systems_in_order:
        here = nodes[(system.root <= nodes) & (nodes < system.end)]
        for action, kind in zip(system.actions.tolist(), system.kinds, strict=True):
            if kind == ADMINISTER and len(here):
                yield action, here


def roles_that_administer(index: Index) -> Bools:
    """The roles with which a group, a role or grants can be administered, by what they or their juniors permit."""
    entries, of_roles = index.entries, index.role_entries
    used = distinct(of_roles.items)
    used = used[~entries.denies[used]]
    bears = np.zeros(len(entries), dtype=bool)
    for action, nodes in _administrable(index):
        system = index.systems[index.actions[action][0]]
        for entry in used[np.isin(entries.action[used], (action, ANY_ACTION)) & ~bears[used]].tolist():
            pattern = parse_pattern(entries[entry].pattern)
            if pattern.system == system.name:
                targets = index.tree.matches(pattern.target)
                if pattern.holds_everything_below or system.inherits:
                    bears[entry] = bool(index.tree.below(targets.tolist())[nodes].any())
                else:
                    bears[entry] = bool(np.isin(nodes, targets).any())
    own = distinct(of_roles.rows()[bears[of_roles.items]]).astype(np.int64)
    found = np.zeros(len(index.roles), dtype=bool)
    found[reachable(index.seniors, own)] = True
    return found


def worth_more(index: Index, patterns: Sequence[str], administering: Bools) -> list[str]:
    """The roles that patterns of a mandate name and with which others can be changed: worth more than they look."""
    expressions = [segment_expression(name_in("role", it)) for it in patterns]
    roles = (index.roles[at] for at in administering.nonzero()[0].tolist())
    return [role for role in roles if any(it.fullmatch(role) for it in expressions)]


def _start(basis: Basis, asker: int) -> object:
    """From where somebody climbs: whoever starts from the same gets as far."""
    index = basis.index
    principals = principals_of(index, asker, basis.moment)
    groups = principals[principals >= index.holders.first_group]
    held = tuple(index.holders.find(mandate.holder) in principals for mandate in index.mandates)
    receives = tuple(bool(asker < basis.people and mask[asker]) for mask in _receivers(basis))
    return groups.tobytes(), grants_of(index, asker, basis.moment).tobytes(), held, receives


def _receivers(basis: Basis) -> list[Bools]:
    """For each mandate whom it lets roles be given to."""
    everybody = np.ones(basis.size, dtype=bool)
    texts = {mandate.receivers for mandate in basis.index.mandates}
    masks = {text: basis.selected(parse_filter(text)) if text else everybody for text in texts}
    return [masks[mandate.receivers] for mandate in basis.index.mandates]


def latent_conflicts(
    basis: Basis, rules: Sequence[Conflicting], found: Conflicts, climbing: Sequence[Climber]
) -> Iterator[Conflict]:
    """The conflicts into which somebody could bring itself, beside those that are found already."""
    targets = PermissionTargets(basis)
    for number, rule in enumerate(rules):
        known = found.asker[found.rule == number]
        excepted = basis.selected(rule.excepted) if rule.excepted is not None else np.zeros(basis.size, dtype=bool)
        for climber in climbing:
            broken = broken_by(targets, rule, climber.potential.could)
            if broken is not None:
                some = climber.askers
                for asker in some[~excepted[some] & ~np.isin(some, known)].tolist():
                    yield Conflict(rule, asker, broken[0], broken[1], LATENT)


# Administrators among themselves


class Administration(msgspec.Struct, frozen=True):
    """Who administers a system, and which pairs of them can take it away from each other."""

    system: str
    administrators: Ints
    pairs: list[tuple[int, int]]


def unknown_administration(basis: Basis) -> list[str]:
    """The systems with groups, roles or grants of which no source says who may change them.

    That is: no mandate over their roles, and no action that administers a group, a role or grants among resources.
    """
    index = basis.index
    kept = {name.partition("/")[0] for names in (index.roles, index.holders.groups) for name in names}
    given_in = distinct(insertion_points(index.system_roots, index.intervals.first, side="right") - 1)
    kept |= {index.systems_in_order[number].name for number in given_in.tolist()}
    known = {index.actions[action][0] for action, _ in _administrable(index)}
    patterns = [name_in("role", pattern) for mandate in index.mandates for pattern in mandate.roles]
    fits = [segment_expression(pattern.partition("/")[0]).fullmatch for pattern in patterns]
    return sorted(name for name in kept - known if not any(fit(name) for fit in fits))


def administrations(basis: Basis) -> list[Administration]:
    """For each system that has something to administer, its administrators: identities, and accounts of nobody."""
    index = basis.index
    return [
        Administration(name, administrators, _mutual(basis, index.systems[name], administrators))
        for name, administrators in who_administers(basis).items()
    ]


def who_administers(basis: Basis, systems: Collection[str] | None = None) -> dict[str, Ints]:
    """For each system with an action that administers those who reach one: identities, and accounts of nobody.

    `systems`: only these (None: all).
    """
    index = basis.index
    if systems is not None and not systems:
        return {}
    _ = able_of(index.holders, basis.moment), index.granted_above  # made once, before several threads ask for it

    def able(asked: tuple[System, int]) -> Bools:
        system, action = asked
        return who_reaches_any(index, np.arange(system.root, system.end), action, basis.moment)

    actions = [
        (system, action)
        for system in index.systems_in_order
        for action in _administering(system)
        if systems is None or system.name in systems
    ]
    who: dict[str, Bools] = {}
    for (system, _), mask in zip(actions, in_threads(able, actions), strict=True):
        who[system.name] = who[system.name] | mask if system.name in who else mask
    return {name: index.holders.askers[mask[index.holders.askers]] for name, mask in who.items()}


def is_administered(basis: Basis, system: str, but: Ints) -> bool:
    """Whether somebody administers a system, some not counted who are given by number.

    One for each of the first holders who are permitted to is asked before everybody is.
    """
    index, of = basis.index, basis.index.systems[system]
    asked = np.zeros(index.holders.first_group, dtype=bool)
    asked[index.holders.askers] = True
    asked[but[but >= 0]] = False
    for holder in _holders_permitted(basis, of, _administering(of))[: thresholds.ADMINISTRATORS_TRIED].tolist():
        asker = somebody_with(index, holder, basis.moment)
        if asker >= 0 and asked[asker] and _reaches_any(basis, asker, of, _administering(of)):
            return True
    nodes = np.arange(of.root, of.end)
    return any(bool((who_reaches_any(index, nodes, it, basis.moment) & asked).any()) for it in _administering(of))


def _holders_permitted(basis: Basis, system: System, actions: Sequence[int]) -> Ints:
    """The holders of live grants that permit one of some actions somewhere in a system, whatever denies it."""
    index = basis.index
    here = (index.intervals.first >= system.root) & (index.intervals.first < system.end)
    scoped = distinct(index.intervals.scoped[here]).astype(np.int64)
    entry = index.scoped_entry[scoped]
    bears = np.isin(index.entries.action[entry], [*actions, ANY_ACTION]) & ~index.entries.denies[entry]
    entitlements = distinct(index.scoped_entitlements.all_of(scoped[bears])).astype(np.int64)
    grants = index.entitlement_grants.all_of(entitlements).astype(np.int64)
    return distinct(index.grants.holder[grants[basis.live[grants] & ~index.grants.denies[grants]]]).astype(np.int64)


def _reaches_any(basis: Basis, asker: int, system: System, actions: Sequence[int]) -> bool:
    """Whether somebody reaches one of some actions anywhere in a system."""
    local = np.array(actions) - system.actions[0]
    reached = what_reached_by(basis.index, asker, basis.moment)
    return any(bool(it.may[local].any()) for it in reached if it.system.root == system.root)


def _administering(system: System) -> list[int]:
    """The actions of a system that administer it."""
    return [action for action, kind in zip(system.actions.tolist(), system.kinds, strict=True) if kind == ADMINISTER]


class AdministeringGrants(msgspec.Struct, frozen=True):
    """Who administers a system, by which grants: an asker and a grant at a time, by number and in order."""

    system: str
    askers: Ints
    grants: Ints


def administering_grants(basis: Basis) -> Iterator[AdministeringGrants]:
    """Of each system who administers it, by each grant that permits to and counts for somebody."""
    index = basis.index
    for name, askers in who_administers(basis).items():
        system = index.systems[name]
        entitlements = entitlements_on(index, _administering(system), np.arange(system.root, system.end))
        grants = index.entitlement_grants.all_of(entitlements).astype(np.int64)
        grants = np.sort(grants[basis.live[grants] & ~index.grants.denies[grants]])
        holder = index.grants.holder[grants].astype(np.int64)
        position, behind = holders_behind(index, askers, distinct(holder), basis.moment)
        at, given = csr_from_pairs(holder, grants, index.holders.size).of(behind)
        width = max(len(index.grants), 1)
        codes = distinct(position[at] * width + given)
        yield AdministeringGrants(name, askers[codes // width], codes % width)


_MOST_COMPARED = 300  # administrators of one system


def _mutual(basis: Basis, system: System, administrators: Ints) -> list[tuple[int, int]]:
    """The pairs of which each can end every way by which the other administers groups, roles or grants."""
    index = basis.index
    some = administrators[:_MOST_COMPARED]
    edited = {group: mask[some] for group, mask in _group_editors(basis).items()}
    taking = [(who_has(index, ints([holder]), basis.moment)[some], roles) for holder, roles in _takers(basis)]
    paths = [list(_paths(basis, system, one)) for one in some.tolist()]
    nobody = np.zeros(len(some), dtype=bool)
    can = np.zeros((len(some), len(some)), dtype=bool)  # can[a, b]: a can take it from b
    for at, chains in enumerate(paths):
        cutters = []
        for chain in chains:
            joined = [edited.get(holder, nobody) for holder in chain.holders[1:]]
            given = [mask for mask, roles in taking if _may_take(chain, roles)]
            cutters.append(np.logical_or.reduce([nobody, *joined, *given]))
        if cutters:
            can[:, at] = np.logical_and.reduce(cutters)
    both = can & can.T
    return [(int(some[a]), int(some[b])) for a, b in itertools.combinations(range(len(some)), 2) if both[a, b]]


def _group_editors(basis: Basis) -> dict[str, Bools]:
    """Who may edit the members of each group that is a resource: over identities and then accounts."""
    index = basis.index
    found: dict[str, Bools] = {}
    number = index.type_names.index("group") if "group" in index.type_names else -2
    for action, nodes in _administrable(index):
        for node in nodes[index.types[nodes] == number].tolist():
            name = reference_to("group", index.system_of(node).name, named_by(index, node))
            mask = who_reaches(index, node, action, basis.moment)
            found[name] = found[name] | mask if name in found else mask
    return found


def _takers(basis: Basis) -> list[tuple[int, list[str]]]:
    """The holder and the roles of each mandate that lets roles be taken."""
    holders, roles, may = columns_of(basis.records, MANDATES, "holder", "roles", "may")
    taking = (at for at, acts in enumerate(may) if "take" in split_list(acts))
    found = ((basis.index.holders.find(holders[at]), split_list(roles[at])) for at in taking)
    return [(holder, some) for holder, some in found if holder >= 0]


def _may_take(chain: Chain, roles: Sequence[str]) -> bool:
    """Whether a mandate over these roles ends the chain: it begins with the role being given to the person itself."""
    role = chain.roles[0] if chain.roles and len(chain.holders) == 1 else None
    fits = (segment_expression(name_in("role", pattern)).fullmatch for pattern in roles)
    return role is not None and any(fit(name_in("role", role)) for fit in fits)


def _paths(basis: Basis, system: System, asker: int) -> Iterator[Chain]:
    """The chains by which somebody administers the groups, roles and grants of a system."""
    index = basis.index
    for action, nodes in _administrable(index):
        here = nodes[(system.root <= nodes) & (nodes < system.end)]
        for node in one_per_answer(index, here) if len(here) else ():
            yield from explain(index, asker, node, action, basis.moment).permits.shown
