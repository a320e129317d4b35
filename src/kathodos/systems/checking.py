"""Cells into values: every cell read, every reference resolved, bad rows set aside with a reason and a remedy."""

from __future__ import annotations

import base64
import hashlib
import json
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from functools import cached_property

from kathodos.catalogue import kinds
from kathodos.catalogue.addresses import Pattern, parse_address, parse_pattern
from kathodos.catalogue.filters import FilterError, parse_filter
from kathodos.catalogue.kinds import Column, Form, Kind
from kathodos.catalogue.moments import end_moment, first_moment, normal_moment
from kathodos.catalogue.references import Names
from kathodos.catalogue.selecting import nearest
from kathodos.errors import UnfitError, sentence
from kathodos.systems.tables import Problem, Table

Scalar = str | int | None
_YES, _NO = {"true", "yes", "1", "y"}, {"false", "no", "0", "n"}
_LARGEST = 2**53
_MOST_COMPARED = 5000


@dataclass
class Checked:
    """The good rows of one table by key, the line each is from, and the keys of rows that were set aside."""

    kind: Kind
    rows: dict[tuple[Scalar, ...], tuple[Scalar, ...]] = field(default_factory=dict)
    lines: dict[tuple[Scalar, ...], int] = field(default_factory=dict)
    aside: set[tuple[Scalar, ...]] = field(default_factory=set)
    problems: list[Problem] = field(default_factory=list)


def check_table(table: Table, names: Names) -> Checked:
    """Reads every cell of a table. Rows that point at nothing are set aside where the reference must exist."""
    checker = _Checker(table, names)
    columns = [checker.column(column) for column in table.kind.columns]
    if table.kind.open_ended:
        columns.append(checker.attributes())
    return checker.keyed(list(zip(*columns, strict=True)))


def key_in(table: Table, names: Names) -> tuple[Scalar, ...]:
    """The identifying values of a table of one row, references in full. Raises UnfitError."""
    checker = _Checker(table, names)
    values: list[Scalar] = []
    for column in (table.kind.column(name) for name in table.kind.key):
        cell = table.cells.get(column.name, [None])[0]
        value = checker.value(column, cell, checker.systems[0], checker.reader(column))
        if isinstance(value, UnfitError):
            raise UnfitError(f"{column.name} {cell!r} {value.reason}", value.remedy)
        values.append(value)
    return tuple(values)


