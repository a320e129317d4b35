"""Lines passed on to another reviewer, and what is asked, answered and commented; each stays with the line."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar

import msgspec
import numpy as np

from kathodos.columns.csr import Ints
from kathodos.columns.dictionary import DictionaryColumn, always, in_common
from kathodos.columns.ranges import ranges_text
from kathodos.errors import CallError
from kathodos.ledger.actors import Acting, Actor
from kathodos.ledger.operations import Operation, Plan
from kathodos.ledger.payloads import Act, RemarkPayload
from kathodos.model.kinds import IDENTITIES, REVIEW_REMARKS
from kathodos.model.references import reference_to
from kathodos.review.authority import Authority
from kathodos.review.choosing import Chosen, Wanted, chosen, must_be_open, must_not_be_about
from kathodos.review.deciding import subjects_of
from kathodos.review.lines import ReviewLines, find_review, numbered, reviews_in
from kathodos.review.remarks import Sort


class PassOn(msgspec.Struct, Operation[Chosen], frozen=True):
    """Hands lines that are undecided to another reviewer, for the reason that the entry gives; or to several.

    Among several the lines are split evenly, those about one person together.
    """

    act: ClassVar[Act] = Act.REMARK
    wanted: Wanted
    to: Sequence[Acting]
    authority: Authority

    def compose(self, plan: Plan) -> Chosen:
        """Raises CallError where a line is not the actor's, is decided, or is about whom it would go to."""
        found = chosen(plan, self.wanted, self.authority, "pass on")
        lines, whom = found.lines, [it.among(plan.records) for it in self.to]
        decided = found.at[lines.is_decided[found.at]]
        if len(decided):
            what = f"Line {lines.numbers[decided[0]]} of {lines.review.name} is decided already."
            raise CallError(what, "Pass on what is undecided; take a decision back with `kathodos review take-back`.")
        share = _shares(lines, found.at, len(whom))
        for number, to in enumerate(whom):
            mine = found.at[share == number]
            must_be_here(plan, to)
            must_not_be_about(lines, mine, to, to.name)
            standing = mine[lines.column("reviewer", mine).holding(to.name)]
            if len(standing) and len(whom) == 1:
                what = f"Line {lines.numbers[standing[0]]} is for {to.name} to decide already."
                raise CallError(what, "Name another.")
        names = DictionaryColumn(share.astype(np.int32), [it.name for it in whom])
        now, then = in_common(lines.column("reviewer", found.at).compact(), names)
        moves = now != then  # who has a line already keeps it
        put_remarks(plan, lines, found.at[moves], Sort.PASSED_ON, plan.reason, names.taken(moves))
        numbers = ranges_text(lines.numbers[found.at].tolist())
        plan.payload = RemarkPayload(lines.review.name, Sort.PASSED_ON, ", ".join(map(str, names.values)), numbers)
        return found


class Ask(msgspec.Struct, Operation[Chosen], frozen=True):
    """Asks somebody about lines before they are decided. `of`: who is asked; None: whoever opened the review."""

    act: ClassVar[Act] = Act.REMARK
    wanted: Wanted
    text: str
    of: Acting | None
    authority: Authority

    def compose(self, plan: Plan) -> Chosen:
        """Raises CallError where a line is not the actor's, or the one who is asked is not here any more."""
        found = chosen(plan, self.wanted, self.authority, "ask about")
        asked = self.of.among(plan.records) if self.of is not None else None
        if asked is not None:
            must_be_here(plan, asked)
        name = asked.name if asked is not None else found.lines.review.opened_by
        _put(plan, found.lines, found.at, Sort.QUESTION, self.text, name)
        return found


