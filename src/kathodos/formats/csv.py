"""CSV files (RFC 4180) with any delimiter, quote and encoding, read block by block.

A block of lines without a quote, a NUL or a broken character is only split; any other is read record by record.
"""

from __future__ import annotations

import codecs
import csv
import io
from collections.abc import Iterator
from pathlib import Path
from typing import Any, TextIO

import numpy as np

from kathodos import thresholds
from kathodos.errors import DataError
from kathodos.formats.raw import Format, Growing, Raw

_BOMS = ((codecs.BOM_UTF8, "utf-8-sig"), (codecs.BOM_UTF16_LE, "utf-16"), (codecs.BOM_UTF16_BE, "utf-16"))


def read_csv(path: Path, form: Format) -> Raw:
    """A CSV file, with the rows that could not be read set aside. Raises DataError where it has no header."""
    encoding = form.encoding or encoding_of(path)
    errors = "replace" if encoding.startswith("utf-16") else "surrogateescape"
    try:
        b"\xff".decode(encoding, errors)  # some encodings are for other things than files
        file = path.open(encoding=encoding, errors=errors, newline="")
    except (LookupError, UnicodeError):
        raise DataError(f"There is no encoding {encoding!r}.", "Write for example utf-8, cp1252 or utf-16.") from None
    with file:
        return _Reader(path.name, file, form, encoding).read()


def read_csv_text(name: str, text: str, form: Format) -> Raw:
    """Text as a CSV file."""
    return _Reader(name, io.StringIO(text, newline=""), form, form.encoding).read()


def encoding_of(path: Path) -> str:
    """What the file's first bytes say of its encoding; UTF-8 where they say nothing."""
    with path.open("rb") as file:
        start = file.read(4)
    return next((name for bom, name in _BOMS if start.startswith(bom)), "utf-8")


