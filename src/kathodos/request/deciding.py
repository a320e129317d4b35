"""Deciding: a step granted, granted for less, or denied; the last step that grants gives what was asked for."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import ClassVar

import msgspec
from msgspec.structs import replace

from kathodos.change.applying import Rehearsed, carry_through, must_be_as_rehearsed
from kathodos.change.composition import Composition, Desk
from kathodos.change.edit_sets import EditSet
from kathodos.change.kept import Change, ChangeState, free_name, put_edits
from kathodos.change.orders import Carried, decided
from kathodos.change.people import invite
from kathodos.errors import CallError, NotAllowedError
from kathodos.ledger.actors import Acting, Actor, identities_called
from kathodos.ledger.operations import Operation, Plan
from kathodos.ledger.payloads import Act, RequestPayload
from kathodos.model.kinds import IDENTITIES, KIT_ENTRIES, KITS, REQUESTS
from kathodos.model.periods import later
from kathodos.model.references import reference_to
from kathodos.model.requests import RequestState
from kathodos.model.times import end_moment, microseconds, time_text
from kathodos.request.asking import invitation_for, must_be_open, subjects_of
from kathodos.request.content import (
    Item,
    brought_by,
    end_items,
    give_entries,
    holder_of,
    item_from,
    put_items,
)
from kathodos.request.kits import Kit, KitEntry, find_kit
from kathodos.request.records import (
    Less,
    Request,
    Step,
    closed,
    find_request,
    items_of_requests,
    put_requests,
    put_steps,
    running_for,
    steps_of,
    waiting,
)
from kathodos.request.terms import RequestTerms
from kathodos.review.authority import Authority, Capacity
from kathodos.store.records import Records, Stored

GRANT, DENY = "grant", "deny"
_NOTHING = Less()
_STILL = 2**31 - 2  # beyond the number of any entry: the end of what still stands


class Giving(msgspec.Struct, frozen=True):
    """What granting a request would do: the edits, the items that are held then, and what it would be called."""

    request: Request
    composition: Composition
    items: Sequence[Item]
    person: str
    renewed: Request | None = None

    @property
    def edits(self) -> EditSet:
        return self.composition.edits


class DecidedRequest(msgspec.Struct, frozen=True):
    """What came of a decision. `left`: who has to decide still; `carried`: what was given, once all have granted."""

    request: Request
    capacity: Capacity
    in_place_of: str
    left: Sequence[str]
    giving: Giving | None = None
    carried: Carried = msgspec.field(default_factory=Carried)


def content_of(records: Records, request: Request, less: Less = _NOTHING) -> list[KitEntry]:
    """What a request gives, as its kit is now, with what it was granted for. Raises CallError where the kit is gone."""
    entries = find_kit(records, request.kit).entries if request.kit else request.entries
    both = request.less.and_then(less)
    on = both.on or request.on
    left = [it for it in entries if it not in both.without]
    return [
        it if it.gives.startswith("group:") or not on or (it.on and not both.on) else replace(it, on=on) for it in left
    ]


def giving(desk: Desk, stored: Stored, request: Request, less: Less = _NOTHING) -> Giving:
    """What granting a request would do. Raises CallError where it cannot be given."""
    granted = replace(request, less=request.less.and_then(less))
    composition, person = Composition(), request.whom
    if request.is_guest:
        known = sorted(identities_called(desk.records, request.whom, ("email",)))
        invited = Composition() if known else invite(desk, [invitation_for(request)], may_be_alike=True)
        person = known[0] if known else str(next(iter(invited.edits)).record["id"])
        composition = composition.joined(replace(invited, asked=0))
    running = running_for(stored, person)
    renewed = next((it for it in running if it.number == request.renews), None)
    entries = [(it, holder_of(desk, it, person, request.holder)) for it in content_of(desk.records, request, less)]
    if not entries:
        raise CallError(f"Nothing is left of request {request.number}.", "Deny it instead.")
    why = f"request {request.number}: {request.reason}"
    given = give_entries(desk, entries, granted.ends, brought_by(stored, running), why)
    composition = composition.joined(given.composition)
    if renewed is not None:
        kept = {(it.kind, it.key) for it in given.items}
        before = [item_from(it) for _, it in items_of_requests(stored, [renewed.number])[renewed.number]]
        gone = end_items(desk, stored, [(renewed, it) for it in before if (it.kind, it.key) not in kept])
        composition = composition.joined(Composition(gone.edits, notes=gone.notes))
    return Giving(granted, composition, given.items, person, renewed)


class Answered(msgspec.Struct, frozen=True):
    """An answer that somebody else brings: whose it is, why they decided so, and as of which entry they were asked."""

    by: str
    reason: str
    entry: int


class DecideRequest(msgspec.Struct, Operation[DecidedRequest], frozen=True):
    """Grants or denies the step that waits. `less`: what it is granted for where that is less than was asked.

    `rehearsed`: what giving it was rehearsed to do; `speaks_against`: what of that has to be answered with a reason.
    """

    act: ClassVar[Act] = Act.DECIDE_REQUEST
    number: int
    decision: str
    terms: RequestTerms
    acting: Callable[[str], Acting]
    less: Less = _NOTHING
    rehearsed: Rehearsed | None = None
    speaks_against: str = ""
    despite: str = ""
    answer: Answered | None = None

    def compose(self, plan: Plan) -> DecidedRequest:
        """Raises CallError where it is not for them to decide, or may not be granted so."""
        request = find_request(plan.records, self.number)
        must_be_open(request)
        steps = steps_of(plan.records, [request.number])[request.number]
        actor, reason = plan.actor, plan.reason
        if self.answer is not None:
            must_be_unchanged(plan.records, request, self.answer.entry)
            actor, reason = self.acting(self.answer.by).among(plan.records), self.answer.reason
        mine, capacity = step_of(plan.records, request, steps, actor, self.terms.authority, self.acting)
        if self.decision == DENY and not reason.strip():
            raise CallError("Nothing is denied without a reason.", "Say --reason WHY; who asked reads it.")
        if self.decision == GRANT and self.speaks_against and not reason.strip():
            what = f"{self.speaks_against} Granting it all the same takes a reason."
            raise CallError(what, "Nothing was changed. Say why: --reason TEXT")
        _must_be_less(plan, request, self.less)
        put_steps(plan, [mine], [{**mine.values, **self._marks(plan, actor, reason, capacity)}])
        plan.subjects += subjects_of(request)
        instead = mine.approver if capacity != Capacity.REVIEWER else ""
        payload = RequestPayload(str(request.number), self.decision, request.whom, mine.number, in_place_of=instead)
        plan.payload = payload
        if self.decision == DENY:
            denied = replace(closed(request, plan, RequestState.DENIED, reason), closed_by=actor.name)
            put_requests(plan, [denied])
            return DecidedRequest(denied, capacity, instead, [])
        request = replace(request, less=request.less.and_then(self.less))
        left = _left(steps, mine)
        if left:
            request = replace(request, step=left[0].number)
            if left[0].number != mine.number:
                due = time_text(later(plan.time, self.terms.decide_within))
                put_steps(plan, left, [{**it.values, "due": due} for it in left])
            put_requests(plan, [request])
            return DecidedRequest(request, capacity, instead, [it.approver for it in left])
        found, carried = self._give(plan, request)
        plan.payload = msgspec.structs.replace(
            payload,
            effect=self.rehearsed.effect if self.rehearsed is not None else "",
            change=found.request.change,
            ordered=len(carried.ordered),
            edited=len(carried.edited),
        )
        return DecidedRequest(found.request, capacity, instead, [], found, carried)

    def _marks(self, plan: Plan, actor: Actor, reason: str, capacity: Capacity) -> dict[str, str | None]:
        """What is kept of the decision with its step."""
        return {
            "decision": self.decision,
            "decided_by": actor.name,
            "decided_at": plan.now,
            "capacity": as_approver(capacity),
            "reason": reason or None,
            "less": self.less.kept,
        }

    def _give(self, plan: Plan, request: Request) -> tuple[Giving, Carried]:
        """Gives what was asked for. Raises MovedError where it is not as it was rehearsed."""
        if self.rehearsed is not None:
            must_be_as_rehearsed(plan, self.rehearsed.entry)
            if self.rehearsed.refused:
                what = " ".join(self.rehearsed.refused)
                remedy = "Nothing was changed. See who may: kathodos mandates list"
                raise NotAllowedError(what, remedy, self.act, subjects_of(request))
            if self.rehearsed.stops and not self.despite.strip():
                raise CallError(
                    " ".join(self.rehearsed.stops), "Nothing was changed. If it is meant, say --despite WHY."
                )
        effect = self.rehearsed.effect if self.rehearsed is not None else ""
        return give(plan, request, self.terms, effect, self.despite)


def give(
    plan: Plan, request: Request, terms: RequestTerms, effect: str = "", despite: str = ""
) -> tuple[Giving, Carried]:
    """Gives what a request asks for: a change with its orders; what it renews is over."""
    desk = Desk(decided(plan.records), plan.time, plan.actor.name)
    found = giving(desk, plan.records, request)
    name = ""
    carried = Carried()
    if len(found.edits):
        name = free_name(plan.records, f"request-{request.number}", is_plain_first=True)
        origin, why = reference_to("request", request.number), request.reason
        change = Change(0, name, ChangeState.DRAFT, origin, request.asked_by, request.asked_at, why)
        told = replace(change, effect=effect, despite=despite)
        _, carried = carry_through(plan, told, found.edits, terms.orders)
        put_edits(plan, name, found.edits, is_new=True)
    granted = replace(found.request, state=RequestState.GRANTED, change=name, whom=found.person)
    over = []
    if found.renewed is not None:
        over = [closed(found.renewed, plan, RequestState.ENDED, f"renewed by request {request.number}")]
    put_requests(plan, [granted, *over])
    put_items(plan, request.number, found.items)
    return replace(found, request=granted), carried


def step_of(
    records: Stored,
    request: Request,
    steps: Sequence[Step],
    actor: Actor,
    authority: Authority,
    acting: Callable[[str], Acting],
) -> tuple[Step, Capacity]:
    """The waiting step that is somebody's to decide, and as what they decide it. Raises CallError where none is."""
    if any(actor.is_one_with(it) for it in concerned_in(records, request, acting)):
        what = f"Request {request.number} was asked by {request.asked_by} for {request.whom}, and {actor.name} is one."
        raise CallError(what, "Nobody decides what they ask for, or what is for them.")
    record = records.with_key(IDENTITIES, (actor.is_identity or actor.name,))
    if record is not None and record["status"] in ("left", "suspended"):
        what = f"{actor.name} {'has left' if record['status'] == 'left' else 'is suspended'}, and decides nothing."
        raise CallError(what, "What waits for them goes to the next one up: kathodos request tend")
    left = waiting(request, steps)
    found = [(it, authority.capacity(actor, it.approver)) for it in left]
    order = list(Capacity)
    mine = sorted(((it, as_) for it, as_ in found if as_ is not None), key=lambda it: order.index(it[1]))
    if not mine:
        names = ", ".join(it.approver for it in left) or "nobody"
        what = f"Request {request.number} waits for {names}, and not for {actor.name}."
        raise CallError(what, f"See kathodos request show {request.number}")
    return mine[0]


