"""Data made safe for the programs that read it: JSON, and cells of spreadsheets."""

from __future__ import annotations

import re

from kathodos.model.printing import UNSAFE, printable
from kathodos.model.secrets import redacted
from kathodos.report.answers import plain

_FORMULA = re.compile(r"'*[=+\-@]")


def json_safe(text: str) -> str:
    """JSON text in which the unsafe characters that JSON allows are written as escapes; its meaning stays."""
    text = redacted(text)
    return UNSAFE.sub(lambda found: f"\\u{ord(found[0]):04x}" if found[0] != "\n" else "\n", text)


def csv_cell(value: object) -> str:
    """A cell that no spreadsheet takes for a formula: `'` stands before what could be one, or is written so itself.

    Numbers are numbers and stay as they are.
    """
    if isinstance(value, bool):
        return str(value).lower()
    text = printable(plain(value))
    return "'" + text if not isinstance(value, int | float) and _FORMULA.match(text) else text
