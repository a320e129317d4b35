"""Records into an index. What is large is read some thousand records at a time and never held as objects."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Generic, TypeVar

import numpy as np

from kathodos.columns.csr import (
    Bools,
    CSRList,
    Ints,
    bools,
    csr_from_distinct,
    csr_from_pairs,
    distinct,
    first_of_each,
    ints,
    joined,
    small,
    spread_each,
)
from kathodos.columns.dictionary import DictionaryColumn, distinct_pairs, tabled
from kathodos.columns.strings import Hashes, StringTable, joined_with, ordered_hashes, string_table
from kathodos.engine.index import (
    ANY_ACTION,
    BY_FILTER,
    LISTED,
    NO_ROLE,
    NO_ROW,
    AccessEntries,
    Entitlements,
    Grants,
    Holders,
    Index,
    Mandate,
    System,
)
from kathodos.engine.scopes import (
    EVERYTHING,
    AnchoredIntervals,
    Scope,
    flattened,
    intervals_from,
    intervals_of,
    join,
    ordered_intervals,
    reaching_down,
    under_addresses,
    within_scope,
)
from kathodos.engine.tree import Tree, grow_tree
from kathodos.model import kinds
from kathodos.model.addresses import Pattern, parse_pattern
from kathodos.model.filters import parse_filter
from kathodos.model.kinds import Kind
from kathodos.model.times import end_moment, first_moment
from kathodos.store.attributes import AttributeColumns, Distinct, selected
from kathodos.store.records import Records, columns_of


@dataclass(frozen=True)
class Resources:
    """The resources: the tree, and the type of each node."""

    tree: Tree
    type_names: Sequence[str]
    types: Ints
    rows: Ints


def compile_index(records: Records) -> Index:
    """The index of all records."""
    holders = compile_holders(records)
    table = GrantTable(holders, Numbering(), Numbering(), Numbering())
    columns = {name: records.column(kinds.GRANTS, name) for name in GrantTable.COLUMNS}
    grants = table.add(columns, records.rows(kinds.GRANTS))
    holders = replace(holders, unknown=string_table(sorted({*holders.unknown, *table.unknown})))
    parts = (table.gives.new, table.scopes.new, table.entitlements.new)
    return compile_policy(records, compile_resources(records), holders, grants, *parts)


def compile_resources(records: Records) -> Resources:
    """The resources of all known systems, with every ancestor."""
    (systems,) = columns_of(records, kinds.SYSTEMS, "system")
    addresses, types, detached = columns_of(records, kinds.RESOURCES, "resource", "type", "detached")
    known = set(systems)
    listed = [at for at, address in enumerate(addresses) if address.partition(":")[0] in known]
    tree, nodes = grow_tree(systems, (addresses[at] for at in listed), (detached[at] for at in listed))
    names = sorted({types[at] for at in listed if types[at]})
    number = {name: at for at, name in enumerate(names)}
    of_node, rows = np.full(len(tree), -1), np.full(len(tree), NO_ROW)
    of_node[nodes] = ints(number.get(types[at], -1) for at in listed)
    rows[nodes] = records.rows(kinds.RESOURCES)[listed]
    return Resources(tree, names, small(of_node), rows)


# Who may hold a grant


def compile_holders(records: Records) -> Holders:
    """Identities, accounts and groups, and who is a member of what."""
    column = records.column
    identities, accounts = (key_table(records, kind) for kind in (kinds.IDENTITIES, kinds.ACCOUNTS))
    groups, filters = key_table(records, kinds.GROUPS), column(kinds.GROUPS, "filter").listed()
    owners = column(kinds.ACCOUNTS, "identity")
    number = np.append(identities.positions_of(tabled_texts(owners)), -1)
    owner, unknown = number[owners.codes], _not_found(owners, number, "identity:")
    people, first_group = len(identities), len(identities) + len(accounts)
    size = first_group + len(groups) + 1
    logins = column(kinds.ACCOUNTS, "login")
    hashes = np.array(_hashes_of(tabled_texts(logins)))[logins.codes] if len(logins) else np.zeros(0, dtype=np.uint32)
    login_hashes, by_login = ordered_hashes(hashes)
    nobody = CSRList(np.zeros(size + 1, dtype=np.int64), np.zeros(0, dtype=np.int32))
    holders = Holders(
        identities=identities,
        accounts=accounts,
        groups=groups,
        owner=small(owner),
        is_enabled=column(kinds.ACCOUNTS, "status").holding("enabled"),
        is_active=column(kinds.IDENTITIES, "status").holding("active"),
        starts=moments_of(column(kinds.IDENTITIES, "starts"), first_moment),
        ends=moments_of(column(kinds.IDENTITIES, "ends"), end_moment),
        rows=records.rows(kinds.IDENTITIES),
        account_rows=records.rows(kinds.ACCOUNTS),
        group_rows=records.rows(kinds.GROUPS),
        edges=nobody,
        why=np.zeros(0, dtype=np.int8),
        members=nobody,
        accounts_of=accounts_by_owner(owner, people),
        login_hashes=login_hashes,
        by_login=by_login,
        filters=[None if text is None else str(text) for text in filters],
        unknown=string_table([]),
    )
    member, group = _listed_members(records, holders, unknown)
    found = identities_selected(records, {text for text in holders.filters if text})
    filtered = [found[text] * size + at for at, text in enumerate(holders.filters, first_group) if text]
    edges, why = edges_of(member * size + group, joined(filtered), size)
    return replace(holders, edges=edges, why=why, members=edges.turned(size), unknown=string_table(sorted(unknown)))


def key_table(records: Records, kind: Kind) -> StringTable:
    """The name of each record of a kind, in order: its key, of two parts with a slash between them."""
    parts = []
    for name in kind.key:
        column = records.column(kind, name)
        table = tabled_texts(column)
        is_as_it_is = len(table) == len(column) and bool((column.codes == np.arange(len(column))).all())
        parts.append(table if is_as_it_is else table.picked(column.codes.astype(np.int64)))
    return parts[0] if len(parts) == 1 else joined_with(parts[0], "/", parts[1])


def tabled_texts(column: DictionaryColumn) -> StringTable:
    """The distinct texts of a column."""
    values = tabled(column.values)
    return values if isinstance(values, StringTable) else string_table(map(str, values))


def _hashes_of(table: StringTable) -> Hashes:
    """The hash of each text of a table."""
    found = np.empty(len(table), dtype=np.uint32)
    found[table.by_hash] = table.hashes
    return found


def _not_found(column: DictionaryColumn, number: Ints, prefix: str = "") -> set[str]:
    """The values that some row holds and that have no number."""
    used = np.zeros(len(column.values) + 1, dtype=bool)
    used[column.codes] = True
    missing = (used[:-1] & (number[:-1] < 0)).nonzero()[0]
    return {f"{prefix}{column.values[at]}" for at in missing.tolist()}


def moments_of(column: DictionaryColumn, read: Callable[[str | None], int]) -> Ints:
    """Kept dates and times as microseconds; each distinct text is read once."""
    known = [read(None if value is None else str(value)) for value in (*column.values, None)]
    return np.array(known, dtype=np.int64)[column.codes]


def accounts_by_owner(owner: Ints, people: int) -> CSRList:
    """For each identity its accounts, as holders."""
    owned = (owner >= 0).nonzero()[0]
    return csr_from_pairs(owner[owned], owned + people, people)


def edges_of(listed: Ints, filtered: Ints, size: int) -> tuple[CSRList, Ints]:
    """Memberships, given as holder * size + group, listed and by filter: as lists, and why each is there."""
    codes = np.sort(np.concatenate([listed, filtered]))
    codes = codes[first_of_each(codes)]
    why = np.zeros(len(codes), dtype=np.int8)
    for flag, some in ((LISTED, listed), (BY_FILTER, filtered)):
        why[np.searchsorted(codes, some)] |= flag
    return csr_from_pairs(codes // size, codes % size, size), why  # type: ignore[return-value]  # see Ints


def _listed_members(records: Records, holders: Holders, unknown: set[str]) -> tuple[Ints, Ints]:
    """(member, group) of every listed membership of holders that are known."""
    members, systems, names = (records.column(kinds.MEMBERS, name) for name in ("member", "system", "group"))
    number = np.append(holders.numbers_of(tabled_texts(members)), -1)
    pair, first = distinct_pairs(systems.codes, names.codes)
    groups = [f"{systems.value(at)}/{names.value(at)}" for at in first.tolist()]
    of_pair = holders.groups.positions_of(groups)
    unknown |= _not_found(members, number) | {f"group:{groups[at]}" for at in (of_pair < 0).nonzero()[0].tolist()}
    member, group = number[members.codes], of_pair[pair] if len(pair) else pair
    known = (member >= 0) & (group >= 0)
    return member[known], group[known] + holders.first_group


class RowNumbers:
    """Row numbers of records, and which number each record has here."""

    def __init__(self, rows: Ints) -> None:
        self._order = np.argsort(rows, kind="stable")
        self._rows = rows[self._order]

    def of(self, rows: Ints) -> Ints:
        return self._order[np.searchsorted(self._rows, rows)]


def identities_selected(records: Records, filters: Iterable[str]) -> dict[str, Ints]:
    """The positions of the identities that each filter selects. Only the columns that the filters name are read."""
    attributes = AttributeColumns(records, kinds.IDENTITIES)
    return {text: attributes.selected(parse_filter(text)).nonzero()[0] for text in filters}


# What they have been given


Key = TypeVar("Key", bound=Hashable)


class Numbering(Generic[Key]):
    """Numbers for what is seen for the first time, from `first` on; `find` tells those given before, or -1."""

    def __init__(self, first: int = 0, find: Callable[[Key], int] | None = None) -> None:
        self.new: dict[Key, int] = {}
        self._first = first
        self._find = find

    def number(self, key: Key) -> int:
        known = self.new.get(key)
        if known is None:
            known = self._find(key) if self._find else -1
            if known < 0:
                known = self.new[key] = self._first + len(self.new)
        return known


class GrantTable:
    """Grants as they are read. `gives`, `scopes` and `entitlements` number what has been seen."""

    COLUMNS = ("grant", "holder", "gives", "on", "effect", "tier", "from", "until")

    def __init__(
        self,
        holders: Holders,
        gives: Numbering[str],
        scopes: Numbering[str],
        entitlements: Numbering[tuple[int, int]],
    ) -> None:
        self.gives = gives
        self.scopes = scopes
        self.entitlements = entitlements
        self.unknown: set[str] = set()
        self._holders = holders

    def add(self, columns: Mapping[str, DictionaryColumn], rows: Ints) -> Grants:
        """The grants, given as columns, that a known holder has; what they give and on what is noted once."""
        holders, gives, scopes = (columns[name] for name in ("holder", "gives", "on"))
        number = np.append(self._holders.numbers_of(tabled_texts(holders)), -1)
        self.unknown |= _not_found(holders, number)
        known = (number[holders.codes] >= 0).nonzero()[0]
        pair, first = distinct_pairs(gives.codes[known], scopes.codes[known])
        numbers = []
        for at in known[first].tolist():
            scope = scopes.value(at)
            of_scope = self.scopes.number(str(scope)) if scope is not None else -1
            numbers.append(self.entitlements.number((self.gives.number(str(gives.value(at))), of_scope)))
        tier = columns["tier"]
        return Grants(
            ids=tabled_texts(columns["grant"]).picked(columns["grant"].codes[known].astype(np.int64)),
            rows=rows[known],
            holder=small(number[holders.codes[known]]),
            entitlement=small(ints(numbers)[pair]),
            denies=columns["effect"].holding("deny")[known],
            tier=np.array([*(int(value or 0) for value in tier.values), 0], dtype=np.int64)[tier.codes[known]],
            starts=moments_of(columns["from"], first_moment)[known],
            ends=moments_of(columns["until"], end_moment)[known],
        )


# What that means


class _EntryTable:
    """Lines by number, each once: verbs and patterns by number too."""

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
    scopes = _compile_scopes(records, scope_texts, resources.tree)
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
        roles.append(role_number.get(rest.removeprefix("role:"), NO_ROLE) if not action else NO_ROLE)
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
        senior_at, junior_at = role_number.get(f"{system}/{role}"), role_number.get(junior.removeprefix("role:"))
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
    at_used = np.searchsorted(used, role)
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


class Targets:
    """The targets of patterns, each found once."""

    def __init__(self, tree: Tree, patterns: StringTable, systems: Mapping[str, System]) -> None:
        self.tree = tree
        self.patterns = patterns
        self.systems = systems
        self._parsed: dict[int, Pattern] = {}
        self._found: dict[int, Ints] = {}
        self._runs: dict[tuple[int, int], AnchoredIntervals] = {}

    def parsed(self, number: int) -> Pattern:
        if number not in self._parsed:
            self._parsed[number] = parse_pattern(self.patterns[number])
        return self._parsed[number]

    def inherits(self, pattern: Pattern) -> bool:
        return pattern.system in self.systems and self.systems[pattern.system].inherits

    def of(self, number: int) -> Ints:
        if number not in self._found:
            self._found[number] = self.tree.matches(self.parsed(number).target)
        return self._found[number]

    @cached_property
    def node_numbers(self) -> Mapping[str, int]:
        return self.tree.addresses.numbers()

    def intervals(self, number: int, scope_number: int, scope: Scope) -> AnchoredIntervals:
        """Where a pattern applies under a scope."""
        if (number, scope_number) not in self._runs:
            pattern = self.parsed(number)
            is_deep = pattern.holds_everything_below
            found = intervals_of(self.tree, self.of(number), is_deep, self.inherits(pattern), scope)
            self._runs[number, scope_number] = found
        return self._runs[number, scope_number]


def intervals_of_scoped(
    targets: Targets, pattern: Ints, scope: Ints, scopes: Sequence[Scope]
) -> tuple[Ints, AnchoredIntervals]:
    """Where entries with these patterns and scopes apply: for each interval its scoped entry, and the intervals.

    Those with an address, mostly nearly all, are done together; patterns with wildcards one by one.
    """
    used = distinct(pattern)
    is_address, node, is_deep, inherits = (np.zeros(len(targets.patterns), dtype=np.int64) for _ in range(4))
    for number in used.tolist():
        parsed = targets.parsed(number)
        if parsed.target.is_address:
            is_address[number] = 1
            node[number] = targets.node_numbers.get(str(parsed.target), -1)
            is_deep[number] = parsed.holds_everything_below
            inherits[number] = targets.inherits(parsed)
    scope_node = ints(_NO_ADDRESS if it.node is None else it.node for it in [*scopes, EVERYTHING])[scope]
    is_pattern = np.array([*(it.intervals is not None for it in scopes), False])[scope]
    single = (is_address[pattern] > 0) & (node[pattern] >= 0)
    parts: list[tuple[Ints, AnchoredIntervals]] = []

    def targets_of(scoped: Ints) -> tuple[Tree, Ints, Bools, Bools]:
        of = pattern[scoped]
        return targets.tree, node[of], is_deep[of] > 0, inherits[of] > 0

    free = (single & ~is_pattern & (scope_node == _NO_ADDRESS)).nonzero()[0]
    origin, intervals = reaching_down(*targets_of(free))
    parts.append((free[origin], intervals))
    under = (single & (scope_node >= 0)).nonzero()[0]
    origin, intervals = under_addresses(*targets_of(under), scope_node[under])
    parts.append((under[origin], intervals))
    cut = (single & is_pattern).nonzero()[0]
    origin, intervals = reaching_down(*targets_of(cut))
    parts += _cut_to_scopes(scope[cut], origin, intervals, scopes, cut)
    for at in (is_address[pattern] == 0).nonzero()[0].tolist():
        number = int(scope[at])
        found = targets.intervals(int(pattern[at]), number, scopes[number] if number >= 0 else EVERYTHING)
        parts.append((np.full(len(found), at), found))
    return joined([numbers for numbers, _ in parts]), join([found for _, found in parts])


_NO_ADDRESS = -2  # of a scope that is everything, a pattern or an area; -1 is an address at which there is nothing


def _cut_to_scopes(
    scope: Ints, origin: Ints, intervals: AnchoredIntervals, scopes: Sequence[Scope], numbers: Ints
) -> Iterator[tuple[Ints, AnchoredIntervals]]:
    """Intervals cut down to the scopes of the entries that they are of, scope by scope."""
    by_scope = csr_from_pairs(scope[origin].astype(np.int64), np.arange(len(origin)), len(scopes))
    for number in distinct(scope).tolist():
        held = scopes[number].intervals
        at = by_scope[number].astype(np.int64)
        assert held is not None
        some = AnchoredIntervals(intervals.first[at], intervals.end[at], intervals.anchor[at])
        yield within_scope(numbers[origin[at]], some, flattened(held))


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


def _compile_scopes(records: Records, texts: Sequence[str], tree: Tree) -> list[Scope]:
    areas = columns_of(records, kinds.AREAS, "area", "resources", "except", "filter")
    by_name = {area: tuple(rest) for area, *rest in zip(*areas, strict=True)}
    needed = {text.removeprefix("area:") for text in texts if text.startswith("area:")}
    filtered = _filtered(records, tree, {by_name[area][2] for area in needed & by_name.keys()})
    scopes = []
    for text in texts:
        if text.startswith("area:"):
            scopes.append(_compile_area(by_name.get(text.removeprefix("area:"), (None, None, None)), tree, filtered))
        else:
            scopes.append(compile_scope(text, tree))
    return scopes


def compile_scope(text: str, tree: Tree) -> Scope:
    """What a scope that is an address or a pattern holds."""
    pattern = parse_pattern(text)
    if pattern.is_address:
        return Scope(node=tree.node(pattern))
    return _scope_of(tree, _held(tree, tree.matches(pattern)), np.full(len(tree), -1))


def _scope_of(tree: Tree, held: Bools, anchors: Ints) -> Scope:
    """A scope from what it holds and the anchor there, both over nodes."""
    return Scope(intervals=intervals_from(np.where(held, anchors, -2)[tree.node_at], absent=-2))


def _compile_area(area: Sequence[str | None], tree: Tree, filtered: Mapping[str, Bools]) -> Scope:
    """What an area holds, and the depth of its deepest entry that is an address on the way to each node."""
    direct, exceptions, text = area
    held, anchors = np.zeros(len(tree), dtype=bool), np.full(len(tree), -1)
    for principal in kinds.split_list(direct):
        pattern = parse_pattern(principal)
        node = tree.node(pattern) if pattern.is_address else -1
        if node >= 0:
            held[tree.down_from(node)] = True
            below = slice(node, int(tree.end[node]))
            anchors[below] = np.maximum(anchors[below], tree.depth[node])
        elif not pattern.is_address:
            held[tree.matches(pattern)] = True
    for principal in kinds.split_list(exceptions):
        pattern = parse_pattern(principal)
        found = tree.matches(pattern)
        held &= ~(tree.below(found.tolist()) if pattern.is_address else _held(tree, found))
    return _scope_of(tree, held & filtered[text] if text else held, anchors)


def _filtered(records: Records, tree: Tree, filters: Iterable[str | None]) -> dict[str, Bools]:
    """The nodes for whose record each filter is true; a node that no source lists has no attribute."""
    parsed = {text: parse_filter(text) for text in filters if text}
    if not parsed:
        return {}
    attributes = AttributeColumns(records, kinds.RESOURCES)
    at = ints(tree.node(parse_pattern(address)) for address in columns_of(records, kinds.RESOURCES, "resource")[0])
    found = {}
    for text, node in parsed.items():
        true = attributes.selected(node)
        nodes = np.full(len(tree), selected(node, lambda _: Distinct(np.full(1, -1, dtype=np.int32), []), 1)[0])
        nodes[at[at >= 0]] = true[at >= 0]
        found[text] = nodes
    return found


def _held(tree: Tree, nodes: Ints) -> Bools:
    held = np.zeros(len(tree), dtype=bool)
    held[nodes] = True
    return held
