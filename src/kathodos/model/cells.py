"""Cells read: what a text means in a column of a kind of record, by the column's form.

A gather reads whole columns of distinct cells with it, an edit the cells of one record.
"""

from __future__ import annotations

import base64
import hashlib
import json
from collections.abc import Callable, Iterable, Mapping, Sequence

from kathodos.errors import UnfitError, sentence
from kathodos.model import kinds
from kathodos.model.addresses import Pattern, parse_address, parse_pattern
from kathodos.model.comparing import check_comparisons
from kathodos.model.filters import FilterError, parse_filter
from kathodos.model.json_text import json_text
from kathodos.model.kinds import Column, Form, Kind
from kathodos.model.references import Names
from kathodos.model.suggestions import nearest
from kathodos.model.times import normal_moment

Scalar = str | int | None
_YES, _NO = {"true", "yes", "1", "y"}, {"false", "no", "0", "n"}
_LARGEST = 2**53
_PLAIN_NAMES = (kinds.SYSTEMS, kinds.ACTIONS, kinds.ROLE_PERMISSIONS, kinds.ACTIVITY)
_REFERENCES = (Form.REFERENCE, Form.HOLDER, Form.GIVES, Form.SCOPE)
IN_AN_ID = ("holder", "gives", "on", "effect", "tier", "from", "until")


class CellReader:
    """Reads the cells of one kind of record.

    `names`: what there is to point at; `dates`: forms of dates that are understood besides our own.
    """

    def __init__(self, kind: Kind, names: Names, dates: Sequence[str] = ()) -> None:
        self.kind = kind
        self.names = names
        self.dates = dates
        self._readers: dict[str, Callable[[str, str | None], Scalar]] = {}

    def is_read(self, column: Column) -> bool:
        """Whether the cells of a column may be anything but what they say."""
        return not (column.form is Form.TEXT or (column.form is Form.NAME and self.kind not in _PLAIN_NAMES))

    def value(self, column: Column, cell: str | None, system: str | None) -> Scalar:
        """What a cell means, in a row of a system. Raises UnfitError where it cannot be meant."""
        if cell is None:
            if column.required:
                raise UnfitError("is empty", "Fill it in.")
            return column.default
        if column.name not in self._readers:
            self._readers[column.name] = self._reader(column)
        return self._readers[column.name](cell, system)

    def _reader(self, column: Column) -> Callable[[str, str | None], Scalar]:
        return {
            Form.TEXT: lambda cell, _: cell,
            Form.NAME: self.name,
            Form.CHOICE: lambda cell, _: _choice(cell, column.choices),
            Form.YES_NO: lambda cell, _: _yes_no(cell),
            Form.NUMBER: lambda cell, _: _number(cell, column.name),
            Form.MOMENT: lambda cell, _: _moment(cell, self.dates),
            Form.LIST: lambda cell, _: ";".join(_parts(cell)),
            Form.FILTER: lambda cell, _: self.filter(column, cell),
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

    def filter(self, column: Column, cell: str) -> str:
        """A filter that is kept: over resources for an area, over identities elsewhere. It cannot speak of today."""
        over = kinds.RESOURCES if self.kind is kinds.AREAS else kinds.IDENTITIES
        try:
            check_comparisons(parse_filter(cell), over.form, None)
        except FilterError as error:
            raise UnfitError(f"is no filter: {error}", 'Write it as in: department eq "Pilotage"') from None
        return cell

    def gives(self, cell: str, system: str | None) -> str:
        action, _, pattern = cell.partition(" ")
        if ":/" in pattern and not cell.startswith("role:"):
            return f"{action} {self.pattern(pattern.lstrip(), system)}"
        return self.names.resolve(cell, ("roles",))

    def scope(self, cell: str, system: str | None) -> str:
        return self.names.resolve(cell, ("areas",)) if cell.startswith("area:") else self.pattern(cell, system)


def is_kept_unread(column: Column) -> bool:
    """Whether a cell that points at nothing there is kept as it is written."""
    return column.form in _REFERENCES and not column.must_exist


def read_record(kind: Kind, cells: Mapping[str, str], names: Names) -> dict[str, Scalar]:
    """The record that cells make, by column. Raises UnfitError that names the column where one cannot be meant."""
    reader = CellReader(kind, names)
    record: dict[str, Scalar] = {}
    for column in kind.columns:
        cell = cells.get(column.name)
        try:
            record[column.name] = reader.value(column, cell, cells.get("system"))
        except UnfitError as error:
            if not is_kept_unread(column):
                raise UnfitError(f"{column.name} {cell or ''!r} {error.reason}", error.remedy) from None
            record[column.name] = cell
    if kind.open_ended:
        record["attributes"] = attributes_text({name: cells[name] for name in sorted(cells.keys() - record.keys())})
    if kind.bears_id and record[kind.key[0]] is None:
        record[kind.key[0]] = derived_id([record[name] for name in IN_AN_ID])
    return record


def read_key(kind: Kind, cells: Mapping[str, str], names: Names) -> tuple[Scalar, ...]:
    """The identifying values that cells name, references in full. Raises UnfitError."""
    reader = CellReader(kind, names)
    values = []
    for column in map(kind.column, kind.key):
        cell = cells.get(column.name)
        try:
            values.append(reader.value(column, cell, cells.get("system")))
        except UnfitError as error:
            raise UnfitError(f"{column.name} {cell!r} {error.reason}", error.remedy) from None
    return tuple(values)


def record_text(kind: Kind, record: Mapping[str, Scalar]) -> str:
    """A record as JSON: what its columns hold, absent ones left out."""
    held = {name: record[name] for name in kind.names if record[name] is not None}
    return json_text(held)


def read_record_text(kind: Kind, text: str) -> dict[str, Scalar]:
    """A record from JSON as `record_text` writes it."""
    held = json.loads(text)
    return {name: held.get(name) for name in kind.names}


def attributes_text(cells: Mapping[str, Scalar]) -> str | None:
    """Further attributes as they are kept: JSON of those that are there, nothing where none is."""
    held = {name: cell for name, cell in cells.items() if cell is not None}
    return json_text(held) if held else None


def derived_id(content: Iterable[Scalar]) -> str:
    """The id of a grant whose source gives it none, from holder, gives, on, effect, tier, from and until."""
    digest = hashlib.sha256(json.dumps(list(content)).encode()).digest()
    return "g-" + base64.b32encode(digest)[:12].decode().lower()


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
        raise UnfitError("is not a date, or not one that exists", sentence(error)) from None


def _gates(cell: str) -> str:
    gates: Mapping[str, str] = {}
    try:
        gates = {kind.strip(): action.strip() for kind, action in (part.split("=") for part in _parts(cell))}
    except ValueError:
        raise UnfitError("is not of the form type=action;type=action", "Write it so.") from None
    return ";".join(f"{kind}={action}" for kind, action in gates.items())
