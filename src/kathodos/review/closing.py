"""A review signed off: revoked assignments become a change with orders to the systems that hold them."""

from __future__ import annotations

from datetime import datetime
from typing import ClassVar

import msgspec
import numpy as np
from msgspec.structs import asdict, replace

from kathodos.analysis.decisions import decisions_of
from kathodos.change.applying import subjects_of
from kathodos.change.kept import Change, ChangeState, free_name, put_change, put_edits
from kathodos.change.orders import OrderTerms, carry, decided
from kathodos.columns.csr import Bools, Ints
from kathodos.columns.dictionary import DictionaryColumn, always
from kathodos.columns.ranges import ranges_text
from kathodos.errors import CallError, NotAllowedError
from kathodos.findings.excess.reviews import signs
from kathodos.findings.excess.thresholds import Thresholds
from kathodos.ledger.actors import Actor
from kathodos.ledger.operations import Operation, Plan
from kathodos.ledger.payloads import Act, CloseReviewPayload
from kathodos.model.kinds import REVIEWS
from kathodos.model.references import reference_to
from kathodos.review.authority import Capacity
from kathodos.review.covers import end_covers
from kathodos.review.deciding import put_decisions
from kathodos.review.lines import (
    SIGNED,
    ReviewLines,
    days_left,
    find_review,
    reviews_in,
)
from kathodos.review.outcomes import Outcome, outcome_of
from kathodos.review.subjects import Decision
from kathodos.store.records import Records


class Closing(msgspec.Struct, frozen=True):
    """What the closing of a review does, or would do: positions of lines, and the edits that take away.

    `by_closing`: which lines are decided only by the word of who closes. `undecided`: what
    is decided of these. `reduced`: also what is corrected. `change`:
    the name of the change that the edits become; `signs`: that lines were decided without looking.
    """

    lines: ReviewLines
    certified: Ints
    reduced: Ints
    revoked: Ints
    left_open: Ints
    by_closing: Bools
    undecided: str | None
    outcome: Outcome
    change: str
    ordered: int = 0
    signs: list[str] = msgspec.field(default_factory=list)

    @property
    def is_complete(self) -> bool:
        return not len(self.left_open)


_SAID = {"certify": "certified", "revoke": "revoked"}


def _closing(records: Records, name: str | None, undecided: str | None, actor: Actor, now: datetime) -> Closing:
    """What the closing does; undecided lines of the one who closes stay open whatever is said about the others."""
    lines = ReviewLines(records, find_review(reviews_in(records), name))
    if lines.review.state == SIGNED:
        raise CallError(f"{lines.review.name} was signed off on {lines.review.signed_at}.", "Open a new review.")
    said = lines.review.undecided
    if undecided is not None and said is not None and undecided != said:
        what = f"When {lines.review.name} was opened, it was said that undecided lines are to be {_SAID[said]}."
        raise CallError(what, f"Close it with --undecided {said}, or without.")
    if said is not None and days_left(lines.review, now) < 0:
        undecided = said
    by_closing = ~lines.is_decided & ~lines.about(actor.identities)
    by_closing &= undecided is not None
    fresh, decision = ~lines.is_signed, lines.decided("decision")
    word = {it: decision.holding(it) | (by_closing & (undecided == it)) for it in Decision}
    certified, revoked = ((fresh & word[it]).nonzero()[0] for it in (Decision.CERTIFY, Decision.REVOKE))
    reduced = (fresh & (word[Decision.REDUCE] | word[Decision.CORRECT])).nonzero()[0]
    left_open = (~lines.is_decided & ~by_closing).nonzero()[0]
    outcome = outcome_of(decided(records), lines, reduced, revoked)
    change = free_name(records, f"review-{lines.review.name}", is_plain_first=True)
    return Closing(lines, certified, reduced, revoked, left_open, by_closing, undecided, outcome, change)


