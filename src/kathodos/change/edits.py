"""Edits as a file says them: records added, ended and set, each checked as a gathered row would be."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from kathodos.change.edit_sets import EditSet, Key, RecordEdit, Verb
from kathodos.change.files import KINDS, Block, kind_of, read_blocks
from kathodos.engine.compiled.index import Index
from kathodos.errors import DataError, UnfitError
from kathodos.model import kinds
from kathodos.model.cells import read_key, read_record
from kathodos.model.kinds import Kind
from kathodos.model.references import Names
from kathodos.model.rows import Record
from kathodos.model.suggestions import nearest
from kathodos.model.toml import TomlText
from kathodos.store.records import Records, columns_of

_SMALL = (kinds.SYSTEMS, kinds.GROUPS, kinds.ROLES, kinds.ACTIONS, kinds.AREAS)


def edits_in(file: TomlText, records: Records, index: Index) -> EditSet:
    """The edits that a file says. Raises DataError with the block and what to do."""
    return edits_of(list(read_blocks(file)), records, index)


def edits_of(blocks: Sequence[Block], records: Records, index: Index) -> EditSet:
    """The edits that blocks say. Raises DataError with the block and what to do."""
    names = _names(records, index, blocks)
    found: dict[tuple[str, Key], RecordEdit] = {}
    for block in sorted(blocks, key=lambda it: KINDS.index(it.kind)):
        edit = RecordEdit(kind_of(block), *_edit(block, records, names), block.why)
        if (block.kind, edit.key) in found:
            raise DataError(
                f"{block.where}: there is a block about {_text(edit.key)} already.", "Put the two together."
            )
        found[block.kind, edit.key] = edit
        if edit.after is not None:
            names.add(edit.kind, [edit.key])
    return EditSet(found.values())


def _names(records: Records, index: Index, blocks: Iterable[Block]) -> Names:
    """What there is to point at, as far as the blocks may: of identities and accounts only those they name."""
    names = Names()
    for kind in _SMALL:
        names.add(kind, zip(*columns_of(records, kind, *kind.key), strict=True))
    holders = index.holders
    for cell in {cell for block in blocks for cell in block.cells.values()}:
        for at in holders.askers_named(cell):
            if at < holders.people:
                names.add(kinds.IDENTITIES, [(holders.identities[at],)])
            else:
                names.add(kinds.ACCOUNTS, [tuple(holders.accounts[at - holders.people].split("/", 1))])
    return names


def _edit(block: Block, records: Records, names: Names) -> tuple[tuple[Any, ...], Record | None, Record | None]:
    """The key of one block's record, and the record before and after."""
    kind = kind_of(block)
    try:
        if block.verb is Verb.ADD:
            after = read_record(kind, block.cells, names)
            key = tuple(after[name] for name in kind.key)
            if records.with_key(kind, key) is not None:
                what = f"{block.where}: there is a {kind.one} {_text(key)} already."
                raise DataError(what, "Write it as [[set]].")
            return key, None, after
        missing = [name for name in kind.key if name not in block.cells and kind.column(name).default is None]
        if missing:
            what = f"{block.where}: {', '.join(missing)} is missing."
            raise DataError(what, f"Name the {kind.one} by its whole key.")
        key = read_key(kind, block.cells, names)
        before = records.with_key(kind, key)
        if before is None:
            some = [_text(other) for other in zip(*columns_of(records, kind, *kind.key), strict=True)]
            raise DataError(f"{block.where}: there is no {kind.one} {_text(key)}.", nearest(_text(key), some))
        if block.verb is Verb.END:
            return key, before, None
        return key, before, read_record(kind, {**_cells_of(kind, before), **block.cells}, names)
    except UnfitError as error:
        raise DataError(f"{block.where}: {error.reason}.", error.remedy) from None


def _cells_of(kind: Kind, record: Record) -> Mapping[str, str]:
    """A kept record as cells again."""
    further = json.loads(record["attributes"]) if kind.open_ended and record["attributes"] else {}
    own = {column.name: record[column.name] for column in kind.columns}
    return {name: str(value) for name, value in {**further, **own}.items() if value is not None}


def _text(key: tuple[Any, ...]) -> str:
    return " ".join(str(part) for part in key)
