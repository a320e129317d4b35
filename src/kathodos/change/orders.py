"""Orders: edits of records that a source brings, which its side is to carry out; the record stands until it has.

What has been decided is the catalogue with all pending orders carried out. Changes are composed and rehearsed on that.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from datetime import datetime
from functools import cached_property
from typing import Any, ClassVar

import msgspec
import numpy as np

from kathodos.change.edit_sets import EditSet, RecordEdit, edit_from, key_text, system_of, texts_of
from kathodos.change.fulfilled import Alike, Named, alike, fulfilling
from kathodos.change.kept import ChangeState, changes_called, set_change_state
from kathodos.change.settling import NOTES, Held, records_held
from kathodos.columns.csr import Bools, Ints, ints
from kathodos.columns.dictionary import Scalar
from kathodos.columns.moments import moments_of
from kathodos.columns.ranges import ranges_text
from kathodos.errors import CallError
from kathodos.ledger.operations import Operation, Plan
from kathodos.ledger.payloads import Act, OrdersPayload
from kathodos.model.json_text import json_text
from kathodos.model.kinds import (
    ACCOUNTS,
    AREAS,
    GRANTS,
    IDENTITIES,
    KINDS,
    MANDATES,
    ORDERS,
    REQUEST_ITEMS,
    RESOURCES,
    SYSTEMS,
    Kind,
)
from kathodos.model.orders import CALLS_BACK, PENDING, SETTLED, STATES, OrderState
from kathodos.model.periods import later
from kathodos.model.references import PREFIXES, name_in
from kathodos.model.referring import key_named
from kathodos.model.rows import Record
from kathodos.model.times import NEVER, end_moment, time_text
from kathodos.store.edited import edited
from kathodos.store.records import Records, Stored, Wanted

SEPARATOR = ";"  # between the names of the sources that bring a record
OF_NO_SYSTEM = (IDENTITIES, AREAS, MANDATES)


class OrderTerms(msgspec.Struct, frozen=True):
    """Within which time each system is to have carried out an order, and all others (ISO 8601)."""

    within: str = "P14D"
    of_system: Mapping[str, str] = msgspec.field(default_factory=dict)

    def due(self, system: str, now: datetime) -> str:
        """The moment by which an order that is made now is to be carried out."""
        return time_text(later(now, self.of_system.get(system, self.within)))


class Order(msgspec.Struct, frozen=True, dict=True):
    """One edit that a system's side is to carry out. `row`: its row in the store; `values`: all that is kept of it."""

    row: int
    values: Record

    @property
    def number(self) -> int:
        return int(self.values["order"])

    @property
    def state(self) -> OrderState:
        return OrderState(self.values["state"])

    @cached_property
    def edit(self) -> RecordEdit:
        """The edit, as the record was when it was ordered."""
        kind, record, before, after = (self.values[name] for name in ("kind", "record", "before", "after"))
        return edit_from(kind, record, before, after)

    @property
    def calls_back(self) -> int | None:
        """The number of the order that this one calls back: it was handed over and is not wanted any more."""
        note = str(self.values["note"] or "")
        return int(note.removeprefix(CALLS_BACK).split(";")[0]) if note.startswith(CALLS_BACK) else None

    def named(self, record: str) -> Order:
        """As it is kept once the system lists what was ordered by a key of its own."""
        return Order(self.row, {**self.values, "record": record})

    def state_at(self, moment: int) -> OrderState:
        """As `state`; overdue where it should have been carried out before a moment and nobody says that it is."""
        is_late = self.state in (OrderState.OPEN, OrderState.HANDED_OVER) and self._due <= moment
        return OrderState.OVERDUE if is_late else self.state

    @cached_property
    def _due(self) -> int:
        return end_moment(self.values["due"])


def orders_in(records: Records, states: Iterable[OrderState] = tuple(OrderState)) -> list[Order]:
    """The orders in some states, in the order of their numbers."""
    return orders_holding(records, {"state": list(map(str, states))})


def orders_holding(records: Records, wanted: Wanted) -> list[Order]:
    """The orders that hold one of some values in each of some columns, in the order of their numbers."""
    found = [Order(*it) for it in records.holding(ORDERS, wanted).numbered()]
    return sorted(found, key=lambda it: it.number)


def orders_at(records: Records, positions: Ints) -> list[Order]:
    """The orders at some positions."""
    return [Order(*it) for it in records.some(ORDERS, records.rows(ORDERS)[positions].tolist()).numbered()]


