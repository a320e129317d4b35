"""A review signed off: revoked assignments become a change with orders to the systems that hold them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import ClassVar

import numpy as np

from kathodos.analysis.decisions import decisions_of
from kathodos.change.applying import subjects_of
from kathodos.change.edit_sets import EditSet, edit_of
from kathodos.change.kept import Change, ChangeState, free_name, put_change, put_edits
from kathodos.change.orders import OrderTerms, carry, decided
from kathodos.change.settling import records_held
from kathodos.columns.csr import Bools, Ints
from kathodos.columns.dictionary import DictionaryColumn, always
from kathodos.columns.ranges import ranges_text
from kathodos.errors import CallError, NotAllowedError
from kathodos.findings.excess.reviews import signs
from kathodos.findings.excess.thresholds import Thresholds
from kathodos.ledger.actors import Actor
from kathodos.ledger.operations import Operation, Plan
from kathodos.ledger.payloads import Act, CloseReviewPayload
from kathodos.model.kinds import GRANTS, MEMBERS, REVIEWS
from kathodos.model.references import name_in, reference_to
from kathodos.review.authority import Capacity
from kathodos.review.deciding import put_decisions
from kathodos.review.lines import SIGNED, Decision, ReviewLines, find_review, reviews_in
from kathodos.review.reducing import reduction_from
from kathodos.store.records import Records, positions_holding


@dataclass(frozen=True)
class Closing:
    """What the closing of a review does, or would do: positions of lines, and the edits that take away.

    `decided` and `by_closing`: what counts as decided, and of which lines only by the word of who closes. `ended`,
    `lessened` and `gone_before`: references of what ends, of what is made less, and of what was gone already.
    `change`: the name of the change that the edits become; `signs`: that lines were decided without looking.
    """

    lines: ReviewLines
    certified: Ints
    reduced: Ints
    revoked: Ints
    left_open: Ints
    by_closing: Bools
    ended: list[str]
    lessened: list[str]
    gone_before: list[str]
    edits: EditSet
    change: str
    ordered: int = 0
    signs: list[str] = field(default_factory=list)

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
    word = {it: decision.holding(it) | (by_closing & (undecided == it)) for it in Decision}
    certified, reduced, revoked = ((fresh & word[it]).nonzero()[0] for it in Decision)
    left_open = (~lines.is_decided & ~by_closing).nonzero()[0]
    standing, edits = decided(records), EditSet()
    ended, gone = _taking_away(standing, {it[0]: it[1:] for it in lines.ended_by(revoked)}, edits)
    lessened, gone_too = _making_less(standing, lines, reduced, edits)
    gone = sorted([*gone, *gone_too])
    change = free_name(records, f"review-{lines.review.name}", is_plain_first=True)
    return Closing(lines, certified, reduced, revoked, left_open, by_closing, ended, lessened, gone, edits, change)


def _taking_away(
    records: Records, ends: Mapping[str, tuple[str, str, str]], edits: EditSet
) -> tuple[list[str], list[str]]:
    """Puts the edits that take away; gives what ends, and what was gone or ordered to end already.

    `ends`: grant, group, holder.
    """
    grants = {reference: (grant,) for reference, (grant, _, _) in ends.items() if grant}
    members = {reference: _membership(group, holder) for reference, (grant, group, holder) in ends.items() if not grant}
    ended, gone = [], []
    for kind, keys in ((GRANTS, grants), (MEMBERS, members)):
        held = records_held(records, kind, list(keys.values()))
        for reference, key in keys.items():
            if key in held:
                edits.put(edit_of(kind, held[key].record, None))
                ended.append(reference)
            else:
                gone.append(reference)
    return sorted(ended), sorted(gone)


def _making_less(records: Records, lines: ReviewLines, at: Ints, edits: EditSet) -> tuple[list[str], list[str]]:
    """Puts the edits that make grants less; gives which these are, and which were gone or ordered to end already."""
    names = (str(it) for it in lines.column("grant", at).listed())
    columns = (lines.decided(name, at).listed() for name in ("reduced", "decided_by", "decided_at", "reason"))
    asked = {(name,): [str(it or "") for it in how] for name, *how in zip(names, *columns, strict=True)}
    held = records_held(records, GRANTS, list(asked))
    for key, (how, who, when, why) in asked.items():
        for edit in reduction_from(how).edits(held[key].record, who, when[:10], why) if key in held else ():
            edits.put(edit)
    here = [reference_to("grant", name) for (name,) in asked if (name,) in held]
    return sorted(here), sorted(reference_to("grant", name) for (name,) in asked if (name,) not in held)


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
    limits: Thresholds = field(default_factory=Thresholds)

    def compose(self, plan: Plan) -> Closing:
        """Raises CallError where it is signed off already, or is the actor's alone."""
        closing = _closing(plan.records, self.review, self.undecided, plan.actor)
        lines, review = closing.lines, closing.lines.review
        found = signs(decisions_of(plan.records, review.name), review.name, self.limits)
        closing = replace(closing, signs=[f"{it.who} {it.evidence}" for it in found])
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
            reduced=ranges_text(lines.numbers[closing.reduced].tolist()),
            revoked=ranges_text(lines.numbers[closing.revoked].tolist()),
            left_open=ranges_text(lines.numbers[closing.left_open].tolist()),
            ended=closing.ended,
            signs=closing.signs,
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
    chosen = np.sort(np.concatenate([closing.certified, closing.reduced, closing.revoked]))
    new = closing.by_closing[chosen]
    words = {"decision": undecided, "decided_by": plan.actor.name, "decided_at": plan.now, "reason": reason}
    columns = [_overwritten(lines.decided(name).taken(chosen), new, word) for name, word in words.items()]
    capacity = _overwritten(lines.decided("capacity").taken(chosen), new, Capacity.CLOSING)
    reduced = lines.decided("reduced").taken(chosen)
    put_decisions(plan, lines, chosen, [*columns, always(1, len(chosen)), capacity, reduced])
    if closing.is_complete:
        review = lines.review
        at = positions_holding(lines.records, REVIEWS, {"review": review.name})
        plan.close_rows(REVIEWS, lines.records.rows(REVIEWS)[at])
        values = (review.name, review.selects, review.opened_at, review.opened_by, review.due)
        plan.open_rows(REVIEWS, [(*values, SIGNED, plan.now, plan.actor.name, review.reviewers, review.declared)])


def _overwritten(column: DictionaryColumn, which: Bools, value: str | None) -> DictionaryColumn:
    """A column with one value in some rows."""
    codes = column.codes.copy()
    values = list(column.values)
    codes[which] = values.index(value) if value in values else len(values)
    return DictionaryColumn(codes, [*values, value] if value not in values else values)
