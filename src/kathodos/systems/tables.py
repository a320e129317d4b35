"""Folders of CSV tables (RFC 4180, UTF-8), one file per kind of record."""

from __future__ import annotations

import csv
import hashlib
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path

from kathodos.catalogue.kinds import GATHERED, Kind
from kathodos.errors import DataError


@dataclass(frozen=True)
class Mapped:
    """How one table of a source is written there: its file, their headers and values onto ours, forms of dates."""

    file: str = ""
    columns: Mapping[str, str] = field(default_factory=dict)
    values: Mapping[str, Mapping[str, str]] = field(default_factory=dict)
    dates: Sequence[str] = ()


@dataclass(frozen=True)
class Problem:
    """One thing wrong with what was read, and whether the row was set aside or only noted."""

    file: str
    line: int
    column: str
    value: str
    reason: str
    remedy: str
    outcome: str = "set aside"


@dataclass(frozen=True)
class Table:
    """A table as read: cells by our column names, None where empty; `lines` says where in the file each row begins."""

    kind: Kind
    file: str
    lines: list[int]
    cells: dict[str, list[str | None]]
    dates: Sequence[str] = ()


@dataclass(frozen=True)
class Folder:
    """All tables of one source, what could not be read, and a digest of the files' bytes."""

    tables: list[Table]
    problems: list[Problem]
    digest: str


def read_folder(folder: Path, mapping: Mapping[str, Mapped]) -> Folder:
    """Reads `KIND.csv` for every kind there is a file of, or the file that the mapping names for it."""
    if not folder.is_dir():
        raise DataError(
            f"The folder {folder} is not there.", "Put it there, or mend the source's path in kathodos.toml."
        )
    tables, problems, digest = [], [], hashlib.sha256()
    for kind in GATHERED:
        mapped = mapping.get(kind.name, Mapped())
        path = folder / (mapped.file or f"{kind.name}.csv")
        if not path.is_file():
            if mapped.file:
                raise DataError(
                    f"{path} is not there.", f"kathodos.toml names it for {kind.name}; mend one of the two."
                )
            continue
        content = _bytes(path)
        digest.update(f"{kind.name} {len(content)}\n".encode() + content)
        table, wrong = read_table(kind, path.name, content, mapped)
        tables.append(table)
        problems += wrong
    if not tables:
        names = ", ".join(f"{kind.name}.csv" for kind in GATHERED[:4])
        raise DataError(f"The folder {folder} holds no table.", f"Expected files such as {names}.")
    return Folder(tables, problems, digest.hexdigest())


