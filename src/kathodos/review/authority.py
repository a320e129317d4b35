"""Who may decide a line: its reviewer, a stand-in of the reviewer, or somebody who may decide for others."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from enum import StrEnum

import msgspec

from kathodos.ledger.actors import Actor


class Capacity(StrEnum):
    """As what somebody decides."""

    REVIEWER = "reviewer"
    STAND_IN = "stand-in"
    FOR_OTHERS = "in place of the reviewer"
    CLOSING = "at the closing"
    CARRIED = "carried over"


class Authority(msgspec.Struct, frozen=True):
    """What the configuration says: for each reviewer who stands in, and who may decide in place of any reviewer.

    `needs_reason`: whether certifying takes a reason where the evidence speaks against a line.
    """

    stand_ins: Mapping[str, Sequence[str]] = msgspec.field(default_factory=dict)
    deciders: Sequence[str] = ()
    needs_reason: bool = False

    def capacity(self, actor: Actor, reviewer: str) -> Capacity | None:
        """As what the actor may decide a line of a reviewer; None where that may not be."""
        if actor.is_called(reviewer):
            return Capacity.REVIEWER
        if any(actor.is_called(name) for name in self.stand_ins.get(reviewer, ())):
            return Capacity.STAND_IN
        return Capacity.FOR_OTHERS if any(actor.is_called(name) for name in self.deciders) else None
