"""Grids of roles by areas for some people: read, and filled, with what a rehearsal says of each cell."""

from __future__ import annotations

import re
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec
from msgspec.structs import replace

from kathodos import thresholds
from kathodos.analysis.role_entries import RoleKey
from kathodos.change.composition import Composition, Desk
from kathodos.change.effect import Effect
from kathodos.connectors.mapping import read_raw
from kathodos.engine.reach import grants_of
from kathodos.errors import CallError, DataError, UnfitError
from kathodos.formats.raw import Format
from kathodos.model.kinds import IDENTITIES, ROLES
from kathodos.roles.entries import together
from kathodos.roles.grid import EVERYWHERE, AskedCell, Grid, asked_for, grid_of, read_cell
from kathodos.store.naming import resolved
from kathodos.workspace.rehearsing import desk_view, rehearse
from kathodos.workspace.shaping import roles_named

if TYPE_CHECKING:
    from kathodos.workspace.view import View

WHO, NAME, AREA = "who", "name", "area"
_WHO = re.compile(r"who(?: \(as of entry (?P<entry>\d{1,18})\))?", re.IGNORECASE)
_GUARDED = re.compile(r"'+[=+\-@]")
_MOST_CELLS = 500_000


class NamedGrid(msgspec.Struct, frozen=True):
    """A grid, after which entry of the ledger it was, and what the people are called."""

    grid: Grid
    entry: int
    names: dict[str, str]


def grid_for(view: View, desk: Desk, people: Sequence[str], areas: Sequence[str], roles: Sequence[str]) -> NamedGrid:
    """What stands: of roles (all that these people hold: none named) on areas (none: everywhere) for people."""
    view = desk_view(view, desk)
    keys = [RoleKey.of(it) for it in roles_named(desk, roles)] if roles else _held(view, people)
    scopes: list[str | None] = [None, *desk.scopes(areas)] if areas else [None]
    if len(people) * len(scopes) * max(len(keys), 1) > _MOST_CELLS:
        what = f"That grid would have {len(people) * len(scopes) * len(keys):,} cells."
        raise CallError(what, "Name fewer people, areas or roles.")
    if not keys:
        raise CallError("None of these holds a role.", "Name the roles: --roles 'berths/*'")
    grid = grid_of(desk, view.index, people, scopes, keys)
    numbers = {it: view.index.holders.find(it) for it in people}
    records = view.people([number for number in numbers.values() if number >= 0])
    names = {it: str(records[number]["name"] or "") for it, number in numbers.items() if number in records}
    return NamedGrid(grid, view.point.entry, names)


def _held(view: View, people: Sequence[str]) -> list[RoleKey]:
    """The roles that some people hold, in whatever way."""
    found: set[int] = set()
    for person in people:
        grants = grants_of(view.index, view.index.holders.find(person), view.moment)
        found |= set(view.index.entitlements.role[view.index.grants.entitlement[grants]].tolist())
    return sorted(RoleKey.of(f"role:{view.index.roles[number]}") for number in found if number >= 0)


class FilledCell(msgspec.Struct, frozen=True):
    """A cell that asks for something, and what it alone would do; None where there are too many to tell."""

    asked: AskedCell
    effect: Effect | None


class FilledGrid(msgspec.Struct, frozen=True):
    """What a filled grid asks for, as one composition."""

    cells: Sequence[FilledCell]
    composition: Composition
    entry: int | None


def filled_grid(view: View, desk: Desk, file: Path, before: View | None = None) -> FilledGrid:
    """What a file that was handed out as a grid, and filled, asks for beside what stood in it then.

    `before`: the state that it was handed out of (None: as it is now). Raises DataError with file, line and column.
    """
    raw = read_raw(file, Format())
    header = [it.strip() for it in raw.header]
    _must_be_grid(file, header)
    roles = [RoleKey.of(_role(file, desk, _bare(it))) for it in header[3:]]
    lines = raw.lines.tolist()
    people = [_person(file, desk, it, line) for it, line in zip(raw.columns[0].listed(), lines, strict=True)]
    areas = [_area(file, desk, it, line) for it, line in zip(raw.columns[2].listed(), lines, strict=True)]
    of_then = desk if before is None else replace(desk, records=before.stored)
    index = (before or desk_view(view, desk)).index
    stood = grid_of(of_then, index, list(dict.fromkeys(people)), list(dict.fromkeys(areas)), roles)
    asked = []
    for column, role in zip(raw.columns[3:], roles, strict=True):
        for person, area, text, line in zip(people, areas, column.listed(), lines, strict=True):
            try:
                wanted = read_cell(None if text is None else str(text))
                cell = asked_for(desk, stood.cell(person, area, role), wanted, (person, area, role))
            except UnfitError as error:
                what = f"{file.name}, line {line}, {role.system}/{role.role}: {text!r} {error.reason}."
                raise DataError(what, error.remedy) from None
            if cell is not None:
                asked.append(cell)
    cells = [FilledCell(it, _alone(view, it, len(asked))) for it in asked]
    composition = together(it.composition for it in asked)
    return FilledGrid(cells, composition, entry_of(header[0]))


def _alone(view: View, cell: AskedCell, count: int) -> Effect | None:
    """What a cell by itself would do, where there are not too many of them."""
    if count > thresholds.CELLS_REHEARSED or not len(cell.composition.edits):
        return None
    return rehearse(view, cell.composition.edits)


def entry_of(header: str) -> int | None:
    """The entry after which a grid was handed out, as its first column says."""
    found = _WHO.fullmatch(header.strip())
    return int(found["entry"]) if found and found["entry"] else None


def header_of(file: Path) -> str:
    """The first header of a file, which says after which entry it was handed out."""
    raw = read_raw(file, Format())
    return raw.header[0] if raw.header else ""


def _must_be_grid(file: Path, header: Sequence[str]) -> None:
    if len(header) < 4 or not _WHO.fullmatch(header[0]) or [it.lower() for it in header[1:3]] != [NAME, AREA]:
        what = f"{file.name} is no grid: its columns are {', '.join(header[:4]) or 'none'}."
        raise DataError(what, "Fill in one that `kathodos role grid --out FILE` wrote: who, name, area, and the roles.")


def _bare(text: object) -> str:
    """A cell without the mark that keeps a spreadsheet from taking it for a formula."""
    cell = str(text or "")
    return cell[1:] if _GUARDED.match(cell) else cell


def _role(file: Path, desk: Desk, text: str) -> str:
    try:
        return resolved(desk.records, text, (ROLES,))
    except CallError as error:
        raise DataError(f"{file.name}, the column {text}: {error.what}", error.remedy) from None


def _person(file: Path, desk: Desk, text: object, line: int) -> str:
    try:
        return resolved(desk.records, _bare(text), (IDENTITIES,))
    except CallError as error:
        raise DataError(f"{file.name}, line {line}, who: {error.what}", error.remedy) from None


def _area(file: Path, desk: Desk, text: object, line: int) -> str | None:
    if _bare(text) in ("", EVERYWHERE):
        return None
    try:
        (scope,) = desk.scopes([_bare(text)])
    except CallError as error:
        raise DataError(f"{file.name}, line {line}, area: {error.what}", error.remedy) from None
    return scope