class _Checker:
    def __init__(self, table: Table, names: Names) -> None:
        self.table = table
        self.kind = table.kind
        self.names = names
        self.result = Checked(self.kind)
        self.bad: set[int] = set()
        self.systems = table.cells.get("system", [None] * len(table.lines))
        periods = [self.kind.names.index(name) for name in ("from", "starts") if name in self.kind.names]
        self.first = periods[0] if periods else -1  # its end stands behind it
        forms = (Form.PATTERN, Form.PATTERNS, Form.SCOPE, Form.GIVES, Form.ADDRESSES, Form.ADDRESS)
        own = "resource" if self.kind is kinds.RESOURCES else ""
        columns = [column.name for column in self.kind.columns if column.form in forms and column.name != own]
        self.pointing = [(name, self.kind.names.index(name)) for name in columns]
        self.noted: set[tuple[str, str]] = set()
        self.declared: dict[str, set[str]] = {}
        for name in names.of["actions"]:
            system, _, action = name.partition("/")
            self.declared.setdefault(system, set()).add(action)

    def column(self, column: Column) -> list[Scalar]:
        """The values of one column; each distinct cell is read once, with its row's system where that matters."""
        cells = self.table.cells.get(column.name) or [None] * len(self.table.lines)
        read = self.reader(column)
        known: dict[tuple[str | None, str | None], Scalar | UnfitError] = {}
        values: list[Scalar] = []
        for at, cell in enumerate(cells):
            key = (cell, self.systems[at])
            if key not in known:
                known[key] = self.value(column, cell, self.systems[at], read)
            value = known[key]
            if isinstance(value, UnfitError):
                self.report(at, column, cell, value)
                value = cell
            values.append(value)
        return values

    def value(
        self, column: Column, cell: str | None, system: str | None, read: Callable[[str, str | None], Scalar]
    ) -> Scalar | UnfitError:
        if cell is None:
            return UnfitError("is empty", "Fill it in.") if column.required else column.default
        try:
            return read(cell, system)
        except UnfitError as error:
            return error

    def report(self, at: int, column: Column, cell: str | None, error: UnfitError) -> None:
        is_reference = column.form in (Form.REFERENCE, Form.HOLDER, Form.GIVES, Form.SCOPE)
        outcome = "noted" if is_reference and not column.must_exist else "set aside"
        self.problem(at, column.name, cell, error.reason, error.remedy, outcome)

    def problem(self, at: int, column: str, cell: str | None, reason: str, remedy: str, outcome: str) -> None:
        line = self.table.lines[at]
        self.result.problems.append(Problem(self.table.file, line, column, cell or "", reason, remedy, outcome))
        if outcome == "set aside":
            self.bad.add(at)

    def reader(self, column: Column) -> Callable[[str, str | None], Scalar]:
        return {
            Form.TEXT: lambda cell, _: cell,
            Form.NAME: self.name,
            Form.CHOICE: lambda cell, _: _choice(cell, column.choices),
            Form.YES_NO: lambda cell, _: _yes_no(cell),
            Form.NUMBER: lambda cell, _: _number(cell, column.name),
            Form.MOMENT: lambda cell, _: _moment(cell, self.table.dates),
            Form.LIST: lambda cell, _: ";".join(_parts(cell)),
            Form.FILTER: lambda cell, _: _filter(cell),
            Form.ADDRESS: self.address,
            Form.ADDRESSES: lambda cell, system: ";".join(self.address(part, system) for part in _parts(cell)),
            Form.PATTERN: self.pattern,
            Form.PATTERNS: lambda cell, system: ";".join(self.pattern(part, system) for part in _parts(cell)),
            Form.GATES: lambda cell, _: _gates(cell),
            Form.REFERENCE: lambda cell, system: self.reference(column, cell, system),
            Form.HOLDER: lambda cell, _: self.names.resolve(cell, column.refers),
            Form.GIVES: self.gives,
            Form.SCOPE: self.scope,
        }[column.form]

    def name(self, cell: str, _: str | None) -> str:
        if self.kind is kinds.SYSTEMS and any(mark in cell for mark in ":/ "):
            raise UnfitError("a system's name has no colon, slash or space", "Rename it here and where it is used.")
        if self.kind in (kinds.ACTIONS, kinds.ROLE_PERMISSIONS, kinds.ACTIVITY) and any(
            mark.isspace() for mark in cell
        ):
            raise UnfitError("an action's name has no spaces", "Write it with a hyphen.")
        return cell

    def reference(self, column: Column, cell: str, system: str | None) -> str:
        """A reference of the column's one kind, as the catalogue keeps it."""
        (kind,) = column.refers
        if kind == "systems":
            if cell not in self.names.of[kind]:
                raise UnfitError(f"there is no system {cell}", nearest(cell, sorted(self.names.of[kind])))
            return cell
        full = self.names.resolve(cell, (kind,), system if self.kind is not kinds.ACTIVITY else None)
        name = full.partition(":")[2]
        if column.name in ("group", "role"):
            owner, _, short = name.partition("/")
            if owner != system:
                raise UnfitError(f"{cell} is of the system {owner}, the row of {system}", "Make the two agree.")
            return short
        return full if column.name == "junior" else name

    def address(self, cell: str, system: str | None) -> str:
        return self._of_known_system(_read(parse_address, cell, system))

    def pattern(self, cell: str, system: str | None) -> str:
        return self._of_known_system(_read(parse_pattern, cell, system))

    def _of_known_system(self, address: str) -> str:
        system = address.partition(":")[0]
        if system not in self.names.of["systems"]:
            raise UnfitError(f"there is no system {system}", nearest(system, sorted(self.names.of["systems"])))
        return address

    def gives(self, cell: str, system: str | None) -> str:
        action, _, pattern = cell.partition(" ")
        if pattern and ":/" in pattern:
            return f"{action} {self.pattern(pattern.strip(), system)}"
        return self.names.resolve(cell, ("roles",))

    def scope(self, cell: str, system: str | None) -> str:
        return self.names.resolve(cell, ("areas",)) if cell.startswith("area:") else self.pattern(cell, system)

    def attributes(self) -> list[Scalar]:
        """The columns that are not ours, as one canonical JSON object a row."""
        further = sorted(name for name in self.table.cells if name not in self.kind.names)
        rows = zip(*(self.table.cells[name] for name in further), strict=True) if further else ()
        texts: list[Scalar] = []
        for cells in rows:
            held = {name: cell for name, cell in zip(further, cells, strict=True) if cell is not None}
            texts.append(json.dumps(held, ensure_ascii=False, separators=(",", ":")) if held else None)
        return texts or [None] * len(self.table.lines)

    def keyed(self, rows: list[tuple[Scalar, ...]]) -> Checked:
        """The rows by key, each key once; what is set aside leaves an earlier record of its key standing."""
        positions = [self.kind.names.index(name) for name in self.kind.key]
        for at, row in enumerate(rows):
            if at not in self.bad:
                row = self.with_id(row)
                self.note_what_is_odd(at, row)
            key = tuple(row[position] for position in positions)
            if at in self.bad:
                self.result.aside.add(key)
            elif key not in self.result.rows:
                self.result.rows[key] = row
                self.result.lines[key] = self.table.lines[at]
            elif self.kind.a_log:
                self.result.rows[key] = (*row[:-1], int(self.result.rows[key][-1] or 0) + int(row[-1] or 0))
            else:
                earlier, same = self.result.lines[key], self.result.rows[key] == row
                reason = f"the same as line {earlier}" if same else f"speaks of the same record as line {earlier}"
                named = " ".join(str(part) for part in key)
                self.problem(
                    at, self.kind.key[-1], named, reason, "Keep one of the two; the first was read.", "set aside"
                )
        self.names.add(self.kind, self.result.rows)
        self.result.problems.sort(key=lambda problem: problem.line)
        return self.result

    def with_id(self, row: tuple[Scalar, ...]) -> tuple[Scalar, ...]:
        """The row with an id derived from its content where it has none."""
        if not self.kind.bears_id or row[0] is not None:
            return row
        said = dict(zip(self.kind.names, row, strict=True))
        content = [said[name] for name in ("holder", "gives", "on", "effect", "tier", "from", "until")]
        digest = hashlib.sha256(json.dumps(content).encode()).digest()
        return ("g-" + base64.b32encode(digest)[:12].decode().lower(), *row[1:])

    def note_what_is_odd(self, at: int, row: tuple[Scalar, ...]) -> None:
        """Notes what is loaded all the same: an end before its beginning, an action that no system declares."""
        if self.first >= 0 and row[self.first] and row[self.first + 1]:
            begin, end = str(row[self.first]), str(row[self.first + 1])
            if end_moment(end) <= first_moment(begin):
                reason = f"ends before it begins ({begin}), so it is never in force"
                last = self.kind.names[self.first + 1]
                self.problem(at, last, end, reason, "Mend one of the two dates.", "noted")
        if self.kind is kinds.ROLE_PERMISSIONS:
            self.note_action(at, "action", str(row[2]), str(row[3]))
        elif self.kind is kinds.GRANTS:
            self.note_action(at, "gives", *kinds.split_gives(str(row[2])))
        for column, position in self.pointing:
            for text in kinds.split_list(str(row[position] or "")):
                self.note_address(at, column, text.rpartition(" ")[2])

    def note_address(self, at: int, column: str, address: str) -> None:
        """Notes an address at which there is nothing, once for each column."""
        if ":/" in address and "*" not in address and address not in self.names.addresses:
            if (column, address) not in self.noted:
                reason = "there is no such resource, so it applies to nothing"
                self.problem(at, column, address, reason, nearest(address, self.some_addresses), "noted")
            self.noted.add((column, address))

    @cached_property
    def some_addresses(self) -> list[str]:
        return sorted(self.names.addresses)[:_MOST_COMPARED]

    def note_action(self, at: int, column: str, action: str, pattern: str) -> None:
        system = pattern.partition(":")[0]
        declared = self.declared.get(system, ())
        if declared and action and action != "*" and action not in declared:
            reason = f"the system {system} declares no action {action}"
            self.problem(at, column, action, reason, nearest(action, sorted(declared)), "noted")


