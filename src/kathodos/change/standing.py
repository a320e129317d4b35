"""By what grants and memberships stand: the request and its kit, the change that gave them, and who decided it."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import msgspec

from kathodos.change.edit_sets import key_text
from kathodos.change.kept import Change, changes_called
from kathodos.model.kinds import CHANGE_EDITS, DECISIONS, GRANTS, ORDERS, REQUEST_ITEMS, REQUEST_STEPS, REQUESTS, Kind
from kathodos.model.kinds import REVIEW_LINES as LINES
from kathodos.model.orders import OrderState
from kathodos.model.references import reference_to
from kathodos.model.requests import RequestState
from kathodos.model.rows import Record
from kathodos.store.records import Records, Wanted

UNDO = "undo of "  # what the origin of a change begins with that takes another back

Named = tuple[str, str]  # the name of a kind, and a key as it is kept


class Standing(msgspec.Struct, frozen=True):
    """By what a record stands. `request`: the one that runs, with its `kit`; else `change`: the one that gave it, and
    where that came from; `by`: who granted the request or applied the change, and `at`: when; `reason`: of the giving.
    """

    request: int | None = None
    kit: str = ""
    change: str = ""
    origin: str = ""
    by: Sequence[str] = ()
    at: str = ""
    reason: str = ""

    @property
    def text(self) -> str:
        """It in words."""
        who = f"{' and '.join(self.by)}" if self.by else "nobody, for nobody was asked"
        on = f" on {self.at[:10]}" if self.at else ""
        why = f": {self.reason}" if self.reason else ""
        if self.request is not None:
            kit = f" for the kit {self.kit}" if self.kit else ""
            return f"by request {self.request}{kit}, granted by {who}{on}{why}"
        origin = f", from the {self.origin.replace(':', ' ')}" if ":" in self.origin else ""
        return f"by the change {self.change}{origin}, applied by {who}{on}{why}"


def standings(records: Records, some: Iterable[tuple[Kind, Sequence[object]]]) -> dict[Named, Standing]:
    """By what each of some records stands, as far as requests or changes gave it.

    A request that runs comes first, the newest where there are several; else the change that brought the record as it
    is there now. What a change took and another gave back by undoing that stands by what it stood by before.
    """
    wanted = {(kind.name, key_text(key)) for kind, key in some}
    found = _by_changes(records, wanted)
    found.update(_by_requests(records, wanted))
    return found


def _by_requests(records: Records, wanted: set[Named]) -> dict[Named, Standing]:
    items = [
        ((str(it["kind"]), str(it["record"])), int(it["request"]))
        for it in records.holding(REQUEST_ITEMS, {"record": _texts(wanted)}).records()
        if it["brought"] and (it["kind"], it["record"]) in wanted
    ]
    numbers = sorted({number for _, number in items})
    if not numbers:
        return {}
    running = {
        int(it["request"]): it
        for it in records.holding(REQUESTS, {"request": numbers, "state": [RequestState.GRANTED.value]}).records()
    }
    granted: dict[int, list[Record]] = {}
    for step in records.holding(REQUEST_STEPS, {"request": sorted(running), "decision": ["grant"]}).records():
        granted.setdefault(int(step["request"]), []).append(step)
    found: dict[Named, Standing] = {}
    for named, number in sorted(items, key=lambda it: it[1]):
        if number in running:
            request, steps = running[number], granted.get(number, [])
            by = dict.fromkeys(str(it["decided_by"]) for it in steps)
            at = max((str(it["decided_at"]) for it in steps), default=str(request["asked_at"]))
            reason = str(request["reason"] or "")
            found[named] = Standing(number, str(request["kit"] or ""), by=tuple(by), at=at, reason=reason)
    return found


def _by_changes(records: Records, wanted: set[Named]) -> dict[Named, Standing]:
    """What the edits of applied changes, one after the other, have left each record standing by."""
    orders = [it for it in records.holding(ORDERS, {"record": _texts(wanted)}).records() if _named(it) in wanted]
    ordered = {(str(it["change"]), _named(it)): it["state"] == OrderState.CONFIRMED for it in orders}
    confirmed = (it for it in orders if it["state"] == OrderState.CONFIRMED)  # also under a name that a system gave it
    edits: dict[tuple[str, Named], _Edit] = {}
    rows = records.holding(CHANGE_EDITS, {"record": _texts(wanted)}).numbered()
    for row, it in [*((row, it) for row, it in rows if _named(it) in wanted), *((0, it) for it in confirmed)]:
        key = str(it["change"]), _named(it)
        edits.setdefault(key, _Edit(row, bool(it["before"]), bool(it["after"]), ordered.get(key, True)))
    changes = changes_called(records, {name for name, _ in edits})
    of_record: dict[Named, list[tuple[Change, _Edit]]] = {}
    for (name, named), edit in edits.items():
        if name in changes and changes[name].applied_at:
            of_record.setdefault(named, []).append((changes[name], edit))
    found = {}
    for named, some in of_record.items():
        giver = _giver(sorted(some, key=lambda it: (it[0].applied_at, it[1].row)))
        if giver is not None:
            by, at, reason = (giver.applied_by,), giver.applied_at, giver.reason
            found[named] = Standing(change=giver.name, origin=giver.origin, by=by, at=at, reason=reason)
    return found


class _Edit(msgspec.Struct, frozen=True):
    """An edit of a record by a change: whether the record was there before and is after, and whether it is done: at
    once, or by an order that is confirmed."""

    row: int
    was_there: bool
    is_there: bool
    is_done: bool


def _named(record: Record) -> Named:
    return str(record["kind"]), str(record["record"])


def _giver(edits: Sequence[tuple[Change, _Edit]]) -> Change | None:
    """The change by which a record is there, after all its edits."""
    giver: Change | None = None
    before: dict[str, Change | None] = {}
    for change, edit in edits:
        before[change.name], undone = giver, change.origin.removeprefix(UNDO)
        if not edit.is_done:
            continue
        if change.origin.startswith(UNDO) and undone in before:
            giver = before[undone] if edit.is_there else None
        elif not edit.is_there:
            giver = None
        elif not edit.was_there:
            giver = change
    return giver


def _texts(wanted: set[Named]) -> list[str]:
    return sorted({text for _, text in wanted})


class Behind(msgspec.Struct, frozen=True):
    """The order that was behind what a gather found: the change it was of, who ordered it, and why."""

    order: int
    change: str
    ordered_by: str
    reason: str


def orders_behind(
    records: Records, some: Iterable[tuple[Kind, Sequence[object], str]]
) -> dict[tuple[str, str, str], Behind]:
    """The order that each of some records came, changed or went by, confirmed at a moment, as far as there was one.

    Told by the name of the kind, the key as it is kept, and the moment.
    """
    wanted = {(kind.name, key_text(key), at) for kind, key, at in some}
    texts = sorted({text for _, text, _ in wanted})
    orders = records.holding(ORDERS, {"record": texts, "state": [OrderState.CONFIRMED.value]}).records()
    changes = changes_called(records, {str(it["change"]) for it in orders})
    found = {}
    for it in orders:
        named, change = (str(it["kind"]), str(it["record"]), str(it["changed_at"])), changes.get(str(it["change"]))
        if named in wanted and change is not None:
            found[named] = Behind(int(it["order"]), change.name, str(it["ordered_by"]), change.reason)
    return found


class Certified(msgspec.Struct, frozen=True):
    """The last certification of a unit of one person in a review that was signed off."""

    review: str
    by: str
    at: str

    @property
    def text(self) -> str:
        """It in words."""
        return f"last certified in the review {self.review} by {self.by} on {self.at[:10]}"


def last_certified(records: Records, kind: Kind, record: Record, asker: str) -> Certified | None:
    """When a grant or a membership of one person, given by reference, was certified last."""
    unit: Wanted = (
        {"grant": [record["grant"]], "holder": [record["holder"]]}
        if kind is GRANTS
        else {"group": [reference_to("group", record["system"], record["group"])], "holder": [record["member"]]}
    )
    lines = [it for it in records.holding(LINES, unit).records() if it["part"] is None and _of(it, asker)]
    found = None
    for line in lines:
        key = {"review": [line["review"]], "line": [line["line"]], "decision": ["certify"]}
        for it in records.holding(DECISIONS, key).records():
            if it["signed"] and (found is None or str(it["decided_at"]) > found.at):
                found = Certified(str(it["review"]), str(it["decided_by"]), str(it["decided_at"]))
    return found


def _of(line: Record, asker: str) -> bool:
    return asker in (line["identity"], reference_to("identity", line["identity"] or ""))