class Say(msgspec.Struct, Operation[Chosen], frozen=True):
    """Answers what was asked about lines, or comments on them."""

    act: ClassVar[Act] = Act.REMARK
    wanted: Wanted
    sort: Sort
    text: str
    authority: Authority

    def compose(self, plan: Plan) -> Chosen:
        """Raises CallError where the actor is neither asked, nor decides, nor opened the review."""
        lines = ReviewLines(plan.records, find_review(reviews_in(plan.records), self.wanted.review))
        asked, actor = lines.remarks.asked.compact(), plan.actor
        waiting = np.array([*(actor.is_called(str(it)) for it in asked.values), False])[asked.codes]
        reviewer = lines.column("reviewer").compact()
        may = [self.authority.capacity(actor, str(it)) is not None for it in reviewer.values]
        is_mine = np.array([*may, False])[reviewer.codes] | waiting | actor.is_called(lines.review.opened_by)
        at = lines.named(self.wanted.words, waiting if self.sort == Sort.ANSWER else is_mine & ~lines.is_decided)
        if not len(at):
            verb = "answer" if self.sort == Sort.ANSWER else "comment on"
            what = f"{actor.name} has no line of {lines.review.name} to {verb}."
            raise CallError(what, f"See `kathodos review lines {lines.review.name}`.")
        must_be_open(lines, at)
        foreign = at[~is_mine[at]]
        if len(foreign):
            what = f"Line {lines.numbers[foreign[0]]} is neither for {actor.name} to decide nor asked of {actor.name}."
            raise CallError(what, "Its reviewer, whoever is asked and whoever opened the review may speak of it.")
        if self.sort == Sort.ANSWER:
            unasked = at[asked.codes[at] < 0]
            if len(unasked):
                what = f"Nothing is asked about line {lines.numbers[unasked[0]]} that is not answered."
                raise CallError(what, "Say it with `kathodos review comment`.")
        _put(plan, lines, at, self.sort, self.text, None)
        return Chosen(lines, at, np.zeros(len(at), dtype=np.int64))


def _shares(lines: ReviewLines, at: Ints, parts: int) -> Ints:
    """Which of some parts each line belongs to: as many lines in each as may be, those about one person together."""
    whose = lines.column("identity", at).compact().codes
    sizes = np.bincount(whose + 1, minlength=int(whose.max(initial=-1)) + 2)
    before = np.cumsum(sizes) - sizes
    alone = np.cumsum(whose < 0) - 1  # what is about nobody is split line by line
    first = np.where(whose < 0, alone, before[whose + 1])
    found: Ints = np.minimum(first * parts // max(len(at), 1), parts - 1)
    return found


def must_be_here(plan: Plan, who: Actor) -> None:
    """Raises CallError where somebody is in the catalogue and is not active."""
    known = plan.records.with_key(IDENTITIES, (who.is_identity or who.name,))
    if known is not None and known["status"] != "active":
        raise CallError(f"{who.name} is {known['status']} and decides nothing.", "Name somebody who is active.")


def put_remarks(
    plan: Plan,
    lines: ReviewLines,
    at: Ints,
    sort: Sort,
    text: str | DictionaryColumn,
    whom: DictionaryColumn,
    said_by: DictionaryColumn | None = None,
) -> None:
    """Enters one remark on each of some lines. `whom`: for whom each is; `said_by`: whose it is (None: the actor's)."""
    size = len(at)
    texts = always(text or None, size) if isinstance(text, str) else text
    by = said_by if said_by is not None else always(plan.actor.name, size)
    columns = [
        *(always(lines.review.name, size), numbered(lines.numbers[at]), numbered(lines.remarks.next_numbers(at))),
        *(always(sort, size), by.compact(), always(plan.now, size), texts.compact(), whom.compact()),
    ]
    plan.open_columns(REVIEW_REMARKS, columns, always(None, size))
    plan.subjects += [reference_to("review", lines.review.name), *subjects_of(lines, at)]


def _put(plan: Plan, lines: ReviewLines, at: Ints, sort: Sort, text: str, whom: str | None) -> None:
    """Enters the same remark on each of some lines."""
    put_remarks(plan, lines, at, sort, text, always(whom, len(at)))
    plan.payload = RemarkPayload(lines.review.name, sort, whom or "", ranges_text(lines.numbers[at].tolist()))
