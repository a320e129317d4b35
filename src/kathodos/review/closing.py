"""A review signed off: revoked assignments end in the catalogue."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from kathodos.columns.csr import Bools, Ints
from kathodos.columns.dictionary import DictionaryColumn, always, positions_among
from kathodos.columns.ranges import ranges_text
from kathodos.errors import CallError
from kathodos.ledger.actors import Actor
from kathodos.ledger.operations import Operation, Plan
from kathodos.ledger.payloads import Act, CloseReviewPayload
from kathodos.model.kinds import (
    GRANTS,
    MEMBERS,
    REVIEWS,
)
from kathodos.model.references import name_in, reference_to
from kathodos.review.authority import Capacity
from kathodos.review.deciding import put_decisions
from kathodos.review.lines import CERTIFY, REVOKE, SIGNED, ReviewLines, find_review, reviews_in
from kathodos.store.records import Records, positions_holding


@dataclass(frozen=True)
class Closing:
    """What the closing of a review does, or would do: positions of lines, and the rows that it ends.

    `decided` and `by_closing`: what counts as decided, and of which lines only by the word of who closes.
    """

    lines: ReviewLines
    certified: Ints
    revoked: Ints
    left_open: Ints
    by_closing: Bools
    ended: list[str]
    gone_before: list[str]
    grants: Ints
    members: Ints

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
    ends = {reference: rest for reference, *rest in lines.ended_by(revoked)}
    of_grants = [(reference, grant) for reference, (grant, _, _) in ends.items() if grant]
    rows = {reference: _row(records, *rest) for reference, rest in ends.items() if not rest[0]}
    column = records.column(GRANTS, "grant")
    codes = positions_among([grant for _, grant in of_grants], column.values)
    position = np.full(len(column.values) + 1, -1, dtype=np.int64)
    position[column.codes] = np.arange(len(column))
    at = np.where(codes >= 0, position[codes], -1)
    numbers = np.where(at >= 0, np.append(records.rows(GRANTS), -1)[at], -1)
    rows |= {reference: number for (reference, _), number in zip(of_grants, numbers.tolist(), strict=True)}
    ended = sorted(reference for reference, number in rows.items() if number >= 0)
    gone = sorted(reference for reference, number in rows.items() if number < 0)
    members = sorted(rows[it] for it in ended if not ends[it][0])
    ending = (np.sort(numbers[numbers >= 0]), np.array(members, dtype=np.int64))
    return Closing(lines, certified, revoked, left_open, by_closing, ended, gone, *ending)


def _row(records: Records, _: str, group: str, holder: str) -> int:
    """The row of a membership; -1 where there is none any more."""
    system, _, name = name_in("group", group).partition("/")
    at = positions_holding(records, MEMBERS, {"system": system, "group": name, "member": holder})
    return int(records.rows(MEMBERS)[at[0]]) if len(at) else -1


@dataclass(frozen=True)
class CloseReview(Operation[Closing]):
    """Signs off what is decided: revoked assignments end, and what is left undecided stays open or is decided so."""

    act: ClassVar[Act] = Act.CLOSE_REVIEW
    review: str | None
    undecided: str | None

    def compose(self, plan: Plan) -> Closing:
        """Raises CallError where it is signed off already, or is the actor's alone."""
        closing = _closing(plan.records, self.review, self.undecided, plan.actor)
        lines = closing.lines
        _must_have_others(closing, plan.actor)
        plan.close_rows(GRANTS, closing.grants)
        plan.close_rows(MEMBERS, closing.members)
        _sign(plan, closing, self.undecided)
        plan.subjects += [reference_to("review", lines.review.name), *closing.ended]
        plan.payload = CloseReviewPayload(
            lines.review.name,
            certified=ranges_text(lines.numbers[closing.certified].tolist()),
            revoked=ranges_text(lines.numbers[closing.revoked].tolist()),
            left_open=ranges_text(lines.numbers[closing.left_open].tolist()),
            ended=closing.ended,
        )
        return closing


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
