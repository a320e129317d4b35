"""Names of any bytes as texts that can be kept, each different name as a different text; and back.

A byte that is not UTF-8, and a NUL, is written `%XX`. The former comes here as half a character, as `os.fsdecode` gives
it. So that no name can pass for another, a per cent sign that such a text could begin with is written `%25`.
"""

from __future__ import annotations

import re

_UNKEPT = re.compile("[\0\ud800-\udfff]")
_LIKE_ONE = re.compile("%(?=[0-9A-Fa-f]{2})")
_FORM = re.compile("%([0-9A-F]{2})")


def carried(name: str) -> str:
    """A name as a text that can be kept: itself, unless it holds bytes that are not UTF-8 or what looks like those."""
    return written_out(_LIKE_ONE.sub("%25", name)) if "%" in name else written_out(name)


def uncarried(text: str) -> str:
    """The name that a text stands for, with half a character for each byte that is not UTF-8 (`os.fsencode`)."""
    return _FORM.sub(lambda form: _character(int(form[1], 16)), text)


def written_out(text: str) -> str:
    """A text with each NUL and each byte that is not UTF-8 as `%XX`, and so each byte of any other half a character."""
    return _UNKEPT.sub(_bytes_of, text)


def _bytes_of(found: re.Match[str]) -> str:
    number = ord(found[0])
    is_byte = 0xDC80 <= number <= 0xDCFF
    content = bytes([number - 0xDC00]) if is_byte else found[0].encode("utf-8", "surrogatepass")
    return "".join(f"%{byte:02X}" for byte in content)


def _character(byte: int) -> str:
    return chr(byte) if byte < 0x80 else chr(0xDC00 + byte)