class OrderTable:
    """All orders as columns. `numbers`: of each; `kept`, `states`: how far it has come, overdue told in the latter.

    States are given as positions in STATES.
    """

    def __init__(self, records: Records, moment: int) -> None:
        self._records = records
        self.numbers = _texts(records, "order", int)
        self.kept = _texts(records, "state", lambda it: STATES.index(OrderState(str(it))))
        due = records.column(ORDERS, "due")
        is_late = np.isin(self.kept, [STATES.index(it) for it in (OrderState.OPEN, OrderState.HANDED_OVER)])
        is_late &= np.append(moments_of(due.values, is_end=True), NEVER)[due.codes] <= moment
        self.states = np.where(is_late, STATES.index(OrderState.OVERDUE), self.kept)

    def which(self, kept: Iterable[OrderState] | None = None, state: OrderState | None = None) -> Bools:
        """Those kept in some states, or in a state that may be overdue."""
        found = np.ones(len(self.kept), dtype=bool)
        if kept is not None:
            found &= np.isin(self.kept, [STATES.index(it) for it in kept])
        return found if state is None else found & (self.states == STATES.index(state))

    def holding(self, column: str, values: Sequence[Scalar]) -> Bools:
        """Those that hold one of some values in a column."""
        return self._records.column(ORDERS, column).holding_any(values)

    def positions(self, which: Bools) -> Ints:
        """The positions of some, in the order of their numbers."""
        at = which.nonzero()[0]
        return at[np.argsort(self.numbers[at], kind="stable")]

    def orders(self, positions: Ints) -> list[Order]:
        """Some of them as they are kept."""
        return orders_at(self._records, positions)


def _texts(records: Records, column: str, read: Callable[[Any], int]) -> Ints:
    """A column that each order has, as numbers."""
    held = records.column(ORDERS, column)
    return ints(read(it) for it in held.values)[held.codes]


def pending_edits(records: Records, orders: Sequence[Order] | None = None) -> EditSet:
    """What pending orders would still alter, each edit from the record as it is now."""
    if orders is None and isinstance(records, Stored):
        known, key = records.histories.known, (pending_edits, records.point)
        if key not in known:
            known[key] = pending_edits(records, orders_in(records, PENDING))
        return EditSet(known[key])
    if orders is None:
        orders = orders_in(records, PENDING)
    found = EditSet()
    by_kind: dict[Kind, list[Order]] = {}
    for order in orders:
        by_kind.setdefault(order.edit.kind, []).append(order)
    for kind, some in by_kind.items():
        held = records_held(records, kind, [order.edit.key for order in some])
        fits = fulfilling(records, (it.edit for it in some if it.edit.key not in held))
        for order in some:
            now, other = held.get(order.edit.key), fits.get((kind.name, order.edit.key))
            edit = _as_it_is_now(order.edit, now.record if now is not None else None)
            if not edit.is_empty and (other is None or other.differs):
                found.put(edit)
    return found


def _as_it_is_now(edit: RecordEdit, now: Record | None) -> RecordEdit:
    """An order's edit of the record as it is now: of a record that changed otherwise only what was ordered."""
    after = edit.after
    if now is None and edit.before is not None:
        after = None  # what was to be altered is not there any more
    elif now is not None and after is not None:
        wanted = edit.changed if edit.before is not None else [it for it in edit.kind.names if after[it] is not None]
        after = {**now, **{name: after[name] for name in wanted if name not in NOTES}}
    return RecordEdit(edit.kind, edit.key, now, after, edit.why)


def decided(records: Records) -> Records:
    """The records with all pending orders carried out."""
    edits = pending_edits(records)
    return edited(records, edits.edits) if len(edits) else records


# Making orders


class Carried(msgspec.Struct):
    """What became of edits: ordered, edited at once, and orders that are not wanted any more; of these the ones that
    were handed over, and are called back."""

    ordered: list[RecordEdit] = msgspec.field(default_factory=list)
    edited: list[RecordEdit] = msgspec.field(default_factory=list)
    dropped: list[Order] = msgspec.field(default_factory=list)
    called_back: list[Order] = msgspec.field(default_factory=list)


