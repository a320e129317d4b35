"""Edits as a file says them: records added, ended and set, each checked as a gathered row would be."""

from __future__ import annotations

import datetime
import json
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from kathodos.connectors.mapping import Table
from kathodos.engine.index import NEEDED, Index
from kathodos.errors import DataError, UnfitError
from kathodos.ingest.checking import check_table, key_in
from kathodos.model import kinds
from kathodos.model.kinds import BY_NAME, Kind
from kathodos.model.references import Names
from kathodos.model.rows import Record
from kathodos.model.suggestions import nearest
from kathodos.model.toml import TomlText
from kathodos.store.records import Edit, Edits, Records, columns_of

ADD, END, SET = "add", "end", "set"
_KINDS = [kind.name for kind in NEEDED]
_SMALL = (kinds.SYSTEMS, kinds.GROUPS, kinds.ROLES, kinds.ACTIONS, kinds.AREAS)


@dataclass(frozen=True)
class _Said:
    """One block of the file: where it stands, what it does, to which kind of record, and its cells."""

    where: str
    verb: str
    kind: Kind
    cells: Mapping[str, str]


def edits_in(file: TomlText, records: Records, index: Index) -> Edits:
    """The edits that a file says. Raises DataError with the block and what to do."""
    said = list(_read(file.name, file.content))
    names = _names(records, index, said)
    found: dict[str, dict[tuple[Any, ...], tuple[Record | None, Record | None]]] = {}
    for one in sorted(said, key=lambda block: _KINDS.index(block.kind.name)):
        key, before, after = _edit(one, records, names)
        known = found.setdefault(one.kind.name, {})
        if key in known:
            raise DataError(f"{one.where}: there is a block about {_text(key)} already.", "Put the two together.")
        known[key] = (before, after)
        if after is not None:
            names.add(one.kind, [tuple(after[name] for name in one.kind.key)])
    return {
        kind: Edit(
            gone=[before for before, _ in changes.values() if before is not None],
            come=[after for _, after in changes.values() if after is not None],
        )
        for kind, changes in found.items()
    }


def _read(file: str, content: Mapping[str, Any]) -> Iterator[_Said]:
    """The blocks of the file, each of a form that can be one."""
    for verb, blocks in content.items():
        if verb not in (ADD, END, SET) or not isinstance(blocks, list):
            raise DataError(
                f"{file}: there is a {verb!r}.", "Write blocks that begin with [[add]], [[end]] or [[set]]."
            )
        for number, block in enumerate(blocks, 1):
            where = f"{file}, [[{verb}]] number {number}"
            if not isinstance(block, dict) or block.get("kind") not in _KINDS:
                named = block.get("kind") if isinstance(block, dict) else block
                what = f"{where}: kind = {named!r} is no kind of record that bears on reach."
                raise DataError(what, f"Write one of {', '.join(_KINDS)}.")
            cells = {name: _cell(where, name, value) for name, value in block.items() if name != "kind"}
            yield _Said(where, verb, BY_NAME[block["kind"]], {name: cell for name, cell in cells.items() if cell})


def _cell(where: str, name: str, value: Any) -> str:
    """A value of the file as a cell of a table would say it."""
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, list) and all(isinstance(part, str) for part in value):
        return ";".join(value)
    if isinstance(value, datetime.date | datetime.datetime):
        return value.isoformat()
    if isinstance(value, str | int):
        return str(value)
    raise DataError(f"{where}: {name} is neither a text nor a number nor a list of texts.", "Write one of these.")


def _names(records: Records, index: Index, said: Iterable[_Said]) -> Names:
    """What there is to point at, as far as the blocks may: of identities and accounts only those they name."""
    names = Names()
    for kind in _SMALL:
        names.add(kind, zip(*columns_of(records, kind, *kind.key), strict=True))
    holders = index.holders
    for cell in {cell for one in said for cell in one.cells.values()}:
        for at in holders.askers_named(cell):
            if at < holders.people:
                names.add(kinds.IDENTITIES, [(holders.identities[at],)])
            else:
                names.add(kinds.ACCOUNTS, [tuple(holders.accounts[at - holders.people].split("/", 1))])
    return names


def _edit(said: _Said, records: Records, names: Names) -> tuple[tuple[Any, ...], Record | None, Record | None]:
    """The key of one block's record, and the record before and after."""
    kind = said.kind
    if said.verb == ADD:
        after = _checked(said, said.cells, names)
        key = tuple(after[name] for name in kind.key)
        if records.with_key(kind, key) is not None:
            raise DataError(f"{said.where}: there is a {kind.one} {_text(key)} already.", "Write it as [[set]].")
        return key, None, after
    missing = [name for name in kind.key if name not in said.cells and kind.column(name).default is None]
    if missing:
        raise DataError(f"{said.where}: {', '.join(missing)} is missing.", f"Name the {kind.one} by its whole key.")
    key = _key(said, names)
    before = records.with_key(kind, key)
    if before is None:
        some = [_text(other) for other in zip(*columns_of(records, kind, *kind.key), strict=True)]
        raise DataError(f"{said.where}: there is no {kind.one} {_text(key)}.", nearest(_text(key), some))
    if said.verb == END:
        return key, before, None
    cells = {**_cells_of(kind, before), **said.cells}
    return key, before, _checked(said, cells, names)


def _key(said: _Said, names: Names) -> tuple[Any, ...]:
    """The key that a block names, in full references."""
    try:
        return key_in(_table(said.kind, said.where, said.cells), names)
    except UnfitError as error:
        raise DataError(f"{said.where}: {error.reason}.", error.remedy) from None


def _table(kind: Kind, where: str, cells: Mapping[str, str]) -> Table:
    return Table.of_cells(kind, where, {name: [cell] for name, cell in cells.items()})


def _cells_of(kind: Kind, record: Record) -> dict[str, str]:
    """A kept record as cells again."""
    further = json.loads(record["attributes"]) if kind.open_ended and record["attributes"] else {}
    own = {column.name: record[column.name] for column in kind.columns}
    return {name: str(value) for name, value in {**further, **own}.items() if value is not None}


def _checked(said: _Said, cells: Mapping[str, str], names: Names) -> Record:
    """The record that the cells make. Raises DataError where a gather would set the row aside."""
    checked = check_table(_table(said.kind, said.where, cells), names)
    for problem in checked.problems:
        if problem.outcome == "set aside":
            raise DataError(f"{said.where}: {problem.column} {problem.value!r} {problem.reason}.", problem.remedy)
    (row,) = checked.rows().values()
    return dict(zip(said.kind.names, row, strict=True))


def _text(key: tuple[Any, ...]) -> str:
    return " ".join(str(part) for part in key)
