"""Text made safe to show: names come from elsewhere and may hold anything."""

from __future__ import annotations

import re

# C0 and C1 controls, direction overrides, line separators, and what is not a character at all.
UNSAFE = re.compile("[\x00-\x1f\x7f-\x9f\u061c\u200b-\u200f\u2028-\u202e\u2060-\u206f\ufeff\ud800-\udfff]")
_SHORT = {"\n": "\\n", "\r": "\\r", "\t": "\\t"}


def printable(text: str) -> str:
    """The text with control characters, terminal escapes and direction marks written out."""
    return UNSAFE.sub(lambda found: _SHORT.get(found[0]) or _escaped(found[0]), text)


def _escaped(character: str) -> str:
    code = ord(character)
    return f"\\x{code:02x}" if code < 256 else f"\\u{code:04x}"
