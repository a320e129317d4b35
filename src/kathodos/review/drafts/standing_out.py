"""What stands out of each line, as one sentence that is read first, and whether it speaks for the line or against."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from enum import StrEnum
from functools import cached_property

import msgspec
import numpy as np

from kathodos.columns.csr import Bools, Ints
from kathodos.columns.dictionary import DictionaryColumn, Numbers, Scalar, numbers_at, row_numbers
from kathodos.model.times import BEGINNING, DAY

MONTH = 30 * DAY
NOTHING = "Nothing stands out."
_FEW = 5  # peers below which a share of them says little
_USUAL = 0.75


class Speaks(StrEnum):
    """Which way the evidence of a line points."""

    AGAINST = "against"
    FOR = "for"


class Facts(msgspec.Struct, frozen=True, dict=True):
    """What is known of each line. `known`: status, fences, conflicts, former, needed_by, recorded, having, counted.

    `used`: the moment of the last use, or the beginning of time; `watched`: since when uses would be known; `moment`:
    when the review is opened; `idle_after`: days without use after which a line stands out, by line; `peer_share`: the
    share of peers up to which few have it.
    """

    known: Mapping[str, DictionaryColumn]
    used: Ints
    watched: Ints
    moment: int
    idle_after: Ints
    peer_share: float

    @cached_property
    def idle(self) -> Ints:
        """For how long each line has not been used; 0 where it never was."""
        found: Ints = np.where(self.used > BEGINNING, self.moment - np.maximum(self.used, 0), 0)
        return found

    @cached_property
    def columns(self) -> dict[str, DictionaryColumn]:
        """What may stand in a sentence: what is known, and for how many months a line has not been used."""
        months, codes = np.unique(self.idle // MONTH, return_inverse=True)
        return {**self.known, "months": DictionaryColumn(codes.astype(np.int32), Numbers(months))}

    def there(self, name: str) -> Bools:
        """Which lines hold something in a column."""
        found: Bools = self.columns[name].codes >= 0
        return found


class Sentences:
    """One sentence for each line: the first that fits. `columns`: what may stand in it."""

    def __init__(self, columns: Mapping[str, DictionaryColumn], size: int) -> None:
        self._columns = columns
        self._text = np.full(size, -1, dtype=np.int32)
        self._speaks = np.full(size, -1, dtype=np.int32)
        self._texts: dict[str, int] = {}

    def add(self, fits: Bools, speaks: Speaks, text: str | Callable[..., str], *names: str) -> None:
        """Says a sentence of the lines that fit and have none yet. `names`: of the columns that stand in it."""
        some = (fits & (self._text < 0)).nonzero()[0]
        if not len(some):
            return
        columns = [self._columns[name] for name in names]
        numbers = row_numbers([it.codes[some] for it in columns]) if columns else np.zeros(len(some), dtype=np.int64)
        _, sample, of = np.unique(numbers, return_index=True, return_inverse=True)
        codes = []
        for at in some[sample].tolist():
            values: list[Scalar] = [it.value(at) for it in columns]
            said = text(*values) if callable(text) else text.format(*values)
            codes.append(self._texts.setdefault(said, len(self._texts)))
        self._text[some] = np.array(codes, dtype=np.int32)[of]
        self._speaks[some] = list(Speaks).index(speaks)

    def columns(self) -> tuple[DictionaryColumn, DictionaryColumn]:
        """The sentences, and which way each speaks."""
        rest = self._texts.setdefault(NOTHING, len(self._texts))
        text = np.where(self._text < 0, np.int32(rest), self._text)
        return DictionaryColumn(text, list(self._texts)), DictionaryColumn(self._speaks, [str(it) for it in Speaks])


def standing_out(facts: Facts) -> tuple[DictionaryColumn, DictionaryColumn]:
    """The sentence of each line, and which way it speaks (no value: neither); what weighs most is said."""
    said, needed, is_used = Sentences(facts.columns, len(facts.used)), facts.there("needed_by"), facts.used > BEGINNING
    idle = is_used & (facts.idle > facts.idle_after * DAY)
    never = ~is_used & (facts.moment - facts.watched > facts.idle_after * DAY)
    having, counted = (numbers_at(facts.columns[name], np.arange(len(facts.used))) for name in ("having", "counted"))
    share, are_many = having / np.maximum(counted, 1), counted >= _FEW
    is_gone = facts.columns["status"].holding_any(list(GONE))
    said.add(is_gone, Speaks.AGAINST, lambda it: GONE[str(it)], "status")
    said.add(facts.there("fences"), Speaks.AGAINST, "It leads across the fence {}.", "fences")
    said.add(facts.there("conflicts"), Speaks.AGAINST, "It is part of a conflict of duties: {}.", "conflicts")
    former = "Kept from {}, where the person was before; no rule needs it."
    said.add(facts.there("former") & ~needed, Speaks.AGAINST, former, "former")
    said.add(never & ~needed, Speaks.AGAINST, _never, "recorded")
    said.add(idle & ~needed, Speaks.AGAINST, "Not used for {} months; no rule needs it.", "months")
    few = are_many & (share <= facts.peer_share) & ~needed
    said.add(few, Speaks.AGAINST, "Only {} of {} peers have it; no rule needs it.", "having", "counted")
    said.add(needed & is_used & ~idle, Speaks.FOR, "Expected: {} needs it, and it is used.", "needed_by")
    said.add(needed, Speaks.FOR, "Expected: {} needs it.", "needed_by")
    usual = are_many & (share >= _USUAL) & is_used & ~idle
    said.add(usual, Speaks.FOR, "Usual: {} of {} peers have it, and it is used.", "having", "counted")
    return said.columns()


GONE = {
    "left": "The person has left and still holds it.",
    "suspended": "The person is suspended and still holds it.",
    "invited": "The person was invited, has not come, and holds it.",
    "disabled": "The account is disabled and still holds it.",
}


def _never(recorded: Scalar) -> str:
    return f"Never used since {str(recorded)[:10]}, from when on uses are known; no rule needs it."
