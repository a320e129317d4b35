"""An index as it is with some edits: only what the edits touch is compiled anew.

Grants and memberships, of which there are most, are put in and taken out where they stand. What roles, actions, areas
and resources mean is compiled anew from their records where one of these is edited.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any, TypeVar

import numpy as np
import numpy.typing as npt

from kathodos.columns.csr import Bools, CSRList, Ints, bools, csr_from_pairs, distinct, ints, joined, reachable, small
from kathodos.columns.dictionary import dictionary_column
from kathodos.columns.ordered import insertion_points, order_of
from kathodos.columns.strings import Hashes, StringTable, hash_of, string_table
from kathodos.engine.applying import Targets, compile_scope
from kathodos.engine.compile import (
    GrantTable,
    Numbering,
    RowNumbers,
    accounts_by_owner,
    compile_index,
    identities_selected,
)
from kathodos.engine.index import (
    ANY_ACTION,
    BY_FILTER,
    LISTED,
    NO_ROLE,
    AccessEntries,
    Entitlements,
    Grants,
    Holders,
    Index,
)
from kathodos.engine.policy import compile_policy
from kathodos.engine.resources import Resources, compile_resources
from kathodos.engine.scopes import EVERYTHING, AnchoredIntervals, Scope, ScopedIntervals, join, ordered_intervals
from kathodos.model import kinds
from kathodos.model.addresses import parse_pattern
from kathodos.model.filters import parse_filter
from kathodos.model.kinds import Kind
from kathodos.model.rows import Record, Rows
from kathodos.model.times import end_moment, first_moment
from kathodos.store.attributes import AttributeColumns
from kathodos.store.records import Edit, Edits, InMemory, Records

ROW = "row"
_RESOURCES = {kind.name for kind in (kinds.SYSTEMS, kinds.RESOURCES)}
_POLICY = _RESOURCES | {
    kind.name
    for kind in (kinds.ROLES, kinds.ROLE_JUNIORS, kinds.ROLE_PERMISSIONS, kinds.ACTIONS, kinds.AREAS, kinds.MANDATES)
}
_HOLDING = {kind.name for kind in (kinds.IDENTITIES, kinds.ACCOUNTS, kinds.GROUPS, kinds.MEMBERS)}
Number = TypeVar("Number", bound=np.generic)


def updated(index: Index, edits: Edits, records: Records) -> Index:
    """The index with the edits; `records` are those with the edits made."""
    touched = {name for name, edit in edits.items() if len(edit)}
    holders, numbers = index.holders, None
    if touched & _HOLDING:
        changing = _Holding(index.holders, edits, records)
        if changing.needs_everything:
            return compile_index(records)
        holders, numbers = changing.holders(), changing.numbers
    change = _GrantChange(index, holders, numbers, edits.get(kinds.GRANTS.name, Edit()))
    if change.may_take_an_action_along:
        return compile_index(records)
    holders = change.holders
    if touched & _POLICY or change.names_what_is_new:
        resources = Resources(index.tree, index.type_names, index.types, index.node_rows)
        if touched & _RESOURCES:
            resources = compile_resources(records)
        return compile_policy(
            records, resources, holders, change.grants, change.gives, change.scopes, change.entitlements
        )
    if touched:
        index = _with_entitlements(index, change)
        index = replace(
            index,
            holders=holders,
            grants=change.grants,
            entitlement_grants=csr_from_pairs(
                change.grants.entitlement, np.arange(len(change.grants)), len(index.entitlements)
            ),
            holder_grants=csr_from_pairs(change.grants.holder, np.arange(len(change.grants)), holders.size),
        )
    return index


# Who may hold a grant


@dataclass(frozen=True)
class _Names:
    """What goes and comes among the names of one kind of holder: positions that go, and records by key."""

    gone: Ints
    added: list[Record]
    changed: list[tuple[int, Record]]

    @property
    def is_still(self) -> bool:
        return not len(self.gone) and not self.added


def _name_of(kind: Kind, record: Record) -> str:
    return "/".join(str(record[name]) for name in kind.key)


class _Holding:
    """The edits of identities, accounts, groups and memberships."""

    def __init__(self, holders: Holders, edits: Edits, records: Records) -> None:
        self.old = holders
        self.edits = edits
        self.records = records
        self.people = self._names(kinds.IDENTITIES, holders.identities)
        self.accounts = self._names(kinds.ACCOUNTS, holders.accounts)
        self.groups = self._names(kinds.GROUPS, holders.groups)
        named = (
            ("identity", kinds.IDENTITIES, self.people),
            ("account", kinds.ACCOUNTS, self.accounts),
            ("group", kinds.GROUPS, self.groups),
        )
        fresh = [f"{prefix}:{_name_of(kind, record)}" for prefix, kind, names in named for record in names.added]
        self.needs_everything = any(holders.unknown.find(reference) >= 0 for reference in fresh)
        self.unknown = {
            holders.references[first + at]
            for first, names in ((0, self.people), (holders.people, self.accounts), (holders.first_group, self.groups))
            for at in names.gone.tolist()
        }
        self.is_still = all(names.is_still for _, _, names in named)
        self.numbers: Ints | None = None if self.is_still else self._numbers()

    def edit(self, kind: Kind) -> Edit:
        return self.edits.get(kind.name, Edit())

    def _names(self, kind: Kind, texts: StringTable) -> _Names:
        edit = self.edit(kind)
        come = {_name_of(kind, record): {ROW: -at, **record} for at, record in enumerate(edit.come, 1)}
        gone = {_name_of(kind, record): 0 for record in edit.gone}
        at = {name: texts.find(name) for name in {**gone, **come}}
        return _Names(
            gone=np.sort(ints(at[name] for name in gone if name not in come and at[name] >= 0)),
            added=[record for name, record in come.items() if at[name] < 0],
            changed=[(at[name], record) for name, record in come.items() if at[name] >= 0],
        )

    def _numbers(self) -> Ints:
        """The new number of each holder there was; -1 for those that are gone."""
        old, numbers, first = self.old, [], 0
        for texts, names in ((old.identities, self.people), (old.accounts, self.accounts), (old.groups, self.groups)):
            stays = np.ones(len(texts), dtype=bool)
            stays[names.gone] = False
            numbers.append(np.where(stays, first + np.cumsum(stays) - 1, -1))
            first += int(stays.sum()) + len(names.added)
        return np.append(joined(numbers), first)

    def holders(self) -> Holders:
        """The holders with the edits."""
        old = self.old
        identities = old.identities.without(self.people.gone, (str(it["id"]) for it in self.people.added))
        logins = [str(it["login"]) for it in self.accounts.added]
        names = (_name_of(kinds.ACCOUNTS, it) for it in self.accounts.added)
        accounts = old.accounts.without(self.accounts.gone, names)
        groups = old.groups.without(self.groups.gone, (_name_of(kinds.GROUPS, it) for it in self.groups.added))
        owner = self._owners(identities)
        login_hashes, by_login = self._by_login(logins)
        draft = replace(
            old,
            identities=identities,
            accounts=accounts,
            groups=groups,
            owner=small(owner),
            is_enabled=self._column(old.is_enabled, self.accounts, lambda it: it["status"] == "enabled"),
            is_active=self._column(old.is_active, self.people, lambda it: it["status"] == "active"),
            starts=self._column(old.starts, self.people, lambda it: first_moment(it["starts"])),
            ends=self._column(old.ends, self.people, lambda it: end_moment(it["ends"])),
            rows=self._column(old.rows, self.people, lambda it: it[ROW]),
            account_rows=self._column(old.account_rows, self.accounts, lambda it: it[ROW]),
            group_rows=self._column(old.group_rows, self.groups, lambda it: it[ROW]),
            accounts_of=accounts_by_owner(owner, len(identities)),
            login_hashes=login_hashes,
            by_login=by_login,
            filters=self._filters(),
        )
        return self._with_members(self._renumbered(draft))

    @staticmethod
    def _column(column: npt.NDArray[Number], names: _Names, read: Callable[[Record], Any]) -> npt.NDArray[Number]:
        """A column without those gone, with those changed and added."""
        column = np.array(column)
        for at, record in names.changed:
            column[at] = read(record)
        added = np.array([read(record) for record in names.added], dtype=column.dtype)
        return np.concatenate([np.delete(column, names.gone), added])

    def _owners(self, identities: StringTable) -> Ints:
        """The owner of each account, in the new numbers."""

        def find(record: Record) -> int:
            if not record["identity"]:
                return -1
            at = identities.find(str(record["identity"]))
            if at < 0:
                self.unknown.add(f"identity:{record['identity']}")
            return at

        owner = self.old.owner.astype(np.int64)
        if self.numbers is not None:
            owner = np.where(owner >= 0, self.numbers[owner], -1)
        found: Ints = self._column(owner, self.accounts, find)
        return found

    def _by_login(self, logins: list[str]) -> tuple[Hashes, Ints]:
        hashes, by_login = self.old.login_hashes, self.old.by_login
        if len(self.accounts.gone):
            stays = np.ones(len(self.old.accounts), dtype=bool)
            stays[self.accounts.gone] = False
            kept = stays[by_login]
            hashes, by_login = hashes[kept], (np.cumsum(stays) - 1)[by_login[kept]]
        added = np.array([hash_of(login) for login in logins], dtype=np.uint32)
        order = order_of(added)
        where = np.searchsorted(hashes, added[order])
        first = len(by_login)
        return np.insert(hashes, where, added[order]), small(np.insert(by_login, where, first + order))

    def _filters(self) -> list[str | None]:
        filters = list(self.old.filters)
        for at, record in self.groups.changed:
            filters[at] = record["filter"]
        gone = set(self.groups.gone.tolist())
        kept = [text for at, text in enumerate(filters) if at not in gone]
        return [*kept, *(record["filter"] for record in self.groups.added)]

    def _renumbered(self, draft: Holders) -> Holders:
        """The memberships of those who stay, in the new numbers; they keep their order."""
        if self.numbers is None:
            return draft
        edges, members = draft.edges, draft.members
        rows, items = self.numbers[edges.rows()], self.numbers[edges.items]
        stays = (rows >= 0) & (items >= 0)
        turned_rows, turned_items = self.numbers[members.rows()], self.numbers[members.items]
        turned_stays = (turned_rows >= 0) & (turned_items >= 0)
        return replace(
            draft,
            edges=csr_from_pairs(rows[stays], items[stays], draft.size),
            why=draft.why[stays],
            members=csr_from_pairs(turned_rows[turned_stays], turned_items[turned_stays], draft.size),
        )

    def _with_members(self, holders: Holders) -> Holders:
        """The holders with the memberships that the edits make and end."""
        pairs = _Pairs(holders)
        edit = self.edit(kinds.MEMBERS)
        for record in edit.gone:
            pairs.clear(*self._pair(holders, record), LISTED)
        for record in edit.come:
            pairs.set(*self._pair(holders, record), LISTED)
        self._filter_pairs(holders, pairs)
        unknown = string_table(sorted({*holders.unknown, *self.unknown}))
        return replace(pairs.applied(), unknown=unknown)

    def _pair(self, holders: Holders, record: Record) -> tuple[int, int]:
        references = (str(record["member"]), f"group:{record['system']}/{record['group']}")
        member, group = (holders.find(reference) for reference in references)
        if member < 0 or group < 0:
            self.unknown.add(references[0] if member < 0 else references[1])
        return member, group

    def _filter_pairs(self, holders: Holders, pairs: _Pairs) -> None:
        """Filters are asked again: each about those whose record changed, and a changed one about everybody."""
        people = [*self.people.changed, *((-1, record) for record in self.people.added)]
        asked = [record for _, record in people]
        numbers = ints(holders.identities.find(str(record["id"])) for record in asked)
        for number in numbers.tolist():
            _, positions = holders.edges.positions(np.array([number]))
            for at in positions[holders.why[positions] & BY_FILTER > 0].tolist():
                pairs.clear(number, int(holders.edges.items[at]), BY_FILTER)
        columns = {name: [record[name] for record in asked] for name in kinds.IDENTITIES.names}
        rows = Rows(kinds.IDENTITIES, [int(record[ROW]) for record in asked], columns)
        groups = (*self.groups.added, *(record for _, record in self.groups.changed))
        renewed = {_name_of(kinds.GROUPS, record) for record in groups}
        known = {text: parse_filter(text) for text in set(holders.filters) if text}
        asked_columns = AttributeColumns(InMemory({rows.kind.name: rows}), rows.kind)
        true = {text: numbers[asked_columns.selected(node)].tolist() for text, node in known.items()} if asked else {}
        for at, text in enumerate(holders.filters):
            group = holders.first_group + at
            if renewed and holders.groups[at] in renewed:
                self._renew(holders, pairs, group, text)
            elif text:
                for number in true.get(text, ()):
                    pairs.set(number, group, BY_FILTER)

    def _renew(self, holders: Holders, pairs: _Pairs, group: int, text: str | None) -> None:
        for member in holders.members[group].tolist():
            pairs.clear(member, group, BY_FILTER)
        if text:
            rows = self.records.rows(kinds.IDENTITIES)[identities_selected(self.records, [text])[text]]
            for number in RowNumbers(holders.rows).of(rows).tolist():
                pairs.set(number, group, BY_FILTER)


class _Pairs:
    """Memberships to be set and cleared, each for a reason."""

    def __init__(self, holders: Holders) -> None:
        self._holders = holders
        self._changes: dict[tuple[int, int], list[int]] = {}

    def clear(self, member: int, group: int, why: int) -> None:
        if member >= 0 and group >= 0:
            change = self._changes.setdefault((member, group), [0, 0])
            change[0] |= why
            change[1] &= ~why

    def set(self, member: int, group: int, why: int) -> None:
        if member >= 0 and group >= 0:
            self._changes.setdefault((member, group), [0, 0])[1] |= why

    def applied(self) -> Holders:
        """The holders with all of it."""
        holders = self._holders
        why, ended, made = np.array(holders.why), [], []
        for (member, group), (clear, put) in self._changes.items():
            row = holders.edges[member]
            at = int(insertion_points(row, group))
            if at < len(row) and row[at] == group:
                position = int(holders.edges.starts[member]) + at
                why[position] = (why[position] & ~clear) | put
                if not why[position]:
                    ended.append((position, member, group))
            elif put:
                made.append((member, group, put))
        edges, members = holders.edges, holders.members
        if ended:
            positions = ints(position for position, _, _ in ended)
            turned = [members.position_for(np.array([group]), np.array([member]))[1] for _, member, group in ended]
            edges, members = edges.without(positions), members.without(joined(turned))
            why = np.delete(why, positions)
        if made:
            of, to = ints(member for member, _, _ in made), ints(group for _, group, _ in made)
            order, positions = edges.position_for(of, to)
            why = np.insert(why, positions, np.array([put for _, _, put in made], dtype=why.dtype)[order])
            edges, members = edges.with_more(of, to), members.with_more(to, of)
        return replace(holders, edges=edges, members=members, why=why)


# What they have been given


class _GrantChange:
    """The edits of grants: the grants there are then, and entitlements of them that there were not before."""

    def __init__(self, index: Index, holders: Holders, numbers: Ints | None, edit: Edit) -> None:
        self.index = index
        old = index.grants
        holder = old.holder if numbers is None else small(numbers[old.holder])
        gone = ints(old.ids.find(str(record["grant"])) for record in edit.gone)
        gone = np.union1d(gone[gone >= 0], (holder < 0).nonzero()[0])
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

    @property
    def may_take_an_action_along(self) -> bool:
        """Whether a grant that goes names an action that no role's permission names: it may be the last to name it."""
        index = self.index
        entitlements = distinct(index.grants.entitlement[self.gone])
        entries = index.scoped_entry[
            index.entitlements.scoped.all_of(entitlements[index.entitlements.role[entitlements] < 0])
        ]
        carried = index.entries.action[index.role_entries.items]
        named = index.entries.action[entries]
        return bool(np.setdiff1d(named[named >= 0], carried).size)

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