def carry(plan: Plan, edits: EditSet, change: str, terms: OrderTerms) -> Carried:
    """Puts edits of what has been decided into a plan: as orders where a source brings the record, else at once."""
    records, found = plan.records, Carried()
    pending = {(it.edit.kind.name, it.edit.key): it for it in orders_in(records, (*PENDING, OrderState.REFUSED))}
    systems = dict(zip(records.column(SYSTEMS, "system").listed(), records.sources(SYSTEMS).listed(), strict=True))
    ordered: list[tuple[RecordEdit, str, str]] = []
    for kind, some in edits.by_kind().items():
        held = records_held(records, kind, [edit.key for edit in some])
        closed, opened = [], []
        for edit in some:
            earlier, now = pending.get((kind.name, edit.key)), held.get(edit.key)
            if earlier is not None:
                found.dropped.append(earlier)
                if _is_out(earlier):
                    found.called_back.append(earlier)
            actual = RecordEdit(kind, edit.key, now.record if now else None, edit.after, edit.why, edit.author)
            if actual.is_empty:
                continue
            system = system_of(kind, actual.record)
            source = _source_of(kind, system, now, systems)
            if source:
                ordered.append((actual, system, source))
                found.ordered.append(actual)
            else:
                closed += [now.row] if now else []
                opened += [tuple(edit.after[name] for name in kind.names)] if edit.after is not None else []
                found.edited.append(actual)
        plan.close_rows(kind, closed)
        plan.open_rows(kind, opened)
    again = {(edit.kind.name, edit.key) for edit, _, _ in ordered}
    back = [it for it in found.called_back if (it.edit.kind.name, it.edit.key) not in again]
    ordered += [(_back(it), str(it.values["system"] or ""), str(it.values["source_named"])) for it in back]
    notes = {(it.edit.kind.name, it.edit.key): f"{CALLS_BACK}{it.number}" for it in back}
    _put_orders(plan, ordered, change, terms, notes)
    set_state(plan, found.dropped, OrderState.DROPPED, f"not wanted any more by the change {change}")
    close_changes(plan, {str(order.values["change"]) for order in found.dropped} - {change})
    return found


def _is_out(order: Order) -> bool:
    """Whether somebody may be carrying an order out: it was handed over, or is said to be done."""
    return order.state in (OrderState.HANDED_OVER, OrderState.DONE)


def _back(order: Order) -> RecordEdit:
    """The edit that has everything be as it was before an order."""
    edit = order.edit
    return RecordEdit(edit.kind, edit.key, edit.after, edit.before, edit.why)


def _source_of(kind: Kind, system: str, now: Held | None, systems: Mapping[Scalar, Scalar]) -> str:
    """The sources that bring a record, or would; empty where it is kept here."""
    if now is not None:
        return now.source or ""
    return str(systems.get(system) or "") if system and kind not in OF_NO_SYSTEM else ""


def _put_orders(
    plan: Plan,
    ordered: Sequence[tuple[RecordEdit, str, str]],
    change: str,
    terms: OrderTerms,
    notes: Mapping[tuple[str, tuple[object, ...]], str],
) -> None:
    first = plan.records.history(ORDERS).highest("order") + 1
    due: dict[str, str] = {}
    rows = []
    for number, (edit, system, source) in enumerate(ordered, first):
        if system not in due:
            due[system] = terms.due(system, plan.time)
        kind, record, before, after = texts_of(edit)
        at = (plan.actor.name, plan.now, due[system], None, None, notes.get((edit.kind.name, edit.key)))
        rows.append((number, change, system or None, source, kind, record, before, after, OrderState.OPEN.value, *at))
    plan.open_rows(ORDERS, rows)


def set_state(plan: Plan, orders: Sequence[Order], state: OrderState, note: str | None = None) -> None:
    """Puts orders into another state, by whom the plan says."""
    plan.close_rows(ORDERS, [order.row for order in orders])
    more = {"state": state.value, "changed_by": plan.actor.name, "changed_at": plan.now}
    changed = ({**order.values, **more, "note": _noted(order, note)} for order in orders)
    plan.open_rows(ORDERS, [tuple(values[name] for name in ORDERS.names) for values in changed])


def _noted(order: Order, note: str | None) -> str | None:
    """What is noted of an order; which one it calls back stays noted."""
    if order.calls_back is None:
        return note
    return f"{CALLS_BACK}{order.calls_back}" + (f"; {note}" if note else "")


# What a person says of them


