"""What the catalogue says about whom and what the index numbers: columns by identity, account, grant and resource.

Every column is read when it is first asked for, and each distinct value is looked at once.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from functools import cached_property, partial
from typing import Any, overload

import msgspec
import numpy as np
import numpy.typing as npt

from kathodos import thresholds
from kathodos.analysis.askers import AskerAttributes, Computed
from kathodos.analysis.evidence.things import Things
from kathodos.columns.csr import Bools, CSRList, Ints, csr_from_pairs, small
from kathodos.columns.dictionary import DictionaryColumn, Scalar, appended, distinct_pairs, tabled, tabled_texts
from kathodos.columns.moments import moments_of
from kathodos.columns.ordered import insertion_points, order_of
from kathodos.columns.strings import StringTable
from kathodos.engine.compiled.index import Index
from kathodos.engine.decide import is_live
from kathodos.model import kinds
from kathodos.model.filters import Node
from kathodos.model.kinds import Kind
from kathodos.model.times import BEGINNING, DAY
from kathodos.store.attributes import AttributeColumns
from kathodos.store.records import Records, Stored

_NEVER = np.iinfo(np.int64).max
_TRIED = 3  # moments at which nobody known used a system, after which it is looked at whole


class Uses(msgspec.Struct, frozen=True):
    """Recorded uses, one element each, by user: who (identities, then accounts), action, node, time and record.

    `account` is the number of the account that was named, less that of the first, or -1. `action` is a number of the
    index's actions, `time` in microseconds since 1970, `record` a code in `records` (-1: none); `starts` and `items` of
    `by_user` lead from a user to its uses.
    """

    user: Ints
    account: Ints
    action: Ints
    node: Ints
    time: Ints
    record: Ints
    count: Ints
    records: Sequence[Scalar]
    by_user: CSRList

    def __len__(self) -> int:
        return len(self.user)

    def of(self, users: Bools) -> Uses:
        """Those of some users."""
        some = users[self.user].nonzero()[0]
        if len(some) == len(self):
            return self
        return Uses(
            user=self.user[some],
            account=self.account[some],
            action=self.action[some],
            node=self.node[some],
            time=self.time[some],
            record=self.record[some],
            count=self.count[some],
            records=self.records,
            by_user=csr_from_pairs(self.user[some], np.arange(len(some)), len(self.by_user)),
        )


class Basis:
    """What findings rest on: the columns of what one index numbers, at a moment in microseconds since 1970.

    `people` identities come first, then accounts: `size` altogether. `risks` gives the risk of all
    `identities` or `accounts`, where a filter asks for it; `history` the records with their earlier states, where there
    are some.
    """

    def __init__(self, records: Records, index: Index, moment: int) -> None:
        self.records = records
        self.index = index
        self.moment = moment
        self.people = index.holders.people
        self.size = index.holders.first_group
        self.history: Stored | None = None
        self.risks: Callable[[str], npt.NDArray[np.float64]] | None = None
        self._columns: dict[tuple[str, str], DictionaryColumn] = {}
        self._positions: dict[str, Ints] = {}
        self._as_records: set[str] = set()  # the kinds that the index numbers as the records stand
        self._attributes: dict[str, AttributeColumns] = {}
        self._selected: dict[Node, Bools] = {}

    # Columns

    def identity(self, attribute: str) -> DictionaryColumn:
        """An attribute of each identity, by number."""
        return self._column(kinds.IDENTITIES, attribute)

    def asker(self, attribute: str) -> DictionaryColumn:
        """An attribute of each identity, and behind them of each account, by number."""
        return appended(self.identity(attribute), self.account(attribute))

    def account(self, attribute: str) -> DictionaryColumn:
        """An attribute of each account, by number less that of the first account."""
        return self._column(kinds.ACCOUNTS, attribute)

    def grant(self, attribute: str) -> DictionaryColumn:
        """An attribute of each grant, by number."""
        return self._column(kinds.GRANTS, attribute)

    def node(self, attribute: str) -> DictionaryColumn:
        """An attribute of each node; nothing for those that no source lists."""
        return self._column(kinds.RESOURCES, attribute)

    def role(self, attribute: str) -> DictionaryColumn:
        """An attribute of each role, by number."""
        return self._column(kinds.ROLES, attribute)

    def group(self, attribute: str) -> DictionaryColumn:
        """An attribute of each group, by number less that of the first group."""
        return self._column(kinds.GROUPS, attribute)

    def _column(self, kind: Kind, attribute: str) -> DictionaryColumn:
        key = (kind.name, attribute.lower())
        if key not in self._columns:
            attributes = self.attributes(kind)
            if key[1] in attributes.own:
                column = self.records.column(kind, attributes.own[key[1]])
            else:
                texts, read = attributes.further
                column = texts.recoded([_scalar(values.get(key[1])) for values in read])
            positions = self._position(kind)
            self._columns[key] = column if kind.name in self._as_records else _placed(column, positions)
        return self._columns[key]

    def attributes(self, kind: Kind) -> AttributeColumns:
        """What filters see of the records of a kind, in the order of the records and not of the index."""
        if kind.name not in self._attributes:
            self._attributes[kind.name] = AttributeColumns(self.records, kind, today=self.moment)
        return self._attributes[kind.name]

    def _position(self, kind: Kind) -> Ints:
        """For each thing that the index numbers, the position of its record among all; -1: none."""
        if kind.name not in self._positions:
            index = self.index
            rows = {
                "identities": index.holders.rows,
                "accounts": index.holders.account_rows,
                "groups": index.holders.group_rows,
                "grants": index.grants.rows,
                "resources": index.node_rows,
                "roles": index.role_rows,
            }[kind.name]
            positions = self._positions[kind.name] = positions_of_rows(rows, self.records.rows(kind))
            if len(positions) == len(self.records.rows(kind)) and (positions == np.arange(len(positions))).all():
                self._as_records.add(kind.name)
        return self._positions[kind.name]

    def moments(self, column: DictionaryColumn, absent: int = BEGINNING, is_end: bool = False) -> Ints:
        """A column of dates and times in microseconds: their first moment, or the first behind them."""
        return np.append(moments_of(tabled(column.values), is_end), absent)[column.codes]

    @overload
    def days_since(self, times: int) -> int: ...

    @overload
    def days_since(self, times: Ints) -> Ints: ...

    def days_since(self, times: int | Ints) -> int | Ints:
        """How many days ago each moment was, from one day to another: yesterday evening was one day ago."""
        return self.moment // DAY - times // DAY

    @cached_property
    def things(self) -> Things:
        """What can be held."""
        return Things(self.index, self.moment)

    @cached_property
    def responsible(self) -> DictionaryColumn:
        """Who answers for each account that is nobody's, by a person's word or else by its source."""
        said = self.account("responsible")
        names, words = self.records.column(kinds.TIES, "account"), self.records.column(kinds.TIES, "responsible")
        some = (words.codes >= 0).nonzero()[0]
        if not len(some):
            return said
        at = numbers_among(self.index.holders.accounts, names.taken(some)).astype(np.int64)
        by_word = np.full(len(said), -1, dtype=np.int64)
        by_word[at[at >= 0]] = some[at >= 0]
        both = appended(said, DictionaryColumn(np.append(words.codes, np.int32(-1))[by_word], words.values).compact())
        stated, told = both.codes[: len(said)], both.codes[len(said) :]
        return DictionaryColumn(np.where(told >= 0, told, stated), both.values)

    # Filters

    def selected(self, node: Node) -> Bools:
        """Which askers a filter over their attributes selects: identities, and behind them accounts tied to nobody."""
        if node not in self._selected:
            self._selected[node] = self.filtered.selected(node)
        return self._selected[node]

    @cached_property
    def filtered(self) -> AskerAttributes:
        """What filters see of everybody who is asked about."""
        kind_of = {kind.name: self.attributes(kind) for kind in (kinds.IDENTITIES, kinds.ACCOUNTS)}
        people, accounts = self._position(kinds.IDENTITIES), self._position(kinds.ACCOUNTS)
        more = {
            kind: Computed({"risk": partial(self.risks, kind)} if self.risks is not None else {}) for kind in kind_of
        }
        return AskerAttributes(kind_of, people, accounts, self.index.holders.is_asker, more, self.moment)

    def resource_attributes(self) -> list[str]:
        """The names of all attributes of resources, in lower case."""
        return sorted(self.attributes(kinds.RESOURCES).known())

    # What is known of all

    @cached_property
    def sensitivity(self) -> Ints:
        """The sensitivity of each node, 0 to 3: its own, or that of the nearest above that has one."""
        own = self.node("sensitivity")
        known = np.array([*(int(value or 0) for value in own.values), -1], dtype=np.int64)
        level, parent = known[own.codes], self.index.tree.parent
        for node in (level < 0).nonzero()[0].tolist():
            level[node] = level[parent[node]] if parent[node] >= 0 else 0
        return np.clip(level, 0, 3)

    @cached_property
    def is_person(self) -> Bools:
        """Which identities are persons."""
        return self.identity("kind").holding("person")

    @cached_property
    def can_act(self) -> Bools:
        """Which askers count at the moment: identities that have not left, and accounts of nobody that are enabled."""
        holders = self.index.holders
        there = holders.is_active & (holders.starts <= self.moment) & (self.moment < holders.ends)
        return np.concatenate([there, holders.is_enabled & (holders.owner < 0)])

    @cached_property
    def is_there(self) -> Bools:
        """Which identities have not left: neither by their status nor by their last day."""
        return ~self.identity("status").holding("left") & (self.index.holders.ends > self.moment)

    @cached_property
    def live(self) -> Bools:
        """Which grants are live."""
        return is_live(self.index, np.arange(len(self.index.grants)), self.moment)

    @cached_property
    def peers(self) -> Ints:
        """The peer group of each identity, by number; -1 for who has none: no person, gone, or nothing is known."""
        return self.peers_by(("department", "title"))

    def peers_by(self, attributes: Iterable[str]) -> Ints:
        """The peer group of each person who is there: those who share these attributes."""
        total = np.zeros(self.people, dtype=np.int64)
        known = self.is_person & self.is_there
        for column in map(self.identity, attributes):
            known &= column.codes >= 0
            total = distinct_pairs(total.astype(np.int32), column.codes)[0]
        return np.where(known, total, -1)

    @cached_property
    def uses(self) -> Uses:
        """All recorded uses of what is known; those that name nothing known are left out."""
        return self._uses(None)

    def uses_of(self, users: Bools) -> Uses:
        """As `uses`, of some identities and accounts; where these are few, nothing is looked up for all the others."""
        few, people = users.nonzero()[0], self.people
        if len(few) > thresholds.MANY_USERS:
            return self.uses.of(users)
        holders = self.index.holders
        owned = (users[:people][holders.owner] & (holders.owner >= 0)) | users[people:]
        identity, account = (self.records.column(kinds.ACTIVITY, name) for name in ("identity", "account"))
        found = identity.holding_any(holders.identities.taken(few[few < people]))
        found |= account.holding_any(holders.accounts.taken(owned.nonzero()[0]))
        return self._uses(found.nonzero()[0]).of(users)

    def _uses(self, rows: Ints | None) -> Uses:
        """The uses that these rows of the activity tell (None: all rows)."""
        names = ("identity", "account", "time", "action", "resource", "record", "count")
        columns = [self.records.column(kinds.ACTIVITY, name) for name in names]
        if rows is not None:
            columns = [column.taken(rows).compact() for column in columns]
        identity, account, time, action, resource, record, count = columns
        user, of_account = self._users(identity, account)
        node = numbers_among(self.index.tree.addresses, resource)
        number = self._action_numbers(action)[
            insertion_points(self.index.system_roots, node, side="right"), action.codes
        ]
        known = ((user >= 0) & (node >= 0) & (number >= 0)).nonzero()[0]
        known = small(known[order_of(user[known])])
        counts = np.array([*(int(it or 0) for it in count.values), 0], dtype=np.int64)
        return Uses(
            user=user[known],
            account=of_account[known],
            action=number[known],
            node=node[known],
            time=self.moments(time)[known],
            record=small(record.codes[known].astype(np.int64)),
            count=counts[count.codes[known]],
            records=record.values,
            by_user=csr_from_pairs(user[known], np.arange(len(known)), self.index.holders.first_group),
        )

    def _users(self, identity: DictionaryColumn, account: DictionaryColumn) -> tuple[Ints, Ints]:
        """Who used something by each row, and by which account; -1 where that is nobody known, or none."""
        holders = self.index.holders
        user, of_account = numbers_among(holders.identities, identity), numbers_among(holders.accounts, account)
        owner = small(np.append(holders.owner, -1))[of_account]
        itself = small(np.where(of_account >= 0, of_account + holders.people, -1))
        return np.where(user >= 0, user, np.where(owner >= 0, owner, itself)), of_account

    def _action_numbers(self, action: DictionaryColumn) -> Ints:
        """The number of each action by the position of its system, counted from 1, and by the code of its name."""
        systems = self.index.systems_in_order
        found = small(np.full((len(systems) + 1, len(action.values) + 1), -1))
        for at, system in enumerate(systems, 1):
            for number in system.actions.tolist():
                code = action.code_of(self.index.actions[number][1])
                if code >= 0:
                    found[at, code] = number
        return found

    @cached_property
    def watched_since(self) -> Mapping[str, int]:
        """For each system the first moment of which activity is known; systems without any are left out."""
        systems = self.index.systems_in_order
        first = None if "uses" in vars(self) else self._first_uses()
        if first is None:
            first = np.full(len(systems), _NEVER)
            roots = insertion_points(self.index.system_roots, self.uses.node, side="right") - 1
            np.minimum.at(first, roots, self.uses.time)
        return {it.name: at for it, at in zip(systems, first.tolist(), strict=True) if at < _NEVER}

    def _first_uses(self) -> Ints | None:
        """When each system was used first, by somebody known, which is looked at of the earliest uses only; None where
        several of these in a row are nobody's."""
        resource, action, times = (self.records.column(kinds.ACTIVITY, it) for it in ("resource", "action", "time"))
        who = [self.records.column(kinds.ACTIVITY, name) for name in ("identity", "account")]
        is_known, moments = self._action_numbers(action) >= 0, np.append(moments_of(tabled(times.values)), BEGINNING)
        found = np.full(len(self.index.systems_in_order), _NEVER)
        for chosen in _earliest_first(moments):
            rows = chosen[times.codes].nonzero()[0]
            node = numbers_among(self.index.tree.addresses, resource.taken(rows).compact())
            place = insertion_points(self.index.system_roots, node, side="right")
            known = is_known[place, action.codes[rows]]
            rows, place = rows[known], place[known] - 1
            time = moments[times.codes[rows]]
            for _ in range(_TRIED):
                earliest = np.full(len(found), _NEVER)
                np.minimum.at(earliest, place, time)
                of = (time == earliest[place]).nonzero()[0]
                of = of[found[place[of]] == _NEVER]
                of = of[self._users(*(it.taken(rows[of]).compact() for it in who))[0] >= 0]
                found[place[of]] = time[of]
                left = (found[place] == _NEVER) & (time > earliest[place])
                rows, place, time = rows[left], place[left], time[left]
            if (found[place] == _NEVER).any():
                return None
            if (found < _NEVER).all():
                break
        return found


