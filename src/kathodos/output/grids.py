"""Grids as files that are filled and read back: CSV, and workbooks in which a cell is chosen from a list."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from pathlib import Path

from kathodos.errors import CallError
from kathodos.model.printing import printable
from kathodos.output.text import csv_cell

_FIRST = 3  # columns before those of the roles
_WIDTHS = (22, 26, 22)


def grid_file(name: str, table: Sequence[Sequence[str]]) -> bytes:
    """A table as the kind of file that a name ends in. Raises CallError where that is neither `.csv` nor `.xlsx`."""
    made = {".csv": _csv, ".xlsx": _workbook}.get(Path(name).suffix.lower())
    if made is None:
        raise CallError(f"{name} ends in neither .csv nor .xlsx.", "Name the file as in grid.xlsx.")
    return made(table)


def _csv(table: Sequence[Sequence[str]]) -> bytes:
    out = io.StringIO()
    csv.writer(out, lineterminator="\r\n").writerows([csv_cell(cell) for cell in row] for row in table)
    return ("\ufeff" + out.getvalue()).encode("utf-8", "backslashreplace")


def _workbook(table: Sequence[Sequence[str]]) -> bytes:
    """A workbook; texts are texts, whatever they begin with."""
    import openpyxl
    from openpyxl.styles import Alignment, Font, PatternFill
    from openpyxl.utils import get_column_letter
    from openpyxl.worksheet.datavalidation import DataValidation

    book = openpyxl.Workbook()
    sheet = book.active
    assert sheet is not None
    sheet.title = "Grid"
    dim = PatternFill("solid", fgColor="EEEEEE")
    for at, row in enumerate(table, 1):
        for column, text in enumerate(row, 1):
            cell = sheet.cell(at, column)
            cell.value = printable(text)
            cell.data_type = "s"
            if column > _FIRST:
                cell.alignment = Alignment(horizontal="center", wrap_text=at == 1)
            if text.startswith("(") or at == 1:
                cell.fill = dim
            if at == 1:
                cell.font = Font(bold=True)
    last = get_column_letter(max(len(table[0]), _FIRST + 1))
    choice = DataValidation(type="list", formula1='"x"', allow_blank=True, showErrorMessage=False)
    sheet.add_data_validation(choice)
    choice.add(f"{get_column_letter(_FIRST + 1)}2:{last}{max(len(table), 2)}")
    for column in range(1, len(table[0]) + 1):
        width = _WIDTHS[column - 1] if column <= _FIRST else max(len(table[0][column - 1]) + 2, 12)
        sheet.column_dimensions[get_column_letter(column)].width = width
    sheet.freeze_panes = f"{get_column_letter(_FIRST + 1)}2"
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()
