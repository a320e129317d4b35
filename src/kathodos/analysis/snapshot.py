"""What the catalogue says about whom and what the index numbers: columns by identity, account, grant and resource.

Every column is read when it is first asked for, and each distinct value is looked at once.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
import numpy.typing as npt

from kathodos.columns.csr import Bools, CSRList, Ints, csr_from_pairs
from kathodos.columns.dictionary import DictionaryColumn, Scalar, dictionary_column, distinct_pairs, nothing
from kathodos.columns.strings import StringTable
from kathodos.engine.decide import is_live
from kathodos.engine.index import Index
from kathodos.model import kinds
from kathodos.model.filters import Combination, Negation, Node
from kathodos.model.kinds import Form, Kind, split_list
from kathodos.model.times import BEGINNING, end_moment, first_moment
from kathodos.store.records import ROW, Records, columns_of

_MANY = 1000  # names from which on they are looked up together
_FEW = 50_000  # records below which importing a faster library would take longer than it saves
# What is read in one go, for it is asked for together.
_TOGETHER = {
    "identities": ("kind", "status", "department", "title"),
    "accounts": ("system", "last_login", "privileged"),
}
_LISTS = (Form.LIST, Form.ADDRESSES, Form.PATTERNS, Form.GATES)
_OWN = {column.name for column in kinds.IDENTITIES.columns}
_OWN_LISTS = {column.name for column in kinds.IDENTITIES.columns if column.form in _LISTS}


@dataclass(frozen=True)
class Uses:
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
    records: list[Scalar]
    by_user: CSRList

    def __len__(self) -> int:
        return len(self.user)


class Snapshot:
    """The columns of what one index numbers, at a moment in microseconds since 1970.

    `risks` gives the risk of each identity, where a filter asks for it; `former` the departments that an identity was
    in before, as the history of the catalogue shows them.
    """

    def __init__(self, records: Records, index: Index, moment: int) -> None:
        self.records = records
        self.index = index
        self.moment = moment
        self.people = index.holders.people
        self.former: Mapping[str, list[str]] = {}
        self.risks: Callable[[], npt.NDArray[np.float64]] | None = None
        self._columns: dict[tuple[str, str], DictionaryColumn] = {}
        self._positions: dict[str, Ints] = {}
        self._further: dict[str, tuple[DictionaryColumn, list[dict[str, Any]]]] = {}
        self._selected: dict[Node, Bools] = {}

    # Columns

    def identity(self, attribute: str) -> DictionaryColumn:
        """An attribute of each identity, by number."""
        return self._column(kinds.IDENTITIES, attribute)

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
        name = attribute.lower()
        key = (kind.name, name)
        if key not in self._columns:
            own = {column.lower(): column for column in kind.names if column != "attributes"}
            positions = self._position(kind)
            if name in _TOGETHER.get(kind.name, ()):
                self._read_together(kind)
            elif name in own:
                (values,) = columns_of(self.records, kind, own[name])
                self._columns[key] = _placed(dictionary_column(values), positions)
            elif kind.open_ended:
                column, read = self._unpacked(kind)
                self._columns[key] = column.recoded([_scalar(values.get(name)) for values in read])
            else:
                self._columns[key] = nothing(len(positions))
        return self._columns[key]

    def _read_together(self, kind: Kind) -> None:
        """Reads the columns of a kind that are asked for together, and the further attributes."""
        some = (*_TOGETHER[kind.name], "attributes")
        for name, values in zip(some, columns_of(self.records, kind, *some), strict=True):
            self._columns[kind.name, name] = _placed(dictionary_column(values), self._position(kind))

    def _unpacked(self, kind: Kind) -> tuple[DictionaryColumn, list[dict[str, Any]]]:
        """The further attributes of each, as read from their text; each distinct text once."""
        if kind.name not in self._further:
            if kind.name in _TOGETHER:
                if (kind.name, "attributes") not in self._columns:
                    self._read_together(kind)
                column = self._columns[kind.name, "attributes"]
            else:
                (texts,) = columns_of(self.records, kind, "attributes")
                column = _placed(dictionary_column(texts), self._position(kind))
            read = [{name.lower(): it for name, it in json.loads(str(text)).items()} for text in column.values]
            self._further[kind.name] = (column, read)
        return self._further[kind.name]

    def _position(self, kind: Kind) -> Ints:
        """For each thing that the index numbers, the position of its record among those that are read; -1: none."""
        if kind.name not in self._positions:
            index = self.index
            if kind is kinds.IDENTITIES:
                (rows,) = columns_of(self.records, kind, ROW)
                self._positions[kind.name] = _where(index.holders.rows.astype(np.int64), np.array(rows, dtype=np.int64))
            else:
                names: Mapping[str, Iterable[str]] = {
                    "accounts": index.holders.accounts,
                    "grants": index.grants.ids,
                    "resources": index.tree.addresses,
                    "roles": index.roles,
                    "groups": index.holders.groups,
                }
                keys = columns_of(self.records, kind, *kind.key)
                self._positions[kind.name] = _found(names[kind.name], keys)
        return self._positions[kind.name]

    def moments(self, column: DictionaryColumn, absent: int = BEGINNING, is_end: bool = False) -> Ints:
        """A column of dates and times in microseconds: their first moment, or the first behind them."""
        read = end_moment if is_end else first_moment
        known = np.array([*(read(str(value)) for value in column.values), absent], dtype=np.int64)
        return known[column.codes]

    # Filters

    def selected(self, node: Node) -> Bools:
        """Which identities a filter over their attributes selects; each distinct value is looked at once."""
        if node not in self._selected:
            self._selected[node] = self._mask(node)
        return self._selected[node]

    def _mask(self, node: Node) -> Bools:
        if isinstance(node, Combination):
            parts = [self.selected(part) for part in node.parts]
            both: Bools = np.logical_and.reduce(parts) if node.word == "and" else np.logical_or.reduce(parts)
            return both
        if isinstance(node, Negation):
            return ~self.selected(node.part)
        name = node.attribute.lower()
        if name in _OWN and name not in _OWN_LISTS:
            column = self.identity(name)
            codes, distinct = column.codes, list(column.values)
        elif name in _OWN or (name == "risk" and self.risks is not None):
            return node.mask(self.values, self.people)
        else:
            texts, read = self._unpacked(kinds.IDENTITIES)
            codes, distinct = texts.codes, [values.get(name) for values in read]
        found: Bools = node.mask(lambda _: [*distinct, None], len(distinct) + 1)[codes]
        return found

    def values(self, attribute: str) -> list[Any]:
        """An attribute of each identity as filters see it: lists split, yes and no as true and false."""
        name = attribute.lower()
        if name == "risk" and self.risks is not None:
            return list(self.risks().tolist())
        if name not in _OWN:
            texts, read = self._unpacked(kinds.IDENTITIES)
            raw = [*(values.get(name) for values in read), None]
            return [raw[code] for code in texts.codes.tolist()]
        values = self.identity(name).listed()
        return [split_list(str(it)) if it else [] for it in values] if name in _OWN_LISTS else values

    def known_attributes(self) -> list[str]:
        """The names of all attributes of identities, in lower case."""
        return sorted(_OWN.union(*self._unpacked(kinds.IDENTITIES)[1]) | ({"risk"} if self.risks else set()))

    def resource_attributes(self) -> list[str]:
        """The names of all attributes of resources, in lower case."""
        own = {column.name for column in kinds.RESOURCES.columns}
        return sorted(own.union(*self._unpacked(kinds.RESOURCES)[1]))

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
        return _is(self.identity("kind"), "person")

    @cached_property
    def is_there(self) -> Bools:
        """Which identities have not left: neither by their status nor by their last day."""
        return ~_is(self.identity("status"), "left") & (self.index.holders.ends > self.moment)

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
        names = ("identity", "account", "time", "action", "resource", "record", "count")
        columns = columns_of(self.records, kinds.ACTIVITY, *names)
        identity, account, time, action, resource, record = (dictionary_column(values) for values in columns[:6])
        holders, tree = self.index.holders, self.index.tree
        user = _numbers(holders.identities, identity.values)[identity.codes]
        of_account = _numbers(holders.accounts, account.values)[account.codes]
        of_account = np.where(of_account >= 0, of_account + holders.people, -1)
        owner = np.append(holders.owner, -1)[np.where(of_account >= 0, of_account - holders.people, -1)]
        user = np.where(user >= 0, user, np.where(owner >= 0, owner, of_account))
        node = _numbers(tree.addresses, resource.values)[resource.codes]
        pair, first = distinct_pairs(action.codes, resource.codes)
        number = np.array([self._action(action.value(at), resource.value(at)) for at in first.tolist()], dtype=np.int64)
        known = ((user >= 0) & (node >= 0)).nonzero()[0]
        known = known[number[pair[known]] >= 0]
        known = known[np.argsort(user[known], kind="stable")]
        count = np.array([it or 0 for it in columns[6]], dtype=np.int64)
        return Uses(
            user=user[known],
            account=np.where(of_account[known] >= 0, of_account[known] - holders.people, -1),
            action=number[pair[known]],
            node=node[known],
            time=self.moments(time)[known],
            record=record.codes[known].astype(np.int64),
            count=count[known],
            records=list(record.values),
            by_user=csr_from_pairs(user[known], np.arange(len(known)), holders.first_group),
        )

    def _action(self, action: Scalar, resource: Scalar) -> int:
        return self.index.action_number.get((str(resource).partition(":")[0], str(action)), -1)

    @cached_property
    def watched_since(self) -> Mapping[str, int]:
        """For each system the first moment of which activity is known; systems without any are left out."""
        roots = np.searchsorted(self.index.system_roots, self.uses.node, side="right") - 1
        found: dict[str, int] = {}
        for at, system in enumerate(self.index.systems_in_order):
            times = self.uses.time[roots == at]
            if len(times):
                found[system.name] = int(times.min())
        return found


def _placed(column: DictionaryColumn, positions: Ints) -> DictionaryColumn:
    """The column in another order; position -1 holds nothing."""
    return DictionaryColumn(np.append(column.codes, np.int32(-1))[positions], column.values)


def _numbers(texts: StringTable, names: Sequence[Scalar]) -> Ints:
    """The number of each of some names among texts, -1 for those that are none; behind them -1 for nothing."""
    if len(names) < _MANY:
        found = [texts.find(str(name)) for name in names]
    else:
        found = _found(map(str, names), [list(texts)]).tolist()
    return np.array([*found, -1], dtype=np.int64)


def _where(wanted: Ints, rows: Ints) -> Ints:
    """The position of each wanted row number."""
    order = np.argsort(rows, kind="stable")
    at = np.searchsorted(rows[order], wanted)
    at[at == len(rows)] = 0
    return np.where(rows[order][at] == wanted, order[at], -1) if len(rows) else np.full(len(wanted), -1)


def _found(names: Iterable[str], keys: Any) -> Ints:
    """The position of the record of each name among records with these keys; -1: none."""
    if len(keys[0]) < _FEW:
        known = {"/".join(key): at for at, key in enumerate(zip(*keys, strict=True))}
        return np.array([known.get(name, -1) for name in names], dtype=np.int64)
    import pyarrow as pa
    import pyarrow.compute as pc

    parts = [pa.array(part, type=pa.string()) for part in keys]
    whole = pc.binary_join_element_wise(*parts, "/") if len(parts) > 1 else parts[0]
    found = pc.index_in(pa.array(list(names), type=pa.string()), value_set=whole)
    return np.asarray(found.fill_null(-1), dtype=np.int64)


def _is(column: DictionaryColumn, value: str) -> Bools:
    """Which elements of a column hold this value."""
    code = column.values.index(value) if value in column.values else -2
    found: Bools = column.codes == code
    return found


def _scalar(value: Any) -> Scalar:
    """A further attribute as a value that a column can hold."""
    return value if value is None or isinstance(value, str) else str(value).lower() if value != "" else None
