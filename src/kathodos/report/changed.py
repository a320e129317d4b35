"""What changed in the catalogue since a moment: which record, how, by whom, and why, where the ledger knows."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping, Sequence
from itertools import islice
from typing import Any

import msgspec
import numpy as np

from kathodos.change.edit_sets import key_text
from kathodos.change.standing import orders_behind
from kathodos.columns.csr import Ints
from kathodos.columns.dictionary import matches
from kathodos.errors import CallError, found_if, sentence
from kathodos.ingest.comparing import numbered_keys
from kathodos.ledger.entries import Entry, entry_of
from kathodos.model.comparing import stretch_of
from kathodos.model.filters import FilterError
from kathodos.model.kinds import ACTIVITY, COVERS, GATHERED, TIES, Kind
from kathodos.model.suggestions import nearest
from kathodos.model.times import first_moment
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field, Lines, plain
from kathodos.report.records import reference_of
from kathodos.store.kind_history import KindHistory
from kathodos.workspace.view import View

_FIELDS = (
    Field("time", "When", 8, least=20),
    Field("record", "What", 9, least=18),
    Field("change", "Change", 9, least=20),
    Field("actor", "By whom", 7, least=8),
    Field("reason", "Why", 7, least=12),
)
_DATA = ("entry", "time", "actor", "by", "order", "ordered_by", "ordered_for", "reason", "kind", "record", "change")
_TOLD_TOGETHER = 1000  # records of which it is looked up at once what was behind their change
_KINDS = (*(kind for kind in GATHERED if kind is not ACTIVITY), TIES, COVERS)
_PASSED_OVER = ("last_login", "last_used")  # what says that something was used, and not that it is another


def changed(view: View, since: str, kind_name: str | None, most: int | None, is_table: bool) -> Answer:
    """The records that came, changed or went after a moment, the newest first; `most`: so many rows (None: all)."""
    try:
        begin = stretch_of(since, view.moment).begin
    except FilterError as error:
        what, _, remedy = str(error).partition("; ")
        raise CallError(f"--since: {what}.", sentence(remedy or "write a date, or today-7d")) from None
    kinds = [kind for kind in _KINDS if kind_name in (None, kind.name)]
    if not kinds:
        raise CallError(
            f"There is no kind of record {kind_name}.", nearest(kind_name or "", [it.name for it in _KINDS])
        )
    histories = view.histories
    entries = {it.number: it for it in map(entry_of, histories.reader.entries()) if first_moment(it.time) >= begin}
    first = min(entries, default=histories.newest.entry + 1)
    parts = [_changes(view, kind, first) for kind in kinds]
    of = np.concatenate([np.full(len(part), at) for at, part in enumerate(parts)])
    at = np.concatenate([np.arange(len(part)) for part in parts])
    entry = np.concatenate([part.entry for part in parts])
    order = np.lexsort((at, of, -entry))
    counts = {word: sum(part.count(word) for part in parts) for word in ("came", "changed", "went")}
    some = ((parts[of[it]], int(at[it])) for it in order[: most if is_table else None].tolist())
    rows = (
        row for these in iter(lambda: list(islice(some, _TOLD_TOGETHER)), []) for row in _rows(view, these, entries)
    )
    if not is_table:
        return Answer([Field(key, key) for key in _DATA], rows, status=found_if(len(order)))
    shown = [{**row, "actor": Lines(_by_whom(row)), "change": Lines(row["change"])} for row in rows]
    told = ", ".join(f"{count:,} {word}" for word, count in counts.items())
    heading = (
        f"Since {since}: {plural(len(order), 'record')}; {told}" if shown else f"Nothing has changed since {since}."
    )
    more = len(order) - len(shown)
    hint = f"{more:,} more: --all shows them." if more else ""
    hint = hint or ("What it means for who reaches what: kathodos baseline compare" if shown else "")
    return Answer(_FIELDS, shown, heading, hint=hint, status=found_if(shown))


class _Changes(msgspec.Struct, frozen=True):
    """The records of a kind that are another: for each the entry, and its rows before and after (-1: none)."""

    kind: Kind
    history: KindHistory
    entry: Ints
    before: Ints
    after: Ints

    def __len__(self) -> int:
        return len(self.entry)

    def count(self, word: str) -> int:
        """How many came, changed or went."""
        is_it = {"came": self.before < 0, "went": self.after < 0, "changed": (self.before >= 0) & (self.after >= 0)}
        return int(is_it[word].sum())


def _changes(view: View, kind: Kind, first: int) -> _Changes:
    """The records of a kind that entries from `first` on brought, changed or ended."""
    history, newest = view.histories.of(kind), view.point.entry
    new = ((history.until > newest) & (history.since <= newest) & (history.since >= first)).nonzero()[0]
    was = ((history.since < first) & (history.until >= first) & (history.until <= newest)).nonzero()[0]
    keys = [history.column(name) for name in kind.key]
    wanted, held = numbered_keys([key.taken(new) for key in keys], [key.taken(was) for key in keys])
    of_new = matches(wanted, held)
    before = np.append(was, -1)[of_new]
    differs = before < 0
    for name in kind.names:
        if name not in _PASSED_OVER:
            codes = history.column(name).codes
            differs |= codes[before] != codes[new]
    gone = np.setdiff1d(np.arange(len(was)), of_new)
    nothing = np.full(len(gone), -1, dtype=np.int64)
    entry = np.concatenate([history.since[new[differs]], history.until[was[gone]]]).astype(np.int64)
    rows_before, rows_after = np.concatenate([before[differs], was[gone]]), np.concatenate([new[differs], nothing])
    return _Changes(kind, history, entry, rows_before.astype(np.int64), rows_after.astype(np.int64))


def _rows(view: View, some: Sequence[tuple[_Changes, int]], entries: Mapping[int, Entry]) -> Iterator[dict[str, Any]]:
    """Some changes in words, each with the order that was behind it, where one was."""
    rows = [_row(changes, at, entries) for changes, at in some]
    keys = [(changes.kind, _key(changes, at), row["time"]) for (changes, at), row in zip(some, rows, strict=True)]
    behind = orders_behind(view.stored, keys)
    for (kind, key, time), row in zip(keys, rows, strict=True):
        order = behind.get((kind.name, key_text(key), time))
        if order is None:
            yield {**row, "order": None, "ordered_by": None, "ordered_for": None}
        else:
            ordered = {"order": order.order, "ordered_by": order.ordered_by, "ordered_for": order.change}
            yield {**row, **ordered, "reason": order.reason or row["reason"]}


def _key(changes: _Changes, at: int) -> tuple[object, ...]:
    shown = int(changes.after[at] if changes.after[at] >= 0 else changes.before[at])
    return tuple(changes.history.column(name).value(shown) for name in changes.kind.key)


def _by_whom(row: Mapping[str, Any]) -> list[str]:
    """Who entered it, by what, and who had ordered it."""
    if row["order"] is None:
        return [row["actor"], row["by"]]
    ordered = f"ordered by {row['ordered_by']}, for the change {row['ordered_for']}"
    return [ordered, f"found by {row['actor']}, {row['by']}"]


def _row(changes: _Changes, at: int, entries: Mapping[int, Entry]) -> dict[str, Any]:
    """One change in words."""
    kind, history = changes.kind, changes.history
    before, after = int(changes.before[at]), int(changes.after[at])
    shown = after if after >= 0 else before
    record = {name: history.column(name).value(shown) for name in kind.key}
    change = (
        list(_differences(history, kind, before, after))
        if before >= 0 and after >= 0
        else ["came" if after >= 0 else "went", *_told(history, kind, shown)]
    )
    entry = entries[int(changes.entry[at])]
    return {
        "entry": entry.number,
        "time": entry.time,
        "actor": entry.actor,
        "by": entry.kind,
        "reason": entry.reason or None,
        "kind": kind.name,
        "record": reference_of(kind, int(history.rows[shown]), record),
        "change": change,
    }


def _told(history: KindHistory, kind: Kind, at: int) -> list[str]:
    """What a record that came or went says, without its key: the first things."""
    names = [name for name in kind.names if name not in kind.key and name != "attributes"]
    held = ((name, history.column(name).value(at)) for name in names)
    told = [f"{name} {plain(value)}" for name, value in held if value not in (None, 0, 1, "permit", "")]
    return [", ".join(told[:4])] if told else []


def _differences(history: KindHistory, kind: Kind, old: int, now: int) -> Iterator[str]:
    """What is another: the column, before and after."""
    before_and_after = {
        name: [history.column(name).value(at) for at in (old, now)] for name in kind.names if name not in _PASSED_OVER
    }
    further = [json.loads(str(text or "{}")) for text in before_and_after.pop("attributes", ())]
    for name in dict.fromkeys(name for some in further for name in some):
        before_and_after[name] = [some.get(name) for some in further]
    for name, (before, after) in before_and_after.items():
        if before != after:
            yield f"{name}: {plain(before) or 'nothing'} -> {plain(after) or 'nothing'}"
