"""Changes in words: their list, one with its edits, and what came of composing, applying and dropping."""

from __future__ import annotations

from collections import Counter
from typing import Any

import numpy as np

from kathodos.change.applying import Applied, Composed, Rehearsed
from kathodos.change.composition import Composition
from kathodos.change.edit_sets import RecordEdit, key_text, system_of
from kathodos.change.kept import Change, changes_in, edits_at, find_change, positions_of_edits
from kathodos.change.orders import Order, OrderTable, orders_holding
from kathodos.columns.csr import ints
from kathodos.columns.dictionary import DictionaryColumn
from kathodos.model.kinds import CHANGE_EDITS, ORDERS
from kathodos.model.orders import WAITING
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field, Row
from kathodos.report.edits import Wording, does, edit_row
from kathodos.report.long import first_rows
from kathodos.workspace.view import View

_LIST = (
    Field("change", "Change", 9, least=12),
    Field("state", "State", 9),
    Field("edits", "Edits", 8, is_number=True),
    Field("orders", "Orders left", 7, is_number=True),
    Field("author", "Composed by", 6),
    Field("made_at", "On", 6),
    Field("origin", "From", 4),
    Field("reason", "Reason", 5, least=16),
)
_EDITS = (Field("what", "What", 9, least=30), Field("order", "Its order", 7), Field("why", "Why", 5, least=12))


def change_list(view: View) -> Answer:
    """All changes, the newest first, with how many orders of each are not settled yet."""
    records = view.catalogue
    counts = _counted(records.column(CHANGE_EDITS, "change"))
    waiting = OrderTable(records, view.moment).which(WAITING)
    left = _counted(records.column(ORDERS, "change").taken(waiting))
    rows = [{**_row(it), "edits": counts[it.name], "orders": left[it.name]} for it in reversed(changes_in(records))]
    heading = plural(len(rows), "change") if rows else "There is no change yet."
    hint = "One of them: kathodos change show NAME" if rows else "Compose one: kathodos change give --help"
    return Answer(_LIST, rows, heading, hint=hint, extra_keys=["applied_by", "applied_at"])


def _counted(names: DictionaryColumn) -> Counter[str]:
    """How often each name stands in a column."""
    counts = np.bincount(names.codes + 1, minlength=len(names.values) + 1)[1:].tolist()
    return Counter({str(name): count for name, count in zip(names.values, counts, strict=True) if count})


def _row(change: Change) -> dict[str, Any]:
    return {
        "change": change.name,
        "state": str(change.state),
        "author": change.author,
        "made_at": change.made_at,
        "origin": change.origin or None,
        "reason": change.reason or None,
        "applied_by": change.applied_by or None,
        "applied_at": change.applied_at or None,
    }


def change_shown(view: View, name: str, most: int | None, form: str) -> Answer:
    """One change: who composed and applied it, and each edit as a sentence with how far its order has come."""
    change = find_change(view.catalogue, name)
    some, more = first_rows(positions_of_edits(view.catalogue, name).tolist(), most if form == "table" else None)
    shown = edits_at(view.catalogue, ints(some))
    wording = Wording(view.catalogue, shown)
    wanted = {"change": [name], "record": [key_text(it.key) for it in shown]}
    orders = {(it.edit.kind.name, it.edit.key): it for it in orders_holding(view.catalogue, wanted)}
    rows = [_edit(edit, wording, orders.get((edit.kind.name, edit.key)), view.moment) for edit in shown]
    heading = f"{name}, {change.state}: composed by {change.author} on {change.made_at}"
    text = [f"Because: {change.reason}"] if change.reason else []
    text += [f"It comes from: {change.origin}"] if change.origin else []
    text += [f"Applied by {change.applied_by} on {change.applied_at}."] if change.applied_by else []
    text += [f"Done in spite of what it locks out: {change.despite}"] if change.despite else []
    step = "rehearse" if not change.is_applied else "undo"
    hints = {"rehearse": "What it does: kathodos change rehearse", "undo": "Take it back: kathodos change undo"}
    document = {**_row(change), "effect": change.effect or None, "despite": change.despite or None, "edits": rows}
    names = ("verb", "kind", "record", "what", "order", "why")
    fields = _EDITS if form == "table" else [Field(name, name) for name in names]
    hint = f"{more} {hints[step]} {name}".strip() if not (change.is_applied and change.is_of_requests) else more
    return Answer(fields, rows, heading, text, hint=hint, document=document if form != "csv" else None)


