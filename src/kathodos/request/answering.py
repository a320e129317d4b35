"""Answers to packets of requests taken in: each as its approver decided it."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from typing import ClassVar

import msgspec

from kathodos.ledger.actors import Actor
from kathodos.ledger.operations import Operation, Plan
from kathodos.ledger.payloads import Act, RequestPacketsPayload
from kathodos.request.asking import Remark
from kathodos.request.deciding import DecideRequest
from kathodos.request.records import Request, Step, remarks_of
from kathodos.review.packets import LineAnswer, Seal
from kathodos.store.records import Records

REPEATED = "repeated"
_START = "requests as of "  # what a seal says in the place of a review, and the number of an entry


def seal_name(entry: int) -> str:
    """What the seal of a packet of requests says in the place of a review."""
    return f"{_START}{entry}"


def entry_of(seal: Seal) -> int:
    """As of which ledger entry a packet of requests is; -1 where it is none."""
    number = seal.review.removeprefix(_START)
    is_one = not seal.opened_at and seal.review.startswith(_START) and number.isdecimal() and len(number) < 12
    return int(number) if is_one else -1


def was_taken(records: Records, request: Request, steps: Sequence[Step], actor: Actor, answer: LineAnswer) -> bool:
    """Whether an answer has been taken in already, so that it changes nothing."""
    if answer.decision == "ask":
        remarks = remarks_of(records, [request.number])[request.number]
        text = answer.say.strip()
        return any(it["text"] == text and actor.is_called(str(it["said_by"])) for it in remarks)
    decision = "deny" if answer.decision == "deny" else "grant"
    own = [it for it in steps if it.decision and actor.is_called(str(it.values["decided_by"]))]
    return any(it.decision == decision and (it.values["reason"] or "") == answer.reason.strip() for it in own)


class IssueRequests(msgspec.Struct, Operation[None], frozen=True):
    """Enters that packets of requests were made, and the digest over all of their seals."""

    act: ClassVar[Act] = Act.REQUEST_PACKETS
    seals: Sequence[Seal]

    def compose(self, plan: Plan) -> None:
        """Writes an entry without a record."""
        plan.is_kept_empty = True
        whole = hashlib.sha256("\n".join(sorted(it.signature for it in self.seals)).encode()).hexdigest()
        plan.payload = RequestPacketsPayload(len(self.seals), sum(it.lines for it in self.seals), whole)


class TakeDecision(DecideRequest, frozen=True):
    """Decides a request as the answer to a packet says."""

    act: ClassVar[Act] = Act.TAKE_REQUESTS


class TakeRemark(Remark, frozen=True):
    """Says of a request what the answer to a packet says."""

    act: ClassVar[Act] = Act.TAKE_REQUESTS
