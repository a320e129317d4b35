"""Corrected copies of tables: rows taken out, cells altered, rows added; every other line stays as it was written."""

from __future__ import annotations

import csv
import io
import itertools
import json
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path

import msgspec

from kathodos.connectors.mapping import Mapped
from kathodos.errors import UnfitError
from kathodos.formats.csv import encoding_of
from kathodos.model.kinds import Column, Form, Kind
from kathodos.model.rows import Record
from kathodos.model.times import is_moment, moment_of

Cells = Mapping[str, str | None]  # by the headers of a file; None leaves a cell empty


class Corrections(msgspec.Struct):
    """What is to be corrected in one file: by the line (or row) at which each row begins."""

    gone: set[int] = msgspec.field(default_factory=set)
    altered: dict[int, Cells] = msgspec.field(default_factory=dict)
    added: list[Cells] = msgspec.field(default_factory=list)

    def __len__(self) -> int:
        return len(self.gone) + len(self.altered) + len(self.added)


def can_be_corrected(path: Path) -> bool:
    """Whether a file is of a kind of which a corrected copy can be written."""
    return path.suffix.lower() in (".csv", ".tsv", ".txt", ".xlsx", ".jsonl", ".ndjson")


def corrected(path: Path, mapped: Mapped, header: Sequence[str], starts: Sequence[int], wanted: Corrections) -> bytes:
    """A copy of a file with corrections. `starts`: the line (or row) at which each of its rows begins, in order."""
    if path.suffix.lower() == ".xlsx":
        return _workbook(path, mapped, header, wanted)
    encoding = mapped.format.encoding or encoding_of(path)
    errors = "replace" if encoding.startswith("utf-16") else "surrogateescape"
    with path.open(encoding=encoding, errors=errors, newline="") as file:
        lines = file.readlines()
    if path.suffix.lower() in (".jsonl", ".ndjson"):
        made = _json_lines(lines, wanted)
    else:
        made = _csv_lines(lines, mapped, header, starts, wanted)
    return "".join(made).encode(encoding, errors)


def made(header: Sequence[str], mapped: Mapped, added: Sequence[Cells]) -> bytes:
    """A CSV file that was not there before."""
    rows = [
        _csv_row(header, mapped, "\n"),
        *(_csv_row([it.get(name) for name in header], mapped, "\n") for it in added),
    ]
    return "".join(rows).encode(mapped.format.encoding or "utf-8", "surrogateescape")


def header_of(kind: Kind, records: Sequence[Record], mapped: Mapped) -> list[str]:
    """The header of a file of some records that was not there before, as far as the mapping says how it is read."""
    theirs = {ours.lower(): their for their, ours in mapped.columns.items()}
    said = [name for name in kind.names if name != "attributes" and any(it[name] is not None for it in records)]
    return [theirs.get(name, name) for name in said if name not in mapped.build and (name in theirs or not mapped.only)]


def _csv_lines(
    lines: list[str], mapped: Mapped, header: Sequence[str], starts: Sequence[int], wanted: Corrections
) -> Iterator[str]:
    first = min(starts, default=len(lines) + 1)
    yield from lines[: first - 1]
    ending = "\r\n" if lines and lines[0].endswith("\r\n") else "\n"
    form = mapped.format
    for start, end in itertools.pairwise([*starts, len(lines) + 1]):
        text = lines[start - 1 : end - 1]
        if start in wanted.gone:
            continue
        if start in wanted.altered:
            (cells,) = csv.reader(["".join(text)], delimiter=form.delimiter, quotechar=form.quote) if text else [[]]
            known = {**dict(zip(header, cells, strict=False)), **wanted.altered[start]}
            yield _csv_row([known.get(name) for name in header], mapped, ending)
        else:
            yield from text
    if wanted.added and lines and not lines[-1].endswith(("\n", "\r")):
        yield ending
    yield from (_csv_row([cells.get(name) for name in header], mapped, ending) for cells in wanted.added)


def _csv_row(cells: Sequence[str | None], mapped: Mapped, ending: str) -> str:
    out = io.StringIO()
    form = mapped.format
    csv.writer(out, delimiter=form.delimiter, quotechar=form.quote, lineterminator=ending).writerow(
        ["" if cell is None else cell for cell in cells]
    )
    return out.getvalue()


def _json_lines(lines: list[str], wanted: Corrections) -> Iterator[str]:
    for number, text in enumerate(lines, 1):
        if number in wanted.altered:
            record = {**json.loads(text), **wanted.altered[number]}
            yield _json_line(record)
        elif number not in wanted.gone:
            yield text
    if wanted.added and lines and not lines[-1].endswith("\n"):
        yield "\n"
    yield from map(_json_line, wanted.added)


def _json_line(record: Cells) -> str:
    return json.dumps({name: cell for name, cell in record.items() if cell is not None}, ensure_ascii=False) + "\n"


def _workbook(path: Path, mapped: Mapped, header: Sequence[str], wanted: Corrections) -> bytes:
    import openpyxl

    book = openpyxl.load_workbook(path)
    sheet = book[mapped.format.sheet or book.sheetnames[0]]
    column = {name: at for at, name in enumerate(header, 1)}
    for row, cells in (*wanted.altered.items(), *enumerate(wanted.added, sheet.max_row + 1)):
        for name, text in cells.items():
            cell = sheet.cell(row, column[name], text)
            if text is None:
                cell.value = None
            else:
                cell.data_type = "s"  # also what begins as a formula does
    for row in sorted(wanted.gone, reverse=True):
        sheet.delete_rows(row)
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


# Our records in their headers, values and dates


def cells_of(kind: Kind, record: Record, names: Sequence[str], header: Sequence[str], mapped: Mapped) -> Cells:
    """Some values of a record as the cells of a file. Raises UnfitError where the file has no place for one."""
    theirs = {ours.lower(): their for their, ours in mapped.columns.items()}
    found: dict[str, str | None] = {}
    for name in names:
        value = record[name]
        head = theirs.get(name, name if name in header else next((it for it in header if it.lower() == name), ""))
        if not head or head not in header or name in mapped.build:
            if value is None or _is_said_otherwise(kind, name, value, mapped):
                continue
            raise UnfitError(f"the file has no column for {name}", "Do it in the system itself.")
        found[head] = None if value is None else _cell(kind.column(name), value, mapped)
    return found


def _is_said_otherwise(kind: Kind, name: str, value: object, mapped: Mapped) -> bool:
    """Whether the file need not say a value: a constant of the table, what is taken for granted, or only a note."""
    column = kind.column(name)
    constants = {ours.lower(): said for ours, said in mapped.constants.items()}
    notes = ("given_by", "given_at", "reason", "last_used", "grant", "tier")
    return str(value) == constants.get(name, str(column.default)) or (kind.name == "grants" and name in notes)


def _cell(column: Column, value: object, mapped: Mapped) -> str:
    values = next((it for name, it in mapped.values.items() if name.lower() == column.name), {})
    theirs = {ours: their for their, ours in reversed(list(values.items()))}
    text = str(value)
    if column.form is Form.YES_NO:
        text = "true" if text == "1" else "false"
    if text in theirs:
        return theirs[text]
    if column.form is Form.MOMENT and mapped.dates and is_moment(text):
        return moment_of(text).strftime(mapped.dates[0])
    return text
