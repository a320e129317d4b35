"""Names of any bytes as texts that can be kept, each different name as a different text.

A byte that is not UTF-8 is written `%XX`. It comes here as half a character, as `os.fsdecode` gives it. So that no name
can pass for another, a per cent sign that such a text could begin with is written `%25`.
"""

from __future__ import annotations

import re

_HALF = re.compile("[\ud800-\udfff]")
_LIKE_ONE = re.compile("%(?=[0-9A-Fa-f]{2})")


def carried(name: str) -> str:
    """A name as a text that can be kept: itself, unless it holds bytes that are not UTF-8 or what looks like those."""
    return written_out(_LIKE_ONE.sub("%25", name))


def written_out(text: str) -> str:
    """A text with each byte that is not UTF-8 as `%XX`, and so each byte of any other half a character."""
    return _HALF.sub(_bytes_of, text)


def _bytes_of(half: re.Match[str]) -> str:
    number = ord(half[0])
    is_byte = 0xDC80 <= number <= 0xDCFF
    content = bytes([number - 0xDC00]) if is_byte else half[0].encode("utf-8", "surrogatepass")
    return "".join(f"%{byte:02X}" for byte in content)
