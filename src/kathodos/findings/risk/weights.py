"""How much each part can add to a risk score, as `[risk]` of the configuration says."""

from __future__ import annotations

from typing import Annotated

import msgspec

PARTS = ("sensitivity", "breadth", "actions", "conflicts", "excess", "dormancy", "escalation")
_Weight = Annotated[float, msgspec.Meta(ge=0)]


class Weights(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """How much each part can add to a score; 100 together."""

    sensitivity: _Weight = 20
    breadth: _Weight = 10
    actions: _Weight = 15
    conflicts: _Weight = 20
    excess: _Weight = 15
    dormancy: _Weight = 5
    escalation: _Weight = 15

    def total(self) -> float:
        return float(sum(self.listed()))

    def listed(self) -> list[float]:
        """The weights in the order of PARTS."""
        return [getattr(self, name) for name in PARTS]