def _edit(edit: RecordEdit, wording: Wording, order: Order | None, moment: int) -> dict[str, Any]:
    state = f"order {order.number}: {order.state_at(moment)}" if order is not None else None
    return {**edit_row(edit, wording), "order": state}


def collected(composed: Composed, composition: Composition) -> Answer:
    """What is said once edits have been put into a draft."""
    name, count = composed.change.name, len(composed.edits)
    counts = f"Asked {composition.asked}, stand already {composition.standing}, {does(composition.edits)}."
    heading = f"The change {name} has {plural(count, 'edit')}; nothing is applied yet."
    hint = f"What it would do to everyone: kathodos change rehearse {name}"
    document = {
        "change": name,
        "edits": count,
        "asked": composition.asked,
        "standing": composition.standing,
        "added": len(composition.edits),
        "notes": composition.notes,
    }
    return Answer(heading=heading, text=[counts, *composition.notes], hint=hint, document=document)


def nothing_to_do(composition: Composition) -> Answer:
    """What is said where all that was asked for stands already."""
    counts = "There is nothing to do: it is so already."
    if composition.asked:
        counts = f"Asked {composition.asked}, stand already {composition.standing}: there is nothing to do."
    document = {"asked": composition.asked, "standing": composition.standing, "added": 0, "notes": composition.notes}
    return Answer(heading=counts, text=composition.notes, document=document)


def not_applied(name: str, rehearsal: Answer) -> Answer:
    """What is said where a change is not applied after its rehearsal."""
    document = {"change": name, "applied": False, "rehearsal": rehearsal.document}
    return Answer(heading=f"Nothing was changed; {name} is not applied.", status=rehearsal.status, document=document)


def differs(earlier: Rehearsed, now: Rehearsed) -> str:
    """What is said where a change would do something else than it was rehearsed to."""
    counts = (f"{it.gained:,} combinations gained and {it.lost:,} lost" for it in (earlier, now))
    was, is_now = counts
    return f"What it does is another than was shown: it was {was}, and is {is_now}."


def applied(found: Applied, entry: int | None, rehearsal: Row | None) -> Answer:
    """What came of applying a change, and of its rehearsal as data."""
    carried, change = found.carried, found.change
    parts = []
    if carried.ordered:
        parts.append(f"{plural(len(carried.ordered), 'order')} to the systems' side")
    if carried.edited:
        parts.append(f"{plural(len(carried.edited), 'record')} kept here edited at once")
    if carried.dropped:
        back = f", {len(carried.called_back)} of them called back" if carried.called_back else ""
        parts.append(f"{plural(len(carried.dropped), 'earlier order')} dropped{back}")
    heading = f"{change.name} is applied (entry {entry} of the ledger): {'; '.join(parts) or 'nothing was left to do'}."
    text = []
    if found.settled.standing:
        text.append(f"{plural(len(found.settled.standing), 'edit')} stood already.")
    if carried.ordered:
        text.append("What a source brings stands until a gather finds it done; `--assume orders` asks as if it were.")
    systems = sorted({system_of(edit.kind, edit.record) for edit in carried.ordered})
    undo = f"Take it back: kathodos change undo {change.name}" if not change.is_of_requests else ""
    hint = "Hand it over: kathodos orders worklist" if carried.ordered else undo
    document = {
        "change": change.name,
        "state": str(change.state),
        "entry": entry,
        "ordered": len(carried.ordered),
        "edited": len(carried.edited),
        "dropped": [it.number for it in carried.dropped],
        "called_back": [it.number for it in carried.called_back],
        "standing": len(found.settled.standing),
        "systems": systems,
        "rehearsal": rehearsal,
    }
    return Answer(heading=heading, text=text, hint=hint, document=document)


def dropped(change: Change) -> Answer:
    """What is said once a draft is given up."""
    document = {"change": change.name, "state": str(change.state)}
    return Answer(heading=f"The change {change.name} is dropped; nothing of it was applied.", document=document)
