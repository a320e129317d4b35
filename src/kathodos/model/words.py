"""Small words that every room needs."""

from __future__ import annotations


def plural(count: int, one: str, many: str = "") -> str:
    """`1 line`, `2 lines`."""
    return f"{count} {one if count == 1 else many or one + 's'}"