def _bytes(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except OSError as error:
        raise DataError(f"{path} cannot be read: {error.strerror}.", "Nothing was changed; check the file.") from error


def read_table(kind: Kind, file: str, content: bytes, mapped: Mapped) -> tuple[Table, list[Problem]]:
    """One CSV file as a table, with the rows that could not be read set aside."""
    lines = content.decode("utf-8-sig", errors="surrogateescape").splitlines(keepends=True)
    lines = _rejoined(lines)
    if not lines:
        raise DataError(f"{file} is empty.", "Give it at least its header line, or take the file away.")
    header = csv.reader(iter(lines))
    try:
        columns = _columns(kind, file, next(header), mapped)
    except csv.Error as error:
        raise DataError(f"{file}, line 1: the header cannot be read: {error}.", "Expected names and commas.") from None
    rows: list[list[str | None]] = []
    numbers: list[int] = []
    problems = []
    width, is_clean = len(columns), _is_clean(content)
    for start, cells in _records(lines, header.line_num, width):
        if isinstance(cells, csv.Error) or len(cells) != width or not is_clean:
            reason, remedy = _what_is_wrong(cells, width)
            if reason:
                problems.append(Problem(file, start + 1, "", _shown(lines[start]), reason, remedy))
                continue
        if not isinstance(cells, csv.Error) and any(cells):
            rows.append([cell.strip() or None for cell in cells[:width]])
            numbers.append(start + 1)
    turned = [list(column) for column in zip(*rows, strict=True)] or [[] for _ in columns]
    cells_by_name = {name: values for name, values in zip(columns, turned, strict=True) if name}
    for name, values in mapped.values.items():
        if name in cells_by_name:
            cells_by_name[name] = [values.get(cell, cell) if cell else cell for cell in cells_by_name[name]]
    problems += [
        Problem(file, 1, name, "", "unknown column; it is not used", _columns_there_are(kind), "noted")
        for name in cells_by_name
        if name not in kind.names and not kind.open_ended
    ]
    return Table(kind, file, numbers, cells_by_name, mapped.dates), problems


def _is_clean(content: bytes) -> bool:
    """Whether the whole file is UTF-8 without a NUL, so that its rows need not be looked through one by one."""
    try:
        content.decode("utf-8")
    except UnicodeDecodeError:
        return False
    return b"\0" not in content


def _rejoined(lines: list[str]) -> list[str]:
    """Lines that end only where CSV ends them, not at the other characters that `splitlines` knows."""
    joined: list[str] = []
    for line in lines:
        if joined and not joined[-1].endswith(("\n", "\r")):
            joined[-1] += line
        else:
            joined.append(line)
    return joined


def _records(lines: Sequence[str], start: int, width: int) -> Iterator[tuple[int, list[str] | csv.Error]]:
    """Records from line `start` on, each with the line it begins at.

    Where a record of several lines does not end, or has not `width` cells, reading goes on at the line after its
    first, so that a quote left open costs one line and not the rest of the file.
    """
    while start < len(lines):
        reader = csv.reader(_from(lines, start), strict=True)
        begin, is_bad = start, False
        while not is_bad and begin < len(lines):
            try:
                cells: list[str] | csv.Error = next(reader)
            except csv.Error as error:
                cells = error
            end = start + reader.line_num
            is_bad = isinstance(cells, csv.Error) or (len(cells) != width and end - begin > 1)
            yield begin, cells
            begin = begin + 1 if is_bad else end
        start = begin


def _from(lines: Sequence[str], start: int) -> Iterator[str]:
    return (lines[at] for at in range(start, len(lines)))


def _what_is_wrong(cells: list[str] | csv.Error, width: int) -> tuple[str, str]:
    if isinstance(cells, csv.Error):
        if "limit" in str(cells):
            return (
                f"a cell is longer than {csv.field_size_limit()} characters",
                "Shorten it, or close a quote before it.",
            )
        return "a quote is not closed, or text stands behind a closing one", 'Write a quote inside a quoted cell as "".'
    if not any(cells):
        return "", ""
    if len(cells) < width or any(cell.strip() for cell in cells[width:]):
        return f"has {len(cells)} cells, the header {width}", "Quote cells that hold a comma, and fill empty ones in."
    text = "".join(cells)
    if "\0" in text:
        return "holds a NUL character", "Take it out; the file may have been cut off or is not text."
    if any("\udc80" <= character <= "\udcff" for character in text):
        return "is not UTF-8", "Save the file as UTF-8."
    return "", ""


def _columns(kind: Kind, file: str, header: Sequence[str], mapped: Mapped) -> list[str]:
    """Our name for each column of the file; further ones keep theirs, those without a name are passed over."""
    ours = {name.casefold(): name for name in kind.names if name != "attributes"}
    theirs = {name.strip().casefold(): name_of for name, name_of in mapped.columns.items()}
    names = []
    for cell in header:
        name = cell.strip()
        names.append(theirs.get(name.casefold()) or ours.get(name.casefold(), name))
    missing = [column.name for column in kind.columns if column.required and column.name not in names]
    if missing:
        remedy = f"The header has: {', '.join(map(_shown, names))}. Name the columns as in the manual, or map them."
        raise DataError(f"{file}, line 1: the column {', '.join(missing)} is missing. Nothing was changed.", remedy)
    twice = sorted({name for name in names if name and names.count(name) > 1})
    if twice:
        raise DataError(f"{file}, line 1: the column {', '.join(twice)} is there twice.", "Take one of them out.")
    return names


def _columns_there_are(kind: Kind) -> str:
    return f"Columns of {kind.name}: {', '.join(kind.names)}."


def _shown(line: str) -> str:
    text = line.rstrip("\r\n").encode("utf-8", "replace").decode()
    return text if len(text) <= 80 else text[:79] + "…"
