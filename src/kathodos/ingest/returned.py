"""What had been taken away and a gather brought back: kept until somebody settles it."""

from __future__ import annotations

import json
from collections.abc import Iterable, Sequence
from typing import ClassVar

import msgspec
import numpy as np

from kathodos.change.edit_sets import key_text
from kathodos.change.kept import changes_called
from kathodos.change.orders import orders_at, orders_holding
from kathodos.columns.dictionary import Scalar
from kathodos.columns.ordered import insertion_points
from kathodos.errors import CallError
from kathodos.ingest.comparing import Key
from kathodos.ledger.operations import Operation, Plan
from kathodos.ledger.payloads import Act
from kathodos.model.json_text import json_text
from kathodos.model.kinds import ORDERS, RETURNED, Kind
from kathodos.model.orders import OrderState
from kathodos.store.records import Records, Stored
from kathodos.store.records import rows_of as records_of


class Settle(msgspec.Struct, Operation[int], frozen=True):
    """Takes a record that came back, given by its number, or `all` of them off the list; gives how many."""

    act: ClassVar[Act] = Act.SETTLE
    which: str

    def compose(self, plan: Plan) -> int:
        """Raises CallError where there is none of that number, or no reason."""
        if not plan.reason:
            raise CallError("Nothing is settled without a reason.", "Say --reason WHY; the ledger keeps it.")
        numbers = plan.records.rows(RETURNED).tolist()
        chosen = numbers if self.which == "all" else [number for number in numbers if str(number) == self.which]
        if not chosen:
            raise CallError(f"There is no open record {self.which}.", "See `kathodos returned`.")
        plan.close_rows(RETURNED, chosen)
        plan.subjects += [f"returned:{number}" for number in chosen]
        return len(chosen)


def note_returned(plan: Plan, kind: Kind, source: str, came: Iterable[Key]) -> int:
    """Keeps a note of each record that comes although a review or a change had taken it away; gives how many."""
    taken = _taken_away(plan.records, kind)
    back = {key: taken[key] for key in came if key in taken} if taken else {}
    for key in _given_back(plan.records, kind, list(back)):
        del back[key]
    rows = [(kind.name, json_text(list(key)), source, *how, plan.now) for key, how in back.items()]
    for row in rows:
        plan.close_rows(RETURNED, plan.records.rows_holding(RETURNED, {"kind": [row[0]], "record": [row[1]]}))
    plan.open_rows(RETURNED, rows)
    return len(back)


def _given_back(records: Records, kind: Kind, keys: Sequence[Key]) -> list[Key]:
    """Those of some records that were taken away of which it was decided since that they are to be there."""
    if not keys:
        return []
    orders = orders_holding(records, {"kind": [kind.name], "record": [key_text(key) for key in keys]})
    last = {it.edit.key: it for it in orders if it.state is not OrderState.DROPPED}  # the newest
    return [key for key in keys if key in last and last[key].edit.after is not None]


def _taken_away(records: Stored, kind: Kind) -> dict[Key, tuple[int, str, str]]:
    """The keys of records whose end was ordered and confirmed: by which entry, when and why."""
    which = records.column(ORDERS, "state").holding(OrderState.CONFIRMED.value)
    which &= records.column(ORDERS, "kind").holding(kind.name) & records.column(ORDERS, "after").holding(None)
    orders = orders_at(records, which.nonzero()[0])
    if not orders:
        return {}
    history = records.history(ORDERS)
    at = insertion_points(history.rows, np.array([it.row for it in orders], dtype=np.int64))
    called = changes_called(records, {str(it.values["change"]) for it in orders})
    reasons = {name: it.reason for name, it in called.items()}
    return {
        it.edit.key: (entry, str(it.values["changed_at"]), reasons.get(str(it.values["change"]), ""))
        for it, entry in zip(orders, history.since[at].tolist(), strict=True)
    }


def returned_records(records: Stored) -> list[dict[str, Scalar]]:
    """What came back and is not settled, each with its number; `record` is its key in words."""
    held = records_of(records, RETURNED, *RETURNED.names)
    found = []
    for number, values in zip(held.ids, held.values(), strict=True):
        record = dict(zip(RETURNED.names, values, strict=True))
        key = " ".join(str(part) for part in json.loads(record["record"]) if part is not None)
        found.append({**record, "number": number, "record": key})
    return found
