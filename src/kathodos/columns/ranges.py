"""Whole numbers written as ranges, `1-5,9`, as the ledger keeps the rows that an entry opened and closed."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np


def ranges_text(numbers: Iterable[int]) -> str:
    """Whole numbers as ranges: `1-5,9`."""
    ordered = np.unique(np.fromiter(numbers, dtype=np.int64))
    parts = np.split(ordered, (np.diff(ordered) != 1).nonzero()[0] + 1)
    return ",".join(range_text(range(int(part[0]), int(part[-1]) + 1)) for part in parts if len(part))


def range_text(numbers: range) -> str:
    """One range: `1-5`, or `9` for a single number."""
    return str(numbers.start) if len(numbers) == 1 else f"{numbers.start}-{numbers.stop - 1}"


def ranges_in(text: str) -> list[range]:
    """The ranges that `ranges_text` wrote."""
    ends = (part.split("-") for part in text.split(",") if part)
    return [range(int(end[0]), int(end[-1]) + 1) for end in ends]
