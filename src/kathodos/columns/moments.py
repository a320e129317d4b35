"""Dates and times as they are kept, read in bulk: microseconds since 1970."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from kathodos.columns.csr import Ints
from kathodos.columns.strings import StringTable
from kathodos.model.times import DAY, end_moment, first_moment

_SECOND = 1_000_000
_DATE, _TIME = len("2026-03-01"), len("2026-03-01T08:00:00Z")


def moments_of(values: Sequence[object], is_end: bool = False) -> Ints:
    """The first moment of each kept date or time, or the first behind it."""
    if not isinstance(values, StringTable):
        read = end_moment if is_end else first_moment
        return np.fromiter((read(str(value)) for value in values), dtype=np.int64, count=len(values))
    lengths = np.diff(values.starts)
    found = np.zeros(len(values), dtype=np.int64)
    is_date = lengths == _DATE
    plain = is_date | (lengths == _TIME)
    found[plain] = _days(values, plain.nonzero()[0]) * DAY
    timed = (plain & ~is_date).nonzero()[0]
    parts = (_number(values, timed, at, 2) * size for at, size in ((11, 3600), (14, 60), (17, 1)))
    found[timed] += sum(parts, start=np.zeros(len(timed), dtype=np.int64)) * _SECOND
    if is_end:
        found[is_date] += DAY
    for at in (~plain).nonzero()[0].tolist():
        found[at] = (end_moment if is_end else first_moment)(values[at])
    return found


def _days(table: StringTable, some: Ints) -> Ints:
    """The days from 1970 to the date that each text begins with (proleptic Gregorian calendar, ISO 8601)."""
    year, month, day = (_number(table, some, at, size) for at, size in ((0, 4), (5, 2), (8, 2)))
    months = ((year - 1970) * 12 + month - 1).astype("datetime64[M]")
    days: Ints = months.astype("datetime64[D]").astype(np.int64) + day - 1
    return days


def _number(table: StringTable, some: Ints, first: int, size: int) -> Ints:
    """The number that stands in so many bytes of each text."""
    found = np.zeros(len(some), dtype=np.int64)
    for at in range(first, first + size):
        found = found * 10 + (table.content[table.starts[some] + at].astype(np.int64) - ord("0"))
    return found
