"""Emergencies: a kit that says so is given at once for hours, loudly told, and looked back on by somebody else."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import timedelta
from typing import ClassVar

import msgspec

from kathodos.change.composition import Desk
from kathodos.change.orders import Carried, decided
from kathodos.errors import CallError
from kathodos.ledger.actors import Acting, Actor
from kathodos.ledger.operations import Operation, Plan
from kathodos.ledger.payloads import Act, RequestPayload
from kathodos.model.periods import later
from kathodos.model.requests import RequestState
from kathodos.model.times import time_text
from kathodos.request.approving import Approvers, Concerned, StepDecided, excluded_of
from kathodos.request.asking import Wish, meaning, must_be_open_to, step_rows, subjects_of
from kathodos.request.deciding import Giving, as_approver, give, step_of
from kathodos.request.ending import Ended, end_requests
from kathodos.request.kits import ApprovalStep, Kit
from kathodos.request.records import LOOK_BACK, Request, find_request, next_number, put_steps, steps_of, waiting
from kathodos.request.terms import RequestTerms

RIGHT, WRONG = "right", "wrong"


class Broken(msgspec.Struct, frozen=True):
    """An emergency that was taken: the request that gives it, who is told at once, and who looks back on it."""

    request: Request
    kit: Kit
    told: Sequence[str]
    looks_back: Sequence[str]
    due: str
    giving: Giving
    carried: Carried


class BreakGlass(msgspec.Struct, Operation[Broken], frozen=True):
    """Gives a kit at once, for as many hours as it says, without anybody's decision before."""

    act: ClassVar[Act] = Act.BREAK_GLASS
    kit: str
    whom: str
    terms: RequestTerms
    acting: Callable[[str], Acting]

    def compose(self, plan: Plan) -> Broken:
        """Raises CallError where the kit is not given so, not to this person, or where nobody could look back on it."""
        if not plan.reason.strip():
            raise CallError("An emergency says what it is.", "Say --reason TEXT; it is looked back on.")
        desk = Desk(decided(plan.records), plan.time, plan.actor.name)
        meant = meaning(desk, Wish(self.kit, self.whom), self.terms, plan.actor)
        kit = meant.kit
        if kit is None or not kit.hours:
            what = f"{meant.what} is not given in an emergency."
            raise CallError(what, "See which kits are: kathodos kit list")
        must_be_open_to(desk, meant, plan.actor)
        whom = Actor(meant.person, plan.records)
        concerned = Concerned(meant.person, excluded_of([plan.actor, whom]), kit.owner, meant.entries)
        (back,) = Approvers(desk.records, concerned).steps([ApprovalStep(list(kit.looked_at_by))])
        if not back.approvers:
            what = f"Nobody but {plan.actor.name} and {meant.person} could look back on it."
            raise CallError(what, "Let the kit name somebody else: looked_at_by")
        until = time_text(plan.time + timedelta(hours=kit.hours))
        request = Request(
            0,
            next_number(plan.records),
            RequestState.GRANTED,
            kit.name,
            [],
            meant.person,
            plan.actor.name,
            plan.now,
            plan.reason,
            until,
            meant.holder,
            step=LOOK_BACK,
            is_emergency=True,
        )
        due = time_text(later(plan.time, self.terms.look_back_within))
        found, carried = give(plan, request, self.terms)
        put_steps(plan, [], step_rows(request, [StepDecided(back.approvers, "one", back.meant)], due, LOOK_BACK))
        plan.subjects += subjects_of(request)
        plan.payload = RequestPayload(
            str(request.number),
            "break glass",
            request.whom,
            change=found.request.change,
            ordered=len(carried.ordered),
            edited=len(carried.edited),
        )
        looks_back = [it.name for it in back.approvers]
        told = list(dict.fromkeys([*kit.told, *looks_back, *([kit.owner] if kit.owner else [])]))
        return Broken(found.request, kit, told, looks_back, due, found, carried)


class LookedBack(msgspec.Struct, frozen=True):
    """What somebody found who looked back on an emergency, and what was taken away for it."""

    request: Request
    verdict: str
    ended: Ended | None = None


class LookBack(msgspec.Struct, Operation[LookedBack], frozen=True):
    """Says whether an emergency was right; where it was wrong, what it still gives ends at once."""

    act: ClassVar[Act] = Act.LOOK_BACK
    number: int
    verdict: str
    terms: RequestTerms
    acting: Callable[[str], Acting]

    def compose(self, plan: Plan) -> LookedBack:
        """Raises CallError where it is no emergency, was looked back on already, or is not theirs."""
        request = find_request(plan.records, self.number)
        steps = steps_of(plan.records, [request.number])[request.number]
        if not request.is_emergency:
            raise CallError(f"Request {request.number} was no emergency.", "See kathodos request status")
        if not plan.reason.strip():
            raise CallError("Nobody looks back without saying what was found.", "Say --reason TEXT.")
        left = waiting(request, steps)
        if not left:
            done = next(it for it in steps if it.decision)
            what = f"{done.values['decided_by']} looked back on request {request.number} on {done.values['decided_at']}"
            raise CallError(f"{what}, and found it {done.decision}.", f"See kathodos request show {request.number}")
        mine, capacity = step_of(plan.records, request, steps, plan.actor, self.terms.authority, self.acting)
        said = {"decision": self.verdict, "decided_by": plan.actor.name, "decided_at": plan.now}
        said |= {"capacity": as_approver(capacity), "reason": plan.reason}
        put_steps(plan, left, [{**mine.values, **said}])  # the others need not look any more
        ended = None
        if self.verdict == WRONG and request.state == RequestState.GRANTED:
            why = f"looked back on, and found wrong: {plan.reason}"
            ended = end_requests(plan, [request], why, self.terms, f"end-request-{request.number}")
            request = ended.requests[0]
        plan.subjects += subjects_of(request)
        plan.payload = RequestPayload(
            str(request.number),
            f"looked back: {self.verdict}",
            request.whom,
            in_place_of=mine.approver if not plan.actor.is_called(mine.approver) else "",
            change=ended.change if ended is not None else "",
            ordered=len(ended.carried.ordered) if ended is not None else 0,
            edited=len(ended.carried.edited) if ended is not None else 0,
        )
        return LookedBack(request, self.verdict, ended)
