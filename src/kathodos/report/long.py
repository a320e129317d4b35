"""Long answers: to a person the first rows, and how many more there are."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TypeVar

R = TypeVar("R")
PIPED = 200  # rows where nobody looks at a window


def first_rows(rows: Sequence[R], most: int | None) -> tuple[Sequence[R], str]:
    """The first so many rows (None: all), and a sentence with how many more there are; empty where these are all."""
    if most is None or len(rows) <= most:
        return rows, ""
    return rows[:most], f"{len(rows) - most:,} more: --all shows them."
