"""What activity shows of the use of access, folded by who, action and resource."""

from __future__ import annotations

from typing import Protocol

import msgspec
import numpy as np

from kathodos import thresholds
from kathodos.columns.csr import Bools, Ints
from kathodos.columns.dictionary import DictionaryColumn, row_numbers, tabled
from kathodos.columns.moments import moments_of
from kathodos.columns.strings import StringTable, starting_with
from kathodos.engine.compiled.index import Holders
from kathodos.model.kinds import ACTIVITY, Kind
from kathodos.model.references import reference_to
from kathodos.model.times import NEVER


class Columns(Protocol):
    """Where the columns of the uses are."""

    def column(self, kind: Kind, name: str) -> DictionaryColumn:
        """One column of all records of a kind."""


class Folded(msgspec.Struct, frozen=True):
    """What one identity or account did with one resource: how often, and when first and last."""

    who: str
    action: str
    resource: str
    count: int
    first: str
    last: str


class Activity:
    """All uses that logs show, with who used: the identity, or the owner of the account."""

    def __init__(self, records: Columns, holders: Holders) -> None:
        self.records = records
        self.holders = holders

    def column(self, name: str) -> DictionaryColumn:
        """One column of the uses."""
        return self.records.column(ACTIVITY, name)

    def who(self, at: Ints) -> Ints:
        """The number of the identity or account of some uses; behind them those that nothing else speaks of."""
        holders, account = self.holders, self.column("account").codes[at]
        person = _known(holders.identities, self.column("identity"), at)
        by = _known(holders.accounts, self.column("account"), at)
        owner = np.append(holders.owner, -1)[by]
        itself = np.where(by >= 0, holders.people + by, holders.first_group + account)
        return np.where(person >= 0, person, np.where(owner >= 0, owner, itself))

    def by(self, asker: int) -> Bools:
        """Which uses were by an identity or account, given by number."""
        holders, identity, account = self.holders, self.column("identity"), self.column("account")
        own = [asker - holders.people]
        found = np.zeros(len(identity), dtype=bool)
        if asker < holders.people:
            own = (holders.accounts_of[asker].astype(np.int64) - holders.people).tolist()
            found |= identity.holding(holders.identities[asker])
        for number in own:
            found |= account.holding(holders.accounts[number])
        at = found.nonzero()[0]
        found[at] = self.who(at) == asker
        return found

    def name(self, number: int) -> str:
        """The reference of who used."""
        beyond = number - self.holders.first_group
        return (
            reference_to("account", self.column("account").values[beyond])
            if beyond >= 0
            else self.holders.references[number]
        )

    def since(self, moment: int) -> Bools:
        """Which uses were at a moment or later."""
        return self.between(moment, NEVER)

    def between(self, first: int, end: int) -> Bools:
        """Which uses were at a moment or later, and before another."""
        time = self.column("time")
        moments = moments_of(tabled(time.values))
        found: Bools = np.append((moments >= first) & (moments < end), False)[time.codes]
        return found

    def below(self, beginning: str) -> Bools:
        """Which uses were of a resource at or below the one whose address, with a slash behind it, this is."""
        resource = self.column("resource")
        values = tabled(resource.values)
        assert isinstance(values, StringTable)
        is_below = np.append(starting_with(values, beginning), False)
        itself = values.find(beginning[:-1])
        is_below[itself] |= itself >= 0
        found: Bools = is_below[resource.codes]
        return found

    def folded(self, chosen: Bools) -> list[Folded]:
        """Some of the uses by who, action and resource, the latest first."""
        at = chosen.nonzero()[0]
        if not len(at):
            return []
        action, resource, time, count = (self.column(name) for name in ("action", "resource", "time", "count"))
        who = self.who(at)
        group = row_numbers([who, action.codes[at], resource.codes[at]])
        moments = np.append(moments_of(tabled(time.values)), 0)[time.codes[at]]
        order = np.lexsort((moments, group))
        first = np.append(True, np.diff(group[order]) > 0).nonzero()[0]
        last = np.append(first[1:], len(order)) - 1
        numbers = np.array([int(value or 0) for value in count.values] + [0], dtype=np.int64)[count.codes[at]]
        totals = np.add.reduceat(numbers[order], first)
        begin, end = at[order[first]], at[order[last]]
        columns = (
            [self.name(number) for number in who[order[first]].tolist()],
            action.listed(begin),
            resource.listed(begin),
            totals.tolist(),
            time.listed(begin),
            time.listed(end),
        )
        made = [Folded(*values) for values in zip(*columns, strict=True)]
        return sorted(made, key=lambda it: (it.last, it.who, it.action, it.resource), reverse=True)


def _known(table: StringTable, column: DictionaryColumn, at: Ints) -> Ints:
    """For some rows the number among the texts of a table of what each holds; -1 where that is none of them."""
    used, codes = np.unique(column.codes[at], return_inverse=True)
    texts = (
        [str(column.values[code]) if code >= 0 else None for code in used.tolist()]
        if len(used) < thresholds.FEW_TEXTS_OF_USE
        else None
    )
    if texts is not None:
        return np.array([table.find(text) if text is not None else -1 for text in texts], dtype=np.int64)[codes]
    values = tabled(column.values)
    known = table.positions_of(values if isinstance(values, StringTable) else list(map(str, values)))
    return np.append(known, -1)[column.codes[at]]
