"""Lines that need not be decided again: certified before, and nothing that matters has changed since."""

from __future__ import annotations

from collections.abc import Mapping

import msgspec
import numpy as np

from kathodos.columns.csr import Bools, Ints, joined
from kathodos.columns.dictionary import (
    DictionaryColumn,
    always,
    dense,
    in_common,
    joined_columns,
    nothing,
    numbers_at,
    positions_among,
    row_numbers,
)
from kathodos.columns.ordered import insertion_points, order_of
from kathodos.model.kinds import REVIEW_LINES, REVIEW_THINGS
from kathodos.review.lines import ReviewLines, reviews_in
from kathodos.review.subjects import About, Decision
from kathodos.store.records import Records

OF_LINES = ("until", "conflicts", "fences", "status", "ends", "former", "value")
# What makes a line of one review the same as one of another: the same unit of the same person.
KEYS = ("holder", "grant", "group", "part", "identity")
OF_THINGS = ("gives", "brings", "contains", "within")


class Certified(msgspec.Struct, frozen=True):
    """The last certification of each line that was signed off: in which review, when, by whom; nothing where none was.

    `line`: the position of the line then, among the records of all reviews; -1 where there was none.
    """

    review: DictionaryColumn
    at: DictionaryColumn
    by: DictionaryColumn
    line: Ints

    def taken(self, which: Bools) -> Certified:
        """That of some of the lines."""
        return Certified(self.review.taken(which), self.at.taken(which), self.by.taken(which), self.line[which])


def certified(records: Records, about: About, columns: Mapping[str, DictionaryColumn]) -> Certified:
    """The last certification, in a review that was signed off, of lines given by what makes them the same (KEYS)."""
    parts: dict[str, list[DictionaryColumn]] = {"review": [], "decided_at": [], "decided_by": []}
    positions: list[Ints] = []
    for review in (it for it in reviews_in(records) if it.about == about):
        lines = ReviewLines(records, review)
        at = (lines.decided("decision").holding(Decision.CERTIFY) & lines.is_signed).nonzero()[0]
        positions.append(lines.positions[at])
        parts["review"].append(always(review.name, len(at)).compact())
        for name in ("decided_at", "decided_by"):
            parts[name].append(lines.decided(name, at).compact())
    size, before = len(columns[KEYS[0]]), joined(positions).astype(np.int64)
    if not len(before):
        return Certified(nothing(size), nothing(size), nothing(size), np.full(size, -1, dtype=np.int64))
    old, new = _same_keys(records, before, columns)
    reviews, times, names = (joined_columns(it) for it in parts.values())
    rank = np.argsort(np.argsort(np.array([str(it) for it in times.values])))
    last = np.lexsort((rank[times.codes], old))
    at = insertion_points(old[last], new, side="right") - 1
    at = np.where((at >= 0) & (old[last[np.maximum(at, 0)]] == new), last[np.maximum(at, 0)], -1)
    which, when, who = (
        DictionaryColumn(np.append(it.codes, np.int32(-1))[at], it.values) for it in (reviews, times, names)
    )
    return Certified(which, when, who, np.append(before, -1)[at])


def _same_keys(records: Records, before: Ints, columns: Mapping[str, DictionaryColumn]) -> tuple[Ints, Ints]:
    """A number for each line before and each line now, equal where their keys are; -2 before for what is not there."""
    gone, pairs = np.zeros(len(before), dtype=bool), []
    for name in KEYS:
        then = records.column(REVIEW_LINES, name).taken(before).compact()
        code = np.append(positions_among(then.values, columns[name].values), -1)[then.codes].astype(np.int64)
        gone |= (then.codes >= 0) & (code < 0)
        pairs.append(np.concatenate([code, columns[name].codes.astype(np.int64)]))
    numbers = dense(row_numbers(pairs))
    return np.where(gone, -2, numbers[: len(before)]), numbers[len(before) :]


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
