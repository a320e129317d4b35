"""Names of people, made comparable."""

from __future__ import annotations

import re
import unicodedata

_WORD = re.compile(r"\w+")
_SPELLED_OUT = re.compile(r"ae|oe|ue|aa|ss")  # of which the first letter stays


_SPELLED = {"ä": "ae", "ö": "oe", "ü": "ue", "ß": "ss", "å": "aa", "æ": "ae", "ø": "oe", "œ": "oe", "ł": "l", "đ": "d"}
_BARE = {"æ": "a", "ø": "o", "œ": "o", "ł": "l", "đ": "d", "ð": "d", "þ": "th", "\u0131": "i", "ß": "ss"}


def plain_name(text: str) -> str:
    """A name without accents, case, marks and order: `Lund, Åse` and `Ase Lund` are the same."""
    return " ".join(sorted(_WORD.findall(bare_text(text))))


def name_skeleton(text: str) -> str:
    """A name as it is compared where letters may be spelled out: `Jörg Ølsäter` and `Oelsaeter, Joerg` are the same."""
    return " ".join(sorted(_SPELLED_OUT.sub(_first, word) for word in _WORD.findall(bare_text(text))))


def _first(found: re.Match[str]) -> str:
    return found[0][0]


def bare_text(text: str) -> str:
    """A text in small letters without accents: `Åse Ø` becomes `ase o`."""
    folded = "".join(_BARE.get(mark, mark) for mark in text.casefold())
    return unicodedata.normalize("NFKD", folded).encode("ascii", "ignore").decode() or text.casefold()


def spelled_out(text: str) -> str:
    """A text in small letters with accents as they are written where there are none: `Ølsäter` becomes `oelsaeter`."""
    folded = "".join(_SPELLED.get(mark, mark) for mark in unicodedata.normalize("NFC", text).casefold())
    return bare_text(folded)


def written_forms(text: str) -> set[str]:
    """The ways in which a name may stand where its letters are not known: without accents, and spelled out."""
    return {bare_text(text), spelled_out(text)}
