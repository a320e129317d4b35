"""How much each part can add to a risk score, as `[risk]` of the configuration says."""

from __future__ import annotations

from typing import Annotated

import msgspec

PARTS = ("sensitivity", "breadth", "actions", "conflicts", "excess", "dormancy", "escalation")
FLOOR = "floor"  # what lifts a score where something is certain, whatever the parts come to
COLUMNS = (*PARTS, FLOOR)
_Weight = Annotated[float, msgspec.Meta(ge=0)]


class Weights(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """How much each part can add to a score; 100 together.

    A score is no less than `critical` with a critical finding that is certain; no less than `exercised` with a conflict
    of a severe rule whose duties were used, and across a critical fence; no less than `unguarded` for an account in use
    that nobody owns, and for whoever could give itself everything in a system though that is not its office.
    """

    sensitivity: _Weight = 15
    breadth: _Weight = 5
    actions: _Weight = 10
    conflicts: _Weight = 30
    excess: _Weight = 25
    dormancy: _Weight = 5
    escalation: _Weight = 10
    critical: Annotated[float, msgspec.Meta(ge=0, le=100)] = 75
    exercised: Annotated[float, msgspec.Meta(ge=0, le=100)] = 55
    unguarded: Annotated[float, msgspec.Meta(ge=0, le=100)] = 40

    def total(self) -> float:
        return float(sum(self.listed()))

    def listed(self) -> list[float]:
        """The weights in the order of PARTS."""
        return [getattr(self, name) for name in PARTS]
