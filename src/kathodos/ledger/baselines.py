"""Baselines: names for states of the catalogue, that is for numbers of ledger entries."""

from __future__ import annotations

from typing import ClassVar

import msgspec

from kathodos.errors import CallError
from kathodos.ledger.operations import Operation, Plan
from kathodos.ledger.payloads import Act, MarkPayload
from kathodos.model.kinds import BASELINES
from kathodos.model.references import reference_to
from kathodos.model.times import normal_moment


class MarkBaseline(msgspec.Struct, Operation[int], frozen=True):
    """Gives the present state a name; says which entry it is the state after."""

    act: ClassVar[Act] = Act.MARK
    name: str

    def compose(self, plan: Plan) -> int:
        """Raises CallError where the name is taken, or would be read as a number or a date."""
        if self.name.isdecimal() or _is_moment(self.name) or not self.name.strip():
            what = f"{self.name!r} cannot name a baseline: it would be read as a number or a date."
            raise CallError(what, "Use a word.")
        if _is_taken(plan, self.name):
            raise CallError(f"There is a baseline {self.name} already.", "Give this one another name.")
        plan.payload = MarkPayload(self.name, plan.entry_before)
        return put_baseline(plan, self.name)


def put_baseline(plan: Plan, name: str) -> int:
    """Puts a name for the state before a plan into it; says which entry that is the state after."""
    plan.open_rows(BASELINES, [(name, plan.entry_before, plan.now, plan.reason or None)])
    plan.subjects.append(reference_to("baseline", name))
    return plan.entry_before


def free_baseline(plan: Plan, name: str) -> str:
    """The name, or with a number behind it where there is a baseline of that name already."""
    number, found = 1, name
    while _is_taken(plan, found):
        number += 1
        found = f"{name}-{number}"
    return found


def _is_taken(plan: Plan, name: str) -> bool:
    return plan.records.with_key(BASELINES, (name,)) is not None


def _is_moment(text: str) -> bool:
    try:
        normal_moment(text)
    except ValueError:
        return False
    return True