class CloseReview(msgspec.Struct, Operation[Closing], frozen=True):
    """Signs off what is decided: revoked assignments become a change with orders; what is undecided stays open.

    Or it is decided so by whoever closes. `needs_four_eyes`: whoever opened it may not.
    """

    act: ClassVar[Act] = Act.CLOSE_REVIEW
    review: str | None
    undecided: str | None
    orders: OrderTerms = msgspec.field(default_factory=OrderTerms)
    needs_four_eyes: bool = False
    limits: Thresholds = msgspec.field(default_factory=Thresholds)

    def compose(self, plan: Plan) -> Closing:
        """Raises CallError where it is signed off already, or is the actor's alone."""
        closing = _closing(plan.records, self.review, self.undecided, plan.actor, plan.time)
        lines, review = closing.lines, closing.lines.review
        found = signs(decisions_of(plan.records, review.name), review.name, self.limits)
        closing = replace(closing, signs=[f"{it.who} {it.evidence}" for it in found])
        _must_have_others(closing, plan.actor)
        if self.needs_four_eyes and plan.actor.is_called(review.opened_by):
            what = f"{plan.actor.name} opened {review.name}, and nobody closes what they opened."
            raise NotAllowedError(what, "Let somebody else close it.", self.act, [reference_to("review", review.name)])
        if len(closing.outcome.edits):
            closing = replace(closing, ordered=self._take_away(plan, closing))
        end_covers(plan, closing.outcome.uncovered)
        _sign(plan, closing)
        plan.subjects.append(reference_to("review", review.name))
        plan.payload = CloseReviewPayload(
            review.name,
            certified=ranges_text(lines.numbers[closing.certified].tolist()),
            reduced=ranges_text(lines.numbers[closing.reduced].tolist()),
            revoked=ranges_text(lines.numbers[closing.revoked].tolist()),
            left_open=ranges_text(lines.numbers[closing.left_open].tolist()),
            ended=closing.outcome.ended,
            signs=closing.signs,
        )
        return closing

    def _take_away(self, plan: Plan, closing: Closing) -> int:
        """Makes what is revoked a change, and orders it; gives how many records are ordered to end."""
        carried = carry(plan, closing.outcome.edits, closing.change, self.orders)
        state = ChangeState.APPLIED if carried.ordered else ChangeState.CARRIED_OUT
        at, origin = (plan.actor.name, plan.now), reference_to("review", closing.lines.review.name)
        put_change(plan, Change(0, closing.change, state, origin, *at, plan.reason, *at))
        put_edits(plan, closing.change, closing.outcome.edits)
        plan.subjects += [reference_to("change", closing.change), *subjects_of(closing.outcome.edits)]
        return len(carried.ordered)


def _must_have_others(closing: Closing, actor: Actor) -> None:
    """Raises CallError where the actor is a subject of the review and nobody else has decided anything in it."""
    lines = closing.lines
    if not lines.about(actor.identities).any():
        return
    deciders = {str(name) for name in lines.decided("decided_by", lines.is_decided.nonzero()[0]).compact().values}
    if (deciders or closing.by_closing.any()) and all(actor.is_called(name) for name in deciders):
        what = f"{lines.review.name} is about {actor.name} too, and nobody but {actor.name} has decided anything in it."
        raise CallError(what, "Nobody signs off alone what is about themselves: let somebody else close it.")


def _sign(plan: Plan, closing: Closing) -> None:
    lines, undecided = closing.lines, closing.undecided
    reason = plan.reason or f"undecided at the closing: {undecided}"
    chosen = np.sort(np.concatenate([closing.certified, closing.reduced, closing.revoked]))
    new = closing.by_closing[chosen]
    words = {"decision": undecided, "decided_by": plan.actor.name, "decided_at": plan.now, "reason": reason}
    columns = [_overwritten(lines.decided(name).taken(chosen), new, word) for name, word in words.items()]
    capacity = _overwritten(lines.decided("capacity").taken(chosen), new, Capacity.CLOSING)
    more = [lines.decided(name).taken(chosen) for name in ("reduced", "opened")]
    put_decisions(plan, lines, chosen, [*columns, always(1, len(chosen)), capacity, *more])
    if closing.is_complete:
        review = lines.review
        plan.close_rows(REVIEWS, lines.records.rows_holding(REVIEWS, {"review": [review.name]}))
        values = {**asdict(review), "state": SIGNED, "signed_at": plan.now, "signed_by": plan.actor.name}
        plan.open_rows(REVIEWS, [tuple(values.values())])


def _overwritten(column: DictionaryColumn, which: Bools, value: str | None) -> DictionaryColumn:
    """A column with one value in some rows."""
    codes = column.codes.copy()
    values = list(column.values)
    codes[which] = values.index(value) if value in values else len(values)
    return DictionaryColumn(codes, [*values, value] if value not in values else values)
