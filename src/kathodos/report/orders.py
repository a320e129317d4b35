"""Orders in words: their list, worklists for the owners of systems, and what came of carrying them out."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import msgspec
import numpy as np

from kathodos.change.kept import changes_called
from kathodos.change.orders import Order, OrderTable
from kathodos.columns.csr import Ints, ints
from kathodos.columns.ranges import ranges_text
from kathodos.model.kinds import ACCOUNTS, SYSTEMS
from kathodos.model.orders import SETTLED, STATES, WAITING, OrderState
from kathodos.model.times import DAY, end_moment
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field
from kathodos.report.edits import Wording, edit_row
from kathodos.report.long import first_rows
from kathodos.store.records import columns_of
from kathodos.workspace.enacting import Copies
from kathodos.workspace.view import View

_LIST = (
    Field("order", "No.", 9, is_number=True),
    Field("state", "State", 9),
    Field("system", "System", 8),
    Field("what", "What", 9, least=28),
    Field("due", "Due", 8, least=10),
    Field("days", "Days left", 6, is_number=True),
    Field("change", "Change", 6),
    Field("note", "Note", 4, least=12),
)
_WORK = (
    Field("order", "No.", 9, is_number=True),
    Field("owner", "Owner", 7),
    Field("system", "System", 8),
    Field("todo", "To do", 9, least=30),
    Field("account", "Account there", 6),
    Field("due", "By", 8, least=10),
    Field("why", "Why", 5, least=12),
)
WORK_COLUMNS = ("order", "system", "todo", "account", "due", "change", "why", "done")


_MOST_NUMBERS = 100  # characters of the numbers of orders
_MOST_REASONS = 40  # why orders are left, to a person


class OrderChoice(msgspec.Struct, frozen=True):
    """Which orders: in some state (None: those that are not settled), of a system, of a change."""

    state: str | None = None
    system: str | None = None
    change: str | None = None

    def among(self, table: OrderTable) -> Ints:
        """The positions of these, in the order of their numbers."""
        if self.state in (None, "all"):
            which = table.which(WAITING if self.state is None else None)
        else:
            which = table.which(state=OrderState(self.state))
        for column, value in (("system", self.system), ("change", self.change)):
            if value is not None:
                which &= table.holding(column, [value])
        return table.positions(which)


def order_list(view: View, choice: OrderChoice, most: int | None, form: str) -> Answer:
    """The orders, in the order of their numbers."""
    table = OrderTable(view.stored, view.moment)
    chosen = choice.among(table)
    some, more = first_rows(chosen.tolist(), most if form == "table" else None)
    shown = table.orders(ints(some))
    wording = Wording(view.stored, [it.edit for it in shown])
    rows = [_row(view, order, wording) for order in shown]
    counts = np.bincount(table.states[chosen], minlength=len(STATES)).tolist()
    told = ", ".join(f"{count:,} {state}" for state, count in zip(STATES, counts, strict=True) if count)
    heading = f"{plural(len(chosen), 'order')}: {told}" if len(chosen) else "No order is waiting."
    hint = (
        f"{more} For the systems' owners: kathodos orders worklist".strip()
        if len(chosen)
        else "All of them: kathodos orders list --state all"
    )
    extra = ["kind", "verb", "record", "before", "after", "ordered_by", "ordered_at", "changed_by", "changed_at"]
    return Answer(_LIST, rows, heading, hint=hint, extra_keys=extra)


def _row(view: View, order: Order, wording: Wording) -> dict[str, Any]:
    values = order.values
    edit = edit_row(order.edit, wording)
    due, state = end_moment(values["due"]), order.state_at(view.moment)
    called_back = f"order {order.calls_back} is called back: " if order.calls_back is not None else ""
    return {
        "order": order.number,
        "state": str(state),
        "system": values["system"],
        "what": called_back + edit["what"],
        "due": str(values["due"] or "")[:10],
        "days": None if state in SETTLED else due // DAY - view.moment // DAY,
        "change": values["change"],
        "note": values["note"],
        **{name: edit[name] for name in ("kind", "verb", "record", "before", "after")},
        **{name: values[name] for name in ("ordered_by", "ordered_at", "changed_by", "changed_at")},
    }


# Worklists


class Worklist(msgspec.Struct, frozen=True):
    """What the owner of some systems is to do: a row for each order."""

    owner: str
    name: str
    rows: Sequence[Mapping[str, Any]]


def worklists(view: View, orders: Sequence[Order]) -> list[Worklist]:
    """A worklist for each owner of systems; what belongs to no system is for whoever keeps the source."""
    edits = [it.edit for it in orders]
    wording = Wording(view.stored, edits)
    owners = dict(zip(*columns_of(view.stored, SYSTEMS, "system", "owner"), strict=True))
    accounts = _accounts(view, orders)
    reasons = {
        name: it.reason for name, it in changes_called(view.stored, {str(it.values["change"]) for it in orders}).items()
    }
    by_owner: dict[str, list[Mapping[str, Any]]] = {}
    for order in orders:
        values = order.values
        system = str(values["system"] or "")
        owner = str(owners.get(system) or "") or f"source {values['source_named']}"
        by_owner.setdefault(owner, []).append(
            {
                "order": order.number,
                "owner": owner,
                "system": system or f"source {values['source_named']}",
                "todo": _todo(order, wording),
                "account": accounts.get((system, _holder_of(order)), ""),
                "due": str(values["due"] or "")[:10],
                "change": values["change"],
                "why": order.edit.why or reasons.get(str(values["change"])) or None,
                "done": "",
            }
        )
    names = _names(view, by_owner)
    return [Worklist(owner, names.get(owner, owner), rows) for owner, rows in sorted(by_owner.items())]


def _todo(order: Order, wording: Wording) -> str:
    """What is to be done for an order."""
    told = wording.instruction(order.edit)
    if order.calls_back is None:
        return told
    return f"Do not carry out order {order.calls_back} any more. If it is done already: {told}"


def _holder_of(order: Order) -> str:
    """Whom an order concerns, where it is about a grant or a membership."""
    return str(order.edit.record.get("holder") or order.edit.record.get("member") or "")


def _names(view: View, owners: Mapping[str, object]) -> dict[str, str]:
    numbers = [view.index.holders.find(f"identity:{owner}") for owner in owners]
    people = view.people([it for it in numbers if it >= 0])
    return {str(it["id"]): f"{it['name']} ({it['id']})" for it in people.values() if it["name"]}


def _accounts(view: View, orders: Sequence[Order]) -> dict[tuple[str, str], str]:
    """The logins that those who are concerned have in the systems of their orders."""
    wanted = {_holder_of(it) for it in orders}
    people = [it.partition(":")[2] for it in wanted if it.startswith("identity:")]
    at = view.stored.column(ACCOUNTS, "identity").holding_any(people).nonzero()[0]
    columns = (view.stored.column(ACCOUNTS, name).listed(at) for name in ("system", "identity", "login"))
    found: dict[tuple[str, str], str] = {}
    for system, identity, login in zip(*columns, strict=True):
        key = (str(system), f"identity:{identity}")
        found[key] = f"{found[key]}, {login}" if key in found else str(login)
    return found


def worklist_shown(view: View, choice: OrderChoice, most: int | None, form: str) -> Answer:
    """What is to be done, owner by owner."""
    table = OrderTable(view.stored, view.moment)
    chosen = choice.among(table)
    is_to_do = table.which((OrderState.OPEN, OrderState.HANDED_OVER))
    orders = table.orders(chosen[is_to_do[chosen]])
    lists = worklists(view, orders)
    rows = [row for one in lists for row in one.rows]
    shown, more = first_rows(rows, most if form == "table" else None)
    count = f"{plural(len(rows), 'thing')} to do, for {plural(len(lists), 'owner')}"
    heading = count if rows else "There is nothing to do."
    hint = (
        f"{more} As files for each owner: kathodos enact --out DIR; done: kathodos orders done No. ..." if rows else ""
    )
    return Answer(_WORK, shown, heading, hint=hint.strip(), extra_keys=["change"])


def orders_set(orders: Sequence[Order], state: OrderState) -> Answer:
    """What is said once something was said of orders."""
    words = {
        OrderState.DONE: "said to be done; the next gather says whether it is so",
        OrderState.REFUSED: "refused; it stands among the findings until it is dropped or done",
        OrderState.DROPPED: "dropped; what was ordered is not wanted any more",
        OrderState.HANDED_OVER: "handed over",
        OrderState.OPEN: "open again",
    }
    heading = f"{plural(len(orders), 'order')} ({_numbers(orders)}): {words[state]}."
    document = {"state": str(state), "orders": [it.number for it in orders]}
    return Answer(heading=heading, hint="All of them: kathodos orders list --state all", document=document)


def _numbers(orders: Sequence[Order]) -> str:
    """The first numbers of orders, as ranges."""
    numbers = ranges_text(it.number for it in orders).replace(",", ", ")
    return numbers if len(numbers) <= _MOST_NUMBERS else f"{numbers[:_MOST_NUMBERS].rpartition(',')[0]} ..."


# Carried out


class Enacted(msgspec.Struct, frozen=True):
    """What was written to carry orders out: files, how many orders they are about, and what was left with why."""

    files: Sequence[str]
    about: int
    left: Sequence[tuple[Order, str]] = ()
    copies: Sequence[Copies] = ()
    is_dry: bool = False


def enacted(found: Enacted) -> Answer:
    """What is said once orders were carried out as far as that is possible here."""
    if not found.about and not found.left:
        return Answer(heading="No order is open.", document={"files": [], "orders": 0, "left": []})
    would = "would be " if found.is_dry else ""
    heading = f"{plural(found.about, 'order')} {would}handed over in {plural(len(found.files), 'file')}."
    heading = heading if found.about else "No order can be handed over."
    text = list(found.files)
    for copies in found.copies:
        for file in copies.files:
            counts = f"{plural(file.gone, 'row')} taken out, {file.altered} altered, {file.added} added"
            text.append(f"  {file.name} of {copies.source}: {counts}")
    text += _left(found.left)
    text += ["What is left can be handed over to people: kathodos enact --by worklist"] if found.left else []
    hint = "Put the corrected files in place of the old ones, then: kathodos gather" if found.copies else ""
    hint = hint or "Ticked off: kathodos orders done No. ...; confirmed by the next gather"
    document = {
        "files": list(found.files),
        "orders": found.about,
        "left": [{"order": order.number, "why": why} for order, why in found.left],
    }
    if found.is_dry:
        hint = "Nothing is written yet: the same without --dry-run writes it." if found.about else ""
    return Answer(heading=heading, text=text, hint=hint if found.about else "", document=document)


def _left(orders: Sequence[tuple[Order, str]]) -> list[str]:
    """Which orders are left, a sentence for each reason."""
    by_reason: dict[str, list[Order]] = {}
    for order, why in orders:
        by_reason.setdefault(why, []).append(order)
    told = [
        f"Order {some[0].number} is left: {why}."
        if len(some) == 1
        else f"{plural(len(some), 'order')} ({_numbers(some)}) are left: {why}."
        for why, some in by_reason.items()
    ]
    more = len(told) - _MOST_REASONS
    return told if more <= 0 else [*told[:_MOST_REASONS], f"And for {plural(more, 'more reason')}: --format json"]
