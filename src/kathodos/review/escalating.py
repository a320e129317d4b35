"""Reviewers reminded, and lines that were not decided in time passed on to the next one up."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar

import msgspec
import numpy as np

from kathodos.columns.csr import Bools, Ints
from kathodos.columns.dictionary import DictionaryColumn, Scalar, positions_among
from kathodos.errors import CallError
from kathodos.ledger.operations import Operation, Plan
from kathodos.ledger.payloads import Act, EscalatePayload, RemindPayload
from kathodos.model.kinds import IDENTITIES
from kathodos.model.references import reference_to
from kathodos.review.lines import OPEN, Review, ReviewLines, days_left, find_review, reviews_in
from kathodos.review.passing import put_remarks
from kathodos.review.remarks import Sort
from kathodos.review.reviewers import managers_of, one_person
from kathodos.store.records import Records


class Waiting(msgspec.Struct, frozen=True):
    """What waits for one reviewer in one review. `asked`: questions to them that are not answered."""

    reviewer: str
    review: Review
    left: int
    asked: int


def waiting(records: Records, name: str | None) -> list[Waiting]:
    """What waits for whom in open reviews, or in one of them."""
    reviews = [find_review(reviews_in(records), name)] if name else reviews_in(records)
    found = []
    for review in (it for it in reviews if it.state == OPEN):
        lines = ReviewLines(records, review)
        open_lines = ~lines.is_decided & ~lines.is_signed
        left = _counted(lines.column("reviewer"), open_lines)
        asked = _counted(lines.remarks.asked, open_lines)
        found += [Waiting(who, review, left.get(who, 0), asked.get(who, 0)) for who in sorted({*left, *asked})]
    return found


def _counted(column: DictionaryColumn, which: Bools) -> dict[str, int]:
    """How often each value stands in some rows."""
    some = column.taken(which).compact()
    counts = np.bincount(some.codes[some.codes >= 0], minlength=len(some.values))
    return {str(name): int(count) for name, count in zip(some.values, counts, strict=True) if count}


class Remind(msgspec.Struct, Operation[None], frozen=True):
    """Enters that reviewers were reminded of what waits for them."""

    act: ClassVar[Act] = Act.REMIND
    reminded: Sequence[Waiting]

    def compose(self, plan: Plan) -> None:
        """Writes an entry without a record."""
        plan.is_kept_empty = True
        reviews = sorted({it.review.name for it in self.reminded})
        plan.subjects += [reference_to("review", name) for name in reviews]
        people = len({it.reviewer for it in self.reminded})
        plan.payload = RemindPayload(reviews, people, sum(it.left for it in self.reminded))


class Escalated(msgspec.Struct, frozen=True):
    """What went on: from whom, to whom, how many lines; and whose lines stay, since nobody is above who may."""

    review: Review
    went: Sequence[tuple[str, str, int]]
    stayed: Sequence[tuple[str, int]]


class Escalate(msgspec.Struct, Operation[Escalated], frozen=True):
    """Passes lines of a review that is overdue on to the next one up of their reviewers."""

    act: ClassVar[Act] = Act.ESCALATE
    review: str | None

    def compose(self, plan: Plan) -> Escalated:
        """Raises CallError where the review is not overdue, or nothing is left to be passed on."""
        lines = ReviewLines(plan.records, find_review(reviews_in(plan.records), self.review))
        review, left = lines.review, days_left(lines.review, plan.time)
        if left >= 0:
            raise CallError(
                f"{review.name} is not overdue: it is due on {review.due}.", "Remind its reviewers instead."
            )
        at = (~lines.is_decided & ~lines.is_signed).nonzero()[0]
        reviewer = lines.column("reviewer", at).compact()
        above = _next_up(plan.records, reviewer.values)
        names = plan.records.column(IDENTITIES, "id").values
        to = np.append(above, -1)[reviewer.codes]
        goes = (to >= 0) & ~are_about(plan.records, lines, at, to)
        if not goes.any():
            what = f"No line of {review.name} is left that could go to somebody above its reviewer."
            raise CallError(what, "Pass lines on by name: kathodos review pass.")
        whom = DictionaryColumn(to[goes].astype(np.int32), names).compact()
        put_remarks(plan, lines, at[goes], Sort.PASSED_ON, plan.reason or f"not decided by {review.due}", whom)
        went = _pairs(reviewer.taken(goes), whom)
        plan.payload = EscalatePayload(review.name, [[*it] for it in went])
        stays = reviewer.taken(~goes)
        return Escalated(review, went, sorted(_counted(stays, np.ones(len(stays.codes), dtype=bool)).items()))


def _next_up(records: Records, reviewers: Sequence[Scalar]) -> Ints:
    """The next one up of each of some reviewers who is active, by the code of the id; -1 where nobody is."""
    ids, manager = records.column(IDENTITIES, "id"), records.column(IDENTITIES, "manager")
    stated = np.full(len(ids.values), -1, dtype=np.int32)
    stated[ids.codes] = manager.codes
    is_active = np.zeros(len(ids.values), dtype=bool)
    is_active[ids.codes] = records.column(IDENTITIES, "status").holding("active")
    above = managers_of(DictionaryColumn(stated, manager.values), is_active, ids.values)
    found: Ints = np.append(above, -1)[positions_among(reviewers, ids.values)]
    return found


def are_about(records: Records, lines: ReviewLines, at: Ints, to: Ints) -> Bools:
    """Which lines are about the one to whom they would go, or about somebody with the same mail; `to`: codes of ids."""
    ids, mails = records.column(IDENTITIES, "id"), records.column(IDENTITIES, "email")
    by_code = np.full(len(ids.values), -1, dtype=np.int32)
    by_code[ids.codes] = mails.codes
    person = one_person(DictionaryColumn(by_code, mails.values))
    whose = lines.column("identity", at).compact()
    code = np.append(positions_among(whose.values, ids.values), -1)[whose.codes]
    found: Bools = (code >= 0) & (to >= 0) & (person[code] == person[to])
    return found


def _pairs(first: DictionaryColumn, second: DictionaryColumn) -> list[tuple[str, str, int]]:
    """How often each pair of values stands side by side."""
    width = len(second.values) + 1
    pairs, counts = np.unique(first.codes.astype(np.int64) * width + second.codes, return_counts=True)
    found = zip(pairs.tolist(), counts.tolist(), strict=True)
    return [(str(first.values[it // width]), str(second.values[it % width]), count) for it, count in found]
