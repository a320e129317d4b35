"""Orders that nobody carried out in time, that were refused, or that were carried out otherwise than they say."""

from __future__ import annotations

import json

import numpy as np

from kathodos.findings.excess.batches import CERTAIN, Batch, ExcessContext, FindingText, batch
from kathodos.model.kinds import BY_NAME, ORDERS
from kathodos.model.orders import DONE_DIFFERENTLY
from kathodos.model.references import reference_to
from kathodos.model.times import day_text, end_moment, first_moment

OVERDUE, REFUSED, DIFFERENTLY = "overdue-order", "refused-order", "done-differently"
_WAITING = ("open", "handed over")
_STATES = {OVERDUE: _WAITING, REFUSED: ("refused",), DIFFERENTLY: (*_WAITING, "done")}
_REMEDY = {
    OVERDUE: "Remind the owner.",
    REFUSED: "Decide what is to become of it.",
    DIFFERENTLY: "Have it done as ordered, or compose a change that says what is meant.",
}


def overdue_orders(context: ExcessContext) -> Batch:
    """Orders that should have been carried out, and of which nobody says that they are."""
    return _orders(context, OVERDUE)


def refused_orders(context: ExcessContext) -> Batch:
    """Orders that a system or its owner refused, so that what was decided does not hold."""
    return _orders(context, REFUSED)


def done_differently(context: ExcessContext) -> Batch:
    """Orders that a system carried out otherwise than they say: with another end or beginning."""
    return _orders(context, DIFFERENTLY)


def _orders(context: ExcessContext, name: str) -> Batch:
    basis = context.basis
    columns = (
        "order",
        "kind",
        "record",
        "before",
        "after",
        "state",
        "due",
        "changed_at",
        "changed_by",
        "note",
        "system",
    )
    numbers, whose, texts, days = [], [], [], []
    some = basis.records.column(ORDERS, "state").holding_any(_STATES[name]).nonzero()[0]
    rows = zip(*(basis.records.column(ORDERS, column).listed(some) for column in columns), strict=True)
    for number, kind, record, before, after, state, due, at, by, note, system in rows:
        told = {
            OVERDUE: f"was due on {day_text(end_moment(due) - 1)} and is still {state}",
            REFUSED: f"was refused on {str(at)[:10]} by {by}: {note}",
            DIFFERENTLY: str(note),
        }[name]
        is_found = {
            OVERDUE: end_moment(due) <= basis.moment,
            REFUSED: True,
            DIFFERENTLY: str(note).startswith(DONE_DIFFERENTLY),
        }[name]
        if is_found:
            held = json.loads(after or before)
            holder = str(held.get("holder") or held.get("member") or "")
            asker = basis.index.holders.find(holder) if holder else -1
            whose.append(int(basis.index.holders.asker_of[asker]) if 0 <= asker < basis.size else -1)
            key = " ".join(str(part) for part in json.loads(record) if part is not None)
            what = f"{'to end' if not after else 'to come' if not before else 'to change'}: {BY_NAME[kind].one} {key}"
            where = f" in {system}" if system else ""
            numbers.append(reference_to("order", number))
            texts.append(FindingText(reference_to("order", number), f"ordered{where} {what}; {told}", _REMEDY[name]))
            days.append(basis.days_since(end_moment(due) if name == OVERDUE else first_moment(at)))
    concerned, stood = np.array(whose, dtype=np.int64), np.array(days, dtype=np.int64)
    return batch(name, concerned, numbers.__getitem__, texts.__getitem__, 2, CERTAIN, stood)
