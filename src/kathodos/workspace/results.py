"""What was found is kept beside the store, and answers again as long as nothing that it rests on is another.

A result rests on the ledger up to the last entry that bears on its question, on the files of the workspace
(configuration, rules, controls) and on the moment: it holds from one moment at which anything begins or ends to the
next, and never over midnight, since days are counted. It tells askers by number, so it also rests on how the index
numbers them; and on the edits that are assumed.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Iterable
from typing import TYPE_CHECKING, Any

import msgspec
import numpy as np

from kathodos.columns.csr import Ints
from kathodos.columns.dictionary import tabled
from kathodos.columns.moments import moments_of
from kathodos.model.kinds import (
    ACTIVITY,
    BASELINES,
    CHANGE_EDITS,
    CHANGES,
    CLAIMS,
    CONFIRMATIONS,
    CONTROLS,
    COVERS,
    DECISIONS,
    KIT_ENTRIES,
    KITS,
    MERGES,
    ORDERS,
    PROBLEMS,
    REQUEST_ITEMS,
    REQUEST_REMARKS,
    REQUEST_STEPS,
    REQUESTS,
    RETURNED,
    REVIEW_LINES,
    REVIEW_REMARKS,
    REVIEW_THINGS,
    REVIEWS,
    SETTINGS,
)
from kathodos.model.times import DAY, end_moment, first_moment
from kathodos.store.base import rows_of_entry
from kathodos.store.computed import Arrays, Point
from kathodos.store.edited import Edited

if TYPE_CHECKING:
    from kathodos.workspace.view import View

_FORM = 9  # of what is kept: another number where what a question finds has changed
_PREFIX = "result-"
_MOST = 40  # files of results
_WITHOUT_NUMBERS = "ties"  # the question whose result names everything
_ABOUT_PEOPLES_ACTS = ("excess", "risk")  # questions on which also bears what people decided, covered and confirmed
_BEARING_ON_NOTHING = {
    kind.name
    for kind in (
        *(REVIEWS, REVIEW_THINGS, REVIEW_LINES, REVIEW_REMARKS, BASELINES, PROBLEMS, CLAIMS, SETTINGS),
        *(CHANGES, CHANGE_EDITS, MERGES, KITS, KIT_ENTRIES, REQUEST_ITEMS, REQUEST_REMARKS),
    )
}
_OF_PEOPLE = (DECISIONS, RETURNED, COVERS, CONTROLS, CONFIRMATIONS, ORDERS, REQUESTS, REQUEST_STEPS)
_BEARING_ON_FEW = {*_BEARING_ON_NOTHING, *(kind.name for kind in _OF_PEOPLE)}


class Result(msgspec.Struct, frozen=True):
    """What a question found: arrays by name, and what else was found, as JSON has it."""

    arrays: Arrays
    rest: Any


def kept(view: View, question: str, make: Callable[[], Result]) -> Result:
    """What a question finds in a view: as it was kept, where that holds, else made and kept."""
    found = kept_already(view, question)
    if found is not None:
        return found
    result = make()
    _keep(view, question, result)
    return result


def _keep(view: View, question: str, result: Result) -> None:
    folder, name = view.histories.folder, _name(view, question)
    first, until = unchanged_between(view)
    if folder.save(
        name, _last_bearing(view, question), result.arrays, {"from": first, "until": until, "of": result.rest}
    ):
        folder.keep(_PREFIX, _MOST)


def kept_already(view: View, question: str) -> Result | None:
    """What is kept of what a question finds in a view; None where there is nothing that holds."""
    found = view.histories.folder.open(_name(view, question))
    if found is not None and found.rest["from"] <= view.moment < found.rest["until"]:
        return Result(found, found.rest["of"])
    return None


def _name(view: View, question: str) -> str:
    """The file of a result: named after all it rests on, but for the moment within a day."""
    point = _last_bearing(view, question)
    rests_on = [_FORM, question, point.entry, point.leaf, view.moment // DAY, *view.workspace.digests]
    rests_on += [] if question == _WITHOUT_NUMBERS else [view.index.holders.numbering]
    rests_on += [_digest(view.assumed)] if view.assumed is not None else []
    return f"{_PREFIX}{question}-{hashlib.blake2b(json.dumps(rests_on).encode(), digest_size=12).hexdigest()}"


def _digest(assumed: Edited) -> str:
    """A digest of the edits that are assumed."""
    made = hashlib.blake2b(digest_size=12)
    for name in sorted(assumed.edits):
        edits = assumed.edits[name]
        made.update(name.encode())
        made.update(edits.gone.astype(np.int64).tobytes())
        made.update(json.dumps([column.listed() for column in edits.come]).encode())
    return made.hexdigest()


def _last_bearing(view: View, question: str) -> Point:
    """The last entry of a view that opened or closed a row of a kind that bears on a question."""
    passed_over = _BEARING_ON_NOTHING if question.startswith(_ABOUT_PEOPLES_ACTS) else _BEARING_ON_FEW
    for it in view.histories.reader.entries():
        if it.number <= view.point.entry and not rows_of_entry(it.number, it.rows).keys() <= passed_over:
            return Point(it.number, it.leaf.hex())
    return Point(0, "")


def unchanged_between(view: View) -> tuple[int, int]:
    """From which moment on, and until which, nothing begins or ends beside the moment of a view."""
    day = view.moment - view.moment % DAY
    first, until = day, day + DAY
    for times in _boundaries(view):
        before, after = times[times <= view.moment], times[times > view.moment]
        first = max(first, int(before.max(initial=first)))
        until = min(until, int(after.min(initial=until)))
    return first, until


def _boundaries(view: View) -> Iterable[Ints]:
    """The moments at which something begins, ends, was used, or is due."""
    index, register = view.index, view.register
    yield from (index.grants.starts, index.grants.ends, index.holders.starts, index.holders.ends)
    yield moments_of(tabled(view.catalogue.column(ACTIVITY, "time").values))
    times = [first_moment(cover.covered_at) for cover in register.covers]
    times += [end_moment(cover.until) for cover in register.covers]
    times += [end_moment(control.until) for control in register.controls.values()]
    times += [due.due for due in register.dues(view.moment)]
    yield np.array(times, dtype=np.int64)
