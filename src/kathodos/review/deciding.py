"""Lines decided: who may, what stands, and what the catalogue keeps of it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import ClassVar

from kathodos.columns.csr import Ints
from kathodos.columns.dictionary import DictionaryColumn, always
from kathodos.columns.ranges import ranges_text
from kathodos.errors import CallError
from kathodos.ledger.operations import Operation, Plan
from kathodos.ledger.payloads import Act, DecidePayload
from kathodos.model.kinds import DECISIONS
from kathodos.model.references import reference_to
from kathodos.review.lines import ReviewLines, find_review, numbered, reviews_in


@dataclass(frozen=True)
class Decide(Operation[tuple[ReviewLines, Ints]]):
    """Decides lines that words name, of a review or of the only open one; gives the lines, and which of them."""

    act: ClassVar[Act] = Act.DECIDE
    review: str | None
    words: Sequence[str]
    decision: str

    def compose(self, plan: Plan) -> tuple[ReviewLines, Ints]:
        """Raises CallError where a line is the actor's own, or is signed off."""
        lines = ReviewLines(plan.records, find_review(reviews_in(plan.records), self.review))
        review = lines.review
        deciders = plan.actor.names
        chosen = lines.named(self.words, deciders)
        signed = chosen[lines.is_signed[chosen]]
        if len(signed):
            stands = lines.decided("decision").value(int(signed[0]))
            what = f"Line {lines.numbers[signed[0]]} of {review.name} is signed off as {stands}."
            raise CallError(what, "What is signed off stands; take it up in a new review.")
        own = chosen[lines.about(deciders)[chosen]]
        if len(own):
            raise CallError(
                f"Line {lines.numbers[own[0]]} is about {plan.actor.name}, and nobody decides about themselves. "
                "Nothing was decided.",
                "Leave that line to somebody else.",
            )
        size = len(chosen)
        decided = (always(self.decision, size), always(plan.actor.name, size), always(plan.now, size))
        put_decisions(plan, lines, chosen, [*decided, always(plan.reason, size), always(0, size)])
        concerned = lines.column("identity", chosen).compact().values
        plan.subjects += [reference_to("review", review.name), *(reference_to("identity", name) for name in concerned)]
        numbers = ranges_text(lines.numbers[chosen].tolist())
        plan.payload = DecidePayload(review.name, self.decision, numbers)
        return lines, chosen


def put_decisions(plan: Plan, lines: ReviewLines, chosen: Ints, columns: Sequence[DictionaryColumn]) -> None:
    """Enters what was decided of some lines, in place of what was decided before."""
    before = lines.decisions[chosen]
    plan.close_rows(DECISIONS, lines.records.rows(DECISIONS)[before[before >= 0]])
    size = len(chosen)
    key = [always(lines.review.name, size), numbered(lines.numbers[chosen])]
    plan.open_columns(DECISIONS, [*key, *(column.compact() for column in columns)], always(None, size))
