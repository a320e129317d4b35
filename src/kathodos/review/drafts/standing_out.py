"""What stands out of each line, as one sentence that is read first, and whether it speaks for the line or against."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from enum import StrEnum
from functools import cached_property

import msgspec
import numpy as np

from kathodos.columns.csr import Bools, Ints
from kathodos.columns.dictionary import DictionaryColumn, Numbers, Scalar, dictionary_column, row_numbers
from kathodos.model.times import BEGINNING, DAY, day_text

MONTH = 30 * DAY
NOTHING = "Nothing stands out."


class Speaks(StrEnum):
    """Which way the evidence of a line points."""

    AGAINST = "against"
    FOR = "for"


class Facts(msgspec.Struct, frozen=True, dict=True):
    """What is known of each line. `known`: status, begins, from, to_come (the day from which it would make conflicts,
    and their rules), fences, conflicts, former, needed_by, also_needed, beyond, excess, peers_having, peers_counted.

    `used`: the last use that is credited to the line and that it names, or the beginning of time; `since`: since when
    such a use would be known; `adds`, `withholds`: how much would be lost, or gained, without it; `moment`: when the
    review is opened; `idle_after`: days without use after which a line stands out. `is_few`, `is_usual`: whether
    surely few peers have it, or most; `counts`: whether it gives anything now; `is_beyond_used`: whether anything of
    what nobody asked for was used.
    """

    known: Mapping[str, DictionaryColumn]
    used: Ints
    since: Ints
    adds: Ints
    withholds: Ints
    moment: int
    idle_after: Ints
    is_few: Bools
    is_usual: Bools
    counts: Bools
    is_beyond_used: Bools

    @cached_property
    def idle(self) -> Ints:
        """For how long each line has not been used; 0 where it never was."""
        found: Ints = np.where(self.used > BEGINNING, self.moment - np.maximum(self.used, 0), 0)
        return found

    @cached_property
    def columns(self) -> dict[str, DictionaryColumn]:
        """What may stand in a sentence: what is known, for how many months a line has not been used, since when."""
        months, codes = np.unique(self.idle // MONTH, return_inverse=True)
        days, of = np.unique(np.clip(self.since, 0, self.moment) // DAY, return_inverse=True)
        since = dictionary_column(day_text(int(it) * DAY) for it in days.tolist())
        return {
            **self.known,
            "months": DictionaryColumn(codes.astype(np.int32), Numbers(months)),
            "since": DictionaryColumn(since.codes[of], since.values),
        }

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

    def add(self, fits: Bools, speaks: Speaks | None, text: str | Callable[..., str], *names: str) -> None:
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
        self._speaks[some] = list(Speaks).index(speaks) if speaks is not None else -1

    def columns(self) -> tuple[DictionaryColumn, DictionaryColumn]:
        """The sentences, and which way each speaks."""
        rest = self._texts.setdefault(NOTHING, len(self._texts))
        text = np.where(self._text < 0, np.int32(rest), self._text)
        return DictionaryColumn(text, list(self._texts)), DictionaryColumn(self._speaks, [str(it) for it in Speaks])


def standing_out(facts: Facts) -> tuple[DictionaryColumn, DictionaryColumn]:
    """The sentence of each line, and which way it speaks (no value: neither); what weighs most is said."""
    said, used, counts = Sentences(facts.columns, len(facts.used)), facts.used > BEGINNING, facts.counts
    against, needed, there = Speaks.AGAINST, facts.there("needed_by"), facts.there
    also, is_beyond = there("also_needed"), there("beyond")
    asked_for = needed | also
    is_new = facts.moment - facts.since <= facts.idle_after * DAY
    idle = used & (facts.idle > facts.idle_after * DAY) & (facts.adds > 0)
    never = ~used & ~is_new & (facts.since < facts.moment) & (facts.adds > 0)
    is_gone = facts.columns["status"].holding_any(list(GONE))
    said.add(is_gone, against, lambda it: GONE[str(it)], "status")
    makes = "From {} on it would make a conflict of duties: {}."
    said.add(~counts & there("to_come"), against, f"It gives nothing yet. {makes}", "from", "to_come")
    said.add(~counts & there("begins"), None, "It gives nothing before {}.", "begins")
    said.add(~counts, against, "It gives nothing now.")
    said.add(there("fences"), against, "It leads across the fence {}.", "fences")
    said.add(there("conflicts"), against, "It is part of a conflict of duties: {}.", "conflicts")
    said.add(there("to_come"), against, makes, "from", "to_come")
    beyond = "{} asks for part of it; it also allows {}, which nobody asked for"
    for which, column in ((needed, "needed_by"), (also, "also_needed")):
        unused = which & is_beyond & ~facts.is_beyond_used
        said.add(unused, against, f"{beyond} and was never used.", column, "beyond")
    said.add(there("former") & ~asked_for, against, "Kept from {}, where the person was before.", "former")
    redundant = (facts.adds == 0) & (facts.withholds == 0)
    said.add(redundant, against, "Nobody would lose anything without it: what it gives comes by another way too.")
    said.add(never & ~asked_for, against, "Never used since {}; no rule needs it.", "since")
    said.add(idle & ~asked_for, against, "Not used for {} months; no rule needs it.", "months")
    few = "Only {} of {} peers have it; no rule needs it."
    said.add(facts.is_few & ~asked_for, against, few, "peers_having", "peers_counted")
    said.add(needed & is_beyond, None, f"{beyond}.", "needed_by", "beyond")
    said.add(also & is_beyond, None, f"{beyond}.", "also_needed", "beyond")
    said.add(asked_for & never, None, "A rule needs it, but it was never used since {}.", "since")
    said.add(asked_for & idle, None, "A rule needs it, but it was not used for {} months.", "months")
    said.add(asked_for & there("excess"), None, "A rule needs it, but this was found of it: {}.", "excess")
    said.add(needed & used & ~idle, Speaks.FOR, "Expected: {} needs it, and it is used.", "needed_by")
    recorded = facts.since < facts.moment
    said.add(needed & is_new & recorded, Speaks.FOR, "Expected: {} needs it, and it is new.", "needed_by")
    said.add(needed, None, "{} needs it; whether it is used is not recorded.", "needed_by")
    said.add(also, None, "{} needs what it gives, which comes by another way too.", "also_needed")
    said.add(there("excess"), against, "Found of it: {}.", "excess")
    usual = facts.is_usual & used & ~idle
    said.add(usual, Speaks.FOR, "Usual: {} of {} peers have it, and it is used.", "peers_having", "peers_counted")
    return said.columns()


GONE = {
    "left": "The person has left and still holds it.",
    "suspended": "The person is suspended and still holds it.",
    "invited": "The person was invited, has not come, and holds it.",
    "disabled": "The account is disabled and still holds it.",
}
