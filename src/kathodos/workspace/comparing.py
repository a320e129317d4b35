"""Two states of one workspace side by side: whose reach differs."""

from __future__ import annotations

from typing import TYPE_CHECKING

from kathodos.engine.compiled.index import NEEDED, Index
from kathodos.store.records import edits_between, rows_between

if TYPE_CHECKING:
    from kathodos.analysis.differences import ReachDifferences
    from kathodos.workspace.view import View

_MOST_LOOKED_AT = 50_000  # rows that differ, beyond which everybody is looked at


def reach_differences(first: View, second: View) -> ReachDifferences | None:
    """Those whose reach differs between two views; None where no record and no time bears on it."""
    histories, entries = second.histories, (first.point.entry, second.point.entry)
    touched = [kind for kind in NEEDED if kind.name in histories.touched_between(*entries)]
    if not rows_between(histories, touched, *entries) and not _has_passed(second.index, first.moment, second.moment):
        return None
    from kathodos.analysis.differences import ReachDifferences, Side

    before, after = Side(first.index, first.moment), Side(second.index, second.moment)
    if rows_between(histories, touched, *entries) > _MOST_LOOKED_AT:
        return ReachDifferences(before, after, None)
    return ReachDifferences(before, after, edits_between(histories, touched, *entries))


def _has_passed(index: Index, first: int, second: int) -> bool:
    """Whether anything began or ended between two moments."""
    low, high = min(first, second), max(first, second)
    times = (index.grants.starts, index.grants.ends, index.holders.starts, index.holders.ends)
    return any(bool(((it > low) & (it <= high)).any()) for it in times)
