"""Names of people, made comparable."""

from __future__ import annotations

import re
import unicodedata

_WORD = re.compile(r"\w+")


def plain_name(text: str) -> str:
    """A name without accents, case, marks and order: `Lund, Åse` and `Ase Lund` are the same."""
    bare = unicodedata.normalize("NFKD", text).encode("ascii", "ignore").decode() or text
    return " ".join(sorted(_WORD.findall(bare.casefold())))