def concerned_in(records: Stored, request: Request, acting: Callable[[str], Acting]) -> list[Actor]:
    """Who asks, and whom it is for."""
    actors = []
    for name in dict.fromkeys((request.asked_by, request.whom)):
        try:
            actors.append(acting(name).among(records))
        except CallError:  # nobody who is there any more
            actors.append(Actor(name, records, is_guest=True))
    return actors


def must_be_unchanged(records: Stored, request: Request, entry: int) -> None:
    """Raises CallError where a request, or the kit it asks for, is not what it was at a ledger entry."""
    for kind, column, value in (
        (REQUESTS, "request", request.number),
        (KITS, "kit", request.kit),
        (KIT_ENTRIES, "kit", request.kit),
    ):
        history = records.history(kind)
        if not value:
            continue
        rows = history.holding({column: [value]})
        closed_by = history.closed_by(rows)
        if ((closed_by > entry) & (closed_by < _STILL) | (history.opened_by(rows) > entry)).any():
            what = "was decided further" if kind is REQUESTS else "asks for a kit that was changed"
            raise CallError(f"Request {request.number} {what} since that was sent.", "Send it anew.")


def _left(steps: Sequence[Step], mine: Step) -> list[Step]:
    """Who has to decide after one step was granted: others of the same where it takes all, else the next."""
    same = [it for it in steps if it.number == mine.number and it.approver != mine.approver and not it.decision]
    if mine.takes_all and same:
        return same
    later_ones = [it for it in steps if it.number > mine.number]
    return [it for it in later_ones if it.number == min(one.number for one in later_ones)] if later_ones else []


def _must_be_less(plan: Plan, request: Request, less: Less) -> None:
    """Raises CallError where what it is granted for is not less than was asked."""
    if less.until is not None:
        if end_moment(less.until) > end_moment(request.ends):
            what = f"It is asked for until {request.ends}, and cannot be granted until {less.until}."
            raise CallError(what, "Name an earlier day.")
        if end_moment(less.until) <= microseconds(plan.time):
            raise CallError(f"{less.until} is over.", "Name a day to come, or deny it.")
    if less.without:
        known = content_of(plan.records, request)
        other = [it for it in less.without if it not in known]
        if other:
            raise CallError(f"Request {request.number} does not give {other[0].text}.", "Name one of its entries.")


def as_approver(capacity: Capacity) -> str:
    """As what somebody decides a request."""
    return str(capacity).replace("reviewer", "approver")


def kit_of(records: Records, request: Request) -> Kit | None:
    """The kit that a request asks for, as it is now; None where it asks for something else."""
    return find_kit(records, request.kit) if request.kit else None
