"""Lines decided: certified, made less, revoked or taken back; what the catalogue keeps of it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar

import msgspec
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
from kathodos.review.authority import Authority
from kathodos.review.choosing import CAPACITIES, Chosen, Wanted, chosen
from kathodos.review.correcting import checked_value
from kathodos.review.lines import REFERENCES, ReviewLines, numbered
from kathodos.review.reducing import Reduction, must_be_reducible
from kathodos.review.subjects import SUBJECTS, About, Decision

_NOTHING = Reduction()


class Decide(msgspec.Struct, Operation[Chosen], frozen=True):
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
        must_suit(lines, self.decision)
        if self.decision == Decision.CERTIFY and self.authority.needs_reason and not plan.reason:
            must_not_speak_against(lines, found.at)
        reduced = None
        if self.decision == Decision.CORRECT:
            reduced = Reduction(value=must_be_correct(lines, found.at, self.reduction.value or "", plan.actor)).text
        if self.decision == Decision.REDUCE:
            must_be_reducible(lines, found.at, self.reduction, microseconds(plan.time))
            reduced = self.reduction.text
        decided = (always(self.decision, size), always(plan.actor.name, size), always(plan.now, size))
        named = DictionaryColumn(found.capacity.astype(np.int32), [str(it) for it in CAPACITIES])
        put_decisions(
            plan,
            lines,
            found.at,
            [*decided, always(plan.reason, size), always(0, size), named, always(reduced, size), always(None, size)],
        )
        _tell(plan, found, self.decision, reduced or "")
        return found


def must_not_speak_against(lines: ReviewLines, at: Ints) -> None:
    """Raises CallError where the evidence speaks against one of some lines that are certified without a reason."""
    against = at[lines.column("speaks", at).holding("against")]
    if len(against):
        what = f"The evidence speaks against line {lines.numbers[against[0]]}, and certifying it takes a reason here"
        raise CallError(f"{what}. Nothing was changed.", "Say why it is right all the same: --reason TEXT.")


def must_suit(lines: ReviewLines, decision: Decision) -> None:
    """Raises CallError where lines of a review cannot be decided so."""
    about = About(lines.review.about)
    allowed = SUBJECTS[about].decisions
    if decision not in allowed:
        what = f"A line of {lines.review.name} is {SUBJECTS[about].line}; it cannot be"
        raise CallError(f"{what} {_DONE[decision]}.", f"Decide {' or '.join(allowed)}.")


_DONE = {
    Decision.CERTIFY: "certified",
    Decision.REDUCE: "made less",
    Decision.REVOKE: "revoked",
    Decision.CORRECT: "corrected",
}


def must_be_correct(lines: ReviewLines, at: Ints, text: str, actor: Actor) -> str:
    """The value that is right of some lines. Raises CallError where it cannot be one, or another has to say it."""
    own = at[lines.about(actor.names)[at]]
    if len(own):
        what = f"Line {lines.numbers[own[0]]} is about {actor.name}, and nobody corrects their own record alone."
        raise CallError(what, "Say what is right with `review comment`, and pass the line on to your manager.")
    parts = {str(it) for it in lines.column("part", at).compact().values}
    if len(parts) > 1:
        what = f"These lines are of several attributes: {', '.join(sorted(parts))}."
        raise CallError(what, "Correct one attribute at a time.")
    return checked_value(lines.records, parts.pop(), text)


class TakeBack(msgspec.Struct, Operation[Chosen], frozen=True):
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
    """Whom or what some lines are about, as the subjects of an entry."""
    concerned = map(str, lines.column("identity", at).compact().values)
    found = [it if it.startswith(REFERENCES) else reference_to("identity", it) for it in concerned]
    other = {About.ACCOUNTS: "holder", About.ROLES: "holder", About.RESOURCES: "part"}.get(About(lines.review.about))
    more = map(str, lines.column(other, at).compact().values) if other is not None else ()
    return list(dict.fromkeys([*found, *more]))


def put_decisions(plan: Plan, lines: ReviewLines, at: Ints, columns: Sequence[DictionaryColumn]) -> None:
    """Enters what was decided of some lines, in place of what was decided before."""
    before = lines.decisions[at]
    plan.close_rows(DECISIONS, lines.records.rows(DECISIONS)[before[before >= 0]])
    size = len(at)
    key = [always(lines.review.name, size), numbered(lines.numbers[at])]
    plan.open_columns(DECISIONS, [*key, *(column.compact() for column in columns)], always(None, size))