class SetOrders(msgspec.Struct, Operation[list[Order]], frozen=True):
    """Says of orders, given by number, that they were handed over, done, refused or are dropped."""

    act: ClassVar[Act] = Act.ORDERS
    numbers: Sequence[int]
    state: OrderState

    def compose(self, plan: Plan) -> list[Order]:
        """Raises CallError where there is none of that number, or where nothing can be said of it any more."""
        if self.state in (OrderState.DROPPED, OrderState.REFUSED) and not plan.reason.strip():
            raise CallError(f"No order is {self.state} without a reason.", "Say --reason WHY; the ledger keeps it.")
        known = {it.number: it for it in orders_in(plan.records)}
        missing = ranges_text(number for number in self.numbers if number not in known)
        if missing:
            raise CallError(f"There is no order {missing}.", "See `kathodos orders list`.")
        chosen = [known[number] for number in dict.fromkeys(self.numbers)]
        over = [it for it in chosen if it.state in SETTLED]
        if over:
            what = f"Order {over[0].number} is {over[0].state} since {over[0].values['changed_at']}."
            raise CallError(what, "Nothing was changed. Leave it out.")
        set_state(plan, chosen, self.state, plan.reason or None)
        changes = close_changes(plan, {str(it.values["change"]) for it in chosen})
        plan.subjects += [f"order:{it.number}" for it in chosen] + [f"change:{name}" for name in changes]
        plan.payload = OrdersPayload(self.state, [it.number for it in chosen])
        return chosen


# Confirming them


class Confirmed(msgspec.Struct, frozen=True):
    """What a gather finds of pending orders: those that it confirms, and those said to be done that are not.

    `differently`: those that were carried out otherwise than ordered; `renamed`: those to end of which what they are
    about is listed under another name now.
    """

    confirmed: list[Order] = msgspec.field(default_factory=list)
    contradicted: list[Order] = msgspec.field(default_factory=list)
    differently: list[Order] = msgspec.field(default_factory=list)
    renamed: list[Order] = msgspec.field(default_factory=list)


def confirm(plan: Plan, source: str) -> Confirmed:
    """Confirms the orders that the planned state of the catalogue shows carried out; `source`: whose gather it is."""
    orders = orders_in(plan.records, (*PENDING, OrderState.REFUSED))
    found = Confirmed()
    if not orders:
        return found
    touched = {order.edit.kind for order in orders}
    after = plan.after(*touched, ACCOUNTS)
    orders, renamed = _followed(plan, after, orders)
    left = {(it.kind.name, it.key) for it in pending_edits(after, orders)}
    others = fulfilling(after, (it.edit for it in orders))
    for order in orders:
        named = (order.edit.kind.name, order.edit.key)
        other = others.get(named)
        if named not in left and order.calls_back is not None and not _is_out(order):
            continue  # its side has not been told yet, and may do what it was told before
        if named not in left:
            found.confirmed.append(order if other is None else order.named(key_text(other.key)))
        elif other is not None and other.differs:
            found.differently.append(order)
        elif order.state is OrderState.DONE and source in str(order.values["source_named"]).split(SEPARATOR):
            found.contradicted.append(order)
    found.renamed.extend(it for it in orders if it.number in renamed)
    told = {
        it.number: f"done differently: {others[it.edit.kind.name, it.edit.key].differs}" for it in found.differently
    }
    _follow_items(plan, {key: it for key, it in others.items() if not it.differs})
    set_state(plan, found.confirmed, OrderState.CONFIRMED, f"by the gather of {source}")
    for order in (it for it in found.differently if it.values["note"] != told[it.number]):
        set_state(plan, [order], OrderState.OPEN, told[order.number])
    set_state(plan, found.contradicted, OrderState.OPEN, f"said to be done, and not so at the gather of {source}")
    still = {it.number for it in (*found.confirmed, *found.differently, *found.contradicted)}
    for order in (it for it in found.renamed if it.number not in still):
        set_state(plan, [order], order.state, "what it is about is listed under another name now")
    close_changes(plan, {str(it.values["change"]) for it in found.confirmed})
    return found