def _read(parse: Callable[[str], Pattern], cell: str, system: str | None) -> str:
    """An address or pattern; one that begins with a slash is of the row's own system."""
    try:
        return str(parse(f"{system}:{cell}" if cell.startswith("/") and system else cell))
    except ValueError as error:
        raise UnfitError("is no resource", sentence(error)) from None


def _parts(cell: str) -> list[str]:
    return [part for part in (part.strip() for part in cell.split(";")) if part]


def _choice(cell: str, choices: tuple[str, ...]) -> str:
    if cell.lower() not in choices:
        raise UnfitError(f"is none of {', '.join(choices)}", "Write one of them.")
    return cell.lower()


def _yes_no(cell: str) -> int:
    if cell.lower() not in _YES | _NO:
        raise UnfitError("is neither true nor false", "Write true or false.")
    return int(cell.lower() in _YES)


def _number(cell: str, column: str) -> int:
    try:
        number = int(cell)
    except ValueError:
        raise UnfitError("is no whole number", "Write one.") from None
    if column == "sensitivity" and not 0 <= number <= 3:
        raise UnfitError("is not between 0 and 3", "Write 0, 1, 2 or 3.")
    if abs(number) > _LARGEST:
        raise UnfitError("is too large", "Write a smaller number.")
    return number


def _moment(cell: str, forms: Iterable[str]) -> str:
    try:
        return normal_moment(cell, tuple(forms))
    except ValueError as error:
        raise UnfitError("is no date or time that exists", sentence(error)) from None


def _filter(cell: str) -> str:
    try:
        parse_filter(cell)
    except FilterError as error:
        raise UnfitError(f"is no filter: {error}", 'Write it as in: department eq "Pilotage"') from None
    return cell


def _gates(cell: str) -> str:
    gates: Mapping[str, str] = {}
    try:
        gates = {kind.strip(): action.strip() for kind, action in (part.split("=") for part in _parts(cell))}
    except ValueError:
        raise UnfitError("is not of the form type=action;type=action", "Write it so.") from None
    return ";".join(f"{kind}={action}" for kind, action in gates.items())
