"""Uses of access as they were recorded, in one trace or several, and folded by action and resource."""

from __future__ import annotations

from collections.abc import Sequence
from enum import StrEnum

import msgspec
import numpy as np

from kathodos.analysis.activity import Activity
from kathodos.analysis.role_entries import Entry
from kathodos.columns.csr import Bools, Ints, distinct
from kathodos.columns.csr import first_of_each as is_first
from kathodos.columns.dictionary import DictionaryColumn, dense, joined_columns, nothing, row_numbers, tabled
from kathodos.columns.moments import moments_of
from kathodos.columns.ordered import order_of
from kathodos.model.kinds import ACTIVITY, Kind
from kathodos.model.times import DAY, day_text, moment_text


class SplitBy(StrEnum):
    """What tells one trace from another among gathered uses."""

    DAY = "day"
    PERSON = "person"
    RECORD = "record"
    TASK = "task"


class Uses(msgspec.Struct, frozen=True):
    """Uses, one a row, and of which trace each is. `traces`: the names of the traces; `moments` in microseconds."""

    action: DictionaryColumn
    resource: DictionaryColumn
    moments: Ints
    counts: Ints
    trace: Ints
    traces: Sequence[str]

    def __len__(self) -> int:
        return len(self.moments)


class Touched(msgspec.Struct, frozen=True, order=True):
    """What was done with one resource: how often, when first and last, and in how many of the traces."""

    entry: Entry
    count: int
    first: str
    last: str
    traces: int


def uses_in(activity: Activity, chosen: Bools, name: str, split: SplitBy | None = None) -> Uses:
    """Some of the uses that activity shows, as one trace or split into several."""
    at = chosen.nonzero()[0]
    action, resource, time, count = (activity.column(it).taken(at) for it in ("action", "resource", "time", "count"))
    moments = np.append(moments_of(tabled(time.values)), 0)[time.codes]
    counts = np.array([int(value or 0) for value in count.values] + [0], dtype=np.int64)[count.codes]
    trace, traces = _traces(activity, at, moments, name, split)
    return Uses(action, resource, moments, counts, trace, traces)


def _traces(
    activity: Activity, at: Ints, moments: Ints, name: str, split: SplitBy | None
) -> tuple[Ints, Sequence[str]]:
    """Of which trace each use is, and what the traces are called."""
    if split is None:
        return np.zeros(len(at), dtype=np.int64), [name]
    column = activity.column(str(split)) if split in (SplitBy.RECORD, SplitBy.TASK) else None
    if column is not None:
        codes = column.codes[at].astype(np.int64)
    else:
        codes = moments // DAY if split is SplitBy.DAY else activity.who(at)
    numbers, trace = np.unique(codes, return_inverse=True)

    def called(code: int) -> str:
        if column is not None:
            return str(column.values[code]) if code >= 0 else "none"
        return day_text(code * DAY) if split is SplitBy.DAY else activity.name(code)

    return trace.astype(np.int64), [called(code) for code in numbers.tolist()]


def all_uses(parts: Sequence[Uses]) -> Uses:
    """The uses of several recordings, each with traces of its own."""
    if len(parts) == 1:
        return parts[0]
    offsets = np.cumsum([0, *(len(part.traces) for part in parts)])
    return Uses(
        joined_columns([part.action for part in parts]),
        joined_columns([part.resource for part in parts]),
        np.concatenate([part.moments for part in parts]),
        np.concatenate([part.counts for part in parts]),
        np.concatenate([part.trace + offset for part, offset in zip(parts, offsets.tolist(), strict=False)]),
        [name for part in parts for name in part.traces],
    )


def folded(uses: Uses) -> list[Touched]:
    """The uses by action and resource, in the order of resources."""
    if not len(uses):
        return []
    pair = dense(row_numbers([uses.action.codes, uses.resource.codes]))
    size = int(pair.max()) + 1
    order = order_of(pair)
    starts = is_first(pair[order]).nonzero()[0]
    moments = uses.moments[order]
    first, last = np.minimum.reduceat(moments, starts), np.maximum.reduceat(moments, starts)
    counts = np.add.reduceat(uses.counts[order], starts)
    width = len(uses.traces)
    traces = np.bincount(distinct(pair * width + uses.trace) // max(width, 1), minlength=size)
    begin = order[starts]
    names = zip(uses.resource.listed(begin), uses.action.listed(begin), strict=True)
    entries = [Entry(str(resource), str(action)) for resource, action in names]
    columns = zip(entries, counts.tolist(), first.tolist(), last.tolist(), traces.tolist(), strict=True)
    return sorted(
        Touched(entry, count, moment_text(one), moment_text(end), of) for entry, count, one, end, of in columns
    )


class OneKind(msgspec.Struct, frozen=True):
    """Records of a single kind as columns, such as a file that is read and not kept."""

    kind: Kind
    columns: Sequence[DictionaryColumn]

    def column(self, kind: Kind, name: str) -> DictionaryColumn:
        """One column; empty for any other kind."""
        return self.columns[self.kind.names.index(name)] if kind is self.kind else nothing(0)


def activity_columns(columns: Sequence[DictionaryColumn]) -> OneKind:
    """Activity that was read from a file, as columns in the order of its kind."""
    return OneKind(ACTIVITY, columns)
