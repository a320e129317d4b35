"""Controls and covers entered: who may, what is checked first, and what the catalogue keeps of it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, ClassVar

import msgspec

from kathodos.errors import CallError, sentence
from kathodos.findings.conflicts.controls import control_for_use
from kathodos.findings.conflicts.covers import HOLDS, Control, Cover, Register, register_of
from kathodos.ledger.operations import Operation, Plan
from kathodos.ledger.payloads import Act, AddControlPayload, ConfirmControlPayload, CoverPayload
from kathodos.model.kinds import CONFIRMATIONS, CONTROLS, COVERS
from kathodos.model.references import reference_to
from kathodos.model.suggestions import nearest
from kathodos.model.times import first_moment, last_moment_of, microseconds, normal_moment, time_text
from kathodos.store.records import rows_of


class AddControl(msgspec.Struct, Operation[None], frozen=True):
    """Adds a control. `configured`: those of controls.toml."""

    act: ClassVar[Act] = Act.ADD_CONTROL
    configured: Sequence[Control]
    control: Control

    def compose(self, plan: Plan) -> None:
        """Raises CallError where its name is taken."""
        control = control_for_use(self.control)
        if control.id in {it.id for it in self.configured}:
            raise CallError(f"controls.toml has a control {control.id} already.", "Give this one another name.")
        if plan.records.with_key(CONTROLS, (control.id,)) is not None:
            raise CallError(f"There is a control {control.id} already.", "Give this one another name.")
        values = (control.id, control.title, control.owner, control.does, control.period, control.until)
        plan.open_rows(CONTROLS, [(*values, plan.now)])
        plan.subjects += [reference_to("control", control.id), reference_to("identity", control.owner)]
        plan.payload = AddControlPayload(control.id, control.period)


class ConfirmControl(msgspec.Struct, Operation[Control], frozen=True):
    """The owner's word that a control was carried out; gives the control. `configured`: those of controls.toml."""

    act: ClassVar[Act] = Act.CONFIRM_CONTROL
    configured: Sequence[Control]
    name: str

    def compose(self, plan: Plan) -> Control:
        """Raises CallError where the actor is not its owner."""
        register = register_of(plan.records, self.configured)
        control = _owned(plan, register, self.name)
        if any(it.control == control.id and it.confirmed_at == plan.now for it in register.confirmations):
            raise CallError(f"{control.id} was confirmed at this very moment.", "There is nothing to do.")
        plan.open_rows(CONFIRMATIONS, [(control.id, plan.now, plan.actor.name, plan.reason)])
        plan.subjects.append(reference_to("control", control.id))
        plan.payload = ConfirmControlPayload(control.id)
        return control


class CoverConflict(msgspec.Struct, Operation[None], frozen=True):
    """Leaves a conflict, given by rule and identity, standing under a control until a day."""

    act: ClassVar[Act] = Act.COVER
    configured: Sequence[Control]
    conflict: tuple[str, str]
    control: str
    until: str

    def compose(self, plan: Plan) -> None:
        """Raises CallError where the actor may not, or the day will not do."""
        control = _owned(plan, register_of(plan.records, self.configured), self.control)
        end = _end_of(self.until, control, plan.now)
        if self.conflict[1] in plan.actor.names:
            raise CallError(
                f"The conflict is {plan.actor.name}'s own, and nobody covers their own.", "Leave it to another."
            )
        values = (*self.conflict, control.id, end, plan.reason, plan.actor.name, plan.now, None, None)
        plan.open_rows(COVERS, [values])
        plan.subjects += _concerned(self.conflict, control.id)
        plan.payload = CoverPayload("/".join(self.conflict), control.id, end)


class EndCover(msgspec.Struct, Operation[None], frozen=True):
    """Ends the cover of a conflict before its time."""

    act: ClassVar[Act] = Act.UNCOVER
    configured: Sequence[Control]
    conflict: tuple[str, str]

    def compose(self, plan: Plan) -> None:
        """Raises CallError where none holds, or the actor is not the owner of its control."""
        register, rows = register_of(plan.records, self.configured), rows_of(plan.records, COVERS, *COVERS.names)
        for number, values in zip(rows.ids, rows.values(), strict=True):
            cover = Cover(*values)
            is_it = (cover.rule, cover.identity) == self.conflict
            if is_it and register.state(cover, microseconds(plan.time)) == HOLDS:
                _owned(plan, register, cover.control)
                _end(plan, number, values)
                return
        raise CallError(f"No cover holds on {'/'.join(self.conflict)}.", "See `kathodos conflicts covers`.")


def end_covers(plan: Plan, conflicts: Sequence[tuple[str, str]]) -> None:
    """Ends the covers of some conflicts, given by rule and identity, that were not ended before."""
    wanted, rows = set(conflicts), rows_of(plan.records, COVERS, *COVERS.names)
    for number, values in zip(rows.ids, rows.values(), strict=True) if wanted else ():
        cover = Cover(*values)
        if (cover.rule, cover.identity) in wanted and not cover.ended_at:
            _end(plan, number, values)


def _end(plan: Plan, number: int, values: Sequence[Any]) -> None:
    cover = Cover(*values)
    plan.close_rows(COVERS, [number])
    plan.open_rows(COVERS, [(*values[:-2], plan.actor.name, plan.now)])
    plan.subjects += _concerned((cover.rule, cover.identity), cover.control)


def _concerned(conflict: tuple[str, str], control: str) -> list[str]:
    rule, identity = conflict
    return [reference_to("identity", identity), f"rule:{rule}", reference_to("control", control)]


def _owned(plan: Plan, register: Register, name: str) -> Control:
    """The control of this name, if the actor is its owner. Raises CallError."""
    control = register.controls.get(name)
    if control is None:
        remedy = f"{nearest(name, list(register.controls))} Add one with `kathodos control add`."
        raise CallError(f"There is no control {name}.", remedy)
    if not plan.actor.is_called(control.owner):
        raise CallError(
            f"{plan.actor.name} is not the owner of {name}; that is {control.owner}.",
            "Only the owner may use a control: let them do it, or name the owner with --as.",
        )
    return control


def _end_of(until: str, control: Control, now: str) -> str:
    """The day to which a cover is to last, which has to be ahead and within the control's own time."""
    try:
        end = normal_moment(until)
    except ValueError as error:
        raise CallError(f"--until {until} is no date.", sentence(error)) from None
    if time_text(last_moment_of(end)) <= now:
        raise CallError(f"--until {end} is over already.", "Name a day ahead; a cover is not entered backwards.")
    if control.until and first_moment(end) > first_moment(control.until):
        raise CallError(f"The control {control.id} itself ends on {control.until}.", "Cover to that day at most.")
    return end
