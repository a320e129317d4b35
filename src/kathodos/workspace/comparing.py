"""Two states of one workspace side by side: whose reach differs."""

from __future__ import annotations

from collections import Counter
from typing import TYPE_CHECKING

from kathodos import thresholds
from kathodos.engine.compiled.index import NEEDED, Index
from kathodos.model.kinds import GATHERED
from kathodos.store.edited import Edit, Edits, edits_between, edits_of, rows_between

if TYPE_CHECKING:
    from kathodos.analysis.differences import KindDifference, ReachDifferences
    from kathodos.workspace.view import View


def reach_differences(first: View, second: View) -> ReachDifferences | None:
    """Those whose reach differs between two views; None where no record and no time bears on it."""
    histories, entries = second.histories, (first.point.entry, second.point.entry)
    touched = [kind for kind in NEEDED if kind.name in histories.touched_between(*entries)]
    assumed = _assumed_edits(second)
    count = rows_between(histories, touched, *entries)
    if not count and not assumed and not _has_passed(second.index, first.moment, second.moment):
        return None
    from kathodos.analysis.differences import ReachDifferences, Side

    before, after = Side(first.index, first.moment), Side(second.index, second.moment)
    if count > thresholds.ROWS_COMPARED:
        return ReachDifferences(before, after, None)
    edits = dict(edits_between(histories, touched, *entries))
    for name, more in assumed.items():
        known = edits.get(name, Edit())
        edits[name] = Edit([*known.gone, *more.gone], [*known.come, *more.come])
    return ReachDifferences(before, after, edits)


def kind_differences(first: View, second: View) -> list[KindDifference]:
    """How many records of each kind came, changed and went from one state to another, what is assumed included."""
    from kathodos.analysis.differences import KindDifference, by_kind

    histories, entries = second.histories, (first.point.entry, second.point.entry)
    assumed = _assumed_edits(second)
    if not assumed:
        return by_kind(histories, *entries)
    from kathodos.change.edit_sets import EditSet, Verb, edits_from

    touched = [kind for kind in GATHERED if kind.name in histories.touched_between(*entries)]
    net = EditSet([*edits_from(edits_between(histories, touched, *entries)), *edits_from(assumed)])
    by_kind_of = net.by_kind()
    found = []
    for kind in (it for it in GATHERED if it in by_kind_of):
        verbs = Counter(edit.verb for edit in by_kind_of[kind])
        found.append(KindDifference(kind, verbs[Verb.ADD], verbs[Verb.SET], verbs[Verb.END]))
    return found


def _assumed_edits(view: View) -> Edits:
    return edits_of(view.assumed, GATHERED) if view.assumed is not None else {}


def _has_passed(index: Index, first: int, second: int) -> bool:
    """Whether anything began or ended between two moments."""
    low, high = min(first, second), max(first, second)
    times = (index.grants.starts, index.grants.ends, index.holders.starts, index.holders.ends)
    return any(bool(((it > low) & (it <= high)).any()) for it in times)
