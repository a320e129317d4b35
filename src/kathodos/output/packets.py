"""Packets as files: a page that needs no network and no server, and a workbook with the same content."""

from __future__ import annotations

import base64
import hashlib
import io
import json
import tomllib
from functools import cached_property
from importlib.resources import files
from pathlib import Path

import msgspec

from kathodos.errors import DataError
from kathodos.report.packets import Packet
from kathodos.review.packets import COLUMNS, FIRST_ANSWER, LINES_SHEET, SEAL_SHEET, Seal, rows_shown

WORDS = "packet.toml"
_MOST_IN_A_CELL = 30_000  # characters (a cell holds 32,767)
_WIDTHS = (7, 28, 42, 40, 60, 12, 12, 18, 30, 30)


class PacketWriter:
    """Makes the files of packets. `own`: the file in which a workspace says otherwise what a page says."""

    def __init__(self, own: Path) -> None:
        self._own = own

    @cached_property
    def words(self) -> dict[str, str]:
        """What a page says. Raises DataError where the workspace's own file is not as it has to be."""
        ours: dict[str, str] = tomllib.loads(_page(WORDS))
        if not self._own.exists():
            return ours
        try:
            theirs = tomllib.loads(self._own.read_text(encoding="utf-8"))
        except (OSError, ValueError) as error:
            raise DataError(f"{self._own} cannot be read: {error}.", "Correct it, or take it away.") from None
        for name, text in theirs.items():
            if name not in ours or not isinstance(text, str):
                what = f"{self._own}: {name} is none of the texts of a packet."
                raise DataError(what, "docs/reviewing.md lists them.")
        return {**ours, **theirs}

    @cached_property
    def _around(self) -> list[str]:
        """The page without what differs from packet to packet: what stands before, between and behind."""
        style, script = _page("packet.css"), _page("packet.js")
        known = {
            "lang": "{{ lang }}",
            "style_hash": _hash(style),
            "script_hash": _hash(script),
            "style": style,
            "script": script,
            "words": _inside(json.dumps(self.words)),
        }
        page = _page("packet.html")
        for name, text in known.items():
            page = page.replace("{{ " + name + " }}", text if name != "lang" else _text(self.words["lang"]))
        first, rest = page.split("{{ title }}")
        second, rest = rest.split("{{ seal }}")
        third, last = rest.split("{{ content }}")
        return [first, second, third, last]

    def page(self, packet: Packet, seal: Seal) -> bytes:
        """The page of a packet, signed."""
        first, second, third, last = self._around
        title = _text(f"{packet.title}: {packet.name}")
        told = _inside(msgspec.json.encode(seal).decode())
        return "".join([first, title, second, told, third, packet.content, last]).encode("utf-8", "backslashreplace")

    def workbook(self, packet: Packet, seal: Seal) -> bytes:
        """The workbook of a packet: what is shown is protected, what is answered has lists to choose from."""
        import openpyxl
        from openpyxl.styles import Alignment, Font, Protection
        from openpyxl.worksheet.datavalidation import DataValidation

        shown = json.loads(packet.content)
        book = openpyxl.Workbook()
        sheet = book.active
        assert sheet is not None
        sheet.title = LINES_SHEET
        sheet.append(list(COLUMNS))
        for cell in sheet[1]:
            cell.font = Font(bold=True)
        for at, row in enumerate(rows_shown(shown), 2):
            for column, value in enumerate([*row, *[None] * (len(COLUMNS) - len(row))], 1):
                cell = sheet.cell(at, column, value)
                if isinstance(value, str):
                    cell.data_type = "s"
                cell.alignment = Alignment(wrap_text=True, vertical="top")
                cell.protection = Protection(locked=column <= FIRST_ANSWER)
                if COLUMNS[column - 1] == "until":
                    cell.number_format = "yyyy-mm-dd"
        last = len(shown["lines"]) + 1
        words = ",".join([*shown["decisions"], *["pass"] * shown["passes"]])
        choices = DataValidation(type="list", formula1=f'"{words}"', allow_blank=True)
        choices.showErrorMessage, choices.error = True, "Choose one of the list, or leave it empty."
        sheet.add_data_validation(choices)
        letter = chr(ord("A") + FIRST_ANSWER)
        choices.add(f"{letter}2:{letter}{max(last, 2)}")
        for column, width in enumerate(_WIDTHS):
            sheet.column_dimensions[chr(ord("A") + column)].width = width
        sheet.freeze_panes = "D2"
        sheet.auto_filter.ref = f"A1:{chr(ord('A') + len(COLUMNS) - 1)}{max(last, 2)}"
        sheet.protection.sheet = True
        sheet.protection.autoFilter = sheet.protection.sort = sheet.protection.formatColumns = False
        hidden = book.create_sheet(SEAL_SHEET)
        hidden["A1"] = msgspec.json.encode(seal).decode()
        for at, first in enumerate(range(0, len(packet.content), _MOST_IN_A_CELL), 2):
            hidden.cell(at, 1, packet.content[first : first + _MOST_IN_A_CELL]).data_type = "s"
        hidden.sheet_state, hidden.protection.sheet = "hidden", True
        out = io.BytesIO()
        book.save(out)
        return out.getvalue()


def _page(name: str) -> str:
    return (files("kathodos.output") / "pages" / name).read_text(encoding="utf-8")


def _hash(text: str) -> str:
    """The hash by which a content security policy allows one text alone (CSP level 3, 2.3.1)."""
    return "sha256-" + base64.b64encode(hashlib.sha256(text.encode()).digest()).decode()


def _text(text: str) -> str:
    from markupsafe import escape

    return str(escape(text))


def _inside(text: str) -> str:
    """JSON as it may stand in an element of a page."""
    return text.replace("<", "\\u003c").replace(">", "\\u003e").replace("&", "\\u0026")
