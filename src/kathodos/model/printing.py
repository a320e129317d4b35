"""Text made safe to show: names come from elsewhere and may hold anything.

What is unsafe is written `\\xHH` or `\\uHHHH`, in small letters; a backslash with which a name itself begins such a
form is written `\\x5c`. So two different names never look the same, and `restored` gives back what was written.
"""

from __future__ import annotations

import re

from kathodos.model.secrets import redacted, without_password

# C0 and C1 controls, direction overrides, line separators, and what is not a character at all.
UNSAFE = re.compile("[\x00-\x1f\x7f-\x9f\u061c\u200b-\u200f\u2028-\u202e\u2060-\u206f\ufeff\ud800-\udfff]")
_LIKE_ONE = re.compile(r"\\(?=x[0-9a-f]{2}|u[0-9a-f]{4})")
_FORM = re.compile(r"\\x([0-9a-f]{2})|\\u([0-9a-f]{4})")


def printable(text: str) -> str:
    """A name or a cell with control characters, terminal escapes and direction marks written out, without secrets."""
    text = redacted(text)
    return UNSAFE.sub(_escaped, _LIKE_ONE.sub(r"\\x5c", text) if "\\" in text else text)


def harmless(sentence: str) -> str:
    """A sentence with what is unsafe written out, without secrets and passwords in addresses."""
    return UNSAFE.sub(_escaped, without_password(sentence))


def restored(text: str) -> str:
    """The text that `printable` made this of."""
    return _FORM.sub(lambda form: chr(int(form[1] or form[2], 16)), text)


def _escaped(found: re.Match[str]) -> str:
    code = ord(found[0])
    return f"\\x{code:02x}" if code < 256 else f"\\u{code:04x}"
