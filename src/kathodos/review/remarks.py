"""What is said of the lines of a review beside what is decided: passed on, asked back, answered, a comment."""

from __future__ import annotations

from enum import StrEnum
from functools import cached_property
from typing import Any

import numpy as np

from kathodos.columns.csr import Ints, distinct
from kathodos.columns.dictionary import DictionaryColumn, numbers_at
from kathodos.columns.ordered import insertion_points
from kathodos.model.kinds import REVIEW_REMARKS
from kathodos.store.records import Records


class Sort(StrEnum):
    """What sort of remark it is."""

    PASSED_ON = "passed on"
    QUESTION = "question"
    ANSWER = "answer"
    COMMENT = "comment"


class Remarks:
    """The remarks on the lines of one review, in order of lines and as they were made. `numbers`: of all lines."""

    def __init__(self, records: Records, review: str, numbers: Ints) -> None:
        self._records = records
        self._lines = len(numbers)
        at = records.column(REVIEW_REMARKS, "review").holding(review).nonzero()[0]
        line, remark = (numbers_at(records.column(REVIEW_REMARKS, name), at) for name in ("line", "remark"))
        order = np.lexsort((remark, line))
        self._at, self._remark = at[order], remark[order]
        self._line: Ints = insertion_points(numbers, line[order])

    def __len__(self) -> int:
        return len(self._at)

    def next_numbers(self, lines: Ints) -> Ints:
        """The number that the next remark on each of some lines bears."""
        last = np.zeros(self._lines, dtype=np.int64)
        last[self._line] = self._remark
        found: Ints = last[lines] + 1
        return found

    @cached_property
    def passed(self) -> Ints:
        """The lines that were passed on, by position."""
        return distinct(self._line[self._sort(Sort.PASSED_ON)])

    @cached_property
    def passed_to(self) -> DictionaryColumn:
        """Whom each line was passed on to last; nobody where it was not."""
        return self._last(self._sort(Sort.PASSED_ON).nonzero()[0])

    @cached_property
    def asked(self) -> DictionaryColumn:
        """Whom a question about each line waits for, that nobody has answered yet."""
        questions, answers = (self._sort(it).nonzero()[0] for it in (Sort.QUESTION, Sort.ANSWER))
        answered = np.full(self._lines, -1, dtype=np.int64)
        answered[self._line[answers]] = answers
        return self._last(questions[questions > answered[self._line[questions]]])

    def of_lines(self, lines: Ints) -> dict[int, list[dict[str, Any]]]:
        """The remarks on some lines, by the position of the line."""
        if not len(self):
            return {}
        chosen = np.isin(self._line, lines).nonzero()[0]
        names = ("sort", "said_by", "said_at", "whom", "text")
        columns = [self._records.column(REVIEW_REMARKS, name).listed(self._at[chosen]) for name in names]
        found: dict[int, list[dict[str, Any]]] = {}
        for line, *values in zip(self._line[chosen].tolist(), *columns, strict=True):
            found.setdefault(line, []).append(dict(zip(names, values, strict=True)))
        return found

    def _sort(self, sort: Sort) -> Any:
        """Which remarks are of a sort."""
        return self._records.column(REVIEW_REMARKS, "sort").holding(sort)[self._at]

    def _last(self, some: Ints) -> DictionaryColumn:
        """Whom the last of some remarks on each line is for."""
        column = self._records.column(REVIEW_REMARKS, "whom")
        codes = np.full(self._lines, -1, dtype=np.int32)
        codes[self._line[some]] = column.codes[self._at[some]]
        return DictionaryColumn(codes, column.values)
