"""Worklists as files: CSV, a workbook and a page to be printed, one of each for every owner."""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping, Sequence
from importlib.resources import files
from itertools import groupby
from typing import Any

from kathodos.model.printing import printable
from kathodos.model.words import plural
from kathodos.output.files import file_name
from kathodos.output.text import csv_cell
from kathodos.report.orders import WORK_COLUMNS, Worklist

_WIDTHS = {"order": 8, "system": 14, "todo": 70, "account": 18, "due": 12, "change": 18, "why": 36, "done": 10}


def worklist_files(one: Worklist, day: str, taken: set[str]) -> dict[str, bytes]:
    """The files of one worklist, by name; `taken`: names in use, to which its own is added."""
    name = file_name(one.owner, taken)
    return {f"{name}.csv": as_csv(one), f"{name}.xlsx": as_workbook(one), f"{name}.html": as_page(one, day)}


def as_csv(one: Worklist) -> bytes:
    """The worklist as CSV that a spreadsheet opens by itself."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(WORK_COLUMNS)
    writer.writerows([csv_cell(row.get(name)) for name in WORK_COLUMNS] for row in one.rows)
    return ("\ufeff" + out.getvalue()).encode("utf-8", "backslashreplace")


def as_workbook(one: Worklist) -> bytes:
    """The worklist as a workbook, with a place to tick off; texts are texts, whatever they begin with."""
    import openpyxl
    from openpyxl.styles import Alignment, Font
    from openpyxl.worksheet.datavalidation import DataValidation

    book = openpyxl.Workbook()
    sheet = book.active
    assert sheet is not None
    sheet.title = "To do"
    sheet.append([name.replace("_", " ") for name in WORK_COLUMNS])
    for cell in sheet[1]:
        cell.font = Font(bold=True)
    for at, row in enumerate(one.rows, 2):
        for column, name in enumerate(WORK_COLUMNS, 1):
            cell = sheet.cell(at, column)
            value = row.get(name)
            cell.value = value if isinstance(value, int) else printable(str(value or ""))
            if isinstance(cell.value, str):
                cell.data_type = "s"
            cell.alignment = Alignment(wrap_text=True, vertical="top")
    ticks = DataValidation(type="list", formula1='"done,cannot be done"', allow_blank=True)
    sheet.add_data_validation(ticks)
    letter = chr(ord("A") + WORK_COLUMNS.index("done"))
    ticks.add(f"{letter}2:{letter}{len(one.rows) + 1}")
    for column, name in enumerate(WORK_COLUMNS):
        sheet.column_dimensions[chr(ord("A") + column)].width = _WIDTHS[name]
    sheet.freeze_panes = "A2"
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def as_page(one: Worklist, day: str) -> bytes:
    """The worklist as a page that needs no network, to be read or printed."""
    rows = sorted(one.rows, key=lambda row: (str(row["system"]), int(row["order"])))
    systems = [(system, _shown(some)) for system, some in groupby(rows, key=lambda row: printable(str(row["system"])))]
    content = {"name": printable(one.name), "day": day, "count": plural(len(rows), "thing"), "systems": systems}
    text: str = page_template("worklist.html").render(content)
    return text.encode("utf-8", "backslashreplace")


def _shown(rows: Any) -> list[Mapping[str, Any]]:
    return [{name: printable(it) if isinstance(it, str) else it for name, it in row.items()} for row in rows]


def page_template(name: str) -> Any:
    from jinja2 import Environment, StrictUndefined

    environment = Environment(autoescape=True, undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True)
    return environment.from_string((files("kathodos.output") / "pages" / name).read_text(encoding="utf-8"))


def pages_of(lists: Sequence[Worklist], day: str) -> dict[str, bytes]:
    """The files of all worklists, by name."""
    taken: set[str] = set()
    found: dict[str, bytes] = {}
    for one in lists:
        found |= worklist_files(one, day, taken)
    return found
