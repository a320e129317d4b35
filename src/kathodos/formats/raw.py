"""What a file of any format gives before it is ours: its own headers, its cells as text, and where each row stood."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from enum import StrEnum
from pathlib import Path
from typing import Any

import msgspec
import numpy as np

from kathodos import thresholds
from kathodos.columns.dictionary import DictionaryColumn, Ints, column_from_arrow
from kathodos.errors import DataError, UnfitError

_LONGEST = 1 << 20  # bytes of a line
MOST_COLUMNS = 4096  # of a file


class Outcome(StrEnum):
    """What became of a row with a problem: it was left out, one cell of it was, or it was taken as it is."""

    SET_ASIDE = "set aside"
    CELL_LEFT_OUT = "cell left out"
    NOTED = "noted"


SET_ASIDE, CELL_LEFT_OUT, NOTED = Outcome


class Problem(msgspec.Struct, frozen=True):
    """One thing wrong with what was read, and what became of the row."""

    file: str
    line: int
    column: str
    value: str
    reason: str
    remedy: str
    outcome: Outcome = Outcome.SET_ASIDE


class Raw(msgspec.Struct, frozen=True):
    """A file as read: for each header the cells below it, blank ones absent; the line (or row) each row began at."""

    header: list[str]
    columns: list[DictionaryColumn]
    lines: Ints
    problems: list[Problem]


class Format(msgspec.Struct, frozen=True):
    """How a file of text is written where its kind leaves that open."""

    delimiter: str = ","
    quote: str = '"'
    encoding: str = ""
    header: int = 1
    sheet: str = ""
    trim: bool = True  # blanks at the ends of cells are nobody's name


class Growing:
    """A file being read: columns that grow by blocks of rows, and what was wrong."""

    def __init__(self, file: str, header: Sequence[str], form: Format) -> None:
        if len(header) > MOST_COLUMNS:
            what = f"{file} has {len(header):,} columns; a table has at most {MOST_COLUMNS:,}."
            raise DataError(what, "Leave columns out that say nothing of who may do what.")
        self.file = file
        self.trim = form.trim
        self.header = list(header)
        self.problems: list[Problem] = []
        self._blocks: list[list[Any]] = []  # Arrow arrays of text
        self._lines: list[Ints] = []

    def add(self, columns: Iterable[Iterable[str | None]], lines: Ints) -> None:
        """Adds a block: the cells of each column, and the line of each row."""
        import pyarrow as pa

        self.add_arrays([pa.array(list(cells), pa.large_string()) for cells in columns], lines)

    def add_arrays(self, columns: list[Any], lines: Ints) -> None:
        """Adds a block whose columns are Arrow arrays of text."""
        self._blocks.append(columns)
        self._lines.append(lines)

    def set_aside(self, line: int, text: str, reason: str, remedy: str) -> None:
        self.problems.append(Problem(self.file, line, "", shown(text), reason, remedy))

    def raw(self) -> Raw:
        """What was read; rows in which all is blank are left out. A block without the last columns has them empty."""
        import pyarrow as pa

        read = _stripped if self.trim else _unless_blank
        columns = [self._column(at).mapped(read) for at in range(len(self.header))]
        self._blocks.clear()
        pa.default_memory_pool().release_unused()
        lines = np.concatenate([np.zeros(0, dtype=np.int64), *self._lines])
        filled = np.zeros(len(lines), dtype=bool)
        for column in columns:
            filled |= column.codes >= 0
        if not filled.all():
            columns, lines = [column.taken(filled) for column in columns], lines[filled]
        return Raw(self.header, columns, lines, self.problems)

    def _column(self, at: int) -> DictionaryColumn:
        import pyarrow as pa

        text = pa.large_string()
        sizes = map(len, self._lines)
        parts = []
        for block, size in zip(self._blocks, sizes, strict=True):
            if at < len(block):
                parts.append(block[at])
                block[at] = None  # so that no more than one column is there as text
            else:
                parts.append(pa.nulls(size, text))
        return column_from_arrow(pa.chunked_array(parts, type=text))


def read_lines(path: Path, header: Sequence[str], form: Format, cells_of: Callable[[bytes], Mapping[str, str]]) -> Raw:
    """A file of a record a line. `cells_of` gives a line's cells by column, new ones too, or raises UnfitError.

    Lines that are no record, or too long to be one, are set aside; blank ones are passed over.
    """
    growing = Growing(path.name, header, form)
    columns = {name: at for at, name in enumerate(header)}
    rows: list[Mapping[str, str]] = []
    numbers: list[int] = []

    def add() -> None:
        further = {name for row in rows for name in row} - columns.keys()
        if len(columns) + len(further) > MOST_COLUMNS:
            _put_aside_wide(growing, rows, numbers, columns.keys())
        for name in dict.fromkeys(name for row in rows for name in row):
            if columns.setdefault(name, len(columns)) == len(growing.header):
                growing.header.append(name)
        growing.add(([row.get(name) for row in rows] for name in columns), np.array(numbers, dtype=np.int64))
        rows.clear()
        numbers.clear()

    for number, line in _lines_of(path, growing):
        if line.strip():
            try:
                rows.append(cells_of(line))
                numbers.append(number)
            except UnfitError as error:
                growing.set_aside(number, line[:200].decode("utf-8", "replace"), error.reason, error.remedy)
        if len(rows) == thresholds.ROWS_OF_FILE:
            add()
    add()
    return growing.raw()


def _put_aside_wide(growing: Growing, rows: list[Mapping[str, str]], numbers: list[int], known: Iterable[str]) -> None:
    """Puts those rows aside with which a file would have more columns than a file may."""
    names, kept = set(known), []
    for number, row in zip(numbers, rows, strict=True):
        if len(names | row.keys()) > MOST_COLUMNS:
            what = f"brings the file to more than {MOST_COLUMNS:,} columns"
            growing.set_aside(number, ", ".join(list(row)[:3]), what, "Write its values as rows, or leave keys out.")
        else:
            names |= row.keys()
            kept.append((number, row))
    numbers[:] = [number for number, _ in kept]
    rows[:] = [row for _, row in kept]


def _lines_of(path: Path, growing: Growing) -> Iterator[tuple[int, bytes]]:
    """The lines of a file with their numbers; one that is too long is set aside and passed over."""
    with path.open("rb") as file:
        number = 0
        while line := file.readline(_LONGEST):
            number += 1
            if len(line) < _LONGEST:
                yield number, line
                continue
            while line and not line.endswith(b"\n"):
                line = file.readline(_LONGEST)
            growing.set_aside(number, "", f"is longer than {_LONGEST} bytes", "Split or shorten it.")


def _stripped(cell: object) -> str | None:
    return str(cell).strip() or None


def _unless_blank(cell: object) -> str | None:
    return str(cell) if str(cell).strip() else None


def shown(text: str) -> str:
    """A line as a problem shows it."""
    text = text.rstrip("\r\n").encode("utf-8", "replace").decode()
    return text if len(text) <= 80 else text[:79] + "…"
