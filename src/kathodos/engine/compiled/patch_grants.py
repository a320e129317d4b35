"""What holders were given after some edits: grants, and the entitlements that they use for the first time."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from kathodos.columns.csr import (
    Bools,
    CSRList,
    Ints,
    bools,
    csr_from_pairs,
    distinct,
    ints,
    joined,
    reachable,
    small,
    union,
)
from kathodos.columns.dictionary import dictionary_column
from kathodos.columns.strings import string_table
from kathodos.engine.compiled.applying import Targets, compile_scope
from kathodos.engine.compiled.compile import (
    GrantTable,
    Numbering,
)
from kathodos.engine.compiled.index import (
    ANY_ACTION,
    NO_ROLE,
    AccessEntries,
    Entitlements,
    Grants,
    Holders,
    Index,
)
from kathodos.engine.compiled.patch_holders import ROW
from kathodos.engine.compiled.scopes import (
    EVERYTHING,
    AnchoredIntervals,
    Scope,
    ScopedIntervals,
    join,
    ordered_intervals,
)
from kathodos.model import kinds
from kathodos.model.addresses import parse_pattern
from kathodos.model.references import name_in
from kathodos.store.edited import Edit
from kathodos.store.records import Records, columns_of


class GrantChange:
    """The edits of grants: the grants there are then, and entitlements of them that there were not before."""

    def __init__(self, index: Index, holders: Holders, numbers: Ints | None, edit: Edit) -> None:
        self.index = index
        old = index.grants
        holder = old.holder if numbers is None else small(numbers[old.holder])
        gone = ints(old.ids.find(str(record["grant"])) for record in edit.gone)
        gone = union(gone[gone >= 0], (holder < 0).nonzero()[0])
        entitlements = index.entitlements
        self.gone = gone
        table = GrantTable(
            holders,
            Numbering(len(entitlements.gives_texts), entitlements.gives_texts.find),
            Numbering(len(entitlements.scope_texts), entitlements.scope_texts.find),
            Numbering(
                len(entitlements), lambda key: _first(_both(entitlements.gives, key[0], entitlements.scope, key[1]))
            ),
        )
        come = [{ROW: -at, **record} for at, record in enumerate(edit.come, 1)]
        columns = {name: dictionary_column([record[name] for record in come]) for name in GrantTable.COLUMNS}
        more = table.add(columns, ints(record[ROW] for record in come))
        self.holders = holders
        if table.unknown:
            self.holders = replace(holders, unknown=string_table(sorted({*holders.unknown, *table.unknown})))
        self.grants = old
        if len(gone) or len(more) or numbers is not None:
            self.grants = Grants(
                ids=old.ids.without(gone, more.ids),
                rows=np.concatenate([np.delete(old.rows, gone), more.rows]),
                holder=np.concatenate([np.delete(holder, gone), more.holder]),
                entitlement=np.concatenate([np.delete(old.entitlement, gone), more.entitlement]),
                denies=np.concatenate([np.delete(old.denies, gone), more.denies]),
                tier=np.concatenate([np.delete(old.tier, gone), more.tier]),
                starts=np.concatenate([np.delete(old.starts, gone), more.starts]),
                ends=np.concatenate([np.delete(old.ends, gone), more.ends]),
            )
        self.new_gives, self.new_scopes = list(table.gives.new), list(table.scopes.new)
        self.new_entitlements = list(table.entitlements.new)

    @property
    def gives(self) -> list[str]:
        return [*self.index.entitlements.gives_texts, *self.new_gives]

    @property
    def scopes(self) -> list[str]:
        return [*self.index.entitlements.scope_texts, *self.new_scopes]

    @property
    def entitlements(self) -> list[tuple[int, int]]:
        """What each entitlement gives and its scope, by number."""
        old = self.index.entitlements
        return [*zip(old.gives.tolist(), old.scope.tolist(), strict=True), *self.new_entitlements]

    def may_take_an_action_along(self, records: Records) -> bool:
        """Whether a grant that goes names an action that is not listed and that no role's permission names.

        It may be the last to name it.
        """
        if not len(self.gone):
            return False
        index = self.index
        entitlements = distinct(index.grants.entitlement[self.gone])
        entries = index.scoped_entry[
            index.entitlements.scoped.all_of(entitlements[index.entitlements.role[entitlements] < 0])
        ]
        if not len(entries):
            return False
        carried = index.entries.action[index.role_entries.items]
        named = index.entries.action[entries]
        left = np.setdiff1d(named[named >= 0], carried).tolist()
        if not left:
            return False
        listed = set(zip(*columns_of(records, kinds.ACTIONS, "system", "action"), strict=True))
        return any(index.actions[action] not in listed for action in left)

    @property
    def names_what_is_new(self) -> bool:
        """Whether a new grant names an action that its system does not have, or a scope not seen before."""
        actions = self.index.action_number
        permissions = (kinds.split_gives(text) for text in self.new_gives)
        named = ((pattern.partition(":")[0], action) for action, pattern in permissions if action not in ("", "*"))
        return any(name not in actions for name in named) or any(text.startswith("area:") for text in self.new_scopes)


def _both(first: Ints, wanted: int, second: Ints, also: int) -> Bools:
    found: Bools = (first == wanted) & (second == also)
    return found


def _first(true: Bools) -> int:
    """The first position that is true, or -1."""
    at = int(true.argmax()) if len(true) else 0
    return at if len(true) and true[at] else -1


def with_entitlements(index: Index, change: GrantChange) -> Index:
    """The index with the entitlements that a change of grants uses for the first time."""
    if not change.new_entitlements:
        return index
    old = index.entitlements
    gives_texts = old.gives_texts.without(ints([]), change.new_gives)
    scope_texts = old.scope_texts.without(ints([]), change.new_scopes)
    scopes = [*old.scopes, *(compile_scope(text, index.tree) for text in change.new_scopes)]
    entries, scoped = _NewEntries(index), _NewScoped(index)
    entry_lists, roles = [], []
    for gives, scope in change.new_entitlements:
        action, rest = kinds.split_gives(gives_texts[gives])
        role = index.roles.find(name_in("role", rest)) if not action else NO_ROLE
        roles.append(role)
        entry_list = [entries.number(action, rest)] if action else _entry_list(index, role)
        entry_lists.append([scoped.number((entry, scope)) for entry in entry_list])
    kept = entries.applied()
    scoped_entry = np.append(index.scoped_entry, ints(entry for entry, _ in scoped.new))
    scoped_scope = np.append(index.scoped_scope, ints(scope for _, scope in scoped.new))
    intervals = _with_scoped(index, kept, list(scoped.new), scopes)
    items = joined([ints(entry_list) for entry_list in entry_lists])
    first = len(old)
    starts = np.append(old.scoped.starts, old.scoped.starts[-1] + np.cumsum(list(map(len, entry_lists))))
    scoped_of_entitlement = CSRList(starts, small(np.concatenate([old.scoped.items, items])))
    of = np.repeat(np.arange(first, first + len(entry_lists)), [len(entry_list) for entry_list in entry_lists])
    ends = np.full(len(scoped.new), index.scoped_entitlements.starts[-1])
    scoped_entitlements = CSRList(np.append(index.scoped_entitlements.starts, ends), index.scoped_entitlements.items)
    return replace(
        index,
        entries=kept,
        entitlements=Entitlements(
            gives_texts=gives_texts,
            scope_texts=scope_texts,
            scopes=scopes,
            gives=small(np.append(old.gives, ints(gives for gives, _ in change.new_entitlements))),
            scope=small(np.append(old.scope, ints(scope for _, scope in change.new_entitlements))),
            role=small(np.append(old.role, ints(roles))),
            scoped=scoped_of_entitlement,
        ),
        scoped_entry=small(scoped_entry),
        scoped_scope=small(scoped_scope),
        scoped_intervals=csr_from_pairs(intervals.scoped, np.arange(len(intervals)), len(scoped_entry)),
        scoped_entitlements=scoped_entitlements.with_more(items, of),
        intervals=intervals,
    )


def _with_scoped(
    index: Index, entries: AccessEntries, new: Sequence[tuple[int, int]], scopes: Sequence[Scope]
) -> ScopedIntervals:
    """The intervals of the index together with those of new scoped entries."""
    targets = Targets(index.tree, entries.patterns, index.systems)
    parts = [
        targets.intervals(int(entries.pattern[entry]), scope, scopes[scope] if scope >= 0 else EVERYTHING)
        for entry, scope in new
    ]
    first = len(index.scoped_entry)
    scoped_at = np.repeat(np.arange(first, first + len(new)), [len(part) for part in parts])
    if not len(scoped_at):
        return index.intervals
    old = index.intervals
    intervals = join([AnchoredIntervals(old.first, old.end, old.anchor), *parts])
    return ordered_intervals(np.concatenate([old.scoped, scoped_at]), intervals)


def _entry_list(index: Index, role: int) -> list[int]:
    """The entries that a role gives with all its juniors, as far as they are active."""
    if role < 0 or not index.role_is_active[role]:
        return []
    passing = index.role_is_active[index.juniors.items]
    active = csr_from_pairs(index.juniors.rows()[passing], index.juniors.items[passing], len(index.juniors))
    below = reachable(active, np.array([role]))
    return [int(entry) for entry in distinct(index.role_entries.of(below)[1])]


class _NewEntries:
    """The index's entries, with those that are new."""

    def __init__(self, index: Index) -> None:
        self._index = index
        entries = index.entries
        self._verbs = {verb: at for at, verb in enumerate(entries.verbs)}
        self._patterns: Numbering[str] = Numbering(len(entries.patterns), entries.patterns.find)
        self._entries: Numbering[tuple[int, int]] = Numbering(len(entries), self._find)

    def _find(self, key: tuple[int, int]) -> int:
        entries, (verb, pattern) = self._index.entries, key
        if pattern >= len(entries.patterns):
            return -1
        of = entries.of_pattern[pattern]
        at = _first((entries.verb[of] == verb) & ~entries.denies[of])
        return int(of[at]) if at >= 0 else -1

    def number(self, action: str, pattern: str) -> int:
        verb = self._verbs.setdefault(action, len(self._verbs))
        return self._entries.number((verb, self._patterns.number(pattern)))

    def applied(self) -> AccessEntries:
        """All entries."""
        old, verbs = self._index.entries, list(self._verbs)
        if not self._entries.new:
            return old
        patterns = old.patterns.without(ints([]), self._patterns.new)
        new = list(self._entries.new)
        actions = [
            self._index.action_number.get((parse_pattern(patterns[pattern]).system, verbs[verb]), ANY_ACTION)
            for verb, pattern in new
        ]
        return AccessEntries(
            verbs=verbs,
            patterns=patterns,
            verb=small(np.append(old.verb, ints(verb for verb, _ in new))),
            pattern=small(np.append(old.pattern, ints(pattern for _, pattern in new))),
            denies=np.append(old.denies, bools(False for _ in new)),
            action=small(np.append(old.action, ints(actions))),
        )


class _NewScoped(Numbering[tuple[int, int]]):
    """The index's scoped entries by entry and scope, with those that are new."""

    def __init__(self, index: Index) -> None:
        def find(key: tuple[int, int]) -> int:
            return _first(_both(index.scoped_entry, key[0], index.scoped_scope, key[1]))

        super().__init__(len(index.scoped_entry), find)
