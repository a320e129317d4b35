"""Everything but holders, grants and resources compiled: roles, entries, systems, scopes, mandates."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

import numpy as np

from kathodos.columns.csr import (
    Bools,
    CSRList,
    Ints,
    bools,
    csr_from_distinct,
    csr_from_pairs,
    distinct,
    ints,
    small,
    spread_each,
)
from kathodos.columns.ordered import insertion_points
from kathodos.columns.strings import string_table
from kathodos.engine.compiled.applying import Targets, compile_scopes, intervals_of_scoped
from kathodos.engine.compiled.index import (
    ANY_ACTION,
    NO_ROLE,
    AccessEntries,
    Entitlements,
    Grants,
    Holders,
    Index,
    Mandate,
    System,
)
from kathodos.engine.compiled.resources import Resources
from kathodos.engine.compiled.scopes import ordered_intervals
from kathodos.engine.compiled.tree import Tree
from kathodos.model import kinds
from kathodos.model.addresses import Pattern
from kathodos.model.references import name_in
from kathodos.store.records import Records, columns_of


class _EntryTable:
    """Entries by number, each once: verbs and patterns by number too."""

    def __init__(self) -> None:
        self.verbs: dict[str, int] = {}
        self.patterns: dict[str, int] = {}
        self.entries: dict[tuple[int, int, bool], int] = {}

    def number(self, action: str, pattern: str, denies: bool) -> int:
        verb = self.verbs.setdefault(action, len(self.verbs))
        of = self.patterns.setdefault(pattern, len(self.patterns))
        return self.entries.setdefault((verb, of, denies), len(self.entries))


def compile_policy(
    records: Records,
    resources: Resources,
    holders: Holders,
    grants: Grants,
    gives: Iterable[str],
    scope_texts: Iterable[str],
    entitlement: Iterable[tuple[int, int]],
) -> Index:
    """Everything but holders, grants and resources, which are compiled already: what grants give, and where.

    `entitlement`: what each entitlement gives and its scope, as numbers in `gives` and `scope_texts`.
    """
    gives, scope_texts, keys = list(gives), list(scope_texts), list(entitlement)
    entitlement_gives, entitlement_scope = ints(key[0] for key in keys), ints(key[1] for key in keys)
    roles, is_active = _compile_roles(records)
    role_number = {role: at for at, role in enumerate(roles)}
    juniors = _compile_juniors(records, role_number)
    table = _EntryTable()
    role_entries = _compile_role_entries(records, role_number, table)
    role_given, entry_given = _given_by(gives, role_number, table)
    systems, actions = _compile_systems(records, resources.tree, table)
    scopes = compile_scopes(records, scope_texts, resources.tree)
    entries = _entries_in(table, actions)
    entitlement_role = role_given[entitlement_gives]
    entry_lists = _entry_lists(entitlement_role, entry_given[entitlement_gives], juniors, is_active, role_entries)
    scoped, scoped_entry, scoped_scope = _number_scoped(entry_lists, entitlement_scope, len(scope_texts))
    targets = Targets(resources.tree, entries.patterns, systems)
    intervals = ordered_intervals(*intervals_of_scoped(targets, entries.pattern[scoped_entry], scoped_scope, scopes))
    given, within, roles_given = map(small, (entitlement_gives, entitlement_scope, entitlement_role))
    entitlements = Entitlements(
        string_table(gives), string_table(scope_texts), scopes, given, within, roles_given, scoped
    )
    return Index(
        tree=resources.tree,
        type_names=resources.type_names,
        types=resources.types,
        node_rows=resources.rows,
        systems=systems,
        actions=actions,
        holders=holders,
        roles=string_table(roles),
        role_is_active=is_active,
        role_rows=records.rows(kinds.ROLES),
        juniors=juniors,
        role_entries=role_entries,
        entries=entries,
        mandates=_compile_mandates(records),
        grants=grants,
        entitlements=entitlements,
        scoped_entry=small(scoped_entry),
        scoped_scope=small(scoped_scope),
        scoped_intervals=csr_from_pairs(intervals.scoped, np.arange(len(intervals)), len(scoped_entry)),
        scoped_entitlements=scoped.turned(len(scoped_entry)),
        entitlement_grants=csr_from_pairs(grants.entitlement, np.arange(len(grants)), len(entitlements)),
        holder_grants=csr_from_pairs(grants.holder, np.arange(len(grants)), holders.size),
        intervals=intervals,
    )


def _compile_roles(records: Records) -> tuple[list[str], Bools]:
    """The names of all roles, and which are active."""
    systems, names, active = columns_of(records, kinds.ROLES, "system", "role", "active")
    return [f"{system}/{role}" for system, role in zip(systems, names, strict=True)], bools(active)


def _given_by(gives: Iterable[str], role_number: Mapping[str, int], table: _EntryTable) -> tuple[Ints, Ints]:
    """The role that each of these gives, and the entry, which goes into the table; -1 for the other of the two."""
    roles, entries = [], []
    for text in gives:
        action, rest = kinds.split_gives(text)
        roles.append(role_number.get(name_in("role", rest), NO_ROLE) if not action else NO_ROLE)
        entries.append(table.number(action, rest, False) if action else -1)
    return ints(roles), ints(entries)


def _entries_in(table: _EntryTable, actions: Sequence[tuple[str, str]]) -> AccessEntries:
    """The entries of the table, each with the number of its action."""
    number = {action: at for at, action in enumerate(actions)}
    verbs, patterns = list(table.verbs), list(table.patterns)
    system_of = [pattern.partition(":")[0] for pattern in patterns]
    return AccessEntries(
        verbs=verbs,
        patterns=string_table(patterns),
        verb=small(ints(verb for verb, _, _ in table.entries)),
        pattern=small(ints(pattern for _, pattern, _ in table.entries)),
        denies=bools(denies for _, _, denies in table.entries),
        action=small(ints(number.get((system_of[of], verbs[verb]), ANY_ACTION) for verb, of, _ in table.entries)),
    )


def _compile_juniors(records: Records, role_number: Mapping[str, int]) -> CSRList:
    seniors, juniors = [], []
    for system, role, junior in zip(*columns_of(records, kinds.ROLE_JUNIORS, "system", "role", "junior"), strict=True):
        senior_at, junior_at = role_number.get(f"{system}/{role}"), role_number.get(name_in("role", junior))
        if senior_at is not None and junior_at is not None:
            seniors.append(senior_at)
            juniors.append(junior_at)
    return csr_from_pairs(ints(seniors), ints(juniors), len(role_number))


def _compile_role_entries(records: Records, role_number: Mapping[str, int], table: _EntryTable) -> CSRList:
    roles, entries = [], []
    columns = columns_of(records, kinds.ROLE_PERMISSIONS, "system", "role", "action", "resource", "effect")
    for system, role, action, pattern, effect in zip(*columns, strict=True):
        at = role_number.get(f"{system}/{role}")
        if at is not None:
            roles.append(at)
            entries.append(table.number(action, pattern, effect == "deny"))
    return csr_from_pairs(ints(roles), ints(entries), len(role_number))


def _entry_lists(role: Ints, entry: Ints, juniors: CSRList, is_active: Bools, role_entries: CSRList) -> CSRList:
    """The entries of each entitlement: of its role with all juniors, as far as they are active, or its one entry."""
    used = distinct(role[(role >= 0)])
    used = used[is_active[used]]
    passing = is_active[juniors.items]
    open_juniors = csr_from_pairs(juniors.rows()[passing], juniors.items[passing], len(juniors))
    below = spread_each(open_juniors, used)
    origin, entries = role_entries.of(below.items)
    by_used = csr_from_distinct(below.rows()[origin], entries, len(used), int(entries.max(initial=0)) + 1)
    at_used = insertion_points(used, role)
    has_role = (role >= 0) & (at_used < len(used))
    has_role[has_role] = used[at_used[has_role]] == role[has_role]
    entitlements = has_role.nonzero()[0]
    origin, entries = by_used.of(at_used[entitlements])
    single = (entry >= 0).nonzero()[0]
    return csr_from_pairs(
        np.concatenate([entitlements[origin], single]), np.concatenate([entries, entry[single]]), len(role)
    )


def _number_scoped(entry_lists: CSRList, entitlement_scope: Ints, scopes: int) -> tuple[CSRList, Ints, Ints]:
    """Each distinct (entry, scope) as a scoped entry: those of each entitlement, and entry and scope of each."""
    entitlement = entry_lists.rows()
    width = scopes + 1
    codes = entry_lists.items.astype(np.int64) * width + entitlement_scope[entitlement] + 1
    found, scoped_at = np.unique(codes, return_inverse=True)
    return csr_from_pairs(entitlement, scoped_at, len(entry_lists)), found // width, found % width - 1


def _compile_systems(
    records: Records, tree: Tree, table: _EntryTable
) -> tuple[dict[str, System], list[tuple[str, str]]]:
    """The systems, and all actions as (system, name): declared, implied, gating or named by a permission."""
    columns = columns_of(records, kinds.SYSTEMS, "system", "combining", "inherit", "gates")
    declared = list(zip(*columns_of(records, kinds.ACTIONS, "system", "action", "kind", "implies"), strict=True))
    named: dict[str, set[str]] = {system: set() for system in columns[0]}
    implied: dict[str, list[tuple[str, str]]] = {system: [] for system in columns[0]}
    kind_of = {(system, action): kind for system, action, kind, _ in declared}
    for system, action, _, implies in declared:
        if system in named:
            others = kinds.split_list(implies)
            named[system].update([action, *others])
            implied[system] += [(action, other) for other in others]
    verbs, of_pattern = list(table.verbs), [pattern.partition(":")[0] for pattern in table.patterns]
    for verb, of in {(verb, of_pattern[pattern]) for verb, pattern, _ in table.entries}:
        if of in named and verbs[verb] != "*":
            named[of].add(verbs[verb])
    systems: dict[str, System] = {}
    actions: list[tuple[str, str]] = []
    for system, combining, inherits, gates_text in zip(*columns, strict=True):
        gates = kinds.split_gates(gates_text)
        names = sorted({*named[system], *gates.values()})
        root = tree.node(Pattern(system, ()))
        systems[system] = System(
            name=system,
            combining=combining,
            inherits=bool(inherits),
            root=root,
            end=int(tree.end[root]),
            actions=np.arange(len(actions), len(actions) + len(names)),
            covers=_covers(names, implied[system]),
            gates=[(kind, names.index(action)) for kind, action in gates.items()],
            kinds=[kind_of.get((system, name)) for name in names],
        )
        actions += [(system, name) for name in names]
    return systems, actions


def _covers(names: list[str], implied: list[tuple[str, str]]) -> Bools:
    """`covers[b, a]`: b is a, or implies a by any number of steps."""
    covers = np.eye(len(names), dtype=bool)
    for action, other in implied:
        covers[names.index(action), names.index(other)] = True
    for middle in range(len(names)):
        covers |= covers[:, middle : middle + 1] & covers[middle]
    return covers


def _compile_mandates(records: Records) -> list[Mandate]:
    columns = columns_of(records, kinds.MANDATES, "holder", "roles", "area", "for", "may")
    return [
        Mandate(holder, tuple(kinds.split_list(roles)), area, receivers, "give" in kinds.split_list(may))
        for holder, roles, area, receivers, may in zip(*columns, strict=True)
    ]
