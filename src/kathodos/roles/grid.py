"""A grid: which of some roles each of some people holds, area by area; and what a filled one asks for."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from enum import StrEnum

import msgspec
import numpy as np

from kathodos.analysis.role_entries import RoleKey
from kathodos.change.composition import Composition, Desk
from kathodos.change.giving import Giving, give, move_end, take
from kathodos.columns.csr import Bools, Ints, ints, reachable
from kathodos.engine.compiled.applying import compile_scopes
from kathodos.engine.compiled.index import Index
from kathodos.engine.compiled.scopes import Scope
from kathodos.engine.reach import grants_of
from kathodos.errors import UnfitError
from kathodos.model.references import reference_to
from kathodos.model.times import NEVER, moment_text, normal_moment

_ASKED = re.compile(r"x(?:\s+until\s+(?P<until>\S+))?", re.IGNORECASE)
EVERYWHERE = "everywhere"


class Standing(StrEnum):
    """How somebody comes to hold a role on an area."""

    DIRECT = "held"
    WIDER = "everywhere"
    THROUGH = "through another"


class Cell(msgspec.Struct, frozen=True):
    """What stands: how, until when where that ends, and through what it comes where it is no grant of one's own."""

    standing: Standing | None = None
    until: str | None = None
    through: str = ""

    @property
    def text(self) -> str:
        """What stands in the cell of a table that is to be filled."""
        if self.standing is None:
            return ""
        if self.standing is Standing.DIRECT:
            return f"x until {self.until}" if self.until else "x"
        return f"({self.through})"


NOTHING = Cell()
_ORDER = {it: at for at, it in enumerate((*Standing, None))}


class Grid(msgspec.Struct, frozen=True):
    """Cells by person, area and role. People are full references; areas are scopes, None for everywhere."""

    people: Sequence[str]
    areas: Sequence[str | None]
    roles: Sequence[RoleKey]
    cells: dict[tuple[str, str | None, RoleKey], Cell]

    def cell(self, person: str, area: str | None, role: RoleKey) -> Cell:
        """What stands in a cell."""
        return self.cells.get((person, area, role), NOTHING)

    def rows(self) -> Iterator[tuple[str, str | None]]:
        """Each person with each area."""
        return ((person, area) for person in self.people for area in self.areas)


def grid_of(
    desk: Desk, index: Index, people: Sequence[str], areas: Sequence[str | None], roles: Sequence[RoleKey]
) -> Grid:
    """What stands of some roles for some people on some areas, at the desk's moment."""
    reader = _Reader(desk, index, areas, roles)
    cells: dict[tuple[str, str | None, RoleKey], Cell] = {}
    for person in people:
        for area, role, cell in reader.of(person):
            before = cells.get((person, area, role))
            if before is None or _ORDER[cell.standing] < _ORDER[before.standing]:
                cells[person, area, role] = cell
    return Grid(people, areas, roles, cells)


class _Reader:
    def __init__(self, desk: Desk, index: Index, areas: Sequence[str | None], roles: Sequence[RoleKey]) -> None:
        self.index = index
        self.moment = desk.moment
        self.areas = areas
        tree = index.tree
        scopes = iter(compile_scopes(desk.records, [it for it in areas if it is not None], tree))
        self.held: list[Bools | None] = [next(scopes).held(tree) if it is not None else None for it in areas]
        self.roles: list[tuple[RoleKey, int, Ints]] = []
        for key in roles:
            number = index.roles.find(f"{key.system}/{key.role}")
            giving = reachable(index.seniors, ints([number])) if number >= 0 else ints([])
            self.roles.append((key, number, giving[index.role_is_active[giving]]))
        self._within: dict[int, list[bool]] = {}

    def of(self, person: str) -> Iterator[tuple[str | None, RoleKey, Cell]]:
        """Each area and role that somebody holds, by each grant."""
        index = self.index
        asker = index.holders.find(person)
        grants = grants_of(index, asker, self.moment)
        grants = grants[~index.grants.denies[grants]]
        given = index.entitlements.role[index.grants.entitlement[grants]]
        for key, number, giving in self.roles:
            for at in np.isin(given, giving).nonzero()[0].tolist():
                grant = int(grants[at])
                own = int(index.grants.holder[grant]) == asker and int(given[at]) == number
                for area, is_within in zip(self.areas, self._areas_within(grant), strict=True):
                    if is_within:
                        yield area, key, self._cell(grant, area, asker, number, own)

    def _areas_within(self, grant: int) -> list[bool]:
        """Which areas the scope of a grant holds as a whole."""
        number = int(self.index.entitlements.scope[self.index.grants.entitlement[grant]])
        if number not in self._within:
            scope: Scope = self.index.scope_held(grant)
            text = self.index.scope(grant)
            held = scope.held(self.index.tree)
            self._within[number] = [
                text is None or text == area or (mine is not None and bool(mine.any()) and not (mine & ~held).any())
                for area, mine in zip(self.areas, self.held, strict=True)
            ]
        return self._within[number]

    def _cell(self, grant: int, area: str | None, asker: int, role: int, is_own: bool) -> Cell:
        index = self.index
        ends = int(index.grants.ends[grant])
        until = None if ends >= NEVER else moment_text(ends - 1)[:10]
        if is_own and index.scope(grant) == area:
            return Cell(Standing.DIRECT, until)
        scope = index.scope(grant)
        if is_own:
            return Cell(Standing.WIDER, until, EVERYWHERE if scope is None else f"on {scope}")
        number = int(index.grants.holder[grant])
        holder = index.holders.references[number]
        given = index.role_of(grant)
        ways = [] if number == asker else ["as everyone" if holder == "everyone" else f"through {holder}"]
        ways += [f"with {reference_to('role', index.roles[given])}"] * (given != role)
        return Cell(Standing.THROUGH, until, " ".join(ways))


class AskedCell(msgspec.Struct, frozen=True):
    """What a cell of a filled grid asks for, and the edits that do it."""

    person: str
    area: str | None
    role: RoleKey
    verb: str
    composition: Composition


def read_cell(text: str | None) -> tuple[bool | None, str | None]:
    """Whether a filled cell asks for the role to be held (None: it says nothing), and until when. Raises UnfitError."""
    text = (text or "").strip()
    if text.startswith("("):
        return None, None
    if not text:
        return False, None
    found = _ASKED.fullmatch(text)
    if not found:
        raise UnfitError("is neither x nor empty", "Write x, x until 2026-12-31, or nothing.")
    if found["until"] is None:
        return True, None
    try:
        return True, normal_moment(found["until"])
    except ValueError as error:
        raise UnfitError("names no day", f"{error}.") from None


def asked_for(
    desk: Desk, before: Cell, wanted: tuple[bool | None, str | None], where: tuple[str, str | None, RoleKey]
) -> AskedCell | None:
    """What a cell asks for beside what stood in it when it was handed out; None where that is the same."""
    is_held, until = wanted
    person, area, role = where
    stood = before.standing is Standing.DIRECT
    if is_held is None or (is_held == stood and (not stood or until == before.until)):
        return None
    asked = Giving([role.reference], [person], [area], None, until)
    if not is_held:
        return AskedCell(person, area, role, "take", take(desk, asked, is_everywhere=False))
    if not stood:
        return AskedCell(person, area, role, "give", give(desk, asked))
    held = take(desk, asked, is_everywhere=False).edits  # the grants that are to end then
    grants = [reference_to("grant", *edit.key) for edit in held]
    return AskedCell(person, area, role, f"until {until}" if until else "without end", move_end(desk, grants, until))
