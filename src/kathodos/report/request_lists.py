"""Requests looked at: one with every step, many by state and people, counted, and what is had through which."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from typing import Any

import msgspec
import numpy as np

from kathodos.change.edit_sets import key_text
from kathodos.change.orders import order_text, orders_holding
from kathodos.columns.csr import Bools, ints
from kathodos.columns.dictionary import numbers_at
from kathodos.errors import CallError, found_if
from kathodos.ledger.actors import Actor, normal_name
from kathodos.model.kinds import BY_NAME, MEMBERS, REQUEST_STEPS, REQUESTS, Form
from kathodos.model.orders import PENDING
from kathodos.model.requests import RequestState
from kathodos.model.times import first_moment, normal_moment
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field
from kathodos.report.long import first_rows
from kathodos.report.request_words import (
    age_in_days,
    evidence_data,
    evidence_lines,
    named,
    names_of,
    said_lines,
    step_lines,
)
from kathodos.request.content import item_from
from kathodos.request.records import (
    LOOK_BACK,
    Request,
    RequestTable,
    find_request,
    is_asked_back,
    items_of_requests,
    remarks_of,
    requests_at,
    steps_of,
    told_state,
    waiting,
)
from kathodos.store.attributes import AttributeColumns, Distinct
from kathodos.store.records import Records
from kathodos.workspace.requests import Trial
from kathodos.workspace.view import View

_COUNTED = "How requests stand: kathodos request status"
_LIST = (
    Field("request", "Request", 9, is_number=True, least=7),
    Field("state", "State", 9),
    Field("what", "For", 8, least=12),
    Field("whom", "Whom", 8, least=8),
    Field("name", "Name", 5, least=10),
    Field("until", "Until", 7),
    Field("age", "Days old", 5, is_number=True),
    Field("waits_for", "Waits for", 7, least=8),
    Field("reason", "Reason", 4, least=12),
)
_DATA = (
    *("request", "state", "what", "kit", "whom", "holder", "asked_by", "asked_at", "reason", "until", "granted_until"),
    *("less", "decided_by", "decided_at", "decision_reason", "waits_for", "closed_at", "closed_by", "why", "renews"),
    *("emergency", "change", "age"),
)


# One


def request_shown(view: View, number: int, trial: Trial | None) -> Answer:
    """One request with every step, what was said of it, and what it gives. `trial`: where it waits to be decided."""
    records = view.catalogue
    request = find_request(records, number)
    steps, remarks = steps_of(records, [number])[number], remarks_of(records, [number])[number]
    people = [request.whom, request.asked_by, request.closed_by, *(it.approver for it in steps)]
    people += [str(it.values["decided_by"] or "") for it in steps]
    names = names_of(records, people)
    state = told_state(records, request)
    kind = "emergency" if request.is_emergency else "request"
    heading = f"{kind.capitalize()} {number}, {state}: {request.what} for {named(request.whom, names)}"
    text = [f"Asked by {named(request.asked_by, names)} on {request.asked_at[:16].replace('T', ' ')}: {request.reason}"]
    text += said_lines(request)
    text += [f"It goes on from request {request.renews}."] if request.renews else []
    less = f"; granted {request.less.text}" if not request.less.is_nothing else ""
    text.append(f"Asked until {request.until}{less}." if less else f"Until {request.until}.")
    text += list(step_lines(steps, request, names))
    text += [f"{_SAID[it['sort']]} by {named(it['said_by'], names)}: {it['text']}" for it in remarks]
    if is_asked_back(remarks) and state == RequestState.OPEN:
        text.append(f"It waits for the answer of {named(request.asked_by, names)}.")
    if request.closed_at:
        by = f" by {named(request.closed_by, names)}" if state != RequestState.LAPSED else ""
        told = "Ordered to end" if state == RequestState.TO_END else str(state).capitalize()
        text.append(f"{told} on {request.closed_at[:10]}{by}: {request.why}")
    rows = _items(view, request, state)
    if trial is not None:
        text += ["", *evidence_lines(trial.evidence, trial.pending)]
    left = waiting(request, steps)
    hint = _next_step(request, state, left)
    document = {
        **_row(records, request, state, steps),
        "says": dict(request.says),
        "steps": [{**it.values, "decision": it.decision or None} for it in steps],
        "remarks": remarks,
        "gives": rows,
        "evidence": evidence_data(trial.evidence) if trial is not None else None,
    }
    fields = _ITEMS if rows else ()
    return Answer(fields, rows, heading, text, hint=hint, document=document)


_SAID = {"question": "Asked back", "answer": "Answered", "comment": "Noted"}
_ITEMS = (
    Field("gives", "It gives", 9, least=20),
    Field("holder", "To", 7, least=12),
    Field("stands", "How it stands", 8, least=14),
)


def _next_step(request: Request, state: RequestState, left: Sequence[Any]) -> str:
    number = request.number
    if state == RequestState.OPEN and left:
        return f"{left[0].approver} decides: kathodos request grant {number}, or deny {number} --reason WHY"
    if left and left[0].number == LOOK_BACK:
        return f"{left[0].approver} looks back: kathodos request look-back {number} right|wrong --reason WHAT"
    if state in (RequestState.GRANTED, RequestState.RUNNING):
        return f"Longer: kathodos request renew {number} --until DAY. Over: kathodos request return {number}"
    return ""


def _items(view: View, request: Request, state: RequestState) -> list[dict[str, Any]]:
    """What a request gives, each with how it stands: there, ordered, or gone."""
    records = view.catalogue
    found = items_of_requests(records, [request.number])[request.number]
    return items_told(view, [(request, record) for _, record in found], state)


def items_told(
    view: View, some: Sequence[tuple[Request, Mapping[str, Any]]], state: RequestState | None
) -> list[dict[str, Any]]:
    """Units of requests as rows, each with how it stands."""
    records = view.catalogue
    items = [(request, item_from(record)) for request, record in some]
    wanted = {"record": [key_text(it.key) for _, it in items], "state": list(map(str, PENDING))}
    orders = {(it.edit.kind.name, it.edit.key): it for it in orders_holding(records, wanted)} if items else {}
    rows = []
    for request, item in items:
        held = records.with_key(BY_NAME[item.kind.name], item.key)
        order = orders.get((item.kind.name, item.key))
        is_over = state is None or state not in (RequestState.GRANTED, RequestState.RUNNING)
        stands = _stands(held is not None, order_text(order) if order else "", is_over and state is not None)
        if not item.brought and held is not None:
            stands = "held by a grant of its own" if item.kind is not MEMBERS else "was a member before"
        rows.append(
            {
                "request": request.number,
                "kit": request.kit or None,
                "whom": request.whom,
                "gives": f"{item.gives}{f' on {item.on}' if item.on else ''}",
                "holder": item.holder,
                "until": request.ends,
                "stands": stands,
                "brought": item.brought,
            }
        )
    return rows


def _stands(is_there: bool, ordered: str, is_over: bool) -> str:
    if ordered:
        return ordered
    if is_over:
        return "still there" if is_there else "gone"
    return "in force" if is_there else "not found by the last gather"


def _row(records: Records, request: Request, state: RequestState, steps: Sequence[Any]) -> dict[str, Any]:
    """A request as data."""
    decided = [it for it in steps if it.decision and it.number != LOOK_BACK]
    last = max(decided, key=lambda it: str(it.values["decided_at"]), default=None)
    return {
        "request": request.number,
        "state": str(state),
        "what": request.what,
        "kit": request.kit or None,
        "whom": request.whom,
        "holder": request.holder or None,
        "asked_by": request.asked_by,
        "asked_at": request.asked_at,
        "reason": request.reason,
        "until": request.until,
        "granted_until": request.ends if state not in _NEVER_GRANTED else None,
        "less": request.less.text or None,
        "decided_by": ", ".join(dict.fromkeys(str(it.values["decided_by"]) for it in decided)) or None,
        "decided_at": last.values["decided_at"] if last is not None else None,
        "decision_reason": last.values["reason"] if last is not None else None,
        "waits_for": ", ".join(it.approver for it in waiting(request, steps)) or None,
        "closed_at": request.closed_at or None,
        "closed_by": request.closed_by or None,
        "why": request.why or None,
        "renews": request.renews or None,
        "emergency": request.is_emergency,
        "change": request.change or None,
    }


_NEVER_GRANTED = (RequestState.OPEN, RequestState.DENIED, RequestState.WITHDRAWN, RequestState.LAPSED)


# Many


class RequestChoice(msgspec.Struct, frozen=True):
    """Which requests are asked for: in which states, for a kit, asked or decided by, for or waiting for whom, when.

    `about`: the mail or id of somebody whom a request is for or by; `where`: a filter over requests.
    """

    states: Sequence[RequestState] = ()
    kit: str | None = None
    asked_by: Actor | None = None
    decided_by: Actor | None = None
    waits_for: Actor | None = None
    whom: str | None = None
    since: str | None = None
    where: str | None = None


def request_list(view: View, choice: RequestChoice, most: int | None, form: str) -> Answer:
    """The requests that are asked for, the newest first."""
    records = view.catalogue
    at = chosen(view, choice).nonzero()[0]
    at = at[np.argsort(-numbers_at(records.column(REQUESTS, "request"), at), kind="stable")]
    some, more = first_rows(at.tolist(), most if form == "table" else None)
    requests = requests_at(records, ints(some))
    numbers = [it.number for it in requests]
    steps = steps_of(records, numbers) if numbers else {}
    names = names_of(records, (it.whom for it in requests)) if form == "table" else {}
    table = RequestTable(records)
    states = {number: table.state(position) for number, position in zip(numbers, some, strict=True)}
    rows = [
        {
            **_row(records, it, states[it.number], steps[it.number]),
            "age": age_in_days(it.asked_at, view.moment),
            "name": names.get(it.whom),
        }
        for it in requests
    ]
    heading = f"{plural(len(at), 'request')}" if len(at) else "There is no such request."
    hint = f"{more} One with every step: kathodos request show NUMBER".strip() if len(at) else _COUNTED
    fields = _LIST if form == "table" else [Field(name, name) for name in _DATA]
    if form == "table":
        rows = [{**row, "until": row["granted_until"] or row["until"]} for row in rows]
    return Answer(fields, rows, heading, hint=hint)


def chosen(view: View, choice: RequestChoice) -> Bools:
    """Which requests are asked for."""
    records, table = view.catalogue, RequestTable(view.catalogue)
    found: Bools = np.ones(len(table.states), dtype=bool)
    if choice.states:
        found &= table.which(*choice.states)
    if choice.kit is not None:
        found &= records.column(REQUESTS, "kit").holding(choice.kit)
    if choice.asked_by is not None:
        found &= _of_actor(records, "asked_by", choice.asked_by)
    if choice.whom is not None:
        found &= records.column(REQUESTS, "whom").holding(choice.whom)
    for actor, is_decided in ((choice.decided_by, True), (choice.waits_for, False)):
        if actor is not None:
            found &= _in_steps(records, actor, is_decided)
    if choice.since is not None:
        try:
            first = first_moment(normal_moment(choice.since))
        except ValueError as error:
            raise CallError(f"--since {choice.since} is no day: {error}.", "Write it as 2026-06-01.") from None
        found &= table.moments("asked_at") >= first
    if choice.where is not None:
        found &= request_attributes(view, table).selected_by(choice.where)
    return found


def request_attributes(view: View, table: RequestTable) -> AttributeColumns:
    """What a filter over requests may name: their columns, the state as it is told, and the age in days."""
    records = view.catalogue
    columns = AttributeColumns(records, REQUESTS, today=view.moment)
    states = Distinct(table.states.astype(np.int32), [str(it) for it in RequestTable.STATES])
    asked = table.moments("asked_at")
    ages, codes = np.unique((view.moment - asked) // 86_400_000_000, return_inverse=True)
    columns.more.update({"state": states, "age": Distinct(codes.astype(np.int32), ages.tolist(), Form.NUMBER)})
    return columns


def _of_actor(records: Records, name: str, actor: Actor) -> Bools:
    column = records.column(REQUESTS, name)
    known = {normal_name(it) for it in actor.names}
    wanted = [it for it in column.values if normal_name(str(it)) in known] if len(column.values) < 5000 else actor.names
    return column.holding_any(list(wanted))


def _in_steps(records: Records, actor: Actor, is_decided: bool) -> Bools:
    """The requests of which somebody decided a step, or which wait for them."""
    names = list(actor.names)
    decision = records.column(REQUEST_STEPS, "decision").holding(None)
    who = records.column(REQUEST_STEPS, "decided_by" if is_decided else "approver").holding_any(names)
    at = (who & (~decision if is_decided else decision)).nonzero()[0]
    numbers = numbers_at(records.column(REQUEST_STEPS, "request"), at)
    found: Bools = records.column(REQUESTS, "request").holding_any(numbers.tolist())
    if is_decided or not len(at):
        return found
    steps = numbers_at(records.column(REQUEST_STEPS, "step"), at)
    positions = found.nonzero()[0]
    waits = {(int(one), int(step)) for one, step in zip(numbers.tolist(), steps.tolist(), strict=True)}
    found = np.zeros(len(found), dtype=bool)
    for position, it in zip(positions.tolist(), requests_at(records, positions), strict=True):
        step = it.step if it.state == RequestState.OPEN else LOOK_BACK
        found[position] = (it.number, step) in waits
    return found


# Counted


_STATUS = (
    Field("kit", "Asked for", 9, least=14),
    Field("open", "Open", 9, is_number=True),
    Field("oldest", "Oldest, days", 6, is_number=True),
    Field("granted", "Granted", 7, is_number=True),
    Field("running", "Running", 8, is_number=True),
    Field("ending", "End soon", 7, is_number=True),
    Field("to end", "To end", 6, is_number=True),
    Field("ended", "Ended", 5, is_number=True),
    Field("denied", "Denied", 5, is_number=True),
    Field("withdrawn", "Withdrawn", 4, is_number=True),
    Field("lapsed", "Lapsed", 5, is_number=True),
    Field("to_look_back", "To look back on", 7, is_number=True),
)
_OTHER = "without a kit"


def request_status(view: View, soon: int) -> Answer:
    """How many requests stand how, by kit, with the age of the oldest open one. `soon`: the moment before which an end
    is near."""
    records, table = view.catalogue, RequestTable(view.catalogue)
    kit = records.column(REQUESTS, "kit")
    names = [*map(str, kit.values), _OTHER]
    group = np.where(kit.codes >= 0, kit.codes, len(names) - 1)

    def counted(which: Bools) -> list[int]:
        return [int(it) for it in np.bincount(group[which], minlength=len(names))]

    counts = {str(state): counted(table.which(state)) for state in RequestState}
    is_open = table.which(RequestState.OPEN)
    age = (view.moment - table.moments("asked_at")) // 86_400_000_000
    oldest = np.full(len(names), -1, dtype=np.int64)
    np.maximum.at(oldest, group[is_open], age[is_open])
    ends = table.ends()
    ending = counted(table.in_force & (ends <= soon))
    decision = records.column(REQUEST_STEPS, "decision").holding(None)
    back = (records.column(REQUEST_STEPS, "step").holding(LOOK_BACK) & decision).nonzero()[0]
    numbers = numbers_at(records.column(REQUEST_STEPS, "request"), back).tolist()
    looking = counted(records.column(REQUESTS, "request").holding_any(numbers))
    rows = [
        {
            "kit": name,
            **{state: counts[state][at] for state in counts},
            "oldest": int(oldest[at]) if oldest[at] >= 0 else None,
            "ending": ending[at],
            "to_look_back": looking[at],
        }
        for at, name in enumerate(names)
        if any(counts[state][at] for state in counts)
    ]
    rows.sort(key=lambda it: (it["kit"] == _OTHER, str(it["kit"])))
    total = Counter({state: sum(counts[state]) for state in counts})
    heading = f"{plural(len(table.states), 'request')}: {total['open']} open, {total['granted']} granted and not yet "
    heading += f"carried out, {total['running']} running"
    if not len(table.states):
        heading = "There is no request yet."
    late = int((table.in_force & (ends <= view.moment)).sum())
    text = [f"{plural(late, 'request')} should have ended: kathodos request tend"] if late else []
    hint = "Ask for something: kathodos request ask --help"
    if len(table.states):
        hint = "All of them: kathodos request list"
    if total["open"]:
        hint = "What waits for you: kathodos request list --mine-to-decide"
    shown = [it for it in _STATUS if it.key in _ALWAYS or any(row[it.key] for row in rows)]
    extra = [it.key for it in _STATUS if it not in shown]
    return Answer(shown, rows, heading, text, hint=hint, extra_keys=extra, status=found_if(late))


_ALWAYS = ("kit", "open", "running", "ended")


_HELD = (
    Field("whom", "Who", 8, least=8),
    Field("name", "Name", 5, least=10),
    Field("kit", "Kit", 7, least=8),
    Field("gives", "What", 9, least=18),
    Field("until", "Until", 7),
    Field("request", "Request", 8, is_number=True),
    Field("stands", "How it stands", 7, least=12),
)


def held_through(view: View, whom: str | None, kit: str | None, most: int | None, form: str) -> Answer:
    """What somebody has through which request, or who has a kit."""
    records, table = view.catalogue, RequestTable(view.catalogue)
    which = table.in_force | table.which(RequestState.TO_END)
    if whom is not None:
        which = which & records.column(REQUESTS, "whom").holding(whom)
    if kit is not None:
        which = which & records.column(REQUESTS, "kit").holding(kit)
    at = which.nonzero()[0]
    at = at[np.argsort(numbers_at(records.column(REQUESTS, "request"), at), kind="stable")]
    some, more = first_rows(at.tolist(), most if form == "table" else None)
    requests = requests_at(records, ints(some))
    numbers = [it.number for it in requests]
    items = items_of_requests(records, numbers) if numbers else {}
    names = names_of(records, (it.whom for it in requests))
    pairs = [(it, record) for it in requests for _, record in items[it.number]]
    rows = [{**row, "name": names.get(row["whom"])} for row in items_told(view, pairs, None)]
    people = len({it.whom for it in requests})
    of = f" through the kit {kit}" if kit else ""
    heading = f"{plural(people, 'person has', 'people have')} something{of}, by {plural(len(at), 'request')}"
    if not len(at):
        heading = f"Nobody has anything{of} by a request." if whom is None else f"{whom} has nothing{of} by a request."
    hint = f"{more} One request with every step: kathodos request show NUMBER".strip() if len(at) else ""
    return Answer(_HELD, rows, heading, hint=hint, extra_keys=["holder", "brought"])
