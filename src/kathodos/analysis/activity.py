"""What activity shows of the use of access, folded by who, action and resource."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from kathodos.analysis.basis import numbers_among
from kathodos.columns.csr import Bools, Ints
from kathodos.columns.dictionary import DictionaryColumn, row_numbers, tabled
from kathodos.columns.moments import moments_of
from kathodos.engine.index import Holders
from kathodos.model.kinds import ACTIVITY
from kathodos.store.records import Records


@dataclass(frozen=True)
class Folded:
    """What one identity or account did with one resource: how often, and when first and last."""

    who: str
    action: str
    resource: str
    count: int
    first: str
    last: str


class Activity:
    """All uses that logs show, with who used: the identity, or the owner of the account."""

    def __init__(self, records: Records, holders: Holders) -> None:
        self.records = records
        self.holders = holders

    def column(self, name: str) -> DictionaryColumn:
        """One column of the uses."""
        return self.records.column(ACTIVITY, name)

    @cached_property
    def who(self) -> Ints:
        """The number of the identity or account of each use; behind them those that nothing else speaks of."""
        identity, account, holders = self.column("identity"), self.column("account"), self.holders
        person, by = numbers_among(holders.identities, identity), numbers_among(holders.accounts, account)
        owner = np.append(holders.owner, -1)[by]
        itself = np.where(by >= 0, holders.people + by, holders.first_group + account.codes)
        return np.where(person >= 0, person, np.where(owner >= 0, owner, itself))

    def name(self, number: int) -> str:
        """The reference of who used."""
        beyond = number - self.holders.first_group
        return f"account:{self.column('account').values[beyond]}" if beyond >= 0 else self.holders.references[number]

    def since(self, moment: int) -> Bools:
        """Which uses were at a moment or later."""
        time = self.column("time")
        late = np.append(moments_of(tabled(time.values)) >= moment, False)
        found: Bools = late[time.codes]
        return found

    def below(self, beginning: str) -> Bools:
        """Which uses were of a resource at or below the one whose address, with a slash behind it, this is."""
        resource = self.column("resource")
        below = [f"{text}/".startswith(beginning) for text in map(str, resource.values)]
        found: Bools = np.array([*below, False], dtype=bool)[resource.codes]
        return found

    def folded(self, chosen: Bools) -> list[Folded]:
        """Some of the uses by who, action and resource, the latest first."""
        at = chosen.nonzero()[0]
        if not len(at):
            return []
        action, resource, time, count = (self.column(name) for name in ("action", "resource", "time", "count"))
        group = row_numbers([self.who[at], action.codes[at], resource.codes[at]])
        moments = np.append(moments_of(tabled(time.values)), 0)[time.codes[at]]
        order = np.lexsort((moments, group))
        first = np.append(True, np.diff(group[order]) > 0).nonzero()[0]
        last = np.append(first[1:], len(order)) - 1
        numbers = np.array([int(value or 0) for value in count.values] + [0], dtype=np.int64)[count.codes[at]]
        totals = np.add.reduceat(numbers[order], first)
        begin, end = at[order[first]], at[order[last]]
        columns = (
            [self.name(number) for number in self.who[begin].tolist()],
            action.listed(begin),
            resource.listed(begin),
            totals.tolist(),
            time.listed(begin),
            time.listed(end),
        )
        made = [Folded(*values) for values in zip(*columns, strict=True)]
        return sorted(made, key=lambda it: (it.last, it.who, it.action, it.resource), reverse=True)