class _Reader:
    def __init__(self, name: str, file: TextIO, form: Format, encoding: str) -> None:
        self.name = name
        self.file = file
        self.form = form
        self.encoding = encoding.removesuffix("-sig").upper()
        self.line = 1  # of what is read next
        self.lines: list[str] = []  # read, but not yet taken apart

    def read(self) -> Raw:
        header = self.header()
        growing = Growing(self.name, header, self.form)
        self.width = len(header)
        while text := self.block():
            if not self.is_plain(text) or not self.split(text, growing):
                self.lines = list(io.StringIO(text, newline=""))
                self.take_apart(growing)
        return growing.raw()

    def header(self) -> list[str]:
        for _ in range(self.form.header - 1):
            self.file.readline()
        reader = csv.reader(iter(self.file.readline, ""), delimiter=self.form.delimiter, quotechar=self.form.quote)
        try:
            cells = next(reader, [])
        except csv.Error as error:
            what = f"{self.name}, line {self.form.header}: the header cannot be read: {error}."
            raise DataError(what, "Expected names and commas; say how else the file is written.") from None
        if not cells:
            what = f"{self.name} is empty." if self.form.header == 1 else f"{self.name} ends before its header."
            raise DataError(what, "Give it at least its header line, or take the file away.")
        self.line = self.form.header + reader.line_num
        return cells

    def block(self) -> str:
        """The next whole lines."""
        text = self.file.read(thresholds.CHARACTERS_OF_CSV)
        return text + self.file.readline() if text else ""

    def is_plain(self, text: str) -> bool:
        """Whether a line is a record here, and a delimiter the only mark."""
        if self.form.quote in text or "\0" in text or text.count("\r") != text.count("\r\n"):
            return False
        if text.startswith("\ufeff"):  # the mark of a file's start is a character of a name here; Arrow drops it
            return False
        return text.isascii() or not self.is_broken(text)

    def split(self, text: str, growing: Growing) -> bool:
        """Adds a plain block whose records are all as wide as the header; False where they are not."""
        delimiter, width = self.form.delimiter, self.width
        if not delimiter.isascii():
            return False
        text = text.replace("\r\n", "\n").removesuffix("\n")
        lines = text.split("\n")
        if {line.count(delimiter) for line in lines} != {width - 1}:
            return False
        if max(map(len, lines)) > csv.field_size_limit():
            return False
        growing.add_arrays(_split(text, delimiter, width), np.arange(self.line, self.line + len(lines)))
        self.line += len(lines)
        return True

    def take_apart(self, growing: Growing) -> None:
        """Adds the records of the lines at hand, and of those behind them that the last record goes on in."""
        rows: list[list[str]] = []
        numbers: list[int] = []
        for start, cells in self.records(len(self.lines)):
            reason, remedy = self.what_is_wrong(cells)
            if reason:
                growing.set_aside(self.line + start, self.lines[start], reason, remedy)
            elif not isinstance(cells, csv.Error) and any(cells):
                rows.append(cells[: self.width])
                numbers.append(self.line + start)
        growing.add(zip(*rows, strict=True) if rows else [()] * self.width, np.array(numbers, dtype=np.int64))
        self.line += len(self.lines)

    def records(self, end: int) -> Iterator[tuple[int, list[str] | csv.Error]]:
        """Records that begin in the first `end` lines, each with the line it begins at.

        Where a record of several lines does not end, or is not as wide as the header, reading goes on at the line
        after its first, so that a quote left open costs one line and not the rest of the file.
        """
        start = 0
        while start < max(end, len(self.lines)):
            reader = csv.reader(
                self.lines_from(start), strict=True, delimiter=self.form.delimiter, quotechar=self.form.quote
            )
            begin, is_bad = start, False
            while not is_bad and begin < max(end, len(self.lines)):
                try:
                    cells: list[str] | csv.Error = next(reader)
                except csv.Error as error:
                    cells = error
                stop = start + reader.line_num
                is_bad = isinstance(cells, csv.Error) or (len(cells) != self.width and stop - begin > 1)
                yield begin, cells
                begin = begin + 1 if is_bad else stop
            start = begin

    def lines_from(self, start: int) -> Iterator[str]:
        at = start
        while at < len(self.lines) or self.fetch():
            yield self.lines[at]
            at += 1

    def fetch(self) -> bool:
        """Reads one line more; False at the end of the file."""
        line = self.file.readline()
        self.lines += [line] if line else []
        return bool(line)

    def is_broken(self, text: str) -> bool:
        """Whether some of the text could not be decoded."""
        if text.isascii():
            return False
        try:
            text.encode()
        except UnicodeEncodeError:
            return True
        return "\ufffd" in text and self.encoding.startswith("UTF-16")  # which has no other sign of it

    def what_is_wrong(self, cells: list[str] | csv.Error) -> tuple[str, str]:
        if isinstance(cells, csv.Error):
            if "limit" in str(cells):
                what = f"a cell is longer than {csv.field_size_limit()} characters"
                return what, "Shorten it, or close a quote before it."
            what = "a quote is not closed, or text stands behind a closing one"
            return what, f"Write a quote inside a quoted cell as {self.form.quote * 2}."
        if not any(cells):
            return "", ""
        if len(cells) < self.width or any(cell.strip() for cell in cells[self.width :]):
            what = f"has {len(cells)} cells, the header {self.width}"
            return what, "Quote cells that hold a comma, and fill empty ones in."
        text = "".join(cells)
        if "\0" in text:
            return "holds a NUL character", "Take it out; the file may have been cut off or is not text."
        if self.is_broken(text):
            remedy = f"Save the file as {self.encoding}, or say which encoding it has."
            return f"is not {self.encoding}", remedy
        return "", ""


def _split(text: str, delimiter: str, width: int) -> list[Any]:
    """The columns of lines that hold no mark but the delimiter, as Arrow arrays of text."""
    import pyarrow as pa
    import pyarrow.csv

    names = [str(at) for at in range(width)]
    content = text.encode() + b"\n"  # without which an empty last line would be none
    table = pyarrow.csv.read_csv(
        pa.BufferReader(content),
        read_options=pyarrow.csv.ReadOptions(column_names=names, block_size=len(content) + 1, use_threads=False),
        parse_options=pyarrow.csv.ParseOptions(delimiter=delimiter, quote_char=False, ignore_empty_lines=False),
        convert_options=pyarrow.csv.ConvertOptions(column_types=dict.fromkeys(names, pa.large_string())),
    )
    return [column.combine_chunks() for column in table.columns]
