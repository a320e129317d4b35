"""How a person, role, group or grant came to be as it is: entry by entry what came and went, by whom and why."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import partial
from typing import Any

import numpy as np

from kathodos.change.edit_sets import EditSet, edit_of
from kathodos.change.restoring import EVERYTHING, NAMED, Part, counted, part_of
from kathodos.columns.csr import Ints, distinct
from kathodos.errors import CallError
from kathodos.ledger.entries import Entry, newest_entries
from kathodos.model.kinds import GRANTS, Kind
from kathodos.model.words import plural
from kathodos.report.answers import Answer, Field, Lines
from kathodos.report.edits import Wording
from kathodos.report.long import first_rows
from kathodos.report.restoring import reference_of_part
from kathodos.store.kind_history import KindHistory
from kathodos.workspace.view import View

_FIELDS = (
    Field("entry", "Entry", 8, is_number=True),
    Field("time", "When", 9, least=20),
    Field("by", "By", 7),
    Field("act", "By what", 6),
    Field("came", "Came", 8, is_number=True),
    Field("went", "Went", 8, is_number=True),
    Field("then", "Own then", 8, is_number=True),
    Field("held", "Grants then", 7, is_number=True),
    Field("what", "What", 9, least=28),
    Field("why", "Why", 5, least=12),
)
_MOST_TOLD = 4
_WHICH = f"Name one of: {', '.join(kind.one for kind in NAMED)}, or everything."


def history_shown(view: View, text: str, most: int | None, form: str, than: View | None = None) -> Answer:
    """Each entry that changed something of a thing, the newest first, with how many records it had then and has now.

    `than`: an earlier state, with which it is set side by side. Of a role also by how many grants it is held: what came
    and went is counted of both.
    """
    if ":/" in text:
        raise CallError(f"{text} is a resource, and its history is not kept apart.", _WHICH)
    reference = reference_of_part(view.stored, view.stored, text) if text != EVERYTHING else EVERYTHING
    changes = _Changes(view, part_of(view.stored, view.stored, reference))
    rows = list(changes.rows())
    now = rows[0]["then"] if rows else 0
    shown, more = first_rows(rows, most if form == "table" else None)
    held = ""
    if changes.grants is not None:
        held = f" of its own and {plural(rows[0]['held'] if rows else 0, 'grant')} of it"
    changed = f"{plural(len(rows), 'entry', 'entries')} changed something of them"
    heading = f"{reference}: {plural(now, 'record')}{held} now; {changed}"
    aside = [] if than is None else list(_side_by_side(view, than, changes))
    told = [f"  {it['kind']}: {it['now']:,} now, {it['then']:,} then ({_differing(it['difference'])})" for it in aside]
    entry = f"entry {than.point.entry}" if than is not None else ""
    told = [f"Now, and as it was after {entry}:", *told] if than is not None else []
    hint = f"{more} Put it back as it was: kathodos change restore {reference} --to POINT".strip()
    fields = [it for it in _FIELDS if it.key != "held" or changes.grants is not None]
    extra = () if form == "table" else ("edits",)
    document = {"of": reference, "now_and_then": aside, "entries": rows} if than is not None else None
    return Answer(fields, shown, heading, told, hint=hint if rows else "", extra_keys=extra, document=document)


class _Changes:
    """What entries of the ledger opened and closed of a part, and, of a role, of the grants that give it."""

    def __init__(self, view: View, part: Part) -> None:
        self.view = view
        self.part = part
        self.mine: list[tuple[KindHistory, Ints]] = []
        for kind in part.kinds():
            history = view.stored.history(kind)
            self.mine.append((history, part.holds(kind, history.column).nonzero()[0]))
        self.grants: tuple[KindHistory, Ints] | None = None
        if part.reference.startswith("role:"):
            history = view.stored.history(GRANTS)
            self.grants = history, history.column("gives").holding(part.reference).nonzero()[0]

    def counted(self, some: Sequence[tuple[KindHistory, Ints]], numbers: Ints) -> tuple[Ints, Ints, Ints]:
        """How many rows came and went with each of some entries, and how many there were after it."""
        since = np.sort(np.concatenate([history.since[at] for history, at in some]))
        until = np.sort(np.concatenate([history.until[at] for history, at in some]))
        came, went = (np.searchsorted(it, numbers, "right") - np.searchsorted(it, numbers) for it in (since, until))
        return came, went, np.searchsorted(since, numbers, "right") - np.searchsorted(until, numbers, "right")

    def rows(self) -> Iterator[dict[str, Any]]:
        """A row for each entry that opened or closed something, the newest first."""
        every = [*self.mine, *([self.grants] if self.grants is not None else [])]
        numbers = distinct(np.concatenate([part for history, at in every for part in _bounds(history, at)]))
        numbers = numbers[numbers <= self.view.point.entry]
        came, went, _ = self.counted(every, numbers)
        then = self.counted(self.mine, numbers)[2]
        held = self.counted([self.grants], numbers)[2] if self.grants is not None else np.zeros(len(numbers), np.int64)
        wanted = {*numbers.tolist()}
        entries = {it.number: it for it in newest_entries(self.view.histories.reader) if it.number in wanted}
        for at in range(len(numbers) - 1, -1, -1):
            number = int(numbers[at])
            told = self._by_kind(number) if self.part.reference == EVERYTHING else self._told(every, number)
            more = [f"and {len(told) - _MOST_TOLD} more"] if len(told) > _MOST_TOLD else []
            yield {
                **_by(entries[number]),
                "entry": number,
                "came": int(came[at]),
                "went": int(went[at]),
                "then": int(then[at]),
                "held": int(held[at]) if self.grants is not None else None,
                "what": Lines([*told[:_MOST_TOLD], *more]),
                "edits": told,
            }

    def _told(self, every: Sequence[tuple[KindHistory, Ints]], number: int) -> list[str]:
        """What an entry did to the part, as sentences."""
        edits = EditSet()
        for history, at in every:
            for edit in _edits(history, at, number):
                edits.put(edit)
        wording = Wording(self.view.stored, list(edits))
        return [wording.sentence(edit) for edit in edits]

    def _by_kind(self, number: int) -> list[str]:
        """How many records of each kind came and went with an entry."""
        told = []
        for history, at in self.mine:
            came, went = (int((part == number).sum()) for part in _bounds(history, at))
            if came or went:
                told.append(f"{history.kind.name.replace('_', ' ')}: {came:,} came, {went:,} went")
        return told


def _bounds(history: KindHistory, at: Ints) -> tuple[Ints, Ints]:
    return history.since[at], history.until[at]


def _side_by_side(view: View, than: View, changes: _Changes) -> Iterator[dict[str, Any]]:
    """How many records of each kind belong to a part now, and did then."""
    now, then = (counted(it.stored, changes.part) for it in (view, than))
    pairs: list[tuple[str, int, int]] = [
        (it.kind.name.replace("_", " "), it.count, other.count) for it, other in zip(now, then, strict=True)
    ]
    if changes.grants is not None:
        held = (int(it.stored.column(GRANTS, "gives").holding(changes.part.reference).sum()) for it in (view, than))
        pairs.append(("grants that give it", next(held), next(held)))
    for kind, count, before in pairs:
        yield {"kind": kind, "now": count, "then": before, "difference": count - before}


def _by(entry: Entry) -> dict[str, Any]:
    return {"time": entry.time, "by": entry.actor, "act": entry.kind, "why": entry.reason or None}


def _edits(history: KindHistory, at: Ints, number: int) -> Iterator[Any]:
    """What an entry did to some rows of a kind: those of one key that go and come are one edit."""
    kind: Kind = history.kind
    read = partial(_record, history)
    gone = {tuple(it[name] for name in kind.key): it for it in map(read, at[history.until[at] == number].tolist())}
    come = {tuple(it[name] for name in kind.key): it for it in map(read, at[history.since[at] == number].tolist())}
    for key in dict.fromkeys([*gone, *come]):
        yield edit_of(kind, gone.get(key), come.get(key))


def _record(history: KindHistory, position: int) -> dict[str, Any]:
    return {name: history.listed(name, np.array([position]))[0] for name in history.kind.names}


def _differing(count: int) -> str:
    return f"{count:+,}" if count else "the same"
