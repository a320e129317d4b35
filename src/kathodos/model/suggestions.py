"""What somebody may have meant by a name that is not known."""

from __future__ import annotations

import difflib
import itertools
from collections.abc import Iterable

_MOST_COMPARED = 5000


def nearest(name: str, known: Iterable[str]) -> str:
    """A sentence with the known names that are nearest, in whole or in their last part, to one that is not known."""
    known = list(itertools.islice(known, _MOST_COMPARED))
    parts = {**{text.rpartition("/")[2]: text for text in known}, **{text: text for text in known}}
    found = difflib.get_close_matches(name, parts, n=3, cutoff=0.5)
    close = list(dict.fromkeys(parts[text] for text in found)) or sorted(known)[:3]
    return f"Nearest: {', '.join(close)}." if close else "There are none."
