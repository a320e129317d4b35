"""Conflicts left standing under a compensating control: which covers hold, which ran out, what is to be confirmed.

A control is carried out once each period; its owner confirms that. A cover lasts to the end of the day it names, and
no longer than its control. Nothing has to be done to end it: what has run out does not count any more.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import msgspec
import numpy as np

from kathodos.columns.csr import Bools
from kathodos.engine.compiled.index import Holders
from kathodos.errors import DataError
from kathodos.findings.conflicts.states import Conflicts
from kathodos.model.kinds import CONFIRMATIONS, CONTROLS, COVERS
from kathodos.model.periods import later
from kathodos.model.times import end_moment, first_moment, microseconds, moment_of
from kathodos.store.records import Records, rows_of

HOLDS, RAN_OUT, ENDED, CONTROL_GONE = "holds", "ran out", "ended", "its control is gone"


class Control(msgspec.Struct, frozen=True):
    """A compensating control: who answers for it, what is done, and how often (a duration of ISO 8601 in days)."""

    id: str
    title: str
    owner: str
    does: str
    period: str
    until: str | None = None
    added_at: str | None = None


class Cover(msgspec.Struct, frozen=True):
    """A conflict of one identity left standing under a control, as it was entered."""

    rule: str
    identity: str
    control: str
    until: str
    reason: str
    covered_by: str
    covered_at: str
    ended_by: str | None = None
    ended_at: str | None = None


class Confirmation(msgspec.Struct, frozen=True):
    """The owner's word that a control was carried out."""

    control: str
    confirmed_at: str
    confirmed_by: str
    note: str


class Register(msgspec.Struct, frozen=True):
    """All controls, covers past and present, and confirmations, the oldest first."""

    controls: Mapping[str, Control]
    covers: Sequence[Cover]
    confirmations: Sequence[Confirmation]

    def state(self, cover: Cover, moment: int) -> str:
        """What has become of a cover at a moment."""
        control = self.controls.get(cover.control)
        if cover.ended_at:
            return ENDED
        if control is None or moment >= end_moment(control.until):
            return CONTROL_GONE
        return HOLDS if moment < end_moment(cover.until) else RAN_OUT

    def standing(self, moment: int) -> dict[tuple[str, str], Cover]:
        """The newest cover of each conflict, by rule and identity, whether or not it holds."""
        return {(it.rule, it.identity): it for it in self.covers if first_moment(it.covered_at) <= moment}

    def dues(self, moment: int) -> list[Due]:
        """What is to be confirmed of each control under which a cover holds."""
        found = []
        for control in self.controls.values():
            covers = [it for it in self.covers if it.control == control.id and self.state(it, moment) == HOLDS]
            if covers:
                since = min(it.covered_at for it in covers)
                moments = [it.confirmed_at for it in self.confirmations if it.control == control.id]
                last = max(moments, default=None)
                found.append(Due(control, len(covers), last, _next_due(control, max(since, last or since)), moment))
        return found


class Due(msgspec.Struct, frozen=True):
    """When a control has to be confirmed next, in microseconds since 1970."""

    control: Control
    covers: int
    last: str | None
    due: int
    moment: int

    @property
    def is_late(self) -> bool:
        return self.moment >= self.due


def _next_due(control: Control, last: str) -> int:
    return microseconds(later(moment_of(last), control.period))


def covered(conflicts: Conflicts, register: Register, holders: Holders, moment: int) -> Bools:
    """Which of the conflicts a cover holds."""
    found = np.zeros(len(conflicts), dtype=bool)
    number = {rule.id: at for at, rule in enumerate(conflicts.rules)}
    for (rule, identity), cover in register.standing(moment).items():
        if rule in number and register.state(cover, moment) == HOLDS:
            found |= (conflicts.rule == number[rule]) & (conflicts.asker == holders.asker_with_name(identity))
    return found


def register_of(records: Records, configured: Sequence[Control]) -> Register:
    """The register that the records hold; the configured controls stand beside those that were added."""
    added = [Control(*values) for values in rows_of(records, CONTROLS, *CONTROLS.names).values()]
    twice = {it.id for it in added} & {it.id for it in configured}
    if twice:
        what = f"The control {min(twice)} stands in controls.toml and was added as well."
        raise DataError(what, "Take it out of controls.toml.")
    covers = [Cover(*values) for values in rows_of(records, COVERS, *COVERS.names).values()]
    confirmed = [Confirmation(*values) for values in rows_of(records, CONFIRMATIONS, *CONFIRMATIONS.names).values()]
    return Register(
        {it.id: it for it in (*configured, *added)},
        sorted(covers, key=lambda it: it.covered_at),
        sorted(confirmed, key=lambda it: it.confirmed_at),
    )
