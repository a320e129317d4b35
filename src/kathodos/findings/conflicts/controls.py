"""Compensating controls as `controls.toml` says them."""

from __future__ import annotations

import msgspec
from msgspec.structs import replace

from kathodos.errors import DataError, sentence
from kathodos.findings.conflicts.covers import Control
from kathodos.model.periods import parts_of
from kathodos.model.references import name_in
from kathodos.model.times import normal_moment
from kathodos.model.toml import TomlText


class _Block(msgspec.Struct, forbid_unknown_fields=True):
    """`[[control]]`."""

    id: str
    owner: str
    does: str
    period: str
    title: str = ""
    until: str | None = None


class _File(msgspec.Struct, forbid_unknown_fields=True):
    control: list[_Block] = []


def controls_in(file: TomlText) -> list[Control]:
    """The controls of a file. Raises DataError with file, line and key where one is not as it has to be."""
    remedy = (
        "The file holds [[control]] blocks with id, title, owner, does, period and until; see docs/file-formats.md."
    )
    found = []
    for at, block in enumerate(file.as_type(_File, remedy).control):
        control = Control(block.id, block.title or block.id, block.owner, block.does, block.period, block.until)
        try:
            found.append(checked_control(control))
        except ValueError as error:
            raise file.error(["control", at], f"the control {block.id}: {error}", "Correct it.") from None
    return found


def checked_control(control: Control) -> Control:
    """The control with its owner and its end as they are kept. Raises ValueError where period or end are wrong."""
    parts_of(control.period)
    until = normal_moment(control.until) if control.until else None
    return replace(control, owner=name_in("identity", control.owner), until=until)


def control_for_use(control: Control) -> Control:
    """As `checked_control`. Raises DataError where the control is not as it has to be."""
    try:
        return checked_control(control)
    except ValueError as error:
        raise DataError(f"The control {control.id}: {sentence(error)}", "Correct it.") from None
