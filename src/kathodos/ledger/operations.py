"""Operations: every write is planned from a state of the catalogue, may be rehearsed, and is carried out at once.

An operation says what it would close and open; that is a plan, made from any state without writing anything. What
would be after it is asked of the plan. Carried out, it is planned anew inside the one transaction that writes it
together with its ledger entry, so that two at once are both right.
"""

from __future__ import annotations

import abc
from collections.abc import Iterable, Sequence
from datetime import datetime
from functools import partial
from typing import ClassVar, Generic, TypeVar

import msgspec
import numpy as np

from kathodos.columns.csr import Ints, union
from kathodos.columns.dictionary import DictionaryColumn, Scalar, always, dictionary_column, joined_columns
from kathodos.errors import NotAllowedError
from kathodos.ledger.actors import Actor
from kathodos.ledger.hand import Hand
from kathodos.ledger.keys import Keys
from kathodos.ledger.payloads import Act, Payload
from kathodos.ledger.writing import Draft, writing
from kathodos.model import times
from kathodos.model.kinds import BY_NAME, Kind
from kathodos.store.base import Store, Writer
from kathodos.store.edited import Edited, KindEdits
from kathodos.store.records import Stored
from kathodos.store.versions import must_be_newest

R = TypeVar("R")
R_co = TypeVar("R_co", covariant=True)
_NONE: Ints = np.zeros(0, dtype=np.int64)


class _Opening(msgspec.Struct, frozen=True):
    """Rows to be opened: what they hold, in the kind's order, and who brought each."""

    columns: Sequence[DictionaryColumn]
    sources: DictionaryColumn

    def taken(self, stays: Ints) -> _Opening:
        return _Opening([column.taken(stays) for column in self.columns], self.sources.taken(stays))


class Plan(msgspec.Struct):
    """What an operation would write, from the state `records` on, by whom, why and when.

    Rows are named by their numbers; those that the plan itself opens have the numbers -1, -2 and so on, by kind, as
    they stand in `after` at that moment.
    """

    records: Stored
    actor: Actor
    reason: str = ""
    time: datetime = msgspec.field(default_factory=times.now)
    subjects: list[str] = msgspec.field(default_factory=list)
    payload: Payload = msgspec.field(default_factory=Payload)
    is_kept_empty: bool = False  # an entry is written although no row is
    _opened: dict[str, list[_Opening]] = msgspec.field(default_factory=dict)
    _closed: dict[str, Ints] = msgspec.field(default_factory=dict)

    @property
    def now(self) -> str:
        """The time of the entry, as it is written."""
        return times.time_text(self.time)

    @property
    def entry_before(self) -> int:
        """The number of the newest entry of the state."""
        return self.records.histories.newest.entry

    def open_rows(self, kind: Kind, values: Sequence[tuple[Scalar, ...]], source: str | None = None) -> None:
        """Opens a row for each tuple of values, in the order of the kind's columns."""
        if values:
            columns = [dictionary_column(column) for column in zip(*values, strict=True)]
            self.open_columns(kind, columns, always(source, len(values)))

    def open_columns(self, kind: Kind, columns: Sequence[DictionaryColumn], sources: DictionaryColumn) -> None:
        """Opens a row for each row of some columns, which are in the kind's order, each with its source."""
        if len(sources):
            self._opened.setdefault(kind.name, []).append(_Opening(columns, sources))

    def close_rows(self, kind: Kind, numbers: Iterable[int] | Ints) -> None:
        """Ends the rows with these numbers; one that the plan itself would open is not opened."""
        wanted = np.array([*numbers] if not isinstance(numbers, np.ndarray) else numbers, dtype=np.int64)
        standing, planned = wanted[wanted > 0], -1 - wanted[wanted < 0]
        if len(standing):
            self._closed[kind.name] = union(self._closed.get(kind.name, _NONE), standing)
        if len(planned):
            whole = self._together(kind)
            self._opened[kind.name] = [whole.taken(np.setdiff1d(np.arange(len(whole.sources)), planned))]

    @property
    def is_empty(self) -> bool:
        """Whether nothing would be written."""
        return not self._closed and not any(len(part.sources) for parts in self._opened.values() for part in parts)

    def edits(self, *kinds: Kind) -> dict[str, KindEdits]:
        """What would go and come, by kind: of some kinds, or of all."""
        named = [kind.name for kind in kinds] or dict.fromkeys([*self._closed, *self._opened])
        found = {}
        for name in named:
            whole = self._together(BY_NAME[name])
            found[name] = KindEdits(self._closed.get(name, _NONE), whole.columns, whole.sources)
        return found

    def after(self, *kinds: Kind) -> Edited:
        """The records as they would be: of some kinds, or of all."""
        return Edited(self.records, self.edits(*kinds))

    def _together(self, kind: Kind) -> _Opening:
        """All rows of a kind to be opened, in order."""
        parts = self._opened.get(kind.name, [])
        if not parts:
            return _Opening([always(None, 0) for _ in kind.names], always(None, 0))
        columns = [joined_columns(some) for some in zip(*(part.columns for part in parts), strict=True)]
        return _Opening(columns, joined_columns([part.sources for part in parts]))

    def write(self, draft: Draft) -> None:
        """Makes the entry of a transaction what is planned."""
        for name, numbers in self._closed.items():
            draft.close_rows(BY_NAME[name], numbers.tolist())
        for name, parts in self._opened.items():
            for part in parts:
                draft.open_columns(BY_NAME[name], part.columns, part.sources)
        draft.subjects += self.subjects
        draft.is_kept_empty = self.is_kept_empty
        draft.payload |= msgspec.to_builtins(self.payload)


class Operation(Generic[R_co]):
    """One write, and what is to be said of it."""

    act: ClassVar[Act]

    def begin(self, store: Store, writer: Writer) -> None:
        """What is done first of all in the transaction. Raises DataError where the store is of an earlier version."""
        must_be_newest(writer.versions, store.place)

    @abc.abstractmethod
    def compose(self, plan: Plan) -> R_co:
        """Puts into a plan what is to be written, and says what it comes to.

        Raises CallError or DataError where it must not be.
        """


class Done(msgspec.Struct, Generic[R], frozen=True):
    """What an operation came to, and the number of its ledger entry; None where there was nothing to write."""

    result: R
    entry: int | None


def must_not_be_guest(actor: Actor, act: Act) -> None:
    """Raises NotAllowedError where somebody who is not in the catalogue does more than ask."""
    if actor.is_guest and act not in (Act.ASK, Act.WITHDRAW, Act.REMARK_REQUEST):
        what = f"{actor.name} is nobody in the catalogue, and may only ask for what is offered to such people."
        raise NotAllowedError(what, "Nothing was changed.", act)


def carry_out(operation: Operation[R], store: Store, keys: Keys, hand: Hand) -> Done[R]:
    """Plans an operation from the newest state and writes it, in one transaction with its ledger entry."""
    with writing(store, keys, operation.act, hand, partial(operation.begin, store)) as draft:
        must_not_be_guest(draft.actor, operation.act)
        hand.may(draft.actor, operation.act)
        plan = Plan(draft.records, draft.actor, hand.reason, draft.time)
        result = operation.compose(plan)
        plan.write(draft)
        entry = draft.number if draft.is_kept else None
    return Done(result, entry)
