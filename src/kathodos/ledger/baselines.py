"""Baselines: names for states of the catalogue, that is for numbers of ledger entries."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from kathodos.errors import CallError
from kathodos.ledger.operations import Operation, Plan
from kathodos.ledger.payloads import Act, MarkPayload
from kathodos.model.kinds import BASELINES
from kathodos.model.references import reference_to
from kathodos.model.times import normal_moment
from kathodos.store.records import positions_holding


@dataclass(frozen=True)
class MarkBaseline(Operation[int]):
    """Gives the present state a name; says which entry it is the state after."""

    act: ClassVar[Act] = Act.MARK
    name: str

    def compose(self, plan: Plan) -> int:
        """Raises CallError where the name is taken, or would be read as a number or a date."""
        if self.name.isdecimal() or _is_moment(self.name) or not self.name.strip():
            what = f"{self.name!r} cannot name a baseline: it would be read as a number or a date."
            raise CallError(what, "Use a word.")
        if len(positions_holding(plan.records, BASELINES, {"baseline": self.name})):
            raise CallError(f"There is a baseline {self.name} already.", "Give this one another name.")
        entry = plan.entry_before
        plan.open_rows(BASELINES, [(self.name, entry, plan.now, plan.reason or None)])
        plan.subjects.append(reference_to("baseline", self.name))
        plan.payload = MarkPayload(self.name, entry)
        return entry


def _is_moment(text: str) -> bool:
    try:
        normal_moment(text)
    except ValueError:
        return False
    return True
