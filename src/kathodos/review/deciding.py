"""Lines decided: who may, what stands, and what the catalogue keeps of it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from kathodos.columns.csr import Ints
from kathodos.columns.dictionary import DictionaryColumn, always
from kathodos.columns.ranges import ranges_text
from kathodos.errors import CallError
from kathodos.ledger.actors import Actor
from kathodos.ledger.operations import Operation, Plan
from kathodos.ledger.payloads import Act, DecidePayload
from kathodos.model.kinds import DECISIONS
from kathodos.model.references import reference_to
from kathodos.model.times import microseconds
from kathodos.review.authority import Authority, Capacity
from kathodos.review.line_attributes import LineAttributes
from kathodos.review.lines import REFERENCES, ReviewLines, find_review, numbered, reviews_in


@dataclass(frozen=True)
class Decided:
    """Lines as they were before, which of them were decided, and as what: a position in CAPACITIES for each."""

    lines: ReviewLines
    chosen: Ints
    capacity: Ints


@dataclass(frozen=True)
class Decide(Operation[Decided]):
    """Decides lines that words or a filter name, of a review or of the only open one."""

    act: ClassVar[Act] = Act.DECIDE
    review: str | None
    words: Sequence[str]
    decision: str
    authority: Authority
    where: str | None = None

    def compose(self, plan: Plan) -> Decided:
        """Raises CallError where a line is the actor's own, somebody else's to decide, or signed off."""
        lines = ReviewLines(plan.records, find_review(reviews_in(plan.records), self.review))
        review, actor = lines.review, plan.actor
        capacity = _capacities(lines, actor, self.authority)
        is_mine = (capacity >= 0) & ~lines.is_decided & ~lines.is_signed
        if self.where is not None:
            chosen = (is_mine & LineAttributes(lines, microseconds(plan.time)).selected_by(self.where)).nonzero()[0]
        else:
            chosen = lines.named(self.words, is_mine)
        if not len(chosen):
            what = f"{actor.name} has no line of {review.name} to decide" + (
                " that the filter selects" if self.where else ""
            )
            raise CallError(f"{what}.", f"See `kathodos review lines {review.name}`.")
        signed = chosen[lines.is_signed[chosen]]
        if len(signed):
            stands = lines.decided("decision").value(int(signed[0]))
            what = f"Line {lines.numbers[signed[0]]} of {review.name} is signed off as {stands}."
            raise CallError(what, "What is signed off stands; take it up in a new review.")
        own = chosen[lines.about(actor.names)[chosen]]
        if len(own):
            raise CallError(
                f"Line {lines.numbers[own[0]]} is about {actor.name}, and nobody decides about themselves. "
                "Nothing was decided.",
                "Leave that line to somebody else.",
            )
        foreign = chosen[capacity[chosen] < 0]
        if len(foreign):
            reviewer = lines.column("reviewer").value(int(foreign[0]))
            raise CallError(
                f"Line {lines.numbers[foreign[0]]} is for {reviewer} to decide, not for {actor.name}. "
                "Nothing was decided.",
                "Who stands in for a reviewer, or may decide for all, is said in [reviews] of kathodos.toml.",
            )
        size = len(chosen)
        decided = (always(self.decision, size), always(actor.name, size), always(plan.now, size))
        named = DictionaryColumn(capacity[chosen].astype(np.int32), [str(it) for it in CAPACITIES])
        put_decisions(plan, lines, chosen, [*decided, always(plan.reason, size), always(0, size), named])
        concerned = lines.column("identity", chosen).compact().values
        plan.subjects += [reference_to("review", review.name), *map(_reference, map(str, concerned))]
        numbers = ranges_text(lines.numbers[chosen].tolist())
        others = lines.column("reviewer", chosen[capacity[chosen] > 0]).compact().values
        plan.payload = DecidePayload(review.name, self.decision, numbers, sorted(map(str, others)))
        return Decided(lines, chosen, capacity[chosen])


CAPACITIES = tuple(Capacity)


def _capacities(lines: ReviewLines, actor: Actor, authority: Authority) -> Ints:
    """As what the actor may decide each line, a position in CAPACITIES; -1 where it may not."""
    reviewer = lines.column("reviewer").compact()
    found = [authority.capacity(actor, str(name)) for name in reviewer.values]
    numbers = [CAPACITIES.index(it) if it is not None else -1 for it in found]
    return np.array([*numbers, -1], dtype=np.int64)[reviewer.codes]


def _reference(whose: str) -> str:
    """Whom a line is about, as a subject of an entry."""
    return whose if whose.startswith(REFERENCES) else reference_to("identity", whose)


def put_decisions(plan: Plan, lines: ReviewLines, chosen: Ints, columns: Sequence[DictionaryColumn]) -> None:
    """Enters what was decided of some lines, in place of what was decided before."""
    before = lines.decisions[chosen]
    plan.close_rows(DECISIONS, lines.records.rows(DECISIONS)[before[before >= 0]])
    size = len(chosen)
    key = [always(lines.review.name, size), numbered(lines.numbers[chosen])]
    plan.open_columns(DECISIONS, [*key, *(column.compact() for column in columns)], always(None, size))
