"""Records into an index. What is large is read some thousand records at a time and never held as objects."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterable, Mapping
from dataclasses import replace
from typing import Generic, TypeVar

import numpy as np

from kathodos.columns.csr import (
    CSRList,
    Ints,
    csr_from_pairs,
    first_of_each,
    ints,
    joined,
    small,
)
from kathodos.columns.dictionary import DictionaryColumn, distinct_pairs, tabled_texts
from kathodos.columns.ordered import insertion_points, order_of
from kathodos.columns.strings import Hashes, StringTable, joined_with, ordered_hashes, string_table
from kathodos.engine.compiled.index import (
    BY_FILTER,
    LISTED,
    Grants,
    Holders,
    Index,
)
from kathodos.engine.compiled.policy import compile_policy
from kathodos.engine.compiled.resources import compile_resources
from kathodos.model import kinds
from kathodos.model.filters import parse_filter
from kathodos.model.kinds import Kind
from kathodos.model.references import reference_to
from kathodos.model.times import end_moment, first_moment
from kathodos.store.attributes import AttributeColumns
from kathodos.store.records import Records


def compile_index(records: Records) -> Index:
    """The index of all records."""
    holders = compile_holders(records)
    table = GrantTable(holders, Numbering(), Numbering(), Numbering())
    columns = {name: records.column(kinds.GRANTS, name) for name in GrantTable.COLUMNS}
    grants = table.add(columns, records.rows(kinds.GRANTS))
    holders = replace(holders, unknown=string_table(sorted({*holders.unknown, *table.unknown})))
    parts = (table.gives.new, table.scopes.new, table.entitlements.new)
    return compile_policy(records, compile_resources(records), holders, grants, *parts)


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
        why[insertion_points(codes, some)] |= flag
    return csr_from_pairs(codes // size, codes % size, size), why  # type: ignore[return-value]  # see Ints


def _listed_members(records: Records, holders: Holders, unknown: set[str]) -> tuple[Ints, Ints]:
    """(member, group) of every listed membership of holders that are known."""
    members, systems, names = (records.column(kinds.MEMBERS, name) for name in ("member", "system", "group"))
    number = np.append(holders.numbers_of(tabled_texts(members)), -1)
    pair, first = distinct_pairs(systems.codes, names.codes)
    groups = [f"{systems.value(at)}/{names.value(at)}" for at in first.tolist()]
    of_pair = holders.groups.positions_of(groups)
    unknown |= _not_found(members, number) | {
        reference_to("group", groups[at]) for at in (of_pair < 0).nonzero()[0].tolist()
    }
    member, group = number[members.codes], of_pair[pair] if len(pair) else pair
    known = (member >= 0) & (group >= 0)
    return member[known], group[known] + holders.first_group


class RowNumbers:
    """Row numbers of records, and which number each record has here."""

    def __init__(self, rows: Ints) -> None:
        self._order = order_of(rows)
        self._rows = rows[self._order]

    def of(self, rows: Ints) -> Ints:
        return self._order[insertion_points(self._rows, rows)]


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
