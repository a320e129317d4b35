"""XLSX workbooks (ISO/IEC 29500): one sheet as a table. Of a formula the value that was kept with it is read."""

from __future__ import annotations

import contextlib
import itertools
import warnings
import zipfile
from collections.abc import Iterator
from datetime import UTC, date, datetime, time, timedelta
from pathlib import Path
from typing import Any

import numpy as np

from kathodos import thresholds
from kathodos.errors import DataError
from kathodos.formats.raw import Format, Growing, Raw
from kathodos.model.times import time_text

_LARGEST = 4 << 30
_MOST_ROWS = 1 << 20  # of a sheet (ISO/IEC 29500-1, 18.3.1.73)


def sheet_names(path: Path) -> list[str]:
    """The names of the sheets of a workbook that hold cells. Raises DataError where it cannot be read."""
    with _opened(path) as book:
        return [sheet.title for sheet in book.worksheets]


def first_rows(path: Path, name: str, most: int) -> list[list[str | None]]:
    """The first rows of a sheet."""
    with _opened(path) as book:
        sheet = book[name]
        sheet.reset_dimensions()
        return [[_text(cell) for cell in row] for row in itertools.islice(sheet.iter_rows(values_only=True), most)]


@contextlib.contextmanager
def _opened(path: Path) -> Iterator[Any]:
    """A workbook, to be read. Raises DataError where it is none, or unpacks to too much."""
    import openpyxl

    try:
        with zipfile.ZipFile(path) as packed:
            size = sum(part.file_size for part in packed.infolist())
        if size > _LARGEST:
            raise DataError(f"{path.name} unpacks to {size >> 20} MiB.", "Export the sheet as CSV instead.")
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")  # about styles and extensions that do not matter here
            book = openpyxl.load_workbook(path, read_only=True, data_only=True)
            try:
                yield book
            finally:
                book.close()
    except (DataError, OSError):
        raise
    except Exception as error:  # what is packed wrongly ends the library in many ways
        what = f"{path.name} is no workbook that can be read: {error}."
        raise DataError(what, "Save it anew as .xlsx, or export it as CSV.") from None


def read_xlsx(path: Path, form: Format) -> Raw:
    """The sheet that `form` names, or the first. Raises DataError where the workbook cannot be read."""
    with _opened(path) as book:
        if form.sheet and form.sheet not in book.sheetnames:
            remedy = f"It has: {', '.join(book.sheetnames)}."
            raise DataError(f"{path.name} has no sheet {form.sheet!r}.", remedy)
        if not book.sheetnames:
            raise DataError(f"{path.name} has no sheet.", "Save it anew with the table in its first sheet.")
        sheet = book[form.sheet or book.sheetnames[0]]
        if hasattr(sheet, "reset_dimensions"):
            sheet.reset_dimensions()  # what a workbook says of its size may be less than there is
        rows = itertools.islice(sheet.iter_rows(values_only=True), form.header - 1, None)
        header = [_text(cell) or "" for cell in next(rows, ())]
        while header and not header[-1]:
            header.pop()
        if not header:
            raise DataError(f"{path.name}, sheet {sheet.title}: there is no header.", "Put the names in its first row.")
        growing = Growing(path.name, header, form)
        number, width = form.header + 1, len(header)
        while block := list(itertools.islice(rows, thresholds.ROWS_OF_SHEET)):
            if number > _MOST_ROWS:
                what = f"{path.name}, sheet {sheet.title}, has more than {_MOST_ROWS:,} rows, which no sheet can have."
                raise DataError(what, "Save it anew, or export it as CSV.")
            texts, numbers = [], []
            for at, row in enumerate(block, number):
                cells = [_text(cell) for cell in row]
                if any(cells[width:]):
                    what = f"has a cell beyond the header's {width} columns"
                    growing.set_aside(at, next(filter(None, cells[width:])), what, "Name its column, or empty it.")
                else:
                    texts.append([*cells[:width], *[None] * (width - len(cells))])
                    numbers.append(at)
            growing.add(zip(*texts, strict=True) if texts else [()] * width, np.array(numbers, dtype=np.int64))
            number += len(block)
        return growing.raw()


def _text(cell: object) -> str | None:
    """A cell as the text that a table would hold."""
    if cell is None:
        return None
    if isinstance(cell, bool):
        return "true" if cell else "false"
    if isinstance(cell, datetime):
        is_date = (cell.hour, cell.minute, cell.second, cell.microsecond) == (0, 0, 0, 0)
        return cell.date().isoformat() if is_date else time_text(cell.replace(tzinfo=cell.tzinfo or UTC))
    if isinstance(cell, date | time):
        return cell.isoformat()
    if isinstance(cell, timedelta):
        return str(cell)
    if isinstance(cell, float) and cell.is_integer():
        return str(int(cell))
    return str(cell)
