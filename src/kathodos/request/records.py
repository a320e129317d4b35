"""Requests as they are kept: one by its number with its steps and remarks, or all of them as columns."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping, Sequence
from enum import StrEnum
from functools import cached_property
from typing import Any

import msgspec
import numpy as np
from msgspec.structs import replace

from kathodos.analysis.request_ends import ends_of
from kathodos.change.kept import ChangeState
from kathodos.columns.csr import Bools, Ints
from kathodos.columns.dictionary import DictionaryColumn
from kathodos.columns.moments import moments_of
from kathodos.errors import CallError
from kathodos.ledger.operations import Plan
from kathodos.model.json_text import json_text
from kathodos.model.kinds import (
    CHANGES,
    ORDERS,
    REQUEST_ITEMS,
    REQUEST_REMARKS,
    REQUEST_STEPS,
    REQUESTS,
    Kind,
)
from kathodos.model.orders import WAITING
from kathodos.model.requests import RequestState
from kathodos.model.rows import Record
from kathodos.model.times import NEVER, end_moment
from kathodos.request.kits import KitEntry, entries_from, entries_text
from kathodos.store.records import Records, Stored, Wanted

NAME = "name"  # what is kept of somebody who is not in the catalogue, beside what a kit wants to be told
LOOK_BACK = 0  # the number of the step in which somebody looks back on an emergency


class Sort(StrEnum):
    """What somebody says of a request without deciding it."""

    QUESTION = "question"
    ANSWER = "answer"
    COMMENT = "comment"


class Less(msgspec.Struct, frozen=True):
    """What a request is granted for where that is less than was asked: an earlier end, a smaller scope, entries out."""

    until: str | None = None
    on: str | None = None
    without: tuple[KitEntry, ...] = ()

    @property
    def is_nothing(self) -> bool:
        """Whether it is what was asked for."""
        return self == Less()

    @property
    def text(self) -> str:
        """It in words; empty where nothing is less."""
        parts = [f"until {self.until}"] if self.until else []
        parts += [f"on {self.on}"] if self.on else []
        parts += [f"without {', '.join(it.text for it in self.without)}"] if self.without else []
        return ", ".join(parts)

    @property
    def kept(self) -> str | None:
        """It as it is kept."""
        if self.is_nothing:
            return None
        return json_text({"until": self.until, "on": self.on, "without": json.loads(entries_text(self.without))})

    def and_then(self, other: Less) -> Less:
        """This, and less still: the earlier end, the scope that was named last, all that either leaves out."""
        ends = [it for it in (self.until, other.until) if it]
        without = tuple(dict.fromkeys([*self.without, *other.without]))
        return Less(min(ends, key=end_moment) if ends else None, other.on or self.on, without)


def less_from(text: str | None) -> Less:
    """What is less, from what is kept of it."""
    if not text:
        return Less()
    kept = json.loads(text)
    return Less(kept["until"], kept["on"], tuple(KitEntry(*it) for it in kept["without"]))


class Request(msgspec.Struct, frozen=True):
    """A request as it is kept. `row`: its row in the store; 0: it is not kept yet.

    `whom`: the id of an identity, or the mail of somebody who is not in the catalogue; `holder`: an account that is to
    hold it instead of the person; `says`: what the kit wants to be told; `step`: the one that waits.
    """

    row: int
    number: int
    state: RequestState
    kit: str
    entries: Sequence[KitEntry]
    whom: str
    asked_by: str
    asked_at: str
    reason: str
    until: str
    holder: str = ""
    says: Mapping[str, str] = msgspec.field(default_factory=dict)
    on: str | None = None
    less: Less = msgspec.field(default_factory=Less)
    step: int = 1
    lapses: str = ""
    renews: int = 0
    is_emergency: bool = False
    change: str = ""
    closed_at: str = ""
    closed_by: str = ""
    why: str = ""
    told_of_end: str = ""

    @property
    def what(self) -> str:
        """What is asked for, as it is called."""
        return self.kit or ", ".join(it.text for it in self.entries)

    @property
    def ends(self) -> str:
        """Until when it is, as it was granted or else asked for."""
        return self.less.until or self.until

    @property
    def is_guest(self) -> bool:
        """Whether it is for somebody who was not in the catalogue when it was asked."""
        return "@" in self.whom

    def values(self) -> tuple[str | int | None, ...]:
        """It as a row, in the order of the kind."""
        kept: dict[str, Any] = {
            "request": self.number,
            "state": self.state.value,
            "kit": self.kit or None,
            "entries": entries_text(self.entries) if not self.kit else None,
            "whom": self.whom,
            "holder": self.holder or None,
            "asked_by": self.asked_by,
            "asked_at": self.asked_at,
            "reason": self.reason or None,
            "says": json_text(dict(self.says)) if self.says else None,
            "until": self.until,
            "on": self.on,
            "less": self.less.kept,
            "step": self.step,
            "lapses": self.lapses or None,
            "renews": self.renews or None,
            "emergency": int(self.is_emergency),
            "change": self.change or None,
            "closed_at": self.closed_at or None,
            "closed_by": self.closed_by or None,
            "why": self.why or None,
            "told_of_end": self.told_of_end or None,
        }
        return tuple(kept[name] for name in REQUESTS.names)


def _request(row: int, record: Record) -> Request:
    text = {name: "" if value is None else str(value) for name, value in record.items()}
    return Request(
        row,
        int(record["request"]),
        RequestState(text["state"]),
        text["kit"],
        entries_from(record["entries"]),
        text["whom"],
        text["asked_by"],
        text["asked_at"],
        text["reason"],
        text["until"],
        text["holder"],
        json.loads(text["says"]) if text["says"] else {},
        record["on"],
        less_from(record["less"]),
        int(record["step"] or 0),
        text["lapses"],
        int(record["renews"] or 0),
        bool(record["emergency"]),
        text["change"],
        text["closed_at"],
        text["closed_by"],
        text["why"],
        text["told_of_end"],
    )


def requests_at(records: Records, positions: Ints) -> list[Request]:
    """The requests at some positions."""
    rows = records.rows(REQUESTS)[positions].tolist()
    return [_request(*it) for it in records.some(REQUESTS, rows).numbered()]


def requests_holding(records: Records, wanted: Wanted) -> list[Request]:
    """The requests that hold one of some values in each of some columns."""
    return [_request(*it) for it in records.holding(REQUESTS, wanted).numbered()]


def requests_numbered(records: Records, numbers: Iterable[int]) -> list[Request]:
    """The requests with some numbers, in order. Raises CallError where there is none of a number."""
    wanted = list(dict.fromkeys(numbers))
    found = {it.number: it for it in requests_holding(records, {"request": wanted})}
    missing = [it for it in wanted if it not in found]
    if missing:
        raise CallError(f"There is no request {missing[0]}.", "See `kathodos request list`.")
    return [found[it] for it in wanted]


def find_request(records: Records, number: int) -> Request:
    """The request of a number. Raises CallError where there is none."""
    return requests_numbered(records, [number])[0]


def next_number(records: Stored) -> int:
    """The number that the next request takes."""
    return records.history(REQUESTS).highest("request") + 1


def put_requests(plan: Plan, requests: Sequence[Request]) -> None:
    """Writes requests as they are now, in the place of what was kept of them."""
    plan.close_rows(REQUESTS, [it.row for it in requests if it.row])
    plan.open_rows(REQUESTS, [it.values() for it in requests])


def closed(request: Request, plan: Plan, state: RequestState, why: str) -> Request:
    """A request that is over."""
    return replace(request, state=state, closed_at=plan.now, closed_by=plan.actor.name, why=why)


# Steps and remarks


class Step(msgspec.Struct, frozen=True):
    """What one approver has to decide, or decided. `row`: in the store; `as_`: manager, owner, or named."""

    row: int
    values: Record

    @property
    def number(self) -> int:
        return int(self.values["step"])

    @property
    def approver(self) -> str:
        return str(self.values["approver"])

    @property
    def decision(self) -> str:
        return str(self.values["decision"] or "")

    @property
    def takes_all(self) -> bool:
        return bool(self.values["takes"] == "all")


def steps_of(records: Records, numbers: Sequence[int]) -> dict[int, list[Step]]:
    """The steps of some requests, by request, in order."""
    found: dict[int, list[Step]] = {number: [] for number in numbers}
    for row, record in _of_requests(records, REQUEST_STEPS, numbers):
        found[int(record["request"])].append(Step(row, record))
    return {number: sorted(some, key=lambda it: (it.number, it.approver)) for number, some in found.items()}


def waiting(request: Request, steps: Sequence[Step]) -> list[Step]:
    """The steps of a request that wait for somebody now."""
    if request.state == RequestState.OPEN:
        return [it for it in steps if it.number == request.step and not it.decision]
    return [it for it in steps if it.number == LOOK_BACK and not it.decision]


def put_steps(plan: Plan, before: Sequence[Step], after: Sequence[Mapping[str, Any]]) -> None:
    """Writes steps in the place of others."""
    plan.close_rows(REQUEST_STEPS, [it.row for it in before])
    plan.open_rows(REQUEST_STEPS, [tuple(it.get(name) for name in REQUEST_STEPS.names) for it in after])


def remarks_of(records: Records, numbers: Sequence[int]) -> dict[int, list[Record]]:
    """What was said of some requests, by request, in order."""
    found: dict[int, list[Record]] = {number: [] for number in numbers}
    for _, record in _of_requests(records, REQUEST_REMARKS, numbers):
        found[int(record["request"])].append(record)
    return {number: sorted(some, key=lambda it: int(it["remark"])) for number, some in found.items()}


def is_asked_back(remarks: Sequence[Record]) -> bool:
    """Whether the last question about a request is not answered."""
    sorts = [it["sort"] for it in remarks if it["sort"] != Sort.COMMENT]
    return bool(sorts) and sorts[-1] == Sort.QUESTION


def items_of_requests(records: Records, numbers: Sequence[int]) -> dict[int, list[tuple[int, Record]]]:
    """What some requests give or gave, with the numbers of the rows, by request."""
    found: dict[int, list[tuple[int, Record]]] = {number: [] for number in numbers}
    for row, record in _of_requests(records, REQUEST_ITEMS, numbers):
        found[int(record["request"])].append((row, record))
    return {number: sorted(some, key=lambda it: int(it[1]["item"])) for number, some in found.items()}


def _of_requests(records: Records, kind: Kind, numbers: Sequence[int]) -> list[tuple[int, Record]]:
    return records.holding(kind, {"request": numbers}).numbered()


# All of them


class RequestTable:
    """All requests as columns, or those with some row numbers."""

    STATES = tuple(RequestState)

    def __init__(self, records: Records, rows: Ints | None = None) -> None:
        self.records = records
        self._rows = rows

    def column(self, name: str) -> DictionaryColumn:
        """A column of them."""
        if self._rows is None:
            return self.records.column(REQUESTS, name)
        return self.records.picked(REQUESTS, name, self._rows)

    @cached_property
    def states(self) -> Ints:
        """The state of each as it is told, by its position in STATES."""
        kept = self.column("state")
        codes = np.array([*(self.STATES.index(RequestState(str(it))) for it in kept.values), -1], dtype=np.int64)
        states: Ints = codes[kept.codes]
        granted = states == self.STATES.index(RequestState.GRANTED)
        pending = _names_pending(self.records)
        waits = self.column("change").holding_any(pending) if pending else np.zeros(len(states), dtype=bool)
        states[granted & ~waits] = self.STATES.index(RequestState.RUNNING)
        ending = _numbers_ending(self.records)
        if ending:
            going = self.column("request").holding_any(ending)
            states[going & (states == self.STATES.index(RequestState.ENDED))] = self.STATES.index(RequestState.TO_END)
        return states

    def which(self, *states: RequestState) -> Bools:
        """Those in one of some states, as it is told."""
        return np.isin(self.states, [self.STATES.index(it) for it in states])

    @property
    def in_force(self) -> Bools:
        """Those that give something: granted, whatever their orders have come to."""
        return self.which(RequestState.GRANTED, RequestState.RUNNING)

    def ends(self) -> Ints:
        """The moment at which each ends, as it was granted or else asked for."""
        return ends_of(self.column("until"), self.column("less"))

    def moments(self, name: str, is_end: bool = False) -> Ints:
        """A column of dates or times as moments; where there is none, never."""
        column = self.column(name)
        return np.append(moments_of(column.values, is_end=is_end), NEVER)[column.codes]

    def state(self, position: int) -> RequestState:
        """The state of one, as it is told."""
        return self.STATES[int(self.states[position])]


def _names_pending(records: Records) -> list[str]:
    """The changes with orders that are not settled yet."""
    found = records.rows_holding(CHANGES, {"state": [ChangeState.APPLIED.value]})
    return [str(it) for it in records.picked(CHANGES, "change", found).listed()]


def _numbers_ending(records: Records) -> list[int]:
    """The requests of which something that they put there is ordered to end, and has not."""
    waiting = [it.value for it in WAITING]
    rows = records.rows_holding(ORDERS, {"state": waiting, "after": [None]})
    keys = list(map(str, records.picked(ORDERS, "record", rows).listed()))
    items = records.rows_holding(REQUEST_ITEMS, {"record": keys, "brought": [1]}) if keys else rows[:0]
    return [int(str(it)) for it in records.picked(REQUEST_ITEMS, "request", items).listed()]


def told_state(records: Records, request: Request) -> RequestState:
    """The state of one request, as it is told."""
    if request.state == RequestState.ENDED and request.number in _numbers_ending(records):
        return RequestState.TO_END
    if request.state != RequestState.GRANTED:
        return request.state
    held = records.with_key(CHANGES, (request.change,)) if request.change else None
    return RequestState.GRANTED if held and held["state"] == ChangeState.APPLIED else RequestState.RUNNING


def running_for(records: Records, *people: str) -> list[Request]:
    """The granted requests for some people."""
    return requests_holding(records, {"whom": people, "state": [RequestState.GRANTED.value]})