def _earliest_first(time: Ints) -> Iterator[Bools]:
    """Which of some times are the earliest, one in a hundred of them, and then which the others are."""
    if len(time):
        until = np.partition(time, len(time) // 100)[len(time) // 100]
        yield time <= until
        yield time > until


def _placed(column: DictionaryColumn, positions: Ints) -> DictionaryColumn:
    """The column in another order; position -1 holds nothing."""
    return DictionaryColumn(np.append(column.codes, np.int32(-1))[positions], column.values)


def numbers_among(table: StringTable, column: DictionaryColumn) -> Ints:
    """For each row the number among the texts of a table of what it holds; -1 where that is none of them."""
    known = table.positions_of(tabled_texts(column))
    return small(np.append(known, -1))[column.codes]


def positions_of_rows(wanted: Ints, rows: Ints) -> Ints:
    """The position of each wanted row number among others; -1 where it is not there."""
    if len(wanted) == len(rows) and np.array_equal(wanted, rows):
        return np.arange(len(rows))
    if not len(rows):
        return np.full(len(wanted), -1)
    kept = int(np.count_nonzero(rows > 0))
    if _is_as_usual(rows, kept):
        at = insertion_points(rows[:kept], wanted)
        at[wanted < 0] = kept - 1 - wanted[wanted < 0]
        order = None
    else:
        order = order_of(rows)
        at = insertion_points(rows[order], wanted)
    at[at >= len(rows)] = 0
    found = at if order is None else order[at]
    return np.where(rows[found] == wanted, found, -1)


def _is_as_usual(rows: Ints, kept: int) -> bool:
    """Whether row numbers ascend, and those of assumed records stand behind so many kept ones, from -1 on."""
    assumed = rows[kept:]
    ascends = bool((rows[1:kept] > rows[: max(kept - 1, 0)]).all())
    return ascends and np.array_equal(assumed, -1 - np.arange(len(assumed)))


def _scalar(value: Any) -> Scalar:
    """A further attribute as a value that a column can hold."""
    return value if value is None or isinstance(value, str) else str(value).lower() if value != "" else None
