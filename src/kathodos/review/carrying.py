"""Lines that need not be decided again: certified before, and nothing that matters has changed since."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from kathodos.columns.csr import Bools, Ints
from kathodos.columns.dictionary import DictionaryColumn, in_common, numbers_at
from kathodos.columns.ordered import insertion_points, order_of
from kathodos.model.kinds import REVIEW_LINES, REVIEW_THINGS
from kathodos.store.records import Records

OF_LINES = ("until", "conflicts", "fences", "status", "ends", "former")
OF_THINGS = ("gives", "brings", "contains", "within")


@dataclass(frozen=True)
class Certified:
    """The last certification of each line that was signed off: in which review, when, by whom; nothing where none was.

    `line`: the position of the line then, among the records of all reviews; -1 where there was none.
    """

    review: DictionaryColumn
    at: DictionaryColumn
    by: DictionaryColumn
    line: Ints


def unchanged(
    records: Records, before: Ints, lines: Mapping[str, DictionaryColumn], things: Mapping[str, DictionaryColumn]
) -> Bools:
    """Which lines say what they said when they were certified. `before`: positions of the lines then, or -1.

    What counts is what the access gives, how long, and what rules, status and last day say of it (OF_LINES, OF_THINGS);
    `things`: of each line.
    """
    there = before >= 0
    some = before[there]
    same = np.ones(len(some), dtype=bool)
    for name in OF_LINES:
        same &= _is_same(records.column(REVIEW_LINES, name).taken(some), lines[name].taken(there))
    then = _things_of(records, some)
    for name in OF_THINGS:
        same &= _is_same(records.column(REVIEW_THINGS, name).taken(then), things[name].taken(there))
    found = np.zeros(len(before), dtype=bool)
    found[there.nonzero()[0][same]] = True
    return found


def _is_same(first: DictionaryColumn, second: DictionaryColumn) -> Bools:
    one, other = in_common(first.compact(), second.compact())
    found: Bools = one == other
    return found


def _things_of(records: Records, lines: Ints) -> Ints:
    """The positions of what some lines are about."""
    of_lines, of_things = in_common(*(records.column(kind, "review") for kind in (REVIEW_LINES, REVIEW_THINGS)))
    numbers = numbers_at(records.column(REVIEW_THINGS, "thing"), np.arange(len(of_things)))
    wanted = numbers_at(records.column(REVIEW_LINES, "thing"), lines)
    width = int(max(numbers.max(initial=0), wanted.max(initial=0))) + 1
    keys = of_things.astype(np.int64) * width + numbers
    order = order_of(keys)
    found: Ints = order[insertion_points(keys[order], of_lines[lines].astype(np.int64) * width + wanted)]
    return found
