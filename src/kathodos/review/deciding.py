"""Lines decided: certified, made less, revoked or taken back; what the catalogue keeps of it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from kathodos.columns.csr import Ints
from kathodos.columns.dictionary import DictionaryColumn, always
from kathodos.columns.ranges import ranges_text
from kathodos.ledger.operations import Operation, Plan
from kathodos.ledger.payloads import Act, DecidePayload
from kathodos.model.kinds import DECISIONS
from kathodos.model.references import reference_to
from kathodos.model.times import microseconds
from kathodos.review.authority import Authority
from kathodos.review.choosing import CAPACITIES, Chosen, Wanted, chosen
from kathodos.review.lines import REFERENCES, Decision, ReviewLines, numbered
from kathodos.review.reducing import Reduction, must_be_reducible

_NOTHING = Reduction()


@dataclass(frozen=True)
class Decide(Operation[Chosen]):
    """Decides lines. `reduction`: what is left of them where they are made less."""

    act: ClassVar[Act] = Act.DECIDE
    wanted: Wanted
    decision: Decision
    authority: Authority
    reduction: Reduction = _NOTHING

    def compose(self, plan: Plan) -> Chosen:
        """Raises CallError where a line is the actor's own, somebody else's, signed off, or not to be made less."""
        found = chosen(plan, self.wanted, self.authority)
        lines, size = found.lines, len(found.at)
        reduced = None
        if self.decision == Decision.REDUCE:
            must_be_reducible(lines, found.at, self.reduction, microseconds(plan.time))
            reduced = self.reduction.text
        decided = (always(self.decision, size), always(plan.actor.name, size), always(plan.now, size))
        named = DictionaryColumn(found.capacity.astype(np.int32), [str(it) for it in CAPACITIES])
        put_decisions(
            plan,
            lines,
            found.at,
            [*decided, always(plan.reason, size), always(0, size), named, always(reduced, size)],
        )
        _tell(plan, found, self.decision, reduced or "")
        return found


@dataclass(frozen=True)
class TakeBack(Operation[Chosen]):
    """Takes back what was decided of lines and is not signed off; they are undecided again."""

    act: ClassVar[Act] = Act.TAKE_BACK
    wanted: Wanted
    authority: Authority

    def compose(self, plan: Plan) -> Chosen:
        """Raises CallError where nothing was decided, or it is not the actor's to take back."""
        found = chosen(plan, self.wanted, self.authority, "take back", is_decided=True)
        before = found.lines.decisions[found.at]
        plan.close_rows(DECISIONS, found.lines.records.rows(DECISIONS)[before[before >= 0]])
        _tell(plan, found, "", "")
        return found


def _tell(plan: Plan, found: Chosen, decision: str, reduced: str) -> None:
    """Says in the entry which lines it is about, about whom they are, and in whose place they were decided."""
    lines, at = found.lines, found.at
    plan.subjects += [reference_to("review", lines.review.name), *subjects_of(lines, at)]
    others = lines.column("reviewer", at[found.capacity > 0]).compact().values
    numbers = ranges_text(lines.numbers[at].tolist())
    plan.payload = DecidePayload(lines.review.name, decision, numbers, sorted(map(str, others)), reduced)


def subjects_of(lines: ReviewLines, at: Ints) -> list[str]:
    """Whom some lines are about, as the subjects of an entry."""
    concerned = map(str, lines.column("identity", at).compact().values)
    return [it if it.startswith(REFERENCES) else reference_to("identity", it) for it in concerned]


def put_decisions(plan: Plan, lines: ReviewLines, at: Ints, columns: Sequence[DictionaryColumn]) -> None:
    """Enters what was decided of some lines, in place of what was decided before."""
    before = lines.decisions[at]
    plan.close_rows(DECISIONS, lines.records.rows(DECISIONS)[before[before >= 0]])
    size = len(at)
    key = [always(lines.review.name, size), numbered(lines.numbers[at])]
    plan.open_columns(DECISIONS, [*key, *(column.compact() for column in columns)], always(None, size))
