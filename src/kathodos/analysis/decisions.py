"""How the lines of a review were decided: how fast, how many at once, against what evidence, who took what away.

All measures are of whoever decided, in one review; what is only decided so by its closing, or carried over, is
nobody's decision.
"""

from __future__ import annotations

from functools import cached_property

import msgspec
import numpy as np
import numpy.typing as npt

from kathodos.columns.csr import Bools, Ints
from kathodos.columns.dictionary import DictionaryColumn, nothing, numbers_at
from kathodos.columns.moments import moments_of
from kathodos.columns.ordered import insertion_points, order_of
from kathodos.model.kinds import DECISIONS, REVIEW_LINES
from kathodos.model.times import BEGINNING
from kathodos.store.records import Records

BREAK = 600 * 1_000_000  # microseconds between two decisions after which somebody was doing something else
_NOBODYS = ("at the closing", "carried over")  # as what nobody decided anything


class Decisions(msgspec.Struct, frozen=True, dict=True):
    """The decisions of one review, in the order of who made them and when.

    `who`: a position in `names`; `time` in microseconds; `is_against`, `is_for`: what the evidence of the line says.
    `is_known`: whether it is known if the evidence was looked at, `is_unopened`: that it was not.
    """

    names: list[str]
    who: Ints
    time: Ints
    is_certified: Bools
    is_against: Bools
    is_for: Bools
    is_unopened: Bools
    is_known: Bools

    def __len__(self) -> int:
        return len(self.who)

    def _count(self, which: Bools) -> Ints:
        found: Ints = np.bincount(self.who[which], minlength=len(self.names))
        return found

    @cached_property
    def decided(self) -> Ints:
        """How many lines each has decided."""
        return self._count(np.ones(len(self), dtype=bool))

    @cached_property
    def certified(self) -> Ints:
        """How many of them were certified."""
        return self._count(self.is_certified)

    @cached_property
    def against(self) -> Ints:
        """How many of each one's lines the evidence spoke against."""
        return self._count(self.is_against)

    @cached_property
    def certified_against(self) -> Ints:
        """How many of these were certified."""
        return self._count(self.is_against & self.is_certified)

    @cached_property
    def opened_known(self) -> Ints:
        """Of how many of each one's lines it is known whether the evidence was looked at."""
        return self._count(self.is_known)

    @cached_property
    def unopened(self) -> Ints:
        """Of how many of these it was not, though they were certified."""
        return self._count(self.is_unopened & self.is_certified)

    @cached_property
    def at_once(self) -> Ints:
        """The most lines that each certified at one moment."""
        found, _ = self.most_within(0)
        return found

    def most_within(self, microseconds: int) -> tuple[Ints, Ints]:
        """The most lines that each certified within a time, and the moment of the first of these."""
        who, time = self.who[self.is_certified], self.time[self.is_certified]
        most, since = np.zeros(len(self.names), dtype=np.int64), np.full(len(self.names), BEGINNING, dtype=np.int64)
        if len(who):
            moments, rank = np.unique(np.concatenate([time, time + microseconds]), return_inverse=True)
            width = len(moments) + 1
            key, end = who * width + rank[: len(who)], who * width + rank[len(who) :]
            count = insertion_points(key, end, side="right") - np.arange(len(who))
            np.maximum.at(most, who, count)
            first = (count == most[who]).nonzero()[0][::-1]
            since[who[first]] = time[first]
        return most, since

    @cached_property
    def seconds_a_line(self) -> npt.NDArray[np.float64]:
        """The time between one's decisions, breaks left out, for each of the lines; not a number for a single line."""
        gaps = np.diff(self.time, prepend=self.time[:1])
        is_same = np.diff(self.who, prepend=-1) == 0
        spent = np.bincount(
            self.who, weights=np.where(is_same & (gaps <= BREAK), gaps, 0) / 1e6, minlength=len(self.names)
        )
        found: npt.NDArray[np.float64] = np.where(self.decided > 1, spent / np.maximum(self.decided, 1), np.nan)
        return found

    @cached_property
    def share_taken(self) -> npt.NDArray[np.float64]:
        """The share of each one's lines that were revoked or reduced."""
        found: npt.NDArray[np.float64] = (self.decided - self.certified) / np.maximum(self.decided, 1)
        return found

    def share_of_others(self, least: int) -> npt.NDArray[np.float64]:
        """The share that all others together took away who decided at least so many lines; 0 where there is nobody."""
        counts = self.decided >= least
        taken, decided = (np.where(counts, it, 0) for it in (self.decided - self.certified, self.decided))
        others = decided.sum() - decided
        found: npt.NDArray[np.float64] = np.where(others > 0, (taken.sum() - taken) / np.maximum(others, 1), 0.0)
        return found


def decisions_of(records: Records, review: str) -> Decisions:
    """The decisions of a review as they stand now."""
    at = records.column(DECISIONS, "review").holding(review).nonzero()[0]
    at = at[~records.column(DECISIONS, "capacity").holding_any(_NOBODYS)[at]]
    who = records.column(DECISIONS, "decided_by").taken(at).compact()
    when = records.column(DECISIONS, "decided_at")
    time = np.append(moments_of(when.values), BEGINNING)[when.codes[at]]
    speaks = _evidence(records, review, numbers_at(records.column(DECISIONS, "line"), at))
    is_certified = records.column(DECISIONS, "decision").holding("certify")[at]
    opened = records.column(DECISIONS, "opened").taken(at)
    sort = np.lexsort((time, who.codes))
    return Decisions(
        list(map(str, who.values)),
        who.codes.astype(np.int64)[sort],
        time[sort],
        is_certified[sort],
        speaks.holding("against")[sort],
        speaks.holding("for")[sort],
        (opened.codes >= 0)[sort] & ~opened.holding(1)[sort],
        (opened.codes >= 0)[sort],
    )


def _evidence(records: Records, review: str, wanted: Ints) -> DictionaryColumn:
    """Which way the evidence of some lines of a review, given by number, speaks."""
    if not len(wanted):
        return nothing(0)
    lines = records.column(REVIEW_LINES, "review").holding(review).nonzero()[0]
    if not len(lines):
        return nothing(len(wanted))
    numbers = numbers_at(records.column(REVIEW_LINES, "line"), lines)
    order = order_of(numbers)
    at = order[np.minimum(insertion_points(numbers[order], wanted), len(lines) - 1)]
    return records.column(REVIEW_LINES, "speaks").taken(lines[at])
