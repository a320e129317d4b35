"""The compiled index beside the store: opened where it fits, brought up to date where it is behind, else made anew."""

from __future__ import annotations

import contextlib

from kathodos import thresholds
from kathodos.engine.compiled.index import NEEDED, Index
from kathodos.engine.compiled.layout import arrays_of, index_from
from kathodos.model.kinds import Kind
from kathodos.store.computed import Computed
from kathodos.store.edited import Edits, edits_between, edits_since, rows_between
from kathodos.store.history import Histories
from kathodos.store.records import Stored

NAME = "index"


def index_at(histories: Histories, point: int | None) -> Index:
    """The index of the catalogue after ledger entry `point` (None: the present)."""
    wanted = histories.newest.entry if point is None else point
    saved = opened(histories)
    index = None
    if saved is not None:
        with contextlib.suppress(ValueError):  # of another version: made anew
            index = index_from(saved, saved.rest)
    if saved is not None and index is not None:
        entry = saved.point.entry
        touched = [kind for kind in NEEDED if kind.name in histories.touched_between(entry, wanted)]
        changed = rows_between(histories, touched, entry, wanted) if touched else 0
        if not changed:
            return index
        if changed <= thresholds.EDITS_OF_INDEX:
            from kathodos.engine.compiled.patch import updated

            index = updated(index, edits_between(histories, touched, entry, wanted), Stored(histories, wanted))
            return _kept(histories, index) if point is None else index
    from kathodos.engine.compiled.compile import compile_index

    index = compile_index(Stored(histories, point))
    return _kept(histories, index) if point is None else index


def index_at_hand(histories: Histories) -> tuple[Index, Edits] | None:
    """The saved index with the edits since, where it is a little behind; None where it fits, or lies far behind."""
    saved = opened(histories)
    if saved is None:
        return None
    entry = saved.point.entry
    touched, count = _behind(histories, entry)
    if not 0 < count <= thresholds.FEW_BEHIND:
        return None
    with contextlib.suppress(ValueError):  # of another version
        return index_from(saved, saved.rest), edits_since(histories, touched, entry)
    return None


def keep_up(histories: Histories) -> None:
    """Brings the saved index up to date where it lies far behind, and that takes less than to make it anew."""
    saved = opened(histories)
    if (
        saved is not None
        and thresholds.FEW_BEHIND < _behind(histories, saved.point.entry)[1] <= thresholds.EDITS_OF_INDEX
    ):
        index_at(histories, None)


def _behind(histories: Histories, entry: int) -> tuple[list[Kind], int]:
    """The kinds that an index rests on of which entries after one have opened or closed rows, and how many."""
    touched = [kind for kind in NEEDED if kind.name in histories.touched_between(entry, histories.newest.entry)]
    return touched, sum(histories.count_since(kind, entry) for kind in touched)


def opened(histories: Histories) -> Computed | None:
    """The saved index; None where there is none that fits."""
    saved = histories.folder.open(NAME)
    if saved is not None and histories.reader.leaf(saved.point.entry) == saved.point.leaf:
        return saved
    return None


def _kept(histories: Histories, index: Index) -> Index:
    histories.folder.save(NAME, histories.newest, *arrays_of(index))
    return index
