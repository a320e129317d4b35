"""Ending: given back early, taken away, run out; what nobody decided lapses, what is late goes to the next one up."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import ClassVar

import msgspec
import numpy as np
from msgspec.structs import replace

from kathodos import thresholds
from kathodos.change.applying import carry_through
from kathodos.change.composition import Desk
from kathodos.change.edit_sets import EditSet
from kathodos.change.kept import OF_REQUESTS, Change, ChangeState, free_name, put_edits
from kathodos.change.orders import Carried, decided
from kathodos.columns.csr import Ints
from kathodos.columns.dictionary import numbers_at
from kathodos.columns.moments import moments_of
from kathodos.columns.ranges import ranges_text
from kathodos.errors import CallError
from kathodos.ledger.actors import Acting, Actor
from kathodos.ledger.operations import Operation, Plan
from kathodos.ledger.payloads import Act, RequestPayload, TendPayload
from kathodos.model.kinds import IDENTITIES, REQUEST_STEPS, REQUESTS
from kathodos.model.periods import later
from kathodos.model.references import reference_to
from kathodos.model.requests import RequestState
from kathodos.model.times import NEVER, end_moment, microseconds, time_text
from kathodos.request.approving import Approvers, Concerned, excluded_of
from kathodos.request.asking import is_theirs, subjects_of
from kathodos.request.content import Ending, end_items, item_from
from kathodos.request.deciding import concerned_in, kit_of
from kathodos.request.records import (
    LOOK_BACK,
    Request,
    RequestTable,
    Step,
    closed,
    items_of_requests,
    put_requests,
    put_steps,
    requests_at,
    requests_numbered,
    steps_of,
    waiting,
)
from kathodos.request.terms import RequestTerms
from kathodos.store.records import Stored

_RUN_OUT = "its time was over"


class Ended(msgspec.Struct, frozen=True):
    """Requests that are over, the change that takes away what they gave, and what stays although they gave it."""

    requests: Sequence[Request]
    change: str = ""
    edits: EditSet = msgspec.field(default_factory=EditSet)
    carried: Carried = msgspec.field(default_factory=Carried)
    notes: Sequence[str] = ()


def ending(stored: Stored, requests: Sequence[Request], desk: Desk) -> Ending:
    """What it takes that some requests give nothing any more."""
    items = items_of_requests(stored, [it.number for it in requests]) if requests else {}
    going = [(request, item_from(it)) for request in requests for _, it in items[request.number]]
    return end_items(desk, stored, going)


def end_requests(plan: Plan, requests: Sequence[Request], why: str, terms: RequestTerms, name: str) -> Ended:
    """Ends some requests in a plan, with one change for all; a request without anything to take is over as well."""
    desk = Desk(decided(plan.records), plan.time, plan.actor.name)
    found = ending(plan.records, requests, desk)
    change, carried = "", Carried()
    if len(found.edits):
        change = free_name(plan.records, name, is_plain_first=True)
        origin = reference_to("request", requests[0].number) if len(requests) == 1 else OF_REQUESTS
        kept = Change(0, change, ChangeState.DRAFT, origin, plan.actor.name, plan.now, plan.reason or why)
        _, carried = carry_through(plan, kept, found.edits, terms.orders)
        put_edits(plan, change, found.edits)
    over = [closed(it, plan, RequestState.ENDED, why) for it in requests]
    put_requests(plan, over)
    return Ended(over, change, found.edits, carried, found.notes)


class EndRequests(msgspec.Struct, Operation[Ended], frozen=True):
    """Ends requests before their time: given back by who has it, or taken away by who may."""

    act: ClassVar[Act] = Act.END_REQUEST
    numbers: Sequence[int]
    terms: RequestTerms
    may_end: Callable[[Actor], bool]

    def compose(self, plan: Plan) -> Ended:
        """Raises CallError where one does not run, is not theirs to end, or nobody says why it is taken away."""
        requests = requests_numbered(plan.records, self.numbers)
        steps = steps_of(plan.records, [it.number for it in requests])
        theirs = True
        for request in requests:
            if request.state != RequestState.GRANTED:
                what = f"Request {request.number} is {request.state}, and gives nothing."
                raise CallError(what, "Nothing was changed. See kathodos request list --state running")
            own = is_theirs(plan.records, request, plan.actor)
            theirs &= own
            if not own and not self._may(plan, request, steps[request.number]):
                what = f"{plan.actor.name} neither has request {request.number} nor decided it, nor owns what it gives."
                raise CallError(what, "Nothing was changed. Let somebody take it away who may.")
        if not theirs and not plan.reason.strip():
            raise CallError("Nothing is taken away without a reason.", "Say --reason WHY; who had it reads it.")
        why = plan.reason or "given back"
        name = f"end-request-{requests[0].number}" if len(requests) == 1 else "end-requests"
        ended = end_requests(plan, requests, why, self.terms, name)
        for request in requests[: thresholds.REQUESTS_NAMED]:
            plan.subjects += [it for it in subjects_of(request) if it not in plan.subjects]
        plan.payload = RequestPayload(
            ranges_text(it.number for it in requests),
            "end",
            requests[0].whom if len(requests) == 1 else "",
            change=ended.change,
            ordered=len(ended.carried.ordered),
            edited=len(ended.carried.edited),
        )
        return ended

    def _may(self, plan: Plan, request: Request, steps: Sequence[Step]) -> bool:
        kit = kit_of(plan.records, request) if request.kit else None
        names = [*(it.approver for it in steps), *(str(it.values["decided_by"] or "") for it in steps)]
        names += [kit.owner] if kit is not None else []
        return self.may_end(plan.actor) or any(plan.actor.is_called(it) for it in names if it)


# What the day brings


class Tended(msgspec.Struct, frozen=True):
    """What the day brought. `passed_on`: whose step went to whom; `stayed`: those whom nobody above could take over.

    `ending`: requests whose end is near, of which both sides are told now.
    """

    ended: Ended
    lapsed: Sequence[Request] = ()
    passed_on: Sequence[tuple[Request, str, str]] = ()
    stayed: Sequence[tuple[Request, str]] = ()
    ending: Sequence[Request] = ()

    @property
    def is_nothing(self) -> bool:
        """Whether nothing was to be done."""
        return not (self.ended.requests or self.lapsed or self.passed_on or self.ending)


class TendRequests(msgspec.Struct, Operation[Tended], frozen=True):
    """Does what is due: ends what has run out, lets lapse what nobody decided, passes on what is late, notes what ends.

    Nothing is written where nothing is due, so that it may be done as often as one likes.
    """

    act: ClassVar[Act] = Act.TEND_REQUESTS
    terms: RequestTerms
    acting: Callable[[str], Acting]

    def compose(self, plan: Plan) -> Tended:
        """Says what is due at the moment of the plan."""
        table, now = RequestTable(plan.records), microseconds(plan.time)
        ends = table.ends()
        over = requests_at(plan.records, (table.in_force & (ends <= now)).nonzero()[0])
        ended = Ended([])
        if over:
            ended = end_requests(plan, over, _RUN_OUT, self.terms, f"ended-{plan.now[:10]}")
        is_open = table.which(RequestState.OPEN)
        lapsing = is_open & ((table.moments("lapses") <= now) | (ends <= now))
        why = "nobody decided it in time"
        lapsed = [closed(it, plan, RequestState.LAPSED, why) for it in requests_at(plan.records, lapsing.nonzero()[0])]
        put_requests(plan, lapsed)
        gone = {it.number for it in (*lapsed, *ended.requests)}
        passed_on, stayed = self._pass_on(plan, now, {it.number for it in lapsed})
        near = microseconds(later(plan.time, self.terms.tell_before))
        untold = plan.records.column(REQUESTS, "told_of_end").holding(None)
        emergency = plan.records.column(REQUESTS, "emergency").holding(1)
        soon = table.in_force & untold & ~emergency & (ends <= near) & (ends > now)
        ending_soon = [it for it in requests_at(plan.records, soon.nonzero()[0]) if it.number not in gone]
        put_requests(plan, [replace(it, told_of_end=plan.now) for it in ending_soon])
        found = Tended(ended, lapsed, passed_on, stayed, ending_soon)
        self._tell(plan, found)
        return found

    def _pass_on(
        self, plan: Plan, now: int, lapsed: set[int]
    ) -> tuple[list[tuple[Request, str, str]], list[tuple[Request, str]]]:
        """Passes steps that are late on to the next one up."""
        gone = _not_active(plan.records)
        numbers = _late(plan.records, now, gone) - lapsed
        requests = requests_numbered(plan.records, sorted(numbers)) if numbers else []
        steps = steps_of(plan.records, [it.number for it in requests]) if requests else {}
        went, stayed = [], []
        due = time_text(later(plan.time, self.terms.decide_within))
        for request in requests:
            left = waiting(request, steps[request.number])
            late = [it for it in left if it.approver in gone or end_moment(it.values["due"]) <= now]
            own = excluded_of(concerned_in(plan.records, request, self.acting))
            approvers = Approvers(plan.records, Concerned(request.whom, own, "", []))
            taken = {it.approver for it in steps[request.number] if it.number == (late[0].number if late else -1)}
            for step in late:
                above = approvers.above(step.approver)
                if above and above not in taken:
                    put_steps(
                        plan, [step], [{**step.values, "approver": above, "as": f"above {step.approver}", "due": due}]
                    )
                    taken.add(above)
                    went.append((request, step.approver, above))
                else:
                    stayed.append((request, step.approver))
        return went, stayed

    def _tell(self, plan: Plan, found: Tended) -> None:
        if found.is_nothing:
            return
        numbers = {
            "ended": [it.number for it in found.ended.requests],
            "lapsed": [it.number for it in found.lapsed],
            "passed_on": sorted({it.number for it, _, _ in found.passed_on}),
            "told": [it.number for it in found.ending],
        }
        every = sorted({it for some in numbers.values() for it in some})
        if len(every) <= thresholds.REQUESTS_NAMED:
            plan.subjects += [reference_to("request", it) for it in every]
        plan.payload = TendPayload(
            **{name: ranges_text(sorted(some)) for name, some in numbers.items()},
            change=found.ended.change,
            ordered=len(found.ended.carried.ordered),
            edited=len(found.ended.carried.edited),
        )


def _not_active(records: Stored) -> set[str]:
    """Who is to decide something and is not active, so that what waits for them goes on at once."""
    undecided = records.column(REQUEST_STEPS, "decision").holding(None)
    approvers = records.column(REQUEST_STEPS, "approver").taken(undecided).compact().values
    at = records.column(IDENTITIES, "id").holding_any(list(approvers)).nonzero()[0]
    columns = (records.column(IDENTITIES, name).listed(at) for name in ("id", "status"))
    active = {name for name, status in zip(*columns, strict=True) if status == "active"}
    return {str(it) for it in approvers if it not in active}


def _late(records: Stored, now: int, gone: set[str]) -> set[int]:
    """The numbers of requests of which a step is late, or waits for some who are gone.

    Of open ones that is the step that waits; beside these a look back.
    """
    due, number, step = (records.column(REQUEST_STEPS, name) for name in ("due", "request", "step"))
    moments: Ints = np.append(moments_of(due.values, is_end=True), NEVER)[due.codes]
    late = moments <= now
    if gone:
        late |= records.column(REQUEST_STEPS, "approver").holding_any(sorted(gone))
    late &= records.column(REQUEST_STEPS, "decision").holding(None)
    at = late.nonzero()[0]
    if not len(at):
        return set()
    numbers, steps = numbers_at(number, at), numbers_at(step, at)
    open_ones = records.column(REQUESTS, "state").holding(RequestState.OPEN.value).nonzero()[0]
    waiting_now = set(numbers_at(records.column(REQUESTS, "request"), open_ones).tolist())
    return {
        int(one)
        for one, of in zip(numbers.tolist(), steps.tolist(), strict=True)
        if of == LOOK_BACK or one in waiting_now
    }
