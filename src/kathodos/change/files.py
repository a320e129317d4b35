"""Change files: edits as blocks of TOML that `--assume` reads, each with the reason for it as a comment."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from datetime import date, datetime
from typing import Any, TypeAlias

import msgspec

from kathodos.change.edit_sets import Verb
from kathodos.engine.compiled.index import NEEDED
from kathodos.errors import DataError
from kathodos.model.kinds import BY_NAME, Kind
from kathodos.model.printing import printable
from kathodos.model.toml import Path, TomlText

KINDS = [kind.name for kind in NEEDED]
_Blocks: TypeAlias = list[dict[str, Any]]
_REMEDY = "A cell is a text, a number, true or false, a date, or a list of texts; docs/file-formats.md shows a file."


class Block(msgspec.Struct, frozen=True):
    """One edit as a file says it: what is done, to which kind of record, its cells, why, and where it stands."""

    verb: Verb
    kind: str
    cells: Mapping[str, str]
    why: str = ""
    where: str = ""


class _Content(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    add: _Blocks = []
    end: _Blocks = []
    set: _Blocks = []


def read_blocks(file: TomlText) -> Iterator[Block]:
    """The blocks of a change file. Raises DataError with file, line and what to do."""
    for key in file.content:
        if key not in [*Verb]:
            what = f"there is a {key!r}"
            raise file.error([key, 0], what, "Write blocks that begin with [[add]], [[end]] or [[set]].")
    content = file.as_type(_Content, _REMEDY)
    for verb in Verb:
        blocks: _Blocks = getattr(content, verb)
        for at, block in enumerate(blocks):
            where = f"{file.name}, line {file.line_of([verb, at])}"
            kind = block.get("kind")
            if kind not in KINDS:
                what = f"{where}: kind = {kind!r} is no kind of record that bears on reach."
                raise DataError(what, f"Write one of {', '.join(KINDS)}.")
            cells = {name: _cell(file, [verb, at, name], value) for name, value in block.items() if name != "kind"}
            yield Block(verb, str(kind), {name: cell for name, cell in cells.items() if cell}, where=where)


def kind_of(block: Block) -> Kind:
    """The kind of record that a block is about."""
    return BY_NAME[block.kind]


def _cell(file: TomlText, path: Path, value: object) -> str:
    """A value of the file as a cell of a table would say it."""
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, list) and all(isinstance(part, str) for part in value):
        return ";".join(value)
    if isinstance(value, date | datetime):
        return value.isoformat()
    if isinstance(value, str | int):
        return str(value)
    raise file.error(path, f"{path[-1]} is neither a text nor a number nor a list of texts", _REMEDY)


def each_once(blocks: Iterable[Block]) -> list[Block]:
    """Blocks without those that say the same as another."""
    return list({(it.verb, it.kind, tuple(it.cells.items())): it for it in blocks}.values())


def changes_text(heading: str, blocks: Iterable[Block]) -> str:
    """A change file that says these blocks."""
    import tomlkit

    file = tomlkit.document()
    for line in (heading, "See what it would do: kathodos reach --assume FILE, or any other question."):
        file.add(tomlkit.comment(printable(line)))
    parts = [tomlkit.dumps(file)]
    for block in blocks:
        table = tomlkit.table()
        table.update({"kind": block.kind, **{name: value for name, value in block.cells.items() if value}})
        array = tomlkit.aot()
        array.append(table)
        single = tomlkit.document().append(str(block.verb), array)
        why = f"{tomlkit.comment(printable(block.why)).as_string().rstrip()}\n" if block.why else ""
        parts.append(why + tomlkit.dumps(single).lstrip("\n"))
    return "\n".join(parts)
