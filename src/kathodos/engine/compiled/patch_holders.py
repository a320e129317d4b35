"""Who may hold a grant after some edits: names, owners and memberships, put in and taken out where they stand."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any, TypeVar

import msgspec
import numpy as np
import numpy.typing as npt

from kathodos.columns.csr import Ints, csr_from_pairs, ints, joined, small
from kathodos.columns.ordered import insertion_points, order_of
from kathodos.columns.strings import Hashes, StringTable, hash_of, string_table
from kathodos.engine.compiled.compile import (
    RowNumbers,
    accounts_by_owner,
    identities_selected,
)
from kathodos.engine.compiled.index import (
    BY_FILTER,
    LISTED,
    Holders,
)
from kathodos.model import kinds
from kathodos.model.filters import parse_filter
from kathodos.model.kinds import Kind
from kathodos.model.references import reference_to
from kathodos.model.rows import Record, Rows
from kathodos.model.times import end_moment, first_moment
from kathodos.store.attributes import AttributeColumns
from kathodos.store.edited import Edit, Edits
from kathodos.store.records import InMemory, Records

ROW = "row"


Number = TypeVar("Number", bound=np.generic)


class _Names(msgspec.Struct, frozen=True):
    """What goes and comes among the names of one kind of holder: positions that go, and records by key."""

    gone: Ints
    added: list[Record]
    changed: list[tuple[int, Record]]

    @property
    def is_still(self) -> bool:
        return not len(self.gone) and not self.added


def _name_of(kind: Kind, record: Record) -> str:
    return "/".join(str(record[name]) for name in kind.key)


class HolderChange:
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
                self.unknown.add(reference_to("identity", record["identity"]))
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
        references = (str(record["member"]), reference_to("group", record["system"], record["group"]))
        member, group = (holders.find(reference) for reference in references)
        if member < 0 or group < 0:
            self.unknown.add(references[0] if member < 0 else references[1])
        return member, group

    def _filter_pairs(self, holders: Holders, pairs: _Pairs) -> None:
        """Filters are asked again: each about those whose record changed, and a changed one about everybody."""
        people = [*self.people.changed, *((-1, record) for record in self.people.added)]
        groups = (*self.groups.added, *(record for _, record in self.groups.changed))
        if not people and not groups:
            return
        asked = [record for _, record in people]
        numbers = ints(holders.identities.find(str(record["id"])) for record in asked)
        for number in numbers.tolist():
            _, positions = holders.edges.positions(np.array([number]))
            for at in positions[holders.why[positions] & BY_FILTER > 0].tolist():
                pairs.clear(number, int(holders.edges.items[at]), BY_FILTER)
        columns = {name: [record[name] for record in asked] for name in kinds.IDENTITIES.names}
        rows = Rows(kinds.IDENTITIES, [int(record[ROW]) for record in asked], columns)
        known = {text: parse_filter(text) for text in set(holders.filters) if text}
        asked_columns = AttributeColumns(InMemory({rows.kind.name: rows}), rows.kind)
        true = {text: numbers[asked_columns.selected(node)].tolist() for text, node in known.items()} if asked else {}
        first, renewed = holders.first_group, {holders.groups.find(_name_of(kinds.GROUPS, it)) for it in groups}
        for at in sorted(renewed - {-1}):
            self._renew(holders, pairs, first + at, holders.filters[at])
        for at, text in enumerate(holders.filters):
            if text and at not in renewed:
                for number in true.get(text, ()):
                    pairs.set(number, first + at, BY_FILTER)

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
