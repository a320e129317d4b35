"""Text made safe to show: names come from elsewhere and may hold anything."""

from __future__ import annotations

import re

from kathodos.report.answers import plain

# C0 and C1 controls, direction overrides, line separators, and what is not a character at all.
_UNSAFE = re.compile("[\x00-\x1f\x7f-\x9f\u061c\u200b-\u200f\u2028-\u202e\u2060-\u206f\ufeff\ud800-\udfff]")
_SHORT = {"\n": "\\n", "\r": "\\r", "\t": "\\t"}
_FORMULA = ("=", "+", "-", "@", "\t", "\r")


def printable(text: str) -> str:
    """The text with control characters, terminal escapes and direction marks written out."""
    return _UNSAFE.sub(lambda found: _SHORT.get(found[0]) or _escaped(found[0]), text)


def _escaped(character: str) -> str:
    code = ord(character)
    return f"\\x{code:02x}" if code < 256 else f"\\u{code:04x}"


def json_safe(text: str) -> str:
    """JSON text in which the unsafe characters that JSON allows are written as escapes; its meaning stays."""
    return _UNSAFE.sub(lambda found: f"\\u{ord(found[0]):04x}" if found[0] != "\n" else "\n", text)


def csv_cell(value: object) -> str:
    """A cell that no spreadsheet takes for a formula. Numbers are numbers and stay as they are."""
    if isinstance(value, bool):
        return str(value).lower()
    text = printable(plain(value))
    return "'" + text if not isinstance(value, int | float) and text.startswith(_FORMULA) else text
