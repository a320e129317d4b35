"""A review signed off: revoked assignments become a change with orders to the systems that hold them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import ClassVar

import numpy as np

from kathodos.change.applying import subjects_of
from kathodos.change.edit_sets import EditSet, edit_of
from kathodos.change.kept import Change, ChangeState, free_name, put_change, put_edits
from kathodos.change.orders import OrderTerms, carry, decided
from kathodos.change.settling import records_held
from kathodos.columns.csr import Bools, Ints
from kathodos.columns.dictionary import DictionaryColumn, always
from kathodos.columns.ranges import ranges_text
from kathodos.errors import CallError, NotAllowedError
from kathodos.ledger.actors import Actor
from kathodos.ledger.operations import Operation, Plan
from kathodos.ledger.payloads import Act, CloseReviewPayload
from kathodos.model.kinds import GRANTS, MEMBERS, REVIEWS
from kathodos.model.references import name_in, reference_to
from kathodos.review.authority import Capacity
from kathodos.review.deciding import put_decisions
from kathodos.review.lines import CERTIFY, REVOKE, SIGNED, ReviewLines, find_review, reviews_in
from kathodos.store.records import Records, positions_holding


@dataclass(frozen=True)
class Closing:
    """What the closing of a review does, or would do: positions of lines, and the edits that take away.

    `decided` and `by_closing`: what counts as decided, and of which lines only by the word of who closes. `change`: the
    name of the change that the edits become.
    """

    lines: ReviewLines
    certified: Ints
    revoked: Ints
    left_open: Ints
    by_closing: Bools
    ended: list[str]
    gone_before: list[str]
    edits: EditSet
    change: str
    ordered: int = 0

    @property
    def is_complete(self) -> bool:
        return not len(self.left_open)


def _closing(records: Records, name: str | None, undecided: str | None, actor: Actor) -> Closing:
    """What the closing does; undecided lines of the one who closes stay open whatever is said about the others."""
    lines = ReviewLines(records, find_review(reviews_in(records), name))
    if lines.review.state == SIGNED:
        raise CallError(f"{lines.review.name} was signed off on {lines.review.signed_at}.", "Open a new review.")
    by_closing = ~lines.is_decided & ~lines.about(actor.identities)
    by_closing &= undecided is not None
    fresh, decision = ~lines.is_signed, lines.decided("decision")
    word = {it: decision.holding(it) | (by_closing & (undecided == it)) for it in (CERTIFY, REVOKE)}
    certified, revoked = ((fresh & word[it]).nonzero()[0] for it in (CERTIFY, REVOKE))
    left_open = (~lines.is_decided & ~by_closing).nonzero()[0]
    ended, gone, edits = _taking_away(decided(records), {it[0]: it[1:] for it in lines.ended_by(revoked)})
    change = free_name(records, f"review-{lines.review.name}", is_plain_first=True)
    return Closing(lines, certified, revoked, left_open, by_closing, ended, gone, edits, change)


def _taking_away(records: Records, ends: Mapping[str, tuple[str, str, str]]) -> tuple[list[str], list[str], EditSet]:
    """What is taken away, what was gone or ordered to end already, and the edits; `ends`: grant, group, holder."""
    grants = {reference: (grant,) for reference, (grant, _, _) in ends.items() if grant}
    members = {reference: _membership(group, holder) for reference, (grant, group, holder) in ends.items() if not grant}
    edits, ended, gone = EditSet(), [], []
    for kind, keys in ((GRANTS, grants), (MEMBERS, members)):
        held = records_held(records, kind, list(keys.values()))
        for reference, key in keys.items():
            if key in held:
                edits.put(edit_of(kind, held[key].record, None))
                ended.append(reference)
            else:
                gone.append(reference)
    return sorted(ended), sorted(gone), edits


def _membership(group: str, holder: str) -> tuple[str, str, str]:
    system, _, name = name_in("group", group).partition("/")
    return system, name, holder


@dataclass(frozen=True)
class CloseReview(Operation[Closing]):
    """Signs off what is decided: revoked assignments become a change with orders; what is undecided stays open.

    Or it is decided so by whoever closes. `needs_four_eyes`: whoever opened it may not.
    """

    act: ClassVar[Act] = Act.CLOSE_REVIEW
    review: str | None
    undecided: str | None
    orders: OrderTerms = field(default_factory=OrderTerms)
    needs_four_eyes: bool = False

    def compose(self, plan: Plan) -> Closing:
        """Raises CallError where it is signed off already, or is the actor's alone."""
        closing = _closing(plan.records, self.review, self.undecided, plan.actor)
        lines, review = closing.lines, closing.lines.review
        _must_have_others(closing, plan.actor)
        if self.needs_four_eyes and plan.actor.is_called(review.opened_by):
            what = f"{plan.actor.name} opened {review.name}, and nobody closes what they opened."
            raise NotAllowedError(what, "Let somebody else close it.", self.act, [reference_to("review", review.name)])
        if len(closing.edits):
            closing = replace(closing, ordered=self._take_away(plan, closing))
        _sign(plan, closing, self.undecided)
        plan.subjects.append(reference_to("review", review.name))
        plan.payload = CloseReviewPayload(
            review.name,
            certified=ranges_text(lines.numbers[closing.certified].tolist()),
            revoked=ranges_text(lines.numbers[closing.revoked].tolist()),
            left_open=ranges_text(lines.numbers[closing.left_open].tolist()),
            ended=closing.ended,
        )
        return closing

    def _take_away(self, plan: Plan, closing: Closing) -> int:
        """Makes what is revoked a change, and orders it; gives how many records are ordered to end."""
        carried = carry(plan, closing.edits, closing.change, self.orders)
        state = ChangeState.APPLIED if carried.ordered else ChangeState.CARRIED_OUT
        at, origin = (plan.actor.name, plan.now), reference_to("review", closing.lines.review.name)
        put_change(plan, Change(0, closing.change, state, origin, *at, plan.reason, *at))
        put_edits(plan, closing.change, closing.edits)
        plan.subjects += [reference_to("change", closing.change), *subjects_of(closing.edits)]
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


def _sign(plan: Plan, closing: Closing, undecided: str | None) -> None:
    lines, reason = closing.lines, plan.reason or f"undecided at the closing: {undecided}"
    chosen = np.union1d(closing.certified, closing.revoked).astype(np.int64)
    new = closing.by_closing[chosen]
    words = {"decision": undecided, "decided_by": plan.actor.name, "decided_at": plan.now, "reason": reason}
    columns = [_overwritten(lines.decided(name).taken(chosen), new, word) for name, word in words.items()]
    capacity = _overwritten(lines.decided("capacity").taken(chosen), new, Capacity.CLOSING)
    put_decisions(plan, lines, chosen, [*columns, always(1, len(chosen)), capacity])
    if closing.is_complete:
        review = lines.review
        at = positions_holding(lines.records, REVIEWS, {"review": review.name})
        plan.close_rows(REVIEWS, lines.records.rows(REVIEWS)[at])
        values = (review.name, review.selects, review.opened_at, review.opened_by, review.due)
        plan.open_rows(REVIEWS, [(*values, SIGNED, plan.now, plan.actor.name)])


def _overwritten(column: DictionaryColumn, which: Bools, value: str | None) -> DictionaryColumn:
    """A column with one value in some rows."""
    codes = column.codes.copy()
    values = list(column.values)
    codes[which] = values.index(value) if value in values else len(values)
    return DictionaryColumn(codes, [*values, value] if value not in values else values)