def _followed(plan: Plan, after: Records, orders: list[Order]) -> tuple[list[Order], set[int]]:
    """The orders, those to end or alter what a gather lists under another name now led to that; and which these are."""
    gone = [it for it in orders if it.edit.before is not None]
    by_kind: dict[Kind, list[Order]] = {}
    for order in gone:
        by_kind.setdefault(order.edit.kind, []).append(order)
    moved: dict[int, Order] = {}
    followed: dict[Named, Alike] = {}
    for kind, some in by_kind.items():
        held = records_held(after, kind, [it.edit.key for it in some])
        missing = [it for it in some if it.edit.key not in held]
        others = alike(after, ((kind, it.edit.before) for it in missing if it.edit.before is not None))
        came = {key for key in {it.key for it in others.values()} if key not in records_held(plan.records, kind, [key])}
        for order in missing:
            other = others.get((kind.name, order.edit.key))
            if other is not None and other.key in came:  # it was not there before: it is what was ordered to end
                edit = order.edit
                changed = (
                    None if edit.after is None else {**other.record, **{it: edit.after[it] for it in edit.changed}}
                )
                _, record, before, after_text = texts_of(RecordEdit(kind, other.key, other.record, changed))
                values = {**order.values, "record": record, "before": before, "after": after_text}
                moved[order.number] = Order(order.row, values)
                followed[kind.name, order.edit.key] = other
    _follow_items(plan, followed)
    return [moved.get(it.number, it) for it in orders], set(moved)


def _follow_items(plan: Plan, others: Mapping[Named, Alike]) -> None:
    """Leads what requests have put there to the names under which the systems list it."""
    if not others:
        return
    texts = {key_text(key): (kind, it) for (kind, key), it in others.items()}
    rows = plan.records.holding(REQUEST_ITEMS, {"record": list(texts)}).numbered()
    some = [(row, it, texts[it["record"]]) for row, it in rows if it["kind"] == texts[it["record"]][0]]
    plan.close_rows(REQUEST_ITEMS, [row for row, _, _ in some])
    held = [
        {**it, "record": key_text(other.key), "holder": other.record["holder" if other.kind is GRANTS else "member"]}
        for _, it, (_, other) in some
    ]
    plan.open_rows(REQUEST_ITEMS, [tuple(it[name] for name in REQUEST_ITEMS.names) for it in held])


def close_changes(plan: Plan, names: set[str]) -> list[str]:
    """Notes of applied changes with no order left that they are carried out, or dropped; gives those."""
    if not names:
        return []
    of_change = dict[str, set[OrderState]]()
    orders = plan.after(ORDERS).holding(ORDERS, {"change": sorted(names)})
    for change, state in dict.fromkeys(zip(orders["change"], orders["state"], strict=True)):
        of_change.setdefault(change, set()).add(OrderState(state))
    closed = []
    for one in changes_called(plan.records, names).values():
        states = of_change.get(one.name, set())
        if one.state is ChangeState.APPLIED and states <= {*SETTLED}:
            is_given_up = states == {OrderState.DROPPED}
            set_change_state(plan, one, ChangeState.DROPPED if is_given_up else ChangeState.CARRIED_OUT)
            closed.append(one.name)
    return closed


def ordered_of(records: Records) -> Mapping[tuple[str, tuple[object, ...]], Order]:
    """The pending order of each record that has one, by the name of its kind and its key."""
    return {(it.edit.kind.name, it.edit.key): it for it in orders_in(records, PENDING)}


def orders_about(records: Records, references: Sequence[str]) -> list[int]:
    """The numbers of the pending orders of records that some references name, or that point at these, in order."""
    rows = records.rows_holding(ORDERS, {"state": list(map(str, PENDING))})
    if not len(rows):
        return []
    names = ("order", "kind", "record", "before", "after")
    own = {(kind, key_text(key)) for kind, key in _keys(references)}
    texts = [json_text(it) for it in references]
    texts += [f'"identity":{json_text(name_in("identity", it))}' for it in references if it.startswith("identity:")]
    found = []
    for number, kind, record, before, after in zip(
        *(records.picked(ORDERS, name, rows).listed() for name in names), strict=True
    ):
        said = f"{before or ''}{after or ''}"
        if (kind, record) in own or any(it in said for it in texts):
            found.append(int(str(number)))
    return sorted(found)


def _keys(references: Sequence[str]) -> Iterator[tuple[str, tuple[object, ...]]]:
    """The kind and the key of the record that each reference names."""
    for reference in references:
        for kind in KINDS:
            if PREFIXES.get(kind.name) == reference.partition(":")[0]:
                yield kind.name, tuple(key_named(kind, reference.partition(":")[2]))
        if ":/" in reference:
            yield RESOURCES.name, (reference,)


def order_text(order: Order) -> str:
    """What is said of a record that an order is about."""
    if order.calls_back is not None:
        return f"order {order.calls_back} about it is called back"
    if order.edit.after is None:
        return "ordered to end"
    if order.edit.before is None:
        return "ordered to come"
    return f"ordered to change: {', '.join(order.edit.changed)}"
