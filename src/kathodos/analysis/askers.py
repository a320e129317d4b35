"""What filters see of everybody who is asked about: identities, and accounts that are tied to nobody.

Such an account is somebody of its own (meaning of reach, "Segregation of duties"). It has the attributes of its record,
and `account` for its kind, so that `kind eq "account"` selects them all and `kind eq "person"` none.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping

import numpy as np
import numpy.typing as npt

from kathodos.columns.csr import Bools, Ints
from kathodos.model.filters import Node
from kathodos.model.kinds import Form
from kathodos.store.attributes import AttributeColumns, Distinct, selected

ACCOUNT = "account"


class Computed(Mapping[str, Distinct]):
    """Numbers of each identity, or account, that are computed when they are asked for, by the name of the attribute."""

    def __init__(self, of: Mapping[str, Callable[[], npt.NDArray[np.float64]]]) -> None:
        self._of = of

    def __getitem__(self, name: str) -> Distinct:
        totals = self._of[name]()
        return Distinct(np.arange(len(totals), dtype=np.int32), totals.tolist(), Form.NUMBER)

    def __iter__(self) -> Iterator[str]:
        return iter(self._of)

    def __len__(self) -> int:
        return len(self._of)


class AskerAttributes:
    """The attributes of identities, by number, and behind them of accounts; a filter selects none that have an owner.

    `people`, `accounts`: the position of the record of each; `more`: what is computed of
    either kind, by attribute.
    """

    def __init__(
        self,
        of: Mapping[str, AttributeColumns],
        people: Ints,
        accounts: Ints,
        is_asker: Bools,
        more: Mapping[str, Mapping[str, Distinct]],
        today: int,
    ) -> None:
        self._identities, self._accounts = of["identities"], of["accounts"]
        self._people, self._of_accounts = people, accounts
        self._is_asker = is_asker
        self._more, self._more_of_accounts = more["identities"], more["accounts"]
        self.today = today

    def has(self, name: str) -> bool:
        """Whether anybody can have an attribute."""
        return name.lower() in self._more or self._identities.has(name) or self._accounts.has(name)

    def known(self) -> set[str]:
        """The names of all attributes, in lower case."""
        return self._identities.known() | self._accounts.known() | set(self._more)

    def form(self, name: str) -> Form | None:
        """How an attribute compares: as identities have it, or as accounts have it where these alone do."""
        if name.lower() in self._more:
            return Form.NUMBER
        return (self._identities if self._identities.has(name) else self._accounts).form(name)

    def of_identity(self, name: str) -> Distinct:
        """An attribute of each identity."""
        if name.lower() in self._more:
            return self._more[name.lower()]
        return _placed(self._identities.column(name), self._people)

    def of_account(self, name: str) -> Distinct:
        """An attribute of each account."""
        if name.lower() == "kind":
            return Distinct(np.zeros(len(self._of_accounts), dtype=np.int32), [ACCOUNT])
        if name.lower() in self._more_of_accounts:
            return self._more_of_accounts[name.lower()]
        return _placed(self._accounts.column(name), self._of_accounts)

    def selected(self, node: Node) -> Bools:
        """Which of all askers a filter selects: a vector over identities and then accounts."""
        people = selected(node, self.of_identity, len(self._people), self.today)
        accounts = np.zeros(len(self._of_accounts), dtype=bool)
        if not self._is_asker[len(people) :].any():
            return np.concatenate([people, accounts])
        accounts = selected(node, self.of_account, len(accounts), self.today)
        return np.concatenate([people, accounts & self._is_asker[len(people) :]])


def _placed(held: Distinct, positions: Ints) -> Distinct:
    return Distinct(np.append(held.codes, np.int32(-1))[positions], held.values, held.form, held.is_ranked)
