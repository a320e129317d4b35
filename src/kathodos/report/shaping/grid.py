"""Grids of roles by areas, in words, as data, and as tables to fill."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field
from kathodos.report.long import first_rows
from kathodos.roles.grid import EVERYWHERE
from kathodos.workspace.grids import AREA, NAME, FilledCell, FilledGrid, NamedGrid

_CELLS = (
    Field("who", "Who", 9, least=12),
    Field("area", "Area", 7, least=8),
    Field("role", "Role", 8, least=12),
    Field("asked", "Asked", 8),
    Field("gained", "Gains", 6, is_number=True),
    Field("lost", "Loses", 6, is_number=True),
    Field("says", "What a rehearsal says", 7, least=24),
)
_MOST_NAMED = 4


def table_of(found: NamedGrid) -> list[list[str]]:
    """A grid as a table that can be filled and read back: a header, and a row for each person and area."""
    grid = found.grid
    header = [f"who (as of entry {found.entry})", NAME, AREA, *(f"{it.system}/{it.role}" for it in grid.roles)]
    rows = [
        [person.removeprefix("identity:"), found.names.get(person, ""), _area(area)]
        + [grid.cell(person, area, role).text for role in grid.roles]
        for person, area in grid.rows()
    ]
    return [header, *rows]


def _area(area: str | None) -> str:
    return EVERYWHERE if area is None else area


def grid(found: NamedGrid, most: int | None, file: str | None, is_table: bool) -> Answer:
    """What stands, as a table for people and as data, which says also through what."""
    table = table_of(found)
    if is_table:
        table = [table[0], *([*row[:3], *("(x)" if it.startswith("(") else it for it in row[3:])] for row in table[1:])]
    roles = table[0][3:]
    fields = [Field("who", "Who", 9, least=10), Field("name", "Name", 5), Field("area", "Area", 8, least=8)]
    fields += [Field(role, role, 7, least=4) for role in roles]
    rows = [dict(zip(["who", "name", "area", *roles], row, strict=True)) for row in table[1:]]
    people = plural(len(found.grid.people), "person", "people")
    heading = f"{plural(len(roles), 'role')} on {plural(len(found.grid.areas), 'area')} for {people}."
    text = ["x: by a grant of their own on that area. (x): through a group, another role, or on more than that area."]
    if file:
        text.append(f"Written to {file}: put an x where a role is to be given, and take it out where it is to end.")
    hint = f"Read it back: kathodos role fill {file}" if file else "To fill it: the same with --out grid.xlsx"
    shown, more = first_rows(rows, most)
    return Answer(fields, shown, heading, text, hint=f"{more} {hint}".strip())


def filled(found: FilledGrid, file: str, most: int | None) -> Answer:
    """What a filled grid asks for, cell by cell, and what each alone would do."""
    rows = [_row(it) for it in found.cells]
    gives = sum(it.asked.verb == "give" for it in found.cells)
    takes = sum(it.asked.verb == "take" for it in found.cells)
    others = len(rows) - gives - takes
    counts = f"{gives} to give, {takes} to take" + (f", {plural(others, 'end')} to move" if others else "")
    heading = f"{file} asks for {plural(len(rows), 'thing')}: {counts}."
    if not rows:
        heading = f"{file} asks for nothing: it is as it was handed out."
    shown, more = first_rows(rows, most)
    document = {"file": file, "entry": found.entry, "cells": rows, "edits": len(found.composition.edits)}
    return Answer(_CELLS, shown, heading, hint=more, document=document)


def _row(cell: FilledCell) -> dict[str, Any]:
    asked, effect = cell.asked, cell.effect
    says: list[str] = []
    if not len(asked.composition.edits):
        says = ["stands already" if asked.verb == "give" else "is not there any more"]
    elif effect is not None:
        made, settled = effect.broken
        says += [f"breaks {_some([it.rule for it in made])}"] * bool(made)
        says += [f"settles {_some([it.rule for it in settled])}"] * bool(settled)
        says += ["changes nothing"] * (effect.changes_nothing and not says)
    return {
        "who": asked.person.removeprefix("identity:"),
        "area": _area(asked.area),
        "role": asked.role.reference,
        "asked": asked.verb,
        "gained": effect.gained if effect is not None else None,
        "lost": effect.lost if effect is not None else None,
        "says": "; ".join([*says, *asked.composition.notes]),
    }


def _some(texts: Sequence[str]) -> str:
    names = list(dict.fromkeys(texts))
    more = f" and {len(names) - _MOST_NAMED} more" if len(names) > _MOST_NAMED else ""
    return ", ".join(names[:_MOST_NAMED]) + more