def _with_entitlements(index: Index, change: _GrantChange) -> Index:
    """The index with the entitlements that a change of grants uses for the first time."""
    if not change.new_entitlements:
        return index
    old = index.entitlements
    gives_texts = old.gives_texts.without(ints([]), change.new_gives)
    scope_texts = old.scope_texts.without(ints([]), change.new_scopes)
    scopes = [*old.scopes, *(compile_scope(text, index.tree) for text in change.new_scopes)]
    entries, scoped = _NewLines(index), _NewScoped(index)
    entry_lists, roles = [], []
    for gives, scope in change.new_entitlements:
        action, rest = kinds.split_gives(gives_texts[gives])
        role = index.roles.find(rest.removeprefix("role:")) if not action else NO_ROLE
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


class _NewLines:
    """The index's entries, with those that are new."""

    def __init__(self, index: Index) -> None:
        self._index = index
        entries = index.entries
        self._verbs = {verb: at for at, verb in enumerate(entries.verbs)}
        self._patterns: Numbering[str] = Numbering(len(entries.patterns), entries.patterns.find)
        self._lines: Numbering[tuple[int, int]] = Numbering(len(entries), self._find)

    def _find(self, key: tuple[int, int]) -> int:
        entries, (verb, pattern) = self._index.entries, key
        if pattern >= len(entries.patterns):
            return -1
        of = entries.of_pattern[pattern]
        at = _first((entries.verb[of] == verb) & ~entries.denies[of])
        return int(of[at]) if at >= 0 else -1

    def number(self, action: str, pattern: str) -> int:
        verb = self._verbs.setdefault(action, len(self._verbs))
        return self._lines.number((verb, self._patterns.number(pattern)))

    def applied(self) -> AccessEntries:
        """All entries."""
        old, verbs = self._index.entries, list(self._verbs)
        if not self._lines.new:
            return old
        patterns = old.patterns.without(ints([]), self._patterns.new)
        new = list(self._lines.new)
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
